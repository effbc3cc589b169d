package orders_test

import (
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	webhooks "github.com/standard-webhooks/standard-webhooks/libraries/go"
	"github.com/xuri/excelize/v2"

	"plainpelican/core/order"
	"plainpelican/orders"
	"plainpelican/standins/bazaar"
	"plainpelican/standins/fault"
	"plainpelican/standins/shop"
	"plainpelican/stores"
	"plainpelican/testkit"
	"plainpelican/workbench"
)

var portland = shop.Address{Name: "Maya Okafor", Line1: "418 Juniper Street", Line2: "Apt 6", City: "Portland",
	Region: "OR", Postcode: "97205", Country: "US"}

// selling is a world with some drafts live in the store, and orders followed quickly.
func selling(t *testing.T, drafts int) *testkit.World {
	t.Helper()
	return sellingOf(t, testkit.Bazaar, drafts)
}

// sellingOf is selling what another marketplace has.
func sellingOf(t *testing.T, market bazaar.Settings, drafts int) *testkit.World {
	t.Helper()
	w := testkit.StartWith(t, market)
	w.Ready()
	for at := 0; len(w.Shop.Products()) < drafts; at++ {
		if at > 40 {
			t.Fatal("too few offers can be sold")
		}
		w.Publish(1, w.Take(w.Offer(at))...)
	}
	return w
}

// buys has a customer buy one of a product's variants.
func buys(t *testing.T, w *testkit.World, product, quantity int, to shop.Address) shop.Order {
	t.Helper()
	p := w.Shop.Products()[product]
	o, err := w.Shop.Buy([]shop.Bought{{Product: p.ID, Variant: p.Variants[0].ID, Quantity: quantity}}, to,
		"maya@mail.example", "+1 503 555 0142")
	if err != nil {
		t.Fatal(err)
	}
	return o
}

func list(w *testkit.World, query string) (page orders.Page) {
	w.Owner.Must("GET", "/api/orders?"+query, nil, &page)
	return page
}

// arrived waits until so many orders are here, and reads the newest.
func arrived(t *testing.T, w *testkit.World, n int) orders.Order {
	t.Helper()
	testkit.Until(t, "the orders, and what they cost", func() bool {
		page := list(w, "")
		return page.Total == n && !slices.ContainsFunc(page.Orders, func(o orders.Row) bool {
			return o.Profit == nil && o.CostError == "" && o.State != order.NotOurs
		})
	})
	return get(w, list(w, "").Orders[0].ID)
}

func get(w *testkit.World, id int64) (o orders.Order) {
	w.Owner.Must("GET", fmt.Sprintf("/api/orders/%d", id), nil, &o)
	return o
}

func reaches(t *testing.T, w *testkit.World, id int64, state order.State) (o orders.Order) {
	t.Helper()
	testkit.Until(t, "order is "+string(state), func() bool {
		if o = get(w, id); o.State == state {
			return true
		}
		w.Owner.Must("POST", "/api/orders/read", nil, nil)
		return false
	})
	return o
}

func buy(w *testkit.World, ids ...int64) (made orders.Purchases) {
	w.Owner.Must("POST", "/api/orders/buy", map[string]any{"order_ids": ids}, &made)
	return made
}

