// Package demand says what a product's weekly sales say: whether they rise or fall once the season is taken out,
// whether there is a season and when it peaks, which weeks stand out, and whether they began, stepped or stopped.
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
	Stopped Class = "stopped"
	Unknown Class = "too little data"
)

// Verdict is what a series says. Weeks are named by their index in the weeks that were judged, the oldest first.
type Verdict struct {
	Class Class `json:"class" enum:"rising,steady,falling,stopped,too little data"`
	// Growth is in tenths of a percent a month of the median week, the season taken out; 0 where the class is
	// unknown, or chance may do as much.
	Growth int `json:"growth" doc:"Tenths of a percent a month, without the season"`
	// Strength of the season, in percent; 0 where two years are not known, or not alike.
	Strength int `json:"strength" doc:"Of the season, in percent"`
	// Peaks are the months in which a proven season sells most, in the order of the season.
	Peaks []time.Month `json:"peaks" doc:"Months, 1 to 12, in which a proven season peaks"`
	// PeakWeeks is how long a yearly peak of single weeks is; 0 where the season is no such peak.
	PeakWeeks int `json:"peak_weeks" doc:"How many weeks a short yearly peak has; 0 where there is none"`
	// Spikes are single weeks far above what was to be expected, by their index in the series.
	Spikes []int `json:"spikes" doc:"Weeks that stood out once, by their index in the last weeks"`
	Weeks  int   `json:"weeks" doc:"How many were judged"`
	// Ended is the day on which the last week ended.
	Ended time.Time `json:"ended"`
	Units int       `json:"units" doc:"Sold in the last year of them"`
	// Launched is the first week with sales, where the product was launched within the series.
	Launched *int `json:"launched" doc:"The week of its launch; null where it was sold before"`
	// StoppedAt is the first week without sales, where they have stopped.
	StoppedAt *int `json:"stopped_at" doc:"The first week without sales, where they have stopped"`
	// Step is where the level changed at once.
	Step *Step `json:"step" doc:"Where sales changed from one level to another at once"`
	// Lately is by how many percent the last four weeks are above, or below, the eight before, where that is more
	// than chance.
	Lately int `json:"lately" doc:"Percent, four weeks against the eight before; 0 where it may be chance"`
	// Moved is what sales did in less than a year, where a season may do the same: 1 is up, -1 down.
	Moved int `json:"moved" doc:"What sales did in less than a year: 1 up, -1 down; a season may do the same"`
}

// Step is a change from one level to another.
type Step struct {
	Week   int `json:"week" doc:"The first week at the new level"`
	Before int `json:"before" doc:"Units a week"`
	After  int `json:"after" doc:"Units a week"`
}

const (
	year = 52
	// minWeeks is half a year: less says nothing. minUnits a year are one every other week: fewer are too few.
	minWeeks = 26
	minUnits = 26
	// believed is the probability under which chance is ruled out, and minGrowth what is worth calling a
	// change, in tenths of a percent a month: common practice.
	believed  = 0.01
	minGrowth = 10
	// provenStrength is the strength from which a season is worth naming.
	provenStrength = 0.35
)

// Judge reads weekly sales, oldest first, of which the last week ended on a day. Up to the
// last two years count.
func Judge(weekly []int32, ended time.Time) Verdict {
	weekly = weekly[max(0, len(weekly)-2*year):]
	v := Verdict{Class: Unknown, Peaks: []time.Month{}, Spikes: []int{}, Weeks: len(weekly), Ended: ended}
	v.Units = units(weekly[max(0, len(weekly)-year):])
	first, last := sold(weekly)
	if last < 0 {
		return v
	}
	if begun(weekly[first:], first) {
		v.Launched = &first
	} else {
		first = 0
	}
	if end := last + 1; ceased(weekly[first:end], len(weekly)-end) {
		if units(weekly[max(first, end-year):end])*year >= minUnits*min(end-first, year) {
			v.StoppedAt, v.Class = &end, Stopped
		}
		return v
	}
	x := make([]float64, len(weekly)-first)
	for i := range x {
		x[i] = float64(weekly[first+i])
	}
	if len(x) < minWeeks || v.Units*year < minUnits*min(len(x), year) {
		return v
	}
	v.judge(x, first, ended)
	return v
}

func units(weekly []int32) (n int) {
	for _, w := range weekly {
		n += int(w)
	}
	return n
}

