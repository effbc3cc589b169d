package bazaar

import (
	"cmp"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"
	"time"

	"plainpelican/standins/gen"
)

// purchase is a purchase order of a client.
type purchase struct {
	ID       string          `json:"identifier"`
	Number   string          `json:"orderNumber"`
	Lines    []ordered       `json:"orderedItem"`
	Service  string          `json:"service"`
	To       json.RawMessage `json:"deliveryAddress"`
	Comment  string          `json:"comment"`
	Total    int             `json:"total"`
	Currency string          `json:"currency"`
	Digits   int             `json:"digits"`
	PlacedAt time.Time       `json:"placed_at"`
	// PaidAt and PaidDay are when it was paid; zero where it was not.
	PaidAt    time.Time `json:"paid_at"`
	PaidDay   int       `json:"paid_day"`
	Cancelled string    `json:"cancelled"`
	// Slip is the PDF that goes into the parcel, Messages what the client wrote.
	Slip     []byte    `json:"slip"`
	Messages []message `json:"messages"`
}

// message is what a client wrote to a supplier.
type message struct {
	ID   string `json:"identifier"`
	Text string `json:"text"`
}

type ordered struct {
	Item struct {
		Group string `json:"productGroupID"`
		SKU   string `json:"sku"`
	} `json:"orderedItem"`
	Quantity int `json:"orderQuantity"`
}

// usualBalance is what a client may spend in each currency, in whole units of it, where the settings say nothing.
const usualBalance = 5_000

func refuse(w http.ResponseWriter, format string, args ...any) {
	answer(w, http.StatusUnprocessableEntity, object{"detail": fmt.Sprintf(format, args...)})
}

// place takes a purchase order, once for each identifier.
func (b *Server) place(w http.ResponseWriter, r *http.Request) {
	var in struct {
		Lines    []ordered `json:"orderedItem"`
		Delivery struct {
			Name    string          `json:"hasDeliveryMethod"`
			Address json.RawMessage `json:"deliveryAddress"`
		} `json:"orderDelivery"`
		Comment string `json:"comment"`
		Slip    struct {
			URL string `json:"contentUrl"`
		} `json:"subjectOf"`
	}
	if err := json.NewDecoder(io.LimitReader(r.Body, 1<<20)).Decode(&in); err != nil || len(in.Lines) == 0 {
		refuse(w, "Say what is ordered.")
		return
	}
	id := r.PathValue("id")
	b.mu.Lock()
	known := b.purchases[id]
	b.mu.Unlock()
	if known != nil {
		answer(w, http.StatusOK, b.purchaseOrder(known))
		return
	}
	p := purchase{ID: id, Lines: in.Lines, Service: in.Delivery.Name, To: in.Delivery.Address, Comment: in.Comment,
		PlacedAt: time.Now().UTC()}
	if encoded, is := strings.CutPrefix(in.Slip.URL, "data:application/pdf;base64,"); is {
		slip, err := base64.StdEncoding.DecodeString(encoded)
		if err != nil || !strings.HasPrefix(string(slip), "%PDF-") {
			refuse(w, "The packing slip is no PDF.")
			return
		}
		p.Slip = slip
	}
	var to struct {
		Country  string `json:"addressCountry"`
		Postcode string `json:"postalCode"`
		Name     string `json:"name"`
		Street   string `json:"streetAddress"`
		Phone    string `json:"telephone"`
	}
	if json.Unmarshal(p.To, &to) != nil || to.Country == "" || to.Name == "" || to.Street == "" {
		refuse(w, "The delivery address is incomplete.")
		return
	}
	for _, r := range to.Name + to.Street {
		if r > 0x24F {
			refuse(w, "Write the address in Latin letters: “%c” cannot be printed on the parcel.", r)
			return
		}
	}
	seller := ""
	for _, line := range in.Lines {
		o, found := b.find(line.Item.Group)
		if !found || o.Withdrawn {
			refuse(w, "%s is not sold any more.", line.Item.Group)
			return
		}
		if seller != "" && o.Supplier.Number != seller {
			refuse(w, "One order goes to one supplier.")
			return
		}
		seller, p.Currency, p.Digits = o.Supplier.Number, o.Supplier.Currency, o.Supplier.Digits
		if slices.ContainsFunc(o.Deliveries, func(d gen.Delivery) bool {
			return d.Name == p.Service && d.Phone() && to.Phone == ""
		}) {
			refuse(w, "%s needs a telephone number.", p.Service)
			return
		}
		cost, why := priceOf(o, line, p.Service, to.Country)
		if why != "" {
			refuse(w, "%s", why)
			return
		}
		p.Total += cost
	}
	b.mu.Lock()
	if known := b.purchases[id]; known != nil { // two at once
		b.mu.Unlock()
		answer(w, http.StatusOK, b.purchaseOrder(known))
		return
	}
	p.Number = fmt.Sprintf("%s-PO-%d", b.Prefix, 3000+len(b.purchases))
	b.purchases[id] = &p
	b.keep()
	b.mu.Unlock()
	answer(w, http.StatusCreated, b.purchaseOrder(&p))
}

