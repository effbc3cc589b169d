// Package source speaks the source protocol (docs/protocols/source.md) to a marketplace.
package source

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"sync"
	"time"

	"plainpelican/platform/outgoing"
)

var (
	// ErrNotASource is returned for a server that answers but does not speak the protocol.
	ErrNotASource = errors.New("that server is not a source of offers")
	// ErrCredentials is returned where the source does not accept the client id and secret.
	ErrCredentials = errors.New("the source does not accept this client id and secret")
	// ErrWithdrawn is returned for an offer that is no longer sold.
	ErrWithdrawn = errors.New("the supplier has stopped selling this")
	// ErrUnavailable is returned where the source answers with an error of its own.
	ErrUnavailable = errors.New("the source is out of order")
)

// Description is what a source says of itself before anyone signs in.
type Description struct {
	Protocol      string `json:"protocol"`
	Name          string `json:"name"`
	Offers        int    `json:"offers"`
	TokenEndpoint string `json:"token_endpoint"`
	Limits        struct {
		RequestsPerSecond int `json:"requests_per_second"`
		PageSize          int `json:"page_size"`
	} `json:"limits"`
	// TakesRequests tells that it passes requests for quotation on to its suppliers.
	TakesRequests bool `json:"takes_requests"`
	// TakesOrders tells that it takes purchase orders, and is paid from a balance.
	TakesOrders bool `json:"takes_orders"`
	// TakesDocuments tells that a purchase order may carry a packing slip, and TakesMessages that suppliers are written
	// to about one.
	TakesDocuments bool `json:"takes_documents"`
	TakesMessages  bool `json:"takes_messages"`
}

// Connector opens sessions with sources.
type Connector struct{ Client *outgoing.Client }

// Describe asks a server what it is. It returns ErrNotASource, or an error of the client.
func (c Connector) Describe(ctx context.Context, address string) (Description, error) {
	answer, err := c.Client.Do(ctx,
		outgoing.Request{Method: http.MethodGet, URL: address + "/.well-known/catalog-source", Repeatable: true,
			MaxBytes: 1 << 16})
	if err != nil {
		return Description{}, err
	}
	var d Description
	if answer.Status >= 500 || answer.Status == http.StatusTooManyRequests {
		return d, answer.Asked(ErrUnavailable)
	}
	if answer.Status != http.StatusOK || json.Unmarshal(answer.Body, &d) != nil || d.Protocol != "catalog-source/1" ||
		!strings.HasPrefix(d.TokenEndpoint, "/") {
		return d, ErrNotASource
	}
	d.Limits.RequestsPerSecond = min(max(d.Limits.RequestsPerSecond, 1), 1000)
	d.Limits.PageSize = min(max(d.Limits.PageSize, 1), 500)
	return d, nil
}

// Session is a signed-in connection to one source. It may be used by many at once.
type Session struct {
	client   *outgoing.Client
	address  string
	id       string
	secret   string
	endpoint string
	pageSize int

	mu    sync.Mutex
	token string
}

// SignIn opens a session with client credentials (RFC 6749 section 4.4). It returns
// ErrNotASource, ErrCredentials, ErrUnavailable, or an error of the client.
func (c Connector) SignIn(ctx context.Context, address, id, secret string) (*Session, Description, error) {
	d, err := c.Describe(ctx, address)
	if err != nil {
		return nil, d, err
	}
	u, err := url.Parse(address)
	if err != nil {
		return nil, d, outgoing.ErrAddress
	}
	c.Client.Limit(u.Host, d.Limits.RequestsPerSecond)
	s := &Session{client: c.Client, address: address, id: id, secret: secret, endpoint: d.TokenEndpoint,
		pageSize: d.Limits.PageSize}
	return s, d, s.renew(ctx)
}

func (s *Session) renew(ctx context.Context) error {
	form := url.Values{"grant_type": {"client_credentials"}}
	header := http.Header{"Content-Type": {"application/x-www-form-urlencoded"}}
	request := http.Request{Header: header}
	request.SetBasicAuth(url.QueryEscape(s.id), url.QueryEscape(s.secret))
	answer, err := s.client.Do(ctx,
		outgoing.Request{Method: http.MethodPost, URL: s.address + s.endpoint, Header: header,
			Body: []byte(form.Encode()), Repeatable: true, MaxBytes: 1 << 16})
	if err != nil {
		return err
	}
	var token struct {
		AccessToken string `json:"access_token"`
	}
	switch {
	case answer.Status == http.StatusUnauthorized || answer.Status == http.StatusBadRequest ||
		answer.Status == http.StatusForbidden:
		return ErrCredentials
	case answer.Status >= 500 || answer.Status == http.StatusTooManyRequests:
		return answer.Asked(ErrUnavailable)
	case json.Unmarshal(answer.Body, &token) != nil || token.AccessToken == "":
		return ErrNotASource
	}
	s.mu.Lock()
	s.token = token.AccessToken
	s.mu.Unlock()
	return nil
}

// get reads one path.
func (s *Session) get(ctx context.Context, path string) (*outgoing.Response, error) {
	return s.call(ctx, http.MethodGet, path, nil)
}

