package workbench_test

import (
	"fmt"
	"net/url"
	"slices"
	"strings"
	"testing"

	"plainpelican/core/bulk"
	"plainpelican/core/edit"
	"plainpelican/core/readiness"
	"plainpelican/core/words"
	"plainpelican/standins/shop"
	"plainpelican/testkit"
	"plainpelican/workbench"
)

func change(w *testkit.World, c bulk.Change, apply bool, drafts ...int64) (out workbench.BulkResult) {
	w.Owner.Must("POST", "/api/drafts/change", map[string]any{"drafts": drafts, "change": c, "apply": apply}, &out)
	return out
}

func draftOf(w *testkit.World, store, id int64) (d workbench.Draft) {
	w.Owner.Must("GET", fmt.Sprintf("/api/drafts/%d?store=%d", id, store), nil, &d)
	return d
}

func list(w *testkit.World, query string) (page workbench.Page) {
	w.Owner.Must("GET", "/api/drafts?"+query, nil, &page)
	return page
}

func idsOf(page workbench.Page) (ids []int64) {
	for _, d := range page.Drafts {
		ids = append(ids, d.ID)
	}
	return ids
}

func TestManyDraftsAreChangedAsOneStep(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	ids := w.Take(w.Offer(0), w.Offer(1), w.Offer(2))
	w.Owner.Must("PATCH", fmt.Sprintf("/api/drafts/%d", ids[0]),
		map[string]any{"title": "NEW Camp Mug HOT SALE", "collections": []string{"Camp"}}, nil)
	w.Owner.Must("PATCH", fmt.Sprintf("/api/drafts/%d", ids[1]), map[string]any{"title": "Camp kettle"}, nil)

	t.Run("it is looked at first", func(t *testing.T) {
		seen := change(w, bulk.Change{Act: bulk.AddCollections, Names: []string{" camp ", "Garden"}}, false, ids...)
		first := seen.Lines[0]
		if seen.Changed != 3 || seen.Bulk != 0 || first.Before != "Camp" || first.After != "Camp, Garden" {
			t.Errorf("%+v", seen)
		}
		if d := draftOf(w, 0, ids[1]); len(d.Collections) != 0 {
			t.Errorf("it was made: %v", d.Collections)
		}
	})
	t.Run("what is left out stays", func(t *testing.T) {
		var out workbench.BulkResult
		w.Owner.Must("POST", "/api/drafts/change", map[string]any{"drafts": ids, "except": ids[2:], "apply": true,
			"change": bulk.Change{Act: bulk.AddCollections, Names: []string{"Garden"}}}, &out)
		if out.Changed != 2 || len(draftOf(w, 0, ids[2]).Collections) != 0 {
			t.Errorf("%+v", out)
		}
		var undone workbench.UndoBulkResult
		w.Owner.Must("POST", fmt.Sprintf("/api/drafts/bulk/%d/undo", out.Bulk), nil, &undone)
		if d := draftOf(w, 0, ids[0]); undone.Undone != 2 || !slices.Equal(d.Collections, []string{"Camp"}) {
			t.Errorf("%+v %v", undone, d.Collections)
		}
	})
	t.Run("titles are tidied", func(t *testing.T) {
		out := change(w, bulk.Change{Act: bulk.Tidy, Field: edit.Title}, true, ids[:2]...)
		if d := draftOf(w, 0, ids[0]); out.Changed != 1 || out.Unchanged != 1 || d.Title != "Camp Mug" {
			t.Errorf("%+v %q", out, d.Title)
		}
	})
	t.Run("a word is found and replaced, as a whole word", func(t *testing.T) {
		out := change(w, bulk.Change{Act: bulk.ReplaceText, Field: edit.Title, Text: "camp", With: "Trail",
			WholeWords: true}, true, ids[:2]...)
		if out.Changed != 2 || draftOf(w, 0, ids[1]).Title != "Trail kettle" {
			t.Errorf("%+v", out)
		}
	})
	t.Run("a pattern that cannot be filled leaves its draft", func(t *testing.T) {
		out := change(w,
			bulk.Change{Act: bulk.FillPattern, Field: edit.SearchTitle, Text: "{title} of {vendor}"}, false, ids...)
		if out.Stays != 3 || out.Lines[0].Note != "Not known: vendor." {
			t.Errorf("%+v", out)
		}
	})
	t.Run("a footer is added once, as safe HTML", func(t *testing.T) {
		footer := bulk.Change{Act: bulk.AddFooter, Text: "<p>Packed by hand.<script>alert(1)</script></p>"}
		change(w, footer, true, ids...)
		out := change(w, footer, true, ids...)
		d := draftOf(w, 0, ids[0])
		if out.Unchanged != 3 || !strings.HasSuffix(d.Description, "<p>Packed by hand.</p>") {
			t.Errorf("%+v %s", out, d.Description)
		}
	})
	for name, c := range map[string]struct {
		change bulk.Change
		field  string
	}{
		"no such act":             {bulk.Change{Act: "explode"}, "change.act"},
		"nothing to look for":     {bulk.Change{Act: bulk.ReplaceText, Field: edit.Title}, "change.text"},
		"a pattern left open":     {bulk.Change{Act: bulk.FillPattern, Field: edit.Title, Text: "{a"}, "change.text"},
		"no names":                {bulk.Change{Act: bulk.AddTags, Names: []string{" "}}, "change.names"},
		"no text to change":       {bulk.Change{Act: bulk.SetText}, "change.field"},
		"a vendor is not tidied":  {bulk.Change{Act: bulk.Tidy, Field: edit.Vendor}, "change.field"},
		"a fact that there isn't": {bulk.Change{Act: bulk.FillSKUs, Text: "{"}, "change.text"},
	} {
		t.Run(name, func(t *testing.T) {
			problem := w.Owner.Ask("POST", "/api/drafts/change", map[string]any{"drafts": ids, "change": c.change}, nil)
			if problem == nil || problem.Status != 422 || problem.Field() != c.field {
				t.Errorf("%+v", problem)
			}
		})
	}
}

