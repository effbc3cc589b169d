package catalog_test

import (
	"fmt"
	"net/url"
	"testing"

	"plainpelican/catalog"
	"plainpelican/core/likeness"
	"plainpelican/standins/gen"
	"plainpelican/testkit"
)

// The generator knows which offers are one item: what is called the same by its number is, and no
// two of its kinds are mixed up by their words.
func TestTheSameItemIsFoundElsewhere(t *testing.T) {
	market := testkit.Bazaar
	market.Offers = 600
	w := testkit.StartWith(t, market)
	w.Ready()
	w.AwaitOffers(600)
	family, kind := map[string]int{}, map[string]string{}
	for o := range gen.Offers(market.Seed, market.Offers) {
		family[o.Number], kind[o.Number] = o.Family, o.Category
	}
	number := func(id int64) (n string) {
		if err := w.App.Pool.QueryRow(t.Context(), `select number from offer where id = $1`, id).Scan(&n); err != nil {
			t.Fatal(err)
		}
		return n
	}
	byNumber, twins := 0, 0
	for id := int64(1); id <= 120; id++ {
		var found catalog.Elsewhere
		w.Owner.Must("GET", fmt.Sprintf("/api/offers/%d/elsewhere?store=1", id), nil, &found)
		itself, unbeaten := 0, 0
		for i, o := range found.Offers {
			if i > 0 && o.Ladder != nil && o.Ladder.Landed.Minor() < found.Offers[i-1].Ladder.Landed.Minor() {
				t.Fatalf("offer %d: %s lands for less than the one before", id, o.Title)
			}
			if o.Unbeaten {
				unbeaten++
			}
			if o.Itself {
				itself++
				continue
			}
			if o.Strength < likeness.Same || len(o.Evidence) == 0 {
				t.Errorf("offer %d: %+v", id, o.Match)
			}
			twins++
			for _, e := range o.Evidence {
				if e.Kind == likeness.ByGTIN && e.Points > 0 {
					byNumber++
					if family[number(id)] != family[number(o.ID)] {
						t.Errorf("%s and %s share a number, and are not one item", number(id), number(o.ID))
					}
				}
			}
			if kind[number(id)] != kind[number(o.ID)] {
				t.Errorf("%s (%s) is called the same as %s (%s)", number(id), found.Title, number(o.ID), o.Title)
			}
		}
		if itself != 1 || (unbeaten == 0 && found.Offers[0].Ladder != nil) || found.Market != "US" {
			t.Errorf("offer %d: itself %d times, %d unbeaten, %s", id, itself, unbeaten, found.Market)
		}
	}
	if byNumber < 20 || twins < 60 {
		t.Errorf("%d by number, %d in all", byNumber, twins)
	}
}

func TestWhatIsSaidOfTwoOffersIsRemembered(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	w.AwaitOffers(w.Search("").Total)
	ask := func(id int64) (found catalog.Elsewhere) {
		t.Helper()
		w.Owner.Must("GET", fmt.Sprintf("/api/offers/%d/elsewhere?store=1", id), nil, &found)
		return found
	}
	var id, other int64
	for id = 1; other == 0 && id < 100; id++ {
		for _, o := range ask(id).Offers {
			if !o.Itself {
				other = o.ID
			}
		}
	}
	id--
	say := func(a, b int64, said string) {
		t.Helper()
		w.Owner.Must("PUT", fmt.Sprintf("/api/offers/%d/elsewhere/%d", a, b), map[string]string{"said": said}, nil)
	}
	holds := func(list []catalog.Alternative, id int64) bool {
		for _, o := range list {
			if o.ID == id {
				return true
			}
		}
		return false
	}
	say(id, other, "other")
	if found := ask(id); holds(found.Offers, other) || !holds(found.Apart, other) {
		t.Errorf("it is still called the same: %+v", found)
	}
	if found := ask(other); holds(found.Offers, id) || !holds(found.Apart, id) {
		t.Error("from the other side it is not remembered")
	}
	say(other, id, "same")
	if found := ask(id); !holds(found.Offers, other) || holds(found.Apart, other) {
		t.Error("what was said last does not hold")
	}
	say(id, other, "")
	if found := ask(id); !holds(found.Offers, other) {
		t.Error("taken back, the evidence does not hold")
	}
	if p := w.Owner.Ask("PUT", fmt.Sprintf("/api/offers/%d/elsewhere/%d", id, id), map[string]string{"said": "same"}, nil); p == nil || p.Status != 422 {
		t.Errorf("%+v", p)
	}
	if p := w.Owner.Ask("PUT", fmt.Sprintf("/api/offers/%d/elsewhere/999999", id), map[string]string{"said": "same"}, nil); p == nil || p.Status != 404 {
		t.Errorf("%+v", p)
	}
	if p := w.Owner.Ask("GET", fmt.Sprintf("/api/offers/%d/elsewhere?store=1&market=ZZ", id), nil, nil); p == nil || p.Status != 422 {
		t.Errorf("%+v", p)
	}
	var page string
	if err := w.App.Pool.QueryRow(t.Context(), `select page_url from offer where id = $1`, id).Scan(&page); err != nil {
		t.Fatal(err)
	}
	var linked catalog.Linked
	w.Owner.Must("GET", "/api/offers/by-link?link="+url.QueryEscape(page), nil, &linked)
	if linked.ID != id {
		t.Errorf("the link leads to offer %d, not %d", linked.ID, id)
	}
	if p := w.Owner.Ask("GET", "/api/offers/by-link?link=https://nowhere.example/x", nil, nil); p == nil || p.Status != 404 {
		t.Errorf("%+v", p)
	}
}
