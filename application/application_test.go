package application_test

import (
	"bytes"
	"encoding/json"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"plainpelican/application"
	"plainpelican/platform/access"
	"plainpelican/testkit"
)

// public are the only operations that nobody has to sign in for.
var public = []string{"GET /track/look.css", "GET /track/{key}", "POST /api/session", "GET /api/openapi.json",
	"GET /healthz", "GET /readyz", "GET /assets/*",
	"POST /connect/webhooks/{key}"} // who speaks there is known by their signature

func call(t *testing.T, w *testkit.World, method, path, token string, header map[string]string) *http.Response {
	t.Helper()
	r, err := http.NewRequest(method, w.URL+path, strings.NewReader("{}"))
	if err != nil {
		t.Fatal(err)
	}
	r.Header.Set("Content-Type", "application/json")
	if token != "" {
		r.Header.Set("Authorization", "Bearer "+token)
	}
	for k, v := range header {
		r.Header.Set(k, v)
	}
	answer, err := http.DefaultTransport.RoundTrip(r)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = answer.Body.Close() })
	return answer
}

// Every route of the application is walked with every role.
func TestRolesHoldOnEveryRoute(t *testing.T) {
	w := testkit.Start(t)
	tokens := map[access.Role]string{access.Public: ""}
	for _, role := range []access.Role{access.OrderHandler, access.Fulfiller, access.Editor, access.Owner} {
		var made struct {
			Secret string `json:"secret"`
		}
		w.Owner.Must("POST", "/api/tokens", map[string]string{"name": string(role), "role": string(role)}, &made)
		tokens[role] = made.Secret
	}
	routes := w.App.API.Roles()
	if len(routes) < 30 {
		t.Fatalf("only %d routes are known", len(routes))
	}
	for route, needs := range routes {
		if (needs == access.Public) != slices.Contains(public, route) {
			t.Errorf("%s is open to %q", route, needs)
		}
		method, path, _ := strings.Cut(route, " ")
		if path == "/api/progress" {
			continue // never ends; its role is checked below
		}
		path = strings.NewReplacer("{id}", "999", "{offer}", "999", "{place}", "0", "{attempt}", "x").Replace(path)
		for role, token := range tokens {
			answer := call(t, w, method, path, token, nil)
			refused := answer.StatusCode == http.StatusUnauthorized || answer.StatusCode == http.StatusForbidden
			if said, _ := io.ReadAll(answer.Body); strings.Contains(string(said), "A token cannot do this") {
				refused = false // its role would do: only people may
			}
			if route == "POST /api/session" {
				continue
			}
			if refused == role.Allows(needs) {
				t.Errorf("%s needs %q; %q got %s", route, needs, role, answer.Status)
			}
			if want := map[bool]int{true: http.StatusUnauthorized,
				false: http.StatusForbidden}[role == access.Public]; refused && answer.StatusCode != want {
				t.Errorf("%s as %q: %s", route, role, answer.Status)
			}
		}
	}
	if answer := call(t, w, "GET", "/api/progress", "", nil); answer.StatusCode != http.StatusUnauthorized {
		t.Errorf("progress is open: %s", answer.Status)
	}
}

// Routes that were registered beside the one mechanism would be missed by the walk above.
func TestEveryRouteGoesThroughTheOneMechanism(t *testing.T) {
	w := testkit.Start(t)
	known := w.App.API.Roles()
	for _, route := range w.App.Routes() {
		if _, ok := known[route]; !ok {
			t.Errorf("%s has no role", route)
		}
	}
}

func TestCrossOriginRequestsAreRefused(t *testing.T) {
	w := testkit.Start(t)
	for name, header := range map[string]map[string]string{
		"from another site": {"Sec-Fetch-Site": "cross-site"}, "from a sibling": {"Sec-Fetch-Site": "same-site"},
		"an old browser": {"Origin": "https://elsewhere.example"},
	} {
		if answer := call(t, w, "POST", "/api/session", "", header); answer.StatusCode != http.StatusForbidden {
			t.Errorf("%s: %s", name, answer.Status)
		}
	}
	if answer := call(t, w, "POST", "/api/session", "",
		map[string]string{"Sec-Fetch-Site": "same-origin"}); answer.StatusCode == http.StatusForbidden {
		t.Errorf("our own: %s", answer.Status)
	}
}

