package store

import (
	"errors"
	"fmt"
	"strings"
	"time"

	"plainpelican/core/money"
	"plainpelican/core/order"
)

// Order is an order of a customer as a store has it. Amounts are decimal text in its currency.
type Order struct {
	ID        string    `json:"id"`
	Number    string    `json:"number"`
	PlacedAt  time.Time `json:"placed_at"`
	UpdatedAt time.Time `json:"updated_at"`
	Cancelled bool      `json:"cancelled"`
	Currency  string    `json:"currency"`
	Shipping  string    `json:"shipping"`
	Total     string    `json:"total"`
	// Refunded is what the customer got back so far.
	Refunded string        `json:"refunded"`
	Email    string        `json:"email"`
	Phone    string        `json:"phone"`
	Address  order.Address `json:"address"`
	Note     string        `json:"note"`
	Lines    []OrderLine   `json:"lines"`
}

// OrderLine is one variant of an order. Reference is our own name for the variant, where it is ours.
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

// Fulfilment is a parcel of an order.
type Fulfilment struct {
	Carrier string      `json:"carrier"`
	Number  string      `json:"number"`
	URL     string      `json:"url"`
	Lines   []Fulfilled `json:"lines"`
}

// Fulfilled is how many of a line are in a parcel.
type Fulfilled struct {
	ID       string `json:"id"`
	Quantity int    `json:"quantity"`
}

// What an order may hold.
const (
	maxOrderLines = 500
	maxNote       = 2_000
	maxQuantity   = 100_000
)

// Amounts are an order's, read: those of its lines in their order.
type Amounts struct {
	Shipping, Total, Refunded money.Amount
	Prices                    []money.Amount
}

// Refund is what a customer is to get back of an order. Amount is decimal text in its currency.
type Refund struct {
	Amount string `json:"amount"`
	Reason string `json:"reason"`
}

// Checked is an order as it can be kept, with its amounts, or why it cannot.
func (o Order) Checked() (Order, Amounts, error) {
	var a Amounts
	if o.ID == "" || len(o.ID) > 100 || Text(o.ID) != o.ID {
		return o, a, errors.New("it has no id")
	}
	if len(o.Lines) == 0 || len(o.Lines) > maxOrderLines {
		return o, a, fmt.Errorf("it has %d lines", len(o.Lines))
	}
	currency, err := money.ParseCurrency(o.Currency)
	if err != nil {
		return o, a, err
	}
	amount := func(text string) (money.Amount, error) {
		if text == "" {
			return money.Zero(currency), nil
		}
		m, err := money.Parse(text, currency)
		if err == nil && m.Negative() {
			err = fmt.Errorf("%s is negative", text)
		}
		return m, err
	}
	if a.Shipping, err = amount(o.Shipping); err != nil {
		return o, a, err
	}
	if a.Total, err = amount(o.Total); err != nil {
		return o, a, err
	}
	if a.Refunded, err = amount(o.Refunded); err != nil {
		return o, a, err
	}
	if o.Total == "" {
		a.Total = a.Shipping
	}
	if o.PlacedAt.IsZero() {
		return o, a, errors.New("it does not say when it was placed")
	}
	seen := map[string]bool{}
	for i := range o.Lines {
		l := &o.Lines[i]
		price, err := amount(l.Price)
		if err != nil {
			return o, a, fmt.Errorf("line %d: %w", i+1, err)
		}
		if l.ID == "" || seen[l.ID] || l.Quantity < 1 || l.Quantity > maxQuantity {
			return o, a, fmt.Errorf("line %d has no id or quantity that can be used", i+1)
		}
		seen[l.ID] = true
		a.Prices = append(a.Prices, price)
		if o.Total == "" { // a file does not say it
			line, err := price.Times(int64(l.Quantity))
			if err == nil {
				a.Total, err = a.Total.Add(line)
			}
			if err != nil {
				return o, a, err
			}
		}
		for _, text := range []*string{&l.ID, &l.ProductID, &l.VariantID, &l.Reference, &l.SKU, &l.Title, &l.Variant} {
			*text = Text(*text)
		}
	}
	for _, text := range []*string{&o.Number, &o.Email, &o.Phone, &o.Address.Name, &o.Address.Company,
		&o.Address.Line1, &o.Address.Line2, &o.Address.City, &o.Address.Region, &o.Address.Postcode,
		&o.Address.Country} {
		*text = Text(*text)
	}
	o.Note = strings.ReplaceAll(strings.ToValidUTF8(o.Note[:min(len(o.Note), maxNote)], ""), "\x00", "")
	o.Address = o.Address.Trimmed()
	if o.Address.Phone == "" {
		o.Address.Phone = o.Phone
	}
	return o, a, nil
}
