package progress_test

import (
	"bufio"
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"
	"time"

	"plainpelican/platform/progress"
	"plainpelican/testkit"
)

// read opens the stream after an event and returns its ids as they come.
func read(t *testing.T, url, last string) <-chan string {
	t.Helper()
	ctx, cancel := context.WithCancel(t.Context())
	r, err := http.NewRequestWithContext(ctx, http.MethodGet, url, nil)
	if err != nil {
		t.Fatal(err)
	}
	if last != "" {
		r.Header.Set("Last-Event-ID", last)
	}
	answer, err := http.DefaultClient.Do(r)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { cancel(); _ = answer.Body.Close() })
	ids := make(chan string, 100)
	go func() {
		id := ""
		for lines := bufio.NewScanner(answer.Body); lines.Scan(); {
			if text, is := strings.CutPrefix(lines.Text(), "id: "); is {
				id = text
			} else if strings.HasPrefix(lines.Text(), `data: {"seq"`) {
				ids <- id
			}
		}
	}()
	return ids
}

func next(t *testing.T, ids <-chan string) string {
	t.Helper()
	select {
	case id := <-ids:
		return id
	case <-time.After(10 * time.Second):
		t.Fatal("no event came")
		return ""
	}
}

func TestAReaderGoesOnWhereItWasCutOff(t *testing.T) {
	pool := testkit.Database(t)
	telling, reading := progress.New(pool), progress.New(pool) // two instances
	ctx, cancel := context.WithCancel(context.Background())
	var following sync.WaitGroup
	following.Go(func() { reading.Follow(ctx) })
	t.Cleanup(func() { cancel(); following.Wait() })
	front := httptest.NewServer(http.HandlerFunc(reading.Serve))
	t.Cleanup(front.Close)
	tell := func(n int) {
		if err := telling.Publish(t.Context(), "run", map[string]int{"n": n}); err != nil {
			t.Fatal(err)
		}
	}
	tell(0) // before anyone reads
	ids := read(t, front.URL, "")
	time.Sleep(100 * time.Millisecond)
	tell(1)
	last := next(t, ids)
	for n := range 5 {
		tell(n + 2) // while nobody reads: the connection is cut
	}
	resumed := read(t, front.URL, last)
	at := 0
	_, _ = fmt.Sscan(last, &at)
	for n := range 5 {
		if got := next(t, resumed); got != fmt.Sprint(at+1+n) {
			t.Fatalf("after %s came %s", last, got)
		}
	}
}

func TestEventsAreNumberedInTheOrderTheyAreSeen(t *testing.T) {
	pool := testkit.Database(t)
	s := progress.New(pool)
	var telling sync.WaitGroup
	stop := make(chan struct{})
	for range 4 {
		telling.Go(func() {
			for range 25 {
				if err := s.Publish(context.Background(), "t", 1); err != nil {
					t.Error(err)
				}
			}
		})
	}
	go func() { telling.Wait(); close(stop) }()
	seen, last := 0, int64(0)
	for ended := false; !ended || seen < 100; {
		select {
		case <-stop:
			ended = true
		default:
		}
		events, err := s.Since(t.Context(), last)
		if err != nil {
			t.Fatal(err)
		}
		for _, e := range events {
			seen, last = seen+1, e.Seq
		}
		if ended && len(events) == 0 {
			break
		}
	}
	if seen != 100 {
		t.Errorf("a reader that follows the numbers saw %d of 100 events", seen)
	}
}
