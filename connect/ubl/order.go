package ubl

import (
	"context"
	"encoding/xml"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"time"

	"plainpelican/connect/source"
	"plainpelican/core/money"
	"plainpelican/core/order"
	"plainpelican/platform/outgoing"
)

// Orders sends orders to a wholesaler that takes them as UBL 2.1 documents, and reads its answers: an Order is put
// under its identifier below the address, its newest Order Response is got there, and its Despatch Advices below that,
// by number from 1 (docs/protocols/ubl-orders.md). The elements are those of the OASIS UBL 2.1 schemas, from memory.
type Orders struct {
	Client   *outgoing.Client
	Address  string
	Supplier string
	// Now is the moment of issue.
	Now func() time.Time
}

const (
	spaceCac = "urn:oasis:names:specification:ubl:schema:xsd:CommonAggregateComponents-2"
	spaceCbc = "urn:oasis:names:specification:ubl:schema:xsd:CommonBasicComponents-2"
	spaceOf  = "urn:oasis:names:specification:ubl:schema:xsd:"
)

// maxDocument is how large an answer may be in bytes, maxDespatches how many parcels an order may have.
const (
	maxDocument   = 1 << 20
	maxDespatches = 50
)

// What a response says, by the codes of UN/CEFACT list 4343.
const (
	codeRejected = "RE"
	codeAccepted = "AP"
	codeChanged  = "CA" // accepted with changes
	codeReceived = "AB"
)

// party is a party by its name.
type party struct {
	Name string `xml:"cac:PartyName>cbc:Name"`
}

type orderDocument struct {
	XMLName  xml.Name `xml:"Order"`
	Space    string   `xml:"xmlns,attr"`
	Cac      string   `xml:"xmlns:cac,attr"`
	Cbc      string   `xml:"xmlns:cbc,attr"`
	Version  string   `xml:"cbc:UBLVersionID"`
	ID       string   `xml:"cbc:ID"`
	Issued   string   `xml:"cbc:IssueDate"`
	Note     string   `xml:"cbc:Note,omitempty"`
	Currency string   `xml:"cbc:DocumentCurrencyCode"`
	Buyer    party    `xml:"cac:BuyerCustomerParty>cac:Party"`
	Seller   party    `xml:"cac:SellerSupplierParty>cac:Party"`
	Delivery struct {
		Street  string `xml:"cac:DeliveryAddress>cbc:StreetName"`
		Second  string `xml:"cac:DeliveryAddress>cbc:AdditionalStreetName,omitempty"`
		City    string `xml:"cac:DeliveryAddress>cbc:CityName"`
		Zone    string `xml:"cac:DeliveryAddress>cbc:PostalZone,omitempty"`
		Region  string `xml:"cac:DeliveryAddress>cbc:CountrySubentity,omitempty"`
		Country string `xml:"cac:DeliveryAddress>cac:Country>cbc:IdentificationCode"`
		Name    string `xml:"cac:DeliveryParty>cac:PartyName>cbc:Name"`
		Phone   string `xml:"cac:DeliveryParty>cac:Contact>cbc:Telephone,omitempty"`
	} `xml:"cac:Delivery"`
	Service string      `xml:"cac:DeliveryTerms>cbc:SpecialTerms"`
	Lines   []orderLine `xml:"cac:OrderLine"`
}

type orderLine struct {
	ID       string  `xml:"cac:LineItem>cbc:ID"`
	Quantity counted `xml:"cac:LineItem>cbc:Quantity"`
	Number   string  `xml:"cac:LineItem>cac:Item>cac:SellersItemIdentification>cbc:ID"`
}

// counted is so many of a unit by UN/ECE recommendation 20; C62 is one.
type counted struct {
	Unit  string `xml:"unitCode,attr"`
	Value int    `xml:",chardata"`
}

// Document is an order as UBL 2.1.
func (o *Orders) Document(p source.PurchaseOrder) ([]byte, error) {
	d := orderDocument{Space: spaceOf + "Order-2", Cac: spaceCac, Cbc: spaceCbc, Version: "2.1", ID: p.ID,
		Issued: o.Now().UTC().Format(time.DateOnly), Note: p.Comment, Currency: p.Currency.String(),
		Buyer: party{p.Shop}, Seller: party{o.Supplier}, Service: p.Service}
	d.Delivery.Street, d.Delivery.Second, d.Delivery.City = p.To.Line1, p.To.Line2, p.To.City
	d.Delivery.Zone, d.Delivery.Region, d.Delivery.Country = p.To.Postcode, p.To.Region, p.To.Country
	d.Delivery.Name, d.Delivery.Phone = p.To.Name, p.To.Phone
	if p.To.Company != "" {
		d.Delivery.Name += ", " + p.To.Company
	}
	for i, l := range p.Lines {
		d.Lines = append(d.Lines, orderLine{fmt.Sprint(i + 1), counted{"C62", l.Quantity}, l.Variant})
	}
	body, err := xml.MarshalIndent(d, "", " ")
	return append([]byte(xml.Header), body...), err
}

// response is what is read of an Order Response.
type response struct {
	XMLName xml.Name `xml:"OrderResponse"`
	Number  string   `xml:"SalesOrderID"`
	Code    string   `xml:"OrderResponseCode"`
	Notes   []string `xml:"Note"`
	Order   string   `xml:"OrderReference>ID"`
	Payable struct {
		Currency string `xml:"currencyID,attr"`
		Amount   string `xml:",chardata"`
	} `xml:"LegalMonetaryTotal>PayableAmount"`
}

