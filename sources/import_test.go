package sources_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/jackc/pgx/v5/pgxpool"

	"plainpelican/core/landed"
	"plainpelican/sources"
	"plainpelican/standins/bazaar"
	"plainpelican/standins/fault"
	"plainpelican/standins/wholesale"
	"plainpelican/testkit"
)

func TestOnlyChangesAreAskedForAfterTheFirstIntake(t *testing.T) {
	w := testkit.Start(t)
	first := w.ConnectBazaar()
	if !first.Imports[0].Full || first.FullImportAt == nil {
		t.Fatalf("the first: %+v", first.Imports[0])
	}
	again := func(query string) sources.ImportRun {
		t.Helper()
		w.Owner.Must("POST", "/api/sources/1/imports"+query, nil, nil)
		return w.TakenIn().Imports[0]
	}
	if none := again(""); none.Full || none.Seen != 0 || none.State != "finished" {
		t.Errorf("with nothing changed: %+v", none)
	}
	w.Bazaar.SetDay(1)
	changed := again("")
	if changed.Full || changed.Withdrawn != 1 || changed.Changed == 0 || changed.Seen != changed.Changed+1 {
		t.Errorf("a day later: %+v", changed)
	}
	if whole := again("?full=true"); !whole.Full || whole.Seen != 59 || whole.Changed+whole.Withdrawn != 0 {
		t.Errorf("all compared finds what the changes missed: %+v", whole)
	}
	// After a week, changes alone are not trusted any more.
	if _, err := w.App.Pool.Exec(t.Context(), `update source
		set full_import_at = now() - interval '8 days'`); err != nil {
		t.Fatal(err)
	}
	if due := again(""); !due.Full {
		t.Errorf("a week later: %+v", due)
	}
}

// shelf is everything that a source has on the shelf, without the ids, row for row.
func shelf(t *testing.T, pool *pgxpool.Pool) string {
	t.Helper()
	var all string
	err := pool.QueryRow(context.Background(), `
		select coalesce(string_agg(line, e'\n' order by line), '') from (
			select concat_ws('|', o.number, o.title, o.description, o.category, o.currency, o.pictures, o.option_names,
			o.weekly, o.deliveries, encode(o.fingerprint, 'hex'), o.withdrawn_at is null, u.number, u.name) as line
			from offer o join supplier u on u.id = o.supplier_id
			union all select concat_ws('|', o.number, v.number, v.position, v.option_values, v.cost, v.list_price,
			v.stock, v.picture, v.barcode, v.weight_grams, v.withdrawn)
			from offer_variant v join offer o on o.id = v.offer_id) x`).Scan(&all)
	if err != nil {
		t.Fatal(err)
	}
	return all
}

// An import is stopped at twenty moments, in the middle of what it does with the database, and
// each time gone on with: the shelf is in the end what an undisturbed import leaves, row for row.
func TestAKilledIntakeResumes(t *testing.T) {
	market := testkit.Bazaar
	market.Offers = 300
	market.PageSize = 10
	list := wholesale.New(220)
	calm := testkit.StartWith(t, market)
	calm.ConnectBazaar()
	calm.ConnectList(sources.PriceListInput{Address: calm.Serve(list.Handler()) + "/price-list.csv"})
	want := strings.ReplaceAll(shelf(t, calm.App.Pool), calm.BazaarURL, "")

	w := testkit.StartWith(t, market)
	w.App.Stop()
	app := w.App.Sources
	r := rand.New(rand.NewPCG(4, 4))
	address := w.Serve(list.Handler())
	looked := w.Look(sources.PriceListInput{Address: address + "/price-list.csv"})
	layout := looked.Layout
	layout.Country, layout.Supplier, layout.Processing = "DE", "Northlight Wholesale", landed.Days{Min: 1, Max: 2}
	owner := context.Background()
	var ids []int64
	if _,
		err := app.Connect(owner,
		sources.Credentials{Address: w.BazaarURL, ClientID: "test", ClientSecret: w.Bazaar.ClientSecret}); err != nil {
		t.Fatal(err)
	}
	if _,
		err := app.ConnectList(owner,
		sources.PriceListInput{File: looked.File, Address: address + "/price-list.csv", Layout: &layout}); err != nil {
		t.Fatal(err)
	}
	rows, err := w.App.Pool.Query(owner, `select id from import_run order by id`)
	if err != nil {
		t.Fatal(err)
	}
	for rows.Next() {
		var id int64
		if err := rows.Scan(&id); err != nil {
			t.Fatal(err)
		}
		ids = append(ids, id)
	}
	kills := 0
	for _, id := range ids {
		for done := false; !done; {
			ctx, kill := context.WithCancel(owner)
			timer := time.AfterFunc(time.Duration(r.IntN(60))*time.Millisecond, kill)
			if kills >= 20 {
				timer.Stop()
			}
			err := app.Resume(ctx, id)
			timer.Stop()
			kill()
			if err == nil {
				done = true
			} else {
				kills++
			}
		}
	}
	if kills < 10 {
		t.Errorf("only %d kills hit an import under way", kills)
	}
	got := strings.ReplaceAll(shelf(t, w.App.Pool), w.BazaarURL, "")
	// The pictures of the two lists are at addresses of their own.
	normal := func(s string) string {
		return strings.ReplaceAll(strings.ReplaceAll(s, address, ""), calmAddress(want), "")
	}
	if stripFingerprints(normal(got)) != stripFingerprints(normal(want)) {
		t.Error("the shelf differs from that of an undisturbed import")
	}
	var states, staged string
	if err := w.App.Pool.QueryRow(owner, `select string_agg(state || ' ' || added + changed + unchanged, ','
		order by id), (select count(*)::text from pg_class where relname ~ '^staged_(offer|variant)_[0-9]+$')
		from import_run`).Scan(&states, &staged); err != nil {
		t.Fatal(err)
	}
	var calmly string
	if err := calm.App.Pool.QueryRow(owner, `select string_agg(state || ' ' || added + changed + unchanged, ','
		order by id) from import_run`).Scan(&calmly); err != nil {
		t.Fatal(err)
	}
	if states != calmly || staged != "0" {
		t.Errorf("%s, undisturbed %s; %s tables are left", states, calmly, staged)
	}
}

