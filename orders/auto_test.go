package orders_test

import (
	"strings"
	"sync"
	"testing"

	"plainpelican/core/order"
	"plainpelican/orders"
	"plainpelican/standins/shop"
	"plainpelican/testkit"
)

// Orders that keep to the rule are bought once at their time, by however many instances; the others say why they wait.
func TestOrdersAreBoughtWithoutAPersonAsTheRuleSays(t *testing.T) {
	w := selling(t, 1)
	other, _ := w.Instance(w.App.Pool)
	const path = "/api/stores/1/auto-buy"
	var rule orders.AutoBuyView
	w.Owner.Must("GET", path, nil, &rule)
	if rule.Enabled || len(rule.Times) != 0 || rule.ChangedBy != "" {
		t.Errorf("before anybody asked for it: %+v", rule)
	}
	usd := func(text string) map[string]any { return map[string]any{"value": text, "currency": "USD"} }
	set := func(limit string) map[string]any {
		return map[string]any{"enabled": true, "under": usd("2000.00"), "least_profit": usd("0.01"),
			"within_promise": false, "daily_limit": usd(limit), "times": []string{"16:00", "10:00", "10:00"}}
	}
	for field, body := range map[string]map[string]any{
		"times": {"enabled": true, "least_profit": usd("1.00"), "within_promise": true, "times": []string{}},
		"under": {"enabled": true, "least_profit": usd("1.00"), "within_promise": true, "times": []string{"10:00"},
			"under": map[string]any{"value": "5.00", "currency": "EUR"}},
	} {
		problem := w.Owner.Ask("PUT", path, body, nil)
		if problem == nil || problem.Status != 422 || problem.Errors[0].Location != "body."+field {
			t.Errorf("%s: %+v", field, problem)
		}
	}
	buys(t, w, 0, 1, portland)
	buys(t, w, 0, 1, shop.Address{Name: "Ben Tanner", Line1: "9 Mill Lane", City: "Duluth", Region: "MN",
		Country: "US"})
	buys(t, w, 0, 1, portland)
	buys(t, w, 0, 1, portland)
	arrived(t, w, 4)
	all := list(w, "").Orders // the newest first
	cost := get(w, all[3].ID).Cost
	// A day's limit of the cost of two orders, and of a bit more.
	two, err := cost.Times(2)
	if err != nil {
		t.Fatal(err)
	}
	w.Owner.Must("PUT", path, set(two.Decimal()), &rule)
	if !rule.Enabled || strings.Join(rule.Times, " ") != "10:00 16:00" || rule.ChangedBy == "" {
		t.Errorf("%+v", rule)
	}
	run := func() {
		var both sync.WaitGroup
		for _, app := range []*orders.Service{w.App.Orders, other.Orders} {
			both.Go(func() {
				if err := app.BuyDue(t.Context()); err != nil {
					t.Error(err)
				}
			})
		}
		both.Wait()
	}
	run() // its time has not come
	if page := list(w, "state=to_buy"); page.Total != 4 {
		t.Errorf("%d wait", page.Total)
	}
	due := func() {
		if _, err := w.App.Pool.Exec(t.Context(), `update auto_buy set last_run_at = now() -
			interval '1 day'`); err != nil {
			t.Fatal(err)
		}
		run()
	}
	due()
	testkit.Until(t, "two are bought", func() bool { return list(w, "state=to_pay").Total == 2 })
	for _, o := range list(w, "state=to_pay").Orders {
		if by := get(w, o.ID).Purchases[0].CreatedBy; by != "Automatic buying" {
			t.Errorf("bought by %q", by)
		}
	}
	testkit.Until(t, "the others say why they wait", func() bool {
		reasons := ""
		for _, o := range list(w, "state=to_buy").Orders {
			reasons += get(w, o.ID).AutoWaits + "\n"
		}
		return strings.Contains(reasons, "would be spent that day") && strings.Contains(reasons, "address is doubtful")
	})
	// What a person allows more is bought the next time; what is doubtful waits.
	w.Owner.Must("PUT", path, set("9000.00"), &rule)
	due()
	testkit.Until(t, "three are bought", func() bool { return list(w, "state=to_pay").Total == 3 })
	if left := list(w, "state=to_buy").Orders; len(left) != 1 || left[0].AddressFaults == 0 ||
		left[0].State != order.ToBuy || len(w.Bazaar.Purchases()) != 3 {
		t.Errorf("%+v, %d purchases", left, len(w.Bazaar.Purchases()))
	}
	off := set("9000.00")
	off["enabled"] = false
	w.Owner.Must("PUT", path, off, nil)
	buys(t, w, 0, 1, portland)
	arrived(t, w, 5)
	due()
	if left := list(w, "state=to_buy").Total; left != 2 {
		t.Errorf("%d wait once it is off", left)
	}
}
