package ubl_test

import (
	"encoding/xml"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"strings"
	"testing"
	"time"

	"plainpelican/connect/source"
	"plainpelican/connect/ubl"
	"plainpelican/core/money"
	"plainpelican/core/order"
	"plainpelican/platform/outgoing"
)

// ask has a wholesaler answer everything with one status and body, and asks it how far an order is.
func ask(t *testing.T, status int, body, despatch string) (source.Purchase, bool, error) {
	t.Helper()
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch {
		case strings.HasSuffix(r.URL.Path, "/despatch/1") && despatch != "":
			_, _ = w.Write([]byte(despatch))
		case strings.Contains(r.URL.Path, "/despatch/"):
			http.NotFound(w, r)
		default:
			w.WriteHeader(status)
			_, _ = w.Write([]byte(body))
		}
	}))
	t.Cleanup(s.Close)
	client := outgoing.New([]netip.Prefix{netip.MustParsePrefix("127.0.0.0/8")})
	client.Attempts = 1
	o := ubl.Orders{Client: client, Address: s.URL + "/orders", Now: time.Now}
	return o.Purchase(t.Context(), "o-1")
}

const (
	head = `<OrderResponse xmlns="urn:oasis:names:specification:ubl:schema:xsd:OrderResponse-2" xmlns:cac="a"
		xmlns:cbc="b">`
	about  = `<cac:OrderReference><cbc:ID>o-1</cbc:ID></cac:OrderReference>`
	parcel = `<DespatchAdvice xmlns:cac="a" xmlns:cbc="b"><cbc:ID>D1</cbc:ID>` + about +
		`<cac:Shipment><cbc:ID> X1 </cbc:ID></cac:Shipment></DespatchAdvice>`
)

// The elements are those of the OASIS UBL 2.1 schemas and the codes of UN/CEFACT list 4343, from memory.
func TestResponsesAreReadAndWhatIsNoneIsNot(t *testing.T) {
	code := func(c string) string { return `<cbc:OrderResponseCode>` + c + `</cbc:OrderResponseCode>` }
	total := func(text, currency string) string {
		return `<cac:LegalMonetaryTotal><cbc:PayableAmount currencyID="` + currency + `">` + text +
			`</cbc:PayableAmount></cac:LegalMonetaryTotal>`
	}
	for name, c := range map[string]struct {
		body, despatch string
		want           order.PurchaseState // empty is that it cannot be read
		total          string
	}{
		"accepted": {head + code("AP") + about + total("12.50", "EUR") + `</OrderResponse>`, "",
			order.Placed, "12.50 EUR"},
		"received, without a sum": {head + code("AB") + about + `</OrderResponse>`, "", order.Placed, ""},
		"with changes": {head + code(" CA ") + about + total("1", "JPY") + `</OrderResponse>`, "",
			order.Placed, "1 JPY"},
		"rejected":                 {head + code("RE") + about + `</OrderResponse>`, "", order.Cancelled, ""},
		"shipped":                  {head + code("AP") + about + `</OrderResponse>`, parcel, order.Shipped, ""},
		"rejected, though shipped": {head + code("RE") + about + `</OrderResponse>`, parcel, order.Cancelled, ""},
		"a code that is none":      {head + code("YES") + about + `</OrderResponse>`, "", "", ""},
		"to another order": {head + code("AP") + `<cac:OrderReference><cbc:ID>o-2</cbc:ID></cac:OrderReference>` +
			`</OrderResponse>`, "", "", ""},
		"a sum that is none": {head + code("AP") + about + total("a lot", "EUR") + `</OrderResponse>`, "",
			"", ""},
		"a negative sum": {head + code("AP") + about + total("-1", "EUR") + `</OrderResponse>`, "", "",
			""},
		"a currency that is none": {head + code("AP") + about + total("1", "XYZ") + `</OrderResponse>`, "", "", ""},
		"cut in halves":           {head + code("AP"), "", "", ""},
		"another document":        {`<Order xmlns:cbc="b"><cbc:ID>o-1</cbc:ID></Order>`, "", "", ""},
		"a web page":              {`<!doctype html><p>Back soon`, "", "", ""},
		"a despatch of another order": {head + code("AP") + about + `</OrderResponse>`, strings.ReplaceAll(parcel,
			"o-1", "o-2"), "", ""},
		"nested without end": {strings.Repeat("<a>", 100_000), "", "", ""},
	} {
		t.Run(name, func(t *testing.T) {
			p, found, err := ask(t, 200, c.body, c.despatch)
			if (err == nil) != (c.want != "") || found != (err == nil) || err == nil && p.State != c.want {
				t.Fatalf("%+v %v %v", p, found, err)
			}
			if c.total == "" && p.Total != (money.Amount{}) || c.total != "" && p.Total.String() != c.total {
				t.Errorf("%v", p.Total)
			}
			if c.want == order.Shipped && (len(p.Parcels) != 1 || p.Parcels[0].Number != "X1") {
				t.Errorf("%+v", p.Parcels)
			}
		})
	}
	if _, found, err := ask(t, 404, "", ""); found || err != nil {
		t.Errorf("an order that never arrived: %v %v", found, err)
	}
	if _, _, err := ask(t, 403, "", ""); err != source.ErrCredentials {
		t.Errorf("%v", err)
	}
}

// Whatever stands in a field, the document is well-formed and says it.
func TestAnOrderIsWellFormed(t *testing.T) {
	const odd = `O'Shea & Söhne <"x">` + "\u2028中村"
	o := ubl.Orders{Supplier: odd, Now: func() time.Time { return time.Date(2026, 11, 28, 23, 0, 0, 0, time.UTC) }}
	body, err := o.Document(source.PurchaseOrder{ID: "o-1", Service: odd, Comment: odd, Shop: odd,
		Currency: money.MustCurrency("EUR"), To: order.Address{Name: odd, Company: odd, Line1: odd, City: odd,
			Country: "IE"},
		Lines: []source.PurchaseLine{{Offer: "A", Variant: odd, Quantity: 3}, {Offer: "A", Variant: "b", Quantity: 1}}})
	if err != nil {
		t.Fatal(err)
	}
	var read struct {
		XMLName xml.Name `xml:"urn:oasis:names:specification:ubl:schema:xsd:Order-2 Order"`
		Issued  string   `xml:"IssueDate"`
		Note    string   `xml:"Note"`
		Name    string   `xml:"Delivery>DeliveryParty>PartyName>Name"`
		Street  string   `xml:"Delivery>DeliveryAddress>StreetName"`
		Country string   `xml:"Delivery>DeliveryAddress>Country>IdentificationCode"`
		Lines   []struct {
			Quantity struct {
				Unit  string `xml:"unitCode,attr"`
				Value string `xml:",chardata"`
			} `xml:"urn:oasis:names:specification:ubl:schema:xsd:CommonBasicComponents-2 Quantity"`
			Number string `xml:"Item>SellersItemIdentification>ID"`
		} `xml:"OrderLine>LineItem"`
	}
	if err := xml.Unmarshal(body, &read); err != nil {
		t.Fatalf("%v\n%s", err, body)
	}
	if read.Issued != "2026-11-28" || read.Note != odd || read.Name != odd+", "+odd || read.Street != odd ||
		read.Country != "IE" || len(read.Lines) != 2 || read.Lines[0].Number != odd ||
		read.Lines[0].Quantity.Value != "3" ||
		read.Lines[0].Quantity.Unit != "C62" {
		t.Errorf("%+v\n%s", read, body)
	}
}
