package search

import (
	"context"
	"slices"
	"strconv"

	"github.com/jackc/pgx/v5"

	"plainpelican/core/market"
	"plainpelican/core/money"
	"plainpelican/core/terms"
	"plainpelican/offers"
	"plainpelican/platform/apikit"
	"plainpelican/pricing"
	"plainpelican/search/index"
)

// Line is an offer as a line of the list.
type Line struct {
	ID        int64           `json:"id"`
	Title     string          `json:"title"`
	Supplier  string          `json:"supplier"`
	Source    string          `json:"source"`
	ShipsFrom string          `json:"ships_from"`
	Rating    string          `json:"rating" doc:"Empty where it is not known"`
	Picture   string          `json:"picture"`
	Units     *int            `json:"units" doc:"Sold in 30 days; null where nobody told"`
	Demand    string          `json:"demand" enum:"rising,steady,falling,stopped,too little data"`
	Growth    int             `json:"growth" doc:"Tenths of a percent a month, without the season"`
	Rivals    *int            `json:"rivals" doc:"Stores that sell it; null where not known"`
	Weekly    []int32         `json:"weekly" doc:"Units a week over the last year, oldest first"`
	Stock     *int            `json:"stock" doc:"Of all variants; null where the source does not say"`
	Days      *pricing.Days   `json:"days"`
	Ladder    *pricing.Ladder `json:"ladder" doc:"Of the cheapest variant in stock; null without a price"`
	NoPrice   string          `json:"no_price"`
	PricedID  int64           `json:"priced_id" doc:"The variant that the ladder is of"`
	Other     *OtherVariant   `json:"other" doc:"The cheapest in stock or sold out; null where they are one"`
	Worth     *money.Amount   `json:"worth" doc:"Profit x units / rivals; null where not known"`
	Match     *MatchedVariant `json:"match" doc:"The variant whose options the words name; null where they name none"`
	Drafts    []int64         `json:"drafts" doc:"Drafts made of it"`

	number, brand, category, page string
}

// OtherVariant is a variant beside the one that a row is about.
type OtherVariant struct {
	Landed  money.Amount `json:"landed"`
	Price   money.Amount `json:"price"`
	InStock bool         `json:"in_stock"`
}

// MatchedVariant is the variant that words name.
type MatchedVariant struct {
	Values  []string `json:"values"`
	InStock bool     `json:"in_stock" doc:"Or its stock is not known"`
}

func itoa(n int64) string { return strconv.FormatInt(n, 10) }

// lineOptions is how lines are shown: in a store, or none; of the cheapest variants though they are sold out; with
// the variants that words name.
type lineOptions struct {
	pricer     *pricing.Pricer
	soldOutToo bool
	query      *terms.Query
	// full is with the seller's own category, for a file.
	full bool
}

// Lines shows offers of the index, in order, as they come to by a pricer; without one they have no prices.
func (s *Service) Lines(ctx context.Context, hits []index.Hit[OfferPricing], p *pricing.Pricer) ([]Line, error) {
	return s.lines(ctx, hits, lineOptions{pricer: p})
}

// lines shows offers of an answer, in order.
func (s *Service) lines(ctx context.Context, hits []index.Hit[OfferPricing], show lineOptions) ([]Line, error) {
	ids := make([]int64, len(hits))
	at := map[int64]int{}
	out := make([]Line, len(hits))
	for i := range hits {
		h := &hits[i]
		ids[i], at[h.ID] = h.ID, i
		out[i] = Line{ID: h.ID, ShipsFrom: h.ShipsFrom, Rating: apikit.Tenths(int(h.Numbers[index.Rating])),
			Units:  apikit.Known(h.Numbers[index.Month], index.Unknown),
			Stock:  apikit.Known(h.Numbers[index.Stock], index.Unknown),
			Rivals: apikit.Known(h.Numbers[index.Rivals], index.NotCounted), Drafts: []int64{}}
		out[i].price(h.Item, show)
	}
	category := `o.category` // as its supplier has it: words are compared with it
	if show.full {
		category = `own_category(o.source_id, o.category)`
	}
	rows, err := s.pool.Query(ctx, `
		select o.id, o.title, u.name, x.name, o.demand, o.growth, cardinality(o.pictures),
		o.weekly[greatest(1, cardinality(o.weekly) - 51):], o.number, o.brand, `+category+`, o.page_url
		from facts.offer o join facts.supplier u on u.id = o.supplier_id join facts.source x on x.id = o.source_id
		where o.id = any ($1)`,
		ids)
	if err != nil {
		return nil, err
	}
	var one Line
	var pictures int
	_, err = pgx.ForEachRow(rows,
		[]any{&one.ID, &one.Title, &one.Supplier, &one.Source, &one.Demand, &one.Growth, &pictures, &one.Weekly,
			&one.number, &one.brand, &one.category, &one.page}, func() error {
			line := &out[at[one.ID]]
			line.Title, line.Supplier, line.Source, line.Demand, line.Growth, line.Weekly = one.Title, one.Supplier,
				one.Source, one.Demand, one.Growth, apikit.List(one.Weekly)
			line.number, line.brand, line.category, line.page = one.number, one.brand, one.category, one.page
			one.Weekly = nil
			if pictures > 0 {
				line.Picture = offers.PicturePath(one.ID, 0)
			}
			return nil
		})
	if err != nil {
		return nil, err
	}
	if show.query != nil && len(show.query.Needs) > 0 {
		if err := s.matchVariants(ctx, show.query, out); err != nil {
			return nil, err
		}
	}
	taken, err := s.drafts.DraftsOf(ctx, ids) // of this moment: the index follows a little later
	for offer, drafts := range taken {
		out[at[offer]].Drafts = drafts
	}
	return out, err
}

