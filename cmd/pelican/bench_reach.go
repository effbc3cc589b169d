package main

import (
	"context"
	"encoding/json"
	"fmt"

	"plainpelican/platform/access"
)

// reachResult is what e2e/reach.mjs saw: milliseconds, but for what moved and script, which are a score and kilobytes.
type reachResult struct {
	Bench   string             `json:"bench"`
	Drafts  int                `json:"drafts"`
	Browser map[string]float64 `json:"browser"`
}

// benchReach opens the Catalog and the Workbench with n drafts over 1.6 Mbit/s, and works in them on a processor that
// is four times slower, both as Chromium has them. Its yardsticks are the bare document over the same network, and a
// bare field on the same processor.
func benchReach(ctx context.Context, n int, dir string) (out reachResult, err error) {
	if n == 0 {
		n = 10_000
	}
	out = reachResult{Bench: "reach", Drafts: n}
	pool, a, end, err := openBench(ctx, dir, false)
	if err != nil {
		return out, err
	}
	defer end()
	fmt.Println("making", n, "drafts with 4 variants each")
	if err := fill(access.With(ctx, access.Identity{Name: "the bench", Role: access.Owner}), pool, a, n); err != nil {
		return out, err
	}
	at, stop, err := servedFor(ctx, pool, a)
	if err != nil {
		return out, err
	}
	defer stop()
	told, err := inBrowser(ctx, "e2e/reach.mjs", at)
	if err != nil {
		return out, err
	}
	return out, json.Unmarshal(told, &out.Browser)
}
