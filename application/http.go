package application

import (
	"context"
	"crypto/rand"
	"io/fs"
	"net"
	"net/http"
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
	"plainpelican/web"
)

// Handler serves the API and the front end.
func (a *Application) Handler() http.Handler { return a.router }

func (a *Application) routes() {
	seconds := prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "pelican_request_seconds", Help: "Time to answer, by route.", Buckets: prometheus.DefBuckets}, []string{"method", "route", "status"})
	a.metrics.MustRegister(seconds)
	r := a.router
	r.Use(middleware.RequestID, a.logged(seconds), a.recovered, http.NewCrossOriginProtection().Handler, middleware.RequestSize(16<<20))
	if a.Members.Pool != nil {
		r.Use(a.Members.Identify)
	}
	r.Use(signInLimit(), a.noticed)
	a.register()
	a.API.Raw(access.Public, http.MethodGet, "/healthz", func(w http.ResponseWriter, _ *http.Request) { _, _ = w.Write([]byte("ok\n")) })
	a.API.Raw(access.Public, http.MethodGet, "/readyz", a.ready)
	site := a.site(web.Files())
	a.API.Raw(access.Public, http.MethodGet, "/assets/*", http.StripPrefix("/", cached(http.FileServerFS(web.Files()))).ServeHTTP)
	r.NotFound(func(w http.ResponseWriter, r *http.Request) {
		if r.Method != http.MethodGet || strings.HasPrefix(r.URL.Path, "/api/") {
			http.NotFound(w, r)
			return
		}
		site(w, r)
	})
}

// unasked are the questions that browsers ask by themselves while long work is followed.
var unasked = []string{"/api/sources", "/api/quay", "/api/requests", "/api/progress"}

// noticed lets long work know that somebody is at work.
func (a *Application) noticed(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if strings.HasPrefix(r.URL.Path, "/api/") && !slices.Contains(unasked, r.URL.Path) {
			defer a.Turns.Person()()
		}
		next.ServeHTTP(w, r)
	})
}

// signInLimit slows down who tries many addresses from one place.
func signInLimit() func(http.Handler) http.Handler {
	// The address of the connection: no proxy's word is taken for who is behind it.
	limit := httprate.LimitBy(60, time.Minute, func(r *http.Request) (string, error) {
		host, _, err := net.SplitHostPort(r.RemoteAddr)
		return host, err
	})
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
	_, _ = w.Write([]byte("ready\n"))
}

// logged writes one line a request, with the id that is also in the answer.
func (a *Application) logged(seconds *prometheus.HistogramVec) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			began := time.Now()
			id := middleware.GetReqID(r.Context())
			w.Header().Set("X-Request-Id", id)
			seen := middleware.NewWrapResponseWriter(w, r.ProtoMajor)
			next.ServeHTTP(seen, r)
			route := chi.RouteContext(r.Context()).RoutePattern()
			took := time.Since(began)
			if route != "/api/progress" {
				seconds.WithLabelValues(r.Method, route, strconv.Itoa(seen.Status())).Observe(took.Seconds())
			}
			a.Log.Info("request", "id", id, "method", r.Method, "path", r.URL.Path, "status", seen.Status(), "ms", took.Milliseconds(), "bytes", seen.BytesWritten())
		})
	}
}

func (a *Application) recovered(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		defer func() {
			if p := recover(); p != nil && p != http.ErrAbortHandler { // a panic's value, compared as net/http does
				a.Log.Error("a handler panicked", "id", middleware.GetReqID(r.Context()), "panic", p, "trace", string(debug.Stack()))
				http.Error(w, "Something went wrong on our side.", http.StatusInternalServerError)
			}
		}()
		h := w.Header()
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "same-origin")
		h.Set("Content-Security-Policy", "default-src 'none'; frame-ancestors 'none'")
		next.ServeHTTP(w, r)
	})
}

// site serves the front end's one page at every address that is a place in it. Styles that
// its dialogs add at run time carry the page's nonce.
func (a *Application) site(files fs.FS) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		if file := strings.TrimPrefix(r.URL.Path, "/"); file != "" && file != "index.html" && !strings.HasPrefix(file, ".") {
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
		h.Set("Content-Security-Policy", "default-src 'self'; script-src 'self'; style-src 'self' 'nonce-"+nonce+"'; img-src 'self' data:; connect-src 'self'; object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'")
		_, _ = w.Write([]byte(strings.ReplaceAll(string(page), "__NONCE__", nonce)))
	}
}

func cached(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
		next.ServeHTTP(w, r)
	})
}

// Routes lists every route that is served, as "METHOD path".
func (a *Application) Routes() []string {
	var all []string
	_ = chi.Walk(a.router, func(method, route string, _ http.Handler, _ ...func(http.Handler) http.Handler) error { // the function below never fails
		all = append(all, method+" "+route)
		return nil
	})
	return all
}
