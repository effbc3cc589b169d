package markup

import (
	"errors"
	"fmt"
	"strings"
	"testing"

	"plainpelican/core/landed"
	"plainpelican/core/money"
)

func TestFirstRuleThatHoldsPrices(t *testing.T) {
	cheap, japan, kitchen, market, rest := multiple("3"), multiple("2.5"), multiple("2.2"), multiple("2"), multiple("2")
	cheap.Conditions = Conditions{Under: money.New(500, usd)}
	japan.Conditions = Conditions{ShipsFrom: []string{"KR", "JP"}, From: money.New(500, usd)}
	kitchen.Conditions = Conditions{Categories: []string{"Kitchen"}, Tags: []string{"gift"}}
	market.Formula = Flat(Market, 0, money.Amount{}, usd)
	market.Conditions = Conditions{Suppliers: []string{"Northlight"}}
	off := multiple("9")
	off.Off = true
	rs := rules(t, off, cheap, japan, kitchen, market, rest)
	for _, c := range []struct {
		item Item
		cost int64
		rule int
	}{
		{Item{ShipsFrom: "CN"}, 499, 2}, {Item{ShipsFrom: "CN"}, 500, 6}, {Item{ShipsFrom: "JP"}, 499, 2},
		{Item{ShipsFrom: "JP"}, 500, 3},
		{Item{Category: "Kitchen/Mugs", Tags: []string{"new", "gift"}}, 900, 4},
		{Item{Category: "Kitchenware", Tags: []string{"gift"}}, 900, 6}, {Item{Category: "Kitchen"}, 900, 6},
		// a market rule wants a market price
		{Item{Supplier: "Northlight", Market: money.New(900, usd)}, 700, 5}, {Item{Supplier: "Northlight"}, 700, 6},
	} {
		c.item.Cost = landed.Cost{Item: money.New(c.cost, usd)}
		if f, err := rs.Price(&c.item, Terms{}, nil); err != nil || f.Rule != c.rule {
			t.Errorf("%+v at %d: rule %d, %v", c.item, c.cost, f.Rule, err)
		}
	}
}

func TestARuleThatCanNeverBeReachedIsFound(t *testing.T) {
	with := func(c Conditions) Rule { r := multiple("2"); r.Conditions = c; return r }
	usd := func(minor int64) money.Amount { return money.New(minor, usd) }
	rs := rules(t,
		with(Conditions{Categories: []string{"Kitchen"}, Under: usd(1000)}),
		with(Conditions{Categories: []string{"Kitchen"}, From: usd(900), Under: usd(2000)}),
		// both above, together
		with(Conditions{Categories: []string{"Kitchen/Mugs"}, From: usd(500), Under: usd(1500)}),
		with(Conditions{Categories: []string{"Garden"}, Under: usd(500)}),
		with(Conditions{Under: usd(500)}),
		with(Conditions{ShipsFrom: []string{"CN"}, Under: usd(500)}), // the one above
		with(Conditions{ShipsFrom: []string{"CN"}}),
		multiple("2"),
	)
	got := rs.Unreachable()
	if len(got) != 2 || got[0].Rule != 2 || len(got[0].By) != 2 || got[1].Rule != 5 || len(got[1].By) != 1 ||
		got[1].By[0] != 4 {
		t.Errorf("%+v", got)
	}
}

