package markup

import (
	"math/big"
	"math/rand/v2"
	"slices"
	"sort"
	"testing"

	"plainpelican/core/landed"
	"plainpelican/core/money"
)

// oracle computes a price by exact fractions and by searching, another way than the code under test.
type oracle struct {
	rule  Rule
	item  *Item
	terms Terms
}

func rat(n, d int64) *big.Rat          { return big.NewRat(n, d) }
func ratio(r money.Ratio) *big.Rat     { return rat(int64(r), 1e6) }
func plus(a, b *big.Rat) *big.Rat      { return new(big.Rat).Add(a, b) }
func minus(a, b *big.Rat) *big.Rat     { return new(big.Rat).Sub(a, b) }
func times(a, b *big.Rat) *big.Rat     { return new(big.Rat).Mul(a, b) }
func over(a, b *big.Rat) *big.Rat      { return new(big.Rat).Quo(a, b) }
func (o oracle) gross() *big.Rat       { return plus(rat(1, 1), ratio(o.terms.Tax)) }
func (o oracle) total() int64          { return o.item.Cost.Item.Minor() + o.item.Cost.Shipping.Minor() }
func (o oracle) share() *big.Rat       { return plus(ratio(o.terms.PaymentPercent), ratio(o.terms.Returns)) }
func (o oracle) net(price int64) int64 { return nearest(over(rat(price, 1), o.gross())) }

func nearest(x *big.Rat) int64 {
	half := plus(new(big.Rat).Abs(x), rat(1, 2))
	q := new(big.Int).Quo(half.Num(), half.Denom()).Int64()
	if x.Sign() < 0 {
		return -q
	}
	return q
}

func (o oracle) profit(price int64) int64 {
	return o.net(price) - o.total() - nearest(times(o.share(), rat(price, 1))) - o.terms.PaymentFixed.Minor()
}

func (o oracle) raw() int64 {
	cost := o.total()
	if o.rule.Formula.Basis == OnItem {
		cost = o.item.Cost.Item.Minor()
	}
	var b Band
	for _, one := range o.rule.Formula.Bands {
		if one.From.Minor() <= cost {
			b = one
		}
	}
	c, amount := rat(cost, 1), rat(b.Amount.Minor(), 1)
	reach := func(kept, margin *big.Rat) *big.Rat {
		return over(kept, minus(over(minus(rat(1, 1), margin), o.gross()), o.share()))
	}
	fixed := plus(rat(o.total(), 1), rat(o.terms.PaymentFixed.Minor(), 1))
	switch o.rule.Formula.Kind {
	case Fixed:
		return nearest(times(plus(c, amount), o.gross()))
	case Percent, PercentPlus:
		return nearest(times(plus(times(c, plus(rat(1, 1), ratio(b.Ratio))), amount), o.gross()))
	case Multiple:
		return nearest(times(times(c, ratio(b.Ratio)), o.gross()))
	case Margin:
		return nearest(reach(fixed, ratio(b.Ratio)))
	case Profit:
		return nearest(reach(plus(fixed, amount), new(big.Rat)))
	}
	return nearest(times(rat(o.item.Market.Minor(), 1), plus(rat(1, 1), ratio(b.Ratio))))
}

// good tells whether a price is at or above every part of the floor.
func (o oracle) good(price int64) bool {
	profit := o.profit(price)
	margin := o.rule.Floor.LeastMargin == 0 ||
		(o.net(price) > 0 && rat(profit, o.net(price)).Cmp(ratio(o.rule.Floor.LeastMargin)) >= 0)
	return profit >= o.rule.Floor.LeastProfit.Minor() && margin && price >= o.item.MinAdvertised.Minor()
}

// floor searches for the lowest price from which on every price is good.
func (o oracle) floor() int64 {
	near := int64(sort.Search(5_000_000, func(price int) bool { return o.good(int64(price)) }))
	floor := near + 60
	for floor > 0 && o.good(floor-1) {
		floor--
	}
	return floor
}

