package workbench

import (
	"context"
	"fmt"
	"slices"

	"github.com/jackc/pgx/v5"

	"plainpelican/core/edit"
	"plainpelican/core/variant"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
)

// CombineInput takes variants of another supplier's offer into a draft.
type CombineInput struct {
	OfferID int64 `json:"offer_id"`
	// Joined says which options are the same on both sides; absent is as proposed.
	Joined *[]variant.Joined `json:"joined,omitempty" maxItems:"20"`
	// Take says what becomes of variants of the offer; those that are not named, as proposed: what the draft has not
	// is added, what it has stays as it is bought.
	Take []CombineChoice `json:"take,omitempty" maxItems:"2000"`
	// Base is, as in an edit, the revisions that the person saw.
	Base  map[edit.Field]int `json:"base,omitempty"`
	Apply bool               `json:"apply,omitempty"`
}

// What becomes of a variant of the other offer.
const (
	takeAdd     = "add"
	takeInstead = "instead"
	takeNone    = "none"
)

// CombineChoice is what becomes of one variant of the other offer.
type CombineChoice struct {
	OfferVariantID int64 `json:"offer_variant_id"`
	// As is add, none, or instead: the draft's own of the same values is bought as it.
	As string `json:"as" enum:"add,instead,none"`
}

// CombineResult is what taking in another offer's variants would make of a draft, or has made.
type CombineResult struct {
	Offer  Purchase           `json:"offer"`
	Base   map[edit.Field]int `json:"base"`
	Own    []variant.Option   `json:"own"`
	Other  []variant.Option   `json:"other"`
	Joined []variant.Joined   `json:"joined"`
	Rows   []CombineRow       `json:"rows"`
	// Options and Variants are those that the draft has then.
	Options  []variant.Option `json:"options"`
	Variants int              `json:"variants"`
	Missing  string           `json:"missing" doc:"What has to be said or changed first; empty is nothing"`
	Draft    *Draft           `json:"draft,omitempty" doc:"Where it was made"`
}

// CombineRow is a variant of the other offer.
type CombineRow struct {
	OfferVariantID int64    `json:"offer_variant_id"`
	Values         []string `json:"values" doc:"As the supplier calls them"`
	Name           string   `json:"name" doc:"Its values in the draft"`
	Picture        string   `json:"picture"`
	As             string   `json:"as" enum:"add,instead,none"`
	// Same is the variant of the draft that has the same values; 0 is none. Before is what that one costs.
	Same   int64         `json:"same"`
	Before *VariantPrice `json:"before"`
	After  VariantPrice  `json:"after"`
}

// combining is a combination on its way.
type combining struct {
	offer  *purchasable
	other  variant.Shape // its variants have the ids of the offer's, below zero
	joined []variant.Joined
	take   map[int64]string
	shape  variant.Shape    // of the draft, with what is added
	same   map[int64]int64  // by offer variant, the draft's own of the same values
	names  map[int64]string // by offer variant
}

// asOther has the ids of an offer's variants stand apart from a draft's.
func asOther(offerVariant int64) int64 { return -offerVariant }

// combine works out what a draft becomes. Its error is a sentence about what is missing.
func combine(now variant.Shape, names []string, o *purchasable, in CombineInput) (combining, error) {
	c := combining{offer: o, take: map[int64]string{}, same: map[int64]int64{}, names: map[int64]string{}}
	values := make([][]string, len(o.choices))
	for i := range o.choices {
		values[i] = o.choices[i].Values
	}
	var indexes [][]int
	c.other.Options, indexes = variant.Collect(names, values)
	for i := range o.choices {
		c.other.Variants = append(c.other.Variants, variant.Variant{ID: asOther(o.choices[i].ID), Values: indexes[i]})
	}
	c.joined = variant.Align(now.Options, c.other.Options)
	if len(c.joined) == 0 {
		c.joined = []variant.Joined{{Own: -1, Other: -1}}
	}
	if in.Joined != nil {
		c.joined = *in.Joined
	}
	for _, t := range in.Take {
		c.take[t.OfferVariantID] = t.As
	}
	whole, err := now.Combine(c.other, c.joined)
	if err != nil {
		return c, err
	}
	c.shape = variant.Shape{Options: whole.Options}
	at := map[string]int64{}
	for _, v := range whole.Variants[:len(now.Variants)] {
		c.shape.Variants = append(c.shape.Variants, v)
		if !v.Dropped {
			at[fmt.Sprint(v.Values)] = v.ID
		}
	}
	for _, v := range whole.Variants[len(now.Variants):] {
		id := asOther(v.ID)
		c.names[id], c.same[id] = whole.Name(v), at[fmt.Sprint(v.Values)]
		if _, said := c.take[id]; !said {
			c.take[id] = takeAdd
			if c.same[id] != 0 {
				c.take[id] = takeNone
			}
		}
		switch {
		case c.take[id] == takeAdd:
			c.shape.Variants = append(c.shape.Variants, v)
		case c.take[id] == takeInstead && c.same[id] == 0:
			c.take[id] = takeNone
		}
	}
	c.shape = c.shape.Tidy()
	return c, c.shape.Check()
}

