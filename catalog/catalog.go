package catalog

import (
	"context"
	"log/slog"
	"sync"
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"

	"plainpelican/catalog/index"
	"plainpelican/core/landed"
	"plainpelican/core/money"
	"plainpelican/platform/blobs"
	"plainpelican/platform/jobs"
	"plainpelican/platform/outgoing"
	"plainpelican/pricing"
)

// Service is the catalog capability.
type Service struct {
	Pool    *pgxpool.Pool
	Pricing *pricing.Service
	Blobs   *blobs.Folder
	Client  *outgoing.Client
	Bench   Bench
	Jobs    *jobs.Runner
	Log     *slog.Logger

	now      atomic.Pointer[state]
	building sync.Mutex
	fetching sync.Map // url to *sync.Mutex: a picture is fetched once at a time
}

// Bench is what the catalog must know of the workbench.
type Bench interface {
	// Taken maps offers to the drafts that were made of them.
	Taken(ctx context.Context, offers []int64) (map[int64][]int64, error)
	// Groups lists the collections and tags that drafts have.
	Groups(ctx context.Context) (collections, tags []string, err error)
}

// state is one snapshot of the index with what its rows are priced from.
type state struct {
	snapshot *index.Snapshot
	things   []thing
}

// thing is what a row's price in any store rests on: its cheapest variant for sale.
type thing struct {
	pricing.Thing
	unit pricing.Unit
}

// Follow keeps the index up with the database until ctx ends: it is built at once, and
// again when offers, sources, rules, fees or rates have changed on any instance.
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

// follow listens before it builds, so that no change is missed.
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
	for {
		if err := s.Refresh(ctx); err != nil {
			return err
		}
		if _, err := conn.Conn().WaitForNotification(ctx); err != nil {
			return err
		}
		time.Sleep(100 * time.Millisecond) // take in what comes with it
	}
}

// Refresh builds the index from the database.
func (s *Service) Refresh(ctx context.Context) error {
	s.building.Lock()
	defer s.building.Unlock()
	next := &state{}
	rows, err := s.Pool.Query(ctx, `
		select o.id, o.title || ' ' || u.name || ' ' || o.category || ' ' || coalesce(m.path || ' ', '') || o.brand || ' ' || o.number, o.source_id, u.country, coalesce(m.path, o.category), o.rating,
			coalesce((select sum(w) from unnest(o.weekly[greatest(1, cardinality(o.weekly) - 3):]) w), 0),
			v.stock, v.cost, v.min_advertised, v.list_price, o.currency, u.name, o.brand, o.market_prices, o.market_currency, o.processing_min, o.processing_max, o.deliveries, x.name
		from offer o join supplier u on u.id = o.supplier_id join source x on x.id = o.source_id and x.state = 'connected'
		left join category_mapping m on m.source_id = o.source_id and m.name = o.category
		join lateral (select sum(stock) over () as stock, cost, min_advertised, list_price from offer_variant where offer_id = o.id and not withdrawn order by cost, id limit 1) v on true
		where o.withdrawn_at is null order by o.id`)
	if err != nil {
		return err
	}
	var list []index.Row
	things := map[int64]thing{}
	var r index.Row
	var cost, advertised, listed int64
	var currency, marketIn string
	var t pricing.Thing
	var deliveries []landed.Delivery
	_, err = pgx.ForEachRow(rows, []any{&r.ID, &r.Text, &r.Source, &r.ShipsFrom, &r.Category, &r.Rating, &r.Units, &r.Stock, &cost, &advertised, &listed, &currency, &t.Supplier, &t.Brand, &t.Market, &marketIn, &t.Processing.Min, &t.Processing.Max, &deliveries, &t.Source}, func() error {
		c, err := money.ParseCurrency(currency)
		if err != nil {
			return err
		}
		t.ShipsFrom, t.Category, t.Deliveries = r.ShipsFrom, r.Category, deliveries
		if t.MarketCurrency, err = currencyOf(marketIn); err != nil {
			return err
		}
		list = append(list, r)
		things[r.ID] = thing{t, pricing.Unit{Cost: money.New(cost, c), MinAdvertised: money.New(advertised, c), List: money.New(listed, c)}}
		deliveries, t.Market = nil, nil
		return nil
	})
	if err != nil {
		return err
	}
	next.snapshot = index.Build(list)
	for _, row := range next.snapshot.Rows() {
		next.things = append(next.things, things[row.ID])
	}
	if err := s.priceAll(ctx, next); err != nil {
		return err
	}
	s.now.Store(next)
	return nil
}

// currencyOf reads a stored currency; none is none.
func currencyOf(code string) (money.Currency, error) {
	if code == "" {
		return 0, nil
	}
	return money.ParseCurrency(code)
}

// priceAll fills in every store's columns.
func (s *Service) priceAll(ctx context.Context, next *state) error {
	ids, err := s.Pricing.Stores.Connected(ctx, s.Pool)
	if err != nil {
		return err
	}
	for _, id := range ids {
		pricer, err := s.Pricing.Pricer(ctx, id)
		if err != nil {
			continue // disconnected: nobody asks
		}
		columns := make([]index.Money, len(next.things))
		for i := range next.things {
			columns[i] = priced(pricer, &next.things[i])
		}
		next.snapshot = next.snapshot.WithStore(id, columns)
	}
	return nil
}

func priced(p *pricing.Pricer, t *thing) index.Money {
	quote := p.Quote(&t.Thing)
	figures, err := quote.Figures(t.unit)
	if err != nil {
		return index.Money{}
	}
	return index.Money{Landed: figures.Landed.Minor(), Price: figures.Price.Minor(), Profit: figures.Profit.Minor(), Margin: int64(figures.NetMargin()), Days: int32(quote.Choice.Door.Max), Sellable: true}
}
