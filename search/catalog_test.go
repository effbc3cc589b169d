package search_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"plainpelican/core/landed"
	"plainpelican/core/money"
	"plainpelican/pricing"
	"plainpelican/search"
	"plainpelican/testkit"
)

func TestTheSentenceAgreesWithSQL(t *testing.T) {
	market := testkit.Bazaar
	market.Offers = 300
	w := testkit.StartWith(t, market)
	w.Ready()
	for clause, where := range map[string]string{
		"words=kettle":          `o.title || ' ' || u.name || ' ' || o.category || ' ' || o.brand ~* '\mkettle'`,
		"from=PL&from=VN":       `u.country in ('PL', 'VN')`,
		"category=Camp+kitchen": `o.category = 'Camp kitchen'`,
		"stock=100":             `(select sum(stock) from offer_variant v where v.offer_id = o.id) >= 100`,
		"words=mug&from=CN": `o.title || ' ' || u.name || ' ' || o.category || ' ' || o.brand ~* '\mmug'
			and u.country = 'CN'`,
		"source=1&stock=1000": `(select sum(stock) from offer_variant v where v.offer_id = o.id) >= 1000`,
		"words=QB-100012":     `o.number = 'QB-100012'`,
		"source=77":           `false`,
	} {
		var want int
		if err := w.App.Pool.QueryRow(t.Context(), `select count(*) from offer o join supplier u on u.id = o.supplier_id
			where `+where).Scan(&want); err != nil {
			t.Fatal(err)
		}
		if got := w.Search(clause); got.Total != want {
			t.Errorf("%s: %d, by SQL %d", clause, got.Total, want)
		}
	}
}

func TestPricesInTheCatalogAreThoseOfTheStore(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	bare := w.Search("limit=5")
	if bare.Offers[0].Ladder != nil || len(bare.Facets["days"]) != 0 {
		t.Error("there are prices without a store")
	}
	query := fmt.Sprintf("store=%d&sort=profit&limit=200", store.ID)
	found := w.Search(query)
	last := int64(1 << 62)
	for _, o := range found.Offers {
		if o.Ladder == nil {
			if o.NoPrice == "" {
				t.Errorf("%s has no price and no word why", o.Title)
			}
			last = -1 << 62
			continue
		}
		l := o.Ladder
		sum := l.Item.Minor() + l.Shipping.Minor() + l.Charges.Minor()
		if l.Price.Currency() != store.Currency || sum != l.Landed.Minor() ||
			l.Net.Minor()-sum-l.Fees.Minor() != l.Profit.Minor() {
			t.Errorf("%s: %+v does not add up", o.Title, l)
		}
		if l.Profit.Minor() > last {
			t.Errorf("%s leaves %s, more than the one before", o.Title, l.Profit)
		}
		last = l.Profit.Minor()
		if o.Days == nil || o.Days.KeepsPromise != (o.Days.Door.Max <= 16) {
			t.Errorf("%s: %+v", o.Title, o.Days)
		}
	}
	under := w.Search(query + "&under=10.00&days=16")
	for _, o := range under.Offers {
		if o.Ladder.Landed.Minor() >= 1000 || o.Days.Door.Max > 16 {
			t.Errorf("%s lands at %s in %d days", o.Title, o.Ladder.Landed, o.Days.Door.Max)
		}
	}
	if under.Total == 0 || under.Total == found.Total {
		t.Errorf("%d of %d", under.Total, found.Total)
	}
	if problem := w.Owner.Ask("GET", "/api/offers?under=ten&store=1", nil, nil); problem == nil ||
		problem.Status != 422 || !strings.Contains(problem.Detail, "is not an amount in USD") {
		t.Errorf("%+v", problem)
	}
	// A store is asked about as soon as it is connected, before the index has been told.
	nord := w.ConnectNord()
	last = 1 << 62
	for _, o := range w.Search(fmt.Sprintf("store=%d&sort=profit&limit=20", nord.ID)).Offers {
		if o.Ladder == nil || o.Ladder.Price.Currency() != nord.Currency || o.Ladder.Profit.Minor() > last {
			t.Fatalf("in the store just connected %s: %+v", o.Title, o.Ladder)
		}
		last = o.Ladder.Profit.Minor()
	}
}

