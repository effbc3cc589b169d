package demand

import (
	"encoding/csv"
	"math"
	"math/rand/v2"
	"os"
	"slices"
	"strconv"
	"testing"
	"time"

	"gonum.org/v1/gonum/stat"
)

// Gilbert (1987), 16.4.1: 10, 15, 14, 20 have S = 4 (from memory).
func TestMannKendallPublishedExample(t *testing.T) {
	if got := MannKendall([]float64{10, 15, 14, 20}); got.S != 4 {
		t.Errorf("S is %d", got.S)
	}
}

// Sen (1968): the slope of these pairs is 4 (from memory). Its places are uneven, so that the
// slopes are laid out here, and the median is the one used.
func TestTheilSenPublishedExample(t *testing.T) {
	at, x := []float64{1, 2, 3, 4, 10, 12, 18}, []float64{9, 15, 19, 20, 45, 55, 78}
	var slopes []float64
	for i := range x {
		for j := i + 1; j < len(x); j++ {
			slopes = append(slopes, (x[j]-x[i])/(at[j]-at[i]))
		}
	}
	if got := median(slopes); got != 4 {
		t.Errorf("the slope is %v", got)
	}
}

func random(r *rand.Rand, n int, steps int) []float64 {
	x := make([]float64, n)
	for i := range x {
		x[i] = float64(r.IntN(steps))
	}
	return x
}

// gonum's Kendall is S over the number of pairs; its LinearRegression agrees with Theil and Sen
// on lines; its quantiles with the median.
func TestStatisticsAgreeWithGonum(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for range 300 {
		n := 3 + r.IntN(100)
		x, place := random(r, n, 1000), make([]float64, n)
		for i := range place {
			place[i] = float64(i)
		}
		pairs := float64(n*(n-1)) / 2
		untied := make([]float64, n) // gonum counts ties in another way
		for i, p := range r.Perm(n) {
			untied[i] = float64(p)
		}
		if got, want := float64(MannKendall(untied).S),
			stat.Kendall(place, untied, nil)*pairs; math.Abs(got-want) > 1e-6 {
			t.Fatalf("S of %v is %v, by gonum %v", untied, got, want)
		}
		if got, want := variance(x), stat.PopVariance(x, nil); math.Abs(got-want) > 1e-6*want {
			t.Fatalf("the variance is %v, by gonum %v", got, want)
		}
		if got, want := correlation(place, x), stat.Correlation(place, x, nil); math.Abs(got-want) > 1e-9 {
			t.Fatalf("the correlation is %v, by gonum %v", got, want)
		}
		_, slope := stat.LinearRegression(place, x, nil, false)
		flat := straightened(x)
		if _, rest := stat.LinearRegression(place, flat, nil, false); math.Abs(rest) > 1e-9*max(1, math.Abs(slope)) {
			t.Fatalf("a slope of %v is left of %v", rest, slope)
		}
		line := make([]float64, n)
		for i := range line {
			line[i] = 3 + slope*float64(i)
		}
		if got := TheilSen(line); math.Abs(got-slope) > 1e-9*max(1, math.Abs(slope)) {
			t.Fatalf("the slope of a line is %v, not %v", got, slope)
		}
		sorted := slices.Clone(x)
		slices.Sort(sorted)
		want := (sorted[(n-1)/2] + sorted[n/2]) / 2
		if got := median(slices.Clone(x)); got != want {
			t.Fatalf("the median is %v, not %v", got, want)
		}
	}
}

// Without a trend the test says so at its own rate: about five of a hundred.
func TestMannKendallIsRarelyFooledByChance(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	for _, steps := range []int{4, 1000} { // with many ties, and with few
		fooled := 0
		for range 2000 {
			if MannKendall(random(r, 60, steps)).P < 0.05 {
				fooled++
			}
		}
		if fooled < 60 || fooled > 150 {
			t.Errorf("%d of 2000", fooled)
		}
	}
}

// The monthly carbon dioxide at Mauna Loa and its published seasonally adjusted column, as
// the package vega-datasets ships them.
func TestSeasonAgreesWithThePublishedAdjustment(t *testing.T) {
	rows := publishedCO2(t)
	// A whole number of years without a gap: the last twenty.
	rows = rows[len(rows)-240:]
	var raw, adjusted []float64
	for i, row := range rows {
		day, err := time.Parse(time.DateOnly, row[0])
		if err != nil {
			t.Fatal(err)
		}
		if first, _ := time.Parse(time.DateOnly, rows[0][0]); !first.AddDate(0, i, 0).Equal(day) {
			t.Fatalf("a month is missing before %s", row[0])
		}
		for at, into := range map[int]*[]float64{1: &raw, 2: &adjusted} {
			v, err := strconv.ParseFloat(row[at], 64)
			if err != nil {
				t.Fatal(err)
			}
			*into = append(*into, v)
		}
	}
	parts := Decompose(raw, 12, 0)
	off, raised := 0.0, 0.0
	var without []float64
	for i := range raw {
		without = append(without, raw[i]-parts.Season[i])
		off += (without[i] - adjusted[i]) * (without[i] - adjusted[i])
		raised += (raw[i] - adjusted[i]) * (raw[i] - adjusted[i])
	}
	off, raised = math.Sqrt(off/240), math.Sqrt(raised/240)
	if off > 0.35 || raised < 1.5 {
		t.Errorf("off by %.2f ppm, where the season itself moves by %.2f", off, raised)
	}
	if s := parts.Strength(); s < 0.9 {
		t.Errorf("its strength is %.2f", s)
	}
	if a, b := TheilSen(without), TheilSen(adjusted); math.Abs(a-b) > 0.002 {
		t.Errorf("rising %.4f a month, by the published column %.4f", a, b)
	}
	// It peaks in May and is least in September or October, as is well known.
	high := slices.Index(parts.Season[:12], slices.Max(parts.Season[:12]))
	if month := rows[high][0][5:7]; month != "05" {
		t.Errorf("it peaks in month %s", month)
	}
}

