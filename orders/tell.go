package orders

import (
	"context"
	"errors"
	"slices"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"plainpelican/connect/source"
	"plainpelican/connect/store"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
)

// pay pays a purchase; the source takes the money once, however often it is asked.
func (s *Service) pay(ctx context.Context, id int64) error {
	var orderID, sourceID int64
	var key string
	err := s.Pool.QueryRow(ctx, `select order_id, source_id, key::text from purchase where id = $1 and paying
		and state = 'placed'`, id).Scan(&orderID, &sourceID, &key)
	if database.Missing(err) {
		return nil
	}
	if err != nil {
		return err
	}
	session, err := s.Sources.Buyer(ctx, sourceID)
	var made source.Purchase
	if err == nil {
		made, err = session.Pay(ctx, key)
	}
	var refusal source.Refusal
	reason := ""
	switch {
	case err == nil:
		return s.follows(ctx, id, orderID, made)
	case ctx.Err() != nil, database.Away(err):
		return err
	case errors.As(err, &refusal):
		reason = said(refusal.Reason)
	case errors.Is(err, source.ErrCredentials), apikit.IsProblem(err):
		reason = "The source does not let us in any more: connect it again, then pay again."
	default:
		return river.JobSnooze(2 * s.pause()) // paying again changes nothing
	}
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `update purchase set paying = false, pay_reason = $2 where id = $1`, id,
			reason); err != nil {
			return err
		}
		if err := note(ctx, tx, orderID, "It could not be paid: %s", reason); err != nil {
			return err
		}
		return s.settle(ctx, tx, orderID)
	})
}

// TellArgs is the job that tells a store of a parcel.
type TellArgs struct{ ParcelID int64 }

// Kind names the job.
func (TellArgs) Kind() string { return "tell_store" }

// InsertOpts puts it into its queue.
func (TellArgs) InsertOpts() river.InsertOpts { return river.InsertOpts{Queue: "orders"} }

// tellStore tells a store of a parcel, once: the store makes one fulfilment of one key.
func (s *Service) tellStore(ctx context.Context, id int64) error {
	var storeID, orderID int64
	var storeOrder, key string
	var f store.Fulfilment
	err := s.Pool.QueryRow(ctx, `select o.store_id, o.id, o.store_order, c.key::text, c.number, c.carrier, c.url
		from parcel c join purchase p on p.id = c.purchase_id join customer_order o on o.id = p.order_id
		where c.id = $1 and c.told_at is null`, id).Scan(&storeID, &orderID, &storeOrder, &key, &f.Number, &f.Carrier,
		&f.URL)
	if database.Missing(err) {
		return nil
	}
	if err != nil {
		return err
	}
	rows, err := s.Pool.Query(ctx, `select l.store_line, case when c.lines = '[]' then pl.quantity else (
			select coalesce(sum((x ->> 'quantity')::int), 0)::int from jsonb_array_elements(c.lines) x
			where x ->> 'offer' in ('', pl.offer_number) and x ->> 'variant' = pl.variant_number) end as quantity
		from parcel c join purchase_line pl on pl.purchase_id = c.purchase_id
		join order_line l on l.id = pl.order_line_id where c.id = $1 order by l.position`, id)
	if err != nil {
		return err
	}
	if f.Lines, err = pgx.CollectRows(rows, pgx.RowToStructByPos[store.Fulfilled]); err != nil {
		return err
	}
	f.Lines = slices.DeleteFunc(f.Lines, func(l store.Fulfilled) bool { return l.Quantity == 0 })
	session, err := s.Stores.Open(ctx, storeID)
	if err == nil {
		err = session.Fulfil(ctx, key, storeOrder, f)
	}
	reason, wait := storeSaid(err)
	switch {
	case ctx.Err() != nil, database.Away(err):
		return err
	case wait:
		return river.JobSnooze(2 * s.pause())
	}
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `update parcel set told_at = case when $2 = '' then now() end, told_error = $2
			where id = $1`, id, reason); err != nil {
			return err
		}
		words := "The store was told of parcel " + f.Number
		if reason != "" {
			words = "The store could not be told of parcel " + f.Number + ": " + reason
		}
		if err := note(ctx, tx, orderID, "%s", words); err != nil {
			return err
		}
		return s.settle(ctx, tx, orderID)
	})
}
