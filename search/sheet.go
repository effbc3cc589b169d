package search

import (
	"context"
	"slices"
	"time"

	"github.com/jackc/pgx/v5"

	"plainpelican/core/demand"
	"plainpelican/core/markup"
	"plainpelican/core/money"
	"plainpelican/offers"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/platform/safehtml"
	"plainpelican/pricing"
	"plainpelican/search/index"
)

// Sheet is an offer in full.
type Sheet struct {
	Line
	Number         string             `json:"number"`
	Description    string             `json:"description" doc:"Safe HTML"`
	Category       string             `json:"category"`
	Brand          string             `json:"brand"`
	PageURL        string             `json:"page_url"`
	Pictures       []string           `json:"pictures"`
	OptionNames    []string           `json:"option_names"`
	Variants       []SheetVariant     `json:"variants"`
	Deliveries     []SheetDelivery    `json:"deliveries" doc:"To the store's markets, or all"`
	Ratings        int                `json:"ratings"`
	ReturnDays     *int               `json:"return_days" doc:"Null where it is not known"`
	OnTime         *int               `json:"on_time" doc:"Percent; null where it is not known"`
	Verified       bool               `json:"verified"`
	UpdatedAt      time.Time          `json:"updated_at"`
	WithdrawnAt    *time.Time         `json:"withdrawn_at"`
	AtMarketMedian *pricing.Ladder    `json:"at_market" doc:"At the market median; null without one"`
	Trace          []markup.TraceLine `json:"trace" doc:"How the price of the cheapest variant for sale came about"`
	Remarks        []string           `json:"remarks" doc:"Such as a least order quantity"`
	OwnPacking     bool               `json:"own_packing" doc:"The supplier packs with the seller's brand"`
	FirstSeen      time.Time          `json:"first_seen"`
	Verdict        demand.Verdict     `json:"verdict" doc:"What its sales say"`
	Said           string             `json:"said" doc:"The same in a sentence"`
	Markets        []string           `json:"markets" doc:"The store's; the one that prices assume first"`
	Market         string             `json:"market" doc:"That prices assume; empty without a store"`
	Versions       int                `json:"versions" doc:"How often it has changed since it was first seen"`
}

// SheetVariant is a variant of an offer with what it would earn.
type SheetVariant struct {
	ID          int64           `json:"id"`
	Number      string          `json:"number"`
	Values      []string        `json:"values"`
	Cost        money.Amount    `json:"cost"`
	Stock       *int            `json:"stock" doc:"Null where the source does not say"`
	Picture     string          `json:"picture"`
	WeightGrams int             `json:"weight_grams"`
	Withdrawn   bool            `json:"withdrawn"`
	Ladder      *pricing.Ladder `json:"ladder"`
}

// SheetDelivery is a delivery option of an offer.
type SheetDelivery struct {
	Name    string       `json:"name"`
	First   money.Amount `json:"first"`
	Further money.Amount `json:"further"`
	Days    pricing.Days `json:"days"`
	Tracked bool         `json:"tracked"`
	To      []string     `json:"to" doc:"The store's markets that it reaches; where there is no store, the countries"`
	// Assumed is true for the one that prices assume.
	Assumed bool `json:"assumed"`
}

func (s *Service) sheet(ctx context.Context, id, storeID int64, soldOutToo bool) (Sheet, error) {
	var pricer *pricing.Pricer
	if storeID != 0 {
		var err error
		if pricer, err = s.pricing.Pricer(ctx, storeID); err != nil {
			return Sheet{}, err
		}
	}
	o := Sheet{Pictures: []string{}, Variants: []SheetVariant{}, Deliveries: []SheetDelivery{}, Markets: []string{},
		Trace: []markup.TraceLine{}}
	var row pricing.OfferFactsRow
	var rating, pictures int
	err := s.pool.QueryRow(ctx, `
		select o.id, o.number, o.title, o.description, o.page_url, cardinality(o.pictures), o.option_names, o.rating,
			o.ratings, o.return_days, o.weekly, o.updated_at, o.withdrawn_at, o.rivals, o.own_packing, o.remarks,
			o.first_seen, u.on_time, u.verified,
			(select count(*) from facts.offer_version where offer_id = o.id),`+pricing.OfferFactsColumns+`
		from facts.offer o`+pricing.OfferFactsJoin+`where o.id = $1`, id).
		Scan(append([]any{&o.ID, &o.Number, &o.Title, &o.Description, &o.PageURL, &pictures, &o.OptionNames, &rating,
			&o.Ratings, &o.ReturnDays, &o.Weekly, &o.UpdatedAt, &o.WithdrawnAt, &o.Rivals, &o.OwnPacking, &o.Remarks,
			&o.FirstSeen, &o.OnTime, &o.Verified, &o.Versions}, row.Fields()...)...)
	if database.Missing(err) {
		return o, apikit.NotFound("offer")
	}
	if err != nil {
		return o, err
	}
	o.Description, o.Rating = safehtml.Clean(o.Description), apikit.Tenths(rating)
	for position := range pictures {
		o.Pictures = append(o.Pictures, offers.PicturePath(id, position))
	}
	if pictures > 0 {
		o.Picture = o.Pictures[0]
	}
	if len(o.Weekly) > 0 {
		_, month := demand.UnitsIn(o.Weekly)
		o.Units = apikit.Known(month, index.Unknown)
	}
	o.Verdict = demand.Judge(o.Weekly, o.UpdatedAt)
	o.Demand, o.Growth, o.Said = string(o.Verdict.Class), o.Verdict.Growth, o.Verdict.Words(time.Now())
	t, c, err := row.Take()
	if err != nil {
		return o, err
	}
	o.Source, o.ShipsFrom, o.Supplier, o.Category, o.Brand = t.Source, t.ShipsFrom, t.Supplier, t.Category, t.Brand
	if err := s.sheetVariants(ctx, &o, t, c, pricer, soldOutToo); err != nil {
		return o, err
	}
	taken, err := s.drafts.DraftsOf(ctx, []int64{id})
	o.Drafts = apikit.List(taken[id])
	return o, err
}

