package orders_test

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"slices"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"

	"plainpelican/core/order"
	"plainpelican/orders"
	"plainpelican/standins/shop"
	"plainpelican/testkit"
)

// A slip is read back by a program that is not ours: it has the shop, the customer's name in their script and what is
// in the parcel; it has no price, and nothing of the supplier. It goes along with the purchase.
func TestPackingSlipsAreReadBackAndGoAlong(t *testing.T) {
	w := selling(t, 1)
	const path = "/api/stores/1/packing-slip"
	var set orders.SlipSettingsView
	w.Owner.Must("GET", path, nil, &set)
	if set.Paper != "a6" || set.Sends || set.HasLogo || len(set.Languages) < 10 {
		t.Errorf("before anybody said: %+v", set)
	}
	body := map[string]any{"paper": "a5", "language": "de", "words": "Viel Freude damit!\nشكرا", "sends": true}
	w.Owner.Must("PATCH", path, body, &set)
	for field, wrong := range map[string]string{"language": "tlh", "paper": "a7"} {
		problem := w.Owner.Ask("PATCH", path, map[string]any{field: wrong}, nil)
		if problem == nil || problem.Field() != field {
			t.Errorf("%s: %+v", field, problem)
		}
	}
	logo := image.NewRGBA(image.Rect(0, 0, 300, 120))
	for i := range logo.Pix {
		logo.Pix[i] = 90
	}
	logo.Set(1, 1, color.White)
	var picture bytes.Buffer
	if err := png.Encode(&picture, logo); err != nil {
		t.Fatal(err)
	}
	up, problem := w.Owner.Send("logo.png", picture.Bytes())
	if problem != nil {
		t.Fatal(problem)
	}
	w.Owner.Must("PUT", path+"/logo", map[string]any{"file": up.File}, &set)
	w.Owner.Must("PATCH", path, map[string]any{"paper": "a5"}, &set)
	if !set.HasLogo || set.Words != body["words"] || !set.Sends {
		t.Errorf("%+v", set)
	}
	text, _ := w.Owner.Send("logo.txt", []byte("no picture"))
	if problem := w.Owner.Ask("PUT", path+"/logo", map[string]any{"file": text.File}, nil); problem == nil ||
		problem.Field() != "file" {
		t.Errorf("%+v", problem)
	}
	if sample, err := w.Owner.Download(path + "/sample"); err != nil || !strings.Contains(testkit.Poppler(t,
		[]byte(sample), "pdftotext"), "Lieferschein") {
		t.Errorf("%v", err)
	}

	kyoto := shop.Address{Name: "山田太郎", Line1: "烏丸通四条下ル1", City: "京都市", Region: "京都府", Postcode: "600-8009",
		Country: "JP"}
	buys(t, w, 0, 2, kyoto)
	buys(t, w, 0, 1, portland)
	o := arrived(t, w, 2)
	ids := []int64{}
	for _, one := range list(w, "").Orders {
		ids = append(ids, one.ID)
	}
	slips := func(ids ...int64) (string, string) {
		of := strings.Trim(strings.ReplaceAll(fmt.Sprint(ids), " ", ","), "[]")
		content, err := w.Owner.Download("/api/orders/packing-slips?ids=" + of)
		if err != nil {
			t.Fatal(err)
		}
		file := []byte(content)
		return testkit.Poppler(t, file, "pdftotext", "-layout"), testkit.Poppler(t, file, "pdfinfo")
	}
	read, info := slips(ids...)
	if !strings.Contains(info, "Pages:           2") || !strings.Contains(info, "419.53 x 595.28 pts") {
		t.Error(info)
	}
	product := w.Shop.Products()[0].Title
	for _, want := range []string{"Saltmarsh Goods", "山田太郎", "京都市", "Japan", "Maya Okafor", "Vereinigte Staaten",
		"2×", strings.Fields(product)[0], "Viel Freude damit!", "شكرا", o.Number} {
		if !strings.Contains(read, want) {
			t.Errorf("%q is not in it:\n%s", want, read)
		}
	}
	for _, never := range append(append([]string{"USD", "CNY", "$"}, o.Items[0].Supplier, o.Items[0].Source),
		o.Total.Decimal(), o.Items[0].Price.Decimal()) {
		if strings.Contains(read, never) {
			t.Errorf("%q is in it:\n%s", never, read)
		}
	}
	w.Owner.Must("PUT", fmt.Sprintf("/api/orders/%d/address", o.ID), map[string]any{}, nil)
	buy(w, ids...)
	testkit.Until(t, "it is bought", func() bool { return len(w.Bazaar.Purchases()) > 0 })
	testkit.Until(t, "what becomes of them", func() bool { return list(w, "state=buying").Total == 0 })
	for _, p := range w.Bazaar.Purchases() {
		if got := testkit.Poppler(t, p.Slip, "pdftotext"); !strings.Contains(got, "Lieferschein") ||
			!strings.Contains(testkit.Poppler(t, p.Slip, "pdfimages", "-list"), "500") &&
				!strings.Contains(testkit.Poppler(t, p.Slip, "pdfimages", "-list"), "300") {
			t.Errorf("what goes along: %s", got)
		}
	}
}

