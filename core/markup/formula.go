package markup

import (
	"fmt"
	"math"
	"math/bits"
	"slices"

	"plainpelican/core/money"
)

// FormulaKind names a formula.
type FormulaKind string

const (
	// Percent adds a share of the cost to it.
	Percent FormulaKind = "percent"
	// Multiple takes the cost so many times.
	Multiple FormulaKind = "multiple"
	// Fixed adds an amount to the cost.
	Fixed FormulaKind = "fixed"
	// PercentPlus adds a share of the cost and an amount.
	PercentPlus FormulaKind = "percent_plus"
	// Margin reaches a margin after fees: G = (L+f) / ((1-m)/(1+t) - p - a).
	Margin FormulaKind = "margin"
	// Profit reaches a profit after fees: G = (L+f+P) / (1/(1+t) - p - a).
	Profit FormulaKind = "profit"
	// Market stands a percent above (or, negative, below) the middle of the market's
	// prices. A rule with it holds only for items whose market price is known.
	Market FormulaKind = "market"
)

// CostBasis is the cost that a formula and its bands work on.
type CostBasis string

const (
	// OnLanded works on what the item lands for.
	OnLanded CostBasis = "landed"
	// OnItem works on the supplier's price alone; for percent, multiple and fixed formulas.
	OnItem CostBasis = "item"
)

// Formula is how a rule gets from the cost to a price before floor and ending.
type Formula struct {
	Kind  FormulaKind `json:"kind"`
	Basis CostBasis   `json:"basis"`
	// Bands are the formula's numbers by cost, [from, next from): the first from 0, each
	// from above the one before, the last without an end.
	Bands []Band `json:"bands"`
}

// Band is a formula's numbers from a cost on. To says where the band ends, and is checked
// against the next; no amount is no end.
type Band struct {
	From money.Amount `json:"from"`
	To   money.Amount `json:"to,omitzero"`
	// Ratio is the percent as a ratio (60 % is 0.6), the multiple (2.2), the margin, or the
	// position against the market (-0.05 is 5 % below).
	Ratio money.Ratio `json:"ratio"`
	// Amount is what is added, or the profit.
	Amount money.Amount `json:"amount,omitzero"`
}

// Flat is a formula with the same numbers for every cost, on landed cost.
func Flat(kind FormulaKind, ratio money.Ratio, amount money.Amount, c money.Currency) Formula {
	return Formula{Kind: kind, Basis: OnLanded, Bands: []Band{{From: money.Zero(c), Ratio: ratio, Amount: amount}}}
}

func (k FormulaKind) costBased() bool {
	return k == Percent || k == Multiple || k == Fixed || k == PercentPlus
}

func (k FormulaKind) needsAmount() bool { return k == Fixed || k == PercentPlus || k == Profit }

func (f Formula) check(c money.Currency) *FieldError {
	known := []FormulaKind{Percent, Multiple, Fixed, PercentPlus, Margin, Profit, Market}
	switch {
	case !slices.Contains(known, f.Kind):
		return wrong("formula",
			"%q is not a way to price: choose percent, multiple, fixed, percent_plus, margin, profit or market.",
			f.Kind)
	case f.Basis != OnLanded && f.Basis != OnItem:
		return wrong("basis", "%q is not a cost to work on: choose landed or item.", f.Basis)
	case f.Basis == OnItem && !f.Kind.costBased():
		return wrong("basis", "A %s formula works on landed cost.", f.Kind)
	case len(f.Bands) == 0 || len(f.Bands) > 50:
		return wrong("bands", "A formula has 1 to 50 cost bands.")
	}
	for _, b := range f.Bands {
		if err := b.check(f.Kind, c); err != nil {
			return err
		}
	}
	return f.checkBands(c)
}

// checkBands names the first gap or overlap.
func (f Formula) checkBands(c money.Currency) *FieldError {
	if first := f.Bands[0].From; !first.IsZero() {
		return wrong("bands", "The cost bands leave a gap from 0 to %s.", first)
	}
	for i, b := range f.Bands {
		end := b.To != (money.Amount{})
		if i == len(f.Bands)-1 {
			if end {
				return wrong("bands", "The cost bands leave a gap from %s on.", b.To)
			}
			break
		}
		next := f.Bands[i+1].From
		switch {
		case next.Minor() <= b.From.Minor():
			return wrong("bands", "The cost bands from %s and from %s overlap.", b.From, next)
		case end && b.To.Minor() < next.Minor():
			return wrong("bands", "The cost bands leave a gap from %s to %s.", b.To, next)
		case end && b.To.Minor() > next.Minor():
			return wrong("bands", "The cost bands overlap from %s to %s.", next, b.To)
		}
	}
	return nil
}

