package market

import (
	"testing"

	"plainpelican/core/money"
)

// Outside source: type 7 of Hyndman and Fan, Sample Quantiles in Statistical Packages (1996),
// from memory; the values were worked out by hand from its definition.
func TestQuartiles(t *testing.T) {
	usd := money.MustCurrency("USD")
	for _, c := range []struct {
		prices            []int64
		low, middle, high int64
	}{
		{[]int64{1999}, 1999, 1999, 1999},
		{[]int64{1000, 2000}, 1250, 1500, 1750},
		{[]int64{2500, 1999, 2299}, 2149, 2299, 2400}, // 2149 and 2399.5
		{[]int64{100, 200, 300, 400}, 175, 250, 325},
		{[]int64{100, 200, 300, 400, 500}, 200, 300, 400},
	} {
		s, ok := Of(c.prices, usd)
		if !ok || s.Low.Minor() != c.low || s.Median.Minor() != c.middle || s.High.Minor() != c.high ||
			s.Seen != len(c.prices) {
			t.Errorf("%v: %+v", c.prices, s)
		}
	}
	if _, ok := Of(nil, usd); ok {
		t.Error("no prices have a middle")
	}
	s, _ := Of([]int64{1000, 2000}, usd)
	eur := money.MustCurrency("EUR")
	if in, err := s.In(func(a money.Amount) (money.Amount, error) {
		return money.New(a.Minor()/2, eur), nil
	}); err != nil || in.Median != money.New(750, eur) {
		t.Errorf("%+v %v", in, err)
	}
}

// The parts of the honest way to rank: profit, units a month, rivals.
func TestWorth(t *testing.T) {
	usd := money.MustCurrency("USD")
	for _, c := range []struct{ profit, units, rivals, want int64 }{{500, 120, 4, 15000}, {500, 120, 0, 60000},
		{-500, 10, 3, -1667}, {500, 0, 3, 0}, {1 << 62, 1 << 40, 1, 0}} {
		if got := Worth(money.New(c.profit, usd), c.units, c.rivals); got.Minor() != c.want {
			t.Errorf("%+v: %s", c, got)
		}
	}
}
