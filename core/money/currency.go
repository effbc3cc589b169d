// Package money holds amounts of money, exchange rates and percentages, exactly.
//
// An amount is an integer of minor units with its ISO 4217 currency. Amounts in
// different currencies are never added: Add and Sub return ErrMixed. Products are
// taken in 128 bits and rounded once, half away from zero. There is no floating point.
package money

import (
	"errors"
	"fmt"
	"slices"
	"strings"
)

// Currency is an ISO 4217 currency. The zero value is no currency.
type Currency uint16

type currencyInfo struct {
	code   string
	digits int
	name   string
}

// ErrUnknownCurrency is returned for a code that ISO 4217 does not list.
var ErrUnknownCurrency = errors.New("not a currency of ISO 4217")

// ParseCurrency finds a currency by its three-letter code, in either case.
func ParseCurrency(code string) (Currency, error) {
	upper := strings.ToUpper(strings.TrimSpace(code))
	i, ok := slices.BinarySearchFunc(iso4217[:], upper, func(c currencyInfo, s string) int {
		return strings.Compare(c.code, s)
	})
	if !ok || i == 0 {
		return 0, fmt.Errorf("%q: %w", code, ErrUnknownCurrency)
	}
	return Currency(i), nil
}

// MustCurrency is ParseCurrency for codes known when the program is written; it panics on others.
func MustCurrency(code string) Currency {
	c, err := ParseCurrency(code)
	if err != nil {
		panic(err)
	}
	return c
}

// Currencies lists every currency that has minor units, in order of code.
func Currencies() []Currency {
	all := make([]Currency, 0, len(iso4217)-1)
	for i := 1; i < len(iso4217); i++ {
		all = append(all, Currency(i))
	}
	return all
}

// String is the three-letter code, or the empty string for no currency.
func (c Currency) String() string { return iso4217[c].code }

// Name is the currency's English name in ISO 4217.
func (c Currency) Name() string { return iso4217[c].name }

// Digits is the number of decimals of the minor unit: 0 for JPY, 2 for USD, 3 for KWD.
func (c Currency) Digits() int { return iso4217[c].digits }

// Unit is how many minor units make one major unit: 1, 100, 1000.
func (c Currency) Unit() int64 { return pow10[c.Digits()] }

// MarshalText writes the code.
func (c Currency) MarshalText() ([]byte, error) { return []byte(c.String()), nil }

// UnmarshalText reads a code; an empty one is no currency.
func (c *Currency) UnmarshalText(text []byte) error {
	if len(text) == 0 {
		*c = 0
		return nil
	}
	parsed, err := ParseCurrency(string(text))
	*c = parsed
	return err
}
