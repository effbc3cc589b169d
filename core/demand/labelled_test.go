package demand

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"
)

// poisson draws a count (Knuth's method; a rounded normal for large ones).
func poisson(r *rand.Rand, mean float64) int32 {
	if mean > 60 {
		return int32(max(0, math.Round(mean+math.Sqrt(mean)*r.NormFloat64())))
	}
	n, p := int32(0), r.Float64()
	for limit := math.Exp(-mean); p > limit; n++ {
		p *= r.Float64()
	}
	return n
}

// made are weekly sales of a kind, with what they were made as.
type made struct {
	x    []int32
	at   int // the week in which something happens
	peak int // the week of the year, from the first, in which the season peaks
}

const labelledEnd = "2026-11-22"

// counts draws two years around an expectation.
func counts(r *rand.Rand, weeks int, expected func(week int) float64) []int32 {
	x := make([]int32, weeks)
	for w := range x {
		x[w] = poisson(r, max(0, expected(w)))
	}
	return x
}

func wander(r *rand.Rand, phi float64) []float64 {
	v, out := 0.0, make([]float64, 104)
	for range 60 {
		v = phi*v + r.NormFloat64()
	}
	for i := range out {
		v = phi*v + r.NormFloat64()
		out[i] = v
	}
	return out
}

type kind struct {
	name string
	make func(r *rand.Rand) made
	// right tells whether it is judged as it was made.
	right func(m made, v Verdict) bool
}

func quiet(v Verdict) bool {
	return len(v.Peaks) == 0 && len(v.Spikes) == 0 && v.Step == nil && v.StoppedAt == nil && v.Launched == nil
}

func near(a, b, by int) bool { return a-b <= by && b-a <= by }

// peakMonth is the month of a week of the year, from the first of 104.
func peakMonth(week int) time.Month {
	ended, _ := time.Parse(time.DateOnly, labelledEnd)
	return weekIn(103-week-52, ended)
}

func level(r *rand.Rand) float64 { return 12 + 80*r.Float64() }

