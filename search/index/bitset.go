package index

import "math/bits"

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
	c = c[:len(b)]
	for i := range b {
		b[i] &= c[i]
	}
}

func (b bitset) or(c bitset) {
	c = c[:len(b)]
	for i := range b {
		b[i] |= c[i]
	}
}

func (b bitset) without(c bitset) {
	c = c[:len(b)]
	for i := range b {
		b[i] &^= c[i]
	}
}

func (b bitset) len() (n int) {
	for _, word := range b {
		n += bits.OnesCount64(word)
	}
	return n
}

// counted is a set that knows how many it holds.
type counted struct {
	bitset
	n int
}

func newCounted(set bitset) counted { return counted{set, set.len()} }

// filter is a set whose rows are counted in others, many times over.
type filter struct {
	set bitset
	n   int // its rows
	// words are the places of its words that are not empty, where these are few; lacks of those that are not
	// full, where those are.
	words, complement []uint32
}

func newFilter(set bitset) filter {
	g := filter{set: set}
	filled, full := 0, 0
	for _, word := range set {
		if word == ^uint64(0) {
			full++
		}
		if word != 0 {
			filled++
			g.n += bits.OnesCount64(word)
		}
	}
	places := func(few int, are func(word uint64) bool) []uint32 {
		out := make([]uint32, 0, few)
		for at, word := range set {
			if are(word) {
				out = append(out, uint32(at))
			}
		}
		return out
	}
	switch {
	case filled < len(set)/3:
		g.words = places(filled, func(word uint64) bool { return word != 0 })
	case len(set)-full < len(set)/3:
		g.complement = places(len(set)-full, func(word uint64) bool { return word != ^uint64(0) })
	}
	return g
}

// intersectionCount counts the rows that are in another set, too.
func (g *filter) intersectionCount(with counted) int {
	b, c := g.set, with.bitset
	c = c[:len(b)]
	switch {
	case g.words != nil || g.n == 0:
		n := 0
		for _, at := range g.words {
			n += bits.OnesCount64(b[at] & c[at])
		}
		return n
	case g.complement != nil:
		n := with.n
		for _, at := range g.complement {
			n -= bits.OnesCount64(c[at] &^ b[at])
		}
		return n
	}
	n0, n1, n2, n3 := 0, 0, 0, 0 // four at a time: each needs not wait for the one before
	for len(b) >= 4 && len(c) >= 4 {
		n0 += bits.OnesCount64(b[0] & c[0])
		n1 += bits.OnesCount64(b[1] & c[1])
		n2 += bits.OnesCount64(b[2] & c[2])
		n3 += bits.OnesCount64(b[3] & c[3])
		b, c = b[4:], c[4:]
	}
	for i, word := range b {
		n0 += bits.OnesCount64(word & c[i])
	}
	return n0 + n1 + n2 + n3
}

func each(set bitset, do func(i int)) {
	for w, word := range set {
		for word != 0 {
			do(w<<6 + bits.TrailingZeros64(word))
			word &= word - 1
		}
	}
}

func trailing(word uint64) int { return bits.TrailingZeros64(word) }
