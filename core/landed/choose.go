package landed

import (
	"errors"

	"plainpelican/core/money"
)

// ErrNotSellable is returned where no service that may be used reaches the market.
var ErrNotSellable = errors.New("no delivery reaches this market")

// Way is how a service is picked.
type Way string

const (
	// Cheapest is the cheapest that keeps the promise, a tie going to the faster.
	Cheapest Way = "cheapest"
	// Fastest is the fastest that costs no more than a cap, a tie going to the cheaper.
	Fastest Way = "fastest"
	// Named is the service of a given name.
	Named Way = "named"
	// AnyCheapest is the cheapest, promise or not; a fallback only.
	AnyCheapest Way = "any_cheapest"
	// AnyFastest is the fastest at any cost; a fallback only.
	AnyFastest Way = "any_fastest"
	// NotSold gives up; a fallback only.
	NotSold Way = "not_sold"
)

// Policy says which service prices assume, and which where that one is not to be had.
type Policy struct {
	Way Way `json:"way"`
	// Most caps what the first unit costs, for Fastest, in the store's currency; no amount is no cap.
	Most money.Amount `json:"most,omitzero"`
	// Name is the service's, for Named.
	Name string `json:"name,omitempty"`
	// Otherwise is the fallback.
	Otherwise Way `json:"otherwise"`
}

// UsualPolicy is the cheapest that keeps the promise, otherwise the fastest.
var UsualPolicy = Policy{Way: Cheapest, Otherwise: AnyFastest}

// Check says in a sentence what is wrong with a policy for a store's currency, and with which field.
func (p Policy) Check(c money.Currency) (field, reason string) {
	none := money.Amount{}
	switch {
	case p.Way != Cheapest && p.Way != Fastest && p.Way != Named:
		return "way", "Choose the cheapest that keeps the promise, the fastest under a cost, or a named service."
	case p.Otherwise != AnyCheapest && p.Otherwise != AnyFastest && p.Otherwise != NotSold:
		return "otherwise", "Say what happens where there is no such delivery: the cheapest, the fastest, or not sold."
	case p.Way == Named && p.Name == "":
		return "name", "Name the delivery that prices assume."
	case p.Most != none && (p.Most.Currency() != c || p.Most.Negative()):
		return "most", "The most that delivery may cost must be 0 or more in the store's currency, " + c.String() + "."
	}
	return "", ""
}

// Choice is the delivery that a price assumes.
type Choice struct {
	Delivery Delivery
	// Door is processing plus transit.
	Door Days
	// KeepsPromise tells whether the slow case is within the promise.
	KeepsPromise bool
	// Fallback tells that the policy's first way found nothing.
	Fallback bool
}

// Choose picks the service to a country by a policy, for a promise of so many days.
// Services priced in several currencies are compared by convert.
func Choose(options []Delivery, processing Days, country string, promise int, policy Policy,
	convert func(money.Amount) (money.Amount, error)) (Choice, error) {
	for _, way := range [2]Way{policy.Way, policy.Otherwise} {
		if way == NotSold {
			break
		}
		best, found, err := pick(options, processing, country, promise, way, policy, convert)
		if err != nil {
			return Choice{}, err
		}
		if found {
			best.Fallback = way != policy.Way
			return best, nil
		}
	}
	return Choice{}, ErrNotSellable
}

func pick(options []Delivery, processing Days, country string, promise int, way Way, policy Policy,
	convert func(money.Amount) (money.Amount, error)) (best Choice, found bool, err error) {
	var bestCost int64
	for _, option := range options {
		if !option.Reaches(country) || (way == Named && option.Name != policy.Name) {
			continue
		}
		door := processing.Plus(option.Transit)
		c := Choice{Delivery: option, Door: door, KeepsPromise: door.Within(promise)}
		if way == Cheapest && !c.KeepsPromise {
			continue
		}
		cost, err := convert(option.First)
		if err != nil {
			return Choice{}, false, err
		}
		if way == Fastest && policy.Most != (money.Amount{}) && cost.Minor() > policy.Most.Minor() {
			continue
		}
		if !found || better(way, c.Door, cost.Minor(), best.Door, bestCost) {
			best, bestCost, found = c, cost.Minor(), true
		}
	}
	return best, found, nil
}

// better tells whether one service is preferred to another by a way.
func better(way Way, door Days, cost int64, than Days, thanCost int64) bool {
	faster := door.Max < than.Max || (door.Max == than.Max && door.Min < than.Min)
	same := door == than
	if way == Fastest || way == AnyFastest {
		return faster || (same && cost < thanCost)
	}
	return cost < thanCost || (cost == thanCost && door.Max < than.Max)
}
