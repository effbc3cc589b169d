package search_test

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"net/url"
	"slices"
	"strings"
	"testing"

	"plainpelican/platform/access"
	"plainpelican/search"
	"plainpelican/testkit"
)

// A row's figures are those of the cheapest variant that is in stock, unless the cheapest of all is asked for; both
// are said. Stock that is not known may be bought.
func TestWhatCanBeBoughtCounts(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	unlike(t, w)
	w.Reindex()
	others, soldOut := 0, 0
	for _, asked := range []string{"", "&sold_out=true"} {
		for _, o := range w.Search(fmt.Sprintf("store=%d&sort=landed&limit=200%s", store.ID, asked)).Offers {
			var sheet search.Sheet
			w.Owner.Must("GET", fmt.Sprintf("/api/offers/%d?store=%d%s", o.ID, store.ID, asked), nil, &sheet)
			var all, inStock []int64
			for _, v := range sheet.Variants {
				if v.Ladder == nil || v.Withdrawn {
					continue
				}
				all = append(all, v.Ladder.Landed.Minor())
				if v.Stock == nil || *v.Stock > 0 {
					inStock = append(inStock, v.Ladder.Landed.Minor())
				}
			}
			if o.Ladder == nil {
				continue
			}
			want := slices.Min(all)
			if len(inStock) == 0 {
				soldOut++
			} else if asked == "" {
				want = slices.Min(inStock)
			}
			if o.Ladder.Landed.Minor() != want || sheet.Ladder.Landed != o.Ladder.Landed {
				t.Errorf("%s%s: lands at %s in the row and %s on the sheet, want %d", o.Title, asked, o.Ladder.Landed,
					sheet.Ladder.Landed, want)
			}
			if other := len(inStock) > 0 && slices.Min(all) < slices.Min(inStock); other != (o.Other != nil) ||
				(other && o.Other.InStock != (asked != "")) {
				t.Errorf("%s%s: beside it %+v, %v in stock of %v", o.Title, asked, o.Other, inStock, all)
			} else if other {
				others++
			}
		}
	}
	if others < 20 || soldOut == 0 {
		t.Errorf("only %d have a cheaper variant that is sold out, and %d nothing in stock", others, soldOut)
	}
}

func TestWhatIsNotKnownIsNotNought(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	const unknown = `update offer set rivals = null, weekly = '{}', rating = 0, demand = 'too little data'
		where id = 7; update supplier set on_time = null
		where id = (select supplier_id from offer where id = 7); update offer_variant
		set stock = 0, stock_unknown = true where offer_id = 7;
		update offer set brand = '', category = '' where id = 7; update offer set rivals = 0 where id = 8`
	if _, err := w.App.Pool.Exec(t.Context(), unknown); err != nil {
		t.Fatal(err)
	}
	w.Reindex()
	var sheet search.Sheet
	w.Owner.Must("GET", "/api/offers/7?store=1", nil, &sheet)
	if sheet.Rivals != nil || sheet.Units != nil || sheet.Rating != "" || sheet.OnTime != nil || sheet.Stock != nil ||
		len(sheet.Weekly) != 0 || !strings.Contains(sheet.Said, "nothing is known") {
		t.Errorf("the sheet: %+v", sheet.Line)
	}
	for _, sort := range []string{"rivals", "units", "rating", "growth", "worth"} {
		found := w.Search("store=1&limit=200&sort=" + sort)
		if last := found.Offers[len(found.Offers)-1]; found.Total > 200 ||
			(last.ID != 7 && (sort == "units" || sort == "rating")) || found.Offers[0].ID == 7 {
			t.Errorf("by %s the last is %d", sort, last.ID)
		}
	}
	if found := w.Search("rivals=0"); found.Total != 1 || found.Offers[0].ID != 8 || *found.Offers[0].Rivals != 0 {
		t.Errorf("nobody else sells %+v", found.Offers)
	}
	var file bytes.Buffer
	ctx := access.With(t.Context(), access.Identity{Name: "Olga", Role: access.Owner})
	if err := w.App.Search.Export(ctx, search.Sentence{Store: 1, Words: sheet.Number}, &file); err != nil {
		t.Fatal(err)
	}
	rows, err := csv.NewReader(bytes.NewReader(file.Bytes()[3:])).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	row := rows[1]
	for _, column := range []string{"rating", "on time %", "sold in 7 days", "sold in 30 days", "demand", "rivals",
		"stock", "brand", "category", "profit times units a month per rival"} {
		if cell := row[slices.Index(rows[0], column)]; cell != "" {
			t.Errorf("%s is %q", column, cell)
		}
	}
	if row[slices.Index(rows[0], "number")] != sheet.Number || row[slices.Index(rows[0], "page")] != sheet.PageURL {
		t.Errorf("%q", row)
	}
}

