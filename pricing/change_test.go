package pricing_test

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"plainpelican/core/landed"
	"plainpelican/core/markup"
	"plainpelican/core/money"
	"plainpelican/pricing"
	"plainpelican/testkit"
)

func TestARuleGoesToAnotherStoreSwitchedOffAndInItsCurrency(t *testing.T) {
	w := testkit.Start(t)
	goods := w.Ready()
	nord := w.ConnectNord()
	rule := w.MoneyRules(goods.ID).Rules[0]
	rule.ID, rule.Conditions = 7, markup.Conditions{Tags: []string{"summer"}, Under: money.MustParse("22.08", "USD")}
	rule.Formula = markup.Flat(markup.PercentPlus, 500_000, money.MustParse("11.04", "USD"), usd)
	var copied markup.Rule
	path := fmt.Sprintf("/api/stores/%d/money-rules/copy", goods.ID)
	w.Owner.Must("POST", path, pricing.CopyRuleInput{Store: nord.ID, Rule: rule}, &copied)
	list := w.MoneyRules(nord.ID).Rules
	// The day's rate is 1.1042 dollars for a euro.
	if len(list) != 2 || !list[0].Off || list[0].ID != 7 || list[0].Conditions.Under.String() != "20.00 EUR" ||
		list[0].Formula.Bands[0].Amount.String() != "10.00 EUR" || list[0].Floor.LeastProfit.String() != "2.72 EUR" {
		t.Errorf("%+v", list[0])
	}
	rule.Floor.LeastProfit = money.MustParse("1.00", "EUR")
	if problem := w.Owner.Ask("POST", path, pricing.CopyRuleInput{Store: nord.ID, Rule: rule}, nil); problem == nil ||
		problem.Status != 422 || !strings.Contains(problem.Detail, "not in the store's currency") {
		t.Errorf("a rule of two currencies: %+v", problem)
	}
	if rules := w.MoneyRules(nord.ID); !rules.Fees.TaxIncluded || rules.Fees.TaxRate.PercentText() != "19" ||
		rules.Market != "DE" {
		t.Errorf("the second store begins with its own tax and market: %+v", rules.Fees)
	}
}

func TestChangedOffersMoveTheirDrafts(t *testing.T) {
	w, store, _ := world(t, 40)
	before := stored(t, w)
	w.Bazaar.SetDay(1)
	w.Swept()
	run := w.Repriced(store)
	if run.Why != "changed offers" || run.Moved == 0 || stored(t, w) == before {
		t.Errorf("%+v", run)
	}
	if run.Seen == 0 || run.Seen >= 40 {
		t.Errorf("%d of 40 drafts were looked at, some of whose offers changed", run.Seen)
	}
	var list []pricing.RuleChange
	w.Owner.Must("GET", fmt.Sprintf("/api/stores/%d/money-rules/changes", store), nil, &list)
	if list[0].What != "Prices followed changed offers" || list[0].Run.Moved == 0 {
		t.Errorf("%+v", list[0])
	}
	w.Bazaar.SetDay(0)
	w.Swept()
	if w.Repriced(store); stored(t, w) != before {
		t.Error("everything back as it was, prices are others")
	}
}

// What is heard of a supplier with one of its offers holds for the others.
func TestASupplierThatMovedMovesItsDrafts(t *testing.T) {
	w, store, _ := world(t, 12)
	var its int64 // a supplier, with three of the drafts' offers
	err := w.App.Pool.QueryRow(t.Context(), `
		with one as (select o.id, o.supplier_id from offer o join draft d on d.offer_id = o.id order by d.id limit 1),
		moved as (update supplier u set country = 'IS' from one where u.id = one.supplier_id),
		others as (update offer o set supplier_id = one.supplier_id from one where o.id in
			(select offer_id from draft where offer_id <> one.id order by id limit 2)),
		changed as (update offer o set fingerprint = '' from one where o.id = one.id)
		select supplier_id from one`).Scan(&its)
	if err != nil {
		t.Fatal(err)
	}
	w.Swept()
	if run := w.Repriced(store); run.Why != "changed offers" || run.Seen != 3 {
		t.Errorf("of supplier %d with 3 drafts: %+v", its, run)
	}
	last := w.Repriced(store).ID
	w.Swept()
	if run := w.Repriced(store); run.ID != last {
		t.Errorf("nothing changed, and yet there was a run: %+v", run)
	}
}

func TestAStoreThatIsConnectedLaterPricesWhatIsThere(t *testing.T) {
	w, goods, ids := world(t, 3)
	nord := w.ConnectNord()
	if run := w.Repriced(nord.ID); run.Why != "the store was connected" || run.Seen != 3 {
		t.Errorf("%+v", run)
	}
	euros, dollars := prices(w, nord.ID, ids[2]), prices(w, goods, ids[2])
	if !strings.HasSuffix(euros[0], "EUR") || !strings.HasSuffix(dollars[0], "USD") {
		t.Errorf("%v and %v", euros, dollars)
	}
	if _, err := w.App.Pool.Exec(t.Context(), `delete from price where store_id = $1`, nord.ID); err != nil {
		t.Fatal(err)
	}
	if err := w.App.Pricing.RepriceUnpriced(t.Context()); err != nil {
		t.Fatal(err)
	}
	if w.Repriced(nord.ID); fmt.Sprint(prices(w, nord.ID, ids[2])) != fmt.Sprint(euros) {
		t.Errorf("what lacked a price is not caught up: %v", prices(w, nord.ID, ids[2]))
	}
}

