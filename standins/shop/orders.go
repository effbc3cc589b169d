package shop

import (
	"crypto/rand"
	"encoding/json"
	"fmt"
	"io"
	"math/big"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"
)

// Order is one order of a customer as the protocol carries it.
type Order struct {
	ID        string      `json:"id"`
	Number    string      `json:"number"`
	PlacedAt  time.Time   `json:"placed_at"`
	UpdatedAt time.Time   `json:"updated_at"`
	Cancelled bool        `json:"cancelled"`
	Currency  string      `json:"currency"`
	Shipping  string      `json:"shipping"`
	Total     string      `json:"total"`
	Refunded  string      `json:"refunded"`
	Email     string      `json:"email"`
	Phone     string      `json:"phone"`
	Address   Address     `json:"address"`
	Note      string      `json:"note"`
	Lines     []OrderLine `json:"lines"`
	// Fulfilments are the parcels that the seller has told of.
	Fulfilments []Fulfilment `json:"fulfilments"`
	// Key opens the customer's own page of it.
	Key string `json:"-"`
}

// Address is where an order goes.
type Address struct {
	Name     string `json:"name"`
	Company  string `json:"company"`
	Line1    string `json:"line1"`
	Line2    string `json:"line2"`
	City     string `json:"city"`
	Region   string `json:"region"`
	Postcode string `json:"postcode"`
	Country  string `json:"country"`
}

// OrderLine is one variant of an order. Reference is the seller's own name for the variant.
type OrderLine struct {
	ID        string `json:"id"`
	ProductID string `json:"product_id"`
	VariantID string `json:"variant_id"`
	Reference string `json:"reference"`
	SKU       string `json:"sku"`
	Title     string `json:"title"`
	Variant   string `json:"variant"`
	Quantity  int    `json:"quantity"`
	Price     string `json:"price"`
}

// Fulfilment is a parcel on its way to the customer.
type Fulfilment struct {
	ID      string      `json:"id"`
	Carrier string      `json:"carrier"`
	Number  string      `json:"number"`
	URL     string      `json:"url"`
	Lines   []Fulfilled `json:"lines"`
	At      time.Time   `json:"at"`
}

// Fulfilled is how many of a line are in a parcel.
type Fulfilled struct {
	ID       string `json:"id"`
	Quantity int    `json:"quantity"`
}

// shippingPrice is what a customer pays for delivery, in hundredths of the currency.
const shippingPrice = 495

func hundredths(decimal string) int64 {
	r, ok := new(big.Rat).SetString(decimal)
	if !ok {
		return 0
	}
	n := new(big.Rat).Mul(r, big.NewRat(100, 1))
	return new(big.Int).Quo(n.Num(), n.Denom()).Int64()
}

func decimal(hundredths int64) string { return fmt.Sprintf("%d.%02d", hundredths/100, hundredths%100) }

// Bought is one thing that a customer puts into an order.
type Bought struct {
	Product, Variant string
	Quantity         int
}

// Buy makes an order of visible products, as a customer does on the storefront.
func (p *Server) Buy(things []Bought, to Address, email, phone string) (Order, error) {
	p.mu.Lock()
	o := Order{Currency: p.Currency, Refunded: "0.00", Shipping: decimal(shippingPrice), Email: email, Phone: phone,
		Address:  to,
		PlacedAt: time.Now().UTC(), Fulfilments: []Fulfilment{}, Key: rand.Text()}
	total := int64(shippingPrice)
	for _, b := range things {
		product := p.state.Products[b.Product]
		if product == nil || !product.Visible {
			p.mu.Unlock()
			return o, fmt.Errorf("product %s is not for sale", b.Product)
		}
		at := slices.IndexFunc(product.Variants, func(v Variant) bool { return v.ID == b.Variant })
		if at < 0 || b.Quantity < 1 {
			p.mu.Unlock()
			return o, fmt.Errorf("variant %s is not for sale", b.Variant)
		}
		v := &product.Variants[at]
		if v.Stock < b.Quantity && !product.SellEmpty {
			p.mu.Unlock()
			return o, fmt.Errorf("%s is sold out", product.Title)
		}
		v.Stock = max(v.Stock-b.Quantity, 0)
		total += hundredths(v.Price) * int64(b.Quantity)
		o.Lines = append(o.Lines, OrderLine{ID: strconv.Itoa(len(o.Lines) + 1), ProductID: product.ID, VariantID: v.ID,
			Reference: v.Reference, SKU: v.SKU, Title: product.Title, Variant: strings.Join(v.Values, ", "),
			Quantity: b.Quantity, Price: v.Price})
	}
	o.Total = decimal(total)
	p.state.NextOrder++
	o.ID, o.Number = strconv.Itoa(50_000+p.state.NextOrder), fmt.Sprintf("#%d", 1000+p.state.NextOrder)
	p.keepOrder(&o)
	p.mu.Unlock()
	p.tell("order.created", o)
	return o, nil
}

// keepOrder writes an order down; the caller holds the lock.
func (p *Server) keepOrder(o *Order) {
	if p.state.Orders == nil {
		p.state.Orders, p.state.OrderKeys = map[string]*Order{}, map[string]string{}
	}
	// Moments are told apart, so that who asks for what changed since the last one misses none.
	now := time.Now().UTC()
	if !now.After(p.state.LastOrder) {
		now = p.state.LastOrder.Add(time.Microsecond)
	}
	o.UpdatedAt, p.state.LastOrder = now, now
	p.state.Orders[o.ID], p.state.OrderKeys[o.ID] = o, o.Key
	p.save()
}

