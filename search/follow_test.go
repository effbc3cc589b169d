package search_test

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"sync"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"plainpelican/application"
	"plainpelican/platform/access"
	"plainpelican/platform/database"
	"plainpelican/search"
	"plainpelican/sources"
	"plainpelican/testkit"
)

// bySQL is what the catalog holds, said by the database: offers for sale, their stock, and how many of each
// clause's choices.
const bySQL = `
	select count(*), coalesce(sum(stock), 0), count(*) filter (where country = 'PL'),
	count(*) filter (where category = 'Kitchen > Camp'), count(*) filter (where title ~* '\mkettle')
	from (select (select sum(v.stock) from offer_variant v where v.offer_id = o.id
	and not v.withdrawn) as stock, u.country, own_category(o.source_id, o.category) as category, o.title
		from offer o join supplier u on u.id = o.supplier_id join source x on x.id = o.source_id
		where o.withdrawn_at is null and x.state = 'connected' and exists (select from offer_variant v
		where v.offer_id = o.id and not v.withdrawn)) all_of_them`

// agrees compares an instance's index with the database.
func agrees(t *testing.T, w *testkit.World, app *application.Application) bool {
	t.Helper()
	var want, got [5]int
	if err := w.App.Pool.QueryRow(t.Context(), bySQL).
		Scan(&want[0], &want[1], &want[2], &want[3], &want[4]); err != nil {
		t.Fatal(err)
	}
	ctx := access.With(t.Context(), access.Identity{Name: "Olga", Role: access.Owner})
	all, err := app.Search.Search(ctx, search.Sentence{Limit: 200, Counts: true})
	if err != nil {
		return false
	}
	for _, o := range all.Offers {
		got[1] += *o.Stock
	}
	got[0], got[2], got[3] = all.Total, left(all, "from", "PL"), left(all, "category", "Kitchen > Camp")
	kettles, err := app.Search.Search(ctx, search.Sentence{Words: "kettle", Limit: 1})
	if err != nil {
		return false
	}
	if got[4] = kettles.Total; len(kettles.Corrections) > 0 {
		got[4] = 0
	}
	return want == got
}

// left is how many offers a choice of a clause would leave.
func left(found search.Result, clause, value string) int {
	for _, c := range found.Facets[clause] {
		if c.Value == value {
			return c.Count
		}
	}
	return 0
}