// calmAddress is the list's address in what the undisturbed import left.
func calmAddress(shelf string) string {
	_, rest, _ := strings.Cut(shelf, "|Northlight Wholesale")
	at := strings.Index(shelf, "http://127.0.0.1:")
	if rest == "" || at < 0 {
		return "none"
	}
	return shelf[at : at+strings.Index(shelf[at:], "/pictures")]
}

// stripFingerprints leaves out what is made of the addresses too.
func stripFingerprints(s string) string {
	lines := strings.Split(s, "\n")
	for i, line := range lines {
		cells := strings.Split(line, "|")
		for j, c := range cells {
			if len(c) == 64 && strings.Trim(c, "0123456789abcdef") == "" {
				cells[j] = ""
			}
		}
		lines[i] = strings.Join(cells, "|")
	}
	return strings.Join(lines, "\n")
}

func TestOneSourcesTroubleBlocksNoOther(t *testing.T) {
	w := testkit.Start(t)
	w.ConnectBazaar()
	tern := bazaar.Tern
	tern.Offers, tern.PerSecond, tern.Slow = 50, 500, 0
	address := w.Serve(bazaar.New(tern).Handler())
	w.Fault(w.BazaarURL, fault.Plan{LatencyMS: 8000})
	w.Owner.Must("POST", "/api/sources/1/imports?full=true", nil, nil)
	w.Owner.Must("POST", "/api/sources",
		sources.Credentials{Address: address, ClientID: tern.ClientID, ClientSecret: tern.ClientSecret}, nil)
	slow := ""
	testkit.Until(t, "the other's end", func() bool {
		var list []sources.Source
		w.Owner.Must("GET", "/api/sources", nil, &list)
		for _, s := range list {
			if s.ID == 1 {
				slow = string(s.Imports[0].State)
			}
			if s.Name == "Tern Market" && len(s.Imports) > 0 && s.Imports[0].State == "finished" {
				return s.Offers == 50
			}
		}
		return false
	})
	if slow != "running" && slow != "waiting" {
		t.Errorf("the other came after the slow one, which was %s", slow)
	}
	w.Fault(w.BazaarURL, fault.Plan{})
	w.TakenIn()
}

func TestTheLimitThatASourceStatesIsKept(t *testing.T) {
	var refused atomic.Int32
	tern := bazaar.Tern
	tern.Offers, tern.PerSecond, tern.Slow, tern.PageSize = 60, 8, 0, 5
	market := bazaar.New(tern).Handler()
	front := httptest.NewServer(http.HandlerFunc(func(rw http.ResponseWriter, r *http.Request) {
		seen := httptest.NewRecorder()
		market.ServeHTTP(seen, r)
		if seen.Code == http.StatusTooManyRequests {
			refused.Add(1)
		}
		for k, v := range seen.Header() {
			rw.Header()[k] = v
		}
		rw.WriteHeader(seen.Code)
		_, _ = rw.Write(seen.Body.Bytes())
	}))
	t.Cleanup(front.Close)
	w := testkit.Start(t)
	w.Owner.Must("POST", "/api/sources",
		sources.Credentials{Address: front.URL, ClientID: tern.ClientID, ClientSecret: tern.ClientSecret}, nil)
	if in := w.TakenIn().Imports[0]; in.Added != 60 || in.State != "finished" {
		t.Errorf("%+v", in)
	}
	if n := refused.Load(); n > 0 {
		t.Errorf("it was asked to slow down %d times", n)
	}
}

