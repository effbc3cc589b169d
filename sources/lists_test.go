package sources_test

import (
	"encoding/csv"
	"fmt"
	"io"
	"net"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"plainpelican/connect/pricelist"
	"plainpelican/core/landed"
	"plainpelican/sources"
	"plainpelican/standins/fault"
	"plainpelican/standins/wholesale"
	"plainpelican/testkit"
)

func northlight(t *testing.T) (*testkit.World, *wholesale.Server, string) {
	t.Helper()
	w := testkit.Start(t)
	n := wholesale.New(60)
	return w, n, w.Serve(n.Handler())
}

func TestAPriceListIsLookedAtAndTakenIn(t *testing.T) {
	for _, name := range []string{"/price-list.csv", "/price-list.xlsx"} {
		t.Run(name, func(t *testing.T) {
			w, _, address := northlight(t)
			looked := w.Look(sources.PriceListInput{Address: address + name})
			got := map[pricelist.Field]string{}
			for _, c := range looked.Columns {
				got[c.Field] = c.Header
			}
			for field, header := range map[pricelist.Field]string{
				pricelist.Parent: "Product no.", pricelist.Number: "Art. no.", pricelist.Title: "Désignation",
				pricelist.Category: "Range", pricelist.Cost: "Net price €",
				pricelist.MinAdvertised: "MAP €", pricelist.List: "RRP €", pricelist.Stock: "Stock",
				pricelist.Barcode: "EAN", pricelist.Weight: "Weight (g)", pricelist.Picture: "Picture"} {
				if got[field] != header {
					t.Errorf("%s is %q", field, got[field])
				}
			}
			if looked.Layout.Currency != "EUR" || looked.Layout.Grouping != pricelist.ByParent || looked.Good == 0 ||
				len(looked.Preview) == 0 {
				t.Errorf("%+v", looked.Layout)
			}
			source := w.ConnectList(sources.PriceListInput{Address: address + name})
			in := source.Imports[0]
			if in.State != "finished" || in.Added != 60 || in.Rejected < 2 || source.Offers != 60 ||
				source.Kind != "price list" {
				t.Fatalf("%+v", in)
			}
			var cost int64
			var currency string
			if err := w.App.Pool.QueryRow(t.Context(), `select count(*), min(currency) from offer
				where title <> '' and currency = 'EUR'`).Scan(&cost, &currency); err != nil || cost != 60 {
				t.Errorf("%d offers in euros: %v", cost, err)
			}
			w.AwaitOffers(60)
			before := versions(t, w)
			w.Owner.Must("POST", fmt.Sprintf("/api/sources/%d/imports", source.ID), nil, nil)
			if again := w.Source("Northlight Wholesale").Imports[0]; again.Unchanged != 60 ||
				again.Added+again.Changed+again.Withdrawn != 0 {
				t.Errorf("again: %+v", again)
			}
			if versions(t, w) != before {
				t.Error("unchanged offers were written again")
			}
		})
	}
}

func TestRowsSetAsideAreDownloadedMendedAndSentAgain(t *testing.T) {
	w, _, address := northlight(t)
	source := w.ConnectList(sources.PriceListInput{Address: address + "/price-list.csv"})
	answer := get(t, w, fmt.Sprintf("/api/imports/%d/rejected.csv", source.Imports[0].ID))
	read := csv.NewReader(strings.NewReader(strings.TrimPrefix(answer, "\ufeff")))
	rows, err := read.ReadAll()
	if err != nil || len(rows) != source.Imports[0].Rejected+1 {
		t.Fatalf("%d rows: %v", len(rows), err)
	}
	var mended strings.Builder
	out := csv.NewWriter(&mended)
	for i, row := range rows {
		if i > 0 {
			if row[len(row)-1] == "" || !strings.HasPrefix(row[len(row)-2], "row ") {
				t.Errorf("without place or reason: %v", row)
			}
			if row[6] == "on request" {
				row[6] = "1.234,50"
			}
			row[9] = "7"
		}
		if err := out.Write(row); err != nil {
			t.Fatal(err)
		}
	}
	out.Flush()
	up, problem := w.Owner.Send("mended.csv", []byte(mended.String()))
	if problem != nil {
		t.Fatal(problem)
	}
	w.Owner.Must("POST", fmt.Sprintf("/api/sources/%d/files?partial=true", source.ID), up, nil)
	in := w.Source("Northlight Wholesale").Imports[0]
	if in.State != "finished" || in.Rejected != 0 || in.Withdrawn != 0 || in.Added+in.Changed == 0 || in.Full {
		t.Errorf("%+v", in)
	}
}

