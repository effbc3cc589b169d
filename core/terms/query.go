package terms

import (
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"plainpelican/core/quantity"
)

// Match is how an alternative's terms are looked for.
type Match uint8

// The ways to match.
const (
	// Beginning is a term that begins so, or has its stem or another spelling.
	Beginning Match = iota
	// Whole is the term, its stem or another spelling.
	Whole
	// Exactly is the term itself but for accents.
	Exactly
	// Phrase are terms one behind the other.
	Phrase
	// All are terms anywhere, each whole.
	All
	// AnyOf are terms of which one will do, such as those of sizes.
	AnyOf
)

// Alternative is one way in which an offer meets a need.
type Alternative struct {
	Match Match
	Terms []string
}

// Need is what an answer's offers must have.
type Need struct {
	// Typed is it as it was typed, in lower case.
	Typed        string
	Alternatives []Alternative
	// Code is it as a product number; "" where it can be none.
	Code string
	// Completions are sizes that it may become while its unit is typed, where nothing has the one that it names.
	Completions []string
	// Quoted is taken as it stands, without corrections.
	Quoted bool

	word string // where it is one word
}

// Query is what somebody typed.
type Query struct {
	Needs   []Need
	Without []Need
	// Ordinary are words that were typed and are not needed, such as "the".
	Ordinary []string
	// Unread are signs and words that mean nothing to a search.
	Unread []string
	// Code is all of it as one product number.
	Code string
}

// Synonyms are groups of words and phrases that mean the same to the seller.
type Synonyms [][]string

// Parse reads what somebody typed: words, "phrases in quotes", -words to leave out.
func Parse(typed string, synonyms Synonyms) Query {
	p := parser{text: normal(typed)}
	for _, word := range strings.Fields(typed) {
		if word == "OR" || word == "AND" || word == "NOT" {
			p.unread(word)
		}
	}
	p.measures = quantity.Measures(p.text)
	for p.at < len(p.text) {
		p.step()
	}
	p.join()
	p.withSynonyms(synonyms)
	p.leaveOrdinary()
	if len(p.q.Without) == 0 && len(p.q.Needs) > 1 && strings.ContainsAny(p.text, "0123456789") {
		p.q.Code = Code(p.text)
	}
	return p.q
}

type parser struct {
	q        Query
	text     string
	at       int
	measures []quantity.Measure
	apart    []bool // for each need, that it does not follow the one before it
	broken   bool   // a quote or a word to leave out stands before the next
}

func (p *parser) unread(what string) {
	if !slices.Contains(p.q.Unread, what) {
		p.q.Unread = append(p.q.Unread, what)
	}
}

// quotes that begin and end phrases.
const quotes = "\"“”„«»"

// silent signs part words and mean nothing else.
const silent = ",.;:!?&+/|–—'’()%·•_-‐"

// step reads the next thing.
func (p *parser) step() {
	r, width := utf8.DecodeRuneInString(p.text[p.at:])
	minus := false
	if (r == '-' || r == '−') && p.fresh() {
		next, _ := utf8.DecodeRuneInString(p.text[p.at+width:])
		if p.at+width == len(p.text) || !(isWord(next) || strings.ContainsRune(quotes, next)) {
			p.unread(string(r))
			p.at += width
			return
		}
		p.at += width
		r, width = next, utf8.RuneLen(next)
		minus = true
	}
	for len(p.measures) > 0 && p.measures[0].From < p.at {
		p.measures = p.measures[1:]
	}
	switch {
	case strings.ContainsRune(quotes, r):
		p.at += width
		p.phrase(minus)
	case len(p.measures) > 0 && p.measures[0].From == p.at:
		p.size(minus)
	case isWord(r) && !unicode.IsMark(r):
		p.word(minus)
	default:
		p.at += width
		if !unicode.IsSpace(r) && !strings.ContainsRune(silent, r) && !unicode.IsMark(r) && r != '\u200d' {
			p.unread(string(r))
		}
	}
}

// fresh tells whether a word may begin here.
func (p *parser) fresh() bool {
	before, _ := utf8.DecodeLastRuneInString(p.text[:p.at])
	return p.at == 0 || unicode.IsSpace(before)
}

func (p *parser) add(n Need, minus bool) {
	if minus {
		p.q.Without = append(p.q.Without, n)
		p.broken = true
		return
	}
	p.q.Needs = append(p.q.Needs, n)
	p.apart = append(p.apart, p.broken)
	p.broken = false
}

func (p *parser) phrase(minus bool) {
	end := strings.IndexAny(p.text[p.at:], quotes)
	inside := ""
	if end < 0 {
		inside, p.at = p.text[p.at:], len(p.text)
		if strings.TrimSpace(inside) != "" {
			p.unread(`"`)
		}
	} else {
		inside = p.text[p.at : p.at+end]
		_, width := utf8.DecodeRuneInString(p.text[p.at+end:])
		p.at += end + width
	}
	if list := Of(inside); len(list) > 0 {
		p.broken = true
		p.add(Need{Typed: strings.TrimSpace(inside), Alternatives: []Alternative{{Phrase, list}}, Quoted: true,
			Code: Code(inside)}, minus)
		p.broken = true
	}
}

