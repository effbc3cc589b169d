package faults

import (
	"fmt"
	"io"
	"net/http"
	"os"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"plainpelican/connect/store"
	"plainpelican/core/publish"
	"plainpelican/platform/access"
	"plainpelican/publishing"
	"plainpelican/sources"
	"plainpelican/standins/bazaar"
	"plainpelican/standins/fault"
	"plainpelican/testkit"
	"plainpelican/workbench"
)

// ready are drafts that could go out to the store, up to a number.
func ready(t *testing.T, w *testkit.World, n int) (ids []int64) {
	t.Helper()
	var offers []int64
	for place := range 2 * n {
		offers = append(offers, w.Offer(place))
	}
	for some := range slices.Chunk(offers, 200) {
		w.Take(some...)
	}
	for before := int64(0); len(ids) < n; {
		var page workbench.Page
		w.Owner.Must("GET", fmt.Sprintf("/api/drafts?store=1&state=ready&before=%d", before), nil, &page)
		for _, l := range page.Drafts[:min(len(page.Drafts), n-len(ids))] {
			ids = append(ids, l.ID)
		}
		if before = page.Next; before == 0 {
			break
		}
	}
	if len(ids) < n {
		t.Fatalf("only %d drafts are ready", len(ids))
	}
	return ids
}

// readyFor is a world whose marketplace has enough offers for n drafts that are ready.
func readyFor(t *testing.T, n int) *testkit.World {
	market := testkit.Bazaar
	market.Offers = max(market.Offers, 2*n)
	w := testkit.StartWith(t, market)
	w.Ready()
	return w
}

// secondMember is an editor beside the owner.
func secondMember(t *testing.T, w *testkit.World) *testkit.Person {
	t.Helper()
	if _, err := w.App.Members.Add(t.Context(), "ed@example.com", "Ed", access.Editor,
		"another long password"); err != nil {
		t.Fatal(err)
	}
	return w.SignIn("ed@example.com", "another long password")
}

// ended waits until runs have ended.
func ended(t *testing.T, w *testkit.World, runs ...int64) (all []testkit.RunInFull) {
	t.Helper()
	for _, id := range runs {
		var run publishing.Run
		deadline := time.Now().Add(3 * time.Minute)
		for run.FinishedAt == nil {
			if time.Now().After(deadline) {
				t.Fatalf("run %d has not ended: %+v", id, run)
			}
			w.Owner.Must("GET", fmt.Sprintf("/api/runs/%d", id), nil, &run)
			time.Sleep(50 * time.Millisecond)
		}
		all = append(all, w.Run(id))
	}
	return all
}

func TestOneDraftInTwoRunsAtOnceIsOneProduct(t *testing.T) {
	n := many(40, 8)
	w := readyFor(t, n)
	ids := ready(t, w, n)
	_, second := w.Instance(w.App.Pool)
	w.Fault(w.ShopURL, fault.Plan{LatencyMS: 200})
	other := secondMember(t, w)
	var runs [2]publishing.Run
	var both sync.WaitGroup
	for i, who := range []*testkit.Person{w.Owner, other} {
		both.Go(func() {
			who.Must("POST", "/api/runs",
				testkit.RunOf(1, ids...), &runs[i])
		})
	}
	both.Wait()
	left := 0
	for _, run := range ended(t, w, runs[0].ID, runs[1].ID) {
		for _, item := range run.Items {
			if item.State == publish.LeftOut {
				left++
				if !strings.Contains(item.Reason, "is publishing it at this moment") &&
					!strings.Contains(item.Reason, "another run was publishing it") {
					t.Errorf("%s", item.Reason)
				}
			}
		}
	}
	if products := w.Shop.Products(); len(products) != n || left != n {
		t.Errorf("%d drafts became %d products, %d were left out (second instance at %s)", n, len(products), left,
			second)
	}
}