// publishedCO2 are the months of the published series, with the measured column and the adjusted one.
func publishedCO2(t *testing.T) [][]string {
	t.Helper()
	f, err := os.Open("../../e2e/node_modules/vega-datasets/data/co2-concentration.csv")
	if err != nil {
		t.Fatalf("%v: run make setup-test", err)
	}
	defer func() { _ = f.Close() }()
	rows, err := csv.NewReader(f).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	return rows
}

// series draws two years of weekly sales.
func series(r *rand.Rand, level, growth, season, noise float64) []int32 {
	x := make([]int32, 104)
	for w := range x {
		v := level * (1 + growth*float64(w)) * (1 + season*math.Cos(2*math.Pi*float64(w-30)/52))
		x[w] = int32(max(0, v*(1+noise*(2*r.Float64()-1))))
	}
	return x
}

func TestVerdicts(t *testing.T) {
	ended := time.Date(2026, 11, 25, 0, 0, 0, 0, time.UTC)
	r := rand.New(rand.NewPCG(7, 8))
	spiked := series(r, 60, 0, 0, 0.2)
	spiked[70] = 400
	for name, c := range map[string]struct {
		weekly []int32
		class  Class
		peaks  []time.Month
		spikes []int
		words  string
	}{
		"flat":    {series(r, 60, 0, 0, 0.2), Steady, []time.Month{}, []int{}, "Steady; no season."},
		"rising":  {series(r, 60, 0.012, 0, 0.2), Rising, []time.Month{}, []int{}, ""},
		"falling": {series(r, 60, -0.006, 0, 0.2), Falling, []time.Month{}, []int{}, ""},
		"a spike": {spiked, Steady, []time.Month{}, []int{70},
			"Steady; one week stood out and will hardly come again; no season."},
		"nothing": {nil, Unknown, []time.Month{}, []int{},
			"The supplier tells no sales: nothing is known of its demand."},
		"a quarter": {series(r, 60, 0, 0, 0.2)[:13], Unknown, []time.Month{}, []int{},
			"13 weeks of sales are too little to judge by."},
		"nine weeks": {series(r, 60, 0, 0, 0.2)[:9], Unknown, []time.Month{}, []int{},
			"Nine weeks of sales are too little to judge by."},
		"never sold":       {make([]int32, 104), Unknown, []time.Month{}, []int{}, ""},
		"a year, seasonal": {series(r, 60, 0, 0.8, 0.1)[:52], Steady, nil, nil, ""},
	} {
		v := Judge(c.weekly, ended)
		if c.peaks != nil &&
			(v.Class != c.class || !slices.Equal(v.Peaks, c.peaks) || !slices.Equal(v.Spikes, c.spikes)) {
			t.Errorf("%s: %+v", name, v)
		}
		if words := v.Words(ended); c.words != "" && words != c.words {
			t.Errorf("%s: %q", name, words)
		}
	}
	// The wave is highest 74 weeks before the end, and 52 later: in the second half of June.
	v := Judge(series(r, 60, 0.004, 0.8, 0.1), ended)
	if v.Class != Rising || !slices.Contains(v.Peaks, time.June) || len(v.Peaks) > 5 || v.Strength < 70 {
		t.Errorf("%+v", v)
	}
	if words := v.Words(ended); words[:6] != "Peaks " {
		t.Error(words)
	}
}

