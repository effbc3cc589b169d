package orders

import (
	"context"

	"github.com/jackc/pgx/v5"

	"plainpelican/core/money"
	"plainpelican/core/order"
	"plainpelican/platform/database"
)

// head is what is known of an order without opening what is sealed.
type head struct {
	id, storeID int64
	storeOrder  string
	number      string
	currency    money.Currency
	shipping    int64
	refunded    int64
	country     string
	cancelled   bool
	revision    int // of what bears on its cost
}

// line is a line of an order, with what it is bought as now.
type line struct {
	id             int64
	storeLine      string
	title, variant string
	sku            string
	quantity       int64
	price          int64
	ours           bool
	leftOut        bool // a person decided not to buy it
	elsewhere      bool // it is bought from another supplier than its draft's, for this order alone
	draftID        int64
	draftVariantID int64
	offerID        int64 // 0 where it is not bought through us any more
	offerVariantID int64
	offerNumber    string
	variantNumber  string
	optionValues   []string
	sourceID       int64
	source         string
	supplierID     int64
	supplier       string
	takesOrders    bool
	connected      bool // its source
	byInvoice      bool // its source is paid outside
	stock          int
	stockUnknown   bool
	gone           bool // its supplier sells it no longer
	ownPacking     bool // its supplier packs it with the shop's brand
	purchaseID     int64
	purchase       order.PurchaseState
}

// toBuy tells whether a line is still to be bought: it is ours, not left out, and in no purchase that stands.
func (l *line) toBuy() bool { return l.ours && !l.leftOut && (l.purchase == "" || l.purchase.Failed()) }

// readHead reads an order without its lines.
func readHead(ctx context.Context, q database.Querier, orderID int64) (h head, err error) {
	var currency string
	if err := q.QueryRow(ctx, `select id, store_id, store_order, number, currency, shipping, refunded, country,
		cancelled, revision from customer_order where id = $1`, orderID).Scan(&h.id, &h.storeID, &h.storeOrder,
		&h.number, &currency, &h.shipping, &h.refunded, &h.country, &h.cancelled, &h.revision); err != nil {
		return h, err
	}
	h.currency, err = money.ParseCurrency(currency)
	return h, err
}

// read reads an order's head and lines.
func read(ctx context.Context, q database.Querier, orderID int64) (h head, lines []line, err error) {
	if h, err = readHead(ctx, q, orderID); err != nil {
		return h, nil, err
	}
	rows, err := q.Query(ctx, `
		select l.id, l.store_line, l.title, l.variant, l.sku, l.quantity, l.price, l.draft_variant_id is not null,
			l.left_out_at is not null, l.bought_as is not null, coalesce(d.draft_id, 0), coalesce(d.id, 0),
			coalesce(v.offer_id, 0), coalesce(v.id, 0), coalesce(o.number, ''),
			coalesce(v.number, ''), coalesce(v.option_values, '{}'), coalesce(o.source_id, 0), coalesce(x.name, ''),
			coalesce(o.supplier_id, 0), coalesce(u.name, ''), coalesce(x.takes_orders, false), coalesce(x.state =
				'connected', false), coalesce(x.by_invoice, false),
			coalesce(v.stock, 0), coalesce(v.stock_unknown, false),
			coalesce(v.withdrawn or o.withdrawn_at is not null, true), coalesce(o.own_packing, false),
			coalesce(l.purchase_id, 0), coalesce(p.state, '')
		from order_line l
		left join facts.draft_variant_ever d on d.id = l.draft_variant_id
		left join facts.offer_variant v on v.id = coalesce(l.bought_as, d.offer_variant_id)
		left join facts.offer o on o.id = v.offer_id
		left join facts.source x on x.id = o.source_id
		left join facts.supplier u on u.id = o.supplier_id
		left join purchase p on p.id = l.purchase_id
		where l.order_id = $1 order by l.position`, orderID)
	if err != nil {
		return h, nil, err
	}
	lines, err = pgx.CollectRows(rows, func(row pgx.CollectableRow) (l line, err error) {
		return l, row.Scan(&l.id, &l.storeLine, &l.title, &l.variant, &l.sku, &l.quantity, &l.price, &l.ours,
			&l.leftOut, &l.elsewhere, &l.draftID, &l.draftVariantID, &l.offerID, &l.offerVariantID, &l.offerNumber,
			&l.variantNumber, &l.optionValues, &l.sourceID,
			&l.source, &l.supplierID, &l.supplier, &l.takesOrders, &l.connected, &l.byInvoice, &l.stock,
			&l.stockUnknown, &l.gone, &l.ownPacking, &l.purchaseID, &l.purchase)
	})
	return h, lines, err
}
