package demand

import (
	"math"
	"slices"
)

// stabilised are counts with a spread of about one whatever their level, where chance alone moves them: Anscombe's
// transform of Poisson counts (Biometrika 35, 1948).
func stabilised(x []float64) []float64 {
	y := make([]float64, len(x))
	for i, v := range x {
		y[i] = 2 * math.Sqrt(max(v, 0)+3.0/8)
	}
	return y
}

func unstabilised(y float64) float64 { return max(0, y*y/4-3.0/8) }

// sold are the first and the last week with sales; -1 where there are none.
func sold(weekly []int32) (first, last int) {
	first, last = -1, -1
	for i, n := range weekly {
		if n > 0 {
			if last = i; first < 0 {
				first = i
			}
		}
	}
	return first, last
}

// improbable tells whether chance hardly leaves so many weeks in a row empty beside others: where they would have sold
// ten units, and empty weeks are rare, and none of their gaps is half as long.
func improbable(empty int, near, others []int32) bool {
	units, none, run, longest := 0.0, 0, 0, 0
	for _, n := range near {
		units += float64(n)
	}
	for _, n := range others {
		if n == 0 {
			none++
			run++
			longest = max(longest, run)
		} else {
			run = 0
		}
	}
	rate := units / float64(max(len(near), 1))
	chance := math.Pow(float64(none+1)/float64(len(others)+2), float64(empty))
	return empty >= 3 && rate*float64(empty) >= 10 && chance < 1e-4 && empty > 2*longest
}

// begun tells whether sales that follow some empty weeks were launched then.
func begun(since []int32, empty int) bool {
	return improbable(empty, since[:min(len(since), 12)], since)
}

// ceased tells whether sales that some empty weeks follow have stopped.
func ceased(until []int32, empty int) bool {
	return improbable(empty, until[max(0, len(until)-12):], until)
}

// spreadOf is how far stabilised counts are from their level: no less than chance alone makes it, the greatest
// few left out, so that one week that stands out does not hide itself.
func spreadOf(y, level []float64) float64 {
	sizes := make([]float64, len(y))
	for i := range y {
		sizes[i] = math.Abs(y[i] - level[i])
	}
	slices.Sort(sizes)
	middle := sizes[len(sizes)/2] / 0.6745
	sum, kept := 0.0, sizes[:len(sizes)-max(2, len(sizes)/26)]
	for _, s := range kept {
		sum += s * s
	}
	return max(1, middle, math.Sqrt(sum/float64(len(kept))))
}

// far is how many spreads stand out: among 104 Poisson counts less than one in a hundred series has such a week.
const far = 4.2

// outliers are the weeks far above their level, and half as much again: where they are many, sales come in
// lumps, and none stands out.
func outliers(y, level []float64) (out []int) {
	spread := spreadOf(y, level)
	for i := range y {
		here, expected := unstabilised(y[i]), unstabilised(level[i])
		if y[i]-level[i] > far*spread && here > 1.5*expected && here-expected > 4 {
			out = append(out, i)
		}
	}
	if len(out) > max(3, len(y)/26) || len(out) == 0 {
		return nil
	}
	excess := func(i int) float64 { return unstabilised(y[i]) - unstabilised(level[i]) }
	others := 0.0
	for i := range y {
		if !slices.Contains(out, i) {
			others = max(others, excess(i))
		}
	}
	return slices.DeleteFunc(out, func(i int) bool { return excess(i) < apartBy*others })
}

// apartBy is how many times as far above its level as any other week a week is that stands out: where high weeks come
// in all sizes, none does.
const apartBy = 2.2

// yearly are the weeks of a year that are far above their level in both years, those beside them that are high as well
// among them: up to three in a row.
func yearly(y, level []float64) map[int]bool {
	const high, peak = 2.2, 3.2
	spread := spreadOf(y, level)
	over := func(i int) float64 {
		if i < 0 || i >= len(y) {
			return 0
		}
		return (y[i] - level[i]) / spread
	}
	both := map[int]bool{}
	for w := range year {
		best := 0.0
		for by := -1; by <= 1; by++ { // a feast may move by a week
			best = max(best, min(over(w), over(w+year+by)))
		}
		if best > peak && unstabilised(y[w]) > 1.4*unstabilised(level[w]) {
			both[w] = true
		}
	}
	for _, w := range slices.Sorted(keys(both)) {
		for _, beside := range []int{w - 1, w + 1} {
			if beside >= 0 && beside < year && min(over(beside), over(beside+year)) > high {
				both[beside] = true
			}
		}
	}
	least, others := math.Inf(1), 0.0
	for i := range y {
		switch excess := unstabilised(y[i]) - unstabilised(level[i]); {
		case both[i%year]:
			if over(i) > peak {
				least = min(least, excess)
			}
		case !both[(i+1)%year] && !both[(i+year-1)%year]:
			others = max(others, excess)
		}
	}
	if len(both) > 8 || least < yearlyApart*others {
		return nil
	}
	return both
}

