package index

import (
	"cmp"
	"math/bits"
	"slices"
)

// bitSliced is a column in few steps, each bit of a row's step in a set of its own, so that a bound that was
// never offered is compared with 64 rows at a time (a bit-sliced index: O'Neil and Quass, 1997); only rows of the
// step that it falls into are looked at themselves.
type bitSliced[V int32 | int64] struct {
	// least and most are of each step's values, in order.
	least, most []V
	planes      [stepBits]bitset
}

const (
	stepBits  = 7
	mostSteps = 1 << stepBits
)

// sampleSize is how many rows tell where steps lie.
const sampleSize = 8192

func bitSlicedOf[V int32 | int64](column []V) bitSliced[V] {
	var c bitSliced[V]
	for k := range c.planes {
		c.planes[k] = none(len(column))
	}
	if len(column) == 0 {
		return c
	}
	of := make([]uint8, len(column))
	some := make([]V, 0, sampleSize+1)
	for at := 0; at < len(column); at += len(column)/sampleSize + 1 {
		some = append(some, column[at])
	}
	slices.Sort(some)
	var edges []V // the least value of each step but the first
	for step := 1; step < mostSteps; step++ {
		if v := some[step*len(some)/mostSteps]; v > some[0] && (len(edges) == 0 || v > edges[len(edges)-1]) {
			edges = append(edges, v)
		}
	}
	n := len(edges) + 1
	least, most, held := make([]V, n), make([]V, n), make([]int, n)
	for row, v := range column {
		step, at := slices.BinarySearch(edges, v)
		if at {
			step++
		}
		of[row] = uint8(step)
		if held[step]++; held[step] == 1 {
			least[step], most[step] = v, v
		} else {
			least[step], most[step] = min(least[step], v), max(most[step], v)
		}
	}
	var become [mostSteps]uint8 // without the steps that no row is of
	for step := range n {
		if become[step] = uint8(len(c.least)); held[step] > 0 {
			c.least, c.most = append(c.least, least[step]), append(c.most, most[step])
		}
	}
	for row, step := range of {
		for k := range c.planes {
			c.planes[k][row>>6] |= uint64(become[step]>>k&1) << (row & 63)
		}
	}
	return c
}

// within is the set of rows whose value keeps a bound.
func (c *bitSliced[V]) within(column []V, bound V, atMost bool) bitset {
	set := none(len(column))
	// The step that a bound falls into is the last that begins at or under it.
	step, exact := slices.BinarySearchFunc(c.least, bound, func(least, bound V) int {
		return cmp.Compare(least, bound)
	})
	if !exact {
		step--
	}
	if step < 0 { // it is under all
		if !atMost {
			return full(len(column))
		}
		return set
	}
	// Of that step itself all keep it, or none, or they must be looked at.
	all := (atMost && c.most[step] <= bound) || (!atMost && c.least[step] >= bound)
	look := !all && (atMost || c.most[step] >= bound)
	for w := range set {
		under, at := uint64(0), ^uint64(0)
		for k := stepBits - 1; k >= 0; k-- {
			plane := c.planes[k][w]
			if step>>k&1 == 1 {
				under |= at &^ plane
				at &= plane
			} else {
				at &^= plane
			}
		}
		there := ^uint64(0)
		if rest := len(column) - w<<6; rest < 64 {
			there = 1<<rest - 1
		}
		keeps := under & there
		if !atMost {
			keeps = ^(under | at) & there
		}
		at &= there
		switch {
		case all:
			keeps |= at
		case look:
			for ; at != 0; at &= at - 1 {
				if v := column[w<<6+bits.TrailingZeros64(at)]; v == bound || (v < bound) == atMost {
					keeps |= at & -at
				}
			}
		}
		set[w] = keeps
	}
	return set
}
