package main

import (
	"bytes"
	"context"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5/pgxpool"
	webhooks "github.com/standard-webhooks/standard-webhooks/libraries/go"
	"golang.org/x/time/rate"

	"plainpelican/application"
	"plainpelican/orders"
	"plainpelican/platform/access"
)

// ordersResult is what buying reaches of what a source allows, and how fast a long list of orders is.
type ordersResult struct {
	Bench  string `json:"bench"`
	Orders int    `json:"orders"`
	// Allowed is the source's limit, the yardstick, in requests a second; Share what was made of it.
	Allowed int     `json:"allowed_per_second"`
	Seconds float64 `json:"seconds"`
	BuyMS   float64 `json:"begun_ms"` // until all purchases were written down
	Share   float64 `json:"share_of_the_limit"`
	Refused int     `json:"requests_that_the_source_refused"`
	// Listed is how many orders are in the list; Plain a page of them by one plain query.
	Listed      int                `json:"listed"`
	OpenP95MS   float64            `json:"list_open_p95_ms"`
	FilterP95MS map[string]float64 `json:"list_filter_p95_ms"`
	PlainP95MS  float64            `json:"plain_query_p95_ms"`
	// Webhooks are how long a store waits for an answer while so many a second arrive and are worked through beside it;
	// InsertP95MS is how long one plain insert takes then, the yardstick.
	WebhooksASecond int     `json:"webhooks_a_second"`
	WebhookP95MS    float64 `json:"webhook_answer_p95_ms"`
	InsertP95MS     float64 `json:"plain_insert_p95_ms"`
}

const (
	benchBuys  = 20 // requests a second that the source allows
	listedMany = 50_000
	benchHooks = 20 // webhooks a second, for ten seconds
)

// benchOrders buys n orders of two lines from a source that allows so many requests a second, and lists many orders.
func benchOrders(ctx context.Context, n int, dir string) (out ordersResult, err error) {
	if n == 0 {
		n = 1_000
	}
	out = ordersResult{Bench: "orders", Orders: n, Allowed: benchBuys}
	pool, a, end, err := openBench(ctx, dir, false)
	if err != nil {
		return out, err
	}
	defer end()
	ctx = access.With(ctx, access.Identity{Name: "the bench", Role: access.Owner})
	if err := fill(ctx, pool, a, n+400); err != nil {
		return out, err
	}
	seen := &supplier{limit: rate.NewLimiter(benchBuys, benchBuys)}
	at := httptest.NewServer(seen)
	defer at.Close()
	if err := sold(ctx, pool, a, at.URL, n); err != nil {
		return out, err
	}
	if err := out.buy(ctx, pool, dir, seen); err != nil {
		return out, err
	}
	if err := out.list(ctx, pool, a); err != nil {
		return out, err
	}
	return out, out.webhooks(ctx, pool, dir)
}

// supplier is a source that takes every purchase order.
type supplier struct {
	limit   *rate.Limiter
	taken   atomic.Int64
	refused atomic.Int64
}

func (s *supplier) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	say := func(body any) { _ = json.NewEncoder(w).Encode(body) }
	switch {
	case r.URL.Path == "/.well-known/catalog-source":
		say(map[string]any{"protocol": "catalog-source/1", "name": "Bench", "token_endpoint": "/token",
			"takes_orders": true, "limits": map[string]int{"requests_per_second": benchBuys, "page_size": 100}})
	case r.URL.Path == "/token":
		say(map[string]string{"access_token": "t"})
	case !s.limit.Allow():
		s.refused.Add(1)
		w.Header().Set("Retry-After", "1")
		w.WriteHeader(http.StatusTooManyRequests)
	default:
		say(map[string]any{"orderNumber": fmt.Sprint("B-", s.taken.Add(1)), "orderStatus": "OrderPaymentDue",
			"price": "12.00", "priceCurrency": "USD", "orderDelivery": []any{}})
	}
}

