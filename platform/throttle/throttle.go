// Package turns lets long work in the background take turns, so that people who are at work
// find a processor free.
package throttle

import (
	"context"
	"runtime"
	"sync"
	"time"
)

// Throttle are shared by all long work of an instance. The zero value is ready.
type Throttle struct {
	mu          sync.Mutex
	lastRequest time.Time     // when a person last asked for something
	inFlight    int           // what is being answered now
	idle        chan struct{} // closed when all is answered
	running     int
	freed       chan struct{} // closed when a turn ends
}

// presenceWindow is how long a person is taken to be at work after asking for something.
const presenceWindow = 5 * time.Second

// maxYield is how long a turn is put off while people are being answered.
const maxYield = 50 * time.Millisecond

// Interactive says that somebody has asked for something, until answered is called.
func (t *Throttle) Interactive() (answered func()) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.lastRequest = time.Now()
	t.inFlight++
	return func() {
		t.mu.Lock()
		defer t.mu.Unlock()
		if t.inFlight--; t.inFlight == 0 && t.idle != nil {
			close(t.idle)
			t.idle = nil
		}
	}
}

// BatchSize is how many of something to do in a turn that would do n: a few while people are at
// work, so that who asks in the middle of a turn waits a moment only.
func (t *Throttle) BatchSize(n int) int {
	if t == nil {
		return n
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	if time.Since(t.lastRequest) < presenceWindow {
		return max(n/16, 1)
	}
	return n
}

// yieldToPeople waits until nobody is being answered, for a moment at most.
func (t *Throttle) yieldToPeople(ctx context.Context) {
	t.mu.Lock()
	if t.inFlight == 0 {
		t.mu.Unlock()
		return
	}
	if t.idle == nil {
		t.idle = make(chan struct{})
	}
	quiet := t.idle
	t.mu.Unlock()
	select {
	case <-ctx.Done():
	case <-quiet:
	case <-time.After(maxYield):
	}
}

// maxAtOnce is how many turns may be taken at once: as many as there are processors, and while
// people are at work one fewer, but one at least.
func (t *Throttle) maxAtOnce() int {
	n := runtime.GOMAXPROCS(0)
	if time.Since(t.lastRequest) < presenceWindow {
		n--
	}
	return max(n, 1)
}

// Do works when it is its turn, for a fraction of a second at a time, so that others come to theirs.
// It returns the work's error, or that of a context which ends while it waits.
func (t *Throttle) Do(ctx context.Context, work func() error) error {
	if t == nil {
		return work()
	}
	if err := t.wait(ctx); err != nil {
		return err
	}
	defer t.end()
	return work()
}

func (t *Throttle) wait(ctx context.Context) error {
	t.yieldToPeople(ctx)
	for {
		t.mu.Lock()
		if t.running < t.maxAtOnce() {
			t.running++
			t.mu.Unlock()
			return nil
		}
		if t.freed == nil {
			t.freed = make(chan struct{})
		}
		ended := t.freed
		t.mu.Unlock()
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-ended:
		case <-time.After(presenceWindow): // people may have left
		}
	}
}

func (t *Throttle) end() {
	t.mu.Lock()
	t.running--
	if t.freed != nil {
		close(t.freed)
		t.freed = nil
	}
	t.mu.Unlock()
}
