package sources

import (
	"context"
	"errors"
	"net/url"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"plainpelican/members"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/platform/schedule"
)

// StartDueArgs is the job, each minute, that begins the imports that are due.
type StartDueArgs struct{}

// Kind names the job.
func (StartDueArgs) Kind() string { return "start_due_imports" }

// InsertOpts puts it into its queue, and one at a time.
func (StartDueArgs) InsertOpts() river.InsertOpts {
	return river.InsertOpts{Queue: "maintenance", UniqueOpts: river.UniqueOpts{ByPeriod: 30 * time.Second}}
}

// StartDue begins an import of every source whose time has come. A source that is still
// being taken in, or waits for a decision, has its next turn.
func (s *Service) StartDue(ctx context.Context) error {
	rows, err := s.Pool.Query(ctx, `select id from source where next_at <= now() and state = 'connected' and not paused
		order by next_at`)
	if err != nil {
		return err
	}
	due, err := pgx.CollectRows(rows, pgx.RowTo[int64])
	if err != nil {
		return err
	}
	var failures []error
	for _, id := range due {
		failures = append(failures, s.startIfDue(ctx, id))
	}
	return errors.Join(failures...)
}

func (s *Service) startIfDue(ctx context.Context, id int64) error {
	var in ImportRun
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		var rule, zone string
		var fetched, busy bool
		err := tx.QueryRow(ctx, `
			select schedule, time_zone, address <> '' or kind = any ($2), exists (select from import_run
			where source_id = source.id and (state in ('waiting', 'running') or state = 'needs_approval'
			and coalesce(approval ->> 'kind', '') <> 'prices'))
			from source where id = $1 and next_at <= now() and state = 'connected' and not paused
			for update skip locked`, id, kindsThat(func(c Capabilities) bool {
			return c.Fetches
		})).Scan(&rule, &zone, &fetched, &busy)
		if database.Missing(err) {
			return nil // another instance was faster
		}
		if err != nil {
			return err
		}
		if err := setNext(ctx, tx, id, rule, zone); err != nil || busy || !fetched {
			return err
		}
		in, err = s.start(ctx, tx, id, ImportScope{})
		return err
	})
	if err == nil && in.ID != 0 {
		s.notify(ctx, in)
	}
	return err
}

func setNext(ctx context.Context, tx pgx.Tx, id int64, rule, zone string) error {
	next, err := schedule.Next(rule, zone, time.Now())
	if err != nil {
		return err
	}
	var at *time.Time
	if !next.IsZero() {
		at = &next
	}
	_, err = tx.Exec(ctx, `update source set schedule = $2, time_zone = $3, next_at = $4
		where id = $1`, id, rule, zone, at)
	return err
}

// SourceSettings are how a source is kept up.
type SourceSettings struct {
	Name          string `json:"name" minLength:"1" maxLength:"100"`
	Schedule      string `json:"schedule" maxLength:"300"`
	TimeZone      string `json:"time_zone" maxLength:"60"`
	Paused        bool   `json:"paused"`
	MaxWithdrawn  int    `json:"max_withdrawn" minimum:"0" maximum:"100"`
	MaxRepriced   int    `json:"max_repriced" minimum:"0" maximum:"100"`
	MaxCostFactor int    `json:"max_cost_factor" minimum:"2" maximum:"1000" default:"5"`
	// OrderAddress is where it takes orders as UBL documents; empty is nowhere.
	OrderAddress string `json:"order_address,omitempty" maxLength:"500"`
}

// SaveSettings changes how a source is kept up.
func (s *Service) SaveSettings(ctx context.Context, id int64, h SourceSettings) error {
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		var before SourceSettings
		var kind Kind
		err := tx.QueryRow(ctx, `select name, schedule, time_zone, paused, max_withdrawn, max_repriced, max_cost_factor,
				order_address, kind from source where id = $1 for update`, id).
			Scan(&before.Name, &before.Schedule, &before.TimeZone, &before.Paused, &before.MaxWithdrawn,
				&before.MaxRepriced, &before.MaxCostFactor, &before.OrderAddress, &kind)
		if database.Missing(err) {
			return apikit.NotFound("source")
		}
		if err != nil {
			return err
		}
		if h.OrderAddress = strings.TrimSpace(h.OrderAddress); h.OrderAddress != "" {
			u, err := url.Parse(h.OrderAddress)
			if err != nil || (u.Scheme != "https" && u.Scheme != "http") || u.Host == "" || u.User != nil ||
				u.RawQuery != "" || !kind.can().OrderDocuments {
				return apikit.Problem(422, "order_address", "Give an address such as https://supplier.example/orders.")
			}
		}
		err = setNext(ctx, tx, id, h.Schedule, h.TimeZone)
		switch {
		case errors.Is(err, schedule.ErrRule):
			return apikit.Problem(422, "schedule", "%s", apikit.Sentence(err))
		case errors.Is(err, schedule.ErrZone):
			return apikit.Problem(422, "time_zone", "“%s” is not a time zone.", h.TimeZone)
		case err != nil:
			return err
		}
		if _, err := tx.Exec(ctx, `update source
			set name = $2, paused = $3, max_withdrawn = $4, max_repriced = $5, max_cost_factor = $6,
				order_address = $7, takes_orders = case when $8 then $7 <> '' else takes_orders end where id = $1`, id,
			h.Name, h.Paused, h.MaxWithdrawn, h.MaxRepriced, h.MaxCostFactor, h.OrderAddress,
			kind.can().OrderDocuments); err != nil {
			return err
		}
		if before.Name != h.Name {
			if err := s.Offers.NotifySource(ctx, tx, id); err != nil {
				return err
			}
		}
		return members.Audit(ctx, tx, "changed source", h.Name, before, h)
	})
}

// Prune lets the files of imports go that ended a week ago, but for the newest of each source,
// which its columns are looked at again by, and files that were sent and nothing came of.
func (s *Service) Prune(ctx context.Context) error {
	rows, err := s.Pool.Query(ctx, `
		with old as (
			update import_run i set file = '' where file <> '' and finished_at < now() - interval '7 days'
			and id <> (select max(n.id) from import_run n where n.source_id = i.source_id and n.file <> ''
			and n.is_full) returning (select b.file from import_run b where b.id = i.id) as file)
		select distinct file from old where not exists (select from facts.picture where hash = old.file)`)
	if err != nil {
		return err
	}
	files, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil {
		return err
	}
	rows, err = s.Pool.Query(ctx, `delete from upload where at < now() - interval '2 days' returning file`)
	if err != nil {
		return err
	}
	sent, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil {
		return err
	}
	files = append(files, sent...)
	var failures []error
	for _, file := range files {
		failures = append(failures, s.removeUnused(ctx, file))
	}
	return errors.Join(failures...)
}

// removeUnused removes a file that no import reads any more.
func (s *Service) removeUnused(ctx context.Context, file string) error {
	var used bool
	if err := s.Pool.QueryRow(ctx, `
		select exists (select from import_run where file = $1) or exists (select from facts.picture where hash = $1)
		or exists (select from uploaded_picture where hash = $1) or exists (select from facts.quote_request
		where picture = $1)
			or exists (select from upload where file = $1)`, file).Scan(&used); err != nil || used {
		return err
	}
	return s.Blobs.Remove(file)
}
