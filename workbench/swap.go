package workbench

import (
	"context"
	"slices"

	"github.com/jackc/pgx/v5"

	"plainpelican/core/edit"
	"plainpelican/core/likeness"
	"plainpelican/core/money"
	"plainpelican/members"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/pricing"
)

// SwapInput says what a draft is to be bought as instead.
type SwapInput struct {
	OfferID int64 `json:"offer_id"`
	// Base is the revision at which the supplier was changed last as the person saw it, by field.
	Base map[edit.Field]int `json:"base,omitempty" doc:"Field to the revision that was read"`
	// Pairs are what variants become; absent are those that are proposed. Variants that are not named are left out.
	Pairs *[]SwapPair `json:"pairs,omitempty" maxItems:"2000"`
	// KeepPrices has the prices in the store in use stay as they are, as manual ones.
	KeepPrices bool `json:"keep_prices,omitempty"`
}

// SwapPair is a variant and what it is to be bought as.
type SwapPair struct {
	VariantID      int64 `json:"variant_id"`
	OfferVariantID int64 `json:"offer_variant_id"`
}

// SwapPreview is what swapping the supplier of a draft would do.
type SwapPreview struct {
	DraftID int64  `json:"draft_id"`
	Title   string `json:"title"`
	// Base is to be sent with the swap, so that what was changed meanwhile refuses it.
	Base    map[edit.Field]int `json:"base"`
	Before  Purchase           `json:"before"`
	After   Purchase           `json:"after"`
	Rows    []SwapRow          `json:"rows"`
	Choices []SwapCandidate    `json:"choices" doc:"The variants that the other offer has for sale"`
}

// Purchase is an offer as a draft is bought.
type Purchase struct {
	OfferID   int64  `json:"offer_id"`
	Title     string `json:"title"`
	Supplier  string `json:"supplier"`
	Source    string `json:"source"`
	ShipsFrom string `json:"ships_from"`
	OnTime    *int   `json:"on_time" doc:"Percent; null where it is not known"`
	Rating    string `json:"rating" doc:"Empty where it is not known"`
	Delivery  string `json:"delivery" doc:"The service that prices assume; empty where there is none to the market"`
	Door      string `json:"door" doc:"Its days door to door"`
	DoorMax   int    `json:"door_max" doc:"The upper end of them; 0 where there is no delivery"`
}

// SwapRow is a variant of the draft, before and after.
type SwapRow struct {
	VariantID int64        `json:"variant_id"`
	Values    []string     `json:"values"`
	Chosen    bool         `json:"chosen"`
	Picture   string       `json:"picture"`
	Before    VariantPrice `json:"before"`
	// OfferVariantID is what it would be bought as; 0 is nothing, and it is left out.
	OfferVariantID int64         `json:"offer_variant_id"`
	By             string        `json:"by" doc:"What its counterpart was found by"`
	StaysWith      string        `json:"stays_with" doc:"Its own supplier, where it is not the draft's: it stays so"`
	After          *VariantPrice `json:"after"`
}

// VariantPrice is what a variant costs and sells for.
type VariantPrice struct {
	Cost    *money.Amount   `json:"cost"`
	Stock   int             `json:"stock"`
	Ladder  *pricing.Ladder `json:"ladder"`
	NoPrice string          `json:"no_price"`
	Manual  bool            `json:"manual"`
}

// SwapCandidate is a variant of the other offer.
type SwapCandidate struct {
	ID      int64        `json:"id"`
	Values  []string     `json:"values"`
	Cost    money.Amount `json:"cost"`
	Stock   int          `json:"stock"`
	Picture string       `json:"picture"`

	pictureIndex int // in the offer's pictures
	barcode      string
	grams        int
	unit         pricing.Unit
}

// purchasable is the offer that a draft is to be bought as.
type purchasable struct {
	Purchase
	facts    pricing.OfferFacts
	choices  []SwapCandidate
	pictures []string
}

