package demand

import "math"

// withTime are the columns of a line.
func withTime(n int) [][]float64 {
	one, time := make([]float64, n), make([]float64, n)
	for i := range n {
		one[i], time[i] = 1, float64(i)/float64(n)-0.5
	}
	return [][]float64{one, time}
}

// waves are the columns of a year's first harmonics.
func waves(n, harmonics int) (columns [][]float64) {
	for h := 1; h <= harmonics; h++ {
		c, s := make([]float64, n), make([]float64, n)
		for i := range n {
			s[i], c[i] = math.Sincos(2 * math.Pi * float64(h*i) / year)
		}
		columns = append(columns, c, s)
	}
	return columns
}

// residuals are what a least-squares fit of some columns leaves: modified Gram-Schmidt, which columns that say the same
// as others do not disturb.
func residuals(y []float64, columns [][]float64) []float64 {
	rest := append([]float64{}, y...)
	basis := make([][]float64, 0, len(columns))
	for _, c := range columns {
		q := append([]float64{}, c...)
		whole := sumSquares(q)
		for _, b := range basis {
			takeOut(q, b)
		}
		length := sumSquares(q)
		if length < 1e-9*whole || length == 0 {
			continue
		}
		for i := range q {
			q[i] /= math.Sqrt(length)
		}
		basis = append(basis, q)
		takeOut(rest, q)
	}
	return rest
}

// takeOut takes the part along a column of length one out of another.
func takeOut(x, along []float64) {
	dot := 0.0
	for i := range x {
		dot += x[i] * along[i]
	}
	for i := range x {
		x[i] -= dot * along[i]
	}
}

const (
	harmonics = 3
	// provenF is what the F of a season must be over: chosen on random walks, for which it is greatest, so that
	// fewer than one in two hundred pass (TestSeasonsAreRarelyChance counts them anew).
	provenF = 9
)

// seasonTest tells whether waves of a year explain more than chance, where each week also hangs on the one before:
// the F test of a regression on a line, the week before and three harmonics against one without the harmonics. Series
// without a season that wander seem to have one to a test that takes weeks for independent.
func seasonTest(y []float64) bool {
	n := len(y) - 1
	columns := append(withTime(n), y[:n])
	plain := sumSquares(residuals(y[1:], columns))
	seasonal := sumSquares(residuals(y[1:], append(columns, waves(n, harmonics)...)))
	if plain == 0 {
		return false
	}
	free := float64(n - len(columns) - 2*harmonics)
	return seasonal < 1e-9*plain || (plain-seasonal)/(2*harmonics)/(seasonal/free) > provenF
}

// withoutWave is a series of one to two years without the wave of a year that fits it best beside a line: what is
// left of it a season did not do.
func withoutWave(x []float64) []float64 {
	n := len(x)
	line := withTime(n)
	both := residuals(x, append(line, waves(n, 1)...))
	// The line's part: fit the line to what is left once the waves are taken out of both.
	slopeOf := residuals(line[1], append([][]float64{line[0]}, waves(n, 1)...))
	along := residuals(x, append([][]float64{line[0]}, waves(n, 1)...))
	dot, length := 0.0, sumSquares(slopeOf)
	for i := range along {
		dot += along[i] * slopeOf[i]
	}
	out := make([]float64, n)
	level := mean(x)
	for i := range out {
		out[i] = both[i] + level
		if length > 0 {
			out[i] += dot / length * line[1][i]
		}
	}
	return out
}
