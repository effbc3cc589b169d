package search

import (
	"context"
	"slices"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"

	"plainpelican/pricing"
	"plainpelican/search/index"
)

// indexState is one snapshot of the index.
type indexState struct {
	snapshot *index.Snapshot[OfferPricing]
	// pricers are those by which its columns were worked out, by store.
	pricers map[int64]*pricing.Pricer
	// lastChange is the last change of the log that is in it.
	lastChange int64
	// at is when it was brought up to date.
	at time.Time
}

// maxOffline is how long an index may have been out of touch and still follow the log, which is kept for a day.
const maxOffline = 12 * time.Hour

// Follow keeps the index up with the database until ctx ends: it is built at once, then
// follows the log of changes, and prices anew when rules, fees or rates have changed, on any instance.
func (s *Service) Follow(ctx context.Context) {
	for ctx.Err() == nil {
		if err := s.follow(ctx); err != nil && ctx.Err() == nil {
			s.log.Warn("following changes of the catalog", "error", err)
			s.failing.CompareAndSwap(nil, &indexFailure{time.Now(), err})
		}
		select {
		case <-ctx.Done():
		case <-time.After(time.Second):
		}
	}
}

// follow listens before it reads, so that no change is missed.
func (s *Service) follow(ctx context.Context) error {
	conn, err := s.pool.Acquire(ctx)
	if err != nil {
		return err
	}
	defer conn.Release()
	if _, err := conn.Exec(ctx, `listen catalog; listen pricing`); err != nil {
		return err
	}
	defer func() { _, _ = conn.Exec(context.WithoutCancel(ctx), `unlisten *`) }() // or the connection is gone
	if err := s.Refresh(ctx); err != nil {
		return err
	}
	s.failing.Store(nil)
	for {
		rows, err := conn.Conn().WaitForNotification(ctx)
		if err != nil {
			return err
		}
		prices := rows.Channel == "pricing"
		soon, cancel := context.WithTimeout(ctx, 100*time.Millisecond)
		for soon.Err() == nil { // take in what comes with it
			var more *pgconn.Notification
			if more, err = conn.Conn().WaitForNotification(soon); err == nil {
				prices = prices || more.Channel == "pricing"
			} else if soon.Err() == nil {
				break
			}
		}
		over := soon.Err() != nil && ctx.Err() == nil
		cancel()
		if err != nil && !over {
			return err
		}
		many, err := s.FollowChanges(ctx)
		if err == nil && prices {
			err = s.reprice(ctx)
		}
		if err != nil {
			return err
		}
		if many { // an import is on its way: few large steps take less than many small ones
			select {
			case <-ctx.Done():
			case <-time.After(700 * time.Millisecond):
			}
		}
	}
}

// Refresh brings the index up to date: it is built where there is none, else it catches up and
// prices anew.
func (s *Service) Refresh(ctx context.Context) error {
	if now := s.now.Load(); now == nil || time.Since(now.at) > maxOffline {
		return s.rebuild(ctx)
	}
	if _, err := s.FollowChanges(ctx); err != nil {
		return err
	}
	return s.reprice(ctx)
}

func (s *Service) rebuild(ctx context.Context) error {
	s.building.Lock()
	defer s.building.Unlock()
	next := &indexState{at: time.Now()}
	// What changes while it is read is in the log, and read again.
	if err := s.pool.QueryRow(ctx, `select coalesce(max(seq), 0)
		from facts.catalog_change`).Scan(&next.lastChange); err != nil {
		return err
	}
	var prices index.Prices[OfferPricing]
	var err error
	if next.pricers, prices, err = s.prices(ctx); err != nil {
		return err
	}
	next.snapshot = index.Build[OfferPricing](nil, offeredNumbers(), prices)
	var part []index.Entry[OfferPricing]
	err = s.readEntries(ctx, `true`, nil, func(e index.Entry[OfferPricing]) {
		if part = append(part, e); len(part) == buildBatch {
			next.snapshot = next.snapshot.Apply(part, nil)
			part = part[:0]
		}
	})
	if err != nil {
		return err
	}
	next.snapshot = next.snapshot.Apply(part, nil)
	s.now.Store(next)
	return nil
}

