package catalog

import (
	"context"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"

	"plainpelican/catalog/index"
	"plainpelican/core/landed"
	"plainpelican/core/money"
	"plainpelican/platform/database"
	"plainpelican/pricing"
)

// state is one snapshot of the index.
type state struct {
	snapshot *index.Snapshot[thing]
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
	unit pricing.Unit
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
	prices, err := s.prices(ctx)
	if err != nil {
		return err
	}
	next.snapshot = index.Build[thing](nil, prices)
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
	next := &state{now.snapshot, upTo, time.Now()}
	if err := s.apply(ctx, next, ids, `o.id = any ($1)`, ids); err != nil {
		return false, err
	}
	slices.Sort(whole)
	for _, source := range slices.Compact(whole) {
		if err := s.apply(ctx, next, next.snapshot.OfSource(source), `o.source_id = $1`, source); err != nil {
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
	prices, err := s.prices(ctx)
	if err != nil {
		return err
	}
	now := s.now.Load()
	s.now.Store(&state{now.snapshot.WithPrices(prices), now.upTo, now.at})
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
			coalesce((select sum(w) from unnest(o.weekly[greatest(1, cardinality(o.weekly) - 3):]) w), 0),
			v.stock, v.cost, v.min_advertised, v.list_price, o.currency, u.name, o.brand, o.market_prices, o.market_currency, o.processing_min, o.processing_max, o.deliveries, x.name
		from offer o join supplier u on u.id = o.supplier_id join source x on x.id = o.source_id and x.state = 'connected'
		left join category_mapping m on m.source_id = o.source_id and m.name = o.category
		join lateral (select sum(stock) over () as stock, cost, min_advertised, list_price from offer_variant where offer_id = o.id and not withdrawn order by cost, id limit 1) v on true
		where o.withdrawn_at is null and `+where+` order by o.id`, args...)
	if err != nil {
		return err
	}
	var e index.Entry[thing]
	var cost, advertised, listed int64
	var currency, marketIn string
	var deliveries []byte
	same := sharer{texts: map[string]string{}, deliveries: map[string][]landed.Delivery{}, things: map[string]*pricing.Thing{}}
	r, t := &e.Row, &pricing.Thing{}
	_, err = pgx.ForEachRow(rows, []any{&r.ID, &r.Text, &r.Source, &r.ShipsFrom, &r.Category, &r.Rating, &r.Units, &r.Stock, &cost, &advertised, &listed, &currency, &t.Supplier, &t.Brand, &t.Market, &marketIn,
		&t.Processing.Min, &t.Processing.Max, &deliveries, &t.Source}, func() error {
		c, err := money.ParseCurrency(currency)
		if err != nil {
			return err
		}
		for _, text := range []*string{&r.ShipsFrom, &r.Category, &t.Supplier, &t.Brand, &t.Source} {
			*text = same.text(*text)
		}
		t.ShipsFrom, t.Category = r.ShipsFrom, r.Category
		if t.Deliveries, err = same.delivery(deliveries); err != nil {
			return fmt.Errorf("the deliveries of offer %d: %w", r.ID, err)
		}
		if t.MarketCurrency, err = currencyOf(marketIn); err != nil {
			return err
		}
		e.Thing.Thing = same.thing(t, deliveries)
		e.Thing.unit = pricing.Unit{Cost: money.New(cost, c), MinAdvertised: money.New(advertised, c), List: money.New(listed, c)}
		do(e)
		t.Market = nil
		return nil
	})
	return err
}

// sharer lets offers that say the same share it.
type sharer struct {
	texts      map[string]string
	deliveries map[string][]landed.Delivery
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

func (s *sharer) delivery(raw []byte) (list []landed.Delivery, err error) {
	if list, ok := s.deliveries[string(raw)]; ok {
		return list, nil
	}
	if err = json.Unmarshal(raw, &list); err != nil {
		return nil, err
	}
	for i := range list {
		list[i].Name = s.text(list[i].Name)
		for j := range list[i].To {
			list[i].To[j] = s.text(list[i].To[j])
		}
	}
	if len(s.deliveries) < mostShared {
		s.deliveries[string(raw)] = list
	}
	return list, nil
}

// currencyOf reads a stored currency; none is none.
func currencyOf(code string) (money.Currency, error) {
	if code == "" {
		return 0, nil
	}
	return money.ParseCurrency(code)
}

// prices are how offers are priced in each connected store at this moment.
func (s *Service) prices(ctx context.Context) (index.Prices[thing], error) {
	ids, err := s.Pricing.Stores.Connected(ctx, s.Pool)
	if err != nil {
		return nil, err
	}
	prices := index.Prices[thing]{}
	for _, id := range ids {
		pricer, err := s.Pricing.Pricer(ctx, id)
		if err != nil {
			continue // disconnected: nobody asks
		}
		prices[id] = func(t *thing) index.Money { return priced(pricer, t) }
	}
	return prices, nil
}

func priced(p *pricing.Pricer, t *thing) index.Money {
	quote := p.Quote(t.Thing)
	figures, err := quote.Figures(t.unit)
	if err != nil {
		return index.Money{}
	}
	return index.Money{Landed: figures.Landed.Minor(), Price: figures.Price.Minor(), Profit: figures.Profit.Minor(), Margin: int64(figures.NetMargin()), Days: int32(quote.Choice.Door.Max), Sellable: true}
}

// ForgetChanges lets the log's old entries go: an instance that may not have read them builds
// its index anew.
func (s *Service) ForgetChanges(ctx context.Context) error {
	_, err := s.Pool.Exec(ctx, `delete from catalog_change where at < now() - interval '1 day'`)
	return err
}
