package pricing_test

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"plainpelican/core/landed"
	"plainpelican/core/markup"
	"plainpelican/core/money"
	"plainpelican/pricing"
	"plainpelican/testkit"
	"plainpelican/workbench"
)

var usd = money.MustCurrency("USD")

// world is a store with drafts in the workbench.
func world(t *testing.T, drafts int) (*testkit.World, int64, []int64) {
	t.Helper()
	w := testkit.Start(t)
	store := w.Ready()
	var offers []int64
	for place := range drafts {
		offers = append(offers, w.Offer(place))
	}
	ids := w.Take(offers...)
	w.Repriced(store.ID)
	return w, store.ID, ids
}

func multiple(ratio money.Ratio) markup.Formula {
	return markup.Flat(markup.Multiple, ratio, money.Amount{}, usd)
}

func effect(w *testkit.World, store int64, rules pricing.CurrentRules) (e pricing.Effect) {
	w.Owner.Must("POST", fmt.Sprintf("/api/stores/%d/money-rules/effect", store), rules.MoneyRules, &e)
	return e
}

// prices are what the chosen variants of a draft sell for.
func prices(w *testkit.World, store, draft int64) (all []string) {
	var d workbench.Draft
	w.Owner.Must("GET", fmt.Sprintf("/api/drafts/%d?store=%d", draft, store), nil, &d)
	for _, v := range d.Variants {
		if v.Ladder == nil {
			all = append(all, v.NoPrice)
		} else {
			all = append(all, v.Ladder.Price.String())
		}
	}
	return all
}

// stored is every stored price, whole.
func stored(t *testing.T, w *testkit.World) (all string) {
	t.Helper()
	err := w.App.Pool.QueryRow(t.Context(), `select md5(string_agg(p::text, E'\n' order by store_id, draft_variant_id))
		from price p`).Scan(&all)
	if err != nil {
		t.Fatal(err)
	}
	return all
}

func TestTheEffectIsSeenAndThenApplied(t *testing.T) {
	w, store, ids := world(t, 3)
	rules := w.MoneyRules(store)
	before, kept := prices(w, store, ids[0]), stored(t, w)
	same := effect(w, store, rules)
	if same.Rise+same.Fall != 0 || same.Variants < 2 || same.Drafts != 3 || same.What != "" ||
		same.Before.Median != same.After.Median {
		t.Errorf("the rules in force move prices: %+v", same)
	}
	rules.Rules[0].Formula = multiple(3 * money.One)
	up := effect(w, store, rules)
	if up.Rise != up.Variants-up.Unpriced || up.Fall != 0 || up.MovedDrafts != len(up.Moves) ||
		up.Moves[0].Then.Price.Minor() <= up.Moves[0].Now.Minor() || up.Moves[0].Title == "" ||
		up.Moves[0].Variant == "" ||
		up.What != "A rule changed" || up.After.Median <= up.Before.Median {
		t.Errorf("three times instead of twice: %+v", up)
	}
	if up.Moves[0].Then.Item.Minor()+up.Moves[0].Then.Shipping.Minor() != up.Moves[0].Then.Landed.Minor() {
		t.Errorf("the ladder of a move does not add up: %+v", up.Moves[0].Then)
	}
	if stored(t, w) != kept {
		t.Error("looking at the effect changed prices")
	}
	run := w.ApplyRules(store, rules)
	if run.Moved != up.Rise || run.Seen != 3 || fmt.Sprint(prices(w, store, ids[0])) == fmt.Sprint(before) {
		t.Errorf("applied: %+v, prices stand at %v", run, prices(w, store, ids[0]))
	}
	problem := w.Owner.Ask("PUT", fmt.Sprintf("/api/stores/%d/money-rules", store),
		map[string]any{"rules": rules.MoneyRules, "revision": rules.Revision}, nil)
	if problem == nil || problem.Status != 409 ||
		!strings.Contains(problem.Detail, "Olga changed the money rules meanwhile") {
		t.Errorf("the second to apply was not told: %+v", problem)
	}
	var act string
	if err := w.App.Pool.QueryRow(t.Context(), `select member_name || ' ' || act || ': ' || subject from audit_entry
		where act = 'changed money rules' and before is not null and after is not null`).Scan(&act); err != nil ||
		act != "Olga changed money rules: A rule changed" {
		t.Errorf("the audit trail says %q, %v", act, err)
	}
	again := stored(t, w)
	w.ApplyRules(store, w.MoneyRules(store))
	if stored(t, w) != again {
		t.Error("priced again by the same rules, prices are others")
	}
	w.Owner.Must("POST", fmt.Sprintf("/api/stores/%d/money-rules/undo", store), map[string]int{"revision": 3}, nil)
	w.Owner.Must("POST", fmt.Sprintf("/api/stores/%d/money-rules/undo", store), map[string]int{"revision": 4}, nil)
	w.Repriced(store)
	var list []pricing.RuleChange
	w.Owner.Must("GET", fmt.Sprintf("/api/stores/%d/money-rules/changes", store), nil, &list)
	if len(list) < 5 || !strings.HasPrefix(list[0].What, "Undone") || list[0].ChangedBy != "Olga" ||
		list[0].Run == nil {
		t.Errorf("%+v", list)
	}
}

