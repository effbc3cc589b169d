package faults

import (
	"fmt"
	"math/big"
	"math/rand/v2"
	"net/http"
	"os"
	"strconv"
	"testing"
	"time"

	"plainpelican/core/money"
	"plainpelican/core/order"
	"plainpelican/orders"
	"plainpelican/standins/fault"
	"plainpelican/standins/shop"
	"plainpelican/testkit"
)

// boughtModel is what must be true of one order, whatever went wrong on the way: in minor units of the store's
// currency.
type boughtModel struct {
	storeOrder string
	refunded   int64
}

// troubles are ways in which the marketplace and the store misbehave, one after another.
var troubles = []fault.Plan{{}, {}, {CutAfter: 2}, {ErrorPercent: 20}, {TooMany: 3}, {LatencyMS: 50}, {Truncate: true}}

// Random acts of two people and of customers and suppliers, with faults of both sides and two instances: in the end
// what
// is bought is at the marketplace once, what was given back is what the store says, and each profit is what a plain
// computation makes of the parts. ORDERS_SEED repeats a sequence.
func TestWhatBecomesOfOrdersIsAsTheModelSays(t *testing.T) {
	seed := uint64(time.Now().UnixNano())
	if text := os.Getenv("ORDERS_SEED"); text != "" {
		given, err := strconv.ParseUint(text, 10, 64)
		if err != nil {
			t.Fatal(err)
		}
		seed = given
	}
	t.Logf("ORDERS_SEED=%d", seed)
	r := rand.New(rand.NewPCG(seed, 5))
	w := readyFor(t, 4)
	w.Publish(1, ready(t, w, 4)...)
	w.Instance(w.App.Pool)
	people := []*testkit.Person{w.Owner, secondMember(t, w)}
	models := map[int64]*boughtModel{}
	known := func() {
		w.Owner.Ask("POST", "/api/orders/read", nil, nil)
		testkit.Until(t, "the orders", func() bool {
			return count(t, w,
				`select count(*) from customer_order where estimated_at > '-infinity'`) == len(w.Shop.Orders())
		})
		var page orders.Page
		w.Owner.Must("GET", "/api/orders", nil, &page)
		for _, o := range page.Orders {
			if models[o.ID] == nil {
				var key string
				if err := w.App.Pool.QueryRow(t.Context(), `select store_order from customer_order where id = $1`,
					o.ID).
					Scan(&key); err != nil {
					t.Fatal(err)
				}
				models[o.ID] = &boughtModel{storeOrder: key}
			}
		}
	}
	customers(t, w, many(30, 6))
	known()
	for range many(900, 70) {
		w.Fault(w.BazaarURL, troubles[r.IntN(len(troubles))])
		w.Fault(w.ShopURL, troubles[r.IntN(len(troubles))])
		var id int64
		for id = range models {
			break
		}
		who := people[r.IntN(2)]
		var o orders.Order
		if who.Ask("GET", fmt.Sprintf("/api/orders/%d", id), nil, &o) != nil {
			continue
		}
		someAct(t, w, r, who, &o, models[id])
		time.Sleep(time.Duration(r.IntN(120)) * time.Millisecond)
	}
	w.Fault(w.BazaarURL, fault.Plan{})
	w.Fault(w.ShopURL, fault.Plan{})
	known()
	testkit.Until(t, "nothing is under way", func() bool {
		w.Owner.Ask("POST", "/api/orders/read", nil, nil)
		time.Sleep(100 * time.Millisecond)
		return count(t, w, `select count(*) from purchase where state in ('waiting', 'sending', 'unknown') or paying`)+
			count(t, w, `select count(*) from refund where made_at is null and error = ''`) == 0
	})
	agreeOrders(t, w, models)
}

