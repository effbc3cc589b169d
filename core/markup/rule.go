// Package markup computes prices: from what an item lands for, by the first rule that
// holds, through formula, floor, ending and ceiling, to the figures a seller decides by.
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

// Rule prices the items its conditions hold for.
type Rule struct {
	// ID names the rule in traces, whatever its index; from 1, once in its list.
	ID int `json:"id"`
	// Off keeps a rule in the list without using it.
	Off        bool       `json:"off,omitempty"`
	Conditions Conditions `json:"conditions"`
	Formula    Formula    `json:"formula"`
	Floor      Floor      `json:"floor"`
	Ending     Ending     `json:"ending"`
	Ceiling    Ceiling    `json:"ceiling"`
	Was        Was        `json:"was"`
}

// Floor is what a price must leave after fees. The supplier's minimum advertised price is
// part of every floor.
type Floor struct {
	// LeastProfit is in the store's currency, 0 or more: no price of a rule sells at a loss.
	LeastProfit money.Amount `json:"least_profit"`
	// LeastMargin is a share of the net price, 0 or more and under 1.
	LeastMargin money.Ratio `json:"least_margin"`
}

// Ceiling is what a price should not pass.
type Ceiling struct {
	// List is the supplier's list price, where there is one.
	List bool `json:"list"`
	// Market is a factor on the middle of the market's prices, where they are known; 0 is none.
	Market money.Ratio `json:"market"`
	// Caps takes the price down to the ceiling where that is not below the floor; a
	// ceiling that does not cap warns.
	Caps bool `json:"caps"`
}

// WasKind is where a "was" price comes from.
type WasKind string

const (
	// NoWas shows none.
	NoWas WasKind = "none"
	// WasPercent is the price raised by a percent.
	WasPercent WasKind = "percent"
	// WasList is the supplier's list price.
	WasList WasKind = "list"
)

// Was says what is shown as the earlier price. It is always above the price, or there is none.
type Was struct {
	Kind WasKind `json:"kind"`
	// Percent is a ratio above 0, for WasPercent.
	Percent money.Ratio `json:"percent"`
	Ending  Ending      `json:"ending"`
}

// Rules is an ordered list for one store's currency; the first rule that holds prices
// an item and the last holds always. Only NewRules makes one, so an illegal list does not exist.
type Rules struct {
	currency money.Currency
	list     []Rule
	// ranges and ready are the rules that are on, made ready.
	ranges []costRange
	ready  []compiled
}

// FieldError says what is wrong with which part of which rule, for a person.
type FieldError struct {
	// Rule is the index of the rule, from 0; -1 where the fault is not one rule's.
	Rule   int
	Field  string
	Reason string
}

func (e *FieldError) Error() string {
	if e.Rule < 0 {
		return e.Reason
	}
	return fmt.Sprintf("Rule %d: %s", e.Rule+1, e.Reason)
}

// MostRules is how many rules a list may hold.
const MostRules = 200

// NewRules checks a list of rules for a store's currency. It returns a *FieldError for
// numbers out of their range, amounts in another currency, bands that leave a gap or
// overlap, an ending that the currency does not have, an id that is missing or used
// twice, or a last rule that does not hold always.
func NewRules(c money.Currency, list ...Rule) (*Rules, error) {
	if len(list) == 0 || len(list) > MostRules {
		return nil,
			&FieldError{-1, "rules",
				fmt.Sprintf("A list has 1 to %d rules; the last one holds for everything.", MostRules)}
	}
	rs := &Rules{currency: c, list: make([]Rule, len(list))}
	ids := map[int]bool{}
	for index, r := range list {
		if err := r.check(c); err != nil {
			err.Rule = index
			return nil, err
		}
		if r.ID < 1 || ids[r.ID] {
			return nil,
				&FieldError{index, "id", fmt.Sprintf("The id %d is not a number from 1 that only this rule has.", r.ID)}
		}
		ids[r.ID] = true
		rs.list[index] = r.clone()
		if !r.Off {
			rs.ranges = append(rs.ranges, costRange{r.Conditions.From.Minor(), r.Conditions.under()})
			rs.ready = append(rs.ready, compile(&rs.list[index], c))
		}
	}
	last := list[len(list)-1]
	switch {
	case last.Off:
		return nil, &FieldError{len(list) - 1, "off", "The last rule holds for everything and cannot be switched off."}
	case !last.Conditions.Everything():
		return nil, &FieldError{len(list) - 1, "conditions", "The last rule must hold for everything."}
	case last.Formula.Kind == Market:
		return nil,
			&FieldError{len(list) - 1, "formula",
				"The last rule must price everything, also what has no market price yet: choose another formula for " +
					"it."}
	}
	return rs, nil
}

