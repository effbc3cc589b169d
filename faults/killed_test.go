package faults

import (
	"encoding/base64"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"plainpelican/core/publish"
	"plainpelican/publishing"
	"plainpelican/standins/fault"
	"plainpelican/standins/shop"
	"plainpelican/testkit"
)

// binary builds the application.
func binary(t *testing.T) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), "pelican")
	if out, err := exec.Command("go", "build", "-o", path, "plainpelican/cmd/pelican").CombinedOutput(); err != nil {
		t.Fatalf("%v %s", err, out)
	}
	return path
}

// process starts an instance of its own on a world's database; what it says goes to the test's folder.
func process(t *testing.T, w *testkit.World, path string) *exec.Cmd {
	t.Helper()
	cmd := exec.Command(path, "serve")
	cmd.Env = append(os.Environ(), "DATABASE_URL="+w.App.Pool.Config().ConnString(),
		"PELICAN_KEY="+base64.StdEncoding.EncodeToString(w.Settings.Key), "PELICAN_DATA="+w.Settings.Data,
		"PELICAN_ALLOW_NETWORKS=127.0.0.0/8", "PELICAN_RATES_URL="+w.RatesURL, "PELICAN_LISTEN=127.0.0.1:0")
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	return cmd
}

// fleet are two instances of their own, of which one is killed now and then and started again.
type fleet struct {
	t         *testing.T
	w         *testkit.World
	path      string
	instances []*exec.Cmd
}

// ownInstances starts a fleet; this process asks alone from then on.
func ownInstances(t *testing.T, w *testkit.World, path string) *fleet {
	t.Helper()
	w.App.Jobs.Stop(t.Context())
	f := &fleet{t, w, path, []*exec.Cmd{process(t, w, path), process(t, w, path)}}
	t.Cleanup(func() {
		for _, i := range f.instances {
			_ = i.Process.Kill()
			_ = i.Wait()
		}
	})
	return f
}

// kill kills one of them and starts another in its stead.
func (f *fleet) kill(which int) {
	f.t.Helper()
	_ = f.instances[which].Process.Kill()
	_ = f.instances[which].Wait()
	f.instances[which] = process(f.t, f.w, f.path)
}

// cutAll cuts all connections of the database but the one that asks for it.
func cutAll(t *testing.T, w *testkit.World) {
	_, _ = w.App.Pool.Exec(t.Context(), `select pg_terminate_backend(pid) from pg_stat_activity
		where datname = current_database() and pid <> pg_backend_pid()`)
}

// together are faults of a store, one plan after another; the last has several at once.
var together = []fault.Plan{{LatencyMS: 30}, {ErrorPercent: 15}, {TooMany: 30, RetryAfter: 1},
	{CutAfter: 6, Only: "POST /api/products"}, {CutAfter: 6, Only: "PATCH /api/products"}, {SlowBody: true,
		LatencyMS: 5},
	{Truncate: true, Only: "POST /api/products"}, {RevokeTokens: true}, {HTML: true, Only: "GET /api/products"},
	{Down: true}, {LatencyMS: 20, ErrorPercent: 8, TooMany: 10, CutAfter: 4}}

// Two instances send the same drafts in two runs of two people to a store that misbehaves in each way; one of them is
// killed at random moments, all connections of the database are cut, and in full it crashes and starts again. In the
// end every item is in one true state, no product is there twice, none is lost, and store and application agree.
func TestKilledAndCutTwoRunsEndTrue(t *testing.T) {
	n, kills, cuts := many(500, 30), many(20, 4), many(12, 2)
	path := binary(t)
	w := readyFor(t, n)
	ids := ready(t, w, n)
	instances := ownInstances(t, w, path)
	other := secondMember(t, w)
	var runs [2]publishing.Run
	w.Fault(w.ShopURL, together[0])
	w.Owner.Must("POST", "/api/runs", testkit.RunOf(1, ids[:2*n/3]...), &runs[0])
	other.Must("POST", "/api/runs", testkit.RunOf(1, ids[n/3:]...), &runs[1])

	r := rand.New(rand.NewPCG(uint64(time.Now().UnixNano()), 2))
	killed, cut, restarted, sending := 0, 0, 0, 0
	for step := 0; killed < kills || cut < cuts; step++ {
		w.Fault(w.ShopURL, together[step%len(together)])
		time.Sleep(time.Duration(200+r.IntN(1200)) * time.Millisecond)
		if cut < cuts && step%2 == 1 {
			cutAll(t, w)
			cut++
		}
		if full && step%8 == 5 { // alone on its server
			testkit.RestartDatabase(t)
			restarted++
		}
		if killed < kills {
			var under int
			_ = w.App.Pool.QueryRow(t.Context(), `select count(*) from publish_item where state = 'sending'`).
				Scan(&under)
			sending += min(under, 1)
			instances.kill(r.IntN(2))
			killed++
		}
	}
	w.Fault(w.ShopURL, fault.Plan{})
	w.ConnectStore() // its tokens were revoked: a person connects it again
	waitAndRetry(t, w, runs[0].ID, runs[1].ID)

	states := map[publish.State]int{}
	for _, run := range runs {
		for _, i := range w.Run(run.ID).Items {
			states[i.State]++
			if !i.State.InStore() && i.State != publish.LeftOut {
				t.Errorf("%s: %s, %s", i.Title, i.State, i.Reason)
			}
		}
	}
	t.Logf("%d drafts in two runs, %d kills (%d while something was sent), %d times all connections cut, "+
		"%d crashes of the database: %v", n, killed, sending, cut, restarted, states)
	if killed != kills || sending == 0 {
		t.Errorf("%d kills, %d while something was sent", killed, sending)
	}
	agreeAll(t, w, n)
}