// price fills in what an offer comes to in a store.
func (l *Line) price(t *OfferPricing, show lineOptions) {
	p := show.pricer
	l.PricedID = t.priced(show.soldOutToo).id
	if p == nil {
		return
	}
	quote := p.Quote(t.OfferFacts)
	l.Days = quote.Days(t.Processing)
	ladder, err := quote.Ladder(t.priced(show.soldOutToo).unit, nil, nil)
	if err != nil {
		l.NoPrice = p.ErrorMessage(err)
		return
	}
	l.Ladder = &ladder
	if l.Units != nil && l.Rivals != nil {
		worth := market.Worth(ladder.Profit, int64(*l.Units), int64(*l.Rivals))
		l.Worth = &worth
	}
	if t.cheapest != nil {
		if _, theirs, err := quote.Price(t.priced(!show.soldOutToo).unit); err == nil {
			l.Other = &OtherVariant{theirs.Landed, theirs.Price, show.soldOutToo}
		}
	}
}

// matchVariants shows for each offer the variant whose options or numbers meet most of what was typed and the offer
// itself does not say: one in stock before one that is sold out, then the first.
func (s *Service) matchVariants(ctx context.Context, words *terms.Query, lines []Line) error {
	missing := map[int64][]*terms.Need{}
	at := map[int64]*Line{}
	var ids []int64
	for i := range lines {
		l := &lines[i]
		itself := terms.TextOf(l.Title + "\n" + l.category + "\n" + l.brand + "\n" + l.Supplier)
		var needs []*terms.Need
		for n := range words.Needs {
			if need := &words.Needs[n]; !need.MetBy(itself) {
				needs = append(needs, need)
			}
		}
		if len(needs) > 0 || words.Code != "" {
			missing[l.ID], at[l.ID] = needs, l
			ids = append(ids, l.ID)
		}
	}
	if len(ids) == 0 {
		return nil
	}
	rows, err := s.pool.Query(ctx, `select v.offer_id, v.option_values, v.number, v.barcode, v.stock > 0
		or v.stock_unknown, v.picture, cardinality(o.pictures)
		from facts.offer_variant v join facts.offer o on o.id = v.offer_id
		where v.offer_id = any ($1) and not v.withdrawn order by v.offer_id, v.position, v.id`, ids)
	if err != nil {
		return err
	}
	best := map[int64]int{}
	cut := map[string]terms.Text{} // many variants have the same value
	meets := func(n *terms.Need, value string) bool {
		text, known := cut[value]
		if !known {
			text = terms.TextOf(value)
			cut[value] = text
		}
		return n.MetBy(text)
	}
	var offer int64
	var values []string
	var number, barcode string
	var inStock bool
	var picture, pictures int
	_, err = pgx.ForEachRow(rows, []any{&offer, &values, &number, &barcode, &inStock, &picture, &pictures},
		func() error {
			defer func() { values = nil }()
			l := at[offer]
			met := 0
			sku, ean := terms.Code(number), terms.Code(barcode)
			for _, n := range missing[offer] {
				if (n.Code != "" && (n.Code == sku || n.Code == ean)) ||
					slices.ContainsFunc(values, func(v string) bool {
						return meets(n, v)
					}) {
					met += 2
				}
			}
			if words.Code != "" && (words.Code == sku || words.Code == ean) {
				met += 2
			}
			if met > 0 && inStock {
				met++
			}
			if met > best[offer] {
				best[offer] = met
				l.Match = &MatchedVariant{apikit.List(values), inStock}
				if pictures > 0 {
					l.Picture = offers.PicturePath(offer, picture)
				}
			}
			return nil
		})
	return err
}
