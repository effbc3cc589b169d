package money

import (
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"testing"
	"time"
)

func TestParseAndWrite(t *testing.T) {
	for _, c := range []struct {
		text, code string
		minor      int64
		written    string
	}{
		{"19.99", "USD", 1999, "19.99"},
		{"19.9", "USD", 1990, "19.90"},
		{" 7 ", "USD", 700, "7.00"},
		{"-0.05", "EUR", -5, "-0.05"},
		{"1200", "JPY", 1200, "1200"},
		{"1200.00", "JPY", 1200, "1200"},
		{"3.5", "KWD", 3500, "3.500"},
	} {
		a, err := Parse(c.text, MustCurrency(c.code))
		if err != nil || a.Minor() != c.minor || a.Decimal() != c.written {
			t.Errorf("%q %s: %v, %d, %s", c.text, c.code, err, a.Minor(), a.Decimal())
		}
	}
	for _, wrong := range []string{"", "abc", "1,50", "1.999", "1.", ".5", "--1", "1e3", "+1", "0x10", "∞", "1 000"} {
		if a, err := Parse(wrong, MustCurrency("USD")); !errors.Is(err, ErrNotAnAmount) {
			t.Errorf("%q was read as %s, %v", wrong, a, err)
		}
	}
	if _, err := Parse("92233720368547758.08", MustCurrency("USD")); !errors.Is(err, ErrTooLarge) {
		t.Errorf("too large: %v", err)
	}
}

func TestCurrenciesNeverMix(t *testing.T) {
	usd, eur := MustParse("1.00", "USD"), MustParse("1.00", "EUR")
	if _, err := usd.Add(eur); !errors.Is(err, ErrMixed) {
		t.Errorf("adding: %v", err)
	}
	if _, err := usd.Sub(eur); !errors.Is(err, ErrMixed) {
		t.Errorf("subtracting: %v", err)
	}
	if RatioOf(usd, eur) != 0 {
		t.Error("a ratio of two currencies is not 0")
	}
}

func TestSumsThatDoNotFitAreRefused(t *testing.T) {
	usd := MustCurrency("USD")
	most, least := New(math.MaxInt64, usd), New(math.MinInt64, usd)
	one := New(1, usd)
	for name, call := range map[string]func() (Amount, error){
		"add": func() (Amount, error) { return most.Add(one) }, "sub": func() (Amount, error) { return least.Sub(one) },
		"sub the least": func() (Amount, error) {
			return one.Sub(least)
		}, "times": func() (Amount, error) { return most.Times(2) },
		"times -1": func() (Amount, error) { return New(-1, usd).Times(math.MinInt64) },
	} {
		if got, err := call(); !errors.Is(err, ErrTooLarge) {
			t.Errorf("%s: %s %v", name, got, err)
		}
	}
	if got, err := most.Sub(one); err != nil || got.Minor() != math.MaxInt64-1 {
		t.Errorf("%s %v", got, err)
	}
}

func TestAmountsAsJSON(t *testing.T) {
	data, err := json.Marshal(MustParse("19.90", "USD"))
	if err != nil || string(data) != `{"value":"19.90","currency":"USD"}` {
		t.Fatalf("%s %v", data, err)
	}
	var back Amount
	if err := json.Unmarshal(data, &back); err != nil || back != MustParse("19.90", "USD") {
		t.Fatalf("%s %v", back, err)
	}
	for _, wrong := range []string{`{"value":"1.999","currency":"USD"}`, `{"value":"1","currency":"ABC"}`, `19.90`,
		`{"value":19.9,"currency":"USD"}`} {
		if err := json.Unmarshal([]byte(wrong), &back); err == nil {
			t.Errorf("%s was taken", wrong)
		}
	}
}

func TestRatios(t *testing.T) {
	for text, want := range map[string]Ratio{"0.029": 29000, "2.2": 2200000, "-0.5": -500000, "1": One} {
		r, err := ParseRatio(text)
		if err != nil || r != want || r.String() != text {
			t.Errorf("%s: %d %s %v", text, r, r, err)
		}
	}
	if Percent(290) != 29000 || Percent(290).PercentText() != "2.9" {
		t.Error("2.9 % is not 0.029")
	}
	if _, err := ParseRatio("0.1234567"); err == nil {
		t.Error("seven decimals were taken")
	}
}

func table(t *testing.T) *Rates {
	t.Helper()
	r := NewRates(MustCurrency("EUR"), time.Date(2026, 11, 25, 0, 0, 0, 0, time.UTC))
	for code, text := range map[string]string{"USD": "1.1042", "JPY": "168.73", "KWD": "0.33918", "CNY": "7.9718"} {
		if err := r.Set(MustCurrency(code), text); err != nil {
			t.Fatal(err)
		}
	}
	return r
}

func TestConversion(t *testing.T) {
	r := table(t)
	// Worked by hand with exact fractions; each is rounded once, at the end.
	for _, c := range []struct{ from, code, into, want string }{
		{"100.00", "EUR", "USD", "110.42"},
		{"100.00", "USD", "EUR", "90.56"}, // 100/1.1042 = 90.5633...
		{"46.20", "CNY", "USD", "6.40"},   // 46.20*1.1042/7.9718 = 6.39933...
		{"1000", "JPY", "USD", "6.54"},    // 1000*1.1042/168.73 = 6.54418...
		{"1.000", "KWD", "JPY", "497"},    // 168.73/0.33918 = 497.464...
		{"-46.20", "CNY", "USD", "-6.40"}, // half away from zero is the same below it
		{"0.01", "USD", "KWD", "0.003"},   // 0.01*0.33918/1.1042 = 0.00307...
		{"7.77", "USD", "USD", "7.77"},
	} {
		got, err := r.Convert(MustParse(c.from, c.code), MustCurrency(c.into))
		if err != nil || got.Decimal() != c.want {
			t.Errorf("%s %s to %s: %s %v, want %s", c.from, c.code, c.into, got, err, c.want)
		}
	}
	if got := r.CrossText(MustCurrency("CNY"), MustCurrency("USD")); got != "0.138513" {
		t.Errorf("the cross rate to six figures is %s", got)
	}
}

