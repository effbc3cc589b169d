package demand

import (
	"cmp"
	"math"
	"slices"
)

// Test is a Mann-Kendall test for a trend.
type Test struct {
	// S counts the pairs that rise, less those that fall.
	S int
	// Z is S in standard deviations, tie-corrected and continuity-corrected; P is two-sided.
	Z, P float64
}

// MannKendall tests whether a series rises or falls. Source: Mann (1945), Kendall (1975), the
// variance with ties as in Gilbert, Statistical Methods for Environmental Pollution Monitoring (1987), 16.4.
// Fewer than three values give no evidence.
func MannKendall(x []float64) Test {
	n := len(x)
	if n < 3 {
		return Test{P: 1}
	}
	s := 0
	for i := range x {
		for _, later := range x[i+1:] {
			switch {
			case later > x[i]:
				s++
			case later < x[i]:
				s--
			}
		}
	}
	variance := float64(n*(n-1)) * float64(2*n+5)
	sorted := slices.Clone(x)
	slices.Sort(sorted)
	for from := 0; from < n; {
		to := from + 1
		for to < n && sorted[to] == sorted[from] {
			to++
		}
		t := to - from
		variance -= float64(t*(t-1)) * float64(2*t+5)
		from = to
	}
	t := Test{S: s, P: 1}
	if variance <= 0 || s == 0 {
		return t
	}
	t.Z = (float64(s) - math.Copysign(1, float64(s))) / math.Sqrt(variance/18)
	t.P = math.Erfc(math.Abs(t.Z) / math.Sqrt2)
	return t
}

// correlated is the test with the variance that neighbouring values which are alike make greater: Hamed and Rao,
// Journal of Hydrology 204 (1998), with the significant autocorrelations of the ranks of the series without its
// slope, per step.
func (t Test) correlated(x []float64, slope float64) Test {
	n := len(x)
	if n < 10 {
		return t
	}
	flat := make([]float64, n)
	for i := range x {
		flat[i] = x[i] - slope*float64(i)
	}
	r := ranks(flat)
	middle := float64(n-1) / 2
	sum := 0.0
	for i := range r {
		r[i] -= middle
		sum += r[i] * r[i]
	}
	more := 0.0
	for lag := 1; lag <= n/4; lag++ {
		cov := 0.0
		for i := lag; i < n; i++ {
			cov += r[i] * r[i-lag]
		}
		if rho := cov / sum; rho > 1.645/math.Sqrt(float64(n)) { // only what makes the test surer by mistake
			k := float64(n - lag)
			more += k * (k - 1) * (k - 2) * rho
		} else if lag > 1 {
			break // beyond the first that is not significant they are chance
		}
	}
	factor := 1 + 2/(float64(n)*float64(n-1)*float64(n-2))*more
	t.Z /= math.Sqrt(factor)
	t.P = math.Erfc(math.Abs(t.Z) / math.Sqrt2)
	return t
}

// ranks are the places of values in their order from 0, equal ones sharing theirs.
func ranks(x []float64) []float64 {
	order := make([]int, len(x))
	for i := range order {
		order[i] = i
	}
	slices.SortFunc(order, func(a, b int) int { return cmp.Compare(x[a], x[b]) })
	out := make([]float64, len(x))
	for from := 0; from < len(order); {
		to := from + 1
		for to < len(order) && x[order[to]] == x[order[from]] {
			to++
		}
		for _, i := range order[from:to] {
			out[i] = float64(from+to-1) / 2
		}
		from = to
	}
	return out
}

// TheilSen is the median of the slopes between all pairs of a series, per step. Source: Sen,
// Journal of the American Statistical Association 63 (1968).
func TheilSen(x []float64) float64 {
	slopes := make([]float64, 0, len(x)*(len(x)-1)/2)
	for i := range x {
		for j := i + 1; j < len(x); j++ {
			slopes = append(slopes, (x[j]-x[i])/float64(j-i))
		}
	}
	return median(slopes)
}

// median of values, which it puts in another order; 0 of none.
func median(x []float64) float64 {
	n := len(x)
	if n == 0 {
		return 0
	}
	upper := nth(x, n/2)
	if n%2 == 1 {
		return upper
	}
	return (upper + slices.Max(x[:n/2])) / 2
}

// nth puts the k-th smallest value in its place, smaller ones before it, and returns it.
func nth(x []float64, k int) float64 {
	low, high := 0, len(x)-1
	for low < high {
		pivot := x[low+(high-low)/2]
		i, j := low, high
		for i <= j {
			for x[i] < pivot {
				i++
			}
			for x[j] > pivot {
				j--
			}
			if i <= j {
				x[i], x[j] = x[j], x[i]
				i, j = i+1, j-1
			}
		}
		switch {
		case k <= j:
			high = j
		case k >= i:
			low = i
		default:
			return x[k]
		}
	}
	return x[k]
}
