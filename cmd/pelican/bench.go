package main

import (
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"math/big"
	"math/rand/v2"
	"runtime"
	"slices"
	"strings"
	"time"

	"plainpelican/catalog/index"
	"plainpelican/core/landed"
	"plainpelican/core/markup"
	"plainpelican/core/money"
	"plainpelican/standins/gen"
)

func bench(_ context.Context, args []string) error {
	if len(args) == 0 {
		return fmt.Errorf("say what to measure: price or search")
	}
	flags := flag.NewFlagSet("bench "+args[0], flag.ContinueOnError)
	n := flags.Int("n", 0, "how many variants, or offers")
	if err := flags.Parse(args[1:]); err != nil {
		return err
	}
	var result any
	var err error
	switch args[0] {
	case "price":
		result, err = benchPrice(max(*n, 0))
	case "search":
		result = benchSearch(max(*n, 0))
	default:
		return fmt.Errorf("there is no bench %q: choose price or search", args[0])
	}
	if err != nil {
		return err
	}
	line, err := json.Marshal(result)
	if err == nil {
		fmt.Println(string(line))
	}
	return err
}

type priceResult struct {
	Bench            string  `json:"bench"`
	Variants         int     `json:"variants"`
	Rules            int     `json:"rules"`
	NanosEach        float64 `json:"ns_each"`
	AllocationsEach  float64 `json:"allocations_each"`
	YardstickNanos   float64 `json:"big_rat_ns_each"`
	YardstickSample  int     `json:"big_rat_variants"`
	TimesAsFast      float64 `json:"times_as_fast"`
	SumOfPricesMinor int64   `json:"sum_of_prices_minor"`
}

// benchPrice prices variants by a list of twenty rules with conditions, floors and
// endings, on one core; the yardstick computes the same price with big.Rat.
func benchPrice(n int) (priceResult, error) {
	if n == 0 {
		n = 1_000_000
	}
	usd := money.MustCurrency("USD")
	from := []string{"CN", "VN", "IN", "TR", "JP", "KW", "PL"}
	var list []markup.Rule
	for i := range 20 {
		rule := markup.Rule{Formula: markup.Formula{Kind: markup.Multiple, Ratio: money.Ratio(1_600_000 + i*50_000)}, LeastProfit: money.New(300, usd), Ending: ".99"}
		if i%2 == 0 {
			rule.Formula = markup.Formula{Kind: markup.Percent, Ratio: money.Ratio(600_000 + i*50_000)}
		}
		if i < 19 {
			rule.Conditions = markup.Conditions{ShipsFrom: from[i%len(from)], From: int64(i) * 300, Under: int64(i)*300 + 900}
		}
		list = append(list, rule)
	}
	rules, err := markup.NewRules(usd, list...)
	if err != nil {
		return priceResult{}, err
	}
	terms := markup.Terms{PaymentPercent: money.Percent(290), PaymentFixed: money.New(30, usd), Returns: money.Percent(150)}
	r := rand.New(rand.NewPCG(1, 2))
	items := make([]markup.Item, n)
	for i := range items {
		items[i] = markup.Item{ShipsFrom: from[r.IntN(len(from))], Cost: landed.Cost{Item: money.New(1+r.Int64N(6000), usd), Shipping: money.New(r.Int64N(1500), usd)}}
	}
	out := priceResult{Bench: "price", Variants: n, Rules: len(list), YardstickSample: min(n, 50_000)}
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	began := time.Now()
	for i := range items {
		f, err := rules.Price(items[i], terms, nil)
		if err != nil {
			return out, err
		}
		out.SumOfPricesMinor += f.Price.Minor()
	}
	took := time.Since(began)
	runtime.ReadMemStats(&after)
	out.NanosEach = float64(took.Nanoseconds()) / float64(n)
	out.AllocationsEach = float64(after.Mallocs-before.Mallocs) / float64(n)

	began = time.Now()
	for i := range out.YardstickSample {
		ratPrice(list, items[i], terms)
	}
	out.YardstickNanos = float64(time.Since(began).Nanoseconds()) / float64(out.YardstickSample)
	out.TimesAsFast = out.YardstickNanos / out.NanosEach
	return out, nil
}

