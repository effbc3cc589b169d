package faults

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"plainpelican/core/order"
	"plainpelican/orders"
	"plainpelican/standins/fault"
	"plainpelican/standins/shop"
	"plainpelican/testkit"
)

// unwilling are faults of a source, one plan after another; the last has several at once.
var unwilling = []fault.Plan{{LatencyMS: 30}, {ErrorPercent: 20}, {TooMany: 20, RetryAfter: 1},
	{CutAfter: 6, Only: "PUT /purchase-orders"}, {CutAfter: 6, Only: "POST /purchase-orders"},
	{Truncate: true, Only: "/purchase-orders"}, {RevokeTokens: true}, {HTML: true, Only: "GET /purchase-orders"},
	{Down: true}, {LatencyMS: 20, ErrorPercent: 8, TooMany: 10, CutAfter: 4}}

// Two instances buy what is in many orders from a source that misbehaves in each way, and pay for it, while one of them
// is killed at random moments and all connections of the database are cut. In the end each order is bought and paid
// once, money paid is money owed, and the store was told of each parcel once.
func TestKilledAndCutNothingIsBoughtOrPaidTwice(t *testing.T) {
	n, kills, cuts := many(300, 16), many(10, 3), many(6, 2)
	path := binary(t)
	w := readyFor(t, 4)
	w.Publish(1, ready(t, w, 4)...)
	customers(t, w, n)
	instances := ownInstances(t, w, path)
	w.Owner.Must("POST", "/api/orders/read", nil, nil)
	testkit.Until(t, "the orders", func() bool { return count(t, w, `select count(*) from customer_order`) == n })
	var ids []int64
	for before := int64(0); ; {
		var page orders.Page
		w.Owner.Must("GET", fmt.Sprintf("/api/orders?limit=500&before=%d", before), nil, &page)
		for _, o := range page.Orders {
			ids = append(ids, o.ID)
		}
		if before = page.Next; before == 0 {
			break
		}
	}
	var made orders.Purchases
	w.Owner.Must("POST", "/api/orders/buy", map[string]any{"order_ids": ids}, &made)
	if made.Begun != n {
		t.Fatalf("%d of %d were begun: %+v", made.Begun, n, made.LeftOut[:min(3, len(made.LeftOut))])
	}
	r := rand.New(rand.NewPCG(uint64(time.Now().UnixNano()), 3))
	disturb := func(rounds int) {
		for step := range rounds {
			w.Fault(w.BazaarURL, unwilling[step%len(unwilling)])
			time.Sleep(time.Duration(300+r.IntN(900)) * time.Millisecond)
			if cuts > 0 && step%2 == 1 {
				cutAll(t, w)
				cuts--
			}
			if full && step%4 == 3 { // alone on its server
				testkit.RestartDatabase(t)
			}
			if kills > 0 && step%2 == 0 {
				instances.kill(r.IntN(2))
				kills--
			}
		}
		w.Fault(w.BazaarURL, fault.Plan{})
	}
	disturb(len(unwilling))
	reach(t, w, n, order.Placed)
	var owed []orders.OwedPurchase
	w.Owner.Must("GET", "/api/purchases/owed", nil, &owed)
	var all []int64
	for _, p := range owed {
		all = append(all, p.ID)
	}
	var moved orders.Moved
	w.Owner.Must("POST", "/api/purchases/pay", map[string]any{"ids": all}, &moved)
	disturb(len(unwilling) / 2)
	reach(t, w, n, order.Paid)
	at := w.Bazaar.Purchases()
	paid := 0
	for _, p := range at {
		if !p.Paid {
			t.Errorf("%s is not paid", p.Number)
		}
		paid += p.Total
	}
	here := count(t, w, `select coalesce(sum(total), 0)::int from purchase where state <> 'cancelled'`)
	if len(at) != n || paid != here {
		t.Errorf("%d orders are %d purchases; %d was paid, and %d is written here", n, len(at), paid, here)
	}
	w.Bazaar.SetDay(3)
	w.Fault(w.ShopURL, fault.Plan{CutAfter: n / 4, Only: "/fulfilments"})
	w.Owner.Must("POST", "/api/orders/read", nil, nil)
	reach(t, w, n, order.Shipped)
	testkit.Until(t, "the store knows of each parcel", func() bool {
		return count(t, w, `select count(*) from parcel where told_at is not null`) == n
	})
	for _, o := range w.Shop.Orders() {
		if len(o.Fulfilments) != 1 {
			t.Errorf("order %s has %d fulfilments", o.Number, len(o.Fulfilments))
		}
	}
	t.Logf("%d orders: each bought, paid and told of once", n)
}

// customers have a store sell so many orders.
func customers(t *testing.T, w *testkit.World, n int) {
	t.Helper()
	var forSale []shop.Bought
	for _, p := range w.Shop.Products() {
		for _, v := range p.Variants {
			for range v.Stock {
				forSale = append(forSale, shop.Bought{Product: p.ID, Variant: v.ID, Quantity: 1})
			}
		}
	}
	if len(forSale) < n {
		t.Fatalf("only %d units are for sale", len(forSale))
	}
	for _, one := range forSale[:n] {
		if _, err := w.Shop.Buy([]shop.Bought{one}, shop.Address{Name: "Maya Okafor", Line1: "418 Juniper Street",
			City: "Portland", Region: "OR", Postcode: "97205", Country: "US"}, "maya@mail.example", ""); err != nil {
			t.Fatal(err)
		}
	}
}

func count(t *testing.T, w *testkit.World, sql string) (n int) {
	t.Helper()
	for range 20 { // its connections are cut now and then
		if w.App.Pool.QueryRow(t.Context(), sql).Scan(&n) == nil {
			return n
		}
		time.Sleep(100 * time.Millisecond)
	}
	t.Fatalf("the database does not answer: %s", sql)
	return 0
}

// reach waits until all purchases are in a state, or beyond it.
func reach(t *testing.T, w *testkit.World, n int, state order.PurchaseState) {
	t.Helper()
	sql := `select count(*) from purchase where state in ('placed', 'paid', 'shipped', 'delivered')`
	switch state {
	case order.Paid:
		sql = `select count(*) from purchase where state in ('paid', 'shipped', 'delivered')`
	case order.Shipped:
		sql = `select count(*) from purchase where state in ('shipped', 'delivered')`
	}
	for deadline := time.Now().Add(6 * time.Minute); count(t, w, sql) < n; time.Sleep(300 * time.Millisecond) {
		if time.Now().After(deadline) {
			rows, err := w.App.Pool.Query(t.Context(), `select state || ' ' || reason || pay_reason from purchase`)
			if err == nil {
				for rows.Next() {
					var s string
					_ = rows.Scan(&s)
					t.Log(s)
				}
			}
			t.Fatalf("%d of %d purchases are %s", count(t, w, sql), n, state)
		}
	}
}
