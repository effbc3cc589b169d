package orders

import (
	"context"
	"slices"

	"plainpelican/core/landed"
	"plainpelican/core/money"
	"plainpelican/core/order"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/pricing"
)

// Review is what buying some orders would come to, before anything is bought.
type Review struct {
	Orders []OrderReview `json:"orders"`
	// Owed is by source and currency, of all that can be bought.
	Owed []Owed `json:"owed"`
}

// Owed is what suppliers of one source are owed in one currency.
type Owed struct {
	Source    string       `json:"source"`
	Amount    money.Amount `json:"amount"`
	Purchases int          `json:"purchases"`
}

// OrderReview is what buying one order would come to.
type OrderReview struct {
	OrderID int64  `json:"order_id"`
	Number  string `json:"number"`
	// Blocked says why none of it can be bought; empty where it can.
	Blocked   string               `json:"blocked"`
	Purchases []PurchaseReview     `json:"purchases"`
	Paid      *money.Amount        `json:"paid,omitempty" doc:"By the customer, for what is ours"`
	Profit    *money.Amount        `json:"profit,omitempty"`
	Address   []order.AddressFault `json:"address" doc:"What is doubtful of its address, and nobody accepted"`
}

// PurchaseReview is what would be bought from one supplier for an order.
type PurchaseReview struct {
	Source   string          `json:"source"`
	Supplier string          `json:"supplier"`
	Lines    []LineReview    `json:"lines"`
	Service  string          `json:"service"`
	Services []ServiceReview `json:"services" doc:"Deliveries that reach the customer"`
	Owed     *money.Amount   `json:"owed,omitempty" doc:"In the supplier's currency"`
	Cost     *money.Amount   `json:"cost,omitempty" doc:"Landed, in the store's currency"`
	// BySheet is that the source takes no orders from here: it goes onto an order sheet, which a person sends.
	BySheet bool `json:"by_sheet"`
	// OwnPacking tells that the supplier packs all of it with the shop's brand where it is asked to.
	OwnPacking bool `json:"own_packing"`
	// Blocked says why it cannot be bought, Warnings what a person should know.
	Blocked  string   `json:"blocked"`
	Warnings []string `json:"warnings"`

	source, supplier int64
	lines            []line
	late, short      bool // it arrives after the days that are promised; there is less of it than is needed
	expected         money.Amount
	charges          money.Amount
}

// LineReview is a line that would be bought.
type LineReview struct {
	LineID   int64  `json:"line_id"`
	Title    string `json:"title"`
	Variant  string `json:"variant" doc:"As the supplier calls it"`
	Quantity int64  `json:"quantity"`
}

// ServiceReview is a delivery that could be chosen.
type ServiceReview struct {
	Name  string        `json:"name"`
	Cost  *money.Amount `json:"cost,omitempty" doc:"Of the first unit, in the supplier's currency"`
	Days  landed.Days   `json:"days" doc:"From door to door"`
	Keeps bool          `json:"keeps" doc:"Within the days that are promised"`
}

// BuyInput is which orders are bought, and by which delivery where one was chosen: by order and supplier.
type BuyInput struct {
	OrderIDs []int64  `json:"order_ids" minItems:"1" maxItems:"500"`
	Services []Chosen `json:"services,omitempty" maxItems:"5000"`
	Comment  string   `json:"comment,omitempty" maxLength:"500" doc:"To the suppliers"`
	// NoInvoice asks for parcels without an invoice or leaflet, Brand for the shop's own packing of suppliers that do
	// that.
	NoInvoice bool `json:"no_invoice,omitempty"`
	Brand     bool `json:"brand,omitempty"`
	// Address says that what is doubtful of addresses was looked at, and is right.
	Address bool `json:"accept_addresses,omitempty"`
}

// Chosen is the delivery of one purchase.
type Chosen struct {
	OrderID  int64  `json:"order_id"`
	Supplier string `json:"supplier"`
	Service  string `json:"service" maxLength:"200"`
}

// buying is what orders are bought with; what their stores price by is read once.
type buying struct {
	BuyInput
	pricers map[int64]*pricing.Pricer
	// auto is where no person buys.
	auto *autoRun
}