func (s *Service) purchaseOf(ctx context.Context, q database.Querier, id int64) (purchasable, error) {
	o := purchasable{Purchase: Purchase{OfferID: id}, choices: []SwapCandidate{}}
	var row pricing.OfferFactsRow
	var withdrawn bool
	var rating int
	err := q.QueryRow(ctx, `select o.title, u.on_time, o.rating, o.withdrawn_at is not null or x.state <> 'connected',
		o.pictures, `+pricing.OfferFactsColumns+` from facts.offer o`+pricing.OfferFactsJoin+`where o.id = $1`, id).
		Scan(append([]any{&o.Title, &o.OnTime, &rating, &withdrawn, &o.pictures}, row.Fields()...)...)
	o.Supplier, o.Source, o.ShipsFrom = row.Supplier, row.Source, row.ShipsFrom
	if database.Missing(err) {
		return o, apikit.NotFound("offer")
	}
	if err != nil {
		return o, err
	}
	if withdrawn {
		return o, apikit.Problem(409, "offer_id", "%s does not sell “%s” any more.", o.Supplier, o.Title)
	}
	o.Rating = apikit.Tenths(rating)
	facts, c, err := row.Take()
	if err != nil {
		return o, err
	}
	o.facts = facts
	rows, err := q.Query(ctx, `select id, option_values, cost, min_advertised, list_price, prices_in, stock, picture,
		barcode, weight_grams from facts.offer_variant where offer_id = $1 and not withdrawn order by position, id`, id)
	if err != nil {
		return o, err
	}
	var v SwapCandidate
	var cost, advertised, listed int64
	var pricesIn string
	_, err = pgx.ForEachRow(rows,
		[]any{&v.ID, &v.Values, &cost, &advertised, &listed, &pricesIn, &v.Stock, &v.pictureIndex, &v.barcode,
			&v.grams}, func() error {
			one := v
			one.Cost = money.New(cost, c)
			one.unit = pricing.UnitOf(c, cost, advertised, listed, pricesIn)
			if v.pictureIndex >= 0 && v.pictureIndex < len(o.pictures) {
				one.Picture = s.PicturePath(id, v.pictureIndex)
			}
			o.choices = append(o.choices, one)
			v.Values = nil
			return nil
		})
	return o, err
}

// PreviewSwap shows what swapping the supplier of a draft would do; nothing is changed.
func (s *Service) PreviewSwap(ctx context.Context, id, storeID int64, in SwapInput) (SwapPreview, error) {
	t, err := s.storeContext(ctx, s.Pool, storeID, false, id)
	if err != nil {
		return SwapPreview{}, err
	}
	d, err := single(load(ctx, s.Pool, s.Media, id))
	if err != nil {
		return SwapPreview{}, err
	}
	o, err := s.purchaseOf(ctx, s.Pool, in.OfferID)
	if err != nil {
		return SwapPreview{}, err
	}
	found, err := s.pairs(ctx, d, &o, in)
	if err != nil {
		return SwapPreview{}, err
	}
	before, err := s.currentPurchase(ctx, d)
	if err != nil {
		return SwapPreview{}, err
	}
	out := SwapPreview{DraftID: d.id, Title: d.title, Base: map[edit.Field]int{}, Before: before, After: o.Purchase,
		Choices: o.choices, Rows: []SwapRow{}}
	for _, f := range (edit.BuyAs{}).Fields(nil) {
		out.Base[f] = d.changes[f].Revision
	}
	variants, quotes := d.priced(t, false)
	next := o.quoteFor(d, t)
	if t.pricer != nil {
		out.Before.deliver(&quotes.Own)
		out.After.deliver(&next)
	}
	for i, v := range variants {
		row := SwapRow{VariantID: v.ID, Values: v.Values, Chosen: v.Chosen,
			Picture: d.path(d.picture(d.variants[i].pictureID)), Before: d.variantPrice(i, &v)}
		if from := d.variants[i].from; from != nil && from.id != in.OfferID {
			row.StaysWith = from.facts.Supplier
		}
		if f := found[i]; f.To >= 0 {
			choice := &o.choices[f.To]
			row.OfferVariantID, row.By = choice.ID, f.By
			kept := v.Manual || in.KeepPrices && v.Chosen
			var manual *money.Amount
			if kept && v.Ladder != nil {
				manual = &v.Ladder.Price
			}
			after := choice.priceBy(t, &next, manual)
			row.After = &after
		}
		out.Rows = append(out.Rows, row)
	}
	return out, nil
}

