package main

import (
	"fmt"
	"math/big"
	"math/rand/v2"
	"runtime"
	"time"

	"plainpelican/core/landed"
	"plainpelican/core/markup"
	"plainpelican/core/money"
)

type priceResult struct {
	Bench            string  `json:"bench"`
	Variants         int     `json:"variants"`
	Rules            int     `json:"rules"`
	NanosEach        float64 `json:"ns_each"`
	AllocationsEach  float64 `json:"allocations_each"`
	GuardedNanos     float64 `json:"with_ceilings_and_was_ns_each"`
	TracedNanos      float64 `json:"traced_and_packed_ns_each"`
	YardstickNanos   float64 `json:"big_rat_ns_each"`
	YardstickSample  int     `json:"big_rat_variants"`
	TimesAsFast      float64 `json:"times_as_fast"`
	SumOfPricesMinor int64   `json:"sum_of_prices_minor"`
}

var (
	benchCountries  = []string{"CN", "VN", "IN", "TR", "JP", "KW", "PL"}
	benchCategories = []string{"Kitchen", "Garden", "Games", "Sewing", "Cleaning", "Rain"}
	benchSuppliers  = []string{"Northlight Wholesale", "Harbour Row Trading", "Lantern Hill", "Oak & Oar", "Slate Quay"}
)

// benchRules are twenty rules with conditions, cost bands, floors and endings, of all
// formulas; guarded ones have ceilings and was prices too.
func benchRules(guarded bool) []markup.Rule {
	usd := money.MustCurrency("USD")
	kinds := []markup.FormulaKind{markup.Multiple, markup.Percent, markup.Margin, markup.PercentPlus, markup.Fixed,
		markup.Profit}
	var list []markup.Rule
	for i := range 20 {
		kind := kinds[i%len(kinds)]
		rule := markup.Rule{ID: i + 1, Formula: markup.Formula{Kind: kind, Basis: markup.OnLanded},
			Floor:  markup.Floor{LeastProfit: money.New(300, usd), LeastMargin: 150_000},
			Ending: markup.Ending{Allowed: []string{".99", ".49"}}, Was: markup.Was{Kind: markup.NoWas}}
		if guarded {
			rule.Ceiling = markup.Ceiling{Market: 1_100_000, Caps: true}
			rule.Was = markup.Was{Kind: markup.WasPercent, Percent: 250_000,
				Ending: markup.Ending{Allowed: []string{".99"}}}
		}
		for n := range int64(4) {
			b := markup.Band{From: money.New(n*1500, usd), Ratio: money.Ratio(450_000 - n*50_000)}
			switch kind {
			case markup.Multiple:
				b.Ratio += 1_500_000
			case markup.Fixed, markup.PercentPlus, markup.Profit:
				b.Amount = money.New(500+n*100, usd)
			}
			rule.Formula.Bands = append(rule.Formula.Bands, b)
		}
		if i < 19 {
			rule.Conditions = markup.Conditions{From: money.New(int64(i)*250, usd),
				Under:     money.New(int64(i)*250+1500, usd),
				ShipsFrom: []string{benchCountries[i%7], benchCountries[(i+3)%7]}}
			if i%2 == 0 {
				rule.Conditions.Categories = []string{benchCategories[i%6], benchCategories[(i+2)%6]}
			}
			if i%3 == 0 {
				rule.Conditions.Suppliers = []string{benchSuppliers[i%5], benchSuppliers[(i+1)%5]}
			}
		}
		list = append(list, rule)
	}
	return list
}

func benchItem(r *rand.Rand) markup.Item {
	usd := money.MustCurrency("USD")
	item := markup.Item{ShipsFrom: benchCountries[r.IntN(7)], Category: benchCategories[r.IntN(6)] + "/Small",
		Supplier: benchSuppliers[r.IntN(5)], Source: "Quayside Bazaar",
		Cost: landed.Cost{Item: money.New(1+r.Int64N(6000), usd), Shipping: money.New(r.Int64N(1500), usd)}}
	if r.IntN(2) == 0 {
		item.Market = money.New(1000+r.Int64N(15000), usd)
	}
	return item
}

