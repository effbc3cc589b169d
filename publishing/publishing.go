// Package publishing sends drafts to stores, as runs of which every item ends in one true
// state, and keeps the listings that come of them.
package publishing

import (
	"context"
	"fmt"
	"log/slog"
	"slices"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/riverqueue/river"

	"plainpelican/connect/store"
	"plainpelican/core/markup"
	"plainpelican/core/money"
	"plainpelican/members"
	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/platform/jobs"
	"plainpelican/platform/progress"
	"plainpelican/workbench"
)

// Drafts is what publishing must know of the workbench.
type Drafts interface {
	Ready(ctx context.Context, draftID, storeID int64) (workbench.Ready, error)
	// Pictures are where the first pictures that drafts show are served, by draft.
	Pictures(ctx context.Context, drafts []int64) (map[int64]string, error)
}

// Media is what publishing must know of pictures.
type Media interface {
	PictureAt(ctx context.Context, url string) (hash string, content []byte, err error)
}

// Stores opens sessions with connected stores.
type Stores interface {
	Open(ctx context.Context, storeID int64) (store.Session, error)
	// Vendor is whom a store's products are shown to be from, unless a draft says otherwise.
	Vendor(ctx context.Context, storeID int64) (string, error)
}

// Supply asks the source of an offer whether it is still sold.
type Supply interface {
	StillSold(ctx context.Context, sourceID int64, number string) (bool, error)
}

// Offers is told of offers that are gone.
type Offers interface {
	Withdraw(ctx context.Context, offer int64) error
	// NotifyOffers lets it know that listings of some offers were made.
	NotifyOffers(ctx context.Context, db database.Querier, offers []int64) error
}

// Service is the publishing capability.
type Service struct {
	Pool     *pgxpool.Pool
	Drafts   Drafts
	Stores   Stores
	Supply   Supply
	Offers   Offers
	Jobs     *jobs.Runner
	Progress *progress.Stream
	Log      *slog.Logger
	Media    Media
	// Pause is how long an item waits after a store that did not answer, doubled each time; Tries how
	// often it does.
	Pause time.Duration
	Tries int
}

// State is where an item of a run is.
type State string

// An item waits, is sent, and ends published or failed.
const (
	Waiting   State = "waiting"
	Sending   State = "sending"
	Published State = "published"
	Failed    State = "failed"
)

// Run is one act of publishing.
type Run struct {
	ID         int64      `json:"id"`
	StoreID    int64      `json:"store_id"`
	Store      string     `json:"store"`
	Visible    bool       `json:"visible"`
	SellEmpty  bool       `json:"sell_empty"`
	StartedBy  string     `json:"started_by"`
	StartedAt  time.Time  `json:"started_at"`
	FinishedAt *time.Time `json:"finished_at"`
	Waiting    int        `json:"waiting"`
	Sending    int        `json:"sending"`
	Published  int        `json:"published"`
	Failed     int        `json:"failed"`
}

// Item is one draft of a run.
type Item struct {
	ID        int64              `json:"id"`
	DraftID   int64              `json:"draft_id"`
	Title     string             `json:"title"`
	Picture   string             `json:"picture"`
	Variants  int                `json:"variants"`
	State     State              `json:"state" enum:"waiting,sending,published,failed"`
	Reason    string             `json:"reason" doc:"In plain words what happened"`
	Area      string             `json:"area" doc:"At fault: description, pictures, variants, price"`
	URL       string             `json:"url" doc:"Where it is seen in the store"`
	Price     *money.Amount      `json:"price" doc:"The lowest price that was sent"`
	Trace     []markup.TraceLine `json:"trace" doc:"How that price came about"`
	UpdatedAt time.Time          `json:"updated_at"`
}

// MaxDrafts is how many drafts one run may have.
const MaxDrafts = 50_000

