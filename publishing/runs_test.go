package publishing_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"plainpelican/connect/store"
	"plainpelican/core/publish"
	"plainpelican/publishing"
	"plainpelican/standins/fault"
	"plainpelican/testkit"
	"plainpelican/workbench"
)

func start(w *testkit.World, body map[string]any) (run publishing.Run) {
	w.Owner.Must("POST", "/api/runs", body, &run)
	return run
}

func listings(w *testkit.World, query string) (page publishing.ListingPage) {
	w.Owner.Must("GET", "/api/listings?store=1"+query, nil, &page)
	return page
}

func TestOneRunForTwoStores(t *testing.T) {
	w := testkit.Start(t)
	goods := w.Ready()
	nord := w.ConnectNord()
	id := w.Take(w.Offer(0))[0]
	testkit.Until(t, "prices in both", func() bool {
		var page workbench.Page
		w.Owner.Must("GET", fmt.Sprintf("/api/drafts?store=%d", nord.ID), nil, &page)
		return page.Drafts[0].Report.Ready
	})
	body := map[string]any{"draft_ids": []int64{id}, "stores": []map[string]any{
		{"store_id": goods.ID, "visible": true, "collections": []string{"Harbour"}},
		{"store_id": nord.ID, "sell_empty": true, "reserve": 100_000}}}
	var look publishing.Preflight
	w.Owner.Must("POST", "/api/runs/preflight", body, &look)
	if len(look.Stores) != 2 || look.Stores[0].New != 1 || look.Stores[1].New != 1 ||
		look.Stores[1].Store != nord.Name {
		t.Errorf("%+v", look)
	}
	run := w.RunEnds(start(w, body).ID)
	if run.Published != 2 || len(run.Targets) != 2 || run.Targets[0].Published != 1 || run.Targets[1].Published != 1 {
		t.Fatalf("%+v", run)
	}
	p := w.Shop.Products()[0]
	if !p.Visible || !slices.Contains(p.Collections, "Harbour") || p.Variants[0].ID == "" {
		t.Errorf("%+v", p)
	}
	other := w.Nord.Products()[0]
	if other.Visible || !other.SellEmpty || other.Variants[0].Stock != 0 ||
		other.Variants[0].Price == p.Variants[0].Price {
		t.Errorf("%+v", other)
	}
	for _, s := range []int64{goods.ID, nord.ID} { // what a run added is no difference from the draft
		var page publishing.ListingPage
		var in publishing.ListingInFull
		w.Owner.Must("GET", fmt.Sprintf("/api/listings?store=%d", s), nil, &page)
		w.Owner.Must("GET", fmt.Sprintf("/api/listings/%d", page.Listings[0].ID), nil, &in)
		if len(in.Here)+len(in.There) != 0 || in.Missing != "" {
			t.Errorf("%+v %+v %s", in.Here, in.There, in.Missing)
		}
	}
	w.Owner.Must("POST", "/api/runs/preflight", body, &look)
	if look.Stores[0].Same != 1 {
		t.Errorf("published, it is %+v", look.Stores[0])
	}
}

func TestOnlyWhatDiffersIsSent(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	id := w.Take(w.Offer(0))[0]
	w.Publish(1, id)
	before := w.Shop.Products()[0]
	path := fmt.Sprintf("/api/drafts/%d?store=1", id)
	w.Owner.Must("PATCH", path, map[string]any{"title": "Another name"}, nil)
	if l := listings(w, "&state=edited").Listings; len(l) != 1 || !l[0].Edited {
		t.Fatalf("%+v", l)
	}
	// Whoever sends the whole product, or a picture, is refused.
	w.Fault(w.ShopURL, fault.Plan{Down: true, Only: "PUT"})
	run := w.Publish(1, id)
	after := w.Shop.Products()[0]
	if run.Changed != 1 || after.Title != "Another name" {
		t.Errorf("%+v", run.Items[0])
	}
	if after.Variants[0].ID != before.Variants[0].ID || after.Description != before.Description {
		t.Errorf("%+v", after)
	}
}

