package publishing

import (
	"context"
	"fmt"
	"slices"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"plainpelican/core/publish"
	"plainpelican/members"
	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/workbench"
)

// StartInput says what a run does with which drafts, in which stores.
type StartInput struct {
	Act      publish.Act `json:"act,omitempty" enum:"publish,show,hide,take_down" doc:"Publish where it is not said"`
	DraftIDs []int64     `json:"draft_ids,omitempty" maxItems:"50000"`
	// Tray takes all drafts of a tray, Ready all that can go out to each store and are not put aside.
	Tray   int64         `json:"tray,omitempty" minimum:"0"`
	Ready  bool          `json:"ready,omitempty"`
	Stores []TargetInput `json:"stores" minItems:"1" maxItems:"20"`
	// StartOn is the day and time in the first store's time zone; empty is at once.
	StartOn string `json:"start_on,omitempty" maxLength:"16" doc:"As 2026-12-01T10:00"`
}

// TargetInput is one store of a run that is to be begun.
type TargetInput struct {
	StoreID int64 `json:"store_id"`
	Settings
}

// act is what a run does.
func (in *StartInput) act() publish.Act {
	if in.Act == "" {
		return publish.Publish
	}
	return in.Act
}

// chosen are the drafts of a run in a store, in order of their ids.
func (s *Service) chosen(ctx context.Context, storeID int64, in *StartInput) ([]int64, error) {
	ids := slices.Clone(in.DraftIDs)
	if in.Tray != 0 || in.Ready {
		f := workbench.Filter{Tray: in.Tray}
		if in.Ready {
			f.State = "ready"
		}
		var err error
		if ids, err = s.Drafts.Select(ctx, storeID, f); err != nil {
			return nil, err
		}
	}
	slices.Sort(ids)
	ids = slices.Compact(ids)
	if len(ids) > MaxDrafts {
		return nil, apikit.Problem(422, "draft_ids",
			"One run takes up to %d drafts; these are %d. Publish them in parts.",
			MaxDrafts, len(ids))
	}
	return ids, nil
}

// moment is when a run starts: a wall clock time in a store's time zone. One that the clocks skip is refused.
func moment(text, zone string, now time.Time) (*time.Time, error) {
	if text == "" {
		return nil, nil
	}
	place, err := time.LoadLocation(zone)
	if err != nil {
		return nil, err
	}
	const layout = "2006-01-02T15:04"
	at, err := time.ParseInLocation(layout, text, place)
	if err != nil {
		return nil, apikit.Problem(422, "start_on", "“%s” is not a day and time.", text)
	}
	if at.Format(layout) != text {
		return nil, apikit.Problem(422, "start_on",
			"The clocks of the store skip that time on that day. Choose another.")
	}
	if !at.After(now) {
		return nil, apikit.Problem(422, "start_on", "That is past in the store, where it is %s.",
			now.In(place).Format("15:04 on Monday 2 January"))
	}
	if at.After(now.AddDate(1, 0, 0)) {
		return nil, apikit.Problem(422, "start_on", "That is more than a year away.")
	}
	return &at, nil
}

