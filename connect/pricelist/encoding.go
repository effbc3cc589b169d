package pricelist

import (
	"bufio"
	"bytes"
	"io"
	"os"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/wlynxg/chardet"
	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/htmlindex"
	utf "golang.org/x/text/encoding/unicode"
	"golang.org/x/text/transform"
)

// Encodings of a text file that are known by their bytes. All others have the names of the WHATWG Encoding Standard.
const (
	UTF8        = "utf-8"
	UTF16LE     = "utf-16le"
	UTF16BE     = "utf-16be"
	Windows1252 = "windows-1252"
)

// otherEncodings are those that lists come in besides, the likelier of two that read alike first.
var otherEncodings = []string{Windows1252, "windows-1250", "windows-1251", "windows-1254", "iso-8859-2", "gbk",
	"shift_jis", "big5", "euc-kr", "windows-1253", "windows-1257", "koi8-r", "euc-jp", "iso-8859-15"}

// decoderOf is how an encoding is read; nil where it is none that can be.
func decoderOf(name string) encoding.Encoding {
	switch name {
	case "":
		return nil
	case UTF16LE:
		return utf.UTF16(utf.LittleEndian, utf.UseBOM)
	case UTF16BE:
		return utf.UTF16(utf.BigEndian, utf.UseBOM)
	}
	e, err := htmlindex.Get(name)
	if err != nil {
		return nil
	}
	return e
}

// encodingName is an encoding's name by a label of the WHATWG Encoding Standard, such as a server gives: empty
// where it is none.
func encodingName(label string) string {
	e, err := htmlindex.Get(strings.TrimSpace(label))
	if err != nil {
		return ""
	}
	name, err := htmlindex.Name(e)
	if err != nil {
		return ""
	}
	return name
}

// encodingOf tells how a text file is written. All its bytes are looked at: one accented word a million rows down
// decides as well as one in the first. A file that is not Unicode is read as said, if anything says it, and otherwise
// as what suits its words best, in which case it is a guess.
func encodingOf(f *os.File, said string) (name string, guess bool, err error) {
	in := bufio.NewReaderSize(io.NewSectionReader(f, 0, 1<<62), 1<<18)
	head, err := in.Peek(64 << 10)
	if err != nil && err != io.EOF {
		return "", false, err
	}
	switch {
	case bytes.HasPrefix(head, []byte{0xff, 0xfe}):
		return UTF16LE, false, nil
	case bytes.HasPrefix(head, []byte{0xfe, 0xff}):
		return UTF16BE, false, nil
	case bytes.HasPrefix(head, []byte{0xef, 0xbb, 0xbf}):
		return UTF8, false, nil
	}
	// Without a mark: every second byte of Latin text in UTF-16 is nothing.
	var even, odd int
	for i, b := range head[:min(len(head), 4096)] {
		if b == 0 && i%2 == 0 {
			even++
		} else if b == 0 {
			odd++
		}
	}
	if n := min(len(head), 4096) / 2; n > 8 && odd > n*7/10 {
		return UTF16LE, false, nil
	} else if n > 8 && even > n*7/10 {
		return UTF16BE, false, nil
	}
	if all, err := allUTF8(in); all || err != nil {
		return UTF8, false, err
	}
	valid, invalid, foreign, err := runesOf(bufio.NewReaderSize(io.NewSectionReader(f, 0, 1<<62), 1<<18))
	if err != nil {
		return "", false, err
	}
	if valid > 0 && invalid*4 <= valid || valid > invalid && invalid <= 2 {
		return UTF8, false, nil // a bad byte costs its row only
	}
	if said != "" && said != UTF8 && decoderOf(said) != nil {
		return said, false, nil
	}
	return guessed(foreign), true, nil
}

// allUTF8 tells whether a text is UTF-8 throughout.
func allUTF8(in *bufio.Reader) (bool, error) {
	buffer := make([]byte, 1<<18)
	kept := 0 // bytes of a letter that goes on in the next part
	for {
		n, err := in.Read(buffer[kept:])
		part := buffer[:kept+n]
		if !utf8.Valid(part) {
			cut := len(part)
			for back := 1; back < utf8.UTFMax && back <= len(part); back++ {
				if tail := part[len(part)-back:]; utf8.RuneStart(tail[0]) && !utf8.FullRune(tail) {
					cut = len(part) - back
				}
			}
			if cut == len(part) || !utf8.Valid(part[:cut]) || err != nil {
				return false, nil
			}
			kept = copy(buffer, part[cut:])
			continue
		}
		kept = 0
		if err == io.EOF {
			return true, nil
		}
		if err != nil {
			return false, err
		}
	}
}

// runesOf counts the letters beyond ASCII that are UTF-8, and the bytes that are none, and returns lines with such
// bytes.
func runesOf(in *bufio.Reader) (valid, invalid int, foreign []byte, err error) {
	var tail []byte
	buffer := make([]byte, 1<<18)
	for {
		n, err := in.Read(buffer)
		part := append(tail, buffer[:n]...)
		tail = nil
		if !utf8.Valid(part) {
			if len(foreign) < 128<<10 {
				for line := range bytes.Lines(part) {
					if !utf8.Valid(line) && len(foreign) < 128<<10 {
						foreign = append(foreign, line[:min(len(line), 4096)]...)
					}
				}
			}
			for i := 0; i < len(part); {
				if part[i] < utf8.RuneSelf {
					i++
					continue
				}
				r, size := utf8.DecodeRune(part[i:])
				switch {
				case r == utf8.RuneError && size <= 1 && len(part)-i < utf8.UTFMax && err == nil &&
					!utf8.FullRune(part[i:]):
					tail = append([]byte(nil), part[i:]...)
					i = len(part)
					continue
				case r == utf8.RuneError && size <= 1:
					invalid++
				default:
					valid++
				}
				i += size
			}
		} else {
			for _, b := range part {
				if b >= 0xc0 {
					valid++
				}
			}
		}
		if err == io.EOF {
			return valid, invalid + len(tail), foreign, nil
		}
		if err != nil {
			return 0, 0, nil, err
		}
	}
}

