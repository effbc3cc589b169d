package main

import (
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"os"
	"runtime/pprof"
	"time"
)

func bench(ctx context.Context, args []string) error {
	if len(args) == 0 {
		return fmt.Errorf("say what to measure: price, reprice, ingest, refresh, formats, search, lookalike, keys, " +
			"workbench, reach, publish or orders")
	}
	flags := flag.NewFlagSet("bench "+args[0], flag.ContinueOnError)
	n := flags.Int("n", 0, "how many variants, or offers")
	dir := flags.String("dir", ".pelican/bench", "where benches with a database keep it")
	kept := flags.Bool("kept", false, "search, lookalike and keys: use the catalog that the last of them laid")
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
		result, err = benchSearch(ctx, max(*n, 0), *dir, *kept)
	case "lookalike":
		result, err = benchLookalike(ctx, max(*n, 0), *dir, *kept)
	case "keys":
		result, err = benchKeys(ctx, max(*n, 0), *dir, *kept)
	case "reach":
		result, err = benchReach(ctx, max(*n, 0), *dir)
	case "workbench":
		result, err = benchWorkbench(ctx, max(*n, 0), *dir)
	case "publish":
		result, err = benchPublish(ctx, max(*n, 0), *dir)
	case "orders":
		result, err = benchOrders(ctx, max(*n, 0), *dir)
	default:
		return fmt.Errorf("there is no bench %q: choose price, reprice, ingest, refresh, formats, search, lookalike, "+
			"keys, workbench, reach, publish or orders", args[0])
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

func millis(d time.Duration) float64 { return float64(d.Microseconds()) / 1000 }
