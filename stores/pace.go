package stores

import (
	"context"
	"errors"
	"time"

	"github.com/jackc/pgx/v5/pgxpool"

	"plainpelican/connect/store"
	"plainpelican/platform/outgoing"
)

// longestTurn is how long a request waits for its turn.
const longestTurn = 5 * time.Second

// pace gives the requests to a store their turns, whichever instance sends them: the next turn stands in the database.
type pace struct {
	pool      *pgxpool.Pool
	store     int64
	perSecond int
}

// Turn waits for the next turn, which nobody else gets. Turns that nobody took are not made up for.
func (p *pace) Turn(ctx context.Context) error {
	var wait float64 // seconds
	err := p.pool.QueryRow(ctx, `
		insert into store_pace (store_id, next_at) values ($1, now() + $2 * interval '1 second')
		on conflict (store_id) do update
		set next_at = greatest(store_pace.next_at, clock_timestamp()) + $2 * interval '1 second'
		returning extract(epoch from next_at - $2 * interval '1 second' - clock_timestamp())::float8`, p.store,
		1/float64(max(p.perSecond, 1))).Scan(&wait)
	if err != nil {
		return err
	}
	if wait <= 0 {
		return nil
	}
	if after := time.Duration(wait * float64(time.Second)); after > longestTurn {
		return &outgoing.Wait{After: after, Err: store.ErrBusy} // it asked for that: the work is put back
	}
	turn := time.NewTimer(time.Duration(wait * float64(time.Second)))
	defer turn.Stop()
	select {
	case <-turn.C:
		return nil
	case <-ctx.Done():
		return ctx.Err()
	}
}

// Refused keeps that the store refused us, until it is connected again.
func (p *pace) Refused(err error) {
	ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	problem := ProblemForbidden
	if errors.Is(err, store.ErrDisapproved) {
		problem = ProblemDisapproved
	}
	_, _ = p.pool.Exec(ctx, `update store set problem = $2 where id = $1 and problem <> $2`, p.store, problem)
}

// Asked has nobody send to the store before a while has passed. What is being waited for already goes on.
func (p *pace) Asked(wait time.Duration) {
	ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	// Where the database is away, the client that was asked waits alone.
	_, _ = p.pool.Exec(ctx, `update store_pace set next_at = greatest(next_at,
		clock_timestamp() + $2 * interval '1 second') where store_id = $1`, p.store, min(wait, time.Hour).Seconds())
}
