package application

import (
	"bytes"
	"context"
	"crypto/rand"
	"fmt"
	"io/fs"
	"mime"
	"net/http"
	"path"
	"regexp"
	"runtime/debug"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"
	"github.com/go-chi/httprate"
	"github.com/prometheus/client_golang/prometheus"

	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/web"
)

// Handler serves the API and the front end.
func (a *Application) Handler() http.Handler { return a.router }

func (a *Application) routes() {
	seconds := prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "pelican_request_seconds",
		Help: "Time to answer, by route.", Buckets: prometheus.DefBuckets}, []string{"method", "route", "status"})
	a.metrics.MustRegister(seconds)
	r := a.router
	r.Use(identified, a.logged(seconds), a.recovered, a.hosted, http.NewCrossOriginProtection().Handler, ownPages,
		middleware.RequestSize(16<<20))
	r.Use(middleware.Compress(5, "application/json", "application/problem+json", "text/csv", "text/html", "text/plain",
		"application/xml"))
	if a.Members.Pool != nil {
		r.Use(a.Members.Located, a.Members.Identify)
	}
	r.Use(a.signInLimit(), a.noticed)
	a.register()
	a.API.Raw(access.Public, http.MethodGet, "/healthz", func(w http.ResponseWriter, _ *http.Request) {
		_, _ = w.Write([]byte("ok\n"))
	})
	a.API.Raw(access.Public, http.MethodGet, "/readyz", a.ready)
	site := a.site(web.Files())
	a.API.Raw(access.Public, http.MethodGet, "/assets/*", http.StripPrefix("/", cached(packed(web.Files()))).ServeHTTP)
	r.NotFound(func(w http.ResponseWriter, r *http.Request) {
		if r.Method != http.MethodGet || strings.HasPrefix(r.URL.Path, "/api/") {
			apikit.WriteProblem(w, http.StatusNotFound, "", "There is nothing at this address.")
			return
		}
		site(w, r)
	})
	r.MethodNotAllowed(func(w http.ResponseWriter, _ *http.Request) {
		apikit.WriteProblem(w, http.StatusMethodNotAllowed, "", "This address does not take that method.")
	})
}

// unasked are the questions that browsers ask by themselves while long work is followed.
var unasked = []string{"/api/sources", "/api/header", "/api/requests", "/api/progress"}

// noticed lets long work know that somebody is at work.
func (a *Application) noticed(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if strings.HasPrefix(r.URL.Path, "/api/") && !slices.Contains(unasked, r.URL.Path) {
			defer a.Throttle.Interactive()()
		}
		next.ServeHTTP(w, r)
	})
}

// signInLimit bounds how often one place may try to sign in at all; what is tried at one member is
// counted in the database.
func (a *Application) signInLimit() func(http.Handler) http.Handler {
	limit := httprate.LimitBy(300, time.Minute, func(r *http.Request) (string, error) {
		return a.clientAddress(r).String(), nil
	},
		httprate.WithLimitHandler(func(w http.ResponseWriter, _ *http.Request) {
			apikit.WriteProblem(w, http.StatusTooManyRequests, "",
				"Too many attempts from your address. Try again in a minute.")
		}))
	return func(next http.Handler) http.Handler {
		limited := limit(next)
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if r.URL.Path == "/api/session" && r.Method == http.MethodPost {
				limited.ServeHTTP(w, r)
				return
			}
			next.ServeHTTP(w, r)
		})
	}
}

func (a *Application) ready(w http.ResponseWriter, r *http.Request) {
	ctx, cancel := context.WithTimeout(r.Context(), 2*time.Second)
	defer cancel()
	if err := a.Pool.Ping(ctx); err != nil {
		http.Error(w, "the database does not answer", http.StatusServiceUnavailable)
		return
	}
	if err := a.Blobs.Writable(); err != nil {
		http.Error(w, err.Error(), http.StatusServiceUnavailable)
		return
	}
	skipped, err := a.Search.Ready()
	if err != nil {
		http.Error(w, err.Error(), http.StatusServiceUnavailable)
		return
	}
	_, _ = w.Write([]byte("ready\n"))
	if skipped > 0 {
		_, _ = fmt.Fprintf(w, "%d offers cannot be read and are not in the catalog; the log names them\n", skipped)
	}
}

// logged writes one line a request, with the id that is also in the answer.
func (a *Application) logged(seconds *prometheus.HistogramVec) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			began := time.Now()
			id := middleware.GetReqID(r.Context())
			seen := middleware.NewWrapResponseWriter(w, r.ProtoMajor)
			ctx, counter := database.WithCounter(r.Context())
			next.ServeHTTP(seen, r.WithContext(ctx))
			route := chi.RouteContext(r.Context()).RoutePattern()
			took := time.Since(began)
			if route != "/api/progress" {
				seconds.WithLabelValues(methodLabel(r.Method), route, strconv.Itoa(seen.Status())).
					Observe(took.Seconds())
			}
			a.Log.Info("request", "id", id, "method", methodLabel(r.Method), "path", short(r.URL.Path), "status",
				seen.Status(), "ms", took.Milliseconds(), "bytes", seen.BytesWritten(), "statements",
				counter.Statements())
		})
	}
}

