package pricing

import (
	"cmp"
	"context"
	"slices"

	"plainpelican/core/markup"
	"plainpelican/core/money"
	"plainpelican/platform/database"
)

// Listings is what pricing must know of publishing.
type Listings interface {
	// Live lists the drafts that are live in a store.
	Live(ctx context.Context, storeID int64) ([]int64, error)
	// PricesMoved is told of drafts whose prices in a store may have moved.
	PricesMoved(ctx context.Context, q database.Querier, storeID int64, drafts []int64) error
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
	BelowFloor    int `json:"below_floor" doc:"Manual prices under their floor"`
	Capped        int `json:"capped"`
	OverCeiling   int `json:"over_ceiling"`
	Manual        int `json:"manual"`
	LosesMoney    int `json:"loses_money"`
	Unpriced      int `json:"unpriced"`
	// Pinned drafts stay with earlier rules until a change is applied to all.
	Pinned int `json:"pinned"`
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
	Median money.Ratio `json:"median"`
	High   money.Ratio `json:"high"`

	fine [2001]int // by tenths of a percent from -100 to 100 %
	n    int
}

const bins = 51

func (m *Margins) add(r money.Ratio) {
	m.fine[min(max(int64(r)/1000, -1000), 1000)+1000]++
	m.n++
}

