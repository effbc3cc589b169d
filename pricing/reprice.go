package pricing

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgtype"
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
func (RepriceArgs) InsertOpts() river.InsertOpts { return river.InsertOpts{Queue: "maintenance"} }

// Work adds the job's worker.
func (s *Service) Work(r *jobs.Runner) {
	jobs.Handle(r, func(ctx context.Context, job *river.Job[RepriceArgs]) error {
		return s.Reprice(ctx, job.Args.RunID)
	})
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
const batchDrafts = 2000

// startRun puts a run over some drafts, in order of id, into the queue; nil is all of them.
func (s *Service) startRun(ctx context.Context, tx pgx.Tx, storeID int64, revision *int, why string, full bool,
	drafts []int64) (int64, error) {
	var id int64
	err := tx.QueryRow(ctx, `
		insert into reprice_run (store_id, revision, why, with_landed_cost, state, started_by, only_drafts)
		values ($1, $2, $3, $4, 'waiting', $5, $6) returning id`,
		storeID, revision, why, full, access.Who(ctx).Name, drafts).Scan(&id)
	if err != nil {
		return 0, err
	}
	return id, s.Jobs.Add(ctx, tx, RepriceArgs{id}, nil)
}

// RepriceAll brings the prices of every store up to rates that have changed.
func (s *Service) RepriceAll(ctx context.Context, tx pgx.Tx, why string) error {
	return s.repriceStores(ctx, tx, why, nil)
}

// RepriceChanged is sources.Prices: only the drafts of the offers in question are looked at.
func (s *Service) RepriceChanged(ctx context.Context, tx pgx.Tx, sourceID int64, since time.Time, why string) error {
	rows, err := tx.Query(ctx, `select distinct d.draft_id from facts.draft_offer d
		join facts.offer o on o.id = d.offer_id
		where o.source_id = $1 and o.updated_at >= $2 order by d.draft_id`, sourceID, since)
	if err != nil {
		return err
	}
	drafts, err := pgx.CollectRows(rows, pgx.RowTo[int64])
	if err != nil || len(drafts) == 0 {
		return err
	}
	return s.repriceStores(ctx, tx, why, drafts)
}

// repriceStores starts a run with landed costs in every store, over some drafts, or over all where drafts is nil. A
// store in which one over all is waiting is left out: that one will see this change too.
func (s *Service) repriceStores(ctx context.Context, tx pgx.Tx, why string, drafts []int64) error {
	list, err := s.Stores.Connected(ctx, tx)
	if err != nil {
		return err
	}
	for _, id := range list {
		var waiting bool
		if err := tx.QueryRow(ctx, `select exists (select from reprice_run where store_id = $1 and state = 'waiting'
			and with_landed_cost and only_drafts is null)`, id).Scan(&waiting); err != nil {
			return err
		}
		if waiting {
			continue
		}
		if _, err := s.startRun(ctx, tx, id, nil, why, true, drafts); err != nil {
			return err
		}
	}
	return nil
}

// RepriceUnpriced reprices stores whose drafts lack a price, as after an upgrade or where a store
// was connected while there were drafts.
func (s *Service) RepriceUnpriced(ctx context.Context) error {
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, `
			select s.id from facts.store s where s.state = 'connected' and not exists (select from reprice_run r
			where r.store_id = s.id and r.state <> 'finished')
			and exists (select from facts.draft_variant v where not exists (select from price p
			where p.store_id = s.id and p.draft_id = v.draft_id and p.draft_variant_id = v.id))`)
		if err != nil {
			return err
		}
		list, err := pgx.CollectRows(rows, pgx.RowTo[int64])
		if err != nil {
			return err
		}
		for _, id := range list {
			if _, err := s.startRun(ctx, tx, id, nil, "drafts without a price", true, nil); err != nil {
				return err
			}
		}
		return nil
	})
}

// Reprice works through a store's drafts in batches, each with how far it came kept in the same
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
	if err := database.LockSession(ctx, conn, database.LockReprice, run.StoreID); err != nil {
		return err
	}
	ctx, cancel := context.WithCancel(ctx)
	defer cancel() // ends what was read ahead for nothing
	defer func() {
		_ = database.UnlockSession(context.WithoutCancel(ctx), conn, database.LockReprice, run.StoreID)
	}() // freed with the connection anyway
	w := walk{s: s, run: id, store: run.StoreID}
	if err := s.Pool.QueryRow(ctx, `update reprice_run set state = 'running',
		drafts = coalesce(cardinality(only_drafts), (select count(*) from facts.draft))
		where id = $1 returning only_drafts`, id).Scan(&w.only); err != nil {
		return err
	}
	for more := true; more; {
		if more, err = w.batch(ctx); err != nil {
			return fmt.Errorf("repricing store %d: %w", run.StoreID, err)
		}
		s.notify(ctx, id)
	}
	return NotifyChanged(ctx, s.Pool)
}

