package main

import (
	"context"
	"fmt"
	"log/slog"
	"math/rand/v2"
	"slices"
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"

	"plainpelican/application"
	"plainpelican/core/markup"
	"plainpelican/core/money"
	"plainpelican/platform/access"
	"plainpelican/platform/cluster"
	"plainpelican/platform/database"
	"plainpelican/platform/settings"
	"plainpelican/workbench"
)

type repriceResult struct {
	Bench         string  `json:"bench"`
	Drafts        int     `json:"drafts"`
	Prices        int     `json:"prices"`
	Moved         int     `json:"moved"`
	PreviewMS     float64 `json:"preview_ms"`
	RepriceMS     float64 `json:"reprice_ms"`
	YardstickMS   float64 `json:"bare_update_ms"`
	Times         float64 `json:"times_the_bare_update"`
	Edits         int     `json:"edits_meanwhile"`
	EditP95MS     float64 `json:"edit_p95_ms"`
	EditP95During float64 `json:"edit_p95_ms_meanwhile"`
}

// benchReprice changes a rule over many drafts of four variants each, their prices stored
// with traces, while a person goes on editing drafts. The yardstick is one bare UPDATE of
// the same rows, to values of the same size, in the same table. Both begin with the table
// vacuumed. It keeps a database server of its own in a folder.
func benchReprice(ctx context.Context, n int, dir string) (out repriceResult, err error) {
	if n == 0 {
		n = 100_000
	}
	out = repriceResult{Bench: "reprice", Drafts: n, Prices: 4 * n}
	pool, a, end, err := openBench(ctx, dir, false)
	if err != nil {
		return out, err
	}
	defer end()
	ctx = access.With(ctx, access.Identity{Name: "the bench"})
	fmt.Println("making", n, "drafts with 4 variants each")
	if err := fill(ctx, pool, a, n); err != nil {
		return out, err
	}
	return out, out.measure(ctx, pool, a)
}

// openBench starts a database server in a folder, with the application in front of it, which begins no
// work by itself. The database is empty unless it is kept as the last bench left it.
func openBench(ctx context.Context, dir string, kept bool) (pool *pgxpool.Pool, a *application.Application, end func(),
	err error) {
	c, err := cluster.New(dir, false)
	if err != nil {
		return nil, nil, nil, err
	}
	admin, _, err := c.Start(ctx, false)
	if err != nil {
		return nil, nil, nil, err
	}
	defer func() {
		if err != nil {
			_ = c.Stop()
		}
	}()
	if !kept {
		if err := emptied(ctx, admin); err != nil {
			return nil, nil, nil, err
		}
	}
	url, err := cluster.Database(ctx, admin, "bench")
	if err != nil {
		return nil, nil, nil, err
	}
	if pool, err = database.Open(ctx, url); err != nil {
		return nil, nil, nil, err
	}
	if err = database.Migrate(ctx, pool); err == nil {
		a, err = benchInstance(pool, dir)
	}
	if err == nil {
		err = a.Jobs.Start(ctx, false)
	}
	if err != nil {
		pool.Close()
		return nil, nil, nil, err
	}
	return pool, a, func() { pool.Close(); _ = c.Stop() }, nil
}

// benchInstance is an instance on a bench's database, whose log nobody reads.
func benchInstance(pool *pgxpool.Pool, dir string) (*application.Application, error) {
	return application.New(settings.Settings{Key: make([]byte, 32), Data: dir + "/blobs", PublicURL: "http://localhost",
		AllowNetworks: loopback}, pool, slog.New(slog.DiscardHandler))
}

func emptied(ctx context.Context, admin string) error {
	conn, err := pgx.Connect(ctx, admin)
	if err != nil {
		return err
	}
	defer func() { _ = conn.Close(ctx) }()
	_, err = conn.Exec(ctx, `drop database if exists bench with (force)`)
	return err
}

