package sources

import (
	"context"
	"net/http"

	"github.com/jackc/pgx/v5"

	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
)

// SetAside is an item that an intake could not use.
type SetAside struct {
	Place   string `json:"place"`
	Reason  string `json:"reason"`
	Content string `json:"content"`
}

// Connected names the source that was connected.
type Connected struct {
	ID int64 `json:"id"`
}

// Register adds the operations.
func (s *Service) Register(a *apikit.API) {
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/sources", "listSources", "List sources with their health", func(ctx context.Context, _ *apikit.None) (*apikit.Body[[]Source], error) {
		return apikit.OK(s.List(ctx))
	})
	apikit.Register(a, access.Owner, http.MethodPost, "/api/sources", "connectSource", "Connect a source, or connect it again", func(ctx context.Context, in *struct{ Body Credentials }) (*apikit.Body[Connected], error) {
		id, err := s.Connect(ctx, in.Body)
		return apikit.OK(Connected{id}, err)
	})
	apikit.Register(a, access.Owner, http.MethodPost, "/api/sources/{id}/disconnect", "disconnectSource", "Disconnect a source", func(ctx context.Context, in *apikit.ByID) (*apikit.None, error) {
		return nil, s.Disconnect(ctx, in.ID)
	})
	apikit.Register(a, access.Editor, http.MethodPost, "/api/sources/{id}/intakes", "beginIntake", "Take a source's catalog in", func(ctx context.Context, in *apikit.ByID) (*apikit.Body[Intake], error) {
		return apikit.OK(s.Begin(ctx, in.ID))
	})
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/intakes/{id}/set-aside", "listSetAside", "What an intake set aside, with the reasons", func(ctx context.Context, in *apikit.ByID) (*apikit.Body[[]SetAside], error) {
		rows, err := s.Pool.Query(ctx, `select place, reason, content from set_aside where intake_id = $1 order by id limit 1000`, in.ID)
		if err != nil {
			return nil, err
		}
		return apikit.OK(pgx.CollectRows(rows, pgx.RowToStructByPos[SetAside]))
	})
}
