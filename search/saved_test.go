package search_test

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"slices"
	"strings"
	"testing"

	"plainpelican/platform/access"
	"plainpelican/search"
	"plainpelican/testkit"
)

func TestSentencesAreKeptUnderAName(t *testing.T) {
	w := testkit.Start(t)
	var one, again search.SavedSearch
	w.Owner.Must("PUT", "/api/saved-searches",
		search.SaveSearchInput{Name: "  Mugs   for summer ", Sentence: "words=mug&days=16"}, &one)
	second := search.SaveSearchInput{Name: "mugs for Summer", Sentence: "words=mug&days=12", Currency: "USD"}
	if p := w.Owner.Ask("PUT", "/api/saved-searches", second, nil); p == nil || p.Status != 409 ||
		!strings.Contains(p.Detail, "Olga saved a search") {
		t.Errorf("one of that name was overwritten unasked: %+v", p)
	}
	second.Replace = true
	w.Owner.Must("PUT", "/api/saved-searches", second, &again)
	if one.Name != "Mugs for summer" || again.ID != one.ID || again.Sentence != "words=mug&days=12" {
		t.Errorf("%+v, %+v", one, again)
	}
	for _, bad := range []search.SaveSearchInput{{Name: "  ", Sentence: "words=mug"}, {Name: "x", Sentence: "%zz"}} {
		if p := w.Owner.Ask("PUT", "/api/saved-searches", bad, nil); p == nil || p.Status != 422 {
			t.Errorf("%+v: %+v", bad, p)
		}
	}
	w.Owner.Must("DELETE", fmt.Sprintf("/api/saved-searches/%d", one.ID), nil, nil)
	var list []search.SavedSearch
	w.Owner.Must("GET", "/api/saved-searches", nil, &list)
	if len(list) != 0 {
		t.Errorf("%+v", list)
	}
	if p := w.Owner.Ask("DELETE", fmt.Sprintf("/api/saved-searches/%d", one.ID), nil, nil); p == nil ||
		p.Status != 404 {
		t.Errorf("%+v", p)
	}
}

func TestTheSellersOwnStandardHidesWhatMissesIt(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	all := w.Search("store=1")
	hid := w.Search("store=1&standard=true")
	if hid.Total+hid.Hidden != all.Total || hid.Hidden == 0 || hid.Total == 0 {
		t.Errorf("%d of %d, %d hidden", hid.Total, all.Total, hid.Hidden)
	}
	w.Owner.Must("PUT", "/api/standard", search.Standard{}, nil)
	if anything := w.Search("store=1&standard=true"); anything.Hidden != 0 || anything.Total != all.Total {
		t.Errorf("a standard that asks for nothing hides %d", anything.Hidden)
	}
	if p := w.Owner.Ask("PUT", "/api/standard", search.Standard{Rating: 51}, nil); p == nil || p.Status != 422 {
		t.Errorf("%+v", p)
	}
}

func TestTheWholeAnswerIsExported(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	ctx := access.With(t.Context(), access.Identity{Name: "Olga", Role: access.Owner})
	if _, err := w.App.Pool.Exec(t.Context(), `update offer set title = '=1+1 mug' where id = 1`); err != nil {
		t.Fatal(err)
	}
	q := search.Sentence{Store: 1, Sort: "profit", Limit: 200}
	found, err := w.App.Search.Search(ctx, q)
	if err != nil {
		t.Fatal(err)
	}
	var file bytes.Buffer
	if err := w.App.Search.Export(ctx, q, &file); err != nil {
		t.Fatal(err)
	}
	rows, err := csv.NewReader(bytes.NewReader(file.Bytes()[3:])).ReadAll()
	if err != nil || len(rows) != found.Total+1 {
		t.Fatalf("%d rows of %d: %v", len(rows), found.Total, err)
	}
	for i, o := range found.Offers {
		row := rows[i+1]
		cell := func(column string) string { return row[slices.Index(rows[0], column)] }
		if row[0] != fmt.Sprint(o.ID) || (o.ID == 1) != (cell("title") == "'=1+1 mug") ||
			(o.Ladder != nil && cell("profit") != o.Ladder.Profit.Decimal()) {
			t.Fatalf("row %d: %v, offer %+v", i, row, o)
		}
	}
}