func (s *Service) sheetVariants(ctx context.Context, o *Sheet, t pricing.OfferFacts, c money.Currency,
	p *pricing.Pricer, soldOutToo bool) error {
	var quote pricing.Quote
	if p != nil {
		quote = p.Quote(&t)
		o.Market = p.MoneyRules.Market
		o.Markets = append([]string{o.Market}, slices.DeleteFunc(slices.Clone(p.Markets), func(market string) bool {
			return market == o.Market
		})...)
		o.Days = quote.Days(t.Processing)
		o.NoPrice = p.ErrorMessage(quote.Err)
	}
	for _, d := range t.Deliveries {
		to := d.To
		if p != nil {
			to = slices.DeleteFunc(slices.Clone(o.Markets), func(market string) bool { return !d.Reaches(market) })
			if len(to) == 0 {
				continue
			}
		}
		days := pricing.Days{Processing: t.Processing, Transit: d.Transit, Door: t.Processing.Plus(d.Transit)}
		if p != nil {
			days.Promise, days.KeepsPromise = p.PromiseDays, days.Door.Within(p.PromiseDays)
		}
		o.Deliveries = append(o.Deliveries,
			SheetDelivery{d.Name, d.First, d.Further, days, d.Tracked, apikit.List(to),
				p != nil && quote.Err == nil && d.Name == quote.Choice.Delivery.Name})
	}
	rows, err := s.pool.Query(ctx, `select id, number, option_values, cost, min_advertised, list_price, prices_in,
		stock, stock_unknown, picture, weight_grams, withdrawn from facts.offer_variant where offer_id = $1
		order by position, id`, o.ID)
	if err != nil {
		return err
	}
	var v SheetVariant
	var cost, advertised, listed int64
	var picture, stock int
	var unknown bool
	var pricesIn string
	// What the sheet is about, and the other one: the least landed cost of what is in stock, and of all.
	var inStock, cheapest *candidate
	_, err = pgx.ForEachRow(rows,
		[]any{&v.ID, &v.Number, &v.Values, &cost, &advertised, &listed, &pricesIn, &stock, &unknown, &picture,
			&v.WeightGrams, &v.Withdrawn}, func() error {
			one := v
			one.Cost, one.Picture, v.Values = money.New(cost, c), offers.PicturePath(o.ID, picture), nil
			if !unknown {
				n := stock
				one.Stock = &n
				if !one.Withdrawn {
					if o.Stock == nil {
						o.Stock = new(int)
					}
					*o.Stock += stock
				}
			}
			if p != nil && quote.Err == nil && !one.Withdrawn {
				this := candidate{id: one.ID, unit: pricing.UnitOf(c, cost, advertised, listed, pricesIn)}
				var err error
				if this.ladder, err = quote.Ladder(this.unit, nil, &this.trace); err != nil {
					o.NoPrice = p.ErrorMessage(err)
				} else {
					one.Ladder = &this.ladder
					if cheapest == nil || this.ladder.Landed.Minor() < cheapest.ladder.Landed.Minor() {
						cheapest = &this
					}
					if (stock > 0 || unknown) &&
						(inStock == nil || this.ladder.Landed.Minor() < inStock.ladder.Landed.Minor()) {
						inStock = &this
					}
				}
			}
			o.Variants = append(o.Variants, one)
			return nil
		})
	if err != nil || cheapest == nil {
		return err
	}
	shown, other := inStock, cheapest
	if shown == nil || soldOutToo {
		shown, other = cheapest, inStock
	}
	o.Ladder, o.Trace, o.PricedID = &shown.ladder, shown.trace.Lines(), shown.id
	if other != nil && other.ladder.Landed != shown.ladder.Landed {
		o.Other = &OtherVariant{other.ladder.Landed, other.ladder.Price, soldOutToo}
	}
	if o.Ladder.Market != nil {
		if ladder, err := quote.Ladder(shown.unit, &o.Ladder.Market.Median, nil); err == nil {
			o.AtMarketMedian = &ladder
		}
	}
	return nil
}

// candidate is a variant that a sheet may be about.
type candidate struct {
	id     int64
	unit   pricing.Unit
	ladder pricing.Ladder
	trace  markup.Trace
}
