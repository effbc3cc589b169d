package workbench_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"plainpelican/core/bulk"
	"plainpelican/core/edit"
	"plainpelican/testkit"
	"plainpelican/workbench"
)

// twoOptions is a draft whose variants are all combinations of two options, of two values and more each.
func twoOptions(t *testing.T, w *testkit.World) workbench.Draft {
	t.Helper()
	for i := range 40 {
		ids := w.Take(w.Offer(i))
		if len(ids) == 0 {
			continue
		}
		d := draftOf(w, 0, ids[0])
		if len(d.Options) == 2 && len(d.Options[0].Values) > 1 && len(d.Options[1].Values) > 1 &&
			len(d.Variants) == len(d.Options[0].Values)*len(d.Options[1].Values) {
			return d
		}
	}
	t.Fatal("no offer has two options")
	return workbench.Draft{}
}

func TestOptionsAreReshaped(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	d := twoOptions(t, w)
	path := fmt.Sprintf("/api/drafts/%d/reshape?store=%d", d.ID, store.ID)
	reshape := func(body map[string]any) (out workbench.ReshapeResult) {
		w.Owner.Must("POST", path, body, &out)
		return out
	}
	sizes := len(d.Options[1].Values)
	colours := len(d.Options[0].Values)
	undo := func() {
		t.Helper()
		var back workbench.Draft
		w.Owner.Must("POST", fmt.Sprintf("/api/drafts/%d/undo?store=%d", d.ID, store.ID), nil, &back)
		now := draftOf(w, 0, d.ID)
		if fmt.Sprint(now.Options) != fmt.Sprint(d.Options) || len(now.Variants) != len(d.Variants) ||
			len(now.Dropped) != 0 {
			t.Errorf("undone it is %+v", now)
		}
		for i, v := range now.Variants {
			if v.ID != d.Variants[i].ID || v.MadeSKU != d.Variants[i].MadeSKU {
				t.Errorf("variant %d was %d", v.ID, d.Variants[i].ID)
			}
		}
	}
	t.Run("an option is dropped, and of those alike one stays", func(t *testing.T) {
		seen := reshape(map[string]any{"act": "drop_option", "option": 1, "prefer": "best_stocked"})
		if len(seen.Alike) != colours || len(seen.Alike[0].Variants) != sizes || seen.Draft != nil {
			t.Fatalf("%+v", seen)
		}
		for _, group := range seen.Alike {
			for _, v := range group.Variants {
				if kept := group.Variants[slices.IndexFunc(group.Variants, func(o workbench.AlikeVariant) bool {
					return o.ID == group.Keeps
				})]; v.Stock > kept.Stock {
					t.Errorf("%d of %s stays, and there are %d of %s", kept.Stock, kept.Name, v.Stock, v.Name)
				}
			}
		}
		last := seen.Alike[0].Variants[sizes-1].ID
		made := reshape(map[string]any{"act": "drop_option", "option": 1, "variants": []int64{last}, "apply": true})
		if len(made.Draft.Options) != 1 || len(made.Draft.Variants) != colours || made.Draft.Variants[0].ID != last ||
			len(made.Draft.Dropped) != len(d.Variants)-colours || made.Draft.Variants[0].Ladder == nil {
			t.Errorf("%+v", made.Draft)
		}
		// One that was left out comes back where it differs, and not where it does not.
		problem := w.Owner.Ask("POST", path, map[string]any{"act": "bring_back", "apply": true,
			"variants": []int64{made.Draft.Dropped[0].ID}}, nil)
		if problem != nil { // it is one of those alike: it stays left out
			t.Errorf("%+v", problem)
		}
		undoTo := draftOf(w, 0, d.ID)
		if len(undoTo.Variants) != colours {
			t.Errorf("%d variants", len(undoTo.Variants))
		}
		w.Owner.Must("POST", fmt.Sprintf("/api/drafts/%d/undo?store=%d", d.ID, store.ID), nil, nil)
		undo()
	})
	t.Run("values are merged", func(t *testing.T) {
		made := reshape(map[string]any{"act": "merge_values", "option": 0, "value": 1, "to": 0, "apply": true})
		if len(made.Draft.Options[0].Values) != colours-1 || len(made.Draft.Variants) != len(d.Variants)-sizes {
			t.Errorf("%+v", made.Draft)
		}
		undo()
	})
	t.Run("order", func(t *testing.T) {
		made := reshape(map[string]any{"act": "move_option", "option": 0, "to": 1, "apply": true})
		if made.Draft.Options[1].Name != d.Options[0].Name || made.Draft.Variants[0].MadeSKU != d.Variants[0].MadeSKU {
			t.Errorf("%+v", made.Draft)
		}
		undo()
	})
	t.Run("variants are left out and go to the store without", func(t *testing.T) {
		made := reshape(map[string]any{"act": "drop_variants", "variants": []int64{d.Variants[0].ID}, "apply": true})
		if len(made.Draft.Variants) != len(d.Variants)-1 || len(made.Draft.Dropped) != 1 {
			t.Errorf("%+v", made.Draft)
		}
		w.Publish(store.ID, d.ID)
		if got := len(w.Shop.Products()[0].Variants); got != len(d.Variants)-1 {
			t.Errorf("%d variants are in the store", got)
		}
		back := reshape(map[string]any{"act": "bring_back", "variants": []int64{d.Variants[0].ID}, "apply": true})
		if len(back.Draft.Variants) != len(d.Variants) || back.Draft.Variants[0].Ladder == nil {
			t.Errorf("%+v", back.Draft)
		}
	})
	for name, body := range map[string]map[string]any{
		"no such option":        {"act": "drop_option", "option": 9},
		"a value with itself":   {"act": "merge_values", "option": 0},
		"nothing between":       {"act": "split_values", "option": 0, "first": "a", "second": "b"},
		"values that are one":   {"act": "split_values", "option": 0, "separator": "§", "first": "a", "second": "b"},
		"no such act":           {"act": "explode"},
		"one name for both two": {"act": "split_values", "option": 0, "separator": " ", "first": "a", "second": "A"},
	} {
		t.Run(name, func(t *testing.T) {
			if problem := w.Owner.Ask("POST", path, body, nil); problem == nil || problem.Status != 422 {
				t.Errorf("%+v", problem)
			}
		})
	}
}