// The yearly flow of the Nile at Aswan, 1871 to 1970, is known to have dropped after 1898 (Cobb, Biometrika 65, 1978;
// the series from memory, as statistics packages ship it). Pettitt's test finds that year.
func TestTheKnownStepOfTheNileIsFound(t *testing.T) {
	nile := []float64{1120, 1160, 963, 1210, 1160, 1160, 813, 1230, 1370, 1140, 995, 935, 1110, 994, 1020, 960, 1180,
		799, 958, 1140, 1100, 1210, 1150, 1250, 1260, 1220, 1030, 1100, 774, 840, 874, 694, 940, 833,
		701, 916, 692, 1020, 1050, 969, 831, 726, 456, 824, 702, 1120, 1100, 832, 764, 821, 768, 845, 864, 862, 698,
		845, 744, 796, 1040, 759, 781, 865, 845, 944, 984, 897, 822, 1010, 771, 676, 649, 846, 812,
		742, 801, 1040, 860, 874, 848, 890, 744, 749, 838, 1050, 918, 986, 797, 923, 975, 815, 1020, 906, 901, 1170,
		912, 746, 919, 718, 714, 740}
	at, p := Pettitt(nile)
	if 1871+at != 1899 || p > 1e-5 {
		t.Errorf("the first year at the new level is %d, p %g", 1871+at, p)
	}
	if at := step(stabilised(nile)); 1871+at != 1899 {
		t.Errorf("the step is in %d", 1871+at)
	}
	weekly := make([]int32, len(nile))
	for i, v := range nile {
		weekly[i] = int32(v / 10)
	}
	v := Judge(weekly, time.Date(2026, 11, 22, 0, 0, 0, 0, time.UTC))
	if v.Step == nil || v.Step.Week != 28 || len(v.Peaks) > 0 || v.Class != Steady {
		t.Errorf("%+v", v)
	}
}

// Two years of the published monthly carbon dioxide, drawn out to weeks and counted by chance, have a season that
// peaks in May; the published adjusted column has none.
func TestTheKnownSeasonIsFound(t *testing.T) {
	rows := publishedCO2(t)
	rows = rows[len(rows)-25:]
	for column, season := range map[int]bool{1: true, 2: false} {
		r := rand.New(rand.NewPCG(41, 42))
		weekly := make([]int32, 104)
		first, _ := strconv.ParseFloat(rows[0][2], 64)
		for w := range weekly {
			at := float64(w) * 24 / 104
			a, _ := strconv.ParseFloat(rows[int(at)][column], 64)
			b, _ := strconv.ParseFloat(rows[int(at)+1][column], 64)
			weekly[w] = poisson(r, 300+20*(a+(b-a)*(at-math.Floor(at))-first))
		}
		ended, _ := time.Parse(time.DateOnly, rows[24][0])
		if v := Judge(weekly, ended); slices.Contains(v.Peaks, time.May) != season || (len(v.Peaks) > 0) != season {
			t.Errorf("column %d: %+v", column, v)
		}
	}
}

func TestWords(t *testing.T) {
	at := func(n int) *int { return &n }
	ended := time.Date(2026, 11, 22, 0, 0, 0, 0, time.UTC)
	for want, v := range map[string]Verdict{
		"One week of sales is too little to judge by.": {
			Class: Unknown, Weeks: 1, Units: 3},
		"Nothing was sold in 52 weeks.": {
			Class: Unknown, Weeks: 104},
		"Ten units in a year are too few to judge by.": {
			Class: Unknown, Weeks: 104, Units: 10},
		"One unit in a year is too little to judge by.": {
			Class: Unknown, Weeks: 60, Units: 1},
		"Sales have stopped: none for one week, since the week of 16 November 2026.": {
			Class: Stopped, Weeks: 104, StoppedAt: at(103)},
		"Launched in the week of 28 September 2026; eight weeks of sales are too little to judge by.": {
			Class: Unknown, Weeks: 104, Units: 90, Launched: at(96)},
		"Rose over 40 weeks, which a season may do as well.": {
			Class: Unknown, Moved: 1, Weeks: 40},
		"Went from about 20 to about 55 a week at once, in the week of 16 November 2026; steady since; no season.": {
			Class: Steady, Weeks: 104, Step: &Step{103, 20, 55}},
		"Peaks for two weeks a year in December, next month; steady without the season; two weeks stood out and will " +
			"hardly come again.": {Class: Steady, Weeks: 104, Peaks: []time.Month{12}, PeakWeeks: 2,
			Spikes: []int{3, 4}},
		"Rising 2.5 % a month; up 80 % in the last four weeks; whether there is a season is not known before two " +
			"years.": {Class: Rising, Growth: 25, Lately: 80, Weeks: 60},
	} {
		v.Ended = ended
		if got := v.Words(ended); got != want {
			t.Errorf("%q, want %q", got, want)
		}
	}
}

func TestUnitsIn(t *testing.T) {
	for _, c := range []struct {
		weekly      []int32
		week, month int32
	}{{nil, 0, 0}, {[]int32{3}, 3, 3}, {[]int32{9, 14, 1, 2, 3, 4}, 4, 14}} {
		if week, month := UnitsIn(c.weekly); week != c.week || month != c.month {
			t.Errorf("%v: %d, %d", c.weekly, week, month)
		}
	}
}

func BenchmarkJudge(b *testing.B) {
	ended := time.Date(2026, 11, 25, 0, 0, 0, 0, time.UTC)
	r := rand.New(rand.NewPCG(7, 8))
	flat, wave := series(r, 60, 0.002, 0, 0.3), series(r, 60, 0.002, 0.8, 0.3)
	for b.Loop() {
		Judge(flat, ended)
		Judge(wave, ended)
	}
}