// Start begins a run, or plans it. A draft that another run is publishing to a store at this moment is left out, and
// says so. It returns a problem where a draft or a store is not there.
func (s *Service) Start(ctx context.Context, in StartInput) (Run, error) {
	if len(in.Stores) == 0 || len(in.Stores) > MaxStores {
		return Run{}, apikit.Problem(422, "stores", "Choose one to %d stores.", MaxStores)
	}
	if len(in.DraftIDs) == 0 && in.Tray == 0 && !in.Ready {
		return Run{}, apikit.Problem(422, "draft_ids", "Choose drafts.")
	}
	drafts := make([][]int64, len(in.Stores))
	var startsAt *time.Time
	for i, t := range in.Stores {
		found, err := s.Stores.Get(ctx, t.StoreID)
		if apikit.IsProblem(err) {
			return Run{}, apikit.Problem(422, "stores", "That store is not connected.")
		}
		if err != nil {
			return Run{}, err
		}
		if i == 0 {
			if startsAt, err = moment(in.StartOn, found.TimeZone, time.Now()); err != nil {
				return Run{}, err
			}
		}
		if slices.ContainsFunc(in.Stores[:i], func(o TargetInput) bool { return o.StoreID == t.StoreID }) {
			return Run{}, apikit.Problem(422, "stores", "%s is named twice.", found.Name)
		}
		if drafts[i], err = s.chosen(ctx, t.StoreID, &in); err != nil {
			return Run{}, err
		}
	}
	var id int64
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		state := publish.Running
		if startsAt != nil {
			state = publish.Scheduled
		}
		if err := tx.QueryRow(ctx, `insert into publish_run (started_by, act, state, starts_at)
			values ($1, $2, $3, $4) returning id`, access.Who(ctx).Name, in.act(), state, startsAt).
			Scan(&id); err != nil {
			return err
		}
		added := 0
		for i, t := range in.Stores {
			n, err := s.addTarget(ctx, tx, id, t, in.act(), drafts[i], startsAt != nil)
			if err != nil {
				return err
			}
			added += n
		}
		if added == 0 {
			return apikit.Problem(422, "draft_ids", "Those drafts are not here any more.")
		}
		if startsAt != nil {
			if err := s.Jobs.Add(ctx, tx, BeginArgs{id}, &river.InsertOpts{ScheduledAt: *startsAt}); err != nil {
				return err
			}
		}
		return members.Audit(ctx, tx, auditWords[in.act()], fmt.Sprintf("%d drafts", added), nil,
			map[string]any{"run": id, "stores": in.Stores})
	})
	if err != nil {
		return Run{}, err
	}
	if err := s.close(ctx, id); err != nil { // where all were left out
		return Run{}, err
	}
	s.tell(id)
	return s.run(ctx, id)
}

var auditWords = map[publish.Act]string{publish.Publish: "published", publish.Show: "put up listings",
	publish.Hide: "hid listings", publish.TakeDown: "took down listings"}

// addTarget adds one store of a run with its items, and counts them.
func (s *Service) addTarget(ctx context.Context, tx pgx.Tx, run int64, t TargetInput, act publish.Act, drafts []int64,
	later bool) (int, error) {
	collections := t.Collections
	if collections == nil {
		collections = []string{}
	}
	if _, err := tx.Exec(ctx, `insert into publish_target (run_id, store_id, visible, sell_empty, by_rules, reserve,
			collections) values ($1, $2, $3, $4, $5, $6, $7)`, run, t.StoreID, t.Visible, t.SellEmpty, t.ByRules,
		t.Reserve, collections); err != nil {
		return 0, err
	}
	// What is hidden, put up or taken down is live in the store, whether its draft can be edited still or not.
	from := `facts.draft d where d.id = any ($3)`
	if act != publish.Publish {
		from = `facts.draft_ever d where d.id = any ($3) and exists (select from listing l
			where l.store_id = $2 and l.draft_id = d.id and l.ended_at is null)`
	}
	if later {
		tag, err := tx.Exec(ctx, `insert into publish_item (run_id, store_id, draft_id, state)
			select $1, $2, d.id, 'held' from `+from+` order by d.id`, run, t.StoreID, drafts)
		return int(tag.RowsAffected()), err
	}
	// In the order of their ids, so that two runs of the same drafts wait for each other and do not lock up.
	rows, err := tx.Query(ctx, `
		insert into publish_item (run_id, store_id, draft_id, state) select $1, $2, d.id, 'waiting' from `+from+`
		order by d.id
		on conflict (store_id, draft_id) where state in ('waiting', 'sending') do nothing returning id, attempt`,
		run, t.StoreID, drafts)
	if err != nil {
		return 0, err
	}
	items, err := pgx.CollectRows(rows, pgx.RowToStructByPos[Args])
	if err != nil {
		return 0, err
	}
	left, err := tx.Exec(ctx, `
		insert into publish_item (run_id, store_id, draft_id, state, reason)
		select $1, $2, d.id, 'left_out', `+otherRun+`
		from `+from+` and not exists (select from publish_item i
			where i.run_id = $1 and i.store_id = $2 and i.draft_id = d.id)`, run, t.StoreID, drafts)
	if err != nil {
		return 0, err
	}
	return len(items) + int(left.RowsAffected()), s.queue(ctx, tx, items)
}

