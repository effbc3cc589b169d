package orders

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"plainpelican/connect/store"
	"plainpelican/core/order"
	"plainpelican/platform/database"
	"plainpelican/platform/jobs"
	"plainpelican/platform/outgoing"
	"plainpelican/platform/secrets"
	"plainpelican/stores"
)

// lookback is from how long before a store was connected its orders are read.
const lookback = 60 * 24 * time.Hour

// ReadArgs is the job that reads a store's new orders. Asked tells one that a person asked for from the others: it is
// not taken for one that is under way, which may have read before what the person knows of.
type ReadArgs struct {
	StoreID int64
	Asked   string
}

// Kind names the job.
func (ReadArgs) Kind() string { return "read_orders" }

// InsertOpts puts it into its queue, and one of a store at a time.
func (ReadArgs) InsertOpts() river.InsertOpts {
	return river.InsertOpts{Queue: "orders", UniqueOpts: river.UniqueOpts{ByArgs: true, ByState: jobs.Unfinished}}
}

// Refresh reads the stores' orders, and asks the suppliers of all purchases that are under way, now.
func (s *Service) Refresh(ctx context.Context) error {
	if _, err := s.Pool.Exec(ctx, `update purchase set next_at = now() where next_at > now()`); err != nil {
		return err
	}
	if err := s.readAll(ctx, secrets.Token()); err != nil {
		return err
	}
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error { return s.Jobs.Add(ctx, tx, FollowArgs{}, nil) })
}

// FollowArgs is the job that asks sources about purchases whose time has come.
type FollowArgs struct{}

// Kind names the job.
func (FollowArgs) Kind() string { return "follow_purchases" }

// InsertOpts puts it into its queue.
func (FollowArgs) InsertOpts() river.InsertOpts { return river.InsertOpts{Queue: "orders"} }

// ReadAll reads the new orders of all stores; one that does not answer stops none.
func (s *Service) ReadAll(ctx context.Context) error { return s.readAll(ctx, "") }

func (s *Service) readAll(ctx context.Context, asked string) error {
	list, err := s.Stores.List(ctx)
	if err != nil {
		return err
	}
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		for _, one := range list {
			if err := s.Jobs.Add(ctx, tx, ReadArgs{one.ID, asked}, nil); err != nil {
				return err
			}
		}
		return nil
	})
}

// Read reads what is new of a store's orders, page by page, and has the store tell of further ones.
func (s *Service) Read(ctx context.Context, storeID int64) error {
	found, err := s.Stores.Get(ctx, storeID)
	if err != nil {
		return nil // disconnected meanwhile
	}
	if _, err := s.Pool.Exec(ctx, `insert into order_feed (store_id, since, hook_key) values ($1, $2, $3)
		on conflict (store_id) do nothing`, storeID, found.ConnectedAt.Add(-lookback), secrets.Token()); err != nil {
		return err
	}
	session, err := s.Stores.Open(ctx, storeID)
	if err == nil {
		s.follow(ctx, storeID, session)
		err = s.readFrom(ctx, found, session)
	}
	said := ""
	if err != nil {
		if said = storesFault(err); said == "" || ctx.Err() != nil {
			return err // ours, and tried again
		}
	}
	_, err = s.Pool.Exec(ctx, `update order_feed set error = $2, read_at = case when $2 = '' then now() else read_at end
		where store_id = $1`, storeID, said)
	return err
}

// storesFault says in a sentence what is wrong with a store; empty where the fault is not the store's.
func storesFault(err error) string {
	switch {
	case errors.Is(err, store.ErrDisapproved):
		return "The store no longer lets us in: connect it again."
	case errors.Is(err, store.ErrForbidden):
		return "The store does not permit us to read its orders: connect it again, and approve that."
	case errors.Is(err, outgoing.ErrUnreachable):
		return "The store does not answer. It is asked again."
	case errors.Is(err, store.ErrUnavailable), errors.Is(err, store.ErrBusy):
		return "The store is out of order. It is asked again."
	}
	return ""
}

// Connected has the orders of a store that was just connected read, once the transaction is through.
func (s *Service) Connected(ctx context.Context, tx pgx.Tx, storeID int64) error {
	// What it refused before may be permitted now, and who was told before is told anew.
	if _, err := tx.Exec(ctx, `update order_feed set hooked_at = null where store_id = $1`, storeID); err != nil {
		return err
	}
	return s.Jobs.Add(ctx, tx, ReadArgs{StoreID: storeID}, nil)
}

// readFrom reads a store's orders from where it was left. What cannot be used is set aside with its reason.
func (s *Service) readFrom(ctx context.Context, found stores.Store, session store.Session) error {
	var since time.Time
	if err := s.Pool.QueryRow(ctx, `select since from order_feed where store_id = $1`, found.ID).
		Scan(&since); err != nil {
		return err
	}
	for {
		list, more, err := session.Orders(ctx, since)
		if err != nil {
			return err
		}
		last := since
		for _, o := range list {
			if err := s.take(ctx, found, o); err != nil {
				return err
			}
			if o.UpdatedAt.After(last) {
				last = o.UpdatedAt
			}
		}
		// A store whose moments do not move on is not asked for ever.
		if !last.After(since) {
			return nil
		}
		since = last
		if _, err := s.Pool.Exec(ctx, `update order_feed set since = $2 where store_id = $1 and since < $2`, found.ID,
			since); err != nil {
			return err
		}
		if !more {
			return nil
		}
	}
}