func TestSKUs(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	ids := w.Take(w.Offer(0), w.Offer(1))
	first := draftOf(w, 0, ids[0])
	pattern := func(text string) workbench.BulkResult {
		return change(w, bulk.Change{Act: bulk.FillSKUs, Text: text}, true, ids...)
	}
	if out := pattern("SAME"); out.Stays == 0 && len(first.Variants) > 1 {
		t.Errorf("two variants of one SKU: %+v", out)
	}
	if out := pattern("M{number}-{n}"); out.Changed != 2 {
		t.Fatalf("%+v", out)
	}
	d := draftOf(w, 0, ids[0])
	if want := fmt.Sprintf("M%d-1", ids[0]); d.Variants[0].SKU != want {
		t.Errorf("%q, want %q", d.Variants[0].SKU, want)
	}
	// Another draft cannot have the same, and two variants of one may change theirs.
	set := func(id int64, codes ...map[string]any) *testkit.Problem {
		return w.Owner.Ask("PATCH", fmt.Sprintf("/api/drafts/%d", id), map[string]any{"codes": codes}, nil)
	}
	other := draftOf(w, 0, ids[1])
	problem := set(ids[1],
		map[string]any{"variant_id": other.Variants[0].ID, "sku": strings.ToLower(d.Variants[0].SKU)})
	if problem == nil || problem.Status != 409 || problem.Field() != "codes" {
		t.Errorf("a SKU of another draft: %+v", problem)
	}
	if problem := set(ids[0], map[string]any{"variant_id": d.Variants[0].ID, "sku": "P12-3"}); problem == nil {
		t.Error("a SKU as they are made by themselves is taken")
	}
	if len(d.Variants) > 1 {
		a, b := d.Variants[0], d.Variants[1]
		if problem := set(ids[0], map[string]any{"variant_id": a.ID, "sku": b.SKU},
			map[string]any{"variant_id": b.ID, "sku": a.SKU}); problem != nil {
			t.Errorf("two that change places: %+v", problem)
		}
		if now := draftOf(w, 0, ids[0]); now.Variants[0].SKU != b.SKU || now.Variants[1].SKU != a.SKU {
			t.Errorf("%+v", now.Variants[:2])
		}
	}
	// A barcode is kept, and its check digit looked at. Source: GS1's own example is 629104150021 with check digit 3.
	wrong := map[string]any{"variant_id": d.Variants[0].ID, "barcode": "6291041500214"}
	if problem := set(ids[0], wrong); problem != nil {
		t.Fatal(problem)
	}
	if report := draftOf(w, 0, ids[0]).Report; !slices.ContainsFunc(report.Findings, says("check digit would be 3")) {
		t.Errorf("%+v", report.Findings)
	}
}