// priceOf is what a line costs with its delivery, or why it cannot be had.
func priceOf(o gen.Offer, line ordered, service, country string) (minor int, why string) {
	variant := -1
	for i, v := range o.Variants {
		if v.SKU == line.Item.SKU {
			variant = i
		}
	}
	if variant < 0 || line.Quantity < 1 {
		return 0, fmt.Sprintf("%s has no variant %s.", o.Number, line.Item.SKU)
	}
	if o.Variants[variant].Stock < line.Quantity {
		return 0, fmt.Sprintf("Only %d of %s are in stock.", o.Variants[variant].Stock, line.Item.SKU)
	}
	for _, d := range o.Deliveries {
		if d.Name != service {
			continue
		}
		for _, to := range d.To {
			if to == country || to == "*" {
				return o.Variants[variant].Price*line.Quantity + d.First + d.Further*(line.Quantity-1), ""
			}
		}
	}
	return 0, fmt.Sprintf("%s does not go to %s.", service, country)
}

// purchaseOrder is a purchase as the protocol carries it, with how far it has come.
func (b *Server) purchaseOrder(of *purchase) object {
	b.mu.Lock()
	day, p := b.day, *of
	b.mu.Unlock()
	status := "OrderPaymentDue"
	parcels := []object{}
	since := time.Since(p.PaidAt)
	travels := func(days int, steps int) bool {
		return day-p.PaidDay >= days || b.ParcelStep > 0 && since >= time.Duration(steps)*b.ParcelStep
	}
	switch {
	case p.Cancelled != "":
		status = "OrderCancelled"
	case p.PaidAt.IsZero():
	case !travels(2, 1):
		status = "OrderProcessing"
	default:
		status = "OrderInTransit"
		if travels(9, 3) {
			status = "OrderDelivered"
		}
		number := trackingNumber(p.Number)
		parcels = append(parcels, object{"@type": "ParcelDelivery", "identifier": p.Number + "-1",
			"trackingNumber": number,
			"provider":       object{"@type": "Organization", "name": "Harbour Post"},
			"trackingUrl":    "https://post.example/" + number, "orderStatus": status, "itemShipped": p.Lines})
	}
	answers := []object{}
	for _, m := range p.Messages {
		answers = append(answers, object{"@type": "Message", "identifier": m.ID + "-answer",
			"text": "Thank you for writing about " + p.Number + ". We look into it and answer within two days."})
	}
	return object{"@context": "https://schema.org", "@type": "Order", "message": answers,
		"identifier": p.ID, "orderNumber": p.Number,
		"orderStatus": status, "price": decimal(p.Total, p.Digits), "priceCurrency": p.Currency,
		"orderDate": p.PlacedAt.Format(time.RFC3339), "description": p.Cancelled, "orderDelivery": parcels}
}

// trackingNumber is an item number as in UPU standard S10: the check digit weighs the digits 8 6 4 2 3 5 9 7.
func trackingNumber(of string) string {
	n := 0
	for _, r := range of {
		n = (n*31 + int(r)) % 100_000_000
	}
	digits := fmt.Sprintf("%08d", n)
	sum := 0
	for i, weight := range []int{8, 6, 4, 2, 3, 5, 9, 7} {
		sum += int(digits[i]-'0') * weight
	}
	check := 11 - sum%11
	switch check {
	case 10:
		check = 0
	case 11:
		check = 5
	}
	return fmt.Sprintf("LX%s%dCN", digits, check)
}

