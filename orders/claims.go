package orders

import (
	"context"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"plainpelican/core/money"
	"plainpelican/core/order"
	"plainpelican/members"
	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
)

// ClaimView is what went wrong with a purchase, and what is claimed from its supplier.
type ClaimView struct {
	ID        int64           `json:"id"`
	Kind      order.ClaimKind `json:"kind"`
	Words     string          `json:"words"`
	DueOn     string          `json:"due_on" doc:"The last day on which the supplier takes it, such as 2026-12-24"`
	State     string          `json:"state" enum:"open,settled,written_off"`
	Recovered *money.Amount   `json:"recovered,omitempty" doc:"In the supplier's currency"`
	Here      *money.Amount   `json:"recovered_here,omitempty" doc:"In the store's, at the rate of that day"`
	OpenedAt  time.Time       `json:"opened_at"`
	OpenedBy  string          `json:"opened_by"`
}

// claims fills in what is claimed of purchases.
func (s *Service) claims(ctx context.Context, h *head, list []PurchaseView) error {
	rows, err := s.Pool.Query(ctx, `select c.purchase_id, c.id, c.kind, c.words, c.due_on::text, c.state, c.recovered,
		c.recovered_here, c.opened_at,
			c.opened_by from claim c join purchase p on p.id = c.purchase_id where p.order_id = $1
		order by c.id`, h.id)
	if err != nil {
		return err
	}
	var of, recovered, here int64
	var c ClaimView
	_, err = pgx.ForEachRow(rows, []any{&of, &c.ID, &c.Kind, &c.Words, &c.DueOn, &c.State, &recovered, &here,
		&c.OpenedAt,
		&c.OpenedBy}, func() error {
		at := slices.IndexFunc(list, func(p PurchaseView) bool { return p.ID == of })
		back, same := money.New(recovered, list[at].Owed.Currency()), money.New(here, h.currency)
		c.Recovered, c.Here = &back, &same
		list[at].Claims = append(list[at].Claims, c)
		return nil
	})
	return err
}

// ClaimInput is what went wrong.
type ClaimInput struct {
	Kind  string `json:"kind" enum:"lost,returned,wrong,damaged,short"`
	Words string `json:"words,omitempty" maxLength:"500" doc:"What the customer says"`
	DueOn string `json:"due_on" format:"date" doc:"The last day on which the supplier takes the claim"`
	// Again has what is in the purchase bought once more.
	Again bool `json:"buy_again,omitempty"`
}

// Claim notes what went wrong with a purchase that was sent, and has what is in it bought again where that is asked
// for. The order has a problem until the claim is settled or written off.
func (s *Service) Claim(ctx context.Context, purchaseID int64, in ClaimInput) (Order, error) {
	due, err := time.Parse(time.DateOnly, in.DueOn)
	if err != nil {
		return Order{}, apikit.Problem(422, "due_on", "Give the day as 2026-12-24.")
	}
	return s.changeOrder(ctx, func(tx pgx.Tx) (orderID int64, err error) {
		var supplier string
		err = tx.QueryRow(ctx, `select p.order_id, u.name from purchase p join facts.supplier u on u.id = p.supplier_id
			where p.id = $1 and p.state in ('paid', 'shipped', 'delivered') for update of p`, purchaseID).
			Scan(&orderID, &supplier)
		if database.Missing(err) {
			return 0, apikit.Problem(409, "", "Nothing can be claimed of a purchase that is not paid.")
		}
		if err != nil {
			return 0, err
		}
		if _, err := tx.Exec(ctx, `insert into claim (purchase_id, kind, words, due_on, opened_by)
			values ($1, $2, $3, $4, $5)`, purchaseID, in.Kind, strings.TrimSpace(in.Words), due,
			access.Who(ctx).Name); err != nil {
			return 0, err
		}
		if err := note(ctx, tx, orderID, "Claims from %s: %s", supplier,
			claimWords[order.ClaimKind(in.Kind)]); err != nil {
			return 0, err
		}
		if !in.Again {
			return orderID, nil
		}
		if _, err := tx.Exec(ctx, `update order_line set purchase_id = null where purchase_id = $1`,
			purchaseID); err != nil {
			return 0, err
		}
		return orderID, note(ctx, tx, orderID, "Buys it again")
	})
}

// claimWords are what went wrong, in words.
var claimWords = map[order.ClaimKind]string{order.Lost: "the parcel was lost", order.Returned: "the parcel came back",
	order.Wrong: "another thing was in the parcel", order.Damaged: "it arrived damaged",
	order.Short: "something was missing"}

// SettleInput is how a claim ends.
type SettleInput struct {
	// Recovered is what the supplier gave back, in its currency; nothing writes the claim off.
	Recovered string `json:"recovered,omitempty" maxLength:"30"`
}

// SettleClaim ends a claim: with what the supplier gave back, or as written off.
func (s *Service) SettleClaim(ctx context.Context, id int64, in SettleInput) (Order, error) {
	return s.changeOrder(ctx, func(tx pgx.Tx) (orderID int64, err error) {
		var currency, state string
		var storeID, owed int64
		err = tx.QueryRow(ctx, `select p.order_id, o.store_id, p.currency, c.state, coalesce(p.total, p.expected)
			from claim c join purchase p on p.id = c.purchase_id join customer_order o on o.id = p.order_id
			where c.id = $1 for update of c`, id).Scan(&orderID, &storeID, &currency, &state, &owed)
		if database.Missing(err) {
			return 0, apikit.NotFound("claim")
		}
		if err != nil {
			return 0, err
		}
		if state != "open" {
			return 0, apikit.Problem(409, "", "This claim is ended already.")
		}
		c, err := money.ParseCurrency(currency)
		if err != nil {
			return 0, err
		}
		to, words := "written_off", "Wrote the claim off"
		back, here, rate := money.Zero(c), int64(0), ""
		if strings.TrimSpace(in.Recovered) != "" {
			if back, err = money.Parse(strings.TrimSpace(in.Recovered), c); err != nil || back.Minor() <= 0 ||
				back.Minor() > owed {
				return 0, apikit.Problem(422, "recovered", "Give what the supplier gave back in %s, at most %s.", c,
					money.New(owed, c).Decimal())
			}
			amount, used, err := s.owedInStore(ctx, tx, storeID, back)
			if err != nil {
				return 0, apikit.Problem(409, "recovered", "There is no rate from %s into the store's currency.", c)
			}
			to, words, here, rate = "settled", "The supplier gave back "+back.String(), amount.Minor(), used
		}
		if _, err := tx.Exec(ctx, `update claim set state = $2, recovered = $3, recovered_here = $4, rate = $5,
			closed_at = now(), closed_by = $6 where id = $1`, id, to, back.Minor(), here, rate,
			access.Who(ctx).Name); err != nil {
			return 0, err
		}
		if err := members.Audit(ctx, tx, "ended a claim", words, nil, in); err != nil {
			return 0, err
		}
		return orderID, note(ctx, tx, orderID, "%s", words)
	})
}

// changeOrder changes something of an order, works its state and profit out anew, and reads it.
func (s *Service) changeOrder(ctx context.Context, do func(pgx.Tx) (orderID int64, err error)) (Order, error) {
	var id int64
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) (err error) {
		if id, err = do(tx); err != nil {
			return err
		}
		return s.settle(ctx, tx, id)
	})
	if err != nil {
		return Order{}, err
	}
	if err := s.Estimate(ctx, id); err != nil {
		return Order{}, err
	}
	return s.Order(ctx, id)
}