func TestARunIsPlannedPausedAndCalledOff(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	ids := sellable(t, w, 1, w.Take(places(w, 0, 6)...))
	place, err := time.LoadLocation("America/New_York")
	if err != nil {
		t.Fatal(err)
	}
	body := testkit.RunOf(1, ids...)
	body["start_on"] = time.Now().In(place).Add(48 * time.Hour).Format("2006-01-02T15:04")
	run := start(w, body)
	if run.State != publish.Scheduled || run.Held != len(ids) || run.StartsAt == nil ||
		time.Until(*run.StartsAt) < 47*time.Hour {
		t.Fatalf("%+v", run)
	}
	if now := w.Publish(1, ids[0]); now.Published != 1 {
		t.Errorf("a plan is in the way: %+v", now.Items)
	}
	w.Fault(w.ShopURL, fault.Plan{LatencyMS: 150})
	path := fmt.Sprintf("/api/runs/%d", run.ID)
	w.Owner.Must("POST", path+"/resume", nil, &run)
	w.Owner.Must("POST", path+"/pause", nil, &run)
	if run.State != publish.Paused || run.Held == 0 || run.Waiting != 0 {
		t.Errorf("%+v", run)
	}
	if problem := w.Owner.Ask("POST", path+"/retry", map[string]any{}, nil); problem == nil || problem.Status != 409 {
		t.Errorf("tried again while it is paused: %+v", problem)
	}
	held := run.Held
	testkit.Until(t, "what was being sent", func() bool {
		w.Owner.Must("GET", path, nil, &run)
		return run.Sending == 0
	})
	if run.Held != held || run.FinishedAt != nil {
		t.Errorf("paused, it goes on: %+v", run)
	}
	w.Owner.Must("POST", path+"/resume", nil, &run)
	w.Owner.Must("POST", path+"/pause", nil, &run)
	w.Owner.Must("POST", path+"/stop", nil, &run)
	end := w.RunEnds(run.ID)
	if end.Held+end.Waiting+end.Sending != 0 || end.Done()+end.LeftOut != len(ids) {
		t.Errorf("%+v", end.Run)
	}
	for words, at := range map[string]string{"is not a day and time": "tomorrow",
		"past in the store": "2020-01-01T10:00",
		"a year away":       "2031-01-01T10:00"} {
		body["start_on"] = at
		if problem := w.Owner.Ask("POST", "/api/runs", body, nil); problem == nil ||
			!strings.Contains(problem.Detail, words) {
			t.Errorf("%s: %+v", at, problem)
		}
	}
}

// The clocks of New York skip an hour on 14 March 2027 (IANA time zone database).
func TestATimeThatTheClocksSkip(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	body := testkit.RunOf(1, w.Take(w.Offer(0))[0])
	body["start_on"] = "2027-03-14T02:30"
	if problem := w.Owner.Ask("POST", "/api/runs", body, nil); problem == nil ||
		!strings.Contains(problem.Detail, "skip that time") {
		t.Error(problem)
	}
}

func TestWhatIsLiveIsHiddenShownAndTakenDown(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	ids := w.Take(w.Offer(0), w.Offer(1))
	run := w.Publish(1, ids...)
	act := func(act publish.Act) testkit.RunInFull {
		return w.RunEnds(start(w, map[string]any{"act": act, "draft_ids": ids,
			"stores": []map[string]any{{"store_id": 1}}}).ID)
	}
	if hid := act(publish.Hide); hid.Changed != 2 || w.Shop.Products()[0].Visible ||
		len(listings(w, "&state=hidden").Listings) != 2 {
		t.Errorf("%+v", hid)
	}
	if shown := act(publish.Show); shown.Changed != 2 || !w.Shop.Products()[0].Visible {
		t.Errorf("%+v", shown)
	}
	var down publishing.Run
	w.Owner.Must("POST", fmt.Sprintf("/api/runs/%d/take-down", run.ID), nil, &down)
	if end := w.RunEnds(down.ID); end.Changed != 2 || len(w.Shop.Products()) != 0 || listings(w, "").Total != 0 {
		t.Errorf("%+v", end)
	}
	if problem := w.Owner.Ask("POST", fmt.Sprintf("/api/runs/%d/take-down", run.ID), nil, nil); problem == nil ||
		problem.Status != 409 {
		t.Error(problem)
	}
	// What was taken down is no bar to discarding its draft for good.
	w.Owner.Must("DELETE", fmt.Sprintf("/api/drafts/%d", ids[0]), nil, nil)
	if _, err := w.App.Pool.Exec(t.Context(), `update draft set discarded_at = now() - interval '40 days'
		where id = $1`, ids[0]); err != nil {
		t.Fatal(err)
	}
	if err := w.App.Workbench.Prune(t.Context()); err != nil {
		t.Error(err)
	}
	if again := w.Publish(1, ids[1]); again.Published != 1 || len(w.Shop.Products()) != 1 {
		t.Errorf("%+v", again)
	}
}