// fill makes a store, offers and drafts, and prices them.
func fill(ctx context.Context, pool *pgxpool.Pool, a *application.Application, n int) error {
	for _, sql := range []string{
		`insert into source (name, address, client_id, state, requests_per_second)
			values ('Quayside Bazaar', 'http://localhost:1', '', 'connected', 10)`,
		`insert into supplier (source_id, number, name, country, rating, on_time, verified) select 1, g::text,
			'Supplier ' || g, (array['CN', 'JP', 'VN', 'US'])[1 + g % 4], 45, 95, true from generate_series(1, 400) g`,
		fmt.Sprintf(`insert into offer (source_id, supplier_id, number, title, description, category, brand, currency,
			page_url, pictures, option_names, processing_min, processing_max, rating, ratings,
			return_days, weekly, deliveries, fingerprint, rivals, market_currency, market_prices)
			select 1, 1 + g %% 400, g::text, 'Offer ' || g, '',
			(array['Kitchen', 'Garden', 'Games', 'Rain'])[1 + g %% 4], '', 'USD', '', '{}', '{Colour}', 1, 2, 45, 10,
			14, '{}',
				'[{"name": "Tracked", "to": ["*"], "first": {"value": "4.20", "currency": "USD"},
				"further": {"value": "1.00", "currency": "USD"}, "transit": {"min": 6, "max": 10},
				"tracked": true}]', '',
				12, 'USD', array[1999 + g %% 900, 2999 + g %% 900] from generate_series(1, %d) g`, n),
		`insert into offer_variant (offer_id, number, position, option_values, cost, stock, picture, barcode,
			weight_grams)
			select o.id, v::text, v, array['v' || v], 200 + (o.id * 7919 + v * 31) % 4000, 100, 0, '', 100
			from offer o, generate_series(1, 4) v`,
		`insert into draft (offer_id, title, description, pictures, options, created_by) select id, title, '', '[]',
			'[{"name": "Colour", "original": "Colour", "values": [{"name": "v1", "original": "v1"}, {"name": "v2",
			"original": "v2"}, {"name": "v3", "original": "v3"}, {"name": "v4", "original": "v4"}]}]', '' from offer`,
		`insert into draft_variant (draft_id, offer_variant_id, position, number, value_indexes)
			select d.id, w.id, w.position - 1, w.position - 1, array[w.position - 1]
			from draft d join offer_variant w on w.offer_id = d.offer_id`,
		`insert into store (address, handle, name, currency, time_zone, markets, limits, requests_per_second, kind,
			endpoints, state) values ('http://localhost:2', 'bench', 'Bench', 'USD', 'UTC', '{US}', '{}', 40,
			'store platform', '{}', 'connected')`,
		`vacuum analyze`,
	} {
		if _, err := pool.Exec(ctx, sql); err != nil {
			return fmt.Errorf("%.60s: %w", sql, err)
		}
	}
	basis, err := a.Stores.Basis(ctx, pool, 1)
	if err != nil {
		return err
	}
	if err := database.InTx(ctx, pool, func(tx pgx.Tx) error {
		return a.Pricing.Start(ctx, tx, basis, 0)
	}); err != nil {
		return err
	}
	return a.Pricing.Reprice(ctx, 1)
}

func (out *repriceResult) measure(ctx context.Context, pool *pgxpool.Pool, a *application.Application) error {
	rules, err := a.Pricing.CurrentRules(ctx, 1)
	if err != nil {
		return err
	}
	usd := money.MustCurrency("USD")
	for i, category := range []string{"Kitchen", "Garden", "Games"} {
		r := rules.Rules[0]
		r.ID = i + 2
		r.Conditions = markup.Conditions{Categories: []string{category}, Under: money.New(3000, usd)}
		r.Formula = markup.Flat(markup.Multiple, money.Ratio(2_200_000+i*100_000), money.Amount{}, usd)
		r.Floor.LeastMargin = 200_000
		rules.Rules = slices.Insert(rules.Rules, i, r)
	}
	rules.Rules[len(rules.Rules)-1].Formula = markup.Flat(markup.Percent, 1_200_000, money.Amount{}, usd)
	if _, err := pool.Exec(ctx, `vacuum analyze price`); err != nil {
		return err
	}
	var previews []time.Duration
	for range 5 {
		began := time.Now()
		if _, err := a.Pricing.Effect(ctx, 1, rules.MoneyRules); err != nil {
			return err
		}
		previews = append(previews, time.Since(began))
	}
	slices.Sort(previews)
	out.PreviewMS = millis(previews[len(previews)/2])

	if err := even(ctx, pool); err != nil {
		return err
	}
	began := time.Now()
	if _, err := pool.Exec(ctx, `update price
		set price = price + 100, was = was, rule = rule, flags = flags, error = error, landed_trace = landed_trace,
		trace = trace`); err != nil {
		return err
	}
	out.YardstickMS = millis(time.Since(began))
	out.EditP95MS, _ = editing(ctx, a, out.Drafts, func() { time.Sleep(5 * time.Second) })
	if err := even(ctx, pool); err != nil {
		return err
	}
	run, err := a.Pricing.Apply(ctx, 1, rules.MoneyRules, rules.Revision, nil)
	if err != nil {
		return err
	}
	out.EditP95During, out.Edits = editing(ctx, a, out.Drafts, func() {
		began = time.Now()
		err = a.Pricing.Reprice(ctx, run.ID)
		out.RepriceMS = millis(time.Since(began))
	})
	out.Times = out.RepriceMS / out.YardstickMS
	if err == nil {
		err = pool.QueryRow(ctx, `select moved from reprice_run where id = $1`, run.ID).Scan(&out.Moved)
	}
	return err
}

// even brings the table and the log to the state from which both begin.
func even(ctx context.Context, pool *pgxpool.Pool) error {
	for _, sql := range []string{`vacuum analyze price`, `checkpoint`} {
		if _, err := pool.Exec(ctx, sql); err != nil {
			return err
		}
	}
	return nil
}

// editing retitles drafts, some five a second, until something is done.
func editing(ctx context.Context, a *application.Application, drafts int, something func()) (p95 float64, n int) {
	var done atomic.Bool
	took := make(chan []time.Duration)
	go func() {
		var all []time.Duration
		for r := rand.New(rand.NewPCG(5, 6)); !done.Load(); {
			title := fmt.Sprint("Title ", len(all))
			answered := a.Throttle.Interactive()
			began := time.Now()
			if _, err := a.Workbench.Edit(ctx, 1+r.Int64N(int64(drafts)), 1,
				workbench.EditInput{Title: &title}); err == nil {
				all = append(all, time.Since(began))
			}
			answered()
			time.Sleep(200 * time.Millisecond)
		}
		took <- all
	}()
	something()
	done.Store(true)
	all := <-took
	slices.Sort(all)
	if len(all) == 0 {
		return 0, 0
	}
	return millis(all[len(all)*95/100]), len(all)
}
