package orders

import (
	"context"
	"io"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"plainpelican/core/money"
	"plainpelican/core/order"
	"plainpelican/members"
	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/platform/spreadsheet"
)

// SheetColumns are those of an order sheet: a row for each line of a purchase.
var SheetColumns = []string{"purchase", "order", "supplier", "product number", "variant number", "quantity", "delivery",
	"name", "company", "street", "second line", "city", "state or province", "postcode", "country", "telephone", "note",
	"expected total", "currency", trackingColumn, carrierColumn, linkColumn}

// The columns of an order sheet that are empty: the supplier fills them in and sends it back.
const (
	trackingColumn = "tracking number"
	carrierColumn  = "carrier"
	linkColumn     = "tracking link"
)

// WriteSheet writes the purchases of a source that wait to be sent by a person, as CSV or XLSX.
func (s *Service) WriteSheet(ctx context.Context, w io.Writer, sourceID int64, format string) error {
	rows, err := s.Pool.Query(ctx, `select p.id, p.order_id, o.number, u.name, l.offer_number, l.variant_number,
		l.quantity,
			p.service, p.comment, p.expected, p.currency
		from purchase p join purchase_line l on l.purchase_id = p.id join customer_order o on o.id = p.order_id
		join facts.supplier u on u.id = p.supplier_id
		where p.source_id = $1 and p.state = 'to_send' order by p.id, l.order_line_id`, sourceID)
	if err != nil {
		return err
	}
	type sheetRow struct {
		ID, OrderID                      int64
		Number, Supplier, Offer, Variant string
		Quantity                         int
		Service, Comment                 string
		Expected                         int64
		Currency                         string
	}
	list, err := pgx.CollectRows(rows, pgx.RowToStructByPos[sheetRow])
	if err != nil {
		return err
	}
	write, end, err := spreadsheet.Rows(format, w)
	if err != nil {
		return err
	}
	if err := write(SheetColumns); err != nil {
		return err
	}
	for _, r := range list {
		h, err := readHead(ctx, s.Pool, r.OrderID)
		if err != nil {
			return err
		}
		to, err := s.shipTo(ctx, s.Pool, &h)
		if err != nil {
			return err
		}
		c, err := money.ParseCurrency(r.Currency)
		if err != nil {
			return err
		}
		if err := write([]string{strconv.FormatInt(r.ID, 10), r.Number, r.Supplier, r.Offer, r.Variant,
			strconv.Itoa(r.Quantity), r.Service, to.Name, to.Company, to.Line1, to.Line2, to.City, to.Region,
			to.Postcode,
			to.Country, to.Phone, r.Comment, money.New(r.Expected, c).Decimal(), r.Currency, "", "", ""}); err != nil {
			return err
		}
	}
	return end()
}

// ToSend is a source with purchases that wait to be sent by a person.
type ToSend struct {
	SourceID  int64   `json:"source_id"`
	Source    string  `json:"source"`
	Purchases []int64 `json:"purchases"`
}

// ToSend lists the sources with purchases that wait to be sent by a person.
func (s *Service) ToSend(ctx context.Context) ([]ToSend, error) {
	rows, err := s.Pool.Query(ctx, `select x.id, x.name, array_agg(p.id order by p.id) from purchase p
		join facts.source x on x.id = p.source_id where p.state = 'to_send' group by x.id, x.name order by x.name`)
	if err != nil {
		return nil, err
	}
	list, err := pgx.CollectRows(rows, pgx.RowToStructByPos[ToSend])
	return apikit.List(list), err
}

// Sent notes that a person has sent purchases to their suppliers.
func (s *Service) Sent(ctx context.Context, ids []int64) (int, error) {
	return s.byHand(ctx, ids, order.Placed, "Was sent to the supplier on an order sheet", "placed_at = now()")
}

// byHand moves purchases of order sheets on, as a person says.
func (s *Service) byHand(ctx context.Context, ids []int64, to order.PurchaseState, words, also string) (n int,
	err error) {
	err = database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		n, err = s.moveByHand(ctx, tx, ids, to, words, also)
		return err
	})
	return n, err
}

