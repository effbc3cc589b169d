package main

import (
	"context"
	"encoding/csv"
	"fmt"
	"io"
	"maps"
	"math/rand/v2"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/RoaringBitmap/roaring/v2/roaring64"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"

	"plainpelican/application"
	"plainpelican/connect/source"
	"plainpelican/core/landed"
	"plainpelican/core/money"
	"plainpelican/platform/access"
	"plainpelican/platform/database"
	"plainpelican/search"
	"plainpelican/standins/gen"
)

type searchResult struct {
	Bench   string  `json:"bench"`
	Offers  int     `json:"offers"`
	Users   int     `json:"users"`
	BuildMS float64 `json:"build_ms"`
	HeapMB  float64 `json:"heap_mb"`
	// P95MS is by the kind of sentence, and over all of them, each with all counts and fifty rows fetched.
	P95MS    map[string]float64 `json:"p95_ms"`
	AllP95   float64            `json:"all_p95_ms"`
	Import95 float64            `json:"all_p95_ms_while_an_import_runs"`
	// YardstickMS is the median of the same questions as plain SQL, one user.
	YardstickMS map[string]float64 `json:"plain_sql_median_ms"`
	RulesMS     float64            `json:"new_rules_in_all_columns_ms"`
}

const (
	benchSeed      = 11
	benchUsers     = 4
	benchQuestions = 60 // of each kind and user
)

// kinds of sentence, each at random.
var kinds = map[string]func(*rand.Rand) search.Sentence{
	"selective word": func(r *rand.Rand) search.Sentence {
		return search.Sentence{Words: some(r, "propagator", "terracotta", "seagrass", "merino", "pongee", "tarpaulin")}
	},
	"common word": func(r *rand.Rand) search.Sentence {
		return search.Sentence{Words: some(r, "steel", "camp", "travel", "kitchen", "balcony")}
	},
	"two words": func(r *rand.Rand) search.Sentence {
		return search.Sentence{Words: some(r, "enamel", "steel", "wooden", "free") + " " +
			some(r, "mug", "kettle", "set", "bag", "shipping")}
	},
	"clauses only": func(r *rand.Rand) search.Sentence {
		return search.Sentence{Days: int32(10 + r.IntN(14)), Under: fmt.Sprint(6 + r.IntN(30)),
			Stock: int32(r.IntN(200)), Rating: int32(r.IntN(46)),
			ShipsFrom: [][]string{nil, {"CN"}, {"VN", "PL"}}[r.IntN(3)], Month: int32(r.IntN(2) * 100),
			Tracked: r.IntN(2) == 0}
	},
	"whole catalog": func(*rand.Rand) search.Sentence { return search.Sentence{} },
}

func kindNames() []string { return slices.Sorted(maps.Keys(kinds)) }

func some(r *rand.Rand, of ...string) string { return of[r.IntN(len(of))] }

func question(r *rand.Rand, kind string) search.Sentence {
	q := kinds[kind](r)
	q.Store, q.Limit, q.Counts, q.Sort = 1, 50, true,
		some(r, "relevance", "landed", "days", "units", "growth", "rating", "profit", "margin", "worth")
	if kind != "two words" && kind != "selective word" && kind != "common word" && q.Sort == "relevance" {
		q.Sort = "profit"
	}
	if q.Words != "" && r.IntN(2) == 0 {
		q.Rivals = "20"
	}
	return q
}

