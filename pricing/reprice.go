package pricing

import (
	"cmp"
	"context"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"plainpelican/platform/access"
	"plainpelican/platform/database"
	"plainpelican/platform/jobs"
)

// RepriceArgs is the job that brings a store's stored prices up to its rules.
type RepriceArgs struct {
	RunID int64 `json:"run_id"`
}

// Kind names the job.
func (RepriceArgs) Kind() string { return "reprice" }

// InsertOpts puts it into its queue.
func (RepriceArgs) InsertOpts() river.InsertOpts { return river.InsertOpts{Queue: "upkeep"} }

// Work adds the job's worker.
func (s *Service) Work(r *jobs.Runner) {
	jobs.Handle(r, func(ctx context.Context, job *river.Job[RepriceArgs]) error { return s.Reprice(ctx, job.Args.RunID) })
}

// Run is one repricing of a store's drafts.
type Run struct {
	ID         int64      `json:"id"`
	StoreID    int64      `json:"store_id"`
	Revision   *int       `json:"revision" doc:"Of the change it applies; none where rates or offers changed"`
	Why        string     `json:"why"`
	State      string     `json:"state" enum:"waiting,running,finished"`
	Drafts     int        `json:"drafts"`
	Seen       int        `json:"seen" doc:"Drafts"`
	Moved      int        `json:"moved" doc:"Prices"`
	StartedBy  string     `json:"started_by"`
	StartedAt  time.Time  `json:"started_at"`
	FinishedAt *time.Time `json:"finished_at"`
}

const runColumns = `id, store_id, revision, why, state, drafts, seen, moved, started_by, started_at, finished_at`

// batchDrafts is how many drafts are repriced in one transaction: few enough that a person
// who edits one of them waits for a moment only.
const batchDrafts = 1000

// begin puts a run into the queue.
func (s *Service) begin(ctx context.Context, tx pgx.Tx, storeID int64, revision *int, why string, full bool) (int64, error) {
	var id int64
	err := tx.QueryRow(ctx, `insert into reprice_run (store_id, revision, why, full_way, state, started_by) values ($1, $2, $3, $4, 'waiting', $5) returning id`,
		storeID, revision, why, full, access.Who(ctx).Name).Scan(&id)
	if err != nil {
		return 0, err
	}
	return id, s.Jobs.Add(ctx, tx, RepriceArgs{id}, nil)
}

// RepriceAll brings the prices of every store up to rates or offers that have changed.
func (s *Service) RepriceAll(ctx context.Context, tx pgx.Tx, why string) error {
	list, err := s.Stores.Connected(ctx)
	if err != nil {
		return err
	}
	for _, id := range list {
		var waiting bool
		if err := tx.QueryRow(ctx, `select exists (select from reprice_run where store_id = $1 and state = 'waiting' and full_way)`, id).Scan(&waiting); err != nil {
			return err
		}
		if waiting {
			continue // it will see this change too
		}
		if _, err := s.begin(ctx, tx, id, nil, why, true); err != nil {
			return err
		}
	}
	return nil
}

// CatchUp reprices stores whose drafts lack a price, as after an upgrade or where a store
// was connected while there were drafts.
func (s *Service) CatchUp(ctx context.Context) error {
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, `
			select s.id from store s where s.state = 'connected' and not exists (select from reprice_run r where r.store_id = s.id and r.state <> 'finished')
			and exists (select from draft_variant v where not exists (select from price p where p.store_id = s.id and p.draft_id = v.draft_id and p.draft_variant_id = v.id))`)
		if err != nil {
			return err
		}
		list, err := pgx.CollectRows(rows, pgx.RowTo[int64])
		if err != nil {
			return err
		}
		for _, id := range list {
			if _, err := s.begin(ctx, tx, id, nil, "drafts without a price", true); err != nil {
				return err
			}
		}
		return nil
	})
}

// Reprice works through a store's drafts in batches, each with its place kept in the same
// transaction: killed at any moment, it goes on where it was. One runs at a time in a store;
// people go on editing, and a row that somebody wrote meanwhile is left as they priced it.
func (s *Service) Reprice(ctx context.Context, id int64) error {
	conn, err := s.Pool.Acquire(ctx)
	if err != nil {
		return err
	}
	defer conn.Release()
	run, err := s.run(ctx, id)
	if database.Missing(err) || (err == nil && run.FinishedAt != nil) {
		return nil
	}
	if err != nil {
		return err
	}
	if _, err := conn.Exec(ctx, `select pg_advisory_lock(7311, $1::int)`, run.StoreID); err != nil {
		return err
	}
	defer func() {
		_, _ = conn.Exec(context.WithoutCancel(ctx), `select pg_advisory_unlock(7311, $1::int)`, run.StoreID)
	}() // freed with the connection anyway
	if _, err := s.Pool.Exec(ctx, `update reprice_run set state = 'running', drafts = (select count(*) from draft) where id = $1`, id); err != nil {
		return err
	}
	for more := true; more; {
		if more, err = s.batch(ctx, id); err != nil {
			return fmt.Errorf("repricing store %d: %w", run.StoreID, err)
		}
		s.tell(ctx, id)
	}
	return Changed(ctx, s.Pool)
}

