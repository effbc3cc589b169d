package main

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5/pgxpool"

	"plainpelican/application"
	"plainpelican/connect/store/storeplatform"
	"plainpelican/platform/access"
	"plainpelican/publishing"
	"plainpelican/standins/shop"
)

// publishResult is what publishing reaches of what a store allows.
type publishResult struct {
	Bench  string `json:"bench"`
	Drafts int    `json:"drafts"`
	// Allowed is the store's limit, the yardstick, in requests a second; Share what was made of it.
	Allowed  int     `json:"allowed_per_second"`
	Requests int     `json:"requests"`
	Seconds  float64 `json:"seconds"`
	Share    float64 `json:"share_of_the_limit"`
	TwoShare float64 `json:"share_of_the_limit_with_two_instances"`
	Refused  int     `json:"requests_that_the_store_refused"`
	// Told is how late a browser hears of an item, and Watching what browsers that follow a run cost this process and
	// themselves, which are in it: processor time by time, over what the same run takes without them.
	ToldP95MS float64 `json:"told_p95_ms"`
	Watching  float64 `json:"share_of_a_core_for_20_browsers"`
	// Preflight is of 1,000 drafts for 3 stores.
	PreflightMS float64 `json:"preflight_ms"`
	// Listings is a page of as many as are live, and one that is filtered; Plain the same rows by one plain query.
	Live        int                `json:"listings"`
	OpenP95MS   float64            `json:"listings_open_p95_ms"`
	FilterP95MS map[string]float64 `json:"listings_filter_p95_ms"`
	PlainP95MS  float64            `json:"plain_query_p95_ms"`
}

const (
	benchPictures = 5
	benchAllowed  = 40
	benchLive     = 50_000
)

// benchPublish publishes n drafts of five pictures to a store that allows so many requests a second, with one instance
// and then with two, and looks at listings and at a run before it begins. The store's own limit is the yardstick.
func benchPublish(ctx context.Context, n int, dir string) (out publishResult, err error) {
	if n == 0 {
		n = 1_000
	}
	out = publishResult{Bench: "publish", Drafts: n, Allowed: benchAllowed}
	pool, a, end, err := openBench(ctx, dir, false)
	if err != nil {
		return out, err
	}
	defer end()
	ctx = access.With(ctx, access.Identity{Name: "the bench", Role: access.Owner})
	seen := min(n, 200) // of a run that is watched, and of one that is not
	fmt.Println("making", 2*n+2*seen, "drafts with", benchPictures, "pictures each")
	if err := fill(ctx, pool, a, 2*n+2*seen); err != nil {
		return out, err
	}
	if err := withPictures(ctx, pool, a); err != nil {
		return out, err
	}
	requests, close, err := benchShop(ctx, pool, a)
	if err != nil {
		return out, err
	}
	defer close()
	drafts := func(from, n int) (ids []int64) {
		for i := range n {
			ids = append(ids, int64(from+i))
		}
		return ids
	}
	in := publishing.StartInput{DraftIDs: drafts(1, n), Stores: []publishing.TargetInput{
		{StoreID: 1, Settings: publishing.Settings{Visible: true}}}}
	three := in
	three.Stores = append(three.Stores, publishing.TargetInput{StoreID: 2}, publishing.TargetInput{StoreID: 3})
	out.PreflightMS, err = timedP95(3, func(int) error {
		_, err := a.Publishing.Preflight(ctx, three)
		return err
	})
	if err != nil {
		return out, err
	}
	for instances, share := range []*float64{&out.Share, &out.TwoShare} {
		in.DraftIDs = drafts(1+instances*n, n)
		one, took, err := publishWith(ctx, pool, dir, instances+1, in, requests)
		if err != nil {
			return out, err
		}
		*share = float64(one) / took.Seconds() / benchAllowed
		if instances == 0 {
			out.Requests, out.Seconds = int(one), took.Seconds()
		}
	}
	var share [2]float64
	for with := range share {
		in.DraftIDs = drafts(1+2*n+with*seen, seen)
		browsers, err := watch(ctx, pool, with*benchBrowsers)
		if err != nil {
			return out, err
		}
		before, err := processor()
		if err != nil {
			return out, err
		}
		_, took, err := publishWith(ctx, pool, dir, 1, in, requests)
		if err != nil {
			return out, err
		}
		after, err := processor()
		if err != nil {
			return out, err
		}
		share[with] = (after - before).Seconds() / took.Seconds()
		browsers.stop()
		out.ToldP95MS = millis(browsers.lateP95())
	}
	out.Watching = share[1] - share[0]
	out.Refused = int(requests.refused.Load())
	return out, out.listings(ctx, pool, a)
}

// counted counts what a store was asked.
type counted struct{ all, refused atomic.Int64 }

