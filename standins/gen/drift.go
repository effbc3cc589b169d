package gen

import (
	"math"
	"math/rand/v2"
)

// weekly makes two years of weekly sales: flat, rising, falling, seasonal, or one spike.
func weekly(r *rand.Rand, season int) (sales []int, shape string) {
	const weeks = 104
	level := 4 + r.IntN(120)
	kind := r.IntN(5)
	if kind == 3 && season == 0 {
		kind = 0
	}
	spike := 10 + r.IntN(80)
	sales = make([]int, weeks)
	for w := range sales {
		x := float64(level)
		switch kind {
		case 1:
			x *= 0.5 + 1.2*float64(w)/weeks
		case 2:
			x *= 1.6 - 1.2*float64(w)/weeks
		case 3:
			// The series ends in late November; the peak week is the middle of the month.
			month := math.Mod(float64(w)*12/52+10.8, 12)
			x *= 1 + 0.9*math.Cos((month-float64(season)+0.5)*math.Pi/6)
		case 4:
			if w == spike {
				x *= 6
			}
		}
		sales[w] = max(0, int(x*(0.8+0.4*r.Float64())))
	}
	return sales, Shapes[kind]
}

// Drift is what a day does to an offer: prices and stock move, a few are withdrawn.
// Day 0 is the catalog as it was made.
func Drift(seed uint64, o Offer, place, day int) Offer {
	for d := 1; d <= day; d++ {
		r := rand.New(rand.NewPCG(seed+uint64(d)*7919, uint64(place)))
		switch {
		case place == Leaving, d > 1 && r.IntN(400) == 0:
			if !o.Withdrawn {
				o.Withdrawn, o.Changed = true, d
			}
		case r.IntN(30) == 0:
			o.Variants = append([]Variant(nil), o.Variants...)
			for i := range o.Variants {
				o.Variants[i].Price = max(1, o.Variants[i].Price*(94+r.IntN(14))/100)
				o.Variants[i].Stock = stock(r)
			}
			o.Changed = d
		}
	}
	return o
}
