package orders

import (
	"context"
	"errors"
	"fmt"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"plainpelican/connect/source"
	"plainpelican/core/money"
	"plainpelican/core/order"
	"plainpelican/platform/database"
	"plainpelican/platform/jobs"
)

// keep writes down what a source says of a purchase. What it says never takes a purchase back.
func (s *Service) keep(ctx context.Context, tx pgx.Tx, id, orderID, storeID int64, made source.Purchase) error {
	var before order.PurchaseState
	var supplier, currency string
	var expected int64
	var was *int64
	if err := tx.QueryRow(ctx, `select p.state, u.name, p.currency, p.expected, p.cost from purchase p
		join facts.supplier u on u.id = p.supplier_id where p.id = $1 for update of p`, id).Scan(&before, &supplier,
		&currency, &expected, &was); err != nil {
		return err
	}
	if made.Total == (money.Amount{}) { // what was expected stands
		c, err := money.ParseCurrency(currency)
		if err != nil {
			return err
		}
		made.Total = money.New(expected, c)
	}
	state := made.State
	if before != state && !order.Can(before, state) {
		state = before
	}
	cost, rate, err := s.owedInStore(ctx, tx, storeID, made.Total)
	var landed *int64
	if err == nil {
		n := cost.Minor()
		landed = &n
	}
	over := state.Over()
	var moved bool
	if err := tx.QueryRow(ctx, `update purchase set state = $2, number = $3, total = $4, currency = $5,
			cost = coalesce($6 + charges, cost), rate = $7, reason = $8,
			placed_at = coalesce(placed_at, now()),
			paid_at = case when $2 in ('paid', 'shipped', 'delivered') then coalesce(paid_at, now()) else paid_at end,
			paying = paying and $2 = 'placed',
			next_at = case when $9 and not exists (select from purchase_message m where m.purchase_id = purchase.id
				and m.sent_at > now() - interval '14 days') then null else now() + $10::interval end
		where id = $1 returning cost is distinct from $11`, id, state, made.Number, made.Total.Minor(),
		made.Total.Currency().String(), landed, rate, made.Reason, over, s.every().String(),
		was).Scan(&moved); err != nil {
		return err
	}
	for _, p := range made.Parcels {
		if err := s.keepParcel(ctx, tx, id, orderID, supplier, p); err != nil {
			return err
		}
	}
	if err := s.keepMessages(ctx, tx, id, orderID, supplier, made.Messages); err != nil {
		return err
	}
	if before == state {
		if !moved {
			return nil
		}
		// What the order costs is due to be worked out, as after settle.
		_, err := tx.Exec(ctx, `update customer_order set revision = revision + 1 where id = $1`, orderID)
		return err
	}
	words := map[order.PurchaseState]string{
		order.Placed: "has the order %s", order.Paid: "was paid for %s", order.Shipped: "shipped %s",
		order.Delivered: "delivered %s", order.Cancelled: "cancelled %s"}[state]
	if words != "" {
		if state == order.Cancelled && made.Reason != "" {
			words += ": " + made.Reason
		}
		if err := note(ctx, tx, orderID, "%s", supplier+" "+fmt.Sprintf(words, made.Number)); err != nil {
			return err
		}
	}
	return s.settle(ctx, tx, orderID)
}

// parcelLine is so many of a variant in a parcel, by the supplier's numbers.
type parcelLine struct {
	Offer    string `json:"offer"`
	Variant  string `json:"variant"`
	Quantity int    `json:"quantity"`
}

// keepParcel writes a parcel down once, and has the store told of it.
func (s *Service) keepParcel(ctx context.Context, tx pgx.Tx, purchase, orderID int64, supplier string,
	p source.Parcel) error {
	lines := []parcelLine{}
	for _, l := range p.Lines {
		lines = append(lines, parcelLine{l.Offer, l.Variant, l.Quantity})
	}
	var id int64
	var fresh bool
	err := tx.QueryRow(ctx, `insert into parcel (purchase_id, name, number, carrier, url, delivered, lines)
		values ($1, $2, $3, $4, $5, $6, $7) on conflict (purchase_id, name) do update set delivered =
			excluded.delivered,
			number = case when parcel.told_at is null then excluded.number else parcel.number end
		returning id, xmax = 0`, purchase, p.ID, p.Number, p.Carrier, p.URL, p.Delivered,
		lines).Scan(&id, &fresh)
	if err != nil || !fresh || p.Number == "" {
		return err
	}
	if err := note(ctx, tx, orderID, "%s", fmt.Sprintf("%s sent parcel %s with %s", supplier, p.Number,
		p.Carrier)); err != nil {
		return err
	}
	return s.Jobs.Add(ctx, tx, TellArgs{id}, nil)
}