func TestAChangeIsDescribed(t *testing.T) {
	w, store, _ := world(t, 1)
	for _, c := range []struct {
		words  string
		change func(*pricing.MoneyRules)
	}{
		{"", func(*pricing.MoneyRules) {}},
		{"A rule added", func(m *pricing.MoneyRules) {
			m.Rules = append([]markup.Rule{with(m.Rules[0], 2)}, m.Rules...)
		}},
		{"2 rules added, fees and tax", func(m *pricing.MoneyRules) {
			m.Rules = append([]markup.Rule{with(m.Rules[0], 2), with(m.Rules[0], 3)}, m.Rules...)
			m.Fees.Returns = 20_000
		}},
		{"A rule added, a rule removed", func(m *pricing.MoneyRules) { m.Rules = []markup.Rule{with(m.Rules[0], 9)} }},
		{"Delivery", func(m *pricing.MoneyRules) { m.Delivery.Otherwise = landed.NotSold }},
		{"Import charges, exchange rates", func(m *pricing.MoneyRules) {
			m.Imports = landed.Imports{{From: "CN", To: "US", Threshold: money.Zero(usd)}}
			m.Rates.MaxAgeDays = 9
		}},
	} {
		rules := w.MoneyRules(store)
		c.change(&rules.MoneyRules)
		if e := effect(w, store, rules); e.What != c.words {
			t.Errorf("%q, want %q", e.What, c.words)
		}
	}
	rules := w.MoneyRules(store)
	rules.Rules = []markup.Rule{with(rules.Rules[0], 2), with(rules.Rules[0], 3), rules.Rules[0]}
	rules.Rules[0].Conditions.Tags, rules.Rules[1].Conditions.Tags = []string{"a"}, []string{"b"}
	w.ApplyRules(store, rules)
	moved := w.MoneyRules(store)
	moved.Rules[0], moved.Rules[1] = moved.Rules[1], moved.Rules[0]
	if e := effect(w, store, moved); e.What != "Rules moved" || len(e.ByRule) != 3 {
		t.Errorf("%q", e.What)
	}
}

func with(r markup.Rule, id int) markup.Rule { r.ID = id; return r }

// An installation from before money rules had a history keeps its rule, fees and promise.
func TestRulesFromBeforeAreCarriedOver(t *testing.T) {
	w := testkit.Start(t)
	store := w.ConnectStore()
	pool := w.App.Pool
	for _, sql := range []string{
		`delete from reprice_run`, `delete from money_rules`,
		`alter table store add column promise_days integer not null default 16, add column terms jsonb not null ` +
			`default '{}'`,
		`create table markup_rules (store_id bigint primary key, rules jsonb not null,
			revision integer not null default 1, updated_at timestamptz not null default now(),
			updated_by text not null)`,
		`update store
			set promise_days = 12,
			terms = '{"payment_percent": "0.019", "payment_fixed": {"value": "0.25", "currency": "USD"},
			"returns": "0.02", "tax": "0.07"}'`,
		`insert into markup_rules (store_id, rules, revision, updated_by)
			values (1,
			'[{"conditions": {}, "formula": {"kind": "percent", "ratio": "1.4"}, "least_profit": {"value": "3.50",
			"currency": "USD"}, "ending": ".95"}]', 6, 'Olga')`,
	} {
		if _, err := pool.Exec(t.Context(), sql); err != nil {
			t.Fatalf("%s: %v", sql, err)
		}
	}
	carried := strings.SplitN(strings.SplitN(testkit.Migration(t, "0002_money_rules.sql"),
		"-- What the interface could set until now", 2)[1], "drop table markup_rules", 2)[0]
	renamed := strings.SplitN(testkit.Migration(t, "0010_names.sql"), "update money_rules", 2)[1]
	renamed, _, _ = strings.Cut(renamed, ";")
	if _, err := pool.Exec(t.Context(), "--"+carried+"; update money_rules"+renamed); err != nil {
		t.Fatal(err)
	}
	rules := w.MoneyRules(store.ID)
	said, err := json.Marshal(rules.Rules[0])
	if err != nil {
		t.Fatal(err)
	}
	if rules.Revision != 6 || rules.PromiseDays != 12 || rules.Market != "US" || rules.Fees.Returns != 20_000 ||
		!rules.Fees.TaxIncluded || rules.Rules[0].Formula.Bands[0].Ratio != 1_400_000 ||
		rules.Rules[0].Floor.LeastProfit.Decimal() != "3.50" || fmt.Sprint(rules.Rules[0].Ending.Allowed) != "[.95]" {
		t.Errorf("%+v %s", rules, said)
	}
	if e := effect(w, store.ID, rules); e.Revision != 6 {
		t.Errorf("what was carried over cannot be used: %+v", e)
	}
}
