package requests_test

import (
	"bytes"
	"encoding/json"
	"image"
	"image/png"
	"strings"
	"sync"
	"testing"
	"time"

	"plainpelican/application"
	"plainpelican/requests"
	"plainpelican/search"
	"plainpelican/sources"
	"plainpelican/standins/bazaar"
	"plainpelican/standins/fault"
	"plainpelican/testkit"
)

func ask(w *testkit.World, wanted requests.QuoteRequestInput) requests.InFull {
	var made requests.Made
	w.Owner.Must("POST", "/api/requests", wanted, &made)
	return full(w, made.ID)
}

func full(w *testkit.World, id int64) (r requests.InFull) {
	w.Owner.Must("GET", "/api/requests/"+itoa(id)+"?store=1", nil, &r)
	return r
}

func itoa(n int64) string {
	text, _ := json.Marshal(n)
	return string(text)
}

// mug is a request to the first source for something that there is not.
var mug = requests.QuoteRequestInput{Words: "folding enamel mug with a bamboo sleeve", Details: "bamboo, not rubber",
	Target: "3.20", Currency: "USD", Market: "US", Units: 150, Sources: []int64{1}}

func quoted(t *testing.T, w *testkit.World, id int64, n int) (r requests.InFull) {
	t.Helper()
	testkit.Until(t, "quotes", func() bool { r = full(w, id); return len(r.Offers) == n })
	return r
}

func TestAProductNobodyCarriesIsAskedForAndTaken(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	var canvas bytes.Buffer
	if err := png.Encode(&canvas, image.NewGray(image.Rect(0, 0, 1200, 900))); err != nil {
		t.Fatal(err)
	}
	up, problem := w.Owner.Send("sketch.png", canvas.Bytes())
	if problem != nil {
		t.Fatal(problem)
	}
	wanted := mug
	wanted.File = up.File
	r := quoted(t, w, ask(w, wanted).ID, 3)
	for i, q := range r.Offers {
		if q.Ladder == nil || q.Ladder.Landed.Currency().String() != "USD" || q.OverTarget == nil || q.Days == nil ||
			q.Supplier == "" || len(q.Pictures) == 0 {
			t.Errorf("quote %d cannot be judged: %+v", i, q)
		}
		if i > 0 && q.Ladder.Landed.Minor() < r.Offers[i-1].Ladder.Landed.Minor() {
			t.Errorf("what lands for less comes first: %v after %v", q.Ladder.Landed, r.Offers[i-1].Ladder.Landed)
		}
	}
	for _, path := range []string{r.Picture, r.Offers[0].Pictures[0] + "?w=96"} {
		if kind := w.Owner.Kind(path); kind != "image/jpeg" {
			t.Errorf("%s is %s", path, kind)
		}
	}

	best := r.Offers[0]
	for range 2 { // a second press changes nothing
		w.Owner.Must("POST", "/api/quotes/"+itoa(best.ID)+"/take", nil, nil)
	}
	var offer int64
	testkit.Until(t, "its offer in the catalog", func() bool {
		for _, q := range full(w, r.ID).Offers {
			if q.ID == best.ID {
				offer = q.OfferID
			}
		}
		return offer != 0 && len(w.Search("words=bamboo+sleeve").Offers) == 1
	})
	var sheet search.Sheet
	w.Owner.Must("GET", "/api/offers/"+itoa(offer)+"?store=1", nil, &sheet)
	if sheet.Title != best.Title || sheet.Supplier != best.Supplier || sheet.Ladder == nil ||
		sheet.Ladder.Landed != best.Ladder.Landed {
		t.Errorf("the offer is not what was quoted: %s lands for %v, quoted %v", sheet.Title, sheet.Ladder.Landed,
			best.Ladder.Landed)
	}
	if r = full(w, r.ID); r.State != "settled" || r.Offers[0].TakenBy != "Olga" {
		t.Errorf("%s, taken by %q", r.State, r.Offers[0].TakenBy)
	}
	// It stays when the whole catalog is compared.
	if in := w.Swept().Imports[0]; in.Withdrawn != 0 || in.Seen != testkit.Bazaar.Offers+1 {
		t.Errorf("%+v", in)
	}
}