func TestAChangeIsTakenBackAsOneStep(t *testing.T) {
	w, store, _ := world(t, 4)
	kept := stored(t, w)
	rules := w.MoneyRules(store)
	rules.Fees.PaymentPercent, rules.PromiseDays = money.Percent(900), 30
	rules.Rules[0].Formula = markup.Flat(markup.Margin, 400_000, money.Amount{}, usd)
	if run := w.ApplyRules(store, rules); run.Moved == 0 || stored(t, w) == kept ||
		run.Why != "A rule changed, fees and tax, delivery" {
		t.Fatalf("nothing moved: %+v", run)
	}
	w.Owner.Must("POST", fmt.Sprintf("/api/stores/%d/money-rules/undo", store), map[string]int{"revision": 2}, nil)
	w.Repriced(store)
	if stored(t, w) != kept {
		t.Error("taken back, prices are not what they were")
	}
	if problem := w.Owner.Ask("POST", fmt.Sprintf("/api/stores/%d/money-rules/undo", store),
		map[string]int{"revision": 2}, nil); problem == nil || problem.Status != 409 {
		t.Errorf("an older change was taken back: %+v", problem)
	}
}

func TestAppliedToMarkedTheOthersStay(t *testing.T) {
	w, store, ids := world(t, 3)
	before := prices(w, store, ids[1])
	rules := w.MoneyRules(store)
	rules.Rules[0].Formula = multiple(4 * money.One)
	w.ApplyRules(store, rules, ids[0])
	if got := prices(w, store, ids[1]); fmt.Sprint(got) != fmt.Sprint(before) {
		t.Errorf("one that was not marked moved from %v to %v", before, got)
	}
	if e := effect(w, store, w.MoneyRules(store)); e.Pinned != 2 || e.MovedDrafts != 2 {
		t.Errorf("%d drafts stay behind, %d would move", e.Pinned, e.MovedDrafts)
	}
	// An edit of one that stayed behind prices it by the rules it stayed with.
	var d workbench.Draft
	path := fmt.Sprintf("/api/drafts/%d?store=%d", ids[1], store)
	w.Owner.Must("GET", path, nil, &d)
	if d.Earlier == nil || d.Earlier.What == "" || d.Earlier.By == "" {
		t.Errorf("the draft does not say that it stays behind: %+v", d.Earlier)
	}
	var moved workbench.Draft
	if w.Owner.Must("GET", fmt.Sprintf("/api/drafts/%d?store=%d", ids[0], store), nil, &moved); moved.Earlier != nil {
		t.Errorf("one that moved says that it stays behind: %+v", moved.Earlier)
	}
	w.Owner.Must("PATCH", path, map[string]any{"title": "Another title"}, nil)
	if got := prices(w, store, ids[1]); fmt.Sprint(got) != fmt.Sprint(before) {
		t.Errorf("after an edit: %v", got)
	}
	if run := w.ApplyRules(store, w.MoneyRules(store)); run.Moved == 0 ||
		effect(w, store, w.MoneyRules(store)).Pinned != 0 {
		t.Errorf("applied to all: %+v", run)
	}
	w.Owner.Must("POST", fmt.Sprintf("/api/stores/%d/money-rules/undo", store), map[string]int{"revision": 3}, nil)
	w.Repriced(store)
	if e := effect(w, store, w.MoneyRules(store)); e.Pinned != 2 {
		t.Errorf("taken back, %d stay behind", e.Pinned)
	}
}

