package catalog

import (
	"context"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"

	"plainpelican/catalog/index"
	"plainpelican/core/demand"
	"plainpelican/core/landed"
	"plainpelican/core/likeness"
	"plainpelican/core/market"
	"plainpelican/core/money"
	"plainpelican/pricing"
)

// thing is what an offer's price in any store rests on: its cheapest variant for sale.
type thing struct {
	// Thing is shared by offers that have all of it in common, as those of a price list do.
	*pricing.Thing
	unit          pricing.Unit
	month, rivals int32 // units in 30 days, stores that sell it
}

// entries reads the offers for sale that meet a condition, in the order of their ids.
func (s *Service) entries(ctx context.Context, where string, arg any, do func(index.Entry[thing])) error {
	args := []any{}
	if arg != nil {
		args = append(args, arg)
	}
	rows, err := s.Pool.Query(ctx, `
		select o.id, o.title || ' ' || u.name || ' ' || o.category || ' ' || coalesce(m.path || ' ', '') || o.brand || ' ' || o.number, o.source_id, u.country, coalesce(m.path, o.category), o.rating,
			o.weekly[greatest(1, cardinality(o.weekly) - 4):], o.rivals, o.return_days, u.on_time, u.verified, o.own_packing, o.demand, o.growth, extract(epoch from o.first_seen)::bigint / 86400,
			case when exists (select from listing where offer_id = o.id) then 'listings' when exists (select from draft where offer_id = o.id) then 'workbench' else 'no' end,
			v.stock, v.cost, v.min_advertised, v.list_price, v.prices_in, o.currency, u.name, o.brand, o.market_prices, o.market_currency, o.processing_min, o.processing_max, o.deliveries, x.name, p.shapes, p.outline, v.grams
		from offer o join supplier u on u.id = o.supplier_id join source x on x.id = o.source_id and x.state = 'connected'
		left join category_mapping m on m.source_id = o.source_id and m.name = o.category
		left join picture p on p.url = o.pictures[1] and p.shapes <> '{}'
		join lateral (select least(sum(stock) over (), 2147483647)::int as stock, coalesce(min(nullif(weight_grams, 0)) over (), 0) as grams, cost, min_advertised, list_price, prices_in from offer_variant where offer_id = o.id and not withdrawn order by cost, id limit 1) v on true
		where o.withdrawn_at is null and `+where+` order by o.id`, args...)
	if err != nil {
		return err
	}
	var e index.Entry[thing]
	var source, cost, advertised, listed int64
	var pricesIn string
	var currency, marketIn string
	var deliveries []byte
	var weekly []int32
	var shapes []int64
	var outline []byte
	var verified, packs bool
	same := sharer{texts: map[string]string{}, deliveries: map[string]reach{}, things: map[string]*pricing.Thing{}}
	t, f, n := &pricing.Thing{}, &e.Facets, &e.Numbers
	read := []any{&e.ID, &e.Text, &source, &f[index.ShipsFrom], &f[index.Category], &n[index.Rating], &weekly, &n[index.Rivals], &n[index.Returns], &n[index.OnTime], &verified, &packs,
		&f[index.Demand], &n[index.Growth], &n[index.Seen], &f[index.Mine], &n[index.Stock], &cost, &advertised, &listed, &pricesIn, &currency, &f[index.Supplier], &f[index.Brand], &t.Market, &marketIn,
		&t.Processing.Min, &t.Processing.Max, &deliveries, &t.Source, &shapes, &outline, &e.Grams}
	complete := func() error {
		c, err := money.ParseCurrency(currency)
		if err != nil {
			return err
		}
		f[index.Source] = itoa(source)
		n[index.Week], n[index.Month] = demand.UnitsIn(weekly)
		n[index.Verified], n[index.Packs], n[index.Processing] = one(verified), one(packs), int32(t.Processing.Max)
		if demand.Class(f[index.Demand]) == demand.Unknown {
			n[index.Growth] = index.NoGrowth
		}
		for k := range f {
			f[k] = same.text(f[k])
		}
		t.Source = same.text(t.Source)
		t.Supplier, t.Brand, t.ShipsFrom, t.Category = f[index.Supplier], f[index.Brand], f[index.ShipsFrom], f[index.Category]
		reach, err := same.delivery(deliveries)
		if err != nil {
			return fmt.Errorf("the deliveries of offer %d: %w", e.ID, err)
		}
		t.Deliveries, f[index.ShipsTo] = reach.deliveries, reach.to
		if t.MarketCurrency, err = currencyOf(marketIn); err != nil {
			return err
		}
		e.Thing = thing{same.thing(t, deliveries), pricing.UnitOf(c, cost, advertised, listed, pricesIn), n[index.Month], n[index.Rivals]}
		e.Glance = likeness.Glance{}
		if outline != nil {
			picture := pictureFrom(shapes, outline)
			e.Glance = picture.Glance()
		}
		return nil
	}
	_, err = pgx.ForEachRow(rows, read, func() error {
		defer func() { t.Market, weekly, shapes, outline = nil, nil, nil, nil }()
		if err := complete(); err != nil { // one offer that cannot be read never hides the others
			s.skip(e.ID, err)
			return nil
		}
		s.skipped.Delete(e.ID)
		do(e)
		return nil
	})
	return err
}