func TestARateTypedByHandStandsAboveTheTable(t *testing.T) {
	cny, usd := MustCurrency("CNY"), MustCurrency("USD")
	r := table(t).Clone()
	if err := r.SetTyped(cny, usd, "0.15"); err != nil {
		t.Fatal(err)
	}
	if got, err := r.Convert(MustParse("46.20", "CNY"), usd); err != nil || got.Decimal() != "6.93" ||
		r.CrossText(cny, usd) != "0.15" || !r.Typed(cny, usd) {
		t.Errorf("%s %v at %s", got, err, r.CrossText(cny, usd))
	}
	if back, err := r.Convert(MustParse("6.40", "USD"), cny); err != nil || back.Decimal() != "46.20" ||
		r.Typed(usd, cny) {
		t.Errorf("the other direction goes by the table: %s %v", back, err)
	}
	if table(t).Typed(cny, usd) || r.SetTyped(cny, usd, "0") == nil || r.SetTyped(usd, usd, "1") == nil {
		t.Error("a rate that cannot be was taken")
	}
}

func TestNoRateIsAnErrorNeverOne(t *testing.T) {
	gbp := MustCurrency("GBP")
	if got, err := table(t).Convert(MustParse("5.00", "USD"), gbp); !errors.Is(err, ErrNoRate) {
		t.Errorf("%s %v", got, err)
	}
	var none *Rates
	if _, err := none.Convert(MustParse("5.00", "USD"), gbp); !errors.Is(err, ErrNoRate) {
		t.Errorf("no table at all: %v", err)
	}
	for _, wrong := range []string{"0", "-1.1", "", "abc", "1.23456789012"} {
		if err := table(t).Set(gbp, wrong); !errors.Is(err, ErrNotARate) {
			t.Errorf("the rate %q was taken: %v", wrong, err)
		}
	}
}

// Outside source: Council Regulation (EC) No 1103/97, article 4: conversion rates have six
// significant figures, are not rounded or truncated, and inverse rates are not used; article
// 5: sums are rounded to the nearest subunit, half-way up. The legacy rates of Council
// Regulation (EC) No 2866/98 (6.55957 FRF, 1936.27 ITL) are quoted from memory and stand here
// under live codes, since the old ones have left ISO 4217: CHF for FRF.
func TestEuroConversionRounding(t *testing.T) {
	r := NewRates(MustCurrency("EUR"), time.Time{})
	chf, eur := MustCurrency("CHF"), MustCurrency("EUR")
	if err := r.Set(chf, "6.55957"); err != nil {
		t.Fatal(err)
	}
	for francs, want := range map[string]string{"100.00": "15.24", "6.56": "1.00", "1000.00": "152.45", "0.03": "0.00",
		"0.04": "0.01"} {
		got, err := r.Convert(MustParse(francs, "CHF"), eur)
		if err != nil || got.Decimal() != want {
			t.Errorf("%s at 6.55957: %s %v, want %s", francs, got, err, want)
		}
	}
	if back, err := r.Convert(MustParse("15.24", "EUR"), chf); err != nil || back.Decimal() != "99.97" {
		t.Errorf("there and back: %s %v", back, err) // the loss is the rounding's, as the regulation has it
	}
}

func ExampleRates_Convert() {
	rates := NewRates(MustCurrency("EUR"), time.Date(2026, 11, 25, 0, 0, 0, 0, time.UTC))
	_ = rates.Set(MustCurrency("USD"), "1.1042")
	_ = rates.Set(MustCurrency("CNY"), "7.9718")
	cost, err := rates.Convert(MustParse("46.20", "CNY"), MustCurrency("USD"))
	fmt.Println(cost, err)
	// Output: 6.40 USD <nil>
}

// A rate in words can be recomputed by hand: both legs of a cross rate, and the way in which a rate was set.
func TestRatesInWords(t *testing.T) {
	eur, usd, cny := MustCurrency("EUR"), MustCurrency("USD"), MustCurrency("CNY")
	r := NewRates(eur, time.Date(2026, 11, 25, 0, 0, 0, 0, time.UTC))
	for c, text := range map[Currency]string{usd: "1.1042", cny: "7.9718"} {
		if err := r.Set(c, text); err != nil {
			t.Fatal(err)
		}
	}
	for _, c := range []struct {
		from, to Currency
		want     string
	}{
		{cny, usd, "0.138513 (1 EUR = 7.9718 CNY = 1.1042 USD)"}, {eur, usd, "1.1042"},
		{usd, eur, "0.905633 (1 EUR = 1.1042 USD)"},
	} {
		if got := r.Words(c.from, c.to); got != c.want {
			t.Errorf("%s to %s: %s, want %s", c.from, c.to, got, c.want)
		}
	}
	if err := r.SetTyped(cny, usd, "0.15"); err != nil || r.Words(cny, usd) != "0.15" {
		t.Errorf("typed: %s %v", r.Words(cny, usd), err)
	}
}