func TestFromCustomersOrderToTrackingInTheStore(t *testing.T) {
	w := selling(t, 1)
	bought := buys(t, w, 0, 2, portland)
	o := arrived(t, w, 1)
	if o.State != order.ToBuy || o.Number != bought.Number || len(o.Items) != 1 || !o.Items[0].Ours ||
		o.Customer.Address.Line1 != portland.Line1 || len(o.Faults) != 0 || o.Profit == nil {
		t.Fatalf("%+v", o)
	}
	var look orders.Review
	w.Owner.Must("POST", "/api/orders/review", map[string]any{"order_ids": []int64{o.ID}}, &look)
	if r := look.Orders[0]; r.Blocked != "" || len(r.Purchases) != 1 || r.Purchases[0].Blocked != "" ||
		r.Profit.String() != o.Profit.String() || len(look.Owed) != 1 {
		t.Fatalf("%+v", look)
	}
	if made := buy(w, o.ID); made.Begun != 1 || len(made.LeftOut) != 0 {
		t.Fatalf("%+v", made)
	}
	o = reaches(t, w, o.ID, order.ToPay)
	at := w.Bazaar.Purchases()
	if len(at) != 1 || at[0].Quantity != 2 || !strings.Contains(at[0].Address, "97205") ||
		o.Purchases[0].Number != at[0].Number ||
		o.Purchases[0].Owed.String() != look.Orders[0].Purchases[0].Owed.String() {
		t.Fatalf("%+v %+v", at, o.Purchases)
	}
	var owed []orders.OwedPurchase
	w.Owner.Must("GET", "/api/purchases/owed", nil, &owed)
	if len(owed) != 1 || owed[0].Amount.String() != o.Purchases[0].Owed.String() || owed[0].BySheet {
		t.Errorf("%+v", owed)
	}
	var paid orders.Moved
	w.Owner.Must("POST", "/api/purchases/pay", map[string]any{"ids": []int64{o.Purchases[0].ID}}, &paid)
	reaches(t, w, o.ID, order.Bought)
	if !w.Bazaar.Purchases()[0].Paid {
		t.Error("it was not paid")
	}
	w.Bazaar.SetDay(3)
	o = reaches(t, w, o.ID, order.InTransit)
	testkit.Until(t, "the store knows", func() bool { return len(w.Shop.Orders()[0].Fulfilments) == 1 })
	f := w.Shop.Orders()[0].Fulfilments[0]
	if f.Number != o.Purchases[0].Parcels[0].Number || f.Lines[0].Quantity != 2 || o.Purchases[0].Parcels[0].Wrong {
		t.Errorf("%+v %+v", f, o.Purchases[0].Parcels)
	}
	w.Bazaar.SetDay(12)
	o = reaches(t, w, o.ID, order.Arrived)
	if len(w.Shop.Orders()[0].Fulfilments) != 1 || len(o.Events) < 6 {
		t.Errorf("%+v", o.Events)
	}
}

func TestAnOrderIsHeardOfOnceHoweverOftenItIsTold(t *testing.T) {
	w := selling(t, 1)
	testkit.Until(t, "the store tells us", func() bool { return len(w.Shop.Hooks()) == 1 })
	w.Fault(w.ShopURL, fault.Plan{RepeatWebhooks: true, DelayWebhooksMS: 20})
	o := buys(t, w, 0, 1, portland)
	w.Shop.Cancel(o.ID)
	testkit.Until(t, "both messages", func() bool {
		var n int
		err := w.App.Pool.QueryRow(t.Context(), `select count(*) from store_message where body = ''`).Scan(&n)
		return err == nil && n == 2
	})
	here := arrived(t, w, 1)
	if here.State != order.Void {
		t.Errorf("%+v", here.Row)
	}
	w.Fault(w.ShopURL, fault.Plan{LoseWebhooks: true})
	buys(t, w, 0, 1, portland)
	w.Owner.Must("POST", "/api/orders/read", nil, nil)
	arrived(t, w, 2)
}

// The vector that the Standard Webhooks specification's libraries share; signatures that we take are made by it.
func TestTheSpecificationsSignature(t *testing.T) {
	check, err := webhooks.NewWebhook("whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw")
	if err != nil {
		t.Fatal(err)
	}
	got, err := check.Sign("msg_p5jXN8AQM9LWM0D4loKWxJek", time.Unix(1614265330, 0), []byte(`{"test": 2432232314}`))
	if want := "v1,g0hM9SsE+OTPJTGt/tmIKtSyZlE3uFJELVlNIOLJ1OE="; err != nil || got != want {
		t.Errorf("%s %v", got, err)
	}
}

