// Package index answers what is asked of the catalog from memory: it knows nothing of
// HTTP or the database. A snapshot never changes, so a question sees one state; a newer
// snapshot takes its place whole.
//
// A snapshot is made of segments, each built once. What changes goes into a new segment, and
// its rows in older ones are marked dead; segments of about a size are merged, so that there
// are few. Facts lie in columns by row, so that a clause is one pass over one column into a
// set of bits, and the count of every choice, given the other clauses, is exact.
package index

import (
	"cmp"
	"runtime"
	"slices"
	"sync"
)

// Row is what the index must know of an offer.
type Row struct {
	ID        int64
	Text      string // title, supplier, category, brand
	Source    int64
	ShipsFrom string
	Category  string
	Stock     int32
	Rating    int32 // tenths
	Units     int32 // sold in the last four weeks
}

// Entry is a row with what its prices rest on.
type Entry[T any] struct {
	Row
	Thing T
}

// Money is what an offer comes to in one store; all in its currency's minor units.
// Sellable is false where it has no price there.
type Money struct {
	Landed, Price, Profit int64
	Margin                int64 // millionths
	Days                  int32 // door to door, the upper end
	Sellable              bool
}

// Prices work out an offer's columns in each store.
type Prices[T any] map[int64]func(*T) Money

// Snapshot is one state of the catalog.
type Snapshot[T any] struct {
	parts  []part[T]
	prices Prices[T]
}

// part is a segment as a snapshot sees it: with the rows that are alive, and the stores' columns.
type part[T any] struct {
	*segment[T]
	alive bitset
	live  int
	tally tally
	money map[int64][]Money
}

// tally counts the rows alive with each value of the facets.
type tally struct{ sources, shipsFrom, categories []int32 }

func (s *segment[T]) tally() tally {
	return tally{s.sources.count(), s.shipsFrom.count(), s.categories.count()}
}

func (f facet[V]) count() []int32 {
	n := make([]int32, len(f.values))
	for _, code := range f.code {
		n[code]++
	}
	return n
}

// Build makes a snapshot of rows. Their order does not matter.
func Build[T any](rows []Entry[T], prices Prices[T]) *Snapshot[T] {
	return (&Snapshot[T]{prices: prices}).Apply(rows, nil)
}

// Len is how many offers there are.
func (s *Snapshot[T]) Len() (n int) {
	for _, p := range s.parts {
		n += p.live
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
	next := &Snapshot[T]{prices: s.prices, parts: slices.Clone(s.parts)}
	for i := range next.parts {
		next.parts[i].bury(ids)
	}
	if len(kept) > 0 {
		next.parts = append(next.parts, next.whole(build(kept)))
	}
	next.compact()
	return next
}

// bury marks the rows with some ids, in order, as dead.
func (p *part[T]) bury(ids []int64) {
	if len(ids) == 0 || len(p.ids) == 0 || ids[0] > p.ids[len(p.ids)-1] || ids[len(ids)-1] < p.ids[0] {
		return
	}
	copied := false
	from := 0
	for _, id := range ids {
		at, there := slices.BinarySearch(p.ids[from:], id)
		from += at
		if !there || !p.alive.has(uint32(from)) {
			continue
		}
		if !copied {
			p.alive, copied = slices.Clone(p.alive), true
			p.tally = tally{slices.Clone(p.tally.sources), slices.Clone(p.tally.shipsFrom), slices.Clone(p.tally.categories)}
		}
		p.tally.sources[p.sources.code[from]]--
		p.tally.shipsFrom[p.shipsFrom.code[from]]--
		p.tally.categories[p.categories.code[from]]--
		p.alive.drop(uint32(from))
		p.live--
	}
}

// whole is a new segment, all alive and priced.
func (s *Snapshot[T]) whole(seg *segment[T]) part[T] {
	p := part[T]{segment: seg, alive: full(len(seg.ids)), live: len(seg.ids), tally: seg.tally(), money: map[int64][]Money{}}
	for store, price := range s.prices {
		p.money[store] = columns(seg.things, price)
	}
	return p
}

// columns prices all things, on as many processors as there are.
func columns[T any](things []T, price func(*T) Money) []Money {
	out := make([]Money, len(things))
	const chunk = 8192
	var working sync.WaitGroup
	free := make(chan struct{}, runtime.GOMAXPROCS(0))
	for from := 0; from < len(things); from += chunk {
		free <- struct{}{}
		working.Go(func() {
			for i := from; i < min(from+chunk, len(things)); i++ {
				out[i] = price(&things[i])
			}
			<-free
		})
	}
	working.Wait()
	return out
}

// WithPrices is the same snapshot with all stores' columns worked out anew.
func (s *Snapshot[T]) WithPrices(prices Prices[T]) *Snapshot[T] {
	next := &Snapshot[T]{prices: prices, parts: slices.Clone(s.parts)}
	for i := range next.parts {
		p := &next.parts[i]
		p.money = map[int64][]Money{}
		for store, price := range prices {
			p.money[store] = columns(p.things, price)
		}
	}
	return next
}

// OfSource lists the ids of a source's offers.
func (s *Snapshot[T]) OfSource(source int64) (ids []int64) {
	for _, p := range s.parts {
		code := slices.Index(p.sources.values, source)
		if code < 0 {
			continue
		}
		each(p.alive, func(i int) {
			if int(p.sources.code[i]) == code {
				ids = append(ids, p.ids[i])
			}
		})
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
	s.parts = slices.DeleteFunc(s.parts, func(p part[T]) bool { return p.live == 0 })
	for {
		var of [64][]int
		var worn []int
		for i, p := range s.parts {
			of[tier(p.live)] = append(of[tier(p.live)], i)
			if p.live*2 < len(p.ids) {
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
		s.parts = append(s.parts, merge(those, s.prices))
	}
}

// bitset is a set of rows.
type bitset []uint64

func none(rows int) bitset { return make(bitset, (rows+63)/64) }

func full(rows int) bitset {
	b := none(rows)
	for i := range b {
		b[i] = ^uint64(0)
	}
	if rest := rows % 64; rest != 0 {
		b[len(b)-1] = 1<<rest - 1
	}
	return b
}

func (b bitset) add(i uint32)      { b[i>>6] |= 1 << (i & 63) }
func (b bitset) drop(i uint32)     { b[i>>6] &^= 1 << (i & 63) }
func (b bitset) has(i uint32) bool { return b[i>>6]&(1<<(i&63)) != 0 }

func (b bitset) and(c bitset) {
	for i := range b {
		b[i] &= c[i]
	}
}
