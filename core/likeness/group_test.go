package likeness

import (
	"math/rand/v2"
	"slices"
	"testing"
)

func TestGroupsAreNoChains(t *testing.T) {
	for name, c := range map[string]struct {
		n        int
		strength map[Pair]int
		want     []int
	}{
		"all alike": {3, map[Pair]int{{0, 1}: 90, {0, 2}: 80, {1, 2}: 70}, []int{0, 0, 0}},
		"a chain breaks at its weakest": {4,
			map[Pair]int{{0, 1}: 90, {1, 2}: 65, {2, 3}: 90, {0, 2}: 20, {1, 3}: 20, {0, 3}: 5}, []int{0, 0, 2, 2}},
		"one that two of three vouch for": {3, map[Pair]int{{0, 1}: 90, {0, 2}: 80, {1, 2}: 50}, []int{0, 0, 0}},
		"never one, whatever others say":  {3, map[Pair]int{{0, 1}: 90, {0, 2}: 95, {1, 2}: Never}, []int{0, 1, 0}},
		"nothing alike":                   {2, map[Pair]int{{0, 1}: 59}, []int{0, 1}},
		"just enough":                     {2, map[Pair]int{{0, 1}: 60}, []int{0, 0}},
		"none":                            {0, nil, []int{}},
	} {
		if got := Groups(c.n, c.strength); !slices.Equal(got, c.want) {
			t.Errorf("%s: %v, want %v", name, got, c.want)
		}
	}
}

// The groups are the same in whatever order the items are told.
func TestGroupsHangOnNoOrder(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 9))
	for range 300 {
		n := 2 + r.IntN(8)
		strength := map[Pair]int{}
		for i := range n {
			for j := i + 1; j < n; j++ {
				strength[Pair{i, j}] = []int{Never, r.IntN(101), r.IntN(101), r.IntN(101)}[r.IntN(4)]
			}
		}
		order := r.Perm(n)
		other := map[Pair]int{}
		for p, s := range strength {
			other[Pair{min(order[p.A], order[p.B]), max(order[p.A], order[p.B])}] = s
		}
		a, b := Groups(n, strength), Groups(n, other)
		ties := false
		seen := map[int]bool{}
		for _, s := range strength {
			ties = ties || (s != Never && seen[s])
			seen[s] = true
		}
		for i := range n {
			for j := range n {
				if !ties && (a[i] == a[j]) != (b[order[i]] == b[order[j]]) {
					t.Fatalf("%v: %v, otherwise %v", strength, a, b)
				}
			}
		}
	}
}
