package markup

import (
	"errors"
	"strings"
	"testing"
	"time"

	"plainpelican/core/landed"
	"plainpelican/core/money"
)

var usd = money.MustCurrency("USD")

func multiple(text string) Rule {
	r, err := money.ParseRatio(text)
	if err != nil {
		panic(err)
	}
	return Rule{ID: 1, Formula: Flat(Multiple, r, money.Amount{}, usd), Floor: Floor{LeastProfit: money.Zero(usd)},
		Ending: NoEnding, Was: Was{Kind: NoWas, Ending: NoEnding}}
}

func rules(t testing.TB, list ...Rule) *Rules {
	t.Helper()
	for i := range list {
		list[i].ID = i + 1
	}
	rs, err := NewRules(list[0].Floor.LeastProfit.Currency(), list...)
	if err != nil {
		t.Fatal(err)
	}
	return rs
}

func lands(minor int64, c money.Currency) *Item {
	return &Item{Cost: landed.Cost{Item: money.New(minor, c)}}
}

// Outside source: the trade's table of markup and margin, which is common practice.
func TestMarkupAndMargin(t *testing.T) {
	for _, c := range []struct {
		percent, multiple string
		margin            money.Ratio
	}{
		{"1", "2", 500_000}, // keystone
		{"0.25", "1.25", 200_000},
		{"0.333333", "1.333333", 250_000},
		{"0.5", "1.5", 333_333},
		{"1.5", "2.5", 600_000},
		{"3", "4", 750_000},
	} {
		ratio, err := money.ParseRatio(c.percent)
		if err != nil {
			t.Fatal(err)
		}
		byPercent := multiple("1")
		byPercent.Formula = Flat(Percent, ratio, money.Amount{}, usd)
		for _, rule := range []Rule{byPercent, multiple(c.multiple)} {
			f, err := rules(t, rule).Price(lands(100_000_000, usd), Terms{}, nil)
			if err != nil || f.NetMargin()-c.margin > 1 || c.margin-f.NetMargin() > 1 || f.Shares().Markup-ratio > 1 ||
				ratio-f.Shares().Markup > 1 {
				t.Errorf("%s: margin %s, markup %s, %v", c.percent, f.NetMargin(), f.Shares().Markup, err)
			}
		}
	}
}

// Outside source: an example of landing that is common practice: 42 with delivery at 32 is 74, with
// delivery at 25 it is 67, which sold at 149.99 leaves 82.99 before fees.
func TestLandingExample(t *testing.T) {
	for _, c := range []struct{ shipping, total string }{{"32.00", "74.00"}, {"25.00", "67.00"}} {
		cost := landed.Cost{Item: money.MustParse("42.00", "USD"), Shipping: money.MustParse(c.shipping, "USD")}
		total, err := cost.Total()
		if err != nil || total.Decimal() != c.total {
			t.Errorf("%s %v", total, err)
		}
	}
	f, err := Judge(money.MustParse("67.00", "USD"), money.MustParse("149.99", "USD"), Terms{})
	if err != nil || f.Profit.Decimal() != "82.99" {
		t.Errorf("%s %v", f.Profit, err)
	}
}

func TestFiguresWithFeesAndTax(t *testing.T) {
	// Worked by hand: 119.00 with 19 % tax is 100.00 net; fees 2.9 % + 1.5 % of 119.00 = 5.236
	// and 0.30 fixed = 5.54; lands at 60.00; leaves 34.46.
	eur := money.MustCurrency("EUR")
	f, err := Judge(money.New(6000, eur), money.New(11900, eur),
		Terms{PaymentPercent: 29000, PaymentFixed: money.New(30, eur), Returns: 15000, Tax: 190000})
	if err != nil || f.Net.Decimal() != "100.00" || f.Fees.Decimal() != "5.54" || f.Profit.Decimal() != "34.46" ||
		f.NetMargin() != 344600 || f.Shares().BreakEven != 3453279 {
		t.Errorf("%+v %v", f, err)
	}
	loss, err := Judge(money.New(6000, eur), money.New(5000, eur), Terms{})
	if err != nil || loss.Profit.Decimal() != "-10.00" || loss.Shares().BreakEven != 0 {
		t.Errorf("a loss: %+v %v", loss, err)
	}
}

