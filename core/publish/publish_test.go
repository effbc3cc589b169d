package publish_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"plainpelican/core/publish"
)

func TestEveryStateIsReachedAndLeft(t *testing.T) {
	for _, s := range publish.States {
		if len(publish.From(s)) == 0 {
			t.Errorf("nothing becomes %s", s)
		}
		leads := slices.ContainsFunc(publish.States, func(to publish.State) bool { return publish.Can(s, to) })
		if s.InStore() == leads {
			t.Errorf("%s leads on: %v", s, leads)
		}
		if s.Ended() && s.Live() || s.Live() && s.NeedsPerson() {
			t.Errorf("%s is under way and ended", s)
		}
	}
	if publish.Can(publish.Waiting, publish.Published) || publish.Can(publish.Published, publish.Sending) {
		t.Error("what was not sent is published, or what was published is sent")
	}
}

// However an item goes, it can always still come to an end.
func TestNoItemIsUnderWayForEver(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 500 {
		at := publish.Waiting
		for range r.IntN(30) {
			var next []publish.State
			for _, to := range publish.States {
				if publish.Can(at, to) {
					next = append(next, to)
				}
			}
			if len(next) == 0 {
				break
			}
			at = next[r.IntN(len(next))]
		}
		seen := map[publish.State]bool{}
		ends := false
		for open := []publish.State{at}; len(open) > 0; open = open[1:] {
			if open[0].InStore() {
				ends = true
			}
			for _, to := range publish.States {
				if publish.Can(open[0], to) && !seen[to] {
					seen[to] = true
					open = append(open, to)
				}
			}
		}
		if !ends {
			t.Fatalf("from %s nothing is published any more", at)
		}
	}
}

func ExampleCan() {
	fmt.Println(publish.Can(publish.Sending, publish.Published), publish.Can(publish.Published, publish.Failed))
	// Output: true false
}
