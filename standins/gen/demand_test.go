package gen_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"plainpelican/core/demand"
	"plainpelican/standins/gen"
)

// The verdicts on made-up sales against what they were made as: a table of confusion.
func TestDemandIsJudgedAsItWasMade(t *testing.T) {
	says := []string{"steady", "rising", "falling", "too little data"}
	meant := map[string]string{"flat": "steady", "seasonal": "steady", "spike": "steady", "rising": "rising",
		"falling": "falling", gen.Short: "too little data"}
	table, of, seasons, spikes := map[string]map[string]int{}, map[string]int{}, map[string]int{}, map[string]int{}
	ended := time.Date(2026, 11, 22, 0, 0, 0, 0, time.UTC)
	right, all := 0, 0
	for o := range gen.Offers(11, 6000) {
		weekly := make([]int32, len(o.Weekly))
		sold := 0
		for i, n := range o.Weekly {
			weekly[i] = int32(n)
			sold += n
		}
		if sold < 4*len(weekly) {
			continue // fewer than four a week: chance hides what was meant
		}
		v := demand.Judge(weekly, ended)
		if table[o.Shape] == nil {
			table[o.Shape] = map[string]int{}
		}
		table[o.Shape][string(v.Class)]++
		of[o.Shape]++
		all++
		if string(v.Class) == meant[o.Shape] {
			right++
		}
		if len(v.Peaks) > 0 {
			seasons[o.Shape]++
		}
		if len(v.Spikes) > 0 {
			spikes[o.Shape]++
		}
	}
	lines := []string{fmt.Sprintf("%-10s %8s %8s %8s %16s %8s %8s", "made as", says[0], says[1], says[2], says[3],
		"season", "spikes")}
	for _, shape := range append(gen.Shapes, gen.Short) {
		row := table[shape]
		lines = append(lines,
			fmt.Sprintf("%-10s %8d %8d %8d %16d %8d %8d", shape, row[says[0]], row[says[1]], row[says[2]], row[says[3]],
				seasons[shape], spikes[shape]))
	}
	t.Log("\n" + strings.Join(lines, "\n"))
	share := func(n int, shape string) float64 { return float64(n) / float64(of[shape]) }
	if float64(right) < 0.97*float64(all) {
		t.Errorf("%d of %d are judged as they were made", right, all)
	}
	if share(seasons["seasonal"], "seasonal") < 0.95 || share(spikes["spike"], "spike") < 0.95 {
		t.Errorf("%d of %d seasons and %d of %d spikes are seen", seasons["seasonal"], of["seasonal"], spikes["spike"],
			of["spike"])
	}
	for _, shape := range []string{"flat", "rising", "falling"} {
		if share(seasons[shape], shape) > 0.03 {
			t.Errorf("%d of %d %s ones are said to have a season", seasons[shape], of[shape], shape)
		}
	}
}