func TestAWebhookThatIsNotTheStoresIsRefused(t *testing.T) {
	w := selling(t, 1)
	testkit.Until(t, "the store tells us", func() bool { return len(w.Shop.Hooks()) == 1 })
	for address, secret := range w.Shop.Hooks() {
		signer, err := webhooks.NewWebhook(secret)
		if err != nil {
			t.Fatal(err)
		}
		body := `{"type": "order.created", "data": {}}`
		post := func(at time.Time, sign, send string) int {
			signature, err := signer.Sign("msg_1", at, []byte(sign))
			if err != nil {
				t.Fatal(err)
			}
			r, err := http.NewRequestWithContext(t.Context(), http.MethodPost, address, strings.NewReader(send))
			if err != nil {
				t.Fatal(err)
			}
			r.Header.Set("webhook-id", "msg_1")
			r.Header.Set("webhook-timestamp", strconv.FormatInt(at.Unix(), 10))
			r.Header.Set("webhook-signature", signature)
			answer, err := http.DefaultClient.Do(r)
			if err != nil {
				t.Fatal(err)
			}
			_ = answer.Body.Close()
			return answer.StatusCode
		}
		now := time.Now()
		for name, c := range map[string]struct {
			at         time.Time
			sign, send string
			want       int
		}{
			"a replay after six minutes":   {now.Add(-6 * time.Minute), body, body, 401},
			"from six minutes ahead":       {now.Add(6 * time.Minute), body, body, 401},
			"another body than was signed": {now, body, body + " ", 401},
			"as the store sends it":        {now, body, body, 204},
			"too long":                     {now, body, strings.Repeat("x", 2<<20), 413},
		} {
			t.Run(name, func(t *testing.T) {
				if got := post(c.at, c.sign, c.send); got != c.want {
					t.Errorf("%d, not %d", got, c.want)
				}
			})
		}
	}
	anybody := w.Nobody("")
	if problem := anybody.Ask("POST", "/connect/webhooks/nobody", nil, nil); problem == nil ||
		problem.Status != 410 {
		t.Errorf("%+v", problem)
	}
	testkit.Until(t, "the order that cannot be used is named", func() bool { return list(w, "").Rejected == 1 })
}

func TestADoubtfulAddressIsAskedAbout(t *testing.T) {
	w := selling(t, 1)
	there := portland
	there.Postcode, there.Name = "", "中村 さくら"
	buys(t, w, 0, 1, there)
	o := arrived(t, w, 1)
	if o.AddressFaults != 2 || len(o.Faults) != 2 {
		t.Fatalf("%+v", o.Faults)
	}
	if made := buy(w, o.ID); made.Begun != 0 || len(made.LeftOut) != 1 ||
		!strings.Contains(made.LeftOut[0].Reason, "address is doubtful") {
		t.Errorf("%+v", made)
	}
	right := o.Address
	right.Postcode, right.Name = "97205", "Sakura Nakamura"
	w.Owner.Must("PUT", fmt.Sprintf("/api/orders/%d/address", o.ID), map[string]any{"address": right}, &o)
	if !o.Corrected || o.AddressFaults != 0 || o.Customer.Address.Name != "中村 さくら" {
		t.Errorf("%+v", o)
	}
	buy(w, o.ID)
	reaches(t, w, o.ID, order.ToPay)
	if at := w.Bazaar.Purchases(); !strings.Contains(at[0].Address, "Sakura Nakamura") {
		t.Errorf("%+v", at)
	}
	if problem := w.Owner.Ask("PUT", fmt.Sprintf("/api/orders/%d/address", o.ID), map[string]any{},
		nil); problem == nil ||
		problem.Status != 409 {
		t.Errorf("after it was bought: %+v", problem)
	}
}

// Two people buy the same orders at once, with two instances and a source that cuts its answers: each is bought once.
func TestNothingIsBoughtTwice(t *testing.T) {
	w := selling(t, 2)
	second, _ := w.Instance(w.App.Pool)
	w.App.Orders.Pause, second.Orders.Pause = 50*time.Millisecond, 50*time.Millisecond
	for i := range 6 {
		buys(t, w, i%2, 1, portland)
	}
	w.Owner.Must("POST", "/api/orders/read", nil, nil)
	arrived(t, w, 6)
	var ids []int64
	for _, o := range list(w, "").Orders {
		ids = append(ids, o.ID)
	}
	w.Fault(w.BazaarURL, fault.Plan{CutAfter: 4, Only: "PUT /purchase-orders", LatencyMS: 20})
	other := w.SignIn("olga@example.com", "a long password")
	begun := make(chan int, 2)
	for _, who := range []*testkit.Person{w.Owner, other} {
		go func() {
			var made orders.Purchases
			who.Must("POST", "/api/orders/buy", map[string]any{"order_ids": ids}, &made)
			begun <- made.Begun
		}()
	}
	if n := <-begun + <-begun; n != 6 {
		t.Errorf("%d purchases were begun of 6 orders", n)
	}
	for _, id := range ids {
		reaches(t, w, id, order.ToPay)
	}
	if at := w.Bazaar.Purchases(); len(at) != 6 {
		t.Errorf("%d orders became %d purchases", len(ids), len(at))
	}
}