func TestTheEmptyChoice(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	for query, where := range map[string]string{"brand=(none)": `brand = ''`,
		"brand=(none)&brand=Morning+Dew": `brand in ('', 'Morning Dew')`, "category=(none)": `category = ''`,
		"brand=(none)&words=mug": `brand = '' and title ~* '\mmug'`} {
		var want int
		if err := w.App.Pool.QueryRow(t.Context(), `select count(*) from offer where `+where).Scan(&want); err != nil {
			t.Fatal(err)
		}
		if got := w.Search(query); got.Total != want {
			t.Errorf("%s: %d, want %d", query, got.Total, want)
		}
	}
	found := w.Search("counts=true&limit=0")
	if i := slices.IndexFunc(found.Facets["brand"], func(c search.FacetValue) bool {
		return c.Value == search.None
	}); i < 0 || found.Facets["brand"][i].Count != w.Search("brand=(none)").Total {
		t.Errorf("%+v", found.Facets["brand"])
	}
}

func TestAStoreIsAskedForWhereOneIsNeeded(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	for _, query := range []string{"days=12", "tracked=true", "under=9", "item=9", "shipping=0", "profit=3",
		"margin=20", "standard=true", "sort=profit", "sold_out=true"} {
		if problem := w.Owner.Ask("GET", "/api/offers?"+query, nil, nil); problem == nil || problem.Status != 422 ||
			!strings.Contains(problem.Detail, "needs a store") {
			t.Errorf("%s: %+v", query, problem)
		}
		if problem := w.Owner.Ask("GET", "/api/offers?store=1&"+query, nil, nil); problem != nil {
			t.Errorf("%s in a store: %+v", query, problem)
		}
	}
}

func TestAVariantIsFoundAndShown(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	if _, err := w.App.Pool.Exec(t.Context(), `update offer_variant v
		set option_values[1] = 'Aubergine', picture = least(1, cardinality(o.pictures) - 1), barcode = '4006381333931'
		from offer o
		where o.id = v.offer_id and v.id = (select max(id) from offer_variant where offer_id = 7)`); err != nil {
		t.Fatal(err)
	}
	w.Reindex()
	var sheet search.Sheet
	w.Owner.Must("GET", "/api/offers/7", nil, &sheet)
	of := sheet.Variants[slices.IndexFunc(sheet.Variants, func(v search.SheetVariant) bool {
		return slices.Contains(v.Values, "Aubergine")
	})]
	for _, words := range []string{"aubergine", "aubergines", "Aubergîne", "4006381333931", "4 006381 333931",
		of.Number} {
		found := w.Search("words=" + url.QueryEscape(words))
		if len(found.Offers) == 0 || found.Offers[0].ID != 7 || found.Offers[0].Match == nil ||
			!slices.Equal(found.Offers[0].Match.Values, of.Values) || found.Offers[0].Picture != of.Picture {
			t.Errorf("%s: %d found, %+v", words, found.Total, found.Offers[:min(1, len(found.Offers))])
		}
	}
	if found := w.Search("words=" + url.QueryEscape("aubergine xylophone")); found.Total != 0 ||
		len(found.Emptied) != 1 || found.Emptied[0].Left != 1 || found.Emptied[0].Typed != "aubergine" {
		t.Errorf("%+v", found.Emptied)
	}
	if found := w.Search("words=" + url.QueryEscape("the * aubergine")); found.Total != 1 ||
		!slices.Equal(found.Ordinary, []string{"the"}) || !slices.Equal(found.Unread, []string{"*"}) {
		t.Errorf("%+v", found)
	}
}

func TestSynonymsAreTheSellers(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	var list search.Synonyms
	w.Owner.Must("GET", "/api/synonyms", nil, &list)
	mugs := w.Search("words=mug").Total
	if len(list.Groups) != 0 || w.Search("words=beaker").Total != 0 || mugs == 0 {
		t.Fatalf("%+v, %d mugs", list, mugs)
	}
	saved := list
	saved.Groups = [][]string{{" beaker ", "mug", "Mug"}, {}, {"jar", "storage box"}}
	w.Owner.Must("PUT", "/api/synonyms", saved, &saved)
	if len(saved.Groups) != 2 || !slices.Equal(saved.Groups[0], []string{"beaker", "mug"}) {
		t.Errorf("%+v", saved)
	}
	if got := w.Search("words=beakers").Total; got != mugs {
		t.Errorf("%d beakers, %d mugs", got, mugs)
	}
	// Of two people who read the same list only the first replaces it.
	list.Groups = [][]string{{"a1", "b1"}}
	if problem := w.Owner.Ask("PUT", "/api/synonyms", list, nil); problem == nil || problem.Status != 409 {
		t.Errorf("%+v", problem)
	}
	for _, wrong := range [][]string{{"alone"}, {"★", "mug"}, {strings.Repeat("x", 70), "mug"}} {
		saved.Groups = [][]string{wrong}
		if problem := w.Owner.Ask("PUT", "/api/synonyms", saved, nil); problem == nil || problem.Status != 422 {
			t.Errorf("%q: %+v", wrong, problem)
		}
	}
}