func (b *Server) withPurchase(w http.ResponseWriter, r *http.Request, do func(*purchase)) {
	b.mu.Lock()
	p := b.purchases[r.PathValue("id")]
	b.mu.Unlock()
	if p == nil {
		answer(w, http.StatusNotFound, object{"error": "not_found"})
		return
	}
	do(p)
}

func (b *Server) showPurchase(w http.ResponseWriter, r *http.Request) {
	b.withPurchase(w, r, func(p *purchase) { answer(w, http.StatusOK, b.purchaseOrder(p)) })
}

// pay takes a purchase's total from the client's balance, once.
func (b *Server) pay(w http.ResponseWriter, r *http.Request) {
	b.withPurchase(w, r, func(p *purchase) {
		b.mu.Lock()
		left := b.balance(p.Currency, p.Digits)
		switch {
		case p.Cancelled != "":
			b.mu.Unlock()
			refuse(w, "The order was cancelled: %s", p.Cancelled)
			return
		case p.PaidAt.IsZero() && left < p.Total:
			b.mu.Unlock()
			answer(w, http.StatusPaymentRequired, object{"detail": fmt.Sprintf(
				"The balance of %s %s does not cover %s.",
				decimal(left, p.Digits), p.Currency, decimal(p.Total, p.Digits))})
			return
		case p.PaidAt.IsZero():
			p.PaidAt, p.PaidDay = time.Now().UTC(), b.day
			b.keep()
		}
		b.mu.Unlock()
		answer(w, http.StatusOK, b.purchaseOrder(p))
	})
}

// takeMessage takes what a client writes to the supplier of a purchase, once for each identifier.
func (b *Server) takeMessage(w http.ResponseWriter, r *http.Request) {
	b.withPurchase(w, r, func(p *purchase) {
		var in message
		if json.NewDecoder(io.LimitReader(r.Body, 1<<16)).Decode(&in) != nil || strings.TrimSpace(in.Text) == "" {
			refuse(w, "The message is empty.")
			return
		}
		in.ID = r.PathValue("message")
		b.mu.Lock()
		if !slices.ContainsFunc(p.Messages, func(m message) bool { return m.ID == in.ID }) {
			p.Messages = append(p.Messages, in)
			b.keep()
		}
		b.mu.Unlock()
		w.WriteHeader(http.StatusNoContent)
	})
}

// balance is what a client has left in a currency, in minor units; the caller holds the lock.
func (b *Server) balance(currency string, digits int) int {
	left := cmp.Or(b.Balance, usualBalance)
	for range digits {
		left *= 10
	}
	for _, p := range b.purchases {
		if p.Currency == currency && !p.PaidAt.IsZero() && p.Cancelled == "" {
			left -= p.Total
		}
	}
	return left
}

// cancel has a supplier cancel a purchase, on loopback only: ?id=…&reason=….
func (b *Server) cancel(w http.ResponseWriter, r *http.Request) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if p := b.purchases[r.URL.Query().Get("id")]; p != nil {
		p.Cancelled = strings.TrimSpace(r.URL.Query().Get("reason"))
		b.keep()
	}
	w.WriteHeader(http.StatusNoContent)
}

// Purchase is a purchase order, for tests.
type Purchase struct {
	ID, Number, Service, Currency, Address, Comment string
	Total, Quantity                                 int
	Paid                                            bool
	Slip                                            []byte
	Messages                                        []string
}

// Purchases lists what was ordered, for tests.
func (b *Server) Purchases() []Purchase {
	b.mu.Lock()
	defer b.mu.Unlock()
	var list []Purchase
	for _, p := range b.purchases {
		one := Purchase{ID: p.ID, Number: p.Number, Service: p.Service, Currency: p.Currency, Address: string(p.To),
			Comment: p.Comment, Total: p.Total, Paid: !p.PaidAt.IsZero()}
		for _, l := range p.Lines {
			one.Quantity += l.Quantity
		}
		one.Slip = p.Slip
		for _, m := range p.Messages {
			one.Messages = append(one.Messages, m.Text)
		}
		list = append(list, one)
	}
	return list
}
