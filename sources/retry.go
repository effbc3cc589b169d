package sources

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"plainpelican/connect/source"
	"plainpelican/platform/database"
	"plainpelican/platform/jobs"
	"plainpelican/platform/outgoing"
)

// maxPause is the longest that an import waits by itself before it asks a source again; a source
// may ask for up to longestAsked.
const (
	maxPause     = 5 * time.Minute
	longestAsked = time.Hour
)

// fetchError is that a file could not be fetched; its text is a sentence.
type fetchError struct {
	words string
	err   error
}

func (e *fetchError) Error() string { return e.words }
func (e *fetchError) Unwrap() error { return e.err }

// passing tells whether a failure of a source may mend itself within minutes: it did not answer,
// answered with an error of its own or with what is not its protocol, or asked to wait.
func passing(err error) bool {
	var status outgoing.ErrStatus
	if errors.As(err, &status) {
		return status >= 500 || status == http.StatusTooManyRequests
	}
	return errors.Is(err, outgoing.ErrUnreachable) || errors.Is(err, outgoing.ErrAskedToWait) || errors.Is(err, source.ErrUnavailable)
}

// pause is how long to wait before the source is asked again; what it asks for itself comes first.
func (s *Service) pause(tries int, err error) time.Duration {
	var wait *outgoing.Wait
	if errors.As(err, &wait) && wait.After > 0 {
		return min(wait.After, longestAsked)
	}
	return min(s.Pause<<min(tries, 10), maxPause)
}

// retry is that a source is to be asked again later; words say what happened.
type retry struct {
	words string
	why   error
}

func (r *retry) Error() string { return r.words }

// retryLater puts an import back into the queue, saying why and when it goes on.
func (s *Service) retryLater(ctx context.Context, in *intaking, words string, why error) error {
	wait := s.pause(in.tries, why)
	in.Trouble = fmt.Sprintf("%s It is tried again in %s (%d of %d).", words, inWords(wait), in.tries+1, s.Retries)
	in.State = "waiting"
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `update intake set state = 'waiting', trouble = $2, tries = tries + 1, retry_at = now() + $3::interval where id = $1 and state = 'running'`, in.ID, in.Trouble, wait)
		if err == nil && tag.RowsAffected() == 0 {
			return errStopped
		}
		if err == nil {
			_, err = tx.Exec(ctx, `update source set trouble = $2 where id = $1`, in.SourceID, in.Trouble)
		}
		return err
	})
	if errors.Is(err, errStopped) {
		return s.Shelf.Unstage(context.WithoutCancel(ctx), s.Pool, in.ID)
	}
	if err != nil {
		return err
	}
	s.tell(ctx, in.Intake)
	return river.JobSnooze(wait)
}

func inWords(d time.Duration) string {
	switch {
	case d < 90*time.Second:
		return plural(max(int(d.Round(time.Second).Seconds()), 1), "second", "seconds")
	default:
		return plural(int((d + 30*time.Second).Minutes()), "minute", "minutes")
	}
}

// hasten lets an import that waits for its source go on at once, and tells whether there was one.
func (s *Service) hasten(ctx context.Context, sourceID int64) (in Intake, there bool, err error) {
	rows, err := s.Pool.Query(ctx, `select `+intakeColumns+` from intake where source_id = $1 and state = 'waiting' and retry_at is not null`, sourceID)
	if err != nil {
		return in, false, err
	}
	in, err = pgx.CollectExactlyOneRow(rows, pgx.RowToStructByPos[Intake])
	if database.Missing(err) {
		return in, false, nil
	}
	if err != nil {
		return in, false, err
	}
	_, err = s.Pool.Exec(ctx, `update river_job set state = 'available', scheduled_at = now() where kind = 'intake' and state in ('scheduled', 'retryable') and (args ->> 'intake_id')::bigint = $1`, in.ID)
	return in, true, err
}

// Sweep takes up imports whose job is lost: one that was given up because the program ended at each
// attempt ends as failed and says so, any other is put back into the queue.
func (s *Service) Sweep(ctx context.Context) error {
	rows, err := s.Pool.Query(ctx, `
		select i.id, i.source_id, exists (select from river_job j where j.kind = 'intake' and (j.args ->> 'intake_id')::bigint = i.id and j.state = 'discarded')
		from intake i where i.state in ('waiting', 'running')
		and not exists (select from river_job j where j.kind = 'intake' and (j.args ->> 'intake_id')::bigint = i.id and j.state in `+jobs.Live+`)`)
	if err != nil {
		return err
	}
	type lost struct {
		id, source int64
		givenUp    bool
	}
	var all []lost
	var one lost
	if _, err := pgx.ForEachRow(rows, []any{&one.id, &one.source, &one.givenUp}, func() error { all = append(all, one); return nil }); err != nil {
		return err
	}
	var failures []error
	for _, l := range all {
		failures = append(failures, database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
			if !l.givenUp {
				return s.Jobs.Add(ctx, tx, IntakeArgs{l.id}, nil)
			}
			if _, err := tx.Exec(ctx, `update intake set state = 'failed', trouble = $2, finished_at = now(), seen_offers = null where id = $1 and state in ('waiting', 'running')`, l.id, endedEachTime); err != nil {
				return err
			}
			if _, err := tx.Exec(ctx, `update source set trouble = $2 where id = $1`, l.source, endedEachTime); err != nil {
				return err
			}
			return s.Shelf.Unstage(ctx, tx, l.id)
		}))
	}
	return errors.Join(failures...)
}

const endedEachTime = "This program was cut off each time it read this, so it is not tried again by itself. What was in the catalog stays. Look into the log, or send the source's operator what it says."