func TestWhatASupplierRefusesIsAProblemThatCanBeBoughtAgain(t *testing.T) {
	w := selling(t, 1)
	buys(t, w, 0, 1, portland)
	o := arrived(t, w, 1)
	w.Fault(w.BazaarURL, fault.Plan{Empty: true})
	buy(w, o.ID)
	o = reaches(t, w, o.ID, order.Problem)
	if o.Purchases[0].State != order.Refused || !strings.Contains(o.Purchases[0].Reason, "not sold any more") {
		t.Errorf("%+v", o.Purchases)
	}
	w.Fault(w.BazaarURL, fault.Plan{})
	if made := buy(w, o.ID); made.Begun != 1 {
		t.Fatalf("%+v", made)
	}
	o = reaches(t, w, o.ID, order.ToPay)
	if len(o.Purchases) != 2 {
		t.Errorf("%+v", o.Purchases)
	}
}

// A supplier that takes no orders from here is bought from with an order sheet, which a person sends.
func TestASupplierWithoutAnAPIIsBoughtFromByOrderSheet(t *testing.T) {
	market := testkit.Bazaar
	market.SheetsOnly = true
	w := sellingOf(t, market, 1)
	buys(t, w, 0, 1, portland)
	o := arrived(t, w, 1)
	if made := buy(w, o.ID); made.Begun != 1 {
		t.Fatalf("%+v", made)
	}
	o = get(w, o.ID)
	p := o.Purchases[0].ID
	if o.State != order.SendSheet {
		t.Fatalf("%+v", o.Purchases)
	}
	sheet, err := w.Owner.Download("/api/purchases/sheet?source=1&format=csv")
	if err != nil || !strings.Contains(sheet, "418 Juniper Street") || !strings.Contains(sheet, "'+1 503 555 0142") {
		t.Errorf("%v %s", err, sheet)
	}
	book, err := w.Owner.Download("/api/purchases/sheet?source=1&format=xlsx")
	if err != nil {
		t.Fatal(err)
	}
	read, err := excelize.OpenReader(strings.NewReader(book))
	if err != nil {
		t.Fatal(err)
	}
	if cell, err := read.GetCellValue("Sheet1", "P2"); err != nil || cell != "+1 503 555 0142" {
		t.Errorf("%q %v", cell, err)
	}
	path := fmt.Sprintf("/api/purchases/%d", p)
	parcel := map[string]any{"number": "RB 123 456 785 GB", "carrier": "Harbour Post"}
	if problem := w.Owner.Ask("POST", path+"/parcel", parcel, nil); problem == nil || problem.Status != 409 {
		t.Errorf("before it is sent: %+v", problem)
	}
	var moved orders.Moved
	w.Owner.Must("POST", "/api/purchases/sent", map[string]any{"ids": []int64{p}}, &moved)
	w.Owner.Must("POST", "/api/purchases/pay", map[string]any{"ids": []int64{p}}, &moved)
	if o = get(w, o.ID); o.State != order.Bought || moved.Moved != 1 || len(w.Bazaar.Purchases()) != 0 {
		t.Errorf("%+v", o.Purchases)
	}
	if problem := w.Owner.Ask("POST", path+"/parcel", map[string]any{"number": "RB123456784GB", "carrier": "Post"},
		nil); problem == nil || problem.Field() != "number" {
		t.Errorf("a mistyped number: %+v", problem)
	}
	w.Owner.Must("POST", path+"/parcel", parcel, &o)
	if o.State != order.InTransit {
		t.Errorf("%+v", o.Row)
	}
	testkit.Until(t, "the store knows", func() bool { return len(w.Shop.Orders()[0].Fulfilments) == 1 })
	if f := w.Shop.Orders()[0].Fulfilments[0]; f.Number != "RB123456785GB" || f.Lines[0].Quantity != 1 {
		t.Errorf("%+v", f)
	}
	w.Owner.Must("POST", path+"/delivered", nil, &moved)
	if o = get(w, o.ID); o.State != order.Arrived {
		t.Errorf("%+v", o.Row)
	}
}

