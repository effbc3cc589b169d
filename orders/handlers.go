package orders

import (
	"context"
	"net/http"

	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
)

// IDs names some orders, or purchases.
type IDs struct {
	IDs []int64 `json:"ids" minItems:"1" maxItems:"5000"`
}

// Moved is how many of them moved.
type Moved struct {
	Moved int `json:"moved"`
}

// Register adds its routes.
func (s *Service) Register(a *apikit.API) {
	// Who speaks here is known by their signature.
	a.Raw(access.Public, http.MethodPost, hookPath+"{key}", s.receive)
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/orders", "listOrders",
		"Customers' orders, the newest first",
		func(ctx context.Context, in *struct {
			Filter
			Before int64 `query:"before" minimum:"0" doc:"The order that the page begins after; 0 is the first page"`
			Limit  int   `query:"limit" minimum:"1" maximum:"500" default:"100"`
		}) (*apikit.Body[Page], error) {
			return apikit.OK(s.List(ctx, in.Before, in.Limit, in.Filter))
		})
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/orders/{id}", "getOrder", "One order in full",
		func(ctx context.Context, in *apikit.ByID) (*apikit.Body[Order], error) {
			return apikit.OK(s.Order(ctx, in.ID))
		})
	apikit.Register(a, access.Fulfiller, http.MethodPut, "/api/orders/{id}/address", "setOrderAddress",
		"Correct where an order goes, or accept it as it is", func(ctx context.Context, in *struct {
			apikit.ByID
			Body AddressInput
		}) (*apikit.Body[Order], error) {
			return apikit.OK(s.SetAddress(ctx, in.ID, in.Body))
		})
	apikit.Register(a, access.Fulfiller, http.MethodPost, "/api/orders/review", "reviewOrders",
		"What buying orders would come to, before anything is bought",
		func(ctx context.Context, in *struct{ Body BuyInput }) (*apikit.Body[Review], error) {
			return apikit.OK(s.Review(ctx, in.Body))
		})
	apikit.Register(a, access.Fulfiller, http.MethodPost, "/api/orders/buy", "buyOrders",
		"Buy what is in orders from their suppliers",
		func(ctx context.Context, in *struct{ Body BuyInput }) (*apikit.Body[Purchases], error) {
			return apikit.OK(s.Buy(ctx, in.Body))
		})
	apikit.Register(a, access.Fulfiller, http.MethodPost, "/api/orders/archive", "archiveOrders",
		"Put orders out of sight, or back", func(ctx context.Context, in *struct {
			Body struct {
				IDs
				Archived bool `json:"archived"`
			}
		}) (*apikit.Body[Moved], error) {
			n, err := s.Archive(ctx, in.Body.IDs.IDs, in.Body.Archived)
			return apikit.OK(Moved{n}, err)
		})
	apikit.Register(a, access.Fulfiller, http.MethodPost, "/api/orders/read", "readOrders",
		"Read the stores' orders, and ask suppliers for news, now",
		func(ctx context.Context, _ *apikit.None) (*apikit.None, error) {
			return nil, s.Refresh(ctx)
		})
	apikit.Register(a, access.Fulfiller, http.MethodPost, "/api/purchases/pay", "payPurchases",
		"Pay purchases from the balance at their sources",
		func(ctx context.Context, in *struct{ Body IDs }) (*apikit.Body[Moved], error) {
			n, err := s.Pay(ctx, in.Body.IDs)
			return apikit.OK(Moved{n}, err)
		})
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/purchases/owed", "owedPurchases",
		"Purchases that wait to be paid", func(ctx context.Context, _ *apikit.None) (*apikit.Body[[]OwedPurchase],
			error) {
			return apikit.OK(s.Owed(ctx))
		})
}