// benchSearch asks a catalog of n offers sentences of five kinds, several users at once.
func benchSearch(ctx context.Context, n int, dir string, kept bool) (out searchResult, err error) {
	if n == 0 {
		n = 1_000_000
	}
	out = searchResult{Bench: "search", Offers: n, Users: benchUsers, P95MS: map[string]float64{},
		YardstickMS: map[string]float64{}}
	ctx, pool, a, end, err := openLaid(ctx, n, dir, kept)
	if err != nil {
		return out, err
	}
	defer end()
	var before, after runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&before)
	began := time.Now()
	if err := a.Search.Refresh(ctx); err != nil {
		return out, err
	}
	out.BuildMS = millis(time.Since(began))
	runtime.GC()
	runtime.ReadMemStats(&after)
	out.HeapMB = float64(after.HeapAlloc-before.HeapAlloc) / 1e6
	var all []time.Duration
	for kind := range kinds {
		took, err := users(ctx, a, func(*rand.Rand) string { return kind })
		if err != nil {
			return out, err
		}
		all = append(all, took...)
		out.P95MS[kind] = p95(took)
	}
	out.AllP95 = p95(all)
	if err := out.yardstick(ctx, pool, a); err != nil {
		return out, err
	}
	began = time.Now()
	if err := a.Search.Refresh(ctx); err != nil { // as when a rule or a rate has changed
		return out, err
	}
	out.RulesMS = millis(time.Since(began))
	out.Import95, err = whileTakingIn(ctx, pool, a, dir, max(n/5, 1000))
	return out, err
}

// users ask at once, until each has asked enough.
func users(ctx context.Context, a *application.Application, kind func(*rand.Rand) string) ([]time.Duration, error) {
	var asking sync.WaitGroup
	var mu sync.Mutex
	var all []time.Duration
	var failed error
	for user := range benchUsers {
		asking.Go(func() {
			r := rand.New(rand.NewPCG(uint64(user), 9))
			for range benchQuestions {
				q := question(r, kind(r))
				answered := a.Throttle.Interactive()
				began := time.Now()
				_, err := a.Search.Search(ctx, q)
				took := time.Since(began)
				answered()
				mu.Lock()
				if err != nil {
					failed = err
				}
				all = append(all, took)
				mu.Unlock()
			}
		})
	}
	asking.Wait()
	return all, failed
}

// whileTakingIn asks for as long as a list is taken in.
func whileTakingIn(ctx context.Context, pool *pgxpool.Pool, a *application.Application, dir string, n int) (float64,
	error) {
	file := filepath.Join(dir, "meanwhile.csv")
	if _, err := writeList(file, "V", n, false); err != nil {
		return 0, err
	}
	id, err := connectBench(ctx, a, file, "Another wholesaler")
	if err != nil {
		return 0, err
	}
	following, stop := context.WithCancel(ctx)
	defer stop()
	go a.Search.Follow(following)
	names := kindNames()
	done := make(chan error, 1)
	go func() {
		_, err := takeIn(ctx, pool, a, id)
		done <- err
	}()
	var all []time.Duration
	for {
		took, err := users(ctx, a, func(r *rand.Rand) string { return some(r, names...) })
		if err != nil {
			return 0, err
		}
		all = append(all, took...)
		select {
		case err := <-done:
			return p95(all), err
		default:
		}
	}
}

// openLaid opens a bench's database with n offers on the shelf.
func openLaid(ctx context.Context, n int, dir string, kept bool) (context.Context, *pgxpool.Pool,
	*application.Application, func(), error) {
	pool, a, end, err := openBench(ctx, dir, kept)
	if err != nil {
		return ctx, nil, nil, nil, err
	}
	ctx = access.With(ctx, access.Identity{Name: "the bench", Role: access.Owner})
	if err := laid(ctx, pool, a, n, kept); err != nil {
		end()
		return ctx, nil, nil, nil, err
	}
	return ctx, pool, a, end, nil
}

// laid has n offers on the shelf, unless they are kept from before.
func laid(ctx context.Context, pool *pgxpool.Pool, a *application.Application, n int, kept bool) error {
	if kept {
		var there int
		err := pool.QueryRow(ctx, `select count(*) from offer
			where source_id = 1 and withdrawn_at is null`).Scan(&there)
		if err == nil && there < n {
			err = fmt.Errorf("%d offers are kept, not %d", there, n)
		}
		return err
	}
	if err := fill(ctx, pool, a, benchDrafts); err != nil {
		return err
	}
	fmt.Println("laying", n, "offers on the shelf")
	return lay(ctx, pool, a, n)
}

