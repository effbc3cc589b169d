package orders

import (
	"cmp"
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"
	"time"

	"plainpelican/connect/store"
	"plainpelican/core/order"
	"plainpelican/platform/apikit"
	"plainpelican/stores"
)

// FileColumns are those of a file of orders: a row for each line, the order's own in each of them. Product and variant
// are as in the file of products that the store was given.
var FileColumns = []string{"order", "placed", "product", "variant", "quantity", "price", "shipping", "name", "company",
	"street", "second line", "city", "state or province", "postcode", "country", "telephone", "mail"}

// needed are those without which an order cannot be.
var needed = []string{"order", "product", "variant", "quantity", "price", "name", "street", "city", "country"}

// maxFileRows is how many rows a file of orders may have.
const maxFileRows = 20_000

// FileOutcome is what came of a file of orders.
type FileOutcome struct {
	Orders   int           `json:"orders" doc:"That came in, or were known"`
	Rejected []RejectedRow `json:"rejected"`
}

// RejectedRow is a row, or an order, that cannot be used.
type RejectedRow struct {
	Row    int    `json:"row" doc:"Counted from 1, the head is the first"`
	Reason string `json:"reason"`
}

// positions are where the columns stand that a head row names, in small letters.
func positions(head []string) map[string]int {
	at := map[string]int{}
	for i, name := range head {
		at[strings.ToLower(strings.TrimSpace(strings.TrimPrefix(name, "\ufeff")))] = i
	}
	return at
}

// TakeFile takes the orders of a store without an API in, from CSV (RFC 4180). One that cannot be used is named; the
// rest come in, each once however often it is sent.
func (s *Service) TakeFile(ctx context.Context, storeID int64, r io.Reader) (FileOutcome, error) {
	out := FileOutcome{Rejected: []RejectedRow{}}
	found, err := s.Stores.Get(ctx, storeID)
	if err != nil {
		return out, err
	}
	if !found.Files {
		return out, apikit.Problem(409, "", "%s has an API: its orders come in by themselves.", found.Name)
	}
	read := csv.NewReader(r)
	read.FieldsPerRecord = -1
	head, err := read.Read()
	if err != nil {
		return out, apikit.Problem(422, "file", "The file is empty, or is not CSV.")
	}
	at := positions(head)
	for _, name := range needed {
		if _, there := at[name]; !there {
			return out, apikit.Problem(422, "file", "The file has no column “%s”. Its columns are: %s.", name,
				strings.Join(FileColumns, ", "))
		}
	}
	var list []*store.Order
	known, rowOf := map[string]*store.Order{}, map[string]int{}
	partial, last := map[string]bool{}, "" // orders of which a row cannot be used, and that of the row before
	for row := 2; ; row++ {
		cells, err := read.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		if row > maxFileRows {
			return out, apikit.Problem(422, "file", "The file has more than %d rows: send it in parts.", maxFileRows)
		}
		if err != nil {
			out.Rejected = append(out.Rejected, RejectedRow{row, "It is not CSV from here on: " + err.Error() + "."})
			partial[last] = true // more of it may follow
			break
		}
		cell := func(name string) string {
			if i, there := at[name]; there && i < len(cells) {
				return strings.TrimSpace(cells[i])
			}
			return ""
		}
		o, err := addRow(known, found, cell)
		if err != nil {
			out.Rejected = append(out.Rejected, RejectedRow{row, err.Error()})
			partial[cmp.Or(cell("order"), last)] = true
			continue
		}
		last = o.ID
		if rowOf[o.ID] == 0 {
			rowOf[o.ID] = row
			list = append(list, o)
		}
	}
	for _, o := range list {
		if partial[o.ID] { // what came in without a line would be bought without it
			out.Rejected = append(out.Rejected, RejectedRow{rowOf[o.ID], "Order " + o.ID +
				": one of its rows cannot be used, so none of it came in. Correct it, and send the file again."})
			continue
		}
		if _, _, err := o.Checked(); err != nil {
			out.Rejected = append(out.Rejected, RejectedRow{rowOf[o.ID], "Order " + o.ID + ": " + err.Error() + "."})
			continue
		}
		if err := s.take(ctx, found, *o); err != nil {
			return out, err
		}
		out.Orders++
	}
	return out, nil
}

// unusable is why a row cannot be used, as a sentence for a person.
type unusable string

func (u unusable) Error() string { return string(u) }

// addRow adds a row to the order that it is of.
func addRow(known map[string]*store.Order, found stores.Store, cell func(string) string) (*store.Order, error) {
	id := cell("order")
	if id == "" {
		return nil, unusable("It has no order number.")
	}
	quantity, err := strconv.Atoi(cell("quantity"))
	if err != nil || quantity < 1 {
		return nil, unusable(fmt.Sprintf("“%s” is no quantity.", cell("quantity")))
	}
	o := known[id]
	if o == nil {
		placed, err := placedAt(cell("placed"), found.TimeZone)
		if err != nil {
			return nil, err
		}
		o = &store.Order{ID: id, Number: id, PlacedAt: placed, UpdatedAt: placed, Currency: found.Currency.String(),
			Shipping: cell("shipping"), Email: cell("mail"), Phone: cell("telephone"),
			Address: order.Address{Name: cell("name"), Company: cell("company"), Line1: cell("street"),
				Line2: cell("second line"), City: cell("city"), Region: cell("state or province"),
				Postcode: cell("postcode"), Country: cell("country"), Phone: cell("telephone")}}
		known[id] = o
	}
	o.Lines = append(o.Lines, store.OrderLine{ID: strconv.Itoa(len(o.Lines) + 1), ProductID: cell("product"),
		VariantID: cell("variant"), Reference: cell("variant"), Quantity: quantity, Price: cell("price")})
	return o, nil
}

// placedAt reads when an order was placed: a moment (RFC 3339), or a day and time in the store's time zone.
func placedAt(text, zone string) (time.Time, error) {
	place, err := time.LoadLocation(zone)
	if err != nil {
		return time.Time{}, err
	}
	for _, layout := range []string{time.RFC3339, "2006-01-02 15:04", "2006-01-02T15:04", "2006-01-02"} {
		if at, err := time.ParseInLocation(layout, text, place); err == nil {
			return at, nil
		}
	}
	return time.Time{}, unusable(fmt.Sprintf("“%s” is no day: write it as 2026-12-01 10:00.", text))
}
