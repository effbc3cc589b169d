package markup

import (
	"math"
	"slices"
	"strings"

	"plainpelican/core/money"
)

// Ending is how a price's last digits may look. No allowed ending leaves a price as it is.
type Ending struct {
	// Allowed are decimals with the currency's digits (".99"; ".990" in KWD), the last digits of a currency without
	// decimals ("80", "980" in JPY), "tens" or "hundreds".
	Allowed []string `json:"allowed"`
	// Up takes the next allowed price up; otherwise the nearest, a tie going up.
	Up bool `json:"up"`
}

// NoEnding leaves a price as it is.
var NoEnding = Ending{Allowed: []string{}}

const (
	// WholeTens ends in a whole ten of major units, as is common in JPY.
	WholeTens = "tens"
	// WholeHundreds ends in a whole hundred of major units.
	WholeHundreds = "hundreds"
)

// EndingsFor lists endings that are common in a currency; any decimals are allowed.
func EndingsFor(c money.Currency) []string {
	if c.Digits() == 0 {
		return []string{WholeTens, WholeHundreds, "80", "980"}
	}
	pad := strings.Repeat("0", c.Digits())
	var list []string
	for _, common := range []string{".99", ".95", ".90", ".50", ".49", ".00"} {
		list = append(list, (common + pad)[:c.Digits()+1])
	}
	return append(slices.Compact(list), WholeTens)
}

func (e Ending) check(c money.Currency) *FieldError {
	if len(e.Allowed) > 10 {
		return wrong("ending", "At most 10 endings can be allowed.")
	}
	for _, one := range e.Allowed {
		if _, ok := residueOf(one, c); !ok {
			return wrong("ending", "A price in %s cannot end in %q.", c, one)
		}
	}
	return nil
}

// residue is an ending as minor mod modulus = rest.
type residue struct{ modulus, rest int64 }

func residueOf(ending string, c money.Currency) (residue, bool) {
	switch ending {
	case WholeTens:
		return residue{10 * c.Unit(), 0}, true
	case WholeHundreds:
		return residue{100 * c.Unit(), 0}, true
	}
	if c.Digits() == 0 { // "80": its last digits
		if len(ending) < 1 || len(ending) > 6 {
			return residue{}, false
		}
		r := residue{1, 0}
		for _, digit := range []byte(ending) {
			if digit < '0' || digit > '9' {
				return residue{}, false
			}
			r.modulus, r.rest = r.modulus*10, r.rest*10+int64(digit-'0')
		}
		return r, true
	}
	if len(ending) != c.Digits()+1 || ending[0] != '.' {
		return residue{}, false
	}
	var rest int64
	for _, digit := range []byte(ending[1:]) {
		if digit < '0' || digit > '9' {
			return residue{}, false
		}
		rest = rest*10 + int64(digit-'0')
	}
	return residue{c.Unit(), rest}, true
}

// endings is an Ending made ready for a currency.
type endings struct {
	allowed []residue
	up      bool
}

func (e Ending) ready(c money.Currency) endings {
	out := endings{up: e.Up}
	for _, one := range e.Allowed {
		if r, ok := residueOf(one, c); ok {
			out.allowed = append(out.allowed, r)
		}
	}
	return out
}

// around are the highest price up to a given one with one of the endings, 0 or less where
// there is none, and the lowest from it on.
func (e endings) around(price int64) (below, above int64) {
	below, above = math.MinInt64, math.MaxInt64
	for _, r := range e.allowed {
		down := r.below(price)
		below = max(below, down)
		if down < price || down <= 0 {
			down += r.modulus
		}
		above = min(above, down)
	}
	return below, above
}

// atOrBelow is the highest price up to most with one of the endings; 0 or less where there is none.
func (e endings) atOrBelow(most int64) int64 {
	below, _ := e.around(most)
	return below
}

// below is the highest price with the ending up to most.
func (r residue) below(most int64) int64 {
	over := most - r.rest
	if over >= 0 && over <= math.MaxUint32 && r.modulus <= math.MaxUint32 {
		return most - int64(uint32(over)%uint32(r.modulus)) // the same, and much the cheaper
	}
	if over %= r.modulus; over < 0 {
		over += r.modulus
	}
	return most - over
}

// apply moves a price to the nearest with one of the endings, a tie going up, or the next
// up, and never below floor: where the nearest is, the next up from the floor is taken.
// Applying twice changes nothing. Prices are more than nothing.
func (e endings) apply(price, floor int64) int64 {
	if len(e.allowed) == 0 {
		return max(price, floor)
	}
	below, ended := e.around(max(price, 1))
	if !e.up && below > 0 && price-below < ended-price {
		ended = below
	}
	if ended < floor {
		_, ended = e.around(floor)
	}
	return ended
}

// Apply moves a price in minor units to an allowed one, never below floor.
func (e Ending) Apply(price, floor int64, c money.Currency) int64 {
	return e.ready(c).apply(price, floor)
}