func TestTypedPricesAreLeftAlone(t *testing.T) {
	w, store, ids := world(t, 1)
	path := fmt.Sprintf("/api/drafts/%d?store=%d", ids[0], store)
	var d workbench.Draft
	w.Owner.Must("GET", path, nil, &d)
	w.Owner.Must("PATCH", path,
		map[string]any{"prices": []map[string]any{{"variant_id": d.Variants[0].ID, "price": "1.00"}}}, nil)
	rules := w.MoneyRules(store)
	rules.Rules[0].Formula = multiple(4 * money.One)
	e := effect(w, store, rules)
	if e.Manual != 1 || e.Rise != e.Variants-1 || e.LosesMoney != 1 || e.BelowFloor != 1 {
		t.Errorf("%+v", e)
	}
	w.ApplyRules(store, rules)
	w.Owner.Must("GET", path, nil, &d)
	v := d.Variants[0]
	if !v.Manual || v.Ladder.Price.String() != "1.00 USD" || !v.Ladder.BelowFloor || v.RulePrice == nil ||
		v.Trace[len(v.Trace)-1].Words != "Profit" {
		t.Errorf("%+v", v)
	}
}

func TestMoneyRulesThatCannotBe(t *testing.T) {
	w := testkit.Start(t)
	store := w.ConnectStore()
	for _, c := range []struct {
		field, words string
		change       func(*pricing.MoneyRules)
	}{
		{"rules[0].ratio", "sells below cost", func(m *pricing.MoneyRules) { m.Rules[0].Formula = multiple(900_000) }},
		{"rules[0].least_profit", "store's currency, USD", func(m *pricing.MoneyRules) {
			m.Rules[0].Floor.LeastProfit = money.MustParse("3", "EUR")
		}},
		{"rules[0].ending", "cannot end in", func(m *pricing.MoneyRules) {
			m.Rules[0].Ending.Allowed = []string{".999"}
		}},
		{"fees.payment_fixed", "store's currency, USD", func(m *pricing.MoneyRules) {
			m.Fees.PaymentFixed = money.MustParse("1", "EUR")
		}},
		{"fees", "stay under 50", func(m *pricing.MoneyRules) {
			m.Fees.PaymentPercent, m.Fees.Returns = 300_000, 300_000
		}},
		{"imports", "two letters", func(m *pricing.MoneyRules) {
			m.Imports = landed.Imports{{From: "China", To: "US", Threshold: money.Zero(usd)}}
		}},
		{"delivery.name", "Name the delivery", func(m *pricing.MoneyRules) { m.Delivery.Way = landed.Named }},
		{"market", "does not sell to", func(m *pricing.MoneyRules) { m.Market = "DE" }},
		{"promise_days", "1 to 90", func(m *pricing.MoneyRules) { m.PromiseDays = 0 }},
		{"rates.max_age_days", "1 to 60", func(m *pricing.MoneyRules) { m.Rates.MaxAgeDays = 0 }},
		{"rates.manual", "is not a rate from CNY to USD", func(m *pricing.MoneyRules) {
			m.Rates.Manual = []pricing.ManualRate{{Currency: money.MustCurrency("CNY"), Rate: "0"}}
		}},
	} {
		rules := w.MoneyRules(store.ID).MoneyRules
		c.change(&rules)
		problem := w.Owner.Ask("POST", fmt.Sprintf("/api/stores/%d/money-rules/effect", store.ID), rules, nil)
		if problem == nil || problem.Status != 422 || problem.Field() != c.field ||
			!strings.Contains(problem.Detail, c.words) {
			t.Errorf("%s: %+v", c.field, problem)
		}
	}
}