func (s *Service) moveByHand(ctx context.Context, tx pgx.Tx, ids []int64, to order.PurchaseState, words,
	also string) (int, error) {
	rows, err := tx.Query(ctx, `update purchase set state = $2, `+also+` where id = any ($1) and (by_sheet or
		by_invoice)
		and state = any ($3) returning order_id`, unique(ids), to, order.From(to))
	if err != nil {
		return 0, err
	}
	moved, err := pgx.CollectRows(rows, pgx.RowTo[int64])
	if err != nil {
		return 0, err
	}
	for _, orderID := range moved {
		if err := note(ctx, tx, orderID, "%s", words); err != nil {
			return 0, err
		}
		if err := s.settle(ctx, tx, orderID); err != nil {
			return 0, err
		}
	}
	return len(moved), nil
}

// paidByHand notes that purchases of order sheets were paid outside.
func (s *Service) paidByHand(ctx context.Context, tx pgx.Tx, ids []int64) (int, error) {
	rows, err := tx.Query(ctx, `update purchase set paid_by = $2 where id = any ($1) and (by_sheet or by_invoice)
		and state = 'placed'
		returning id`, unique(ids), access.Who(ctx).Name)
	if err != nil {
		return 0, err
	}
	mine, err := pgx.CollectRows(rows, pgx.RowTo[int64])
	if err != nil {
		return 0, err
	}
	for _, id := range mine {
		if err := members.Audit(ctx, tx, "paid", "purchase "+strconv.FormatInt(id, 10), nil, nil); err != nil {
			return 0, err
		}
	}
	return s.moveByHand(ctx, tx, mine, order.Paid, "Was paid outside", "paid_at = now()")
}

// ParcelInput is a parcel as a supplier told a person of it.
type ParcelInput struct {
	Number  string `json:"number" minLength:"1" maxLength:"100"`
	Carrier string `json:"carrier" minLength:"1" maxLength:"100"`
	URL     string `json:"url,omitempty" maxLength:"500" doc:"Where the customer can follow it"`
}

// Shipped notes a parcel of a purchase that a person sends, and has the store told of it.
func (s *Service) Shipped(ctx context.Context, id int64, in ParcelInput) (Order, error) {
	orderID, err := s.shipped(ctx, id, in, []parcelLine{})
	if err != nil {
		return Order{}, err
	}
	return s.Order(ctx, orderID)
}

// shipped is Shipped for some of what was bought; without lines all of it. A parcel that is known changes nothing.
func (s *Service) shipped(ctx context.Context, id int64, in ParcelInput, lines []parcelLine) (orderID int64,
	err error) {
	in.Number, in.Carrier = strings.Join(strings.Fields(in.Number), ""), strings.TrimSpace(in.Carrier)
	if in.Number == "" {
		return 0, apikit.Problem(422, "number", "Give the tracking number of the parcel.")
	}
	if is, right := order.ValidS10(in.Number); is && !right {
		return 0, apikit.Problem(422, "number", "The check digit of %s is wrong: a digit was mistyped.", in.Number)
	}
	if in.URL != "" {
		if u, err := url.Parse(in.URL); err != nil || u.Scheme != "https" && u.Scheme != "http" || u.Host == "" {
			return 0, apikit.Problem(422, "url", "“%s” is not a web address.", in.URL)
		}
	}
	err = database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		var state order.PurchaseState
		err := tx.QueryRow(ctx, `select order_id, state from purchase where id = $1 and by_sheet for update`, id).Scan(
			&orderID, &state)
		if database.Missing(err) {
			return apikit.NotFound("purchase")
		}
		if err != nil {
			return err
		}
		for _, l := range lines {
			var has bool
			if err := tx.QueryRow(ctx, `select exists (select from purchase_line where purchase_id = $1
				and offer_number = $2 and variant_number = $3 and quantity >= $4)`, id, l.Offer, l.Variant,
				l.Quantity).Scan(&has); err != nil {
				return err
			}
			if !has {
				return apikit.Problem(422, "", "This purchase does not have %d of %s %s.", l.Quantity, l.Offer,
					l.Variant)
			}
		}
		if state != order.Shipped {
			n, err := s.moveByHand(ctx, tx, []int64{id}, order.Shipped, "Shipped as parcel "+in.Number+" with "+
				in.Carrier, "placed_at = coalesce(placed_at, now())")
			if err != nil {
				return err
			}
			if n == 0 {
				return apikit.Problem(409, "",
					"This purchase is not on its way to be shipped: it was not sent, or is over.")
			}
		}
		var parcel int64
		err = tx.QueryRow(ctx, `insert into parcel (purchase_id, name, number, carrier, url, lines)
			values ($1, $2, $2, $3, $4, $5) on conflict do nothing returning id`, id, in.Number, in.Carrier, in.URL,
			lines).Scan(&parcel)
		if database.Missing(err) {
			return nil // it is known
		}
		if err != nil {
			return err
		}
		if state == order.Shipped {
			if err := note(ctx, tx, orderID, "Another parcel, %s, with %s", in.Number, in.Carrier); err != nil {
				return err
			}
			if err := s.settle(ctx, tx, orderID); err != nil {
				return err
			}
		}
		return s.Jobs.Add(ctx, tx, TellArgs{parcel}, nil)
	})
	return orderID, err
}

