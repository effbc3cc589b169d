package matching

import (
	"context"
	"net/http"
	"time"

	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
)

// Register adds the operations.
func (s *Service) Register(a *apikit.API) {
	// A POST, since it fetches the page: a link on a foreign page must not make us do so.
	apikit.Register(a, access.Fulfiller, http.MethodPost, "/api/alternatives", "lookUpAlternatives",
		"Offers of the item that a page or a picture shows",
		func(ctx context.Context, in *struct{ Body LookupInput }) (*apikit.Body[Alternatives], error) {
			return timed(func() (Alternatives, error) { return s.lookUp(ctx, in.Body) })
		})
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/offers/{id}/alternatives", "offerAlternatives",
		"The same item at other suppliers", func(ctx context.Context, in *struct {
			apikit.ByID
			Store  int64  `query:"store"`
			Market string `query:"market" maxLength:"2" doc:"Of the store; empty is the one of its prices"`
		}) (*apikit.Body[Alternatives], error) {
			return timed(func() (Alternatives, error) { return s.FindAlternatives(ctx, in.ID, in.Store, in.Market) })
		})
	apikit.Register(a, access.Editor, http.MethodPut, "/api/offers/{id}/alternatives/{other}", "decideMatch",
		"Decide that two offers are the same item, or not", func(ctx context.Context, in *struct {
			apikit.ByID
			Other int64 `path:"other"`
			Body  struct {
				Decision string `json:"decision" enum:",same,other" doc:"Empty takes it back"`
			}
		}) (*struct{}, error) {
			return nil, s.saveDecision(ctx, in.ID, in.Other, in.Body.Decision)
		})
}

// timed says how long finding took.
func timed(find func() (Alternatives, error)) (*apikit.Body[Alternatives], error) {
	began := time.Now()
	found, err := find()
	found.TookMS = float64(time.Since(began).Microseconds()) / 1000
	return apikit.OK(found, err)
}