// take keeps an order as a store has it: a new one, or what changed of one that is known. What is older than what is
// known changes nothing, so it does not matter how often and in which order a store tells of it.
func (s *Service) take(ctx context.Context, found stores.Store, o store.Order) error {
	checked, amounts, err := o.Checked()
	if err == nil && checked.Currency != found.Currency.String() {
		err = fmt.Errorf("it is in %s, and the store in %s", checked.Currency, found.Currency)
	}
	if err != nil {
		_, err = s.Pool.Exec(ctx, `insert into rejected_order (store_id, store_order, reason) values ($1, $2, $3)
			on conflict (store_id, store_order) do update set reason = excluded.reason, at = now()`, found.ID,
			store.Text(o.ID), store.Text(err.Error()))
		return err
	}
	var id int64
	err = database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		var fresh bool
		if id, fresh, err = s.save(ctx, tx, found, checked, amounts); err != nil || id == 0 {
			return err
		}
		if fresh {
			if err := s.lines(ctx, tx, id, found.ID, checked, amounts); err != nil {
				return err
			}
			if err := note(ctx, tx, id, "Order %s came in from %s", checked.Number, found.Name); err != nil {
				return err
			}
		} else if checked.Cancelled {
			if err := note(ctx, tx, id, "The customer cancelled"); err != nil {
				return err
			}
		}
		if _, err := tx.Exec(ctx, `delete from rejected_order where store_id = $1 and store_order = $2`, found.ID,
			checked.ID); err != nil {
			return err
		}
		return s.settle(ctx, tx, id)
	})
	if err == nil && id != 0 {
		s.estimate(ctx, id)
	}
	return err
}

// save writes an order; the id is 0 where what is known is as new.
func (s *Service) save(ctx context.Context, tx pgx.Tx, found stores.Store, o store.Order, a store.Amounts) (id int64,
	fresh bool, err error) {
	sealed, err := s.seal(found.ID, o.ID, Customer{o.Email, o.Note, o.Address})
	if err != nil {
		return 0, false, err
	}
	faults := len(order.CheckAddress(o.Address))
	words := []string{o.Number}
	for _, l := range o.Lines {
		words = append(words, l.Title, l.SKU)
	}
	err = tx.QueryRow(ctx, `
		insert into customer_order (store_id, store_order, number, state, placed_at, updated_at, cancelled, earlier,
			currency, shipping, total, customer, address_faults, country, words, refunded, who)
		values ($1, $2, $3, 'to_buy', $4, $5, $6, $4::timestamptz < $7, $8, $9, $10, $11, $12, $13, $14, $16, $17)
		on conflict (store_id, store_order) do update set updated_at = excluded.updated_at,
			cancelled = excluded.cancelled, country = excluded.country,
			refunded = case when $15 then customer_order.refunded else excluded.refunded end,
			customer = case when customer_order.erased_at is null then excluded.customer else customer_order.customer
				end,
			who = case when customer_order.erased_at is null then excluded.who else customer_order.who end,
			address_faults = case when customer_order.ship_to is null and customer_order.address_accepted_by = ''
				then excluded.address_faults else customer_order.address_faults end
		where customer_order.updated_at < excluded.updated_at
		returning id, xmax = 0`, found.ID, o.ID, o.Number, o.PlacedAt, o.UpdatedAt, o.Cancelled, found.ConnectedAt,
		o.Currency, a.Shipping.Minor(), a.Total.Minor(), sealed, faults, o.Address.Country,
		strings.ToLower(strings.Join(words, " ")), found.Files, a.Refunded.Minor(),
		s.whoBought(o.Email, o.Address)).Scan(&id, &fresh)
	if database.Missing(err) {
		return 0, false, nil
	}
	return id, fresh, err
}

// lines writes the lines of a new order, each tied to what was sold as it, where that was ours.
func (s *Service) lines(ctx context.Context, tx pgx.Tx, id, storeID int64, o store.Order, a store.Amounts) error {
	for i, l := range o.Lines {
		if _, err := tx.Exec(ctx, `
			with sold as (select v.draft_variant_id, v.draft_id from facts.sold_variant v where v.store_id = $11
				and v.product_id = $4 and (v.store_variant = $5 or v.draft_variant_id::text = $12)
				order by v.store_variant = $5 desc, v.listing_id desc limit 1)
			insert into order_line (order_id, store_line, position, product_id, variant_id, sku, title, variant,
				quantity, price, draft_variant_id)
			values ($1, $2, $3, $4, $5, $6, coalesce(nullif($7, ''), (select d.title from facts.draft_ever d, sold
				where d.id = sold.draft_id), $4), $8, $9, $10, (select draft_variant_id from sold))`,
			id, l.ID, i, l.ProductID, l.VariantID, l.SKU, l.Title, l.Variant, l.Quantity, a.Prices[i].Minor(),
			storeID, l.Reference); err != nil {
			return err
		}
	}
	return nil
}