// Start begins a run. A draft that another run is publishing to the store at this moment is left out,
// and says so. It returns a problem where a draft or the store is not there.
func (s *Service) Start(ctx context.Context, storeID int64, drafts []int64, visible, sellEmpty bool) (Run, error) {
	if len(drafts) > MaxDrafts {
		return Run{},
			apikit.Problem(422, "draft_ids", "One run takes up to %d drafts; these are %d. Publish them in parts.",
				MaxDrafts, len(drafts))
	}
	var id int64
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		err := tx.QueryRow(ctx, `insert into publish_run (store_id, visible, sell_empty, started_by) select id, $2, $3,
			$4 from facts.store where id = $1 and state = 'connected' returning id`,
			storeID, visible, sellEmpty, access.Who(ctx).Name).Scan(&id)
		if database.Missing(err) {
			return apikit.Problem(422, "store_id", "That store is not connected.")
		}
		if err != nil {
			return err
		}
		// In the order of their ids, so that two runs of the same drafts wait for each other and do not lock up.
		rows, err := tx.Query(ctx, `
			insert into publish_item (run_id, store_id, draft_id, state) select $1, $2, id, 'waiting' from facts.draft
			where id = any ($3) order by id
			on conflict (store_id, draft_id) where state in ('waiting', 'sending') do nothing returning id, attempt`,
			id, storeID, drafts)
		if err != nil {
			return err
		}
		items, err := pgx.CollectRows(rows, pgx.RowToStructByPos[Args])
		if err != nil {
			return err
		}
		left, err := tx.Exec(ctx, `
			insert into publish_item (run_id, store_id, draft_id, state, reason) select $1, $2, d.id, 'failed',
				coalesce((select format('Left out: run %s of %s is publishing it at this moment. Try again when that `+
			`has ended.', r.id, r.started_by) from publish_item o join publish_run r on r.id = o.run_id
					where o.store_id = $2 and o.draft_id = d.id and o.state in ('waiting', 'sending')
					limit 1), 'Left out: another run was publishing it. Try again.')
			from facts.draft d where d.id = any ($3) and not exists (select from publish_item i
			where i.run_id = $1 and i.draft_id = d.id)`, id, storeID, drafts)
		if err != nil {
			return err
		}
		if len(items)+int(left.RowsAffected()) == 0 {
			return apikit.Problem(422, "draft_ids", "Those drafts are not here any more.")
		}
		if err := s.queue(ctx, tx, items); err != nil {
			return err
		}
		return members.Audit(ctx, tx, "published", fmt.Sprintf("%d drafts", len(items)), nil,
			map[string]int64{"run": id, "store": storeID})
	})
	if err != nil {
		return Run{}, err
	}
	if err := s.close(ctx, id); err != nil { // where all were left out
		return Run{}, err
	}
	s.notify(ctx, id)
	return s.run(ctx, id)
}

// queue adds the jobs of items.
func (s *Service) queue(ctx context.Context, tx pgx.Tx, items []Args) error {
	work := make([]river.JobArgs, len(items))
	for i, args := range items {
		work[i] = args
	}
	return s.Jobs.AddMany(ctx, tx, work)
}

// Retry sends failed items of a run again, as new attempts, but for those that another run is
// publishing at this moment.
func (s *Service) Retry(ctx context.Context, runID int64, items []int64) (Run, error) {
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, `
			update publish_item i set state = 'waiting', reason = '', area = '', attempt = attempt + 1, tries = 0,
			updated_at = now()
			where run_id = $1 and id = any ($2) and state = 'failed'
			and not exists (select from publish_item o where o.store_id = i.store_id and o.draft_id = i.draft_id
			and o.state in ('waiting', 'sending')) returning id, attempt`, runID, items)
		if err != nil {
			return err
		}
		retried, err := pgx.CollectRows(rows, pgx.RowToStructByPos[Args])
		if err != nil {
			return err
		}
		if len(retried) == 0 {
			return apikit.Problem(409, "item_ids",
				"None of those has failed and is free, so there is nothing to try again.")
		}
		if err := s.queue(ctx, tx, retried); err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `update publish_run set finished_at = null where id = $1`, runID)
		return err
	})
	if database.Taken(err) {
		return Run{},
			apikit.Problem(409, "item_ids",
				"Another run has just begun to publish one of those. Try again when it has ended.")
	}
	if err != nil {
		return Run{}, err
	}
	s.notify(ctx, runID)
	return s.run(ctx, runID)
}