func (o oracle) allowed(price int64, c money.Currency) bool {
	for _, e := range o.rule.Ending.Allowed {
		if r, _ := residueOf(e, c); price%r.modulus == r.rest {
			return price > 0
		}
	}
	return len(o.rule.Ending.Allowed) == 0
}

// price searches for the allowed price nearest to the formula's or next up, from the floor
// on, and then under the cap.
func (o oracle) price(c money.Currency) int64 {
	floor := o.floor()
	wanted := max(o.raw(), floor)
	ended := int64(-1)
	for distance := int64(0); ended < 0; distance++ {
		switch {
		case o.allowed(wanted+distance, c):
			ended = wanted + distance
		case !o.rule.Ending.Up && o.allowed(wanted-distance, c):
			ended = wanted - distance
		}
	}
	for ended < floor || !o.allowed(ended, c) {
		ended++
	}
	most := o.item.List.Minor()
	if o.rule.Ceiling.Market > 0 && o.item.Market.Minor() > 0 {
		if market := nearest(times(ratio(o.rule.Ceiling.Market), rat(o.item.Market.Minor(), 1))); most == 0 ||
			!o.rule.Ceiling.List || market < most {
			most = market
		}
	} else if !o.rule.Ceiling.List {
		most = 0
	}
	if most == 0 || ended <= most || !o.rule.Ceiling.Caps || most < floor {
		return ended
	}
	for price := most; price >= floor && price > 0; price-- {
		if o.allowed(price, c) {
			return price
		}
	}
	return most
}

func randomCase(r *rand.Rand) (Rule, Terms, *Item, money.Currency) {
	c := []money.Currency{usd, money.MustCurrency("JPY"), money.MustCurrency("KWD"),
		money.MustCurrency("EUR")}[r.IntN(4)]
	kind := []FormulaKind{Percent, Multiple, Fixed, PercentPlus, Margin, Profit, Market}[r.IntN(7)]
	rule := Rule{ID: 1, Formula: Formula{Kind: kind, Basis: OnLanded},
		Floor: Floor{money.New(r.Int64N(2000), c), money.Ratio(r.Int64N(4) * r.Int64N(150_000))},
		Was:   Was{Kind: NoWas, Ending: NoEnding}}
	if kind.costBased() && r.IntN(3) == 0 {
		rule.Formula.Basis = OnItem
	}
	from := int64(0)
	for range 1 + r.IntN(4) {
		b := Band{From: money.New(from, c), Ratio: money.Ratio(r.Int64N(700_000))}
		if kind == Multiple {
			b.Ratio += money.One
		}
		if kind == Market {
			b.Ratio -= 300_000
		}
		if kind.needsAmount() {
			b.Amount = money.New(r.Int64N(3000), c)
		}
		rule.Formula.Bands = append(rule.Formula.Bands, b)
		from += 1 + r.Int64N(9000)
	}
	for _, e := range EndingsFor(c) {
		if r.IntN(4) == 0 {
			rule.Ending.Allowed = append(rule.Ending.Allowed, e)
		}
	}
	rule.Ending.Up = r.IntN(3) == 0
	item := &Item{Cost: landed.Cost{Item: money.New(1+r.Int64N(25_000), c), Shipping: money.New(r.Int64N(3000), c)}}
	known := func() money.Amount { return money.New(1+r.Int64N(60_000), c) }
	if kind == Market || r.IntN(2) == 0 {
		item.Market = known()
	}
	if r.IntN(3) == 0 {
		item.List = known()
		rule.Ceiling.List = true
	}
	if r.IntN(4) == 0 {
		item.MinAdvertised = known()
	}
	if r.IntN(3) == 0 {
		rule.Ceiling.Market = money.Ratio(800_000 + r.Int64N(700_000))
	}
	rule.Ceiling.Caps = (rule.Ceiling.List || rule.Ceiling.Market > 0) && r.IntN(3) > 0
	terms := Terms{PaymentPercent: money.Ratio(r.Int64N(60_000)), PaymentFixed: money.New(r.Int64N(50), c),
		Returns: money.Ratio(r.Int64N(40_000))}
	if r.IntN(2) == 0 {
		terms.Tax = money.Ratio(r.Int64N(270_000))
	}
	return rule, terms, item, c
}