func TestIllegalRulesDoNotExist(t *testing.T) {
	with := func(change func(*Rule)) Rule { r := multiple("2"); r.ID = 1; change(&r); return r }
	eur := money.MustParse("3", "EUR")
	bands := func(list ...Band) func(*Rule) { return func(r *Rule) { r.Formula.Bands = list } }
	from := func(minor, to int64) Band {
		b := Band{From: money.New(minor, usd), Ratio: 2_000_000}
		if to > 0 {
			b.To = money.New(to, usd)
		}
		return b
	}
	for _, c := range []struct {
		field, words string
		rule         Rule
	}{
		{"ratio", "multiple must be 1 or more", with(func(r *Rule) { r.Formula.Bands[0].Ratio = 999_999 })},
		{"ratio", "percent must be 0 or more", with(func(r *Rule) {
			r.Formula = Flat(Percent, -1, money.Amount{}, usd)
		})},
		{"ratio", "under 1,000 times", with(func(r *Rule) { r.Formula.Bands[0].Ratio = 2000 * money.One })},
		{"ratio", "margin must be", with(func(r *Rule) { r.Formula = Flat(Margin, money.One, money.Amount{}, usd) })},
		{"ratio", "against the market", with(func(r *Rule) {
			r.Formula = Flat(Market, -money.One, money.Amount{}, usd)
		})},
		{"amount", "store's currency", with(func(r *Rule) { r.Formula = Flat(Fixed, 0, eur, usd) })},
		{"amount", "0 or more", with(func(r *Rule) { r.Formula = Flat(Profit, 0, money.New(-1, usd), usd) })},
		{"formula", "not a way to price", with(func(r *Rule) { r.Formula.Kind = "guess" })},
		{"formula", "last rule must price everything", with(func(r *Rule) {
			r.Formula = Flat(Market, 0, money.Amount{}, usd)
		})},
		{"basis", "not a cost", with(func(r *Rule) { r.Formula.Basis = "shipping" })},
		{"basis", "works on landed", with(func(r *Rule) {
			r.Formula = Flat(Margin, 1, money.Amount{}, usd)
			r.Formula.Basis = OnItem
		})},
		{"bands", "1 to 50", with(bands())},
		{"bands", "gap from 0 to 5.00", with(bands(from(500, 0)))},
		{"bands", "gap from 5.00 USD to 6.00", with(bands(from(0, 500), from(600, 0)))},
		{"bands", "overlap from 5.00 USD to 6.00", with(bands(from(0, 600), from(500, 0)))},
		{"bands", "from 9.00 USD and from 5.00 USD overlap", with(bands(from(0, 0), from(900, 0), from(500, 0)))},
		{"bands", "gap from 5.00 USD on", with(bands(from(0, 500)))},
		{"least_profit", "store's currency", with(func(r *Rule) { r.Floor.LeastProfit = eur })},
		{"least_profit", "0 or more", with(func(r *Rule) { r.Floor.LeastProfit = money.New(-1, usd) })},
		{"least_margin", "under 100", with(func(r *Rule) { r.Floor.LeastMargin = money.One })},
		{"ending", "cannot end", with(func(r *Rule) { r.Ending.Allowed = []string{".999"} })},
		{"ceiling", "100 times", with(func(r *Rule) { r.Ceiling.Market = -1 })},
		{"ceiling", "needs a ceiling", with(func(r *Rule) { r.Ceiling.Caps = true })},
		{"was", "more than 0", with(func(r *Rule) { r.Was.Kind = WasPercent })},
		{"was", "not a was price", with(func(r *Rule) { r.Was.Kind = "" })},
		{"was", "cannot end", with(func(r *Rule) { r.Was.Ending.Allowed = []string{"soon"} })},
		{"conditions", "last rule must hold", with(func(r *Rule) { r.Conditions.ShipsFrom = []string{"CN"} })},
		{"conditions", "store's currency", with(func(r *Rule) { r.Conditions.From = eur })},
		{"conditions", "ends at", with(func(r *Rule) {
			r.Conditions.From, r.Conditions.Under = money.New(9, usd), money.New(9, usd)
		})},
		{"conditions", "names nothing", with(func(r *Rule) { r.Conditions.Tags = []string{""} })},
		{"off", "cannot be switched off", with(func(r *Rule) { r.Off = true })},
		{"id", "only this rule has", with(func(r *Rule) { r.ID = 0 })},
	} {
		_, err := NewRules(usd, c.rule)
		var wrong *FieldError
		if !errors.As(err, &wrong) || wrong.Field != c.field || !strings.Contains(wrong.Reason, c.words) ||
			wrong.Rule != 0 {
			t.Errorf("%s, %s: %v", c.field, c.words, err)
		}
	}
	if _, err := NewRules(usd); err == nil {
		t.Error("no rules at all were taken")
	}
}

func TestEndings(t *testing.T) {
	jpy, kwd := money.MustCurrency("JPY"), money.MustCurrency("KWD")
	for _, c := range []struct {
		ending             string
		price, floor, want int64
		c                  money.Currency
	}{
		{".99", 2210, 0, 2199, usd},
		{".99", 2249, 0, 2299, usd}, // a tie goes up
		{".99", 2248, 0, 2199, usd},
		{".99", 2210, 2205, 2299, usd}, // never below the floor
		{".99", 20, 0, 99, usd},        // never nothing
		{".95", 2199, 0, 2195, usd},
		{".00", 2151, 0, 2200, usd},
		{".49 .99", 2220, 0, 2199, usd}, // the nearest of several
		{".49 .99", 2230, 0, 2249, usd},
		{".99 up", 2200, 0, 2299, usd},
		{".99 up", 2299, 0, 2299, usd},
		{"tens", 1234, 0, 1230, jpy},
		{"tens", 1235, 0, 1240, jpy},
		{"hundreds", 1249, 0, 1200, jpy},
		{"80", 1249, 0, 1280, jpy},
		{"980", 1249, 0, 980, jpy},
		{"980", 1249, 1200, 1980, jpy},
		{".990", 3500, 0, 3990, kwd},
		{"", 1234, 1240, 1240, usd},
	} {
		e := Ending{Allowed: strings.Fields(strings.TrimSuffix(c.ending, " up")),
			Up: strings.HasSuffix(c.ending, " up")}
		if err := e.check(c.c); err != nil {
			t.Fatal(err)
		}
		if got := e.Apply(c.price, c.floor, c.c); got != c.want {
			t.Errorf("%s of %d with floor %d: %d, want %d", c.ending, c.price, c.floor, got, c.want)
		}
	}
	if got := EndingsFor(jpy); fmt.Sprint(got) != "[tens hundreds 80 980]" || EndingsFor(kwd)[0] != ".990" {
		t.Errorf("JPY has no cents to end in: %v", got)
	}
}