// despatch is what is read of a Despatch Advice.
type despatch struct {
	XMLName xml.Name `xml:"DespatchAdvice"`
	ID      string   `xml:"ID"`
	Order   string   `xml:"OrderReference>ID"`
	Number  string   `xml:"Shipment>ID"`
	Carrier string   `xml:"Shipment>Consignment>CarrierParty>PartyName>Name"`
	Lines   []struct {
		Quantity int    `xml:"DeliveredQuantity"`
		Line     string `xml:"OrderLineReference>LineID"`
		Item     string `xml:"Item>SellersItemIdentification>ID"`
	} `xml:"DespatchLine"`
}

var errUnreadable = fmt.Errorf("%w (its answer about an order cannot be read)", source.ErrUnavailable)

// Place sends an order; sending it again changes nothing. It returns a source.Refusal where the wholesaler rejects it.
func (o *Orders) Place(ctx context.Context, p source.PurchaseOrder) (source.Purchase, error) {
	body, err := o.Document(p)
	if err != nil {
		return source.Purchase{}, err
	}
	answer, err := o.ask(ctx, http.MethodPut, url.PathEscape(p.ID), body)
	if err != nil {
		return source.Purchase{}, err
	}
	made, err := o.read(answer, p.ID)
	if err == nil && made.State == order.Cancelled {
		return made, source.Refusal{Reason: made.Reason}
	}
	return made, err
}

// Purchase reads how far an order is; found is false where the wholesaler never got it.
func (o *Orders) Purchase(ctx context.Context, id string) (p source.Purchase, found bool, err error) {
	answer, err := o.ask(ctx, http.MethodGet, url.PathEscape(id), nil)
	if err != nil || answer.Status == http.StatusNotFound {
		return p, false, err
	}
	if p, err = o.read(answer, id); err != nil {
		return p, false, err
	}
	for n := 1; n <= maxDespatches; n++ {
		answer, err := o.ask(ctx, http.MethodGet, fmt.Sprintf("%s/despatch/%d", url.PathEscape(id), n), nil)
		if err != nil {
			return p, false, err
		}
		if answer.Status == http.StatusNotFound {
			break
		}
		parcel, err := readDespatch(answer, id)
		if err != nil {
			return p, false, err
		}
		if p.State != order.Cancelled {
			p.State = order.Shipped
		}
		p.Parcels = append(p.Parcels, parcel)
	}
	return p, true, nil
}

// Pay is refused: a wholesaler is paid by its invoice, outside.
func (o *Orders) Pay(context.Context, string) (source.Purchase, error) {
	return source.Purchase{}, source.Refusal{Reason: "It is paid by its invoice, outside."}
}

// Write is refused: a wholesaler is written to outside.
func (o *Orders) Write(context.Context, string, string, string) error {
	return source.Refusal{Reason: "It takes no messages from here."}
}

func (o *Orders) ask(ctx context.Context, method, path string, body []byte) (*outgoing.Response, error) {
	header := http.Header{"Accept": {"application/xml"}}
	if body != nil {
		header.Set("Content-Type", "application/xml")
	}
	answer, err := o.Client.Do(ctx, outgoing.Request{Method: method, URL: strings.TrimSuffix(o.Address, "/") + "/" +
		path,
		Header: header, Body: body, Repeatable: true, MaxBytes: maxDocument})
	switch {
	case err != nil:
		return nil, err
	case answer.Status == http.StatusUnauthorized, answer.Status == http.StatusForbidden:
		return nil, source.ErrCredentials
	case answer.Status == http.StatusTooManyRequests:
		return nil, answer.Asked(source.ErrUnavailable)
	}
	return answer, nil
}

// read reads an Order Response to an order.
func (o *Orders) read(answer *outgoing.Response, id string) (p source.Purchase, err error) {
	if answer.Status != http.StatusOK && answer.Status != http.StatusCreated {
		return p, fmt.Errorf("%w (it answered %d)", source.ErrUnavailable, answer.Status)
	}
	var r response
	if xml.Unmarshal(answer.Body, &r) != nil || r.Order != id {
		return p, errUnreadable
	}
	p = source.Purchase{Number: source.Shortened(r.Number), Reason: source.Shortened(strings.Join(r.Notes, " "))}
	switch strings.TrimSpace(r.Code) {
	case codeRejected:
		p.State = order.Cancelled
	case codeAccepted, codeChanged, codeReceived:
		p.State = order.Placed
	default:
		return p, errUnreadable
	}
	if p.Number == "" {
		p.Number = id[:min(len(id), 8)]
	}
	if strings.TrimSpace(r.Payable.Amount) == "" {
		return p, nil // what was expected stands
	}
	c, err := money.ParseCurrency(r.Payable.Currency)
	if err != nil {
		return p, errUnreadable
	}
	if p.Total, err = money.Parse(strings.TrimSpace(r.Payable.Amount), c); err != nil || p.Total.Negative() {
		return source.Purchase{}, errUnreadable
	}
	return p, nil
}

func readDespatch(answer *outgoing.Response, id string) (p source.Parcel, err error) {
	if answer.Status != http.StatusOK {
		return p, fmt.Errorf("%w (it answered %d)", source.ErrUnavailable, answer.Status)
	}
	var d despatch
	if xml.Unmarshal(answer.Body, &d) != nil || d.Order != id || d.ID == "" || len(d.Lines) > source.MaxParcels {
		return p, errUnreadable
	}
	p = source.Parcel{ID: source.Shortened(d.ID), Number: source.Shortened(strings.TrimSpace(d.Number)),
		Carrier: source.Shortened(strings.TrimSpace(d.Carrier))}
	for _, l := range d.Lines {
		p.Lines = append(p.Lines, source.PurchaseLine{Variant: l.Item, Quantity: l.Quantity})
	}
	return p, nil
}
