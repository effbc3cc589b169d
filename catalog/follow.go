package catalog

import (
	"context"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"

	"plainpelican/catalog/index"
	"plainpelican/core/demand"
	"plainpelican/core/landed"
	"plainpelican/core/market"
	"plainpelican/core/money"
	"plainpelican/platform/database"
	"plainpelican/pricing"
)

// state is one snapshot of the index.
type state struct {
	snapshot *index.Snapshot[thing]
	// pricers are those by which its columns were worked out, by store.
	pricers map[int64]*pricing.Pricer
	// upTo is the last change of the log that is in it.
	upTo int64
	// at is when it was brought up to date.
	at time.Time
}

// longest is how long an index may have been out of touch and still follow the log, which is kept for a day.
const longest = 12 * time.Hour

// thing is what an offer's price in any store rests on: its cheapest variant for sale.
type thing struct {
	// Thing is shared by offers that have all of it in common, as those of a price list do.
	*pricing.Thing
	unit          pricing.Unit
	month, rivals int32 // units in 30 days, stores that sell it
}

// Touched tells all instances that drafts or listings of some offers were made or removed.
func (s *Service) Touched(ctx context.Context, db database.Querier, offers []int64) error {
	return logChange(ctx, db, nil, offers)
}

// Changed tells all instances that a source's offers may be others: that it was connected,
// disconnected or renamed, or its categories mapped.
func (s *Service) Changed(ctx context.Context, db database.Querier, sourceID int64) error {
	return logChange(ctx, db, &sourceID, nil)
}

// logChange writes a change of offers into the log that every instance's index follows. One
// transaction at a time may write, so that changes are numbered in the order in which they can
// be seen; it is a transaction's last act but for what only it touches.
func logChange(ctx context.Context, db database.Querier, sourceID *int64, offers []int64) error {
	_, err := db.Exec(ctx, `
		with written as (insert into catalog_change (source_id, offers) select $1::bigint, $2::bigint[] from (select pg_advisory_xact_lock(7305)) l returning seq)
		select pg_notify('catalog', '') from written`, sourceID, list(offers))
	return err
}

// Follow keeps the index up with the database until ctx ends: it is built at once, then
// follows the log of changes, and prices anew when rules, fees or rates have changed, on any instance.
func (s *Service) Follow(ctx context.Context) {
	for ctx.Err() == nil {
		if err := s.follow(ctx); err != nil && ctx.Err() == nil {
			s.Log.Warn("following changes of the catalog", "error", err)
		}
		select {
		case <-ctx.Done():
		case <-time.After(time.Second):
		}
	}
}

// follow listens before it reads, so that no change is missed.
func (s *Service) follow(ctx context.Context) error {
	conn, err := s.Pool.Acquire(ctx)
	if err != nil {
		return err
	}
	defer conn.Release()
	if _, err := conn.Exec(ctx, `listen catalog; listen pricing`); err != nil {
		return err
	}
	defer func() { _, _ = conn.Exec(context.WithoutCancel(ctx), `unlisten *`) }() // or the connection is gone
	if err := s.Refresh(ctx); err != nil {
		return err
	}
	for {
		told, err := conn.Conn().WaitForNotification(ctx)
		if err != nil {
			return err
		}
		prices := told.Channel == "pricing"
		soon, cancel := context.WithTimeout(ctx, 100*time.Millisecond)
		for soon.Err() == nil { // take in what comes with it
			var more *pgconn.Notification
			if more, err = conn.Conn().WaitForNotification(soon); err == nil {
				prices = prices || more.Channel == "pricing"
			} else if soon.Err() == nil {
				break
			}
		}
		over := soon.Err() != nil && ctx.Err() == nil
		cancel()
		if err != nil && !over {
			return err
		}
		many, err := s.CatchUp(ctx)
		if err == nil && prices {
			err = s.reprice(ctx)
		}
		if err != nil {
			return err
		}
		if many { // an intake is on its way: few large steps take less than many small ones
			select {
			case <-ctx.Done():
			case <-time.After(700 * time.Millisecond):
			}
		}
	}
}

// Refresh brings the index up to date: it is built where there is none, else it catches up and
// prices anew.
func (s *Service) Refresh(ctx context.Context) error {
	if now := s.now.Load(); now == nil || time.Since(now.at) > longest {
		return s.rebuild(ctx)
	}
	if _, err := s.CatchUp(ctx); err != nil {
		return err
	}
	return s.reprice(ctx)
}

func (s *Service) rebuild(ctx context.Context) error {
	s.building.Lock()
	defer s.building.Unlock()
	next := &state{at: time.Now()}
	// What changes while it is read is in the log, and read again.
	if err := s.Pool.QueryRow(ctx, `select coalesce(max(seq), 0) from catalog_change`).Scan(&next.upTo); err != nil {
		return err
	}
	var prices index.Prices[thing]
	var err error
	if next.pricers, prices, err = s.prices(ctx); err != nil {
		return err
	}
	next.snapshot = index.Build[thing](nil, offeredNumbers, prices)
	var part []index.Entry[thing]
	err = s.entries(ctx, `true`, nil, func(e index.Entry[thing]) {
		if part = append(part, e); len(part) == buildPart {
			next.snapshot = next.snapshot.Apply(part, nil)
			part = part[:0]
		}
	})
	if err != nil {
		return err
	}
	next.snapshot = next.snapshot.Apply(part, nil)
	s.now.Store(next)
	return nil
}

