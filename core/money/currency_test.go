package money

import (
	"errors"
	"testing"

	"golang.org/x/text/currency"
)

// deviating are the currencies for which CLDR, whose data golang.org/x/text carries, gives
// another number of digits than ISO 4217 list one (2024-06-25): what is used in practice
// instead of what is laid down, with CLDR's digits. Ours follow ISO 4217.
var deviating = map[string]int{
	"AFN": 0, "ALL": 0, "AMD": 0, "COP": 0, "GYD": 0, "IDR": 0, "IQD": 0, "IRR": 0, "KPW": 0, "LAK": 0, "LBP": 0,
	"MGA": 0, "MMK": 0, "MNT": 0, "MUR": 0, "PKR": 0, "RSD": 0, "SOS": 0, "SYP": 0, "TZS": 0, "UZS": 0, "YER": 0,
}

// Outside source: ISO 4217 through the CLDR data in golang.org/x/text.
func TestDigitsAgreeWithCLDR(t *testing.T) {
	compared := 0
	for _, c := range Currencies() {
		unit, err := currency.ParseISO(c.String())
		if err != nil {
			continue // CLDR does not know fund codes
		}
		compared++
		digits, _ := currency.Standard.Rounding(unit)
		cldr := c.Digits()
		if inPractice, ok := deviating[c.String()]; ok {
			cldr = inPractice
		}
		if digits != cldr {
			t.Errorf("%s has %d digits here, %d in CLDR", c, c.Digits(), digits)
		}
	}
	if compared < 140 {
		t.Fatalf("only %d currencies were compared", compared)
	}
}

func TestCurrencies(t *testing.T) {
	for code, digits := range map[string]int{"JPY": 0, "USD": 2, "EUR": 2, "KWD": 3, "CLF": 4} {
		c, err := ParseCurrency(code)
		if err != nil || c.Digits() != digits || c.String() != code || c.Name() == "" {
			t.Errorf("%s: %v, %d digits, %v", code, c, c.Digits(), err)
		}
	}
	if c, err := ParseCurrency(" usd "); err != nil || c != MustCurrency("USD") {
		t.Errorf("lower case: %v %v", c, err)
	}
	for _, wrong := range []string{"", "US", "XXQ", "DOLLAR", "XAU"} {
		if _, err := ParseCurrency(wrong); !errors.Is(err, ErrUnknownCurrency) {
			t.Errorf("%q: %v", wrong, err)
		}
	}
}