func (r Rule) clone() Rule {
	r.Conditions = r.Conditions.clone()
	r.Formula.Bands = slices.Clone(r.Formula.Bands)
	r.Ending.Allowed = slices.Clone(r.Ending.Allowed)
	r.Was.Ending.Allowed = slices.Clone(r.Was.Ending.Allowed)
	return r
}

// Currency is the currency the rules price in.
func (rs *Rules) Currency() money.Currency { return rs.currency }

// List is a copy of the rules in order.
func (rs *Rules) List() []Rule {
	list := make([]Rule, len(rs.list))
	for i, r := range rs.list {
		list[i] = r.clone()
	}
	return list
}

func (r Rule) check(c money.Currency) *FieldError {
	for _, check := range []func(money.Currency) *FieldError{r.Conditions.check, r.Formula.check, r.Floor.check,
		r.Ending.check, r.Ceiling.check, r.Was.check} {
		if err := check(c); err != nil {
			return err
		}
	}
	return nil
}

func (f Floor) check(c money.Currency) *FieldError {
	switch {
	case f.LeastProfit.Currency() != c:
		return wrong("least_profit", "The least profit must be in the store's currency, %s.", c)
	case f.LeastProfit.Negative():
		return wrong("least_profit", "The least profit must be 0 or more.")
	case f.LeastMargin < 0 || f.LeastMargin >= money.One:
		return wrong("least_margin", "The least margin must be from 0 to under 100 %%.")
	}
	return nil
}

func (g Ceiling) check(money.Currency) *FieldError {
	switch {
	case g.Market < 0 || g.Market > 100*money.One:
		return wrong("ceiling", "The ceiling must be more than 0 and at most 100 times the market median.")
	case g.Caps && !g.List && g.Market == 0:
		return wrong("ceiling", "A cap needs a ceiling: the list price, or a factor on the market median.")
	}
	return nil
}

func (w Was) check(c money.Currency) *FieldError {
	switch {
	case w.Kind != NoWas && w.Kind != WasPercent && w.Kind != WasList:
		return wrong("was", "%q is not a was price: choose none, percent or list.", w.Kind)
	case w.Kind == WasPercent && (w.Percent <= 0 || w.Percent > 10*money.One):
		return wrong("was", "The was price must be raised by more than 0 and at most 1,000 %%.")
	}
	if err := w.Ending.check(c); err != nil {
		err.Field = "was"
		return err
	}
	return nil
}

func wrong(field, format string, args ...any) *FieldError {
	return &FieldError{-1, field, fmt.Sprintf(format, args...)}
}

// Terms are what a store takes off each sale.
type Terms struct {
	// PaymentPercent and PaymentFixed are the payment fee; Returns an allowance as a share of the price.
	PaymentPercent money.Ratio  `json:"payment_percent"`
	PaymentFixed   money.Amount `json:"payment_fixed"`
	Returns        money.Ratio  `json:"returns"`
	// Tax is the sales tax rate included in prices; 0 where prices are shown without tax.
	Tax money.Ratio `json:"tax"`
}

// Check returns a *FieldError where terms in a store's currency cannot be.
func (t Terms) Check(c money.Currency) error {
	switch {
	case t.PaymentPercent < 0 || t.PaymentPercent > money.One/2:
		return wrong("payment_percent", "The payment fee must be from 0 to 50 %%.")
	case t.PaymentFixed.Currency() != c:
		return wrong("payment_fixed", "The fixed payment fee must be in the store's currency, %s.", c)
	case t.PaymentFixed.Negative():
		return wrong("payment_fixed", "The fixed payment fee must be 0 or more.")
	case t.Returns < 0 || t.Returns > money.One/2:
		return wrong("returns", "The returns allowance must be from 0 to 50 %%.")
	case t.Tax < 0 || t.Tax > money.One:
		return wrong("tax", "The tax must be from 0 to 100 %%.")
	}
	return nil
}

// noPrice is that fees and tax eat every price. Each is the other to errors.Is: they differ in what they say.
type noPrice string

func (n noPrice) Error() string { return string(n) }

// Is tells that another is that no price does either.
func (noPrice) Is(target error) bool { _, is := target.(noPrice); return is }

var (
	// ErrNoPrice is returned where no price reaches the margin that a rule wants, ErrNoProfit where none leaves a
	// profit at all.
	ErrNoPrice  error = noPrice("no price reaches that margin")
	ErrNoProfit error = noPrice("fees, returns and tax take the whole of every price, so that none leaves a profit")
	// ErrBelowNothing is returned for a cost or a known price below nothing.
	ErrBelowNothing = errors.New("an amount is negative")
)
