package publishing

import (
	"context"

	"github.com/jackc/pgx/v5"
	"golang.org/x/sync/errgroup"

	"plainpelican/workbench"
)

// Preflight says what a run would do, store by store, before anything is sent.
type Preflight struct {
	Stores []StorePreflight `json:"stores"`
}

// StorePreflight is what a run would do in one store. What is new, goes out again or stays is counted; what is left out
// is listed with the first reason of each.
type StorePreflight struct {
	StoreID int64     `json:"store_id"`
	Store   string    `json:"store"`
	New     int       `json:"new"`
	Again   int       `json:"again" doc:"Live, and changed since they were sent"`
	Same    int       `json:"same" doc:"Live as they are, as far as is known here"`
	LeftOut []LeftOut `json:"left_out"`
	Total   int       `json:"total" doc:"Left out, of which the first are listed"`
	Warned  int       `json:"warned" doc:"Would go out with a warning"`
}

// LeftOut is a draft that would not go out, and why.
type LeftOut struct {
	DraftID int64  `json:"draft_id"`
	Title   string `json:"title"`
	Picture string `json:"picture"`
	Area    string `json:"area"`
	Reason  string `json:"reason"`
}

const maxLeftOut = 200

// Preflight looks at a run without beginning it.
func (s *Service) Preflight(ctx context.Context, in StartInput) (Preflight, error) {
	out := Preflight{Stores: make([]StorePreflight, len(in.Stores))}
	group, ctx := errgroup.WithContext(ctx)
	group.SetLimit(2)
	for i, t := range in.Stores {
		group.Go(func() (err error) {
			out.Stores[i], err = s.preflight(ctx, t, &in)
			return err
		})
	}
	return out, group.Wait()
}

func (s *Service) preflight(ctx context.Context, t TargetInput, in *StartInput) (StorePreflight, error) {
	out := StorePreflight{StoreID: t.StoreID, LeftOut: []LeftOut{}}
	found, err := s.Stores.Get(ctx, t.StoreID)
	if err != nil {
		return out, err
	}
	out.Store = found.Name
	ids, err := s.chosen(ctx, t.StoreID, in)
	if err != nil {
		return out, err
	}
	lines, err := s.Drafts.Reports(ctx, t.StoreID, ids)
	if err != nil {
		return out, err
	}
	rows, err := s.Pool.Query(ctx, `select l.draft_id, l.edited or l.gone or l.differences <> '[]' or l.moved > 0
			or l.visible <> $3 or l.sell_empty <> $4 from listing l
		where l.store_id = $1 and l.draft_id = any ($2) and l.ended_at is null`, t.StoreID, ids, t.Visible, t.SellEmpty)
	if err != nil {
		return out, err
	}
	differs := map[int64]bool{}
	var id int64
	var other bool
	if _, err := pgx.ForEachRow(rows, []any{&id, &other}, func() error {
		differs[id] = other
		return nil
	}); err != nil {
		return out, err
	}
	for _, line := range lines {
		if !line.Report.Ready {
			out.leave(line)
			continue
		}
		if len(line.Report.Findings) > 0 {
			out.Warned++
		}
		switch changed, live := differs[line.ID]; {
		case !live:
			out.New++
		case changed:
			out.Again++
		default:
			out.Same++
		}
	}
	return out, nil
}

func (p *StorePreflight) leave(line workbench.Line) {
	p.Total++
	if len(p.LeftOut) == maxLeftOut {
		return
	}
	for _, f := range line.Report.Findings {
		if f.Stops {
			p.LeftOut = append(p.LeftOut, LeftOut{line.ID, line.Title, line.Picture, string(f.Area), f.Words})
			return
		}
	}
	p.LeftOut = append(p.LeftOut, LeftOut{line.ID, line.Title, line.Picture, "", "It is not ready."})
}