// Combine takes variants of another supplier's offer into a draft, or previews that: each is bought there, and the
// draft's words and pictures stay.
func (s *Service) Combine(ctx context.Context, id, storeID int64, in CombineInput) (CombineResult, error) {
	t, err := s.storeContext(ctx, s.Pool, storeID, false, id)
	if err != nil {
		return CombineResult{}, err
	}
	d, err := single(load(ctx, s.Pool, s.Media, id))
	if err != nil {
		return CombineResult{}, err
	}
	o, names, err := s.combinable(ctx, s.Pool, d.offerID, in.OfferID)
	if err != nil {
		return CombineResult{}, err
	}
	now := withoutOffer(d.editable(), in.OfferID)
	c, missing := combine(now, names, o, in)
	if !in.Apply {
		return d.combinePreview(t, now, c, missing), nil
	}
	if missing != nil {
		return CombineResult{}, apikit.Problem(422, "joined", "%s", missing)
	}
	err = s.writePriced(ctx, id, writeOptions{base: in.Base, variants: true},
		func(tx pgx.Tx, w *writing) ([]edit.Operation, error) { return s.combineOperations(ctx, tx, w, in) })
	if err != nil {
		return CombineResult{}, err
	}
	draft, err := s.Get(ctx, id, storeID)
	out := d.combinePreview(t, now, c, nil)
	out.Draft = &draft
	return out, err
}

// combinable is the offer whose variants are taken in, and what it calls its options.
func (s *Service) combinable(ctx context.Context, q database.Querier, own, offer int64) (*purchasable, []string,
	error) {
	if own == offer {
		return nil, nil, apikit.Problem(422, "offer_id",
			"The draft is bought as this offer already: bring back what was left out of it instead.")
	}
	o, err := s.purchaseOf(ctx, q, offer)
	if err != nil {
		return nil, nil, err
	}
	if len(o.choices) == 0 {
		return nil, nil, apikit.Problem(409, "offer_id", "%s has no variant of it for sale.", o.Supplier)
	}
	var names []string
	err = q.QueryRow(ctx, `select option_names from facts.offer where id = $1`, offer).Scan(&names)
	return &o, names, err
}

// withoutOffer is a draft's shape without what was dropped of another offer, which is taken in anew.
func withoutOffer(d *edit.Draft, offer int64) variant.Shape {
	shape := d.Shape()
	shape.Variants = slices.DeleteFunc(shape.Variants, func(v variant.Variant) bool {
		at := slices.IndexFunc(d.Variants, func(x edit.Variant) bool { return x.ID == v.ID })
		return v.Dropped && d.Variants[at].OtherOfferID == offer
	})
	return shape
}

