package markup

import (
	"errors"
	"math/big"
	"math/rand/v2"
	"sort"
	"testing"

	"plainpelican/core/landed"
	"plainpelican/core/money"
)

var usd = money.MustCurrency("USD")

func multiple(text string) Rule {
	r, err := money.ParseRatio(text)
	if err != nil {
		panic(err)
	}
	return Rule{Formula: Formula{Multiple, r}, LeastProfit: money.Zero(usd), Ending: NoEnding}
}

func rules(t testing.TB, list ...Rule) *Rules {
	t.Helper()
	rs, err := NewRules(list[0].LeastProfit.Currency(), list...)
	if err != nil {
		t.Fatal(err)
	}
	return rs
}

func lands(minor int64, c money.Currency) Item {
	return Item{Cost: landed.Cost{Item: money.New(minor, c)}}
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
		byPercent.Formula = Formula{Percent, ratio}
		for _, rule := range []Rule{byPercent, multiple(c.multiple)} {
			f, err := rules(t, rule).Price(lands(100_000_000, usd), Terms{}, nil)
			if err != nil || f.Margin-c.margin > 1 || c.margin-f.Margin > 1 || f.Markup-ratio > 1 || ratio-f.Markup > 1 {
				t.Errorf("%s: margin %s, markup %s, %v", c.percent, f.Margin, f.Markup, err)
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
	f, err := Judge(money.New(6000, eur), money.New(11900, eur), Terms{PaymentPercent: 29000, PaymentFixed: money.New(30, eur), Returns: 15000, Tax: 190000})
	if err != nil || f.Net.Decimal() != "100.00" || f.Fees.Decimal() != "5.54" || f.Profit.Decimal() != "34.46" || f.Margin != 344600 || f.BreakEven != 3453279 {
		t.Errorf("%+v %v", f, err)
	}
	loss, err := Judge(money.New(6000, eur), money.New(5000, eur), Terms{})
	if err != nil || loss.Profit.Decimal() != "-10.00" || loss.BreakEven != 0 {
		t.Errorf("a loss: %+v %v", loss, err)
	}
}

// oracle computes a price by exact fractions, another way than the code under test.
type oracle struct {
	rule  Rule
	terms Terms
}

func rat(n, d int64) *big.Rat { return big.NewRat(n, d) }

func nearest(x *big.Rat) int64 {
	half := new(big.Rat).Add(new(big.Rat).Abs(x), rat(1, 2))
	q := new(big.Int).Quo(half.Num(), half.Denom()).Int64()
	if x.Sign() < 0 {
		return -q
	}
	return q
}

func (o oracle) profit(price, total int64) int64 {
	gross := new(big.Rat).Add(rat(1, 1), rat(int64(o.terms.Tax), 1e6))
	net := new(big.Rat).Quo(rat(price, 1), gross)
	share := rat(int64(o.terms.PaymentPercent)+int64(o.terms.Returns), 1e6)
	return nearest(net) - total - nearest(new(big.Rat).Mul(share, rat(price, 1))) - o.terms.PaymentFixed.Minor()
}

func (o oracle) raw(total int64) int64 {
	factor := rat(int64(o.rule.Formula.Ratio), 1e6)
	if o.rule.Formula.Kind == Percent {
		factor.Add(factor, rat(1, 1))
	}
	factor.Mul(factor, new(big.Rat).Add(rat(1, 1), rat(int64(o.terms.Tax), 1e6)))
	return nearest(factor.Mul(factor, rat(total, 1)))
}

// floor searches for the lowest price from which on nothing falls short: near where half
// the prices do, then down from well above while all leave enough.
func (o oracle) floor(total int64) int64 {
	enough := func(price int64) bool { return o.profit(price, total) >= o.rule.LeastProfit.Minor() }
	near := int64(sort.Search(1_000_000, func(price int) bool { return enough(int64(price)) }))
	floor := near + 40
	for floor > 0 && enough(floor-1) {
		floor--
	}
	return floor
}

// price searches for the allowed price nearest to the formula's, or at the floor.
func (o oracle) price(total int64, c money.Currency) int64 {
	floor := o.floor(total)
	wanted := max(o.raw(total), floor)
	step, rest := o.rule.Ending.residue(c)
	if step == 0 {
		return wanted
	}
	for distance := int64(0); ; distance++ {
		for _, p := range []int64{wanted + distance, wanted - distance} {
			if p > 0 && p >= floor && ((p-rest)%step+step)%step == 0 {
				return p
			}
		}
	}
}

func randomCase(r *rand.Rand) (Rule, Terms, int64, money.Currency) {
	c := []money.Currency{usd, money.MustCurrency("JPY"), money.MustCurrency("KWD"), money.MustCurrency("EUR")}[r.IntN(4)]
	endings := EndingsFor(c)
	rule := Rule{Formula: Formula{Multiple, money.One + money.Ratio(r.Int64N(4e6))}, LeastProfit: money.New(r.Int64N(2000), c), Ending: endings[r.IntN(len(endings))]}
	if r.IntN(2) == 0 {
		rule.Formula = Formula{Percent, money.Ratio(r.Int64N(3e6))}
	}
	terms := Terms{PaymentPercent: money.Ratio(r.Int64N(60_000)), PaymentFixed: money.New(r.Int64N(50), c), Returns: money.Ratio(r.Int64N(40_000))}
	if r.IntN(2) == 0 {
		terms.Tax = money.Ratio(r.Int64N(270_000))
	}
	return rule, terms, 1 + r.Int64N(60_000), c
}

// Outside source: an independent computation with math/big.Rat.
func TestPriceProperties(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 11))
	same, floored := 0, 0
	for n := range 120_000 {
		rule, terms, total, c := randomCase(r)
		rs := rules(t, rule)
		var trace *Trace
		if n%50 == 0 {
			trace = &Trace{}
		}
		f, err := rs.Price(lands(total, c), terms, trace)
		if err != nil {
			t.Fatalf("%+v %+v %d: %v", rule, terms, total, err)
		}
		o := oracle{rule, terms}
		if got := o.profit(f.Price.Minor(), total); got != f.Profit.Minor() {
			t.Fatalf("profit of %s: %s, by fractions %d", f.Price, f.Profit, got)
		}
		if f.Profit.Minor() < rule.LeastProfit.Minor() {
			t.Fatalf("%+v %+v lands at %d: %s leaves %s, under the least profit", rule, terms, total, f.Price, f.Profit)
		}
		if again := rule.Ending.Apply(f.Price.Minor(), 0, c); again != f.Price.Minor() {
			t.Fatalf("%s ended in %s again is %d", f.Price, rule.Ending, again)
		}
		higher, err := rs.Price(lands(total+1+r.Int64N(500), c), terms, nil)
		if err != nil || higher.Price.Minor() < f.Price.Minor() {
			t.Fatalf("%+v: a dearer item is cheaper: %s after %s, %v", rule, higher.Price, f.Price, err)
		}
		if f.RaisedToFloor {
			floored++
		}
		if n%6 == 0 {
			if want := o.price(total, c); want != f.Price.Minor() {
				t.Fatalf("%+v %+v lands at %d: %s, by fractions %d", rule, terms, total, f.Price, want)
			}
			same++
		}
		if trace != nil {
			checkTrace(t, trace, f)
		}
	}
	if same < 10_000 || floored < 1_000 {
		t.Fatalf("%d prices compared, %d at the floor: too few to mean something", same, floored)
	}
}

