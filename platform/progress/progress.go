// Package progress tells browsers what long work is doing, over server-sent events that
// can be resumed: every event has a number, and a reader asks for what came after it.
package progress

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"strconv"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"

	"plainpelican/platform/database"
)

// Stream stores events and passes them on.
type Stream struct {
	pool *pgxpool.Pool
	mu   sync.Mutex
	wake chan struct{}
}

// Event is one thing that happened to one topic, such as "run:5".
type Event struct {
	Seq   int64           `json:"seq"`
	Topic string          `json:"topic"`
	Data  json.RawMessage `json:"data"`
}

// New makes a stream; Follow must run for readers to be woken at once.
func New(pool *pgxpool.Pool) *Stream { return &Stream{pool: pool, wake: make(chan struct{})} }

// Publish stores an event and wakes readers on every instance. Events are numbered in the
// order in which they become visible, because one transaction at a time may add them.
func (s *Stream) Publish(ctx context.Context, topic string, data any) error {
	return s.PublishIn(ctx, s.pool, topic, data)
}

// PublishIn is Publish as the last act of a transaction: others that publish wait for its end.
func (s *Stream) PublishIn(ctx context.Context, db database.Querier, topic string, data any) error {
	body, err := json.Marshal(data)
	if err != nil {
		return err
	}
	_, err = db.Exec(ctx, `
		with event as (insert into progress_event (topic, data) select $1, $2
		from (select `+database.LockProgress.SQL()+`) l
			returning seq)
		select pg_notify('progress', '') from event`, topic, body)
	return err
}

// Follow listens for events of all instances until ctx ends, and forgets old ones.
func (s *Stream) Follow(ctx context.Context) {
	for ctx.Err() == nil {
		s.listen(ctx)
		s.broadcast()
		select {
		case <-ctx.Done():
		case <-time.After(time.Second):
		}
	}
}

func (s *Stream) listen(ctx context.Context) {
	conn, err := s.pool.Acquire(ctx)
	if err != nil {
		return
	}
	defer conn.Release()
	if _, err := conn.Exec(ctx, `delete from progress_event where at < now() - interval '1 day'`); err != nil {
		return
	}
	if _, err := conn.Exec(ctx, `listen progress`); err != nil {
		return
	}
	defer func() { _, _ = conn.Exec(context.WithoutCancel(ctx), `unlisten progress`) }() // or the connection is gone
	// for what was told before this listened
	s.broadcast()
	for {
		if _, err := conn.Conn().WaitForNotification(ctx); err != nil {
			return
		}
		s.broadcast()
	}
}

func (s *Stream) broadcast() {
	s.mu.Lock()
	close(s.wake)
	s.wake = make(chan struct{})
	s.mu.Unlock()
}

func (s *Stream) woken() <-chan struct{} {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.wake
}

// Since lists events after a number.
func (s *Stream) Since(ctx context.Context, seq int64) ([]Event, error) {
	rows, err := s.pool.Query(ctx, `select seq, topic, data from progress_event where seq > $1 order by seq
		limit 500`, seq)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[Event])
}

// Serve streams events after Last-Event-ID (or the query's after), or from now on.
func (s *Stream) Serve(w http.ResponseWriter, r *http.Request) {
	ctx := r.Context()
	last, err := strconv.ParseInt(r.Header.Get("Last-Event-ID"), 10, 64)
	if err != nil {
		last, err = strconv.ParseInt(r.URL.Query().Get("after"), 10, 64)
	}
	if err != nil {
		if err := s.pool.QueryRow(ctx, `select coalesce(max(seq), 0) from progress_event`).Scan(&last); err != nil {
			w.Header().Set("Retry-After", "3")
			http.Error(w, "The database does not answer.", http.StatusServiceUnavailable)
			return
		}
	}
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	flush := http.NewResponseController(w)
	_, _ = fmt.Fprintf(w, "retry: 1000\nid: %d\nevent: hello\ndata: {}\n\n", last)
	_ = flush.Flush()
	for {
		woken := s.woken()
		events, err := s.Since(ctx, last)
		if err != nil {
			return // the browser comes back with its last number
		}
		for _, e := range events {
			body, err := json.Marshal(e)
			if err != nil {
				return
			}
			if _, err := fmt.Fprintf(w, "id: %d\ndata: %s\n\n", e.Seq, body); err != nil {
				return
			}
			last = e.Seq
		}
		if flush.Flush() != nil {
			return
		}
		if len(events) > 0 {
			continue
		}
		select {
		case <-ctx.Done():
			return
		case <-woken:
		case <-time.After(15 * time.Second):
			if _, err := fmt.Fprint(w, ": still here\n\n"); err != nil {
				return
			}
		}
	}
}
