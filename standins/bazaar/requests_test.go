package bazaar

import (
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"net/url"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

// client speaks to a stand-in with a token.
type client struct {
	t            *testing.T
	address, key string
}

func connected(t *testing.T, b *Server) client {
	t.Helper()
	s := httptest.NewServer(b.Handler())
	t.Cleanup(s.Close)
	c := client{t: t, address: s.URL}
	answer, err := http.PostForm(s.URL+"/oauth/token",
		url.Values{"grant_type": {"client_credentials"}, "client_id": {b.ClientID}, "client_secret": {b.ClientSecret}})
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = answer.Body.Close() }()
	var token struct {
		AccessToken string `json:"access_token"`
	}
	if err := json.NewDecoder(answer.Body).Decode(&token); err != nil {
		t.Fatal(err)
	}
	c.key = token.AccessToken
	return c
}

func (c client) do(method, path, body string, into any) int {
	c.t.Helper()
	r, err := http.NewRequest(method, c.address+path, strings.NewReader(body))
	if err != nil {
		c.t.Fatal(err)
	}
	r.Header.Set("Authorization", "Bearer "+c.key)
	answer, err := http.DefaultClient.Do(r)
	if err != nil {
		c.t.Fatal(err)
	}
	defer func() { _ = answer.Body.Close() }()
	if into != nil {
		if err := json.NewDecoder(answer.Body).Decode(into); err != nil {
			c.t.Fatalf("%s %s: %v", method, path, err)
		}
	}
	return answer.StatusCode
}

type quotesAnswer struct {
	Status string
	Quotes []struct {
		Identifier string         `json:"identifier"`
		Item       map[string]any `json:"itemOffered"`
	}
}

func TestRequestsAreQuotedTakenAndKept(t *testing.T) {
	settings := Settings{Name: "Test", Seed: 11, Offers: 30, ClientID: "id", ClientSecret: "secret", PerSecond: 1000,
		PictureSize: 100, File: filepath.Join(t.TempDir(), "kept.json")}
	c := connected(t, New(settings))
	demand := `{"name":"cork mug","areaServed":"US","priceSpecification":{"price":"3.20","priceCurrency":"USD"}}`
	if first, again := c.do("PUT", "/requests/r1", demand, nil),
		c.do("PUT", "/requests/r1", demand, nil); first != 201 || again != 200 {
		t.Errorf("asked twice: %d, %d", first, again)
	}
	if status := c.do("PUT", "/requests/r2", `{"name":" "}`, nil); status != 422 {
		t.Errorf("nothing wanted: %d", status)
	}
	var a quotesAnswer
	if c.do("GET", "/requests/r1", "", &a); a.Status != "closed" || len(a.Quotes) != quoting {
		t.Fatalf("%s, %d quotes", a.Status, len(a.Quotes))
	}
	for _, q := range a.Quotes {
		if !strings.Contains(q.Item["name"].(string), "cork mug") || len(q.Item["shippingDetails"].([]any)) == 0 {
			t.Errorf("%v", q.Item["name"])
		}
	}
	var before page
	c.do("GET", "/offers?limit=1", "", &before)
	var taken, again struct {
		Number string `json:"productGroupID"`
	}
	c.do("PUT", "/requests/r1/quotes/2", "{}", &taken)
	if c.do("PUT", "/requests/r1/quotes/2", "{}", &again); taken != again || taken.Number != "QB-100030" {
		t.Errorf("taken as %s and %s", taken.Number, again.Number)
	}
	for path, want := range map[string]int{"/requests/r1/quotes/9": 410, "/requests/r1/quotes/x": 410,
		"/requests/none/quotes/1": 410} {
		if status := c.do("PUT", path, "{}", nil); status != want {
			t.Errorf("%s: %d", path, status)
		}
	}
	var changed page
	if c.do("GET", "/offers?limit=100&changed_since="+url.QueryEscape(before.AsOf), "",
		&changed); len(changed.Offers) != 1 || changed.Offers[0]["productGroupID"] != taken.Number {
		t.Errorf("%d offers have changed", len(changed.Offers))
	}
	var none page
	if c.do("GET", "/offers?limit=100&changed_since="+url.QueryEscape(changed.AsOf), "", &none); len(none.Offers) != 0 {
		t.Errorf("%d offers have changed since", len(none.Offers))
	}
	// Started again, it knows what was asked and taken.
	c = connected(t, New(settings))
	var whole page
	if c.do("GET", "/offers?limit=100", "", &whole); whole.Total != 31 ||
		c.do("GET", "/offers/"+taken.Number, "", nil) != 200 {
		t.Errorf("%d offers after it was started again", whole.Total)
	}
	c.do("DELETE", "/requests/r1", "", nil)
	if c.do("GET", "/requests/r1", "", &a); a.Status != "closed" ||
		c.do("PUT", "/requests/r1/quotes/1", "{}", nil) != 410 {
		t.Errorf("withdrawn: %s", a.Status)
	}
	if status := c.do("GET", "/requests/none", "", nil); status != 404 {
		t.Errorf("never asked: %d", status)
	}
}

func TestSuppliersTakeTheirTime(t *testing.T) {
	c := connected(t,
		New(Settings{Name: "Test", Seed: 11, Offers: 5, ClientID: "id", ClientSecret: "secret", PerSecond: 1000,
			PictureSize: 100, QuoteEvery: time.Hour, TargetsOnly: true}))
	if status := c.do("PUT", "/requests/r", `{"name":"mug","areaServed":"US"}`, nil); status != 422 {
		t.Errorf("without a target: %d", status)
	}
	c.do("PUT", "/requests/r",
		`{"name":"mug","areaServed":"US","priceSpecification":{"price":"3","priceCurrency":"USD"}}`, nil)
	var a quotesAnswer
	if c.do("GET", "/requests/r", "", &a); a.Status != "open" || len(a.Quotes) != 0 {
		t.Errorf("%s, %d quotes", a.Status, len(a.Quotes))
	}
}