func get(t *testing.T, w *testkit.World, path string) string {
	t.Helper()
	var made struct {
		Secret string `json:"secret"`
	}
	w.Owner.Must("POST", "/api/tokens", map[string]string{"name": "download", "role": "owner"}, &made)
	r, err := http.NewRequest("GET", w.URL+path, nil)
	if err != nil {
		t.Fatal(err)
	}
	r.Header.Set("Authorization", "Bearer "+made.Secret)
	answer, err := http.DefaultClient.Do(r)
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = answer.Body.Close() }()
	body, err := io.ReadAll(answer.Body)
	if err != nil || answer.StatusCode != http.StatusOK {
		t.Fatalf("%s: %s %v", path, answer.Status, err)
	}
	return string(body)
}

func TestAChangedListIsAskedAbout(t *testing.T) {
	w, n, address := northlight(t)
	source := w.ConnectList(sources.PriceListInput{Address: address + "/price-list.csv"})
	n.Set(0, true)
	w.Owner.Must("POST", fmt.Sprintf("/api/sources/%d/imports", source.ID), nil, nil)
	held := w.Source("Northlight Wholesale")
	if in := held.Imports[0]; in.State != "needs_approval" || in.Approval.Kind != "layout" ||
		!strings.Contains(held.Error, "its column “Net price €” is not there any more") || held.Offers != 60 {
		t.Fatalf("%+v", held)
	}
	var looked sources.Analysis
	w.Owner.Must("GET", fmt.Sprintf("/api/sources/%d/analysis", source.ID), nil, &looked)
	if looked.Error != "" || looked.Layout.Supplier != "Northlight Wholesale" || looked.Layout.Country != "DE" {
		t.Errorf("what was said before is forgotten: %q %+v", looked.Error, looked.Layout)
	}
	w.Owner.Must("PUT", fmt.Sprintf("/api/sources/%d/layout", source.ID), looked.Layout, nil)
	in := w.Source("Northlight Wholesale")
	if in.Imports[0].State != "needs_approval" && in.Imports[0].Changed == 0 {
		t.Errorf("by the new layout: %+v", in.Imports[0])
	}
	// The costs are in another currency: all are repriced, which is asked about.
	if h := in.Imports[0].Approval; h == nil || h.Kind != "shares" || h.Repriced < 50 {
		t.Errorf("%+v", in.Imports[0])
	}
}

func TestAListThatCannotBeTakenIn(t *testing.T) {
	w, _, address := northlight(t)
	source := w.ConnectList(sources.PriceListInput{Address: address + "/price-list.csv"})
	inward := w.Serve(http.RedirectHandler("http://10.1.2.3/list.csv", http.StatusFound))
	login := w.Serve(http.HandlerFunc(func(rw http.ResponseWriter, _ *http.Request) {
		_, _ = io.WriteString(rw, "<!doctype html><form>Sign in")
	}))
	for _, c := range []struct{ address, words string }{
		{address + "/no-such-list.csv", "There is no file at"}, {login, "perhaps one that asks to sign in"},
		{inward, "is a private address"}, {"nonsense", "Nothing answers at"}, {"ftp://x/y.csv", "is not a web address"},
	} {
		problem := w.Owner.Ask("POST", "/api/price-lists/analyze", sources.PriceListInput{Address: c.address}, nil)
		if problem == nil || problem.Status != 422 || !strings.Contains(problem.Detail, c.words) {
			t.Errorf("%s: %+v", c.address, problem)
		}
	}
	for _, plan := range []fault.Plan{{Empty: true}, {Truncate: true}, {Down: true}} {
		w.Fault(address, plan)
		w.Owner.Must("POST", fmt.Sprintf("/api/sources/%d/imports", source.ID), nil, nil)
		after := w.Source("Northlight Wholesale")
		if after.Imports[0].State == "finished" || after.Offers != 60 || after.Error == "" {
			t.Errorf("%+v: %+v", plan, after)
		}
	}
	up, problem := w.Owner.Send("empty.csv", nil)
	if problem != nil {
		t.Fatal(problem)
	}
	if problem := w.Owner.Ask("POST", "/api/price-lists/analyze", sources.PriceListInput{File: up.File},
		nil); problem == nil || problem.Field() != "file" || problem.Detail != "The file is empty." {
		t.Errorf("%+v", problem)
	}
	if problem := w.Owner.Ask("POST", "/api/price-lists",
		sources.PriceListInput{File: strings.Repeat("0", 64), Layout: source.Layout}, nil); problem == nil ||
		problem.Status != 404 {
		t.Errorf("a file that is not there: %+v", problem)
	}
}

