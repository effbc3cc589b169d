package faults

import (
	"fmt"
	"math/rand/v2"
	"os"
	"strconv"
	"testing"
	"time"

	"plainpelican/core/publish"
	"plainpelican/publishing"
	"plainpelican/standins/fault"
	"plainpelican/standins/shop"
	"plainpelican/testkit"
)

// model is what must be true of one draft, whatever went wrong on the way.
type model struct {
	title         string // of the draft
	live, visible bool
}

// faulty are ways in which the store misbehaves, one after another.
var faulty = []fault.Plan{{}, {}, {TooMany: 5}, {CutAfter: 2, Only: "POST /api/products"},
	{CutAfter: 2, Only: "PATCH /api/products"}, {CutAfter: 1, Only: "DELETE /api/products"}, {ErrorPercent: 20},
	{LatencyMS: 60}, {Truncate: true, Only: "PATCH /api/products"}}

// Random acts, with faults of the store, connections that are cut and two instances: in the end each draft is in the
// store once or not at all, as the model says, and the listings say the same. PUBLISH_SEED repeats a sequence.
func TestWhatIsPublishedIsAsTheModelSays(t *testing.T) {
	seed := uint64(time.Now().UnixNano())
	if text := os.Getenv("PUBLISH_SEED"); text != "" {
		given, err := strconv.ParseUint(text, 10, 64)
		if err != nil {
			t.Fatal(err)
		}
		seed = given
	}
	t.Logf("PUBLISH_SEED=%d", seed)
	r := rand.New(rand.NewPCG(seed, 1))
	w := testkit.Start(t)
	w.Ready()
	w.App.Publishing.Pause, w.App.Publishing.Tries = 20*time.Millisecond, 8
	w.Instance(w.App.Pool)
	ids := ready(t, w, 6)
	models := map[int64]*model{}
	for _, id := range ids {
		models[id] = &model{}
	}
	retitle := func(id int64, title string) {
		w.Owner.Must("PATCH", fmt.Sprintf("/api/drafts/%d?store=1", id), map[string]any{"title": title}, nil)
		models[id].title = title
	}
	for i, id := range ids {
		retitle(id, fmt.Sprintf("Model %d", i))
	}
	someIDs := func() (list []int64) {
		for _, id := range ids {
			if r.IntN(2) == 0 {
				list = append(list, id)
			}
		}
		return append(list, ids[r.IntN(len(ids))])
	}
	act := func(what publish.Act, list []int64) {
		body := testkit.RunOf(1, list...)
		body["act"] = what
		var run publishing.Run
		if problem := w.Owner.Ask("POST", "/api/runs", body, &run); problem != nil {
			return // nothing of it is live
		}
		switch r.IntN(4) { // now and then somebody interferes
		case 0:
			w.Owner.Ask("POST", fmt.Sprintf("/api/runs/%d/pause", run.ID), nil, nil)
			w.Owner.Ask("POST", fmt.Sprintf("/api/runs/%d/resume", run.ID), nil, nil)
		case 1:
			if _, err := w.App.Pool.Exec(t.Context(), `select pg_terminate_backend(pid) from pg_stat_activity
				where datname = current_database() and pid <> pg_backend_pid()`); err != nil {
				t.Log(err)
			}
		}
		for deadline := time.Now().Add(time.Minute); ; time.Sleep(30 * time.Millisecond) {
			if time.Now().After(deadline) {
				t.Fatalf("run %d stays under way: %+v", run.ID, run)
			}
			_ = w.App.Publishing.Sweep(t.Context())
			if w.Owner.Ask("GET", fmt.Sprintf("/api/runs/%d", run.ID), nil, &run) == nil && run.FinishedAt != nil {
				break
			}
		}
		// What failed or is not known is tried again with the store well.
		w.Fault(w.ShopURL, fault.Plan{})
		for range 20 {
			items := w.Run(run.ID).Items
			left := false
			for _, i := range items {
				left = left || i.State == publish.Failed || i.State == publish.Unknown || !i.State.Ended()
			}
			if !left {
				break
			}
			w.Owner.Ask("POST", fmt.Sprintf("/api/runs/%d/retry", run.ID), map[string]any{}, nil)
			time.Sleep(100 * time.Millisecond)
		}
		for _, i := range w.Run(run.ID).Items {
			m := models[i.DraftID]
			switch {
			case i.State == publish.LeftOut || !i.State.InStore():
				t.Errorf("%s of %s: %s, %s", what, m.title, i.State, i.Reason)
			case what == publish.Publish:
				m.live, m.visible = true, true
			case what == publish.TakeDown:
				m.live = false
			default:
				m.visible = what == publish.Show
			}
		}
	}
	steps := many(60, 14)
	for step := range steps {
		w.Fault(w.ShopURL, faulty[r.IntN(len(faulty))])
		switch r.IntN(6) {
		case 0:
			retitle(ids[r.IntN(len(ids))], fmt.Sprintf("Model %d of step %d", r.IntN(100), step))
		case 1:
			act(publish.Hide, someIDs())
		case 2:
			act(publish.TakeDown, someIDs())
		default:
			act(publish.Publish, someIDs())
		}
		w.Fault(w.ShopURL, fault.Plan{})
	}
	agree(t, w, models)
}

// agree publishes what is live once more, and holds store, listings and model beside each other.
func agree(t *testing.T, w *testkit.World, models map[int64]*model) {
	t.Helper()
	var live []int64
	for id, m := range models {
		if m.live {
			live = append(live, id)
			m.visible = true
		}
	}
	if len(live) > 0 {
		if run := w.Publish(1, live...); run.Done() != len(live) {
			t.Errorf("%+v", run.Items)
		}
	}
	products := map[string]shop.Product{}
	for _, p := range w.Shop.Products() {
		if _, twice := products[p.Title]; twice {
			t.Errorf("%s is in the store twice", p.Title)
		}
		products[p.Title] = p
	}
	var page publishing.ListingPage
	w.Owner.Must("GET", "/api/listings?store=1", nil, &page)
	if len(products) != len(live) || page.Total != len(live) {
		t.Errorf("%d live, %d in the store, %d listings", len(live), len(products), page.Total)
	}
	for _, l := range page.Listings {
		m := models[l.DraftID]
		p, there := products[m.title]
		if !m.live || !there || l.Title != m.title || p.Visible != l.Visible || l.Edited || l.URL != p.URL {
			t.Errorf("%+v, in the store %+v, listed %+v", m, p, l)
		}
	}
	var under int
	if err := w.App.Pool.QueryRow(t.Context(), `select count(*) from publish_item
		where state in ('waiting', 'sending', 'held', 'unknown')`).Scan(&under); err != nil || under != 0 {
		t.Errorf("%d items stay under way: %v", under, err)
	}
	var wrong int
	if err := w.App.Pool.QueryRow(t.Context(), `select count(*) from publish_target t where (t.published, t.changed,
			t.unchanged, t.left_out, t.failed) <> (select count(*) filter (where state = 'published'),
			count(*) filter (where state = 'changed'), count(*) filter (where state = 'unchanged'),
			count(*) filter (where state = 'left_out'), count(*) filter (where state = 'failed')
			from publish_item i where i.run_id = t.run_id and i.store_id = t.store_id)`).Scan(&wrong); err != nil ||
		wrong != 0 {
		t.Errorf("%d counts are not those of the items: %v", wrong, err)
	}
}