func TestAPurchaseThatIsNotSentIsTakenBack(t *testing.T) {
	market := testkit.Bazaar
	market.SheetsOnly = true
	w := sellingOf(t, market, 1)
	buys(t, w, 0, 1, portland)
	o := arrived(t, w, 1)
	buy(w, o.ID)
	path := fmt.Sprintf("/api/purchases/%d/give-up", get(w, o.ID).Purchases[0].ID)
	w.Owner.Must("POST", path, map[string]any{"reason": "the wrong colour"}, &o)
	if o.State != order.Problem || o.Purchases[0].State != order.Cancelled {
		t.Errorf("%+v", o)
	}
	if problem := w.Owner.Ask("POST", path, map[string]any{"reason": "again"}, nil); problem == nil ||
		problem.Status != 409 {
		t.Errorf("%+v", problem)
	}
	if made := buy(w, o.ID); made.Begun != 1 {
		t.Errorf("%+v", made)
	}
}

// The orders of a store without an API come as a file: each once, and what cannot be used is named.
func TestOrdersOfAStoreWithoutAnAPIComeAsAFile(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	var s stores.Store
	w.Owner.Must("POST", "/api/stores/files", map[string]any{"name": "Market stall", "currency": "EUR",
		"time_zone": "Europe/Lisbon", "markets": []string{"PT"}}, &s)
	id := w.Take(w.Offer(0))[0]
	testkit.Until(t, "its prices there", func() bool {
		var d workbench.Draft
		w.Owner.Must("GET", fmt.Sprintf("/api/drafts/%d?store=%d", id, s.ID), nil, &d)
		return d.Variants[0].Ladder != nil
	})
	w.Publish(s.ID, id)
	products, err := w.Owner.Download(fmt.Sprintf("/api/stores/%d/files/products.csv", s.ID))
	if err != nil {
		t.Fatal(err)
	}
	first := strings.Split(strings.Split(products, "\n")[1], ",")
	const head = "order,placed,product,variant,quantity,price,shipping,name,street,city,postcode,country,mail\n"
	rest := ",Ana Reis,Rua do Cais 3,Porto,4050-018,PT,ana@mail.example\n"
	file := head + "S-1,2026-11-27 18:30," + first[0] + "," + first[1] + ",2,19.90,3.50" + rest +
		"S-2,tomorrow," + first[0] + "," + first[1] + ",1,19.90,0" + rest +
		"S-3,2026-11-27," + first[0] + "," + first[1] + ",none,19.90,0" + rest +
		"S-4,2026-11-27," + first[0] + "," + first[1] + ",1,much,0" + rest +
		"S-5,2026-11-27,not-ours,x,1,5.00,0" + rest
	send := func(content string) (out orders.FileOutcome, problem *testkit.Problem) {
		return out, w.Owner.AskRaw("POST", fmt.Sprintf("/api/stores/%d/orders", s.ID), "text/csv", content, &out)
	}
	for range 2 { // it may be sent again
		out, problem := send(file)
		if problem != nil || out.Orders != 2 || len(out.Rejected) != 3 || out.Rejected[0].Row != 3 ||
			!strings.Contains(out.Rejected[2].Reason, "S-4") {
			t.Fatalf("%+v %+v", problem, out)
		}
	}
	page := list(w, "")
	if page.Total != 2 || page.Counts[order.ToBuy] != 1 || page.Counts[order.NotOurs] != 1 {
		t.Errorf("%+v", page)
	}
	// An order of which one row cannot be used comes in once that is corrected, and not without it before.
	two := "S-6,2026-11-27," + first[0] + "," + first[1] + ",1,19.90,0" + rest
	torn := two + "S-6,2026-11-27," + first[0] + "," + first[1] + ",,19.90,0" + rest
	if out, problem := send(head + torn); problem != nil || out.Orders != 0 || len(out.Rejected) != 2 ||
		!strings.Contains(out.Rejected[1].Reason, "none of it came in") {
		t.Errorf("%+v %+v", problem, out)
	}
	if out, _ := send(head + torn[:len(torn)-5] + "\"cut"); out.Orders != 0 {
		t.Errorf("%+v", out)
	}
	if out, problem := send(head + two + two); problem != nil || out.Orders != 1 || list(w,
		"words=s-6").Orders[0].Lines != 2 {
		t.Errorf("%+v %+v", problem, out)
	}
	if _, err := w.App.Pool.Exec(t.Context(), `update customer_order set placed_at = now() - case when number = 'S-6'
		then 10 else 1 end * interval '1 day'`); err != nil {
		t.Fatal(err)
	}
	for query, want := range map[string]int{"country=PT": 3, "country=SE": 0, "older=7": 1, "older=30": 0,
		"supplier=Nobody": 0} {
		if got := list(w, query).Total; got != want {
			t.Errorf("%s finds %d", query, got)
		}
	}
	if _, problem := send("order,product\n1,2\n"); problem == nil || !strings.Contains(problem.Detail, "no column") {
		t.Errorf("%+v", problem)
	}
	export, err := w.Owner.Download("/api/orders/export?state=to_buy")
	if err != nil || strings.Count(export, "\n") != 3 || strings.Contains(export, "Reis") {
		t.Errorf("%v %s", err, export)
	}
}