func TestACatalogueDocumentIsTakenIn(t *testing.T) {
	w := testkit.Start(t)
	corvane := wholesale.Corvane(60)
	address := w.Serve(corvane.Handler()) + "/catalogue.xml"
	looked := w.Look(sources.PriceListInput{Address: address})
	if looked.Layout.Format != "ubl" || looked.Layout.Supplier != "Corvane Supply" || looked.Field != "country" ||
		len(looked.Preview) < 40 || looked.Bad == 0 {
		t.Fatalf("%+v", looked.Layout)
	}
	layout := looked.Layout
	layout.Country, layout.Processing = "SE", landed.Days{Min: 1, Max: 2}
	w.Owner.Must("POST", "/api/price-lists",
		sources.PriceListInput{File: looked.File, Address: address, Name: looked.Name, Layout: &layout}, nil)
	source := w.Source("Corvane Supply")
	if in := source.Imports[0]; source.Kind != "catalogue document" || in.State != "finished" || in.Added < 58 ||
		in.Rejected == 0 {
		t.Fatalf("%+v", source)
	}
	before := versions(t, w)
	again := func() sources.ImportRun {
		w.Owner.Must("POST", fmt.Sprintf("/api/sources/%d/imports", source.ID), nil, nil)
		return w.Source("Corvane Supply").Imports[0]
	}
	if in := again(); in.Unchanged != source.Offers || versions(t, w) != before {
		t.Errorf("unchanged offers were written again: %+v", in)
	}
	corvane.Set(1, false)
	if in := again(); in.Withdrawn != 1 || in.Changed == 0 {
		t.Errorf("a day later: %+v", in)
	}
	w.Fault(address[:len(address)-len("/catalogue.xml")], fault.Plan{Truncate: true})
	if in := again(); in.State != "failed" || in.Withdrawn != 0 {
		t.Errorf("cut in halves: %+v", in)
	}
}

// A list cannot be asked about one offer, and publishing need not say so: what it last said stands.
func TestAListIsNotAskedWhetherAnOfferIsStillSold(t *testing.T) {
	w, _, address := northlight(t)
	source := w.ConnectList(sources.PriceListInput{Address: address + "/price-list.csv"})
	w.AwaitOffers(60)
	if source.Can.AsksOffers || !source.Can.Files || !source.Can.Columns {
		t.Errorf("%+v", source.Can)
	}
	var number string
	if err := w.App.Pool.QueryRow(t.Context(), `select number from offer limit 1`).Scan(&number); err != nil {
		t.Fatal(err)
	}
	if sold, err := w.App.Sources.StillSold(t.Context(), source.ID, number); !sold || err != nil {
		t.Errorf("%v, %v", sold, err)
	}
	w.Owner.Must("POST", fmt.Sprintf("/api/sources/%d/disconnect", source.ID), nil, nil)
	if _, err := w.App.Sources.StillSold(t.Context(), source.ID, number); err == nil ||
		err.Error() != "Its source is disconnected" {
		t.Errorf("%v", err)
	}
}

