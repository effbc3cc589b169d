package pricing

import (
	"cmp"
	"context"
	"slices"

	"plainpelican/core/markup"
	"plainpelican/core/money"
)

// Listings is what pricing must know of publishing.
type Listings interface {
	// Live lists the drafts that are live in a store.
	Live(ctx context.Context, storeID int64) ([]int64, error)
}

// Effect is what a change of money rules would do to the drafts and listings of a store.
type Effect struct {
	Drafts   int `json:"drafts"`
	Variants int `json:"variants"`
	Rise     int `json:"rise"`
	Fall     int `json:"fall"`
	// MovedDrafts have a price that moves; MovedLive of them are live.
	MovedDrafts   int `json:"moved_drafts"`
	MovedLive     int `json:"moved_live"`
	RaisedToFloor int `json:"raised_to_floor"`
	BelowFloor    int `json:"below_floor" doc:"Typed prices under their floor"`
	Capped        int `json:"capped"`
	OverCeiling   int `json:"over_ceiling"`
	Typed         int `json:"typed"`
	Lose          int `json:"lose"`
	Unpriced      int `json:"unpriced"`
	// Held drafts stay with earlier rules until a change is applied to all.
	Held int `json:"held"`
	// ByRule counts the variants that each rule prices; typed ones count for none.
	ByRule []RuleCount `json:"by_rule"`
	Before Margins     `json:"before"`
	After  Margins     `json:"after"`
	// Moves are the largest either way, one for each draft.
	Moves []Move `json:"moves"`
	// Unreachable rules are left nothing by those above them.
	Unreachable []markup.Shadow `json:"unreachable"`
	// What says what is changed; Revision is the state of the rules that it was worked out against.
	What     string `json:"what"`
	Revision int    `json:"revision"`
}

// RuleCount is how many variants a rule prices.
type RuleCount struct {
	Rule     int `json:"rule" doc:"Its id"`
	Variants int `json:"variants"`
}

// Margins are how the margins of many prices lie.
type Margins struct {
	// Bins count prices by margin in steps of two percent: the first is up to -20 %, the
	// last from 80 % on.
	Bins   []int       `json:"bins"`
	Low    money.Ratio `json:"low"`
	Middle money.Ratio `json:"middle"`
	High   money.Ratio `json:"high"`

	fine [2001]int // by tenths of a percent from -100 to 100 %
	n    int
}

const bins = 51

func (m *Margins) add(r money.Ratio) {
	m.fine[min(max(int64(r)/1000, -1000), 1000)+1000]++
	m.n++
}

func (m *Margins) settle() {
	m.Bins = make([]int, bins)
	quartile := func(quarters int) money.Ratio {
		at, seen := (m.n-1)*quarters/4, 0
		for tenth, n := range m.fine {
			if seen += n; seen > at {
				return money.Ratio((tenth - 1000) * 1000)
			}
		}
		return 0
	}
	for tenth, n := range m.fine {
		m.Bins[min(max((tenth-1000+200+10)/20, 0), bins-1)] += n
	}
	if m.n > 0 {
		m.Low, m.Middle, m.High = quartile(1), quartile(2), quartile(3)
	}
}

// Move is how one price would change.
type Move struct {
	DraftID int64              `json:"draft_id"`
	Title   string             `json:"title"`
	Variant string             `json:"variant"`
	Picture string             `json:"picture"`
	Live    bool               `json:"live"`
	Now     money.Amount       `json:"now"`
	Then    Ladder             `json:"then"`
	Trace   []markup.TraceLine `json:"trace"`
	// Others is how many more variants of the draft move, by no more than this one.
	Others int `json:"others"`

	variant int64
	by      int64
}

// shown is how many moves are listed each way.
const shown = 100

// looking is how many drafts are looked at in one piece.
const looking = 10_000