// ratPrice is a plain computation with fractions: the first rule, formula, floor, ending.
func ratPrice(list []markup.Rule, item markup.Item, terms markup.Terms) *big.Rat {
	total := item.Cost.Item.Minor() + item.Cost.Shipping.Minor()
	rule := list[len(list)-1]
	for _, r := range list {
		if (r.Conditions.ShipsFrom == "" || r.Conditions.ShipsFrom == item.ShipsFrom) && total >= r.Conditions.From && (r.Conditions.Under == 0 || total < r.Conditions.Under) {
			rule = r
			break
		}
	}
	price := big.NewRat(int64(rule.Formula.Ratio), 1e6)
	if rule.Formula.Kind == markup.Percent {
		price.Add(price, big.NewRat(1, 1))
	}
	price.Mul(price, big.NewRat(total, 1))
	left := new(big.Rat).Sub(big.NewRat(1, 1), big.NewRat(int64(terms.PaymentPercent+terms.Returns), 1e6))
	floor := new(big.Rat).Quo(big.NewRat(total+rule.LeastProfit.Minor()+terms.PaymentFixed.Minor(), 1), left)
	if price.Cmp(floor) < 0 {
		price = floor
	}
	whole := new(big.Int).Quo(price.Num(), price.Denom())
	ended := whole.Sub(whole, new(big.Int).Mod(whole, big.NewInt(100)))
	return new(big.Rat).SetInt(ended.Add(ended, big.NewInt(99)))
}

type searchResult struct {
	Bench       string             `json:"bench"`
	Offers      int                `json:"offers"`
	BuildMS     float64            `json:"build_ms"`
	HeapMB      float64            `json:"heap_mb"`
	P95MS       map[string]float64 `json:"p95_ms"`
	YardstickMS map[string]float64 `json:"scan_p95_ms"`
}

// benchSearch asks the index four kinds of sentence with exact counts; the yardstick looks
// through every offer's words for the same.
func benchSearch(n int) searchResult {
	if n == 0 {
		n = 1200
	}
	var rows []index.Row
	columns := make([]index.Money, 0, n)
	r := rand.New(rand.NewPCG(3, 4))
	for o := range gen.Offers(11, n) {
		stock := 0
		for _, v := range o.Variants {
			stock += v.Stock
		}
		rows = append(rows, index.Row{ID: int64(len(rows) + 1), Text: o.Title + " " + o.Supplier.Name + " " + o.Category, Source: 1, ShipsFrom: o.Supplier.Country, Category: o.Category,
			Stock: int32(stock), Rating: int32(o.Rating), Units: int32(o.Weekly[len(o.Weekly)-1] * 4)})
		columns = append(columns, index.Money{Landed: 300 + r.Int64N(3000), Profit: r.Int64N(2000), Days: int32(5 + r.IntN(20)), Sellable: true})
	}
	began := time.Now()
	snapshot := index.Build(rows).WithStore(1, columns)
	var memory runtime.MemStats
	out := searchResult{Bench: "search", Offers: n, BuildMS: millis(time.Since(began)), P95MS: map[string]float64{}, YardstickMS: map[string]float64{}}
	runtime.GC()
	runtime.ReadMemStats(&memory)
	out.HeapMB = float64(memory.HeapAlloc) / 1e6
	bounds := index.Bounds{Days: []int32{8, 12, 16, 20, 30}, Landing: []int64{500, 800, 1200, 1800, 2500, 4000}, Stock: []int32{1, 10, 20, 100}}
	for kind, q := range map[string]index.Question{
		"selective word": {Words: "umbrella pongee"}, "common word": {Words: "steel"}, "clauses only": {Days: 16, LandingUnder: 1800, StockAtLeast: 20}, "whole catalog": {},
	} {
		q.Store, q.Sort, q.Limit = 1, index.ByProfit, 50
		out.P95MS[kind] = p95(func() { snapshot.Ask(q, bounds) })
		out.YardstickMS[kind] = p95(func() { scan(snapshot, columns, q) })
	}
	return out
}

func scan(s *index.Snapshot, columns []index.Money, q index.Question) (found []int) {
	for i, row := range s.Rows() {
		text := strings.ToLower(row.Text)
		if columns[i].Days <= max(q.Days, 365) && !slices.ContainsFunc(strings.Fields(q.Words), func(w string) bool { return !strings.Contains(text, w) }) {
			found = append(found, i)
		}
	}
	slices.SortFunc(found, func(a, b int) int { return int(columns[b].Profit - columns[a].Profit) })
	return found
}

func p95(do func()) float64 {
	var took []time.Duration
	for deadline := time.Now().Add(2 * time.Second); len(took) < 20 || (len(took) < 200 && time.Now().Before(deadline)); {
		began := time.Now()
		do()
		took = append(took, time.Since(began))
	}
	slices.Sort(took)
	return millis(took[len(took)*95/100])
}

func millis(d time.Duration) float64 { return float64(d.Microseconds()) / 1000 }
