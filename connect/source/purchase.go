package source

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"strings"

	"plainpelican/core/money"
	"plainpelican/core/order"
)

// PurchaseOrder is what is bought from one supplier of a source, and where it goes.
type PurchaseOrder struct {
	// ID is a UUID that the client makes: the same one is one purchase, however often it is sent.
	ID      string
	Lines   []PurchaseLine
	Service string
	To      order.Address
	Comment string
	// Shop is who orders, by name; Currency is what the supplier's prices are in.
	Shop     string
	Currency money.Currency
	// Slip is the packing slip that goes into the parcel, a PDF; none where the source takes no documents.
	Slip []byte
}

// Buyer is where things are bought.
type Buyer interface {
	// Place sends a purchase order; sending it again changes nothing. It returns a Refusal where it is not taken.
	Place(ctx context.Context, p PurchaseOrder) (Purchase, error)
	// Purchase reads a purchase order as it is now; found is false where it never arrived.
	Purchase(ctx context.Context, id string) (p Purchase, found bool, err error)
	// Pay pays a purchase order; paying again changes nothing. It returns a Refusal where it cannot be paid.
	Pay(ctx context.Context, id string) (Purchase, error)
	// Write sends the supplier of a purchase order a message; the same key is one message, however often it is sent. It
	// returns a Refusal where it is not taken.
	Write(ctx context.Context, id, key, words string) error
}

// PurchaseLine is so many of a variant of an offer, by the supplier's numbers. All go by one service.
type PurchaseLine struct {
	Offer, Variant string
	Quantity       int
}

// Purchase is a purchase order as the source has it.
type Purchase struct {
	Number string
	State  order.PurchaseState
	// Total is what is owed or was paid, delivery included; the zero Amount is not said.
	Total money.Amount
	// Reason is why it was cancelled.
	Reason   string
	Parcels  []Parcel
	Messages []Message
}

// Message is what a supplier wrote about a purchase.
type Message struct{ ID, Words string }

// maxMessage is how many letters of a message are kept.
const maxMessage = 4_000

// Parcel is one on its way.
type Parcel struct {
	ID, Number, Carrier, URL string
	Delivered                bool
	Lines                    []PurchaseLine
}

// purchaseStates are the states of schema.org that say how far an order is.
var purchaseStates = map[string]order.PurchaseState{
	"OrderPaymentDue": order.Placed, "OrderProcessing": order.Paid, "OrderInTransit": order.Shipped,
	"OrderDelivered": order.Delivered, "OrderCancelled": order.Cancelled, "OrderProblem": order.Cancelled,
}

type orderedItem struct {
	Item struct {
		Group string `json:"productGroupID"`
		SKU   string `json:"sku"`
	} `json:"orderedItem"`
	Quantity int `json:"orderQuantity"`
}

func purchasePath(id string) string { return "/purchase-orders/" + url.PathEscape(id) }

// Place sends a purchase order; sending it again changes nothing. It returns a Refusal where the source does not take
// it, else as Page does.
func (s *Session) Place(ctx context.Context, p PurchaseOrder) (Purchase, error) {
	lines := make([]orderedItem, len(p.Lines))
	for i, l := range p.Lines {
		lines[i].Item.Group, lines[i].Item.SKU, lines[i].Quantity = l.Offer, l.Variant, l.Quantity
	}
	street := p.To.Line1
	if p.To.Line2 != "" {
		street += ", " + p.To.Line2
	}
	doc := map[string]any{"@type": "Order", "identifier": p.ID, "orderedItem": lines,
		"orderDelivery": map[string]any{"@type": "ParcelDelivery", "hasDeliveryMethod": p.Service,
			"deliveryAddress": map[string]string{"@type": "PostalAddress", "name": p.To.Name,
				"legalName": p.To.Company, "streetAddress": street, "addressLocality": p.To.City,
				"addressRegion": p.To.Region, "postalCode": p.To.Postcode, "addressCountry": p.To.Country,
				"telephone": p.To.Phone}},
		"comment": p.Comment}
	if len(p.Slip) > 0 {
		doc["subjectOf"] = map[string]string{"@type": "DigitalDocument", "name": "Packing slip",
			"encodingFormat": "application/pdf",
			"contentUrl":     "data:application/pdf;base64," + base64.StdEncoding.EncodeToString(p.Slip)}
	}
	body, err := json.Marshal(doc)
	if err != nil {
		return Purchase{}, err
	}
	answer, err := s.call(ctx, http.MethodPut, purchasePath(p.ID), body)
	if err != nil {
		return Purchase{}, err
	}
	return readPurchase(answer.Status, answer.Body)
}

// Purchase reads a purchase order as it is now; found is false where the source never got it.
func (s *Session) Purchase(ctx context.Context, id string) (p Purchase, found bool, err error) {
	answer, err := s.get(ctx, purchasePath(id))
	if err != nil || answer.Status == http.StatusNotFound {
		return p, false, err
	}
	p, err = readPurchase(answer.Status, answer.Body)
	return p, err == nil, err
}

