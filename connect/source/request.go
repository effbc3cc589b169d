package source

import (
	"bytes"
	"context"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"time"
	"unicode/utf8"

	"plainpelican/core/money"
)

// ErrExpired is returned for a quote that is not valid any more.
var ErrExpired = errors.New("the quote is not valid any more")

// Refusal is why a source does not take a request, in its own words.
type Refusal struct{ Reason string }

func (r Refusal) Error() string { return "the source does not take the request: " + r.Reason }

// Request asks a source's suppliers for a product that nobody offers.
type Request struct {
	// ID is a UUID that the client makes.
	ID, Words, Details, Link string
	// Picture is a JPEG; nil is none.
	Picture []byte
	// Target is what one unit should cost at most; zero where nothing was said.
	Target money.Amount
	// Market is an ISO 3166 alpha-2 country. Units are expected a month; 0 where nothing was said.
	Market string
	Units  int
}

// Quote is a supplier's answer to a request.
type Quote struct {
	Number, Comment string
	ValidThrough    time.Time
	Offer           Offer
	// Raw is the offer as it was given.
	Raw []byte
}

// mostComment is how much of a supplier's comment is kept, in bytes.
const mostComment = 2000

// Ask sends a request; asking again changes nothing. It returns a Refusal where the source
// does not take it, else as Page does.
func (s *Session) Ask(ctx context.Context, r Request) error {
	demand := map[string]any{"@type": "Demand", "identifier": r.ID, "name": r.Words, "areaServed": r.Market}
	if r.Details != "" {
		demand["description"] = r.Details
	}
	if r.Link != "" {
		demand["url"] = r.Link
	}
	if len(r.Picture) > 0 {
		demand["image"] = "data:image/jpeg;base64," + base64.StdEncoding.EncodeToString(r.Picture)
	}
	if !r.Target.IsZero() {
		demand["priceSpecification"] = map[string]string{"price": r.Target.Decimal(),
			"priceCurrency": r.Target.Currency().String()}
	}
	if r.Units > 0 {
		demand["eligibleQuantity"] = map[string]int{"value": r.Units}
	}
	body, err := json.Marshal(demand)
	if err != nil {
		return err
	}
	answer, err := s.call(ctx, http.MethodPut, requestPath(r.ID), body)
	if err != nil {
		return err
	}
	switch answer.Status {
	case http.StatusOK, http.StatusCreated:
		return nil
	case http.StatusUnprocessableEntity:
		return refused(answer.Body)
	}
	return fmt.Errorf("%w (it answered %d)", ErrUnavailable, answer.Status)
}

func requestPath(id string) string { return "/requests/" + url.PathEscape(id) }

// Shortened is a text from outside as it can be kept and shown.
func Shortened(text string) string {
	text = strings.ReplaceAll(strings.ToValidUTF8(text, "\ufffd"), "\x00", "")
	if len(text) <= mostComment {
		return text
	}
	text = text[:mostComment]
	for !utf8.ValidString(text) {
		text = text[:len(text)-1]
	}
	return text
}

// Quotes reads what has come of a request: the quotes, those that cannot be used, and
// whether more may come.
func (s *Session) Quotes(ctx context.Context, id string) (quotes []Quote, unusable []RejectedItem, open bool,
	err error) {
	answer, err := s.get(ctx, requestPath(id))
	if err != nil {
		return nil, nil, false, err
	}
	if answer.Status == http.StatusNotFound {
		return nil, nil, false, nil
	}
	var read struct {
		Status string `json:"status"`
		Quotes []struct {
			Identifier   string          `json:"identifier"`
			ValidThrough time.Time       `json:"validThrough"`
			Comment      string          `json:"comment"`
			Item         json.RawMessage `json:"itemOffered"`
		} `json:"quotes"`
	}
	if answer.Status != http.StatusOK || bytes.Count(answer.Body, []byte("{")) > maxParts ||
		json.Unmarshal(answer.Body, &read) != nil || len(read.Quotes) > maxPerPage {
		return nil, nil, false, fmt.Errorf("%w (its quotes cannot be read)", ErrUnavailable)
	}
	for i, q := range read.Quotes {
		offer, err := parse(q.Item)
		if err == nil && (q.Identifier == "" || Shortened(q.Identifier) != q.Identifier) {
			err = errors.New("it has no number of its own")
		}
		if err != nil {
			one := Offer{Number: Shortened(q.Identifier)}.rejected(fmt.Sprintf("quote %d", i+1), err, q.Item)
			one.Position, one.Reason = fmt.Sprintf("quote %d", i+1), Shortened(one.Reason)
			unusable = append(unusable, one)
			continue
		}
		quotes = append(quotes, Quote{q.Identifier, Shortened(q.Comment), q.ValidThrough, offer, q.Item})
	}
	return quotes, unusable, read.Status != "closed", nil
}

// Withdraw ends a request.
func (s *Session) Withdraw(ctx context.Context, id string) error {
	answer, err := s.call(ctx, http.MethodDelete, requestPath(id), nil)
	if err == nil && answer.Status != http.StatusNoContent && answer.Status != http.StatusOK &&
		answer.Status != http.StatusNotFound {
		err = fmt.Errorf("%w (it answered %d)", ErrUnavailable, answer.Status)
	}
	return err
}

// TakeQuote makes a quote an offer of the source's catalog and returns the offer's number;
// taking it again changes nothing. It returns ErrExpired where it is not valid any more.
func (s *Session) TakeQuote(ctx context.Context, id, quote string) (string, error) {
	answer, err := s.call(ctx, http.MethodPut, requestPath(id)+"/quotes/"+url.PathEscape(quote), []byte("{}"))
	if err != nil {
		return "", err
	}
	if answer.Status == http.StatusGone || answer.Status == http.StatusNotFound {
		return "", ErrExpired
	}
	var taken struct {
		Number string `json:"productGroupID"`
	}
	if answer.Status != http.StatusOK || json.Unmarshal(answer.Body, &taken) != nil || taken.Number == "" {
		return "", fmt.Errorf("%w (it answered %d)", ErrUnavailable, answer.Status)
	}
	return taken.Number, nil
}

// ParseOffer checks an offer that was kept as it was given.
func ParseOffer(raw []byte) (Offer, error) { return parse(raw) }
