package orders

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"

	"plainpelican/core/landed"
	"plainpelican/core/money"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/workbench"
)

// OtherSupplier is a variant of another supplier that a line of an order can be bought as.
type OtherSupplier struct {
	OfferVariantID int64         `json:"offer_variant_id"`
	OfferID        int64         `json:"offer_id"`
	Title          string        `json:"title"`
	Supplier       string        `json:"supplier"`
	Source         string        `json:"source"`
	Variant        string        `json:"variant" doc:"As the supplier calls it"`
	By             string        `json:"by" doc:"What the variant was found by"`
	Stock          int           `json:"stock"`
	Service        string        `json:"service"`
	Days           landed.Days   `json:"days" doc:"From door to door"`
	Keeps          bool          `json:"keeps" doc:"Within the days that are promised"`
	Owed           money.Amount  `json:"owed" doc:"To the supplier, in its currency"`
	Cost           *money.Amount `json:"cost,omitempty" doc:"Landed, in the store's currency"`
	Dearer         *money.Amount `json:"dearer,omitempty" doc:"Than where it is bought now; negative is cheaper"`
}

// maxOtherSuppliers is how many other suppliers of a line's item are looked at, the lowest landed cost first.
const maxOtherSuppliers = 12

// lineOf reads one line with its order.
func lineOf(ctx context.Context, q database.Querier, lineID int64) (h head, l line, err error) {
	var orderID int64
	err = q.QueryRow(ctx, `select order_id from order_line where id = $1`, lineID).Scan(&orderID)
	if database.Missing(err) {
		return h, l, apikit.NotFound("line of an order")
	}
	if err != nil {
		return h, l, err
	}
	h, lines, err := read(ctx, q, orderID)
	if err != nil {
		return h, l, err
	}
	return h, lines[slices.IndexFunc(lines, func(l line) bool { return l.id == lineID })], nil
}

// OtherSuppliers finds the same item at other suppliers, as it comes to for a line of an order, the cheapest first.
func (s *Service) OtherSuppliers(ctx context.Context, lineID int64) ([]OtherSupplier, error) {
	h, l, err := lineOf(ctx, s.Pool, lineID)
	if err != nil {
		return nil, err
	}
	if !l.ours || l.offerID == 0 {
		return nil, apikit.Problem(409, "",
			"This line is not linked to a supplier's offer, so its like cannot be found.")
	}
	found, err := s.Same.FindAlternatives(ctx, l.offerID, h.storeID, h.country)
	if apikit.IsProblem(err) { // not a market of the store: prices in its own first market
		found, err = s.Same.FindAlternatives(ctx, l.offerID, h.storeID, "")
	}
	if err != nil {
		return nil, err
	}
	p, err := s.Pricing.PricerIn(ctx, s.Pool, h.storeID)
	if err != nil {
		return nil, err
	}
	p = p.To(h.country)
	var now *money.Amount
	if b := s.quote(ctx, s.Pool, p, &l, ""); b.trouble == "" && !l.gone {
		if total, err := b.cost.Total(); err == nil {
			now = &total
		}
	}
	list := []OtherSupplier{}
	for _, other := range found.Offers {
		if other.ID == l.offerID || len(list) == maxOtherSuppliers {
			continue
		}
		swap, err := s.Drafts.PreviewSwap(ctx, l.draftID, h.storeID, workbench.SwapInput{OfferID: other.ID})
		if apikit.IsProblem(err) {
			continue // it is sold no longer
		}
		if err != nil {
			return nil, err
		}
		at := slices.IndexFunc(swap.Rows, func(r workbench.SwapRow) bool { return r.VariantID == l.draftVariantID })
		if at < 0 || swap.Rows[at].OfferVariantID == 0 {
			continue // it has no such variant
		}
		one := OtherSupplier{OfferVariantID: swap.Rows[at].OfferVariantID, OfferID: other.ID,
			Title: swap.After.Title, Supplier: swap.After.Supplier, Source: swap.After.Source, By: swap.Rows[at].By}
		if c := slices.IndexFunc(swap.Choices, func(c workbench.SwapCandidate) bool {
			return c.ID == one.OfferVariantID
		}); c >= 0 {
			one.Variant, one.Stock = strings.Join(swap.Choices[c].Values, ", "), swap.Choices[c].Stock
		}
		there := l
		there.offerID, there.offerVariantID, there.supplier = other.ID, one.OfferVariantID, one.Supplier
		b := s.quote(ctx, s.Pool, p, &there, "")
		if b.trouble != "" {
			continue // it does not go to the customer
		}
		total, err := b.cost.Total()
		if err != nil {
			continue // its figures are beyond what can be added
		}
		one.Service, one.Days, one.Keeps = b.choice.Delivery.Name, b.choice.Door, b.choice.KeepsPromise
		one.Owed, one.Cost = b.owed, &total
		if now != nil {
			if dearer, err := total.Sub(*now); err == nil {
				one.Dearer = &dearer
			}
		}
		list = append(list, one)
	}
	slices.SortStableFunc(list, func(a, b OtherSupplier) int {
		return cmp.Compare(a.Cost.Minor(), b.Cost.Minor())
	})
	return list, nil
}

// LineInput says how a line of an order is bought.
type LineInput struct {
	// OfferVariantID is what it is bought as for this order alone; 0 is as its draft says.
	OfferVariantID int64 `json:"offer_variant_id,omitempty"`
	LeftOut        bool  `json:"left_out,omitempty" doc:"It is not bought at all"`
}

// SetLine says how a line of an order is bought that is not bought yet: from another supplier for this order alone, or
// not at all.
func (s *Service) SetLine(ctx context.Context, lineID int64, in LineInput) (Order, error) {
	return s.changeOrder(ctx, func(tx pgx.Tx) (int64, error) {
		// Whoever buys the order at this moment is waited for.
		if _, err := tx.Exec(ctx, `select from customer_order o join order_line l on l.order_id = o.id where l.id = $1
			for update of o`, lineID); err != nil {
			return 0, err
		}
		h, l, err := lineOf(ctx, tx, lineID)
		if err != nil {
			return 0, err
		}
		if !l.ours || l.purchase != "" && !l.purchase.Failed() {
			return 0, apikit.Problem(409, "", "“%s” is bought already, or is none of ours.", l.title)
		}
		words := "Buys “" + l.title + "” from its own supplier again"
		var boughtAs *int64
		if in.OfferVariantID != 0 {
			var supplier string
			err := tx.QueryRow(ctx, `select u.name from facts.offer_variant v join facts.offer o on o.id = v.offer_id
				join facts.supplier u on u.id = o.supplier_id join facts.source x on x.id = o.source_id
				where v.id = $1 and not v.withdrawn and o.withdrawn_at is null and x.state = 'connected'`,
				in.OfferVariantID).Scan(&supplier)
			if database.Missing(err) {
				return 0, apikit.Problem(409, "offer_variant_id",
					"This is not for sale any more. Choose another supplier.")
			}
			if err != nil {
				return 0, err
			}
			boughtAs, words = &in.OfferVariantID, "Buys “"+l.title+"” from "+supplier+", for this order alone"
		}
		if in.LeftOut {
			words = "Does not buy “" + l.title + "”"
		} else if l.leftOut {
			words = "Buys “" + l.title + "” after all"
		}
		if _, err := tx.Exec(ctx, `update order_line set bought_as = $2, left_out_at = case when $3 then now() end
			where id = $1`, lineID, boughtAs, in.LeftOut); err != nil {
			return 0, err
		}
		return h.id, note(ctx, tx, h.id, "%s", words)
	})
}
