package storeplatform

import (
	"context"
	"errors"
	"net/http"
	"net/url"
	"slices"

	"plainpelican/connect/store"
)

// PutPicture sends a picture under its hash; sending it again changes nothing.
func (s *session) PutPicture(ctx context.Context, hash string, content []byte) error {
	return s.send(ctx, http.MethodPut, "/pictures/"+hash, "", content, nil)
}

// Create makes a product. The same key never makes a second one, so the call is repeated
// after an answer that was lost.
func (s *session) Create(ctx context.Context, key string, p store.Product) (store.Sent, error) {
	var sent store.Sent
	err := s.send(ctx, http.MethodPost, "/products", key, p, &sent)
	return sent.Checked(err)
}

// Update changes some fields of a product (RFC 7396), or returns store.ErrGone.
func (s *session) Update(ctx context.Context, id string, p store.Product, fields []string) (store.Sent, error) {
	part, err := p.Part(fields)
	if err != nil {
		return store.Sent{}, err
	}
	var sent store.Sent
	err = s.send(ctx, http.MethodPatch, "/products/"+url.PathEscape(id), "", part, &sent)
	return sent.Checked(err)
}

// page is products as the store lists them.
type page struct {
	Products []store.Found `json:"products"`
	Next     string        `json:"next"`
}

// usable are the products of a page that can be kept.
func (p *page) usable() []store.Found {
	all := slices.DeleteFunc(p.Products, func(f store.Found) bool {
		return store.Text(f.Sent.ID) != f.Sent.ID || f.Sent.ID == ""
	})
	for i := range all {
		all[i].Sent, _ = all[i].Sent.Checked(nil) // it has an id
	}
	return all
}

// Find lists the products with our reference: none, one, or several where a draft was once listed twice.
func (s *session) Find(ctx context.Context, reference string) ([]store.Found, error) {
	var found page
	err := s.send(ctx, http.MethodGet, "/products?reference="+url.QueryEscape(reference), "", nil, &found)
	// A store that does not know the question may answer with everything: only what is ours counts.
	return slices.DeleteFunc(found.usable(), func(f store.Found) bool {
		return f.Product.Reference != "" && f.Product.Reference != reference
	}), err
}

// List reads the store's products page by page.
func (s *session) List(ctx context.Context, cursor string) ([]store.Found, string, error) {
	var found page
	err := s.send(ctx, http.MethodGet, "/products?limit=100&after="+url.QueryEscape(cursor), "", nil, &found)
	if found.Next == cursor {
		found.Next = "" // a store that stands still has ended
	}
	return found.usable(), found.Next, err
}

// Remove takes a product out of the store; one that is gone already is no error.
func (s *session) Remove(ctx context.Context, id string) error {
	err := s.send(ctx, http.MethodDelete, "/products/"+url.PathEscape(id), "", nil, nil)
	if errors.Is(err, store.ErrGone) {
		return nil
	}
	return err
}
