package index

import (
	"cmp"
	"slices"

	"plainpelican/core/terms"
)

// Sort is what comes first.
type Sort string

// The orders of an answer. What has no price, or no growth, comes last.
const (
	ByRelevance Sort = "relevance"
	ByLanded    Sort = "landed"
	ByItem      Sort = "item"
	ByShipping  Sort = "shipping"
	ByDays      Sort = "days"
	ByUnits     Sort = "units"
	ByGrowth    Sort = "growth"
	ByRating    Sort = "rating"
	ByRivals    Sort = "rivals"
	ByProfit    Sort = "profit"
	ByMargin    Sort = "margin"
	ByWorth     Sort = "worth"
)

var (
	byNumber = map[Sort]Number{ByUnits: Month, ByGrowth: Growth, ByRating: Rating, ByRivals: Rivals}
	byFigure = map[Sort]StoreColumn{ByLanded: Landed, ByItem: Item, ByShipping: Shipping, ByDays: Days,
		ByProfit: Profit, ByMargin: Margin, ByWorth: Worth}
)

// NeedsStore tells whether a sort is by figures, which offers have in a store only.
func (s Sort) NeedsStore() bool {
	_, is := byFigure[s]
	return is
}

// Bound is one that was asked for.
type Bound[K Number | StoreColumn] struct {
	Of K
	// Value is the least, or the most, as its kind has it; amounts in minor units.
	Value int64
}

// Query is a sentence about the catalog. Clauses that are not there ask for nothing.
type Query struct {
	Words        terms.Query
	Facets       map[Facet][]string // any of these
	NumberBounds []Bound[Number]
	// StoreBounds are in Store, 0 is none: then they ask for nothing.
	StoreBounds []Bound[StoreColumn]
	Store       int64
	// SoldOutToo takes an offer's figures from its cheapest variant, in stock or not.
	SoldOutToo bool
	// Standard hides what misses any of its bounds.
	Standard Standard
	Sort     Sort
	Offset   int
	Limit    int
	// Counts says whether the choices of all clauses are counted; SeenSince are days offered for Seen.
	Counts    bool
	SeenSince []int32
}

// Standard is what a seller never goes below.
type Standard struct {
	Numbers []Bound[Number]
	Figures []Bound[StoreColumn]
}

// Result is what matches.
type Result[T any] struct {
	Total int
	// Hidden is how many more the standard leaves out.
	Hidden int
	// Hits are sorted, from Offset, at most Limit.
	Hits []Hit[T]
	// Corrections are what was looked for beside or in place of words.
	Corrections []Correction
	// Emptied are words without which there would be hits, where there are none.
	Emptied []Emptied
	Counts  Counts
}

// Hit is an offer of an answer.
type Hit[T any] struct {
	ID        int64
	ShipsFrom string
	Numbers   [numberCount]int32
	Item      *T
}

// Counts say how many offers each choice of a clause would leave, given the others.
type Counts struct {
	Facets [facetCount]map[string]int
	// Numbers and Figures are by the bounds offered.
	Numbers [numberCount][]int
	Figures [storeColumnCount][]int
}

// A clause's set of rows: words first, then facets, numbers, figures, the standard.
const (
	words         = 0
	firstFacet    = 1
	firstNumber   = firstFacet + int(facetCount)
	firstFigure   = firstNumber + int(numberCount)
	standardPlace = firstFigure + int(storeColumnCount)
	clauseCount   = standardPlace + 1
)