// Another marketplace's suppliers quote only against a target; it is told when the matter is over.
func TestEachSourceIsAskedForItself(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	settings := testkit.Bazaar
	settings.Name, settings.Prefix, settings.TargetsOnly, settings.QuoteEvery = "Strict Market", "SM", true, time.Hour
	strict := w.Serve(bazaar.New(settings).Handler())
	w.Owner.Must("POST", "/api/sources",
		sources.Credentials{Address: strict, ClientID: settings.ClientID, ClientSecret: settings.ClientSecret}, nil)
	other := w.Source("Strict Market").ID

	aimless := mug
	aimless.Target, aimless.Sources = "", []int64{1, other}
	id := ask(w, aimless).ID
	r := quoted(t, w, id, 3)
	testkit.Until(t, "the refusal", func() bool { r = full(w, id); return r.Asked[1].State == "refused" })
	if !strings.Contains(r.Asked[1].Error, "cost to reach") || r.Asked[0].Error != "" {
		t.Errorf("%+v", r.Asked)
	}

	aimed := mug
	aimed.Sources = aimless.Sources
	id = ask(w, aimed).ID
	r = quoted(t, w, id, 3)
	testkit.Until(t, "both asked", func() bool { r = full(w, id); return r.Asked[1].State == "asked" })
	w.Owner.Must("POST", "/api/quotes/"+itoa(r.Offers[0].ID)+"/take", nil, nil)
	testkit.Until(t, "both over", func() bool {
		r = full(w, id)
		return r.Asked[0].State == "ended" && r.Asked[1].State == "ended"
	})
	if problem := w.Owner.Ask("POST", "/api/requests/"+itoa(id)+"/withdraw", nil, nil); problem == nil ||
		problem.Status != 409 {
		t.Errorf("withdrawing what is settled: %+v", problem)
	}
}

func TestASourceThatIsOutOfOrderIsAskedAgain(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	w.Fault(w.BazaarURL, fault.Plan{ErrorPercent: 100})
	id := ask(w, mug).ID
	var r requests.InFull
	testkit.Until(t, "the trouble", func() bool { r = full(w, id); return r.Asked[0].Error != "" })
	if r.Asked[0].State != "waiting" || !strings.Contains(r.Asked[0].Error, "out of order") {
		t.Errorf("%+v", r.Asked[0])
	}
	w.Fault(w.BazaarURL, fault.Plan{CutAfter: 1, Only: "PUT /requests"}) // its answer is lost after the work was done
	w.Owner.Must("POST", "/api/requests/"+itoa(id)+"/ask", nil, nil)
	r = quoted(t, w, id, 3)
	if r.Asked[0].Error != "" {
		t.Errorf("%+v", r.Asked[0])
	}
	w.Owner.Must("POST", "/api/requests/"+itoa(id)+"/withdraw", nil, nil)
	testkit.Until(t, "its end", func() bool {
		r = full(w, id)
		return r.State == "withdrawn" && r.Asked[0].State == "ended"
	})
	if problem := w.Owner.Ask("POST", "/api/quotes/"+itoa(r.Offers[0].ID)+"/take", nil, nil); problem == nil ||
		problem.Status != 409 || !strings.Contains(problem.Detail, "withdrawn") {
		t.Errorf("taking a quote of a withdrawn request: %+v", problem)
	}
}

func TestWhatCannotBeAskedIsSaid(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	up, problem := w.Owner.Send("page.png", []byte("<html>not a picture</html>"))
	if problem != nil {
		t.Fatal(problem)
	}
	for field, spoil := range map[string]func(*requests.QuoteRequestInput){
		"words": func(r *requests.QuoteRequestInput) {
			r.Words = "  "
		}, "link": func(r *requests.QuoteRequestInput) {
			r.Link = "javascript:alert(1)"
		}, "target": func(r *requests.QuoteRequestInput) { r.Target = "call" },
		"currency": func(r *requests.QuoteRequestInput) {
			r.Currency = "XYZ"
		}, "file": func(r *requests.QuoteRequestInput) {
			r.File = up.File
		}, "sources": func(r *requests.QuoteRequestInput) { r.Sources = []int64{99} },
	} {
		wanted := mug
		spoil(&wanted)
		if problem := w.Owner.Ask("POST", "/api/requests", wanted, nil); problem == nil || problem.Status != 422 ||
			problem.Field() != field {
			t.Errorf("%s: %+v", field, problem)
		}
	}
	var list []requests.QuoteRequest
	if w.Owner.Must("GET", "/api/requests", nil, &list); len(list) != 0 {
		t.Errorf("something was kept all the same: %+v", list)
	}
}