// guessed is the encoding that suits a text best: by the words of headers that it makes, then by what the detector
// says.
func guessed(text []byte) string {
	detected := chardet.Detect(text)
	best, most := Windows1252, -1e9
	for i, name := range otherEncodings {
		decoded, err := decoderOf(name).NewDecoder().Bytes(text)
		if err != nil {
			continue
		}
		score := -float64(i) * 0.01
		if other := strings.ContainsFunc(string(decoded), func(r rune) bool {
			return unicode.IsLetter(r) && !unicode.Is(unicode.Latin, r)
		}); other && strings.EqualFold(encodingName(detected.Encoding), name) {
			score += detected.Confidence
		}
		score += suits(string(decoded)) + 3*inAlphabet(string(decoded))
		if score > most {
			best, most = name, score
		}
	}
	return best
}

// alphabets are the letters beyond ASCII of languages that are written in Latin ones.
var alphabets = strings.Fields(
	"äöüß éèêëàâçùûüîïôœæ áéíóúñü àèéìíòóù ãõáàâçéêíóôú éëïöü åäö æøå åäöšž áčďéěíňóřšťúůýž áäčďéíĺľňóôŕšťúýž " +
		"ąćęłńóśźż áéíóöőúüű ăâîșțşţ čćđšž çğıöşüâî äõöüšž āčēģīķļņšūž ąčęėįšųūž áðéíóúýþæö")

// inAlphabet is how large a share of a text's accented letters belongs to one language; 0 where there are none.
func inAlphabet(text string) (most float64) {
	count, all := map[rune]int{}, 0
	for _, r := range strings.ToLower(text) {
		if r >= utf8.RuneSelf && unicode.Is(unicode.Latin, r) {
			count[r]++
			all++
		}
	}
	if all == 0 {
		return 0
	}
	for _, letters := range alphabets {
		in := 0
		for r, n := range count {
			if strings.ContainsRune(letters, r) {
				in += n
			}
		}
		most = max(most, float64(in)/float64(all))
	}
	return most
}

// suits scores a decoded text: words that headers of lists have speak for it; letters of mixed scripts within a word,
// signs within words and what decodes to nothing against it.
func suits(text string) (score float64) {
	known, odd, letters := 0.0, 0.0, 0.0
	for i, line := range strings.SplitAfterN(text, "\n", 40) {
		for _, cell := range strings.FieldsFunc(line, func(r rune) bool {
			return strings.ContainsRune(",;|\t\"\r\n", r)
		}) {
			foreign := strings.IndexFunc(cell, func(r rune) bool { return r >= utf8.RuneSelf }) >= 0
			if !foreign {
				continue
			}
			if i < 12 && len(cell) < 80 {
				if f := maximum(byHeader(cell)); f >= 0.9 && cell != strings.ToUpper(cell) || f >= 0.98 {
					known++
				}
			}
			var before rune
			for _, r := range cell {
				switch {
				case r == utf8.RuneError, unicode.IsControl(r):
					odd += 3
				case r >= utf8.RuneSelf && unicode.IsLetter(r):
					letters++
					if unicode.IsLetter(before) && scriptOf(before) != scriptOf(r) {
						odd++
					}
					if unicode.IsUpper(r) && unicode.IsLower(before) {
						odd++
					}
					if unicode.In(r, unicode.Han) && !common(r) {
						odd += 0.3
					}
					if r >= 0xff61 && r <= 0xff9f { // half-width katakana
						odd += 0.5
					}
				case r >= utf8.RuneSelf && unicode.IsLetter(before):
					if !strings.ContainsRune("’–—“”®™°²³×€£", r) {
						odd += 0.7
					}
				case unicode.IsLetter(r) && before >= utf8.RuneSelf && unicode.IsLetter(before) &&
					scriptOf(before) != scriptOf(r):
					odd++
				}
				before = r
			}
		}
	}
	return min(known, 5) - 4*odd/max(letters, 1)
}

// common tells whether a Chinese character is among those that a national standard's first level has: GB 2312's first
// level and Big5's are in the order of use, so that rare ones come from a wrong decoding.
func common(r rune) bool {
	for _, name := range []string{"gbk", "big5", "shift_jis"} {
		b, err := decoderOf(name).NewEncoder().String(string(r))
		if err != nil || len(b) != 2 {
			continue
		}
		switch name {
		case "gbk":
			if b[0] >= 0xb0 && b[0] <= 0xd7 && b[1] >= 0xa1 {
				return true
			}
		case "big5":
			if b[0] >= 0xa4 && b[0] <= 0xc6 {
				return true
			}
		default:
			if b[0] >= 0x88 && b[0] <= 0x97 {
				return true
			}
		}
	}
	return false
}

var scripts = []*unicode.RangeTable{unicode.Latin, unicode.Cyrillic, unicode.Greek, unicode.Hangul, unicode.Arabic,
	unicode.Hebrew}

// scriptOf numbers a letter's script; Chinese and Japanese mix theirs within words.
func scriptOf(r rune) int {
	return slices.IndexFunc(scripts, func(t *unicode.RangeTable) bool { return unicode.Is(t, r) })
}

// decoded reads a text file as UTF-8.
func decoded(r io.Reader, name string) io.Reader {
	if name == "" || name == UTF8 {
		return r
	}
	if e := decoderOf(name); e != nil {
		return transform.NewReader(r, e.NewDecoder())
	}
	return r
}
