package orders

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"plainpelican/core/money"
	"plainpelican/core/order"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
)

// Order is one order in full.
type Order struct {
	Row
	Customer Customer `json:"customer"`
	// Address is where it goes: the customer's own, or as it was corrected.
	Address    order.Address        `json:"address"`
	Corrected  bool                 `json:"corrected"`
	AcceptedBy string               `json:"accepted_by"`
	Faults     []order.AddressFault `json:"faults" doc:"What is doubtful of the address"`
	Shipping   money.Amount         `json:"shipping" doc:"That the customer paid"`
	Refunded   money.Amount         `json:"refunded" doc:"That the customer got back"`
	Cost       *money.Amount        `json:"cost,omitempty" doc:"Landed, of what is ours"`
	Items      []Item               `json:"items"`
	Purchases  []PurchaseView       `json:"purchases"`
	Refunds    []RefundView         `json:"refunds"`
	Events     []EventView          `json:"events"`
	Note       string               `json:"note"`
	TrackURL   string               `json:"track_url" doc:"Where the customer can follow it"`
	AutoWaits  string               `json:"auto_waits" doc:"Why it was not bought without a person"`
}

// Item is a line of an order.
type Item struct {
	ID         int64        `json:"id"`
	Title      string       `json:"title"`
	Variant    string       `json:"variant"`
	SKU        string       `json:"sku"`
	Quantity   int64        `json:"quantity"`
	Price      money.Amount `json:"price"`
	Ours       bool         `json:"ours" doc:"False is bought elsewhere, and left alone"`
	DraftID    int64        `json:"draft_id"`
	Picture    string       `json:"picture"`
	Supplier   string       `json:"supplier"`
	Source     string       `json:"source"`
	Buys       string       `json:"buys" doc:"The supplier's variant"`
	PurchaseID int64        `json:"purchase_id"`
	LeftOut    bool         `json:"left_out" doc:"A person decided not to buy it"`
	Elsewhere  bool         `json:"elsewhere" doc:"Bought from another supplier than its draft's, for this order alone"`
	ToBuy      bool         `json:"to_buy"`
}

// PurchaseView is what was bought from one supplier.
type PurchaseView struct {
	ID        int64               `json:"id"`
	Number    string              `json:"number"`
	Supplier  string              `json:"supplier"`
	Source    string              `json:"source"`
	State     order.PurchaseState `json:"state"`
	Service   string              `json:"service"`
	Owed      *money.Amount       `json:"owed,omitempty" doc:"As the supplier says, or as was expected"`
	Cost      *money.Amount       `json:"cost,omitempty" doc:"Landed, in the store's currency"`
	Rate      string              `json:"rate"`
	Rose      bool                `json:"rose" doc:"The supplier asks more than was expected"`
	Reason    string              `json:"reason"`
	BySheet   bool                `json:"by_sheet" doc:"A person sends it, and says how far it is"`
	ByInvoice bool                `json:"by_invoice" doc:"Is paid outside, and a person says when it is there"`
	Paying    bool                `json:"paying"`
	PayReason string              `json:"pay_reason"`
	CreatedBy string              `json:"created_by"`
	CreatedAt time.Time           `json:"created_at"`
	PaidAt    *time.Time          `json:"paid_at,omitempty"`
	PaidBy    string              `json:"paid_by"`
	Parcels   []ParcelView        `json:"parcels"`
	Claims    []ClaimView         `json:"claims"`
	Messages  []MessageView       `json:"messages" doc:"To and from its supplier"`
	CanWrite  bool                `json:"can_write" doc:"Its source passes messages on to the supplier"`
}

// ParcelView is a parcel of a purchase.
type ParcelView struct {
	ID        int64      `json:"id"`
	Number    string     `json:"number"`
	Carrier   string     `json:"carrier"`
	URL       string     `json:"url"`
	Delivered bool       `json:"delivered"`
	ToldAt    *time.Time `json:"told_at,omitempty" doc:"When the store was told of it"`
	ToldError string     `json:"told_error"`
	Wrong     bool       `json:"wrong" doc:"Its number looks like a postal item's, and its check digit is wrong"`
}

// EventView is something that happened to an order.
type EventView struct {
	At    time.Time `json:"at"`
	By    string    `json:"by" doc:"A member; empty is by itself"`
	Words string    `json:"words"`
}