// A carrier that wants a telephone number gets no parcel without one; the shop's own will do.
func TestAServiceThatWantsATelephoneIsNotBoughtWithoutOne(t *testing.T) {
	w := selling(t, 4)
	bought := 0
	for _, p := range w.Shop.Products() {
		if _, err := w.Shop.Buy([]shop.Bought{{Product: p.ID, Variant: p.Variants[0].ID, Quantity: 1}}, portland,
			"maya@mail.example", ""); err == nil { // else it is sold out
			bought++
		}
	}
	arrived(t, w, bought)
	var o orders.Order
	var look orders.Review
	for _, one := range list(w, "").Orders { // not every supplier sends by express
		w.Owner.Must("POST", "/api/orders/review", map[string]any{"order_ids": []int64{one.ID}}, &look)
		if slices.ContainsFunc(look.Orders[0].Purchases[0].Services, func(s orders.ServiceReview) bool {
			return s.Name == "Express"
		}) {
			o = get(w, one.ID)
		}
	}
	review := func(service string) orders.PurchaseReview {
		body := map[string]any{"order_ids": []int64{o.ID}}
		if service != "" {
			body["services"] = []map[string]any{{"order_id": o.ID, "supplier": o.Items[0].Supplier, "service": service}}
		}
		w.Owner.Must("POST", "/api/orders/review", body, &look)
		return look.Orders[0].Purchases[0]
	}
	if usual := review(""); usual.Blocked != "" {
		t.Fatalf("%+v", usual)
	}
	if express := review("Express"); !strings.Contains(express.Blocked, "wants a telephone number") {
		t.Errorf("%+v", express)
	}
	w.Owner.Must("PATCH", "/api/stores/1/order-settings", map[string]any{"phone": "+1 503 555 0100"}, nil)
	if express := review("Express"); express.Blocked != "" {
		t.Errorf("%+v", express)
	}
}

func TestASupplierIsWrittenToOnceAndItsAnswerIsRead(t *testing.T) {
	w := selling(t, 1)
	buys(t, w, 0, 1, portland)
	o := arrived(t, w, 1)
	body := map[string]any{"order_ids": []int64{o.ID}, "no_invoice": true, "brand": true, "comment": " Thank you. "}
	var look orders.Review
	w.Owner.Must("POST", "/api/orders/review", body, &look)
	w.Owner.Must("POST", "/api/orders/buy", body, nil)
	o = reaches(t, w, o.ID, order.ToPay)
	wish := "No invoice and no leaflet in the parcel, please. Thank you."
	if look.Orders[0].Purchases[0].OwnPacking {
		wish = "No invoice and no leaflet in the parcel, please. Packed with our brand, please. Thank you."
	}
	if got := w.Bazaar.Purchases()[0].Comment; got != wish {
		t.Errorf("%q", got)
	}
	path := fmt.Sprintf("/api/purchases/%d/messages", o.Purchases[0].ID)
	if !o.Purchases[0].CanWrite {
		t.Fatalf("%+v", o.Purchases)
	}
	if problem := w.Owner.Ask("POST", path, map[string]any{"words": "  "}, nil); problem == nil ||
		problem.Field() != "words" {
		t.Errorf("%+v", problem)
	}
	w.Owner.Must("POST", path, map[string]any{"words": "Please send it without a leaflet."}, &o)
	testkit.Until(t, "the answer", func() bool {
		w.Owner.Must("POST", "/api/orders/read", nil, nil)
		o = get(w, o.ID)
		m := o.Purchases[0].Messages
		return len(m) == 2 && m[1].FromSupplier && m[0].SentAt != nil
	})
	for range 2 {
		w.Owner.Must("POST", "/api/orders/read", nil, nil)
	}
	if at := w.Bazaar.Purchases()[0].Messages; len(at) != 1 || at[0] != "Please send it without a leaflet." {
		t.Errorf("%q", at)
	}
	if o = get(w, o.ID); len(o.Purchases[0].Messages) != 2 || o.State != order.ToPay {
		t.Errorf("%+v", o.Purchases[0].Messages)
	}
}

