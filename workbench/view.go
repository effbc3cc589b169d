package workbench

import (
	"context"
	"fmt"
	"strings"
	"time"

	"plainpelican/core/markup"
	"plainpelican/core/money"
	"plainpelican/core/readiness"
	"plainpelican/core/variant"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/pricing"
)

// Line is a draft as a line of the list.
type Line struct {
	ID      int64            `json:"id"`
	OfferID int64            `json:"offer_id"`
	Title   string           `json:"title"`
	Picture string           `json:"picture"`
	Report  readiness.Report `json:"report"`
	// Collections and Tags are the seller's own; markup rules may ask for them.
	Collections []string `json:"collections"`
	Tags        []string `json:"tags"`
}

// Draft is a draft in full, priced in a store.
type Draft struct {
	Line
	Revision    int              `json:"revision"`
	Description string           `json:"description" doc:"Safe HTML"`
	Pictures    []Picture        `json:"pictures"`
	Options     []variant.Option `json:"options"`
	Variants    []Variant        `json:"variants"`
	UpdatedAt   time.Time        `json:"updated_at"`
	Undo        string           `json:"undo" doc:"Your last edit; empty where there is none"`
	UndoBulk    *Bulk            `json:"undo_bulk,omitempty" doc:"Undone as one with other drafts"`
	LiveIn      []string         `json:"live_in" doc:"Stores in which it is live"`
	OfferTitle  string           `json:"offer_title"`
	Supplier    string           `json:"supplier"`
	Source      string           `json:"source"`
	PageURL     string           `json:"page_url"`
	WithdrawnAt *time.Time       `json:"withdrawn_at"`
	Delivery    string           `json:"delivery" doc:"The service that prices assume"`
	Door        string           `json:"door" doc:"Its days door to door"`
	// Earlier is set where the draft stays with money rules that were changed since for others.
	Earlier *pricing.Earlier `json:"earlier_rules,omitempty"`
}

// Bulk is a change of many drafts at once.
type Bulk struct {
	ID     int64  `json:"id"`
	What   string `json:"what"`
	Drafts int    `json:"drafts"`
}

// Picture is one picture of a draft.
type Picture struct {
	Place int    `json:"place"`
	Path  string `json:"path"`
	Shown bool   `json:"shown"`
}

// Variant is one variant of a draft, priced.
type Variant struct {
	ID     int64        `json:"id"`
	Values []string     `json:"values"`
	Chosen bool         `json:"chosen"`
	Cost   money.Amount `json:"cost"`
	Stock  int          `json:"stock"`
	// Withdrawn tells that the supplier stopped selling it.
	Withdrawn bool            `json:"withdrawn"`
	Picture   string          `json:"picture"`
	Ladder    *pricing.Ladder `json:"ladder"`
	NoPrice   string          `json:"no_price"`
	Manual    bool            `json:"manual" doc:"A person set its price, and rules leave it alone"`
	// RulePrice is what the rule would price it at.
	RulePrice *money.Amount      `json:"rule_price"`
	Trace     []markup.TraceLine `json:"trace"`
	// WasWarning says why its was price is not backed by what it sold for.
	WasWarning string `json:"was_warning"`
}

// storeContext is what drafts are looked at with: a store's pricer, limits and kept prices, or nothing.
type storeContext struct {
	pricer *pricing.Pricer
	limits variant.Limits
	kept   map[int64]pricing.StoredPrice
	sold   map[int64][]markup.Sold
}

// storeContext looks drafts up in a store; no ids are all. Traces come only where wanted.
func (s *Service) storeContext(ctx context.Context, q database.Querier, storeID int64, traced bool,
	ids ...int64) (storeContext, error) {
	if storeID == 0 {
		return storeContext{}, nil
	}
	var t storeContext
	var err error
	if t.pricer, err = s.Pricing.Pricer(ctx, storeID); err != nil {
		return t, err
	}
	if t.limits, err = s.Stores.Limits(ctx, storeID); err != nil {
		return t, err
	}
	if t.kept, err = s.Pricing.StoredPrices(ctx, q, t.pricer, ids, traced); err != nil {
		return t, err
	}
	t.sold, err = s.Listings.SoldPrices(ctx, storeID, ids)
	return t, err
}

// priced shows every variant of a draft with the price that is kept for it.
func (d *draft) priced(t storeContext, ruled bool) ([]Variant, pricing.Quote) {
	var quote pricing.Quote
	if t.pricer != nil {
		quote = t.pricer.Quote(&d.facts)
	}
	out := make([]Variant, len(d.variants))
	for i := range d.variants {
		v := &d.variants[i]
		out[i] = Variant{ID: v.id, Values: d.values(v), Chosen: v.chosen, Cost: v.unit.Cost, Stock: v.stock,
			Withdrawn: v.withdrawn, Trace: []markup.TraceLine{}}
		if v.offerVariantID == 0 {
			out[i].NoPrice = "Its supplier does not sell this one."
			continue
		}
		if t.pricer == nil {
			out[i].NoPrice = "Connect a store to price it."
			continue
		}
		kept, there := t.kept[v.id]
		switch {
		case !there:
			out[i].NoPrice = "Its price is being worked out."
		case kept.Ladder == nil:
			out[i].NoPrice, out[i].Manual = kept.Error, kept.Manual
		default:
			kept.Ladder.Market = quote.MarketOf(v.unit)
			kept.Ladder.OldRate = t.pricer.OldRates && v.unit.Cost.Currency() != t.pricer.Currency
			out[i].Ladder, out[i].Manual, out[i].Trace = kept.Ladder, kept.Manual, kept.Trace
			out[i].WasWarning = markup.WasWarning(kept.Ladder.Was, t.sold[v.id], t.pricer.Today())
		}
		if ruled && out[i].Manual {
			if _, rule, err := quote.Price(v.unit); err == nil {
				out[i].RulePrice = &rule.Price
			}
		}
	}
	return out, quote
}

