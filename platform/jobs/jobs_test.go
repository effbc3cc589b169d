package jobs_test

import (
	"context"
	"log/slog"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/riverqueue/river"

	"plainpelican/platform/jobs"
	"plainpelican/testkit"
)

type count struct {
	N int `json:"n"`
}

func (count) Kind() string                 { return "count" }
func (count) InsertOpts() river.InsertOpts { return river.InsertOpts{Queue: "publish"} }

func runner(t *testing.T, pool *pgxpool.Pool, work func(context.Context, int) error) *jobs.Runner {
	t.Helper()
	r := jobs.New(pool, slog.New(slog.DiscardHandler))
	jobs.Handle(r, func(ctx context.Context, job *river.Job[count]) error { return work(ctx, job.Args.N) })
	if err := r.Start(context.Background(), true); err != nil {
		t.Fatal(err)
	}
	return r
}

func add(t *testing.T, r *jobs.Runner, pool *pgxpool.Pool, from, to int) {
	t.Helper()
	err := pgx.BeginFunc(t.Context(), pool, func(tx pgx.Tx) error {
		for n := from; n < to; n++ {
			if err := r.Add(t.Context(), tx, count{n}, nil); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
}

func stop(r *jobs.Runner) {
	ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	r.Stop(ctx)
}

func TestTwoInstancesShareTheWork(t *testing.T) {
	pool := testkit.Database(t)
	var mu sync.Mutex
	done := map[int]int{}
	by := map[string]int{}
	work := func(who string) func(context.Context, int) error {
		return func(_ context.Context, n int) error {
			time.Sleep(5 * time.Millisecond)
			mu.Lock()
			defer mu.Unlock()
			done[n]++
			by[who]++
			return nil
		}
	}
	a, b := runner(t, pool, work("a")), runner(t, pool, work("b"))
	defer stop(a)
	defer stop(b)
	add(t, a, pool, 0, 100)
	testkit.Until(t, "100 jobs", func() bool { mu.Lock(); defer mu.Unlock(); return len(done) == 100 })
	mu.Lock()
	defer mu.Unlock()
	for n, times := range done {
		if times != 1 {
			t.Errorf("job %d was done %d times", n, times)
		}
	}
	if by["a"] == 0 || by["b"] == 0 {
		t.Errorf("one did it all: %v", by)
	}
}

// An instance that is killed loses its connections, and with them its lock: that is what
// the test brings about, while the job is still marked as running by it.
func TestTheWorkOfAKilledInstanceIsTakenOver(t *testing.T) {
	pool := testkit.Database(t)
	started, block, again := make(chan struct{}), make(chan struct{}), make(chan struct{})
	var calls atomic.Int32
	// Either may take it over: the first lives on in this test, and only its work is given up.
	work := func(ctx context.Context, _ int) error {
		switch calls.Add(1) {
		case 1:
			close(started)
			<-block
			return ctx.Err()
		case 2:
			close(again)
		}
		return nil
	}
	first := runner(t, pool, work)
	add(t, first, pool, 0, 1)
	<-started
	if _, err := pool.Exec(t.Context(), `select pg_terminate_backend(pid) from pg_locks
		where locktype = 'advisory' and classid = 7302`); err != nil {
		t.Fatal(err)
	}
	// The first must not take its lock again before the second has looked.
	if _, err := pool.Exec(t.Context(), `update river_job set attempted_by = array['pelican-gone']`); err != nil {
		t.Fatal(err)
	}
	second := runner(t, pool, work)
	select {
	case <-again:
	case <-time.After(15 * time.Second):
		t.Error("nobody took the work over")
	}
	close(block)
	stop(first)
	stop(second)
}

func TestAJobIsNotAddedWhenItsTransactionFails(t *testing.T) {
	pool := testkit.Database(t)
	r := runner(t, pool, func(context.Context, int) error { t.Error("it ran"); return nil })
	defer stop(r)
	_ = pgx.BeginFunc(t.Context(), pool, func(tx pgx.Tx) error {
		if err := r.Add(t.Context(), tx, count{1}, nil); err != nil {
			t.Fatal(err)
		}
		return context.Canceled
	})
	var n int
	if err := pool.QueryRow(t.Context(), `select count(*) from river_job`).Scan(&n); err != nil || n != 0 {
		t.Errorf("%d jobs, %v", n, err)
	}
}
