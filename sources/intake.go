package sources

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"plainpelican/connect/source"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/platform/jobs"
)

// IntakeArgs is the job that takes one source's catalog in.
type IntakeArgs struct {
	IntakeID int64 `json:"intake_id"`
}

// Kind names the job.
func (IntakeArgs) Kind() string { return "intake" }

// InsertOpts puts it into its own queue.
func (IntakeArgs) InsertOpts() river.InsertOpts { return river.InsertOpts{Queue: "intake"} }

// mostWithdrawn is the share of its offers that a source may drop in one intake without
// being asked about.
const mostWithdrawn = 0.2

// Begin puts an intake of a source into the queue, unless one is on its way.
func (s *Service) Begin(ctx context.Context, sourceID int64) (Intake, error) {
	var in Intake
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, `insert into intake (source_id, state) select id, 'waiting' from source where id = $1 and state = 'connected' returning `+intakeColumns, sourceID)
		if err != nil {
			return err
		}
		if in, err = pgx.CollectExactlyOneRow(rows, pgx.RowToStructByPos[Intake]); err != nil {
			return err
		}
		return s.Jobs.Add(ctx, tx, IntakeArgs{in.ID}, nil)
	})
	switch {
	case database.Missing(err):
		return in, apikit.NotFound("source")
	case database.Taken(err):
		return in, apikit.Problem(409, "", "An intake of this source is already on its way.")
	}
	if err == nil {
		s.tell(ctx, in)
	}
	return in, err
}

// tell lets browsers know; one that misses it asks again.
func (s *Service) tell(ctx context.Context, in Intake) {
	if err := s.Progress.Tell(ctx, "intake", in); err != nil {
		s.Log.Warn("telling of an intake", "intake", in.ID, "error", err)
	}
}

// Work adds the job's worker.
func (s *Service) Work(r *jobs.Runner) {
	jobs.Handle(r, func(ctx context.Context, job *river.Job[IntakeArgs]) error { return s.run(ctx, job.Args.IntakeID) })
}

// run takes the catalog in page by page. Started again after being killed, it begins with
// the first page; offers that it had put already are then unchanged.
func (s *Service) run(ctx context.Context, id int64) error {
	rows, err := s.Pool.Query(ctx, `
		update intake set state = 'running', seen = 0, added = 0, changed = 0, unchanged = 0, withdrawn = 0, set_aside = 0
		where id = $1 and state in ('waiting', 'running') returning `+intakeColumns, id)
	if err != nil {
		return err
	}
	in, err := pgx.CollectExactlyOneRow(rows, pgx.RowToStructByPos[Intake])
	if database.Missing(err) {
		return nil // it ended while this waited
	}
	if err != nil {
		return err
	}
	if _, err := s.Pool.Exec(ctx, `delete from set_aside where intake_id = $1`, id); err != nil {
		return err
	}
	in.State, in.Trouble = "finished", ""
	if trouble := s.sweep(ctx, &in); trouble != "" {
		in.State, in.Trouble = "failed", trouble
	}
	if ctx.Err() != nil {
		return ctx.Err() // stopping: another instance goes on with it
	}
	now := time.Now()
	in.FinishedAt = &now
	// Together: who sees the intake ended sees what its source is left with.
	err = database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		if err := saveIntake(ctx, tx, in); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `update source set trouble = $2 where id = $1`, in.SourceID, in.Trouble); err != nil {
			return err
		}
		if in.Changed+in.Withdrawn == 0 {
			return nil
		}
		return s.Prices.RepriceAll(ctx, tx, "changed offers")
	})
	s.tell(ctx, in)
	return err
}

// sweep reads every page and returns what went wrong, in plain words.
func (s *Service) sweep(ctx context.Context, in *Intake) string {
	session, _, address, err := s.Open(ctx, in.SourceID)
	if apikit.IsProblem(err) {
		return err.Error()
	}
	if err != nil {
		return words(address, err)
	}
	var seen []string
	for cursor := ""; ; {
		page, err := session.Page(ctx, cursor)
		if err != nil {
			return words(address, err)
		}
		in.Expected = page.Total
		if err := s.put(ctx, in, page); err != nil {
			s.Log.Error("putting offers", "source", in.SourceID, "error", err)
			return words(address, err)
		}
		for _, o := range page.Offers {
			seen = append(seen, o.Number)
		}
		for _, u := range page.SetAside {
			seen = append(seen, u.Place) // there, though unreadable: not withdrawn
		}
		in.State = "running"
		if err := saveIntake(ctx, s.Pool, *in); err != nil {
			return words(address, err)
		}
		s.tell(ctx, *in)
		in.State = "finished"
		if page.Next == "" || page.Next == cursor {
			break
		}
		cursor = page.Next
	}
	withdrawn, held, err := s.Shelf.Sweep(ctx, in.SourceID, seen, mostWithdrawn)
	if err != nil {
		return words(address, err)
	}
	if held {
		return fmt.Sprintf("The source listed so little that %d of its offers would be withdrawn. Nothing was withdrawn; look at the source, then take it in again.", withdrawn)
	}
	in.Withdrawn = withdrawn
	return ""
}

func (s *Service) put(ctx context.Context, in *Intake, page source.Page) error {
	counts, err := s.Shelf.Put(ctx, in.SourceID, page.Offers)
	if err != nil {
		return err
	}
	for _, u := range page.SetAside {
		if _, err := s.Pool.Exec(ctx, `insert into set_aside (intake_id, place, reason, content) values ($1, $2, $3, $4)`, in.ID, u.Place, u.Reason, u.Content); err != nil {
			return err
		}
	}
	in.Seen += len(page.Offers) + len(page.SetAside)
	in.Added, in.Changed, in.Unchanged = in.Added+counts.Added, in.Changed+counts.Changed, in.Unchanged+counts.Unchanged
	in.SetAside += len(page.SetAside)
	return nil
}

var errStopped = errors.New("the intake was stopped")

// saveIntake stores the counts of an intake that is still running.
func saveIntake(ctx context.Context, db database.Querier, in Intake) error {
	tag, err := db.Exec(ctx, `
		update intake set state = $2, finished_at = $3, expected = $4, seen = $5, added = $6, changed = $7, unchanged = $8, withdrawn = $9, set_aside = $10, trouble = $11
		where id = $1 and state = 'running'`,
		in.ID, in.State, in.FinishedAt, in.Expected, in.Seen, in.Added, in.Changed, in.Unchanged, in.Withdrawn, in.SetAside, in.Trouble)
	if err == nil && tag.RowsAffected() == 0 {
		return errStopped
	}
	return err
}