// buildPart is how many offers are indexed at once, changePart how many changed ones are read
// at once, mostEntries how many entries of the log.
const (
	buildPart   = 1 << 16
	changePart  = 20_000
	mostEntries = 500
)

// CatchUp follows the log to its end and tells whether it said much.
func (s *Service) CatchUp(ctx context.Context) (many bool, err error) {
	for {
		var more bool
		err = s.Turns.Do(ctx, func() (err error) {
			more, err = s.step(ctx)
			return err
		})
		if err != nil || !more {
			return many, err
		}
		many = true
	}
}

// step applies the next changes of the log, and tells whether there may be more.
func (s *Service) step(ctx context.Context) (more bool, err error) {
	s.building.Lock()
	defer s.building.Unlock()
	now := s.now.Load()
	rows, err := s.Pool.Query(ctx, `select seq, source_id, offers from catalog_change where seq > $1 order by seq limit $2`, now.upTo, mostEntries)
	if err != nil {
		return false, err
	}
	upTo := now.upTo
	var ids, whole []int64
	var seq int64
	var source *int64
	var offers []int64
	entries, rest := 0, false
	most := s.Turns.Slice(changePart)
	_, err = pgx.ForEachRow(rows, []any{&seq, &source, &offers}, func() error {
		if rest = rest || (len(ids) > 0 && len(ids)+len(offers) > most); rest {
			return nil // the next step's
		}
		entries++
		upTo = seq
		if source != nil {
			whole = append(whole, *source)
		}
		ids = append(ids, offers...)
		offers, source = nil, nil
		return nil
	})
	if err != nil || upTo == now.upTo {
		return false, err
	}
	slices.Sort(ids)
	ids = slices.Compact(ids)
	next := &state{now.snapshot, now.pricers, upTo, time.Now()}
	if err := s.apply(ctx, next, ids, `o.id = any ($1)`, ids); err != nil {
		return false, err
	}
	slices.Sort(whole)
	for _, source := range slices.Compact(whole) {
		if err := s.apply(ctx, next, next.snapshot.With(index.Source, itoa(source)), `o.source_id = $1`, source); err != nil {
			return false, err
		}
	}
	s.now.Store(next)
	return rest || entries == mostEntries || len(ids) >= most/2, nil
}

// apply reads offers anew; those of before that are not for sale any more are gone.
func (s *Service) apply(ctx context.Context, next *state, before []int64, where string, arg any) error {
	var changed []index.Entry[thing]
	there := map[int64]bool{}
	err := s.entries(ctx, where, arg, func(e index.Entry[thing]) {
		changed = append(changed, e)
		there[e.ID] = true
	})
	if err != nil {
		return err
	}
	var gone []int64
	for _, id := range before {
		if !there[id] {
			gone = append(gone, id)
		}
	}
	next.snapshot = next.snapshot.Apply(changed, gone)
	return nil
}

// reprice works out all stores' columns anew.
func (s *Service) reprice(ctx context.Context) error {
	s.building.Lock()
	defer s.building.Unlock()
	pricers, prices, err := s.prices(ctx)
	if err != nil {
		return err
	}
	now := s.now.Load()
	s.now.Store(&state{now.snapshot.WithPrices(prices), pricers, now.upTo, now.at})
	return nil
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
			v.stock, v.cost, v.min_advertised, v.list_price, o.currency, u.name, o.brand, o.market_prices, o.market_currency, o.processing_min, o.processing_max, o.deliveries, x.name
		from offer o join supplier u on u.id = o.supplier_id join source x on x.id = o.source_id and x.state = 'connected'
		left join category_mapping m on m.source_id = o.source_id and m.name = o.category
		join lateral (select sum(stock) over () as stock, cost, min_advertised, list_price from offer_variant where offer_id = o.id and not withdrawn order by cost, id limit 1) v on true
		where o.withdrawn_at is null and `+where+` order by o.id`, args...)
	if err != nil {
		return err
	}
	var e index.Entry[thing]
	var source, cost, advertised, listed int64
	var currency, marketIn string
	var deliveries []byte
	var weekly []int32
	var verified, packs bool
	same := sharer{texts: map[string]string{}, deliveries: map[string]reach{}, things: map[string]*pricing.Thing{}}
	t, f, n := &pricing.Thing{}, &e.Facets, &e.Numbers
	_, err = pgx.ForEachRow(rows, []any{&e.ID, &e.Text, &source, &f[index.ShipsFrom], &f[index.Category], &n[index.Rating], &weekly, &n[index.Rivals], &n[index.Returns], &n[index.OnTime], &verified, &packs,
		&f[index.Demand], &n[index.Growth], &n[index.Seen], &f[index.Mine], &n[index.Stock], &cost, &advertised, &listed, &currency, &f[index.Supplier], &f[index.Brand], &t.Market, &marketIn,
		&t.Processing.Min, &t.Processing.Max, &deliveries, &t.Source}, func() error {
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
		e.Thing = thing{same.thing(t, deliveries), pricing.Unit{Cost: money.New(cost, c), MinAdvertised: money.New(advertised, c), List: money.New(listed, c)}, n[index.Month], n[index.Rivals]}
		do(e)
		t.Market, weekly = nil, nil
		return nil
	})
	return err
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

// ForgetChanges lets the log's old entries go: an instance that may not have read them builds
// its index anew.
func (s *Service) ForgetChanges(ctx context.Context) error {
	_, err := s.Pool.Exec(ctx, `delete from catalog_change where at < now() - interval '1 day'`)
	return err
}
