package index

import (
	"cmp"
	"strings"

	"plainpelican/core/terms"
)

// Correction is what was looked for beside or in place of what was typed.
type Correction struct {
	Typed string `json:"typed"`
	Used  string `json:"used"`
	// Too is where the typed word was found as well, at one supplier alone.
	Too bool `json:"too" doc:"The typed word was found as well, but at one supplier only"`
}

// rareRows is how many offers may have a word that one supplier alone uses for it to be taken for misspelt, and
// muchMore how many times as many must have what it is a slip of.
const (
	rareRows = 200
	muchMore = 5
)

// findOrCorrect is where the parts hold what is needed; and where none does, or one supplier alone, what is nearest
// to it.
func (s *Snapshot[T]) findOrCorrect(n *terms.Need) (l []wordMatch, c *Correction) {
	l = s.findNeed(n)
	rows, suppliers := s.countHolders(l, rareRows)
	if rows == 0 && len(n.Completions) > 0 {
		return s.findNeed(&terms.Need{Alternatives: []terms.Alternative{{Match: terms.AnyOf, Terms: n.Completions}}}),
			nil
	}
	word := n.Word()
	if word == "" || (rows > 0 && (suppliers > 1 || rows == rareRows || len(word) < 4)) {
		return l, nil
	}
	near, distance := s.nearest(word, rows)
	if rows > 0 {
		if near == "" || distance > 1 {
			return l, nil
		}
		other := s.findNeed(&terms.Need{Alternatives: []terms.Alternative{{Match: terms.Whole, Terms: []string{near}}}})
		if _, theirs := s.countHolders(other, muchMore*rows+1); theirs < 2 {
			return l, nil
		}
		for i := range l {
			l[i].spans = distinctSpans(append(l[i].spans, other[i].spans...))
		}
		return l, &Correction{word, near, true}
	}
	// one behind the other are meant more surely than a slip
	for _, match := range []terms.Match{terms.Phrase, terms.All} {
		if match == terms.All && distance == 1 {
			break
		}
		if both := s.splitJoined(word, match); both != nil {
			return s.findNeed(&terms.Need{Alternatives: []terms.Alternative{{Match: match, Terms: both}}}),
				&Correction{word, strings.Join(both, " "), false}
		}
	}
	if near == "" {
		return l, nil
	}
	return s.findWord(near), &Correction{word, near, false}
}

// nearest is the word that the fewest letters make of one, and of those the one that most offers hold; more than
// muchMore times some.
func (s *Snapshot[T]) nearest(word string, than int) (near string, by int) {
	if len(word) < 3 || !terms.IsPlain(word) {
		return "", 0 // numbers and models are taken as they are typed
	}
	most := 1
	if len(word) >= 7 {
		most = 2
	}
	type candidate struct{ distance, offers int }
	all := map[string]candidate{}
	stem := terms.Stem(word)
	for i := range s.parts {
		p := &s.parts[i]
		for _, at := range p.plain {
			known := p.vocabulary[at]
			if len(known) < 3 || len(known)-len(word) > most || len(word)-len(known) > most ||
				strings.HasPrefix(known, word) {
				continue
			}
			if d := distance(word, known, most); d <= most && terms.Stem(known) != stem {
				n := 0
				p.eachLiveMatch(&wordMatch{spans: []span{{at, at + 1}}}, func(uint32) bool { n++; return true })
				if n > 0 {
					all[known] = candidate{d, all[known].offers + n}
				}
			}
		}
	}
	for known, c := range all {
		b := all[near]
		if c.offers > muchMore*than &&
			(near == "" || cmp.Or(cmp.Compare(c.distance, b.distance), cmp.Compare(b.offers, c.offers),
				strings.Compare(known, near)) < 0) {
			near, by = known, c.distance
		}
	}
	return near, by
}

// splitJoined are two words that are typed as one, those that most offers have one behind the other, or anywhere; nil
// where there are none.
func (s *Snapshot[T]) splitJoined(word string, match terms.Match) (both []string) {
	least := 1 // letters of each
	if match == terms.All {
		least = 3
	}
	most := 0
	for at := least; at <= len(word)-least; at++ {
		if !isStart(word, at) {
			continue
		}
		two := terms.Alternative{Match: match, Terms: []string{word[:at], word[at:]}}
		n := 0
		for i := range s.parts {
			p := &s.parts[i]
			if len(p.accentVariants(two.Terms[0])) > 0 && len(p.accentVariants(two.Terms[1])) > 0 {
				n += len(p.findNeed(&terms.Need{Alternatives: []terms.Alternative{two}}).rows)
			}
		}
		if n > most {
			both, most = two.Terms, n
		}
	}
	return both
}

func isStart(text string, at int) bool { return text[at]&0xc0 != 0x80 }

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
