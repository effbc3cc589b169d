package catalog

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"time"

	"github.com/jackc/pgx/v5"

	"plainpelican/catalog/index"
	"plainpelican/core/demand"
	"plainpelican/core/markup"
	"plainpelican/core/money"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/platform/safehtml"
	"plainpelican/pricing"
)

// Line is an offer as a line of the list.
type Line struct {
	ID        int64           `json:"id"`
	Title     string          `json:"title"`
	Supplier  string          `json:"supplier"`
	Source    string          `json:"source"`
	ShipsFrom string          `json:"ships_from"`
	Rating    string          `json:"rating"`
	Picture   string          `json:"picture"`
	Units     int             `json:"units" doc:"Sold in 30 days"`
	Demand    string          `json:"demand" enum:"rising,steady,falling,too little data"`
	Growth    int             `json:"growth" doc:"Tenths of a percent a month, without the season"`
	Rivals    int             `json:"rivals" doc:"Stores that sell it, as its source says"`
	Weekly    []int32         `json:"weekly" doc:"Units a week over the last year, oldest first"`
	Stock     int             `json:"stock"`
	Days      *pricing.Days   `json:"days"`
	Ladder    *pricing.Ladder `json:"ladder" doc:"Of the cheapest variant; null where there is no price"`
	NoPrice   string          `json:"no_price"`
	Drafts    []int64         `json:"drafts" doc:"Drafts made of it"`
}

// PicturePath is where a picture of an offer is served.
func PicturePath(offer int64, place int) string { return fmt.Sprintf("/pictures/%d/%d", offer, place) }

func itoa(n int64) string { return strconv.FormatInt(n, 10) }

