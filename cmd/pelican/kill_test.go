package main

import (
	"context"
	"encoding/base64"
	"io"
	"log/slog"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"os"
	"os/exec"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"

	"plainpelican/application"
	"plainpelican/core/landed"
	"plainpelican/platform/settings"
	"plainpelican/sources"
	"plainpelican/standins/bazaar"
	"plainpelican/standins/wholesale"
	"plainpelican/testkit"
)

// toTakeIn is a database with a marketplace and a price list whose imports wait for a worker.
func toTakeIn(t *testing.T, data, market, list string) *pgxpool.Pool {
	t.Helper()
	pool := testkit.Database(t)
	a, err := application.New(settings.Settings{Key: make([]byte, 32), Data: data,
		AllowNetworks: []netip.Prefix{netip.MustParsePrefix("127.0.0.0/8")}}, pool, slog.New(slog.DiscardHandler))
	if err != nil {
		t.Fatal(err)
	}
	ctx := context.Background()
	if err := a.Jobs.Start(ctx, false); err != nil {
		t.Fatal(err)
	}
	if _,
		err := a.Sources.Connect(ctx,
		sources.Credentials{Address: market, ClientID: "test", ClientSecret: "secret"}); err != nil {
		t.Fatal(err)
	}
	looked, err := a.Sources.Analyze(ctx, sources.PriceListInput{Address: list})
	if err != nil {
		t.Fatal(err)
	}
	layout := looked.Layout
	layout.Country, layout.Supplier = "DE", "Northlight Wholesale"
	layout.Processing = landed.Days{Min: 1, Max: 2}
	if _,
		err := a.Sources.ConnectList(ctx,
		sources.PriceListInput{File: looked.File, Address: list, Layout: &layout}); err != nil {
		t.Fatal(err)
	}
	return pool
}

// serveOn starts the binary on a database.
func serveOn(t *testing.T, pool *pgxpool.Pool, data string, port string) *exec.Cmd {
	t.Helper()
	binary, err := built()
	if err != nil {
		t.Fatal(err)
	}
	cmd := exec.Command(binary, "serve")
	cmd.Env = append(os.Environ(), "DATABASE_URL="+pool.Config().ConnString(),
		"PELICAN_KEY="+base64.StdEncoding.EncodeToString(make([]byte, 32)), "PELICAN_DATA="+data,
		"PELICAN_ALLOW_NETWORKS=127.0.0.0/8", "PELICAN_LISTEN=127.0.0.1:"+port)
	cmd.Stdout, cmd.Stderr = io.Discard, io.Discard
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	return cmd
}

func count(t *testing.T, pool *pgxpool.Pool, sql string) (n int) {
	t.Helper()
	if err := pool.QueryRow(context.Background(), sql).Scan(&n); err != nil {
		t.Fatal(err)
	}
	return n
}

// rowForRow sums up everything on the shelf but the ids and the moments.
func rowForRow(t *testing.T, pool *pgxpool.Pool) (sum string) {
	t.Helper()
	err := pool.QueryRow(context.Background(), `
		select count(*) || ' rows, ' || md5(string_agg(line, e'\n' order by line)) from (
			select to_jsonb(o)::jsonb - 'id' - 'supplier_id' - 'updated_at' - 'first_seen' || `+
		`jsonb_build_object('supplier', u.number) || '{}' as row, null as v from offer o
			join supplier u on u.id = o.supplier_id
			union all select to_jsonb(v) - 'id' - 'offer_id' || jsonb_build_object('offer', o.number), null
			from offer_variant v join offer o on o.id = v.offer_id) x, lateral (select row::text as line) y`).Scan(&sum)
	if err != nil {
		t.Fatal(err)
	}
	return sum
}

// kill -9 at twenty random moments of two imports, started again each time: the end state is
// that of undisturbed imports, row for row.
func TestKilledTwentyTimesAnIntakeEndsAsIfUndisturbed(t *testing.T) {
	market := httptest.NewServer(
		bazaar.New(bazaar.Settings{Name: "Quayside Bazaar", Seed: 11, Offers: 3000, ClientID: "test",
			ClientSecret: "secret", PerSecond: 500, PictureSize: 100, PageSize: 20, Slow: 20 * time.Millisecond}).
			Handler())
	t.Cleanup(market.Close)
	wholesaler := wholesale.New(1500).Handler()
	lists := httptest.NewServer(http.HandlerFunc(wholesaler.ServeHTTP))
	t.Cleanup(lists.Close)
	list := lists.URL + "/price-list.csv"
	data := t.TempDir()
	finished := `select count(*) from import_run where state = 'finished'`

	calm := toTakeIn(t, data, market.URL, list)
	app := serveOn(t, calm, data, "21995")
	until(t, "undisturbed imports", 60*time.Second, func() bool { return count(t, calm, finished) == 2 })
	_ = app.Process.Kill()
	_ = app.Wait()
	want := rowForRow(t, calm)

	pool := toTakeIn(t, data, market.URL, list)
	r := rand.New(rand.NewPCG(9, 9))
	// done is how far each import is that has not ended.
	done := func() map[int64]int {
		rows, err := pool.Query(context.Background(), `select id, seen + merged from import_run
			where state <> 'finished'`)
		if err != nil {
			t.Fatal(err)
		}
		at := map[int64]int{}
		var id int64
		var n int
		if _, err := pgx.ForEachRow(rows, []any{&id, &n}, func() error { at[id] = n; return nil }); err != nil {
			t.Fatal(err)
		}
		return at
	}
	under := 0
	for range 20 {
		before := done()
		app := serveOn(t, pool, data, "21995")
		// However slow the machine, it is killed at work: some moment after all of its work has moved on, so that
		// none uses up its attempts while the other is quick.
		until(t, "the work to go on", 60*time.Second, func() bool {
			for id, now := range done() {
				if now <= before[id] {
					return false
				}
			}
			return true
		})
		time.Sleep(time.Duration(r.IntN(150)) * time.Millisecond)
		under += min(count(t, pool, `select count(*) from import_run where state = 'running'`), 1)
		_ = app.Process.Kill()
		_ = app.Wait()
	}
	app = serveOn(t, pool, data, "21995")
	until(t, "the imports' end", 60*time.Second, func() bool { return count(t, pool, finished) == 2 })
	_ = app.Process.Kill()
	_ = app.Wait()
	if got := rowForRow(t, pool); got != want {
		t.Errorf("%s, undisturbed %s", got, want)
	}
	if under < 10 {
		t.Errorf("only %d of 20 kills hit an import under way", under)
	}
	for what, sql := range map[string]string{"staging tables": `select count(*) from pg_class
		where relname ~ '^staged_(offer|variant)_[0-9]+$'`, "imports that do not add up": `select count(*)
			from import_run where added + changed + unchanged + rejected < seen`} {
		if n := count(t, pool, sql); n != 0 {
			t.Errorf("%d %s are left", n, what)
		}
	}
	t.Logf("%d of 20 kills hit an import under way", under)
}