// otherRun says in SQL which other run has a draft d in a store $2 under way.
const otherRun = `coalesce((select format('Run %s of %s is publishing it at this moment. Try again when that ' ||
	'has ended.', r.id, r.started_by) from publish_item o join publish_run r on r.id = o.run_id
	where o.store_id = $2 and o.draft_id = d.id and o.state in ('waiting', 'sending') limit 1),
	'Another run was publishing it. Try again.')`

// queue adds the jobs of items.
func (s *Service) queue(ctx context.Context, tx pgx.Tx, items []Args) error {
	work := make([]river.JobArgs, len(items))
	for i, args := range items {
		work[i] = args
	}
	return s.Jobs.AddMany(ctx, tx, work)
}

// wake has items wait that are held, failed, left out or not known, as new attempts; those that another run is
// publishing at this moment stay as they are. It gives those that wait now. A row that somebody else has locked is
// waited for: passed over, it would be taken for another run's.
func wake(ctx context.Context, tx pgx.Tx, where string, args ...any) ([]Args, error) {
	rows, err := tx.Query(ctx, `select id from publish_item w where `+where+` order by id for update`, args...)
	if err != nil {
		return nil, err
	}
	ids, err := pgx.CollectRows(rows, pgx.RowTo[int64])
	if err != nil {
		return nil, err
	}
	rows, err = tx.Query(ctx, `
		update publish_item i set state = 'waiting', reason = '', area = '', attempt = attempt + 1, tries = 0,
			updated_at = now()
		where i.id = any ($1)
		and not exists (select from publish_item o where o.store_id = i.store_id and o.draft_id = i.draft_id
			and o.id <> i.id and o.state in ('waiting', 'sending')) returning id, attempt`, ids)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Args])
}

// begin has what is held of a run wait: what another run is publishing at this moment is left out.
func (s *Service) begin(ctx context.Context, runID int64, out publish.RunState) error {
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `update publish_run set state = 'running' where id = $1 and state = $2`, runID, out)
		if err != nil || tag.RowsAffected() == 0 {
			return err // begun, stopped or ended meanwhile
		}
		items, err := wake(ctx, tx, `w.run_id = $1 and w.state = 'held'`, runID)
		if err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `update publish_item set state = 'left_out', updated_at = now(),
			reason = 'Another run was publishing it when this one went on. Try again.'
			where run_id = $1 and state = 'held'`, runID); err != nil {
			return err
		}
		return s.queue(ctx, tx, items)
	})
	if database.Taken(err) {
		return fmt.Errorf("run %d met another: %w", runID, err) // tried again
	}
	if err != nil {
		return err
	}
	if err := s.close(ctx, runID); err != nil {
		return err
	}
	s.tell(runID)
	return nil
}

// Hold pauses a run: what is waiting is held, and what is being sent is finished.
func (s *Service) Hold(ctx context.Context, runID int64) (Run, error) {
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `update publish_run set state = 'paused' where id = $1 and state = 'running'`, runID)
		if err != nil {
			return err
		}
		if tag.RowsAffected() == 0 {
			return apikit.Problem(409, "", "This run is not under way.")
		}
		_, err = tx.Exec(ctx, `update publish_item set state = 'held', reason = '', updated_at = now()
			where run_id = $1 and state = 'waiting'`, runID)
		return err
	})
	if err != nil {
		return Run{}, err
	}
	s.tell(runID)
	return s.run(ctx, runID)
}

