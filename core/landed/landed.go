// Package landed works out what an item costs by the time it reaches the customer,
// and how many days that takes.
package landed

import (
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
	// Phone tells that the carrier wants the customer's telephone number.
	Phone bool `json:"phone,omitempty"`
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
	if none := (money.Amount{}); c.Handling == none && c.Charges == none {
		if c.Shipping == none {
			return sum, nil
		}
		return sum.Add(c.Shipping)
	}
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