// Somebody edits a product in the store: it is seen, and theirs is taken, or ours sent again.
func TestWhatWasChangedInTheStore(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	ids := w.Take(w.Offer(0), w.Offer(1))
	w.Publish(1, ids...)
	session, err := w.App.Stores.Open(t.Context(), 1)
	if err != nil {
		t.Fatal(err)
	}
	first := listings(w, "").Listings[1]
	var p store.Product
	for _, f := range w.Shop.Products() {
		if f.Title == first.Title {
			p = store.Product{Title: "Edited there", Tags: []string{"theirs"}, Visible: false}
			if _, err := session.Update(t.Context(), f.ID, p, []string{"title", "tags", "visible"}); err != nil {
				t.Fatal(err)
			}
		} else if err := session.Remove(t.Context(), f.ID); err != nil {
			t.Fatal(err)
		}
	}
	w.Owner.Must("POST", "/api/listings/check?store=1", nil, nil)
	testkit.Until(t, "both are seen", func() bool {
		return len(listings(w, "&state=differs").Listings) == 1 && len(listings(w, "&state=gone").Listings) == 1
	})
	var in publishing.ListingInFull
	path := fmt.Sprintf("/api/listings/%d", first.ID)
	w.Owner.Must("GET", path, nil, &in)
	var fields []string
	for _, d := range in.There {
		fields = append(fields, d.Field)
	}
	if !slices.Equal(fields, []string{"title", "tags", "visible"}) || in.There[0].Theirs != "Edited there" ||
		len(in.Here) != 0 || len(in.Sent) == 0 || in.Sent[0].Ladder == nil || in.Sent[0].StoreVariant == "" {
		t.Fatalf("%+v", in)
	}
	w.Owner.Must("POST", path+"/take-theirs", map[string]any{"fields": []string{"title"}}, nil)
	var d workbench.Draft
	w.Owner.Must("GET", fmt.Sprintf("/api/drafts/%d?store=1", first.DraftID), nil, &d)
	w.Owner.Must("GET", path, nil, &in)
	if d.Title != "Edited there" || d.Undo != "title" || len(in.There) != 2 || in.Edited {
		t.Errorf("%q, %+v", d.Title, in.There)
	}
	if found := listings(w, "&words=edited+there"); found.Total != 1 {
		t.Errorf("by the title that was taken: %d", found.Total)
	}
	// What was changed here and not sent stays so when theirs is taken of something else; a price of theirs is shown.
	draft := fmt.Sprintf("/api/drafts/%d?store=1", first.DraftID)
	w.Owner.Must("PATCH", draft, map[string]any{"type": "Cup"}, nil)
	there := w.Shop.Products()[0]
	part := store.Product{}
	for _, v := range there.Variants {
		part.Variants = append(part.Variants, store.Variant{Reference: v.Reference, SKU: v.SKU, Values: v.Values,
			Price: "99.00", Stock: v.Stock, Barcode: v.Barcode, Picture: v.Picture})
	}
	if _, err := session.Update(t.Context(), there.ID, part, []string{"variants"}); err != nil {
		t.Fatal(err)
	}
	w.Owner.Must("POST", path+"/take-theirs", map[string]any{"fields": []string{"variants.price"}}, nil)
	w.Owner.Must("GET", path, nil, &in)
	if !in.Edited || in.Moved != 0 || in.Lowest.Decimal() != "99.00" || in.Highest.Decimal() != "99.00" ||
		len(in.Here) != 1 || in.Here[0].Field != "type" {
		t.Errorf("%+v", in)
	}
	w.Owner.Must("PATCH", draft, map[string]any{"type": ""}, nil)
	again := w.Publish(1, ids...)
	if again.Changed != 1 || again.Published != 1 || len(w.Shop.Products()) != 2 ||
		len(listings(w, "&state=differs").Listings)+len(listings(w, "&state=gone").Listings) != 0 {
		t.Errorf("%+v", again.Items)
	}
	for _, p := range w.Shop.Products() {
		if !p.Visible || slices.Contains(p.Tags, "theirs") {
			t.Errorf("%+v", p)
		}
	}
}

