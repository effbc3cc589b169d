package pricing

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"plainpelican/platform/database"
)

// hold keeps a draft with the rules of an earlier revision.
type hold struct {
	DraftID  int64 `json:"draft_id"`
	Revision int   `json:"revision"`
}

// book is every pricer of a store: the newest, and those that drafts were left with.
type book struct {
	newest *Pricer
	held   map[int64]*Pricer
}

func (b *book) of(draft int64) *Pricer {
	if p, ok := b.held[draft]; ok {
		return p
	}
	return b.newest
}

func (s *Service) openBook(ctx context.Context, q database.Querier, storeID int64) (*book, error) {
	basis, err := s.Stores.Basis(ctx, q, storeID)
	if err != nil {
		return nil, err
	}
	rules, revision, err := current(ctx, q, storeID)
	if err != nil {
		return nil, err
	}
	b := &book{held: map[int64]*Pricer{}}
	if b.newest, err = s.pricer(ctx, q, basis, rules, revision); err != nil {
		return nil, err
	}
	holds, err := holdsOf(ctx, q, storeID)
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
		b.held[h.DraftID] = byRevision[h.Revision]
	}
	return b, nil
}

func holdsOf(ctx context.Context, q database.Querier, storeID int64) ([]hold, error) {
	rows, err := q.Query(ctx, `select draft_id, revision from price_hold where store_id = $1 order by draft_id`, storeID)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[hold])
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
		select m.what, m.changed_by, m.changed_at from price_hold h join money_rules m on m.store_id = h.store_id and m.revision = h.since
		where h.store_id = $1 and h.draft_id = $2`, storeID, draft).Scan(&e.What, &e.By, &e.Since)
	if database.Missing(err) {
		return nil, nil
	}
	return &e, err
}