// Order reads one order in full.
func (s *Service) Order(ctx context.Context, id int64) (Order, error) {
	var out Order
	h, lines, err := read(ctx, s.Pool, id)
	if database.Missing(err) {
		return out, apikit.NotFound("order")
	}
	if err != nil {
		return out, err
	}
	rows, err := s.Pool.Query(ctx, `select `+rowColumns+`, '', 0, 0, '{}'::text[]
		from customer_order o join facts.store t on t.id = o.store_id where o.id = $1`, id)
	if err != nil {
		return out, err
	}
	if out.Row, err = pgx.CollectExactlyOneRow(rows, scanRow); err != nil {
		return out, err
	}
	var cost *int64
	if err := s.Pool.QueryRow(ctx, `select cost, note, auto_waits, track_key::text from customer_order
		where id = $1`, id).Scan(&cost, &out.Note, &out.AutoWaits, &out.TrackURL); err != nil {
		return out, err
	}
	out.TrackURL = s.PublicURL + trackPath + out.TrackURL
	out.Cost = known(cost, h.currency)
	out.Shipping, out.Refunded = money.New(h.shipping, h.currency), money.New(h.refunded, h.currency)
	customer, corrected, by, err := s.customer(ctx, s.Pool, &h)
	if err != nil {
		return out, fmt.Errorf("opening who bought order %s: %w", h.number, err)
	}
	out.Customer, out.Address, out.AcceptedBy = customer, customer.Address, by
	if corrected != nil {
		out.Address, out.Corrected = *corrected, true
	}
	out.Faults = order.CheckAddress(out.Address)
	pictures, err := s.pictures(ctx, lines)
	if err != nil {
		return out, err
	}
	for i, l := range lines {
		if i == 0 {
			out.Title = l.title
		}
		out.Units += int(l.quantity)
		out.Items = append(out.Items, Item{l.id, l.title, l.variant, l.sku, l.quantity, money.New(l.price, h.currency),
			l.ours, l.draftID, pictures[l.draftID], l.supplier, l.source, strings.Join(l.optionValues, ", "),
			l.purchaseID, l.leftOut, l.elsewhere, l.toBuy()})
	}
	out.Lines = len(lines)
	if out.Purchases, err = s.purchases(ctx, &h); err != nil {
		return out, err
	}
	if out.Refunds, err = s.refunds(ctx, &h); err != nil {
		return out, err
	}
	rows, err = s.Pool.Query(ctx, `select at, by, words from order_event where order_id = $1 order by id desc limit
		200`, id)
	if err != nil {
		return out, err
	}
	events, err := pgx.CollectRows(rows, pgx.RowToStructByPos[EventView])
	out.Events = apikit.List(events)
	return out, err
}

func (s *Service) pictures(ctx context.Context, lines []line) (map[int64]string, error) {
	var drafts []int64
	for _, l := range lines {
		if l.draftID != 0 {
			drafts = append(drafts, l.draftID)
		}
	}
	if s.Pictures == nil || len(drafts) == 0 {
		return nil, nil
	}
	return s.Pictures.Pictures(ctx, unique(drafts))
}

// purchases reads what was bought for an order, with its parcels.
func (s *Service) purchases(ctx context.Context, h *head) ([]PurchaseView, error) {
	rows, err := s.Pool.Query(ctx, `select p.id, p.number, u.name, x.name, p.state, p.service, p.currency, p.expected,
			p.total, p.cost, p.rate, p.reason, p.by_sheet, p.by_invoice, p.paying, p.pay_reason, p.created_by,
				p.created_at,
				p.paid_at, p.paid_by, x.takes_messages and x.state = 'connected' and p.number <> ''
		from purchase p join facts.supplier u on u.id = p.supplier_id join facts.source x on x.id = p.source_id
		where p.order_id = $1 order by p.id`, h.id)
	if err != nil {
		return nil, err
	}
	list, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (p PurchaseView, err error) {
		var currency string
		var expected int64
		var total, cost *int64
		if err := row.Scan(&p.ID, &p.Number, &p.Supplier, &p.Source, &p.State, &p.Service, &currency, &expected, &total,
			&cost, &p.Rate, &p.Reason, &p.BySheet, &p.ByInvoice, &p.Paying, &p.PayReason, &p.CreatedBy, &p.CreatedAt,
			&p.PaidAt,
			&p.PaidBy, &p.CanWrite); err != nil {
			return p, err
		}
		c, err := money.ParseCurrency(currency)
		if err != nil {
			return p, err
		}
		owed := money.New(expected, c)
		if total != nil {
			owed, p.Rose = money.New(*total, c), *total > expected
		}
		p.Owed, p.Parcels, p.Claims, p.Messages = &owed, []ParcelView{}, []ClaimView{}, []MessageView{}
		p.Cost = known(cost, h.currency)
		return p, nil
	})
	if err != nil {
		return nil, err
	}
	rows, err = s.Pool.Query(ctx, `select c.purchase_id, c.id, c.number, c.carrier, c.url, c.delivered, c.told_at,
		c.told_error from parcel c join purchase p on p.id = c.purchase_id where p.order_id = $1 order by c.id`, h.id)
	if err != nil {
		return nil, err
	}
	var of int64
	var c ParcelView
	_, err = pgx.ForEachRow(rows, []any{&of, &c.ID, &c.Number, &c.Carrier, &c.URL, &c.Delivered, &c.ToldAt,
		&c.ToldError},
		func() error {
			for i := range list {
				if list[i].ID == of {
					is, right := order.ValidS10(c.Number)
					c.Wrong = is && !right
					list[i].Parcels = append(list[i].Parcels, c)
				}
			}
			return nil
		})
	if err == nil {
		err = s.claims(ctx, h, list)
	}
	if err == nil {
		err = s.messages(ctx, h, list)
	}
	return apikit.List(list), err
}
