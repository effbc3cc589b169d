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

// Update replaces a product, or returns store.ErrGone.
func (s *session) Update(ctx context.Context, id string, p store.Product) (store.Sent, error) {
	var sent store.Sent
	err := s.send(ctx, http.MethodPut, "/products/"+url.PathEscape(id), "", p, &sent)
	return sent.Checked(err)
}

// Find lists the products with our reference: none, one, or several where a draft was once listed twice.
func (s *session) Find(ctx context.Context, reference string) ([]store.Sent, error) {
	var found struct {
		Products []store.Sent `json:"products"`
	}
	err := s.send(ctx, http.MethodGet, "/products?reference="+url.QueryEscape(reference), "", nil, &found)
	// A store that does not know the question may answer with everything: only what is ours counts.
	all := slices.DeleteFunc(found.Products, func(p store.Sent) bool {
		return store.Text(p.ID) != p.ID || p.ID == "" || (p.Reference != "" && p.Reference != reference)
	})
	for i := range all {
		all[i], _ = all[i].Checked(nil) // it has an id
	}
	return all, err
}

// Remove takes a product out of the store; one that is gone already is no error.
func (s *session) Remove(ctx context.Context, id string) error {
	err := s.send(ctx, http.MethodDelete, "/products/"+url.PathEscape(id), "", nil, nil)
	if errors.Is(err, store.ErrGone) {
		return nil
	}
	return err
}