// judge reads the sales since a product's launch, which was in some week.
func (v *Verdict) judge(x []float64, first int, ended time.Time) {
	v.Class = Steady
	y := stabilised(x)
	level := smoothed(y, 6)
	out := outliers(y, level)
	calm := slices.Clone(y)
	for _, at := range out {
		calm[at] = level[at]
	}
	without := slices.Clone(x) // the season
	stepped := step(calm)
	if len(x) == 2*year {
		if both := yearly(y, level); len(both) > 0 {
			v.short(both, x, level, without, ended)
			out = slices.DeleteFunc(out, func(at int) bool { return both[at%year] })
			for i := range calm {
				if both[i%year] {
					calm[i] = level[i]
				}
			}
		}
		if seasonTest(levelled(calm, stepped)) {
			v.season(without, calm, ended)
			if len(v.Peaks) > 0 { // what stands out does so above the season
				out = outliers(stabilised(without), smoothed(stabilised(without), 6))
			}
		}
	} else if len(x) >= year {
		without = withoutWave(x)
	}
	v.lately(x, without, out)
	for _, at := range out {
		if v.Lately <= 0 || at < len(x)-4 {
			v.Spikes = append(v.Spikes, first+at)
		}
	}
	tail := without
	if len(v.Peaks) == 0 {
		if stepped > 0 {
			v.Step = &Step{first + stepped, middling(x[:stepped]), middling(x[stepped:])}
			tail = x[stepped:]
		}
	}
	v.trend(tail, len(x) < year && v.Step == nil)
}

// trend tells whether sales rise or fall. Over less than a year a season may do the same: then it is only said.
func (v *Verdict) trend(x []float64, short bool) {
	if len(x) < minWeeks {
		return
	}
	test := MannKendall(x)
	if test.P >= believed {
		return // chance alone does as much
	}
	slope := TheilSen(x)
	if test.correlated(x, slope).P >= believed {
		return
	}
	growth := 0
	if middle := median(slices.Clone(x)); middle > 0 {
		growth = int(math.Round(1000 * slope * year / 12 / middle))
	}
	switch {
	case growth < minGrowth && growth > -minGrowth:
	case short:
		v.Class, v.Moved = Unknown, 1
		if growth < 0 {
			v.Moved = -1
		}
	case growth > 0:
		v.Class, v.Growth = Rising, growth
	default:
		v.Class, v.Growth = Falling, growth
	}
}

// lately tells whether the last four weeks are more, or fewer, than chance makes of the eight before, the season
// taken out.
func (v *Verdict) lately(x, without []float64, spikes []int) {
	n := len(x)
	if len(v.Peaks) > 0 {
		x = without
	}
	y := stabilised(x)
	recent, before := mean(y[n-4:]), mean(y[n-12:n-4])
	spread := spreadOf(y[:n-4], smoothed(y[:n-4], 6))
	if math.Abs(recent-before) < 4*spread*math.Sqrt(1.0/4+1.0/8) || slices.ContainsFunc(spikes, func(at int) bool {
		return at >= n-12 && at < n-4
	}) {
		return
	}
	percent := int(math.Round(100 * (mean(x[n-4:])/math.Max(mean(x[n-12:n-4]), 0.25) - 1)))
	if low, high := slices.Min(x[n-3:]), slices.Max(x[n-3:]); (percent >= 50 && low > mean(x[n-12:n-4])) ||
		(percent <= -50 && high < mean(x[n-12:n-4])) {
		v.Lately = percent
	}
}

// season takes a proven season out of the sales.
func (v *Verdict) season(without, calm []float64, ended time.Time) {
	units := make([]float64, len(calm))
	for i, c := range calm {
		units[i] = unstabilised(c)
	}
	parts := Decompose(units, year, 5)
	strength := parts.Strength()
	if strength < provenStrength {
		return
	}
	v.Strength = int(math.Round(100 * strength))
	v.Peaks = peaks(parts.Season[:year], ended)
	v.PeakWeeks = 0
	for i := range without {
		without[i] -= parts.Season[i]
	}
}

// short names the months of weeks that are high in both years, and takes them out of the sales.
func (v *Verdict) short(both map[int]bool, x, level, without []float64, ended time.Time) {
	v.PeakWeeks = len(both)
	months := map[time.Month]bool{}
	for w := range both {
		months[weekIn(year-1-w, ended)] = true
	}
	for m := range months {
		v.Peaks = append(v.Peaks, m)
	}
	slices.Sort(v.Peaks)
	// over the turn of the year
	if n := len(v.Peaks); n > 1 && v.Peaks[0] == time.January && v.Peaks[n-1] == time.December {
		v.Peaks = append(v.Peaks[1:], time.January)
	}
	over := 0.0
	for i := range x {
		if both[i%year] {
			over += x[i] - unstabilised(level[i])
			without[i] = unstabilised(level[i])
		}
	}
	v.Strength = int(math.Round(100 * min(1, max(0, over/math.Max(over+sumSpread(x, level), 1)))))
}

// sumSpread is how far sales are from their level, in all.
func sumSpread(x, level []float64) (sum float64) {
	for i := range x {
		sum += math.Abs(x[i] - unstabilised(level[i]))
	}
	return sum / 4
}

// weekIn is the month of the middle of a week, so many weeks before the last.
func weekIn(before int, ended time.Time) time.Month { return ended.AddDate(0, 0, -7*before-3).Month() }

// peaks names the months in which the season is in the upper quarter of its range, the first
// of a run first, where a run may go over the turn of the year.
func peaks(season []float64, ended time.Time) []time.Month {
	var sum, weeks [12]float64
	for i, s := range season {
		m := weekIn(len(season)-1-i, ended) - 1
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