func TestGuessesAreCountedBeforeTheyAreHashed(t *testing.T) {
	w := testkit.Start(t)
	secondMember(t, w)
	before := w.App.Members.Hashed()
	var all sync.WaitGroup
	statuses := make([]int, 60)
	for i := range statuses {
		all.Go(func() {
			statuses[i] = w.Nobody("").Ask("POST", "/api/session",
				map[string]string{"email": "ed@example.com", "password": "guess"}, nil).Status
		})
	}
	began := time.Now()
	w.SignIn("olga@example.com", "a long password")
	// Not starved; how long it takes is measured, not tested.
	if took := time.Since(began); took > 15*time.Second {
		t.Errorf("a correct sign-in meanwhile took %v", took)
	}
	all.Wait()
	if hashed := w.App.Members.Hashed() - before - 1; hashed > 10 {
		t.Errorf("%d of 60 guesses reached the hash", hashed)
	}
	refused := 0
	for _, status := range statuses {
		if status == http.StatusTooManyRequests {
			refused++
		}
	}
	if refused < 50 {
		t.Errorf("%d of 60 were refused: %v", refused, statuses)
	}
	// Whoever has signed in here before is not locked out by others' guesses.
	for range 10 {
		w.Nobody("").Ask("POST", "/api/session", map[string]string{"email": "olga@example.com", "password": "guess"},
			nil)
	}
	w.Owner.Must("POST", "/api/session", map[string]string{"email": "olga@example.com", "password": "a long password"},
		nil)
	var failed int
	if err := w.App.Pool.QueryRow(t.Context(), `select count(*) from audit_entry
		where act = 'failed to sign in'`).Scan(&failed); err != nil || failed == 0 {
		t.Errorf("%d failures are in the trail: %v", failed, err)
	}
}

func TestWorkWhoseInstanceDiesEachTimeIsGivenUp(t *testing.T) {
	w := testkit.StartWith(t,
		bazaar.Settings{Name: "Quayside Bazaar", Seed: 11, Offers: 60, ClientID: "test", ClientSecret: "secret-of-test",
			PerSecond: 500, PictureSize: 200, Slow: 300 * time.Millisecond})
	w.Ready()
	id := w.Take(w.Offer(0))[0]
	exec := func(sql string) int64 {
		t.Helper()
		tag, err := w.App.Pool.Exec(t.Context(), sql)
		if err != nil {
			t.Fatal(err)
		}
		return tag.RowsAffected()
	}
	// As if its instance had ended at each of eight attempts.
	abandoned := func(kind string) {
		testkit.Until(t, kind+" is worked on", func() bool {
			// The newest of its kind: that an earlier one has ended is written a little later.
			return exec(`update river_job set attempt = 8, attempted_by = array['ended']
				where id = (select max(id) from river_job where kind = '`+kind+`') and state = 'running'`) > 0
		})
	}
	// Slow enough that the work has not ended by itself when its instance is found to be gone. The run begins once
	// the import is abandoned: an import that waits for its turn would give the run time to end.
	w.Fault(w.BazaarURL, fault.Plan{LatencyMS: 8000})
	w.Owner.Must("POST", "/api/sources/1/imports?full=true", nil, nil)
	abandoned("import")
	w.Fault(w.ShopURL, fault.Plan{LatencyMS: 8000})
	var run publishing.Run
	w.Owner.Must("POST", "/api/runs",
		testkit.RunOf(1, id), &run)
	abandoned("publish")
	testkit.Until(t, "both are given up", func() bool {
		var n int
		if err := w.App.Pool.QueryRow(t.Context(), `select count(*) from river_job
			where state = 'discarded' and kind in ('import', 'publish')`).Scan(&n); err != nil {
			t.Fatal(err)
		}
		return n >= 2
	})
	if err := w.App.Sources.RecoverLost(t.Context()); err != nil {
		t.Fatal(err)
	}
	if err := w.App.Publishing.Sweep(t.Context()); err != nil {
		t.Fatal(err)
	}
	var list []sources.Source
	w.Owner.Must("GET", "/api/sources", nil, &list)
	if in := list[0].Imports[0]; in.State != "failed" || !strings.Contains(in.Error, "cut off each time") {
		t.Errorf("%+v", in)
	}
	if item := ended(t, w, run.ID)[0].Items[0]; item.State != publish.Failed ||
		!strings.Contains(item.Reason, "cut off each time") {
		t.Errorf("%+v", item)
	}
	// One whose job is not there at all is put back.
	w.Fault(w.ShopURL, fault.Plan{})
	w.Fault(w.BazaarURL, fault.Plan{})
	exec(`update publish_item set state = 'sending', attempt = attempt + 1`)
	exec(`update publish_run set finished_at = null, state = 'running'`)
	if err := w.App.Publishing.Sweep(t.Context()); err != nil {
		t.Fatal(err)
	}
	if item := ended(t, w, run.ID)[0].Items[0]; item.State != publish.Published {
		t.Errorf("%+v", item)
	}
}

