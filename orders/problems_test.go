package orders_test

import (
	"encoding/json"
	"fmt"
	"html"
	"io"
	"net/http"
	"slices"
	"strings"
	"testing"

	"plainpelican/core/money"
	"plainpelican/core/order"
	"plainpelican/orders"
	"plainpelican/platform/access"
	"plainpelican/standins/fault"
	"plainpelican/standins/shop"
	"plainpelican/testkit"
)

// bought is an order that was paid for, of two of a product.
func bought(t *testing.T, w *testkit.World) orders.Order {
	t.Helper()
	buys(t, w, 0, 2, portland)
	o := arrived(t, w, 1)
	buy(w, o.ID)
	o = reaches(t, w, o.ID, order.ToPay)
	w.Owner.Must("POST", "/api/purchases/pay", map[string]any{"ids": []int64{o.Purchases[0].ID}}, nil)
	return reaches(t, w, o.ID, order.Bought)
}

// minus is a difference in minor units.
func minus(a, b *money.Amount) int64 { return a.Minor() - b.Minor() }

func TestALineIsBoughtElsewhereForItsOrderAlone(t *testing.T) {
	w := selling(t, 30)
	var others []orders.OtherSupplier
	var o orders.Order
	n := 0
	for _, p := range w.Shop.Products() { // some item has another supplier that reaches the customer
		if _, err := w.Shop.Buy([]shop.Bought{{Product: p.ID, Variant: p.Variants[0].ID, Quantity: 1}}, portland,
			"maya@mail.example", ""); err != nil {
			continue // sold out
		}
		n++
		o = arrived(t, w, n)
		w.Owner.Must("GET", fmt.Sprintf("/api/orders/lines/%d/suppliers", o.Items[0].ID), nil, &others)
		// What the other has none of would be refused.
		others = slices.DeleteFunc(others, func(s orders.OtherSupplier) bool { return s.Stock < 1 })
		if len(others) > 0 {
			break
		}
	}
	if len(others) == 0 {
		t.Fatal("no item has another supplier")
	}
	other := others[0]
	if other.Supplier == o.Items[0].Supplier || other.Cost == nil || other.Dearer == nil || other.Service == "" {
		t.Fatalf("%+v", other)
	}
	path := fmt.Sprintf("/api/orders/lines/%d", o.Items[0].ID)
	var now orders.Order
	w.Owner.Must("PUT", path, map[string]any{"offer_variant_id": other.OfferVariantID}, &now)
	if i := now.Items[0]; !i.Elsewhere || i.Supplier != other.Supplier ||
		minus(o.Profit, now.Profit) != other.Dearer.Minor() || now.Cost.String() != other.Cost.String() {
		t.Errorf("%+v, %v for %v, was %v", i, now.Profit, now.Cost, o.Profit)
	}
	buy(w, o.ID)
	now = reaches(t, w, o.ID, order.ToPay)
	if now.Purchases[0].Supplier != other.Supplier || now.Purchases[0].Owed.String() != other.Owed.String() {
		t.Errorf("%+v, not %+v", now.Purchases, other)
	}
	var draft struct {
		Supplier string `json:"supplier"`
	}
	w.Owner.Must("GET", fmt.Sprintf("/api/drafts/%d?store=1", o.Items[0].DraftID), nil, &draft)
	if draft.Supplier != o.Items[0].Supplier {
		t.Errorf("its draft is bought from %s too", draft.Supplier)
	}
	if problem := w.Owner.Ask("PUT", path, map[string]any{"left_out": true}, nil); problem == nil ||
		problem.Status != 409 {
		t.Error(problem)
	}
}

func TestALineIsNotBoughtAtAll(t *testing.T) {
	w := selling(t, 1)
	buys(t, w, 0, 1, portland)
	o := arrived(t, w, 1)
	path := fmt.Sprintf("/api/orders/lines/%d", o.Items[0].ID)
	w.Owner.Must("PUT", path, map[string]any{"left_out": true}, &o)
	if o.State != order.Void || !o.Items[0].LeftOut || o.Cost.Minor() != 0 {
		t.Errorf("%s, %+v", o.State, o.Items)
	}
	if made := buy(w, o.ID); made.Begun != 0 || !strings.Contains(made.LeftOut[0].Reason, "left to buy") {
		t.Errorf("%+v", made)
	}
	w.Owner.Must("PUT", path, map[string]any{}, &o)
	if o.State != order.ToBuy || o.Cost.Minor() == 0 {
		t.Errorf("%s", o.State)
	}
}