// Each field that somebody changed in the store is settled by itself, either way, and the others stay as they are.
func TestAFieldThatDiffersIsTakenOrSentByItself(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	id := w.Take(w.Offer(0))[0]
	w.Publish(1, id)
	session, err := w.App.Stores.Open(t.Context(), 1)
	if err != nil {
		t.Fatal(err)
	}
	listing := listings(w, "").Listings[0]
	path := fmt.Sprintf("/api/listings/%d", listing.ID)
	there := func() store.Product {
		found, err := session.Find(t.Context(), w.Shop.Products()[0].Reference)
		if err != nil || len(found) != 1 {
			t.Fatal(found, err)
		}
		return found[0].Product
	}
	sent := there()
	theirs := there()
	theirs.Title, theirs.Tags, theirs.Pictures = "Edited there", []string{"theirs"}, slices.Clone(sent.Pictures)
	slices.Reverse(theirs.Pictures)
	theirs.Options[0].Name = "Shade"
	gone := theirs.Variants[1]
	theirs.Variants = slices.Delete(theirs.Variants, 1, 2)
	theirs.Variants[0].Price, theirs.Variants[0].SKU, theirs.Variants[0].Stock = "77.00", "THEIRS", 1
	if _, err := session.Update(t.Context(), w.Shop.Products()[0].ID, theirs,
		[]string{"title", "tags", "options", "variants", "pictures"}); err != nil {
		t.Fatal(err)
	}
	w.Owner.Must("POST", "/api/listings/check?store=1", nil, nil)
	testkit.Until(t, "it is seen", func() bool { return len(listings(w, "&state=differs").Listings) == 1 })
	settle := func(way string, fields ...string) (left []string) {
		t.Helper()
		w.Owner.Must("POST", path+way, map[string]any{"fields": fields}, nil)
		var in publishing.ListingInFull
		w.Owner.Must("GET", path, nil, &in)
		for _, d := range in.There {
			left = append(left, d.Field)
		}
		return left
	}
	left := settle("/send-ours", "title")
	if p := there(); p.Title != sent.Title || p.Tags[0] != "theirs" || p.Variants[0].Price != "77.00" ||
		!slices.Equal(left, []string{"tags", "options", "pictures", "variants.sku", "variants.price", "variants"}) {
		t.Errorf("%v, %+v", left, p)
	}
	left = settle("/send-ours", "variants.price")
	if v := there().Variants[0]; v.Price != sent.Variants[0].Price || v.SKU != "THEIRS" || v.Stock != 1 {
		t.Errorf("%v, %+v", left, v) // how many the store has left is the store's to know
	}
	settle("/take-theirs", "pictures")
	settle("/take-theirs", "options")
	left = settle("/take-theirs", "variants")
	var d workbench.Draft
	w.Owner.Must("GET", fmt.Sprintf("/api/drafts/%d?store=1", id), nil, &d)
	at := slices.IndexFunc(d.Variants, func(v workbench.Variant) bool { return fmt.Sprint(v.ID) == gone.Reference })
	if !slices.Equal(left, []string{"tags", "variants.sku"}) || d.Options[0].Name != "Shade" ||
		d.Variants[at].Chosen {
		t.Errorf("%v, %+v", left, d.Options)
	}
	if run := w.Publish(1, id); run.Changed != 1 || !slices.Equal(there().Pictures, theirs.Pictures) ||
		there().Options[0].Name != "Shade" || len(there().Variants) != len(sent.Variants)-1 {
		t.Errorf("%+v, %+v", run.Items, there())
	}
	if problem := w.Owner.Ask("POST", path+"/take-theirs", map[string]any{"fields": []string{"variants.was_price"}},
		nil); problem == nil || !strings.Contains(problem.Detail, "was prices") {
		t.Error(problem)
	}
	// While a run sends it, nobody else does.
	w.Fault(w.ShopURL, fault.Plan{LatencyMS: 700, Only: "GET /api/products"})
	run := start(w, testkit.RunOf(1, id))
	testkit.Until(t, "it is being sent", func() bool {
		var sending bool
		return w.App.Pool.QueryRow(t.Context(), `select exists (select from publish_item where state = 'sending')`).
			Scan(&sending) == nil && sending
	})
	if problem := w.Owner.Ask("POST", path+"/send-ours", map[string]any{"fields": []string{"title"}},
		nil); problem == nil || problem.Status != 409 {
		t.Error(problem)
	}
	w.Fault(w.ShopURL, fault.Plan{})
	w.RunEnds(run.ID)
}

