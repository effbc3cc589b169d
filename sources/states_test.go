package sources

import (
	"slices"
	"strings"
	"testing"
)

// Each state is come to from the first one, what has ended stays ended, and whatever has begun can end.
func TestStatesOfAnImport(t *testing.T) {
	after := map[State][]State{}
	for to, froms := range before {
		for _, from := range froms {
			after[from] = append(after[from], to)
		}
	}
	reachable := func(from State) []State {
		found := []State{from}
		for i := 0; i < len(found); i++ {
			for _, next := range after[found[i]] {
				if !slices.Contains(found, next) {
					found = append(found, next)
				}
			}
		}
		return found
	}
	all := []State{Waiting, Running, NeedsApproval, Finished, Failed, Discarded}
	if found := reachable(Waiting); len(found) != len(all) {
		t.Errorf("from waiting only %v are come to", found)
	}
	for _, s := range all {
		t.Run(string(s), func(t *testing.T) {
			found := reachable(s)
			switch {
			case s.ended() && len(found) > 1:
				t.Errorf("it has ended, and %v follow", found[1:])
			case !s.ended() && (!slices.Contains(found, Finished) || !slices.Contains(found, Failed)):
				t.Errorf("it leads to %v only", found)
			}
			sql := transition(s, `error = $2`, `id = $1`)
			if got := strings.Contains(sql, "finished_at = now()"); got != s.ended() {
				t.Errorf("when it ended is set: %v", got)
			}
			for _, from := range all {
				if strings.Contains(sql[strings.Index(sql, "where"):], "'"+string(from)+"'") !=
					slices.Contains(before[s], from) {
					t.Errorf("from %s: %s", from, sql)
				}
			}
		})
	}
}
