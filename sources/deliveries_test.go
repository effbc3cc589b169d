package sources_test

import (
	"fmt"
	"strings"
	"testing"

	"plainpelican/core/landed"
	"plainpelican/sources"
	"plainpelican/testkit"
)

// priceList is a small supplier's list, changed row by row.
func priceList(n int, currency string, row func(i int) (cost string, stock int)) string {
	var b strings.Builder
	fmt.Fprintf(&b, "sku,title,cost %s,stock\n", currency)
	for i := range n {
		if cost, stock := row(i); cost != "" {
			fmt.Fprintf(&b, "S%d,Thing number %d,%s,%d\n", i, i, cost, stock)
		}
	}
	return b.String()
}

// Second deliveries of a supplier of ten: what would do harm waits, and says what it is.
func TestSecondDeliveriesOfSmallSuppliers(t *testing.T) {
	usual := func(i int) (string, int) { return fmt.Sprintf("%d.50", i+2), 7 }
	changed := func(from int, cost string) func(int) (string, int) {
		return func(i int) (string, int) {
			if i >= from {
				return cost, 7
			}
			return usual(i)
		}
	}
	whole := priceList(10, "eur", usual)
	for _, c := range []struct {
		name, list   string
		state, words string
		// cost is that of S9 afterwards, in cents; offers how many are for sale.
		cost   int64
		offers int
	}{
		{"the same again", whole, "finished", "", 1150, 10},
		{"one is gone", priceList(9, "eur", usual), "finished", "", 1150, 9},
		{"nine of ten are gone", priceList(1, "eur", usual), "needs_approval", "9 offers of 10 would be withdrawn",
			1150, 10},
		{"ten times a hundredfold", priceList(10, "eur", func(i int) (string, int) {
			return fmt.Sprintf("%d50.00", i+2), 7
		}), "needs_approval", "10 offers of 10 would change their cost", 1150, 10},
		{"one cost slips by a decimal", priceList(10, "eur", changed(9, "115.00")), "needs_approval",
			"1 offer with a cost that moves 5 times or more", 1150, 10},
		{"another currency", priceList(10, "eur", func(i int) (string, int) {
			return fmt.Sprintf("%d.50 USD", i+2), 7
		}), "needs_approval", "would be priced in another currency, as USD in place of EUR", 1150, 10},
		{"no stock any more", priceList(10, "eur", func(i int) (string, int) {
			cost, _ := usual(i)
			return cost, 0
		}), "needs_approval", "10 offers of 10 with stock would have none", 1150, 10},
		{"cut short", whole[:strings.LastIndex(whole, "S9")+8], "needs_approval", "seems to end within its last row",
			1150, 10},
		{"every row rejected", priceList(10, "eur", func(int) (string, int) {
			return "on request", 7
		}), "failed", "All 10 rows were rejected", 1150, 10},
	} {
		t.Run(c.name, func(t *testing.T) {
			w := testkit.Start(t)
			up, problem := w.Owner.Send("list.csv", []byte(whole))
			if problem != nil {
				t.Fatal(problem)
			}
			source := w.ConnectList(sources.PriceListInput{File: up.File, Name: up.Name})
			if source.Offers != 10 {
				t.Fatalf("%+v", source.Imports[0])
			}
			list := c.list
			if c.name == "cut short" { // and one is missing
				list = strings.Replace(list, "S3,Thing number 3,5.50,7\n", "", 1)
			}
			up, problem = w.Owner.Send("list.csv", []byte(list))
			if problem != nil {
				t.Fatal(problem)
			}
			path := fmt.Sprintf("/api/sources/%d/files", source.ID)
			w.Owner.Must("POST", path, up, nil)
			after := w.Source("Northlight Wholesale")
			in := after.Imports[0]
			said := in.Error
			if in.Approval != nil {
				said = in.Approval.Reason
			}
			if string(in.State) != c.state || !strings.Contains(said, c.words) || c.words == "" && said != "" ||
				after.Offers != c.offers {
				t.Errorf("%s %q, %d offers", in.State, said, after.Offers)
			}
			if got := costOf(t, w, "S9"); c.offers == 10 && got != c.cost {
				t.Errorf("S9 costs %d", got)
			}
			if c.state != "needs_approval" {
				return
			}
			// What was approved goes in, whichever reason it waited for.
			w.Owner.Must("POST", fmt.Sprintf("/api/imports/%d/decide", in.ID), map[string]bool{"approve": true}, nil)
			if in := w.Source("Northlight Wholesale").Imports[0]; in.State != "finished" {
				t.Errorf("approved: %+v", in)
			}
			if c.name == "one cost slips by a decimal" && costOf(t, w, "S9") != 11500 {
				t.Error("what was approved is not in")
			}
		})
	}
}

