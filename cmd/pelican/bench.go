package main

import (
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"runtime"
	"runtime/pprof"
	"slices"
	"strings"
	"time"

	"plainpelican/catalog/index"
	"plainpelican/standins/gen"
)

func bench(ctx context.Context, args []string) error {
	if len(args) == 0 {
		return fmt.Errorf("say what to measure: price, reprice, ingest, refresh, formats or search")
	}
	flags := flag.NewFlagSet("bench "+args[0], flag.ContinueOnError)
	n := flags.Int("n", 0, "how many variants, or offers")
	dir := flags.String("dir", ".pelican/bench", "where benches with a database keep it")
	profile := flags.String("cpuprofile", "", "file for a profile of the processor's time")
	if err := flags.Parse(args[1:]); err != nil {
		return err
	}
	if *profile != "" {
		f, err := os.Create(*profile)
		if err != nil {
			return err
		}
		defer func() { _ = f.Close() }()
		if err := pprof.StartCPUProfile(f); err != nil {
			return err
		}
		defer pprof.StopCPUProfile()
	}
	var result any
	var err error
	switch args[0] {
	case "price":
		result, err = benchPrice(max(*n, 0))
	case "reprice":
		result, err = benchReprice(ctx, max(*n, 0), *dir)
	case "ingest", "refresh":
		result, err = benchIngest(ctx, max(*n, 0), *dir, args[0] == "refresh")
	case "formats":
		result, err = benchFormats(ctx, max(*n, 0), *dir)
	case "search":
		result = benchSearch(max(*n, 0))
	default:
		return fmt.Errorf("there is no bench %q: choose price, reprice, ingest, refresh, formats or search", args[0])
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
	var rows []index.Entry[index.Money]
	r := rand.New(rand.NewPCG(3, 4))
	for o := range gen.Offers(11, n) {
		stock := 0
		for _, v := range o.Variants {
			stock += v.Stock
		}
		money := index.Money{Landed: 300 + r.Int64N(3000), Profit: r.Int64N(2000), Days: int32(5 + r.IntN(20)), Sellable: true}
		rows = append(rows, index.Entry[index.Money]{Thing: money, Row: index.Row{ID: int64(len(rows) + 1), Text: o.Title + " " + o.Supplier.Name + " " + o.Category, Source: 1, ShipsFrom: o.Supplier.Country, Category: o.Category,
			Stock: int32(stock), Rating: int32(o.Rating), Units: int32(o.Weekly[len(o.Weekly)-1] * 4)}})
	}
	began := time.Now()
	snapshot := index.Build(rows, index.Prices[index.Money]{1: func(m *index.Money) index.Money { return *m }})
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
		out.YardstickMS[kind] = p95(func() { scan(rows, q) })
	}
	return out
}

func scan(rows []index.Entry[index.Money], q index.Question) (found []int) {
	for i := range rows {
		text := strings.ToLower(rows[i].Text)
		if rows[i].Thing.Days <= max(q.Days, 365) && !slices.ContainsFunc(strings.Fields(q.Words), func(w string) bool { return !strings.Contains(text, w) }) {
			found = append(found, i)
		}
	}
	slices.SortFunc(found, func(a, b int) int { return int(rows[b].Thing.Profit - rows[a].Thing.Profit) })
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
