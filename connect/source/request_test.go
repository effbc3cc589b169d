package source

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"errors"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"strings"
	"testing"
	"time"

	"plainpelican/core/money"
	"plainpelican/platform/outgoing"
)

// market is a source that answers as it is told to, and remembers what it was asked.
type market struct {
	status int
	body   string
	asked  []string
	sent   map[string]any
}

func (m *market) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	switch r.URL.Path {
	case "/.well-known/catalog-source":
		_, _ = w.Write([]byte(`{"protocol":"catalog-source/1","name":"Market","token_endpoint":"/token",` +
			`"takes_requests":true,"limits":{"requests_per_second":500,"page_size":10}}`))
	case "/token":
		_, _ = w.Write([]byte(`{"access_token":"t"}`))
	default:
		m.asked = append(m.asked, r.Method+" "+r.URL.Path)
		_ = json.NewDecoder(r.Body).Decode(&m.sent)
		w.WriteHeader(m.status)
		_, _ = w.Write([]byte(m.body))
	}
}

func opened(t *testing.T) (*market, *Session) {
	t.Helper()
	m := &market{status: http.StatusOK, body: "{}"}
	server := httptest.NewServer(m)
	t.Cleanup(server.Close)
	client := outgoing.New([]netip.Prefix{netip.MustParsePrefix("127.0.0.0/8")})
	client.Backoff = time.Millisecond
	session, d, err := Connector{Client: client}.SignIn(context.Background(), server.URL, "id", "secret")
	if err != nil || !d.TakesRequests {
		t.Fatalf("%+v, %v", d, err)
	}
	return m, session
}

func TestARequestIsADemand(t *testing.T) {
	m, s := opened(t)
	usd, err := money.ParseCurrency("USD")
	if err != nil {
		t.Fatal(err)
	}
	err = s.Ask(t.Context(),
		Request{ID: "a/b", Words: "mug", Details: "cork", Link: "https://x.example/p", Picture: []byte{0xff, 0xd8},
			Target: money.New(320, usd), Market: "US", Units: 150})
	if err != nil {
		t.Fatal(err)
	}
	want := map[string]any{"@type": "Demand", "identifier": "a/b", "name": "mug", "description": "cork",
		"url": "https://x.example/p", "areaServed": "US",
		"image":              "data:image/jpeg;base64," + base64.StdEncoding.EncodeToString([]byte{0xff, 0xd8}),
		"priceSpecification": map[string]any{"price": "3.20", "priceCurrency": "USD"},
		"eligibleQuantity":   map[string]any{"value": 150.0}}
	got, _ := json.Marshal(m.sent)
	said, _ := json.Marshal(want)
	if string(got) != string(said) || m.asked[0] != "PUT /requests/a/b" {
		t.Errorf("%v: %s", m.asked, got)
	}
	// What was not said is not sent.
	m.sent = nil
	if err := s.Ask(t.Context(), Request{ID: "c", Words: "mug", Market: "DE"}); err != nil || len(m.sent) != 4 {
		t.Errorf("%v %v", m.sent, err)
	}
}

func TestASourceMayRefuse(t *testing.T) {
	m, s := opened(t)
	m.status, m.body = http.StatusUnprocessableEntity, `{"detail":"Name a cost."}`
	var refusal Refusal
	if err := s.Ask(t.Context(), Request{ID: "a", Words: "mug"}); !errors.As(err, &refusal) ||
		refusal.Reason != "Name a cost." {
		t.Errorf("%v", err)
	}
	m.body = `{"detail":"` + strings.Repeat("é", 5000) + `"}`
	if err := s.Ask(t.Context(), Request{ID: "a", Words: "mug"}); !errors.As(err, &refusal) ||
		len(refusal.Reason) > mostComment || strings.Contains(refusal.Reason, "\ufffd") {
		t.Errorf("a long reason: %d bytes", len(refusal.Reason))
	}
	m.status = http.StatusNotFound
	if err := s.Ask(t.Context(), Request{ID: "a", Words: "mug"}); !errors.Is(err, ErrUnavailable) {
		t.Errorf("a source without requests: %v", err)
	}
}

