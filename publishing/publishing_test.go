package publishing_test

import (
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"
	"time"

	"plainpelican/core/markup"
	"plainpelican/core/publish"
	"plainpelican/publishing"
	"plainpelican/standins/fault"
	"plainpelican/standins/gen"
	"plainpelican/testkit"
	"plainpelican/workbench"
)

// whole checks what must hold after any run: every item in one end state, and in the store
// exactly one product for each draft that was published.
func whole(t *testing.T, w *testkit.World, run testkit.RunInFull, published int) {
	t.Helper()
	if run.Done() != published || run.Waiting+run.Sending != 0 || run.Total != len(run.Items) ||
		run.Done()+run.Failed+run.LeftOut != len(run.Items) {
		t.Errorf("%d published, %d failed of %d; %d were to be published", run.Done(), run.Failed, len(run.Items),
			published)
		for _, i := range run.Items {
			t.Logf("  %s: %s", i.State, i.Reason)
		}
	}
	seen := map[string]int{}
	for _, p := range w.Shop.Products() {
		seen[p.Reference]++
	}
	for reference, n := range seen {
		if n != 1 {
			t.Errorf("draft %s is in the store %d times", reference, n)
		}
	}
	if len(seen) != published {
		t.Errorf("the store has %d products, %d were published", len(seen), published)
	}
}

func places(w *testkit.World, from, n int) (offers []int64) {
	for place := from; len(offers) < n; place++ {
		if place != gen.OverLimit && place != gen.Leaving {
			offers = append(offers, w.Offer(place))
		}
	}
	return offers
}

// sellable keeps drafts that are ready: some offers have no delivery to the market.
func sellable(t *testing.T, w *testkit.World, store int64, ids []int64) (ready []int64) {
	t.Helper()
	var page workbench.Page
	w.Owner.Must("GET", fmt.Sprintf("/api/drafts?store=%d", store), nil, &page)
	for _, id := range ids {
		for _, l := range page.Drafts {
			if l.ID == id && l.Report.Ready {
				ready = append(ready, id)
			}
		}
	}
	return ready
}

func TestPublishingShowsInTheStore(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	id := w.Take(w.Offer(0))[0]
	var d workbench.Draft
	path := fmt.Sprintf("/api/drafts/%d?store=%d", id, store.ID)
	w.Owner.Must("GET", path, nil, &d)
	w.Owner.Must("PATCH", path,
		map[string]any{"title": "Harbour mug", "chosen": []int64{d.Variants[0].ID},
			"prices": []map[string]any{{"variant_id": d.Variants[0].ID, "price": "31.50"}}}, nil)
	run := w.Publish(store.ID, id)
	whole(t, w, run, 1)
	item := run.Items[0]
	if item.URL == "" || item.Price == nil || item.Price.Decimal() != "31.50" {
		t.Fatalf("%+v", item)
	}
	answer, err := http.Get(item.URL)
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = answer.Body.Close() }()
	html, err := io.ReadAll(answer.Body)
	if err != nil {
		t.Fatal(err)
	}
	for _, shown := range []string{"Harbour mug", "31.50 USD", "/pictures/", d.Variants[0].Values[0]} {
		if !strings.Contains(string(html), shown) {
			t.Errorf("the storefront does not show %q", shown)
		}
	}
	var page publishing.ListingPage
	w.Owner.Must("GET", fmt.Sprintf("/api/listings?store=%d", store.ID), nil, &page)
	if l := page.Listings; len(l) != 1 || page.Total != 1 || l[0].URL != item.URL || l[0].Lowest.Decimal() != "31.50" ||
		l[0].Variants != 1 || !strings.Contains(l[0].OfferURL, "/p/QB-100000") || l[0].Profit == nil || l[0].Edited {
		t.Errorf("%+v", l)
	}
	again := w.Publish(store.ID, id)
	whole(t, w, again, 1)
	if again.Unchanged != 1 {
		t.Errorf("sent once more, it is %s", again.Items[0].State)
	}
	if again.Items[0].URL != item.URL {
		t.Errorf("published again it moved to %s", again.Items[0].URL)
	}
}