// combineOperations are what takes variants in: they come into the draft as dropped ones, so that undoing leaves them
// so. The draft is locked.
func (s *Service) combineOperations(ctx context.Context, tx pgx.Tx, w *writing, in CombineInput) ([]edit.Operation,
	error) {
	d := &w.draft
	o, names, err := s.combinable(ctx, tx, d.OfferID, in.OfferID)
	if err != nil {
		return nil, err
	}
	c, missing := combine(withoutOffer(d, in.OfferID), names, o, in)
	if missing != nil {
		return nil, apikit.Problem(422, "joined", "%s", missing)
	}
	buy := edit.BuyAs{OfferID: d.OfferID, Chosen: d.Chosen(), Pictures: withHidden(d.Pictures, o.pictures)}
	here := func(offerVariant int64) *edit.Variant { // what the draft has of it already
		for i := range d.Variants {
			if v := &d.Variants[i]; v.OfferVariantID == offerVariant {
				return v
			}
		}
		return nil
	}
	added := map[int64]int64{} // by id in the shape
	took := false
	for i := range o.choices {
		choice := &o.choices[i]
		there := here(choice.ID)
		if as := c.take[choice.ID]; as == takeNone {
			continue
		} else if there != nil && !there.Dropped {
			return nil, apikit.Problem(409, "take", "“%s” is bought as that already.", there.Name)
		} else if as == takeInstead {
			took = true
			if there != nil { // a dropped one gives it up
				there.OfferVariantID = 0
			}
			at := slices.IndexFunc(d.Variants, func(v edit.Variant) bool { return v.ID == c.same[choice.ID] })
			p := d.Variants[at].Purchase
			p.OfferVariantID, p.OtherOfferID = choice.ID, in.OfferID
			buy.Purchases = append(buy.Purchases, p)
			continue
		}
		took = true
		if there == nil {
			picture := pictureOf(buy.Pictures, o, choice)
			if there, err = insertVariant(ctx, tx, w, in.OfferID, choice, picture); err != nil {
				return nil, err
			}
		}
		added[asOther(choice.ID)] = there.ID
	}
	if !took {
		return nil, apikit.Problem(422, "take", "Choose at least one variant to take in.")
	}
	for _, v := range d.Variants {
		named := slices.ContainsFunc(buy.Purchases, func(p edit.Purchase) bool { return p.VariantID == v.ID })
		if !v.Dropped && !named {
			buy.Purchases = append(buy.Purchases, v.Purchase)
		}
	}
	for i := range c.shape.Variants {
		if id, is := added[c.shape.Variants[i].ID]; is {
			c.shape.Variants[i].ID = id
		}
	}
	return []edit.Operation{buy, edit.Reshape{Shape: c.shape}}, nil
}

// pictureOf is which of a draft's pictures shows a variant of an offer; nil is none.
func pictureOf(pictures []edit.Picture, o *purchasable, choice *SwapCandidate) *int {
	if choice.pictureIndex < 0 || choice.pictureIndex >= len(o.pictures) {
		return nil
	}
	at := slices.IndexFunc(pictures, func(p edit.Picture) bool { return p.URL == o.pictures[choice.pictureIndex] })
	if at < 0 {
		return nil
	}
	return &pictures[at].ID
}

// insertVariant puts a variant of another offer into a draft, dropped.
func insertVariant(ctx context.Context, tx pgx.Tx, w *writing, offer int64, choice *SwapCandidate,
	picture *int) (*edit.Variant, error) {
	d := &w.draft
	v := edit.Variant{Chosen: true, Dropped: true, Values: make([]int, len(d.Options)),
		Purchase: edit.Purchase{OfferVariantID: choice.ID, PictureID: picture, OtherOfferID: offer}}
	err := tx.QueryRow(ctx, `insert into draft_variant (draft_id, offer_variant_id, other_offer_id, position, number,
			value_indexes, picture_id, dropped)
		select $1, $2, $3, n.next, n.next, $4, $5, true
		from (select coalesce(max(number), -1) + 1 as next from draft_variant where draft_id = $1) n returning id`,
		w.id, choice.ID, offer, v.Values, picture).Scan(&v.ID)
	if err != nil {
		return nil, err
	}
	v.VariantID = v.ID
	d.Variants = append(d.Variants, v)
	return &d.Variants[len(d.Variants)-1], nil
}

// combinePreview shows what taking variants in would do.
func (d *draft) combinePreview(t storeContext, now variant.Shape, c combining, missing error) CombineResult {
	o := c.offer
	out := CombineResult{Offer: o.Purchase, Base: map[edit.Field]int{}, Own: apikit.List(now.Options),
		Other: apikit.List(c.other.Options), Joined: c.joined, Rows: []CombineRow{},
		Options: apikit.List(c.shape.Options)}
	if missing != nil {
		out.Missing = missing.Error()
	}
	for _, f := range append((edit.BuyAs{}).Fields(nil), edit.Options) {
		out.Base[f] = d.changes[f].Revision
	}
	for _, v := range c.shape.Variants {
		if !v.Dropped {
			out.Variants++
		}
	}
	quote := o.quoteFor(d, t)
	if t.pricer != nil {
		out.Offer.deliver(&quote)
	}
	priced, _ := d.priced(t, false)
	at := map[int64]int{}
	for i := range priced {
		at[priced[i].ID] = i
	}
	for i := range o.choices {
		choice := &o.choices[i]
		row := CombineRow{OfferVariantID: choice.ID, Values: choice.Values, Name: c.names[choice.ID],
			Picture: choice.Picture, As: c.take[choice.ID], Same: c.same[choice.ID],
			After: choice.priceBy(t, &quote, nil)}
		if row.As == "" {
			row.As = takeNone
		}
		if i, there := at[row.Same]; there {
			before := d.variantPrice(i, &priced[i])
			row.Before = &before
		}
		out.Rows = append(out.Rows, row)
	}
	return out
}