func (m *Margins) finish() {
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
		m.Low, m.Median, m.High = quartile(1), quartile(2), quartile(3)
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

// maxMovesEachWay is how many moves are listed each way.
const maxMovesEachWay = 100

// effectBatch is how many drafts are looked at in one piece.
const effectBatch = 10_000

// Effect works out what other money rules would do, without keeping anything. Where they
// are the ones in force it says how the drafts stand.
func (s *Service) Effect(ctx context.Context, storeID int64, rules MoneyRules) (Effect, error) {
	b, err := s.pricersOf(ctx, s.Pool, storeID)
	if err != nil {
		return Effect{}, err
	}
	now := b.newest
	if err := rules.check(now.StoreBasis); err != nil {
		return Effect{}, err
	}
	rules.sign(ctx, now.MoneyRules, s.Now())
	then, err := s.pricer(ctx, s.Pool, now.StoreBasis, rules, now.Revision)
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
	l := effectRun{byRule: map[int]int{},
		effect: Effect{Moves: []Move{}, ByRule: []RuleCount{}, Unreachable: then.rules.Unreachable(),
			Pinned: len(b.pinned), What: describe(now.MoneyRules, rules), Revision: now.Revision}, now: b, then: then,
		live: live}
	l.repricer.withoutTraces = true
	quick := rules.sameLandedCost(now.MoneyRules)
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	ahead := s.readAhead(ctx, storeID, 0, quick)
	for after := int64(0); ; {
		r := <-ahead
		if r.err != nil {
			return Effect{}, r.err
		}
		if len(r.inputs) == 0 {
			break
		}
		last := r.inputs[len(r.inputs)-1].DraftID
		ahead = s.readAhead(ctx, storeID, last, quick) // while the rows of these come
		l.startBatch(r.inputs, quick)
		if err := eachRow(ctx, s.Pool, false, `where store_id = $1 and draft_id > $2 and draft_id <= $3`, l.row,
			storeID, after, last); err != nil {
			return Effect{}, err
		}
		l.endDraft()
		after = last
	}
	for _, r := range rules.Rules {
		l.effect.ByRule = append(l.effect.ByRule, RuleCount{r.ID, l.byRule[r.ID]})
	}
	l.effect.Before.finish()
	l.effect.After.finish()
	l.pick()
	return l.effect, s.nameMoves(ctx, &l)
}

// readAhead begins to read the next drafts.
func (s *Service) readAhead(ctx context.Context, storeID, after int64, bare bool) <-chan inputBatch {
	into := make(chan inputBatch, 1)
	go func() {
		var r inputBatch
		r.inputs, r.err = s.Drafts.PricingInputs(ctx, s.Pool, storeID, nil, after, effectBatch, bare)
		into <- r
	}()
	return into
}

// effectRun is an effect on its way: rows are compared as they come, draft by draft.
type effectRun struct {
	effect   Effect
	now      *pricerSet
	then     *Pricer
	live     map[int64]bool
	byRule   map[int]int
	repricer repricer
	moves    []Move

	quick  bool
	inputs []DraftInput
	index  int
	// of the draft that rows come for
	item    markup.Item
	several bool // it is bought from several offers
	quotes  *Quotes
	inDraft bool
	largest Move
	moved   int
}

func (l *effectRun) startBatch(inputs []DraftInput, quick bool) {
	l.inputs, l.quick, l.index, l.inDraft = inputs, quick, 0, false
	l.effect.Drafts += len(inputs)
}

func (l *effectRun) row(before *priceRow) {
	if !l.inDraft || l.inputs[l.index].DraftID != before.draft {
		l.endDraft()
		for l.index < len(l.inputs) && l.inputs[l.index].DraftID < before.draft {
			l.index++
		}
		if l.index == len(l.inputs) || l.inputs[l.index].DraftID != before.draft {
			return
		}
		l.inDraft = true
		input := &l.inputs[l.index]
		l.item, l.several = l.then.itemOf(&input.Facts), input.severalOffers()
		if !l.quick {
			l.quotes = l.then.Quotes(&input.Facts)
		}
	}
	input := &l.inputs[l.index]
	at := slices.IndexFunc(input.Variants, func(v VariantInput) bool { return v.ID == before.variant })
	if l.several {
		l.item = input.itemOf(l.then, before.variant)
	}
	var after priceRow
	switch {
	case at >= 0 && !input.Variants[at].Chosen, at < 0 && !l.quick:
		return
	case l.quick:
		after = l.repricer.priceFromStored(l.then, &l.item, before)
	default:
		v := &input.Variants[at]
		after = l.repricer.priceFromOffer(l.quotes.Of(v.Facts), input.DraftID, v)
	}
	l.compare(before, &after)
}

// endDraft ends a draft: the largest of its moves stands for it.
func (l *effectRun) endDraft() {
	if l.moved > 0 {
		l.effect.MovedDrafts++
		if l.largest.Live = l.live[l.largest.DraftID]; l.largest.Live {
			l.effect.MovedLive++
		}
		l.largest.Others = l.moved - 1
		l.moves = append(l.moves, l.largest)
	}
	l.moved, l.inDraft = 0, false
}

func (l *effectRun) compare(before, after *priceRow) {
	e, f := &l.effect, &l.repricer.result
	e.Variants++
	if after.errorText != "" || before.errorText != "" {
		if after.errorText != "" {
			e.Unpriced++
		}
		return
	}
	now := l.now.of(before.draft)
	landed := l.item // landed from the stored row, where nothing lands anew
	if l.quick || landed.SetLandedFrom(before.landedTrace, now.Currency) == nil {
		if total, err := landed.Cost.Total(); err == nil {
			if old, err := markup.Judge(total, money.New(before.price, now.Currency), now.terms); err == nil {
				e.Before.add(old.NetMargin())
			}
		}
	}
	e.After.add(f.NetMargin())
	if f.Rule != 0 {
		l.byRule[f.Rule]++
	}
	if after.isManual() {
		e.Manual++
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
		e.LosesMoney++
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
		l.largest = Move{DraftID: before.draft, Now: money.New(before.price, l.then.Currency),
			Then: Ladder{PriceResult: *f}, variant: before.variant, by: by}
	}
}

func magnitude(n int64) int64 { return max(n, -n) }

// pick keeps the largest moves either way, rises first.
func (l *effectRun) pick() {
	slices.SortFunc(l.moves, func(a, b Move) int {
		return cmp.Or(cmp.Compare(b.by, a.by), cmp.Compare(a.DraftID, b.DraftID))
	})
	kept := l.moves
	if len(kept) > 2*maxMovesEachWay {
		kept = append(slices.Clone(kept[:maxMovesEachWay]), kept[len(kept)-maxMovesEachWay:]...)
	}
	slices.SortStableFunc(kept, func(a, b Move) int { return cmp.Compare(magnitude(b.by), magnitude(a.by)) })
	l.effect.Moves = append(l.effect.Moves, kept...)
}

// nameMoves fills in what people call the drafts that are listed, and their ladders.
func (s *Service) nameMoves(ctx context.Context, l *effectRun) error {
	ids := make([]int64, len(l.effect.Moves))
	for i := range l.effect.Moves {
		ids[i] = l.effect.Moves[i].DraftID
	}
	names, err := s.Drafts.Names(ctx, ids)
	if err != nil {
		return err
	}
	inputs, err := s.Drafts.PricingInputs(ctx, s.Pool, l.then.StoreID, ids, 0, 0, false)
	if err != nil {
		return err
	}
	byID := map[int64]*DraftInput{}
	for i := range inputs {
		byID[inputs[i].DraftID] = &inputs[i]
	}
	for i := range l.effect.Moves {
		m := &l.effect.Moves[i]
		name := names[m.DraftID]
		m.Title, m.Picture, m.Variant = name.Title, name.Picture, name.Variants[m.variant]
		input := byID[m.DraftID]
		if input == nil {
			continue
		}
		quotes := l.then.Quotes(&input.Facts)
		for _, v := range input.Variants {
			if v.ID != m.variant {
				continue
			}
			var trace markup.Trace
			if ladder, err := quotes.Of(v.Facts).Ladder(v.Unit, nil, &trace); err == nil {
				m.Then, m.Trace = ladder, trace.Lines()
			}
		}
	}
	return nil
}
