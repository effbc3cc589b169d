// Package index answers what is asked of the catalog from memory: it knows nothing of
// HTTP or the database. A snapshot never changes, so a question sees one state; a newer
// snapshot takes its place whole.
//
// A snapshot is made of segments, each built once. What changes goes into a new segment, and
// its rows in older ones are marked dead; segments of about a size are merged, so that there
// are few. Facts lie in columns by row. Each offered bound of a number, and each value of a
// facet with few, has its rows as a set of bits: to count them, given the other clauses, is to
// count the bits that two sets share, so that the counts of all choices are exact and cheap.
package index

import (
	"cmp"
	"runtime"
	"slices"
	"sync"

	"plainpelican/core/likeness"
)

// Facet is a fact with names for values.
type Facet uint8

// The facets.
const (
	Category  Facet = iota // a path such as "Kitchen > Mugs": it is under each of its beginnings
	Source                 // its id
	Supplier               // its name
	Brand                  // "" is none
	ShipsFrom              // a country
	ShipsTo                // countries with commas between, or Everywhere; "" is not said
	Demand                 // a class
	Mine                   // whether it is in the Workbench or among the listings
	facetCount
)

// NotMine is the value of Mine of what is neither in the Workbench nor listed.
const NotMine = "no"

// Everywhere is the country of who ships to all.
const Everywhere = "*"

// Number is a fact of an offer that has bounds.
type Number uint8

// The numbers.
const (
	Stock      Number = iota
	Rating            // tenths
	OnTime            // percent
	Week              // units in 7 days
	Month             // units in 30 days
	Rivals            // stores; at most
	Returns           // days
	Processing        // days; at most
	Seen              // the day on which it was first seen, in days since 1970
	Verified          // 1 where the supplier is
	Packs             // 1 where the supplier packs with the seller's brand
	Growth            // tenths of a percent a month; NoGrowth where nothing is known
	numberCount
)

// GrowthUnknown is the growth of what is not known; NotCounted the rivals of what nobody has counted; Unknown any
// other number that is not known. None of them keeps a bound that is asked for.
const (
	GrowthUnknown = -1 << 31
	NotCounted    = 1<<31 - 1
	Unknown       = -1
)

// StoreColumn is what an offer comes to in one store, in minor units of its currency or as said.
type StoreColumn uint8

// The figures.
const (
	Item     StoreColumn = iota // the item's price; at most
	Landed                      // at most
	Shipping                    // at most
	Days                        // door to door, the upper end; at most
	Tracked                     // 1 where the delivery that prices assume is
	Profit
	Margin // millionths
	Worth  // profit times units a month per rival
	storeColumnCount
)

// atMost tells whether a bound of a number or figure is an upper one.
func (n Number) atMost() bool      { return n == Rivals || n == Processing }
func (f StoreColumn) atMost() bool { return f <= Days }

// Row is what the index must know of an offer.
type Row struct {
	ID   int64
	Text string // title, supplier, category, brand, number
	// Values are those of its variants' options, each once; Codes its product numbers, SKUs and barcodes as
	// terms.Code has them.
	Values, Codes []string
	Facets        [facetCount]string
	Numbers       [numberCount]int32
	// Picture is its first picture's; not known where that was not looked at.
	Picture likeness.CoarseDescriptor
	// Grams is the least that one of its variants weighs; 0 is not known.
	Grams int32
}

// Entry is a row with what its prices rest on.
type Entry[T any] struct {
	Row
	Item T
}

// StoreValues are what an offer comes to in a store; those of one that has no price there are not
// looked at.
type StoreValues struct {
	Values   [storeColumnCount]int64
	Sellable bool
}

// Pricing works out offers' figures in a store. Offered are the bounds with counts.
type Pricing[T any] struct {
	// Of are those of the cheapest variant that is in stock; Cheapest of the cheapest, in stock or not: worked out when
	// first asked for. Without it Of holds for both.
	Of, Cheapest func(*T) StoreValues
	Offered      OfferedInStore
}

// OfferedInStore are the bounds of what offers come to in a store that have counts.
type OfferedInStore [storeColumnCount][]int64

