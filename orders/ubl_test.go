package orders_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5"

	"plainpelican/core/landed"
	"plainpelican/core/money"
	"plainpelican/core/order"
	"plainpelican/orders"
	"plainpelican/sources"
	"plainpelican/standins/fault"
	"plainpelican/standins/shop"
	"plainpelican/standins/wholesale"
	"plainpelican/testkit"
)

// fromCorvane is a world that sells what a wholesaler with a catalogue document has, which takes orders as UBL.
func fromCorvane(t *testing.T) (w *testkit.World, corvane *wholesale.Server, address string) {
	t.Helper()
	w = testkit.Start(t)
	w.Ready()
	corvane = wholesale.Corvane(12)
	address = w.Serve(corvane.Handler())
	looked := w.Look(sources.PriceListInput{Address: address + "/catalogue.xml"})
	layout := looked.Layout
	layout.Country, layout.Processing = "SE", landed.Days{Min: 1, Max: 2}
	layout.Deliveries = []landed.Delivery{{Name: "Parcel", To: []string{"US"}, Transit: landed.Days{Min: 3, Max: 6},
		First: money.MustParse("6.90", "EUR"), Further: money.MustParse("0", "EUR")}}
	w.Owner.Must("POST", "/api/price-lists", sources.PriceListInput{File: looked.File, Address: address +
		"/catalogue.xml", Name: looked.Name, Layout: &layout}, nil)
	source := w.Source("Corvane Supply")
	settings := map[string]any{"name": source.Name, "schedule": "", "time_zone": source.TimeZone, "paused": true,
		"max_withdrawn": 20, "max_repriced": 20, "max_cost_factor": 5, "order_address": "mailto:orders@corvane.example"}
	path := fmt.Sprintf("/api/sources/%d", source.ID)
	if problem := w.Owner.Ask("PUT", path, settings, nil); problem == nil || problem.Field() != "order_address" {
		t.Fatalf("%+v", problem)
	}
	settings["order_address"] = address + "/orders"
	w.Owner.Must("PUT", path, settings, nil)
	w.Reindex()
	rows, err := w.App.Pool.Query(t.Context(), `select id from offer where source_id = $1 order by id`, source.ID)
	if err != nil {
		t.Fatal(err)
	}
	taken, err := pgx.CollectRows(rows, pgx.RowTo[int64])
	if err != nil {
		t.Fatal(err)
	}
	if len(taken) < 5 {
		t.Fatalf("%d offers", len(taken))
	}
	w.Publish(1, w.Take(taken...)...)
	return w, corvane, address
}

// inStock are so many things of which there are enough: one of the first, two of the second, and so on.
func inStock(t *testing.T, w *testkit.World, n int) (things []shop.Bought) {
	t.Helper()
	for _, p := range w.Shop.Products() {
		at := slices.IndexFunc(p.Variants, func(v shop.Variant) bool { return v.Stock >= n })
		if at >= 0 && len(things) < n {
			things = append(things, shop.Bought{Product: p.ID, Variant: p.Variants[at].ID, Quantity: len(things) + 1})
		}
	}
	if len(things) != n {
		t.Fatalf("%d things", len(things))
	}
	return things
}

// An order goes to a wholesaler as a UBL document, once; its response and its despatch advices are read back, parcel by
// parcel, and it is paid outside.
func TestAWholesalerTakesOrdersAsDocuments(t *testing.T) {
	w, corvane, address := fromCorvane(t)
	things := inStock(t, w, 2)
	if _, err := w.Shop.Buy(things, portland, "maya@mail.example", "+1 503 555 0142"); err != nil {
		t.Fatal(err)
	}
	o := arrived(t, w, 1)
	w.Fault(address, fault.Plan{CutAfter: 2, Only: "PUT /orders"})
	var made orders.Purchases
	w.Owner.Must("POST", "/api/orders/buy", map[string]any{"order_ids": []int64{o.ID},
		"comment": "No leaflet & no <invoice>"}, &made)
	if made.Begun != 1 {
		t.Fatalf("%+v", made)
	}
	o = reaches(t, w, o.ID, order.ToPay)
	there := corvane.Orders()
	if len(there) != 1 || len(there[0].Lines) != 2 || there[0].Lines[1].Quantity != 2 ||
		there[0].Name != portland.Name ||
		there[0].Street != portland.Line1 || there[0].Postcode != portland.Postcode || there[0].Country != "US" ||
		there[0].Phone != "+1 503 555 0142" || there[0].Service != "Parcel" ||
		there[0].Note != "No leaflet & no <invoice>" || there[0].Buyer != "Saltmarsh Goods" {
		t.Fatalf("%+v", there)
	}
	p := o.Purchases[0]
	if p.Number != there[0].Number || p.Owed.Minor() != int64(there[0].Cents) || p.Owed.Currency().String() != "EUR" ||
		!p.ByInvoice || p.BySheet {
		t.Errorf("%+v, there %+v", p, there[0])
	}
	var paid orders.Moved
	w.Owner.Must("POST", "/api/purchases/pay", map[string]any{"ids": []int64{p.ID}}, &paid)
	if o = get(w, o.ID); paid.Moved != 1 || o.State != order.Bought {
		t.Errorf("%+v %s", paid, o.State)
	}
	corvane.Set(1, false)
	o = reaches(t, w, o.ID, order.InTransit)
	testkit.Until(t, "the store knows of both parcels", func() bool { return len(w.Shop.Orders()[0].Fulfilments) == 2 })
	for _, f := range w.Shop.Orders()[0].Fulfilments {
		if f.Carrier != "Fjord Parcel" || len(f.Lines) != 1 || !strings.HasPrefix(f.Number, "CVP") {
			t.Errorf("%+v", f)
		}
	}
	w.Owner.Must("POST", fmt.Sprintf("/api/purchases/%d/delivered", p.ID), nil, nil)
	if o = get(w, o.ID); o.State != order.Arrived {
		t.Errorf("%s", o.State)
	}
}

// What a wholesaler rejects says why, and what cannot be read is not known, and asked about.
func TestAWholesalersRejectionSaysWhy(t *testing.T) {
	w, corvane, address := fromCorvane(t)
	if _, err := w.Shop.Buy(inStock(t, w, 1), portland, "maya@mail.example", ""); err != nil {
		t.Fatal(err)
	}
	o := arrived(t, w, 1)
	if _, err := w.App.Pool.Exec(t.Context(), `update offer_variant set number = 'NONE-' || id where offer_id in
		(select o.id from offer o join source x on x.id = o.source_id where x.name = 'Corvane Supply')`); err != nil {
		t.Fatal(err)
	}
	buy(w, o.ID)
	o = reaches(t, w, o.ID, order.Problem)
	if p := o.Purchases[0]; p.State != order.Refused || !strings.Contains(p.Reason, "We do not sell NONE-") {
		t.Errorf("%+v", p)
	}
	// A web page in place of a document is no answer: it is asked again, and nothing is bought twice.
	w.Fault(address, fault.Plan{HTML: true})
	buy(w, o.ID)
	testkit.Until(t, "it is not known", func() bool {
		return slices.ContainsFunc(get(w, o.ID).Purchases, func(p orders.PurchaseView) bool {
			return p.State == order.Unknown || strings.Contains(p.Reason, "trying again")
		})
	})
	if n := len(corvane.Orders()); n != 1 {
		t.Errorf("%d orders", n)
	}
}