// The database's connections are cut again and again while drafts go out: each ends published, none twice, and
// nobody is told that the supplier or the store is at fault.
func TestTheDatabaseIsCutWhileDraftsGoOut(t *testing.T) {
	n := many(60, 12)
	w := readyFor(t, n)
	ids := ready(t, w, n)
	var run publishing.Run
	w.Owner.Must("POST", "/api/runs",
		testkit.RunOf(1, ids...), &run)
	cuts := 0
	for deadline := time.Now().Add(20 * time.Second); cuts < many(40, 8) && time.Now().Before(deadline); cuts++ {
		time.Sleep(150 * time.Millisecond)
		cutAll(t, w)
	}
	var seen publishing.Run
	for deadline := time.Now().Add(3 * time.Minute); seen.FinishedAt == nil; time.Sleep(200 * time.Millisecond) {
		if time.Now().After(deadline) {
			t.Fatalf("the run has not ended: %+v", seen)
		}
		if err := w.App.Publishing.Sweep(t.Context()); err != nil &&
			!strings.Contains(err.Error(), "terminating connection") {
			t.Log(err)
		}
		w.Owner.Ask("GET", fmt.Sprintf("/api/runs/%d", run.ID), nil, &seen)
	}
	for _, item := range w.Run(run.ID).Items {
		if item.State != publish.Published {
			t.Errorf("%s: %s", item.State, item.Reason)
		}
	}
	if products := w.Shop.Products(); len(products) != n {
		t.Errorf("%d drafts became %d products after %d cuts", n, len(products), cuts)
	}
}

func TestAStoreThatAsksToWaitIsWaitedForAsTold(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	w.App.Outgoing.LongestWait = time.Second
	ids := ready(t, w, 3)
	wait := many(20, 4)
	w.Fault(w.ShopURL, fault.Plan{TooMany: 1, RetryAfter: wait})
	var run publishing.Run
	w.Owner.Must("POST", "/api/runs",
		testkit.RunOf(1, ids...), &run)
	began := time.Now()
	seen := ended(t, w, run.ID)[0]
	if seen.Published != 3 {
		t.Errorf("%+v", seen.Items)
	}
	if took := time.Since(began); took < time.Duration(wait-1)*time.Second {
		t.Errorf("it waited %v of %d s", took, wait)
	}
}

// A store that has two products of one draft, as earlier versions made: they are found, shown, and one is removed.
func TestDuplicatesInTheStoreAreFoundAndRemoved(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	ids := ready(t, w, 1)
	var run publishing.Run
	w.Owner.Must("POST", "/api/runs",
		testkit.RunOf(1, ids...), &run)
	ended(t, w, run.ID)
	session, err := w.App.Stores.Open(t.Context(), 1)
	if err != nil {
		t.Fatal(err)
	}
	first := w.Shop.Products()[0]
	copied := store.Product{Reference: first.Reference, Title: first.Title, Options: []store.Option{},
		Variants: []store.Variant{{Reference: "x", SKU: "X", Values: []string{}, Price: "9.99"}}, Pictures: []string{}}
	if _, err := session.Create(t.Context(), "another key", copied); err != nil {
		t.Fatal(err)
	}
	w.Owner.Must("POST", "/api/listings/check?store=1", nil, nil)
	var page publishing.ListingPage
	testkit.Until(t, "the duplicate", func() bool {
		w.Owner.Must("GET", "/api/listings?store=1&state=duplicates", nil, &page)
		return len(page.Listings) == 1 && len(page.Listings[0].Duplicates) == 1
	})
	listings := page.Listings
	// One that became the listing's own since it was found stays.
	if _, err := w.App.Pool.Exec(t.Context(), `update listing
		set duplicates = duplicates || jsonb_build_array(jsonb_build_object('id', product_id, 'url',
		''))`); err != nil {
		t.Fatal(err)
	}
	w.Owner.Must("POST", fmt.Sprintf("/api/listings/%d/duplicates/remove", listings[0].ID), nil, nil)
	if left := w.Shop.Products(); len(left) != 1 || left[0].ID != first.ID {
		t.Errorf("%+v", left)
	}
	// A listing can be hidden though its supplier has stopped selling it.
	if _, err := w.App.Pool.Exec(t.Context(), `update offer set withdrawn_at = now()`); err != nil {
		t.Fatal(err)
	}
	w.Owner.Must("POST", "/api/runs", map[string]any{"act": "hide", "draft_ids": ids,
		"stores": []map[string]any{{"store_id": 1}}}, &run)
	ended(t, w, run.ID)
	if w.Shop.Products()[0].Visible {
		t.Error("it is still visible")
	}
}

