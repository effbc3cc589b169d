package sources_test

import (
	"fmt"
	"testing"

	"plainpelican/core/markup"
	"plainpelican/search"
	"plainpelican/sources"
	"plainpelican/standins/wholesale"
	"plainpelican/testkit"
)

func TestCategoryNamesAreMappedToOnesOwnTree(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	of := func(source int64) sources.Categories {
		t.Helper()
		var c sources.Categories
		w.Owner.Must("GET", fmt.Sprintf("/api/sources/%d/categories", source), nil, &c)
		return c
	}
	before := of(1)
	if len(before.Names) < 3 || len(before.Tree) != 0 {
		t.Fatalf("%+v", before)
	}
	for _, n := range before.Names {
		if n.Path != "" || n.Proposal != "" || n.Offers == 0 {
			t.Errorf("with no tree, nothing is proposed: %+v", n)
		}
	}
	rules := w.MoneyRules(store.ID)
	drafts := w.Take(w.Offer(0))
	w.Owner.Must("PUT", "/api/sources/1/categories",
		[]sources.CategoryChoice{{Name: "Camp kitchen", Path: "Kitchen/ Camp kitchen"},
			{Name: "Balcony garden", Path: "Garden"}}, nil)
	w.Repriced(store.ID)
	// The index follows in parts.
	testkit.Until(t, "all offers under the own category in the index", func() bool {
		return w.Search("category=Kitchen+%3E+Camp+kitchen").Total > 0 && w.Search("category=Camp+kitchen").Total == 0
	})
	var sheet search.Sheet
	w.Owner.Must("GET", fmt.Sprintf("/api/offers/%d", w.Offer(0)), nil, &sheet)
	if sheet.Category != "Kitchen > Camp kitchen" {
		t.Errorf("on the sheet: %q", sheet.Category)
	}
	// Rules ask for one's own category.
	rule := rules.Rules[0]
	rule.ID = 9
	rule.Conditions.Categories = []string{"Kitchen > Camp kitchen"}
	rules.Rules = append([]markup.Rule{rule}, rules.Rules...)
	w.ApplyRules(store.ID, rules)
	var by int
	if err := w.App.Pool.QueryRow(t.Context(), `select min(rule) from price p
		join draft_variant v on v.id = p.draft_variant_id where v.draft_id = $1`, drafts[0]).Scan(&by); err != nil ||
		by != 9 {
		t.Errorf("priced by rule %d: %v", by, err)
	}
	// Another source's names are proposed from their words, and what comes later is mapped alike.
	list := w.ConnectList(sources.PriceListInput{Address: w.Serve(wholesale.New(60).Handler()) + "/price-list.csv"})
	proposed := map[string]string{}
	for _, n := range of(list.ID).Names {
		proposed[n.Name] = n.Proposal
	}
	if proposed["Camp kitchen"] != "Kitchen > Camp kitchen" || proposed["Balcony garden"] != "Garden" ||
		proposed["Games and puzzles"] != "" {
		t.Errorf("%v", proposed)
	}
	w.Owner.Must("PUT", fmt.Sprintf("/api/sources/%d/categories", 1),
		[]sources.CategoryChoice{{Name: "Balcony garden"}}, nil)
	after := of(1)
	if len(after.Tree) != 1 || after.Tree[0] != "Kitchen > Camp kitchen" {
		t.Errorf("taken back: %v", after.Tree)
	}
}
