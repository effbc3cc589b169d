package index

import (
	"cmp"
	"container/heap"
	"math/bits"
	"slices"
	"strings"
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
type Answer struct {
	Total int
	// Places are rows of the snapshot, sorted, from Offset, at most Limit.
	Places []int
	// Instead maps words that nothing holds to the nearest that were looked up.
	Instead map[string]string
	Counts  Counts
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
func (s *Snapshot) Ask(q Question, offered Bounds) Answer {
	a := Answer{Instead: map[string]string{}}
	money := s.stores[q.Store]
	sets := s.clauses(q, money, &a)

	all := s.without(sets, -1)
	var found []int
	each(all, func(i int) { found = append(found, i) })
	a.Total = len(found)
	a.Places = s.first(found, q, money)

	a.Counts.Sources = count(s.sources, s.without(sets, source))
	a.Counts.ShipsFrom = count(s.shipsFrom, s.without(sets, from))
	a.Counts.Category = count(s.categories, s.without(sets, category))
	a.Counts.Stock = under(s.without(sets, stock), offered.Stock, func(i int, bound int32) bool { return s.rows[i].Stock >= bound })
	if money != nil {
		a.Counts.Days = under(s.without(sets, days), offered.Days, func(i int, bound int32) bool { return money[i].Sellable && money[i].Days <= bound })
		a.Counts.Landing = under(s.without(sets, landing), offered.Landing, func(i int, bound int64) bool { return money[i].Sellable && money[i].Landed < bound })
	}
	return a
}

// clauses turns each clause that asks for something into the set of rows that meet it.
func (s *Snapshot) clauses(q Question, money []Money, a *Answer) [clauses]bitset {
	var sets [clauses]bitset
	for _, w := range Terms(q.Words) {
		set := s.none()
		if instead := s.find(w, set); instead != "" {
			a.Instead[w] = instead
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
		sets[clause] = s.none()
		for i := range s.rows {
			if holds(i) {
				sets[clause].add(uint32(i))
			}
		}
	}
	where(source, len(q.Sources) > 0, func(i int) bool { return slices.Contains(q.Sources, s.rows[i].Source) })
	where(from, len(q.ShipsFrom) > 0, func(i int) bool { return slices.Contains(q.ShipsFrom, s.rows[i].ShipsFrom) })
	where(category, q.Category != "", func(i int) bool { return s.rows[i].Category == q.Category })
	where(days, q.Days > 0 && money != nil, func(i int) bool { return money[i].Sellable && money[i].Days <= q.Days })
	where(landing, q.LandingUnder > 0 && money != nil, func(i int) bool { return money[i].Sellable && money[i].Landed < q.LandingUnder })
	where(stock, q.StockAtLeast > 0, func(i int) bool { return s.rows[i].Stock >= q.StockAtLeast })
	return sets
}

// without is the rows that meet every clause but one.
func (s *Snapshot) without(sets [clauses]bitset, left int) bitset {
	all := s.none()
	for i := range all {
		all[i] = ^uint64(0)
	}
	if rest := len(s.rows) % 64; rest != 0 {
		all[len(all)-1] = 1<<rest - 1
	}
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

func count[T cmp.Ordered](f facet[T], set bitset) map[T]int {
	counts := make([]int, len(f.values))
	each(set, func(i int) { counts[f.code[i]]++ })
	named := map[T]int{}
	for code, n := range counts {
		named[f.values[code]] = n
	}
	return named
}

func under[T any](set bitset, bounds []T, holds func(i int, bound T) bool) []int {
	counts := make([]int, len(bounds))
	each(set, func(i int) {
		for b, bound := range bounds {
			if holds(i, bound) {
				counts[b]++
			}
		}
	})
	return counts
}

// key is what a row is sorted by: the smaller comes first, then the lower place.
func (s *Snapshot) key(q Question, money []Money) func(i int) int64 {
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
		return func(i int) int64 { return -int64(s.rows[i].Units) }
	case ByRating:
		return func(i int) int64 { return -int64(s.rows[i].Rating) }
	}
	asked := Terms(q.Words)
	return func(i int) int64 {
		// More of the words as they stand, earlier, come first; then what sells.
		score := int64(0)
		text := Terms(s.rows[i].Text)
		for _, w := range asked {
			if at := slices.IndexFunc(text, func(t string) bool { return strings.HasPrefix(t, w) }); at >= 0 {
				score += 1000 - int64(min(at, 900))
			}
		}
		return -(score<<20 + int64(s.rows[i].Units))
	}
}

// first picks the rows from Offset to Offset+Limit without sorting the rest.
func (s *Snapshot) first(found []int, q Question, money []Money) []int {
	key := s.key(q, money)
	keep := min(q.Offset+q.Limit, len(found))
	if keep <= q.Offset {
		return []int{}
	}
	top := &heapOf{}
	for _, i := range found {
		e := entry{key(i), i}
		if top.Len() < keep {
			heap.Push(top, e)
		} else if e.before((*top)[0]) {
			(*top)[0] = e
			heap.Fix(top, 0)
		}
	}
	sorted := []entry(*top)
	slices.SortFunc(sorted, func(a, b entry) int {
		return cmp.Or(cmp.Compare(a.key, b.key), cmp.Compare(a.place, b.place))
	})
	places := make([]int, 0, q.Limit)
	for _, e := range sorted[q.Offset:] {
		places = append(places, e.place)
	}
	return places
}

type entry struct {
	key   int64
	place int
}

func (a entry) before(b entry) bool {
	return a.key < b.key || (a.key == b.key && a.place < b.place)
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
