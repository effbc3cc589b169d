package markup

import (
	"fmt"
	"strings"

	"plainpelican/core/money"
)

// Ending is how a price's last digits look: ".99", ".95", ".00", "tens" or none.
type Ending string

const (
	// NoEnding leaves a price as it is.
	NoEnding Ending = "none"
	// WholeTens ends in a whole ten of major units, as is common in JPY.
	WholeTens Ending = "tens"
)

// EndingsFor lists the endings that a currency can have, none first.
func EndingsFor(c money.Currency) []Ending {
	if c.Digits() == 0 {
		return []Ending{NoEnding, WholeTens}
	}
	pad := strings.Repeat("0", c.Digits()-2)
	return []Ending{NoEnding, Ending(".99" + pad), Ending(".95" + pad), Ending(".00" + pad), WholeTens}
}

func (e Ending) check(c money.Currency) error {
	for _, known := range EndingsFor(c) {
		if e == known {
			return nil
		}
	}
	return &FieldError{"ending", fmt.Sprintf("A price in %s cannot end in %q.", c, string(e))}
}

// residue is the ending as minor mod modulus = rest; a modulus of 0 is no ending.
func (e Ending) residue(c money.Currency) (modulus, rest int64) {
	switch {
	case e == NoEnding || e == "":
		return 0, 0
	case e == WholeTens:
		return 10 * c.Unit(), 0
	}
	for i := 1; i < len(e); i++ {
		rest = rest*10 + int64(e[i]-'0')
	}
	return c.Unit(), rest
}

// Apply moves a price to the nearest one with the ending, a tie going up, and never
// below floor: where the nearest is, the next up is taken. Applying twice changes nothing.
func (e Ending) Apply(price, floor int64, c money.Currency) int64 {
	modulus, rest := e.residue(c)
	if modulus == 0 {
		return max(price, floor)
	}
	down := price - (price-rest)%modulus
	if down > price {
		down -= modulus
	}
	nearest := down
	if price-down >= down+modulus-price {
		nearest = down + modulus
	}
	for nearest < floor || nearest <= 0 {
		short := max(floor-nearest, 1)
		nearest += (short + modulus - 1) / modulus * modulus
	}
	return nearest
}