// someAct is one act of a person, of the customer or of the supplier.
func someAct(t *testing.T, w *testkit.World, r *rand.Rand, who *testkit.Person, o *orders.Order, m *boughtModel) {
	var p *orders.PurchaseView
	if len(o.Purchases) > 0 {
		p = &o.Purchases[r.IntN(len(o.Purchases))]
	}
	switch act := r.IntN(10); {
	case act < 3:
		who.Ask("POST", "/api/orders/buy", map[string]any{"order_ids": []int64{o.ID}, "accept_addresses": true}, nil)
	case act == 3 && p != nil:
		who.Ask("POST", "/api/purchases/pay", map[string]any{"ids": []int64{p.ID}}, nil)
	case act == 4:
		who.Ask("PUT", fmt.Sprintf("/api/orders/lines/%d", o.Items[0].ID), map[string]any{"left_out": r.IntN(2) == 0},
			nil)
	case act == 5:
		amount := int64(1 + r.IntN(200))
		if who.Ask("POST", fmt.Sprintf("/api/orders/%d/refunds", o.ID),
			map[string]any{"amount": money.New(amount, o.Total.Currency()).Decimal()}, nil) == nil {
			m.refunded += amount
		}
	case act == 6 && p != nil:
		who.Ask("POST", fmt.Sprintf("/api/purchases/%d/claims", p.ID), map[string]any{"kind": "lost",
			"due_on": "2026-12-24", "buy_again": r.IntN(2) == 0}, nil)
	case act == 7 && p != nil && len(p.Claims) > 0:
		back := map[string]any{}
		if r.IntN(2) == 0 {
			back["recovered"] = money.New(1+p.Owed.Minor()/2, p.Owed.Currency()).Decimal()
		}
		who.Ask("POST", fmt.Sprintf("/api/claims/%d/settle", p.Claims[0].ID), back, nil)
	case act == 8 && r.IntN(4) == 0:
		w.Shop.Cancel(m.storeOrder)
	case act == 9 && p != nil && r.IntN(2) == 0:
		var key string
		if w.App.Pool.QueryRow(t.Context(), `select key::text from purchase where id = $1`, p.ID).Scan(&key) == nil {
			answer, err := http.Post(w.BazaarURL+"/-/cancel?reason=sold+out&id="+key, "", nil)
			if err == nil {
				_ = answer.Body.Close()
			}
		}
	}
}

// agreeOrders holds orders, the marketplace, the store and the model beside each other.
func agreeOrders(t *testing.T, w *testkit.World, models map[int64]*boughtModel) {
	t.Helper()
	there := map[string]shop.Order{}
	for _, o := range w.Shop.Orders() {
		there[o.ID] = o
	}
	at := map[string]int{}
	for _, p := range w.Bazaar.Purchases() {
		at[p.Number] = p.Total
	}
	terms := w.MoneyRules(1).Fees
	seen, standing := 0, 0
	for id, m := range models {
		var o orders.Order
		w.Owner.Must("GET", fmt.Sprintf("/api/orders/%d", id), nil, &o)
		given, err := money.Parse(there[m.storeOrder].Refunded, o.Total.Currency())
		if err != nil || given.Minor() != m.refunded || o.Refunded.Minor() != m.refunded {
			t.Errorf("order %s: %d was given back, %v here and %v in the store", o.Number, m.refunded, o.Refunded,
				given)
		}
		cost, toBuy := big.NewRat(0, 1), false
		for _, p := range o.Purchases {
			if p.State == order.Refused || p.Number == "" {
				continue
			}
			seen++
			if total, is := at[p.Number]; !is || int64(total) != p.Owed.Minor() {
				t.Errorf("order %s: purchase %s of %v is %d at the marketplace", o.Number, p.Number, p.Owed, total)
			}
			if p.State == order.Cancelled {
				continue
			}
			standing++
			cost.Add(cost, big.NewRat(p.Cost.Minor(), 1))
			for _, c := range p.Claims {
				cost.Sub(cost, big.NewRat(c.Here.Minor(), 1))
			}
		}
		for _, i := range o.Items {
			toBuy = toBuy || i.ToBuy
		}
		if toBuy || o.Profit == nil {
			continue
		}
		// Paid, less what was given back, the cost and the fees: p*G + f + a*G, rounded together, half away from zero.
		paid := big.NewRat(o.Total.Minor(), 1)
		share := new(big.Rat).Mul(paid, big.NewRat(int64(terms.PaymentPercent+terms.Returns), int64(money.One)))
		left := new(big.Rat).Sub(paid, big.NewRat(m.refunded, 1))
		left.Sub(left, cost)
		left.Sub(left, new(big.Rat).SetInt64(rounded(share)))
		left.Sub(left, big.NewRat(terms.PaymentFixed.Minor(), 1))
		if left.Cmp(big.NewRat(o.Profit.Minor(), 1)) != 0 {
			t.Errorf("order %s (%s) leaves %v, and plainly %v", o.Number, o.State, o.Profit, left)
		}
	}
	if seen != len(at) {
		t.Errorf("%d purchases here are %d at the marketplace", seen, len(at))
	}
	t.Logf("%d orders, %d purchases, %d of them stand", len(models), seen, standing)
}

// rounded is a number of at least 0 rounded half up.
func rounded(of *big.Rat) int64 {
	half := new(big.Rat).Add(of, big.NewRat(1, 2))
	return new(big.Int).Quo(half.Num(), half.Denom()).Int64()
}
