package search

import (
	"cmp"
	"context"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"github.com/jackc/pgx/v5"

	"plainpelican/core/demand"
	"plainpelican/core/landed"
	"plainpelican/core/likeness"
	"plainpelican/core/market"
	"plainpelican/core/money"
	"plainpelican/core/terms"
	"plainpelican/media"
	"plainpelican/pricing"
	"plainpelican/search/index"
)

// OfferPricing is what an offer's price in any store rests on.
type OfferPricing struct {
	// Thing is shared by offers that have all of it in common, as those of a price list do.
	*pricing.OfferFacts
	// buyable is the cheapest variant that can be bought; where all are sold out, the cheapest.
	buyable variant
	// cheapest is the cheapest of all, where that is sold out and another can be bought.
	cheapest *variant
	// month is units in 30 days, index.Unknown where nobody told; rivals the stores that sell it, or index.Uncounted.
	month, rivals int32
}

// variant is what one of an offer's variants is bought for.
type variant struct {
	id   int64
	unit pricing.Unit
}

// priced is the variant that a row's figures are of.
func (t *OfferPricing) priced(soldOutToo bool) variant {
	if soldOutToo && t.cheapest != nil {
		return *t.cheapest
	}
	return t.buyable
}

// variantsSQL are an offer's variants for sale in one text, which is read faster than columns of arrays: a variant
// behind another with U+001E between them, their facts with U+001F.
const variantsSQL = `lateral (select string_agg(translate(concat_ws(E'\x1f', id, cost, stock, stock_unknown::int,
	min_advertised, list_price, weight_grams, prices_in, number, barcode, array_to_string(option_values, E'\n')),
	E'\x1e', ' '), E'\x1e') as told
	from facts.offer_variant where offer_id = o.id and not withdrawn)`

// variantRows are the variants of an offer as they are read, the cheapest first.
type variantRows []variantRow

type variantRow struct {
	id, cost, advertised, listed int64
	stock, grams                 int32
	unknown                      bool
	pricesIn, number, barcode    string
	values                       string // of all options, a line each
}

// parse reads what variantsSQL tells.
func (t *variantRows) parse(text string) error {
	*t = (*t)[:0]
	for one := range strings.SplitSeq(text, "\x1e") {
		var v variantRow
		var numbers [7]int64
		for i := range numbers {
			field, rest, _ := strings.Cut(one, "\x1f")
			n, err := strconv.ParseInt(field, 10, 64)
			if err != nil {
				return fmt.Errorf("a variant: %w", err)
			}
			numbers[i], one = n, rest
		}
		v.id, v.cost, v.stock, v.unknown, v.advertised, v.listed, v.grams = numbers[0], numbers[1], int32(numbers[2]),
			numbers[3] != 0, numbers[4], numbers[5], int32(numbers[6])
		v.pricesIn, one, _ = strings.Cut(one, "\x1f")
		v.number, one, _ = strings.Cut(one, "\x1f")
		v.barcode, v.values, _ = strings.Cut(one, "\x1f")
		*t = append(*t, v)
	}
	slices.SortFunc(*t, func(a, b variantRow) int {
		return cmp.Or(cmp.Compare(a.cost, b.cost), cmp.Compare(a.id, b.id))
	})
	return nil
}

// lightest is the least weight that is known; 0 is none.
func (t variantRows) lightest() (grams int32) {
	for i := range t {
		if g := t[i].grams; g > 0 && (grams == 0 || g < grams) {
			grams = g
		}
	}
	return grams
}

func (t variantRows) variant(i int, c money.Currency) variant {
	v := &t[i]
	return variant{v.id, pricing.UnitOf(c, v.cost, v.advertised, v.listed, v.pricesIn)}
}

// priced are the cheapest variant that can be bought, the cheapest, where that is another, and the stock that is known.
func (t variantRows) priced(c money.Currency) (bought variant, cheapest *variant, stock int32) {
	first, known, sum := 0, false, int64(0)
	for i := range slices.Backward(t) {
		if t[i].stock > 0 || t[i].unknown {
			first = i
		}
		if !t[i].unknown {
			known, sum = true, sum+int64(t[i].stock)
		}
	}
	if bought = t.variant(first, c); t[first].cost > t[0].cost {
		v := t.variant(0, c)
		cheapest = &v
	}
	if !known {
		return bought, cheapest, index.Unknown
	}
	return bought, cheapest, int32(min(sum, math.MaxInt32))
}