// lines shows offers of an answer, in order, with their prices in a store.
func (s *Service) lines(ctx context.Context, hits []index.Hit[thing], p *pricing.Pricer) ([]Line, error) {
	ids := make([]int64, len(hits))
	at := map[int64]int{}
	out := make([]Line, len(hits))
	for i := range hits {
		h := &hits[i]
		ids[i], at[h.ID] = h.ID, i
		out[i] = Line{ID: h.ID, ShipsFrom: h.ShipsFrom, Rating: apikit.Tenths(int(h.Numbers[index.Rating])), Units: int(h.Numbers[index.Month]), Stock: int(h.Numbers[index.Stock]), Rivals: int(h.Numbers[index.Rivals]), Drafts: []int64{}}
		if p == nil {
			continue
		}
		quote := p.Quote(h.Thing.Thing)
		out[i].Days = quote.Days(h.Thing.Processing)
		ladder, err := quote.Rungs(h.Thing.unit, nil, nil)
		if err != nil {
			out[i].NoPrice = p.Words(err)
		} else {
			out[i].Ladder = &ladder
		}
	}
	rows, err := s.Pool.Query(ctx, `
		select o.id, o.title, u.name, x.name, o.demand, o.growth, cardinality(o.pictures), o.weekly[greatest(1, cardinality(o.weekly) - 51):]
		from offer o join supplier u on u.id = o.supplier_id join source x on x.id = o.source_id where o.id = any ($1)`, ids)
	if err != nil {
		return nil, err
	}
	var id int64
	var title, supplier, source, class string
	var pictures, growth int
	var weekly []int32
	_, err = pgx.ForEachRow(rows, []any{&id, &title, &supplier, &source, &class, &growth, &pictures, &weekly}, func() error {
		line := &out[at[id]]
		line.Title, line.Supplier, line.Source, line.Demand, line.Growth, line.Weekly = title, supplier, source, class, growth, list(weekly)
		weekly = nil
		if pictures > 0 {
			line.Picture = PicturePath(id, 0)
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	taken, err := s.Bench.Taken(ctx, ids) // of this moment: the index follows a little later
	for offer, drafts := range taken {
		out[at[offer]].Drafts = drafts
	}
	return out, err
}

// Sheet is an offer in full.
type Sheet struct {
	Line
	Number      string             `json:"number"`
	Description string             `json:"description" doc:"Safe HTML"`
	Category    string             `json:"category"`
	Brand       string             `json:"brand"`
	PageURL     string             `json:"page_url"`
	Pictures    []string           `json:"pictures"`
	OptionNames []string           `json:"option_names"`
	Variants    []SheetVariant     `json:"variants"`
	Deliveries  []SheetDelivery    `json:"deliveries" doc:"To any of the store's markets, or all where there is no store"`
	Ratings     int                `json:"ratings"`
	ReturnDays  int                `json:"return_days"`
	OnTime      int                `json:"on_time" doc:"Percent"`
	Verified    bool               `json:"verified"`
	UpdatedAt   time.Time          `json:"updated_at"`
	WithdrawnAt *time.Time         `json:"withdrawn_at"`
	AtMarket    *pricing.Ladder    `json:"at_market" doc:"What it would earn at the middle of the prices seen at other stores; null where none are known"`
	Trace       []markup.TraceLine `json:"trace" doc:"How the price of the cheapest variant for sale came about"`
	Remarks     []string           `json:"remarks" doc:"What its source says besides, such as a least order quantity"`
	OwnPacking  bool               `json:"own_packing" doc:"The supplier packs with the seller's brand"`
	FirstSeen   time.Time          `json:"first_seen"`
	Verdict     demand.Verdict     `json:"verdict" doc:"What its sales say"`
	Said        string             `json:"said" doc:"The same in a sentence"`
	Markets     []string           `json:"markets" doc:"The store's; the one that prices assume first"`
	Market      string             `json:"market" doc:"The country that prices assume; empty where there is no store"`
}

// SheetVariant is a variant of an offer with what it would earn.
type SheetVariant struct {
	ID          int64           `json:"id"`
	Number      string          `json:"number"`
	Values      []string        `json:"values"`
	Cost        money.Amount    `json:"cost"`
	Stock       int             `json:"stock"`
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

func (s *Service) sheet(ctx context.Context, id, storeID int64) (Sheet, error) {
	var pricer *pricing.Pricer
	if storeID != 0 {
		var err error
		if pricer, err = s.Pricing.Pricer(ctx, storeID); err != nil {
			return Sheet{}, err
		}
	}
	o := Sheet{Pictures: []string{}, Variants: []SheetVariant{}, Deliveries: []SheetDelivery{}, Markets: []string{}, Trace: []markup.TraceLine{}}
	var t pricing.Thing
	var rating, pictures int
	var currency, marketIn string
	err := s.Pool.QueryRow(ctx, `
		select o.id, o.number, o.title, o.description, own_category(o.source_id, o.category), o.brand, o.page_url, cardinality(o.pictures), o.option_names, o.currency, o.processing_min, o.processing_max,
			o.rating, o.ratings, o.return_days, o.weekly, o.deliveries, o.updated_at, o.withdrawn_at, o.rivals, o.market_prices, o.market_currency, o.own_packing, o.remarks, `+pricing.LeastCostSQL+`, o.first_seen, u.name, u.country, u.on_time, u.verified, x.name
		from offer o join supplier u on u.id = o.supplier_id join source x on x.id = o.source_id where o.id = $1`, id).Scan(
		&o.ID, &o.Number, &o.Title, &o.Description, &o.Category, &o.Brand, &o.PageURL, &pictures, &o.OptionNames, &currency, &t.Processing.Min, &t.Processing.Max,
		&rating, &o.Ratings, &o.ReturnDays, &o.Weekly, &t.Deliveries, &o.UpdatedAt, &o.WithdrawnAt, &o.Rivals, &t.Market, &marketIn, &o.OwnPacking, &o.Remarks, &t.LeastCost, &o.FirstSeen, &o.Supplier, &o.ShipsFrom, &o.OnTime, &o.Verified, &o.Source)
	if database.Missing(err) {
		return o, apikit.NotFound("offer")
	}
	if err != nil {
		return o, err
	}
	o.Description, o.Rating = safehtml.Clean(o.Description), apikit.Tenths(rating)
	for place := range pictures {
		o.Pictures = append(o.Pictures, PicturePath(id, place))
	}
	if pictures > 0 {
		o.Picture = o.Pictures[0]
	}
	_, month := demand.UnitsIn(o.Weekly)
	o.Units = int(month)
	o.Verdict = demand.Judge(o.Weekly, o.UpdatedAt)
	o.Demand, o.Growth, o.Said = string(o.Verdict.Class), o.Verdict.Growth, o.Verdict.Words(time.Now())
	c, err := money.ParseCurrency(currency)
	if err != nil {
		return o, err
	}
	t.Source, t.ShipsFrom, t.Supplier, t.Category, t.Brand = o.Source, o.ShipsFrom, o.Supplier, o.Category, o.Brand
	if t.MarketCurrency, err = currencyOf(marketIn); err != nil {
		return o, err
	}
	if err := s.sheetVariants(ctx, &o, t, c, pricer); err != nil {
		return o, err
	}
	taken, err := s.Bench.Taken(ctx, []int64{id})
	o.Drafts = list(taken[id])
	return o, err
}

func (s *Service) sheetVariants(ctx context.Context, o *Sheet, t pricing.Thing, c money.Currency, p *pricing.Pricer) error {
	var quote pricing.Quote
	if p != nil {
		quote = p.Quote(&t)
		o.Market = p.MoneyRules.Market
		o.Markets = append([]string{o.Market}, slices.DeleteFunc(slices.Clone(p.Markets), func(market string) bool { return market == o.Market })...)
		o.Days = quote.Days(t.Processing)
		o.NoPrice = p.Words(quote.Err)
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
		o.Deliveries = append(o.Deliveries, SheetDelivery{d.Name, d.First, d.Further, days, d.Tracked, list(to), p != nil && quote.Err == nil && d.Name == quote.Choice.Delivery.Name})
	}
	rows, err := s.Pool.Query(ctx, `select id, number, option_values, cost, min_advertised, list_price, prices_in, stock, picture, weight_grams, withdrawn from offer_variant where offer_id = $1 order by position, id`, o.ID)
	if err != nil {
		return err
	}
	var v SheetVariant
	var cheapest pricing.Unit
	var cost, advertised, listed int64
	var picture int
	var pricesIn string
	_, err = pgx.ForEachRow(rows, []any{&v.ID, &v.Number, &v.Values, &cost, &advertised, &listed, &pricesIn, &v.Stock, &picture, &v.WeightGrams, &v.Withdrawn}, func() error {
		one := v
		one.Cost, one.Picture, v.Values = money.New(cost, c), PicturePath(o.ID, picture), nil
		if !one.Withdrawn {
			o.Stock += one.Stock
		}
		if p != nil && quote.Err == nil && !one.Withdrawn {
			var trace markup.Trace
			unit := pricing.UnitOf(c, cost, advertised, listed, pricesIn)
			ladder, err := quote.Rungs(unit, nil, &trace)
			if err != nil {
				o.NoPrice = p.Words(err)
			} else {
				one.Ladder = &ladder
				if o.Ladder == nil || ladder.Landed.Minor() < o.Ladder.Landed.Minor() {
					o.Ladder, o.Trace, cheapest = &ladder, trace.Lines(), unit
				}
			}
		}
		o.Variants = append(o.Variants, one)
		return nil
	})
	if err == nil && o.Ladder != nil && o.Ladder.Market != nil {
		if ladder, err := quote.Rungs(cheapest, &o.Ladder.Market.Middle, nil); err == nil {
			o.AtMarket = &ladder
		}
	}
	return err
}