func TestSchedulesBeginIntakes(t *testing.T) {
	w := testkit.Start(t)
	source := w.ConnectBazaar()
	if source.Schedule == "" || source.NextAt == nil {
		t.Fatalf("a marketplace is taken in by itself: %+v", source)
	}
	keep := func(change func(*sources.SourceSettings)) *testkit.Problem {
		h := sources.SourceSettings{Name: source.Name, Schedule: "FREQ=DAILY;BYHOUR=6;BYMINUTE=0",
			TimeZone: "America/New_York", MaxWithdrawn: 20, MaxRepriced: 50, MaxCostFactor: 5}
		change(&h)
		return w.Owner.Ask("PUT", "/api/sources/1", h, nil)
	}
	for field, change := range map[string]func(*sources.SourceSettings){
		"schedule": func(h *sources.SourceSettings) {
			h.Schedule = "now and then"
		}, "time_zone": func(h *sources.SourceSettings) { h.TimeZone = "Atlantis" },
		"max_withdrawn": func(h *sources.SourceSettings) {
			h.MaxWithdrawn = 101
		}, "name": func(h *sources.SourceSettings) { h.Name = "" },
	} {
		if problem := keep(change); problem == nil || problem.Status != 422 || problem.Field() != field {
			t.Errorf("%s: %+v", field, problem)
		}
	}
	due := func() int {
		t.Helper()
		if _, err := w.App.Pool.Exec(t.Context(), `update source
			set next_at = now() - interval '1 minute'`); err != nil {
			t.Fatal(err)
		}
		if err := w.App.Sources.StartDue(t.Context()); err != nil {
			t.Fatal(err)
		}
		return len(w.TakenIn().Imports)
	}
	if problem := keep(func(*sources.SourceSettings) {}); problem != nil {
		t.Fatal(problem)
	}
	if n := due(); n != 2 {
		t.Errorf("%d imports", n)
	}
	after := w.TakenIn()
	if zone, err := time.LoadLocation("America/New_York"); err != nil || after.NextAt == nil ||
		after.NextAt.In(zone).Hour() != 6 || !after.NextAt.After(time.Now()) {
		t.Errorf("next %v: %v", after.NextAt, err)
	}
	if problem := keep(func(h *sources.SourceSettings) { h.Paused = true }); problem != nil {
		t.Fatal(problem)
	}
	if n := due(); n != 2 {
		t.Errorf("paused, it was taken in: %d imports", n)
	}
	if problem := keep(func(h *sources.SourceSettings) { h.Schedule = "" }); problem != nil {
		t.Fatal(problem)
	}
	if by := w.TakenIn(); by.NextAt != nil {
		t.Errorf("by hand, and yet next %v", by.NextAt)
	}
}

func TestOffersAtOtherCostsAreHeld(t *testing.T) {
	w := testkit.Start(t)
	w.ConnectBazaar()
	w.Owner.Must("PUT", "/api/sources/1",
		sources.SourceSettings{Name: "Quayside Bazaar", TimeZone: "UTC", MaxWithdrawn: 20, MaxRepriced: 10,
			MaxCostFactor: 5}, nil)
	if _, err := w.App.Pool.Exec(t.Context(), `update offer_variant set cost = cost * 100
		where offer_id % 2 = 0; update offer set fingerprint = '' where id % 2 = 0`); err != nil {
		t.Fatal(err)
	}
	in := w.Swept().Imports[0]
	if in.State != "needs_approval" || in.Approval == nil || in.Approval.Repriced != 30 ||
		!strings.Contains(in.Approval.Reason, "30 offers of 60 would change their cost") {
		t.Fatalf("%+v", in)
	}
	for _, e := range in.Approval.Examples {
		if e.Before == nil || e.After == nil || e.Before.Minor() != 100*e.After.Minor() {
			t.Errorf("%+v", e)
		}
	}
	// What is read later stands in its place.
	list := w.Swept().Imports
	if list[0].State != "needs_approval" || list[1].State != "discarded" {
		t.Errorf("%s, before it %s", list[0].State, list[1].State)
	}
	w.Owner.Must("POST", fmt.Sprintf("/api/imports/%d/decide", list[0].ID), map[string]bool{"approve": true}, nil)
	if done := w.TakenIn().Imports[0]; done.State != "finished" || done.Changed != 30 {
		t.Errorf("%+v", done)
	}
}