func TestALostParcelIsClaimedAndBoughtAgain(t *testing.T) {
	w := selling(t, 1)
	o := bought(t, w)
	purchase := fmt.Sprintf("/api/purchases/%d/claims", o.Purchases[0].ID)
	if problem := w.Owner.Ask("POST", purchase, map[string]any{"kind": "lost", "due_on": "tomorrow"},
		nil); problem == nil ||
		problem.Status != 422 {
		t.Error(problem)
	}
	var claimed orders.Order
	w.Owner.Must("POST", purchase, map[string]any{"kind": "lost", "due_on": "2026-12-24", "buy_again": true}, &claimed)
	if claimed.State != order.Problem || !claimed.Items[0].ToBuy ||
		claimed.Purchases[0].Claims[0].DueOn != "2026-12-24" ||
		minus(o.Profit, claimed.Profit) != minus(claimed.Cost, o.Cost) || minus(claimed.Cost, o.Cost) <= 0 {
		t.Errorf("%s, %v for %v, was %v for %v", claimed.State, claimed.Profit, claimed.Cost, o.Profit, o.Cost)
	}
	if made := buy(w, o.ID); made.Begun != 1 {
		t.Fatalf("%+v", made)
	}
	testkit.Until(t, "it is bought twice", func() bool { return len(w.Bazaar.Purchases()) == 2 })
	claim := fmt.Sprintf("/api/claims/%d/settle", claimed.Purchases[0].Claims[0].ID)
	owed := o.Purchases[0].Owed
	tooMuch := money.New(owed.Minor()+1, owed.Currency())
	if problem := w.Owner.Ask("POST", claim, map[string]any{"recovered": tooMuch.Decimal()}, nil); problem == nil ||
		problem.Status != 422 {
		t.Error(problem)
	}
	before := reaches(t, w, o.ID, order.Problem)
	var settled orders.Order
	w.Owner.Must("POST", claim, map[string]any{"recovered": owed.Decimal()}, &settled)
	// What the supplier gives back is what was paid to it: what is left of its cost are import charges.
	if settled.State == order.Problem || minus(settled.Profit, before.Profit) != minus(before.Cost, settled.Cost) ||
		minus(before.Cost, settled.Cost) <= 0 || settled.Purchases[0].Claims[0].State != "settled" {
		t.Errorf("%s, %v, was %v", settled.State, settled.Profit, before.Profit)
	}
	if problem := w.Owner.Ask("POST", claim, map[string]any{}, nil); problem == nil || problem.Status != 409 {
		t.Error(problem)
	}
}

func TestAClaimIsWrittenOff(t *testing.T) {
	w := selling(t, 1)
	o := bought(t, w)
	var now orders.Order
	w.Owner.Must("POST", fmt.Sprintf("/api/purchases/%d/claims", o.Purchases[0].ID),
		map[string]any{"kind": "damaged", "words": "The lid is broken", "due_on": "2026-12-24"}, &now)
	if now.State != order.Problem || now.Items[0].ToBuy || now.Profit.String() != o.Profit.String() {
		t.Errorf("%s %v", now.State, now.Profit)
	}
	w.Owner.Must("POST", fmt.Sprintf("/api/claims/%d/settle", now.Purchases[0].Claims[0].ID), map[string]any{}, &now)
	if now.State != order.Bought || now.Purchases[0].Claims[0].State != "written_off" ||
		now.Profit.String() != o.Profit.String() {
		t.Errorf("%s %v", now.State, now.Profit)
	}
}

// A refund is made once, though the store's answer is lost, and counts against the order's profit.
func TestARefundIsMadeOnce(t *testing.T) {
	w := selling(t, 1)
	o := bought(t, w)
	w.Fault(w.ShopURL, fault.Plan{CutAfter: 3, Only: "refunds"})
	path := fmt.Sprintf("/api/orders/%d/refunds", o.ID)
	w.Owner.Must("POST", path, map[string]any{"amount": "5.00", "reason": "A scratch"}, nil)
	var now orders.Order
	testkit.Until(t, "it is made, and counts", func() bool { // what an order leaves is worked out anew a moment later
		now = get(w, o.ID)
		return len(now.Refunds) == 1 && now.Refunds[0].Made && minus(o.Profit, now.Profit) == 500
	})
	if w.Shop.Orders()[0].Refunded != "5.00" || now.Refunded.Decimal() != "5.00" || minus(o.Profit, now.Profit) != 500 {
		t.Errorf("%+v, %v was %v", w.Shop.Orders()[0], now.Profit, o.Profit)
	}
	problem := w.Owner.Ask("POST", path, map[string]any{"amount": o.Total.Decimal()}, nil)
	if problem == nil || problem.Status != 422 || problem.Errors[0].Location != "body.amount" {
		t.Errorf("%+v", problem)
	}
	// Given back in the store itself: it is known from there.
	w.Fault(w.ShopURL, fault.Plan{WithdrawPermission: "refunds:write"})
	w.Owner.Must("POST", path, map[string]any{"amount": "1.00"}, nil)
	testkit.Until(t, "it is refused", func() bool {
		now = get(w, o.ID)
		return now.Refunds[1].Error != ""
	})
	if now.Refunded.Decimal() != "5.00" || !strings.Contains(now.Refunds[1].Error, "connect it again") {
		t.Errorf("%+v", now.Refunds)
	}
}