func TestTheCatalogFollowsRulesAndRates(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	cheap := func() int { return w.Search(fmt.Sprintf("store=%d&under=10", store.ID)).Total }
	before := cheap()
	dollars := money.NewRates(money.MustCurrency("EUR"), time.Now().Truncate(24*time.Hour).Add(24*time.Hour))
	for code, text := range map[string]string{"USD": "2.2084", "CNY": "7.9718", "INR": "95.404", "JPY": "168.73",
		"KWD": "0.33918"} {
		if err := dollars.Set(money.MustCurrency(code), text); err != nil {
			t.Fatal(err)
		}
	}
	if err := w.App.Pricing.SaveRates(t.Context(), dollars); err != nil {
		t.Fatal(err)
	}
	testkit.Until(t, "the new rate's prices", func() bool { return cheap() < before })
}

func TestTheSheet(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	var sheet search.Sheet
	w.Owner.Must("GET", fmt.Sprintf("/api/offers/%d?store=%d", w.Offer(0), store.ID), nil, &sheet)
	if sheet.Number != "QB-100000" || len(sheet.Variants) == 0 || len(sheet.Pictures) == 0 ||
		sheet.Variants[0].Ladder == nil || len(sheet.Trace) < 5 {
		t.Fatalf("%+v", sheet)
	}
	if strings.Contains(sheet.Description, "script") || strings.Contains(sheet.Description, "style") {
		t.Errorf("the description is not safe: %s", sheet.Description)
	}
	assumed := 0
	for _, d := range sheet.Deliveries {
		if d.Assumed {
			assumed++
		}
		if d.Days.Door != d.Days.Processing.Plus(d.Days.Transit) || d.Days.Door == (landed.Days{}) {
			t.Errorf("%+v", d)
		}
	}
	if assumed != 1 {
		t.Errorf("prices assume %d deliveries", assumed)
	}
	if problem := w.Owner.Ask("GET", "/api/offers/999999", nil, nil); problem == nil || problem.Status != 404 {
		t.Errorf("%+v", problem)
	}
}

func TestWhatIf(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	id := w.Offer(0)
	ask := func(query string) (s search.WhatIfResult) {
		w.Owner.Must("GET", fmt.Sprintf("/api/offers/%d/what-if?store=%d%s", id, store.ID, query), nil, &s)
		return s
	}
	rule := ask("")
	if rule.Price != rule.RulePrice || rule.Rule == 0 || len(rule.Trace) < 5 {
		t.Errorf("the rule's: %+v", rule)
	}
	if dear := ask("&price=99.99"); dear.Price.Decimal() != "99.99" || dear.RulePrice != rule.RulePrice ||
		dear.Profit.Minor() <= rule.Profit.Minor() || dear.Rule != 0 {
		t.Errorf("at 99.99: %+v", dear)
	}
	if cheap := ask("&price=1.00"); !cheap.BelowFloor || !cheap.Profit.Negative() || cheap.BreakEven != 0 {
		t.Errorf("at 1.00: %+v", cheap)
	}
	if doubled := ask("&markup=100"); doubled.Price.Minor() != 2*doubled.Landed.Minor() || doubled.Markup != 1_000_000 {
		t.Errorf("a markup of 100 %%: %+v", doubled)
	}
	for _, bad := range []string{"price=ten", "price=-1", "markup=-200", "price=1.999"} {
		if problem := w.Owner.Ask("GET", fmt.Sprintf("/api/offers/%d/what-if?store=%d&%s", id, store.ID, bad), nil,
			nil); problem == nil || problem.Status != 422 {
			t.Errorf("%s: %+v", bad, problem)
		}
	}
	if found := w.Search(fmt.Sprintf("store=%d&limit=200", store.ID)); found.Market != "US" ||
		!slices.ContainsFunc(found.Offers, func(o search.Line) bool {
			return o.Ladder != nil && o.Ladder.Market != nil && o.Ladder.Market.Seen > 0
		}) {
		t.Error("no offer says what other stores sell it for")
	}
	var names pricing.RuleChoices
	w.Owner.Must("GET", fmt.Sprintf("/api/stores/%d/money-rules/choices", store.ID), nil, &names)
	if len(names.Suppliers) == 0 || len(names.Categories) == 0 || len(names.Deliveries) < 3 ||
		len(names.Currencies) < 2 || names.Endings[0] != ".99" {
		t.Errorf("%+v", names)
	}
}