// report says what is missing before a draft can go out.
func (d *draft) report(t storeContext, variants []Variant, quote pricing.Quote) readiness.Report {
	in := readiness.Draft{Title: d.title, Description: d.description, Supplier: d.supplier, Brand: d.facts.Brand,
		Options: len(d.options), Limits: t.limits, Withdrawn: d.withdrawnAt != nil,
		KeepsPromise: quote.Choice.KeepsPromise}
	if t.pricer != nil {
		in.PromiseDays = t.pricer.PromiseDays
	}
	for _, p := range d.pictures {
		if !p.Shown {
			continue
		}
		in.Pictures++
		if why := d.unavailable[d.pictureOf(p)]; why != "" {
			in.Missing = append(in.Missing, fmt.Sprintf("picture %d (%s)", in.Pictures, why))
		}
	}
	for i, v := range variants {
		if !v.Chosen {
			continue
		}
		one := readiness.Variant{Name: strings.Join(v.Values, " "), Priced: v.Ladder != nil, NoPrice: v.NoPrice,
			Stock: v.Stock, Withdrawn: d.variants[i].withdrawn}
		if v.Ladder != nil {
			one.Profit, one.OldRate, one.WasWarning = v.Ladder.Profit, v.Ladder.OldRate, v.WasWarning
		}
		in.Variants = append(in.Variants, one)
	}
	return readiness.Check(in)
}

func (s *Service) line(d *draft, report readiness.Report) Line {
	return Line{ID: d.id, OfferID: d.offerID, Title: d.title, Report: report, Picture: s.picture(d),
		Collections: d.collections, Tags: d.tags}
}

// picture is the first one shown, or none.
func (s *Service) picture(d *draft) string {
	for _, p := range d.pictures {
		if p.Shown {
			return s.pathOf(d.pictureOf(p))
		}
	}
	return ""
}

func (s *Service) pathOf(p PictureOf) string {
	if p.Place < 0 {
		return ""
	}
	return s.PicturePath(p.Offer, p.Place)
}

func (s *Service) view(d *draft, t storeContext) Draft {
	variants, quote := d.priced(t, true)
	out := Draft{
		Line: s.line(d, d.report(t, variants, quote)), Revision: d.revision, Description: d.description,
		Options: d.options, Variants: variants, Pictures: []Picture{},
		UpdatedAt: d.updatedAt, OfferTitle: d.offerTitle, Supplier: d.supplier, Source: d.facts.Source,
		PageURL: d.pageURL, WithdrawnAt: d.withdrawnAt,
	}
	for i := range variants {
		variants[i].Picture = s.pathOf(d.shownBy(&d.variants[i]))
	}
	for _, p := range d.pictures {
		out.Pictures = append(out.Pictures, Picture{p.Place, s.pathOf(d.pictureOf(p)), p.Shown})
	}
	if t.pricer != nil && quote.Err == nil {
		out.Delivery = quote.Choice.Delivery.Name
		out.Door = dayRange(quote.Choice.Door.Min, quote.Choice.Door.Max)
	}
	return out
}

// List lists drafts, newest first, with what each lacks.
func (s *Service) List(ctx context.Context, storeID int64) ([]Line, error) {
	t, err := s.storeContext(ctx, s.Pool, storeID, false)
	if err != nil {
		return nil, err
	}
	drafts, err := load(ctx, s.Pool)
	if err != nil {
		return nil, err
	}
	lines := make([]Line, len(drafts))
	for i, d := range drafts {
		variants, quote := d.priced(t, false)
		lines[i] = s.line(d, d.report(t, variants, quote))
	}
	return lines, nil
}

// Get shows one draft.
func (s *Service) Get(ctx context.Context, id, storeID int64) (Draft, error) {
	t, err := s.storeContext(ctx, s.Pool, storeID, true, id)
	if err != nil {
		return Draft{}, err
	}
	d, err := single(load(ctx, s.Pool, id))
	if err != nil {
		return Draft{}, err
	}
	out := s.view(d, t)
	return out, s.lastEdit(ctx, &out, storeID)
}

// lastEdit fills in what can be undone in a store, and where the draft is live.
func (s *Service) lastEdit(ctx context.Context, d *Draft, storeID int64) (err error) {
	if d.Earlier, err = s.Pricing.Earlier(ctx, s.Pool, storeID, d.ID); err != nil {
		return err
	}
	var bulk Bulk
	err = s.Pool.QueryRow(ctx, `
		select what, coalesce(bulk_id, 0), (select count(*) from draft_edit b where b.bulk_id = e.bulk_id)
		from draft_edit e where draft_id = $1 and (store_id is null or store_id = $2) order by id desc limit 1`, d.ID,
		storeID).Scan(&d.Undo, &bulk.ID, &bulk.Drafts)
	if err != nil && !database.Missing(err) {
		return err
	}
	if bulk.What = d.Undo; bulk.ID != 0 && bulk.Drafts > 1 {
		d.UndoBulk = &bulk
	}
	return s.Pool.QueryRow(ctx, `select array(select t.name from listing l join store t on t.id = l.store_id
		where l.draft_id = $1 order by t.name)`, d.ID).Scan(&d.LiveIn)
}

func single(drafts []*draft, err error) (*draft, error) {
	if err == nil && len(drafts) == 0 {
		err = apikit.NotFound("draft")
	}
	if err != nil {
		return nil, err
	}
	return drafts[0], nil
}