// checkTrace holds that what a trace says adds up: net less landed less fees is profit.
func checkTrace(t *testing.T, trace *Trace, f Figures) {
	t.Helper()
	said := map[string]money.Amount{}
	for _, s := range trace.Steps {
		said[s.Words] = s.Amount
	}
	if said["Lands at"] != f.Landed || said["Fees and returns allowance"] != f.Fees || said["Profit"] != f.Profit {
		t.Fatalf("the trace %+v does not say %+v", trace.Steps, f)
	}
	if f.Net.Minor()-f.Landed.Minor()-f.Fees.Minor() != f.Profit.Minor() {
		t.Fatalf("%+v does not add up", f)
	}
}

func TestFirstRuleThatHoldsPrices(t *testing.T) {
	cheap, japan, rest := multiple("3"), multiple("2.5"), multiple("2")
	cheap.Conditions = Conditions{Under: 500}
	japan.Conditions = Conditions{ShipsFrom: "JP", From: 500}
	rs := rules(t, cheap, japan, rest)
	for _, c := range []struct {
		from  string
		minor int64
		rule  int
	}{{"CN", 499, 0}, {"CN", 500, 2}, {"JP", 499, 0}, {"JP", 500, 1}} {
		item := lands(c.minor, usd)
		item.ShipsFrom = c.from
		if f, err := rs.Price(item, Terms{}, nil); err != nil || f.Rule != c.rule {
			t.Errorf("%s at %d: rule %d, %v", c.from, c.minor, f.Rule, err)
		}
	}
}

