package sources

import (
	"context"
	"errors"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"plainpelican/members"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/platform/schedule"
)

// DueArgs is the job, each minute, that begins the intakes that are due.
type DueArgs struct{}

// Kind names the job.
func (DueArgs) Kind() string { return "due_intakes" }

// InsertOpts puts it into its queue, and one at a time.
func (DueArgs) InsertOpts() river.InsertOpts {
	return river.InsertOpts{Queue: "upkeep", UniqueOpts: river.UniqueOpts{ByPeriod: 30 * time.Second}}
}

// BeginDue begins an intake of every source whose time has come. A source that is still
// being taken in, or waits for a decision, has its next turn.
func (s *Service) BeginDue(ctx context.Context) error {
	rows, err := s.Pool.Query(ctx, `select id from source where next_at <= now() and state = 'connected' and not paused order by next_at`)
	if err != nil {
		return err
	}
	due, err := pgx.CollectRows(rows, pgx.RowTo[int64])
	if err != nil {
		return err
	}
	var failures []error
	for _, id := range due {
		failures = append(failures, s.beginIfDue(ctx, id))
	}
	return errors.Join(failures...)
}

func (s *Service) beginIfDue(ctx context.Context, id int64) error {
	var in Intake
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		var rule, zone string
		var fetched, busy bool
		err := tx.QueryRow(ctx, `
			select repeats, zone, address <> '' or kind = 'pages', exists (select from intake where source_id = source.id and (state in ('waiting', 'running') or state = 'held' and coalesce(hold ->> 'kind', '') <> 'prices'))
			from source where id = $1 and next_at <= now() and state = 'connected' and not paused for update skip locked`, id).Scan(&rule, &zone, &fetched, &busy)
		if database.Missing(err) {
			return nil // another instance was faster
		}
		if err != nil {
			return err
		}
		if err := setNext(ctx, tx, id, rule, zone); err != nil || busy || !fetched {
			return err
		}
		in, err = s.begin(ctx, tx, id, What{})
		return err
	})
	if err == nil && in.ID != 0 {
		s.tell(ctx, in)
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
	_, err = tx.Exec(ctx, `update source set repeats = $2, zone = $3, next_at = $4 where id = $1`, id, rule, zone, at)
	return err
}

// Habits are how a source is kept up.
type Habits struct {
	Name          string `json:"name" minLength:"1" maxLength:"100"`
	Repeats       string `json:"repeats" maxLength:"300"`
	Zone          string `json:"zone" maxLength:"60"`
	Paused        bool   `json:"paused"`
	MostWithdrawn int    `json:"most_withdrawn" minimum:"0" maximum:"100"`
	MostRepriced  int    `json:"most_repriced" minimum:"0" maximum:"100"`
	MaxCostFactor int    `json:"max_cost_factor" minimum:"2" maximum:"1000" default:"5"`
}

// Keep changes how a source is kept up.
func (s *Service) Keep(ctx context.Context, id int64, h Habits) error {
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		var before Habits
		err := tx.QueryRow(ctx, `select name, repeats, zone, paused, most_withdrawn, most_repriced, max_cost_factor from source where id = $1 for update`, id).
			Scan(&before.Name, &before.Repeats, &before.Zone, &before.Paused, &before.MostWithdrawn, &before.MostRepriced, &before.MaxCostFactor)
		if database.Missing(err) {
			return apikit.NotFound("source")
		}
		if err != nil {
			return err
		}
		err = setNext(ctx, tx, id, h.Repeats, h.Zone)
		switch {
		case errors.Is(err, schedule.ErrRule):
			return apikit.Problem(422, "repeats", "%s", apikit.Sentence(err))
		case errors.Is(err, schedule.ErrZone):
			return apikit.Problem(422, "zone", "“%s” is not a time zone.", h.Zone)
		case err != nil:
			return err
		}
		if _, err := tx.Exec(ctx, `update source set name = $2, paused = $3, most_withdrawn = $4, most_repriced = $5, max_cost_factor = $6 where id = $1`, id, h.Name, h.Paused, h.MostWithdrawn, h.MostRepriced, h.MaxCostFactor); err != nil {
			return err
		}
		if before.Name != h.Name {
			if err := s.Shelf.Changed(ctx, tx, id); err != nil {
				return err
			}
		}
		return members.Audit(ctx, tx, "changed source", h.Name, before, h)
	})
}

// Prune lets the files of intakes go that ended a week ago, but for the newest of each source,
// which its columns are looked at again by, and files that were sent and nothing came of.
func (s *Service) Prune(ctx context.Context) error {
	rows, err := s.Pool.Query(ctx, `
		with old as (
			update intake i set file = '' where file <> '' and finished_at < now() - interval '7 days'
			and id <> (select max(n.id) from intake n where n.source_id = i.source_id and n.file <> '' and n.whole) returning (select b.file from intake b where b.id = i.id) as file)
		select distinct file from old where not exists (select from picture where hash = old.file)`)
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
		failures = append(failures, s.letGo(ctx, file))
	}
	return errors.Join(failures...)
}

// letGo removes a file that no intake reads any more.
func (s *Service) letGo(ctx context.Context, file string) error {
	var used bool
	if err := s.Pool.QueryRow(ctx, `
		select exists (select from intake where file = $1) or exists (select from picture where hash = $1) or exists (select from sent_picture where hash = $1) or exists (select from request where picture = $1)
			or exists (select from upload where file = $1)`, file).Scan(&used); err != nil || used {
		return err
	}
	return s.Blobs.Remove(file)
}