// listFor puts a rule before one that always holds.
func listFor(t *testing.T, rule Rule, c money.Currency) *Rules {
	t.Helper()
	rest := Rule{ID: 2, Formula: Flat(Multiple, money.One, money.Amount{}, c), Floor: Floor{LeastProfit: money.Zero(c)},
		Was: Was{Kind: NoWas}}
	rs, err := NewRules(c, rule, rest)
	if err != nil {
		t.Fatalf("%+v: %v", rule, err)
	}
	return rs
}

// Outside source: an independent computation with math/big.Rat.
func TestPriceProperties(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 11))
	compared, floored, capped := 0, 0, 0
	for n := range 30_000 {
		rule, terms, item, c := randomCase(r)
		rs := listFor(t, rule, c)
		var trace *Trace
		if n%3 == 0 {
			trace = &Trace{}
			trace.AddLanded(item)
		}
		f, err := rs.Price(item, terms, trace)
		if err != nil {
			t.Fatalf("%+v %+v %+v: %v", rule, terms, item, err)
		}
		o := oracle{rule, item, terms}
		price := f.Price.Minor()
		if got := o.profit(price); got != f.Profit.Minor() || o.net(price) != f.Net.Minor() {
			t.Fatalf("profit of %s: %s, by fractions %d", f.Price, f.Profit, got)
		}
		if !o.good(price) {
			t.Fatalf("%+v %+v %+v: %s leaves %s, under the floor", rule, terms, item, f.Price, f.Profit)
		}
		if !f.Capped && rule.Ending.Apply(price, 0, c) != price {
			t.Fatalf("%s ended in %v again is %d", f.Price, rule.Ending, rule.Ending.Apply(price, 0, c))
		}
		if again, err := rs.Price(item, terms, nil); err != nil || again != f {
			t.Fatalf("priced again, without a trace: %+v after %+v, %v", again, f, err)
		}
		checkMonotone(t, r, rs, item, terms, f)
		if f.RaisedToFloor {
			floored++
		}
		if f.Capped {
			capped++
		}
		if n%3 == 0 {
			if want := o.price(c); want != price {
				t.Fatalf("%+v %+v %+v: %s, by fractions %d", rule, terms, item, f.Price, want)
			}
			compared++
		}
		if trace != nil {
			checkTrace(t, trace, f, c)
		}
	}
	if compared < 9_999 || floored < 3_000 || capped < 300 {
		t.Fatalf("%d prices compared, %d at the floor, %d capped: too few to mean something", compared, floored, capped)
	}
}

// checkMonotone holds that a dearer item of the same band is not cheaper.
func checkMonotone(t *testing.T, r *rand.Rand, rs *Rules, item *Item, terms Terms, f PriceResult) {
	t.Helper()
	dearer := *item
	dearer.Cost.Item = money.New(item.Cost.Item.Minor()+1+r.Int64N(500), item.Cost.Item.Currency())
	bandOf := func(i *Item) *Band {
		total, _ := i.Cost.Total()
		if rs.list[0].Formula.Basis == OnItem {
			total = i.Cost.Item
		}
		return rs.ready[0].band(total.Minor())
	}
	if bandOf(&dearer) != bandOf(item) {
		return
	}
	higher, err := rs.Price(&dearer, terms, nil)
	if err != nil || higher.Price.Minor() < f.Price.Minor() {
		t.Fatalf("%+v: a dearer item is cheaper: %s after %s, %v", rs.list[0], higher.Price, f.Price, err)
	}
}