// priced is an item with everything known: lands at 10.60, minimum advertised, list and market prices.
func priced(t *testing.T, r Rule, advertised, list, market string) (PriceResult, *Trace) {
	t.Helper()
	item, trace := lands(1060, usd), &Trace{}
	for into, text := range map[*money.Amount]string{&item.MinAdvertised: advertised, &item.List: list,
		&item.Market: market} {
		if text != "" {
			*into = money.MustParse(text, "USD")
		}
	}
	f, err := rules(t, r, multiple("1")).
		Price(item, Terms{PaymentPercent: 29000, PaymentFixed: money.New(30, usd)}, trace)
	if err != nil {
		t.Fatal(err)
	}
	return f, trace
}

func TestFormulas(t *testing.T) {
	amount := money.MustParse("5.00", "USD")
	// Worked by hand from a landed 10.60, payment 2.9 % and 0.30.
	for _, c := range []struct {
		kind   FormulaKind
		ratio  money.Ratio
		amount money.Amount
		want   string
		words  string
	}{
		{Percent, 600_000, money.Amount{}, "16.96", "Landed plus 60 %"},
		{Multiple, 2_200_000, money.Amount{}, "23.32", "2.2 × landed"},
		{Fixed, 0, amount, "15.60", "Landed plus 5.00 USD"},
		{PercentPlus, 600_000, amount, "21.96", "Landed plus 60 % and 5.00 USD"},
		{Margin, 400_000, money.Amount{}, "19.09", "For a margin of 40 % after fees"}, // 10.90 / 0.571
		{Profit, 0, amount, "16.37", "For a profit of 5.00 USD after fees"},           // 15.90 / 0.971
		{Market, -50_000, money.Amount{}, "23.75", "5 % below the market median"},
		{Market, 0, money.Amount{}, "25.00", "At the market median"},
	} {
		r := multiple("1")
		r.Formula = Flat(c.kind, c.ratio, c.amount, usd)
		f, trace := priced(t, r, "", "", "25.00")
		if f.Price.Decimal() != c.want || trace.Steps[1].Words() != c.words || trace.Steps[1].Amount != f.Price {
			t.Errorf("%s: %s by %q", c.kind, f.Price, trace.Steps[1].Words())
		}
	}
}

func TestCostBandsAndBasis(t *testing.T) {
	r := multiple("3")
	r.Formula.Bands = append(r.Formula.Bands, Band{From: money.New(500, usd), Ratio: 2_500_000},
		Band{From: money.New(1500, usd), Ratio: 2_000_000})
	r.Formula.Bands[0].To = money.New(500, usd)
	rs := rules(t, r)
	for minor, want := range map[int64]int64{1: 3, 499: 1497, 500: 1250, 1499: 3748, 1500: 3000, 9000: 18000} {
		if f, err := rs.Price(lands(minor, usd), Terms{}, nil); err != nil || f.Price.Minor() != want {
			t.Errorf("at %d: %s, want %d, %v", minor, f.Price, want, err)
		}
	}
	r = multiple("2")
	r.Formula.Basis = OnItem
	item := lands(1000, usd)
	item.Cost.Shipping = money.New(400, usd)
	if f, err := rules(t, r).Price(item, Terms{}, nil); err != nil || f.Price.Decimal() != "20.00" ||
		f.Landed.Decimal() != "14.00" {
		t.Errorf("twice the item cost: %s %v", f.Price, err)
	}
}

