package store

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"
)

// Product is what is sent to a store.
type Product struct {
	// Reference is our own name for it, by which it can be found again.
	Reference   string    `json:"reference"`
	Title       string    `json:"title"`
	Description string    `json:"description_html"`
	Vendor      string    `json:"vendor"`
	Visible     bool      `json:"visible"`
	SellEmpty   bool      `json:"sell_when_out_of_stock"`
	Options     []Option  `json:"options"`
	Variants    []Variant `json:"variants"`
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

// checked is a product as it can be kept: its address leads to the web or nowhere. One without an id
// is ErrUnavailable.
func (p Sent) checked(err error) (Sent, error) {
	if err != nil {
		return Sent{}, err
	}
	if u, err := url.Parse(p.URL); err != nil || (u.Scheme != "http" && u.Scheme != "https") || len(p.URL) > 2_000 ||
		strings.ContainsRune(p.URL, 0) {
		p.URL = ""
	}
	if p.ID == "" || text(p.ID) != p.ID {
		return p, fmt.Errorf("%w (its answer names no product)", ErrUnavailable)
	}
	return p, nil
}

// PutPicture sends a picture under its hash; sending it again changes nothing.
func (s *Session) PutPicture(ctx context.Context, hash string, content []byte) error {
	return s.send(ctx, http.MethodPut, "/pictures/"+hash, "", content, nil)
}

// Create makes a product. The same key never makes a second one, so the call is repeated
// after an answer that was lost.
func (s *Session) Create(ctx context.Context, key string, p Product) (Sent, error) {
	var sent Sent
	err := s.send(ctx, http.MethodPost, "/products", key, p, &sent)
	return sent.checked(err)
}

// Update replaces a product, or returns ErrGone.
func (s *Session) Update(ctx context.Context, id string, p Product) (Sent, error) {
	var sent Sent
	err := s.send(ctx, http.MethodPut, "/products/"+url.PathEscape(id), "", p, &sent)
	return sent.checked(err)
}

// Find lists the products with our reference: none, one, or several where a draft was once listed twice.
func (s *Session) Find(ctx context.Context, reference string) ([]Sent, error) {
	var found struct {
		Products []Sent `json:"products"`
	}
	err := s.send(ctx, http.MethodGet, "/products?reference="+url.QueryEscape(reference), "", nil, &found)
	// A store that does not know the question may answer with everything: only what is ours counts.
	all := slices.DeleteFunc(found.Products, func(p Sent) bool {
		return text(p.ID) != p.ID || p.ID == "" || (p.Reference != "" && p.Reference != reference)
	})
	for i := range all {
		all[i], _ = all[i].checked(nil) // it has an id
	}
	return all, err
}

// Remove takes a product out of the store; one that is gone already is no error.
func (s *Session) Remove(ctx context.Context, id string) error {
	err := s.send(ctx, http.MethodDelete, "/products/"+url.PathEscape(id), "", nil, nil)
	if errors.Is(err, ErrGone) {
		return nil
	}
	return err
}
