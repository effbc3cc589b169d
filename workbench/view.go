package workbench

import (
	"context"
	"fmt"
	"strings"
	"time"

	"plainpelican/core/edit"
	"plainpelican/core/gtin"
	"plainpelican/core/markup"
	"plainpelican/core/money"
	"plainpelican/core/readiness"
	"plainpelican/core/variant"
	"plainpelican/core/words"
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
	Type        string   `json:"type"`
	Vendor      string   `json:"vendor" doc:"Empty is the shop itself"`
	TrayID      int64    `json:"tray_id" doc:"0 is none"`
	Revision    int      `json:"revision"`
}

// Draft is a draft in full, priced in a store.
type Draft struct {
	Line
	Revision    int       `json:"revision"`
	Changes     changes   `json:"changes" doc:"By field, who changed it last and when"`
	Description string    `json:"description" doc:"Safe HTML"`
	Pictures    []Picture `json:"pictures"`
	// SearchTitle and SearchDescription are what search engines should show; empty is title and description.
	SearchTitle       string           `json:"search_title"`
	SearchDescription string           `json:"search_description"`
	Own               edit.OwnWords    `json:"own" doc:"Words in the store in use alone"`
	Discarded         bool             `json:"discarded"`
	Dropped           []Dropped        `json:"dropped" doc:"Variants that were left out of it"`
	Reserve           int              `json:"reserve" doc:"Units of each variant that stores do not show"`
	Options           []variant.Option `json:"options"`
	Variants          []Variant        `json:"variants"`
	UpdatedAt         time.Time        `json:"updated_at"`
	Redo              string           `json:"redo" doc:"What you undid last and can do again; empty is nothing"`
	Undo              string           `json:"undo" doc:"Your last edit; empty where there is none"`
	UndoBulk          *Bulk            `json:"undo_bulk,omitempty" doc:"Undone as one with other drafts"`
	LiveIn            []string         `json:"live_in" doc:"Stores in which it is live"`
	ChangedIn         []string         `json:"changed_in" doc:"Those of them that were sent it as it was before"`
	OfferTitle        string           `json:"offer_title"`
	Supplier          string           `json:"supplier"`
	Source            string           `json:"source"`
	PageURL           string           `json:"page_url"`
	WithdrawnAt       *time.Time       `json:"withdrawn_at"`
	Delivery          string           `json:"delivery" doc:"The service that prices assume"`
	Door              string           `json:"door" doc:"Its days door to door"`
	// Earlier is set where the draft stays with money rules that were changed since for others.
	Earlier *pricing.Earlier `json:"earlier_rules,omitempty"`
	// Service is the delivery that was chosen for it, Services those that there are; empty is as the money rules say.
	Service  string           `json:"service"`
	Services []DeliveryChoice `json:"services"`
}

// Bulk is a change of many drafts at once.
type Bulk struct {
	ID     int64  `json:"id"`
	What   string `json:"what"`
	Drafts int    `json:"drafts"`
}

