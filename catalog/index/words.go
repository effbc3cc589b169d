package index

import (
	"cmp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/kljensen/snowball/english"
)

// Terms cuts text into the words that are looked up: lower case, letters and digits.
func Terms(text string) (terms []string) {
	eachTerm(text, nil, func(term []byte) { terms = append(terms, string(term)) })
	return terms
}

// eachTerm does something with each word of a text; the buffer is returned for the next.
func eachTerm(text string, buffer []byte, do func(term []byte)) []byte {
	b := buffer[:0]
	end := func() {
		if len(b) > 0 {
			do(b)
		}
		b = b[:0]
	}
	for _, r := range text {
		switch {
		case r < utf8.RuneSelf && ('a' <= r && r <= 'z' || '0' <= r && r <= '9'):
			b = append(b, byte(r))
		case 'A' <= r && r <= 'Z':
			b = append(b, byte(r)+'a'-'A')
		case r >= utf8.RuneSelf && (unicode.IsLetter(r) || unicode.IsDigit(r)):
			b = utf8.AppendRune(b, unicode.ToLower(r))
		default:
			end()
		}
	}
	end()
	return b
}

// span is a run of words in a part's vocabulary: from, up to but not to.
type span struct{ from, to uint32 }

// looked is where a part holds a word that was asked for: words that begin so, and others
// with its stem. exact is the place of the word itself, -1 where it is not there.
type looked struct {
	spans []span
	exact int
}

// look finds a word in a part. A number must be the whole word: 100 is not the beginning of
// every offer's number.
func (p *part[T]) look(word string) looked {
	at, there := slices.BinarySearch(p.vocabulary, word)
	l := looked{exact: -1}
	s := span{uint32(at), uint32(at)}
	if there {
		l.exact = at
	}
	if isNumber(word) {
		if there {
			s.to++
		}
		return looked{[]span{s}, l.exact}
	}
	more, _ := slices.BinarySearchFunc(p.vocabulary[at:], word, func(known, prefix string) int {
		if strings.HasPrefix(known, prefix) {
			return -1
		}
		return 1
	})
	s.to += uint32(more)
	l.spans = []span{s}
	if isPlain(word) {
		for _, at := range p.alike[english.Stem(word, false)] {
			if at < s.from || at >= s.to {
				l.spans = append(l.spans, span{at, at + 1})
			}
		}
	}
	return l
}

// eachPost does something with each row, alive or not, that holds one of the words.
func (p *part[T]) eachPost(l looked, do func(row uint32)) {
	for _, s := range l.spans {
		for _, row := range p.posts[p.heads[s.from]:p.heads[s.to]] {
			do(row)
		}
	}
}

// holds counts the rows alive that hold one of the words, up to most.
func (p *part[T]) holds(l looked, most int) (n int) {
	for _, s := range l.spans {
		for _, row := range p.posts[p.heads[s.from]:p.heads[s.to]] {
			if p.alive.has(row) {
				if n++; n == most {
					return n
				}
			}
		}
	}
	return n
}

// find is where the parts hold a word; and where none does, the nearest word, which is returned.
func (s *Snapshot[T]) find(word string) (found []looked, instead string) {
	found = s.looked(word)
	for i := range s.parts {
		if s.parts[i].holds(found[i], 1) > 0 {
			return found, ""
		}
	}
	if instead = s.nearest(word); instead != "" {
		found = s.looked(instead)
	}
	return found, instead
}

func (s *Snapshot[T]) looked(word string) []looked {
	found := make([]looked, len(s.parts))
	for i := range s.parts {
		found[i] = s.parts[i].look(word)
	}
	return found
}

// nearest is the word that the fewest letters make of one, and of those the one that most offers hold.
func (s *Snapshot[T]) nearest(word string) string {
	if len(word) < 4 || !isPlain(word) {
		return "" // numbers and models are taken as they are typed
	}
	most := 1
	if len(word) >= 7 {
		most = 2
	}
	type candidate struct {
		distance, offers int
	}
	found := map[string]candidate{}
	for i := range s.parts {
		p := &s.parts[i]
		for _, at := range p.plain {
			known := p.vocabulary[at]
			if len(known) < 4 || len(known)-len(word) > most || len(word)-len(known) > most {
				continue
			}
			if d := distance(word, known, most); d <= most {
				if n := p.holds(looked{spans: []span{{at, at + 1}}}, len(p.ids)+1); n > 0 {
					found[known] = candidate{d, found[known].offers + n}
				}
			}
		}
	}
	best := ""
	for known, c := range found {
		b := found[best]
		if best == "" || cmp.Or(cmp.Compare(c.distance, b.distance), cmp.Compare(b.offers, c.offers), strings.Compare(known, best)) < 0 {
			best = known
		}
	}
	return best
}

// isPlain tells whether a word is letters alone.
func isPlain(word string) bool { return !strings.ContainsAny(word, "0123456789") }

// isNumber tells whether a word is digits alone: those are taken as they are typed.
func isNumber(word string) bool { return strings.Trim(word, "0123456789") == "" }

// distance counts the letters to change, add, leave out or swap with a neighbour, giving
// up beyond most.
func distance(a, b string, most int) int {
	if len(a)-len(b) > most || len(b)-len(a) > most {
		return most + 1
	}
	var rows [3][64]int
	before, last, row := rows[0][:], rows[1][:], rows[2][:]
	if len(b) >= 64 {
		before, last, row = make([]int, len(b)+1), make([]int, len(b)+1), make([]int, len(b)+1)
	}
	for j := range len(b) + 1 {
		last[j] = j
	}
	for i := 1; i <= len(a); i++ {
		row[0] = i
		least := i
		for j := 1; j <= len(b); j++ {
			cost := 1
			if a[i-1] == b[j-1] {
				cost = 0
			}
			row[j] = min(last[j]+1, row[j-1]+1, last[j-1]+cost)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				row[j] = min(row[j], before[j-2]+1)
			}
			least = min(least, row[j])
		}
		if least > most+1 { // a swap may still take one off
			return most + 1
		}
		before, last, row = last, row, before
	}
	return last[len(b)]
}
