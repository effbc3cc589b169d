package workbench_test

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"plainpelican/testkit"
	"plainpelican/workbench"
)

func priceMany(w *testkit.World, body map[string]any) (out workbench.BulkPriceResult) {
	w.Owner.Must("POST", "/api/drafts/prices", body, &out)
	return out
}

func pricesOf(w *testkit.World, store, id int64) (all []string) {
	var d workbench.Draft
	w.Owner.Must("GET", fmt.Sprintf("/api/drafts/%d?store=%d", id, store), nil, &d)
	for _, v := range d.Variants {
		typed := ""
		if v.Manual {
			typed = " typed"
		}
		all = append(all, v.Ladder.Price.Decimal()+typed)
	}
	return all
}

func TestManyPricesAtOnceAndUndoneAsOneStep(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	ids := w.Take(w.Offer(0), w.Offer(1))
	before := fmt.Sprint(pricesOf(w, store.ID, ids[0]), pricesOf(w, store.ID, ids[1]))
	body := func(act, value string, apply bool) map[string]any {
		return map[string]any{"store": store.ID, "drafts": ids, "act": act, "value": value, "end": true, "apply": apply}
	}
	seen := priceMany(w, body("raise_percent", "10", false))
	if seen.Rise != seen.Variants || seen.Bulk != 0 || seen.Lines[0].Then.Price.Minor()%100 != 99 ||
		fmt.Sprint(pricesOf(w, store.ID, ids[0]), pricesOf(w, store.ID, ids[1])) != before {
		t.Fatalf("only looked at: %+v", seen)
	}
	kept := priceMany(w, body("raise_percent", "10", true))
	after := fmt.Sprint(pricesOf(w, store.ID, ids[0]), pricesOf(w, store.ID, ids[1]))
	if kept.Bulk == 0 || strings.Count(after, "typed") != kept.Variants {
		t.Errorf("kept: %+v, prices are %s", kept, after)
	}
	// One draft's price is typed since: it stays, the other goes back. Words that were changed since stay too.
	var d workbench.Draft
	path := fmt.Sprintf("/api/drafts/%d?store=%d", ids[1], store.ID)
	w.Owner.Must("GET", path, nil, &d)
	w.Owner.Must("PATCH", path,
		map[string]any{"title": "Edited since",
			"prices": []map[string]any{{"variant_id": d.Variants[0].ID, "price": "77.00"}}}, nil)
	otherPath := fmt.Sprintf("/api/drafts/%d?store=%d", ids[0], store.ID)
	var other workbench.Draft
	w.Owner.Must("PATCH", otherPath,
		map[string]any{"title": "Words since", "tags": []string{"since"}}, nil)
	var undone workbench.UndoBulkResult
	w.Owner.Must("POST", fmt.Sprintf("/api/drafts/bulk/%d/undo", kept.Bulk), nil, &undone)
	if undone.Undone != 1 || undone.EditedSince != 1 ||
		strings.Contains(fmt.Sprint(pricesOf(w, store.ID, ids[0])), "typed") {
		t.Errorf("%+v, %v", undone, pricesOf(w, store.ID, ids[0]))
	}
	if w.Owner.Must("GET", otherPath, nil, &other); other.Title != "Words since" {
		t.Errorf("words that were changed since went back to %q", other.Title)
	}
	if released := priceMany(w, body("release", "", true)); released.Variants == 0 ||
		fmt.Sprint(pricesOf(w, store.ID, ids[0]), pricesOf(w, store.ID, ids[1])) != before {
		t.Errorf("released, prices are not the rules': %v", pricesOf(w, store.ID, ids[1]))
	}
	margin := priceMany(w,
		map[string]any{"store": store.ID, "drafts": ids, "act": "margin", "value": "40", "end": false, "apply": false})
	for _, l := range margin.Lines {
		if m := int64(l.Then.Margin); m < 399_000 || m > 401_000 {
			t.Errorf("a margin of 40 %% became %s", l.Then.Margin)
		}
	}
	if fallen := priceMany(w, body("raise_amount", "-14.00", false)); fallen.Fall == 0 || fallen.LosesMoney == 0 ||
		fallen.BelowFloor < fallen.LosesMoney {
		t.Errorf("lowered by 14 dollars: %+v", fallen)
	}
}

func TestAColumnOfPrices(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	id := w.Take(w.Offer(0))[0]
	n := len(pricesOf(w, store.ID, id))
	column := make([]string, n)
	column[0], column[1] = "$1,234.50", "19,95"
	body := map[string]any{"store": store.ID, "drafts": []int64{id}, "act": "column", "column": column, "end": false,
		"apply": true}
	out := priceMany(w, body)
	got := pricesOf(w, store.ID, id)
	if got[0] != "1234.50 typed" || got[1] != "19.95 typed" || (n > 2 && strings.Contains(got[2], "typed")) ||
		out.Skipped != n-2 {
		t.Errorf("%v, %+v", got, out)
	}
	body["column"] = append(column, "1.00")
	if problem := w.Owner.Ask("POST", "/api/drafts/prices", body, nil); problem == nil || problem.Status != 422 ||
		!strings.Contains(problem.Detail, fmt.Sprintf("has %d prices and %d variants", n+1, n)) {
		t.Errorf("a column too long: %+v", problem)
	}
	for value, act := range map[string]string{"ten": "raise_percent", "-100": "raise_percent", "100": "margin",
		"1.999": "raise_amount"} {
		if problem := w.Owner.Ask("POST", "/api/drafts/prices",
			map[string]any{"store": store.ID, "drafts": []int64{id}, "act": act, "value": value, "end": false,
				"apply": true}, nil); problem == nil || problem.Field() != "value" {
			t.Errorf("%s %s: %+v", act, value, problem)
		}
	}
}

