package offers

import (
	"context"
	"errors"
	"slices"

	"github.com/jackc/pgx/v5"

	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
)

// NotifyOffers tells all instances that drafts or listings of some offers were made or removed.
func (s *Service) NotifyOffers(ctx context.Context, db database.Querier, offers []int64) error {
	return logChange(ctx, db, nil, offers)
}

// NotifySource tells all instances that a source's offers may be others: that it was connected,
// disconnected or renamed, or its categories mapped.
func (s *Service) NotifySource(ctx context.Context, db database.Querier, sourceID int64) error {
	return logChange(ctx, db, &sourceID, nil)
}

// logChange writes a change of offers into the log that every instance's index follows. One
// transaction at a time may write, so that changes are numbered in the order in which they can
// be seen; it is a transaction's last act but for what only it touches.
func logChange(ctx context.Context, db database.Querier, sourceID *int64, offers []int64) error {
	_, err := db.Exec(ctx, `
		with written as (insert into catalog_change (source_id, offers) select $1::bigint, $2::bigint[]
		from (select `+database.LockCatalogLog.SQL()+`) l returning seq)
		select pg_notify('catalog', '') from written`, sourceID, apikit.List(offers))
	return err
}

// NotifyPictures tells all instances which offers show some pictures first, as many as share them, once the
// pictures were described.
func (s *Service) NotifyPictures(ctx context.Context, urls ...string) error {
	rows, err := s.pool.Query(ctx, `select o.id from unnest($1::text[]) u
		join offer o on hashtextextended(o.pictures[1], 0) = hashtextextended(u, 0) and o.pictures[1] = u
		where o.withdrawn_at is null order by o.id`, urls)
	if err != nil {
		return err
	}
	offers, err := pgx.CollectRows(rows, pgx.RowTo[int64])
	if err != nil {
		return err
	}
	for part := range slices.Chunk(offers, maxNotified) {
		if err := logChange(ctx, s.pool, nil, part); err != nil {
			return err
		}
	}
	return nil
}

// maxNotified is how many offers one entry of the log names at most.
const maxNotified = 20_000

// Prune lets the log's old entries go, since an instance that may not have read them builds its index anew, and the
// oldest versions of offers.
func (s *Service) Prune(ctx context.Context) error {
	_, err := s.pool.Exec(ctx, `delete from catalog_change where at < now() - interval '1 day'`)
	_, err2 := s.pool.Exec(ctx, `delete from offer_version where said_until < now() - $1::interval`, versionsLast)
	return errors.Join(err, err2)
}
