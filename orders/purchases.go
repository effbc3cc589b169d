package orders

import (
	"context"
	"fmt"
	"strings"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"plainpelican/core/money"
	"plainpelican/members"
	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
)

// Purchases is what came of buying: how many purchases were begun, and the orders of which nothing was.
type Purchases struct {
	Begun   int         `json:"begun"`
	LeftOut []OrderLeft `json:"left_out"`
}

// OrderLeft is an order of which nothing was bought, and why.
type OrderLeft struct {
	OrderID int64  `json:"order_id"`
	Number  string `json:"number"`
	Reason  string `json:"reason"`
}

// Buy begins the purchases of some orders. What cannot be bought is left out with its reason; an order that somebody
// else buys at this moment is waited for, and found bought.
func (s *Service) Buy(ctx context.Context, in BuyInput) (Purchases, error) {
	out, with := Purchases{LeftOut: []OrderLeft{}}, newBuying(in)
	for _, id := range unique(in.OrderIDs) {
		left, begun, err := s.buyOne(ctx, id, with)
		if err != nil {
			return out, err
		}
		out.Begun += begun
		if left != nil {
			out.LeftOut = append(out.LeftOut, *left)
		}
	}
	return out, nil
}

func (s *Service) buyOne(ctx context.Context, id int64, in *buying) (left *OrderLeft, begun int, err error) {
	err = database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		var number string
		err := tx.QueryRow(ctx, `select number from customer_order where id = $1 for update`, id).Scan(&number)
		if database.Missing(err) {
			return apikit.NotFound("order")
		}
		if err != nil {
			return err
		}
		look, err := s.review(ctx, tx, id, in)
		if err != nil {
			return err
		}
		if in.auto != nil {
			waits, err := in.auto.waits(ctx, tx, id, &look)
			if err != nil {
				return err
			}
			if waits != "" {
				left = &OrderLeft{id, number, waits}
				return nil
			}
		}
		if look.Blocked != "" {
			left = &OrderLeft{id, number, look.Blocked}
			return nil
		}
		if len(look.Address) > 0 {
			if _, err := tx.Exec(ctx, `update customer_order set address_accepted_by = $2, address_faults = 0
				where id = $1`, id, access.Who(ctx).Name); err != nil {
				return err
			}
		}
		for _, p := range look.Purchases {
			if p.Blocked != "" {
				left = &OrderLeft{id, number, p.Blocked}
				continue
			}
			if err := s.begin(ctx, tx, id, &p, in); err != nil {
				return err
			}
			begun++
		}
		return s.settle(ctx, tx, id)
	})
	return left, begun, err
}

// noteTo is what the supplier of a purchase is told.
func (in *BuyInput) noteTo(p *PurchaseReview) string {
	words := []string{}
	if in.NoInvoice {
		words = append(words, "No invoice and no leaflet in the parcel, please.")
	}
	if in.Brand && p.OwnPacking {
		words = append(words, "Packed with our brand, please.")
	}
	if comment := strings.TrimSpace(in.Comment); comment != "" {
		words = append(words, comment)
	}
	return strings.Join(words, " ")
}

// begin writes a purchase down and queues it.
func (s *Service) begin(ctx context.Context, tx pgx.Tx, orderID int64, p *PurchaseReview, in *buying) error {
	var id int64
	if err := tx.QueryRow(ctx, `insert into purchase (order_id, source_id, supplier_id, service, currency, expected,
			charges, cost, comment, created_by, by_sheet, automatic, by_invoice, state) values ($1, $2, $3, $4, $5,
				$6, $7, $8,
			$9, $10, $11, $12, $13, case when $11 then 'to_send' else 'waiting' end) returning id`, orderID, p.source,
		p.supplier, p.Service, p.expected.Currency().String(), p.expected.Minor(), p.charges.Minor(), p.Cost.Minor(),
		in.noteTo(p), access.Who(ctx).Name, p.BySheet, in.auto != nil,
		p.lines[0].takesOrders && p.lines[0].byInvoice).Scan(&id); err != nil {
		return err
	}
	for _, l := range p.lines {
		if _, err := tx.Exec(ctx, `insert into purchase_line (purchase_id, order_line_id, offer_id, offer_variant_id,
				offer_number, variant_number, quantity) values ($1, $2, $3, $4, $5, $6, $7)`, id, l.id, l.offerID,
			l.offerVariantID, l.offerNumber, l.variantNumber, l.quantity); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `update order_line set purchase_id = $2 where id = $1`, l.id, id); err != nil {
			return err
		}
	}
	if err := note(ctx, tx, orderID, "Buys from %s for %s, by %s", p.Supplier, p.expected, p.Service); err != nil {
		return err
	}
	if err := members.Audit(ctx, tx, "bought", fmt.Sprintf("purchase %d", id), nil,
		map[string]string{"supplier": p.Supplier, "expected": p.expected.String()}); err != nil {
		return err
	}
	if p.BySheet {
		return nil // a person sends it
	}
	return s.Jobs.Add(ctx, tx, PlaceArgs{id}, nil)
}