// Resume goes on with a run that is paused, or begins one before its time.
func (s *Service) Resume(ctx context.Context, runID int64) (Run, error) {
	run, err := s.run(ctx, runID)
	if err != nil {
		return run, err
	}
	if run.State != publish.Paused && run.State != publish.Scheduled {
		return run, apikit.Problem(409, "", "This run is not paused.")
	}
	if err := s.begin(ctx, runID, run.State); err != nil {
		return run, err
	}
	return s.run(ctx, runID)
}

// Retry sends items of a run again that failed, were left out or are not known, but for those that another run is
// publishing at this moment.
func (s *Service) Retry(ctx context.Context, runID int64, items []int64) (Run, error) {
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		var state publish.RunState
		if err := tx.QueryRow(ctx, `select state from publish_run where id = $1 for update`, runID).
			Scan(&state); database.Missing(err) {
			return apikit.NotFound("run")
		} else if err != nil {
			return err
		}
		if state == publish.Paused || state == publish.Scheduled {
			return apikit.Problem(409, "", "This run is %s. Go on with it first, then try again.", state)
		}
		which, args := `w.run_id = $1 and w.state in `+attention, []any{runID}
		if len(items) > 0 {
			which, args = which+` and w.id = any ($2)`, append(args, items)
		}
		retried, err := wake(ctx, tx, which, args...)
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
		_, err = tx.Exec(ctx, `update publish_run set finished_at = null, state = 'running' where id = $1`, runID)
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
	s.tell(runID)
	return s.run(ctx, runID)
}

// Stop leaves out what is held or still waiting. What is being sent is finished.
func (s *Service) Stop(ctx context.Context, runID int64) (Run, error) {
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `update publish_run set state = 'running' where id = $1
			and state in ('scheduled', 'paused')`, runID); err != nil {
			return err
		}
		_, err := tx.Exec(ctx, `update publish_item
			set state = 'left_out', reason = 'You stopped this run before it was sent.', updated_at = now()
			where run_id = $1 and state in ('held', 'waiting')`, runID)
		return err
	})
	if err != nil {
		return Run{}, err
	}
	if err := s.close(ctx, runID); err != nil {
		return Run{}, err
	}
	s.tell(runID)
	return s.run(ctx, runID)
}

// TakeDown begins a run that takes everything out of the stores that a run brought there.
func (s *Service) TakeDown(ctx context.Context, runID int64) (Run, error) {
	run, err := s.run(ctx, runID)
	if err != nil {
		return run, err
	}
	if run.Act != publish.Publish || run.Published == 0 {
		return run, apikit.Problem(409, "", "This run brought nothing into a store that was not there before.")
	}
	rows, err := s.Pool.Query(ctx, `select distinct i.draft_id from publish_item i
		join listing l on l.store_id = i.store_id and l.draft_id = i.draft_id and l.ended_at is null
		where i.run_id = $1 and i.state = 'published' order by 1`, runID)
	if err != nil {
		return run, err
	}
	drafts, err := pgx.CollectRows(rows, pgx.RowTo[int64])
	if err != nil {
		return run, err
	}
	if len(drafts) == 0 {
		return run, apikit.Problem(409, "", "All of it was taken down already.")
	}
	in := StartInput{Act: publish.TakeDown, DraftIDs: drafts}
	for _, t := range run.Targets {
		if t.Published > 0 {
			in.Stores = append(in.Stores, TargetInput{StoreID: t.StoreID})
		}
	}
	return s.Start(ctx, in)
}

// close marks a run finished where nothing of it is left to do.
func (s *Service) close(ctx context.Context, runID int64) error {
	_, err := s.Pool.Exec(ctx, `
		update publish_run r set finished_at = now(), state = 'finished' where id = $1 and state = 'running'
		and not exists (select from publish_target t where t.run_id = r.id and t.held + t.waiting + t.sending > 0)`,
		runID)
	return err
}
