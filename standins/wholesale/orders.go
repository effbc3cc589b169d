package wholesale

import (
	"encoding/xml"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"
	"time"

	"plainpelican/standins/gen"
)

// Order is an order of a client, for tests too.
type Order struct {
	ID, Number, Name, Street, Postcode, Country, Phone, Service, Note, Buyer string
	Lines                                                                    []OrderedLine
	// Cents is what is owed, in hundredths of a euro.
	Cents int
	// Rejected says why it is not taken; Day is the day on which it came in, At the moment.
	Rejected string
	Day      int
	At       time.Time
}

// OrderedLine is so many of an item, by its number.
type OrderedLine struct {
	ID, Number string
	Quantity   int
}

// freight is what a parcel costs, in hundredths of a euro.
const freight = 690

// shipDays is after how many days of its clock an order leaves.
const shipDays = 1

// takeOrder takes an Order, once for each identifier, and answers it with an Order Response.
func (s *Server) takeOrder(w http.ResponseWriter, r *http.Request) {
	id := r.PathValue("id")
	s.mu.Lock()
	known := s.orders[id]
	s.mu.Unlock()
	if known != nil {
		s.respond(w, http.StatusOK, known)
		return
	}
	var in struct {
		XMLName  xml.Name `xml:"Order"`
		ID       string   `xml:"ID"`
		Note     string   `xml:"Note"`
		Buyer    string   `xml:"BuyerCustomerParty>Party>PartyName>Name"`
		Name     string   `xml:"Delivery>DeliveryParty>PartyName>Name"`
		Phone    string   `xml:"Delivery>DeliveryParty>Contact>Telephone"`
		Street   string   `xml:"Delivery>DeliveryAddress>StreetName"`
		Postcode string   `xml:"Delivery>DeliveryAddress>PostalZone"`
		Country  string   `xml:"Delivery>DeliveryAddress>Country>IdentificationCode"`
		Service  string   `xml:"DeliveryTerms>SpecialTerms"`
		Lines    []struct {
			ID       string `xml:"ID"`
			Quantity int    `xml:"Quantity"`
			Number   string `xml:"Item>SellersItemIdentification>ID"`
		} `xml:"OrderLine>LineItem"`
	}
	if err := xml.NewDecoder(io.LimitReader(r.Body, 1<<20)).Decode(&in); err != nil || in.ID != id ||
		len(in.Lines) == 0 {
		http.Error(w, "not an Order", http.StatusBadRequest)
		return
	}
	o := &Order{ID: id, Name: in.Name, Street: in.Street, Postcode: in.Postcode, Country: in.Country, Phone: in.Phone,
		Service: in.Service, Note: in.Note, Buyer: in.Buyer, Cents: freight, At: time.Now()}
	for _, l := range in.Lines {
		price, stock := s.sells(l.Number)
		switch {
		case price == 0:
			o.Rejected = fmt.Sprintf("We do not sell %s.", l.Number)
		case stock < l.Quantity || l.Quantity < 1:
			o.Rejected = fmt.Sprintf("We have %d of %s.", stock, l.Number)
		}
		o.Cents += price * l.Quantity
		o.Lines = append(o.Lines, OrderedLine{l.ID, l.Number, l.Quantity})
	}
	s.mu.Lock()
	if s.orders == nil {
		s.orders = map[string]*Order{}
	}
	if s.orders[id] == nil {
		o.Number, o.Day = fmt.Sprintf("CV-%05d", 70_001+len(s.orders)), s.day
		s.orders[id] = o
	}
	o = s.orders[id]
	s.mu.Unlock()
	s.respond(w, http.StatusCreated, o)
}

// sells is what an item costs in hundredths of a euro on its day, and how many there are; 0 where it is not sold.
func (s *Server) sells(number string) (price, stock int) {
	s.mu.Lock()
	day := s.day
	s.mu.Unlock()
	for place, o := range s.catalog {
		o = gen.Drift(s.seed, o, place, day)
		if at := slices.IndexFunc(o.Variants, func(v gen.Variant) bool { return v.SKU == number }); at >= 0 &&
			!o.Withdrawn {
			return o.Variants[at].Price, o.Variants[at].Stock
		}
	}
	return 0, 0
}

const spaces = ` xmlns:cac="urn:oasis:names:specification:ubl:schema:xsd:CommonAggregateComponents-2" ` +
	`xmlns:cbc="urn:oasis:names:specification:ubl:schema:xsd:CommonBasicComponents-2">`