func (a *Application) recovered(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		defer func() {
			if p := recover(); p != nil && p != http.ErrAbortHandler { // a panic's value, compared as net/http does
				a.Log.Error("a handler panicked", "id", middleware.GetReqID(r.Context()), "panic", p, "trace",
					string(debug.Stack()))
				apikit.WriteProblem(w, http.StatusInternalServerError, "", apikit.OurSide)
			}
		}()
		h := w.Header()
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "same-origin")
		h.Set("X-Frame-Options", "DENY")
		if strings.HasPrefix(a.Settings.PublicURL, "https:") {
			h.Set("Strict-Transport-Security", "max-age=31536000")
		}
		h.Set("Content-Security-Policy", "default-src 'none'; frame-ancestors 'none'")
		next.ServeHTTP(w, r)
	})
}

// ahead is where the page names the files of a view: its address, and they.
var ahead = regexp.MustCompile(`<!--ahead (\S+) ([^>]*?)-->\n?`)

// withAhead has the browser fetch the files of the view at a path together with those of the page.
func withAhead(page []byte, path string) []byte {
	if path == "/" {
		path = "/catalog"
	}
	return ahead.ReplaceAllFunc(page, func(line []byte) []byte {
		part := ahead.FindSubmatch(line)
		if view := string(part[1]); path != view && !strings.HasPrefix(path, view+"/") {
			return nil
		}
		var links []byte
		for file := range strings.FieldsSeq(string(part[2])) {
			links = fmt.Appendf(links, "<link rel=\"modulepreload\" crossorigin href=%q>\n", file)
		}
		return links
	})
}

// site serves the front end's one page at every address that is a place in it. Styles that
// its dialogs add at run time carry the page's nonce.
func (a *Application) site(files fs.FS) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		if file := strings.TrimPrefix(r.URL.Path, "/"); file != "" && file != "index.html" &&
			!strings.HasPrefix(file, ".") {
			if info, err := fs.Stat(files, file); err == nil && !info.IsDir() {
				http.ServeFileFS(w, r, files, file)
				return
			}
		}
		page, err := fs.ReadFile(files, "index.html")
		if err != nil {
			http.Error(w, "The front end has not been built: run make build.", http.StatusServiceUnavailable)
			return
		}
		nonce := rand.Text()
		h := w.Header()
		h.Set("Content-Type", "text/html; charset=utf-8")
		h.Set("Cache-Control", "no-store")
		h.Set("Content-Security-Policy", "default-src 'self'; script-src 'self'; style-src 'self' 'nonce-"+nonce+
			"'; img-src 'self' data: blob:; connect-src 'self'; object-src 'none'; base-uri 'none'; form-action "+
			"'self'; frame-ancestors 'none'")
		_, _ = w.Write([]byte(strings.ReplaceAll(string(withAhead(page, r.URL.Path)), "__NONCE__", nonce)))
	}
}

func cached(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
		next.ServeHTTP(w, r)
	})
}

// packed serves files that were compressed when the front end was built, in the first form that the browser
// takes, and as they are to others.
func packed(files fs.FS) http.Handler {
	plain := http.FileServerFS(files)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Add("Vary", "Accept-Encoding")
		for _, form := range []struct{ coding, ending string }{{"br", ".br"}, {"gzip", ".gz"}} {
			if !accepts(r, form.coding) {
				continue
			}
			content, err := fs.ReadFile(files, strings.TrimPrefix(path.Clean(r.URL.Path), "/")+form.ending)
			if err != nil {
				continue
			}
			w.Header().Set("Content-Encoding", form.coding)
			w.Header().Set("Content-Type", mime.TypeByExtension(path.Ext(r.URL.Path)))
			http.ServeContent(w, r, r.URL.Path, time.Time{}, bytes.NewReader(content))
			return
		}
		plain.ServeHTTP(w, r)
	})
}

// accepts tells whether a request takes a content coding (RFC 9110, section 12.5.3).
func accepts(r *http.Request, coding string) bool {
	for _, part := range strings.Split(strings.Join(r.Header.Values("Accept-Encoding"), ","), ",") {
		name, weight, _ := strings.Cut(strings.TrimSpace(part), ";")
		if strings.EqualFold(strings.TrimSpace(name), coding) {
			return strings.Trim(strings.TrimPrefix(strings.ReplaceAll(weight, " ", ""), "q="), "0.") != "" ||
				weight == ""
		}
	}
	return false
}

// Routes lists every route that is served, as "METHOD path".
func (a *Application) Routes() []string {
	var all []string
	// the function below never fails
	_ = chi.Walk(a.router, func(method, route string, _ http.Handler, _ ...func(http.Handler) http.Handler) error {
		all = append(all, method+" "+route)
		return nil
	})
	return all
}
