package money

import (
	"errors"
	"fmt"
	"maps"
	"strings"
	"time"
)

// rateScale is how many decimals a stored rate has.
const rateScale = 9

var (
	// ErrNoRate is returned where a conversion needs a rate that the table lacks.
	ErrNoRate = errors.New("no exchange rate")
	// ErrNotARate is returned for a rate that is zero, negative or not a number.
	ErrNotARate = errors.New("not an exchange rate")
)

// Rates is one day's table: units of each quote currency per 1 of the base.
// A rate is kept as it was published, never inverted; a cross rate goes through the base.
type Rates struct {
	base Currency
	day  time.Time
	per  map[Currency]int64
	// typed are direct rates, from one currency into another, that stand above the table.
	typed map[[2]Currency]int64
}

// NewRates makes an empty table of one day.
func NewRates(base Currency, day time.Time) *Rates {
	return &Rates{base: base, day: day, per: map[Currency]int64{base: pow10[rateScale]}}
}

// Set puts the rate of one currency, as decimal text with up to nine decimals.
func (r *Rates) Set(quote Currency, text string) error {
	n, err := parseScaled(strings.TrimSpace(text), rateScale)
	if err != nil || n <= 0 {
		return fmt.Errorf("%s %q: %w", quote, text, ErrNotARate)
	}
	r.per[quote] = n
	return nil
}

// SetTyped puts a rate typed by hand, units of into per 1 from, before the table's. It says
// nothing of the other direction: a rate is never inverted.
func (r *Rates) SetTyped(from, into Currency, text string) error {
	n, err := parseScaled(strings.TrimSpace(text), rateScale)
	if err != nil || n <= 0 || from == into {
		return fmt.Errorf("%s to %s %q: %w", from, into, text, ErrNotARate)
	}
	if r.typed == nil {
		r.typed = map[[2]Currency]int64{}
	}
	r.typed[[2]Currency{from, into}] = n
	return nil
}

// Typed tells whether a conversion goes by a rate typed by hand.
func (r *Rates) Typed(from, into Currency) bool { return r.typed[[2]Currency{from, into}] != 0 }

// Clone is a copy that can be changed without changing this table.
func (r *Rates) Clone() *Rates {
	return &Rates{r.base, r.day, maps.Clone(r.per), maps.Clone(r.typed)}
}

// Base is the currency that rates are per unit of.
func (r *Rates) Base() Currency { return r.base }

// Day is the day the rates were published for.
func (r *Rates) Day() time.Time { return r.day }

// Text is the rate of quote per 1 base, as it was set; empty where there is none.
func (r *Rates) Text(quote Currency) string {
	if n, ok := r.per[quote]; ok {
		return scaledText(n, rateScale, 0)
	}
	return ""
}

// Convert changes an amount into another currency: computed exactly through the base,
// rounded once to the target's minor unit, half away from zero (Council Regulation (EC)
// No 1103/97, articles 4 and 5: rates are neither rounded nor inverted). It returns
// ErrNoRate where either side has no rate; there is no silent rate of one.
func (r *Rates) Convert(a Amount, to Currency) (Amount, error) {
	if a.currency == to {
		return a, nil
	}
	if r == nil {
		return Amount{}, fmt.Errorf("%s to %s: %w", a.currency, to, ErrNoRate)
	}
	if rate, ok := r.typed[[2]Currency{a.currency, to}]; ok {
		minor, err := MulMulDiv(a.minor, rate, to.Unit(), pow10[rateScale], a.currency.Unit())
		if err != nil {
			return Amount{}, fmt.Errorf("%s to %s: %w", a, to, err)
		}
		return Amount{minor, to}, nil
	}
	from, ok := r.per[a.currency]
	into, found := r.per[to]
	if !ok || !found {
		return Amount{}, fmt.Errorf("%s to %s: %w", a.currency, to, ErrNoRate)
	}
	minor, err := MulMulDiv(a.minor, into, to.Unit(), from, a.currency.Unit())
	if err != nil {
		return Amount{}, fmt.Errorf("%s to %s: %w", a, to, err)
	}
	return Amount{minor, to}, nil
}

// Words are a rate as it can be recomputed by hand: both legs of a cross rate.
func (r *Rates) Words(from, to Currency) string {
	text := r.CrossText(from, to)
	if r.Typed(from, to) || from == r.base || to == r.base {
		if to == r.base && !r.Typed(from, to) { // kept the other way round
			return text + " (1 " + to.String() + " = " + r.Text(from) + " " + from.String() + ")"
		}
		return text
	}
	return text + " (1 " + r.base.String() + " = " + r.Text(from) + " " + from.String() + " = " + r.Text(to) + " " +
		to.String() + ")"
}

// CrossText is the rate from one currency to another to six significant figures, for people to read.
func (r *Rates) CrossText(from, to Currency) string {
	if rate, ok := r.typed[[2]Currency{from, to}]; ok {
		return scaledText(rate, rateScale, 0)
	}
	a, b := r.per[from], r.per[to]
	if a == 0 || b == 0 {
		return ""
	}
	for scale := 12; scale >= 0; scale-- {
		n, err := MulDiv(b, pow10[scale], a)
		if err == nil && n < 1e6 {
			return scaledText(n, scale, 0)
		}
	}
	return ""
}