// benchPrice prices variants by a list of twenty rules on one core, with traces and
// without; the yardstick computes the same first rule, formula, floor and ending with big.Rat.
func benchPrice(n int) (priceResult, error) {
	if n == 0 {
		n = 1_000_000
	}
	usd := money.MustCurrency("USD")
	list := benchRules(false)
	rules, err := markup.NewRules(usd, list...)
	if err != nil {
		return priceResult{}, err
	}
	terms := markup.Terms{PaymentPercent: money.Percent(290), PaymentFixed: money.New(30, usd),
		Returns: money.Percent(150)}
	r := rand.New(rand.NewPCG(1, 2))
	items := make([]markup.Item, n)
	for i := range items {
		items[i] = benchItem(r)
	}
	out := priceResult{Bench: "price", Variants: n, Rules: len(list), YardstickSample: min(n, 50_000)}
	var before, after runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&before)
	began := time.Now()
	for i := range items {
		f, err := rules.Price(&items[i], terms, nil)
		if err != nil {
			return out, err
		}
		out.SumOfPricesMinor += f.Price.Minor()
	}
	took := time.Since(began)
	runtime.ReadMemStats(&after)
	out.NanosEach = float64(took.Nanoseconds()) / float64(n)
	out.AllocationsEach = float64(after.Mallocs-before.Mallocs) / float64(n)

	guarded, err := markup.NewRules(usd, benchRules(true)...)
	if err != nil {
		return out, err
	}
	began = time.Now()
	for i := range items {
		if _, err := guarded.Price(&items[i], terms, nil); err != nil {
			return out, err
		}
	}
	out.GuardedNanos = float64(time.Since(began).Nanoseconds()) / float64(n)

	var trace markup.Trace
	var packed []byte
	var traced int64
	began = time.Now()
	for i := range items {
		trace.Reset()
		trace.AddLanded(&items[i])
		f, err := rules.Price(&items[i], terms, &trace)
		if err != nil {
			return out, err
		}
		packed = trace.AppendCompact(packed[:0], usd)
		traced += f.Price.Minor()
	}
	out.TracedNanos = float64(time.Since(began).Nanoseconds()) / float64(n)
	if traced != out.SumOfPricesMinor {
		return out, fmt.Errorf("prices with traces differ: %d, without %d", traced, out.SumOfPricesMinor)
	}

	began = time.Now()
	for i := range out.YardstickSample {
		ratPrice(list, &items[i], terms)
	}
	out.YardstickNanos = float64(time.Since(began).Nanoseconds()) / float64(out.YardstickSample)
	out.TimesAsFast = out.YardstickNanos / out.NanosEach
	return out, nil
}

// ratPrice is a plain computation with fractions: the first rule, formula, floor, ending.
// It leaves out the least margin, and so does less.
func ratPrice(list []markup.Rule, item *markup.Item, terms markup.Terms) *big.Rat {
	total := item.Cost.Item.Minor() + item.Cost.Shipping.Minor()
	rule := &list[len(list)-1]
	for i := range list[:len(list)-1] {
		c := &list[i].Conditions
		has := func(list []string, value string) bool {
			for _, one := range list {
				if one == value || one+"/Small" == value {
					return true
				}
			}
			return len(list) == 0
		}
		if total >= c.From.Minor() && total < c.Under.Minor() && has(c.ShipsFrom, item.ShipsFrom) &&
			has(c.Categories, item.Category) && has(c.Suppliers, item.Supplier) {
			rule = &list[i]
			break
		}
	}
	b := rule.Formula.Bands[0]
	for _, one := range rule.Formula.Bands {
		if one.From.Minor() <= total {
			b = one
		}
	}
	left := new(big.Rat).Sub(big.NewRat(1, 1), big.NewRat(int64(terms.PaymentPercent+terms.Returns), 1e6))
	ratio, amount, cost := big.NewRat(int64(b.Ratio), 1e6), big.NewRat(b.Amount.Minor(), 1), big.NewRat(total, 1)
	fixed := big.NewRat(total+terms.PaymentFixed.Minor(), 1)
	price := new(big.Rat)
	switch rule.Formula.Kind {
	case markup.Multiple:
		price.Mul(cost, ratio)
	case markup.Margin:
		price.Quo(fixed, new(big.Rat).Sub(left, ratio))
	case markup.Profit:
		price.Quo(fixed.Add(fixed, amount), left)
	case markup.Fixed:
		price.Add(cost, amount)
	default:
		price.Add(price.Mul(cost, ratio.Add(ratio, big.NewRat(1, 1))), amount)
	}
	floor := new(big.Rat).Quo(big.NewRat(total+rule.Floor.LeastProfit.Minor()+terms.PaymentFixed.Minor(), 1), left)
	if price.Cmp(floor) < 0 {
		price = floor
	}
	whole := new(big.Int).Quo(price.Num(), price.Denom())
	ended := whole.Sub(whole, new(big.Int).Mod(whole, big.NewInt(100)))
	return new(big.Rat).SetInt(ended.Add(ended, big.NewInt(99)))
}
