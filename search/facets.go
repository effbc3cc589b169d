package search

import (
	"cmp"
	"slices"
	"strings"

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
	out := map[string][]FacetValue{}
	for _, clause := range facetClauses {
		values := counts.Facets[clause.of]
		for _, value := range clause.told {
			values[value] += 0
		}
		if n, there := values[""]; there && clause.none {
			delete(values, "")
			values[None] = n
		}
		out[clause.name] = topValues(values, like, clause.tree)
	}
	text := func(bound int32) string { return itoa(int64(bound)) }
	for _, clause := range numberClauses {
		out[clause.name] = boundValues(counts.Numbers[clause.of], clause.offered, text)
	}
	if pricer == nil {
		return out
	}
	for _, clause := range storeClauses {
		out[clause.name] = boundValues(counts.Figures[clause.of], clause.offered, func(bound int64) string {
			return clause.text(bound, pricer.Currency)
		})
	}
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
