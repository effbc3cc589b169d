package sources

import "strings"

// State is where an import stands.
type State string

// The states of an import. A waiting one is taken up by a worker, at once or when its source is to be asked again; a
// running one goes on where it was left, on whichever instance. The last three end it.
const (
	Waiting       State = "waiting"
	Running       State = "running"
	NeedsApproval State = "needs_approval"
	Finished      State = "finished"
	Failed        State = "failed"
	Discarded     State = "discarded"
)

// before are the states from which an import may come into each.
var before = map[State][]State{
	Waiting:       {Running, NeedsApproval}, // its source is asked again later; it was approved
	Running:       {Waiting, Running},       // taken up, or again after its instance ended
	NeedsApproval: {Running},
	Finished:      {Running},
	Failed:        {Running, Waiting}, // also where its source was disconnected, or its job is lost
	Discarded:     {NeedsApproval},
}

// ended tells whether nothing follows.
func (s State) ended() bool { return s == Finished || s == Failed || s == Discarded }

// transition is the statement that moves imports into a state, where they are in one that may come before it: all moves
// are made by it. It sets more beside the state, and ends them where nothing follows.
func transition(to State, set, where string) string {
	from := make([]string, len(before[to]))
	for i, s := range before[to] {
		from[i] = "'" + string(s) + "'"
	}
	sets := []string{"state = '" + string(to) + "'"}
	if to.ended() {
		sets = append(sets, "finished_at = now()", "seen_offers = null")
	}
	if set != "" {
		sets = append(sets, set)
	}
	return "update import_run set " + strings.Join(sets, ", ") + " where state in (" + strings.Join(from, ", ") +
		") and " + where
}
