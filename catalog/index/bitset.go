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

func (b bitset) len() (n int) {
	for _, word := range b {
		n += bits.OnesCount64(word)
	}
	return n
}

// given is a set whose rows are counted in others, many times over.
type given struct {
	set bitset
	n   int // its rows
	// words are the places of its words that are not empty, where these are few.
	words []uint32
}

func asGiven(set bitset) given {
	g := given{set: set}
	filled := 0
	for _, word := range set {
		if word != 0 {
			filled++
			g.n += bits.OnesCount64(word)
		}
	}
	if filled < len(set)/3 {
		g.words = make([]uint32, 0, filled)
		for at, word := range set {
			if word != 0 {
				g.words = append(g.words, uint32(at))
			}
		}
	}
	return g
}

// shared counts the rows that are in another set, too.
func (g *given) shared(c bitset) int {
	b := g.set
	c = c[:len(b)]
	if g.words != nil || g.n == 0 {
		n := 0
		for _, at := range g.words {
			n += bits.OnesCount64(b[at] & c[at])
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
