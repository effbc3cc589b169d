package likeness

import (
	"cmp"
	"slices"
)

// Pair is how alike two of some items are, by their indexes, the lower first.
type Pair struct{ A, B int }

// Never is the strength of two that are not one item, whatever the others say.
const Never = -1

// Groups puts n items into groups that are each one item: the two groups whose members are most alike on average are
// joined, while that is Same at least and no two of them are Never one (average linkage: Sokal and Michener, 1958). A
// chain of neighbours is no group. It tells each item's group by the lowest index in it; which item one starts from
// plays no part.
func Groups(n int, strength map[Pair]int) []int {
	type group struct{ members []int }
	groups := make([]group, n)
	for i := range groups {
		groups[i].members = []int{i}
	}
	average := func(a, b group) (float64, bool) {
		sum := 0
		for _, i := range a.members {
			for _, j := range b.members {
				s := strength[Pair{min(i, j), max(i, j)}]
				if s == Never {
					return 0, false
				}
				sum += s
			}
		}
		return float64(sum) / float64(len(a.members)*len(b.members)), true
	}
	for {
		best, left, right := float64(Same), -1, -1
		for i := range groups {
			for j := i + 1; j < len(groups); j++ {
				if avg, may := average(groups[i], groups[j]); may && (avg > best || (left < 0 && avg >= best)) {
					best, left, right = avg, i, j
				}
			}
		}
		if left < 0 {
			break
		}
		groups[left].members = append(groups[left].members, groups[right].members...)
		groups = slices.Delete(groups, right, right+1)
		slices.SortFunc(groups, func(a, b group) int {
			return cmp.Compare(slices.Min(a.members), slices.Min(b.members))
		})
	}
	of := make([]int, n)
	for _, g := range groups {
		for _, i := range g.members {
			of[i] = slices.Min(g.members)
		}
	}
	return of
}