// Arrived notes that the parcel of a purchase of an order sheet is there.
func (s *Service) Arrived(ctx context.Context, id int64) (int, error) {
	if _, err := s.Pool.Exec(ctx, `update parcel set delivered = true where purchase_id = $1
		and purchase_id in (select id from purchase where by_sheet or by_invoice)`, id); err != nil {
		return 0, err
	}
	return s.byHand(ctx, []int64{id}, order.Delivered, "Was delivered", "next_at = null")
}

// GiveUp takes a purchase back that is not bought yet: one that waits, is on an order sheet, or was refused. What was
// to be bought may then be bought another way.
func (s *Service) GiveUp(ctx context.Context, id int64, reason string) (Order, error) {
	return s.changeOrder(ctx, func(tx pgx.Tx) (orderID int64, err error) {
		err = tx.QueryRow(ctx, `update purchase set state = 'cancelled', reason = $2, next_at = null
			where id = $1 and (state = 'waiting' and tries = 0 or state = 'to_send' or by_sheet
			and state in ('placed', 'paid')) returning order_id`, id, strings.TrimSpace(reason)).Scan(&orderID)
		if database.Missing(err) {
			return 0, apikit.Problem(409, "", "This purchase is with the supplier already: ask them to cancel it.")
		}
		if err != nil {
			return 0, err
		}
		return orderID, note(ctx, tx, orderID, "Took the purchase back: %s", reason)
	})
}

// exportPage is how many orders are read at a time.
const exportPage = 500

// Export writes the orders that a filter finds as CSV: without who bought, which stays here.
func (s *Service) Export(ctx context.Context, w io.Writer, f Filter) error {
	write, end, err := spreadsheet.Rows("csv", w)
	if err != nil {
		return err
	}
	if err := write([]string{"order", "store", "placed", "state", "country", "first line", "units", "paid", "currency",
		"profit", "suppliers", "late"}); err != nil {
		return err
	}
	for before := int64(0); ; {
		page, err := s.List(ctx, before, exportPage, f)
		if err != nil {
			return err
		}
		for _, o := range page.Orders {
			profit := ""
			if o.Profit != nil {
				profit = o.Profit.Decimal()
			}
			if err := write([]string{o.Number, o.Store, o.PlacedAt.UTC().Format(time.RFC3339), string(o.State),
				o.Country,
				o.Title, strconv.Itoa(o.Units), o.Total.Decimal(), o.Total.Currency().String(), profit,
				strings.Join(o.Suppliers, ", "), o.Late}); err != nil {
				return err
			}
		}
		if before = page.Next; before == 0 {
			return end()
		}
	}
}