// yearlyApart is how many times as far above its level as other weeks a yearly peak is: high weeks that are common
// meet by chance.
const yearlyApart = 1.25

func keys(set map[int]bool) func(func(int) bool) {
	return func(yield func(int) bool) {
		for k := range set {
			if !yield(k) {
				return
			}
		}
	}
}

// minSide is how many weeks each level of a step has at least.
const minSide = 8

// Pettitt tests for a change of level at an unknown place: the first value after it, and the approximate two-sided
// probability. Source: Pettitt, Applied Statistics 28 (1979).
func Pettitt(x []float64) (at int, p float64) {
	n := len(x)
	sum, most := 0, -1
	for t := range n - 1 {
		for j := range n {
			switch {
			case x[j] < x[t]:
				sum++
			case x[j] > x[t]:
				sum--
			}
		}
		if s := max(sum, -sum); s > most {
			most, at = s, t+1
		}
	}
	if most < 0 {
		return 0, 1
	}
	k, m := float64(most), float64(n)
	return at, min(1, 2*math.Exp(-6*k*k/(m*m*m+m*m)))
}

// step is the first week at a new level, where two levels tell the series better than a line or a wave does, and it
// goes from one to the other at once; 0 where there is none.
func step(y []float64) int {
	n := len(y)
	at, squares := bestSplit(y)
	if at == 0 {
		return 0
	}
	before, after := mean(y[:at]), mean(y[at:])
	jump := mean(y[at:min(n, at+5)]) - mean(y[max(0, at-5):at])
	if low, high := min(unstabilised(before), unstabilised(after)),
		max(unstabilised(before), unstabilised(after)); high < 1.2*low || math.Abs(after-before) < 1 {
		return 0
	}
	if jump/(after-before) < 0.65 {
		return 0
	}
	rest := slices.Clone(y)
	for i := range rest {
		if i < at {
			rest[i] -= before
		} else {
			rest[i] -= after
		}
	}
	if correlation(rest[1:], rest[:n-1]) > maxWandering {
		return 0
	}
	if _, p := Pettitt(y); p >= 0.001 {
		return 0
	}
	line := residuals(y, withTime(n))
	wave := residuals(y, append(withTime(n), waves(n, 1)...))
	if squares > 0.85*sumSquares(line) || squares > 1.05*sumSquares(wave) {
		return 0
	}
	return at
}

// maxWandering is how much each week may hang on the one before beside a step: what hangs on it more wanders from
// level to level.
const maxWandering = 0.4

// bestSplit is where two levels leave the least sum of squares.
func bestSplit(y []float64) (at int, squares float64) {
	n := len(y)
	sum, total := 0.0, 0.0
	all := 0.0
	for _, v := range y {
		total += v
		all += v * v
	}
	squares = math.Inf(1)
	for i := 1; i < n; i++ {
		sum += y[i-1]
		if i < minSide || n-i < minSide {
			continue
		}
		if s := all - sum*sum/float64(i) - (total-sum)*(total-sum)/float64(n-i); s < squares {
			at, squares = i, s
		}
	}
	return at, squares
}

// levelled is a series with both levels of its step at one; 0 is no step.
func levelled(y []float64, at int) []float64 {
	if at == 0 {
		return y
	}
	out := slices.Clone(y)
	by := mean(y[at:]) - mean(y[:at])
	for i := range at {
		out[i] += by
	}
	return out
}

func middling(x []float64) int { return int(math.Round(median(slices.Clone(x)))) }

func mean(x []float64) (m float64) {
	for _, v := range x {
		m += v / float64(len(x))
	}
	return m
}

func sumSquares(x []float64) (s float64) {
	for _, v := range x {
		s += v * v
	}
	return s
}