// walk is a run on its way. While one batch is written, the next is read: a row that
// somebody writes in between is another version, and left to them.
type walk struct {
	s          *Service
	run, store int64
	only       []int64 // the drafts to reprice, in order of id; nil is all
	pricers    *pricerSet
	ahead      chan inputBatch
	aheadOf    int64
}

// inputBatch are the drafts after one, and what is stored of their prices.
type inputBatch struct {
	inputs []DraftInput
	old    []priceRow
	err    error
}

func (w *walk) read(ctx context.Context, after int64, full bool) (r inputBatch) {
	limit := cmp.Or(w.s.Batch, batchDrafts)
	if w.only != nil {
		return w.readOnly(ctx, after, limit)
	}
	r.inputs, r.err = w.s.Drafts.PricingInputs(ctx, w.s.Pool, w.store, nil, after, limit, !full)
	if r.err == nil && len(r.inputs) > 0 {
		r.old, r.err = w.s.rows(ctx, w.s.Pool, `where store_id = $1 and draft_id > $2 and draft_id <= $3`, w.store,
			after, r.inputs[len(r.inputs)-1].DraftID)
	}
	return r
}

// readOnly reads the next of the drafts that the run is of. Those deleted meanwhile are passed over.
func (w *walk) readOnly(ctx context.Context, after int64, limit int) (r inputBatch) {
	at, found := slices.BinarySearch(w.only, after)
	if found {
		at++
	}
	for left := range slices.Chunk(w.only[at:], limit) {
		r.inputs, r.err = w.s.Drafts.PricingInputs(ctx, w.s.Pool, w.store, left, 0, 0, false)
		if r.err != nil {
			return r
		}
		if len(r.inputs) > 0 {
			r.old, r.err = w.s.rows(ctx, w.s.Pool, `where store_id = $1 and draft_id = any ($2)`, w.store, left)
			return r
		}
	}
	return r
}

// next is the batch after a draft, read ahead or now; the one after it is begun.
func (w *walk) next(ctx context.Context, after int64, full bool) inputBatch {
	var r inputBatch
	if w.ahead != nil && w.aheadOf == after {
		r = <-w.ahead
	} else {
		r = w.read(ctx, after, full)
	}
	w.ahead = nil
	if r.err == nil && len(r.inputs) > 0 {
		w.ahead, w.aheadOf = make(chan inputBatch, 1), r.inputs[len(r.inputs)-1].DraftID
		go func(into chan<- inputBatch, after int64) { into <- w.read(ctx, after, full) }(w.ahead, w.aheadOf)
	}
	return r
}

// batch reprices the next drafts of a run and tells whether there are more.
func (w *walk) batch(ctx context.Context) (more bool, err error) {
	s := w.s
	err = database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		var after int64
		var full bool
		var revision int
		err := tx.QueryRow(ctx, `select last_draft, with_landed_cost, (select max(revision) from money_rules m
			where m.store_id = r.store_id) from reprice_run r where id = $1 for update`, w.run).
			Scan(&after, &full, &revision)
		if err != nil {
			return err
		}
		if w.pricers == nil || w.pricers.newest.Revision != revision {
			if w.pricers, err = s.pricersOf(ctx, tx, w.store); err != nil {
				return err
			}
		}
		r := w.next(ctx, after, full)
		if r.err != nil {
			return r.err
		}
		inputs := r.inputs
		if len(inputs) == 0 {
			_, err := tx.Exec(ctx, `update reprice_run set state = 'finished', finished_at = now(), drafts = seen
				where id = $1`, w.run)
			return err
		}
		more = true
		last := inputs[len(inputs)-1].DraftID
		fresh, missing := repriceBatch(w.pricers, inputs, r.old, full)
		if err := upsertPrices(ctx, tx, w.store, missing); err != nil {
			return err
		}
		moved, err := updatePrices(ctx, tx, fresh, full)
		if err != nil {
			return err
		}
		if moved > 0 {
			if err := s.Listings.PricesMoved(ctx, tx, w.store, movedDrafts(fresh)); err != nil {
				return err
			}
		}
		_, err = tx.Exec(ctx, `update reprice_run set last_draft = $2, seen = seen + $3, moved = moved + $4
			where id = $1`, w.run, last, len(inputs), moved)
		return err
	})
	return more, err
}