func TestRates(t *testing.T) {
	w, store, _ := world(t, 12)
	var table pricing.RateTable
	w.Owner.Must("GET", "/api/rates?store=1", nil, &table)
	if table.Base.String() != "EUR" || table.Age != 0 || len(table.Rates) != 11 ||
		table.Day != time.Now().UTC().Format(time.DateOnly) || table.Rates[0].Into == "" {
		t.Errorf("%+v", table)
	}
	rules := w.MoneyRules(store)
	rules.Rates.Manual = []pricing.ManualRate{{Currency: money.MustCurrency("CNY"), Rate: "0.5"}}
	e := effect(w, store, rules)
	if e.Rise == 0 || e.Fall != 0 || e.What != "Exchange rates" {
		t.Errorf("a dearer yuan moves %d up, %d down: %q", e.Rise, e.Fall, e.What)
	}
	w.ApplyRules(store, rules)
	if in := w.MoneyRules(store).Rates.Manual[0]; in.By != "Olga" || in.At.IsZero() {
		t.Errorf("who typed it is not kept: %+v", in)
	}
	said := func(words string) bool {
		var page workbench.Page
		w.Owner.Must("GET", fmt.Sprintf("/api/drafts?store=%d", store), nil, &page)
		for _, l := range page.Drafts {
			var d workbench.Draft
			w.Owner.Must("GET", fmt.Sprintf("/api/drafts/%d?store=%d", l.ID, store), nil, &d)
			for _, v := range d.Variants {
				for _, s := range v.Trace {
					if strings.Contains(s.Words, words) {
						return true
					}
				}
			}
			for _, f := range d.Report.Findings {
				if strings.Contains(f.Words, words) {
					return true
				}
			}
		}
		return false
	}
	if !said("CNY at 0.5, set by Olga") || !said(", "+time.Now().UTC().Format("2 Jan")) {
		t.Error("no trace says which rate of which day it used")
	}
	if said("older than your money rules allow") {
		t.Error("today's rates are old")
	}
	w.App.Pricing.Now = func() time.Time { return time.Now().Add(6 * 24 * time.Hour) }
	if !said("older than your money rules allow") {
		t.Error("six days on, the rates are not too old")
	}
}

func TestNewRatesMoveWhatRestsOnThem(t *testing.T) {
	w, store, _ := world(t, 12)
	table := money.NewRates(money.MustCurrency("EUR"), time.Now().AddDate(0, 0, 1).UTC().Truncate(24*time.Hour))
	for code, rate := range map[string]string{"USD": "1.2", "CNY": "6", "JPY": "150", "KWD": "0.35", "INR": "90",
		"VND": "27000", "TRY": "40", "PLN": "4.2", "GBP": "0.85"} {
		if err := table.Set(money.MustCurrency(code), rate); err != nil {
			t.Fatal(err)
		}
	}
	if err := w.App.Pricing.SaveRates(t.Context(), table); err != nil {
		t.Fatal(err)
	}
	if run := w.Repriced(store); run.Moved == 0 || !strings.HasPrefix(run.Why, "the rates of") {
		t.Errorf("%+v", run)
	}
	kept := stored(t, w)
	if err := w.App.Pricing.SaveRates(t.Context(), table); err != nil || stored(t, w) != kept {
		t.Errorf("the same rates again changed something: %v", err)
	}
}

func TestWithoutARateThereIsNoPrice(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	if _, err := w.App.Pool.Exec(t.Context(), `delete from rate_day`); err != nil {
		t.Fatal(err)
	}
	if err := w.App.Search.Refresh(t.Context()); err != nil {
		t.Fatal(err)
	}
	priced, without := 0, 0
	for _, o := range w.Search(fmt.Sprintf("store=%d&limit=200", store.ID)).Offers {
		switch {
		case o.Ladder != nil:
			priced++
		case strings.Contains(o.NoPrice, "exchange rate"):
			without++
		}
	}
	if priced == 0 || without == 0 {
		t.Errorf("%d in the store's own currency are priced, %d in others say why not", priced, without)
	}
}