// quoteFor prepares to price the offer's variants as those of a draft; it prices nothing without a store.
func (o *purchasable) quoteFor(d *draft, t storeContext) (quote pricing.Quote) {
	o.facts.Collections, o.facts.Tags, o.facts.Service = d.collections, d.tags, d.text.Delivery
	if t.pricer != nil {
		quote = t.pricer.Quote(&o.facts)
	}
	return quote
}

// priceBy is what a variant of the other offer would cost and sell for, at a manual price where one is given.
func (c *SwapCandidate) priceBy(t storeContext, quote *pricing.Quote, manual *money.Amount) VariantPrice {
	p := VariantPrice{Cost: &c.Cost, Stock: c.Stock, Manual: manual != nil}
	if t.pricer == nil {
		p.NoPrice = "Connect a store to price it."
	} else if l, err := quote.Ladder(c.unit, manual, nil); err != nil {
		p.NoPrice = t.pricer.ErrorMessage(err)
	} else {
		p.Ladder = &l
	}
	return p
}

// variantPrice is what a variant of the draft, by its index, costs and sells for as it was priced.
func (d *draft) variantPrice(i int, v *Variant) VariantPrice {
	p := VariantPrice{Stock: v.Stock, Ladder: v.Ladder, NoPrice: v.NoPrice, Manual: v.Manual}
	if d.variants[i].offerVariantID != 0 {
		p.Cost = &v.Cost
	}
	return p
}

// deliver fills in the delivery that prices assume, where there is one.
func (p *Purchase) deliver(q *pricing.Quote) {
	if q.Err == nil {
		door := q.Choice.Door
		p.Delivery, p.Door, p.DoorMax = q.Choice.Delivery.Name, dayRange(door.Min, door.Max), door.Max
	}
}

// currentPurchase is what a draft is bought as now.
func (s *Service) currentPurchase(ctx context.Context, d *draft) (b Purchase, err error) {
	b = Purchase{OfferID: d.offerID, Title: d.offerTitle, Supplier: d.supplier, Source: d.facts.Source,
		ShipsFrom: d.facts.ShipsFrom}
	var rating int
	err = s.Pool.QueryRow(ctx, `select u.on_time, o.rating from facts.offer o
		join facts.supplier u on u.id = o.supplier_id
		where o.id = $1`, d.offerID).Scan(&b.OnTime, &rating)
	b.Rating = apikit.Tenths(rating)
	return b, err
}

// pairs finds for each variant of a draft the one that it becomes: as a person said, or as proposed.
func (s *Service) pairs(ctx context.Context, d *draft, o *purchasable, in SwapInput) ([]likeness.Counterpart, error) {
	if in.OfferID == d.offerID {
		return nil, apikit.Problem(422, "offer_id", "The draft is bought as this offer already.")
	}
	if in.Pairs == nil {
		return s.proposePairs(ctx, d, o)
	}
	found := make([]likeness.Counterpart, len(d.variants))
	for i := range found {
		found[i].To = -1
	}
	taken := map[int64]int{}
	for _, p := range *in.Pairs {
		at := slices.IndexFunc(d.variants, func(v draftVariant) bool { return v.id == p.VariantID })
		to := slices.IndexFunc(o.choices, func(c SwapCandidate) bool { return c.ID == p.OfferVariantID })
		if at < 0 || to < 0 {
			return nil, apikit.Problem(422, "pairs", "A variant is not of this draft, or not of the other offer.")
		}
		if other, twice := taken[p.OfferVariantID]; twice && other != at {
			return nil,
				apikit.Problem(422, "pairs",
					"“%s” and “%s” would be bought as the same. Leave one out, or choose another.",
					d.name(&d.variants[other]), d.name(&d.variants[at]))
		}
		taken[p.OfferVariantID] = at
		found[at] = likeness.Counterpart{To: to}
	}
	return found, nil
}