// respond writes the Order Response to an order, by the codes of UN/CEFACT list 4343.
func (s *Server) respond(w http.ResponseWriter, status int, o *Order) {
	code, note := "AP", ""
	if o.Rejected != "" {
		code, note = "RE", "<cbc:Note>"+escaped(o.Rejected)+"</cbc:Note>"
	}
	w.Header().Set("Content-Type", "application/xml")
	w.WriteHeader(status)
	fmt.Fprintf(w, `<?xml version="1.0" encoding="UTF-8"?>
<OrderResponse xmlns="urn:oasis:names:specification:ubl:schema:xsd:OrderResponse-2"%s
<cbc:UBLVersionID>2.1</cbc:UBLVersionID><cbc:ID>R-%s</cbc:ID><cbc:SalesOrderID>%s</cbc:SalesOrderID>
<cbc:IssueDate>%s</cbc:IssueDate><cbc:OrderResponseCode>%s</cbc:OrderResponseCode>%s
<cbc:DocumentCurrencyCode>EUR</cbc:DocumentCurrencyCode><cac:OrderReference><cbc:ID>%s</cbc:ID></cac:OrderReference>
<cac:LegalMonetaryTotal><cbc:PayableAmount currencyID="EUR">%d.%02d</cbc:PayableAmount></cac:LegalMonetaryTotal>
</OrderResponse>
`, spaces, o.Number, o.Number, o.At.UTC().Format(time.DateOnly), code, note, escaped(o.ID), o.Cents/100, o.Cents%100)
}

// showOrder answers with the newest Order Response to an order.
func (s *Server) showOrder(w http.ResponseWriter, r *http.Request) {
	s.mu.Lock()
	o := s.orders[r.PathValue("id")]
	s.mu.Unlock()
	if o == nil {
		http.NotFound(w, r)
		return
	}
	s.respond(w, http.StatusOK, o)
}

// showDespatch answers with the Despatch Advice of a parcel of an order: of two lines or more the last goes by itself.
func (s *Server) showDespatch(w http.ResponseWriter, r *http.Request) {
	s.mu.Lock()
	o, day := s.orders[r.PathValue("id")], s.day
	s.mu.Unlock()
	if o == nil || o.Rejected != "" || day-o.Day < shipDays {
		http.NotFound(w, r)
		return
	}
	parts := [][]OrderedLine{o.Lines}
	if n := len(o.Lines); n > 1 {
		parts = [][]OrderedLine{o.Lines[:n-1], o.Lines[n-1:]}
	}
	var n int
	if _, err := fmt.Sscanf(r.PathValue("n"), "%d", &n); err != nil || n < 1 || n > len(parts) {
		http.NotFound(w, r)
		return
	}
	var lines strings.Builder
	for i, l := range parts[n-1] {
		fmt.Fprintf(&lines, `<cac:DespatchLine><cbc:ID>%d</cbc:ID><cbc:DeliveredQuantity unitCode="C62">%d`+
			`</cbc:DeliveredQuantity><cac:OrderLineReference><cbc:LineID>%s</cbc:LineID></cac:OrderLineReference>`+
			`<cac:Item><cac:SellersItemIdentification><cbc:ID>%s</cbc:ID></cac:SellersItemIdentification></cac:Item>`+
			"</cac:DespatchLine>\n", i+1, l.Quantity, escaped(l.ID), escaped(l.Number))
	}
	w.Header().Set("Content-Type", "application/xml")
	fmt.Fprintf(w, `<?xml version="1.0" encoding="UTF-8"?>
<DespatchAdvice xmlns="urn:oasis:names:specification:ubl:schema:xsd:DespatchAdvice-2"%s
<cbc:UBLVersionID>2.1</cbc:UBLVersionID><cbc:ID>%s-%d</cbc:ID><cbc:IssueDate>%s</cbc:IssueDate>
<cac:OrderReference><cbc:ID>%s</cbc:ID></cac:OrderReference>
<cac:Shipment><cbc:ID>CVP%s%d</cbc:ID><cac:Consignment><cbc:ID>1</cbc:ID><cac:CarrierParty><cac:PartyName>
<cbc:Name>Fjord Parcel</cbc:Name></cac:PartyName></cac:CarrierParty></cac:Consignment></cac:Shipment>
%s</DespatchAdvice>
`, spaces, o.Number, n, time.Now().UTC().Format(time.DateOnly), escaped(o.ID), strings.TrimPrefix(o.Number, "CV-"), n,
		lines.String())
}

// Orders lists what was ordered, the oldest first, for tests.
func (s *Server) Orders() []Order {
	s.mu.Lock()
	defer s.mu.Unlock()
	var list []Order
	for _, o := range s.orders {
		list = append(list, *o)
	}
	slices.SortFunc(list, func(a, b Order) int { return strings.Compare(a.Number, b.Number) })
	return list
}
