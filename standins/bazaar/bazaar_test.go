package bazaar

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"

	"plainpelican/standins/gen"
)

func open(t *testing.T) (*Server, func(path string, into any) int) {
	t.Helper()
	b := New(Settings{Name: "Test", Seed: 11, Offers: 250, ClientID: "id", ClientSecret: "secret", PerSecond: 1000,
		PictureSize: 100})
	c := connected(t, b)
	return b, func(path string, into any) int {
		t.Helper()
		return c.do("GET", path, "", into)
	}
}

type page struct {
	Offers []map[string]any `json:"offers"`
	Next   *string          `json:"next"`
	Total  int              `json:"total"`
	AsOf   string           `json:"as_of"`
}

func TestPagingSeesEveryOfferOnce(t *testing.T) {
	_, get := open(t)
	seen := map[string]bool{}
	for cursor, pages := "", 0; ; pages++ {
		var p page
		get("/offers?limit=70&cursor="+cursor, &p)
		for _, o := range p.Offers {
			number := o["productGroupID"].(string)
			if seen[number] {
				t.Fatalf("%s is there twice", number)
			}
			seen[number] = true
		}
		if p.Next == nil {
			if pages != 3 || len(seen) != 250 || p.Total != 250 {
				t.Errorf("%d pages, %d offers of %d", pages+1, len(seen), p.Total)
			}
			return
		}
		cursor = *p.Next
	}
}

func TestChangesSinceAMoment(t *testing.T) {
	b, get := open(t)
	var before, none, changed page
	get("/offers?limit=1", &before)
	get("/offers?changed_since="+url.QueryEscape(before.AsOf), &none)
	if len(none.Offers) != 0 {
		t.Errorf("%d offers changed while nothing happened", len(none.Offers))
	}
	b.SetDay(1)
	get("/offers?limit=100&changed_since="+url.QueryEscape(before.AsOf), &changed)
	gone := 0
	for _, o := range changed.Offers {
		if o["discontinued"] == true {
			gone++
		}
	}
	if gone != 1 || len(changed.Offers) < 2 {
		t.Errorf("%d changed, %d withdrawn", len(changed.Offers), gone)
	}
	leaving := fmt.Sprintf("QB-%06d", 100000+gen.Leaving)
	for path, want := range map[string]int{"/offers/" + leaving: 410, "/offers/QB-100000": 200,
		"/offers/QB-999999": 404, "/offers/nonsense": 404, "/offers?changed_since=yesterday": 400} {
		if status := get(path, nil); status != want {
			t.Errorf("%s: %d", path, status)
		}
	}
}

func TestProductPagesCarryTheSameOffer(t *testing.T) {
	b, get := open(t)
	s := httptest.NewServer(b.Handler())
	t.Cleanup(s.Close)
	answer, err := http.Get(s.URL + "/p/QB-100003")
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = answer.Body.Close() }()
	html, err := io.ReadAll(answer.Body)
	if err != nil {
		t.Fatal(err)
	}
	_, data, _ := strings.Cut(string(html), `<script type="application/ld+json">`)
	data, _, _ = strings.Cut(data, "</script>")
	var inPage, inAPI map[string]any
	if err := json.Unmarshal([]byte(data), &inPage); err != nil {
		t.Fatalf("%v in %.200s", err, data)
	}
	get("/offers/QB-100003", &inAPI)
	if inPage["@context"] != "https://schema.org" || inPage["name"] != inAPI["name"] ||
		len(inPage["hasVariant"].([]any)) != len(inAPI["hasVariant"].([]any)) {
		t.Errorf("%v", inPage["name"])
	}
}
