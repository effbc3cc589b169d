package index

import (
	"math/rand/v2"
	"testing"
)

// Any bound against comparing every row: columns of few values, of many, of one, uneven, and at the ends of what fits.
func TestAnyBoundEqualsAPlainScan(t *testing.T) {
	r := rand.New(rand.NewPCG(31, 32))
	kinds := map[string]func() int64{
		"few": func() int64 {
			return int64(r.IntN(5))
		}, "many": func() int64 { return r.Int64N(1 << 40) }, "one": func() int64 { return 7 },
		"uneven":   func() int64 { return []int64{0, 0, 0, 0, r.Int64N(100), r.Int64N(1_000_000)}[r.IntN(6)] },
		"no price": func() int64 { return []int64{noUpperValue, noLowerValue, r.Int64N(4000) - 2000}[r.IntN(3)] },
	}
	for name, value := range kinds {
		for _, n := range []int{0, 1, 63, 64, 65, 20_000} {
			column := make([]int64, n)
			for i := range column {
				column[i] = value()
			}
			coded := bitSlicedOf(column)
			for i := range 120 {
				bound := value() + int64(r.IntN(3)-1)*int64(i%2)
				if bound > noUpperValue-2 || bound < noLowerValue+2 {
					bound = []int64{noUpperValue, noLowerValue}[i%2]
				}
				for _, atMost := range []bool{true, false} {
					set := coded.within(column, bound, atMost)
					for row, v := range column {
						if keeps := (atMost && v <= bound) || (!atMost && v >= bound); keeps != set.has(uint32(row)) {
							t.Fatalf("%s, %d rows, bound %d, at most %v: row %d of %d", name, n, bound, atMost, row, v)
						}
					}
					if rest := n & 63; rest > 0 && set[n>>6]>>rest != 0 {
						t.Fatalf("%s, %d rows: rows that are not there", name, n)
					}
				}
			}
		}
	}
}
