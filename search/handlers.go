package search

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
)

// Register adds the operations.
func (s *Service) Register(a *apikit.API) {
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/offers", "searchOffers", "Ask the catalog a sentence",
		func(ctx context.Context, in *Sentence) (*apikit.Body[Result], error) {
			return apikit.OK(s.Search(ctx, *in))
		})
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/offers/export", "exportOffers",
		"The whole answer of a sentence as CSV", s.handleExport)
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/saved-searches", "listSavedSearches",
		"Searches saved under a name", func(ctx context.Context, _ *struct{}) (*apikit.Body[[]SavedSearch], error) {
			return apikit.OK(s.savedSearches(ctx))
		})
	apikit.Register(a, access.Editor, http.MethodPut, "/api/saved-searches", "saveSearch", "Save a search under a name",
		func(ctx context.Context, in *struct{ Body SaveSearchInput }) (*apikit.Body[SavedSearch], error) {
			return apikit.OK(s.saveSearch(ctx, in.Body))
		})
	apikit.Register(a, access.Editor, http.MethodDelete, "/api/saved-searches/{id}", "deleteSavedSearch",
		"Delete a saved search", func(ctx context.Context, in *apikit.ByID) (*struct{}, error) {
			return nil, s.deleteSearch(ctx, in.ID)
		})
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/synonyms", "getSynonyms",
		"Words that mean the same to the seller",
		func(ctx context.Context, _ *struct{}) (*apikit.Body[Synonyms], error) {
			return apikit.OK(s.Synonyms(ctx))
		})
	apikit.Register(a, access.Editor, http.MethodPut, "/api/synonyms", "setSynonyms", "Say which words mean the same",
		func(ctx context.Context, in *struct{ Body Synonyms }) (*apikit.Body[Synonyms], error) {
			return apikit.OK(s.setSynonyms(ctx, in.Body))
		})
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/standard", "getStandard", "The seller's own standard",
		func(ctx context.Context, _ *struct{}) (*apikit.Body[Standard], error) {
			return apikit.OK(s.Standard(ctx))
		})
	apikit.Register(a, access.Editor, http.MethodPut, "/api/standard", "setStandard", "Say the seller's own standard",
		func(ctx context.Context, in *struct{ Body Standard }) (*apikit.Body[Standard], error) {
			return apikit.OK(s.setStandard(ctx, in.Body))
		})
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/offers/{id}", "getOffer", "One offer in full",
		func(ctx context.Context, in *struct {
			apikit.ByID
			Store   int64 `query:"store"`
			SoldOut bool  `query:"sold_out" doc:"About the cheapest variant, sold out or not"`
		}) (*apikit.Body[Sheet], error) {
			return apikit.OK(s.sheet(ctx, in.ID, in.Store, in.SoldOut))
		})
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/offers/{id}/what-if", "whatIf",
		"What an offer would leave at another price",
		func(ctx context.Context, in *WhatIf) (*apikit.Body[WhatIfResult], error) {
			return apikit.OK(s.whatIf(ctx, *in))
		})
}

// handleExport streams: what goes wrong on the way ends the file short, and is logged.
func (s *Service) handleExport(ctx context.Context, in *Sentence) (*huma.StreamResponse, error) {
	write, err := s.export(ctx, *in)
	if err != nil {
		return nil, err
	}
	return &huma.StreamResponse{Body: func(h huma.Context) {
		h.SetHeader("Content-Type", "text/csv; charset=utf-8")
		h.SetHeader("Content-Disposition", `attachment; filename="offers.csv"`)
		if err := write(h.BodyWriter()); err != nil && h.Context().Err() == nil {
			s.log.Error("exporting offers", "error", err)
			panic(http.ErrAbortHandler) // so that the browser sees it cut
		}
	}}, nil
}