// skip leaves an offer out of the index, and says so where it is seen: in the log and in readyz.
func (s *Service) skip(id int64, why error) {
	if _, known := s.skipped.Swap(id, why.Error()); !known {
		s.Log.Error("an offer cannot be read and is not in the catalog", "offer", id, "error", why)
	}
}

func one(yes bool) int32 {
	if yes {
		return 1
	}
	return 0
}

// sharer lets offers that say the same share it.
type sharer struct {
	texts      map[string]string
	deliveries map[string]reach
	things     map[string]*pricing.Thing
	key        []byte
}

// thing is a copy of one, or one that is just so. Prices seen at other stores are an offer's own.
func (s *sharer) thing(t *pricing.Thing, deliveries []byte) *pricing.Thing {
	if len(t.Market) > 0 {
		own := *t
		return &own
	}
	s.key = s.key[:0]
	for _, text := range []string{t.Source, t.Supplier, t.Category, t.Brand, t.ShipsFrom} {
		s.key = append(binary.AppendUvarint(s.key, uint64(len(text))), text...)
	}
	s.key = binary.AppendVarint(binary.AppendVarint(s.key, int64(t.Processing.Min)), int64(t.Processing.Max))
	s.key = append(append(s.key, t.MarketCurrency.String()...), deliveries...)
	if known := s.things[string(s.key)]; known != nil {
		return known
	}
	own := *t
	if len(s.things) < mostShared {
		s.things[string(s.key)] = &own
	}
	return &own
}

// mostShared is how many different texts and sets of deliveries are remembered.
const mostShared = 50_000

func (s *sharer) text(t string) string {
	known, ok := s.texts[t]
	if ok {
		return known
	}
	if len(s.texts) < mostShared {
		s.texts[t] = t
	}
	return t
}

// reach is how an offer is delivered, and where to.
type reach struct {
	deliveries []landed.Delivery
	to         string
}

func (s *sharer) delivery(raw []byte) (reach, error) {
	if known, ok := s.deliveries[string(raw)]; ok {
		return known, nil
	}
	var r reach
	if err := json.Unmarshal(raw, &r.deliveries); err != nil {
		return r, err
	}
	var to []string
	for i := range r.deliveries {
		d := &r.deliveries[i]
		d.Name = s.text(d.Name)
		for j := range d.To {
			d.To[j] = s.text(d.To[j])
		}
		to = append(to, d.To...)
	}
	slices.Sort(to)
	if r.to = strings.Join(slices.Compact(to), ","); slices.Contains(to, index.Everywhere) {
		r.to = index.Everywhere
	}
	if len(s.deliveries) < mostShared {
		s.deliveries[string(raw)] = r
	}
	return r, nil
}

// currencyOf reads a stored currency; none is none.
func currencyOf(code string) (money.Currency, error) {
	if code == "" {
		return 0, nil
	}
	return money.ParseCurrency(code)
}

// prices are how offers are priced in each connected store at this moment.
func (s *Service) prices(ctx context.Context) (map[int64]*pricing.Pricer, index.Prices[thing], error) {
	ids, err := s.Pricing.Stores.Connected(ctx, s.Pool)
	if err != nil {
		return nil, nil, err
	}
	pricers, prices := map[int64]*pricing.Pricer{}, index.Prices[thing]{}
	for _, id := range ids {
		pricer, err := s.Pricing.Pricer(ctx, id)
		if err != nil {
			continue // disconnected: nobody asks
		}
		pricers[id] = pricer
		prices[id] = index.Pricing[thing]{Of: func(t *thing) index.Figures { return figures(pricer, t) }, Offered: offeredFigures(pricer.Currency)}
	}
	return pricers, prices, nil
}

// figures are what an offer comes to in a store.
func figures(p *pricing.Pricer, t *thing) index.Figures {
	quote := p.Quote(t.Thing)
	cost, got, err := quote.Figures(t.unit)
	if err != nil {
		return index.Figures{}
	}
	return index.Figures{Sellable: true, Of: [...]int64{
		index.Item: cost.Item.Minor(), index.Landed: got.Landed.Minor(), index.Shipping: cost.Shipping.Minor(), index.Days: int64(quote.Choice.Door.Max), index.Tracked: int64(one(quote.Choice.Delivery.Tracked)),
		index.Profit: got.Profit.Minor(), index.Margin: int64(got.NetMargin()), index.Worth: market.Worth(got.Profit, int64(t.month), int64(t.rivals)).Minor()}}
}
