// Package publishing sends drafts to stores, as runs of which every item ends in one true
// state, and keeps the listings that come of them.
package publishing

import (
	"context"
	"fmt"
	"log/slog"
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
}

// Stores opens sessions with connected stores.
type Stores interface {
	Open(ctx context.Context, storeID int64) (*store.Session, error)
}

// Supply asks the source of an offer whether it is still sold.
type Supply interface {
	StillSold(ctx context.Context, sourceID int64, number string) (bool, error)
}

// Catalog gives pictures and is told of offers that are gone.
type Catalog interface {
	Picture(ctx context.Context, offer int64, place int) (hash string, content []byte, err error)
	Withdraw(ctx context.Context, offer int64) error
	// Touched lets it know that listings of some offers were made.
	Touched(ctx context.Context, db database.Querier, offers []int64) error
}

// Service is the publishing capability.
type Service struct {
	Pool     *pgxpool.Pool
	Drafts   Drafts
	Stores   Stores
	Supply   Supply
	Catalog  Catalog
	Jobs     *jobs.Runner
	Progress *progress.Stream
	Log      *slog.Logger
	// PicturePath is where a picture of an offer is served.
	PicturePath func(offer int64, place int) string
	// Pause is how long an item waits after a store that did not answer.
	Pause time.Duration
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
	Area      string             `json:"area" doc:"The part of the draft at fault: words, pictures, variants, price, or empty"`
	URL       string             `json:"url" doc:"Where it is seen in the store"`
	Price     *money.Amount      `json:"price" doc:"The lowest price that was sent"`
	Trace     []markup.TraceLine `json:"trace" doc:"How that price came about"`
	UpdatedAt time.Time          `json:"updated_at"`
}

// Start begins a run. It returns a problem where a draft or the store is not there.
func (s *Service) Start(ctx context.Context, storeID int64, drafts []int64, visible, sellEmpty bool) (Run, error) {
	var id int64
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		err := tx.QueryRow(ctx, `insert into publish_run (store_id, visible, sell_empty, started_by) select id, $2, $3, $4 from store where id = $1 and state = 'connected' returning id`,
			storeID, visible, sellEmpty, access.Who(ctx).Name).Scan(&id)
		if database.Missing(err) {
			return apikit.Problem(422, "store_id", "That store is not connected.")
		}
		if err != nil {
			return err
		}
		added := 0
		for _, draft := range drafts {
			var item int64
			err := tx.QueryRow(ctx, `insert into publish_item (run_id, draft_id, state) select $1, id, 'waiting' from draft where id = $2 on conflict do nothing returning id`, id, draft).Scan(&item)
			if database.Missing(err) {
				continue // named twice, or discarded meanwhile
			}
			if err != nil {
				return err
			}
			added++
			if err := s.Jobs.Add(ctx, tx, Args{item, 1}, nil); err != nil {
				return err
			}
		}
		if added == 0 {
			return apikit.Problem(422, "draft_ids", "Those drafts are not here any more.")
		}
		return members.Audit(ctx, tx, "published", fmt.Sprintf("%d drafts", added), nil, map[string]int64{"run": id, "store": storeID})
	})
	if err != nil {
		return Run{}, err
	}
	s.tell(ctx, id)
	return s.run(ctx, id)
}

// Retry sends failed items of a run again, as new attempts.
func (s *Service) Retry(ctx context.Context, runID int64, items []int64) (Run, error) {
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, `
			update publish_item set state = 'waiting', reason = '', area = '', attempt = attempt + 1, tries = 0, updated_at = now()
			where run_id = $1 and id = any ($2) and state = 'failed' returning id, attempt`, runID, items)
		if err != nil {
			return err
		}
		again, err := pgx.CollectRows(rows, pgx.RowToStructByPos[Args])
		if err != nil {
			return err
		}
		if len(again) == 0 {
			return apikit.Problem(409, "item_ids", "None of those has failed, so there is nothing to try again.")
		}
		for _, args := range again {
			if err := s.Jobs.Add(ctx, tx, args, nil); err != nil {
				return err
			}
		}
		_, err = tx.Exec(ctx, `update publish_run set finished_at = null where id = $1`, runID)
		return err
	})
	if err != nil {
		return Run{}, err
	}
	s.tell(ctx, runID)
	return s.run(ctx, runID)
}

// Stop leaves out what is still waiting. What is being sent is finished.
func (s *Service) Stop(ctx context.Context, runID int64) (Run, error) {
	if _, err := s.Pool.Exec(ctx, `update publish_item set state = 'failed', reason = 'You stopped this run before it was sent.', updated_at = now() where run_id = $1 and state = 'waiting'`, runID); err != nil {
		return Run{}, err
	}
	if err := s.close(ctx, runID); err != nil {
		return Run{}, err
	}
	s.tell(ctx, runID)
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
		count(*) filter (where i.state = 'waiting'), count(*) filter (where i.state = 'sending'), count(*) filter (where i.state = 'published'), count(*) filter (where i.state = 'failed')
	from publish_run r join store t on t.id = r.store_id join publish_item i on i.run_id = r.id`

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
	err = s.Pool.QueryRow(ctx, `select (select count(*) from listing where store_id = $1), (select count(*) from publish_run where finished_at is null)`, storeID).Scan(&live, &running)
	return live, running, err
}

// tell lets browsers know; one that misses it asks again.
func (s *Service) tell(ctx context.Context, runID int64) {
	run, err := s.run(ctx, runID)
	if err == nil {
		err = s.Progress.Tell(ctx, "run", run)
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