func TestIllegalRulesDoNotExist(t *testing.T) {
	with := func(change func(*Rule)) Rule { r := multiple("2"); change(&r); return r }
	for field, list := range map[string][]Rule{
		"rules":        {},
		"ratio":        {with(func(r *Rule) { r.Formula.Ratio = 999_999 })},
		"formula":      {with(func(r *Rule) { r.Formula.Kind = "guess" })},
		"least_profit": {with(func(r *Rule) { r.LeastProfit = money.MustParse("3", "EUR") })},
		"ending":       {with(func(r *Rule) { r.Ending = ".98" })},
		"conditions":   {with(func(r *Rule) { r.Conditions.ShipsFrom = "CN" })},
	} {
		_, err := NewRules(usd, list...)
		var wrong *FieldError
		if !errors.As(err, &wrong) || wrong.Field != field || wrong.Reason == "" {
			t.Errorf("%s: %v", field, err)
		}
	}
	for name, r := range map[string]Rule{
		"negative percent": with(func(r *Rule) { r.Formula = Formula{Percent, -1} }),
		"negative floor":   with(func(r *Rule) { r.LeastProfit = money.New(-1, usd) }),
		"absurd markup":    with(func(r *Rule) { r.Formula.Ratio = 2000 * money.One }),
	} {
		if _, err := NewRules(usd, r); err == nil {
			t.Errorf("%s was taken", name)
		}
	}
}

func TestEndings(t *testing.T) {
	jpy, kwd := money.MustCurrency("JPY"), money.MustCurrency("KWD")
	for _, c := range []struct {
		ending             Ending
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
		{WholeTens, 1234, 0, 1230, jpy},
		{WholeTens, 1235, 0, 1240, jpy},
		{".990", 3500, 0, 3990, kwd},
		{NoEnding, 1234, 1240, 1240, usd},
	} {
		if got := c.ending.Apply(c.price, c.floor, c.c); got != c.want {
			t.Errorf("%s of %d with floor %d: %d, want %d", c.ending, c.price, c.floor, got, c.want)
		}
	}
	if got := EndingsFor(jpy); len(got) != 2 {
		t.Errorf("JPY has no cents to end in: %v", got)
	}
}

func TestNothingIsAllocatedWithoutATrace(t *testing.T) {
	rule := multiple("2.2")
	rule.LeastProfit, rule.Ending = money.New(300, usd), ".99"
	rs, item := rules(t, rule), lands(1060, usd)
	terms := Terms{PaymentPercent: 29000, PaymentFixed: money.New(30, usd), Returns: 15000}
	if n := testing.AllocsPerRun(1000, func() { _, _ = rs.Price(item, terms, nil) }); n != 0 {
		t.Errorf("%v allocations a price", n)
	}
}

func TestWhatCannotBePriced(t *testing.T) {
	rs := rules(t, multiple("2"))
	if _, err := rs.Price(lands(100, money.MustCurrency("EUR")), Terms{}, nil); !errors.Is(err, money.ErrMixed) {
		t.Errorf("another currency: %v", err)
	}
	if _, err := rs.Price(lands(100, usd), Terms{PaymentPercent: money.One, Tax: 1}, nil); !errors.Is(err, ErrNoPrice) {
		t.Errorf("fees that eat all: %v", err)
	}
	if _, err := rs.Price(lands(1<<62, usd), Terms{}, nil); !errors.Is(err, money.ErrTooLarge) {
		t.Errorf("too dear: %v", err)
	}
}
