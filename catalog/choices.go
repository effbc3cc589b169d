package catalog

import (
	"cmp"
	"slices"
	"strings"

	"plainpelican/catalog/index"
	"plainpelican/core/demand"
	"plainpelican/core/money"
	"plainpelican/pricing"
)

// Choice is one that a clause could have, with how many offers it would leave, given the others.
type Choice struct {
	Value string `json:"value"`
	Count int    `json:"count"`
}

// mostChoices of a clause are told, those of most offers first.
const mostChoices = 60

var facetClauses = map[string]index.Facet{"category": index.Category, "source": index.Source, "supplier": index.Supplier, "brand": index.Brand, "from": index.ShipsFrom, "to": index.ShipsTo, "demand": index.Demand, "mine": index.Mine}

var numberClauses = map[string]index.Number{"stock": index.Stock, "rating": index.Rating, "on_time": index.OnTime, "week": index.Week, "month": index.Month, "rivals": index.Rivals, "returns": index.Returns,
	"processing": index.Processing, "verified": index.Verified, "packs": index.Packs}

// choices tells what was counted, by clause; of clauses with many choices those like a text.
func choices(counts *index.Counts, like string, pricer *pricing.Pricer) map[string][]Choice {
	// Who ships everywhere ships to each country, and to the store's market at least.
	to := counts.Facets[index.ShipsTo]
	everywhere := to[index.Everywhere]
	if pricer != nil && everywhere > 0 {
		for _, market := range pricer.Markets {
			to[market] += 0
		}
	}
	for country := range to {
		if country != index.Everywhere && country != "" {
			to[country] += everywhere
		}
	}
	// These few are told even where they leave nothing.
	for f, all := range map[index.Facet][]string{index.Demand: {string(demand.Rising), string(demand.Steady), string(demand.Falling), string(demand.Stopped), string(demand.Unknown)}, index.Mine: {index.NotMine, "workbench", "listings"}} {
		for _, value := range all {
			counts.Facets[f][value] += 0
		}
	}
	out := map[string][]Choice{}
	for _, f := range []index.Facet{index.Brand, index.Category, index.ShipsFrom, index.ShipsTo} {
		if n, there := counts.Facets[f][""]; there {
			delete(counts.Facets[f], "")
			counts.Facets[f][None] = n
		}
	}
	for clause, f := range facetClauses {
		out[clause] = most(counts.Facets[f], like, f == index.Category)
	}
	for clause, k := range numberClauses {
		out[clause] = bounded(counts.Numbers[k], offeredNumbers[k], func(bound int32) string { return itoa(int64(bound)) })
	}
	out["new"] = bounded(counts.Numbers[index.Seen], newBounds, func(bound int32) string { return itoa(int64(bound)) })
	if pricer == nil {
		return out
	}
	plain := func(bound int64) string { return itoa(bound) }
	amount := func(n int64) string { return money.New(major(n, pricer.Currency), pricer.Currency).Decimal() }
	out["days"] = bounded(counts.Figures[index.Days], dayBounds, plain)
	out["tracked"] = bounded(counts.Figures[index.Tracked], []int64{1}, plain)
	out["item"] = bounded(counts.Figures[index.Item], underBounds, amount)
	out["under"] = bounded(counts.Figures[index.Landed], underBounds, amount)
	out["shipping"] = bounded(counts.Figures[index.Shipping], shippingBounds, amount)
	out["profit"] = bounded(counts.Figures[index.Profit], profitBounds, amount)
	out["margin"] = bounded(counts.Figures[index.Margin], marginBounds, plain)
	return out
}

// bounded tells the bounds of a number, the tightest first.
func bounded[B any](counts []int, bounds []B, text func(B) string) []Choice {
	out := make([]Choice, 0, len(counts))
	for i, n := range counts {
		out = append(out, Choice{text(bounds[i]), n})
	}
	slices.Reverse(out)
	return out
}

// most lists the choices that most offers have; all of a tree, in its order.
func most(counts map[string]int, like string, tree bool) []Choice {
	out := []Choice{}
	for value, n := range counts {
		if like == "" || strings.Contains(strings.ToLower(value), strings.ToLower(like)) {
			out = append(out, Choice{value, n})
		}
	}
	slices.SortFunc(out, func(a, b Choice) int {
		if tree {
			return strings.Compare(a.Value, b.Value)
		}
		return cmp.Or(cmp.Compare(b.Count, a.Count), strings.Compare(a.Value, b.Value))
	})
	if !tree {
		out = out[:min(len(out), mostChoices)]
	}
	return out
}