func TestFloorsAndCeilings(t *testing.T) {
	for _, c := range []struct {
		name                     string
		change                   func(*Rule)
		advertised, list, market string
		price                    string
		marks                    Flags
		words                    string
	}{
		{"the minimum advertised price is the floor", func(*Rule) {}, "27.00", "", "", "27.99",
			Flags{RaisedToFloor: true}, "Raised to the floor: the supplier's minimum advertised price"},
		{"the least margin is", func(r *Rule) {
			r.Floor.LeastMargin = 550_000
		}, "20.00", "", "", "25.99", Flags{RaisedToFloor: true}, "Raised to the floor: keeping 55 %"},
		{"the least profit is", func(r *Rule) {
			r.Floor.LeastProfit = money.New(1300, usd)
		}, "", "", "", "24.99", Flags{RaisedToFloor: true}, "Raised to the floor: keeping 13.00 USD"},
		{"above the list price, which warns", func(r *Rule) {
			r.Ceiling.List = true
		}, "", "22.00", "", "22.99", Flags{OverCeiling: true}, "Above the list price, 22.00 USD"},
		{"capped by the market, with the ending", func(r *Rule) {
			r.Ceiling = Ceiling{Market: 1_100_000, Caps: true}
		}, "", "", "18.00", "18.99", Flags{Capped: true}, "Capped by 1.1 × the market median, 19.80 USD"},
		{"the lower of two ceilings", func(r *Rule) {
			r.Ceiling = Ceiling{List: true, Market: 1_100_000, Caps: true}
		}, "", "17.50", "18.00", "16.99", Flags{Capped: true}, "Capped by the list price, 17.50 USD"},
		{"no ending between floor and cap", func(r *Rule) {
			r.Ceiling = Ceiling{List: true, Caps: true}
			r.Floor.LeastProfit = money.New(600, usd)
		}, "", "17.80", "", "17.80", Flags{Capped: true}, "Capped by the list price, 17.80 USD"},
		{"a cap below the floor does not cap", func(r *Rule) {
			r.Ceiling = Ceiling{List: true, Caps: true}
		}, "19.00", "18.00", "", "22.99", Flags{OverCeiling: true}, "Above the list price, 18.00 USD"},
		{"nothing is known, so nothing caps", func(r *Rule) {
			r.Ceiling = Ceiling{List: true, Market: money.One, Caps: true}
		}, "", "", "", "22.99", Flags{}, "Nearest ending in .99"},
	} {
		r := multiple("2.2")
		r.Ending.Allowed = []string{".99"}
		c.change(&r)
		f, trace := priced(t, r, c.advertised, c.list, c.market)
		said := false
		for _, s := range trace.Steps {
			said = said || s.Words() == c.words
		}
		if f.Price.Decimal() != c.price || f.Flags != c.marks || !said {
			t.Errorf("%s: %s %+v %+v", c.name, f.Price, f.Flags, trace.Lines())
		}
	}
}

func TestWasPrices(t *testing.T) {
	for _, c := range []struct{ kind, list, want string }{{"percent", "", "28.99"}, {"list", "30.00", "30.00"},
		{"list", "23.00", "0"}, {"list", "", "0"}, {"none", "30.00", "0"}} {
		r := multiple("2.2")
		r.Was = Was{Kind: WasKind(c.kind), Ending: Ending{Allowed: []string{".99"}}}
		if c.kind == "percent" {
			r.Was.Percent = 250_000
		}
		if f, _ := priced(t, r, "", c.list, ""); f.Price.Decimal() != "23.32" || f.Was.Decimal() != c.want {
			t.Errorf("%+v: %s", c, f.Was)
		}
	}
}

