package money

import (
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"strings"
)

var (
	// ErrMixed is returned when amounts of two currencies meet in one sum.
	ErrMixed = errors.New("amounts in two currencies cannot be added")
	// ErrTooLarge is returned when a result does not fit 63 bits of minor units.
	ErrTooLarge = errors.New("the amount is too large")
	// ErrNotAnAmount is returned for text that is not a decimal amount.
	ErrNotAnAmount = errors.New("not an amount")
)

// Amount is a sum of money: whole minor units of one currency.
// The zero value is nothing, in no currency.
type Amount struct {
	minor    int64
	currency Currency
}

// New makes an amount of minor units: New(1999, USD) is 19.99 USD.
func New(minor int64, c Currency) Amount { return Amount{minor, c} }

// Zero is no money, in currency c.
func Zero(c Currency) Amount { return Amount{0, c} }

// Minor is the number of minor units.
func (a Amount) Minor() int64 { return a.minor }

// Currency is the amount's currency.
func (a Amount) Currency() Currency { return a.currency }

// IsZero tells whether the amount is nothing, in whatever currency.
func (a Amount) IsZero() bool { return a.minor == 0 }

// Negative tells whether the amount is below zero.
func (a Amount) Negative() bool { return a.minor < 0 }

// Add is a + b, or ErrMixed, or ErrTooLarge.
func (a Amount) Add(b Amount) (Amount, error) {
	if a.currency != b.currency {
		return Amount{}, fmt.Errorf("%s and %s: %w", a, b, ErrMixed)
	}
	sum := a.minor + b.minor
	if (sum > a.minor) != (b.minor > 0) && b.minor != 0 {
		return Amount{}, ErrTooLarge
	}
	return Amount{sum, a.currency}, nil
}

// Sub is a - b, or ErrMixed, or ErrTooLarge.
func (a Amount) Sub(b Amount) (Amount, error) {
	if b.minor == math.MinInt64 {
		return Amount{}, ErrTooLarge
	}
	return a.Add(Amount{-b.minor, b.currency})
}

// Times is n pieces of a, or ErrTooLarge.
func (a Amount) Times(n int64) (Amount, error) {
	product := a.minor * n
	if a.minor != 0 && (product/a.minor != n || (a.minor == -1 && n == math.MinInt64)) {
		return Amount{}, ErrTooLarge
	}
	return Amount{product, a.currency}, nil
}

// Share is the ratio r of a, rounded half away from zero to the minor unit.
func (a Amount) Share(r Ratio) (Amount, error) {
	if a.minor >= 0 && a.minor < 1<<31 && r >= 0 && r < 1<<31 {
		// fits; dividing by a constant is quick
		return Amount{(a.minor*int64(r) + int64(One)/2) / int64(One), a.currency}, nil
	}
	minor, err := MulDiv(a.minor, int64(r), int64(One))
	return Amount{minor, a.currency}, err
}

// Decimal writes the amount in major units with exactly the currency's digits: 19.99, 1200, 3.500.
func (a Amount) Decimal() string {
	return scaledText(a.minor, a.currency.Digits(), a.currency.Digits())
}

// String writes the amount with its code: 19.99 USD.
func (a Amount) String() string {
	if a.currency == 0 {
		return a.Decimal()
	}
	return a.Decimal() + " " + a.currency.String()
}

// Parse reads decimal text in major units, such as 19.99. More decimals than the
// currency has are an error unless they are zeros; nothing is rounded away.
func Parse(text string, c Currency) (Amount, error) {
	minor, err := parseScaled(strings.TrimSpace(text), c.Digits())
	if err != nil {
		return Amount{}, fmt.Errorf("%q in %s: %w", text, c, err)
	}
	return Amount{minor, c}, nil
}

// ParseRounded is Parse for prices that are quoted finer than the currency is, such as a tenth
// of a cent: what is finer is rounded half away from zero.
func ParseRounded(text string, c Currency) (Amount, error) {
	text = strings.TrimSpace(text)
	whole, fraction, _ := strings.Cut(text, ".")
	digits := c.Digits()
	if len(fraction) <= digits {
		return Parse(text, c)
	}
	kept := whole
	if digits > 0 {
		kept += "." + fraction[:digits]
	}
	a, err := Parse(kept, c)
	if err == nil && !allDigits(fraction) {
		err = fmt.Errorf("%q in %s: %w", text, c, ErrNotAnAmount)
	}
	if err != nil || fraction[digits] < '5' {
		return a, err
	}
	if strings.HasPrefix(text, "-") {
		return a.Sub(New(1, c))
	}
	return a.Add(New(1, c))
}

// MustParse is Parse for text known when the program is written; it panics on an error.
func MustParse(text string, code string) Amount {
	a, err := Parse(text, MustCurrency(code))
	if err != nil {
		panic(err)
	}
	return a
}

type amountJSON struct {
	Value    string   `json:"value"`
	Currency Currency `json:"currency"`
}

// MarshalJSON writes {"value": "19.99", "currency": "USD"}: decimal text, so that no reader rounds it.
func (a Amount) MarshalJSON() ([]byte, error) {
	return json.Marshal(amountJSON{a.Decimal(), a.currency})
}

// UnmarshalJSON reads what MarshalJSON writes.
func (a *Amount) UnmarshalJSON(data []byte) error {
	var read amountJSON
	if err := json.Unmarshal(data, &read); err != nil {
		return err
	}
	parsed, err := Parse(read.Value, read.Currency)
	if err != nil {
		return err
	}
	*a = parsed
	return nil
}