// Effect works out what other money rules would do, without keeping anything. Where they
// are the ones in force it says how the drafts stand.
func (s *Service) Effect(ctx context.Context, storeID int64, rules MoneyRules) (Effect, error) {
	b, err := s.openBook(ctx, s.Pool, storeID)
	if err != nil {
		return Effect{}, err
	}
	now := b.newest
	if err := rules.check(now.Basis); err != nil {
		return Effect{}, err
	}
	rules.sign(ctx, now.MoneyRules, s.Now())
	then, err := s.pricer(ctx, s.Pool, now.Basis, rules, now.Revision)
	if err != nil {
		return Effect{}, err
	}
	live := map[int64]bool{}
	ids, err := s.Listings.Live(ctx, storeID)
	if err != nil {
		return Effect{}, err
	}
	for _, id := range ids {
		live[id] = true
	}
	l := look{byRule: map[int]int{}, e: Effect{Moves: []Move{}, ByRule: []RuleCount{}, Unreachable: then.rules.Unreachable(), Held: len(b.held), What: describe(now.MoneyRules, rules), Revision: now.Revision}, now: b, then: then, live: live}
	l.c.bare = true
	quick := rules.landsAlike(now.MoneyRules)
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	ahead := s.lotsAfter(ctx, storeID, 0, quick)
	for after := int64(0); ; {
		r := <-ahead
		if r.err != nil {
			return Effect{}, r.err
		}
		if len(r.lots) == 0 {
			break
		}
		last := r.lots[len(r.lots)-1].DraftID
		ahead = s.lotsAfter(ctx, storeID, last, quick) // while the rows of these come
		l.begin(r.lots, quick)
		if err := eachRow(ctx, s.Pool, false, `where store_id = $1 and draft_id > $2 and draft_id <= $3`, l.row, storeID, after, last); err != nil {
			return Effect{}, err
		}
		l.leave()
		after = last
	}
	for _, r := range rules.Rules {
		l.e.ByRule = append(l.e.ByRule, RuleCount{r.ID, l.byRule[r.ID]})
	}
	l.e.Before.settle()
	l.e.After.settle()
	l.pick()
	return l.e, s.nameMoves(ctx, &l)
}

// lotsAfter begins to read the next drafts.
func (s *Service) lotsAfter(ctx context.Context, storeID, after int64, bare bool) <-chan lotsRead {
	into := make(chan lotsRead, 1)
	go func() {
		var r lotsRead
		r.lots, r.err = s.Drafts.Lots(ctx, s.Pool, storeID, nil, after, looking, bare)
		into <- r
	}()
	return into
}

// look is an effect on its way: rows are compared as they come, draft by draft.
type look struct {
	e      Effect
	now    *book
	then   *Pricer
	live   map[int64]bool
	byRule map[int]int
	c      clerk
	moves  []Move

	quick bool
	lots  []Lot
	place int
	// of the draft that rows come for
	item    markup.Item
	quote   Quote
	here    bool
	largest Move
	moved   int
}

func (l *look) begin(lots []Lot, quick bool) {
	l.lots, l.quick, l.place, l.here = lots, quick, 0, false
	l.e.Drafts += len(lots)
}

func (l *look) row(before *row) {
	if !l.here || l.lots[l.place].DraftID != before.draft {
		l.leave()
		for l.place < len(l.lots) && l.lots[l.place].DraftID < before.draft {
			l.place++
		}
		if l.place == len(l.lots) || l.lots[l.place].DraftID != before.draft {
			return
		}
		l.here = true
		lot := &l.lots[l.place]
		if l.item = l.then.itemOf(&lot.Thing); !l.quick {
			l.quote = l.then.Quote(&lot.Thing)
		}
	}
	lot := &l.lots[l.place]
	at := slices.IndexFunc(lot.Variants, func(v LotVariant) bool { return v.ID == before.variant })
	var after row
	switch {
	case at >= 0 && !lot.Variants[at].Chosen, at < 0 && !l.quick:
		return
	case l.quick:
		after = l.c.again(l.then, &l.item, before)
	default:
		after = l.c.anew(&l.quote, lot.DraftID, &lot.Variants[at])
	}
	l.compare(before, &after)
}