func TestAPaymentThatTheBalanceDoesNotCoverSaysWhy(t *testing.T) {
	market := testkit.Bazaar
	market.Balance = 1
	w := sellingOf(t, market, 1)
	buys(t, w, 0, 3, portland)
	o := arrived(t, w, 1)
	buy(w, o.ID)
	o = reaches(t, w, o.ID, order.ToPay)
	pay := map[string]any{"ids": []int64{o.Purchases[0].ID}}
	w.Owner.Must("POST", "/api/purchases/pay", pay, nil)
	testkit.Until(t, "why it was not paid", func() bool {
		o = get(w, o.ID)
		return strings.Contains(o.Purchases[0].PayReason, "does not cover")
	})
	if o.State != order.ToPay || o.Purchases[0].Paying || w.Bazaar.Purchases()[0].Paid {
		t.Errorf("%+v", o.Purchases)
	}
}

func TestWhoBoughtIsErasedAfterTheDaysOfTheSetting(t *testing.T) {
	w := selling(t, 1)
	bought := buys(t, w, 0, 1, portland)
	w.Shop.Cancel(bought.ID)
	w.Owner.Must("POST", "/api/orders/read", nil, nil)
	testkit.Until(t, "it is cancelled", func() bool { return list(w, "state=cancelled").Total == 1 })
	id := list(w, "").Orders[0].ID
	later := func() orders.Order {
		if _, err := w.App.Pool.Exec(t.Context(), `update customer_order set placed_at = now() - interval '31 days',
			news_at = now() - interval '31 days'`); err != nil {
			t.Fatal(err)
		}
		if err := w.App.Orders.Prune(t.Context()); err != nil {
			t.Fatal(err)
		}
		return get(w, id)
	}
	if o := later(); o.Customer.Email == "" {
		t.Error("erased before the 90 days of the usual setting")
	}
	w.Owner.Must("PATCH", "/api/stores/1/order-settings", map[string]any{"erase_after_days": 30,
		"archive_after_days": 0, "phone": ""}, nil)
	o := later()
	if o.Customer.Email != "" || o.Address.Name != "" || o.Total.IsZero() || o.Items[0].Title == "" {
		t.Errorf("%+v", o)
	}
	var left string
	if err := w.App.Pool.QueryRow(t.Context(), `select coalesce(string_agg(words, ' '), '') from order_event`).
		Scan(&left); err != nil || strings.Contains(left, "Maya") {
		t.Errorf("%s %v", left, err)
	}
}