func TestTypedPricesAreJudgedByTheRuleTheyWereTypedOver(t *testing.T) {
	r := multiple("2")
	r.Floor.LeastProfit, r.Ceiling.Market = money.New(300, usd), money.One
	rs, terms := rules(t, r), Terms{PaymentFixed: money.New(30, usd)}
	item := lands(1000, usd)
	item.Market = money.New(2500, usd)
	for minor, want := range map[int64]Flags{1329: {BelowFloor: true}, 1330: {}, 2500: {}, 2501: {OverCeiling: true}} {
		trace := &Trace{}
		f, err := rs.Judge(item, money.New(minor, usd), terms, trace)
		if err != nil || f.Flags != want || f.Rule != 0 ||
			trace.Steps[1].Words() != "Set by hand; rules leave it alone" {
			t.Errorf("%d: %+v %v", minor, f.Flags, err)
		}
	}
}

func TestNothingIsAllocatedWithoutATrace(t *testing.T) {
	rule := multiple("2.2")
	rule.Floor, rule.Ending = Floor{money.New(300, usd), 200_000}, Ending{Allowed: []string{".99", ".49"}}
	rule.Ceiling, rule.Was = Ceiling{Market: 1_100_000, Caps: true},
		Was{Kind: WasPercent, Percent: 250_000, Ending: rule.Ending}
	rs, item := rules(t, rule), lands(1060, usd)
	item.Market = money.New(1800, usd)
	terms := Terms{PaymentPercent: 29000, PaymentFixed: money.New(30, usd), Returns: 15000}
	trace := &Trace{Steps: make([]Step, 0, 20)}
	for name, price := range map[string]func(){"bare": func() {
		_, _ = rs.Price(item, terms, nil)
	}, "with a trace used again": func() { trace.Reset(); _, _ = rs.Price(item, terms, trace) }} {
		if n := testing.AllocsPerRun(1000, price); n != 0 {
			t.Errorf("%s: %v allocations a price", name, n)
		}
	}
}

func TestWhatCannotBePriced(t *testing.T) {
	rs := rules(t, multiple("2"))
	negative := lands(100, usd)
	negative.List = money.New(-1, usd)
	for name, c := range map[string]struct {
		item  *Item
		terms Terms
		want  error
	}{
		"another currency":  {lands(100, money.MustCurrency("EUR")), Terms{}, money.ErrMixed},
		"below nothing":     {negative, Terms{}, ErrBelowNothing},
		"fees that eat all": {lands(100, usd), Terms{PaymentPercent: money.One, Tax: 1}, ErrNoPrice},
		"too dear":          {lands(1<<62, usd), Terms{}, money.ErrTooLarge},
	} {
		if _, err := rs.Price(c.item, c.terms, nil); !errors.Is(err, c.want) {
			t.Errorf("%s: %v", name, err)
		}
	}
	margin := multiple("1")
	margin.Formula = Flat(Margin, 990_000, money.Amount{}, usd)
	if _, err := rules(t, margin).Price(lands(100, usd), Terms{PaymentPercent: 29000}, nil); !errors.Is(err,
		ErrNoPrice) {
		t.Errorf("a margin that fees do not leave: %v", err)
	}
}

// Outside source: Directive 98/6/EC, article 6a: the prior price is the lowest of a period
// of not less than 30 days before the reduction.
func TestPriorPriceIsTheLowestOfThirtyDays(t *testing.T) {
	day := func(n int) time.Time { return time.Date(2026, 6, 1, 12, 0, 0, 0, time.UTC).AddDate(0, 0, n) }
	price := func(text string) money.Amount { return money.MustParse(text, "USD") }
	history := []Sold{{day(-90), price("9.00")}, {day(-60), price("30.00")}, {day(-10), price("22.00")},
		{day(-5), price("28.00")}, {day(1), price("5.00")}}
	if got, ok := PriorPrice(history, day(0)); !ok || got.Decimal() != "22.00" {
		t.Errorf("%s %t", got, ok)
	}
	if got, ok := PriorPrice(history[:2], day(0)); !ok || got.Decimal() != "30.00" {
		t.Errorf("a price that stood before the period and through it: %s %t", got, ok)
	}
	for _, c := range []struct {
		was, words string
		history    []Sold
	}{
		{"22.00", "", history}, {"22.01", "lowest price of the last 30 days was 22.00 USD", history},
		{"22.01", "not been on sale", nil},
		{"28.00", "less than 30 days", history[2:4]}, {"0", "", nil},
	} {
		if got := WasWarning(price(c.was), c.history, day(0)); (got == "") != (c.words == "") ||
			!strings.Contains(got, c.words) {
			t.Errorf("%s: %q", c.was, got)
		}
	}
}