func TestCollectionsAndTagsChangeThePriceByTheirRule(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	id := w.Take(w.Offer(0))[0]
	before := pricesOf(w, store.ID, id)
	rules := w.MoneyRules(store.ID)
	tagged := rules.Rules[0]
	tagged.ID, tagged.Conditions.Tags, tagged.Conditions.Collections = 2, []string{"summer"}, []string{"Garden"}
	tagged.Formula.Bands = append(tagged.Formula.Bands[:0:0], tagged.Formula.Bands...)
	tagged.Formula.Bands[0].Ratio *= 2
	rules.Rules = append(rules.Rules[:0:0], tagged, rules.Rules[0])
	if run := w.ApplyRules(store.ID, rules); run.Moved != 0 {
		t.Errorf("%d prices moved by a rule for tags that nothing has", run.Moved)
	}
	var d workbench.Draft
	path := fmt.Sprintf("/api/drafts/%d?store=%d", id, store.ID)
	w.Owner.Must("GET", path, nil, &d)
	w.Owner.Must("PATCH", path,
		map[string]any{"tags": []string{" summer ", "summer", "new"},
			"collections": []string{"Garden"}}, nil)
	w.Owner.Must("GET", path, nil, &d)
	if fmt.Sprint(d.Tags) != "[summer new]" || fmt.Sprint(pricesOf(w, store.ID, id)) == fmt.Sprint(before) ||
		d.Variants[0].Ladder.Rule != 2 {
		t.Errorf("%v, %v", d.Tags, pricesOf(w, store.ID, id))
	}
	w.Owner.Must("POST", fmt.Sprintf("/api/drafts/%d/undo?store=%d", id, store.ID), nil, &d)
	if len(d.Tags) != 0 || fmt.Sprint(pricesOf(w, store.ID, id)) != fmt.Sprint(before) {
		t.Errorf("undone: %v, %v", d.Tags, pricesOf(w, store.ID, id))
	}
}

// More people than the pool has connections edit at once: each edit prices its draft by the
// connection it has, and none waits for another's.
func TestManyEditsAtOnceDoNotWaitForEachOther(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	var offers []int64
	for place := range 40 {
		offers = append(offers, w.Offer(place))
	}
	ids := w.Take(offers...)
	ctx, cancel := context.WithTimeout(t.Context(), 30*time.Second)
	defer cancel()
	failed := make(chan error, len(ids))
	for _, id := range ids {
		go func() {
			title := "Edited together"
			_, err := w.App.Workbench.Edit(ctx, id, store.ID, workbench.EditInput{Title: &title})
			failed <- err
		}()
	}
	for range ids {
		if err := <-failed; err != nil {
			t.Fatal(err)
		}
	}
}

// A price that is typed in one store is undone there, and never from another.
func TestUndoOfAPriceStaysInItsStore(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	nord := w.ConnectNord()
	id := w.Take(w.Offer(0))[0]
	at := func(store int64) (d workbench.Draft) {
		t.Helper()
		w.Owner.Must("GET", fmt.Sprintf("/api/drafts/%d?store=%d", id, store), nil, &d)
		return d
	}
	typed := func(store int64, price string) {
		t.Helper()
		d := at(store)
		w.Owner.Must("PATCH", fmt.Sprintf("/api/drafts/%d?store=%d", id, store),
			map[string]any{"prices": []map[string]any{{"variant_id": d.Variants[0].ID, "price": price}}}, nil)
	}
	typed(1, "44.00")
	typed(nord.ID, "55.00")
	if undo := at(1).Undo; undo != "price" {
		t.Errorf("in the first store %q can be undone", undo)
	}
	w.Owner.Must("POST", fmt.Sprintf("/api/drafts/%d/undo?store=1", id), nil, nil)
	if one, two := at(1).Variants[0], at(nord.ID).Variants[0]; one.Manual || !two.Manual ||
		two.Ladder.Price.Decimal() != "55.00" {
		t.Errorf("undone in the first store: %v, %v", one.Ladder.Price, two.Ladder.Price)
	}
	if problem := w.Owner.Ask("POST", fmt.Sprintf("/api/drafts/%d/undo?store=1", id), nil, nil); problem == nil ||
		problem.Status != 409 {
		t.Errorf("the other store's was undone from the first: %+v", problem)
	}
}