// batch reprices the next drafts of a run and tells whether there are more.
func (s *Service) batch(ctx context.Context, id int64) (more bool, err error) {
	err = database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		var storeID, after int64
		var full bool
		if err := tx.QueryRow(ctx, `select store_id, last_draft, full_way from reprice_run where id = $1 for update`, id).Scan(&storeID, &after, &full); err != nil {
			return err
		}
		b, err := s.openBook(ctx, tx, storeID)
		if err != nil {
			return err
		}
		lots, err := s.Drafts.Lots(ctx, tx, storeID, nil, after, cmp.Or(s.Batch, batchDrafts), !full)
		if err != nil {
			return err
		}
		if len(lots) == 0 {
			_, err := tx.Exec(ctx, `update reprice_run set state = 'finished', finished_at = now(), drafts = seen where id = $1`, id)
			return err
		}
		more = true
		last := lots[len(lots)-1].DraftID
		old, err := s.rows(ctx, tx, `where store_id = $1 and draft_id > $2 and draft_id <= $3`, storeID, after, last)
		if err != nil {
			return err
		}
		fresh, missing := compare(b, lots, old, full)
		if err := upsert(ctx, tx, storeID, missing); err != nil {
			return err
		}
		moved, err := rewrite(ctx, tx, storeID, fresh)
		if err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `update reprice_run set last_draft = $2, seen = seen + $3, moved = moved + $4 where id = $1`, id, last, len(lots), moved)
		return err
	})
	return more, err
}

// compare works out the prices of lots and keeps the rows that differ from the stored ones.
func compare(b *book, lots []Lot, old []row, full bool) (changed, missing []row) {
	var c clerk
	place := 0
	for i := range lots {
		lot := &lots[i]
		p := b.of(lot.DraftID)
		for place < len(old) && old[place].draft < lot.DraftID {
			place++
		}
		if !full {
			item := p.itemOf(&lot.Thing)
			for ; place < len(old) && old[place].draft == lot.DraftID; place++ {
				if fresh := c.again(p, &item, &old[place]); !fresh.same(&old[place]) {
					fresh.moves = fresh.price != old[place].price
					changed = append(changed, fresh)
				}
			}
			continue
		}
		known := map[int64]*row{}
		for ; place < len(old) && old[place].draft == lot.DraftID; place++ {
			known[old[place].variant] = &old[place]
		}
		quote := p.Quote(&lot.Thing)
		for j := range lot.Variants {
			fresh := c.anew(&quote, lot.DraftID, &lot.Variants[j])
			before := known[fresh.variant]
			if before == nil {
				missing = append(missing, fresh)
			} else if !fresh.same(before) {
				fresh.version, fresh.moves = before.version, fresh.price != before.price
				changed = append(changed, fresh)
			}
		}
	}
	return changed, missing
}

// rewrite stores rows that nobody has written since they were read, and counts the prices that moved.
func rewrite(ctx context.Context, q database.Querier, storeID int64, rows []row) (moved int, err error) {
	if len(rows) == 0 {
		return 0, nil
	}
	err = q.QueryRow(ctx, `
		with done as (update price p set price = n.price, was = n.was, rule = n.rule, marks = n.marks, trouble = n.trouble, landing = n.landing, trace = n.trace
			from unnest($2::bigint[], $3::bigint[], $4::bigint[], $5::bigint[], $6::int[], $7::smallint[], $8::text[], $9::bytea[], $10::bytea[], $11::bigint[], $12::boolean[])
				n (draft_id, draft_variant_id, price, was, rule, marks, trouble, landing, trace, version, moves)
			where p.store_id = $1 and p.draft_id = n.draft_id and p.draft_variant_id = n.draft_variant_id and p.xmin::text::bigint = n.version returning n.moves)
		select count(*) filter (where moves) from done`,
		append([]any{storeID}, columnsOf(rows)...)...).Scan(&moved)
	return moved, err
}

func (s *Service) run(ctx context.Context, id int64) (Run, error) {
	rows, err := s.Pool.Query(ctx, `select `+runColumns+` from reprice_run where id = $1`, id)
	if err != nil {
		return Run{}, err
	}
	return pgx.CollectExactlyOneRow(rows, pgx.RowToStructByPos[Run])
}

// Busy counts the repricings under way, in all stores.
func (s *Service) Busy(ctx context.Context) (n int, err error) {
	err = s.Pool.QueryRow(ctx, `select count(*) from reprice_run where state <> 'finished'`).Scan(&n)
	return n, err
}

// tell lets browsers know; one that misses it asks again.
func (s *Service) tell(ctx context.Context, id int64) {
	run, err := s.run(ctx, id)
	if err == nil {
		err = s.Progress.Tell(ctx, "reprice", run)
	}
	if err != nil {
		s.Log.Warn("telling of a repricing", "run", id, "error", err)
	}
}