// Pay pays a purchase order from the balance at the source; paying again changes nothing. It returns a Refusal where
// the balance does not cover it.
func (s *Session) Pay(ctx context.Context, id string) (Purchase, error) {
	answer, err := s.call(ctx, http.MethodPost, purchasePath(id)+"/payment", []byte("{}"))
	if err != nil {
		return Purchase{}, err
	}
	return readPurchase(answer.Status, answer.Body)
}

// Write sends the supplier of a purchase order a message, once for each key. It returns a Refusal where it is not
// taken.
func (s *Session) Write(ctx context.Context, id, key, words string) error {
	body, err := json.Marshal(map[string]string{"@type": "Message", "identifier": key, "text": words})
	if err != nil {
		return err
	}
	answer, err := s.call(ctx, http.MethodPut, purchasePath(id)+"/messages/"+url.PathEscape(key), body)
	if err != nil {
		return err
	}
	switch answer.Status {
	case http.StatusOK, http.StatusCreated, http.StatusNoContent:
		return nil
	case http.StatusNotFound:
		return Refusal{"The source does not have this purchase."}
	case http.StatusUnprocessableEntity:
		return refused(answer.Body)
	}
	return fmt.Errorf("%w (it answered %d)", ErrUnavailable, answer.Status)
}

// refused is the refusal that an answer gives a reason for in its detail; no reason is a reason too.
func refused(body []byte) Refusal {
	var said struct {
		Detail string `json:"detail"`
	}
	_ = json.Unmarshal(body, &said)
	return Refusal{Shortened(said.Detail)}
}

func readPurchase(status int, body []byte) (Purchase, error) {
	switch status {
	case http.StatusOK, http.StatusCreated:
	case http.StatusUnprocessableEntity, http.StatusPaymentRequired:
		return Purchase{}, refused(body)
	default:
		return Purchase{}, fmt.Errorf("%w (it answered %d)", ErrUnavailable, status)
	}
	var read struct {
		Number   string `json:"orderNumber"`
		Status   string `json:"orderStatus"`
		Price    string `json:"price"`
		Currency string `json:"priceCurrency"`
		Reason   string `json:"description"`
		Parcels  []struct {
			ID       string `json:"identifier"`
			Number   string `json:"trackingNumber"`
			URL      string `json:"trackingUrl"`
			Status   string `json:"orderStatus"`
			Provider struct {
				Name string `json:"name"`
			} `json:"provider"`
			Lines []orderedItem `json:"itemShipped"`
		} `json:"orderDelivery"`
		Messages []struct {
			ID   string `json:"identifier"`
			Text string `json:"text"`
		} `json:"message"`
	}
	unreadable := fmt.Errorf("%w (its answer about a purchase cannot be read)", ErrUnavailable)
	if json.Unmarshal(body, &read) != nil || len(read.Parcels) > MaxParcels || len(read.Messages) > MaxParcels {
		return Purchase{}, unreadable
	}
	state, known := purchaseStates[read.Status]
	currency, err := money.ParseCurrency(read.Currency)
	if err != nil || !known || read.Number == "" || Shortened(read.Number) != read.Number {
		return Purchase{}, unreadable
	}
	p := Purchase{Number: read.Number, State: state, Reason: Shortened(read.Reason)}
	if p.Total, err = money.Parse(read.Price, currency); err != nil || p.Total.Negative() {
		return Purchase{}, unreadable
	}
	for _, one := range read.Parcels {
		parcel := Parcel{ID: Shortened(one.ID), Number: Shortened(one.Number), Carrier: Shortened(one.Provider.Name),
			Delivered: purchaseStates[one.Status] == order.Delivered}
		if parcel.ID == "" || len(one.Lines) > MaxParcels {
			return Purchase{}, unreadable
		}
		// An address that is none for a browser to follow is left out.
		if u, err := url.Parse(one.URL); err == nil && (u.Scheme == "https" || u.Scheme == "http") &&
			short("url", one.URL, maxURL) == nil {
			parcel.URL = one.URL
		}
		for _, l := range one.Lines {
			parcel.Lines = append(parcel.Lines, PurchaseLine{l.Item.Group, l.Item.SKU, l.Quantity})
		}
		p.Parcels = append(p.Parcels, parcel)
	}
	for _, m := range read.Messages {
		words := []rune(strings.TrimSpace(strings.ReplaceAll(strings.ToValidUTF8(m.Text, ""), "\x00", "")))
		if id := Shortened(m.ID); id != "" && len(words) > 0 {
			p.Messages = append(p.Messages, Message{id, string(words[:min(len(words), maxMessage)])})
		}
	}
	return p, nil
}

// MaxParcels is how many parcels or messages a purchase, and lines a parcel, may have.
const MaxParcels = 200