// leave ends a draft: the largest of its moves stands for it.
func (l *look) leave() {
	if l.moved > 0 {
		l.e.MovedDrafts++
		if l.largest.Live = l.live[l.largest.DraftID]; l.largest.Live {
			l.e.MovedLive++
		}
		l.largest.Others = l.moved - 1
		l.moves = append(l.moves, l.largest)
	}
	l.moved, l.here = 0, false
}

func (l *look) compare(before, after *row) {
	e, f := &l.e, &l.c.figures
	e.Variants++
	if after.trouble != "" || before.trouble != "" {
		if after.trouble != "" {
			e.Unpriced++
		}
		return
	}
	now := l.now.of(before.draft)
	landing := l.item // landed from the stored row, where nothing lands anew
	if l.quick || landing.LandFrom(before.landing, now.Currency) == nil {
		if total, err := landing.Cost.Total(); err == nil {
			if old, err := markup.Judge(total, money.New(before.price, now.Currency), now.terms); err == nil {
				e.Before.add(old.NetMargin())
			}
		}
	}
	e.After.add(f.NetMargin())
	if f.Rule != 0 {
		l.byRule[f.Rule]++
	}
	if after.typed() {
		e.Typed++
	}
	if f.RaisedToFloor {
		e.RaisedToFloor++
	}
	if f.BelowFloor {
		e.BelowFloor++
	}
	if f.Capped {
		e.Capped++
	}
	if f.OverCeiling {
		e.OverCeiling++
	}
	if f.Profit.Negative() {
		e.Lose++
	}
	by := after.price - before.price
	switch {
	case by > 0:
		e.Rise++
	case by < 0:
		e.Fall++
	default:
		return
	}
	if l.moved++; l.moved == 1 || magnitude(by) > magnitude(l.largest.by) {
		l.largest = Move{DraftID: before.draft, Now: money.New(before.price, l.then.Currency), Then: Ladder{Figures: *f}, variant: before.variant, by: by}
	}
}

func magnitude(n int64) int64 { return max(n, -n) }

// pick keeps the largest moves either way, rises first.
func (l *look) pick() {
	slices.SortFunc(l.moves, func(a, b Move) int { return cmp.Or(cmp.Compare(b.by, a.by), cmp.Compare(a.DraftID, b.DraftID)) })
	kept := l.moves
	if len(kept) > 2*shown {
		kept = append(slices.Clone(kept[:shown]), kept[len(kept)-shown:]...)
	}
	slices.SortStableFunc(kept, func(a, b Move) int { return cmp.Compare(magnitude(b.by), magnitude(a.by)) })
	l.e.Moves = append(l.e.Moves, kept...)
}

// nameMoves fills in what people call the drafts that are listed, and their ladders.
func (s *Service) nameMoves(ctx context.Context, l *look) error {
	ids := make([]int64, len(l.e.Moves))
	for i := range l.e.Moves {
		ids[i] = l.e.Moves[i].DraftID
	}
	names, err := s.Drafts.Names(ctx, ids)
	if err != nil {
		return err
	}
	lots, err := s.Drafts.Lots(ctx, s.Pool, l.then.StoreID, ids, 0, 0, false)
	if err != nil {
		return err
	}
	byID := map[int64]*Lot{}
	for i := range lots {
		byID[lots[i].DraftID] = &lots[i]
	}
	for i := range l.e.Moves {
		m := &l.e.Moves[i]
		name := names[m.DraftID]
		m.Title, m.Picture, m.Variant = name.Title, name.Picture, name.Variants[m.variant]
		lot := byID[m.DraftID]
		if lot == nil {
			continue
		}
		quote := l.then.Quote(&lot.Thing)
		for _, v := range lot.Variants {
			if v.ID != m.variant {
				continue
			}
			var trace markup.Trace
			if ladder, err := quote.Rungs(v.Unit, nil, &trace); err == nil {
				m.Then, m.Trace = ladder, trace.Lines()
			}
		}
	}
	return nil
}