// While one cost waits, the rest is in, and the next delivery is not kept from coming.
func TestACostThatMovesFarWaitsAlone(t *testing.T) {
	w := testkit.Start(t)
	list := func(last string, others int) string {
		return priceList(20, "eur", func(i int) (string, int) {
			if i == 9 {
				return last, 7
			}
			return fmt.Sprintf("%d.%d", i+2, others), 7
		})
	}
	send := func(text string) sources.ImportRun {
		up, problem := w.Owner.Send("list.csv", []byte(text))
		if problem != nil {
			t.Fatal(problem)
		}
		id := w.Source("Northlight Wholesale").ID
		w.Owner.Must("POST", fmt.Sprintf("/api/sources/%d/files", id), up, nil)
		return w.Source("Northlight Wholesale").Imports[0]
	}
	up, problem := w.Owner.Send("list.csv", []byte(list("11.50", 50)))
	if problem != nil {
		t.Fatal(problem)
	}
	w.ConnectList(sources.PriceListInput{File: up.File, Name: up.Name})
	text := strings.Replace(list("1150", 50), "S3,Thing number 3,5.50", "S3,Thing number 3,5.60", 1)
	if in := send(text); in.State != "needs_approval" || in.Approval.Kind != "prices" ||
		len(in.Approval.Examples) != 1 || in.Approval.Examples[0].Number != "S9" {
		t.Fatalf("%+v %+v", in, in.Approval)
	}
	if costOf(t, w, "S3") != 560 || costOf(t, w, "S9") != 1150 {
		t.Errorf("S3 %d, S9 %d", costOf(t, w, "S3"), costOf(t, w, "S9"))
	}
	if in := send(list("11.60", 50)); in.State != "finished" || costOf(t, w, "S9") != 1160 ||
		costOf(t, w, "S3") != 550 {
		t.Errorf("mended by the supplier: %+v", in)
	}
}

func costOf(t *testing.T, w *testkit.World, number string) (cost int64) {
	t.Helper()
	if err := w.App.Pool.QueryRow(t.Context(), `select v.cost from offer_variant v
		where v.number = $1`, number).Scan(&cost); err != nil {
		t.Fatal(err)
	}
	return cost
}

// Cost, list price and minimum advertised price are each in a currency of their own.
func TestPricesOfAListInThreeCurrencies(t *testing.T) {
	w := testkit.Start(t)
	up, problem := w.Owner.Send("list.csv",
		[]byte("sku,title,cost eur,rrp gbp,map usd,stock\nS1,Quay kettle,3.00,9.00,7.50,4\nS2,Quay tray,4.00,,,4\n"))
	if problem != nil {
		t.Fatal(problem)
	}
	w.ConnectList(sources.PriceListInput{File: up.File, Name: up.Name})
	var said string
	if err := w.App.Pool.QueryRow(t.Context(), `select string_agg(concat_ws(' ', number, cost, list_price,
		min_advertised, prices_in), ', ' order by number) from offer_variant`).Scan(&said); err != nil ||
		said != "S1 300 900 750 USDGBP, S2 400 0 0 " {
		t.Fatalf("%s %v", said, err)
	}
	store := w.ConnectStore()
	var offer int64
	if err := w.App.Pool.QueryRow(t.Context(), `
		update offer
		set deliveries = '[{"name": "Parcel", "to": ["*"], "first": {"value": "1.00", "currency": "EUR"},
		"further": {"value": "1.00", "currency": "EUR"}, "transit": {"min": 2, "max": 4}}]'
		where number = 'S1' returning id`).Scan(&offer); err != nil {
		t.Fatal(err)
	}
	var sheet struct {
		Trace []struct{ Words string } `json:"trace"`
	}
	w.Owner.Must("GET", fmt.Sprintf("/api/offers/%d?store=%d", offer, store.ID), nil, &sheet)
	if words := fmt.Sprint(sheet.Trace); !strings.Contains(words, "9.00 GBP at") ||
		!strings.Contains(words, "minimum advertised price}") {
		t.Errorf("the prices that are compared: %s", words)
	}
}

// A list is not connected while anything is open that a cost stands on, whoever asks for it, and however.
func TestAListWithOpenQuestionsIsNotConnected(t *testing.T) {
	w := testkit.Start(t)
	up, problem := w.Owner.Send("list.csv",
		[]byte("sku,title,price,special price,pack size,stock\nS1,Quay kettle,3.00,2.40,12,4\n"))
	if problem != nil {
		t.Fatal(problem)
	}
	list := sources.PriceListInput{File: up.File, Name: up.Name}
	looked := w.Look(list)
	layout := looked.Layout
	layout.Country, layout.Supplier, layout.Processing = "DE", "Northlight Wholesale", landed.Days{Min: 1, Max: 2}
	layout.Answers = map[string]string{}
	list.Layout = &layout
	for _, step := range []struct{ words, key, answer string }{
		{"Which of these do you pay?", "cost", "3"}, {"What is a price for?", "price_for", "pack"},
		{"Which currency are the costs in?", "currency", "EUR"},
	} {
		problem := w.Owner.Ask("POST", "/api/price-lists", list, nil)
		if problem == nil || problem.Status != 422 || problem.Field() != "questions" || problem.Detail != step.words {
			t.Fatalf("%+v, want %s", problem, step.words)
		}
		layout.Answers[step.key] = step.answer
	}
	layout.Currency, layout.PerPack = "USD", false // what follows from the answers is not taken as given
	w.Owner.Must("POST", "/api/price-lists", list, nil)
	source := w.Source("Northlight Wholesale")
	if source.Offers != 1 || costOf(t, w, "S1") != 20 || source.Layout.Currency != "EUR" || !source.Layout.PerPack {
		t.Errorf("%d offers at %d, %+v", source.Offers, costOf(t, w, "S1"), source.Layout)
	}
	// A layout is not saved either.
	changed := *source.Layout
	changed.Answers = map[string]string{"cost": "3", "currency": "EUR"}
	if problem := w.Owner.Ask("PUT", fmt.Sprintf("/api/sources/%d/layout", source.ID), changed, nil); problem == nil ||
		problem.Field() != "questions" {
		t.Errorf("%+v", problem)
	}
}