func TestQuotesAreReadOneByOne(t *testing.T) {
	m, s := opened(t)
	free := strings.Replace(good, `"price":"46.20"`, `"price":"0"`, 1)
	m.body = `{"status":"open","quotes":[
		{"identifier":"1","validThrough":"2026-12-24T00:00:00Z","comment":"` + strings.Repeat("x", 3000) +
		`","itemOffered":` + good + `},
		{"identifier":"2","validThrough":"2026-12-24T00:00:00Z","itemOffered":` + free + `},
		{"identifier":"","validThrough":"2026-12-24T00:00:00Z","itemOffered":` + good + `},
		{"identifier":"4","validThrough":"2026-12-24T00:00:00Z","itemOffered":[]}]}`
	quotes, unusable, open, err := s.Quotes(t.Context(), "a")
	if err != nil || !open || len(quotes) != 1 || len(unusable) != 3 {
		t.Fatalf("%d quotes, %d unusable, open %v: %v", len(quotes), len(unusable), open, err)
	}
	q := quotes[0]
	if q.Number != "1" || q.Offer.Number != "Q1" || len(q.Comment) != mostComment || q.ValidThrough.Year() != 2026 {
		t.Errorf("%+v", q)
	}
	if again, err := ParseOffer(q.Raw); err != nil || again.Fingerprint != q.Offer.Fingerprint {
		t.Errorf("what is kept is not what was read: %v", err)
	}
	for i, words := range []string{"the price of Q1-1 is 0.00", "no number of its own", "something else is expected"} {
		if !strings.Contains(unusable[i].Reason, words) {
			t.Errorf("%s: %s", unusable[i].Position, unusable[i].Reason)
		}
	}
	// What a database would not keep is taken out, or makes a quote unusable.
	m.body =
		`{"status":"open","quotes":[{"identifier":"1","validThrough":"2026-12-24T00:00:00Z","comment":"a\u0000b",` +
			`"itemOffered":` + good + `},{"identifier":"2\u0000","validThrough":"2026-12-24T00:00:00Z","itemOffered":` +
			good + `}]}`
	if quotes, unusable, _, err := s.Quotes(t.Context(), "a"); err != nil || len(quotes) != 1 ||
		quotes[0].Comment != "ab" || len(unusable) != 1 {
		t.Errorf("%+v %+v %v", quotes, unusable, err)
	}
	for body, status := range map[string]int{`{"status":"closed","quotes":[]}`: 200, `{}`: 404} {
		m.body, m.status = body, status
		if quotes, _, open, err := s.Quotes(t.Context(), "a"); err != nil || open || len(quotes) != 0 {
			t.Errorf("%d %s: open %v, %v", status, body, open, err)
		}
	}
	for body, status := range map[string]int{`{"quotes":[{"validThrough":"soon"}]}`: 200, `<html>`: 200, `no`: 403} {
		m.body, m.status = body, status
		if _, _, _, err := s.Quotes(t.Context(), "a"); !errors.Is(err, ErrUnavailable) {
			t.Errorf("%d %s: %v", status, body, err)
		}
	}
}

func TestTakingAndWithdrawing(t *testing.T) {
	m, s := opened(t)
	m.body = `{"productGroupID":"QB-7"}`
	if number, err := s.TakeQuote(t.Context(), "a", "1/2"); err != nil || number != "QB-7" {
		t.Errorf("%s %v", number, err)
	}
	for status, want := range map[int]error{http.StatusGone: ErrExpired, http.StatusNotFound: ErrExpired,
		http.StatusConflict: ErrUnavailable} {
		m.status = status
		if _, err := s.TakeQuote(t.Context(), "a", "1"); !errors.Is(err, want) {
			t.Errorf("%d: %v", status, err)
		}
	}
	m.status, m.body = http.StatusOK, `{}`
	if _, err := s.TakeQuote(t.Context(), "a", "1"); !errors.Is(err, ErrUnavailable) {
		t.Errorf("no number: %v", err)
	}
	for status, fine := range map[int]bool{http.StatusNoContent: true, http.StatusNotFound: true,
		http.StatusForbidden: false} {
		m.status, m.body = status, ""
		if err := s.Withdraw(t.Context(), "a"); (err == nil) != fine {
			t.Errorf("%d: %v", status, err)
		}
	}
}

func TestWhatADatabaseWouldNotKeepIsTakenOut(t *testing.T) {
	spoilt := strings.NewReplacer(`"name":"Mug"`, `"name":"M\u0000ug \\u0000"`, `"name":"Size","value":"L"`,
		`"name":"Size","value":"L\u0000"`, `"identifier":"S1"`, `"identifier":"S\u00001"`).Replace(good)
	o, err := parse([]byte(spoilt))
	if err != nil || o.Title != `Mug \u0000` || o.Variants[0].Values[1] != "L" || o.Supplier.Number != "S1" {
		t.Errorf("%q %q %q: %v", o.Title, o.Variants[0].Values, o.Supplier.Number, err)
	}
	if o,
		err = parse([]byte(strings.Replace(good, `"productGroupID":"Q1"`, `"productGroupID":"\u0000"`,
		1))); err == nil {
		t.Errorf("a number of nothing is %q", o.Number)
	}
}
