// Package jobs runs background work on PostgreSQL, shared by any number of instances.
//
// A job is a row, added in the transaction that wants it. Each instance holds an advisory
// lock while it lives; the work of an instance that was killed is given back within
// seconds, because its lock went with its connection.
package jobs

import (
	"context"
	"log/slog"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/riverqueue/river"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivertype"

	"plainpelican/platform/blobs"
	"plainpelican/platform/database"
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
	running sync.Map // ids of the jobs that are worked here
	likely  sync.Map // id to *atomic.Int32: how often a job seems to have failed for the database
}

// New makes a runner; features add their workers to it before Start.
func New(pool *pgxpool.Pool, log *slog.Logger) *Runner {
	return &Runner{pool: pool, workers: river.NewWorkers(), id: "pelican-" + secrets.Token()[:12], log: log}
}

// Handle says how jobs with arguments of type A are worked. Call it before Start.
func Handle[A river.JobArgs](r *Runner, work func(context.Context, *river.Job[A]) error) {
	river.AddWorker(r.workers, river.WorkFunc(tracked(r, work)))
}

// tracked remembers which jobs are worked at this moment.
func tracked[A river.JobArgs](r *Runner, work func(context.Context, *river.Job[A]) error) func(context.Context,
	*river.Job[A]) error {
	return func(ctx context.Context, job *river.Job[A]) error {
		r.running.Store(job.ID, true)
		defer r.running.Delete(job.ID)
		return r.patiently(ctx, job.ID, work(ctx, job))
	}
}

// What a job waits where the database or the disk is away, and how often where that is only likely.
const (
	dbPause   = 2 * time.Second
	diskPause = 30 * time.Second
	maxLikely = 30
)

// patiently puts a job back, without using up an attempt, where the database was away or the disk
// is full: neither is the job's fault.
func (r *Runner) patiently(ctx context.Context, id int64, err error) error {
	switch {
	case err == nil || ctx.Err() != nil:
		r.likely.Delete(id)
		return err
	case blobs.Fault(err):
		return river.JobSnooze(diskPause)
	case database.Refused(err):
		return river.JobSnooze(dbPause)
	case database.Away(err):
		times, _ := r.likely.LoadOrStore(id, new(atomic.Int32))
		if times.(*atomic.Int32).Add(1) <= maxLikely {
			return river.JobSnooze(dbPause)
		}
	}
	return err
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
	river.AddWorker(r.workers, long[A]{work: tracked(r, work)})
}

// Queues are the queues by name, with how many jobs one instance works at once.
var Queues = map[string]river.QueueConfig{
	"import":      {MaxWorkers: 6},
	"publish":     {MaxWorkers: 4},
	"orders":      {MaxWorkers: 4},
	"maintenance": {MaxWorkers: 1},
	"picture":     {MaxWorkers: 2},
}

// Start opens the client. Without work, it only adds jobs for other instances.
func (r *Runner) Start(ctx context.Context, work bool, periodic ...*river.PeriodicJob) error {
	config := &river.Config{
		ID: r.id, Logger: slog.New(slog.DiscardHandler), Workers: r.workers, MaxAttempts: 8,
		JobTimeout:        10 * time.Minute,
		FetchPollInterval: 500 * time.Millisecond, PeriodicJobs: periodic,
		ErrorHandler: logged{r.log}, RetryPolicy: soon{}, RescueStuckJobsAfter: 15 * time.Minute,
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

// Progressed tells that a job has come further than before, so that its attempts count anew:
// long work that is cut off now and then is not given up, only what gets nowhere.
func (r *Runner) Progressed(ctx context.Context, job *rivertype.JobRow) error {
	if job.Attempt <= 1 {
		return nil
	}
	job.Attempt = 1
	_, err := r.pool.Exec(ctx, `update river_job set attempt = 1 where id = $1 and state = 'running'`, job.ID)
	return err
}

// AddMany is Add for many at once.
func (r *Runner) AddMany(ctx context.Context, tx pgx.Tx, many []river.JobArgs) error {
	for part := range slices.Chunk(many, 2_000) {
		params := make([]river.InsertManyParams, len(part))
		for i, args := range part {
			params[i] = river.InsertManyParams{Args: args}
		}
		if _, err := r.client.InsertManyFastTx(ctx, tx, params); err != nil {
			return err
		}
	}
	return nil
}

// Live are the states of jobs that are still to be worked, for statements that look for lost work.
const Live = `('available', 'pending', 'retryable', 'running', 'scheduled')`

// Unfinished is Live as a list, for jobs of which there is one at a time.
var Unfinished = []rivertype.JobState{rivertype.JobStateAvailable, rivertype.JobStatePending,
	rivertype.JobStateRetryable, rivertype.JobStateRunning, rivertype.JobStateScheduled}

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

// forgottenAfter is how long a job may count as ours without being worked here: its end could not
// be written, since the database was away.
const forgottenAfter = 30 * time.Second

func (r *Runner) worked() []int64 {
	ids := []int64{}
	r.running.Range(func(id, _ any) bool {
		ids = append(ids, id.(int64))
		return true
	})
	return ids
}

// soon is how a failed job is tried again: after 2, 4, 8 seconds and so on, a minute at most.
type soon struct{}

func (soon) NextRetry(job *rivertype.JobRow) time.Time {
	return time.Now().Add(min(time.Minute, time.Second<<min(len(job.Errors)+1, 6)))
}

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
			// The attempt that was cut off counts: what ends the program each time is given up in the end.
			tag, err := lock.Exec(ctx, `
				update river_job
				set state = case when attempt >= max_attempts then 'discarded' else 'available' end::river_job_state,
				scheduled_at = now(),
					finalized_at = case when attempt >= max_attempts then now() end,
					errors = array_append(errors, jsonb_build_object('at', now(), 'attempt', attempt, 'error',
					'its instance ended while it was worked', 'trace', ''))
				where state = 'running' and (not exists (
					select from pg_locks where locktype = 'advisory' and classid = $1
					and objid = (hashtext(attempted_by[array_upper(attempted_by, 1)])::bigint & 4294967295)::oid)
				or (attempted_by[array_upper(attempted_by, 1)] = $2 and attempted_at < now() - $3::interval
				and id <> all ($4)))`, lockSpace, r.id, forgottenAfter, r.worked())
			if err != nil {
				if ctx.Err() == nil {
					r.log.Warn("looking for the work of instances that ended", "error", err)
				}
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

func (l logged) HandlePanic(_ context.Context, job *rivertype.JobRow, panicked any,
	trace string) *river.ErrorHandlerResult {
	l.log.Error("a job panicked", "job", job.ID, "kind", job.Kind, "panic", panicked, "trace", trace)
	return nil
}
