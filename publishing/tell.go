package publishing

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"time"

	"github.com/jackc/pgx/v5"

	"plainpelican/core/money"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
)

// telling gathers what happened in a run since browsers were told last.
type telling struct{ items []int64 }

// maxTold is how many items one event carries; a browser reads what is beyond them itself.
const maxTold = 100

// RunEvent tells browsers what a run has come to, and the items that moved.
type RunEvent struct {
	Run
	Moved []Item `json:"moved"`
}

// tell lets browsers know of a run and of items of it. What happens within a moment is told in one event.
func (s *Service) tell(runID int64, items ...int64) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.untold == nil {
		s.untold = map[int64]*telling{}
	}
	if t := s.untold[runID]; t != nil {
		t.items = append(t.items, items...)
		return
	}
	s.untold[runID] = &telling{items}
	time.AfterFunc(cmp.Or(s.Telling, usualTelling), func() { s.tellNow(runID) })
}

const usualTelling = 200 * time.Millisecond

// tellNow publishes what was gathered; a browser that misses it asks again.
func (s *Service) tellNow(runID int64) {
	ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
	defer cancel()
	s.mu.Lock()
	t := s.untold[runID]
	delete(s.untold, runID)
	s.mu.Unlock()
	if t == nil {
		return
	}
	slices.Sort(t.items)
	ids := slices.Compact(t.items)
	event := RunEvent{Moved: []Item{}}
	var err error
	if event.Run, err = s.run(ctx, runID); err == nil && len(ids) > 0 {
		event.Moved, err = s.items(ctx, ids[:min(len(ids), maxTold)])
	}
	if err == nil {
		err = s.Progress.Publish(ctx, "run", event)
	}
	if err != nil && !database.Away(err) {
		s.Log.Warn("telling of a run", "run", runID, "error", err)
	}
}

// items reads items of runs by their ids, in order of them.
func (s *Service) items(ctx context.Context, ids []int64) ([]Item, error) {
	rows, err := s.Pool.Query(ctx, `
		select i.id, i.store_id, i.draft_id, d.title,
			(select count(*) from facts.draft_variant v where v.draft_id = d.id and v.chosen), i.state, i.reason,
			i.area,
			coalesce(l.url, ''), coalesce(l.lowest, 0), coalesce(l.trace, '[]'), t.currency, i.updated_at
		from publish_item i join facts.store t on t.id = i.store_id join facts.draft_ever d on d.id = i.draft_id
		left join listing l on l.draft_id = d.id and l.store_id = i.store_id and l.ended_at is null
			and i.state in ('published', 'changed', 'unchanged')
		where i.id = any ($1) order by i.id`, ids)
	if err != nil {
		return nil, err
	}
	items, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (Item, error) {
		var i Item
		var price int64
		var currency string
		err := row.Scan(&i.ID, &i.StoreID, &i.DraftID, &i.Title, &i.Variants, &i.State, &i.Reason, &i.Area, &i.URL,
			&price, &i.Trace, &currency, &i.UpdatedAt)
		if err != nil || price == 0 {
			return i, err
		}
		c, err := money.ParseCurrency(currency)
		if err != nil {
			return i, fmt.Errorf("item %d: %w", i.ID, err)
		}
		lowest := money.New(price, c)
		i.Price = &lowest
		return i, nil
	})
	if err != nil {
		return nil, err
	}
	drafts := make([]int64, len(items))
	for i := range items {
		drafts[i] = items[i].DraftID
	}
	paths, err := s.Drafts.Pictures(ctx, drafts)
	for i := range items {
		items[i].Picture = paths[items[i].DraftID]
	}
	return apikit.List(items), err
}

// ItemPage is some items of a run, in the order in which they are sent.
type ItemPage struct {
	Items []Item `json:"items"`
	Next  int64  `json:"next" doc:"The item that the next page begins after; 0 is no more"`
}

// attention are, in SQL, the states of items that somebody may want to do something about.
const attention = `('failed', 'left_out', 'unknown')`

// Items lists items of a run after one: those that may need a person where they are asked for, those of one store where
// one is named.
func (s *Service) Items(ctx context.Context, runID, after int64, limit int, storeID int64, needed bool) (ItemPage,
	error) {
	where := `i.run_id = $1 and i.id > $2 and ($3::bigint = 0 or i.store_id = $3)`
	if needed {
		where += ` and i.state in ` + attention
	}
	rows, err := s.Pool.Query(ctx, `select i.id from publish_item i where `+where+` order by i.id limit $4`, runID,
		after, storeID, limit+1)
	if err != nil {
		return ItemPage{}, err
	}
	ids, err := pgx.CollectRows(rows, pgx.RowTo[int64])
	if err != nil {
		return ItemPage{}, err
	}
	page := ItemPage{}
	if len(ids) > limit {
		ids, page.Next = ids[:limit], ids[limit-1]
	}
	page.Items, err = s.items(ctx, ids)
	return page, err
}