// sold has all drafts be live in a store without an API, n orders of two lines of one supplier come in as a file, and
// their source be one that takes orders.
func sold(ctx context.Context, pool *pgxpool.Pool, a *application.Application, address string, n int) error {
	for _, sql := range []string{
		`update store set kind = 'files', address = 'files:bench'`,
		`insert into listing (store_id, draft_id, offer_id, product_id, url, title, sent, visible, variants, lowest,
				highest, words)
			select 1, d.id, d.offer_id, 'p' || d.id, '', d.title, '{}', true, 4, 4999, 4999, '' from draft d`,
		`insert into listing_variant (listing_id, draft_variant_id, price)
			select l.id, v.id, 4999 from listing l join draft_variant v on v.draft_id = l.draft_id`,
		`vacuum analyze`,
	} {
		if _, err := pool.Exec(ctx, sql); err != nil {
			return fmt.Errorf("%.60s: %w", sql, err)
		}
	}
	if _, err := pool.Exec(ctx, `update source set address = $1, client_id = 'bench', secret = $2, takes_orders = true`,
		address, a.Sources.Box.Seal("source "+address, "secret")); err != nil {
		return err
	}
	var file strings.Builder
	file.WriteString("order,placed,product,variant,quantity,price,name,street,city,state or province," +
		"postcode,country\n")
	for i := 1; i <= n; i++ {
		for _, draft := range []int{i, i + 400} { // every 400th offer is of the same supplier
			fmt.Fprintf(&file, "S-%d,2026-11-27,p%d,%d,1,49.99,Maya Okafor,418 Juniper Street,Portland,OR,97205,US\n",
				i,
				draft, 4*(draft-1)+1)
		}
	}
	came, err := a.Orders.TakeFile(ctx, 1, strings.NewReader(file.String()))
	if err == nil && came.Orders != n {
		err = fmt.Errorf("%d of %d orders came in: %+v", came.Orders, n, came.Rejected[:min(len(came.Rejected), 2)])
	}
	return err
}

// webhooks has a store tell of orders, so many a second, and measures how long it waits for each answer.
func (out *ordersResult) webhooks(ctx context.Context, pool *pgxpool.Pool, dir string) error {
	a, err := benchInstance(pool, dir)
	if err != nil {
		return err
	}
	if err := a.Jobs.Start(ctx, true); err != nil {
		return err
	}
	defer a.Jobs.Stop(ctx)
	secret := "whsec_" + base64.StdEncoding.EncodeToString(make([]byte, 32))
	if _, err := pool.Exec(ctx, `insert into order_feed (store_id, since, hook_key, secret) values (1, now(), 'bench',
		$1)
		on conflict (store_id) do update set hook_key = 'bench', secret = excluded.secret`,
		a.Orders.Box.Seal("webhooks bench", secret)); err != nil {
		return err
	}
	sign, err := webhooks.NewWebhook(secret)
	if err != nil {
		return err
	}
	server := httptest.NewServer(a.Handler())
	defer server.Close()
	out.WebhooksASecond = benchHooks
	took := make(chan time.Duration, 10*benchHooks)
	failed := make(chan error, 10*benchHooks)
	var plain []time.Duration
	var all sync.WaitGroup
	tick := time.NewTicker(time.Second / benchHooks)
	defer tick.Stop()
	for i := range 10 * benchHooks {
		<-tick.C
		all.Go(func() {
			began := time.Now()
			if err := tellOf(ctx, server.URL, sign, i); err != nil {
				failed <- err
			}
			took <- time.Since(began)
		})
		began := time.Now()
		if _, err := pool.Exec(ctx, `insert into order_event (order_id, by, words) values (1, '',
			'plain')`); err != nil {
			return err
		}
		plain = append(plain, time.Since(began))
	}
	all.Wait()
	close(took)
	close(failed)
	for err := range failed {
		return err
	}
	var list []time.Duration
	for t := range took {
		list = append(list, t)
	}
	out.WebhookP95MS, out.InsertP95MS = p95(list), p95(plain)
	return nil
}

// tellOf tells of one order as a store does.
func tellOf(ctx context.Context, address string, sign *webhooks.Webhook, i int) error {
	body := fmt.Appendf(nil,
		`{"type":"order.created","data":{"id":"H-%d","number":"#H%d","placed_at":"2026-11-27T10:00:00Z",
		"updated_at":"2026-11-27T10:00:00Z","currency":"USD","shipping":"0","total":"49.99",
		"address":{"name":"Maya Okafor",
		"line1":"418 Juniper Street","city":"Portland","region":"OR","postcode":"97205","country":"US"},
		"lines":[{"id":"1","product_id":"p1","variant_id":"1","title":"Mug","quantity":1,"price":"49.99"}]}}`, i, i)
	now := time.Now()
	id := fmt.Sprint("bench-", i)
	signature, err := sign.Sign(id, now, body)
	if err != nil {
		return err
	}
	r, err := http.NewRequestWithContext(ctx, http.MethodPost, address+"/connect/webhooks/bench", bytes.NewReader(body))
	if err != nil {
		return err
	}
	r.Host = "localhost"
	r.Header.Set("Content-Type", "application/json")
	r.Header.Set(webhooks.HeaderWebhookID, id)
	r.Header.Set(webhooks.HeaderWebhookTimestamp, strconv.FormatInt(now.Unix(), 10))
	r.Header.Set(webhooks.HeaderWebhookSignature, signature)
	answer, err := http.DefaultClient.Do(r)
	if err != nil {
		return err
	}
	defer func() { _ = answer.Body.Close() }()
	if answer.StatusCode != http.StatusNoContent {
		return fmt.Errorf("a webhook was answered %d", answer.StatusCode)
	}
	return nil
}

