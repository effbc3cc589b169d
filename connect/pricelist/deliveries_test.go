package pricelist

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"

	"golang.org/x/text/language"

	"plainpelican/core/landed"
)

func deliveryText(list []landed.Delivery) string {
	var b strings.Builder
	for _, d := range list {
		fmt.Fprintf(&b, "%s to %s: %s, %s; %d-%d %v\n", d.Name, strings.Join(d.To, " "), d.First, d.Further,
			d.Transit.Min, d.Transit.Max, d.Tracked)
	}
	return b.String()
}

func TestTablesOfDeliveries(t *testing.T) {
	for name, c := range map[string]struct{ table, want, notes string }{
		"plain": {
			"Service,Country,First piece EUR,Each further,Days,Tracked\nParcel,DE,4.90,1.00,2-3,yes\nParcel,\"FR, " +
				"NL\",4.90,1.00,2-3,yes\nParcel,United Kingdom,9.50,2.00,4 to 6,yes\n",
			"Parcel, DE FR NL to DE FR NL: 4.90 EUR, 1.00 EUR; 2-3 true\nParcel, GB to GB: 9.50 EUR, 2.00 EUR; 4-6 " +
				"true\n", ""},
		"German, with decimal commas and a title above": {
			"Versandkosten 2026;;;\n\nVersandart;Land;Preis " +
				"(€);Lieferzeit\nPaket;Österreich;5,40;3\nPaket;Schweiz;18,00;4–7 " +
				"Tage\nBrief;weltweit;\"12,50\";10-20\n",
			"Paket, AT to AT: 5.40 EUR, 5.40 EUR; 3-3 false\nPaket, CH to CH: 18.00 EUR, 18.00 EUR; 4-7 false\nBrief " +
				"to *: 12.50 EUR, 12.50 EUR; 10-20 false\n", ""},
		"each row in its own currency": {
			"destination,rate,currency,min days,max days\nUS,6.20,USD,5,9\nJP,900,JPY,6,8\n",
			"Delivery, US to US: 6.20 USD, 6.20 USD; 5-9 false\nDelivery, JP to JP: 900 JPY, 900 JPY; 6-8 false\n", ""},
		"rows that cannot be used": {
			"service,country,charge,days\nPost,Narnia,4,3\nPost,SE,ask,3\nPost,SE,4,soon\nPost,SE,-4,3\n" +
				"Post,NO,4,9-3\nPost,FI,4,3\n",
			"Post to FI: 4.00 USD, 4.00 USD; 3-3 false\n",
			"row 2 is left out: “Narnia” is not a country|row 3 is left out: “ask” is not an amount|row 4 is left " +
				"out: “soon” does not say|row 5 is left out: its charge is -4.00|row 6 is left out: “9-3” makes no " +
				"sense"},
	} {
		list, notes, err := DeliveriesOf(t.Context(), file(t, []byte(c.table)), "USD")
		if got := deliveryText(list); got != c.want || err != nil {
			t.Errorf("%s: %v\n%s%s", name, err, got, strings.Join(notes, "\n"))
		}
		for _, words := range strings.Split(c.notes, "|") {
			if !strings.Contains(strings.Join(notes, "\n"), words) {
				t.Errorf("%s: nothing is said of %q in %q", name, words, notes)
			}
		}
	}
	for name, table := range map[string]string{"a price list": "sku,title,price\nA1,Mug,3\n",
		"a header alone": "country,charge,days\n", "nothing usable": "country,charge,days\nNarnia,3,3\n"} {
		if _, _, err := DeliveriesOf(t.Context(), file(t, []byte(table)), "USD"); !errors.Is(err, ErrNoDeliveries) {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// Against CLDR's territory containment in golang.org/x/text, which is of before the United Kingdom left.
func TestTheUnionsMembers(t *testing.T) {
	eu := language.MustParseRegion("EU")
	for _, code := range countryNames() {
		region := language.MustParseRegion(code)
		if region.IsCountry() && eu.Contains(region) != (slices.Contains(union, code) || code == "GB") {
			t.Errorf("%s", code)
		}
	}
	if got, err := countriesOf("EU"); err != nil || !slices.Equal(got, union) {
		t.Errorf("%v, %v", got, err)
	}
}

func TestAWorkbooksSheetOfDeliveriesIsReadWithEachFile(t *testing.T) {
	list := [][]any{{"SKU", "Title", "Net price EUR", "Stock"}}
	for i := range 30 {
		list = append(list, []any{fmt.Sprintf("NW-%d", i), fmt.Sprintf("Thing %d", i), 3.5 + float64(i), 10})
	}
	book := func(charge float64, sheet string) []byte {
		return workbookOf(t, []string{"Prices", sheet},
			[][][]any{list, {{"Service", "Country", "Charge", "Days"}, {"Parcel", "DE", charge, "2-3"}}}, nil)
	}
	look, err := Analyze(t.Context(), file(t, book(4.9, "Freight")), nil, Hints{})
	if err != nil {
		t.Fatal(err)
	}
	l := look.Layout
	l.Supplier, l.Country = "Northlight", "DE"
	if l.DeliverySheet != "Freight" || deliveryText(l.Deliveries) != "Parcel to DE: 4.90 EUR, 4.90 EUR; 2-3 false\n" ||
		!strings.Contains(strings.Join(look.Notes, " "), "“Freight” says what delivery costs") {
		t.Fatalf("%q %s %q", l.DeliverySheet, deliveryText(l.Deliveries), look.Notes)
	}
	offers, _, _ := all(t, book(5.9, "Freight"), &l)
	if len(offers) != 30 || offers[0].Deliveries[0].First.String() != "5.90 EUR" {
		t.Errorf("a new charge did not come in: %s", deliveryText(offers[0].Deliveries))
	}
	var gone ErrLayout
	if _, err := Open(t.Context(), file(t, book(5.9, "Costs of sending")), &l, false); !errors.As(err, &gone) ||
		!strings.Contains(gone.Reason, "“Freight”") {
		t.Errorf("the sheet is gone: %v", err)
	}
}

func FuzzDeliveries(f *testing.F) {
	f.Add([]byte("Service,Country,Charge,Days\nParcel,DE,4.90,2-3\n"))
	f.Add([]byte("Land;Preis (€);Lieferzeit\nÖsterreich;5,40;3\n"))
	f.Add([]byte("country,rate,currency,min days,max days\n*,6.20,USD,5,9\nUS US,-1,XXX,9,5\n"))
	f.Fuzz(func(t *testing.T, content []byte) {
		list, _, err := DeliveriesOf(t.Context(), file(t, content), "USD")
		if err != nil {
			return
		}
		names := map[string]bool{}
		for _, d := range list {
			if names[d.Name] || len(d.To) == 0 || d.First.Negative() || d.Further.Negative() ||
				d.First.Currency() != d.Further.Currency() || d.Transit.Min < 0 || d.Transit.Max < d.Transit.Min {
				t.Fatalf("%+v", d)
			}
			names[d.Name] = true
		}
		l := Layout{Format: "ubl", Supplier: "x", Country: "DE", Deliveries: list}
		if _, reason := l.Check(); reason != "" {
			t.Fatalf("a list is not taken by them: %s", reason)
		}
	})
}