// searched are the words of the variants' options, each once, and the numbers that an offer is found by.
func (t variantRows) searched(number string) (values, codes []string) {
	codes = append(make([]string, 0, 1+2*len(t)), terms.Code(number))
	for i := range t {
		for value := range strings.SplitSeq(t[i].values, "\n") {
			if value != "" && !slices.Contains(values, value) {
				values = append(values, value)
			}
		}
		for _, code := range [2]string{terms.Code(t[i].number), terms.Code(t[i].barcode)} {
			if code != "" && code != codes[0] {
				codes = append(codes, code)
			}
		}
	}
	return values, codes
}

// readEntries reads the offers for sale that meet a condition, in the order of their ids.
func (s *Service) readEntries(ctx context.Context, where string, arg any, do func(index.Entry[OfferPricing])) error {
	args := []any{}
	if arg != nil {
		args = append(args, arg)
	}
	rows, err := s.pool.Query(ctx, `
		select o.id, o.title || ' ' || u.name || ' ' || o.category || ' ' || coalesce(m.path || ' ',
		'') || o.brand || ' ' || o.number, o.number, o.source_id, u.country, coalesce(m.path, o.category), o.rating,
			o.weekly[greatest(1, cardinality(o.weekly) - 4):], coalesce(o.rivals, 2147483647),
			coalesce(o.return_days, -1), coalesce(u.on_time, -1), u.verified, o.own_packing, o.demand, o.growth,
			extract(epoch from o.first_seen)::bigint / 86400,
			case when exists (select from facts.listing where offer_id = o.id) then 'listings'
			when exists (select from facts.draft_offer b where b.offer_id = o.id) then 'workbench' else 'no' end,
			v.told, o.currency, u.name, o.brand, o.market_prices, o.market_currency, o.processing_min, o.processing_max,
			o.deliveries, x.name, p.hashes, p.edge_map
		from facts.offer o join facts.supplier u on u.id = o.supplier_id join facts.source x on x.id = o.source_id
		and x.state = 'connected'
		left join facts.category_mapping m on m.source_id = o.source_id and m.name = o.category
		left join facts.picture p on p.url = o.pictures[1] and p.hashes <> '{}'
		join `+variantsSQL+` v on v.told is not null
		where o.withdrawn_at is null and `+where+` order by o.id`, args...)
	if err != nil {
		return err
	}
	var e index.Entry[OfferPricing]
	var source int64
	var number, currency, marketIn, variants string
	var deliveries []byte
	var weekly []int32
	var shapes []int64
	var outline []byte
	var verified, packs bool
	var v variantRows
	same := interner{texts: map[string]string{}, deliveries: map[string]deliveryReach{},
		factsByKey: map[string]*pricing.OfferFacts{}}
	t, f, n := &pricing.OfferFacts{}, &e.Facets, &e.Numbers
	read := []any{&e.ID, &e.Text, &number, &source, &f[index.ShipsFrom], &f[index.Category], &n[index.Rating], &weekly,
		&n[index.Rivals], &n[index.Returns], &n[index.OnTime], &verified, &packs,
		&f[index.Demand], &n[index.Growth], &n[index.Seen], &f[index.Mine], &variants, &currency, &f[index.Supplier],
		&f[index.Brand], &t.Market, &marketIn, &t.Processing.Min, &t.Processing.Max, &deliveries, &t.Source, &shapes,
		&outline}
	complete := func() error {
		c, err := money.ParseCurrency(currency)
		if err != nil {
			return err
		}
		f[index.Source] = itoa(source)
		n[index.Week], n[index.Month] = index.Unknown, index.Unknown
		if len(weekly) > 0 {
			n[index.Week], n[index.Month] = demand.UnitsIn(weekly)
		}
		if n[index.Rating] == 0 {
			n[index.Rating] = index.Unknown
		}
		n[index.Verified], n[index.Packs], n[index.Processing] = boolToInt(verified), boolToInt(packs),
			int32(t.Processing.Max)
		if demand.Class(f[index.Demand]) == demand.Unknown {
			n[index.Growth] = index.GrowthUnknown
		}
		for k := range f {
			f[k] = same.text(f[k])
		}
		t.Source = same.text(t.Source)
		t.Supplier, t.Brand, t.ShipsFrom, t.Category = f[index.Supplier], f[index.Brand], f[index.ShipsFrom],
			f[index.Category]
		reach, err := same.delivery(deliveries)
		if err != nil {
			return fmt.Errorf("the deliveries of offer %d: %w", e.ID, err)
		}
		t.Deliveries, f[index.ShipsTo] = reach.deliveries, reach.to
		if t.MarketCurrency, err = pricing.CurrencyOf(marketIn); err != nil {
			return err
		}
		if err := v.parse(variants); err != nil {
			return err
		}
		e.Grams = v.lightest()
		e.Item = OfferPricing{OfferFacts: same.facts(t, deliveries), month: n[index.Month], rivals: n[index.Rivals]}
		e.Item.buyable, e.Item.cheapest, n[index.Stock] = v.priced(c)
		e.Values, e.Codes = v.searched(number)
		e.Picture = likeness.CoarseDescriptor{}
		if outline != nil {
			picture := media.PictureFrom(shapes, outline)
			e.Picture = picture.Descriptor()
		}
		return nil
	}
	_, err = pgx.ForEachRow(rows, read, func() error {
		defer func() { t.Market, weekly, shapes, outline = nil, nil, nil, nil }()
		if err := complete(); err != nil { // one offer that cannot be read never hides the others
			s.skipOffer(e.ID, err)
			return nil
		}
		s.skipped.Delete(e.ID)
		do(e)
		return nil
	})
	return err
}

