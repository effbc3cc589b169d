package index

import (
	"slices"
	"strings"

	"plainpelican/core/terms"
)

// span is a run of words in a part's vocabulary: from, up to but not to.
type span struct{ from, to uint32 }

// wordMatch is where a part holds what is needed: words of its vocabulary, and rows that were found otherwise.
type wordMatch struct {
	spans []span
	exact int    // the word as it was typed; -1 where it is not there
	like  []span // words that are it but for accents
	rows  []scoredRow
	codes []uint32 // rows with the product number
}

// scoredRow is a row that holds a phrase, or words apart, and its points.
type scoredRow struct {
	row    uint32
	points uint16
}

// apartPoints are for words that need not follow each other.
const apartPoints = wordPoints - 100

// accentVariants are the words that are one but for accents.
func (p *part[T]) accentVariants(word string) (same []span) {
	plain := terms.Fold(word)
	if at, there := slices.BinarySearch(p.vocabulary, plain); there {
		same = append(same, span{uint32(at), uint32(at) + 1})
	}
	from, _ := slices.BinarySearchFunc(p.accented, plain, func(f accentedWord, plain string) int {
		return strings.Compare(f.plain, plain)
	})
	for ; from < len(p.accented) && p.accented[from].plain == plain; from++ {
		same = append(same, span{p.accented[from].word, p.accented[from].word + 1})
	}
	return same
}

// exactWord is a word of the vocabulary.
func (p *part[T]) exactWord(word string) (s []span, at int) {
	if at, there := slices.BinarySearch(p.vocabulary, word); there {
		return []span{{uint32(at), uint32(at) + 1}}, at
	}
	return nil, -1
}

// wholeWords are the words that are one but for accents and endings, or spell it in another way.
func (p *part[T]) wholeWords(word string) []span {
	same := p.accentVariants(word)
	plain := terms.Fold(word)
	if !terms.IsPlain(plain) {
		return same
	}
	for _, at := range p.byStem[terms.Stem(plain)] {
		same = append(same, span{at, at + 1})
	}
	for _, other := range terms.Spellings(word) {
		same = append(same, p.accentVariants(other)...)
		for _, at := range p.byStem[terms.Stem(other)] {
			same = append(same, span{at, at + 1})
		}
	}
	return same
}

// completions are the words that begin so, beside those that are one as a whole. A number must be the whole word: 100
// is not the beginning of every offer's number.
func (p *part[T]) completions(word string) []span {
	if terms.IsNumber(word) {
		return p.accentVariants(word)
	}
	all := p.wholeWords(word)
	plain := terms.Fold(word)
	for _, start := range slices.Compact([]string{plain, word}) {
		at, _ := slices.BinarySearch(p.vocabulary, start)
		more, _ := slices.BinarySearchFunc(p.vocabulary[at:], start, func(known, start string) int {
			if strings.HasPrefix(known, start) {
				return -1
			}
			return 1
		})
		if more > 0 {
			all = append(all, span{uint32(at), uint32(at + more)})
		}
	}
	from, _ := slices.BinarySearchFunc(p.accented, plain, func(f accentedWord, plain string) int {
		return strings.Compare(f.plain, plain)
	})
	for ; from < len(p.accented) && strings.HasPrefix(p.accented[from].plain, plain); from++ {
		all = append(all, span{p.accented[from].word, p.accented[from].word + 1})
	}
	return distinctSpans(all)
}

// distinctSpans are spans without what is in them twice, in order.
func distinctSpans(spans []span) []span {
	slices.SortFunc(spans, func(a, b span) int { return int(a.from) - int(b.from) })
	out := spans[:0]
	for _, s := range spans {
		if n := len(out); n > 0 && s.from < out[n-1].to {
			out[n-1].to = max(out[n-1].to, s.to)
		} else {
			out = append(out, s)
		}
	}
	return out
}

// findWord finds a word in a part, as the beginning of one or as a whole.
func (p *part[T]) findWord(word string) wordMatch { return p.findMatching(terms.Beginning, word) }

func (p *part[T]) findMatching(match terms.Match, word string) wordMatch {
	l := wordMatch{like: p.accentVariants(word)}
	_, l.exact = p.exactWord(word)
	if match == terms.Beginning {
		l.spans = p.completions(word)
	} else {
		l.spans = distinctSpans(p.wholeWords(word))
	}
	return l
}

// findNeed finds what a need asks for in a part.
func (p *part[T]) findNeed(n *terms.Need) wordMatch {
	l := wordMatch{exact: -1}
	for i, a := range n.Alternatives {
		switch a.Match {
		case terms.Beginning, terms.Whole:
			one := p.findMatching(a.Match, a.Terms[0])
			if l.spans = append(l.spans, one.spans...); i == 0 {
				l.exact, l.like = one.exact, one.like
			}
		case terms.Exactly, terms.AnyOf:
			for _, t := range a.Terms {
				s, _ := p.exactWord(t)
				l.spans = append(l.spans, s...)
			}
		case terms.Phrase:
			more := likePoints
			if i == 0 {
				more = exactPoints
			}
			l.rows = append(l.rows, p.rowsHoldingPhrase(a.Terms, more)...)
		case terms.All:
			l.rows = append(l.rows, p.rowsHoldingAll(a.Terms)...)
		}
	}
	l.spans = distinctSpans(l.spans)
	if n.Code != "" {
		l.codes = p.withCode(n.Code)
	}
	return l
}