// A customer's orders are found by their name or mail address though neither can be read in the database, and what is
// kept of them is given out, and erased, on request.
func TestACustomerIsFoundGivenOutAndErased(t *testing.T) {
	w := selling(t, 1)
	over := buys(t, w, 0, 1, portland)
	buys(t, w, 0, 1, portland)
	arrived(t, w, 2)
	w.Shop.Cancel(over.ID)
	w.Owner.Must("POST", "/api/orders/read", nil, nil)
	testkit.Until(t, "one is cancelled", func() bool { return list(w, "state=cancelled").Total == 1 })
	for words, want := range map[string]int{"okafor": 2, "MAYA+okafor": 2, "maya@mail.example": 2, "okaf": 0,
		"tanner":           0,
		"okafor+cancelled": 0} {
		if got := list(w, "words="+words).Total; got != want {
			t.Errorf("%s finds %d", words, got)
		}
	}
	if _, err := w.App.Pool.Exec(t.Context(), `update customer_order set who = null`); err != nil { // as from before
		t.Fatal(err)
	}
	var data orders.CustomerData
	body := map[string]any{"email": " Maya@mail.example "}
	w.Owner.Must("POST", "/api/customers/export", body, &data)
	if len(data.Orders) != 2 || data.Orders[0].Customer.Address.Line1 != portland.Line1 {
		t.Errorf("%+v", data)
	}
	var gone orders.Erased
	w.Owner.Must("POST", "/api/customers/erase", body, &gone)
	if gone.Orders != 1 || len(gone.Open) != 1 || list(w, "words=okafor").Total != 1 {
		t.Errorf("%+v", gone)
	}
	w.Owner.Must("POST", "/api/customers/export", body, &data)
	if len(data.Orders) != 1 {
		t.Errorf("%+v", data)
	}
}

func TestWhatIsOverIsArchivedAndTheShopsTelephoneIsGiven(t *testing.T) {
	w := selling(t, 1)
	w.Owner.Must("PATCH", "/api/stores/1/order-settings", map[string]any{"erase_after_days": 90,
		"archive_after_days": 14, "phone": " +1 503  555 0100"}, nil)
	if problem := w.Owner.Ask("PATCH", "/api/stores/1/order-settings", map[string]any{"erase_after_days": 90,
		"archive_after_days": 14, "phone": "call us"}, nil); problem == nil || problem.Status != 422 {
		t.Error(problem)
	}
	over := buys(t, w, 0, 1, portland)
	p := w.Shop.Products()[0]
	if _, err := w.Shop.Buy([]shop.Bought{{Product: p.ID, Variant: p.Variants[0].ID, Quantity: 1}}, portland,
		"maya@mail.example", ""); err != nil {
		t.Fatal(err)
	}
	o := arrived(t, w, 2)
	buy(w, o.ID)
	reaches(t, w, o.ID, order.ToPay)
	if at := w.Bazaar.Purchases()[0].Address; !strings.Contains(at, "+1 503 555 0100") {
		t.Errorf("%s", at)
	}
	w.Shop.Cancel(over.ID)
	w.Owner.Must("POST", "/api/orders/read", nil, nil)
	testkit.Until(t, "one is cancelled", func() bool { return list(w, "state=cancelled").Total == 1 })
	if _, err := w.App.Pool.Exec(t.Context(), `update customer_order set placed_at = now() - interval '15 days',
		news_at = now() - interval '15 days'`); err != nil {
		t.Fatal(err)
	}
	if err := w.App.Orders.Prune(t.Context()); err != nil {
		t.Fatal(err)
	}
	if page := list(w, ""); page.Total != 1 || list(w, "archived=true").Total != 1 {
		t.Errorf("%+v", page)
	}
}

func TestWhatAnOrderCostsFollowsTheSupplier(t *testing.T) {
	w := selling(t, 1)
	buys(t, w, 0, 1, portland)
	before := arrived(t, w, 1)
	if _, err := w.App.Pool.Exec(t.Context(), `update offer_variant set cost = cost * 2`); err != nil {
		t.Fatal(err)
	}
	if _, err := w.App.Pool.Exec(t.Context(), `update customer_order set estimated_at = '-infinity'`); err != nil {
		t.Fatal(err)
	}
	if err := w.App.Orders.EstimateAgain(t.Context()); err != nil {
		t.Fatal(err)
	}
	if after := get(w, before.ID); after.Profit.Minor() >= before.Profit.Minor() ||
		after.Cost.Minor() <= before.Cost.Minor() {
		t.Errorf("%v, before %v", after.Profit, before.Profit)
	}
	// One that is over and moved, and whose instance ended before it worked out what that comes to, is taken up.
	if _, err := w.App.Pool.Exec(t.Context(), `update customer_order set state = 'delivered', profit = null,
		revision = revision + 1`); err != nil {
		t.Fatal(err)
	}
	if err := w.App.Orders.EstimateAgain(t.Context()); err != nil {
		t.Fatal(err)
	}
	if after := get(w, before.ID); after.Profit == nil {
		t.Errorf("%+v", after.Row)
	}
}

