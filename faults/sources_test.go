package faults

import (
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"sync"
	"testing"

	"plainpelican/sources"
	"plainpelican/standins/fault"
	"plainpelican/testkit"
)

// hostile is a marketplace whose catalog is put together by a test.
type hostile struct {
	mu     sync.Mutex
	page   func(cursor string) map[string]any
	offers map[string]map[string]any
}

func (h *hostile) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	h.mu.Lock()
	defer h.mu.Unlock()
	answer := func(status int, body any) {
		w.Header().Set("Content-Type", "application/json")
		w.WriteHeader(status)
		_ = json.NewEncoder(w).Encode(body)
	}
	switch {
	case r.URL.Path == "/.well-known/catalog-source":
		answer(200, map[string]any{"protocol": "catalog-source/1", "name": "Hostile", "token_endpoint": "/token",
			"limits": map[string]int{"requests_per_second": 1000, "page_size": 100}})
	case r.URL.Path == "/token":
		answer(200, map[string]string{"access_token": "x"})
	case r.URL.Path == "/offers":
		answer(200, h.page(r.URL.Query().Get("cursor")))
	default:
		if o := h.offers[strings.TrimPrefix(r.URL.Path, "/offers/")]; o != nil {
			answer(200, o)
			return
		}
		answer(410, map[string]string{})
	}
}

func offer(number string, change func(o, variant, sold map[string]any)) map[string]any {
	sold := map[string]any{"price": "2.50", "priceCurrency": "USD", "inventoryLevel": map[string]any{"value": 7}}
	variant := map[string]any{"sku": number + "-1", "offers": sold, "weight": map[string]any{"value": 300}}
	o := map[string]any{"productGroupID": number, "name": "Mug " + number, "hasVariant": []any{variant},
		"seller": map[string]any{"identifier": "s", "name": "Seller", "addressCountry": "CN"}}
	if change != nil {
		change(o, variant, sold)
	}
	return o
}

func listed(offers ...any) func(string) map[string]any {
	return func(string) map[string]any { return map[string]any{"offers": offers, "total": len(offers)} }
}

func TestOneOfferOutOfBoundsIsRejectedAlone(t *testing.T) {
	w := testkit.Start(t)
	h := &hostile{}
	long := strings.Repeat("9", 9000)
	bad := []any{
		offer(long, nil),
		offer("B-2", func(_, v, _ map[string]any) { v["sku"] = long }),
		offer("B-3", func(_, v, _ map[string]any) { v["weight"] = map[string]any{"value": 1 << 40} }),
		offer("B-4", func(o, _, _ map[string]any) {
			o["aggregateRating"] = map[string]any{"ratingValue": 4, "ratingCount": 1 << 40}
		}),
		offer("B-5", func(o, _, _ map[string]any) {
			o["hasMerchantReturnPolicy"] = map[string]any{"merchantReturnDays": 99999}
		}),
		offer("B-6", func(o, _, _ map[string]any) { o["weeklyUnitsSold"] = []int{1, -5} }),
		offer("B-7", func(_, _, s map[string]any) { s["price"] = "99999999999999999.99" }),
		offer("B-8", func(o, _, _ map[string]any) { o["soldElsewhere"] = map[string]any{"stores": 1 << 40} }),
		offer("B-9", func(_, _, s map[string]any) {
			s["inventoryLevel"] = map[string]any{"value": json.Number("1e400")}
		}),
		offer("B-10", func(o, _, _ map[string]any) { o["name"] = strings.Repeat("x", 100_000) }),
	}
	good := []any{
		offer("G-1", nil),
		offer("G-2", func(o, _, s map[string]any) {
			s["inventoryLevel"] = map[string]any{"value": 999999999}
			var three []any
			for i := range 3 {
				three = append(three, map[string]any{"sku": fmt.Sprint("U-", i), "offers": s})
			}
			o["hasVariant"] = three
		}),
		offer("G-3", func(o, _, s map[string]any) {
			s["inventoryLevel"] = map[string]any{"value": 4_000_000_000}
			o["url"], o["image"] = "javascript:alert(1)",
				[]string{"data:image/png;base64,x", "https://pictures.example/1.jpg"}
		}),
	}
	h.page = listed(append(bad, good...)...)
	w.Owner.Must("POST", "/api/sources", sources.Credentials{Address: w.Serve(h), ClientID: "x", ClientSecret: "y"},
		nil)
	source := w.TakenIn()
	in := source.Imports[0]
	if in.State != "finished" || in.Rejected != len(bad) || source.Offers != len(good) {
		t.Fatalf("%d rejected, %d offers: %+v", in.Rejected, source.Offers, in)
	}
	w.AwaitOffers(len(good))
	found := w.Search("words=mug")
	if found.Total != len(good) {
		t.Errorf("%d are in the catalog", found.Total)
	}
	if answer, err := http.Get(w.URL + "/readyz"); err != nil || answer.StatusCode != 200 {
		t.Errorf("%v %v", answer, err)
	}
	var page string
	var pictures []string
	if err := w.App.Pool.QueryRow(t.Context(), `select page_url, pictures from offer
		where number = 'G-3'`).Scan(&page, &pictures); err != nil || page != "" || len(pictures) != 1 {
		t.Errorf("%q %v %v", page, pictures, err)
	}
	// One row that cannot be read is skipped and told of; the others are found.
	if _, err := w.App.Pool.Exec(t.Context(), `update offer set currency = 'QQQ' where number = 'G-1'`); err != nil {
		t.Fatal(err)
	}
	app, second := w.Instance(w.App.Pool)
	testkit.Until(t, "the second instance's index", func() bool { _, err := app.Search.Ready(); return err == nil })
	answer, err := http.Get(second + "/readyz")
	if err != nil || answer.StatusCode != 200 {
		t.Fatalf("%v %v", answer, err)
	}
	if skipped, err := app.Search.Ready(); skipped != 1 || err != nil {
		t.Errorf("%d skipped, %v", skipped, err)
	}
}

