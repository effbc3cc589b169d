package publishing

import (
	"context"

	"github.com/jackc/pgx/v5"

	"plainpelican/platform/apikit"
)

const runColumns = `select r.id, r.act, r.state, r.started_by, r.started_at, r.starts_at, r.finished_at
	from publish_run r`

// runs reads runs with their stores.
func (s *Service) runs(ctx context.Context, rest string, args ...any) ([]Run, error) {
	rows, err := s.Pool.Query(ctx, runColumns+rest, args...)
	if err != nil {
		return nil, err
	}
	at := map[int64]int{}
	list, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (r Run, err error) {
		r.Targets = []Target{}
		return r, row.Scan(&r.ID, &r.Act, &r.State, &r.StartedBy, &r.StartedAt, &r.StartsAt, &r.FinishedAt)
	})
	if err != nil || len(list) == 0 {
		return list, err
	}
	ids := make([]int64, len(list))
	for i := range list {
		ids[i], at[list[i].ID] = list[i].ID, i
	}
	rows, err = s.Pool.Query(ctx, `select t.run_id, t.store_id, s.name, s.time_zone, t.visible, t.sell_empty,
			t.by_rules,
			t.reserve, t.collections, t.held, t.waiting, t.sending, t.published, t.changed, t.unchanged, t.left_out,
			t.failed, t.unknown
		from publish_target t join facts.store s on s.id = t.store_id where t.run_id = any ($1)
		order by t.run_id, t.store_id`, ids)
	if err != nil {
		return nil, err
	}
	var run int64
	var t Target
	_, err = pgx.ForEachRow(rows, []any{&run, &t.StoreID, &t.Store, &t.TimeZone, &t.Visible, &t.SellEmpty, &t.ByRules,
		&t.Reserve, &t.Collections, &t.Held, &t.Waiting, &t.Sending, &t.Published, &t.Changed, &t.Unchanged, &t.LeftOut,
		&t.Failed, &t.Unknown}, func() error {
		t.Total = t.Held + t.Waiting + t.Sending + t.Published + t.Changed + t.Unchanged + t.LeftOut + t.Failed +
			t.Unknown
		r := &list[at[run]]
		r.Targets = append(r.Targets, t)
		r.add(t.Counts)
		t.Collections = nil
		return nil
	})
	return list, err
}

func (s *Service) run(ctx context.Context, id int64) (Run, error) {
	list, err := s.runs(ctx, ` where r.id = $1`, id)
	if err == nil && len(list) == 0 {
		err = apikit.NotFound("run")
	}
	if err != nil {
		return Run{}, err
	}
	return list[0], nil
}

// RunPage is some runs, the newest first.
type RunPage struct {
	Runs []Run `json:"runs"`
	Next int64 `json:"next" doc:"The run that the next page begins after; 0 is no more"`
}

// Runs lists runs that began before one, the newest first; all where it is 0.
func (s *Service) Runs(ctx context.Context, before int64, limit int) (RunPage, error) {
	list, err := s.runs(ctx, ` where $1::bigint = 0 or r.id < $1 order by r.id desc limit $2`, before, limit+1)
	page := RunPage{Runs: apikit.List(list)}
	if len(list) > limit {
		page.Runs, page.Next = list[:limit], list[limit-1].ID
	}
	return page, err
}
