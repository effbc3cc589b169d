package stores_test

import (
	"errors"
	"sync"
	"testing"
	"time"

	"plainpelican/application"
	"plainpelican/connect/store"
	"plainpelican/platform/outgoing"
	"plainpelican/standins/fault"
	"plainpelican/testkit"
)

// Two instances together keep to a store's limit: the turns stand in the database.
func TestTwoInstancesShareAStoresPace(t *testing.T) {
	w := testkit.Start(t)
	s := w.ConnectStore()
	if _, err := w.App.Pool.Exec(t.Context(), `update store set requests_per_second = 40`); err != nil {
		t.Fatal(err)
	}
	other, _ := w.Instance(w.App.Pool)
	began := time.Now()
	var all sync.WaitGroup
	var failed error
	var lock sync.Mutex
	const each = 20
	for _, app := range []*application.Application{w.App, other} {
		all.Go(func() {
			session, err := app.Stores.Open(t.Context(), s.ID)
			for range each {
				if err == nil {
					_, err = session.Facts(t.Context())
				}
			}
			lock.Lock()
			failed = errors.Join(failed, err)
			lock.Unlock()
		})
	}
	all.Wait()
	if failed != nil {
		t.Fatal(failed)
	}
	// 40 requests at 40 a second: the first goes at once. Slower is no fault of the pace.
	if took := time.Since(began); took < 950*time.Millisecond {
		t.Errorf("40 requests at 40 a second took %v", took)
	}
}

// A store that asks one instance to be left alone for long is left alone by the other, which puts its work back.
func TestAWishToBeLeftAloneHoldsForAll(t *testing.T) {
	w := testkit.Start(t)
	s := w.ConnectStore()
	if _, err := w.App.Pool.Exec(t.Context(), `insert into store_pace (store_id, next_at) values ($1, now() + interval
		'90 seconds') on conflict (store_id) do update set next_at = excluded.next_at`, s.ID); err != nil {
		t.Fatal(err)
	}
	other, _ := w.Instance(w.App.Pool)
	session, err := other.Stores.Open(t.Context(), s.ID)
	if err != nil {
		t.Fatal(err)
	}
	_, err = session.Facts(t.Context())
	var wait *outgoing.Wait
	if !errors.Is(err, store.ErrBusy) || !errors.As(err, &wait) || wait.After < 80*time.Second {
		t.Errorf("%v", err)
	}
}

// A store that says that no request is left is left alone as long as it says, by all, without being asked once more.
func TestNothingIsSentOnceNoRequestIsLeft(t *testing.T) {
	w := testkit.Start(t)
	s := w.ConnectStore()
	w.Fault(w.ShopURL, fault.Plan{NoneLeft: 90})
	session, err := w.App.Stores.Open(t.Context(), s.ID)
	if err != nil {
		t.Fatal(err)
	}
	var wait *outgoing.Wait
	// What goes on by itself after a store is connected may have been told first.
	if _, err := session.Facts(t.Context()); err != nil && !errors.As(err, &wait) {
		t.Fatal(err)
	}
	other, _ := w.Instance(w.App.Pool)
	session, err = other.Stores.Open(t.Context(), s.ID)
	if err != nil {
		t.Fatal(err)
	}
	_, err = session.Facts(t.Context())
	if !errors.As(err, &wait) || wait.After < 80*time.Second {
		t.Errorf("%v", err)
	}
}