// Two instances share the asking; what both do at once is done once.
func TestTwoInstancesAskOnce(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	other, _ := w.Instance(w.App.Pool)
	ids := []int64{}
	for range 6 {
		ids = append(ids, ask(w, mug).ID)
	}
	testkit.Until(t, "all quotes", func() bool {
		// Both ask for all that is due, as the jobs of each minute do, again and again.
		var both sync.WaitGroup
		for _, app := range []*application.Application{w.App, other} {
			both.Go(func() {
				if err := app.Requests.AskDue(t.Context(), 0); err != nil {
					t.Error(err)
				}
			})
		}
		both.Wait()
		for _, id := range ids {
			if len(full(w, id).Offers) < 3 {
				return false
			}
		}
		return true
	})
	seen := map[string]bool{}
	for _, id := range ids {
		r := full(w, id)
		if len(r.Offers) != 3 || r.Asked[0].State != "ended" || r.Asked[0].Error != "" {
			t.Errorf("%d quotes, %+v", len(r.Offers), r.Asked[0])
		}
		for _, q := range r.Offers {
			seen[q.Supplier+" "+itoa(id)] = true
		}
	}
	if len(seen) != 18 {
		t.Errorf("%d quotes of different suppliers", len(seen))
	}
	// Two people take the same quote at the same moment: one offer comes of it.
	quote := full(w, ids[0]).Offers[0].ID
	var both sync.WaitGroup
	for range 2 {
		both.Go(func() { w.Owner.Must("POST", "/api/quotes/"+itoa(quote)+"/take", nil, nil) })
	}
	both.Wait()
	testkit.Until(t, "its offer", func() bool {
		var n int
		err := w.App.Pool.QueryRow(t.Context(), `select count(*) from offer
			where title ilike '%bamboo sleeve%'`).Scan(&n)
		return err == nil && n == 1
	})
	if in := w.Swept().Imports[0]; in.Seen != testkit.Bazaar.Offers+1 {
		t.Errorf("%d offers at the source", in.Seen)
	}
}

// Suppliers answer for days: a source is asked often at first, and less and less often.
func TestARequestOutlivesItsSourcesAbsence(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	id := ask(w, mug).ID
	r := quoted(t, w, id, 3)
	w.Owner.Must("POST", "/api/sources/1/disconnect", nil, nil)
	if problem := w.Owner.Ask("POST", "/api/quotes/"+itoa(r.Offers[0].ID)+"/take", nil, nil); problem == nil ||
		problem.Status != 409 || !strings.Contains(problem.Detail, "disconnected") {
		t.Errorf("%+v", problem)
	}
	if again := full(w, id); len(again.Offers) != 3 || again.State != "open" {
		t.Errorf("its quotes are gone: %+v", again)
	}
	w.ConnectBazaar()
	w.Owner.Must("POST", "/api/quotes/"+itoa(r.Offers[0].ID)+"/take", nil, nil)
	if again := full(w, id); again.State != "settled" {
		t.Errorf("%s", again.State)
	}
	if _, err := w.App.Pool.Exec(t.Context(), `update quote set valid_through = now() - interval '1 minute'
		where id = $1`, r.Offers[1].ID); err != nil {
		t.Fatal(err)
	}
	for _, q := range full(w, id).Offers {
		if q.Expired != (q.ID == r.Offers[1].ID) {
			t.Errorf("quote %d: expired %v", q.ID, q.Expired)
		}
	}
}