// buildBatch is how many offers are indexed at once, changeBatch how many changed ones are read
// at once, maxLogEntries how many entries of the log.
const (
	buildBatch    = 1 << 16
	changeBatch   = 20_000
	maxLogEntries = 500
)

// FollowChanges follows the log to its end and tells whether it said much.
func (s *Service) FollowChanges(ctx context.Context) (many bool, err error) {
	for {
		var more bool
		err = s.throttle.Do(ctx, func() (err error) {
			more, err = s.applyNextChanges(ctx)
			return err
		})
		if err != nil || !more {
			return many, err
		}
		many = true
	}
}

// applyNextChanges applies the next changes of the log, and tells whether there may be more.
func (s *Service) applyNextChanges(ctx context.Context) (more bool, err error) {
	s.building.Lock()
	defer s.building.Unlock()
	now := s.now.Load()
	rows, err := s.pool.Query(ctx, `select seq, source_id, offers from facts.catalog_change where seq > $1 order by seq
		limit $2`, now.lastChange, maxLogEntries)
	if err != nil {
		return false, err
	}
	upTo := now.lastChange
	var ids, whole []int64
	var seq int64
	var source *int64
	var offers []int64
	entries, rest := 0, false
	most := s.throttle.BatchSize(changeBatch)
	_, err = pgx.ForEachRow(rows, []any{&seq, &source, &offers}, func() error {
		if rest = rest || (len(ids) > 0 && len(ids)+len(offers) > most); rest {
			return nil // the next step's
		}
		entries++
		upTo = seq
		if source != nil {
			whole = append(whole, *source)
		}
		ids = append(ids, offers...)
		offers, source = nil, nil
		return nil
	})
	if err != nil || upTo == now.lastChange {
		return false, err
	}
	slices.Sort(ids)
	ids = slices.Compact(ids)
	next := &indexState{now.snapshot, now.pricers, upTo, time.Now()}
	if err := s.rereadOffers(ctx, next, ids, `o.id = any ($1)`, ids); err != nil {
		return false, err
	}
	slices.Sort(whole)
	for _, source := range slices.Compact(whole) {
		if err := s.rereadOffers(ctx, next, next.snapshot.With(index.Source, itoa(source)), `o.source_id = $1`,
			source); err != nil {
			return false, err
		}
	}
	s.now.Store(next)
	return rest || entries == maxLogEntries || len(ids) >= most/2, nil
}

// rereadOffers reads offers anew; those of before that are not for sale any more are gone.
func (s *Service) rereadOffers(ctx context.Context, next *indexState, before []int64, where string, arg any) error {
	var changed []index.Entry[OfferPricing]
	there := map[int64]bool{}
	err := s.readEntries(ctx, where, arg, func(e index.Entry[OfferPricing]) {
		changed = append(changed, e)
		there[e.ID] = true
	})
	if err != nil {
		return err
	}
	var gone []int64
	for _, id := range before {
		if !there[id] {
			gone = append(gone, id)
		}
	}
	next.snapshot = next.snapshot.Apply(changed, gone)
	return nil
}

// reprice works out all stores' columns anew.
func (s *Service) reprice(ctx context.Context) error {
	s.building.Lock()
	defer s.building.Unlock()
	return s.repriceAll(ctx)
}

// ensurePriced sees to it that a store which was connected a moment ago has its columns.
func (s *Service) ensurePriced(ctx context.Context, store int64) error {
	s.building.Lock()
	defer s.building.Unlock()
	if s.now.Load().pricers[store] != nil {
		return nil // somebody else did
	}
	return s.repriceAll(ctx)
}

func (s *Service) repriceAll(ctx context.Context) error {
	pricers, prices, err := s.prices(ctx)
	if err != nil {
		return err
	}
	now := s.now.Load()
	s.now.Store(&indexState{now.snapshot.WithPrices(prices), pricers, now.lastChange, now.at})
	return nil
}
