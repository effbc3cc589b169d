// Package landed works out what an item costs by the time it reaches the customer,
// and how many days that takes.
package landed

import (
	"errors"
	"fmt"
	"slices"

	"plainpelican/core/money"
)

// Delivery is a service a supplier offers from one country to some others.
type Delivery struct {
	// Name is what the supplier calls the service.
	Name string `json:"name"`
	// To lists ISO 3166 alpha-2 countries; "*" is anywhere.
	To []string `json:"to"`
	// First is the charge for the first unit, Further for each one more in the same parcel.
	First   money.Amount `json:"first"`
	Further money.Amount `json:"further"`
	// Transit is the days between handing over and arriving.
	Transit Days `json:"transit"`
	// Tracked tells whether the customer can follow the parcel.
	Tracked bool `json:"tracked"`
}

// Days is a range of days, both ends included.
type Days struct {
	Min int `json:"min"`
	Max int `json:"max"`
}

// Plus adds two ranges: processing plus transit is door to door.
func (d Days) Plus(e Days) Days { return Days{d.Min + e.Min, d.Max + e.Max} }

// Within tests the upper end: a promise is kept only if the slow case keeps it.
func (d Days) Within(n int) bool { return d.Max <= n }

// Reaches tells whether the service goes to a country.
func (d Delivery) Reaches(country string) bool {
	return slices.Contains(d.To, country) || slices.Contains(d.To, "*")
}

// Shipping is first + (quantity-1) * further, for a quantity of one or more.
func (d Delivery) Shipping(quantity int64) (money.Amount, error) {
	if quantity < 1 {
		return money.Amount{}, fmt.Errorf("shipping for %d units: a parcel holds one or more", quantity)
	}
	more, err := d.Further.Times(quantity - 1)
	if err != nil {
		return money.Amount{}, err
	}
	return d.First.Add(more)
}

// ErrNotSellable is returned where no service reaches the market.
var ErrNotSellable = errors.New("no delivery reaches this market")

// Choice is the delivery that a price assumes.
type Choice struct {
	Delivery Delivery
	// Door is processing plus transit.
	Door Days
	// KeepsPromise is false where nothing keeps it and the fastest was taken instead.
	KeepsPromise bool
}

// Choose takes the cheapest service to a country that keeps the promise of so many days,
// a tie going to the faster; where none keeps it, the fastest, marked so.
// Services priced in several currencies are compared by convert.
func Choose(options []Delivery, processing Days, country string, promise int, convert func(money.Amount) (money.Amount, error)) (Choice, error) {
	var best, fastest Choice
	var bestCost money.Amount
	found, kept := false, false
	for _, option := range options {
		if !option.Reaches(country) {
			continue
		}
		c := Choice{option, processing.Plus(option.Transit), false}
		if !found || c.Door.Max < fastest.Door.Max || (c.Door.Max == fastest.Door.Max && c.Door.Min < fastest.Door.Min) {
			fastest, found = c, true
		}
		if !c.Door.Within(promise) {
			continue
		}
		cost, err := convert(option.First)
		if err != nil {
			return Choice{}, err
		}
		c.KeepsPromise = true
		if !kept || cost.Minor() < bestCost.Minor() || (cost.Minor() == bestCost.Minor() && c.Door.Max < best.Door.Max) {
			best, bestCost, kept = c, cost, true
		}
	}
	switch {
	case kept:
		return best, nil
	case found:
		return fastest, nil
	}
	return Choice{}, ErrNotSellable
}

// Cost is what one unit lands for, in the store's currency, by its parts.
type Cost struct {
	Item     money.Amount `json:"item"`
	Handling money.Amount `json:"handling"`
	Shipping money.Amount `json:"shipping"`
	Charges  money.Amount `json:"charges"`
}

// Total is unit cost + handling + shipping + import charges.
func (c Cost) Total() (money.Amount, error) {
	sum := c.Item
	for _, part := range []money.Amount{c.Handling, c.Shipping, c.Charges} {
		if part == (money.Amount{}) {
			continue
		}
		var err error
		if sum, err = sum.Add(part); err != nil {
			return money.Amount{}, err
		}
	}
	return sum, nil
}
