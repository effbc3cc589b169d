// Package order holds what becomes of a customer's order: the states of purchases and orders and what each may become,
// how lines are divided into purchases, what an order leaves, and when it is late.
package order

import (
	"slices"
	"time"

	"plainpelican/core/markup"
	"plainpelican/core/money"
)

// PurchaseState is where a purchase is: what is bought from one supplier for one order.
type PurchaseState string

// A purchase waits and is sent to the supplier's source, or a person sends it on an order sheet; the supplier has it,
// it is paid, shipped and delivered. It may be refused, or cancelled later. Unknown is that the source did not answer
// after something was sent: it is asked what it has before anything is sent again.
const (
	ToSend    PurchaseState = "to_send"
	Waiting   PurchaseState = "waiting"
	Sending   PurchaseState = "sending"
	Unknown   PurchaseState = "unknown"
	Refused   PurchaseState = "refused"
	Placed    PurchaseState = "placed"
	Paid      PurchaseState = "paid"
	Shipped   PurchaseState = "shipped"
	Delivered PurchaseState = "delivered"
	Cancelled PurchaseState = "cancelled"
)

// PurchaseStates are all of them, in the order of the work.
var PurchaseStates = []PurchaseState{ToSend, Waiting, Sending, Unknown, Refused, Placed, Paid, Shipped, Delivered,
	Cancelled}

// from says for each state out of which others a purchase may come. A supplier is asked now and then, so what it says
// may be several steps on; it never goes back, and what was delivered or cancelled stays so.
var from = map[PurchaseState][]PurchaseState{
	Waiting:   {Sending, Unknown, Refused},
	Sending:   {Waiting, Sending, Unknown}, // again after an instance ended
	Unknown:   {Sending},
	Refused:   {Waiting, Sending},
	Placed:    {Sending, ToSend},
	Paid:      {Sending, Placed},
	Shipped:   {Sending, Placed, Paid},
	Delivered: {Sending, Placed, Paid, Shipped},
	Cancelled: {ToSend, Waiting, Refused, Sending, Placed, Paid, Shipped},
}

// From lists the states out of which a purchase may come into another.
func From(to PurchaseState) []PurchaseState { return slices.Clone(from[to]) }

// Can tells whether a purchase may go from one state to another.
func Can(a, b PurchaseState) bool { return slices.Contains(from[b], a) }

// Over tells that nothing more happens to a purchase.
func (s PurchaseState) Over() bool { return s == Delivered || s == Cancelled }

// Failed tells that what it was for has to be bought another way, or not at all.
func (s PurchaseState) Failed() bool { return s == Refused || s == Cancelled }

// State is where a customer's order is, as one word for its lines and purchases together.
type State string

// The states of an order, those that need a person first.
const (
	Problem   State = "problem"   // a purchase failed, or the customer cancelled after it was bought
	ToBuy     State = "to_buy"    // something of it is not bought yet
	SendSheet State = "to_send"   // on order sheets that a person sends
	ToPay     State = "to_pay"    // the suppliers have it and wait to be paid
	Buying    State = "buying"    // on its way to the suppliers' sources
	Bought    State = "bought"    // paid, and not shipped yet
	InTransit State = "shipped"   // all of it is on its way, or there
	Arrived   State = "delivered" // all of it is there
	Void      State = "cancelled" // the customer cancelled before anything was bought, or nothing is to be bought
	NotOurs   State = "not_ours"  // nothing of it is bought through us
)

// States are all of them, in the order in which a person looks at them.
var States = []State{Problem, ToBuy, SendSheet, ToPay, Buying, Bought, InTransit, Arrived, Void, NotOurs}

// Line is what a state depends on of a line of an order: whether it is bought through us, and the purchase that it is
// in; empty where it is in none.
type Line struct {
	Ours     bool
	Purchase PurchaseState
	// LeftOut is that a person decided not to buy it, Claimed that something is claimed from the supplier of its
	// purchase.
	LeftOut, Claimed bool
}

// StateOf is the state of an order with some lines: that of the line that is least far, and a problem before all.
func StateOf(lines []Line, cancelled bool) State {
	reached, ours, bought, left := Arrived, false, false, true
	for _, l := range lines {
		if !l.Ours {
			continue
		}
		ours = true
		if l.LeftOut && (l.Purchase == "" || l.Purchase.Failed()) {
			continue
		}
		left = false
		if l.Claimed {
			reached = Problem
		}
		bought = bought || l.Purchase != "" && !l.Purchase.Failed() && l.Purchase != Waiting && l.Purchase != ToSend
		if s := ofLine(l.Purchase); slices.Index(States, s) < slices.Index(States, reached) {
			reached = s
		}
	}
	switch {
	case !ours:
		return NotOurs
	case left:
		return Void
	case cancelled && bought && reached != Arrived:
		return Problem
	case cancelled && !bought:
		return Void
	}
	return reached
}

func ofLine(p PurchaseState) State {
	switch p {
	case "":
		return ToBuy
	case Refused, Cancelled:
		return Problem
	case ToSend:
		return SendSheet
	case Placed:
		return ToPay
	case Paid:
		return Bought
	case Shipped:
		return InTransit
	case Delivered:
		return Arrived
	}
	return Buying
}

// Part is a line that is to be bought, by its index, and where.
type Part struct {
	Line     int
	Source   int64
	Supplier int64
}

// Split divides lines into purchases: those of one order at one supplier together, in the order of their first lines.
func Split(parts []Part) [][]Part {
	var out [][]Part
	for _, p := range parts {
		at := slices.IndexFunc(out, func(group []Part) bool {
			return group[0].Source == p.Source && group[0].Supplier == p.Supplier
		})
		if at < 0 {
			out = append(out, []Part{p})
			continue
		}
		out[at] = append(out[at], p)
	}
	return out
}

// Profit is what an order leaves: what the customer paid, with tax where prices include it, less the tax, less what it
// costs landed, less the fees, of which the fixed part is paid once an order; and less what was given back to the
// customer, of which the tax is got back, and the fees are not. All amounts are in the store's currency.
func Profit(paid, refunded, landed money.Amount, terms markup.Terms) (money.Amount, error) {
	result, err := markup.Judge(landed, paid, terms)
	if err != nil {
		return money.Amount{}, err
	}
	back, err := markup.Judge(money.Zero(paid.Currency()), refunded, markup.Terms{Tax: terms.Tax})
	if err != nil {
		return money.Amount{}, err
	}
	return result.Profit.Sub(back.Net)
}

// ClaimKind is what went wrong with a purchase after it was sent.
type ClaimKind string

// The kinds of claims.
const (
	Lost     ClaimKind = "lost"     // the parcel did not arrive
	Returned ClaimKind = "returned" // it came back: the address was wrong, or nobody took it
	Wrong    ClaimKind = "wrong"    // another thing was in it
	Damaged  ClaimKind = "damaged"
	Short    ClaimKind = "short" // something was missing
)

// Quiet is after how long without news an order is late, whatever was promised.
const Quiet = 7 * 24 * time.Hour

// Late tells why an order that is not over is late at a moment: past the days promised to the customer, or without news
// for a week. Empty is not late.
func Late(s State, placed, news, now time.Time, promiseDays int) string {
	switch s {
	case Arrived, Void, NotOurs:
		return ""
	}
	switch {
	case promiseDays > 0 && now.After(placed.AddDate(0, 0, promiseDays)):
		return "promise"
	case now.Sub(news) > Quiet:
		return "quiet"
	}
	return ""
}
