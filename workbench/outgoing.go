package workbench

import (
	"cmp"
	"context"
	"fmt"
	"slices"

	"plainpelican/core/edit"
	"plainpelican/core/markup"
	"plainpelican/core/readiness"
	"plainpelican/core/variant"
	"plainpelican/pricing"
)

// Ready is a draft as it would go out to a store.
type Ready struct {
	DraftID, OfferID int64
	Revision         int // at which what stores are sent was last changed
	Reserve          int
	Reference        string
	// Bought are the offers that its variants are bought from, each once.
	Bought             []Bought
	Title, Description string
	SearchTitle        string
	SearchDescription  string
	Type               string
	Vendor             string // empty is the shop itself
	Collections, Tags  []string
	Pictures           []string // addresses, in order
	Options            []variant.Option
	Variants           []ReadyVariant
	Report             readiness.Report
}

// Bought is an offer that variants which go out are bought from.
type Bought struct {
	OfferID, SourceID int64
	Number, Supplier  string
	Variants          []string // what they are called; all of the draft's where it is bought from one offer
}

// ReadyVariant is a chosen variant as it would go out.
type ReadyVariant struct {
	ID     int64
	SKU    string
	Values []string
	Ladder pricing.Ladder
	Trace  []markup.TraceLine
	// Supplied is the supplier's stock, the reserve not taken off.
	Supplied int
	Barcode  string
	// OfferVariantID is what it is bought as.
	OfferVariantID int64
	// Picture is the address of one of the draft's; empty is none.
	Picture string
}

// Ready prepares a draft for a store. Where its report says that it is not ready, the
// variants may lack prices. By rules, a price that was set by hand gives way to what the rules say.
func (s *Service) Ready(ctx context.Context, id, storeID int64, byRules bool) (Ready, error) {
	t, err := s.storeContext(ctx, s.Pool, storeID, true, id)
	if err != nil {
		return Ready{}, err
	}
	d, err := single(load(ctx, s.Pool, s.Media, id))
	if err != nil {
		return Ready{}, err
	}
	variants, quotes := d.priced(t, false)
	if byRules {
		d.byRules(t, variants, quotes)
	}
	r := Ready{DraftID: d.id, OfferID: d.offerID, Revision: d.contentRevision, Reserve: d.text.Reserve,
		Reference: d.reference, SearchTitle: d.text.SearchTitle, SearchDescription: d.text.SearchDescription,
		Type: d.text.Type, Vendor: d.text.Vendor, Collections: d.collections, Tags: d.tags,
		Report: d.report(t, variants, quotes)}
	r.Title, r.Description = d.words().Words(storeID)
	used := make([]map[int]bool, len(d.options))
	for i := range used {
		used[i] = map[int]bool{}
	}
	for i, v := range variants {
		if !v.Chosen || v.Ladder == nil {
			continue
		}
		for o, index := range d.variants[i].valueIndexes {
			used[o][index] = true
		}
		r.bought(d, &d.variants[i])
		r.Variants = append(r.Variants,
			ReadyVariant{ID: v.ID, SKU: cmp.Or(v.SKU, v.MadeSKU), Values: v.Values, Ladder: *v.Ladder, Trace: v.Trace,
				Supplied: v.Stock, Barcode: cmp.Or(v.Barcode, v.SupplierBarcode),
				OfferVariantID: d.variants[i].offerVariantID,
				Picture:        d.address(d.picture(d.variants[i].pictureID))})
	}
	for i, o := range d.options {
		kept := variant.Option{Name: o.Name, Original: o.Original}
		for index, value := range o.Values {
			if used[i][index] {
				kept.Values = append(kept.Values, value)
			}
		}
		r.Options = append(r.Options, kept)
	}
	for _, p := range d.pictures {
		if p.Shown {
			r.Pictures = append(r.Pictures, p.URL)
		}
	}
	return r, nil
}

// byRules has variants whose price was set by hand sell for what the rules say.
func (d *draft) byRules(t storeContext, variants []Variant, quotes *pricing.Quotes) {
	for i := range variants {
		v := &variants[i]
		if !v.Manual || t.pricer == nil {
			continue
		}
		var trace markup.Trace
		ladder, err := quotes.Of(d.variants[i].otherFacts()).Ladder(d.variants[i].unit, nil, &trace)
		if err != nil {
			v.Ladder, v.NoPrice = nil, t.pricer.ErrorMessage(err)
			continue
		}
		v.Ladder, v.Trace, v.Manual = &ladder, trace.Lines(), false
	}
}

// bought notes what a variant that goes out is bought from.
func (r *Ready) bought(d *draft, v *draftVariant) {
	from := Bought{OfferID: d.offerID, SourceID: d.sourceID, Number: d.offerNumber, Supplier: d.supplier}
	if o := v.from; o != nil {
		from = Bought{OfferID: o.id, SourceID: o.sourceID, Number: o.number, Supplier: o.facts.Supplier}
	}
	at := slices.IndexFunc(r.Bought, func(b Bought) bool { return b.OfferID == from.OfferID })
	if at < 0 {
		at = len(r.Bought)
		r.Bought = append(r.Bought, from)
	}
	r.Bought[at].Variants = append(r.Bought[at].Variants, d.name(v))
}

// address is where a picture was taken from; that of none is empty.
func (d *draft) address(p *edit.Picture) string {
	if p == nil {
		return ""
	}
	return p.URL
}

func dayRange(lo, hi int) string {
	if lo == hi {
		return fmt.Sprintf("%d days", lo)
	}
	return fmt.Sprintf("%d–%d days", lo, hi)
}
