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

// maxRetryDelay is the longest that an import waits by itself before it asks a source again; a source
// may ask for up to maxRequestedDelay.
const (
	maxRetryDelay     = 5 * time.Minute
	maxRequestedDelay = time.Hour
)

// fetchError is that a file could not be fetched; its text is a sentence.
type fetchError struct {
	message string
	err     error
}

func (e *fetchError) Error() string { return e.message }
func (e *fetchError) Unwrap() error { return e.err }

// isTemporary tells whether a failure of a source may mend itself within minutes: it did not answer,
// answered with an error of its own or with what is not its protocol, or asked to wait.
func isTemporary(err error) bool {
	var status outgoing.ErrStatus
	if errors.As(err, &status) {
		return status >= 500 || status == http.StatusTooManyRequests
	}
	return errors.Is(err, outgoing.ErrUnreachable) || errors.Is(err, outgoing.ErrAskedToWait) ||
		errors.Is(err, source.ErrUnavailable)
}

// retryDelay is how long to wait before the source is asked again; what it asks for itself comes first.
func (s *Service) retryDelay(tries int, err error) time.Duration {
	var wait *outgoing.Wait
	if errors.As(err, &wait) && wait.After > 0 {
		return min(wait.After, maxRequestedDelay)
	}
	return min(s.RetryDelay<<min(tries, 10), maxRetryDelay)
}

// retryError is that a source is to be asked again later; words say what happened.
type retryError struct {
	message string
	cause   error
}

func (r *retryError) Error() string { return r.message }

// retryLater puts an import back into the queue, saying why and when it goes on.
func (s *Service) retryLater(ctx context.Context, in *activeImport, words string, why error) error {
	wait := s.retryDelay(in.tries, why)
	in.Error = fmt.Sprintf("%s It is tried again in %s (%d of %d).", words, durationText(wait), in.tries+1, s.Retries)
	in.State = Waiting
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, transition(Waiting, `error = $2, tries = tries + 1, retry_at = now() + $3::interval`,
			`id = $1 and state = 'running'`), in.ID, in.Error, wait)
		if err == nil && tag.RowsAffected() == 0 {
			return errStopped
		}
		if err == nil {
			_, err = tx.Exec(ctx, `update source set error = $2 where id = $1`, in.SourceID, in.Error)
		}
		return err
	})
	if errors.Is(err, errStopped) {
		return s.Offers.DropStaging(context.WithoutCancel(ctx), s.Pool, in.ID)
	}
	if err != nil {
		return err
	}
	s.notify(ctx, in.ImportRun)
	return river.JobSnooze(wait)
}

func durationText(d time.Duration) string {
	switch {
	case d < 90*time.Second:
		return plural(max(int(d.Round(time.Second).Seconds()), 1), "second", "seconds")
	default:
		return plural(int((d + 30*time.Second).Minutes()), "minute", "minutes")
	}
}

// retryNow lets an import that waits for its source go on at once, and tells whether there was one.
func (s *Service) retryNow(ctx context.Context, sourceID int64) (in ImportRun, there bool, err error) {
	rows, err := s.Pool.Query(ctx, `select `+importColumns+` from import_run
		where source_id = $1 and state = 'waiting' and retry_at is not null`, sourceID)
	if err != nil {
		return in, false, err
	}
	in, err = pgx.CollectExactlyOneRow(rows, pgx.RowToStructByPos[ImportRun])
	if database.Missing(err) {
		return in, false, nil
	}
	if err != nil {
		return in, false, err
	}
	_, err = s.Pool.Exec(ctx, `update river_job set state = 'available', scheduled_at = now()
		where kind = 'import' and state in ('scheduled', 'retryable') and (args ->> 'import_id')::bigint = $1`,
		in.ID)
	return in, true, err
}

// RecoverLost takes up imports whose job is lost: one that was given up because the program ended at each
// attempt ends as failed and says so, any other is put back into the queue.
func (s *Service) RecoverLost(ctx context.Context) error {
	rows, err := s.Pool.Query(ctx, `
		select i.id, i.source_id, exists (select from river_job j
		where j.kind = 'import' and (j.args ->> 'import_id')::bigint = i.id and j.state = 'discarded')
		from import_run i where i.state in ('waiting', 'running')
		and not exists (select from river_job j where j.kind = 'import' and (j.args ->> 'import_id')::bigint = i.id
		and j.state in `+jobs.Live+`)`)
	if err != nil {
		return err
	}
	type lost struct {
		id, source int64
		givenUp    bool
	}
	var all []lost
	var one lost
	if _, err := pgx.ForEachRow(rows, []any{&one.id, &one.source, &one.givenUp}, func() error {
		all = append(all, one)
		return nil
	}); err != nil {
		return err
	}
	var failures []error
	for _, l := range all {
		failures = append(failures, database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
			if !l.givenUp {
				return s.Jobs.Add(ctx, tx, ImportArgs{l.id}, nil)
			}
			if _, err := tx.Exec(ctx, transition(Failed, `error = $2`, `id = $1`), l.id, givenUpMessage); err != nil {
				return err
			}
			if _, err := tx.Exec(ctx, `update source set error = $2
				where id = $1`, l.source, givenUpMessage); err != nil {
				return err
			}
			return s.Offers.DropStaging(ctx, tx, l.id)
		}))
	}
	return errors.Join(failures...)
}

const givenUpMessage = "This program was cut off each time it read this, so it is not tried again by itself. " +
	"What was in the catalog stays. Look into the log, or send the source's operator what it says."
