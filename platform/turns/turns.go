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
	seen   time.Time     // when a person last asked for something
	asking int           // what is being answered now
	quiet  chan struct{} // closed when all is answered
	taken  int
	waited chan struct{} // closed when a turn ends
}

// here is how long a person is taken to be at work after asking for something.
const here = 5 * time.Second

// patience is how long a turn is put off while people are being answered.
const patience = 50 * time.Millisecond

// Person says that somebody has asked for something, until answered is called.
func (t *Turns) Person() (answered func()) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.seen = time.Now()
	t.asking++
	return func() {
		t.mu.Lock()
		defer t.mu.Unlock()
		if t.asking--; t.asking == 0 && t.quiet != nil {
			close(t.quiet)
			t.quiet = nil
		}
	}
}

// Slice is how many of something to do in a turn that would do n: a few while people are at
// work, so that who asks in the middle of a turn waits a moment only.
func (t *Turns) Slice(n int) int {
	if t == nil {
		return n
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	if time.Since(t.seen) < here {
		return max(n/16, 1)
	}
	return n
}

// aside waits until nobody is being answered, for a moment at most.
func (t *Turns) aside(ctx context.Context) {
	t.mu.Lock()
	if t.asking == 0 {
		t.mu.Unlock()
		return
	}
	if t.quiet == nil {
		t.quiet = make(chan struct{})
	}
	quiet := t.quiet
	t.mu.Unlock()
	select {
	case <-ctx.Done():
	case <-quiet:
	case <-time.After(patience):
	}
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
	t.aside(ctx)
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
