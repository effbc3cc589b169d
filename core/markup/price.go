package markup

import (
	"plainpelican/core/landed"
	"plainpelican/core/money"
)

// Item is what a price is asked for.
type Item struct {
	Source    string
	ShipsFrom string
	Cost      landed.Cost
}

// Figures are a price and what it leaves. All amounts are in the store's currency.
type Figures struct {
	Landed money.Amount `json:"landed"`
	Price  money.Amount `json:"price"`
	// Net is the price without included tax: N = G / (1+t).
	Net money.Amount `json:"net"`
	// Fees are F = p*G + f + a*G.
	Fees money.Amount `json:"fees"`
	// Profit is N - L - F, and also what may be spent on advertising an order before it loses.
	Profit money.Amount `json:"profit"`
	// Margin is P / N.
	Margin money.Ratio `json:"margin"`
	// Markup is (N - L) / L; zero where the item lands for nothing.
	Markup money.Ratio `json:"markup"`
	// BreakEven is the return on ad spend that neither wins nor loses, G / P; zero where P is not positive.
	BreakEven money.Ratio `json:"break_even"`
	// Rule is the place of the rule that priced it, from 0; -1 for a typed price.
	Rule int `json:"rule"`
	// RaisedToFloor tells that the least profit decided, not the formula.
	RaisedToFloor bool `json:"raised_to_floor"`
}

// Price finds the first rule that holds and works out the price and its figures.
// The trace, where one is given, is filled with every step.
// It returns money.ErrMixed for a cost in another currency, ErrNoPrice where fees and
// tax leave nothing, and money.ErrTooLarge.
func (rs *Rules) Price(item Item, terms Terms, trace *Trace) (Figures, error) {
	total, err := item.Cost.Total()
	if err != nil {
		return Figures{}, err
	}
	if total.Currency() != rs.currency {
		return Figures{}, money.ErrMixed
	}
	place := 0
	for !rs.list[place].Conditions.hold(&item, total.Minor()) {
		place++
	}
	rule := &rs.list[place]
	trace.land(item.Cost, total)

	price, err := money.MulMulDiv(total.Minor(), int64(rule.Formula.factor()), int64(money.One+terms.Tax), int64(money.One), int64(money.One))
	if err != nil {
		return Figures{}, err
	}
	trace.formula(rule, terms, money.New(price, rs.currency))

	ended, raised, err := rs.guard(rule, price, total, terms, trace)
	if err != nil {
		return Figures{}, err
	}
	trace.ending(rule, money.New(ended, rs.currency))

	figures, err := Judge(total, money.New(ended, rs.currency), terms)
	if err != nil {
		return Figures{}, err
	}
	figures.Rule, figures.RaisedToFloor = place, raised
	trace.figures(figures)
	return figures, nil
}

// guard ends a price without going below the floor, and tells whether the floor decided.
// The floor is worked out to the minor unit only where the price may be under it, or where
// a trace says what it is.
func (rs *Rules) guard(rule *Rule, price int64, total money.Amount, terms Terms, trace *Trace) (ended int64, raised bool, err error) {
	safe, err := safePrice(total, rule.LeastProfit, terms)
	if err != nil {
		return 0, false, err
	}
	if trace == nil && price >= safe {
		if ended = rule.Ending.Apply(price, 0, rs.currency); ended >= safe {
			return ended, false, nil
		}
	}
	floor, err := floorPrice(safe, total, rule.LeastProfit, terms)
	if err != nil {
		return 0, false, err
	}
	raised = price < floor
	trace.floor(rule, money.New(floor, rs.currency), raised)
	return rule.Ending.Apply(max(price, floor), floor, rs.currency), raised, nil
}

// Judge works out the figures of a given price, such as a typed one.
func Judge(total, price money.Amount, terms Terms) (Figures, error) {
	f := Figures{Landed: total, Price: price, Rule: -1}
	net, err := money.MulDiv(price.Minor(), int64(money.One), int64(money.One+terms.Tax))
	if err != nil {
		return Figures{}, err
	}
	f.Net = money.New(net, price.Currency())
	if f.Fees, err = fees(price, terms); err != nil {
		return Figures{}, err
	}
	kept, err := f.Net.Sub(total)
	if err != nil {
		return Figures{}, err
	}
	if f.Profit, err = kept.Sub(f.Fees); err != nil {
		return Figures{}, err
	}
	f.Margin = money.RatioOf(f.Profit, f.Net)
	f.Markup = money.RatioOf(kept, total)
	if f.Profit.Minor() > 0 {
		f.BreakEven = money.RatioOf(price, f.Profit)
	}
	return f, nil
}

// fees are p*G + f + a*G: the two shares rounded together, once.
func fees(price money.Amount, terms Terms) (money.Amount, error) {
	share, err := price.Share(terms.PaymentPercent + terms.Returns)
	if err != nil || terms.PaymentFixed == (money.Amount{}) {
		return share, err
	}
	return share.Add(terms.PaymentFixed)
}

// safePrice is a price in minor units from which on every price leaves the least profit:
// G = (L+f+P) / (1/(1+t) - p - a) for a profit of one minor unit more than is wanted, since
// rounding may lower a profit by one at most.
func safePrice(total, least money.Amount, terms Terms) (int64, error) {
	wanted := total.Minor() + least.Minor() + terms.PaymentFixed.Minor() + 1
	one, gross := int64(money.One), int64(money.One+terms.Tax)
	// 1/(1+t) - p - a = (1 - (p+a)(1+t)) / (1+t), in millionths of millionths.
	taken := int64(terms.PaymentPercent+terms.Returns) * gross
	if taken >= one*one {
		return 0, ErrNoPrice
	}
	price, err := money.MulMulDiv(wanted, gross, one, one*one-taken, 1)
	return price + 1, err
}

// floorPrice is the lowest price from which on every price leaves the least profit, found
// downwards from a safe one.
func floorPrice(safe int64, total, least money.Amount, terms Terms) (int64, error) {
	for ; safe > 0; safe-- {
		profit, err := profitAt(safe-1, total, terms)
		if err != nil {
			return 0, err
		}
		if profit < least.Minor() {
			break
		}
	}
	return safe, nil
}

func profitAt(price int64, total money.Amount, terms Terms) (int64, error) {
	net, err := money.MulDiv(price, int64(money.One), int64(money.One+terms.Tax))
	if err != nil {
		return 0, err
	}
	taken, err := fees(money.New(price, total.Currency()), terms)
	return net - total.Minor() - taken.Minor(), err
}