func TestAListIsDisconnectedAndConnectedAgain(t *testing.T) {
	w, _, address := northlight(t)
	source := w.ConnectList(sources.PriceListInput{Address: address + "/price-list.csv",
		Schedule: "FREQ=DAILY;BYHOUR=6;BYMINUTE=0", TimeZone: "Europe/Berlin"})
	if source.NextAt == nil || source.TimeZone != "Europe/Berlin" {
		t.Errorf("%+v", source)
	}
	w.AwaitOffers(60)
	path := fmt.Sprintf("/api/sources/%d", source.ID)
	if problem := w.Owner.Ask("POST", "/api/price-lists",
		sources.PriceListInput{File: strings.Repeat("a", 64), Address: address + "/price-list.csv",
			Layout: source.Layout}, nil); problem == nil || problem.Status != 404 {
		t.Errorf("without its file: %+v", problem)
	}
	looked := w.Look(sources.PriceListInput{Address: address + "/price-list.csv"})
	if problem := w.Owner.Ask("POST", "/api/price-lists",
		sources.PriceListInput{File: looked.File, Address: address + "/price-list.csv", Layout: source.Layout},
		nil); problem == nil || problem.Status != 409 || problem.Field() != "address" {
		t.Errorf("connected twice: %+v", problem)
	}
	w.Owner.Must("POST", path+"/disconnect", nil, nil)
	w.AwaitOffers(0)
	if problem := w.Owner.Ask("POST", path+"/imports", nil, nil); problem == nil || problem.Status != 404 {
		t.Errorf("taking in from a disconnected list: %+v", problem)
	}
	w.Owner.Must("POST", path+"/connect", nil, nil)
	w.AwaitOffers(60)
	if again := w.Source("Northlight Wholesale"); again.NextAt == nil || again.State != "connected" {
		t.Errorf("%+v", again)
	}
	if problem := w.Owner.Ask("POST", path+"/connect", nil, nil); problem == nil || problem.Status != 404 {
		t.Errorf("connected while it is: %+v", problem)
	}
}

func TestAFileOfTwoGigabytesIsRefusedBeforeItIsRead(t *testing.T) {
	w := testkit.Start(t)
	var made struct {
		Secret string `json:"secret"`
	}
	w.Owner.Must("POST", "/api/tokens", map[string]string{"name": "script", "role": "owner"}, &made)
	conn, err := net.Dial("tcp", strings.TrimPrefix(w.URL, "http://"))
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = conn.Close() }()
	if _,
		err := fmt.Fprintf(conn,
		"POST /api/files?name=list.csv HTTP/1.1\r\nHost: localhost\r\nAuthorization: Bearer %s\r\nContent-Length: "+
			"%d\r\n\r\nSKU", made.Secret, 2<<30); err != nil {
		t.Fatal(err)
	}
	if err := conn.SetReadDeadline(time.Now().Add(10 * time.Second)); err != nil {
		t.Fatal(err)
	}
	answer := make([]byte, 2000)
	n, err := io.ReadAtLeast(conn, answer, 100)
	if err != nil {
		t.Fatal(err)
	}
	if text := string(answer[:n]); !strings.Contains(text, "413") || !strings.Contains(text, "larger than 1.5 GB") {
		t.Errorf("%s", text)
	}
}

