// Package market sums up the prices at which other stores sell an item.
package market

import (
	"slices"

	"plainpelican/core/money"
)

// Spread is the middle half of the prices seen, with their middle.
type Spread struct {
	// Low and High are the quartiles, Middle the median.
	Low    money.Amount `json:"low"`
	Median money.Amount `json:"median"`
	High   money.Amount `json:"high"`
	// Seen is how many prices it sums up.
	Seen int `json:"seen"`
}

// Of sums up prices in minor units of one currency. Quartiles are interpolated between
// the prices beside them (Hyndman and Fan's type 7, the usual one) and rounded to the
// minor unit. It reports false for no prices.
func Of(prices []int64, c money.Currency) (Spread, bool) {
	if len(prices) == 0 {
		return Spread{}, false
	}
	if !slices.IsSorted(prices) {
		prices = slices.Clone(prices)
		slices.Sort(prices)
	}
	at := func(quarters int64) money.Amount {
		span := int64(len(prices)-1) * quarters // where it lies, in quarters
		index, part := span/4, span%4
		price := prices[index]
		if part > 0 {
			price += (part*(prices[index+1]-price) + 2) / 4
		}
		return money.New(price, c)
	}
	return Spread{at(1), at(2), at(3), len(prices)}, true
}

// In converts a spread.
func (s Spread) In(convert func(money.Amount) (money.Amount, error)) (Spread, error) {
	for _, a := range []*money.Amount{&s.Low, &s.Median, &s.High} {
		converted, err := convert(*a)
		if err != nil {
			return Spread{}, err
		}
		*a = converted
	}
	return s, nil
}

// Worth is the profit times the units sold in a month for each store that sells the item, the
// reader's own as good as one of them: an honest way to rank, whose parts are shown beside it.
func Worth(profit money.Amount, units, rivals int64) money.Amount {
	n, err := money.MulDiv(profit.Minor(), units, max(rivals, 1))
	if err != nil {
		return money.Zero(profit.Currency()) // beyond any sum that is paid
	}
	return money.New(n, profit.Currency())
}
