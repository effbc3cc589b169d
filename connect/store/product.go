package store

import (
	"fmt"
	"net/url"
	"strings"
)

// Product is what is sent to a store.
type Product struct {
	// Reference is our own name for it, by which it can be found again.
	Reference   string `json:"reference"`
	Title       string `json:"title"`
	Description string `json:"description_html"`
	Vendor      string `json:"vendor"`
	// Type says what kind of thing it is; Collections and Tags are names, those not there yet are made.
	Type        string   `json:"type,omitempty"`
	Collections []string `json:"collections,omitempty"`
	Tags        []string `json:"tags,omitempty"`
	// SearchTitle and SearchDescription are for search engines; empty ones are title and description.
	SearchTitle       string    `json:"search_title,omitempty"`
	SearchDescription string    `json:"search_description,omitempty"`
	Visible           bool      `json:"visible"`
	SellEmpty         bool      `json:"sell_when_out_of_stock"`
	Options           []Option  `json:"options"`
	Variants          []Variant `json:"variants"`
	// Pictures are SHA-256 hashes of pictures sent before.
	Pictures []string `json:"pictures"`
}

// Option is a way in which variants differ.
type Option struct {
	Name   string   `json:"name"`
	Values []string `json:"values"`
}

// Variant is one thing a customer can buy. Price is decimal text in the store's currency.
type Variant struct {
	Reference string   `json:"reference"`
	SKU       string   `json:"sku"`
	Values    []string `json:"values"`
	Price     string   `json:"price"`
	// WasPrice is what is shown as the earlier price, above Price; empty for none.
	WasPrice string `json:"was_price,omitempty"`
	Stock    int    `json:"stock"`
	Barcode  string `json:"barcode,omitempty"`
	Picture  string `json:"picture,omitempty"`
}

// Sent is what the store made of a product.
type Sent struct {
	ID        string `json:"id"`
	URL       string `json:"url"`
	Reference string `json:"reference,omitempty"`
}

// Checked is a product as it can be kept: its address leads to the web or nowhere. One without an id
// is ErrUnavailable.
func (p Sent) Checked(err error) (Sent, error) {
	if err != nil {
		return Sent{}, err
	}
	if u, err := url.Parse(p.URL); err != nil || (u.Scheme != "http" && u.Scheme != "https") || len(p.URL) > 2_000 ||
		strings.ContainsRune(p.URL, 0) {
		p.URL = ""
	}
	if p.ID == "" || Text(p.ID) != p.ID {
		return p, fmt.Errorf("%w (its answer names no product)", ErrUnavailable)
	}
	return p, nil
}