// benchShop is a store that allows so many requests a second, connected as store 1; stores 2 and 3 are as it is.
func benchShop(ctx context.Context, pool *pgxpool.Pool, a *application.Application) (*counted, func(), error) {
	kept, err := os.MkdirTemp("", "pelican-bench-shop")
	if err != nil {
		return nil, nil, err
	}
	of := shop.Goods
	of.PerSecond = benchAllowed
	server, err := shop.New(of, kept)
	if err != nil {
		return nil, nil, err
	}
	server.Volatile = true
	requests := &counted{}
	handler := server.Handler()
	at := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if strings.HasPrefix(r.URL.Path, "/api/") {
			requests.all.Add(1)
		}
		handler.ServeHTTP(&watched{ResponseWriter: w, requests: requests}, r)
	}))
	end := func() { at.Close(); _ = os.RemoveAll(kept) }
	driver := storeplatform.Driver{Client: a.Outgoing}
	d, err := driver.Describe(ctx, at.URL)
	if err != nil {
		return nil, end, err
	}
	approve, err := driver.ApprovalURL(at.URL, d, "http://localhost/back", "s", strings.Repeat("v", 43))
	if err != nil {
		return nil, end, err
	}
	asked, err := url.Parse(approve)
	if err != nil {
		return nil, end, err
	}
	form := asked.Query()
	form.Set("decision", "approve")
	still := &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	answer, err := still.PostForm(at.URL+"/oauth/decide", form)
	if err != nil {
		return nil, end, err
	}
	_ = answer.Body.Close()
	back, err := answer.Location()
	if err != nil {
		return nil, end, err
	}
	token, err := driver.Exchange(ctx, at.URL, d, back.Query().Get("code"), "http://localhost/back",
		strings.Repeat("v", 43))
	if err != nil {
		return nil, end, err
	}
	if _, err := pool.Exec(ctx, `update store set address = $1, endpoints = $2, token = $3 where id = 1`, at.URL,
		d.Endpoints, a.Stores.Box.Seal("store "+at.URL, token)); err != nil {
		return nil, end, err
	}
	_, err = pool.Exec(ctx, `with more as (insert into store (address, handle, name, currency, time_zone, markets,
			limits,
			requests_per_second, kind, endpoints, state)
			select address || g, handle || g, name || g, currency, time_zone, markets, limits, requests_per_second,
			kind,
			endpoints, state from store, generate_series(2, 3) g returning id),
		rules as (insert into money_rules (store_id, revision, rules, changed_by, what)
			select more.id, m.revision, m.rules, m.changed_by, m.what from money_rules m, more where m.store_id = 1)
		select 1`)
	if err != nil {
		return nil, end, err
	}
	_, err = pool.Exec(ctx, `insert into price (store_id, draft_id, draft_variant_id, price, was, rule, flags, error,
			landed_trace, trace) select s.id, p.draft_id, p.draft_variant_id, p.price, p.was, p.rule, p.flags, p.error,
			p.landed_trace, p.trace from price p, store s where p.store_id = 1 and s.id > 1`)
	return requests, end, err
}

// watched counts answers that asked to slow down.
type watched struct {
	http.ResponseWriter
	requests *counted
}

func (w *watched) WriteHeader(status int) {
	if status == http.StatusTooManyRequests {
		w.requests.refused.Add(1)
	}
	w.ResponseWriter.WriteHeader(status)
}

// withPictures gives each draft pictures of its own, which are fetched before anything is measured.
func withPictures(ctx context.Context, pool *pgxpool.Pool, a *application.Application) error {
	at := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		n, _ := strconv.Atoi(strings.TrimPrefix(r.URL.Path, "/"))
		one := image.NewRGBA(image.Rect(0, 0, 64, 64))
		for x := range 64 {
			for y := range 64 {
				one.Set(x, y, color.RGBA{uint8(n), uint8(n >> 8), uint8(x * 4), 255})
			}
		}
		var content bytes.Buffer
		_ = png.Encode(&content, one)
		w.Header().Set("Content-Type", "image/png")
		_, _ = w.Write(content.Bytes())
	}))
	defer at.Close()
	// A list's offers are sold until the list says otherwise: nobody is asked.
	if _, err := pool.Exec(ctx, `update source set kind = 'price list'`); err != nil {
		return err
	}
	if _, err := pool.Exec(ctx, `update draft d set pictures = (select jsonb_agg(jsonb_build_object('id', p, 'url',
		$1 || '/' || (d.id * 5 + p), 'shown', true)) from generate_series(0, $2 - 1) p)`, at.URL,
		benchPictures); err != nil {
		return err
	}
	var most int
	if err := pool.QueryRow(ctx, `select max(id) from draft`).Scan(&most); err != nil {
		return err
	}
	var failed error
	var lock sync.Mutex
	var all sync.WaitGroup
	next := make(chan int)
	for range 4 {
		all.Go(func() {
			for n := range next {
				if _, _, err := a.Media.PictureAt(ctx, fmt.Sprintf("%s/%d", at.URL, n)); err != nil {
					lock.Lock()
					failed = errors.Join(failed, err)
					lock.Unlock()
				}
			}
		})
	}
	for n := benchPictures; n < (most+1)*benchPictures; n++ {
		next <- n
	}
	close(next)
	all.Wait()
	return failed
}