// A source that took a purchase, did not answer, and is disconnected then: it is not said that it refused, since what
// it has would be bought again.
func TestWhatMayHaveBeenSentIsNotSaidToBeRefused(t *testing.T) {
	w := selling(t, 1)
	w.App.Orders.Pause = time.Second
	buys(t, w, 0, 1, portland)
	o := arrived(t, w, 1)
	w.Fault(w.BazaarURL, fault.Plan{CutAfter: 50, Only: "/purchase-orders"})
	buy(w, o.ID)
	testkit.Until(t, "it is put back", func() bool {
		o = get(w, o.ID)
		return len(o.Purchases) == 1 && strings.Contains(o.Purchases[0].Reason, "trying again")
	})
	w.Owner.Must("POST", "/api/sources/1/disconnect", nil, nil)
	w.Fault(w.BazaarURL, fault.Plan{})
	testkit.Until(t, "it is not known", func() bool {
		o = get(w, o.ID)
		return o.Purchases[0].State == order.Unknown
	})
	if made := buy(w, o.ID); made.Begun != 0 {
		t.Errorf("it was bought again: %+v", made)
	}
	w.ConnectBazaar()
	o = reaches(t, w, o.ID, order.ToPay)
	if at := w.Bazaar.Purchases(); len(at) != 1 || len(o.Purchases) != 1 {
		t.Errorf("%d purchases: %+v", len(at), o.Purchases)
	}
}

func TestACustomerWhoCancelsBeforeItIsSentIsBoughtNothing(t *testing.T) {
	w := selling(t, 1)
	bought := buys(t, w, 0, 1, portland)
	o := arrived(t, w, 1)
	w.App.Jobs.Stop(t.Context()) // nothing is sent for now
	buy(w, o.ID)
	if _, err := w.App.Pool.Exec(t.Context(), `update customer_order set cancelled = true`); err != nil {
		t.Fatal(err)
	}
	w.Shop.Cancel(bought.ID)
	w.Instance(w.App.Pool)
	testkit.Until(t, "the purchase is taken back, and nothing is left to do", func() bool {
		o = get(w, o.ID)
		return o.Purchases[0].State == order.Cancelled && o.State == order.Void
	})
	if len(w.Bazaar.Purchases()) != 0 {
		t.Errorf("%+v", o.Row)
	}
}

// What is late is said of each order by the rule, and counted and filtered by SQL: both are the same.
func TestLateOrdersAreCountedAsTheyAreSaid(t *testing.T) {
	w := selling(t, 1)
	for range 5 {
		buys(t, w, 0, 1, portland)
	}
	w.Owner.Must("POST", "/api/orders/read", nil, nil)
	arrived(t, w, 5)
	for nth, set := range []string{"placed_at = now() - interval '17 days'", "news_at = now() - interval '8 days'",
		"placed_at = now() - interval '40 days', state = 'delivered'", "news_at = now() - interval '6 days'"} {
		if _, err := w.App.Pool.Exec(t.Context(), `update customer_order set `+set+` where id =
			(select id from customer_order order by id offset $1 limit 1)`, nth); err != nil {
			t.Fatal(err)
		}
	}
	late := func(page orders.Page) (n int) {
		for _, o := range page.Orders {
			if o.Late != "" {
				n++
			}
		}
		return n
	}
	all := list(w, "")
	if only := list(w, "matter=late"); all.Late != 2 || late(all) != 2 || only.Total != 2 || late(only) != 2 {
		t.Errorf("%d counted, %d said, %d filtered, %d of them said", all.Late, late(all), only.Total, late(only))
	}
	if late(orders.Page{Orders: all.Orders[:2]}) != 2 {
		t.Errorf("those that are late do not come first: %+v", all.Orders)
	}
	paged := []int64{}
	for after := int64(0); ; {
		var page orders.Page
		w.Owner.Must("GET", fmt.Sprintf("/api/orders?limit=1&before=%d", after), nil, &page)
		paged = append(paged, page.Orders[0].ID)
		if after = page.Next; after == 0 {
			break
		}
	}
	if !slices.EqualFunc(paged, all.Orders, func(id int64, o orders.Row) bool { return id == o.ID }) {
		t.Errorf("page by page %v, at once %+v", paged, all.Orders)
	}
}
