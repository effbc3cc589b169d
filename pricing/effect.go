package pricing

import (
	"cmp"
	"context"
	"slices"

	"plainpelican/core/markup"
	"plainpelican/core/money"
)

// Drafts is what pricing must know of the workbench to show what a rule moves.
type Drafts interface {
	// Priced lists every chosen draft variant with what its price in a store rests on.
	Priced(ctx context.Context, storeID int64) ([]Priced, error)
}

// Priced is a draft variant to be priced. Typed is nil where the rule prices it.
type Priced struct {
	DraftID int64
	Title   string
	Variant string
	Picture string
	Thing   Thing
	Cost    money.Amount
	Typed   *money.Amount
}

// Effect is what a change of rule would do to the drafts of a store.
type Effect struct {
	Variants      int `json:"variants"`
	Rise          int `json:"rise"`
	Fall          int `json:"fall"`
	RaisedToFloor int `json:"raised_to_floor"`
	Typed         int `json:"typed"`
	Lose          int `json:"lose"`
	Unpriced      int `json:"unpriced"`
	// Margins before and after, one for each priced variant, in order of the draft.
	Before []money.Ratio `json:"before"`
	After  []money.Ratio `json:"after"`
	// Moves are the largest, one for each draft.
	Moves []Move `json:"moves"`
	// Revision is the state of the rules that the effect was worked out against.
	Revision int `json:"revision"`
}

// Move is how one price would change.
type Move struct {
	DraftID int64        `json:"draft_id"`
	Title   string       `json:"title"`
	Variant string       `json:"variant"`
	Picture string       `json:"picture"`
	Now     money.Amount `json:"now"`
	Then    Ladder       `json:"then"`
	Typed   bool         `json:"typed"`
	// Others is how many more variants of the draft move, by no more than this one.
	Others int `json:"others"`
}

// Ladder is a price in its parts, for the price ladder.
type Ladder struct {
	Item     money.Amount `json:"item"`
	Shipping money.Amount `json:"shipping"`
	Charges  money.Amount `json:"charges"`
	markup.Figures
}

// Rungs works out the ladder of a unit: by the rules, or of a typed price.
func (q *Quote) Rungs(cost money.Amount, typed *money.Amount, trace *markup.Trace) (Ladder, error) {
	if typed != nil {
		figures, landing, err := q.Judge(cost, *typed)
		return Ladder{landing.Item, landing.Shipping, money.Zero(q.pricer.Currency), figures}, err
	}
	figures, landing, err := q.Price(cost, trace)
	return Ladder{landing.Item, landing.Shipping, money.Zero(q.pricer.Currency), figures}, err
}

const largest = 12

// Effect compares the prices of all drafts by the rules in force and by other rules.
func (s *Service) Effect(ctx context.Context, storeID int64, list []markup.Rule) (Effect, error) {
	now, err := s.Pricer(ctx, storeID)
	if err != nil {
		return Effect{}, err
	}
	rules, err := markup.NewRules(now.Currency, list...)
	if err != nil {
		return Effect{}, asProblem(err)
	}
	drafts, err := s.Drafts.Priced(ctx, storeID)
	if err != nil {
		return Effect{}, err
	}
	return effect(now, now.With(rules), drafts), nil
}

func effect(now, then *Pricer, drafts []Priced) Effect {
	e := Effect{Variants: len(drafts), Before: []money.Ratio{}, After: []money.Ratio{}, Moves: []Move{}, Revision: now.Revision}
	for _, d := range drafts {
		before := now.Quote(d.Thing)
		after := before
		after.pricer = then // rules do not choose the delivery
		old, err := before.Rungs(d.Cost, d.Typed, nil)
		if err != nil {
			e.Unpriced++
			continue
		}
		fresh, err := after.Rungs(d.Cost, d.Typed, nil)
		if err != nil {
			e.Unpriced++
			continue
		}
		e.Before, e.After = append(e.Before, old.Margin), append(e.After, fresh.Margin)
		if d.Typed != nil {
			e.Typed++
		}
		if fresh.RaisedToFloor {
			e.RaisedToFloor++
		}
		if fresh.Profit.Negative() {
			e.Lose++
		}
		switch cmp.Compare(fresh.Price.Minor(), old.Price.Minor()) {
		case 1:
			e.Rise++
		case -1:
			e.Fall++
		case 0:
			continue
		}
		e.Moves = append(e.Moves, Move{d.DraftID, d.Title, d.Variant, d.Picture, old.Price, fresh, d.Typed != nil, 0})
	}
	by := func(m Move) int64 { return max(m.Then.Price.Minor()-m.Now.Minor(), m.Now.Minor()-m.Then.Price.Minor()) }
	slices.SortStableFunc(e.Moves, func(a, b Move) int { return cmp.Compare(by(b), by(a)) })
	e.Moves = onePerDraft(e.Moves)
	e.Moves = e.Moves[:min(len(e.Moves), largest)]
	return e
}

// onePerDraft keeps the first move of each draft and counts the rest with it.
func onePerDraft(moves []Move) []Move {
	at := map[int64]int{}
	kept := moves[:0]
	for _, m := range moves {
		if place, there := at[m.DraftID]; there {
			kept[place].Others++
			continue
		}
		at[m.DraftID] = len(kept)
		kept = append(kept, m)
	}
	return kept
}