func TestImportChargesAndDeliveryLandDearer(t *testing.T) {
	w, store, ids := world(t, 4)
	rules := w.MoneyRules(store)
	rules.Imports = landed.Imports{{From: "*", To: "US", Threshold: money.MustParse("1.00", "USD"), Duty: 100_000,
		Tax: 200_000}}
	rules.Delivery = landed.Policy{Way: landed.Fastest, Otherwise: landed.NotSold}
	e := effect(w, store, rules)
	if e.Rise == 0 || e.What != "Import charges, delivery" || e.Moves[0].Then.Charges.Minor() == 0 {
		t.Errorf("%+v", e)
	}
	if run := w.ApplyRules(store, rules); run.Moved != e.Rise+e.Fall {
		t.Errorf("%d were shown to move, %d did", e.Rise+e.Fall, run.Moved)
	}
	var d workbench.Draft
	w.Owner.Must("GET", fmt.Sprintf("/api/drafts/%d?store=%d", ids[0], store), nil, &d)
	said := fmt.Sprint(d.Variants[0].Trace)
	if !strings.Contains(said, "10 % duty on") || !strings.Contains(said, "20 % tax is") {
		t.Errorf("the trace does not say the charges: %s", said)
	}
}

func TestARepricingThatIsKilledGoesOnWhereItWas(t *testing.T) {
	w, store, _ := world(t, 9)
	rules := w.MoneyRules(store)
	rules.Rules[0].Formula = multiple(3 * money.One)
	w.ApplyRules(store, rules)
	undisturbed := stored(t, w)
	w.Owner.Must("POST", fmt.Sprintf("/api/stores/%d/money-rules/undo", store), map[string]int{"revision": 2}, nil)
	w.Repriced(store)
	w.App.Pricing.Batch = 1
	var run int64
	err := w.App.Pool.QueryRow(t.Context(), `
		with r as (insert into money_rules (store_id, revision, rules, what, changed_by) select store_id, 4, rules,
		what, changed_by from money_rules where revision = 2)
		insert into reprice_run (store_id, revision, why, with_landed_cost, state, started_by)
		values ($1, 4, '', false, 'waiting', '') returning id`, store).Scan(&run)
	if err != nil {
		t.Fatal(err)
	}
	killed := 0
	for wait := time.Millisecond; ; wait += 3 * time.Millisecond {
		ctx, cancel := context.WithTimeout(t.Context(), wait)
		err := w.App.Pricing.Reprice(ctx, run)
		cancel()
		if err == nil {
			break
		}
		killed++
	}
	if killed == 0 || stored(t, w) != undisturbed {
		t.Errorf("killed %d times, the end is not that of an undisturbed run", killed)
	}
}

func TestPeopleGoOnWorkingDuringARepricing(t *testing.T) {
	w, store, ids := world(t, 10)
	w.App.Pricing.Batch = 1
	rules := w.MoneyRules(store)
	rules.Rules[0].Formula = multiple(3 * money.One)
	var run pricing.Run
	w.Owner.Must("PUT", fmt.Sprintf("/api/stores/%d/money-rules", store),
		map[string]any{"rules": rules.MoneyRules, "revision": 1}, &run)
	for _, id := range ids {
		var d workbench.Draft
		path := fmt.Sprintf("/api/drafts/%d?store=%d", id, store)
		w.Owner.Must("GET", path, nil, &d)
		w.Owner.Must("PATCH", path,
			map[string]any{"prices": []map[string]any{{"variant_id": d.Variants[0].ID, "price": "77.00"}}}, nil)
	}
	w.Repriced(store)
	for _, id := range ids {
		if got := prices(w, store, id); got[0] != "77.00 USD" && !strings.Contains(got[0], "No delivery") {
			t.Errorf("the price typed meanwhile stands at %s", got[0])
		}
	}
	if e := effect(w, store, w.MoneyRules(store)); e.Rise+e.Fall != 0 {
		t.Errorf("after the run, %d prices are not by the rules", e.Rise+e.Fall)
	}
}