func TestTraysAndTheFilterOfDrafts(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	ids := w.Take(w.Offer(0), w.Offer(1), w.Offer(2))
	var summer, later workbench.Tray
	w.Owner.Must("POST", "/api/trays", map[string]any{"name": " Summer  list "}, &summer)
	w.Owner.Must("POST", "/api/trays", map[string]any{"name": "Later", "aside": true}, &later)
	problem := w.Owner.Ask("POST", "/api/trays", map[string]any{"name": "summer list"}, nil)
	if problem == nil || problem.Field() != "name" {
		t.Errorf("%+v", problem)
	}
	change(w, bulk.Change{Act: bulk.MoveToTray, Number: summer.ID}, true, ids[0])
	change(w, bulk.Change{Act: bulk.MoveToTray, Number: later.ID}, true, ids[1])
	w.Owner.Must("PATCH", fmt.Sprintf("/api/drafts/%d", ids[2]), map[string]any{"title": "Brass lantern",
		"type": "Lamp", "tags": []string{"garden"}, "collections": []string{"Outside"}}, nil)
	w.Owner.Must("PATCH", fmt.Sprintf("/api/drafts/%d", ids[0]), map[string]any{"title": ""}, nil)
	supplier := draftOf(w, 0, ids[0]).Supplier
	for name, c := range map[string]struct {
		query string
		want  []int64
	}{
		"what is put aside is left out":  {"", []int64{ids[2], ids[0]}},
		"unless its tray is asked for":   {fmt.Sprint("tray=", later.ID), []int64{ids[1]}},
		"in no tray":                     {"tray=-1", []int64{ids[2]}},
		"words":                          {"words=LANTERN+brass", []int64{ids[2]}},
		"a tag":                          {"tag=garden&tag=none-has-it", []int64{ids[2]}},
		"no tag":                         {"tag=" + url.QueryEscape(workbench.None), []int64{ids[0]}},
		"a type":                         {"type=Lamp", []int64{ids[2]}},
		"a collection":                   {"collection=Outside", []int64{ids[2]}},
		"a supplier":                     {"supplier=" + url.QueryEscape(supplier), nil},
		"live in a store":                {fmt.Sprint("live=yes&store=", store.ID), []int64{}},
		"not live":                       {fmt.Sprint("live=no&store=", store.ID), []int64{ids[2], ids[0]}},
		"its description stops it":       {fmt.Sprint("state=description&store=", store.ID), []int64{ids[0]}},
		"of little profit":               {fmt.Sprint("profit_under=100000&store=", store.ID), []int64{ids[2], ids[0]}},
		"all earn more":                  {fmt.Sprint("profit_under=0.01&store=", store.ID), []int64{}},
		"of another page":                {fmt.Sprint("limit=1&before=", ids[2]), []int64{ids[0]}},
		"a quote mark is but a mark":     {"words=%27%3B--", []int64{}},
		"edited today":                   {"edited=day", []int64{ids[2], ids[0]}},
		"from a source that there isn't": {"source=9999", []int64{}},
	} {
		t.Run(name, func(t *testing.T) {
			page := list(w, c.query)
			got := idsOf(page)
			if c.want == nil { // among others
				if !slices.Contains(got, ids[0]) {
					t.Errorf("%v", got)
				}
				return
			}
			if !slices.Equal(got, c.want) && len(got)+len(c.want) > 0 {
				t.Errorf("%v, want %v", got, c.want)
			}
		})
	}
	if page := list(w, ""); page.Total != 2 || page.Aside != 1 {
		t.Errorf("%d drafts, %d aside", page.Total, page.Aside)
	}
	problem = w.Owner.Ask("GET", fmt.Sprint("/api/drafts?profit_under=much&store=", store.ID), nil, nil)
	if problem == nil || problem.Field() != "profit_under" {
		t.Errorf("%+v", problem)
	}
	// The trays change places; one that is removed leaves its drafts.
	w.Owner.Must("PATCH", fmt.Sprint("/api/trays/", later.ID), map[string]any{"position": 0}, nil)
	var trays []workbench.Tray
	w.Owner.Must("GET", "/api/trays", nil, &trays)
	if len(trays) != 2 || trays[0].ID != later.ID || trays[0].Drafts != 1 {
		t.Errorf("%+v", trays)
	}
	w.Owner.Must("DELETE", fmt.Sprint("/api/trays/", later.ID), nil, nil)
	if page := list(w, ""); page.Total != 3 {
		t.Errorf("%d drafts", page.Total)
	}
	if problem := w.Owner.Ask("PATCH", fmt.Sprintf("/api/drafts/%d", ids[0]), map[string]any{"tray": later.ID},
		nil); problem == nil || problem.Status != 409 {
		t.Errorf("into a tray that is gone: %+v", problem)
	}
}

