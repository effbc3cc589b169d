package publishing

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
)

// Register adds the operations.
func (s *Service) Register(a *apikit.API) {
	s.registerRuns(a)
	s.registerListings(a)
}

func (s *Service) registerRuns(a *apikit.API) {
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/runs", "listRuns", "List publish runs, the newest first",
		func(ctx context.Context, in *struct {
			Before int64 `query:"before" minimum:"0" doc:"The run that the page begins after; 0 is the first page"`
			Limit  int   `query:"limit" minimum:"1" maximum:"200" default:"30"`
		}) (*apikit.Body[RunPage], error) {
			return apikit.OK(s.Runs(ctx, in.Before, in.Limit))
		})
	apikit.Register(a, access.Editor, http.MethodPost, "/api/runs", "startRun",
		"Publish drafts to stores, or show, hide or take down what is live there",
		func(ctx context.Context, in *struct{ Body StartInput }) (*apikit.Body[Run], error) {
			return apikit.OK(s.Start(ctx, in.Body))
		})
	apikit.Register(a, access.Editor, http.MethodPost, "/api/runs/preflight", "preflightRun",
		"What a run would do, before anything is sent",
		func(ctx context.Context, in *struct{ Body StartInput }) (*apikit.Body[Preflight], error) {
			return apikit.OK(s.Preflight(ctx, in.Body))
		})
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/runs/{id}", "getRun", "A run with its counts",
		func(ctx context.Context, in *apikit.ByID) (*apikit.Body[Run], error) {
			return apikit.OK(s.run(ctx, in.ID))
		})
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/runs/{id}/items", "runItems",
		"Items of a run in the order in which they are sent, page by page", func(ctx context.Context, in *struct {
			apikit.ByID
			After     int64 `query:"after" minimum:"0"`
			Limit     int   `query:"limit" minimum:"1" maximum:"1000" default:"200"`
			Store     int64 `query:"store" doc:"0 is all"`
			Attention bool  `query:"attention" doc:"Those alone that need somebody"`
		}) (*apikit.Body[ItemPage], error) {
			return apikit.OK(s.Items(ctx, in.ID, in.After, in.Limit, in.Store, in.Attention))
		})
	apikit.Register(a, access.Editor, http.MethodPost, "/api/runs/{id}/retry", "retryRun",
		"Send items again that failed, were left out or are not known; all of them where none is named",
		func(ctx context.Context, in *struct {
			apikit.ByID
			Body struct {
				ItemIDs []int64 `json:"item_ids,omitempty" maxItems:"50000"`
			}
		}) (*apikit.Body[Run], error) {
			return apikit.OK(s.Retry(ctx, in.ID, in.Body.ItemIDs))
		})
	for _, act := range []struct {
		path, id, words string
		do              func(context.Context, int64) (Run, error)
	}{{"pause", "pauseRun", "Hold what is still waiting", s.Hold},
		{"resume", "resumeRun", "Go on with a run that is paused, or begin one before its time", s.Resume},
		{"stop", "stopRun", "Leave out what is still waiting", s.Stop},
		{"take-down", "takeDownRun", "Take out of the stores again what a run brought there", s.TakeDown}} {
		apikit.Register(a, access.Editor, http.MethodPost, "/api/runs/{id}/"+act.path, act.id, act.words,
			func(ctx context.Context, in *apikit.ByID) (*apikit.Body[Run], error) {
				return apikit.OK(act.do(ctx, in.ID))
			})
	}
}

func (s *Service) registerListings(a *apikit.API) {
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/listings", "listListings",
		"List what is live in a store, the newest first, page by page", func(ctx context.Context, in *struct {
			Store  int64 `query:"store" required:"true"`
			Before int64 `query:"before" minimum:"0"`
			Limit  int   `query:"limit" minimum:"1" maximum:"1000" default:"100"`
			ListingFilter
		}) (*apikit.Body[ListingPage], error) {
			return apikit.OK(s.Listings(ctx, in.Store, in.Before, in.Limit, in.ListingFilter))
		})
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/listings/drafts", "draftsOfListings",
		"The drafts of all listings that a filter finds", func(ctx context.Context, in *struct {
			Store int64 `query:"store" required:"true"`
			ListingFilter
		}) (*apikit.Body[[]int64], error) {
			list, err := s.found(ctx, "l.draft_id", in.Store, in.ListingFilter, MaxDrafts+1)
			return apikit.OK(apikit.List(list), err)
		})
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/listings/export", "exportListings",
		"What is live in a store, as CSV", func(_ context.Context, in *struct {
			Store int64 `query:"store" required:"true"`
			ListingFilter
		}) (*huma.StreamResponse, error) {
			return &huma.StreamResponse{Body: func(h huma.Context) {
				h.SetHeader("Content-Type", "text/csv; charset=utf-8")
				h.SetHeader("Content-Disposition", `attachment; filename="listings.csv"`)
				if err := s.Export(h.Context(), h.BodyWriter(), in.Store, in.ListingFilter); err != nil {
					s.Log.Warn("writing listings", "error", err)
				}
			}}, nil
		})
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/listings/{id}", "getListing",
		"A listing, how it differs from its draft and in the store, and the prices that it had",
		func(ctx context.Context, in *apikit.ByID) (*apikit.Body[ListingInFull], error) {
			return apikit.OK(s.Get(ctx, in.ID))
		})
	for _, way := range []struct {
		path, id, words string
		do              func(context.Context, int64, []string) error
	}{{"take-theirs", "takeTheirs", "Change the draft to what the store shows in some fields", s.TakeTheirs},
		{"send-ours", "sendOurs", "Change some fields in the store to what was sent before", s.SendOurs}} {
		apikit.Register(a, access.Editor, http.MethodPost, "/api/listings/{id}/"+way.path, way.id, way.words,
			func(ctx context.Context, in *struct {
				apikit.ByID
				Body struct {
					Fields []string `json:"fields" minItems:"1" maxItems:"30"`
				}
			}) (*apikit.None, error) {
				return nil, way.do(ctx, in.ID, in.Body.Fields)
			})
	}
	apikit.Register(a, access.Editor, http.MethodPost, "/api/listings/{id}/duplicates/remove", "removeDuplicates",
		"Take further products of the same draft out of the store",
		func(ctx context.Context, in *apikit.ByID) (*apikit.None, error) {
			return nil, s.RemoveDuplicates(ctx, in.ID)
		})
	apikit.Register(a, access.Editor, http.MethodPost, "/api/listings/check", "checkListings",
		"Read a store anew: what differs there, what it has twice or no more", func(ctx context.Context, in *struct {
			Store int64 `query:"store" required:"true"`
		}) (*apikit.None, error) {
			return nil, s.Check(ctx, in.Store)
		})
}