func TestWhatCannotGoOutFailsInPlainWords(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	w.Bazaar.SetDay(1)
	drafts := w.Take(w.Offer(gen.OverLimit), w.Offer(gen.Leaving), w.Offer(0))
	run := w.Publish(store.ID, drafts...)
	whole(t, w, run, 1)
	over, gone := run.Items[0], run.Items[1]
	if over.State != publish.LeftOut || over.Area != "variants" ||
		!strings.Contains(over.Reason, "144 variants are chosen; this store allows 100") {
		t.Errorf("%+v", over)
	}
	if gone.State != publish.LeftOut || gone.Area != "variants" ||
		!strings.Contains(gone.Reason, "has stopped selling this") {
		t.Errorf("%+v", gone)
	}
	var d workbench.Draft
	path := fmt.Sprintf("/api/drafts/%d?store=%d", over.DraftID, store.ID)
	w.Owner.Must("GET", path, nil, &d)
	few := []int64{}
	for _, v := range d.Variants[:90] {
		few = append(few, v.ID)
	}
	w.Owner.Must("PATCH", path, map[string]any{"chosen": few}, nil)
	w.Owner.Must("POST", fmt.Sprintf("/api/runs/%d/retry", run.ID), map[string]any{"item_ids": []int64{over.ID}}, nil)
	mended := w.RunEnds(run.ID)
	whole(t, w, mended, 2)
	if problem := w.Owner.Ask("POST", fmt.Sprintf("/api/runs/%d/retry", run.ID),
		map[string]any{"item_ids": []int64{over.ID}}, nil); problem == nil || problem.Status != 409 {
		t.Errorf("trying again what was published: %+v", problem)
	}
}

// TestFaultsOfTheStore runs once for each way in which the store misbehaves.
func TestFaultsOfTheStore(t *testing.T) {
	for name, plan := range map[string]fault.Plan{
		"asks to slow down":            {TooMany: 12, RetryAfter: 0},
		"cuts after creating":          {CutAfter: 3, Only: "POST /api/products"},
		"cuts every kind of request":   {CutAfter: 20},
		"is out of order now and then": {ErrorPercent: 30},
		"answers slowly":               {LatencyMS: 20, SlowBody: true},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			w := testkit.Start(t)
			store := w.Ready()
			drafts := sellable(t, w, store.ID, w.Take(places(w, 0, 8)...))
			w.Fault(w.ShopURL, plan)
			run := w.Publish(store.ID, drafts...)
			whole(t, w, run, len(drafts))
		})
	}
}

func TestAStoreThatStaysAwayLeavesNothingHalfDone(t *testing.T) {
	w := testkit.Start(t)
	w.App.Publishing.Pause = 10 * time.Millisecond
	w.App.Outgoing.Attempts = 2
	store := w.Ready()
	drafts := w.Take(w.Offer(0))
	w.Fault(w.ShopURL, fault.Plan{Down: true})
	run := w.Publish(store.ID, drafts...)
	if run.Failed != 1 || !strings.Contains(run.Items[0].Reason, "did not answer after several tries") {
		t.Errorf("%+v", run.Items[0])
	}
	w.Fault(w.ShopURL, fault.Plan{RevokeTokens: true})
	retry := func() testkit.RunInFull {
		w.Owner.Must("POST", fmt.Sprintf("/api/runs/%d/retry", run.ID),
			map[string]any{"item_ids": []int64{run.Items[0].ID}}, nil)
		return w.RunEnds(run.ID)
	}
	if again := retry(); again.Failed != 1 ||
		!strings.Contains(again.Items[0].Reason, "no longer lets us in. Connect it again") {
		t.Errorf("%+v", again.Items[0])
	}
	w.ConnectStore()
	whole(t, w, retry(), 1)
}

func TestWithTheMarketplaceDownDraftsStillGoOut(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	id := w.Take(w.Offer(0))[0]
	whole(t, w, w.Publish(store.ID, id), 1) // its pictures are kept from now on
	w.Fault(w.BazaarURL, fault.Plan{Down: true})
	run := w.Publish(store.ID, id)
	whole(t, w, run, 1)
	fresh := w.Publish(store.ID, w.Take(w.Offer(1))[0])
	if fresh.Failed != 1 || fresh.Items[0].Area != "pictures" ||
		!strings.Contains(fresh.Items[0].Reason, "cannot be had from the supplier") {
		t.Errorf("pictures that were never fetched: %+v", fresh.Items[0])
	}
}

func TestTwoInstancesPublishNothingTwice(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	w.Instance(w.App.Pool)
	drafts := sellable(t, w, store.ID, w.Take(places(w, 0, 20)...))
	whole(t, w, w.Publish(store.ID, drafts...), len(drafts))
}

