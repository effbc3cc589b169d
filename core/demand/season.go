package demand

import (
	"math"
	"slices"
)

// Parts are what a series is the sum of.
type Parts struct{ Trend, Season, Rest []float64 }

// Decompose takes a series apart into trend, season and rest, as STL does with a season that
// repeats itself: Cleveland and others, Journal of Official Statistics 6 (1990). The season of each
// place in the period is the mean over the periods; smooth, in places either way, lets neighbouring
// places share it, where there are few periods. Two whole periods are the least.
func Decompose(x []float64, period, smooth int) Parts {
	n := len(x)
	p := Parts{make([]float64, n), make([]float64, n), make([]float64, n)}
	window := int(math.Ceil(1.5 * float64(period)))
	window |= 1
	weights := make([]float64, n) // of robustness
	for i := range weights {
		weights[i] = 1
	}
	without := make([]float64, n)
	for pass := range passes {
		for range 2 {
			for i := range x {
				without[i] = x[i] - p.Trend[i]
			}
			season := seasonal(without, weights, period, smooth)
			for i := range x {
				p.Season[i] = season[i%period]
				without[i] = x[i] - p.Season[i]
			}
			p.Trend = loess(without, weights, window)
		}
		for i := range x {
			p.Rest[i] = x[i] - p.Trend[i] - p.Season[i]
		}
		if pass < passes-1 {
			bisquare(p.Rest, weights)
		}
	}
	return p
}

// passes over the series: all but the first know which values to trust less.
const passes = 3

// seasonal is the mean of each place in the period, smoothed around the circle, about zero.
func seasonal(x, weights []float64, period, smooth int) []float64 {
	sum, of := make([]float64, period), make([]float64, period)
	for i, v := range x {
		sum[i%period] += weights[i] * v
		of[i%period] += weights[i]
	}
	season := make([]float64, period)
	kernel := make([]float64, smooth+1)
	for by := range kernel {
		kernel[by] = tricube(float64(by) / float64(smooth+1))
	}
	mean := 0.0
	for i := range season {
		total, all := 0.0, 0.0
		for by := -smooth; by <= smooth; by++ {
			at := ((i+by)%period + period) % period
			w := kernel[max(by, -by)]
			total += w * sum[at]
			all += w * of[at]
		}
		if all > 0 {
			season[i] = total / all
		}
		mean += season[i] / float64(period)
	}
	for i := range season {
		season[i] -= mean
	}
	return season
}

func tricube(u float64) float64 {
	u = math.Abs(u)
	if u >= 1 {
		return 0
	}
	u = 1 - u*u*u
	return u * u * u
}

// loess fits a line around each place to its nearest neighbours.
func loess(x, weights []float64, window int) []float64 {
	n := len(x)
	window = min(window, n)
	out := make([]float64, n)
	step := max(window/10, 1)                   // between its places it is a line, as STL's jump has it
	kernel, reach := make([]float64, window), 0 // by distance
	last := 0
	for i := 0; i < n; i = next(i, step, n) {
		from := min(max(i-window/2, 0), n-window)
		if far := max(i-from, from+window-1-i) + 1; far != reach {
			reach = far
			for d := range min(reach, window) {
				kernel[d] = tricube(float64(d) / float64(reach))
			}
		}
		var w, wx, wy, wxx, wxy float64
		for j := from; j < from+window; j++ {
			d := float64(j - i)
			k := kernel[max(i-j, j-i)] * weights[j]
			w, wx, wy, wxx, wxy = w+k, wx+k*d, wy+k*x[j], wxx+k*d*d, wxy+k*d*x[j]
		}
		if det := w*wxx - wx*wx; det > 1e-9*w*wxx && w > 0 {
			out[i] = (wxx*wy - wx*wxy) / det
		} else if w > 0 {
			out[i] = wy / w
		}
		for j := last + 1; j < i; j++ {
			out[j] = out[last] + (out[i]-out[last])*float64(j-last)/float64(i-last)
		}
		last = i
	}
	return out
}

// next is the place after one in steps, the last place among them.
func next(i, step, n int) int {
	if i < n-1 {
		return min(i+step, n-1)
	}
	return n
}

// bisquare makes outliers count little: Tukey's weights at six times the median deviation.
func bisquare(rest, weights []float64) {
	sizes := make([]float64, len(rest))
	for i, r := range rest {
		sizes[i] = math.Abs(r)
	}
	h := 6 * median(sizes)
	for i, r := range rest {
		u := math.Abs(r) / max(h, 1e-12)
		if u >= 1 {
			weights[i] = 0
		} else {
			weights[i] = (1 - u*u) * (1 - u*u)
		}
	}
}

// Strength of the season is max(0, 1 - Var(R)/Var(S+R)), from 0 to 1: Hyndman and
// Athanasopoulos, Forecasting: Principles and Practice, 3rd edition, section 4.3 (STL features).
func (p Parts) Strength() float64 {
	both := make([]float64, len(p.Rest))
	for i := range both {
		both[i] = p.Season[i] + p.Rest[i]
	}
	v := variance(both)
	if v == 0 {
		return 0
	}
	return max(0, 1-variance(p.Rest)/v)
}

func variance(x []float64) float64 {
	mean, sum := 0.0, 0.0
	for _, v := range x {
		mean += v / float64(len(x))
	}
	for _, v := range x {
		sum += (v - mean) * (v - mean)
	}
	return sum / float64(len(x))
}

// correlation is Pearson's, 0 where one does not vary.
func correlation(a, b []float64) float64 {
	ma, mb := 0.0, 0.0
	for i := range a {
		ma, mb = ma+a[i]/float64(len(a)), mb+b[i]/float64(len(b))
	}
	var ab, aa, bb float64
	for i := range a {
		ab += (a[i] - ma) * (b[i] - mb)
		aa += (a[i] - ma) * (a[i] - ma)
		bb += (b[i] - mb) * (b[i] - mb)
	}
	if aa == 0 || bb == 0 {
		return 0
	}
	return ab / math.Sqrt(aa*bb)
}

// straightened is a series without its line of least squares.
func straightened(x []float64) []float64 {
	n := float64(len(x))
	middle, mean := (n-1)/2, 0.0
	for _, v := range x {
		mean += v / n
	}
	up, over := 0.0, 0.0
	for i, v := range x {
		d := float64(i) - middle
		up, over = up+d*(v-mean), over+d*d
	}
	out := make([]float64, len(x))
	for i, v := range x {
		out[i] = v - mean - up/over*(float64(i)-middle)
	}
	return out
}

// smoothed is the moving median over places either way: what a single week does not move.
func smoothed(x []float64, reach int) []float64 {
	out := make([]float64, len(x))
	sorted := make([]float64, 0, 2*reach+1)
	for i := range x {
		sorted = sorted[:0]
		for _, v := range x[max(0, i-reach):min(len(x), i+reach+1)] {
			at, _ := slices.BinarySearch(sorted, v)
			sorted = slices.Insert(sorted, at, v)
		}
		out[i] = (sorted[(len(sorted)-1)/2] + sorted[len(sorted)/2]) / 2
	}
	return out
}
