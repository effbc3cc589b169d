// Package testkit gives tests the real things: a database of their own on a real
// PostgreSQL, the stand-ins over HTTP, and the application in front of them.
package testkit

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/netip"
	"net/url"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"golang.org/x/crypto/argon2"

	"plainpelican/application"
	"plainpelican/platform/cluster"
	"plainpelican/platform/database"
	"plainpelican/platform/settings"
	"plainpelican/sources"
	"plainpelican/standins/bazaar"
	"plainpelican/standins/fault"
	"plainpelican/standins/rates"
	"plainpelican/standins/shop"
)

// Root is the project's folder.
func Root() string {
	_, file, _, _ := runtime.Caller(0)
	return filepath.Dir(filepath.Dir(file))
}

// RestartDatabase crashes the server of the tests and starts it again, for a test that runs alone.
func RestartDatabase(t testing.TB) {
	t.Helper()
	c, err := cluster.New(filepath.Join(Root(), ".pelican", "test", "postgres"), true)
	must(t, err)
	must(t, c.Restart())
}

var server = sync.OnceValues(func() (string, error) {
	if url := os.Getenv("PELICAN_TEST_SERVER"); url != "" {
		return url, nil
	}
	dir := filepath.Join(Root(), ".pelican", "test")
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return "", err
	}
	// Packages are tested at once by processes of their own: one starts the server.
	lock, err := os.OpenFile(filepath.Join(dir, "lock"), os.O_CREATE|os.O_RDWR, 0o644)
	if err != nil {
		return "", err
	}
	defer func() { _ = lock.Close() }()
	if err := syscall.Flock(int(lock.Fd()), syscall.LOCK_EX); err != nil {
		return "", err
	}
	c, err := cluster.New(filepath.Join(dir, "postgres"), true)
	if err != nil {
		return "", err
	}
	url, _, err := c.Start(context.Background(), false)
	return url, err
})

// template makes, once for each state of the migrations, the database that others copy.
func template(ctx context.Context, admin *pgx.Conn, server string) (string, error) {
	files, err := filepath.Glob(filepath.Join(Root(), "platform/database/migrations/*.sql"))
	if err != nil {
		return "", err
	}
	hash := sha256.New()
	for _, f := range files {
		data, err := os.ReadFile(f)
		if err != nil {
			return "", err
		}
		hash.Write(data)
	}
	name := "template_" + hex.EncodeToString(hash.Sum(nil))[:16]
	if _, err := admin.Exec(ctx, `select pg_advisory_lock(99)`); err != nil {
		return "", err
	}
	defer func() { _, _ = admin.Exec(ctx, `select pg_advisory_unlock(99)`) }()
	var ready bool
	if err := admin.QueryRow(ctx, `select exists (select from pg_database where datname = $1 and datistemplate)`, name).
		Scan(&ready); err != nil || ready {
		return name, err
	}
	if _, err := admin.Exec(ctx, `drop database if exists `+name); err != nil {
		return "", err
	}
	address, err := cluster.Database(ctx, server, name)
	if err != nil {
		return "", err
	}
	pool, err := database.Open(ctx, address)
	if err != nil {
		return "", err
	}
	err = database.Migrate(ctx, pool)
	pool.Close()
	if err != nil {
		return "", err
	}
	_, err = admin.Exec(ctx, `alter database `+name+` is_template true`)
	return name, err
}

var copies int

// Database gives a test a fresh database with the schema, dropped when the test ends.
func Database(t testing.TB) *pgxpool.Pool {
	t.Helper()
	return databaseFrom(t, template)
}

// EmptyDatabase gives a test a database without a schema, dropped when the test ends.
func EmptyDatabase(t testing.TB) *pgxpool.Pool {
	t.Helper()
	return databaseFrom(t, func(context.Context, *pgx.Conn, string) (string, error) { return "template0", nil })
}