// Under each fault of the store by itself, every item of a run ends in one true state once the store is well again.
func TestUnderEachFaultEveryItemEndsTrue(t *testing.T) {
	n := many(500, 6)
	w := readyFor(t, n)
	w.App.Publishing.Pause = 50 * time.Millisecond
	ids := ready(t, w, n)
	for _, plan := range together {
		t.Run(fmt.Sprintf("%+v", plan), func(t *testing.T) {
			w.Fault(w.ShopURL, plan)
			var run publishing.Run
			w.Owner.Must("POST", "/api/runs", testkit.RunOf(1, ids...), &run)
			time.Sleep(time.Duration(many(5_000, 400)) * time.Millisecond)
			w.Fault(w.ShopURL, fault.Plan{})
			if plan.RevokeTokens {
				w.ConnectStore()
			}
			waitAndRetry(t, w, run.ID)
			for _, i := range w.Run(run.ID).Items {
				if !i.State.InStore() {
					t.Errorf("%s: %s, %s", i.Title, i.State, i.Reason)
				}
			}
			agreeAll(t, w, n)
			down := testkit.RunOf(1, ids...)
			down["act"] = publish.TakeDown
			w.Owner.Must("POST", "/api/runs", down, &run)
			ended(t, w, run.ID)
			if left := len(w.Shop.Products()); left != 0 {
				t.Errorf("%d are left in the store", left)
			}
		})
	}
}

// waitAndRetry waits until runs have ended, and has what failed or is not known tried again, with the store well.
func waitAndRetry(t *testing.T, w *testkit.World, runs ...int64) {
	t.Helper()
	deadline := time.Now().Add(5 * time.Minute)
	for _, id := range runs {
		for {
			if time.Now().After(deadline) {
				t.Fatalf("run %d stays under way: %+v", id, w.Run(id).Run)
			}
			time.Sleep(300 * time.Millisecond)
			var run publishing.Run
			if w.Owner.Ask("GET", fmt.Sprintf("/api/runs/%d", id), nil, &run) != nil || run.FinishedAt == nil {
				continue
			}
			if run.Failed+run.Unknown == 0 {
				break
			}
			w.Owner.Ask("POST", fmt.Sprintf("/api/runs/%d/retry", id), map[string]any{}, nil)
		}
	}
}

// agreeAll holds n drafts, their listings and the store's products beside each other, field by field, as the store is
// read anew.
func agreeAll(t *testing.T, w *testkit.World, n int) {
	t.Helper()
	byID := map[string]shop.Product{}
	for _, p := range w.Shop.Products() {
		byID[p.Reference] = p
	}
	if len(byID) != n || len(w.Shop.Products()) != n {
		t.Errorf("%d drafts are %d products of %d references", n, len(w.Shop.Products()), len(byID))
	}
	w.Owner.Must("POST", "/api/listings/check?store=1", nil, nil)
	testkit.Until(t, "the store is read anew", func() bool {
		var under int
		err := w.App.Pool.QueryRow(t.Context(), `select count(*) from river_job where kind = 'reconcile_store'
			and state not in ('completed', 'discarded', 'cancelled')`).Scan(&under)
		return err == nil && under == 0
	})
	var page publishing.ListingPage
	w.Owner.Must("GET", "/api/listings?store=1", nil, &page)
	if page.Total != n {
		t.Errorf("%d drafts are %d listings", n, page.Total)
	}
	for _, state := range []string{"edited", "moved", "differs", "gone", "duplicates"} {
		var some publishing.ListingPage
		w.Owner.Must("GET", "/api/listings?store=1&state="+state, nil, &some)
		if some.Total != 0 {
			t.Errorf("%d listings are %s, such as %+v", some.Total, state, some.Listings[0])
		}
	}
	var under int
	if err := w.App.Pool.QueryRow(t.Context(), `select count(*) from publish_item
		where state in ('waiting', 'sending', 'held', 'unknown')`).Scan(&under); err != nil || under != 0 {
		t.Errorf("%d items stay under way: %v", under, err)
	}
}
