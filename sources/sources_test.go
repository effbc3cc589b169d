package sources_test

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"plainpelican/sources"
	"plainpelican/standins/bazaar"
	"plainpelican/standins/fault"
	"plainpelican/testkit"
)

func TestConnectingSaysWhatIsWrong(t *testing.T) {
	w := testkit.Start(t)
	page := httptest.NewServer(http.HandlerFunc(func(rw http.ResponseWriter, _ *http.Request) {
		_, _ = rw.Write([]byte("<h1>A shop</h1>"))
	}))
	t.Cleanup(page.Close)
	for name, c := range map[string]struct {
		address, secret, field, words string
	}{
		"a wrong secret":        {w.BazaarURL, "guess", "client_secret", "does not accept this client id and secret"},
		"nothing there":         {"127.0.0.1:1", "x", "address", "Nothing answers at http://127.0.0.1:1"},
		"not a source":          {page.URL, "x", "address", "but it is not a source of offers"},
		"a store, not a source": {w.ShopURL, "x", "address", "but it is not a source of offers"},
		"not an address":        {"ftp://bazaar", "x", "address", "is not a web address"},
		"a private address":     {"http://10.1.2.3", "x", "address", "is a private address"},
	} {
		t.Run(name, func(t *testing.T) {
			problem := w.Owner.Ask("POST", "/api/sources",
				sources.Credentials{Address: c.address, ClientID: "test", ClientSecret: c.secret}, nil)
			if problem == nil || problem.Status != 422 || problem.Field() != c.field ||
				!strings.Contains(problem.Detail, c.words) {
				t.Errorf("%+v", problem)
			}
		})
	}
	var list []sources.Source
	w.Owner.Must("GET", "/api/sources", nil, &list)
	if len(list) != 0 {
		t.Errorf("a source that could not be connected was kept: %v", list)
	}
}

// versions lists the row versions of all offers and variants: a rewritten row has another.
func versions(t *testing.T, w *testkit.World) string {
	t.Helper()
	var all string
	err := w.App.Pool.QueryRow(t.Context(), `select md5(string_agg(x, ','))
		from (select xmin::text || ctid::text as x from offer union all select xmin::text || ctid::text
		from offer_variant order by 1) v`).Scan(&all)
	if err != nil {
		t.Fatal(err)
	}
	return all
}

func TestAnIntakeWritesOnlyWhatChanged(t *testing.T) {
	w := testkit.Start(t)
	first := w.ConnectBazaar().Imports[0]
	if first.State != "finished" || first.Added != 60 || first.Seen != 60 || first.Changed != 0 || first.Error != "" {
		t.Fatalf("the first: %+v", first)
	}
	before := versions(t, w)
	again := func() sources.ImportRun {
		return w.Swept().Imports[0]
	}
	if second := again(); second.Unchanged != 60 || second.Added+second.Changed+second.Withdrawn != 0 {
		t.Errorf("with nothing changed: %+v", second)
	}
	if versions(t, w) != before {
		t.Error("unchanged offers were written again")
	}
	w.Bazaar.SetDay(1)
	third := again()
	if third.Withdrawn != 1 || third.Changed == 0 || third.Changed+third.Unchanged != 59 {
		t.Errorf("a day later: %+v", third)
	}
	var gone bool
	if err := w.App.Pool.QueryRow(t.Context(), `select withdrawn_at is not null from offer
		where id = $1`, w.Offer(7)).Scan(&gone); err != nil || !gone {
		t.Errorf("the offer that left is still for sale: %v", err)
	}
	w.Bazaar.SetDay(0)
	if back := again(); back.Withdrawn != 0 || back.Changed != third.Changed+1 {
		t.Errorf("everything back as it was: %+v after %+v", back, third)
	}
}

func TestAnEmptyCatalogWithdrawsNothing(t *testing.T) {
	w := testkit.Start(t)
	w.ConnectBazaar()
	w.Fault(w.BazaarURL, fault.Plan{Empty: true})
	source := w.Swept()
	held := source.Imports[0]
	if held.State != "needs_approval" || !strings.Contains(source.Error, "60 offers of 60 would be withdrawn") ||
		source.Offers != 60 || held.Approval == nil || held.Approval.Withdrawn != 60 ||
		len(held.Approval.Examples) != 5 {
		t.Fatalf("%+v", source)
	}
	decide := func(goOn bool) *testkit.Problem {
		return w.Owner.Ask("POST", fmt.Sprintf("/api/imports/%d/decide", held.ID), map[string]bool{"approve": goOn},
			nil)
	}
	if problem := decide(false); problem != nil {
		t.Fatal(problem)
	}
	if source := w.TakenIn(); source.Offers != 60 || source.Error != "" || source.Imports[0].State != "discarded" {
		t.Errorf("dropped: %+v", source)
	}
	if problem := decide(true); problem == nil || problem.Status != 409 {
		t.Errorf("decided twice: %+v", problem)
	}
	held = w.Swept().Imports[0]
	if problem := decide(true); problem != nil {
		t.Fatal(problem)
	}
	if source := w.TakenIn(); source.Offers != 0 || source.Imports[0].Withdrawn != 60 ||
		source.Imports[0].State != "finished" {
		t.Errorf("gone on with: %+v", source)
	}
}