// publishWith has so many instances publish drafts, and counts the requests and the time until the last one ended.
func publishWith(ctx context.Context, pool *pgxpool.Pool, dir string, instances int, in publishing.StartInput,
	requests *counted) (int64, time.Duration, error) {
	var first *application.Application
	for i := range instances {
		a, err := benchInstance(pool, dir)
		if err != nil {
			return 0, 0, err
		}
		if err := a.Jobs.Start(ctx, true); err != nil {
			return 0, 0, err
		}
		defer a.Jobs.Stop(ctx)
		if i == 0 {
			first = a
		}
	}
	before, began := requests.all.Load(), time.Now()
	run, err := first.Publishing.Start(ctx, in)
	if err != nil {
		return 0, 0, err
	}
	for {
		var state string
		var published, other int
		if err := pool.QueryRow(ctx, `select r.state, t.published, t.failed + t.left_out + t.unknown from publish_run r
			join publish_target t on t.run_id = r.id where r.id = $1`, run.ID).Scan(&state, &published,
			&other); err != nil {
			return 0, 0, err
		}
		if state == "finished" {
			if other > 0 || published != len(in.DraftIDs) {
				return 0, 0, fmt.Errorf("%d published and %d not", published, other)
			}
			return requests.all.Load() - before, time.Since(began), nil
		}
		time.Sleep(20 * time.Millisecond)
	}
}

// listings measures the list of a store with many listings, made of one that was sent.
func (out *publishResult) listings(ctx context.Context, pool *pgxpool.Pool, a *application.Application) error {
	for _, sql := range []string{
		fmt.Sprintf(`with made as (insert into draft (offer_id, title, description, pictures, options, created_by)
			select offer_id, title || ' ' || g, '', '[]', options, '' from draft, generate_series(1, %d) g
			where draft.id = 1 returning id)
			insert into draft_variant (draft_id, position, number, value_indexes)
			select id, v, v, array[v] from made, generate_series(0, 3) v`, benchLive),
		`analyze`,
		`insert into listing (store_id, draft_id, offer_id, product_id, url, title, sent, visible, variants, lowest,
				highest,
				words, edited)
			select 3, d.id, d.offer_id, 'p' || d.id, '', d.title, l.sent, d.id % 10 <> 0, 4, 1999, 2999,
				lower(d.title) || ' s' || d.id, d.id % 20 = 0
			from draft d, (select sent from listing order by id limit 1) l
			where d.id > (select max(draft_id) from listing)`,
		`analyze`,
		`insert into listing_variant (listing_id, draft_variant_id, price, sku)
			select l.id, v.id, 1999, 'S' || v.id from listing l join draft_variant v on v.draft_id = l.draft_id
			where l.store_id = 3`,
		`insert into price (store_id, draft_id, draft_variant_id, price, was, rule, flags, error, landed_trace, trace)
			select 3, l.draft_id, v.id, case when l.draft_id % 50 = 0 then 2099 else 1999 end, 0, 1, 0, '', '', ''
			from listing l join draft_variant v on v.draft_id = l.draft_id where l.store_id = 3`,
		`vacuum analyze`,
	} {
		if _, err := pool.Exec(ctx, sql); err != nil {
			return fmt.Errorf("%.60s: %w", sql, err)
		}
	}
	live, err := a.Publishing.Live(ctx, 3)
	if err != nil {
		return err
	}
	if err := a.Publishing.PricesMoved(ctx, pool, 3, live); err != nil {
		return err
	}
	var page publishing.ListingPage
	look := func(f publishing.ListingFilter) func(int) error {
		return func(int) (err error) { page, err = a.Publishing.Listings(ctx, 3, 0, 100, f); return err }
	}
	if out.OpenP95MS, err = timedP95(30, look(publishing.ListingFilter{})); err != nil {
		return err
	}
	out.Live = page.Total
	out.FilterP95MS = map[string]float64{}
	for name, f := range map[string]publishing.ListingFilter{"words": {Words: "4711"}, "hidden": {State: "hidden"},
		"moved": {State: "moved"}, "edited": {State: "edited"}, "differs": {State: "differs"}} {
		if out.FilterP95MS[name], err = timedP95(20, look(f)); err != nil {
			return err
		}
	}
	out.PlainP95MS, err = timedP95(30, func(int) error {
		rows, err := pool.Query(ctx, `select id, title, url, lowest, highest from listing where store_id = 3
			order by id desc limit 100`)
		if err == nil {
			rows.Close()
			err = rows.Err()
		}
		return err
	})
	return err
}