func TestAProductRemovedInTheStoreIsMadeAnew(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	id := w.Take(w.Offer(0))[0]
	first := w.Publish(store.ID, id)
	session, err := w.App.Stores.Open(t.Context(), store.ID)
	if err != nil {
		t.Fatal(err)
	}
	if err := session.Remove(t.Context(), w.Shop.Products()[0].ID); err != nil {
		t.Fatal(err)
	}
	second := w.Publish(store.ID, id)
	whole(t, w, second, 1)
	if first.Items[0].URL == second.Items[0].URL {
		t.Error("it points at what was removed")
	}
}

func TestStoppingARun(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	drafts := sellable(t, w, store.ID, w.Take(places(w, 0, 20)...))
	w.Fault(w.ShopURL, fault.Plan{LatencyMS: 150})
	var run publishing.Run
	w.Owner.Must("POST", "/api/runs",
		testkit.RunOf(store.ID, drafts...), &run)
	w.Owner.Must("POST", fmt.Sprintf("/api/runs/%d/stop", run.ID), nil, nil)
	ended := w.RunEnds(run.ID)
	if ended.LeftOut == 0 || ended.Published == len(drafts) ||
		!strings.Contains(ended.Items[len(drafts)-1].Reason, "You stopped this run") {
		t.Errorf("%d published, %d left out", ended.Published, ended.LeftOut)
	}
	whole(t, w, ended, ended.Published)
}

func TestRunsThatCannotBegin(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	for words, body := range map[string]map[string]any{
		"That store is not connected": testkit.RunOf(99, 1),
		"are not here any more":       testkit.RunOf(store.ID, 4711),
		"Choose drafts":               testkit.RunOf(store.ID),
	} {
		problem := w.Owner.Ask("POST", "/api/runs", body, nil)
		if problem == nil || problem.Status != 422 ||
			!strings.Contains(problem.Detail+fmt.Sprint(problem.Errors), words) {
			t.Errorf("%s: %+v", words, problem)
		}
	}
}

func TestWasPricesGoOutAndAreHeldAgainstTheListingsOwnHistory(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	id := w.Take(w.Offer(0))[0]
	rules := w.MoneyRules(store.ID)
	rules.Rules[0].Was = markup.Was{Kind: markup.WasPercent, Percent: 250_000, Ending: rules.Rules[0].Ending}
	w.ApplyRules(store.ID, rules)
	draft := func() (d workbench.Draft) {
		w.Owner.Must("GET", fmt.Sprintf("/api/drafts/%d?store=%d", id, store.ID), nil, &d)
		return d
	}
	warning := func() string { return draft().Variants[0].WasWarning }
	if !strings.Contains(warning(), "has not been on sale yet") {
		t.Errorf("before it was ever sold: %q", warning())
	}
	run := w.Publish(store.ID, id)
	whole(t, w, run, 1)
	v := draft().Variants[0].Ladder
	if sent := w.Shop.Products()[0].Variants[0]; sent.WasPrice != v.Was.Decimal() || sent.WasPrice == "" {
		t.Errorf("the store has the was price %q, not %s", sent.WasPrice, v.Was)
	}
	var page publishing.ListingPage
	w.Owner.Must("GET", fmt.Sprintf("/api/listings?store=%d", store.ID), nil, &page)
	if l := page.Listings[0]; len(l.Trace) < 5 || l.Trace[len(l.Trace)-1].Words != "Profit" || l.Moved != 0 {
		t.Errorf("%+v", l)
	}
	if _, err := w.App.Pool.Exec(t.Context(), `update listing_price set at = at - interval '40 days'`); err != nil {
		t.Fatal(err)
	}
	if !strings.Contains(warning(), "lowest price of the last 30 days was "+v.Price.String()) {
		t.Errorf("sold at %s for 40 days: %q", v.Price, warning())
	}
	if _, err := w.App.Pool.Exec(t.Context(), `with history as (update listing_price set price = price * 2)
		update listing_variant set price = price * 2`); err != nil {
		t.Fatal(err)
	}
	if warning() != "" {
		t.Errorf("sold at twice the price for 40 days: %q", warning())
	}
	if err := w.App.Publishing.PricesMoved(t.Context(), w.App.Pool, store.ID, []int64{id}); err != nil {
		t.Fatal(err)
	}
	w.Owner.Must("GET", fmt.Sprintf("/api/listings?store=%d&state=moved", store.ID), nil, &page)
	if l := page.Listings; len(l) != 1 || l[0].Moved != l[0].Variants {
		t.Errorf("%+v", l)
	}
}