// checkTrace holds that a trace adds up from cost to price and down to profit, that it
// survives being stored, and that every step has words.
func checkTrace(t *testing.T, trace *Trace, f PriceResult, c money.Currency) {
	t.Helper()
	sum, price := int64(0), int64(0)
	said := map[StepKind]int64{}
	for _, s := range trace.Steps {
		said[s.Kind] = s.Amount.Minor()
		switch {
		case s.Kind <= StepCharges:
			sum += s.Amount.Minor()
		case (s.Kind >= StepPercent && s.Kind <= StepAgainstMarket) || s.Kind == StepEnding || s.Kind == StepCapped ||
			(s.Kind <= StepFloorAdvertised && s.Text == "raised"):
			price = s.Amount.Minor()
		}
		if s.Words() == "" {
			t.Fatalf("%+v has no words", s)
		}
	}
	for _, s := range trace.Steps {
		checkStep(t, s, f)
	}
	net, taxed := said[StepNet]
	if !taxed {
		net = price
	}
	if sum != said[StepLanded] || price != f.Price.Minor() || net != f.Net.Minor() ||
		net-sum-said[StepFees] != said[StepProfit] || said[StepProfit] != f.Profit.Minor() {
		t.Fatalf("the trace %+v does not add up to %+v", trace.Lines(), f)
	}
	var back Trace
	if err := back.ReadCompact(trace.AppendCompact(nil, c)); err != nil ||
		!slices.EqualFunc(back.Lines(), trace.Lines(), func(a, b TraceLine) bool {
			return a == b
		}) {
		t.Fatalf("stored and read again: %+v for %+v, %v", back.Lines(), trace.Lines(), err)
	}
	if back.Cost() != (landed.Cost{Item: trace.Steps[0].Amount, Shipping: trace.Cost().Shipping}) {
		t.Fatalf("the cost read back is %+v", back.Cost())
	}
}

// checkStep recomputes by exact rationals, from what a step says, the amounts that others do not add up to.
func checkStep(t *testing.T, s Step, f PriceResult) {
	t.Helper()
	half := func(r *big.Rat) int64 { // rounded half away from zero; all here are 0 or more
		n := new(big.Rat).Add(r, big.NewRat(1, 2))
		return new(big.Int).Quo(n.Num(), n.Denom()).Int64()
	}
	price := big.NewRat(f.Price.Minor(), 1)
	switch s.Kind {
	case StepFees:
		share := big.NewRat(int64(s.Ratio+s.Tax), int64(money.One))
		if want := half(share.Mul(share, price)) + s.Other.Minor(); want != s.Amount.Minor() {
			t.Fatalf("%s: %s, by hand %d", s.Words(), s.Amount, want)
		}
	case StepWas:
		if s.Text == "list" || s.Amount.IsZero() {
			return
		}
		raised := big.NewRat(int64(money.One+s.Ratio), int64(money.One))
		if want := half(raised.Mul(raised, price)); want != s.Other.Minor() || s.Text == "" &&
			want != s.Amount.Minor() && want > f.Price.Minor() {
			t.Fatalf("%s: %s, by hand %d", s.Words(), s.Amount, want)
		}
	case StepNet:
		net := new(big.Rat).Quo(price, big.NewRat(int64(money.One+s.Tax), int64(money.One)))
		if want := half(net); want != s.Amount.Minor() {
			t.Fatalf("%s: %s, by hand %d", s.Words(), s.Amount, want)
		}
	}
}

func FuzzStoredTraces(f *testing.F) {
	trace := Trace{[]Step{{Kind: StepItem, Amount: money.New(640, usd), Text: "46.20 CNY at 0.138513, 25 Nov"},
		{Kind: StepMultiple, Amount: money.New(2332, usd), Ratio: 2_200_000}}}
	f.Add(trace.AppendCompact(nil, usd))
	f.Fuzz(func(t *testing.T, data []byte) {
		var read, again Trace
		if read.ReadCompact(data) != nil || len(read.Steps) == 0 {
			return
		}
		if err := again.ReadCompact(read.AppendCompact(nil, read.Steps[0].Amount.Currency())); err != nil ||
			len(again.Steps) != len(read.Steps) {
			t.Fatalf("%+v became %+v, %v", read, again, err)
		}
	})
}
