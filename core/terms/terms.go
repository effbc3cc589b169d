// Package terms cuts texts and what people type into the terms that a search compares.
//
// A term is a run of letters and digits after Unicode's NFKC, in lower case. Beside the terms that stand in a text
// others are told that mean the same there: "wifi" at "Wi-Fi", 350 ml as one size however it is written. Scripts
// that are written without spaces are cut by character, so that a search matches inside of a run.
package terms

import (
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/kljensen/snowball/english"
	"golang.org/x/text/unicode/norm"

	"plainpelican/core/quantity"
)

// Cutter cuts texts. It keeps its buffers from one to the next; the zero value is ready.
type Cutter struct {
	term, last, chain []byte
	parts             int // terms in the chain
}

// maxJoined is the longest term that is made of joined ones, in bytes, and maxCodeDigits how many digits it has at
// most:
// what has more is a product number, which is found by Code.
const (
	maxJoined     = 32
	maxCodeDigits = 4
)

// Cut does something with each term of a text, in order. Those that are also there stand at the position of the term
// before them. The bytes are good until the next.
func (c *Cutter) Cut(text string, do func(term []byte, also bool)) {
	text = normal(text)
	c.term, c.last, c.chain, c.parts = c.term[:0], c.last[:0], c.chain[:0], 0
	cluster := false
	// since the last term: 1 where it was one joiner, 3 where it was one space, 2 where it was anything else
	joiners := 0
	end := func() {
		if len(c.term) == 0 {
			return
		}
		do(c.term, false)
		if at := leadingDigits(c.term); at > 0 && at < len(c.term) && quantity.UnitNamed(string(c.term[at:])) != nil {
			do(c.term[:at], true)
		}
		if joiners == 1 && joinable(c.last, c.term) {
			c.chain = append(c.chain, c.term...)
			if c.parts++; len(c.chain) <= maxJoined && digits(c.chain) <= maxCodeDigits {
				do(c.chain, true)
				if pair := len(c.last) + len(c.term); c.parts > 2 {
					do(c.chain[len(c.chain)-pair:], true)
				}
			}
		} else {
			c.chain, c.parts = append(c.chain[:0], c.term...), 1
		}
		if joiners == 3 && short(c.last, c.term) {
			do(append(c.last, c.term...), true)
		}
		c.last, c.term = append(c.last[:0], c.term...), c.term[:0]
		joiners = 0
	}
	for _, r := range text {
		switch {
		case r < utf8.RuneSelf && ('a' <= r && r <= 'z' || '0' <= r && r <= '9'):
			if cluster {
				end()
				cluster, joiners = false, 2
			}
			c.term = append(c.term, byte(r))
		case r >= utf8.RuneSelf && isWord(r) && (len(c.term) > 0 || !unicode.IsMark(r)):
			if len(c.term) > 0 && !unicode.IsMark(r) && (cluster || isSpaceless(r)) {
				end()
				joiners = 2
			}
			if !unicode.IsMark(r) {
				cluster = isSpaceless(r)
			}
			c.term = utf8.AppendRune(c.term, r)
		default:
			if len(c.term) > 0 {
				end()
				cluster = false
			}
			switch {
			case joiners == 0 && isJoiner(r):
				joiners = 1
			case joiners == 0 && r == ' ':
				joiners = 3
			default:
				joiners = 2
			}
		}
	}
	end()
	for _, m := range quantity.Measures(text) {
		c.term = appendSize(c.term[:0], m.Dimension, m.Value)
		do(c.term, true)
	}
	c.term = c.term[:0]
}

// normal is a text as terms are cut from it: NFKC, in lower case.
func normal(text string) string {
	if ascii(text) {
		return strings.ToLower(text)
	}
	return strings.Map(unicode.ToLower, norm.NFKC.String(strings.ToValidUTF8(text, " ")))
}

func ascii(text string) bool {
	for i := range len(text) {
		if text[i] >= utf8.RuneSelf {
			return false
		}
	}
	return true
}

// Size is the term for a size, however it is written: no text holds it by itself.
func Size(d quantity.Dimension, value int64) string { return string(appendSize(nil, d, value)) }

func appendSize(b []byte, d quantity.Dimension, value int64) []byte {
	return strconv.AppendInt(append(append(append(b, '='), d...), ':'), value, 10)
}