func TestPricesForAMarkupOrAMargin(t *testing.T) {
	total, terms := money.New(1060, usd), Terms{PaymentPercent: 29000, PaymentFixed: money.New(30, usd), Tax: 190000}
	// Worked by hand: 10.60 x 1.5 x 1.19 = 18.921; 10.90 / (0.6 / 1.19 - 0.029) = 22.938.
	if got, err := AtMarkup(total, 500_000, terms); err != nil || got.Decimal() != "18.92" {
		t.Errorf("a markup of 50 %%: %s %v", got, err)
	}
	if got, err := AtMargin(total, 400_000, terms); err != nil || got.Decimal() != "22.94" {
		t.Errorf("a margin of 40 %%: %s %v", got, err)
	}
	if _, err := AtMarkup(total, -2*money.One, terms); !errors.Is(err, ErrNoPrice) {
		t.Errorf("a markup under -100 %%: %v", err)
	}
	if _, err := AtMargin(total, 980_000, terms); !errors.Is(err, ErrNoPrice) {
		t.Errorf("a margin that tax and fees do not leave: %v", err)
	}
	r := multiple("2")
	r.Ending.Allowed = []string{".99"}
	if got, err := rules(t, r).End(lands(1060, usd), money.New(2010, usd)); err != nil || got.Decimal() != "19.99" {
		t.Errorf("with the rule's ending: %s %v", got, err)
	}
}

func TestEveryStepHasItsWords(t *testing.T) {
	five := money.New(500, usd)
	for _, c := range []struct {
		step  Step
		words string
	}{
		{Step{Kind: StepItem, Text: "46.20 CNY at 0.138513, 25 Nov"}, "Item cost: 46.20 CNY at 0.138513, 25 Nov"},
		{Step{Kind: StepHandling}, "Handling"},
		{Step{Kind: StepCharges, Text: "none"}, "Import charges: none"},
		{Step{Kind: StepAdvertised}, "Supplier's minimum advertised price"},
		{Step{Kind: StepList}, "Supplier's list price"},
		{Step{Kind: StepPercent, Ratio: 600_000, Text: "item", Tax: 190_000}, "Item cost plus 60 %, with 19 % tax"},
		{Step{Kind: StepFixed, Other: five}, "Landed plus 5.00 USD"},
		{Step{Kind: StepAgainstMarket, Ratio: 50_000}, "5 % above the market median"},
		{Step{Kind: StepFloorAdvertised, Text: "raised"},
			"Raised to the floor: the supplier's minimum advertised price"},
		{Step{Kind: StepCapped, Text: "list", Other: five}, "Capped by the list price, 5.00 USD"},
		{Step{Kind: StepOverCeiling, Text: "market", Ratio: 1_100_000, Other: five},
			"Above 1.1 × the market median, 5.00 USD"},
		{Step{Kind: StepWas, Amount: five, Text: "list"}, "Was: the supplier's list price"},
		{Step{Kind: StepWas}, "No was price: the list price is not above the price"},
		{Step{Kind: StepNet, Tax: 190_000}, "Without 19 % tax"}, {Step{Kind: 99}, "Step 99"},
	} {
		if got := c.step.Words(); got != c.words {
			t.Errorf("%q, want %q", got, c.words)
		}
	}
	if up := (Ending{Allowed: []string{"tens", ".99"}, Up: true}).words(); up != "Next up ending in whole ten, .99" {
		t.Error(up)
	}
}
