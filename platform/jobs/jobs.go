// Package jobs runs background work on PostgreSQL, shared by any number of instances.
//
// A job is a row, added in the transaction that wants it. Each instance holds an advisory
// lock while it lives; the work of an instance that was killed is given back within
// seconds, because its lock went with its connection.
package jobs

import (
	"context"
	"log/slog"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivertype"

	"plainpelican/platform/secrets"
)

// Runner adds and works jobs.
type Runner struct {
	pool    *pgxpool.Pool
	workers *river.Workers
	client  *river.Client[pgx.Tx]
	id      string
	log     *slog.Logger
	stop    context.CancelFunc
	stopped chan struct{}
}

// New makes a runner; features add their workers to it before Start.
func New(pool *pgxpool.Pool, log *slog.Logger) *Runner {
	return &Runner{pool: pool, workers: river.NewWorkers(), id: "pelican-" + secrets.Token()[:12], log: log}
}

// Handle says how jobs with arguments of type A are worked. Call it before Start.
func Handle[A river.JobArgs](r *Runner, work func(context.Context, *river.Job[A]) error) {
	river.AddWorker(r.workers, river.WorkFunc(work))
}

type long[A river.JobArgs] struct {
	river.WorkerDefaults[A]
	work func(context.Context, *river.Job[A]) error
}

func (l long[A]) Work(ctx context.Context, job *river.Job[A]) error { return l.work(ctx, job) }

// Timeout is none: the work ends when it is done, or with its instance.
func (l long[A]) Timeout(*river.Job[A]) time.Duration { return -1 }

// HandleLong is Handle for work that may take hours. It must resume where it was.
func HandleLong[A river.JobArgs](r *Runner, work func(context.Context, *river.Job[A]) error) {
	river.AddWorker(r.workers, long[A]{work: work})
}

// Queues are the queues by name, with how many jobs one instance works at once.
var Queues = map[string]river.QueueConfig{
	"intake":  {MaxWorkers: 6},
	"publish": {MaxWorkers: 4},
	"upkeep":  {MaxWorkers: 1},
	"picture": {MaxWorkers: 2},
}

// Start opens the client. Without work, it only adds jobs for other instances.
func (r *Runner) Start(ctx context.Context, work bool, periodic ...*river.PeriodicJob) error {
	config := &river.Config{
		ID: r.id, Logger: slog.New(slog.DiscardHandler), Workers: r.workers, MaxAttempts: 8, JobTimeout: 10 * time.Minute,
		FetchPollInterval: 500 * time.Millisecond, PeriodicJobs: periodic,
		ErrorHandler: logged{r.log}, RescueStuckJobsAfter: 15 * time.Minute,
	}
	if work {
		config.Queues = Queues
	}
	client, err := river.NewClient(riverpgxv5.New(r.pool), config)
	if err != nil {
		return err
	}
	r.client = client
	if !work {
		return nil
	}
	alive, stop := context.WithCancel(ctx)
	r.stop, r.stopped = stop, make(chan struct{})
	lock, err := r.hold(ctx)
	if err != nil {
		stop()
		return err
	}
	go r.keepAlive(alive, lock)
	return client.Start(alive)
}

// Stop lets running jobs finish for a while, then tells them to end, and stops.
func (r *Runner) Stop(ctx context.Context) {
	if r.stop == nil {
		return
	}
	if err := r.client.Stop(ctx); err != nil {
		told, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
		defer cancel()
		if err := r.client.StopAndCancel(told); err != nil {
			r.log.Warn("jobs did not stop in time", "error", err)
		}
	}
	r.stop()
	<-r.stopped
}

// Add puts a job into the queue as part of a transaction.
func (r *Runner) Add(ctx context.Context, tx pgx.Tx, args river.JobArgs, opts *river.InsertOpts) error {
	_, err := r.client.InsertTx(ctx, tx, args, opts)
	return err
}

const lockSpace = 7302

// hold takes this instance's lock on a connection of its own.
func (r *Runner) hold(ctx context.Context) (*pgx.Conn, error) {
	conn, err := pgx.ConnectConfig(ctx, r.pool.Config().ConnConfig.Copy())
	if err != nil {
		return nil, err
	}
	if _, err := conn.Exec(ctx, `select pg_advisory_lock($1, hashtext($2))`, lockSpace, r.id); err != nil {
		_ = conn.Close(ctx)
		return nil, err
	}
	return conn, nil
}

// keepAlive keeps the lock and gives back what dead instances were working on.
func (r *Runner) keepAlive(ctx context.Context, lock *pgx.Conn) {
	defer close(r.stopped)
	tick := time.NewTicker(2 * time.Second)
	defer tick.Stop()
	for {
		if lock != nil {
			tag, err := lock.Exec(ctx, `
				update river_job set state = 'available', scheduled_at = now()
				where state = 'running' and not exists (
					select from pg_locks where locktype = 'advisory' and classid = $1
					and objid = (hashtext(attempted_by[array_upper(attempted_by, 1)])::bigint & 4294967295)::oid)`, lockSpace)
			if err != nil {
				_ = lock.Close(context.WithoutCancel(ctx))
				lock = nil
			} else if n := tag.RowsAffected(); n > 0 {
				r.log.Info("took over the work of an instance that ended", "jobs", n)
			}
		} else if again, err := r.hold(ctx); err == nil {
			lock = again
		}
		select {
		case <-ctx.Done():
			if lock != nil {
				_ = lock.Close(context.WithoutCancel(ctx))
			}
			return
		case <-tick.C:
		}
	}
}

type logged struct{ log *slog.Logger }

func (l logged) HandleError(_ context.Context, job *rivertype.JobRow, err error) *river.ErrorHandlerResult {
	l.log.Error("a job failed", "job", job.ID, "kind", job.Kind, "attempt", job.Attempt, "error", err)
	return nil
}

func (l logged) HandlePanic(_ context.Context, job *rivertype.JobRow, panicked any, trace string) *river.ErrorHandlerResult {
	l.log.Error("a job panicked", "job", job.ID, "kind", job.Kind, "panic", panicked, "trace", trace)
	return nil
}