// An order sheet comes back filled in: each tracking number of a purchase is a parcel with what its rows say.
func TestASuppliersAnswerIsReadFromItsSheet(t *testing.T) {
	market := testkit.Bazaar
	market.SheetsOnly = true
	w := sellingOf(t, market, 1)
	product := w.Shop.Products()[0]
	for range 2 {
		if _, err := w.Shop.Buy([]shop.Bought{{Product: product.ID, Variant: product.Variants[0].ID, Quantity: 1},
			{Product: product.ID, Variant: product.Variants[1].ID, Quantity: 2}}, portland, "a@mail.example",
			""); err != nil {
			t.Fatal(err)
		}
	}
	arrived(t, w, 2)
	var ids, purchases []int64
	for _, o := range list(w, "").Orders {
		ids = append(ids, o.ID)
	}
	buy(w, ids...)
	for _, id := range ids {
		purchases = append(purchases, get(w, id).Purchases[0].ID)
	}
	var moved orders.Moved
	sheet, err := w.Owner.Download("/api/purchases/sheet?source=1&format=csv")
	if err != nil {
		t.Fatal(err)
	}
	w.Owner.Must("POST", "/api/purchases/sent", map[string]any{"ids": purchases}, &moved)
	rows, err := csv.NewReader(strings.NewReader(strings.TrimPrefix(sheet, "\ufeff"))).ReadAll()
	if err != nil || len(rows) != 5 {
		t.Fatalf("%v %q", err, rows)
	}
	last := len(rows[0]) - 3 // tracking number, carrier, link
	book := excelize.NewFile()
	numbers := []string{"tracking number", "RB123456785GB", "HP 200 2", "", "RB123456784GB"}
	for i, row := range rows {
		row[last] = numbers[i]
		if i > 0 {
			row[last+1] = "Harbour Post"
		}
		cell, _ := excelize.CoordinatesToCellName(1, i+1)
		if err := book.SetSheetRow("Sheet1", cell, &row); err != nil {
			t.Fatal(err)
		}
	}
	stray := make([]string, len(rows[0]))
	stray[0], stray[last], stray[last+1] = "999999", "HP 3", "Harbour Post"
	if err := book.SetSheetRow("Sheet1", "A6", &stray); err != nil {
		t.Fatal(err)
	}
	var file bytes.Buffer
	if err := book.Write(&file); err != nil {
		t.Fatal(err)
	}
	up, problem := w.Owner.Send("answer.xlsx", file.Bytes())
	if problem != nil {
		t.Fatal(problem)
	}
	for range 2 { // sending it again changes nothing
		var out orders.AnswerOutcome
		w.Owner.Must("POST", "/api/purchases/answer", map[string]any{"file": up.File}, &out)
		if out.Parcels != 2 || out.Waiting != 1 || len(out.Rejected) != 2 || out.Rejected[0].Row != 5 ||
			!strings.Contains(out.Rejected[0].Reason, "check digit") || out.Rejected[1].Row != 6 {
			t.Errorf("%+v", out)
		}
	}
	if rows[1][0] != fmt.Sprint(purchases[0]) {
		ids[0], ids[1] = ids[1], ids[0]
	}
	first := get(w, ids[0])
	if parcels := first.Purchases[0].Parcels; first.State != order.InTransit || len(parcels) != 2 {
		t.Fatalf("%+v", first.Purchases)
	}
	if second := get(w, ids[1]); second.State != order.ToPay {
		t.Errorf("%+v", second.Row)
	}
	testkit.Until(t, "the store knows of both, apart", func() bool {
		for _, o := range w.Shop.Orders() {
			if len(o.Fulfilments) == 2 {
				return o.Fulfilments[0].Lines[0].Quantity+o.Fulfilments[1].Lines[0].Quantity == 3
			}
		}
		return false
	})
	none, _ := w.Owner.Send("other.csv", []byte("a,b\n1,2\n"))
	problem = w.Owner.Ask("POST", "/api/purchases/answer", map[string]any{"file": none.File}, nil)
	if problem == nil || !strings.Contains(problem.Detail, "no column “purchase”") {
		t.Errorf("%+v", problem)
	}
}