// Search answers a question.
func (s *Snapshot[T]) Search(q Query) Result[T] {
	a := Result[T]{Hits: []Hit[T]{}}
	asked, corrections := s.resolve(&q.Words)
	a.Corrections = corrections
	top := &topRows{keep: q.Offset + q.Limit}
	for f := range a.Counts.Facets {
		a.Counts.Facets[f] = map[string]int{}
	}
	for i := range s.parts {
		p := &s.parts[i]
		here, without := asked.inPart(i)
		sets := p.clauses(&q, here, without)
		all := newFilter(p.liveWithoutClause(&sets, -1))
		a.Total += all.n
		if sets[standardPlace] != nil {
			a.Hidden += p.liveWithoutClause(&sets, standardPlace).len() - all.n
		}
		if top.part = i; top.keep > 0 && all.n > 0 {
			p.rank(&q, here, all.set, top)
		}
		if q.Counts {
			p.count(&q, &sets, all, &a.Counts)
		}
	}
	a.Hits = s.hits(top.sorted()[min(q.Offset, len(top.entries)):])
	if a.Total == 0 {
		a.Emptied = s.emptyingWords(&q, &asked)
	}
	return a
}

// hits are rows as they are told.
func (s *Snapshot[T]) hits(rows []entry) []Hit[T] {
	hits := make([]Hit[T], 0, len(rows))
	for _, e := range rows {
		p := &s.parts[e.part]
		h := Hit[T]{ID: e.id, ShipsFrom: p.facets[ShipsFrom].values[p.facets[ShipsFrom].code[e.row]],
			Item: &p.items[e.row]}
		for k := range h.Numbers {
			h.Numbers[k] = p.numbers[k][e.row]
		}
		hits = append(hits, h)
	}
	return hits
}

// clauses turns each clause that asks for something into the set of rows that meet it.
func (p *part[T]) clauses(q *Query, needs, without []wordMatch) (sets [clauseCount]bitset) {
	narrow := func(clause int, set bitset) {
		if sets[clause] == nil {
			sets[clause] = slices.Clone(set)
		} else {
			sets[clause].and(set)
		}
	}
	for i := range needs {
		narrow(words, p.rowsMatching(&needs[i]))
	}
	for i := range without {
		others := full(len(p.ids))
		others.without(p.rowsMatching(&without[i]))
		narrow(words, others)
	}
	for f, choices := range q.Facets {
		if len(choices) > 0 {
			narrow(firstFacet+int(f), p.facets[f].rows(choices))
		}
	}
	for _, b := range q.NumberBounds {
		narrow(firstNumber+int(b.Of), p.withinNumber(b))
	}
	for _, b := range q.Standard.Numbers {
		narrow(standardPlace, p.withinNumber(b))
	}
	if money := p.columns(q); money != nil {
		for _, b := range q.StoreBounds {
			narrow(firstFigure+int(b.Of), money.withinStore(b))
		}
		for _, b := range q.Standard.Figures {
			narrow(standardPlace, money.withinStore(b))
		}
	}
	return sets
}

// withinNumber is the rows within a bound.
func (p *part[T]) withinNumber(b Bound[Number]) bitset {
	value := int32(max(min(b.Value, 1<<31-1), -1<<31))
	if b.Of == Seen {
		return p.seenSince(value).bitset
	}
	if at := slices.Index(p.bounded[b.Of].offered, value); at >= 0 {
		return p.bounded[b.Of].sets[at].bitset
	}
	return p.sliced[b.Of].within(p.numbers[b.Of], value, b.Of.atMost())
}

func (c *columns) withinStore(b Bound[StoreColumn]) bitset {
	if at := slices.Index(c.bounded[b.Of].offered, b.Value); at >= 0 {
		return c.bounded[b.Of].sets[at].bitset
	}
	return c.sliced[b.Of].within(c.values[b.Of], b.Value, b.Of.atMost())
}

// liveWithoutClause is the rows alive that meet every clause but one.
func (p *part[T]) liveWithoutClause(sets *[clauseCount]bitset, left int) bitset {
	all := slices.Clone(p.live)
	for clause, set := range sets {
		if set != nil && clause != left {
			all.and(set)
		}
	}
	return all
}

