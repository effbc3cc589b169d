package markup

import (
	"math/bits"

	"plainpelican/core/money"
)

// guard holds a price between its floor and its ceiling. The floor is the highest of the
// least profit, the least margin and the supplier's minimum advertised price: the lowest
// price from which on every price is good.
type guard struct {
	r     *compiled
	item  *Item
	total money.Amount
	terms *Terms

	lowest  int64
	decides StepKind // which part of the floor is the highest; 0 until it is worked out
}

// left is what a price is net and what it leaves, in minor units.
func (g *guard) left(price int64) (net, profit int64, err error) {
	net = price
	if g.terms.Tax != 0 {
		if net, err = money.MulDiv(price, int64(money.One), int64(money.One+g.terms.Tax)); err != nil {
			return 0, 0, err
		}
	}
	taken, err := fees(money.New(price, g.total.Currency()), g.terms)
	return net, net - g.total.Minor() - taken.Minor(), err
}

// clear tells, without looking for the floor, that a price is good and all above it are:
// what it leaves exceeds what is wanted by more than rounding can take. Net and fees are
// each rounded by half a unit at most, here and at any higher price.
func (g *guard) clear(price int64) bool {
	net, profit, err := g.left(price)
	floor := &g.r.rule.Floor
	return err == nil && price > 0 && price >= g.item.MinAdvertised.Minor() && profit >= floor.LeastProfit.Minor()+2 &&
		(floor.LeastMargin == 0 || atLeastShare(profit-3, net, floor.LeastMargin))
}

// clearly ends and caps a price where no floor comes near it, which is the common case.
// It reports whether it could; otherwise the price is as it was.
func (g *guard) clearly(price int64, marks *Flags) (int64, bool) {
	ended := g.r.ending.apply(price, 0)
	if !g.clear(min(price, ended)) {
		return price, false
	}
	most, what := g.ceiling()
	if what == "" || ended <= most {
		return ended, true
	}
	if !g.r.rule.Ceiling.Caps {
		marks.OverCeiling = true
		return ended, true
	}
	if capped := g.r.ending.atOrBelow(most); capped > 0 && g.clear(capped) {
		marks.Capped = true
		return capped, true
	}
	return price, false
}

// hold raises a price to the floor, gives it its ending, and takes it down to the ceiling.
func (g *guard) hold(price int64, marks *Flags, trace *Trace) (int64, error) {
	floor, err := g.floor()
	if err != nil {
		return 0, err
	}
	currency := g.total.Currency()
	marks.RaisedToFloor = price < floor
	trace.floor(g, money.New(floor, currency), marks.RaisedToFloor)
	nearest := g.r.ending.apply(max(price, floor), 0)
	price = g.r.ending.apply(max(price, floor), floor)
	trace.ending(g.r, money.New(price, currency), nearest < floor)

	most, what := g.ceiling()
	if what == "" || price <= most {
		return price, nil
	}
	if !g.r.rule.Ceiling.Caps || most < floor {
		marks.OverCeiling = true
		trace.ceiling(g.r.rule, StepOverCeiling, what, money.New(price, currency), money.New(most, currency))
		return price, nil
	}
	marks.Capped = true
	trace.ceiling(g.r.rule, StepCapped, what, money.New(most, currency), money.New(most, currency))
	if ended := g.r.ending.atOrBelow(most); ended >= max(floor, 1) {
		trace.cap(g.r, money.New(ended, currency))
		return ended, nil
	}
	return most, nil
}

// ceiling is what the price should not pass, and whether the list price or the market sets it.
func (g *guard) ceiling() (most int64, what string) {
	ceiling := &g.r.rule.Ceiling
	if ceiling.List && g.item.List.Minor() > 0 {
		most, what = g.item.List.Minor(), "list"
	}
	if ceiling.Market > 0 && g.item.Market.Minor() > 0 {
		market, err := g.item.Market.Share(ceiling.Market)
		if err == nil && (what == "" || market.Minor() < most) {
			most, what = market.Minor(), "market"
		}
	}
	return most, what
}

// floor works the floor out, each part downwards from a price that is safe: rounding may
// lower a profit by one minor unit at most, and raise a margin's share by half.
func (g *guard) floor() (int64, error) {
	if g.decides != 0 {
		return g.lowest, nil
	}
	wanted := g.r.rule.Floor
	kept := g.total.Minor() + g.terms.PaymentFixed.Minor()
	safe, err := reaching(kept+wanted.LeastProfit.Minor()+1, 0, g.terms)
	if err != nil {
		return 0, err
	}
	lowest, err := g.lowestFrom(safe+1, func(_, profit int64) bool { return profit >= wanted.LeastProfit.Minor() })
	if err != nil {
		return 0, err
	}
	decides := StepFloorProfit
	if wanted.LeastMargin > 0 {
		if safe, err = reaching(kept+2, wanted.LeastMargin, g.terms); err != nil {
			return 0, err
		}
		if safe+1 > lowest {
			margin, err := g.lowestFrom(safe+1, func(net, profit int64) bool {
				return atLeastShare(profit, net, wanted.LeastMargin)
			})
			if err != nil {
				return 0, err
			}
			if margin > lowest {
				lowest, decides = margin, StepFloorMargin
			}
		}
	}
	if advertised := g.item.MinAdvertised.Minor(); advertised > lowest {
		lowest, decides = advertised, StepFloorAdvertised
	}
	g.lowest, g.decides = lowest, decides
	return lowest, nil
}

// farthest bounds the search for the lowest price. It lies within two units of what a unit of the price leaves, so
// that the bound is met only where fees, tax and margin leave less than a hundred-thousandth of each unit; the safe
// price is taken then.
const farthest = 1 << 18

func (g *guard) lowestFrom(safe int64, enough func(net, profit int64) bool) (int64, error) {
	for range farthest {
		if safe <= 0 {
			break
		}
		net, profit, err := g.left(safe - 1)
		if err != nil {
			return 0, err
		}
		if !enough(net, profit) {
			break
		}
		safe--
	}
	return safe, nil
}

// atLeastShare tells exactly whether part >= share of whole; a loss never is.
func atLeastShare(part, whole int64, share money.Ratio) bool {
	if part < 0 || whole <= 0 {
		return false
	}
	a, b := bits.Mul64(uint64(part), uint64(money.One))
	c, d := bits.Mul64(uint64(whole), uint64(share))
	return a > c || (a == c && b >= d)
}