// Prices are by store.
type Prices[T any] map[int64]Pricing[T]

// Offered are the bounds of numbers that have counts.
type Offered [numberCount][]int32

// Snapshot is one state of the catalog.
type Snapshot[T any] struct {
	parts   []part[T]
	prices  Prices[T]
	offered Offered
}

// part is a segment as a snapshot sees it: with the rows that are alive, and the stores' columns.
type part[T any] struct {
	*segment[T]
	live         bitset
	liveCount    int
	storeColumns map[int64]*columns
	// cheapest are the columns of the cheapest variants, whether in stock or not.
	cheapest map[int64]func() *columns
}

// columns are those that a question is about; nil where there is no such store.
func (p *part[T]) columns(q *Query) *columns {
	if of := p.cheapest[q.Store]; of != nil && q.SoldOutToo {
		return of()
	}
	return p.storeColumns[q.Store]
}

// cheapestOf works out the columns of the cheapest variants once somebody asks.
func cheapestOf[T any](things []T, price Pricing[T]) func() *columns {
	if price.Cheapest == nil {
		return nil
	}
	return sync.OnceValue(func() *columns { return priced(things, price.Cheapest, price.Offered) })
}

// columns are the figures of a segment's rows in one store. What has no price is beyond any bound.
type columns struct {
	values  [storeColumnCount][]int64
	sliced  [storeColumnCount]bitSliced[int64]
	bounded [storeColumnCount]bounds[int64]
}

// bounds are the rows within each offered bound.
type bounds[V int32 | int64] struct {
	offered []V
	sets    []counted
}

func boundsOf[V int32 | int64](sliced *bitSliced[V], column, offered []V, atMost bool) bounds[V] {
	b := bounds[V]{offered: offered}
	for _, bound := range offered {
		b.sets = append(b.sets, newCounted(sliced.within(column, bound, atMost)))
	}
	return b
}

// Build makes a snapshot of rows. Their order does not matter.
func Build[T any](rows []Entry[T], offered Offered, prices Prices[T]) *Snapshot[T] {
	return (&Snapshot[T]{prices: prices, offered: offered}).Apply(rows, nil)
}

// Len is how many offers there are.
func (s *Snapshot[T]) Len() (n int) {
	for _, p := range s.parts {
		n += p.liveCount
	}
	return n
}

// Apply is the snapshot with rows changed or added, and others gone. Of rows with the same
// id the last stands; ids that are not there may be gone.
func (s *Snapshot[T]) Apply(changed []Entry[T], gone []int64) *Snapshot[T] {
	changed = slices.Clone(changed)
	slices.SortStableFunc(changed, func(a, b Entry[T]) int { return cmp.Compare(a.ID, b.ID) })
	kept := changed[:0]
	for i := range changed {
		if i+1 == len(changed) || changed[i+1].ID != changed[i].ID {
			kept = append(kept, changed[i])
		}
	}
	ids := slices.Clone(gone)
	for i := range kept {
		ids = append(ids, kept[i].ID)
	}
	slices.Sort(ids)
	next := &Snapshot[T]{prices: s.prices, offered: s.offered, parts: slices.Clone(s.parts)}
	for i := range next.parts {
		next.parts[i].delete(ids)
	}
	if len(kept) > 0 {
		seg := build(kept, s.offered)
		p := part[T]{segment: seg, live: full(len(kept)), liveCount: len(kept)}
		p.computeStoreColumns(s.prices)
		next.parts = append(next.parts, p)
	}
	next.compact()
	return next
}

// delete marks the rows with some ids, in order, as dead.
func (p *part[T]) delete(ids []int64) {
	if len(ids) == 0 || len(p.ids) == 0 || ids[0] > p.ids[len(p.ids)-1] || ids[len(ids)-1] < p.ids[0] {
		return
	}
	copied := false
	from := 0
	for _, id := range ids {
		at, there := slices.BinarySearch(p.ids[from:], id)
		from += at
		if !there || !p.live.has(uint32(from)) {
			continue
		}
		if !copied {
			p.live, copied = slices.Clone(p.live), true
		}
		p.live.drop(uint32(from))
		p.liveCount--
	}
}