func TestADraftIsSplitAndBackAsOneStep(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	d := twoOptions(t, w)
	w.Owner.Must("PATCH", fmt.Sprintf("/api/drafts/%d?store=%d", d.ID, store.ID), map[string]any{"title": "Camp mug",
		"tags": []string{"camp"}, "prices": []map[string]any{{"variant_id": d.Variants[len(d.Variants)-1].ID,
			"price": "77.00"}}}, nil)
	before := list(w, "").Total
	var out workbench.SplitResult
	w.Owner.Must("POST", fmt.Sprintf("/api/drafts/%d/split", d.ID), map[string]any{"option": 0}, &out)
	colours := d.Options[0].Values
	if len(out.Drafts) != len(colours) || list(w, "").Total != before+len(colours)-1 {
		t.Fatalf("%+v", out)
	}
	bought := map[string]bool{}
	for i, id := range out.Drafts {
		one := draftOf(w, store.ID, id)
		if one.Title != "Camp mug, "+colours[i].Name || len(one.Options) != 1 || fmt.Sprint(one.Tags) != "[camp]" ||
			len(one.Variants) != len(d.Options[1].Values) || one.OfferID != d.OfferID {
			t.Errorf("%+v", one)
		}
		for _, v := range one.Variants {
			bought[v.SupplierBarcode] = true
			if v.Ladder == nil {
				t.Errorf("%s has no price: %s", one.Title, v.NoPrice)
			}
		}
	}
	if len(bought) != len(d.Variants) {
		t.Errorf("%d offer variants are bought, of %d", len(bought), len(d.Variants))
	}
	last := draftOf(w, store.ID, out.Drafts[len(out.Drafts)-1])
	if v := last.Variants[len(last.Variants)-1]; !v.Manual || v.Ladder.Price.Decimal() != "77.00" {
		t.Errorf("the manual price stayed behind: %+v", v)
	}
	w.Owner.Must("POST", fmt.Sprintf("/api/drafts/bulk/%d/undo", out.Bulk), nil, nil)
	if now := draftOf(w, store.ID, d.ID); list(w, "").Total != before || now.Title != "Camp mug" ||
		len(now.Variants) != len(d.Variants) {
		t.Errorf("%d drafts, %+v", list(w, "").Total, now)
	}
}

func TestADiscardedDraftIsBroughtBack(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	ids := w.Take(w.Offer(0), w.Offer(1))
	path := fmt.Sprintf("/api/drafts/%d?store=%d", ids[0], store.ID)
	w.Owner.Must("PATCH", path, map[string]any{"title": "Mine"}, nil)
	both := change(w, bulk.Change{Act: bulk.AddTags, Names: []string{"both"}}, true, ids...)
	w.Owner.Must("DELETE", path, nil, nil)
	// A change of many is made, and undone, in those that are left.
	more := change(w, bulk.Change{Act: bulk.SetText, Field: edit.Type, Text: "Mug"}, true, ids...)
	var undone workbench.UndoBulkResult
	w.Owner.Must("POST", fmt.Sprintf("/api/drafts/bulk/%d/undo", both.Bulk), nil, &undone)
	if more.Changed != 1 || undone.Undone != 1 || undone.EditedSince != 1 {
		t.Errorf("%+v %+v", more, undone)
	}
	if page := list(w, ""); page.Total != 1 || page.Drafts[0].ID != ids[1] {
		t.Errorf("%+v", page)
	}
	if problem := w.Owner.Ask("PATCH", path, map[string]any{"title": "No"}, nil); problem == nil ||
		!strings.Contains(problem.Detail, "was discarded") {
		t.Errorf("%+v", problem)
	}
	// The offer can be taken anew, and the draft brought back beside it.
	if again := w.Take(w.Offer(0)); len(again) != 1 || again[0] == ids[0] {
		t.Errorf("taken: %v", again)
	}
	w.Owner.Must("PATCH", path, map[string]any{"bring_back": true}, nil)
	if d := draftOf(w, store.ID, ids[0]); d.Discarded || d.Title != "Mine" || d.Variants[0].Ladder == nil {
		t.Errorf("%+v", d)
	}
	if err := w.App.Workbench.Prune(t.Context()); err != nil || list(w, "").Total != 3 {
		t.Errorf("%v, %d drafts", err, list(w, "").Total)
	}
}