// FollowUp asks sources about purchases whose time has come, and takes up work whose job was lost.
func (s *Service) FollowUp(ctx context.Context) error {
	if err := s.recover(ctx); err != nil {
		return err
	}
	rows, err := s.Pool.Query(ctx, `update purchase set next_at = now() + $1::interval
		where id in (select id from purchase where next_at <= now() order by next_at limit 500 for update skip locked)
		returning id, order_id, source_id, key::text, state`, s.every().String())
	if err != nil {
		return err
	}
	type due struct {
		ID, OrderID, SourceID int64
		Key                   string
		State                 order.PurchaseState
	}
	list, err := pgx.CollectRows(rows, pgx.RowToStructByPos[due])
	if err != nil {
		return err
	}
	sessions := map[int64]source.Buyer{}
	var failed error
	for _, d := range list {
		if d.State == order.Unknown { // asked by who sends, under its fence
			if err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
				return s.Jobs.Add(ctx, tx, PlaceArgs{d.ID}, nil)
			}); err != nil {
				return err
			}
			continue
		}
		session, known := sessions[d.SourceID]
		if !known {
			if session, err = s.Sources.Buyer(ctx, d.SourceID); err != nil {
				s.Log.Warn("following purchases", "source", d.SourceID, "error", err)
			}
			sessions[d.SourceID] = session
		}
		if session == nil {
			continue
		}
		made, found, err := session.Purchase(ctx, d.Key)
		if err != nil || !found {
			s.Log.Warn("following a purchase", "purchase", d.ID, "found", found, "error", err)
			continue
		}
		if err := s.follows(ctx, d.ID, d.OrderID, made); err != nil {
			failed = errors.Join(failed, fmt.Errorf("purchase %d: %w", d.ID, err)) // asked again in its turn
		}
	}
	return failed
}

func (s *Service) follows(ctx context.Context, id, orderID int64, made source.Purchase) error {
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		var storeID int64
		if err := tx.QueryRow(ctx, `select store_id from customer_order where id = $1`, orderID).Scan(
			&storeID); err != nil {
			return err
		}
		return s.keep(ctx, tx, id, orderID, storeID, made)
	})
	if err != nil {
		return err
	}
	return s.Estimate(ctx, orderID)
}

// recover queues purchases and parcels anew whose job is gone, as after an instance was killed.
func (s *Service) recover(ctx context.Context) error {
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		for _, lost := range []struct {
			kind, key, waits string
			args             func(int64) river.JobArgs
		}{
			{PlaceArgs{}.Kind(), "PurchaseID", `purchase w where w.state in ('waiting', 'sending')`,
				func(id int64) river.JobArgs { return PlaceArgs{id} }},
			{PayArgs{}.Kind(), "PurchaseID", `purchase w where w.paying`,
				func(id int64) river.JobArgs { return PayArgs{id} }},
			{RefundArgs{}.Kind(), "RefundID", `refund w where w.made_at is null and w.error = ''`,
				func(id int64) river.JobArgs { return RefundArgs{id} }},
			{WriteArgs{}.Kind(), "WriteID", `purchase_message w where w.sent_at is null and w.error = ''
				and not w.from_supplier`, func(id int64) river.JobArgs { return WriteArgs{id} }},
			{TellArgs{}.Kind(), "ParcelID", `parcel w where w.told_at is null and w.told_error = '' and w.number <> ''`,
				func(id int64) river.JobArgs { return TellArgs{id} }},
		} {
			list, err := ids(ctx, tx, `select w.id from `+lost.waits+` and not exists (select from river_job j
				where j.kind = $1 and (j.args ->> $2)::bigint = w.id and j.state in `+jobs.Live+`)
				order by w.id for update skip locked`, lost.kind, lost.key)
			if err != nil {
				return err
			}
			for _, id := range list {
				if err := s.Jobs.Add(ctx, tx, lost.args(id), nil); err != nil {
					return err
				}
			}
		}
		return nil
	})
}