// count adds how many rows each choice of each clause would leave.
func (p *part[T]) count(q *Query, sets *[clauseCount]bitset, all filter, into *Counts) {
	others := func(clause int) filter {
		if sets[clause] == nil {
			return all
		}
		return newFilter(p.liveWithoutClause(sets, clause))
	}
	for f := range p.facets {
		p.facets[f].count(others(firstFacet+f), into.Facets[f])
	}
	for k, b := range p.bounded {
		if set := others(firstNumber + k); Number(k) != Seen {
			tally(set, b.sets, &into.Numbers[k])
		} else {
			var since []counted
			for _, day := range q.SeenSince {
				since = append(since, p.seenSince(day))
			}
			tally(set, since, &into.Numbers[k])
		}
	}
	if money := p.columns(q); money != nil {
		for f, b := range money.bounded {
			tally(others(firstFigure+f), b.sets, &into.Figures[f])
		}
	}
}

func tally(set filter, within []counted, into *[]int) {
	if *into == nil {
		*into = make([]int, len(within))
	}
	for i, w := range within {
		(*into)[i] += set.intersectionCount(w)
	}
}

// rank offers the rows of a set to the best ones, by the question's order.
func (p *part[T]) rank(q *Query, asked []wordMatch, set bitset, top *topRows) {
	if f, is := byFigure[q.Sort]; is {
		money := p.columns(q)
		if money == nil {
			pickByColumn[int64](set, p.ids, nil, false, top)
			return
		}
		pickByColumn(set, p.ids, money.values[f], f.atMost(), top)
		return
	}
	if k, is := byNumber[q.Sort]; is {
		pickByColumn(set, p.ids, p.numbers[k], k.atMost(), top)
		return
	}
	if len(asked) == 0 {
		pickByColumn(set, p.ids, p.numbers[Month], false, top)
		return
	}
	p.pickByRelevance(asked, set, top)
}

// entry is a row as it is ordered: the smaller key comes first, then the lower id.
type entry struct {
	key, id   int64
	part, row int
}

func (a entry) before(b entry) bool {
	return a.key < b.key || (a.key == b.key && a.id < b.id)
}

// topRows keeps the first rows of an order, as a heap with the last of them in front.
type topRows struct {
	keep    int
	part    int
	entries []entry
}

// pickByColumn offers each row of a set by a column: the least first, or the greatest. The column is of one
// type in all segments. Most rows are worse than all that are kept, which one comparison tells.
func pickByColumn[V int32 | int64](set bitset, ids []int64, column []V, least bool, top *topRows) {
	var turn, worst V
	if !least {
		turn = -1 // turns the order around without overflowing
	}
	full := false
	worsen := func() {
		if full = len(top.entries) == top.keep; full {
			worst = V(top.entries[0].key)
		}
	}
	worsen()
	for w, word := range set {
		for ; word != 0; word &= word - 1 {
			i := w<<6 + trailing(word)
			var v V
			if column != nil {
				v = column[i] ^ turn
			}
			if full && v > worst {
				continue
			}
			if e := (entry{int64(v), ids[i], top.part, i}); !full {
				top.push(e)
				worsen()
			} else if e.before(top.entries[0]) {
				top.replace(e)
				worsen()
			}
		}
	}
}

func (b *topRows) push(e entry) {
	b.entries = append(b.entries, e)
	for i := len(b.entries) - 1; i > 0; {
		up := (i - 1) / 2
		if !b.entries[up].before(b.entries[i]) {
			return
		}
		b.entries[up], b.entries[i] = b.entries[i], b.entries[up]
		i = up
	}
}

func (b *topRows) replace(e entry) {
	h := b.entries
	h[0] = e
	for i := 0; ; {
		down := 2*i + 1
		if down >= len(h) {
			return
		}
		if down+1 < len(h) && h[down].before(h[down+1]) {
			down++
		}
		if !h[i].before(h[down]) {
			return
		}
		h[i], h[down] = h[down], h[i]
		i = down
	}
}

func (b *topRows) sorted() []entry {
	slices.SortFunc(b.entries, func(a, b entry) int {
		return cmp.Or(cmp.Compare(a.key, b.key), cmp.Compare(a.id, b.id))
	})
	return b.entries
}