func databaseFrom(t testing.TB, template func(context.Context, *pgx.Conn, string) (string, error)) *pgxpool.Pool {
	t.Helper()
	ctx := context.Background()
	at, err := server()
	must(t, err)
	admin, err := pgx.Connect(ctx, at)
	must(t, err)
	defer func() { _ = admin.Close(ctx) }()
	from, err := template(ctx, admin, at)
	must(t, err)
	copies++
	name := fmt.Sprintf("test_%d_%d_%d", os.Getpid(), copies, time.Now().UnixNano()%1e6)
	_, err = admin.Exec(ctx, `create database `+name+` template `+from)
	must(t, err)
	pool, err := database.Open(ctx, strings.Replace(at, "/postgres?", "/"+name+"?", 1))
	must(t, err)
	t.Cleanup(func() {
		pool.Close()
		last, err := pgx.Connect(ctx, at)
		if err == nil {
			_, _ = last.Exec(ctx, `drop database if exists `+name+` with (force)`)
			_ = last.Close(ctx)
		}
	})
	return pool
}

func must(t testing.TB, err error) {
	t.Helper()
	if err != nil {
		t.Fatal(err)
	}
}

// World is the application with the stand-ins around it.
type World struct {
	t         testing.TB
	App       *application.Application
	URL       string
	Bazaar    *bazaar.Server
	BazaarURL string
	Shop      *shop.Server
	Nord      *shop.Server // the second store, once it is connected
	ShopURL   string
	RatesURL  string
	Owner     *Person
	Settings  settings.Settings
}

// Bazaar is the test's marketplace: like the demo's, smaller and faster.
var Bazaar = bazaar.Settings{Name: "Quayside Bazaar", Seed: 11, Offers: 60, ClientID: "test",
	ClientSecret: "secret-of-test", PerSecond: 500, PictureSize: 96, Balance: 1_000_000}

// Start starts everything, with an owner signed in. The marketplace is not connected yet.
func Start(t testing.TB) *World {
	t.Helper()
	return StartWith(t, Bazaar)
}

// StartWith is Start with another marketplace.
func StartWith(t testing.TB, market bazaar.Settings) *World {
	t.Helper()
	w := &World{t: t}
	pool := Database(t)
	w.Bazaar = bazaar.New(market)
	w.BazaarURL = serve(t, w.Bazaar.Handler())
	store := shop.Goods
	store.PerSecond = 500
	var err error
	w.Shop, err = shop.New(store, t.TempDir())
	must(t, err)
	w.ShopURL = serve(t, w.Shop.Handler())
	w.RatesURL = serve(t, (&rates.Server{Now: time.Now}).Handler()) + "/daily.xml"
	w.Settings = settings.Settings{Key: make([]byte, 32), Data: t.TempDir(),
		AllowNetworks: []netip.Prefix{netip.MustParsePrefix("127.0.0.0/8")}, RatesURL: w.RatesURL, Workers: true}
	w.App, w.URL = w.Instance(pool)
	must(t, w.App.FetchRates(context.Background()))
	_, err = pool.Exec(context.Background(), `insert into member (email, name, role, password_hash)
		values ('olga@example.com', 'Olga', 'owner', $1)`, cheapHash("a long password"))
	must(t, err)
	w.Owner = w.SignIn("olga@example.com", "a long password")
	return w
}

// Member adds a member and signs them in.
func (w *World) Member(email, role string) *Person {
	w.t.Helper()
	name, _, _ := strings.Cut(email, "@")
	_, err := w.App.Pool.Exec(context.Background(), `insert into member (email, name, role, password_hash)
		values ($1, initcap($2), $3, $4)`, email, name, role, cheapHash("a long password"))
	must(w.t, err)
	return w.SignIn(email, "a long password")
}

// cheapHash is an argon2id hash that takes little work, so that tests sign in quickly.
func cheapHash(password string) string {
	b64 := base64.RawStdEncoding.EncodeToString
	salt := []byte("salt of the test")
	return fmt.Sprintf("$argon2id$v=%d$m=64,t=1,p=1$%s$%s", argon2.Version, b64(salt),
		b64(argon2.IDKey([]byte(password), salt, 1, 64, 1, 32)))
}

// Instance starts an application on a database; a second one shares its work.
func (w *World) Instance(pool *pgxpool.Pool) (*application.Application, string) {
	w.t.Helper()
	return w.InstanceAt(pool, w.Settings)
}