var kinds = []kind{
	{"flat", func(r *rand.Rand) made {
		l := level(r)
		return made{x: counts(r, 104, func(int) float64 { return l })}
	}, func(_ made, v Verdict) bool { return v.Class == Steady && quiet(v) && v.Lately == 0 }},
	{"flat, few a week", func(r *rand.Rand) made {
		l := 1 + 3*r.Float64()
		return made{x: counts(r, 104, func(int) float64 { return l })}
	}, func(_ made, v Verdict) bool { return v.Class == Steady && quiet(v) }},
	{"overdispersed", func(r *rand.Rand) made {
		l := level(r)
		return made{x: counts(r, 104, func(int) float64 { return l * math.Exp(0.5*r.NormFloat64()) })}
	}, func(_ made, v Verdict) bool { return v.Class == Steady && quiet(v) }},
	{"lumpy", func(r *rand.Rand) made {
		l, p := 5+15*r.Float64(), 0.15+0.2*r.Float64()
		return made{x: counts(r, 104, func(int) float64 {
			if r.Float64() < p {
				return l
			}
			return 0
		})}
	}, func(_ made, v Verdict) bool { return v.Class == Steady && quiet(v) }},
	{"autocorrelated", func(r *rand.Rand) made {
		l, w := level(r), wander(r, 0.6)
		return made{x: counts(r, 104, func(i int) float64 { return l * math.Exp(0.25*w[i]) })}
	}, func(_ made, v Verdict) bool { return v.Class == Steady && len(v.Peaks) == 0 && len(v.Spikes) == 0 }},
	{"strongly autocorrelated", func(r *rand.Rand) made {
		l, w := level(r), wander(r, 0.9)
		return made{x: counts(r, 104, func(i int) float64 { return l * math.Exp(0.2*w[i]) })}
	}, func(_ made, v Verdict) bool { return len(v.Peaks) == 0 && len(v.Spikes) == 0 }},
	{"random walk", func(r *rand.Rand) made {
		l, w := level(r), wander(r, 1)
		return made{x: counts(r, 104, func(i int) float64 { return l * math.Exp(0.08*(w[i]-w[0])) })}
	}, func(_ made, v Verdict) bool { return len(v.Peaks) == 0 && len(v.Spikes) == 0 }},
	{"rising", func(r *rand.Rand) made {
		l, g := level(r), 0.008+0.012*r.Float64()
		return made{x: counts(r, 104, func(i int) float64 { return l * (1 + g*float64(i)) })}
	}, func(_ made, v Verdict) bool { return v.Class == Rising && quiet(v) }},
	{"falling", func(r *rand.Rand) made {
		l, g := 20+level(r), 0.004+0.004*r.Float64()
		return made{x: counts(r, 104, func(i int) float64 { return l * (1 - g*float64(i)) })}
	}, func(_ made, v Verdict) bool { return v.Class == Falling && quiet(v) }},
	{"seasonal", func(r *rand.Rand) made {
		l, a, p := level(r), 0.5+0.4*r.Float64(), r.IntN(52)
		return made{x: counts(r, 104, func(i int) float64 {
			return l * (1 + a*math.Cos(2*math.Pi*float64(i-p)/52))
		}), peak: p}
	}, func(m made, v Verdict) bool {
		return v.Class == Steady && slices.Contains(v.Peaks, peakMonth(m.peak)) && len(v.Peaks) <= 5 &&
			len(v.Spikes) == 0 && v.Step == nil
	}},
	{"seasonal and rising", func(r *rand.Rand) made {
		l, a, p, g := level(r), 0.5+0.4*r.Float64(), r.IntN(52), 0.008+0.008*r.Float64()
		return made{x: counts(r, 104, func(i int) float64 {
			return l * (1 + g*float64(i)) * (1 + a*math.Cos(2*math.Pi*float64(i-p)/52))
		}), peak: p}
	}, func(m made, v Verdict) bool {
		return v.Class == Rising && slices.Contains(v.Peaks, peakMonth(m.peak)) && len(v.Spikes) == 0
	}},
	{"peak of one to three weeks", func(r *rand.Rand) made {
		l, p, long, a := level(r), 3+r.IntN(44), 1+r.IntN(3), 2.2+2*r.Float64()
		return made{x: counts(r, 104, func(i int) float64 {
			if w := i % 52; w >= p && w < p+long {
				return l * a
			}
			return l
		}), peak: p}
	}, func(m made, v Verdict) bool {
		return v.Class == Steady && slices.Contains(v.Peaks, peakMonth(m.peak)) && len(v.Peaks) <= 2 &&
			len(v.Spikes) == 0
	}},
	{"spike", func(r *rand.Rand) made {
		l, at := level(r), r.IntN(104)
		x := counts(r, 104, func(int) float64 { return l })
		x[at] = int32(l * (3 + 3*r.Float64()))
		return made{x: x, at: at}
	}, func(m made, v Verdict) bool {
		return v.Class == Steady && len(v.Peaks) == 0 && slices.Equal(v.Spikes, []int{m.at}) && v.Step == nil
	}},
	{"step up", func(r *rand.Rand) made {
		l, at, by := level(r), 15+r.IntN(74), 1.7+1.5*r.Float64()
		return made{x: counts(r, 104, func(i int) float64 {
			if i >= at {
				return l * by
			}
			return l
		}), at: at}
	}, func(m made, v Verdict) bool {
		return v.Class == Steady && len(v.Peaks) == 0 && v.Step != nil && near(v.Step.Week, m.at, 2) &&
			v.Step.After > v.Step.Before
	}},
	{"step down", func(r *rand.Rand) made {
		l, at, by := 20+level(r), 15+r.IntN(74), 0.3+0.25*r.Float64()
		return made{x: counts(r, 104, func(i int) float64 {
			if i >= at {
				return l * by
			}
			return l
		}), at: at}
	}, func(m made, v Verdict) bool {
		return v.Class == Steady && len(v.Peaks) == 0 && v.Step != nil && near(v.Step.Week, m.at, 2) &&
			v.Step.After < v.Step.Before
	}},
	{"launched", func(r *rand.Rand) made {
		l, at := level(r), 10+r.IntN(60)
		return made{x: counts(r, 104, func(i int) float64 {
			if i >= at {
				return l
			}
			return 0
		}), at: at}
	}, func(m made, v Verdict) bool {
		return v.Launched != nil && near(*v.Launched, m.at, 1) && v.Class == Steady && len(v.Peaks) == 0 &&
			len(v.Spikes) == 0 && v.Step == nil
	}},
	{"stopped", func(r *rand.Rand) made {
		l, at := level(r), 50+r.IntN(50)
		return made{x: counts(r, 104, func(i int) float64 {
			if i < at {
				return l
			}
			return 0
		}), at: at}
	}, func(m made, v Verdict) bool { return v.Class == Stopped && near(*v.StoppedAt, m.at, 1) }},
	{"a few a year", func(r *rand.Rand) made {
		l := 0.05 + 0.2*r.Float64()
		return made{x: counts(r, 104, func(int) float64 { return l })}
	}, func(_ made, v Verdict) bool { return v.Class == Unknown && quiet(v) }},
	{"half a season", func(r *rand.Rand) made {
		l, long := level(r), 26+r.IntN(24)
		return made{x: counts(r, long, func(i int) float64 { return l * (1 - 0.8*math.Cos(2*math.Pi*float64(i)/104)) })}
	}, func(_ made, v Verdict) bool {
		return v.Class != Rising && v.Class != Falling && len(v.Peaks) == 0 && v.Growth == 0
	}},
	{"rise of the last weeks", func(r *rand.Rand) made {
		l, by := level(r), 2+1.5*r.Float64()
		return made{x: counts(r, 104, func(i int) float64 {
			if i >= 100 {
				return l * by
			}
			return l
		})}
	}, func(_ made, v Verdict) bool { return v.Lately > 0 && v.Class == Steady && len(v.Peaks) == 0 }},
	{"a quarter", func(r *rand.Rand) made {
		l := level(r)
		return made{x: counts(r, 6+r.IntN(19), func(int) float64 { return l })}
	}, func(_ made, v Verdict) bool { return v.Class == Unknown && quiet(v) }},
	{"never sold", func(r *rand.Rand) made {
		return made{x: make([]int32, 1+r.IntN(104))}
	}, func(_ made, v Verdict) bool { return v.Class == Unknown && quiet(v) }},
}

