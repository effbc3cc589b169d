package money

import (
	"fmt"
	"math/big"
	"math/rand/v2"
	"testing"
)

// The oracle is math/big: the exact value in minor units, half away from zero.
func TestParseRoundedAgreesWithBigRat(t *testing.T) {
	r := rand.New(rand.NewPCG(6, 1))
	for range 20_000 {
		c := MustCurrency([]string{"USD", "JPY", "KWD"}[r.IntN(3)])
		text := fmt.Sprint(r.IntN(100_000))
		if n := r.IntN(8); n > 0 {
			text += fmt.Sprintf(".%0*d", n, r.IntN(pow(n)))
		}
		if r.IntN(4) == 0 {
			text = "-" + text
		}
		exact, ok := new(big.Rat).SetString(text)
		if !ok {
			t.Fatal(text)
		}
		want := halfAway(exact.Mul(exact, new(big.Rat).SetInt64(c.Unit())))
		if got, err := ParseRounded(text, c); err != nil || got.Minor() != want.Int64() || got.Currency() != c {
			t.Fatalf("%s in %s: %v %v, want %s minor units", text, c, got, err, want)
		}
	}
	for _, text := range []string{"", "call", "1.2x", "1.23x", "1.234x", "1.2.3456", "--1.234", "1e5",
		"99999999999999999999.999"} {
		if got, err := ParseRounded(text, MustCurrency("USD")); err == nil {
			t.Errorf("%q: %v", text, got)
		}
	}
}

func pow(n int) int {
	p := 1
	for range n {
		p *= 10
	}
	return p
}