// Picture is one picture of a draft.
type Picture struct {
	ID    int    `json:"id" doc:"Names it within the draft"`
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
	edit.Codes
	// MadeSKU is its SKU where it has none of its own; SupplierBarcode likewise.
	MadeSKU         string `json:"made_sku"`
	SupplierBarcode string `json:"supplier_barcode"`
	// Withdrawn tells that the supplier stopped selling it.
	Withdrawn bool            `json:"withdrawn"`
	OfferID   int64           `json:"offer_id" doc:"The offer that it is bought from"`
	Supplier  string          `json:"supplier"`
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

// DeliveryChoice is a delivery that a draft's prices may assume.
type DeliveryChoice struct {
	Name string `json:"name"`
	// Door is its days door to door, in words; First what the first unit costs.
	Door  string       `json:"door"`
	First money.Amount `json:"first"`
}

// services are the deliveries that reach the market of a store.
func (d *draft) services(t storeContext) []DeliveryChoice {
	list := []DeliveryChoice{}
	if t.pricer == nil {
		return list
	}
	for _, one := range d.facts.Deliveries {
		if one.Reaches(t.pricer.MoneyRules.Market) {
			door := d.facts.Processing.Plus(one.Transit)
			list = append(list, DeliveryChoice{one.Name, dayRange(door.Min, door.Max), one.First})
		}
	}
	return list
}

// Dropped is a variant that was left out of a draft.
type Dropped struct {
	ID     int64    `json:"id"`
	Values []string `json:"values"`
}

// storeContext is what drafts are looked at with: a store's pricer, limits and kept prices, or nothing.
type storeContext struct {
	pricer *pricing.Pricer
	limits variant.Limits
	kept   map[int64]pricing.StoredPrice
	sold   map[int64][]markup.Sold
	// unwanted are the words that may not be used.
	unwanted []words.Unwanted
}

func (t *storeContext) storeID() int64 {
	if t.pricer == nil {
		return 0
	}
	return t.pricer.StoreID
}

// storeContext looks drafts up in a store; none for no store. Traces come only where wanted.
func (s *Service) storeContext(ctx context.Context, q database.Querier, storeID int64, traced bool,
	ids ...int64) (storeContext, error) {
	var t storeContext
	var err error
	if t.unwanted, err = s.unwanted(ctx); err != nil || storeID == 0 {
		return t, err
	}
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
func (d *draft) priced(t storeContext, ruled bool) ([]Variant, *pricing.Quotes) {
	quotes := &pricing.Quotes{}
	if t.pricer != nil {
		quotes = t.pricer.Quotes(&d.facts)
	}
	out := make([]Variant, len(d.variants))
	for i := range d.variants {
		v := &d.variants[i]
		out[i] = Variant{ID: v.id, Values: d.values(v), Chosen: v.chosen, Cost: v.unit.Cost, Stock: v.stock,
			Withdrawn: v.withdrawn, Trace: []markup.TraceLine{}, Codes: v.codes,
			MadeSKU: edit.MadeSKU(d.id, v.number), SupplierBarcode: v.barcode, OfferID: d.offerID,
			Supplier: d.supplier}
		if v.from != nil {
			out[i].OfferID, out[i].Supplier = v.from.id, v.from.facts.Supplier
		}
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
			kept.Ladder.Market = quotes.Of(v.otherFacts()).MarketOf(v.unit)
			kept.Ladder.OldRate = t.pricer.OldRates && v.unit.Cost.Currency() != t.pricer.Currency
			out[i].Ladder, out[i].Manual, out[i].Trace = kept.Ladder, kept.Manual, kept.Trace
			out[i].WasWarning = markup.WasWarning(kept.Ladder.Was, t.sold[v.id], t.pricer.Today())
		}
		if ruled && out[i].Manual {
			if _, rule, err := quotes.Of(v.otherFacts()).Price(v.unit); err == nil {
				out[i].RulePrice = &rule.Price
			}
		}
	}
	return out, quotes
}

// report says what is missing before a draft can go out.
func (d *draft) report(t storeContext, variants []Variant, quotes *pricing.Quotes) readiness.Report {
	in := wordsOf(d.words(), t.storeID())
	in.Supplier, in.Brand, in.Unwanted = d.supplier, d.facts.Brand, t.unwanted
	in.Options, in.Limits, in.Withdrawn, in.KeepsPromise = len(d.options), t.limits, d.withdrawnAt != nil,
		quotes.Own.Choice.KeepsPromise
	if t.pricer != nil {
		in.PromiseDays = t.pricer.PromiseDays
		for i := range d.variants {
			other := d.variants[i].otherFacts()
			if other == nil || !d.variants[i].chosen {
				continue
			}
			if quote := quotes.Of(other); quote.Err == nil && !quote.Choice.KeepsPromise {
				in.KeepsPromise = false
			}
		}
	}
	for _, p := range d.pictures {
		if !p.Shown {
			continue
		}
		in.Pictures++
		if why := d.known[p.URL].Reason; why != "" {
			in.Missing = append(in.Missing, fmt.Sprintf("picture %d (%s)", in.Pictures, why))
		}
	}
	for i, v := range variants {
		if !v.Chosen {
			continue
		}
		one := readiness.Variant{Name: strings.Join(v.Values, " "), Priced: v.Ladder != nil, NoPrice: v.NoPrice,
			Stock: edit.InStock(v.Stock, d.text.Reserve), Withdrawn: d.variants[i].withdrawn,
			WrongBarcode: gtin.Check(v.Barcode)}
		if v.Ladder != nil {
			one.Profit, one.OldRate, one.WasWarning = v.Ladder.Profit, v.Ladder.OldRate, v.WasWarning
		}
		in.Variants = append(in.Variants, one)
	}
	return readiness.Check(in)
}

func (d *draft) line(report readiness.Report) Line {
	return Line{ID: d.id, OfferID: d.offerID, Title: d.title, Report: report, Picture: d.path(d.firstShown()),
		Collections: d.collections, Tags: d.tags, Type: d.text.Type, Vendor: d.text.Vendor, TrayID: d.text.TrayID,
		Revision: d.revision}
}

// words are the draft's words, those of single stores among them.
func (d *draft) words() *edit.Draft {
	words := d.text
	words.Title, words.Description = d.title, d.description
	return &words
}

func (d *draft) view(t storeContext) Draft {
	variants, quotes := d.priced(t, true)
	out := Draft{
		Line: d.line(d.report(t, variants, quotes)), Revision: d.revision, Changes: d.changes,
		Description: d.description, SearchTitle: d.text.SearchTitle, SearchDescription: d.text.SearchDescription,
		Own: d.text.Own[t.storeID()], Reserve: d.text.Reserve, Discarded: d.text.Discarded, Dropped: []Dropped{},
		Service: d.text.Delivery, Services: d.services(t),
		Options: d.options, Variants: variants, Pictures: []Picture{},
		UpdatedAt: d.updatedAt, OfferTitle: d.offerTitle, Supplier: d.supplier, Source: d.facts.Source,
		PageURL: d.pageURL, WithdrawnAt: d.withdrawnAt,
	}
	for i := range variants {
		variants[i].Picture = d.path(d.picture(d.variants[i].pictureID))
	}
	for i := range d.dropped {
		if d.dropped[i].from != nil {
			continue // it comes back by adding it again, since its values may be none of the draft's
		}
		out.Dropped = append(out.Dropped, Dropped{d.dropped[i].id, d.values(&d.dropped[i])})
	}
	for i := range d.pictures {
		p := &d.pictures[i]
		out.Pictures = append(out.Pictures, Picture{p.ID, d.path(p), p.Shown})
	}
	if quote := &quotes.Own; t.pricer != nil && quote.Err == nil {
		out.Delivery = quote.Choice.Delivery.Name
		out.Door = dayRange(quote.Choice.Door.Min, quote.Choice.Door.Max)
	}
	return out
}

// Get shows one draft.
func (s *Service) Get(ctx context.Context, id, storeID int64) (Draft, error) {
	t, err := s.storeContext(ctx, s.Pool, storeID, true, id)
	if err != nil {
		return Draft{}, err
	}
	d, err := single(load(ctx, s.Pool, s.Media, id))
	if err != nil {
		return Draft{}, err
	}
	out := d.view(t)
	return out, s.lastEdit(ctx, &out, storeID)
}