// said is what a verdict comes to in one word.
func saidOf(v Verdict) string {
	switch {
	case v.Class == Unknown || v.Class == Stopped:
		return string(v.Class)
	case len(v.Peaks) > 0:
		return string(v.Class) + ", season"
	case v.Step != nil:
		return "step"
	case len(v.Spikes) > 0:
		return string(v.Class) + ", spike"
	case v.Lately != 0:
		return string(v.Class) + ", lately"
	}
	return string(v.Class)
}

// Series of 22 kinds, 200 of each, against what they were made as: no kind under 95 in a hundred, and a season where
// there is none in one of a hundred at most.
func TestLabelledSeries(t *testing.T) {
	const each = 200
	ended, _ := time.Parse(time.DateOnly, labelledEnd)
	var table []string
	seasons, without := 0, 0
	for k, kind := range kinds {
		r := rand.New(rand.NewPCG(21, uint64(k)))
		right := 0
		said := map[string]int{}
		for range each {
			m := kind.make(r)
			v := Judge(m.x, ended)
			said[saidOf(v)]++
			if kind.right(m, v) {
				right++
			}
			if !strings.HasPrefix(kind.name, "seasonal") && !strings.HasPrefix(kind.name, "peak") {
				without++
				if len(v.Peaks) > 0 {
					seasons++
				}
			}
			if words := v.Words(ended); words == "" || strings.Contains(words, "  ") || !strings.HasSuffix(words, ".") {
				t.Errorf("%s: %q", kind.name, words)
			}
		}
		var row []string
		for _, s := range slices.Sorted(keysOf(said)) {
			row = append(row, fmt.Sprintf("%s %d", s, said[s]))
		}
		table = append(table, fmt.Sprintf("%-26s %3d right: %s", kind.name, right, strings.Join(row, ", ")))
		if right*100 < 95*each {
			t.Errorf("%s: %d of %d are judged as they were made", kind.name, right, each)
		}
	}
	t.Logf("of %d each\n%s\nseasons where there is none: %d of %d", each, strings.Join(table, "\n"), seasons, without)
	if seasons*100 > without {
		t.Errorf("%d of %d series without a season get one", seasons, without)
	}
}

func keysOf(m map[string]int) func(func(string) bool) {
	return func(yield func(string) bool) {
		for k := range m {
			if !yield(k) {
				return
			}
		}
	}
}

// Series without a season that wander get peak months in one of a hundred at most.
func TestSeasonsAreRarelyChance(t *testing.T) {
	ended, _ := time.Parse(time.DateOnly, labelledEnd)
	for _, phi := range []float64{0, 0.3, 0.6, 0.8, 0.9, 0.95, 1} {
		for _, size := range []float64{0.05, 0.1, 0.3} {
			r := rand.New(rand.NewPCG(31, uint64(1000*phi)))
			seasons, spikes := 0, 0
			const each = 400
			for range each {
				w := wander(r, phi)
				v := Judge(counts(r, 104, func(i int) float64 { return 40 * math.Exp(size*(w[i]-w[0])) }), ended)
				if len(v.Peaks) > 0 {
					seasons++
				}
				if len(v.Spikes) > 0 {
					spikes++
				}
			}
			t.Logf("phi %.2f, size %.2f: %d seasons, %d with spikes, of %d", phi, size, seasons, spikes, each)
			if seasons*100 > each {
				t.Errorf("phi %.2f, size %.2f: %d of %d get a season", phi, size, seasons, each)
			}
		}
	}
}