// The tax in a price is that of the market that prices assume: for another, it is asked for.
func TestTheTaxOfAnotherMarketIsAskedFor(t *testing.T) {
	w, store, ids := world(t, 1)
	if _, err := w.App.Pool.Exec(t.Context(), `update store set markets = '{US,SE}' where id = $1`, store); err != nil {
		t.Fatal(err)
	}
	rules := w.MoneyRules(store)
	rules.Fees.TaxIncluded, rules.Fees.TaxRate, rules.Fees.TaxFor = true, money.Percent(1900), rules.Market
	w.ApplyRules(store, rules)
	var d workbench.Draft
	w.Owner.Must("GET", fmt.Sprintf("/api/drafts/%d?store=%d", ids[0], store), nil, &d)
	l := d.Variants[0].Ladder
	if l.Tax.IsZero() || l.Price.Minor() != l.Landed.Minor()+l.Fees.Minor()+l.Tax.Minor()+l.Profit.Minor() {
		t.Errorf("%s is not %s landed, %s fees, %s tax and %s profit", l.Price, l.Landed, l.Fees, l.Tax, l.Profit)
	}
	rules = w.MoneyRules(store)
	rules.Market = "SE"
	apply := map[string]any{"rules": rules.MoneyRules, "revision": rules.Revision, "only_drafts": []int64{}}
	problem := w.Owner.Ask("PUT", fmt.Sprintf("/api/stores/%d/money-rules", store), apply, nil)
	if problem == nil || problem.Field() != "fees.tax_rate" ||
		!strings.Contains(problem.Detail, "Say what it is in SE") {
		t.Fatalf("%+v", problem)
	}
	rules.Fees.TaxFor, rules.Fees.TaxRate = "SE", money.Percent(2500)
	w.ApplyRules(store, rules)
}

// Prices seen at other stores are the item's: a variant that costs far more, as a larger size does, is not measured
// against them.
func TestTheMarketsPricesAreNotOfAllVariants(t *testing.T) {
	w, store, ids := world(t, 1)
	set := func(sql string, args ...any) {
		t.Helper()
		if _, err := w.App.Pool.Exec(t.Context(), sql, args...); err != nil {
			t.Fatal(err)
		}
	}
	var variants []int64
	if err := w.App.Pool.QueryRow(t.Context(), `select array_agg(v.offer_variant_id order by v.position)
		from draft_variant v where v.draft_id = $1`, ids[0]).Scan(&variants); err != nil || len(variants) < 2 {
		t.Fatalf("%v %v", variants, err)
	}
	set(`update offer set currency = 'USD', market_currency = 'USD', market_prices = '{1000,1200,1400}'
		where id = (select offer_id from draft where id = $1)`, ids[0])
	set(`update offer_variant set cost = 500 where id = any ($1)`, variants)
	set(`update offer_variant set cost = 2000 where id = $1`, variants[len(variants)-1])
	rules := w.MoneyRules(store)
	rules.Rules[0].Formula, rules.Rules[0].Ceiling = multiple(4*money.One),
		markup.Ceiling{Market: money.One, Caps: true}
	rules.PromiseDays = 40 // so that all is landed anew
	w.ApplyRules(store, rules)
	var d workbench.Draft
	w.Owner.Must("GET", fmt.Sprintf("/api/drafts/%d?store=%d", ids[0], store), nil, &d)
	small, large := d.Variants[0], d.Variants[len(d.Variants)-1]
	if small.Ladder == nil || small.Ladder.Market == nil || small.Ladder.Price.Minor() > 1200 &&
		!small.Ladder.OverCeiling {
		t.Errorf("the one that it was seen for: %+v", small.Ladder)
	}
	if large.Ladder == nil || large.Ladder.Market != nil || large.Ladder.Capped || large.Ladder.OverCeiling {
		t.Errorf("the larger one: %+v", large.Ladder)
	}
	if said := fmt.Sprint(large.Trace); !strings.Contains(said, "not for this one: not used") {
		t.Errorf("%s", said)
	}
}

// What is stored of a variant's prices comes back in the currencies that they were in; what is none of a pair is
// the offer's.
func TestUnitsOfStoredPrices(t *testing.T) {
	eur := money.MustCurrency("EUR")
	for in, want := range map[string]string{"": "3.00 EUR 7.50 EUR 9.00 EUR", "USDGBP": "3.00 EUR 7.50 USD 9.00 GBP",
		"EURJPY": "3.00 EUR 7.50 EUR 900 JPY", "nonsense": "3.00 EUR 7.50 EUR 9.00 EUR"} {
		u := pricing.UnitOf(eur, 300, 750, 900, in)
		if got := fmt.Sprint(u.Cost, " ", u.MinAdvertised, " ", u.List); got != want {
			t.Errorf("%q: %s, want %s", in, got, want)
		}
	}
}
