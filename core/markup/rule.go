// Package markup computes prices: from what an item lands for, by the first rule that
// holds, through formula, floor and ending, to the figures a seller decides by.
//
// Everything is exact in minor units; each step rounds once, half away from zero.
// Nothing allocates unless a trace is asked for.
package markup

import (
	"errors"
	"fmt"
	"slices"

	"plainpelican/core/money"
)

// Formula is how a rule gets from the landed cost to a price before floor and ending.
type Formula struct {
	Kind FormulaKind `json:"kind"`
	// Ratio is the percent as a ratio (60 % is 0.6), or the multiple (2.2).
	Ratio money.Ratio `json:"ratio"`
}

// FormulaKind names a formula.
type FormulaKind string

const (
	// Percent adds a share of the landed cost to it.
	Percent FormulaKind = "percent"
	// Multiple takes the landed cost so many times.
	Multiple FormulaKind = "multiple"
)

// factor is the ratio of price to landed cost.
func (f Formula) factor() money.Ratio {
	if f.Kind == Percent {
		return money.One + f.Ratio
	}
	return f.Ratio
}

// Conditions say what a rule is for; empty ones hold for everything.
type Conditions struct {
	Source    string `json:"source,omitempty"`
	ShipsFrom string `json:"ships_from,omitempty"`
	// From and Under bound the landed cost, [from, under), in minor units; zero is no bound.
	From  int64 `json:"from,omitempty"`
	Under int64 `json:"under,omitempty"`
}

func (c *Conditions) hold(item *Item, landed int64) bool {
	return (c.Source == "" || c.Source == item.Source) &&
		(c.ShipsFrom == "" || c.ShipsFrom == item.ShipsFrom) &&
		landed >= c.From && (c.Under == 0 || landed < c.Under)
}

// Rule prices the items its conditions hold for.
type Rule struct {
	Conditions Conditions `json:"conditions"`
	Formula    Formula    `json:"formula"`
	// LeastProfit is the profit after fees that a price must leave.
	LeastProfit money.Amount `json:"least_profit"`
	Ending      Ending       `json:"ending"`
}

// Rules is an ordered list for one store's currency; the first rule that holds prices
// an item and the last holds always. Only NewRules makes one, so an illegal list does not exist.
type Rules struct {
	currency money.Currency
	list     []Rule
}

// FieldError says what is wrong with which part of a rule, for a person.
type FieldError struct {
	Field  string
	Reason string
}

func (e *FieldError) Error() string { return e.Reason }

// NewRules checks a list of rules for a store's currency. It returns a *FieldError for
// a multiple under 1, a percent under 0, a floor in another currency or below nothing,
// an ending that the currency does not have, or a last rule with conditions.
func NewRules(c money.Currency, list ...Rule) (*Rules, error) {
	if len(list) == 0 {
		return nil, &FieldError{"rules", "There must be one rule that always holds."}
	}
	for _, r := range list {
		if err := r.check(c); err != nil {
			return nil, err
		}
	}
	if list[len(list)-1].Conditions != (Conditions{}) {
		return nil, &FieldError{"conditions", "The last rule must hold for everything."}
	}
	return &Rules{c, slices.Clone(list)}, nil
}

func (r Rule) check(c money.Currency) error {
	switch {
	case r.Formula.Kind != Percent && r.Formula.Kind != Multiple:
		return &FieldError{"formula", fmt.Sprintf("%q is not a way to mark up: choose percent or multiple.", r.Formula.Kind)}
	case r.Formula.Kind == Percent && r.Formula.Ratio < 0:
		return &FieldError{"ratio", "The percent must be 0 or more: a negative one sells below what the item lands for."}
	case r.Formula.Kind == Multiple && r.Formula.Ratio < money.One:
		return &FieldError{"ratio", "The multiple must be 1 or more: a smaller one sells below what the item lands for."}
	case r.Formula.factor() > 1000*money.One:
		return &FieldError{"ratio", "The markup must stay under 1,000 times the landed cost."}
	case r.LeastProfit.Currency() != c:
		return &FieldError{"least_profit", fmt.Sprintf("The least profit must be in the store's currency, %s.", c)}
	case r.LeastProfit.Negative():
		return &FieldError{"least_profit", "The least profit must be 0 or more."}
	}
	return r.Ending.check(c)
}

// Currency is the currency the rules price in.
func (rs *Rules) Currency() money.Currency { return rs.currency }

// List is a copy of the rules in order.
func (rs *Rules) List() []Rule { return slices.Clone(rs.list) }

// Terms are what a store takes off each sale.
type Terms struct {
	// PaymentPercent and PaymentFixed are the payment fee; Returns an allowance as a share of the price.
	PaymentPercent money.Ratio  `json:"payment_percent"`
	PaymentFixed   money.Amount `json:"payment_fixed"`
	Returns        money.Ratio  `json:"returns"`
	// Tax is the sales tax rate included in prices; 0 where prices are shown without tax.
	Tax money.Ratio `json:"tax"`
}

// ErrNoPrice is returned where fees and tax eat every price.
var ErrNoPrice = errors.New("no price reaches that margin")