// InstanceAt is Instance with other settings; without a public address it is reached where it listens.
func (w *World) InstanceAt(pool *pgxpool.Pool, s settings.Settings) (*application.Application, string) {
	w.t.Helper()
	var handler http.Handler
	front := httptest.NewServer(http.HandlerFunc(func(rw http.ResponseWriter, r *http.Request) {
		handler.ServeHTTP(rw, r)
	}))
	if s.PublicURL == "" {
		s.PublicURL = front.URL
	}
	app, err := application.New(s, pool, slog.New(slog.DiscardHandler))
	must(w.t, err)
	app.Outgoing.Backoff = 10 * time.Millisecond
	app.Publishing.Pause, app.Publishing.Tries = 100*time.Millisecond, 6
	app.Sources.RetryDelay, app.Sources.Retries = 20*time.Millisecond, 2
	handler = app.Handler()
	must(w.t, app.Start(context.Background()))
	w.t.Cleanup(func() {
		front.CloseClientConnections()
		app.Stop()
		front.Close()
	})
	return app, front.URL
}

// Serve serves a further stand-in until the test ends.
func (w *World) Serve(h http.Handler) string { return serve(w.t, h) }

func serve(t testing.TB, h http.Handler) string {
	s := httptest.NewServer(h)
	t.Cleanup(s.Close)
	return s.URL
}

// Fault makes a stand-in misbehave through its control endpoint.
func (w *World) Fault(standin string, p fault.Plan) {
	w.t.Helper()
	body, err := json.Marshal(p)
	must(w.t, err)
	r, err := http.NewRequest(http.MethodPut, standin+"/-/faults", bytes.NewReader(body))
	must(w.t, err)
	answer, err := http.DefaultClient.Do(r)
	must(w.t, err)
	must(w.t, answer.Body.Close())
	if answer.StatusCode != http.StatusOK {
		w.t.Fatalf("setting faults: %s", answer.Status)
	}
}

// Person is somebody with a browser, or a script with a token.
type Person struct {
	w      *World
	client *http.Client
	Token  string
}

// SignIn signs a member in.
func (w *World) SignIn(email, password string) *Person {
	w.t.Helper()
	jar, err := cookiejar.New(nil)
	must(w.t, err)
	p := &Person{w: w, client: &http.Client{Jar: jar, CheckRedirect: func(*http.Request, []*http.Request) error {
		return http.ErrUseLastResponse
	}}}
	p.Must("POST", "/api/session", map[string]string{"email": email, "password": password}, nil)
	return p
}

// Nobody is not signed in; with a token, a script.
func (w *World) Nobody(token string) *Person {
	return &Person{w: w, client: &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error {
		return http.ErrUseLastResponse
	}}, Token: token}
}

// Problem is an RFC 9457 answer.
type Problem struct {
	Status int    `json:"status"`
	Detail string `json:"detail"`
	Errors []struct {
		Location string `json:"location"`
		Message  string `json:"message"`
		// Value is what stands at the location now, where that is told.
		Value json.RawMessage `json:"value"`
	} `json:"errors"`
}

// Field is the field at fault, without where it was sent.
func (p *Problem) Field() string {
	if p == nil || len(p.Errors) == 0 {
		return ""
	}
	return strings.TrimPrefix(p.Errors[0].Location, "body.")
}

// Ask makes a request and reads the answer into into, or returns the problem.
func (p *Person) Ask(method, path string, body, into any) *Problem {
	p.w.t.Helper()
	if body == nil {
		return p.AskRaw(method, path, "", "", into)
	}
	data, err := json.Marshal(body)
	must(p.w.t, err)
	return p.AskRaw(method, path, "application/json", string(data), into)
}