// skipOffer leaves an offer out of the index, and says so where it is seen: in the log and in readyz.
func (s *Service) skipOffer(id int64, why error) {
	if _, known := s.skipped.Swap(id, why.Error()); !known {
		s.log.Error("an offer cannot be read and is not in the catalog", "offer", id, "error", why)
	}
}

func boolToInt(yes bool) int32 {
	if yes {
		return 1
	}
	return 0
}

// interner lets offers that say the same share it.
type interner struct {
	texts      map[string]string
	deliveries map[string]deliveryReach
	factsByKey map[string]*pricing.OfferFacts
	key        []byte
}

// facts is a copy of one, or one that is just so. Prices seen at other stores are an offer's own.
func (s *interner) facts(t *pricing.OfferFacts, deliveries []byte) *pricing.OfferFacts {
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
	if known := s.factsByKey[string(s.key)]; known != nil {
		return known
	}
	own := *t
	if len(s.factsByKey) < maxInterned {
		s.factsByKey[string(s.key)] = &own
	}
	return &own
}

// maxInterned is how many different texts and sets of deliveries are remembered.
const maxInterned = 50_000

func (s *interner) text(t string) string {
	known, ok := s.texts[t]
	if ok {
		return known
	}
	if len(s.texts) < maxInterned {
		s.texts[t] = t
	}
	return t
}

// deliveryReach is how an offer is delivered, and where to.
type deliveryReach struct {
	deliveries []landed.Delivery
	to         string
}

func (s *interner) delivery(raw []byte) (deliveryReach, error) {
	if known, ok := s.deliveries[string(raw)]; ok {
		return known, nil
	}
	var r deliveryReach
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
	if len(s.deliveries) < maxInterned {
		s.deliveries[string(raw)] = r
	}
	return r, nil
}

// prices are how offers are priced in each connected store at this moment.
func (s *Service) prices(ctx context.Context) (map[int64]*pricing.Pricer, index.Prices[OfferPricing], error) {
	ids, err := s.pricing.Stores.Connected(ctx, s.pool)
	if err != nil {
		return nil, nil, err
	}
	pricers, prices := map[int64]*pricing.Pricer{}, index.Prices[OfferPricing]{}
	for _, id := range ids {
		pricer, err := s.pricing.Pricer(ctx, id)
		if err != nil {
			continue // disconnected: nobody asks
		}
		pricers[id] = pricer
		prices[id] = index.Pricing[OfferPricing]{Of: func(t *OfferPricing) index.StoreValues {
			return storeColumns(pricer, t, false)
		}, Cheapest: func(t *OfferPricing) index.StoreValues { return storeColumns(pricer, t, true) },
			Offered: offeredInStore(pricer.Currency)}
	}
	return pricers, prices, nil
}

// storeColumns are what an offer comes to in a store.
func storeColumns(p *pricing.Pricer, t *OfferPricing, soldOutToo bool) index.StoreValues {
	quote := p.Quote(t.OfferFacts)
	cost, got, err := quote.Price(t.priced(soldOutToo).unit)
	if err != nil {
		return index.StoreValues{}
	}
	worth := int64(index.NotKnown)
	if t.month != index.Unknown && t.rivals != index.NotCounted {
		worth = market.Worth(got.Profit, int64(t.month), int64(t.rivals)).Minor()
	}
	return index.StoreValues{Sellable: true, Values: [...]int64{
		index.Item: cost.Item.Minor(), index.Landed: got.Landed.Minor(), index.Shipping: cost.Shipping.Minor(),
		index.Days: int64(quote.Choice.Door.Max), index.Tracked: int64(boolToInt(quote.Choice.Delivery.Tracked)),
		index.Profit: got.Profit.Minor(), index.Margin: int64(got.NetMargin()), index.Worth: worth}}
}