func TestACatalogThatEndsEarlyWithdrawsOnlyWhatIsGone(t *testing.T) {
	market := testkit.Bazaar
	market.Offers = many(1000, 120)
	w := testkit.StartWith(t, market)
	w.ConnectBazaar()
	w.Fault(w.BazaarURL, fault.Plan{ShortPercent: 90})
	source := w.Swept()
	if in := source.Imports[0]; source.Offers != market.Offers || in.Withdrawn != 0 || in.State != "finished" ||
		!strings.Contains(source.Error, "listed") {
		t.Errorf("%d offers, %q, %+v", source.Offers, source.Error, in)
	}
	w.Fault(w.BazaarURL, fault.Plan{})
	if source = w.Swept(); source.Offers != market.Offers || source.Error != "" {
		t.Errorf("%d offers, %q", source.Offers, source.Error)
	}
	// Pages that go round in a circle end with a word, and withdraw nothing.
	h := &hostile{}
	h.page = func(cursor string) map[string]any {
		next := map[string]string{"": "a", "a": "b", "b": "a"}[cursor]
		return map[string]any{"offers": []any{offer("C-"+cursor, nil)}, "next": next, "total": 3}
	}
	w.Owner.Must("POST", "/api/sources", sources.Credentials{Address: w.Serve(h), ClientID: "x", ClientSecret: "y"},
		nil)
	if circle := w.Source("Hostile"); circle.Imports[0].State != "failed" ||
		!strings.Contains(circle.Error, "again and again") {
		t.Errorf("%+v", circle)
	}
}

func TestAShortFaultOfASourceIsWaitedOut(t *testing.T) {
	w := testkit.Start(t)
	w.ConnectBazaar()
	w.App.Sources.Retries = 8
	for name, plan := range map[string]fault.Plan{
		"a web page": {HTML: true, Only: "/offers"}, "half an answer": {Truncate: true, Only: "/offers"},
		"down": {Down: true}, "a long wait": {TooMany: 1, RetryAfter: 20, Only: "/offers"},
	} {
		t.Run(name, func(t *testing.T) {
			w.Fault(w.BazaarURL, plan)
			w.Owner.Must("POST", "/api/sources/1/imports?full=true", nil, nil)
			var list []sources.Source
			testkit.Until(t, "the source's word", func() bool {
				w.Owner.Must("GET", "/api/sources", nil, &list)
				return strings.Contains(list[0].Error, "It is tried again in")
			})
			if in := list[0].Imports[0]; in.State != "waiting" {
				t.Errorf("%+v", in)
			}
			if plan.RetryAfter > 0 && !strings.Contains(list[0].Error, "20 seconds") {
				t.Errorf("%s", list[0].Error)
			}
			w.Fault(w.BazaarURL, fault.Plan{})
			if source := w.TakenIn(); source.Imports[0].State != "finished" || source.Error != "" {
				t.Errorf("%+v", source.Imports[0])
			}
		})
	}
}
