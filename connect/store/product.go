package store

import (
	"context"
	"errors"
	"net/http"
	"net/url"
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
	ID  string `json:"id"`
	URL string `json:"url"`
}

// PutPicture sends a picture under its hash; sending it again changes nothing.
func (s *Session) PutPicture(ctx context.Context, hash string, content []byte) error {
	return s.send(ctx, http.MethodPut, "/pictures/"+hash, "", content, nil)
}

// Create makes a product. The same key never makes a second one, so the call is repeated
// after an answer that was lost.
func (s *Session) Create(ctx context.Context, key string, p Product) (Sent, error) {
	var sent Sent
	return sent, s.send(ctx, http.MethodPost, "/products", key, p, &sent)
}

// Update replaces a product, or returns ErrGone.
func (s *Session) Update(ctx context.Context, id string, p Product) (Sent, error) {
	var sent Sent
	return sent, s.send(ctx, http.MethodPut, "/products/"+url.PathEscape(id), "", p, &sent)
}

// Find looks a product up by our reference; an empty ID says that there is none.
func (s *Session) Find(ctx context.Context, reference string) (Sent, error) {
	var found struct {
		Products []Sent `json:"products"`
	}
	err := s.send(ctx, http.MethodGet, "/products?reference="+url.QueryEscape(reference), "", nil, &found)
	if err != nil || len(found.Products) == 0 {
		return Sent{}, err
	}
	return found.Products[0], nil
}

// Remove takes a product out of the store; one that is gone already is no error.
func (s *Session) Remove(ctx context.Context, id string) error {
	err := s.send(ctx, http.MethodDelete, "/products/"+url.PathEscape(id), "", nil, nil)
	if errors.Is(err, ErrGone) {
		return nil
	}
	return err
}