func isWord(r rune) bool { return unicode.IsLetter(r) || unicode.IsDigit(r) || unicode.IsMark(r) }

// isJoiner tells whether a sign stands inside of words: Wi-Fi, men's, 5/8, B&B.
func isJoiner(r rune) bool { return strings.ContainsRune("-'.&/+_’‐", r) }

// isSpaceless tells whether a letter is of a script that is written without spaces.
func isSpaceless(r rune) bool {
	return r >= 0x0e00 &&
		(unicode.In(r, unicode.Han, unicode.Hiragana, unicode.Katakana, unicode.Thai, unicode.Lao, unicode.Khmer,
			unicode.Myanmar) || r == 'ー')
}

// joinable tells whether two terms that a joiner stands between may be one: two numbers are not.
func joinable(a, b []byte) bool {
	if len(a) == 0 || len(b) == 0 {
		return false
	}
	return a[len(a)-1] < '0' || a[len(a)-1] > '9' || b[0] < '0' || b[0] > '9'
}

// short tells whether two terms with a space between them are often written as one: USB C, T shirt, Wi Fi.
func short(a, b []byte) bool {
	letters := func(t []byte) bool { return digits(t) == 0 && t[0] < utf8.RuneSelf && !ordinary[string(t)] }
	return len(a) > 0 && len(a)+len(b) > 2 && (len(a) == 1 || len(b) == 1 || len(a)+len(b) == 4) &&
		len(a)+len(b) <= maxJoined && letters(a) && letters(b)
}

func leadingDigits(term []byte) int {
	at := 0
	for at < len(term) && term[at] >= '0' && term[at] <= '9' {
		at++
	}
	return at
}

func digits(term []byte) (n int) {
	for _, b := range term {
		if b >= '0' && b <= '9' {
			n++
		}
	}
	return n
}

// Of are the terms that stand in a text.
func Of(text string) (all []string) {
	var c Cutter
	c.Cut(text, func(term []byte, also bool) {
		if !also {
			all = append(all, string(term))
		}
	})
	return all
}

// Code is a product number, SKU or barcode as it is compared: letters and digits alone, a number without the zeros in
// front, so that a GTIN-12 is found as a GTIN-13. Less than four characters are none.
func Code(text string) string {
	code := strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			return r
		}
		return -1
	}, normal(text))
	if IsNumber(code) {
		code = strings.TrimLeft(code, "0")
	}
	if len(code) < 4 {
		return ""
	}
	return code
}

// IsPlain tells whether a term is letters alone.
func IsPlain(term string) bool { return !strings.ContainsAny(term, "0123456789=") }

// IsNumber tells whether a term is digits alone.
func IsNumber(term string) bool { return strings.Trim(term, "0123456789") == "" }

// letters that Unicode does not take apart, as they are typed without them.
var letters = strings.NewReplacer("ß", "ss", "æ", "ae", "œ", "oe", "ø", "o", "đ", "d", "ð", "d", "ł", "l", "ı", "i",
	"þ", "th", "ħ", "h", "ŋ", "n", "ς", "σ", "ـ", "")

// Fold is a term without accents: "creme" for "crème", "strasse" for "straße". Marks that are letters of their own,
// as in the scripts of India or in kana, stay.
func Fold(term string) string {
	if ascii(term) {
		return term
	}
	plain := letters.Replace(term)
	if ascii(plain) {
		return plain
	}
	apart := norm.NFD.String(plain)
	return norm.NFC.String(strings.Map(func(r rune) rune {
		if (r >= 0x300 && r <= 0x36f) || (r >= 0x591 && r <= 0x5c7 && unicode.IsMark(r)) ||
			(r >= 0x64b && r <= 0x652) || r == 0x670 {
			return -1
		}
		return r
	}, apart))
}

// Stem is the stem of a term without accents, by Snowball's rules for English; a term with digits is its own.
func Stem(folded string) string {
	if !IsPlain(folded) || !ascii(folded) {
		return folded
	}
	return english.Stem(folded, true)
}

// ordinary words say nothing of an item. English, and the articles and joining words of the languages that titles come
// in, where they are no English noun.
var ordinary = fields(`a an and are as at be by for from in into is it its of on
	or that the their this to up with you your not
	der das und mit für von im zum zur oder ein eine auf
	le les et avec pour du des au aux une en el los las y con para del il lo gli di per e da een het voor met van ` +
	`och ` +
	`med för till av z do na dla w`)