// proposePairs matches variants by barcode, options and pictures.
func (s *Service) proposePairs(ctx context.Context, d *draft, o *purchasable) ([]likeness.Counterpart, error) {
	shown := func(c *SwapCandidate) string {
		if c.pictureIndex < 0 || c.pictureIndex >= len(o.pictures) {
			return ""
		}
		return o.pictures[c.pictureIndex]
	}
	var ours, theirs []string
	for i := range d.variants {
		ours = append(ours, d.address(d.picture(d.variants[i].pictureID)))
	}
	for i := range o.choices {
		theirs = append(theirs, shown(&o.choices[i]))
	}
	var colours [2]map[string]likeness.MedianColour
	for i, urls := range [2][]string{ours, theirs} {
		var err error
		distinct := slices.DeleteFunc(slices.Compact(slices.Sorted(slices.Values(urls))),
			func(url string) bool { return url == "" })
		if colours[i], err = s.Media.MedianColours(ctx, distinct); err != nil {
			return nil, err
		}
	}
	colour := func(of map[string]likeness.MedianColour, url string) *likeness.MedianColour {
		if c, known := of[url]; known {
			return &c
		}
		return nil
	}
	of, to := make([]likeness.Side, len(d.variants)), make([]likeness.Side, len(o.choices))
	for i := range of {
		v := &d.variants[i]
		of[i] = likeness.Side{Barcode: v.barcode, Colour: colour(colours[0], ours[i])}
		for k, option := range d.options {
			value := option.Values[v.valueIndexes[k]]
			of[i].Values = append(of[i].Values, []string{value.Original, value.Name})
		}
	}
	for i := range to {
		c := &o.choices[i]
		to[i] = likeness.Side{Barcode: c.barcode, Colour: colour(colours[1], theirs[i])}
		for _, value := range c.Values {
			to[i].Values = append(to[i].Values, []string{value})
		}
	}
	found := likeness.Counterparts(of, to)
	for i := range found {
		if v := &d.variants[i]; v.from != nil && v.from.id != o.OfferID {
			found[i].To = -1 // it has a supplier of its own, unless a person says otherwise
		}
	}
	return found, nil
}

// SwapSupplier has a draft bought as another offer: its words, pictures, options and typed prices stay.
// Variants that have no counterpart are left out. It can be undone as any edit.
func (s *Service) SwapSupplier(ctx context.Context, id, storeID int64, in SwapInput) (Draft, error) {
	if in.Pairs == nil { // what is proposed may need pictures fetched: not while the draft is locked
		d, err := single(load(ctx, s.Pool, s.Media, id))
		if err != nil {
			return Draft{}, err
		}
		o, err := s.purchaseOf(ctx, s.Pool, in.OfferID)
		if err != nil {
			return Draft{}, err
		}
		found, err := s.pairs(ctx, d, &o, in)
		if err != nil {
			return Draft{}, err
		}
		pairs := []SwapPair{}
		for i, c := range found {
			if c.To >= 0 {
				pairs = append(pairs, SwapPair{d.variants[i].id, o.choices[c.To].ID})
			}
		}
		in.Pairs = &pairs
	}
	err := s.writePriced(ctx, id, writeOptions{base: in.Base}, func(tx pgx.Tx, _ *writing) ([]edit.Operation, error) {
		op, err := s.buyAs(ctx, tx, id, in)
		if err != nil || !in.KeepPrices || storeID == 0 {
			return []edit.Operation{op}, err
		}
		kept, err := s.keptPrices(ctx, tx, storeID, id, op)
		return []edit.Operation{op, kept}, err
	})
	if err != nil {
		return Draft{}, err
	}
	return s.Get(ctx, id, storeID)
}