// Whatever happens to offers, on whichever instance, both instances' indexes follow.
func TestTheIndexFollowsOnEveryInstance(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	other, _ := w.Instance(w.App.Pool)
	r := rand.New(rand.NewPCG(3, 9))
	pool := w.App.Pool
	exec := func(sql string, args ...any) {
		if _, err := pool.Exec(t.Context(), sql, args...); err != nil {
			t.Fatal(err)
		}
	}
	day := 0
	for step, act := range []func(){
		func() {
			day++
			w.Bazaar.SetDay(day)
			w.Owner.Must("POST", "/api/sources/1/imports", nil, nil)
			w.TakenIn()
		},
		func() {
			w.Owner.Must("PUT", "/api/sources/1/categories",
				[]sources.CategoryChoice{{Name: "Camp kitchen", Path: "Kitchen > Camp"}}, nil)
		},
		func() {
			if err := other.Offers.Withdraw(t.Context(), w.Offer(r.IntN(5))); err != nil {
				t.Fatal(err)
			}
		},
		func() { w.Owner.Must("POST", "/api/sources/1/disconnect", nil, nil) },
		func() { w.ConnectBazaar() },
		func() {
			day += 9
			w.Bazaar.SetDay(day)
			w.Swept()
		},
		func() { // a supplier moves, and says so with one of its offers
			exec(`update supplier set country = 'PL', name = 'Moved'
				where id = (select supplier_id from offer where withdrawn_at is null group by 1 order by count(*) desc
				limit 1)`)
			exec(`update offer set fingerprint = '' where id = (select o.id from offer o
				join supplier u on u.id = o.supplier_id where u.name = 'Moved' and o.withdrawn_at is null limit 1)`)
			w.Swept()
		},
		func() { // many small changes at once, of which instances are told once; the last of them matters
			err := database.InTx(t.Context(), pool, func(tx pgx.Tx) error {
				_, err := tx.Exec(t.Context(), `insert into catalog_change (offers) select array[-n]
					from generate_series(1, 1300) n`)
				if err == nil {
					_, err = tx.Exec(t.Context(), `with o as (update offer set withdrawn_at = now()
						where id = (select min(id) from offer where withdrawn_at is null)
						returning id) insert into catalog_change (offers) select array[id] from o`)
				}
				if err == nil {
					_, err = tx.Exec(t.Context(), `select pg_notify('catalog', '')`)
				}
				return err
			})
			if err != nil {
				t.Fatal(err)
			}
		},
	} {
		act()
		began := time.Now()
		for name, app := range map[string]*application.Application{"this": w.App, "the other": other} {
			testkit.Until(t, fmt.Sprintf("%s instance's index after step %d", name, step), func() bool {
				return agrees(t, w, app)
			})
		}
		t.Logf("step %d: both follow within %v", step, time.Since(began).Round(time.Millisecond))
	}
	// A disconnected source's offers are in no index; what is asked for is what is there.
	if got := w.Search("limit=200&counts=true"); got.Total == 0 || left(got, "source", "1") != got.Total {
		t.Errorf("%d offers, %v by source", got.Total, got.Facets["source"])
	}
}

// Changes are numbered in the order in which they can be seen: a follower that has read one has read all before it.
func TestNoChangeIsMissedBetweenTransactions(t *testing.T) {
	w := testkit.Start(t)
	pool := w.App.Pool
	stop := make(chan struct{})
	var writers sync.WaitGroup
	for writer := range 4 {
		writers.Go(func() {
			r := rand.New(rand.NewPCG(uint64(writer), 1))
			for {
				select {
				case <-stop:
					return
				default:
				}
				err := database.InTx(t.Context(), pool, func(tx pgx.Tx) error {
					time.Sleep(time.Duration(r.IntN(3)) * time.Millisecond) // its other work
					if err := w.App.Offers.NotifySource(t.Context(), tx, int64(writer)+100); err != nil {
						return err
					}
					time.Sleep(time.Duration(r.IntN(3)) * time.Millisecond) // before it can be seen
					if r.IntN(5) == 0 {
						return errors.New("taken back")
					}
					return nil
				})
				if err != nil && err.Error() != "taken back" {
					t.Error(err)
					return
				}
			}
		})
	}
	read := map[int64]bool{}
	last := int64(0)
	// At least so long, and until there is something to compare: other tests run beside it.
	began := time.Now()
	for time.Since(began) < 1500*time.Millisecond || len(read) < 60 && time.Since(began) < 30*time.Second {
		rows, err := pool.Query(t.Context(), `select seq from catalog_change where seq > $1 order by seq`, last)
		if err != nil {
			t.Fatal(err)
		}
		seqs, err := pgx.CollectRows(rows, pgx.RowTo[int64])
		if err != nil {
			t.Fatal(err)
		}
		for _, seq := range seqs {
			read[seq], last = true, seq
		}
	}
	close(stop)
	writers.Wait()
	rows, err := pool.Query(t.Context(), `select seq from catalog_change where seq <= $1`, last)
	if err != nil {
		t.Fatal(err)
	}
	all, err := pgx.CollectRows(rows, pgx.RowTo[int64])
	if err != nil || len(all) < 50 {
		t.Fatalf("%d changes, %v", len(all), err)
	}
	for _, seq := range all {
		if !read[seq] {
			t.Errorf("change %d could be seen only after %d had been read", seq, last)
		}
	}
}