// Sweep takes up items whose job is lost: one that was given up ends as failed and says so, any other is
// put back into the queue. The store is asked what it has before anything is sent again.
func (s *Service) Sweep(ctx context.Context) error {
	var ended []int64
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		const lost = `state in ('waiting', 'sending') and not exists (select from river_job j
			where j.kind = 'publish' and (j.args ->> 'item_id')::bigint = publish_item.id
			and (j.args ->> 'attempt')::int = publish_item.attempt and j.state in ` + jobs.Live + `)`
		rows, err := tx.Query(ctx, `
			update publish_item set state = 'failed', area = '', updated_at = now(),
			reason = 'This was cut off each time it was sent. Look into the log; then try again: it will not be `+
			`listed twice.'
			where `+lost+` and exists (select from river_job j
				where j.kind = 'publish' and (j.args ->> 'item_id')::bigint = publish_item.id
				and (j.args ->> 'attempt')::int = publish_item.attempt and j.state = 'discarded')
			returning run_id`)
		if err != nil {
			return err
		}
		if ended, err = pgx.CollectRows(rows, pgx.RowTo[int64]); err != nil {
			return err
		}
		rows, err = tx.Query(ctx, `update publish_item set state = 'waiting', updated_at = now()
			where `+lost+` returning id, attempt`)
		if err != nil {
			return err
		}
		back, err := pgx.CollectRows(rows, pgx.RowToStructByPos[Args])
		if err != nil {
			return err
		}
		if err := s.queue(ctx, tx, back); err != nil {
			return err
		}
		rows, err = tx.Query(ctx, `
			update publish_run r set finished_at = now() where finished_at is null
			and not exists (select from publish_item i where i.run_id = r.id and i.state in ('waiting', 'sending'))
			returning id`)
		if err != nil {
			return err
		}
		closed, err := pgx.CollectRows(rows, pgx.RowTo[int64])
		ended = append(ended, closed...)
		return err
	})
	slices.Sort(ended)
	for _, run := range slices.Compact(ended) {
		s.notify(ctx, run)
	}
	return err
}

// Stop leaves out what is still waiting. What is being sent is finished.
func (s *Service) Stop(ctx context.Context, runID int64) (Run, error) {
	if _, err := s.Pool.Exec(ctx, `update publish_item
		set state = 'failed', reason = 'You stopped this run before it was sent.', updated_at = now()
		where run_id = $1 and state = 'waiting'`, runID); err != nil {
		return Run{}, err
	}
	if err := s.close(ctx, runID); err != nil {
		return Run{}, err
	}
	s.notify(ctx, runID)
	return s.run(ctx, runID)
}

// close marks a run finished where nothing of it is left to do.
func (s *Service) close(ctx context.Context, runID int64) error {
	_, err := s.Pool.Exec(ctx, `
		update publish_run r set finished_at = now() where id = $1 and finished_at is null
		and not exists (select from publish_item i where i.run_id = r.id and i.state in ('waiting', 'sending'))`, runID)
	return err
}

const runColumns = `
	select r.id, r.store_id, t.name, r.visible, r.sell_empty, r.started_by, r.started_at, r.finished_at,
		count(*) filter (where i.state = 'waiting'), count(*) filter (where i.state = 'sending'),
		count(*) filter (where i.state = 'published'), count(*) filter (where i.state = 'failed')
	from publish_run r join facts.store t on t.id = r.store_id join publish_item i on i.run_id = r.id`

func (s *Service) run(ctx context.Context, id int64) (Run, error) {
	rows, err := s.Pool.Query(ctx, runColumns+` where r.id = $1 group by r.id, t.name`, id)
	if err != nil {
		return Run{}, err
	}
	run, err := pgx.CollectExactlyOneRow(rows, pgx.RowToStructByPos[Run])
	if database.Missing(err) {
		err = apikit.NotFound("run")
	}
	return run, err
}

// Runs lists the newest runs.
func (s *Service) Runs(ctx context.Context) ([]Run, error) {
	rows, err := s.Pool.Query(ctx, runColumns+` group by r.id, t.name order by r.id desc limit 20`)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Run])
}

// Figures count what the quay shows: live listings and runs under way.
func (s *Service) Figures(ctx context.Context, storeID int64) (live, running int, err error) {
	err = s.Pool.QueryRow(ctx, `select (select count(*) from listing where store_id = $1), (select count(*)
		from publish_run where finished_at is null)`, storeID).Scan(&live, &running)
	return live, running, err
}

// notify lets browsers know; one that misses it asks again.
func (s *Service) notify(ctx context.Context, runID int64) {
	run, err := s.run(ctx, runID)
	if err == nil {
		err = s.Progress.Publish(ctx, "run", run)
	}
	if err != nil {
		s.Log.Warn("telling of a run", "run", runID, "error", err)
	}
}

// Args is the job that sends one item.
type Args struct {
	ItemID  int64 `json:"item_id"`
	Attempt int   `json:"attempt"`
}

// Kind names the job.
func (Args) Kind() string { return "publish" }

// InsertOpts puts it into its own queue.
func (Args) InsertOpts() river.InsertOpts { return river.InsertOpts{Queue: "publish"} }
