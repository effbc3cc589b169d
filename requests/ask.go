package requests

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"plainpelican/connect/source"
	"plainpelican/core/money"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/platform/jobs"
	"plainpelican/sources"
)

// DueArgs is the job that speaks to the sources whose time has come: of one request, or,
// each minute, of all.
type DueArgs struct{ RequestID int64 }

// Kind names the job.
func (DueArgs) Kind() string { return "due_requests" }

// InsertOpts puts it into its queue.
func (DueArgs) InsertOpts() river.InsertOpts { return river.InsertOpts{Queue: "import"} }

// Work adds the workers.
func (s *Service) Work(r *jobs.Runner) {
	jobs.Handle(r, func(ctx context.Context, job *river.Job[DueArgs]) error {
		return s.AskDue(ctx, job.Args.RequestID)
	})
}

// outboundCall is one source to be spoken to about one request.
type outboundCall struct {
	request, source int64
	key, state      string
	failures        int
	madeAt          time.Time
}

// AskDue sends requests that wait, asks for quotes where it is time, and tells sources of
// requests that are over. Each call may be made twice without harm.
func (s *Service) AskDue(ctx context.Context, only int64) error {
	rows, err := s.Pool.Query(ctx, `
		select a.request_id, a.source_id, a.key::text, a.state, a.failures, r.made_at from request_source a
		join quote_request r on r.id = a.request_id
		where a.next_at <= now() and $1::bigint in (0, a.request_id) order by a.next_at limit 200`, only)
	if err != nil {
		return err
	}
	due, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (e outboundCall, err error) {
		return e, row.Scan(&e.request, &e.source, &e.key, &e.state, &e.failures, &e.madeAt)
	})
	if err != nil {
		return err
	}
	var failures []error
	for _, e := range due {
		failures = append(failures, s.run(ctx, e))
	}
	return errors.Join(failures...)
}

// run does an errand and keeps what came of it. Only a failure on our side is an error.
func (s *Service) run(ctx context.Context, e outboundCall) error {
	session, _, address, err := s.Sources.Open(ctx, e.source)
	var quotes []source.Quote
	var unusable []source.RejectedItem
	next := e.state
	if err == nil {
		switch e.state {
		case "waiting":
			if err = s.send(ctx, session, e); err == nil {
				next = "asked"
			}
		case "asked":
			var open bool
			if quotes, unusable, open, err = session.Quotes(ctx, e.key); err == nil && !open {
				next = "ended"
			}
		case "leaving":
			if err = session.Withdraw(ctx, e.key); err == nil {
				next = "ended"
			}
		}
	}
	if ctx.Err() != nil {
		return ctx.Err()
	}
	var refusal source.Refusal
	reason := ""
	switch {
	case errors.As(err, &refusal):
		next, reason = "refused", refusal.Reason
		if reason == "" {
			reason = "It gave no reason."
		}
	case apikit.IsProblem(err):
		reason = "This source is disconnected."
	case err != nil:
		reason = sources.ErrorMessage(address, err)
	}
	said := make([]string, len(unusable))
	for i, u := range unusable {
		said[i] = u.Position + ": " + u.Reason
	}
	if reason != "" {
		s.Log.Warn("asking a source for quotes", "request", e.request, "source", e.source, "error", err)
	}
	err = database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		var failures int
		if reason != "" && next != "refused" {
			failures = e.failures + 1
		}
		wait := pause(e, next, failures)
		// Somebody may have withdrawn it meanwhile: then what is next stays as they said.
		_, err := tx.Exec(ctx, `
			update request_source set state = $4, error = $5, failures = $6, next_at = case
			when $4 in ('ended', 'refused') then null else now() + $7::interval end,
				asked_at = case when $5 = '' then now() else asked_at end, unusable = case
				when $4 in ('asked', 'ended') and $3 = 'asked' and $5 = '' then $8 else unusable end
			where request_id = $1 and source_id = $2 and state = $3`,
			e.request, e.source, e.state, next, reason, failures, wait.String(), said)
		if err != nil {
			return err
		}
		for _, q := range quotes {
			if _, err := tx.Exec(ctx, `
				insert into quote (request_id, source_id, number, offer, comment, valid_through)
				values ($1, $2, $3, $4, $5, $6)
				on conflict (request_id, source_id, number) do update
				set offer = excluded.offer, comment = excluded.comment, valid_through = excluded.valid_through
				where quote.taken_at is null and (quote.offer, quote.comment, quote.valid_through) is distinct
				from (excluded.offer, excluded.comment, excluded.valid_through)`,
				e.request, e.source, q.Number, q.Raw, q.Comment, q.ValidThrough); err != nil {
				return err
			}
		}
		if wait >= time.Minute || next == "ended" || next == "refused" {
			return nil // the job of each minute finds it
		}
		return s.Jobs.Add(ctx, tx, DueArgs{e.request}, &river.InsertOpts{ScheduledAt: time.Now().Add(wait)})
	})
	if err == nil {
		s.notify(ctx, e.request)
	}
	return err
}

// pause is how long until a source is spoken to again: soon at first, then less and less
// often, since suppliers take hours or days; after failures ever longer, up to an hour.
func pause(e outboundCall, next string, failures int) time.Duration {
	age := time.Since(e.madeAt)
	switch {
	case failures > 0:
		return min(time.Minute<<min(failures-1, 6), time.Hour)
	case next == "asked" && e.state == "waiting":
		return 2 * time.Second
	case age < 10*time.Minute:
		return 10 * time.Second
	case age < 24*time.Hour:
		return 10 * time.Minute
	}
	return time.Hour
}

func (s *Service) send(ctx context.Context, session *source.Session, e outboundCall) error {
	r := source.Request{ID: e.key}
	var target int64
	var currency, picture string
	err := s.Pool.QueryRow(ctx, `select words, details, link, picture, target_cost, currency, market, units
		from quote_request where id = $1`, e.request).
		Scan(&r.Words, &r.Details, &r.Link, &picture, &target, &currency, &r.Market, &r.Units)
	if err != nil {
		return err
	}
	if currency != "" {
		c, err := money.ParseCurrency(currency)
		if err != nil {
			return err
		}
		r.Target = money.New(target, c)
	}
	if picture != "" {
		if r.Picture, err = s.Blobs.Get(picture); err != nil {
			return fmt.Errorf("its picture: %w", err)
		}
	}
	return session.Ask(ctx, r)
}