func fields(text string) map[string]bool {
	set := map[string]bool{}
	for _, w := range strings.Fields(text) {
		set[w] = true
	}
	return set
}

// IsOrdinary tells whether a term says nothing of an item.
func IsOrdinary(term string) bool { return ordinary[term] }

// irregular are plurals that no stem joins, each after its singular.
var irregular = map[string][]string{}

func init() {
	list := strings.Fields(`knife knives leaf leaves shelf shelves wolf wolves calf calves half halves loaf loaves ` +
		`scarf scarves thief thieves wife wives life lives elf elves hoof hooves dwarf dwarves
		man men woman women child children foot feet tooth teeth goose geese mouse mice person people ox oxen die ` +
		`dice penny pence louse lice cactus cacti fungus fungi bookshelf bookshelves
		penknife penknives jackknife jackknives housewife housewives midwife midwives fireman firemen workman ` +
		`workmen ` +
		`fisherman fishermen eyetooth eyeteeth dormouse dormice grandchild grandchildren`)
	for i := 0; i < len(list); i += 2 {
		irregular[list[i]] = append(irregular[list[i]], list[i+1])
		irregular[list[i+1]] = append(irregular[list[i+1]], list[i])
	}
}

// spelt are words that Britain and America spell in two ways which no rule joins.
var spelt = map[string]string{}

func init() {
	list := strings.Fields(
		`aluminium aluminum grey gray tyre tire cheque check pyjamas pajamas pyjama pajama doughnut donut plough ` +
			`plow ` +
			`jewellery jewelry jeweller jeweler moustache mustache kerb curb yoghurt yogurt
		draught draft cosy cozy sulphur sulfur storey story programme program catalogue catalog dialogue dialog ` +
			`analogue analog mould mold moulding molding moulded molded
		sceptic skeptic axe ax licence license practise practice defence defense whisky whiskey omelette omelet ` +
			`carburettor carburetor manoeuvre maneuver disc disk pedlar peddler tonne ton
		aeroplane airplane smoulder smolder wagon waggon caliper calliper`)
	for i := 0; i < len(list); i += 2 {
		spelt[list[i]], spelt[list[i+1]] = list[i+1], list[i]
	}
}

// endings that are spelt in two ways: those that are no word are in no catalog.
var endings = [][2]string{{"our", "or"}, {"ours", "ors"}, {"oured", "ored"}, {"ouring", "oring"}, {"ourful", "orful"},
	{"ourless", "orless"}, {"ourite", "orite"}, {"ise", "ize"}, {"iser", "izer"}, {"isers", "izers"}, {"ised", "ized"},
	{"ising", "izing"},
	{"tre", "ter"}, {"tres", "ters"}, {"bre", "ber"}, {"bres", "bers"}, {"lled", "led"}, {"lling", "ling"},
	{"ller", "ler"}, {"llen", "len"}, {"lour", "lor"}}

// umlauts are written as two letters where they cannot be typed, and read from them.
var (
	umlauts    = strings.NewReplacer("ä", "ae", "ö", "oe", "ü", "ue", "å", "aa", "ø", "oe")
	fromDouble = strings.NewReplacer("ae", "a", "oe", "o", "ue", "u", "aa", "a")
)

// Spellings are other ways to spell a term or its plural, without accents: colour and color, knife and knives,
// muesli and müsli.
func Spellings(term string) []string {
	folded := Fold(term)
	out := slices.Clone(irregular[folded])
	if double := umlauts.Replace(term); double != term {
		out = append(out, Fold(double))
	}
	if single := fromDouble.Replace(folded); single != folded && len(single) > 2 {
		out = append(out, single)
	}
	if other := spelt[folded]; other != "" {
		out = append(out, other)
	}
	if singular, is := strings.CutSuffix(folded, "s"); is && spelt[singular] != "" {
		out = append(out, spelt[singular]+"s")
	}
	if len(folded) >= 5 {
		for _, e := range endings {
			for i := range e {
				if stem, is := strings.CutSuffix(folded, e[i]); is && len(stem) > 1 {
					out = append(out, stem+e[1-i])
				}
			}
		}
	}
	return out
}