func TestUndoIsRedoneAndHistoryTellsWhoDidWhat(t *testing.T) {
	w, olga, ed := shared(t)
	titles := []string{olga.get().Title, "One", "Two"}
	for _, title := range titles[1:] {
		olga.mustEdit(map[string]any{"title": title})
	}
	step := func(p *testkit.Person, act, want string) {
		t.Helper()
		var d workbench.Draft
		p.Must("POST", strings.Replace(olga.path, "?", "/"+act+"?", 1), nil, &d)
		if d.Title != want {
			t.Errorf("after %s it is called %q, want %q", act, d.Title, want)
		}
	}
	step(w.Owner, "undo", titles[1])
	step(w.Owner, "undo", titles[0])
	step(w.Owner, "redo", titles[1])
	step(w.Owner, "redo", titles[2])
	step(w.Owner, "undo", titles[1])
	if d := olga.get(); d.Redo != "title" || d.Undo != "title" {
		t.Errorf("undo %q, redo %q", d.Undo, d.Redo)
	}
	// Another person has nothing to redo; an edit of one's own leaves nothing to redo.
	if problem := ed.Ask("POST", strings.Replace(olga.path, "?", "/redo?", 1), nil, nil); problem == nil ||
		problem.Status != 409 {
		t.Errorf("%+v", problem)
	}
	olga.mustEdit(map[string]any{"tags": []string{"x"}})
	if d := olga.get(); d.Redo != "" {
		t.Errorf("redo %q", d.Redo)
	}
	ed.Must("PATCH", olga.path, map[string]any{"vendor": "Ed & Co"}, nil)
	var h workbench.History
	w.Owner.Must("GET", strings.Replace(olga.path, "?", "/history?", 1), nil, &h)
	last := h.Entries[0]
	if last.Member != "Ed" || last.What != "vendor" || len(last.Changes) != 1 || last.Changes[0].After != "Ed & Co" ||
		len(h.Entries) != 9 || h.Entries[8].Changes[0].Before != titles[0] {
		t.Errorf("%+v", h.Entries)
	}
}

func TestWordsThatMayNotBeUsed(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	id := w.Take(w.Offer(0))[0]
	var wording workbench.Wording
	w.Owner.Must("GET", "/api/wording", nil, &wording)
	if !wording.Standard || len(wording.Noise) < 20 {
		t.Errorf("%+v", wording)
	}
	wording.Unwanted = []words.Unwanted{{Text: "miracle", Stops: true}, {Text: "Miracle "}, {Text: "steel"}}
	wording.Noise = []string{"camp", "camp", " "}
	put := wording
	wording = workbench.Wording{}
	w.Owner.Must("PUT", "/api/wording", put, &wording)
	if wording.Standard || len(wording.Unwanted) != 2 || len(wording.Noise) != 1 {
		t.Errorf("%+v", wording)
	}
	var edited workbench.Edited
	w.Owner.Must("PATCH", fmt.Sprintf("/api/drafts/%d", id),
		map[string]any{"title": "A miracle camp mug of steel"}, &edited)
	if !slices.ContainsFunc(edited.Readiness.Findings, says("“miracle” is on your list")) {
		t.Errorf("%+v", edited.Readiness.Findings)
	}
	if d := draftOf(w, 0, id); d.Report.Ready || !slices.ContainsFunc(d.Report.Findings, says("“steel” is on")) {
		t.Errorf("%+v", d.Report)
	}
	var tidied workbench.Tidied
	w.Owner.Must("GET", fmt.Sprintf("/api/drafts/%d/tidy", id), nil, &tidied)
	if got := words.Compose(tidied.Title, nil); got != "A miracle mug of steel" || tidied.Wording.Share != 100 {
		t.Errorf("%q, %+v", got, tidied.Wording)
	}
	w.Owner.Must("DELETE", "/api/wording", nil, &wording)
	if len(wording.Noise) < 20 || len(wording.Unwanted) != 2 {
		t.Errorf("%+v", wording)
	}
}