// lay puts n offers of the seeded generator on the shelf of the first source.
func lay(ctx context.Context, pool *pgxpool.Pool, a *application.Application, n int) error {
	if _, err := pool.Exec(ctx, `insert into rate_day (day, base, rates)
		values (current_date, 'EUR',
		'{"USD": "1.0841", "CNY": "7.8255", "INR": "93.66", "JPY": "165.64", "KWD": "0.3329", "GBP": "0.8561",
		"PLN": "4.2502"}') on conflict do nothing`); err != nil {
		return err
	}
	seen := roaring64.New()
	var batch []source.Offer
	put := func() error {
		err := database.InTx(ctx, pool, func(tx pgx.Tx) error { return a.Offers.BulkInsert(ctx, tx, 1, batch, seen) })
		batch = batch[:0]
		return err
	}
	for o := range gen.Offers(benchSeed, n) {
		offer, err := asTold(o)
		if err != nil {
			return err
		}
		if batch = append(batch, offer); len(batch) == 4000 {
			if err := put(); err != nil {
				return err
			}
		}
	}
	if err := put(); err != nil {
		return err
	}
	_, err := pool.Exec(ctx, `vacuum analyze`)
	return err
}

// picturesOn is where a bench that needs pictures serves them.
const picturesOn = "127.0.0.1:37996"

// pictureAt is the address of a generated picture.
func pictureAt(name string) string { return "http://" + picturesOn + "/" + name + ".jpg" }

// asTold is a generated offer as its source's protocol would bring it.
func asTold(o gen.Offer) (source.Offer, error) {
	c, err := money.ParseCurrency(o.Supplier.Currency)
	if err != nil {
		return source.Offer{}, err
	}
	out := source.Offer{Number: o.Number, Title: o.Title, Category: o.Category, Brand: o.Brand, Currency: c,
		OptionNames: o.OptionNames, Processing: landed.Days{Min: o.Processing[0], Max: o.Processing[1]},
		Rating: o.Rating, Ratings: o.Ratings, ReturnDays: &o.ReturnDays, OwnPacking: o.OwnPacking,
		Rivals: source.Rivals{Stores: &o.Rivals.Stores, Currency: money.MustCurrency("USD")},
		Supplier: source.Supplier{Number: "G" + o.Supplier.Number, Name: o.Supplier.Name, Country: o.Supplier.Country,
			Rating: o.Supplier.Rating, OnTime: &o.Supplier.OnTime, Verified: o.Supplier.Verified}}
	for _, name := range o.Pictures {
		out.Pictures = append(out.Pictures, pictureAt(name))
	}
	for _, price := range o.Rivals.Prices {
		out.Rivals.Prices = append(out.Rivals.Prices, int64(price))
	}
	for _, units := range o.Weekly {
		out.Weekly = append(out.Weekly, int32(units))
	}
	for _, d := range o.Deliveries {
		out.Deliveries = append(out.Deliveries,
			landed.Delivery{Name: d.Name, To: d.To, First: money.New(int64(d.First), c),
				Further: money.New(int64(d.Further), c), Transit: landed.Days{Min: d.Min, Max: d.Max},
				Tracked: d.Tracked})
	}
	for _, v := range o.Variants {
		out.Variants = append(out.Variants,
			source.Variant{Number: v.SKU, Barcode: v.GTIN, Values: v.Values, Cost: money.New(int64(v.Price), c),
				Stock: v.Stock, Picture: v.Picture, WeightGrams: v.Grams})
	}
	return out, nil
}