// A worker whose item another has taken over writes nothing any more: neither to the store nor here.
func TestAWorkerThatWasOvertakenWritesNothing(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	id := w.Take(w.Offer(0))[0]
	w.Fault(w.ShopURL, fault.Plan{LatencyMS: 700, Only: "GET /api/products"})
	run := start(w, testkit.RunOf(1, id))
	testkit.Until(t, "it is being sent", func() bool {
		var fence int64
		return w.App.Pool.QueryRow(t.Context(), `select fence from publication`).Scan(&fence) == nil && fence == 1
	})
	// As an instance would that holds the first one for dead.
	if _, err := w.App.Pool.Exec(t.Context(), `update publication set fence = fence + 1`); err != nil {
		t.Fatal(err)
	}
	time.Sleep(1500 * time.Millisecond)
	if products := w.Shop.Products(); len(products) != 0 {
		t.Errorf("%d products of a worker that was overtaken", len(products))
	}
	w.Fault(w.ShopURL, fault.Plan{})
	if err := w.App.Publishing.Sweep(t.Context()); err != nil {
		t.Fatal(err)
	}
	if end := w.RunEnds(run.ID); end.Published != 1 || len(w.Shop.Products()) != 1 {
		t.Errorf("%+v", end.Items)
	}
}

// What a store did not answer to after something was sent is not known; asked again, it has it once.
func TestWhatIsNotKnownIsAskedAgain(t *testing.T) {
	w := testkit.Start(t)
	w.App.Publishing.Tries = 0
	w.App.Outgoing.Attempts = 1
	w.Ready()
	id := w.Take(w.Offer(0))[0]
	w.Fault(w.ShopURL, fault.Plan{CutAfter: 9, Only: "POST /api/products"})
	run := w.Publish(1, id)
	if run.Unknown != 1 || !strings.Contains(run.Items[0].Reason, "asked every few minutes") {
		t.Fatalf("%+v", run.Items)
	}
	w.Fault(w.ShopURL, fault.Plan{})
	if _, err := w.App.Pool.Exec(t.Context(), `update publish_item
		set updated_at = now() - interval '1 hour'`); err != nil {
		t.Fatal(err)
	}
	if err := w.App.Publishing.Sweep(t.Context()); err != nil {
		t.Fatal(err)
	}
	testkit.Until(t, "it is known", func() bool { return w.Run(run.ID).Published == 1 })
	if products := w.Shop.Products(); len(products) != 1 {
		t.Errorf("%d products", len(products))
	}
}

