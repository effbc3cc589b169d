package orders

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"plainpelican/core/money"
	"plainpelican/core/order"
	"plainpelican/platform/database"
	"plainpelican/pricing"
)

// leave says what an order leaves when the rest of it is bought for a cost.
func (o *OrderReview) leave(ctx context.Context, q database.Querier, p *pricing.Pricer, h *head, lines []line,
	cost money.Amount) error {
	paid, err := h.paid(lines)
	if err != nil {
		return err
	}
	standing, err := h.standing(ctx, q)
	if err != nil {
		return err
	}
	if cost, err = cost.Add(standing); err != nil {
		return err
	}
	left, err := order.Profit(paid, money.New(h.refunded, h.currency), cost, p.Terms())
	if err != nil {
		return err
	}
	o.Paid, o.Profit = &paid, &left
	return nil
}

// reviewPurchase is what buying some lines from one supplier would come to. They go by one service; phone tells that
// there is a telephone number for it.
func (s *Service) reviewPurchase(ctx context.Context, q database.Querier, p *pricing.Pricer, lines []line,
	service string, phone bool) PurchaseReview {
	first := lines[0]
	out := PurchaseReview{Source: first.source, Supplier: first.supplier, Lines: []LineReview{},
		Services: []ServiceReview{}, Warnings: []string{}, source: first.sourceID, supplier: first.supplierID,
		lines: lines, BySheet: first.offerID != 0 && !first.takesOrders}
	block := func(format string, args ...any) {
		if out.Blocked == "" {
			out.Blocked = fmt.Sprintf(format, args...)
		}
	}
	var owed, cost, charges money.Amount
	out.OwnPacking = !slices.ContainsFunc(lines, func(l line) bool { return !l.ownPacking })
	for i := range lines {
		l := &lines[i]
		out.Lines = append(out.Lines, LineReview{l.id, l.title, strings.Join(l.optionValues, ", "), l.quantity})
		switch {
		case l.offerID == 0:
			block("“%s” is not linked to a supplier's variant any more. Link its draft to another supplier.", l.title)
			continue
		case l.takesOrders && !l.connected:
			block("%s is disconnected. Connect it again, or buy from another supplier.", l.source)
		case l.gone:
			block("%s has stopped selling “%s”. Buy it from another supplier.", l.supplier, l.title)
			continue
		case !l.stockUnknown && int64(l.stock) < l.quantity:
			out.short = true
			out.Warnings = append(out.Warnings, fmt.Sprintf("%s has %d of “%s” left, and %d are needed.", l.supplier,
				l.stock,
				l.title, l.quantity))
		}
		b := s.quote(ctx, q, p, l, service)
		if b.trouble != "" {
			block("%s", b.trouble)
			continue
		}
		total, err := b.cost.Total()
		switch {
		case err != nil:
			block("%s", p.ErrorMessage(err))
			continue
		case i == 0:
			owed, cost, charges, service = b.owed, total, b.cost.Charges, b.choice.Delivery.Name
			out.Service = service
			if b.choice.Delivery.Phone && !phone {
				block("%s wants a telephone number: correct the address, or give the shop's own under Store.", service)
			}
			if !b.choice.KeepsPromise {
				out.late = true
				out.Warnings = append(out.Warnings, fmt.Sprintf("%s takes up to %d days, and %d are promised.", service,
					b.choice.Door.Max, p.PromiseDays))
			}
			out.list(p, &b.facts)
			continue
		case b.choice.Delivery.Name != service:
			block("“%s” does not go by %s: buy it in a purchase of its own.", l.title, service)
			continue
		}
		for _, sum := range []struct {
			of   *money.Amount
			more money.Amount
		}{{&owed, b.owed}, {&cost, total}, {&charges, b.cost.Charges}} {
			if sum.more == (money.Amount{}) {
				continue
			}
			if *sum.of == (money.Amount{}) {
				*sum.of = sum.more
			} else if *sum.of, err = sum.of.Add(sum.more); err != nil {
				block("%s", p.ErrorMessage(err))
			}
		}
	}
	if owed != (money.Amount{}) && cost != (money.Amount{}) {
		out.Owed, out.Cost, out.expected, out.charges = &owed, &cost, owed, charges
	} else {
		block("What it costs is not known.")
	}
	return out
}

// list lists the deliveries of a thing that reach the customer.
func (o *PurchaseReview) list(p *pricing.Pricer, of *pricing.OfferFacts) {
	for _, c := range p.Services(of) {
		first := c.Delivery.First
		o.Services = append(o.Services, ServiceReview{c.Delivery.Name, &first, c.Door, c.KeepsPromise})
	}
}