// call makes a call that may be repeated, signing in again once where the token has expired.
func (s *Session) call(ctx context.Context, method, path string, body []byte) (*outgoing.Response, error) {
	for attempt := 0; ; attempt++ {
		s.mu.Lock()
		header := http.Header{"Authorization": {"Bearer " + s.token}}
		s.mu.Unlock()
		if body != nil {
			header.Set("Content-Type", "application/json")
		}
		answer, err := s.client.Do(ctx,
			outgoing.Request{Method: method, URL: s.address + path, Header: header, Body: body, Repeatable: true})
		if err != nil {
			return nil, err
		}
		if answer.Status == http.StatusUnauthorized && attempt == 0 {
			if err := s.renew(ctx); err != nil {
				return nil, err
			}
			continue
		}
		if answer.Status >= 500 || answer.Status == http.StatusTooManyRequests {
			return nil, answer.Asked(fmt.Errorf("%w (it answered %d)", ErrUnavailable, answer.Status))
		}
		if answer.Status == http.StatusUnauthorized {
			return nil, ErrCredentials
		}
		return answer, nil
	}
}

// Page is a part of the catalog.
type Page struct {
	Offers []Offer
	// Gone are the numbers of offers that are no longer sold; a page of changes names them.
	Gone []string
	// Rejected are the items that could not be read.
	Rejected []RejectedItem
	Next     string
	Total    int
	// AsOf is the moment that changes may be asked from next time; empty where the source names none.
	AsOf string
}

// RejectedItem is an item that was set aside, with its position and the reason in plain words.
type RejectedItem struct {
	// Number is the offer's, where it could be read.
	Number                    string
	Position, Reason, Content string
	// Cells are those of a row of a price list.
	Cells []string
}

// Page reads one page of the catalog, or of what has changed since a moment; an empty
// cursor starts at the beginning.
func (s *Session) Page(ctx context.Context, cursor, since string) (Page, error) {
	q := url.Values{"limit": {strconv.Itoa(s.pageSize)}}
	if cursor != "" {
		q.Set("cursor", cursor)
	}
	if since != "" {
		q.Set("changed_since", since)
	}
	answer, err := s.get(ctx, "/offers?"+q.Encode())
	if err != nil {
		return Page{}, err
	}
	var read struct {
		Offers []json.RawMessage `json:"offers"`
		Next   *string           `json:"next"`
		Total  json.Number       `json:"total"`
		AsOf   string            `json:"as_of"`
	}
	if answer.Status != http.StatusOK || json.Unmarshal(answer.Body, &read) != nil {
		return Page{}, fmt.Errorf("%w (its catalog page cannot be read)", ErrUnavailable)
	}
	var page Page
	if total, err := strconv.Atoi(read.Total.String()); err == nil && total > 0 && total <= math.MaxInt32 {
		page.Total = total
	}
	if read.Next != nil {
		page.Next = *read.Next
	}
	if short("cursor", page.Next, maxURL) != nil || len(read.Offers) > maxPerPage {
		return Page{}, fmt.Errorf("%w (its catalog page cannot be read)", ErrUnavailable)
	}
	if _, err := time.Parse(time.RFC3339, read.AsOf); err == nil {
		page.AsOf = read.AsOf
	}
	for i, raw := range read.Offers {
		var left struct {
			Number       string `json:"productGroupID"`
			Discontinued bool   `json:"discontinued"`
		}
		if json.Unmarshal(raw, &left) == nil && left.Discontinued && left.Number != "" &&
			short("number", left.Number, maxNumber) == nil {
			page.Gone = append(page.Gone, left.Number)
			continue
		}
		offer, err := parse(raw)
		if err != nil {
			page.Rejected = append(page.Rejected,
				offer.rejected(fmt.Sprintf("item %d after cursor %q", i+1, cursor), err, raw))
			continue
		}
		page.Offers = append(page.Offers, offer)
	}
	return page, nil
}

// maxPerPage is how many offers one page may hold, whatever was asked for; maxContent how much is
// kept of an item that was rejected, in bytes.
const (
	maxPerPage = 5_000
	maxContent = 20_000
)

// rejected is an item that cannot be used; its position is told as its number where that could be read.
func (o Offer) rejected(position string, why error, raw []byte) RejectedItem {
	if o.Number != "" {
		position = strings.ToValidUTF8(o.Number[:min(len(o.Number), maxNumber)], "")
	}
	content := strings.ReplaceAll(strings.ToValidUTF8(string(raw[:min(len(raw), maxContent)]), "\uFFFD"), "\x00", "")
	return RejectedItem{Number: strings.ToValidUTF8(o.Number, ""), Position: position,
		Reason: strings.ToValidUTF8(why.Error(), "\uFFFD"), Content: content}
}

// Offer reads one offer as it is now. It returns ErrWithdrawn where it is no longer sold.
func (s *Session) Offer(ctx context.Context, number string) (Offer, error) {
	answer, err := s.get(ctx, "/offers/"+url.PathEscape(number))
	if err != nil {
		return Offer{}, err
	}
	if answer.Status == http.StatusGone || answer.Status == http.StatusNotFound {
		return Offer{}, ErrWithdrawn
	}
	if answer.Status != http.StatusOK || !json.Valid(answer.Body) {
		return Offer{}, fmt.Errorf("%w (its answer about an offer cannot be read)", ErrUnavailable)
	}
	return parse(answer.Body)
}