func (b Band) check(kind FormulaKind, c money.Currency) *FieldError {
	none := money.Amount{}
	switch {
	case b.From.Currency() != c || (b.To != none && b.To.Currency() != c):
		return wrong("bands", "Cost bands must be in the store's currency, %s.", c)
	case kind.needsAmount() && b.Amount.Currency() != c:
		return wrong("amount", "The amount must be in the store's currency, %s.", c)
	case b.Amount.Negative():
		return wrong("amount", "The amount must be 0 or more.")
	case (kind == Percent || kind == PercentPlus) && b.Ratio < 0:
		return wrong("ratio", "The percent must be 0 or more: a negative one sells below cost.")
	case kind == Multiple && b.Ratio < money.One:
		return wrong("ratio", "The multiple must be 1 or more: a smaller one sells below cost.")
	case kind == Margin && (b.Ratio < 0 || b.Ratio >= money.One):
		return wrong("ratio", "The margin must be from 0 to under 100 %%.")
	case kind == Market && (b.Ratio <= -money.One || b.Ratio > 10*money.One):
		return wrong("ratio", "The position against the market must be above -100 %% and at most 1,000 %%.")
	case b.Ratio > 1000*money.One:
		return wrong("ratio", "The markup must stay under 1,000 times the cost.")
	}
	return nil
}

// band finds the numbers for a cost: the last band that begins at or below it.
func (r *compiled) band(cost int64) *Band {
	band := len(r.bands) - 1
	for band > 0 && r.bands[band] > cost {
		band--
	}
	return &r.rule.Formula.Bands[band]
}

// raw is the price before floor and ending, in minor units.
func (f *Formula) raw(b *Band, item *Item, total, cost int64, t *Terms) (int64, error) {
	switch f.Kind {
	case Percent:
		return grossed(cost, money.One+b.Ratio, 0, t.Tax)
	case Multiple:
		return grossed(cost, b.Ratio, 0, t.Tax)
	case Fixed:
		return grossed(cost, money.One, b.Amount.Minor(), t.Tax)
	case PercentPlus:
		return grossed(cost, money.One+b.Ratio, b.Amount.Minor(), t.Tax)
	case Margin:
		return reaching(total+t.PaymentFixed.Minor(), b.Ratio, t)
	case Profit:
		return reaching(total+t.PaymentFixed.Minor()+b.Amount.Minor(), 0, t)
	default: // Market; the rule holds only where its price is known
		return money.MulDiv(item.Market.Minor(), int64(money.One+b.Ratio), int64(money.One))
	}
}

// grossed is (cost*factor + amount) * (1+t), computed exactly and rounded once.
func grossed(cost int64, factor money.Ratio, amount int64, tax money.Ratio) (int64, error) {
	one := int64(money.One)
	high, net := bits.Mul64(uint64(max(cost, 0)), uint64(factor))
	more, carry := bits.Mul64(uint64(max(amount, 0)), uint64(one))
	net, over := bits.Add64(net, carry, 0)
	if high != 0 || more != 0 || over != 0 || net > math.MaxInt64 {
		return 0, money.ErrTooLarge
	}
	if tax == 0 {
		return (int64(net) + one/2) / one, nil
	}
	return money.MulDiv(int64(net), one+int64(tax), one*one)
}

// reaching is kept / ((1-m)/(1+t) - p - a): the price that leaves margin m after kept.
func reaching(kept int64, margin money.Ratio, t *Terms) (int64, error) {
	one, gross := int64(money.One), int64(money.One+t.Tax)
	// (1-m)/(1+t) - p - a = ((1-m) - (p+a)(1+t)) / (1+t), in millionths of millionths.
	left := int64(money.One-margin)*one - int64(t.PaymentPercent+t.Returns)*gross
	if left <= 0 && margin == 0 {
		return 0, ErrNoProfit
	}
	if left <= 0 {
		return 0, ErrNoPrice
	}
	if t.Tax == 0 && kept >= 0 && kept < 1<<43 {
		left /= one // exact, since a millionth is the unit
		return (kept*one + left/2) / left, nil
	}
	return money.MulMulDiv(kept, gross, one, left, 1)
}

// AtMargin is the price that leaves a margin after fees, from 0 to under 1, rounded to the
// minor unit; ErrNoPrice where none does.
func AtMargin(total money.Amount, margin money.Ratio, t Terms) (money.Amount, error) {
	price, err := reaching(total.Minor()+t.PaymentFixed.Minor(), margin, &t)
	return money.New(price, total.Currency()), err
}

// AtMarkup is the price whose net is the landed cost plus a share of it.
func AtMarkup(total money.Amount, markup money.Ratio, t Terms) (money.Amount, error) {
	if markup < -money.One {
		return money.Amount{}, fmt.Errorf("a markup of %s %%: %w", markup.PercentText(), ErrNoPrice)
	}
	price, err := grossed(total.Minor(), money.One+markup, 0, t.Tax)
	return money.New(price, total.Currency()), err
}
