// Package publish holds the states of what is sent to stores, and what each may become: an item of a run is one draft
// on its way to one store.
package publish

import "slices"

// State is where an item of a run is.
type State string

// An item is held until its run begins, waits, and is sent; it ends in one of the others. Unknown is that the store did
// not answer after something was sent: it is asked what it has, and nothing is sent twice.
const (
	Held      State = "held"
	Waiting   State = "waiting"
	Sending   State = "sending"
	Published State = "published"
	Changed   State = "changed"
	Unchanged State = "unchanged"
	LeftOut   State = "left_out"
	Failed    State = "failed"
	Unknown   State = "unknown"
)

// States are all of them, in the order of the work.
var States = []State{Held, Waiting, Sending, Published, Changed, Unchanged, LeftOut, Failed, Unknown}

// from says for each state out of which others it may come.
var from = map[State][]State{
	Held:      {Waiting},
	Waiting:   {Held, Sending, Failed, LeftOut, Unknown},
	Sending:   {Waiting, Sending}, // again after an instance ended
	Published: {Sending},
	Changed:   {Sending},
	Unchanged: {Sending},
	LeftOut:   {Held, Waiting, Sending},
	Failed:    {Waiting, Sending},
	Unknown:   {Sending},
}

// From lists the states out of which an item may come into another.
func From(to State) []State { return slices.Clone(from[to]) }

// Can tells whether an item may go from one state to another.
func Can(a, b State) bool { return slices.Contains(from[b], a) }

// Live tells whether an item is under way: no other run may send the same draft to the same store meanwhile.
func (s State) Live() bool { return s == Waiting || s == Sending }

// Ended tells whether nothing more happens to an item by itself in its run.
func (s State) Ended() bool { return !s.Live() && s != Held }

// InStore tells whether the store has what was to be there.
func (s State) InStore() bool { return s == Published || s == Changed || s == Unchanged }

// NeedsPerson tells whether somebody has to do something about an item.
func (s State) NeedsPerson() bool { return s == Failed || s == LeftOut }

// Act is what a run does.
type Act string

// What runs do with drafts in stores.
const (
	Publish  Act = "publish"
	Show     Act = "show"
	Hide     Act = "hide"
	TakeDown Act = "take_down"
)

// RunState is where a run is.
type RunState string

// A run is scheduled or begins at once; it is paused and resumed until nothing of it is left.
const (
	Scheduled RunState = "scheduled"
	Running   RunState = "running"
	Paused    RunState = "paused"
	Finished  RunState = "finished"
)
