package search

import (
	"cmp"
	"slices"
	"strings"

	"plainpelican/core/demand"
	"plainpelican/core/money"
	"plainpelican/pricing"
	"plainpelican/search/index"
)

// FacetValue is one that a clause could have, with how many offers it would leave, given the others.
type FacetValue struct {
	Value string `json:"value"`
	Count int    `json:"count"`
}

// maxFacetValues of a clause are told, those of most offers first.
const maxFacetValues = 60

var facetClauses = map[string]index.Facet{"category": index.Category, "source": index.Source,
	"supplier": index.Supplier, "brand": index.Brand, "from": index.ShipsFrom, "to": index.ShipsTo,
	"demand": index.Demand, "mine": index.Mine}

var numberClauses = map[string]index.Number{"stock": index.Stock, "rating": index.Rating, "on_time": index.OnTime,
	"week": index.Week, "month": index.Month, "rivals": index.Rivals, "returns": index.Returns,
	"processing": index.Processing, "verified": index.Verified, "packs": index.Packs}

// facetValues tells what was counted, by clause; of clauses with many choices those like a text.
func facetValues(counts *index.Counts, like string, pricer *pricing.Pricer) map[string][]FacetValue {
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
	for f, all := range map[index.Facet][]string{
		index.Demand: {string(demand.Rising), string(demand.Steady), string(demand.Falling), string(demand.Stopped),
			string(demand.Unknown)},
		index.Mine: {index.NotMine, "workbench", "listings"},
	} {
		for _, value := range all {
			counts.Facets[f][value] += 0
		}
	}
	out := map[string][]FacetValue{}
	for _, f := range []index.Facet{index.Brand, index.Category, index.ShipsFrom, index.ShipsTo} {
		if n, there := counts.Facets[f][""]; there {
			delete(counts.Facets[f], "")
			counts.Facets[f][None] = n
		}
	}
	for clause, f := range facetClauses {
		out[clause] = topValues(counts.Facets[f], like, f == index.Category)
	}
	for clause, k := range numberClauses {
		out[clause] = boundValues(counts.Numbers[k], offeredNumbers[k], func(bound int32) string {
			return itoa(int64(bound))
		})
	}
	out["new"] = boundValues(counts.Numbers[index.Seen], newBounds, func(bound int32) string {
		return itoa(int64(bound))
	})
	if pricer == nil {
		return out
	}
	plain := func(bound int64) string { return itoa(bound) }
	amount := func(n int64) string { return money.New(major(n, pricer.Currency), pricer.Currency).Decimal() }
	out["days"] = boundValues(counts.Figures[index.Days], dayBounds, plain)
	out["tracked"] = boundValues(counts.Figures[index.Tracked], []int64{1}, plain)
	out["item"] = boundValues(counts.Figures[index.Item], underBounds, amount)
	out["under"] = boundValues(counts.Figures[index.Landed], underBounds, amount)
	out["shipping"] = boundValues(counts.Figures[index.Shipping], shippingBounds, amount)
	out["profit"] = boundValues(counts.Figures[index.Profit], profitBounds, amount)
	out["margin"] = boundValues(counts.Figures[index.Margin], marginBounds, plain)
	return out
}

// boundValues tells the bounds of a number, the tightest first.
func boundValues[B any](counts []int, bounds []B, text func(B) string) []FacetValue {
	out := make([]FacetValue, 0, len(counts))
	for i, n := range counts {
		out = append(out, FacetValue{text(bounds[i]), n})
	}
	slices.Reverse(out)
	return out
}

// topValues lists the choices that most offers have; all of a tree, in its order.
func topValues(counts map[string]int, like string, tree bool) []FacetValue {
	out := []FacetValue{}
	for value, n := range counts {
		if like == "" || strings.Contains(strings.ToLower(value), strings.ToLower(like)) {
			out = append(out, FacetValue{value, n})
		}
	}
	slices.SortFunc(out, func(a, b FacetValue) int {
		if tree {
			return strings.Compare(a.Value, b.Value)
		}
		return cmp.Or(cmp.Compare(b.Count, a.Count), strings.Compare(a.Value, b.Value))
	})
	if !tree {
		out = out[:min(len(out), maxFacetValues)]
	}
	return out
}
