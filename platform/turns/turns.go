// Package turns lets long work in the background take turns, so that people who are at work
// find a processor free.
package turns

import (
	"context"
	"runtime"
	"sync"
	"time"
)

// Turns are shared by all long work of an instance. The zero value is ready.
type Turns struct {
	mu     sync.Mutex
	seen   time.Time // when a person last asked for something
	taken  int
	waited chan struct{} // closed when a turn ends
}

// here is how long a person is taken to be at work after asking for something.
const here = 5 * time.Second

// Person says that somebody has asked for something.
func (t *Turns) Person() {
	t.mu.Lock()
	t.seen = time.Now()
	t.mu.Unlock()
}

// places is how many turns may be taken at once: as many as there are processors, and while
// people are at work one fewer, but one at least.
func (t *Turns) places() int {
	n := runtime.GOMAXPROCS(0)
	if time.Since(t.seen) < here {
		n--
	}
	return max(n, 1)
}

// Do works when it is its turn, for a fraction of a second at a time, so that others come to theirs.
// It returns the work's error, or that of a context which ends while it waits.
func (t *Turns) Do(ctx context.Context, work func() error) error {
	if t == nil {
		return work()
	}
	if err := t.wait(ctx); err != nil {
		return err
	}
	defer t.end()
	return work()
}

func (t *Turns) wait(ctx context.Context) error {
	for {
		t.mu.Lock()
		if t.taken < t.places() {
			t.taken++
			t.mu.Unlock()
			return nil
		}
		if t.waited == nil {
			t.waited = make(chan struct{})
		}
		ended := t.waited
		t.mu.Unlock()
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-ended:
		case <-time.After(here): // people may have left
		}
	}
}

func (t *Turns) end() {
	t.mu.Lock()
	t.taken--
	if t.waited != nil {
		close(t.waited)
		t.waited = nil
	}
	t.mu.Unlock()
}