// AskRaw is Ask with a body of some kind as it is; empty is none.
func (p *Person) AskRaw(method, path, kind, body string, into any) *Problem {
	p.w.t.Helper()
	r, err := http.NewRequest(method, p.w.URL+path, strings.NewReader(body))
	must(p.w.t, err)
	if kind != "" {
		r.Header.Set("Content-Type", kind)
	}
	if p.Token != "" {
		r.Header.Set("Authorization", "Bearer "+p.Token)
	}
	answer, err := p.client.Do(r)
	must(p.w.t, err)
	defer func() { _ = answer.Body.Close() }()
	data, err := io.ReadAll(answer.Body)
	must(p.w.t, err)
	if answer.StatusCode >= 400 {
		problem := &Problem{Status: answer.StatusCode, Detail: string(data)}
		_ = json.Unmarshal(data, problem) // or plain text
		return problem
	}
	if into != nil {
		if err := json.Unmarshal(data, into); err != nil {
			p.w.t.Fatalf("%s %s: %v in %s", method, path, err, data)
		}
	}
	return nil
}

// Authorize puts what signs the person in into a request that is made by hand.
func (p *Person) Authorize(r *http.Request) {
	at, err := url.Parse(p.w.URL)
	must(p.w.t, err)
	for _, c := range p.client.Jar.Cookies(at) {
		r.AddCookie(c)
	}
}

// Send sends a file as a browser does and names it.
func (p *Person) Send(name string, content []byte) (up sources.UploadedFile, problem *Problem) {
	p.w.t.Helper()
	r, err := http.NewRequest(http.MethodPost, p.w.URL+"/api/files?name="+url.QueryEscape(name),
		bytes.NewReader(content))
	must(p.w.t, err)
	answer, err := p.client.Do(r)
	must(p.w.t, err)
	defer func() { _ = answer.Body.Close() }()
	data, err := io.ReadAll(answer.Body)
	must(p.w.t, err)
	if answer.StatusCode >= 400 {
		problem = &Problem{Status: answer.StatusCode}
		must(p.w.t, json.Unmarshal(data, problem))
		return up, problem
	}
	must(p.w.t, json.Unmarshal(data, &up))
	return up, nil
}

// Must is Ask, failing the test on a problem.
func (p *Person) Must(method, path string, body, into any) {
	p.w.t.Helper()
	if problem := p.Ask(method, path, body, into); problem != nil {
		p.w.t.Fatalf("%s %s: %d %s", method, path, problem.Status, problem.Detail)
	}
}

// Go follows one link as a browser would and returns where it leads.
func (p *Person) Go(method, address string, form url.Values) string {
	p.w.t.Helper()
	r, err := http.NewRequest(method, address, strings.NewReader(form.Encode()))
	must(p.w.t, err)
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	answer, err := p.client.Do(r)
	must(p.w.t, err)
	defer func() { _ = answer.Body.Close() }()
	return answer.Header.Get("Location")
}

// Kind is the content type of what is served at a path; its status where it is not served.
func (p *Person) Kind(path string) string {
	p.w.t.Helper()
	answer, err := p.client.Get(p.w.URL + path)
	must(p.w.t, err)
	defer func() { _ = answer.Body.Close() }()
	if answer.StatusCode != http.StatusOK {
		return answer.Status
	}
	return answer.Header.Get("Content-Type")
}

// Download reads what is served at a path.
func (p *Person) Download(path string) (string, error) {
	answer, err := p.client.Get(p.w.URL + path)
	if err != nil {
		return "", err
	}
	defer func() { _ = answer.Body.Close() }()
	content, err := io.ReadAll(answer.Body)
	if err == nil && answer.StatusCode != http.StatusOK {
		err = fmt.Errorf("%s: %s", path, answer.Status)
	}
	return string(content), err
}

// Until waits for something that background work brings about.
func Until(t testing.TB, what string, done func() bool) {
	t.Helper()
	for deadline := time.Now().Add(60 * time.Second); time.Now().Before(deadline); time.Sleep(20 * time.Millisecond) {
		if done() {
			return
		}
	}
	t.Fatalf("waited in vain: %s", what)
}

// Migration reads one of the schema's files.
func Migration(t testing.TB, name string) string {
	t.Helper()
	data, err := os.ReadFile(filepath.Join(Root(), "platform/database/migrations", name))
	must(t, err)
	return string(data)
}
