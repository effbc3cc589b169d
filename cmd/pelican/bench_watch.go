package main

import (
	"bufio"
	"context"
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5/pgxpool"

	"plainpelican/platform/progress"
	"plainpelican/publishing"
)

// benchBrowsers is how many watch a run.
const benchBrowsers = 20

// watchers are browsers that follow what happens, over HTTP.
type watchers struct {
	stop func()
	mu   sync.Mutex
	// late is how long after the fact each item that moved was heard of.
	late []time.Duration
}

// watch has n browsers follow what happens; the first of them reads what it is told.
func watch(ctx context.Context, pool *pgxpool.Pool, n int) (*watchers, error) {
	ctx, cancel := context.WithCancel(ctx)
	stream := progress.New(pool)
	var all sync.WaitGroup
	all.Go(func() { stream.Follow(ctx) })
	at := httptest.NewServer(http.HandlerFunc(stream.Serve))
	w := &watchers{stop: func() { cancel(); at.CloseClientConnections(); all.Wait(); at.Close() }}
	for i := range n {
		asked, err := http.NewRequestWithContext(ctx, http.MethodGet, at.URL, nil)
		if err != nil {
			return w, err
		}
		answer, err := http.DefaultClient.Do(asked)
		if err != nil {
			return w, err
		}
		all.Go(func() {
			defer func() { _ = answer.Body.Close() }()
			if i > 0 {
				_, _ = io.Copy(io.Discard, answer.Body)
				return
			}
			lines := bufio.NewScanner(answer.Body)
			lines.Buffer(nil, 1<<20)
			for lines.Scan() {
				w.hear(lines.Text())
			}
		})
	}
	return w, nil
}

// hear notes how late an item is heard of.
func (w *watchers) hear(line string) {
	data, is := strings.CutPrefix(line, "data: ")
	var event struct {
		Topic string              `json:"topic"`
		Data  publishing.RunEvent `json:"data"`
	}
	if !is || json.Unmarshal([]byte(data), &event) != nil || event.Topic != "run" {
		return
	}
	now := time.Now()
	w.mu.Lock()
	defer w.mu.Unlock()
	for _, item := range event.Data.Moved {
		if item.State.Ended() {
			w.late = append(w.late, now.Sub(item.UpdatedAt))
		}
	}
}

// lateP95 is how late what happened is heard of, at the 95th of a hundred.
func (w *watchers) lateP95() time.Duration {
	w.mu.Lock()
	defer w.mu.Unlock()
	if len(w.late) == 0 {
		return 0
	}
	slices.Sort(w.late)
	return w.late[len(w.late)*95/100]
}

// processor is what this process has used of processors so far.
func processor() (time.Duration, error) {
	var used syscall.Rusage
	err := syscall.Getrusage(syscall.RUSAGE_SELF, &used)
	return time.Duration(used.Utime.Nano() + used.Stime.Nano()), err
}
