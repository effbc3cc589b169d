package index

import (
	"math"
	"slices"
	"sync"
)

// Points for a word by where it stands: first in the text, and for each place further on one less; more as it
// was typed than where it only begins so.
const (
	wordPoints  = math.MaxUint8 + 1
	exactPoints = 40
	likePoints  = 20 // but for accents
	codePoints  = 1000
	// maxPoints is how many words have points: their sum fits.
	maxPoints = math.MaxUint16 / codePoints
)

// columnPool lends a column of so many rows, cleared; back takes it for the next.
type columnPool[V int64 | uint16] struct{ kept sync.Pool }

func (s *columnPool[V]) get(rows int) *[]V {
	column, _ := s.kept.Get().(*[]V)
	if column == nil || cap(*column) < rows {
		column = new([]V)
		*column = make([]V, rows)
	}
	*column = (*column)[:rows]
	clear(*column)
	return column
}

func (s *columnPool[V]) put(column *[]V) { s.kept.Put(column) }

var points columnPool[uint16]

// pickByRelevance offers the rows of a set, which hold all words, to the best ones: more of the words as they were
// typed, and earlier in the text, come first; then what sells. A row's points take two bytes, so that those of a
// million stay near the processor while words of a common beginning are gone through.
func (p *part[T]) pickByRelevance(asked []wordMatch, set bitset, top *topRows) {
	total := p.points(asked[0])
	for _, l := range asked[1:min(len(asked), maxPoints)] {
		one := p.points(l)
		for i, more := range *one {
			(*total)[i] += more
		}
		points.put(one)
	}
	p.pickByPoints(set, *total, top)
	points.put(total)
}

// points are each row's for one word; those of rows outside of the answer mean nothing.
func (p *part[T]) points(l wordMatch) *[]uint16 {
	all := points.get(len(p.ids))
	best := *all
	for _, s := range l.spans {
		for w := s.from; w < s.to; w++ {
			most := uint16(wordPoints)
			switch {
			case int(w) == l.exact:
				most += exactPoints
			case slices.ContainsFunc(l.like, func(s span) bool { return s.from == w }):
				most += likePoints
			}
			rows := p.postings[p.offsets[w]:p.offsets[w+1]]
			first := p.firstPositions[p.offsets[w]:p.offsets[w+1]]
			first = first[:len(rows)]
			for i, row := range rows {
				best[row] = max(best[row], most-uint16(first[i]))
			}
		}
	}
	for _, f := range l.rows {
		best[f.row] = max(best[f.row], f.points)
	}
	for _, row := range l.codes {
		best[row] = codePoints
	}
	return all
}

// pickByPoints is pick by points, then units a month: these are looked at only where points do not tell.
func (p *part[T]) pickByPoints(set bitset, total []uint16, top *topRows) {
	units := p.numbers[Month]
	key := func(i int) int64 { return ^(int64(total[i])<<32 + int64(units[i])) }
	var least uint16 // points of the last that is kept
	last := func() {
		if len(top.entries) == top.keep {
			least = uint16(^top.entries[0].key >> 32)
		}
	}
	last()
	for w, word := range set {
		for ; word != 0; word &= word - 1 {
			i := w<<6 + trailing(word)
			if total[i] < least {
				continue
			}
			e := entry{key(i), p.ids[i], top.part, i}
			if len(top.entries) < top.keep {
				top.push(e)
			} else if e.before(top.entries[0]) {
				top.replace(e)
			} else {
				continue
			}
			last()
		}
	}
}