// Mail addresses, telephone numbers and the supplier's name never reach the store.
func TestTheSupplierIsNotShownToCustomers(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	id := ready(t, w, 1)[0]
	var d workbench.Draft
	path := fmt.Sprintf("/api/drafts/%d?store=1", id)
	w.Owner.Must("GET", path, nil, &d)
	if strings.Contains(d.Description, "@") {
		t.Errorf("the draft was made with %s", d.Description)
	}
	w.Owner.Must("PATCH", path,
		map[string]any{"description": "<p>Good mug. Mail sales@harbour.example or call +1 212 555 0143.</p>"}, nil)
	var run publishing.Run
	w.Owner.Must("POST", "/api/runs",
		testkit.RunOf(1, id), &run)
	if item := ended(t, w, run.ID)[0].Items[0]; item.State != publish.LeftOut ||
		!strings.Contains(item.Reason, "sales@harbour.example") {
		t.Errorf("%+v", item)
	}
	w.Owner.Must("PATCH", path, map[string]any{"remove_contacts": true}, nil)
	w.Owner.Must("POST", "/api/runs",
		testkit.RunOf(1, id), &run)
	ended(t, w, run.ID)
	p := w.Shop.Products()[0]
	if p.Vendor != "Saltmarsh Goods" || strings.Contains(p.Description, "@") ||
		!strings.Contains(p.Description, "Good mug.") {
		t.Errorf("%s: %s", p.Vendor, p.Description)
	}
}

func TestAFullDiskIsSaid(t *testing.T) {
	w := testkit.Start(t)
	testkit.Until(t, "the application to be ready", func() bool {
		answer, err := http.Get(w.URL + "/readyz")
		if err != nil {
			t.Fatal(err)
		}
		return answer.Body.Close() == nil && answer.StatusCode == 200
	})
	// A folder that takes nothing any more stands for the full disk: root may write wherever there is room.
	if err := os.RemoveAll(w.Settings.Data); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(w.Settings.Data, nil, 0o600); err != nil {
		t.Fatal(err)
	}
	testkit.Until(t, "readyz to know", func() bool {
		answer, err := http.Get(w.URL + "/readyz")
		if err != nil {
			t.Fatal(err)
		}
		defer func() { _ = answer.Body.Close() }()
		said, _ := io.ReadAll(answer.Body)
		if strings.Contains(string(said), w.Settings.Data) {
			t.Errorf("a path is shown: %s", said)
		}
		return answer.StatusCode == 503 && strings.Contains(string(said), "cannot be written to")
	})
	if _, problem := w.Owner.Send("list.csv", []byte("SKU,Cost\n")); problem == nil ||
		strings.Contains(problem.Detail, w.Settings.Data) {
		t.Errorf("%+v", problem)
	}
}

func TestARunOfThousandsBeginsAtOnce(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	id := w.Take(w.Offer(0))[0]
	n := many(50_000, 6_000)
	rows, err := w.App.Pool.Query(t.Context(), `insert into draft (offer_id, title, description, pictures, options,
		created_by) select offer_id, title, description, pictures, options, created_by from draft,
		generate_series(1, $2)
		where id = $1 returning id`, id, n)
	if err != nil {
		t.Fatal(err)
	}
	ids, err := pgx.CollectRows(rows, pgx.RowTo[int64])
	if err != nil {
		t.Fatal(err)
	}
	w.Fault(w.ShopURL, fault.Plan{LatencyMS: 500})
	var run publishing.Run
	began := time.Now()
	w.Owner.Must("POST", "/api/runs",
		testkit.RunOf(1, ids...), &run)
	t.Logf("%d drafts: a run was begun in %v", n, time.Since(began))
	if run.Total != n {
		t.Errorf("%+v", run)
	}
	if problem := w.Owner.Ask("POST", "/api/runs",
		testkit.RunOf(1, make([]int64, 50_001)...),
		nil); problem == nil || problem.Status != 422 {
		t.Errorf("over the limit: %+v", problem)
	}
	w.Owner.Must("POST", fmt.Sprintf("/api/runs/%d/stop", run.ID), nil, nil)
}