// movedDrafts are the drafts of rows whose price moves, each once, in order.
func movedDrafts(rows []priceRow) (ids []int64) {
	for i := range rows {
		if n := len(ids); rows[i].moves && (n == 0 || ids[n-1] != rows[i].draft) {
			ids = append(ids, rows[i].draft)
		}
	}
	return ids
}

// repriceBatch works out the prices of lots and keeps the rows that differ from the stored ones.
func repriceBatch(b *pricerSet, inputs []DraftInput, old []priceRow, full bool) (changed, missing []priceRow) {
	var c repricer
	index := 0
	for i := range inputs {
		input := &inputs[i]
		p := b.of(input.DraftID)
		for index < len(old) && old[index].draft < input.DraftID {
			index++
		}
		if !full {
			item, several := p.itemOf(&input.Facts), input.severalOffers()
			for ; index < len(old) && old[index].draft == input.DraftID; index++ {
				if several {
					item = input.itemOf(p, old[index].variant)
				}
				if fresh := c.priceFromStored(p, &item, &old[index]); !fresh.equal(&old[index]) {
					fresh.moves = fresh.price != old[index].price
					changed = append(changed, fresh)
				}
			}
			continue
		}
		known := map[int64]*priceRow{}
		for ; index < len(old) && old[index].draft == input.DraftID; index++ {
			known[old[index].variant] = &old[index]
		}
		quotes := p.Quotes(&input.Facts)
		for j := range input.Variants {
			v := &input.Variants[j]
			fresh := c.priceFromOffer(quotes.Of(v.Facts), input.DraftID, v)
			before := known[fresh.variant]
			if before == nil {
				missing = append(missing, fresh)
			} else if !fresh.equal(before) {
				fresh.tid, fresh.version, fresh.moves = before.tid, before.version, fresh.price != before.price
				changed = append(changed, fresh)
			}
		}
	}
	return changed, missing
}

// updatePrices stores rows that nobody has written since they were read, and counts the prices
// that moved. Rows are found by where they lie, which their version then vouches for; what
// they landed for is written only where it was worked out anew.
func updatePrices(ctx context.Context, q database.Querier, rows []priceRow, full bool) (moved int, err error) {
	if len(rows) == 0 {
		return 0, nil
	}
	n := len(rows)
	at, version, moves := make([]pgtype.TID, n), make([]int64, n), make([]bool, n)
	for i := range rows {
		at[i], version[i], moves[i] = rows[i].tid, int64(rows[i].version), rows[i].moves
	}
	c := columnsOf(rows) // draft and variant stay
	price, was, rule, flags, errors, landedTrace, trace := c[2], c[3], c[4], c[5], c[6], c[7], c[8]
	args := []any{at, version, moves, price, was, rule, flags, errors, trace}
	set, more, name := ``, ``, ``
	if full {
		args = append(args, landedTrace)
		set, more, name = `, landed_trace = n.landed_trace`, `, $10::bytea[]`, `, landed_trace`
	}
	err = q.QueryRow(ctx, `
		with done as (update price p
		set price = n.price, was = n.was, rule = n.rule, flags = n.flags, error = n.error, trace = n.trace`+set+`
			from unnest($1::tid[], $2::bigint[], $3::boolean[], $4::bigint[], $5::bigint[], $6::int[], $7::smallint[],
			$8::text[], $9::bytea[]`+more+`)
				n (at, version, moves, price, was, rule, flags, error, trace`+name+`)
			where p.ctid = n.at and p.xmin::text::bigint = n.version returning n.moves)
		select count(*) filter (where moves) from done`, args...).Scan(&moved)
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

// RuleCount counts the markup rules in force in a store; 0 where there is no store.
func (s *Service) RuleCount(ctx context.Context, storeID int64) (n int, err error) {
	err = s.Pool.QueryRow(ctx, `select coalesce((select jsonb_array_length(rules -> 'rules') from money_rules
		where store_id = $1 order by revision desc limit 1), 0)`, storeID).Scan(&n)
	return n, err
}

// notify lets browsers know; one that misses it asks again.
func (s *Service) notify(ctx context.Context, id int64) {
	run, err := s.run(ctx, id)
	if err == nil {
		err = s.Progress.Publish(ctx, "reprice", run)
	}
	if err != nil {
		s.Log.Warn("telling of a repricing", "run", id, "error", err)
	}
}