// buyAs is the operation that has a draft, which is locked, bought as another offer.
func (s *Service) buyAs(ctx context.Context, tx pgx.Tx, id int64, in SwapInput) (edit.BuyAs, error) {
	d, err := single(load(ctx, tx, s.Media, id))
	if err != nil {
		return edit.BuyAs{}, err
	}
	o, err := s.purchaseOf(ctx, tx, in.OfferID)
	if err != nil {
		return edit.BuyAs{}, err
	}
	found, err := s.pairs(ctx, d, &o, in)
	if err != nil {
		return edit.BuyAs{}, err
	}
	if !slices.ContainsFunc(found, func(c likeness.Counterpart) bool { return c.To >= 0 }) {
		return edit.BuyAs{}, apikit.Problem(422, "pairs",
			"None of its variants has a counterpart there. Choose at least one.")
	}
	op := edit.BuyAs{OfferID: o.OfferID, Pictures: withHidden(d.pictures, o.pictures)}
	for i := range d.variants {
		v := &d.variants[i]
		p := edit.Purchase{VariantID: v.id, PictureID: v.pictureID}
		if found[i].To < 0 && v.from != nil && v.from.id != in.OfferID {
			p.OfferVariantID, p.OtherOfferID = v.offerVariantID, v.from.id // another supplier's stays as it is
			if v.chosen {
				op.Chosen = append(op.Chosen, v.id)
			}
		}
		if found[i].To >= 0 {
			p.OfferVariantID = o.choices[found[i].To].ID
			if v.chosen {
				op.Chosen = append(op.Chosen, v.id)
			}
		}
		op.Purchases = append(op.Purchases, p)
	}
	return op, nil
}

// keptPrices has the variants that are still sold keep the price that they have in a store.
func (s *Service) keptPrices(ctx context.Context, tx pgx.Tx, storeID, id int64, op edit.BuyAs) (edit.SetPrices, error) {
	kept := edit.SetPrices{StoreID: storeID}
	t, err := s.storeContext(ctx, tx, storeID, false, id)
	if err != nil {
		return kept, err
	}
	for _, p := range op.Purchases {
		stored, there := t.kept[p.VariantID]
		if there && stored.Ladder != nil && p.OfferVariantID != 0 && slices.Contains(op.Chosen, p.VariantID) {
			price := stored.Ladder.Price.Minor()
			kept.Prices = append(kept.Prices, edit.VariantPrice{VariantID: p.VariantID, Price: price})
		}
	}
	return kept, nil
}

// withHidden are a draft's pictures, and behind them those of another offer that it has not, hidden.
func withHidden(pictures []edit.Picture, urls []string) []edit.Picture {
	list := slices.Clone(pictures)
	next := 0
	for _, p := range list {
		next = max(next, p.ID+1)
	}
	for _, url := range urls {
		if !slices.ContainsFunc(list, func(p edit.Picture) bool { return p.URL == url }) {
			list = append(list, edit.Picture{ID: next, URL: url})
			next++
		}
	}
	return list
}

// afterPurchaseChange does what follows when a draft is bought from other offers than before, by a swap, by taking in
// another supplier's variants, or by undoing either.
func (s *Service) afterPurchaseChange(ctx context.Context, tx pgx.Tx, w *writing) error {
	var changed, added []int64
	now := w.draft.Offers()
	for _, id := range now {
		if !slices.Contains(w.offersBefore, id) {
			added = append(added, id)
		}
	}
	changed = append(changed, added...)
	for _, id := range w.offersBefore {
		if !slices.Contains(now, id) {
			changed = append(changed, id)
		}
	}
	if len(changed) == 0 {
		return nil
	}
	if err := s.Pricing.ForgetUnsold(ctx, tx, w.id); err != nil { // what its supplier does not sell has no price
		return err
	}
	var suppliers []string
	if err := tx.QueryRow(ctx, `select coalesce(array_agg(u.name order by array_position($1, o.id)), '{}')
		from facts.offer o join facts.supplier u on u.id = o.supplier_id
		where o.id = any ($1)`, now).Scan(&suppliers); err != nil {
		return err
	}
	what := "swapped the supplier"
	if w.draft.OfferID == w.offerBefore {
		what = "changed the suppliers"
	}
	if err := members.Audit(ctx, tx, what, w.title,
		map[string]any{"offers": w.offersBefore, "supplier": w.supplier},
		map[string]any{"offers": now, "suppliers": suppliers}); err != nil {
		return err
	}
	if len(added) > 0 {
		var urls []string
		if err := tx.QueryRow(ctx, `select coalesce(array_agg(distinct p), '{}') from facts.offer o,
			unnest(o.pictures) p where o.id = any ($1)`, added).Scan(&urls); err != nil {
			return err
		}
		if err := s.Media.Fetch(ctx, tx, urls); err != nil {
			return err
		}
	}
	return s.Offers.NotifyOffers(ctx, tx, changed)
}
