package application_test

import (
	"compress/gzip"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/netip"
	"strings"
	"testing"

	"plainpelican/testkit"
)

func TestForeignHostsPagesAndIdsAreRefused(t *testing.T) {
	w := testkit.Start(t)
	ask := func(method, path string, change func(*http.Request)) *http.Response {
		t.Helper()
		r, err := http.NewRequest(method, w.URL+path, nil)
		if err != nil {
			t.Fatal(err)
		}
		change(r)
		answer, err := http.DefaultTransport.RoundTrip(r)
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { _ = answer.Body.Close() })
		return answer
	}
	if answer := ask("GET", "/api/me", func(r *http.Request) {
		r.Host = "rebound.example"
	}); answer.StatusCode != http.StatusMisdirectedRequest {
		t.Errorf("an unknown host: %s", answer.Status)
	}
	testkit.Until(t, "the index", func() bool {
		return ask("GET", "/readyz", func(*http.Request) {}).StatusCode == http.StatusOK
	})
	if answer := ask("GET", "/readyz", func(r *http.Request) {
		r.Host = "10.0.0.7"
	}); answer.StatusCode != http.StatusOK {
		t.Errorf("a probe by address: %s", answer.Status)
	}
	for _, path := range []string{"/api/me", "/pictures/1/0"} {
		if answer := ask("GET", path, func(r *http.Request) {
			r.Header.Set("Sec-Fetch-Site", "cross-site")
		}); answer.StatusCode != http.StatusForbidden {
			t.Errorf("%s from another site: %s", path, answer.Status)
		}
	}
	if answer := ask("GET", "/catalog", func(r *http.Request) {
		r.Header.Set("Sec-Fetch-Site", "cross-site")
	}); answer.StatusCode != http.StatusOK {
		t.Errorf("a link from another site: %s", answer.Status)
	}
	if answer := ask("GET", "/api/me", func(r *http.Request) {
		r.Header.Set("X-Request-Id", "mine-forged")
	}); strings.Contains(answer.Header.Get("X-Request-Id"), "mine") {
		t.Error("a caller's own id is taken over")
	}
	if answer := ask("GET", "/api/alternatives?link=http://127.0.0.1/", func(r *http.Request) {
		r.Header.Set("Sec-Fetch-Site", "same-origin")
	}); answer.StatusCode != http.StatusMethodNotAllowed {
		t.Errorf("a GET that fetches: %s", answer.Status)
	}
}

func TestInventedMethodsAreOneLabel(t *testing.T) {
	w := testkit.Start(t)
	for i := range 50 {
		call(t, w, fmt.Sprintf("MADEUP%d", i), "/api/me", "", nil)
	}
	var made struct {
		Secret string `json:"secret"`
	}
	w.Owner.Must("POST", "/api/tokens", map[string]string{"name": "metrics", "role": "fulfiller"}, &made)
	body, err := io.ReadAll(call(t, w, "GET", "/metrics", made.Secret, nil).Body)
	if err != nil || strings.Contains(string(body), "MADEUP") || !strings.Contains(string(body), `method="other"`) {
		t.Errorf("%v: %.500s", err, body)
	}
}

func TestAnswersAreCompressed(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	var made struct {
		Secret string `json:"secret"`
	}
	w.Owner.Must("POST", "/api/tokens", map[string]string{"name": "x", "role": "fulfiller"}, &made)
	answer := call(t, w, "GET", "/api/offers", made.Secret, map[string]string{"Accept-Encoding": "gzip"})
	if answer.Header.Get("Content-Encoding") != "gzip" {
		t.Fatalf("%v", answer.Header)
	}
	plain, err := gzip.NewReader(answer.Body)
	if err != nil {
		t.Fatal(err)
	}
	var found struct{ Total int }
	if err := json.NewDecoder(plain).Decode(&found); err != nil || found.Total == 0 {
		t.Errorf("%v %v", found, err)
	}
	page, err := io.ReadAll(call(t, w, "GET", "/", "", nil).Body)
	if err != nil {
		t.Fatal(err)
	}
	_, after, _ := strings.Cut(string(page), `src="/assets/`)
	script, _, _ := strings.Cut(after, `"`)
	for accept, want := range map[string]string{"br, gzip": "br", "gzip;q=1.0": "gzip", "br;q=0": "", "": ""} {
		asset := call(t, w, "GET", "/assets/"+script, "", map[string]string{"Accept-Encoding": accept})
		if asset.StatusCode != 200 || asset.Header.Get("Content-Encoding") != want ||
			!strings.Contains(asset.Header.Get("Content-Type"), "javascript") ||
			!strings.Contains(asset.Header.Get("Vary"), "Accept-Encoding") {
			t.Errorf("%q: %s %v", accept, asset.Status, asset.Header)
		}
	}
}

