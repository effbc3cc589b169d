package fault

import (
	"errors"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"
)

func start(t *testing.T) (url string, done *int, control *Control) {
	t.Helper()
	n := 0
	control = &Control{}
	s := httptest.NewServer(control.Wrap(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		n++
		_, _ = io.WriteString(w, strings.Repeat("x", 2000))
	})))
	t.Cleanup(s.Close)
	return s.URL, &n, control
}

// get returns the status and how many bytes came; a status of 0 is no answer.
func get(t *testing.T, url string) (status, size int) {
	t.Helper()
	// On a connection of its own: a client asks again by itself where a kept one was cut.
	once := http.Client{Transport: &http.Transport{DisableKeepAlives: true}}
	answer, err := once.Get(url)
	if err != nil {
		return 0, 0
	}
	defer func() { _ = answer.Body.Close() }()
	body, err := io.ReadAll(answer.Body)
	if err != nil && !errors.Is(err, io.ErrUnexpectedEOF) {
		t.Fatal(err)
	}
	return answer.StatusCode, len(body)
}

func TestEachFault(t *testing.T) {
	url, done, control := start(t)
	for name, c := range map[string]struct {
		plan                Plan
		status, size, times int
	}{
		"none":                   {Plan{}, 200, 2000, 1},
		"down":                   {Plan{Down: true}, 0, 0, 0},
		"too many":               {Plan{TooMany: 1, RetryAfter: 7}, 429, -1, 0},
		"errors":                 {Plan{ErrorPercent: 100}, 503, -1, 0},
		"cut after the work":     {Plan{CutAfter: 1}, 0, 0, 1},
		"truncated":              {Plan{Truncate: true}, 200, 1000, 1},
		"slow":                   {Plan{SlowBody: true, LatencyMS: 30}, 200, 2000, 1},
		"only for another place": {Plan{Down: true, Only: "POST /other"}, 200, 2000, 1},
	} {
		*done = 0
		control.Set(c.plan)
		began := time.Now()
		status, size := get(t, url)
		if status != c.status || (c.size >= 0 && size != c.size) || *done != c.times {
			t.Errorf("%s: %d, %d bytes, worked %d times", name, status, size, *done)
		}
		if c.plan.LatencyMS > 0 && time.Since(began) < 30*time.Millisecond {
			t.Errorf("%s: it came at once", name)
		}
	}
}

func TestCountedFaultsRunOut(t *testing.T) {
	url, _, control := start(t)
	control.Set(Plan{TooMany: 2})
	for n, want := range []int{429, 429, 200} {
		if status, _ := get(t, url); status != want {
			t.Errorf("request %d: %d", n+1, status)
		}
	}
}

func TestTheControlEndpoint(t *testing.T) {
	url, _, control := start(t)
	told := Plan{}
	control.OnChange = func(p Plan) { told = p }
	r, err := http.NewRequest("PUT", url+"/-/faults", strings.NewReader(`{"latency_ms": 5, "only": "/x"}`))
	if err != nil {
		t.Fatal(err)
	}
	answer, err := http.DefaultClient.Do(r)
	if err != nil {
		t.Fatal(err)
	}
	_ = answer.Body.Close()
	if control.Plan().LatencyMS != 5 || told.Only != "/x" {
		t.Errorf("%+v", control.Plan())
	}
	elsewhere := httptest.NewRequest("GET", "/-/faults", nil)
	elsewhere.RemoteAddr = "203.0.113.9:4000"
	seen := httptest.NewRecorder()
	control.Wrap(http.NotFoundHandler()).ServeHTTP(seen, elsewhere)
	if seen.Code != http.StatusNotFound {
		t.Errorf("from elsewhere it answers %d", seen.Code)
	}
}