// NotKnown is a figure that is not known, though the offer has a price: no bound of at least holds it, and it comes
// last.
const NotKnown = -1 << 63

const (
	noUpperValue = 1<<63 - 1 // of an upper bound
	noLowerValue = NotKnown
)

// computeStoreColumns works out the columns of all stores.
func (p *part[T]) computeStoreColumns(prices Prices[T]) {
	p.storeColumns, p.cheapest = map[int64]*columns{}, map[int64]func() *columns{}
	for store, price := range prices {
		p.storeColumns[store] = priced(p.items, price.Of, price.Offered)
		p.cheapest[store] = cheapestOf(p.items, price)
	}
}

// priced works out the figures of all things, on as many processors as there are.
func priced[T any](things []T, of func(*T) StoreValues, offered [storeColumnCount][]int64) *columns {
	c := &columns{}
	for f := range c.values {
		c.values[f] = make([]int64, len(things))
	}
	const chunk = 8192
	var working sync.WaitGroup
	free := make(chan struct{}, runtime.GOMAXPROCS(0))
	for from := 0; from < len(things); from += chunk {
		free <- struct{}{}
		working.Go(func() {
			for i := from; i < min(from+chunk, len(things)); i++ {
				c.put(i, of(&things[i]))
			}
			<-free
		})
	}
	working.Wait()
	c.bound(offered)
	return c
}

func (c *columns) put(i int, figures StoreValues) {
	for f, v := range figures.Values {
		switch {
		case figures.Sellable:
		case StoreColumn(f).atMost():
			v = noUpperValue
		default:
			v = noLowerValue
		}
		c.values[f][i] = v
	}
}

func (c *columns) bound(offered [storeColumnCount][]int64) {
	var working sync.WaitGroup
	defer working.Wait()
	for f := range c.values {
		working.Go(func() { c.boundOne(f, offered[f]) })
	}
}

func (c *columns) boundOne(f int, offered []int64) {
	c.sliced[f] = bitSlicedOf(c.values[f])
	c.bounded[f] = boundsOf(&c.sliced[f], c.values[f], offered, StoreColumn(f).atMost())
}

// WithPrices is the same snapshot with all stores' columns worked out anew.
func (s *Snapshot[T]) WithPrices(prices Prices[T]) *Snapshot[T] {
	next := &Snapshot[T]{prices: prices, offered: s.offered, parts: slices.Clone(s.parts)}
	for i := range next.parts {
		next.parts[i].computeStoreColumns(prices)
	}
	return next
}

// With lists the ids of the offers with a facet's value, in no order.
func (s *Snapshot[T]) With(f Facet, value string) (ids []int64) {
	for i := range s.parts {
		p := &s.parts[i]
		set := p.facets[f].rows([]string{value})
		set.and(p.live)
		each(set, func(row int) { ids = append(ids, p.ids[row]) })
	}
	return ids
}

// Segments are of one tier while they have up to four times as many rows as the tier before;
// four of one tier are merged. So each row is merged a few times at most, however it comes in.
const (
	smallest = 4096
	fanout   = 4
)

func tier(rows int) (t int) {
	for ; rows > smallest; rows /= fanout {
		t++
	}
	return t
}

// compact merges segments until there are few, and lets those go in which few are alive.
func (s *Snapshot[T]) compact() {
	s.parts = slices.DeleteFunc(s.parts, func(p part[T]) bool { return p.liveCount == 0 })
	for {
		var of [64][]int
		var worn []int
		for i, p := range s.parts {
			of[tier(p.liveCount)] = append(of[tier(p.liveCount)], i)
			if p.liveCount*2 < len(p.ids) {
				worn = append(worn, i)
			}
		}
		chosen := worn
		for _, list := range of {
			if len(list) >= fanout {
				chosen = list
				break
			}
		}
		if len(chosen) == 0 {
			return
		}
		var those []part[T]
		for _, i := range chosen {
			those = append(those, s.parts[i])
		}
		for _, i := range slices.Backward(chosen) {
			s.parts = slices.Delete(s.parts, i, i+1)
		}
		s.parts = append(s.parts, s.merge(those))
	}
}
