package index

import (
	"cmp"
	"container/heap"
	"math/bits"
	"slices"
)

// Sort is what comes first.
type Sort string

// The orders of an answer.
const (
	ByRelevance Sort = "relevance"
	ByProfit    Sort = "profit"
	ByLanded    Sort = "landed"
	ByDays      Sort = "days"
	ByUnits     Sort = "units"
	ByRating    Sort = "rating"
)

// Question is a sentence about the catalog. Empty clauses ask for nothing.
type Question struct {
	Words     string
	Sources   []int64
	ShipsFrom []string
	Category  string
	// Days, LandingUnder (minor units) and StockAtLeast are bounds; 0 is none.
	Days         int32
	LandingUnder int64
	StockAtLeast int32
	// Store is whose columns landed cost, days, price and profit come from; 0 is none.
	Store  int64
	Sort   Sort
	Offset int
	Limit  int
}

// Answer is what matches.
type Answer[T any] struct {
	Total int
	// Hits are sorted, from Offset, at most Limit.
	Hits []Hit[T]
	// Instead maps words that nothing holds to the nearest that were looked up.
	Instead map[string]string
	Counts  Counts
}

// Hit is an offer of an answer.
type Hit[T any] struct {
	ID                   int64
	ShipsFrom            string
	Stock, Rating, Units int32
	Thing                *T
}

// Counts say how many offers each choice of a clause would leave, given the others.
type Counts struct {
	Sources   map[int64]int
	ShipsFrom map[string]int
	Category  map[string]int
	// Days, Landing and Stock are by the bounds that were offered.
	Days    []int
	Landing []int
	Stock   []int
}

// Bounds are the choices offered for clauses about numbers.
type Bounds struct {
	Days    []int32
	Landing []int64
	Stock   []int32
}

const (
	words = iota
	source
	from
	category
	days
	landing
	stock
	clauses
)

// Ask answers a question.
func (s *Snapshot[T]) Ask(q Question, offered Bounds) Answer[T] {
	a := Answer[T]{Hits: []Hit[T]{}, Instead: map[string]string{}, Counts: Counts{Sources: map[int64]int{}, ShipsFrom: map[string]int{}, Category: map[string]int{}, Stock: make([]int, len(offered.Stock))}}
	if s.prices[q.Store] != nil {
		a.Counts.Days, a.Counts.Landing = make([]int, len(offered.Days)), make([]int, len(offered.Landing))
	}
	var asked [][]span // by word, then by part
	for _, w := range Terms(q.Words) {
		spans, instead := s.find(w)
		if instead != "" {
			a.Instead[w] = instead
		}
		asked = append(asked, spans)
	}
	top := &heapOf{}
	keep := q.Offset + q.Limit
	for i := range s.parts {
		p := &s.parts[i]
		here := make([]span, len(asked))
		for w := range asked {
			here[w] = asked[w][i]
		}
		money := p.money[q.Store]
		sets := p.clauses(q, money, here)
		all := p.without(sets, -1)
		key := p.key(q, money, here)
		each(all, func(row int) {
			a.Total++
			if keep == 0 {
				return
			}
			e := entry{key(row), p.ids[row], i, row}
			if len(*top) < keep {
				heap.Push(top, e)
			} else if e.before((*top)[0]) {
				(*top)[0] = e
				heap.Fix(top, 0)
			}
		})
		given := func(clause int) bitset {
			if sets[clause] == nil {
				return all
			}
			return p.without(sets, clause)
		}
		count(p.sources, given(source), p.tally.sources, a.Counts.Sources)
		count(p.shipsFrom, given(from), p.tally.shipsFrom, a.Counts.ShipsFrom)
		count(p.categories, given(category), p.tally.categories, a.Counts.Category)
		under(given(stock), offered.Stock, a.Counts.Stock, func(i int, bound int32) bool { return p.stock[i] >= bound })
		if money != nil {
			under(given(days), offered.Days, a.Counts.Days, func(i int, bound int32) bool { return money[i].Sellable && money[i].Days <= bound })
			under(given(landing), offered.Landing, a.Counts.Landing, func(i int, bound int64) bool { return money[i].Sellable && money[i].Landed < bound })
		}
	}
	sorted := []entry(*top)
	slices.SortFunc(sorted, func(a, b entry) int { return cmp.Or(cmp.Compare(a.key, b.key), cmp.Compare(a.id, b.id)) })
	for _, e := range sorted[min(q.Offset, len(sorted)):] {
		p := &s.parts[e.part]
		a.Hits = append(a.Hits, Hit[T]{e.id, p.shipsFrom.values[p.shipsFrom.code[e.row]], p.stock[e.row], p.rating[e.row], p.units[e.row], &p.things[e.row]})
	}
	return a
}