func TestHeaders(t *testing.T) {
	w := testkit.Start(t)
	for path, policy := range map[string]string{"/": "script-src 'self'", "/catalog": "frame-ancestors 'none'",
		"/api/me": "default-src 'none'"} {
		answer := call(t, w, "GET", path, "", nil)
		if got := answer.Header.Get("Content-Security-Policy"); !strings.Contains(got, policy) ||
			strings.Contains(got, "unsafe") {
			t.Errorf("%s: %s", path, got)
		}
		if answer.Header.Get("X-Content-Type-Options") != "nosniff" || answer.Header.Get("X-Request-Id") == "" {
			t.Errorf("%s: %v", path, answer.Header)
		}
	}
	first := call(t, w, "GET", "/", "", nil).Header.Get("Content-Security-Policy")
	if first == call(t, w, "GET", "/", "", nil).Header.Get("Content-Security-Policy") {
		t.Error("the nonce is the same twice")
	}
}

// The files of a view are on their way with the page, those of other views are not. The front end must be built.
func TestThePageBringsTheFilesOfItsView(t *testing.T) {
	w := testkit.Start(t)
	linked := regexp.MustCompile(`<link rel="modulepreload" crossorigin href="/assets/(catalog|workbench|orders)-`)
	for path, want := range map[string]string{"/": "catalog", "/catalog": "catalog", "/workbench": "workbench",
		"/workbench/12": "workbench", "/orders": "orders", "/ordersx": "", "/members": ""} {
		page, err := io.ReadAll(call(t, w, "GET", path, "", nil).Body)
		if err != nil {
			t.Fatal(err)
		}
		var got []string
		for _, found := range linked.FindAllSubmatch(page, -1) {
			got = append(got, string(found[1]))
		}
		if strings.Join(got, " ") != want || bytes.Contains(page, []byte("<!--ahead")) {
			t.Errorf("%s brings %q, want %q", path, got, want)
		}
	}
}

func TestErrorsAreProblems(t *testing.T) {
	w := testkit.Start(t)
	answer := call(t, w, "GET", "/api/me", "", nil)
	var problem map[string]any
	if err := json.NewDecoder(answer.Body).Decode(&problem); err != nil ||
		answer.Header.Get("Content-Type") != "application/problem+json" {
		t.Fatalf("%s %v", answer.Header.Get("Content-Type"), err)
	}
	if problem["status"] != 401.0 || problem["detail"] != "Sign in first." || problem["title"] == "" {
		t.Errorf("%v", problem)
	}
}

func TestHealthAndMetrics(t *testing.T) {
	w := testkit.Start(t)
	testkit.Until(t, "the index", func() bool { return call(t, w, "GET", "/readyz", "", nil).StatusCode == 200 })
	for path, want := range map[string]int{"/healthz": 200, "/readyz": 200, "/api/nothing": 404, "/metrics": 401} {
		if answer := call(t, w, "GET", path, "", nil); answer.StatusCode != want {
			t.Errorf("%s: %s", path, answer.Status)
		}
	}
	var made struct {
		Secret string `json:"secret"`
	}
	w.Owner.Must("POST", "/api/tokens", map[string]string{"name": "metrics", "role": "fulfiller"}, &made)
	body, err := io.ReadAll(call(t, w, "GET", "/metrics", made.Secret, nil).Body)
	if err != nil ||
		!strings.Contains(string(body), `pelican_request_seconds_count{method="GET",route="/healthz",status="200"}`) {
		t.Errorf("%v: %.300s", err, body)
	}
}

func TestTheDocumentIsUpToDate(t *testing.T) {
	document, err := application.Document()
	if err != nil {
		t.Fatal(err)
	}
	kept, err := os.ReadFile(filepath.Join(testkit.Root(), "docs", "openapi.json"))
	if err != nil || strings.TrimSpace(string(kept)) != string(document) {
		t.Errorf("docs/openapi.json is not what the Go types say (%v): run make generate", err)
	}
	if !strings.Contains(string(document), `"openapi": "3.1.0"`) {
		t.Error("it is not OpenAPI 3.1")
	}
}

func TestTheDatabaseGoesAwayAndComesBack(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	if _, err := w.App.Pool.Exec(t.Context(), `select pg_terminate_backend(pid) from pg_stat_activity
		where datname = current_database() and pid <> pg_backend_pid()`); err != nil {
		t.Fatal(err)
	}
	straight := 0
	testkit.Until(t, "answers again, every time", func() bool {
		if problem := w.Owner.Ask("GET", "/api/header?store=1", nil, nil); problem == nil {
			straight++
		} else if straight = 0; problem.Status < 500 {
			t.Fatalf("while the database was away: %+v", problem)
		}
		return straight == 30
	})
	id := w.Take(w.Offer(0))[0]
	if run := w.Publish(1, id); run.Published != 1 {
		t.Errorf("jobs did not recover: %+v", run.Items)
	}
}
