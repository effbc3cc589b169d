package orders

import (
	"context"
	"fmt"
	"slices"

	"plainpelican/core/landed"
	"plainpelican/core/money"
	"plainpelican/core/order"
	"plainpelican/platform/database"
	"plainpelican/pricing"
)

// bought is what a line would be bought for now, or why it cannot be.
type bought struct {
	facts   pricing.OfferFacts
	choice  landed.Choice
	cost    landed.Cost
	owed    money.Amount // to the supplier, in its currency
	trouble string
}

// quote is what a line costs at its supplier's figures of today, by a delivery to the customer's country: the one that
// is named, or the one that the money rules choose.
func (s *Service) quote(ctx context.Context, q database.Querier, p *pricing.Pricer, l *line,
	service string) bought {
	var b bought
	if l.offerVariantID == 0 {
		b.trouble = "It is not linked to a supplier's variant any more."
		return b
	}
	facts, unit, err := s.Offers.Unit(ctx, q, l.offerID, l.offerVariantID)
	if err != nil {
		b.trouble = l.supplier + " has stopped selling this."
		return b
	}
	facts.Service = service
	b.facts = facts
	quote := p.Quote(&facts)
	b.choice = quote.Choice
	if b.cost, b.owed, err = quote.Several(unit, l.quantity); err != nil {
		b.trouble = p.ErrorMessage(err)
	}
	return b
}

// paid is what a customer paid for the lines that are ours, with the delivery where all of them are; also for those
// that are left out, until it is given back.
func (h *head) paid(lines []line) (money.Amount, error) {
	sum := money.Zero(h.currency)
	all := true
	for _, l := range lines {
		if all = all && l.ours; !l.ours {
			continue
		}
		price, err := money.New(l.price, h.currency).Times(l.quantity)
		if err != nil {
			return sum, err
		}
		if sum, err = sum.Add(price); err != nil {
			return sum, err
		}
	}
	if !all {
		return sum, nil
	}
	return sum.Add(money.New(h.shipping, h.currency))
}

// Estimate works out what an order costs and leaves: by what was bought, and for the rest by what it costs now.
func (s *Service) Estimate(ctx context.Context, orderID int64) error {
	h, lines, err := read(ctx, s.Pool, orderID)
	if err != nil {
		return err
	}
	p, err := s.Pricing.PricerIn(ctx, s.Pool, h.storeID)
	if err != nil {
		return err
	}
	cost, trouble, err := s.costOf(ctx, p.To(h.country), &h, lines)
	if err != nil {
		return err
	}
	var profit, whole *int64
	if trouble == "" && slices.ContainsFunc(lines, func(l line) bool { return l.ours }) {
		paid, err := h.paid(lines)
		if err != nil {
			return err
		}
		left, err := order.Profit(paid, money.New(h.refunded, h.currency), cost, p.Terms())
		if err != nil {
			return fmt.Errorf("the profit of order %s: %w", h.number, err)
		}
		n, c := left.Minor(), cost.Minor()
		profit, whole = &n, &c
	}
	var moved bool
	var state order.State
	err = s.Pool.QueryRow(ctx, `
		update customer_order o set cost = $2, profit = $3, cost_error = $4, promise_days = $5, estimated_at = now(),
			estimated_revision = $6
		from (select id, profit, cost_error from customer_order where id = $1) b
		where o.id = b.id and o.estimated_revision <= $6
		returning (b.profit, b.cost_error) is distinct from (o.profit, o.cost_error), o.state`, orderID, whole, profit,
		trouble, p.PromiseDays, h.revision).Scan(&moved, &state)
	if database.Missing(err) {
		return nil // worked out meanwhile from what is newer
	}
	if err != nil || !moved {
		return err
	}
	return s.Progress.Publish(ctx, "order", Event{orderID, state})
}

// estimatedFor is how long what an order costs stands before it is worked out anew, and estimatedAtOnce how many are.
const (
	estimatedFor    = "5 minutes"
	estimatedAtOnce = 200
)

// EstimateAgain works out anew what orders cost that moved since, as where an instance ended in between, and those that
// are not bought yet: suppliers, rates and money rules may have moved.
func (s *Service) EstimateAgain(ctx context.Context) error {
	list, err := ids(ctx, s.Pool, `(select id from customer_order where estimated_revision <> revision
			order by estimated_at limit $2)
		union (select id from customer_order where state in ('problem', 'to_buy') and archived_at is null
			and estimated_at < now() - $1::interval order by estimated_at limit $2)`, estimatedFor, estimatedAtOnce)
	if err != nil {
		return err
	}
	for _, id := range list {
		s.estimate(ctx, id)
	}
	return nil
}

// estimate is Estimate where one order's error must not stop the others: it is worked out anew, after them.
func (s *Service) estimate(ctx context.Context, id int64) {
	err := s.Estimate(ctx, id)
	if err == nil || ctx.Err() != nil {
		return
	}
	s.Log.Error("working out what an order costs", "order", id, "error", err)
	if _, err := s.Pool.Exec(ctx, `update customer_order set estimated_at = now() where id = $1`, id); err != nil {
		s.Log.Error("putting an order off whose cost could not be worked out", "order", id, "error", err)
	}
}

// standing adds up what the purchases of an order cost that stand, whatever is claimed from the suppliers, less what
// they gave back.
func (h *head) standing(ctx context.Context, q database.Querier) (money.Amount, error) {
	var sum int64
	err := q.QueryRow(ctx, `select coalesce(sum(p.cost - coalesce((select sum(c.recovered_here) from claim c
			where c.purchase_id = p.id), 0)), 0)::bigint
		from purchase p where p.order_id = $1 and p.state not in ('refused', 'cancelled')`, h.id).Scan(&sum)
	return money.New(sum, h.currency), err
}

// costOf adds up what lines cost: the purchases that stand, and what is still to be bought at the figures of now. It
// says why where that is not known; then there is no sum.
func (s *Service) costOf(ctx context.Context, p *pricing.Pricer, h *head, lines []line) (sum money.Amount,
	trouble string, err error) {
	if sum, err = h.standing(ctx, s.Pool); err != nil {
		return sum, "", err
	}
	for i := range lines {
		if !lines[i].toBuy() {
			continue
		}
		b := s.quote(ctx, s.Pool, p, &lines[i], "")
		if b.trouble != "" {
			return sum, b.trouble, nil
		}
		part, err := b.cost.Total()
		if err != nil {
			return sum, "", err
		}
		if sum, err = sum.Add(part); err != nil {
			return sum, "", err
		}
	}
	return sum, "", nil
}