// PlaceArgs is the job that sends one purchase to its source.
type PlaceArgs struct{ PurchaseID int64 }

// Kind names the job.
func (PlaceArgs) Kind() string { return "place_purchase" }

// InsertOpts puts it into its queue.
func (PlaceArgs) InsertOpts() river.InsertOpts { return river.InsertOpts{Queue: "orders"} }

// PayArgs is the job that pays one purchase.
type PayArgs struct{ PurchaseID int64 }

// Kind names the job.
func (PayArgs) Kind() string { return "pay_purchase" }

// InsertOpts puts it into its queue.
func (PayArgs) InsertOpts() river.InsertOpts { return river.InsertOpts{Queue: "orders"} }

// Pay has purchases paid from the balance at their sources; those of order sheets are noted as paid, as a person
// says. One that is paid, or being paid, is left as it is.
func (s *Service) Pay(ctx context.Context, ids []int64) (begun int, err error) {
	err = database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, `update purchase set paying = true, pay_reason = '', paid_by = $2
			where id = any ($1) and state = 'placed' and not paying and not by_sheet and not by_invoice
			returning id, order_id`,
			unique(ids), access.Who(ctx).Name)
		if err != nil {
			return err
		}
		type paying struct{ ID, OrderID int64 }
		list, err := pgx.CollectRows(rows, pgx.RowToStructByPos[paying])
		if err != nil {
			return err
		}
		for _, p := range list {
			if err := members.Audit(ctx, tx, "paid", fmt.Sprintf("purchase %d", p.ID), nil, nil); err != nil {
				return err
			}
			if err := s.Jobs.Add(ctx, tx, PayArgs{p.ID}, nil); err != nil {
				return err
			}
			if err := s.settle(ctx, tx, p.OrderID); err != nil {
				return err
			}
		}
		byHand, err := s.paidByHand(ctx, tx, ids)
		begun = len(list) + byHand
		return err
	})
	return begun, err
}

// OwedPurchase is a purchase that a supplier waits to be paid for.
type OwedPurchase struct {
	ID        int64        `json:"id"`
	OrderID   int64        `json:"order_id"`
	Order     string       `json:"order"`
	Number    string       `json:"number"`
	Source    string       `json:"source"`
	Supplier  string       `json:"supplier"`
	Amount    money.Amount `json:"amount"`
	BySheet   bool         `json:"by_sheet" doc:"Is paid outside, and noted here"`
	Paying    bool         `json:"paying"`
	PayReason string       `json:"pay_reason"`
}

// Owed lists the purchases that wait to be paid, by source.
func (s *Service) Owed(ctx context.Context) ([]OwedPurchase, error) {
	rows, err := s.Pool.Query(ctx, `select p.id, p.order_id, o.number, p.number, x.name, u.name, p.currency,
			coalesce(p.total, p.expected), p.by_sheet or p.by_invoice, p.paying, p.pay_reason
		from purchase p join customer_order o on o.id = p.order_id join facts.source x on x.id = p.source_id
		join facts.supplier u on u.id = p.supplier_id where p.state = 'placed' order by x.name, u.name, p.id limit
			5000`)
	if err != nil {
		return nil, err
	}
	list, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (p OwedPurchase, err error) {
		var currency string
		var amount int64
		if err := row.Scan(&p.ID, &p.OrderID, &p.Order, &p.Number, &p.Source, &p.Supplier, &currency, &amount,
			&p.BySheet, &p.Paying,
			&p.PayReason); err != nil {
			return p, err
		}
		c, err := money.ParseCurrency(currency)
		p.Amount = money.New(amount, c)
		return p, err
	})
	return apikit.List(list), err
}
