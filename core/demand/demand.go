// Package demand says what a product's weekly sales say: whether they rise or fall once the
// season is taken out, whether there is a season and when it peaks, and which weeks stand out.
package demand

import (
	"math"
	"slices"
	"time"
)

// Class is what sales do.
type Class string

// The classes.
const (
	Rising  Class = "rising"
	Steady  Class = "steady"
	Falling Class = "falling"
	Unknown Class = "too little data"
)

// Verdict is what a series says.
type Verdict struct {
	Class Class `json:"class" enum:"rising,steady,falling,too little data"`
	// Growth is in tenths of a percent a month of the median week, the season taken out; 0 where the class is unknown, or chance may do as much.
	Growth int `json:"growth" doc:"Tenths of a percent a month, without the season"`
	// Strength of the season, in percent; 0 where two years are not known, or not alike.
	Strength int `json:"strength" doc:"Of the season, in percent"`
	// Peaks are the months in which a proven season sells most, in the order of the season.
	Peaks []time.Month `json:"peaks" doc:"Months, 1 to 12, in which a proven season peaks"`
	// Spikes are single weeks far above what was to be expected, by their place in the series.
	Spikes []int `json:"spikes"`
	Weeks  int   `json:"weeks"`
}

const (
	year = 52
	// leastWeeks is half a year: less is no trend.
	leastWeeks = 26
	// believed is the probability under which chance is ruled out, and leastGrowth what is worth calling a
	// change, in tenths of a percent a month: common practice.
	believed    = 0.05
	leastGrowth = 10
	// provenStrength is called strong; both years must show the season.
	provenStrength = 0.5
	provenTwice    = 0.5
	// far is how many standard deviations, as the median deviation has them, stand out: Iglewicz and Hoaglin (1993).
	far = 3.5
)

// Judge reads weekly sales, oldest first, of which the last week ended on a day. Up to the
// last two years count.
func Judge(weekly []int32, ended time.Time) Verdict {
	weekly = weekly[max(0, len(weekly)-2*year):]
	v := Verdict{Class: Unknown, Peaks: []time.Month{}, Spikes: []int{}, Weeks: len(weekly)}
	x := make([]float64, len(weekly))
	sold := false
	for i, n := range weekly {
		x[i] = float64(n)
		sold = sold || n != 0
	}
	if len(x) < leastWeeks || !sold {
		return v
	}
	rest := make([]float64, len(x))
	level := smoothed(x, 6)
	if len(x) == 2*year {
		// Spikes are taken down first, so that one does not pass for a season.
		calm := slices.Clone(x)
		for i := range x {
			rest[i] = x[i] - level[i]
		}
		for _, at := range spikes(rest, level) {
			calm[at] = level[at]
		}
		if both := straightened(smoothed(calm, 2)); correlation(both[:year], both[year:]) >= provenTwice {
			v.season(x, level, Decompose(calm, year, 5), ended)
		}
	}
	for i := range rest {
		rest[i] = float64(weekly[i]) - level[i]
	}
	v.Spikes = spikes(rest, level)
	v.Class = Steady
	if MannKendall(x).P >= believed {
		return v // chance alone does as much
	}
	if middle := median(slices.Clone(x)); middle > 0 {
		v.Growth = int(math.Round(1000 * TheilSen(x) * year / 12 / middle))
	}
	switch {
	case v.Growth >= leastGrowth:
		v.Class = Rising
	case v.Growth <= -leastGrowth:
		v.Class = Falling
	}
	return v
}

// season takes a proven season out of the sales, and puts it into what was to be expected.
func (v *Verdict) season(x, expected []float64, parts Parts, ended time.Time) {
	strength := parts.Strength()
	v.Strength = int(math.Round(100 * strength))
	if strength < provenStrength {
		return
	}
	v.Peaks = peaks(parts.Season[:year], ended)
	for i := range x {
		expected[i] = parts.Trend[i] + parts.Season[i]
		x[i] -= parts.Season[i]
	}
}

// spikes are the places far above what is expected, by the modified z-score, and at least
// half as much again.
func spikes(rest, expected []float64) []int {
	sizes := make([]float64, len(rest))
	for i, r := range rest {
		sizes[i] = math.Abs(r)
	}
	deviation := median(sizes)
	out := []int{}
	for i, r := range rest {
		if 0.6745*r > far*deviation && r > max(0.5*expected[i], 3) {
			out = append(out, i)
		}
	}
	return out
}

// peaks names the months in which the season is in the upper quarter of its range, the first
// of a run first, where a run may go over the turn of the year.
func peaks(season []float64, ended time.Time) []time.Month {
	var sum, weeks [12]float64
	for i, s := range season {
		// The middle of the week; the second year's weeks end on the day told.
		m := ended.AddDate(0, 0, -7*(len(season)-1-i)-3).Month() - 1
		sum[m] += s
		weeks[m]++
	}
	low, high := math.Inf(1), math.Inf(-1)
	for m := range sum {
		if weeks[m] > 0 {
			sum[m] /= weeks[m]
		}
		low, high = min(low, sum[m]), max(high, sum[m])
	}
	in := func(m int) bool { return sum[(m+12)%12] >= high-(high-low)/4 }
	out := []time.Month{}
	start := 0
	for m := range 12 {
		if in(m) && !in(m-1) {
			start = m
			break
		}
	}
	for by := range 12 {
		if m := (start + by) % 12; in(m) {
			out = append(out, time.Month(m+1))
		}
	}
	return out
}

// UnitsIn is how many units were sold in the last seven days, and in the last thirty: four
// weeks and two sevenths of the week before them.
func UnitsIn(weekly []int32) (week, month int32) {
	n := len(weekly)
	if n > 0 {
		week = weekly[n-1]
	}
	sum := int64(0)
	for _, w := range weekly[max(0, n-4):] {
		sum += int64(w)
	}
	if n > 4 {
		sum += int64(weekly[n-5]) * 2 / 7
	}
	return week, int32(min(sum, math.MaxInt32))
}