func TestListingsAreFoundPagedAndSaved(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	ids := sellable(t, w, 1, w.Take(places(w, 0, 5)...))
	w.Publish(1, ids...)
	var seen []int64
	for before := int64(0); ; {
		page := listings(w, fmt.Sprintf("&limit=2&before=%d", before))
		if page.Total != len(ids) {
			t.Fatalf("%d of %d", page.Total, len(ids))
		}
		for _, l := range page.Listings {
			seen = append(seen, l.DraftID)
		}
		if before = page.Next; before == 0 {
			break
		}
	}
	slices.Sort(seen)
	if !slices.Equal(seen, ids) {
		t.Errorf("%v, not %v", seen, ids)
	}
	one := listings(w, "").Listings[0]
	if found := listings(w, "&words="+fmt.Sprintf("P%d-1", one.DraftID)); found.Total != 1 ||
		found.Listings[0].ID != one.ID {
		t.Errorf("by SKU: %+v", found)
	}
	var drafts []int64
	w.Owner.Must("GET", "/api/listings/drafts?store=1&state=visible", nil, &drafts)
	if len(drafts) != len(ids) {
		t.Errorf("%v", drafts)
	}
	csv, err := w.Owner.Download("/api/listings/export?store=1")
	if lines := strings.Count(csv, "\n"); err != nil || lines != len(ids)+1 ||
		!strings.HasPrefix(csv, "listing,title,address") {
		t.Errorf("%v %s", err, csv)
	}
}

func TestARunTakesATrayOrAllThatAreReady(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	ids := sellable(t, w, 1, w.Take(places(w, 0, 6)...))
	untitled, later, rest := ids[0], ids[1], ids[2:]
	w.Owner.Must("PATCH", fmt.Sprintf("/api/drafts/%d?store=1", untitled), map[string]any{"title": ""}, nil)
	var tray struct{ ID int64 }
	w.Owner.Must("POST", "/api/trays", map[string]any{"name": "For spring", "aside": true}, &tray)
	w.Owner.Must("PATCH", fmt.Sprintf("/api/drafts/%d?store=1", later), map[string]any{"tray": tray.ID}, nil)
	store := []map[string]any{{"store_id": 1, "visible": true}}

	var look publishing.Preflight
	w.Owner.Must("POST", "/api/runs/preflight", map[string]any{"ready": true, "stores": store}, &look)
	if s := look.Stores[0]; s.New != len(rest) || s.Total != 0 {
		t.Errorf("of all that are ready %+v go", s)
	}
	if run := w.RunEnds(start(w, map[string]any{"ready": true, "stores": store}).ID); run.Published != len(rest) {
		t.Errorf("%+v", run)
	}
	run := w.RunEnds(start(w, map[string]any{"tray": tray.ID, "stores": store}).ID)
	if run.Published != 1 || run.Items[0].DraftID != later {
		t.Errorf("of the tray: %+v", run)
	}
}

// A row that is locked while a run goes on is not taken for one that another run is publishing.
func TestARunThatGoesOnWaitsForALockedItem(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	ids := sellable(t, w, 1, w.Take(places(w, 0, 8)...))
	w.Fault(w.ShopURL, fault.Plan{LatencyMS: 300})
	run := start(w, testkit.RunOf(1, ids...))
	w.Owner.Must("POST", fmt.Sprintf("/api/runs/%d/pause", run.ID), nil, &run)
	if run.Held == 0 {
		t.Fatalf("nothing is held: %+v", run)
	}
	tx, err := w.App.Pool.Begin(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = tx.Rollback(t.Context()) }()
	if _, err := tx.Exec(t.Context(), `select from publish_item where run_id = $1 for update`, run.ID); err != nil {
		t.Fatal(err)
	}
	resumed := make(chan error, 1)
	go func() {
		problem := w.Owner.Ask("POST", fmt.Sprintf("/api/runs/%d/resume", run.ID), nil, nil)
		if problem != nil {
			resumed <- fmt.Errorf("%+v", problem)
		}
		close(resumed)
	}()
	time.Sleep(200 * time.Millisecond)
	if err := tx.Rollback(t.Context()); err != nil {
		t.Fatal(err)
	}
	if err := <-resumed; err != nil {
		t.Fatal(err)
	}
	if run := w.RunEnds(run.ID); run.Published != len(ids) || run.LeftOut != 0 {
		t.Errorf("%+v", run.Items)
	}
}