// Orders lists all orders, the oldest first, for tests.
func (p *Server) Orders() []Order {
	p.mu.Lock()
	defer p.mu.Unlock()
	var all []Order
	for _, o := range p.state.Orders {
		copied := *o
		copied.Fulfilments = slices.Clone(o.Fulfilments)
		all = append(all, copied)
	}
	slices.SortFunc(all, func(a, b Order) int { return compareIDs(a.ID, b.ID) })
	return all
}

// Cancel has a customer cancel an order.
func (p *Server) Cancel(id string) {
	p.mu.Lock()
	o := p.state.Orders[id]
	if o != nil {
		changed := *o
		changed.Cancelled = true
		p.keepOrder(&changed)
		o = &changed
	}
	p.mu.Unlock()
	if o != nil {
		p.tell("order.updated", *o)
	}
}

// listOrders gives those that changed after a moment, in the order in which they did.
func (p *Server) listOrders(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	var since time.Time
	if text := q.Get("updated_since"); text != "" {
		var err error
		if since, err = time.Parse(time.RFC3339Nano, text); err != nil {
			answer(w, http.StatusBadRequest, map[string]string{"error": "updated_since is not a moment"})
			return
		}
	}
	found := slices.DeleteFunc(p.Orders(), func(o Order) bool { return !o.UpdatedAt.After(since) })
	slices.SortFunc(found, func(a, b Order) int { return a.UpdatedAt.Compare(b.UpdatedAt) })
	limit, err := strconv.Atoi(q.Get("limit"))
	if err != nil || limit < 1 || limit > 100 {
		limit = 100
	}
	more := len(found) > limit
	if more {
		found = found[:limit]
	}
	if found == nil {
		found = []Order{}
	}
	answer(w, http.StatusOK, map[string]any{"orders": found, "more": more})
}

func (p *Server) getOrder(w http.ResponseWriter, r *http.Request) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if o := p.state.Orders[r.PathValue("id")]; o != nil {
		answer(w, http.StatusOK, o)
		return
	}
	answer(w, http.StatusNotFound, map[string]string{"error": "not_found"})
}

// write reads what is to be done with an order under a key, and does it with the lock held. It is kept, and told of,
// where do gives the order as it becomes; the answer is what do says.
func (p *Server) write(w http.ResponseWriter, r *http.Request, in any,
	do func(o *Order, key string) (status int, body any, changed *Order)) {
	key := r.Header.Get("Idempotency-Key")
	if err := json.NewDecoder(io.LimitReader(r.Body, 1<<20)).Decode(in); err != nil || key == "" {
		answer(w, http.StatusBadRequest, map[string]string{"error": "not JSON, or without Idempotency-Key"})
		return
	}
	p.mu.Lock()
	o := p.state.Orders[r.PathValue("id")]
	if o == nil {
		p.mu.Unlock()
		answer(w, http.StatusNotFound, map[string]string{"error": "not_found"})
		return
	}
	status, body, changed := do(o, key)
	if changed != nil {
		p.keepOrder(changed)
	}
	p.mu.Unlock()
	if changed != nil {
		p.tell("order.updated", *changed)
	}
	answer(w, status, body)
}

// unprocessable is why something cannot be done with an order.
func unprocessable(field, code, words string) (int, any, *Order) {
	return http.StatusUnprocessableEntity, map[string]any{"errors": []fieldError{{field, code, words}}}, nil
}

// fulfil notes a parcel of an order, once for each key.
func (p *Server) fulfil(w http.ResponseWriter, r *http.Request) {
	var in Fulfilment
	p.write(w, r, &in, func(o *Order, key string) (int, any, *Order) {
		for _, f := range o.Fulfilments {
			if f.ID == key {
				return http.StatusOK, f, nil
			}
		}
		if wrong := o.cannotFulfil(in); wrong != "" {
			return unprocessable("lines", "quantity", wrong)
		}
		in.ID, in.At = key, time.Now().UTC()
		changed := *o
		changed.Fulfilments = append(slices.Clone(o.Fulfilments), in)
		return http.StatusCreated, in, &changed
	})
}

// refund gives money back, once for each key.
func (p *Server) refund(w http.ResponseWriter, r *http.Request) {
	var in struct{ Amount, Reason string }
	p.write(w, r, &in, func(o *Order, key string) (int, any, *Order) {
		if _, made := p.state.Refunds[o.ID+" "+key]; made {
			return http.StatusOK, map[string]string{"refunded": o.Refunded}, nil
		}
		amount := hundredths(in.Amount)
		if amount <= 0 || hundredths(o.Refunded)+amount > hundredths(o.Total) {
			return unprocessable("amount", "amount", "No more can be given back than was paid.")
		}
		if p.state.Refunds == nil {
			p.state.Refunds = map[string]int64{}
		}
		p.state.Refunds[o.ID+" "+key] = amount
		changed := *o
		changed.Refunded = decimal(hundredths(o.Refunded) + amount)
		return http.StatusCreated, map[string]string{"refunded": changed.Refunded}, &changed
	})
}

// cannotFulfil says why a parcel cannot be of an order; empty where it can.
func (o *Order) cannotFulfil(in Fulfilment) string {
	if o.Cancelled {
		return "The order was cancelled."
	}
	left := map[string]int{}
	for _, l := range o.Lines {
		left[l.ID] = l.Quantity
	}
	for _, f := range append(slices.Clone(o.Fulfilments), in) {
		for _, l := range f.Lines {
			if left[l.ID] -= l.Quantity; left[l.ID] < 0 || l.Quantity < 1 {
				return fmt.Sprintf("Line %s has not so many left to ship.", l.ID)
			}
		}
	}
	return ""
}