// What is wrong inside stays inside: a sentence goes out, with the id that the log has.
func TestRawErrorsStayInside(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	id := w.Take(w.Offer(0))[0]
	problem := w.Owner.Ask("PATCH", fmt.Sprintf("/api/drafts/%d?store=1", id),
		map[string]any{"title": "a\u0000b"}, nil)
	if problem == nil || problem.Status != 422 || !strings.Contains(problem.Detail, "U+0000") {
		t.Errorf("%+v", problem)
	}
	if _, err := w.App.Pool.Exec(t.Context(), `alter table draft rename column title to gone`); err != nil {
		t.Fatal(err)
	}
	problem = w.Owner.Ask("GET", fmt.Sprintf("/api/drafts/%d?store=1", id), nil, nil)
	if problem == nil || problem.Status != 500 || strings.Contains(problem.Detail, "SQLSTATE") ||
		strings.Contains(problem.Detail, "column") || !strings.Contains(problem.Detail, "on our side") {
		t.Errorf("%+v", problem)
	}
}

func TestHTTPSIsHeldTo(t *testing.T) {
	w := testkit.Start(t)
	w.Settings.PublicURL = "https://pelican.example"
	_, url := w.InstanceAt(w.App.Pool, w.Settings)
	r, err := http.NewRequest("POST", url+"/api/session",
		strings.NewReader(`{"email":"olga@example.com","password":"a long password"}`))
	if err != nil {
		t.Fatal(err)
	}
	r.Header.Set("Content-Type", "application/json")
	answer, err := http.DefaultTransport.RoundTrip(r)
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = answer.Body.Close() }()
	cookies := strings.Join(answer.Header.Values("Set-Cookie"), "; ")
	if answer.StatusCode != 200 || answer.Header.Get("Strict-Transport-Security") == "" ||
		!strings.Contains(cookies, "__Host-session=") || !strings.Contains(cookies, "Secure") {
		t.Errorf("%s %q %v", answer.Status, cookies, answer.Header)
	}
}

// Whoever stands behind a proxy that the operator named is counted by their own address, IPv6 by its half.
func TestWhoStandsBehindAProxy(t *testing.T) {
	w := testkit.Start(t)
	w.Settings.Proxies = []netip.Prefix{netip.MustParsePrefix("127.0.0.0/8"), netip.MustParsePrefix("10.0.0.0/8")}
	_, url := w.InstanceAt(w.App.Pool, w.Settings)
	for _, forwarded := range []string{"6.6.6.6, 203.0.113.7", "203.0.113.7, 10.0.0.3", "2001:db8:1:2:3::4",
		"2001:db8:1:2:ffff::1"} {
		r, err := http.NewRequest("POST", url+"/api/session",
			strings.NewReader(`{"email":"olga@example.com","password":"guess"}`))
		if err != nil {
			t.Fatal(err)
		}
		r.Header.Set("Content-Type", "application/json")
		r.Header.Set("X-Forwarded-For", forwarded)
		answer, err := http.DefaultTransport.RoundTrip(r)
		if err != nil {
			t.Fatal(err)
		}
		_ = answer.Body.Close()
	}
	var networks string
	if err := w.App.Pool.QueryRow(t.Context(), `select string_agg(network, ' ' order by id)
		from sign_in_attempt`).Scan(&networks); err != nil ||
		networks != "203.0.113.7 203.0.113.7 2001:db8:1:2::/64 2001:db8:1:2::/64" {
		t.Errorf("%s %v", networks, err)
	}
}
