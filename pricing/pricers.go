package pricing

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"plainpelican/platform/database"
)

// pinnedDraft keeps a draft with the rules of an earlier revision.
type pinnedDraft struct {
	DraftID  int64 `json:"draft_id"`
	Revision int   `json:"revision"`
}

// pricerSet is every pricer of a store: the newest, and those that drafts were left with.
type pricerSet struct {
	newest *Pricer
	pinned map[int64]*Pricer
}

func (b *pricerSet) of(draft int64) *Pricer {
	if p, ok := b.pinned[draft]; ok {
		return p
	}
	return b.newest
}

func (s *Service) pricersOf(ctx context.Context, q database.Querier, storeID int64) (*pricerSet, error) {
	basis, err := s.Stores.Basis(ctx, q, storeID)
	if err != nil {
		return nil, err
	}
	rules, revision, err := current(ctx, q, storeID)
	if err != nil {
		return nil, err
	}
	b := &pricerSet{pinned: map[int64]*Pricer{}}
	if b.newest, err = s.pricer(ctx, q, basis, rules, revision); err != nil {
		return nil, err
	}
	holds, err := pinnedDrafts(ctx, q, storeID)
	if err != nil {
		return nil, err
	}
	byRevision := map[int]*Pricer{}
	for _, h := range holds {
		if byRevision[h.Revision] == nil {
			old, err := asOf(ctx, q, storeID, h.Revision)
			if err != nil {
				return nil, err
			}
			if byRevision[h.Revision], err = s.pricer(ctx, q, basis, old, h.Revision); err != nil {
				return nil, err
			}
		}
		b.pinned[h.DraftID] = byRevision[h.Revision]
	}
	return b, nil
}

func pinnedDrafts(ctx context.Context, q database.Querier, storeID int64) ([]pinnedDraft, error) {
	rows, err := q.Query(ctx, `select draft_id, revision from price_pin where store_id = $1 order by draft_id`, storeID)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[pinnedDraft])
}

// Earlier says that a draft is priced by money rules that were changed since, for others only.
type Earlier struct {
	What  string    `json:"what" doc:"What was changed since"`
	By    string    `json:"by"`
	Since time.Time `json:"since"`
}

// Earlier says since which change a draft stays with the money rules before it; nil where it follows those in force.
func (s *Service) Earlier(ctx context.Context, q database.Querier, storeID, draft int64) (*Earlier, error) {
	var e Earlier
	err := q.QueryRow(ctx, `
		select m.what, m.changed_by, m.changed_at from price_pin h
		join money_rules m on m.store_id = h.store_id and m.revision = h.since
		where h.store_id = $1 and h.draft_id = $2`, storeID, draft).Scan(&e.What, &e.By, &e.Since)
	if database.Missing(err) {
		return nil, nil
	}
	return &e, err
}
