package workbench_test

import (
	"fmt"
	"reflect"
	"slices"
	"strings"
	"testing"

	"plainpelican/core/variant"
	"plainpelican/media"
	"plainpelican/publishing"
	"plainpelican/testkit"
	"plainpelican/workbench"
)

func (b bench) swapPath(look bool) string {
	path := strings.Replace(b.path, "?", "/swap?", 1)
	if look {
		path = strings.Replace(b.path, "?", "/swap/preview?", 1)
	}
	return path
}

func (b bench) look(swap map[string]any) (s workbench.SwapPreview) {
	b.t.Helper()
	b.w.Owner.Must("POST", b.swapPath(true), swap, &s)
	return s
}

// The first offers of the made-up marketplace are one mug: the second supplier calls its colours A, B
// and C, so that pictures must tell which is which.
func TestTheSupplierOfADraftIsSwapped(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	first, second := w.Offer(0), w.Offer(1)
	b := take(t, w, store.ID, first)
	testkit.Until(t, "its pictures", func() bool { // which are served from elsewhere once they are fetched
		return !slices.ContainsFunc(b.get().Pictures, func(p workbench.Picture) bool {
			return !strings.HasPrefix(p.Path, "/pictures/")
		})
	})
	d := b.mustEdit(map[string]any{"title": "A mug of my own", "pictures": reversed(b.get().Pictures)})
	d = b.mustEdit(map[string]any{"prices": []map[string]any{{"variant_id": d.Variants[0].ID, "price": "39.00"}}})

	swap := b.look(map[string]any{"offer_id": second})
	if swap.Before.Supplier != d.Supplier || swap.After.Supplier == d.Supplier || swap.After.OnTime == nil ||
		swap.After.Door == "" {
		t.Errorf("%+v, then %+v", swap.Before, swap.After)
	}
	taken := map[int64]bool{}
	for i, row := range swap.Rows {
		if row.OfferVariantID == 0 || taken[row.OfferVariantID] || row.After == nil || row.After.Ladder == nil {
			t.Fatalf("%v has no counterpart of its own: %+v", row.Values, row)
		}
		taken[row.OfferVariantID] = true
		at := slices.IndexFunc(swap.Choices, func(c workbench.SwapCandidate) bool { return c.ID == row.OfferVariantID })
		colour := slices.IndexFunc(d.Options[0].Values, func(v variant.Value) bool { return v.Name == row.Values[0] })
		if c := swap.Choices[at]; c.Values[1] != row.Values[1] || c.Values[0] != string(rune('A'+colour)) {
			t.Errorf("%v becomes %v", row.Values, c.Values)
		}
		if typed := i == 0; row.After.Manual != typed || typed != (row.After.Ladder.Price.Decimal() == "39.00") {
			t.Errorf("%v: %+v", row.Values, row.After)
		}
	}
	if still := b.get(); !reflect.DeepEqual(still, d) {
		t.Error("looking changed the draft")
	}

	// The last one is left out by hand.
	last := swap.Rows[len(swap.Rows)-1]
	var pairs []map[string]int64
	for _, row := range swap.Rows[:len(swap.Rows)-1] {
		pairs = append(pairs, map[string]int64{"variant_id": row.VariantID, "offer_variant_id": row.OfferVariantID})
	}
	var after workbench.Draft
	w.Owner.Must("POST", b.swapPath(false), map[string]any{"offer_id": second, "pairs": pairs},
		&after)
	if after.OfferID != second || after.Supplier != swap.After.Supplier || after.Title != d.Title ||
		after.Undo != "supplier" {
		t.Errorf("%d of %s: %s, undo %q", after.OfferID, after.Supplier, after.Title, after.Undo)
	}
	if len(after.Pictures) <= len(d.Pictures) || !reflect.DeepEqual(after.Pictures[:len(d.Pictures)], d.Pictures) ||
		after.Pictures[len(d.Pictures)].Shown {
		t.Errorf("pictures were %+v and are %+v", d.Pictures, after.Pictures)
	}
	for i, v := range after.Variants {
		row := swap.Rows[i]
		switch {
		case v.ID == last.VariantID:
			if v.Chosen || v.Ladder != nil || !v.Withdrawn || !strings.Contains(v.NoPrice, "does not sell") {
				t.Errorf("what is left out: %+v", v)
			}
		case v.Picture != d.Variants[i].Picture || !v.Chosen || v.Ladder == nil ||
			v.Ladder.Price != row.After.Ladder.Price || v.Ladder.Profit != row.After.Ladder.Profit ||
			v.Cost != *row.After.Cost || v.Manual != (i == 0):
			t.Errorf("%v: %+v, was told %+v", v.Values, v, row.After)
		}
	}
	if _, problem := b.edit(map[string]any{"chosen": []int64{last.VariantID}}); problem == nil ||
		!strings.Contains(problem.Detail, "does not sell") {
		t.Errorf("what cannot be bought is chosen: %+v", problem)
	}
	var pictures []string
	if err := w.App.Pool.QueryRow(t.Context(), `select pictures from offer
		where id = $1`, first).Scan(&pictures); err != nil {
		t.Fatal(err)
	}
	ready, err := w.App.Workbench.Ready(t.Context(), after.ID, store.ID, false)
	if err != nil || ready.OfferID != second ||
		ready.Pictures[0] != pictures[len(pictures)-1] ||
		len(ready.Variants) != len(swap.Rows)-1 {
		t.Errorf("%v: %+v", err, ready)
	}
	if taken, err := w.App.Workbench.DraftsOf(t.Context(), []int64{first, second}); err != nil ||
		len(taken[first]) != 0 || len(taken[second]) != 1 {
		t.Errorf("%v: %v", err, taken)
	}

	back := b.undo()
	back.Revision, back.Changes, back.UpdatedAt, back.Undo = d.Revision, d.Changes, d.UpdatedAt, d.Undo
	back.Redo = d.Redo
	if !reflect.DeepEqual(back, d) {
		t.Errorf("undone it is\n%+v, was\n%+v", back, d)
	}
	var audited int
	if err := w.App.Pool.QueryRow(t.Context(), `select count(*) from audit_entry
		where act = 'swapped the supplier'`).Scan(&audited); err != nil || audited != 2 {
		t.Errorf("%d swaps in the trail: %v", audited, err)
	}
}