func newBuying(in BuyInput) *buying {
	return &buying{BuyInput: in, pricers: map[int64]*pricing.Pricer{}}
}

func (in *buying) service(orderID int64, supplier string) string {
	for _, c := range in.Services {
		if c.OrderID == orderID && c.Supplier == supplier {
			return c.Service
		}
	}
	return ""
}

// Review looks at what buying orders would come to.
func (s *Service) Review(ctx context.Context, in BuyInput) (Review, error) {
	out := Review{Orders: []OrderReview{}, Owed: []Owed{}}
	with, seen := newBuying(in), map[int64]bool{}
	for _, id := range in.OrderIDs {
		if seen[id] {
			continue
		}
		seen[id] = true
		one, err := s.review(ctx, s.Pool, id, with)
		if database.Missing(err) {
			return out, apikit.NotFound("order")
		}
		if err != nil {
			return out, err
		}
		out.Orders = append(out.Orders, one)
		for _, p := range one.Purchases {
			if one.Blocked == "" && p.Blocked == "" {
				out.owe(p.Source, *p.Owed)
			}
		}
	}
	return out, nil
}

func (r *Review) owe(source string, amount money.Amount) {
	for i := range r.Owed {
		if r.Owed[i].Source == source && r.Owed[i].Amount.Currency() == amount.Currency() {
			if sum, err := r.Owed[i].Amount.Add(amount); err == nil {
				r.Owed[i].Amount, r.Owed[i].Purchases = sum, r.Owed[i].Purchases+1
			}
			return
		}
	}
	r.Owed = append(r.Owed, Owed{source, amount, 1})
}

func unique(ids []int64) []int64 {
	out := slices.Clone(ids)
	slices.Sort(out)
	return slices.Compact(out)
}

// pricer is a store's.
func (in *buying) pricer(ctx context.Context, q database.Querier, from Pricing, storeID int64) (*pricing.Pricer,
	error) {
	if p := in.pricers[storeID]; p != nil {
		return p, nil
	}
	p, err := from.PricerIn(ctx, q, storeID)
	if err == nil {
		in.pricers[storeID] = p
	}
	return p, err
}

// review is what buying one order would come to.
func (s *Service) review(ctx context.Context, q database.Querier, id int64, in *buying) (OrderReview, error) {
	h, lines, err := read(ctx, q, id)
	if err != nil {
		return OrderReview{}, err
	}
	out := OrderReview{OrderID: id, Number: h.number, Purchases: []PurchaseReview{}, Address: []order.AddressFault{}}
	p, err := in.pricer(ctx, q, s.Pricing, h.storeID)
	if err != nil {
		return out, err
	}
	p = p.To(h.country)
	address, accepted, err := s.address(ctx, q, &h)
	if err != nil {
		return out, err
	}
	ships, err := s.withPhone(ctx, q, &h, address)
	if err != nil {
		return out, err
	}
	if !accepted {
		out.Address = order.CheckAddress(address)
	}
	switch {
	case h.cancelled:
		out.Blocked = "The customer cancelled this order."
	case !slices.ContainsFunc(lines, func(l line) bool { return l.toBuy() }):
		out.Blocked = "Nothing of this order is left to buy."
	case len(out.Address) > 0 && !in.Address:
		out.Blocked = "Its address is doubtful: correct it, or accept it as it is."
	}
	cost := money.Zero(h.currency)
	known := true
	var parts []order.Part
	for i := range lines {
		if lines[i].toBuy() {
			parts = append(parts, order.Part{Line: i, Source: lines[i].sourceID,
				Supplier: lines[i].supplierID})
		}
	}
	for _, group := range order.Split(parts) {
		var of []line
		for _, part := range group {
			of = append(of, lines[part.Line])
		}
		one := s.reviewPurchase(ctx, q, p, of, in.service(id, of[0].supplier), ships.Phone != "")
		out.Purchases = append(out.Purchases, one)
		if one.Cost == nil {
			known = false
		} else if cost, err = cost.Add(*one.Cost); err != nil {
			return out, err
		}
	}
	if !known {
		return out, nil
	}
	return out, out.leave(ctx, q, p, &h, lines, cost)
}