// rowsHolding are the rows, alive or not, that hold some words.
func (p *part[T]) rowsHolding(spans []span) bitset {
	set := none(len(p.ids))
	for _, s := range spans {
		for _, row := range p.postings[p.offsets[s.from]:p.offsets[s.to]] {
			set.add(row)
		}
	}
	return set
}

// rowsHoldingAll are the rows that hold each of some words as a whole.
func (p *part[T]) rowsHoldingAll(words []string) (rows []scoredRow) {
	set := slices.Clone(p.live)
	for _, w := range words {
		set.and(p.rowsHolding(p.wholeWords(w)))
	}
	each(set, func(row int) { rows = append(rows, scoredRow{uint32(row), apartPoints}) })
	return rows
}

// rowsHoldingPhrase are the rows that hold some words one behind the other, accents aside, with points as for a
// word and some more.
func (p *part[T]) rowsHoldingPhrase(words []string, more int) (rows []scoredRow) {
	alternatives := make([][]span, len(words))
	rarest, fewest := 0, -1
	for i, w := range words {
		alternatives[i] = p.accentVariants(w)
		if n := p.countPostings(alternatives[i]); fewest < 0 || n < fewest {
			rarest, fewest = i, n
		}
	}
	if fewest == 0 {
		return nil
	}
	is := func(word uint32, i int) bool {
		return slices.ContainsFunc(alternatives[i], func(s span) bool { return s.from == word })
	}
	var inOrder []uint32
	each(p.rowsHolding(alternatives[rarest]), func(row int) {
		if !p.live.has(uint32(row)) {
			return
		}
		inOrder = inOrder[:0]
		for _, w := range p.words[p.starts[row]:p.starts[row+1]] {
			if w&samePosition == 0 {
				inOrder = append(inOrder, w)
			}
		}
		for from := 0; from+len(words) <= len(inOrder); from++ {
			i := 0
			for i < len(words) && (i == 0 || inOrder[from+i]&newText == 0) && is(inOrder[from+i]&^newText, i) {
				i++
			}
			if i == len(words) {
				rows = append(rows, scoredRow{uint32(row), uint16(wordPoints + more - min(from, 255))})
				return
			}
		}
	})
	return rows
}

// countPostings counts the rows, alive or not, that hold words, those that hold several as often.
func (p *part[T]) countPostings(spans []span) (n int) {
	for _, s := range spans {
		n += int(p.offsets[s.to] - p.offsets[s.from])
	}
	return n
}

// rowsMatching are the rows, alive or not, that meet what was looked for.
func (p *part[T]) rowsMatching(l *wordMatch) bitset {
	set := p.rowsHolding(l.spans)
	for _, f := range l.rows {
		set.add(f.row)
	}
	for _, row := range l.codes {
		set.add(row)
	}
	return set
}

// eachPosting does something with each row, alive or not, that holds one of the words.
func (p *part[T]) eachPosting(l wordMatch, do func(row uint32)) {
	for _, s := range l.spans {
		for _, row := range p.postings[p.offsets[s.from]:p.offsets[s.to]] {
			do(row)
		}
	}
}

// eachLiveMatch does something with each row alive that meets what was looked for, until it says no more.
func (p *part[T]) eachLiveMatch(l *wordMatch, do func(row uint32) bool) {
	for _, s := range l.spans {
		for _, row := range p.postings[p.offsets[s.from]:p.offsets[s.to]] {
			if p.live.has(row) && !do(row) {
				return
			}
		}
	}
	for _, f := range l.rows {
		if p.live.has(f.row) && !do(f.row) {
			return
		}
	}
	for _, row := range l.codes {
		if p.live.has(row) && !do(row) {
			return
		}
	}
}

func (s *Snapshot[T]) findWord(word string) []wordMatch {
	l := make([]wordMatch, len(s.parts))
	for i := range s.parts {
		l[i] = s.parts[i].findWord(word)
	}
	return l
}

func (s *Snapshot[T]) findNeed(n *terms.Need) []wordMatch {
	l := make([]wordMatch, len(s.parts))
	for i := range s.parts {
		l[i] = s.parts[i].findNeed(n)
	}
	return l
}

// countHolders counts the rows alive that meet what was looked for, up to some, and tells how many suppliers sell
// them, up to two.
func (s *Snapshot[T]) countHolders(l []wordMatch, enough int) (rows, suppliers int) {
	first := ""
	for i := range s.parts {
		p := &s.parts[i]
		p.eachLiveMatch(&l[i], func(row uint32) bool {
			name := p.facets[Supplier].values[p.facets[Supplier].code[row]]
			if rows++; rows == 1 {
				first, suppliers = name, 1
			} else if name != first {
				suppliers = 2
			}
			return rows < enough
		})
	}
	return rows, suppliers
}
