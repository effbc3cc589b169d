package storeplatform

import (
	"context"
	"net/http"
	"net/url"
	"time"

	"plainpelican/connect/store"
)

// orderPage is how many orders are asked for at once.
const orderPage = "100"

// Orders lists orders that changed after a moment.
func (s *session) Orders(ctx context.Context, since time.Time) ([]store.Order, bool, error) {
	q := url.Values{"limit": {orderPage}}
	if !since.IsZero() {
		q.Set("updated_since", since.UTC().Format(time.RFC3339Nano))
	}
	var page struct {
		Orders []store.Order `json:"orders"`
		More   bool          `json:"more"`
	}
	err := s.send(ctx, http.MethodGet, "/orders?"+q.Encode(), "", nil, &page)
	return page.Orders, page.More, err
}

// Fulfil tells of a parcel of an order.
func (s *session) Fulfil(ctx context.Context, key, order string, f store.Fulfilment) error {
	return s.send(ctx, http.MethodPost, "/orders/"+url.PathEscape(order)+"/fulfilments", key, f, nil)
}

// Refund gives a customer money back.
func (s *session) Refund(ctx context.Context, key, order string, r store.Refund) (string, error) {
	var made struct {
		Refunded string `json:"refunded"`
	}
	err := s.send(ctx, http.MethodPost, "/orders/"+url.PathEscape(order)+"/refunds", key, r, &made)
	return made.Refunded, err
}

// Hook has the store tell an address of orders.
func (s *session) Hook(ctx context.Context, address string) (string, error) {
	var made struct {
		Secret string `json:"secret"`
	}
	err := s.send(ctx, http.MethodPut, "/webhooks", "",
		map[string]any{"url": address, "topics": []string{"order.created", "order.updated"}}, &made)
	return made.Secret, err
}