// Whoever has the address of an order's page sees how far it is, and nothing of where it is bought or of who bought it.
func TestTheTrackingPageNamesNoSupplier(t *testing.T) {
	w := selling(t, 1)
	o := bought(t, w)
	page := func() (int, string) {
		answer, err := http.Get(o.TrackURL)
		if err != nil {
			t.Fatal(err)
		}
		defer func() { _ = answer.Body.Close() }()
		body, err := io.ReadAll(answer.Body)
		if err != nil || answer.Header.Get("Cache-Control") != "no-store" ||
			!strings.Contains(answer.Header.Get("Content-Security-Policy"), "default-src 'none'") {
			t.Errorf("%v %v", err, answer.Header)
		}
		return answer.StatusCode, string(body)
	}
	if status, body := page(); status != 200 || !strings.Contains(body, "Being prepared") {
		t.Errorf("%d %s", status, body)
	}
	w.Bazaar.SetDay(3)
	o = reaches(t, w, o.ID, order.InTransit)
	status, body := page()
	for _, shown := range []string{o.Number, o.Items[0].Title, o.Purchases[0].Parcels[0].Number, "On its way"} {
		if !strings.Contains(body, html.EscapeString(shown)) {
			t.Errorf("%d: %s is not shown", status, shown)
		}
	}
	for _, hidden := range []string{o.Purchases[0].Supplier, o.Purchases[0].Source, o.Customer.Email, portland.Line1,
		w.BazaarURL} {
		if strings.Contains(body, hidden) {
			t.Errorf("%s is shown", hidden)
		}
	}
	o.TrackURL = o.TrackURL[:len(o.TrackURL)-1] + "x"
	if status, _ := page(); status != 404 {
		t.Errorf("a wrong key is answered %d", status)
	}
}

// Who handles orders sees neither what they cost nor what they leave, in no answer, and pays nobody.
func TestAnOrderHandlerSeesNoCosts(t *testing.T) {
	w := selling(t, 1)
	if _, err := w.App.Members.Add(t.Context(), "olaf@example.com", "Olaf", access.OrderHandler,
		"another long password"); err != nil {
		t.Fatal(err)
	}
	olaf := w.SignIn("olaf@example.com", "another long password")
	buys(t, w, 0, 1, portland)
	o := arrived(t, w, 1)
	var answers []string
	ask := func(method, path string, body any) {
		t.Helper()
		var raw json.RawMessage
		olaf.Must(method, path, body, &raw)
		answers = append(answers, string(raw))
	}
	one := map[string]any{"order_ids": []int64{o.ID}}
	ask("POST", "/api/orders/review", one)
	ask("POST", "/api/orders/buy", one)
	full := reaches(t, w, o.ID, order.ToPay)
	ask("GET", "/api/orders", nil)
	ask("GET", fmt.Sprintf("/api/orders/%d", o.ID), nil)
	for _, answer := range answers {
		for _, hidden := range []string{`"profit"`, `"cost"`, `"owed":{`, full.Purchases[0].Owed.String(),
			`"` + full.Purchases[0].Owed.Decimal() + `"`, full.Cost.Decimal(), full.Profit.Decimal()} {
			if strings.Contains(answer, hidden) {
				t.Errorf("%s is in %s", hidden, answer)
			}
		}
	}
	if !strings.Contains(answers[3], "for an amount, by") || !strings.Contains(answers[3], full.Total.Decimal()) {
		t.Errorf("%s", answers[3])
	}
	for _, path := range []string{"/api/purchases/owed", "/api/orders/export", "/api/drafts",
		"/api/orders?matter=loses",
		fmt.Sprintf("/api/orders/lines/%d/suppliers", o.Items[0].ID), "/api/listings?store=1", "/api/offers"} {
		if problem := olaf.Ask("GET", path, nil, nil); problem == nil || problem.Status != 403 {
			t.Errorf("%s: %+v", path, problem)
		}
	}
	if problem := olaf.Ask("POST", "/api/purchases/pay", map[string]any{"ids": []int64{full.Purchases[0].ID}},
		nil); problem == nil || problem.Status != 403 {
		t.Errorf("%+v", problem)
	}
}
