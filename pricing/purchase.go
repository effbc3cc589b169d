package pricing

import (
	"plainpelican/core/landed"
	"plainpelican/core/markup"
	"plainpelican/core/money"
)

// To is the same pricer for a customer in another country: what is delivered there, and what is charged at its border.
func (p *Pricer) To(country string) *Pricer {
	there := *p
	there.MoneyRules.Market = country
	return &there
}

// Terms are what the store takes off each sale.
func (p *Pricer) Terms() markup.Terms { return p.terms }

// Convert brings an amount into the store's currency at the rates of the day.
func (p *Pricer) Convert(a money.Amount) (money.Amount, error) { return p.convert(a) }

// Services are the deliveries of a thing that reach the market, as the supplier lists them.
func (p *Pricer) Services(t *OfferFacts) []landed.Choice {
	var list []landed.Choice
	for _, d := range t.Deliveries {
		if d.Reaches(p.MoneyRules.Market) {
			door := t.Processing.Plus(d.Transit)
			list = append(list, landed.Choice{Delivery: d, Door: door, KeepsPromise: door.Within(p.PromiseDays)})
		}
	}
	return list
}

// Several is what so many of a unit land for together in the store's currency, and what the supplier is owed for them
// in
// its own: the goods, and shipping for the first and each further one. Charges are due on the parcel as a whole.
func (q *Quote) Several(u Unit, n int64) (cost landed.Cost, owed money.Amount, err error) {
	if q.Err != nil {
		return cost, owed, q.Err
	}
	goods, err := u.Cost.Times(n)
	if err != nil {
		return cost, owed, err
	}
	shipping, err := q.Choice.Delivery.Shipping(n)
	if err != nil {
		return cost, owed, err
	}
	if cost.Item, err = q.pricer.convert(goods); err != nil {
		return cost, owed, err
	}
	if cost.Shipping, err = q.pricer.convert(shipping); err != nil {
		return cost, owed, err
	}
	if m, due := q.pricer.Imports.For(q.item.ShipsFrom, q.pricer.MoneyRules.Market); due {
		charges, err := m.On(cost.Item, cost.Shipping)
		if err != nil {
			return cost, owed, err
		}
		if cost.Charges, err = charges.Total(); err != nil {
			return cost, owed, err
		}
	}
	owed, err = goods.Add(shipping)
	return cost, owed, err
}
