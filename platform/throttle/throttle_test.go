package throttle

import (
	"context"
	"errors"
	"runtime"
	"sync"
	"sync/atomic"
	"testing"
	"time"
)

func maxBatches(t *testing.T, turns *Throttle) int {
	t.Helper()
	var now, peak atomic.Int64
	var working sync.WaitGroup
	for range 24 {
		working.Go(func() {
			err := turns.Do(t.Context(), func() error {
				n := now.Add(1)
				for p := peak.Load(); n > p && !peak.CompareAndSwap(p, n); p = peak.Load() {
				}
				time.Sleep(3 * time.Millisecond)
				now.Add(-1)
				return nil
			})
			if err != nil {
				t.Error(err)
			}
		})
	}
	working.Wait()
	return int(peak.Load())
}

func TestAPlaceIsLeftForPeople(t *testing.T) {
	before := runtime.GOMAXPROCS(3)
	defer runtime.GOMAXPROCS(before)
	var turns Throttle
	if n := maxBatches(t, &turns); n != 3 {
		t.Errorf("nobody is there, and %d work at once", n)
	}
	turns.Interactive()()
	if n := maxBatches(t, &turns); n != 2 {
		t.Errorf("somebody is there, and %d work at once", n)
	}
	runtime.GOMAXPROCS(1)
	if n := maxBatches(t, &turns); n != 1 {
		t.Errorf("on one processor %d work at once", n)
	}
}

func TestATurnIsPutOffWhileSomebodyIsAnswered(t *testing.T) {
	var turns Throttle
	if n := turns.BatchSize(4000); n != 4000 {
		t.Errorf("nobody is there, and a turn does %d", n)
	}
	answered := turns.Interactive()
	if n := turns.BatchSize(4000); n != 250 || turns.BatchSize(3) != 1 {
		t.Errorf("somebody is there, and a turn does %d", n)
	}
	done := make(chan bool)
	go func() { _ = turns.Do(t.Context(), func() error { done <- true; return nil }) }()
	waits := func() bool {
		turns.mu.Lock()
		defer turns.mu.Unlock()
		return turns.idle != nil
	}
	for !waits() {
		select {
		case <-done:
			t.Fatal("a turn was taken in the middle of an answer")
		case <-time.After(time.Millisecond):
		}
	}
	answered()
	<-done
	turns.Interactive() // never answered
	go func() { _ = turns.Do(t.Context(), func() error { done <- true; return nil }) }()
	select {
	case <-done:
	case <-time.After(10 * time.Second):
		t.Error("an answer that never ends stops all turns")
	}
}

func TestWhoStopsWaitingIsTold(t *testing.T) {
	var turns Throttle
	before := runtime.GOMAXPROCS(1)
	defer runtime.GOMAXPROCS(before)
	busy, free := make(chan struct{}), make(chan struct{})
	go func() {
		_ = turns.Do(t.Context(), func() error { close(busy); <-free; return nil })
	}()
	<-busy
	ctx, stop := context.WithTimeout(t.Context(), 10*time.Millisecond)
	defer stop()
	if err := turns.Do(ctx, func() error { return nil }); !errors.Is(err, context.DeadlineExceeded) {
		t.Errorf("%v", err)
	}
	close(free)
	fault := errors.New("the work's own")
	if err := turns.Do(t.Context(), func() error { return fault }); !errors.Is(err, fault) {
		t.Errorf("%v", err)
	}
	var none *Throttle
	if err := none.Do(t.Context(), func() error { return fault }); !errors.Is(err, fault) {
		t.Errorf("without turns: %v", err)
	}
}
