package orders

import (
	"context"
	"regexp"

	"plainpelican/platform/access"
)

// seesCosts tells whether who asks may see what things cost and leave.
func seesCosts(ctx context.Context) bool { return access.Who(ctx).Role.Allows(access.Fulfiller) }

// amounts are those within a sentence, such as 46.20 CNY.
var amounts = regexp.MustCompile(`-?\d+(\.\d+)? [A-Z]{3}\b`)

// withoutAmounts is a sentence that says that there was an amount, and not which.
func withoutAmounts(words string) string { return amounts.ReplaceAllString(words, "an amount") }

// hideCosts takes out of a page what who asks may not see.
func (p *Page) hideCosts(ctx context.Context) {
	if seesCosts(ctx) {
		return
	}
	for i := range p.Orders {
		p.Orders[i].hideCosts()
	}
}

func (r *Row) hideCosts() { r.Profit, r.CostError = nil, "" }

// hideCosts takes out of an order what who asks may not see: what the customer paid stays.
func (o *Order) hideCosts(ctx context.Context) {
	if seesCosts(ctx) {
		return
	}
	o.Row.hideCosts()
	o.Cost, o.AutoWaits = nil, ""
	for i := range o.Purchases {
		p := &o.Purchases[i]
		p.Owed, p.Cost, p.Rate, p.Rose = nil, nil, "", false
		p.Reason, p.PayReason = withoutAmounts(p.Reason), withoutAmounts(p.PayReason)
		for j := range p.Claims {
			p.Claims[j].Recovered, p.Claims[j].Here = nil, nil
		}
	}
	for i := range o.Events {
		o.Events[i].Words = withoutAmounts(o.Events[i].Words)
	}
}

// hideCosts takes out of a review what who asks may not see.
func (r *Review) hideCosts(ctx context.Context) {
	if seesCosts(ctx) {
		return
	}
	r.Owed = []Owed{}
	for i := range r.Orders {
		o := &r.Orders[i]
		o.Profit, o.Blocked = nil, withoutAmounts(o.Blocked)
		for j := range o.Purchases {
			p := &o.Purchases[j]
			p.Owed, p.Cost, p.Blocked = nil, nil, withoutAmounts(p.Blocked)
			for k := range p.Services {
				p.Services[k].Cost = nil
			}
		}
	}
}

// hideCosts takes out of what came of buying what who asks may not see.
func (p *Purchases) hideCosts(ctx context.Context) {
	if seesCosts(ctx) {
		return
	}
	for i := range p.LeftOut {
		p.LeftOut[i].Reason = withoutAmounts(p.LeftOut[i].Reason)
	}
}