// size reads the sides of one size: each is needed.
func (p *parser) size(minus bool) {
	m := p.measures[0]
	p.measures = p.measures[1:]
	n := Need{Typed: strings.TrimSpace(p.text[m.From:m.To]),
		Alternatives: []Alternative{{AnyOf, []string{Size(m.Dimension, m.Value)}}}}
	if m.To == len(p.text) { // its unit may not be typed to its end
		at := strings.LastIndexFunc(p.text, func(r rune) bool { return !unicode.IsLetter(r) }) + 1
		if own := quantity.UnitNamed(p.text[at:]); own != nil && m.Value > 0 {
			for _, u := range quantity.UnitsBeginning(p.text[at:]) {
				if t := Size(u.Dimension, u.In(float64(m.Value)/own.Base)); t != n.Alternatives[0].Terms[0] &&
					!slices.Contains(n.Completions, t) {
					n.Completions = append(n.Completions, t)
				}
			}
		}
	}
	p.at = m.To
	if len(p.measures) > 0 && p.measures[0].Size == m.Size {
		p.at = p.measures[0].From
	}
	p.broken = true
	p.add(n, minus)
	p.broken = true
}

// word reads letters and digits with single joiners between them.
func (p *parser) word(minus bool) {
	from := p.at
	for p.at < len(p.text) {
		r, width := utf8.DecodeRuneInString(p.text[p.at:])
		if !isWord(r) {
			next, _ := utf8.DecodeRuneInString(p.text[p.at+width:])
			measured := slices.ContainsFunc(p.measures, func(m quantity.Measure) bool { return m.From == p.at+width })
			if !isJoiner(r) || !isWord(next) || measured {
				break
			}
		}
		p.at += width
	}
	chunk, last := p.text[from:p.at], p.at == len(p.text)
	list := Of(chunk)
	if len(list) == 0 {
		return
	}
	n := Need{Typed: chunk, Code: Code(chunk)}
	begins := Beginning
	if minus || (!last && utf8.RuneCountInString(chunk) == 1) {
		begins = Whole
	}
	first, _ := utf8.DecodeRuneInString(list[0])
	switch joined := strings.Join(list, ""); {
	case len(list) == 1:
		n.word = list[0]
		n.Alternatives = []Alternative{{begins, list}}
		if runs := runsOf(joined); len(runs) > 1 && len(runs) <= 4 { // x200, 45x45
			n.Alternatives = append(n.Alternatives, Alternative{Phrase, runs})
		}
	case isSpaceless(first) || !strings.ContainsFunc(chunk, isJoiner):
		n.Alternatives = []Alternative{{Phrase, list}}
	default:
		n.Alternatives = []Alternative{{Phrase, list}, {All, list}, {begins, []string{joined}}}
	}
	p.add(n, minus)
}

// runsOf are the runs of digits and of letters of a term.
func runsOf(term string) (runs []string) {
	isDigit := func(i int) bool { return term[i] >= '0' && term[i] <= '9' }
	from := 0
	for i := 1; i <= len(term); i++ {
		if i == len(term) || isDigit(i) != isDigit(i-1) {
			runs = append(runs, term[from:i])
			from = i
		}
	}
	return runs
}

// join lets two words that follow each other be one: tea pot, wi fi.
func (p *parser) join() {
	needs := p.q.Needs
	for i := 1; i < len(needs); i++ {
		a, b := needs[i-1].word, needs[i].word
		if a == "" || b == "" || p.apart[i] || len(a)+len(b) > maxJoined || (IsNumber(a) && IsNumber(b)) ||
			(IsOrdinary(a) && IsOrdinary(b)) {
			continue
		}
		one := Alternative{Whole, []string{a + b}}
		needs[i-1].Alternatives = append(needs[i-1].Alternatives, one)
		needs[i].Alternatives = append(needs[i].Alternatives, one)
	}
}

// withSynonyms adds what means the same as words that follow each other.
func (p *parser) withSynonyms(synonyms Synonyms) {
	stems := make([]string, len(p.q.Needs))
	for i, n := range p.q.Needs {
		stems[i] = Stem(Fold(n.word))
	}
	for _, group := range synonyms {
		for g, member := range group {
			words := Of(member)
			for i := 0; len(words) > 0 && i+len(words) <= len(stems); i++ {
				same := true
				for j, w := range words {
					same = same && stems[i+j] == Stem(Fold(w)) && (j == 0 || !p.apart[i+j])
				}
				if !same {
					continue
				}
				for o, other := range group {
					if terms := Of(other); o != g && len(terms) > 0 {
						match := Whole
						if len(terms) > 1 {
							match = Phrase
						}
						for j := range words {
							p.q.Needs[i+j].Alternatives = append(p.q.Needs[i+j].Alternatives, Alternative{match, terms})
						}
					}
				}
			}
		}
	}
}

// leaveOrdinary drops ordinary words, unless nothing else is asked for.
func (p *parser) leaveOrdinary() {
	isOrdinary := func(n Need) bool { return n.word != "" && IsOrdinary(n.word) }
	if len(p.q.Without) == 0 && !slices.ContainsFunc(p.q.Needs, func(n Need) bool { return !isOrdinary(n) }) {
		return
	}
	p.q.Needs = slices.DeleteFunc(p.q.Needs, func(n Need) bool {
		if isOrdinary(n) {
			p.q.Ordinary = append(p.q.Ordinary, n.Typed)
		}
		return isOrdinary(n)
	})
}

// Word is the need's one word that corrections may change; "" where there is none.
func (n *Need) Word() string {
	if n.Quoted {
		return ""
	}
	return n.word
}