func TestAStoreHasWordsOfItsOwn(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	id := w.Take(w.Offer(0))[0]
	path := fmt.Sprintf("/api/drafts/%d?store=%d", id, store.ID)
	w.Owner.Must("PATCH", path, map[string]any{"title": "Shared title", "own_title": "A title for here",
		"vendor": "Marsh & Daughters", "type": "Mug", "collections": []string{"Camp"}, "search_title": "Found title",
		"search_description": "Found description", "reserve": 2}, nil)
	d := draftOf(w, store.ID, id)
	if d.Title != "Shared title" || d.Own.Title != "A title for here" || draftOf(w, 0, id).Own.Title != "" {
		t.Errorf("%+v", d.Own)
	}
	w.Publish(store.ID, id)
	products := w.Shop.Products()
	if len(products) != 1 {
		t.Fatalf("%d products", len(products))
	}
	p := products[0]
	want := shop.Product{Title: "A title for here", Vendor: "Marsh & Daughters", Type: "Mug",
		Collections: []string{"Camp"}, SearchTitle: "Found title", SearchDescription: "Found description"}
	if p.Title != want.Title || p.Vendor != want.Vendor || p.Type != want.Type || p.SearchTitle != want.SearchTitle ||
		p.SearchDescription != want.SearchDescription || !slices.Equal(p.Collections, want.Collections) {
		t.Errorf("%+v", p)
	}
	if got := p.Variants[0].Stock; got != max(0, d.Variants[0].Stock-2) {
		t.Errorf("it shows %d of %d", got, d.Variants[0].Stock)
	}
	// Back to what the supplier says, in one step, and back again.
	w.Owner.Must("PATCH", path, map[string]any{"restore": []string{"title", "description", "options", "pictures"}}, nil)
	if now := draftOf(w, store.ID, id); now.Title != now.OfferTitle {
		t.Errorf("%q, the supplier's is %q", now.Title, now.OfferTitle)
	}
	var undone workbench.Draft
	w.Owner.Must("POST", strings.Replace(path, "?", "/undo?", 1), nil, &undone)
	if undone.Title != "Shared title" {
		t.Errorf("%q", undone.Title)
	}
}

// says finds a finding by a part of its sentence.
func says(part string) func(readiness.Finding) bool {
	return func(f readiness.Finding) bool { return strings.Contains(f.Words, part) }
}

func TestADraftAssumesTheDeliveryThatWasChosen(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	id := w.Take(w.Offer(0))[0]
	path := fmt.Sprintf("/api/drafts/%d?store=%d", id, store.ID)
	before := draftOf(w, store.ID, id)
	at := slices.IndexFunc(before.Services, func(s workbench.DeliveryChoice) bool { return s.Name != before.Delivery })
	if at < 0 {
		t.Fatalf("there is one delivery alone: %+v", before.Services)
	}
	other := before.Services[at].Name
	w.Owner.Must("PATCH", path, map[string]any{"delivery": other}, nil)
	after := draftOf(w, store.ID, id)
	if after.Delivery != other || after.Service != other ||
		after.Variants[0].Ladder.Shipping.Minor() == before.Variants[0].Ladder.Shipping.Minor() {
		t.Errorf("it assumes %s: %+v", after.Delivery, after.Variants[0].Ladder)
	}
	// One that does not reach the market, or is not there any more, leaves it to the rules.
	out := change(w, bulk.Change{Act: bulk.SetText, Field: edit.Delivery, Text: "By balloon"}, true, id)
	if d := draftOf(w, store.ID, id); out.Changed != 1 || d.Delivery != before.Delivery || d.Service != "By balloon" {
		t.Errorf("%+v %s", out, d.Delivery)
	}
}
