package database

import (
	"context"
	"sync/atomic"

	"github.com/jackc/pgx/v5"
)

// Counter counts the statements that are sent to the database for one piece of work, a begin and a commit among them.
type Counter struct{ n atomic.Int64 }

// Statements is how many were sent so far.
func (c *Counter) Statements() int { return int(c.n.Load()) }

type counterKey struct{}

// WithCounter is a context whose statements are counted, by the counter that it has where it has one.
func WithCounter(ctx context.Context) (context.Context, *Counter) {
	if c, counted := ctx.Value(counterKey{}).(*Counter); counted {
		return ctx, c
	}
	c := &Counter{}
	return context.WithValue(ctx, counterKey{}, c), c
}

// counting counts statements for the counter in their context, where there is one.
type counting struct{}

func count(ctx context.Context) context.Context {
	if c, ok := ctx.Value(counterKey{}).(*Counter); ok {
		c.n.Add(1)
	}
	return ctx
}

func (counting) TraceQueryStart(ctx context.Context, _ *pgx.Conn, _ pgx.TraceQueryStartData) context.Context {
	return count(ctx)
}
func (counting) TraceQueryEnd(context.Context, *pgx.Conn, pgx.TraceQueryEndData) {}

func (counting) TraceBatchStart(ctx context.Context, _ *pgx.Conn, _ pgx.TraceBatchStartData) context.Context {
	return ctx
}
func (counting) TraceBatchQuery(ctx context.Context, _ *pgx.Conn, _ pgx.TraceBatchQueryData) {
	count(ctx)
}
func (counting) TraceBatchEnd(context.Context, *pgx.Conn, pgx.TraceBatchEndData) {}

func (counting) TraceCopyFromStart(ctx context.Context, _ *pgx.Conn, _ pgx.TraceCopyFromStartData) context.Context {
	return count(ctx)
}
func (counting) TraceCopyFromEnd(context.Context, *pgx.Conn, pgx.TraceCopyFromEndData) {}