func TestOldListsAreLetGoButTheNewest(t *testing.T) {
	w, n, address := northlight(t)
	source := w.ConnectList(sources.PriceListInput{Address: address + "/price-list.csv"})
	n.Set(1, false)
	w.Owner.Must("POST", fmt.Sprintf("/api/sources/%d/imports", source.ID), nil, nil)
	w.Source("Northlight Wholesale")
	hashes := func() (list []string) {
		t.Helper()
		rows, err := w.App.Pool.Query(t.Context(), `select file from import_run order by id`)
		if err != nil {
			t.Fatal(err)
		}
		if list, err = pgx.CollectRows(rows, pgx.RowTo[string]); err != nil {
			t.Fatal(err)
		}
		return list
	}
	before := hashes()
	if err := w.App.Sources.Prune(t.Context()); err != nil || hashes()[0] == "" {
		t.Errorf("let go within the week: %v", err)
	}
	if _, err := w.App.Pool.Exec(t.Context(), `update import_run
		set finished_at = now() - interval '8 days'`); err != nil {
		t.Fatal(err)
	}
	if err := w.App.Sources.Prune(t.Context()); err != nil {
		t.Fatal(err)
	}
	after := hashes()
	if before[0] == "" || before[0] == before[1] || after[0] != "" || after[1] != before[1] {
		t.Fatalf("%q, before %q", after, before)
	}
	if _, err := w.App.Sources.Blobs.Open(before[0]); err == nil {
		t.Error("the old file is still there")
	}
	var looked sources.Analysis
	w.Owner.Must("GET", fmt.Sprintf("/api/sources/%d/analysis", source.ID), nil, &looked)
	if looked.Good == 0 {
		t.Errorf("the newest cannot be looked at any more: %+v", looked)
	}
}

func TestADisconnectedSourceLeavesNothingStaged(t *testing.T) {
	w := testkit.Start(t)
	w.ConnectBazaar()
	w.Fault(w.BazaarURL, fault.Plan{Empty: true})
	w.Owner.Must("POST", "/api/sources/1/imports?full=true", nil, nil)
	if in := w.TakenIn().Imports[0]; in.State != "needs_approval" {
		t.Fatalf("%+v", in)
	}
	w.Owner.Must("POST", "/api/sources/1/disconnect", nil, nil)
	var tables int
	if err := w.App.Pool.QueryRow(t.Context(), `select count(*) from pg_class
		where relname ~ '^staged_(offer|variant)_[0-9]+$'`).Scan(&tables); err != nil || tables != 0 {
		t.Errorf("%d tables are left: %v", tables, err)
	}
}

func TestAListWhoseRowsStandTogetherIsReadOnceAndOneWhoseRowsNoLongerDoComesInWholeAllTheSame(t *testing.T) {
	w := testkit.Start(t)
	var id int64
	send := func(text string) sources.ImportRun {
		t.Helper()
		up, problem := w.Owner.Send("list.csv", []byte("Product no.;SKU;Title;Colour;Cost EUR;Stock\n"+text))
		if problem != nil {
			t.Fatal(problem)
		}
		if id == 0 {
			id = w.ConnectList(sources.PriceListInput{File: up.File, Name: up.Name}).ID
		} else {
			w.Owner.Must("POST", fmt.Sprintf("/api/sources/%d/files", id), up, nil)
		}
		return w.Source("Northlight Wholesale").Imports[0]
	}
	together := func() (yes bool) {
		if err := w.App.Pool.QueryRow(t.Context(), `select rows_together from source`).Scan(&yes); err != nil {
			t.Fatal(err)
		}
		return yes
	}
	var rows []string
	for i := range 12 {
		for _, colour := range []string{"Red", "Blue", "Green"} {
			rows = append(rows, fmt.Sprintf("P%d;P%d-%s;Enamel mug %d;%s;4,50;9\n", i, i, colour, i, colour))
		}
	}
	if in := send(strings.Join(rows, "")); in.Added != 12 || !together() {
		t.Fatalf("%+v", in)
	}
	rows[0] += "P0;P0-Grey;Enamel mug 0;Grey;4,50;3\n" // one variant more
	moved := append(append([]string{}, rows[1:]...), rows[0])
	if in := send(strings.Join(moved, "")); in.State != "finished" || in.Changed != 1 || in.Unchanged != 11 ||
		in.Withdrawn != 0 || together() {
		t.Fatalf("%+v", in)
	}
	var variants int
	if err := w.App.Pool.QueryRow(t.Context(), `select count(*) from offer_variant
		where not withdrawn`).Scan(&variants); err != nil || variants != 37 {
		t.Errorf("%d variants, %v", variants, err)
	}
	if in := send(strings.Join(rows, "")); in.Changed > 1 || in.Unchanged < 11 || !together() {
		t.Fatalf("%+v", in)
	}
}
