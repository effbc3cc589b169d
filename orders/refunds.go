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
	"plainpelican/core/money"
	"plainpelican/members"
	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
)

// RefundInput is what a customer is to get back.
type RefundInput struct {
	Amount string `json:"amount" maxLength:"30" doc:"In the store's currency"`
	Reason string `json:"reason,omitempty" maxLength:"300"`
}

// RefundView is a refund that a person asked for.
type RefundView struct {
	Amount money.Amount `json:"amount"`
	Reason string       `json:"reason"`
	By     string       `json:"by"`
	At     time.Time    `json:"at"`
	Made   bool         `json:"made" doc:"The store has given it back"`
	Error  string       `json:"error"`
}

// Refund has the store give a customer money back, once. Of a store without an API it is noted alone.
func (s *Service) Refund(ctx context.Context, orderID int64, in RefundInput) (Order, error) {
	return s.changeOrder(ctx, func(tx pgx.Tx) (int64, error) {
		var currency string
		var total, given, asked int64
		err := tx.QueryRow(ctx, `select currency, total, refunded, (select coalesce(sum(amount), 0)::bigint from refund
				where order_id = o.id and made_at is null and error = '')
			from customer_order o where id = $1 for update`, orderID).Scan(&currency, &total, &given, &asked)
		if database.Missing(err) {
			return 0, apikit.NotFound("order")
		}
		if err != nil {
			return 0, err
		}
		c, err := money.ParseCurrency(currency)
		if err != nil {
			return 0, err
		}
		amount, err := money.Parse(strings.TrimSpace(in.Amount), c)
		if err != nil || amount.Minor() <= 0 || amount.Minor() > total-given-asked {
			return 0, apikit.Problem(422, "amount",
				"Give an amount in %s, at most the %s that the customer paid and did not get back.", c,
				money.New(total-given-asked, c).Decimal())
		}
		var id int64
		if err := tx.QueryRow(ctx, `insert into refund (order_id, amount, reason, by) values ($1, $2, $3, $4)
			returning id`, orderID, amount.Minor(), strings.TrimSpace(in.Reason), access.Who(ctx).Name).
			Scan(&id); err != nil {
			return 0, err
		}
		if err := members.Audit(ctx, tx, "refunded", fmt.Sprintf("order %d", orderID), nil, in); err != nil {
			return 0, err
		}
		if err := note(ctx, tx, orderID, "Gives %s back to the customer", amount); err != nil {
			return 0, err
		}
		return orderID, s.Jobs.Add(ctx, tx, RefundArgs{id}, nil)
	})
}

// RefundArgs is the job that has a store give money back.
type RefundArgs struct{ RefundID int64 }

// Kind names the job.
func (RefundArgs) Kind() string { return "refund_order" }

// InsertOpts puts it into its queue.
func (RefundArgs) InsertOpts() river.InsertOpts { return river.InsertOpts{Queue: "orders"} }

// refund asks a store to give money back; it does so once, however often it is asked.
func (s *Service) refund(ctx context.Context, id int64) error {
	var orderID, storeID, amount int64
	var storeOrder, key, currency, reason string
	err := s.Pool.QueryRow(ctx, `select o.id, o.store_id, o.store_order, r.key::text, r.amount, o.currency, r.reason
		from refund r join customer_order o on o.id = r.order_id where r.id = $1 and r.made_at is null
		and r.error = ''`, id).Scan(&orderID, &storeID, &storeOrder, &key, &amount, &currency, &reason)
	if database.Missing(err) {
		return nil
	}
	if err != nil {
		return err
	}
	c, err := money.ParseCurrency(currency)
	if err != nil {
		return err
	}
	session, err := s.Stores.Open(ctx, storeID)
	altogether := ""
	if err == nil {
		altogether, err = session.Refund(ctx, key, storeOrder, store.Refund{Amount: money.New(amount, c).Decimal(),
			Reason: reason})
	}
	said, wait := storeSaid(err)
	if err != nil && said == "" {
		if wait && ctx.Err() == nil && !database.Away(err) {
			return river.JobSnooze(2 * s.pause())
		}
		return err
	}
	if err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `update refund set made_at = case when $2 = '' then now() end, error = $2
			where id = $1 and made_at is null and error = ''`, id, said)
		if err != nil || tag.RowsAffected() == 0 {
			return err
		}
		words := "The customer got " + money.New(amount, c).String() + " back"
		if altogether == "" {
			words = money.New(amount, c).String() +
				" is noted as given back: its store takes no refunds from here, so " +
				"a person gives it back there"
		}
		if said != "" {
			words = "The customer could not be given " + money.New(amount, c).String() + " back: " + said
		} else {
			var known *int64
			if all, err := money.Parse(altogether, c); err == nil {
				n := all.Minor()
				known = &n
			}
			if _, err := tx.Exec(ctx, `update customer_order set refunded = case when $2::bigint is null
				then refunded + $3 else greatest(refunded, $2) end where id = $1`, orderID, known, amount); err != nil {
				return err
			}
		}
		if err := note(ctx, tx, orderID, "%s", words); err != nil {
			return err
		}
		return s.settle(ctx, tx, orderID)
	}); err != nil {
		return err
	}
	return s.Estimate(ctx, orderID)
}

// storeSaid says in a sentence why a store did not do what it was asked for, where asking again would not help; wait
// tells that it may.
func storeSaid(err error) (words string, wait bool) {
	var refused *store.Refused
	switch {
	case err == nil:
		return "", false
	case errors.As(err, &refused):
		return refused.Message, false
	case errors.Is(err, store.ErrDisapproved), errors.Is(err, store.ErrForbidden), apikit.IsProblem(err):
		return "The store does not let us do this: connect it again, and approve it, then try again.", false
	case errors.Is(err, store.ErrGone):
		return "The store no longer has this order.", false
	}
	return "", true
}

// refunds reads those that persons asked for of an order.
func (s *Service) refunds(ctx context.Context, h *head) ([]RefundView, error) {
	rows, err := s.Pool.Query(ctx, `select amount, reason, by, at, made_at is not null, error from refund
		where order_id = $1 order by id`, h.id)
	if err != nil {
		return nil, err
	}
	list, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (r RefundView, err error) {
		var amount int64
		err = row.Scan(&amount, &r.Reason, &r.By, &r.At, &r.Made, &r.Error)
		r.Amount = money.New(amount, h.currency)
		return r, err
	})
	return apikit.List(list), err
}