func reversed(pictures []workbench.Picture) (out []map[string]any) {
	for _, p := range slices.Backward(pictures) {
		out = append(out, map[string]any{"id": p.ID, "shown": p.Shown})
	}
	return out
}

// What a listing was sent as follows its draft to another supplier with the next sending.
func TestAListingFollowsItsDraft(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	first, second := w.Offer(0), w.Offer(1)
	b := take(t, w, store.ID, first)
	id := b.get().ID
	w.Publish(store.ID, id)
	w.Owner.Must("POST", b.swapPath(false), map[string]any{"offer_id": second}, nil)
	var url string
	if err := w.App.Pool.QueryRow(t.Context(), `select pictures[1] from offer
		where id = $1`, first).Scan(&url); err != nil {
		t.Fatal(err)
	}
	hash, _, err := w.App.Media.PictureAt(t.Context(), url)
	if err != nil {
		t.Fatal(err)
	}
	shown := media.Path(hash) // its own pictures stay
	run := w.RunEnds(w.Publish(store.ID, id).ID)
	if run.Items[0].State != "changed" || run.Items[0].Picture != shown {
		t.Errorf("%+v", run.Items[0])
	}
	var page publishing.ListingPage
	w.Owner.Must("GET", fmt.Sprintf("/api/listings?store=%d", store.ID), nil, &page)
	listings := page.Listings
	if len(listings) != 1 || listings[0].OfferID != second ||
		listings[0].Picture != shown || listings[0].Moved != 0 {
		t.Errorf("%+v", listings)
	}
	testkit.Until(t, "the catalog to know", func() bool {
		found := w.Search("store=1&mine=listings")
		return len(found.Offers) == 1 && found.Offers[0].ID == second
	})
}

func TestWhatCannotBeSwappedIsSaid(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	b := take(t, w, store.ID, w.Offer(0))
	second := w.Offer(1)
	swap := b.look(map[string]any{"offer_id": second})
	pair := func(of, to int) map[string]int64 {
		return map[string]int64{"variant_id": swap.Rows[of].VariantID, "offer_variant_id": swap.Choices[to].ID}
	}
	gone := w.Offer(7)
	if err := w.App.Offers.Withdraw(t.Context(), gone); err != nil {
		t.Fatal(err)
	}
	for name, c := range map[string]struct {
		in     map[string]any
		status int
		says   string
	}{
		"the same offer":        {map[string]any{"offer_id": w.Offer(0)}, 422, "already"},
		"no such offer":         {map[string]any{"offer_id": 999999}, 404, ""},
		"one that is withdrawn": {map[string]any{"offer_id": gone}, 409, "any more"},
		"two that become one": {map[string]any{"offer_id": second, "pairs": []any{pair(0, 0), pair(1, 0)}}, 422,
			"bought as the same"},
		"a variant of another": {
			map[string]any{"offer_id": second,
				"pairs": []any{map[string]int64{"variant_id": swap.Rows[0].VariantID, "offer_variant_id": 1}}}, 422,
			"not of the other"},
		"nothing that is bought": {map[string]any{"offer_id": second, "pairs": []any{}}, 422, "at least one"},
	} {
		if problem := w.Owner.Ask("POST", b.swapPath(false), c.in, nil); problem == nil || problem.Status != c.status ||
			!strings.Contains(problem.Detail, c.says) {
			t.Errorf("%s: %+v", name, problem)
		}
	}
}