// clauses turns each clause that asks for something into the set of rows that meet it.
func (p *part[T]) clauses(q Question, money []Money, asked []span) [clauses]bitset {
	var sets [clauses]bitset
	n := len(p.ids)
	for _, w := range asked {
		set := none(n)
		for _, row := range p.posts[p.heads[w.from]:p.heads[w.to]] {
			set.add(row)
		}
		if sets[words] == nil {
			sets[words] = set
		} else {
			sets[words].and(set)
		}
	}
	where := func(clause int, asked bool, holds func(i int) bool) {
		if !asked {
			return
		}
		set := none(n)
		for i := range n {
			if holds(i) {
				set.add(uint32(i))
			}
		}
		sets[clause] = set
	}
	sources, countries := p.sources.chosen(q.Sources), p.shipsFrom.chosen(q.ShipsFrom)
	where(source, len(q.Sources) > 0, func(i int) bool { return sources[p.sources.code[i]] })
	where(from, len(q.ShipsFrom) > 0, func(i int) bool { return countries[p.shipsFrom.code[i]] })
	categories := p.categories.chosen([]string{q.Category})
	where(category, q.Category != "", func(i int) bool { return categories[p.categories.code[i]] })
	where(days, q.Days > 0 && money != nil, func(i int) bool { return money[i].Sellable && money[i].Days <= q.Days })
	where(landing, q.LandingUnder > 0 && money != nil, func(i int) bool { return money[i].Sellable && money[i].Landed < q.LandingUnder })
	where(stock, q.StockAtLeast > 0, func(i int) bool { return p.stock[i] >= q.StockAtLeast })
	return sets
}

// chosen tells for each value of a facet whether it is among those.
func (f facet[V]) chosen(those []V) []bool {
	chosen := make([]bool, len(f.values))
	for code, v := range f.values {
		chosen[code] = slices.Contains(those, v)
	}
	return chosen
}

// without is the rows alive that meet every clause but one.
func (p *part[T]) without(sets [clauses]bitset, left int) bitset {
	all := slices.Clone(p.alive)
	for clause, set := range sets {
		if set != nil && clause != left {
			all.and(set)
		}
	}
	return all
}

func each(set bitset, do func(i int)) {
	for w, word := range set {
		for word != 0 {
			do(w<<6 + bits.TrailingZeros64(word))
			word &= word - 1
		}
	}
}

// count adds how many rows of a set have each value that any row alive has.
func count[V cmp.Ordered](f facet[V], set bitset, there []int32, into map[V]int) {
	counts := make([]int, len(f.values))
	for w, word := range set {
		for word != 0 {
			counts[f.code[w<<6+bits.TrailingZeros64(word)]]++
			word &= word - 1
		}
	}
	for code, n := range counts {
		if there[code] > 0 {
			into[f.values[code]] += n
		}
	}
}

func under[B any](set bitset, bounds []B, into []int, holds func(i int, bound B) bool) {
	each(set, func(i int) {
		for b, bound := range bounds {
			if holds(i, bound) {
				into[b]++
			}
		}
	})
}

// key is what a row is sorted by: the smaller comes first, then the lower id.
func (p *part[T]) key(q Question, money []Money, asked []span) func(i int) int64 {
	const last = 1 << 62 // what has no price comes last
	priced := func(of func(*Money) int64) func(int) int64 {
		return func(i int) int64 {
			if money == nil || !money[i].Sellable {
				return last
			}
			return of(&money[i])
		}
	}
	switch q.Sort {
	case ByProfit:
		return priced(func(m *Money) int64 { return -m.Profit })
	case ByLanded:
		return priced(func(m *Money) int64 { return m.Landed })
	case ByDays:
		return priced(func(m *Money) int64 { return int64(m.Days) })
	case ByUnits:
		return func(i int) int64 { return -int64(p.units[i]) }
	case ByRating:
		return func(i int) int64 { return -int64(p.rating[i]) }
	}
	return func(i int) int64 {
		// More of the words as they stand, earlier, come first; then what sells.
		score := int64(0)
		text := p.words[p.starts[i]:p.starts[i+1]]
		for _, w := range asked {
			for at, t := range text {
				if w.from <= t && t < w.to {
					score += 1000 - int64(min(at, 900))
					break
				}
			}
		}
		return -(score<<20 + int64(p.units[i]))
	}
}

type entry struct {
	key, id   int64
	part, row int
}

func (a entry) before(b entry) bool {
	return a.key < b.key || (a.key == b.key && a.id < b.id)
}

// heapOf keeps its worst entry first.
type heapOf []entry

func (h heapOf) Len() int           { return len(h) }
func (h heapOf) Less(i, j int) bool { return h[j].before(h[i]) }
func (h heapOf) Swap(i, j int)      { h[i], h[j] = h[j], h[i] }
func (h *heapOf) Push(x any)        { *h = append(*h, x.(entry)) }
func (h *heapOf) Pop() any {
	old := *h
	x := old[len(old)-1]
	*h = old[:len(old)-1]
	return x
}