// buy buys all orders, and measures until the last purchase is with the source.
func (out *ordersResult) buy(ctx context.Context, pool *pgxpool.Pool, dir string, seen *supplier) error {
	a, err := benchInstance(pool, dir)
	if err != nil {
		return err
	}
	var in orders.BuyInput
	for i := 1; i <= out.Orders; i++ {
		in.OrderIDs = append(in.OrderIDs, int64(i))
	}
	if err := a.Jobs.Start(ctx, true); err != nil {
		return err
	}
	defer a.Jobs.Stop(ctx)
	began := time.Now()
	made, err := a.Orders.Buy(ctx, in)
	if err != nil {
		return err
	}
	if made.Begun != out.Orders {
		return fmt.Errorf("%d purchases were begun of %d orders: %+v", made.Begun, out.Orders, made.LeftOut[:1])
	}
	out.BuyMS = millis(time.Since(began))
	for {
		var placed int
		if err := pool.QueryRow(ctx, `select count(*) from purchase where state = 'placed'`).Scan(&placed); err != nil {
			return err
		}
		if placed == out.Orders {
			break
		}
		time.Sleep(20 * time.Millisecond)
	}
	out.Seconds = time.Since(began).Seconds()
	out.Share = float64(out.Orders) / out.Seconds / benchBuys
	out.Refused = int(seen.refused.Load())
	return nil
}

// list measures a page of many orders, and one that is filtered.
func (out *ordersResult) list(ctx context.Context, pool *pgxpool.Pool, a *application.Application) error {
	for _, sql := range []string{
		fmt.Sprintf(`insert into customer_order (store_id, store_order, number, state, placed_at, updated_at, currency,
				shipping, total, customer, country, words, profit, promise_days)
			select 1, 'L-' || g, '#' || g, (array['to_buy', 'to_pay', 'bought', 'shipped', 'delivered'])[1 + g %% 5],
				now() - g * interval '1 minute', now(), 'USD', 0, 4999, '', 'US', lower('#' || g || ' Harbour mug s'
					|| g),
				(g %% 100 - 10) * 100, 16 from generate_series(1, %d) g`, listedMany),
		`insert into order_line (order_id, store_line, position, product_id, variant_id, sku, title, variant, quantity,
				price)
			select o.id, x::text, x, '', '', '', 'Harbour mug', '', 1, 4999 from customer_order o, generate_series(1,
				2) x
			where o.store_order like 'L-%'`,
		`vacuum analyze`,
	} {
		if _, err := pool.Exec(ctx, sql); err != nil {
			return fmt.Errorf("%.60s: %w", sql, err)
		}
	}
	var page orders.Page
	look := func(f orders.Filter) func(int) error {
		return func(int) (err error) { page, err = a.Orders.List(ctx, 0, 100, f); return err }
	}
	var err error
	if out.OpenP95MS, err = timedP95(30, look(orders.Filter{})); err != nil {
		return err
	}
	out.Listed, out.FilterP95MS = page.Total, map[string]float64{}
	for name, f := range map[string]orders.Filter{"words": {Words: "s4711"}, "to_buy": {State: "to_buy"},
		"late": {Matter: "late"}, "loses": {Matter: "loses"}, "store": {StoreID: 1}} {
		if out.FilterP95MS[name], err = timedP95(20, look(f)); err != nil {
			return err
		}
	}
	out.PlainP95MS, err = timedP95(30, func(int) error {
		rows, err := pool.Query(ctx, `select id, number, state, total from customer_order order by placed_at desc, id
			desc
			limit 100`)
		if err == nil {
			rows.Close()
			err = rows.Err()
		}
		return err
	})
	return err
}
