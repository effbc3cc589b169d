package order

import (
	"fmt"
	"time"

	"plainpelican/core/money"
)

// AutoRule says which orders are bought without a person. Amounts are in the store's currency.
type AutoRule struct {
	// Under is what the customer paid at most; nil is any.
	Under *money.Amount `json:"under,omitempty"`
	// LeastProfit is what the order must leave.
	LeastProfit money.Amount `json:"least_profit"`
	// WithinPromise asks for delivery within the days that are promised.
	WithinPromise bool `json:"within_promise"`
	// DailyLimit is what is spent a day at most, landed; nil is without limit.
	DailyLimit *money.Amount `json:"daily_limit,omitempty"`
}

// Candidate is an order that might be bought without a person. Amounts are in the store's currency.
type Candidate struct {
	Total money.Amount
	// Profit and Cost are as it would be bought; nil where they are not known.
	Profit, Cost *money.Amount
	// Blocked says why some of it cannot be bought, or what a person should look at; empty is nothing.
	Blocked string
	// Late is that it would arrive after the days that are promised.
	Late bool
	// Spent is what was bought that day without a person.
	Spent money.Amount
}

// Waits says why an order waits for a person; empty where it is bought.
func (r AutoRule) Waits(c Candidate) string {
	switch {
	case c.Blocked != "":
		return c.Blocked
	case c.Profit == nil || c.Cost == nil:
		return "What it leaves is not known."
	case r.Under != nil && c.Total.Minor() >= r.Under.Minor():
		return fmt.Sprintf("The customer paid %s, which is not under %s.", c.Total, r.Under)
	case c.Profit.Minor() < r.LeastProfit.Minor():
		return fmt.Sprintf("It leaves %s, which is less than %s.", c.Profit, r.LeastProfit)
	case r.WithinPromise && c.Late:
		return "It would arrive later than promised."
	}
	if r.DailyLimit == nil {
		return ""
	}
	if spent, err := c.Spent.Add(*c.Cost); err != nil || spent.Minor() > r.DailyLimit.Minor() {
		return fmt.Sprintf("With it, more than %s would be spent that day.", r.DailyLimit)
	}
	return ""
}

// Due tells whether one of some times of day, such as 10:00, came after a moment and up to now in a time zone. Of a
// time that the clocks skip it is the moment as far behind midnight; one that comes twice is due once.
func Due(times []string, zone *time.Location, last, now time.Time) bool {
	today := now.In(zone)
	for _, text := range times {
		at, err := time.Parse("15:04", text)
		if err != nil {
			continue
		}
		for _, back := range []int{0, 1} { // yesterday's may have been missed
			moment := time.Date(today.Year(), today.Month(), today.Day()-back, at.Hour(), at.Minute(), 0, 0, zone)
			if moment.After(last) && !moment.After(now) {
				return true
			}
		}
	}
	return false
}

// Midnight is when the day of a moment began in a time zone.
func Midnight(now time.Time, zone *time.Location) time.Time {
	d := now.In(zone)
	return time.Date(d.Year(), d.Month(), d.Day(), 0, 0, 0, 0, zone)
}
