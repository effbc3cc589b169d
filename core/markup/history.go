package markup

import (
	"time"

	"plainpelican/core/money"
)

// Sold is a price that a listing had from a moment on.
type Sold struct {
	From  time.Time
	Price money.Amount
}

// PriorPrice is the lowest price that a listing had in the 30 days before a moment, as
// Directive 98/6/EC, article 6a (inserted by Directive (EU) 2019/2161), has it for the
// announcement of a price reduction: "the lowest price applied by the trader during a
// period of time not shorter than 30 days prior to the application of the price
// reduction". The history is in order of time. It is not known, and ok is false, where
// the listing has no price from before the moment.
func PriorPrice(history []Sold, at time.Time) (lowest money.Amount, ok bool) {
	begin := at.AddDate(0, 0, -30)
	for i, s := range history {
		if !s.From.Before(at) {
			break
		}
		ended := i+1 < len(history) && !history[i+1].From.After(begin)
		if ended {
			continue // it had another price before the period began
		}
		if !ok || s.Price.Minor() < lowest.Minor() {
			lowest, ok = s.Price, true
		}
	}
	return lowest, ok
}

// WasWarning says in words why a "was" price is not backed by a listing's own history;
// empty where it is, or none is shown.
func WasWarning(was money.Amount, history []Sold, at time.Time) string {
	if was.IsZero() {
		return ""
	}
	lowest, ok := PriorPrice(history, at)
	switch {
	case !ok:
		return "It has not been on sale yet, so nothing backs the was price of " + was.String() + "."
	case history[0].From.After(at.AddDate(0, 0, -30)):
		return "It has been on sale for less than 30 days, which do not back the was price of " + was.String() +
			"; its lowest price was " + lowest.String() + "."
	case was.Minor() > lowest.Minor():
		return "Its lowest price of the last 30 days was " + lowest.String() + ", under the was price of " +
			was.String() + "."
	}
	return ""
}
