package offers_test

import (
	"fmt"
	"slices"
	"testing"

	"plainpelican/offers"
	"plainpelican/search"
	"plainpelican/sources"
	"plainpelican/testkit"
)

// What an offer said before it changed is kept: exactly of those that an import changed, with the costs and stock that
// they had.
func TestVersionsOfAnOffer(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	sheets := map[int64]search.Sheet{}
	read := func(id int64) (s search.Sheet) {
		w.Owner.Must("GET", fmt.Sprintf("/api/offers/%d", id), nil, &s)
		return s
	}
	for _, line := range w.Search("limit=200").Offers {
		sheets[line.ID] = read(line.ID)
	}
	w.Bazaar.SetDay(1)
	w.Owner.Must("POST", "/api/sources/1/imports?full=true", nil, nil)
	var run sources.ImportRun
	testkit.Until(t, "the second import", func() bool {
		var list []sources.Source
		w.Owner.Must("GET", "/api/sources", nil, &list)
		run = list[0].Imports[0]
		return len(list[0].Imports) > 1 && run.State == sources.Finished
	})
	changed := 0
	for id, before := range sheets {
		var versions []offers.Version
		w.Owner.Must("GET", fmt.Sprintf("/api/offers/%d/versions", id), nil, &versions)
		after := read(id)
		if after.Versions != len(versions) {
			t.Errorf("offer %d: %d versions are counted, %d told", id, after.Versions, len(versions))
		}
		if len(versions) == 0 {
			for i, v := range after.Variants {
				if v.Cost != before.Variants[i].Cost {
					t.Errorf("offer %d has another cost and no version", id)
				}
			}
			continue
		}
		changed++
		was := versions[0]
		gone := func(v search.SheetVariant) bool { return v.Withdrawn }
		sold := slices.DeleteFunc(slices.Clone(before.Variants), gone)
		if len(versions) != 1 || was.Title != before.Title || len(was.Variants) != len(sold) {
			t.Fatalf("offer %d: %+v", id, versions)
		}
		for i, v := range was.Variants {
			if v.Number != sold[i].Number || v.Cost != sold[i].Cost || *v.Stock != *sold[i].Stock ||
				!slices.Equal(v.Values, sold[i].Values) {
				t.Errorf("offer %d said %+v, not %+v", id, sold[i], v)
			}
		}
	}
	if changed == 0 || changed != run.Changed {
		t.Errorf("%d have a version, %d changed", changed, run.Changed)
	}
}