// yardstick asks the same questions as plain SQL over a table that holds all that is asked for.
func (out *searchResult) yardstick(ctx context.Context, pool *pgxpool.Pool, a *application.Application) error {
	if err := told(ctx, pool, a); err != nil {
		return err
	}
	orders := map[string]string{"relevance": "month desc", "landed": "landed nulls last", "days": "days nulls last",
		"units": "month desc", "growth": "growth desc nulls last", "rating": "rating desc",
		"profit": "profit desc nulls last", "margin": "margin desc nulls last",
		"worth": "profit * month / greatest(rivals, 1) desc nulls last"}
	for kind := range kinds {
		r := rand.New(rand.NewPCG(1, 9))
		var took []time.Duration
		for range 7 {
			q := question(r, kind)
			where := []string{"true"}
			for _, w := range strings.Fields(q.Words) {
				where = append(where, `words @@ to_tsquery('simple', '`+w+`:*')`)
			}
			add := func(asked bool, condition string, args ...any) {
				if asked {
					where = append(where, fmt.Sprintf(condition, args...))
				}
			}
			add(q.Days > 0, `days <= %d`, q.Days)
			add(q.Under != "", `landed < %s`, q.Under)
			add(q.Stock > 0, `stock >= %d`, q.Stock)
			add(q.Rating > 0, `rating >= %d`, q.Rating)
			add(q.Month > 0, `month >= %d`, q.Month)
			add(q.Rivals != "", `rivals <= %s`, q.Rivals)
			add(len(q.ShipsFrom) > 0, `country in ('%s')`, strings.Join(q.ShipsFrom, `','`))
			sql := `with answer as materialized (select * from told where ` + strings.Join(where, ` and `) + `)
				select (select count(*) from answer), (select json_agg(x)
				from (select id from answer order by ` + orders[q.Sort] + `, id limit 50) x), (select json_agg(x) from
				(select country, category, supplier, demand, count(*), count(*) filter (where stock >= 10),
				count(*) filter (where stock >= 100), count(*) filter (where days <= 8),
				count(*) filter (where days <= 16), count(*) filter (where landed < 8),
				count(*) filter (where landed < 18),
				count(*) filter (where rating >= 45) from answer
				group by grouping sets (country, category, supplier, demand, ())) x)`
			began := time.Now()
			if _, err := pool.Exec(ctx, sql); err != nil {
				return err
			}
			took = append(took, time.Since(began))
		}
		slices.Sort(took)
		out.YardstickMS[kind] = millis(took[len(took)/2])
	}
	return nil
}

// told fills a table with what sentences ask for, from the catalog's own export.
func told(ctx context.Context, pool *pgxpool.Pool, a *application.Application) error {
	if _, err := pool.Exec(ctx, `drop table if exists told; create unlogged table told (id bigint, supplier text,
		country text, landed numeric, profit numeric, margin numeric, days int, stock int, rating int, month int,
		demand text, growth numeric, rivals int, category text, words tsvector)`); err != nil {
		return err
	}
	reader, writer := io.Pipe()
	go func() {
		writer.CloseWithError(a.Search.Export(ctx, search.Sentence{Store: 1, Sort: "units"}, writer))
	}()
	rows := csv.NewReader(reader)
	head, err := rows.Read()
	if err != nil {
		return err
	}
	at := func(row []string, column string) any {
		if text := strings.TrimPrefix(row[slices.Index(head, column)], "\ufeff"); text != "" {
			return text
		}
		return nil
	}
	var buffer strings.Builder
	for {
		row, err := rows.Read()
		if err == io.EOF {
			break
		}
		if err != nil {
			return err
		}
		cells := []string{row[0]}
		for _, column := range []string{"supplier", "ships from", "landed", "profit", "margin of net %", "days to",
			"stock", "rating", "sold in 30 days", "demand", "growth % a month", "rivals"} {
			cell := `\N`
			if v := at(row, column); v != nil {
				cell = fmt.Sprint(v)
			}
			if column == "rating" {
				cell = strings.ReplaceAll(cell, ".", "")
			}
			cells = append(cells, cell)
		}
		buffer.WriteString(strings.Join(cells, "\t") + "\n")
	}
	conn, err := pool.Acquire(ctx)
	if err != nil {
		return err
	}
	defer conn.Release()
	if _, err := conn.Conn().PgConn().CopyFrom(ctx, strings.NewReader(buffer.String()),
		`copy told (id, supplier, country, landed, profit, margin, days, stock, rating, month, demand, growth, rivals)
			from stdin`); err != nil {
		return err
	}
	for _, sql := range []string{
		`update told t
			set category = o.category, words = to_tsvector('simple',
			o.title || ' ' || t.supplier || ' ' || o.category || ' ' || o.brand || ' ' || o.number) from offer o
			where o.id = t.id`,
		`create index on told using gin (words)`, `vacuum analyze told`,
	} {
		if _, err := conn.Exec(ctx, sql); err != nil {
			return err
		}
	}
	return nil
}

func p95(took []time.Duration) float64 {
	slices.Sort(took)
	return millis(took[len(took)*95/100])
}