func TestAMarketplaceInTrouble(t *testing.T) {
	w := testkit.Start(t)
	w.ConnectBazaar()
	for name, c := range map[string]struct {
		plan  fault.Plan
		words string
	}{
		"down":          {fault.Plan{Down: true}, "Nothing answers at"},
		"out of order":  {fault.Plan{ErrorPercent: 100}, "is out of order"},
		"cut in halves": {fault.Plan{Truncate: true, Only: "/offers"}, "Nothing answers at"},
	} {
		t.Run(name, func(t *testing.T) {
			w.Fault(w.BazaarURL, c.plan)
			w.Owner.Must("POST", "/api/sources/1/imports", nil, nil)
			source := w.TakenIn()
			if source.Imports[0].State != "failed" || !strings.Contains(source.Error, c.words) || source.Offers != 60 {
				t.Errorf("%s, %d offers: %q", source.Imports[0].State, source.Offers, source.Error)
			}
		})
	}
	for name, plan := range map[string]fault.Plan{"well again": {}, "asking to slow down": {TooMany: 2, RetryAfter: 0},
		"slow": {SlowBody: true, Only: "/offers"}, "with revoked tokens": {RevokeTokens: true}} {
		w.Fault(w.BazaarURL, plan)
		w.Owner.Must("POST", "/api/sources/1/imports", nil, nil)
		if source := w.TakenIn(); source.Imports[0].State != "finished" || source.Error != "" {
			t.Errorf("%s: %+v", name, source.Imports[0])
		}
	}
}

func TestOneIntakeOfASourceAtATime(t *testing.T) {
	w := testkit.Start(t)
	w.ConnectBazaar()
	w.Fault(w.BazaarURL, fault.Plan{LatencyMS: 300})
	w.Owner.Must("POST", "/api/sources/1/imports", nil, nil)
	if problem := w.Owner.Ask("POST", "/api/sources/1/imports", nil, nil); problem == nil || problem.Status != 409 {
		t.Errorf("%+v", problem)
	}
	w.TakenIn()
}

func TestDisconnectingAndConnectingAgain(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	w.Owner.Must("POST", "/api/sources/1/disconnect", nil, nil)
	w.AwaitOffers(0)
	var secret []byte
	if err := w.App.Pool.QueryRow(t.Context(), `select secret from source`).Scan(&secret); err != nil || secret != nil {
		t.Errorf("the secret is still there: %v", err)
	}
	if problem := w.Owner.Ask("POST", "/api/sources/1/imports", nil, nil); problem == nil || problem.Status != 404 {
		t.Errorf("taking in from a disconnected source: %+v", problem)
	}
	offer := w.Offer(3)
	again := w.ConnectBazaar()
	if again.Imports[0].Unchanged != 60 || again.ID != 1 || w.Offer(3) != offer {
		t.Errorf("its offers did not come back as they were: %+v", again.Imports[0])
	}
	w.AwaitOffers(60)
}

func TestSecretsAreSealedAndStayInside(t *testing.T) {
	w := testkit.Start(t)
	w.ConnectBazaar()
	var sealed []byte
	if err := w.App.Pool.QueryRow(t.Context(), `select secret from source`).Scan(&sealed); err != nil ||
		strings.Contains(string(sealed), w.Bazaar.ClientSecret) {
		t.Errorf("the secret lies open in the database: %v", err)
	}
	var list []map[string]any
	w.Owner.Must("GET", "/api/sources", nil, &list)
	for name := range list[0] {
		if strings.Contains(name, "secret") {
			t.Errorf("%s is sent to the browser", name)
		}
	}
}

func TestTwoInstancesTakeInOnce(t *testing.T) {
	market := testkit.Bazaar
	market.Offers = 400
	w := testkit.StartWith(t, market)
	w.Instance(w.App.Pool)
	run := w.ConnectBazaar().Imports[0]
	if run.Added != 400 || run.State != "finished" {
		t.Errorf("%+v", run)
	}
	if got := run.FinishedAt.Sub(run.StartedAt); got > 40*time.Second {
		t.Errorf("it took %v", got)
	}
}

func TestUnreadableItemsAreSetAside(t *testing.T) {
	w := testkit.Start(t)
	market := bazaar.New(testkit.Bazaar).Handler()
	broken := httptest.NewServer(http.HandlerFunc(func(rw http.ResponseWriter, r *http.Request) {
		if r.URL.Path != "/offers" {
			market.ServeHTTP(rw, r)
			return
		}
		seen := httptest.NewRecorder()
		market.ServeHTTP(seen, r)
		body := strings.Replace(seen.Body.String(), `"name":"`, `"name":"","was":"`, 1)
		_, _ = rw.Write([]byte(strings.Replace(body, `"priceCurrency":"CNY"`, `"priceCurrency":"QQQ"`, 1)))
	}))
	t.Cleanup(broken.Close)
	w.Owner.Must("POST", "/api/sources",
		sources.Credentials{Address: broken.URL, ClientID: "test", ClientSecret: "secret-of-test"}, nil)
	run := w.TakenIn().Imports[0]
	if run.State != "finished" || run.Rejected == 0 || run.Added+run.Rejected != 60 {
		t.Fatalf("%+v", run)
	}
	var rows []sources.RejectedRow
	w.Owner.Must("GET", "/api/imports/1/rejected", nil, &rows)
	if len(rows) != run.Rejected {
		t.Fatalf("%d set aside, %d shown", run.Rejected, len(rows))
	}
	for _, row := range rows {
		if !strings.HasPrefix(row.Position, "QB-") || row.Reason == "" || !strings.HasPrefix(row.Content, "{") {
			t.Errorf("%+v", row)
		}
	}
}
