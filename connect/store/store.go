// Package store speaks the store protocol (docs/protocols/store.md) to a store platform.
package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"golang.org/x/oauth2"

	"plainpelican/core/variant"
	"plainpelican/platform/outgoing"
)

var (
	// ErrNotAStore is returned for a server that answers but does not speak the protocol.
	ErrNotAStore = errors.New("that server is not a store")
	// ErrApproval is returned where the store does not honour the approval it gave.
	ErrApproval = errors.New("the store did not accept the approval; start again")
	// ErrDisapproved is returned where the store no longer accepts the token.
	ErrDisapproved = errors.New("the store no longer lets us in; connect it again")
	// ErrBusy is returned where the store keeps asking to slow down.
	ErrBusy = errors.New("the store asks us to slow down")
	// ErrUnavailable is returned where the store answers with an error of its own.
	ErrUnavailable = errors.New("the store is out of order")
	// ErrGone is returned for a product that the store no longer has.
	ErrGone = errors.New("the store no longer has this product")
)

// Refused is what the store will not take, in its own words.
type Refused struct {
	Field   string `json:"field"`
	Message string `json:"message"`
}

func (r *Refused) Error() string { return r.Message }

// Description is what a store says of itself before anyone approves.
type Description struct {
	Protocol string `json:"protocol"`
	Handle   string `json:"handle"`
	Name     string `json:"name"`
	// Issuer is its name in answers to approvals (RFC 9207): its own address.
	Issuer        string `json:"issuer"`
	Authorization string `json:"authorization_endpoint"`
	Token         string `json:"token_endpoint"`
	Revocation    string `json:"revocation_endpoint"`
	API           string `json:"api"`
}

// Facts are what the store says of itself to whom it approved.
type Facts struct {
	Handle            string         `json:"handle"`
	Name              string         `json:"name"`
	Currency          string         `json:"currency"`
	TimeZone          string         `json:"time_zone"`
	ShipsTo           []string       `json:"ships_to"`
	IncludedTax       string         `json:"included_tax"`
	Limits            variant.Limits `json:"limits"`
	RequestsPerSecond int            `json:"requests_per_second"`
}

// ClientID is how the application names itself to stores.
const ClientID = "Plain Pelican"

// Scopes are what it asks to be allowed.
const Scopes = "store:read products:write"

// Connector connects to stores.
type Connector struct{ Client *outgoing.Client }

// Describe asks a server what it is. It returns ErrNotAStore, or an error of the client.
func (c Connector) Describe(ctx context.Context, address string) (Description, error) {
	answer, err := c.Client.Do(ctx,
		outgoing.Request{Method: http.MethodGet, URL: address + "/.well-known/store-platform", Repeatable: true,
			MaxBytes: 1 << 16})
	if err != nil {
		return Description{}, err
	}
	var d Description
	if answer.Status >= 500 || answer.Status == http.StatusTooManyRequests {
		return d, ErrUnavailable
	}
	if answer.Status != http.StatusOK || json.Unmarshal(answer.Body, &d) != nil || d.Protocol != "store-platform/1" {
		return d, ErrNotAStore
	}
	for _, path := range []string{d.Authorization, d.Token, d.API} {
		if !strings.HasPrefix(path, "/") {
			return d, ErrNotAStore
		}
	}
	// What is revoked goes to the store's own address, and an issuer is who answers there (RFC 8414, section 3.3).
	if (d.Revocation != "" && !strings.HasPrefix(d.Revocation, "/")) || (d.Issuer != "" && d.Issuer != address) {
		return d, ErrNotAStore
	}
	return d, nil
}

// ApprovalURL is where a person is sent to approve: the authorization code flow with
// PKCE (RFC 7636, method S256).
func (d Description) ApprovalURL(address, redirect, state, verifier string) string {
	q := url.Values{
		"response_type": {"code"}, "client_id": {ClientID}, "redirect_uri": {redirect}, "scope": {Scopes},
		"state":          {state},
		"code_challenge": {oauth2.S256ChallengeFromVerifier(verifier)}, "code_challenge_method": {"S256"},
	}
	return address + d.Authorization + "?" + q.Encode()
}

// Exchange trades the code that came back for a token. It returns ErrApproval where the
// store refuses it.
func (c Connector) Exchange(ctx context.Context, address string, d Description, code, redirect,
	verifier string) (string, error) {
	form := url.Values{"grant_type": {"authorization_code"}, "client_id": {ClientID}, "code": {code},
		"redirect_uri": {redirect}, "code_verifier": {verifier}}
	answer, err := c.Client.Do(ctx,
		outgoing.Request{Method: http.MethodPost, URL: address + d.Token, Body: []byte(form.Encode()),
			Header: http.Header{"Content-Type": {"application/x-www-form-urlencoded"}}, MaxBytes: 1 << 16})
	if err != nil {
		return "", err
	}
	var token struct {
		AccessToken string `json:"access_token"`
	}
	if answer.Status >= 500 {
		return "", ErrUnavailable
	}
	if answer.Status != http.StatusOK || json.Unmarshal(answer.Body, &token) != nil || token.AccessToken == "" {
		return "", ErrApproval
	}
	return token.AccessToken, nil
}

// Revoke tells the store to forget a token; a store that does not answer forgets nothing.
func (c Connector) Revoke(ctx context.Context, address, endpoint, token string) error {
	if !strings.HasPrefix(endpoint, "/") {
		return nil
	}
	_, err := c.Client.Do(ctx,
		outgoing.Request{Method: http.MethodPost, URL: address + endpoint,
			Body:   []byte(url.Values{"token": {token}}.Encode()),
			Header: http.Header{"Content-Type": {"application/x-www-form-urlencoded"}}, MaxBytes: 1 << 16})
	return err
}

// Session is an approved connection to one store.
type Session struct {
	client *outgoing.Client
	api    string
	token  string
	// OnWait is told when the store asks to slow down; it may be nil.
	OnWait func(time.Duration)
}

// Open makes a session that keeps to the store's limit. A limit of 0 is not known yet.
func (c Connector) Open(address, api, token string, perSecond int) *Session {
	if u, err := url.Parse(address); err == nil && perSecond > 0 {
		c.Client.Limit(u.Host, perSecond)
	}
	return &Session{client: c.Client, api: address + api, token: token}
}

// send makes one API call and turns the store's answers into the errors of this package.
func (s *Session) send(ctx context.Context, method, path, key string, body any, into any) error {
	header := http.Header{"Authorization": {"Bearer " + s.token}}
	payload, raw := body.([]byte)
	if body != nil && !raw {
		var err error
		if payload, err = json.Marshal(body); err != nil {
			return err
		}
		header.Set("Content-Type", "application/json")
	}
	if key != "" {
		header.Set("Idempotency-Key", key)
	}
	answer, err := s.client.Do(ctx,
		outgoing.Request{Method: method, URL: s.api + path, Header: header, Body: payload, Repeatable: true,
			OnWait: func(wait time.Duration, status int) {
				if s.OnWait != nil && status == http.StatusTooManyRequests {
					s.OnWait(wait)
				}
			}})
	if errors.Is(err, outgoing.ErrAskedToWait) {
		return fmt.Errorf("%w: %w", ErrBusy, err)
	}
	if err != nil {
		return err
	}
	switch {
	case answer.Status == http.StatusUnauthorized || answer.Status == http.StatusForbidden:
		return ErrDisapproved
	case answer.Status == http.StatusTooManyRequests:
		return answer.Asked(ErrBusy)
	case answer.Status == http.StatusNotFound || answer.Status == http.StatusGone:
		return ErrGone
	case answer.Status == http.StatusUnprocessableEntity:
		var wrong struct {
			Errors []Refused `json:"errors"`
		}
		if json.Unmarshal(answer.Body, &wrong) == nil && len(wrong.Errors) > 0 {
			return &wrong.Errors[0]
		}
		return &Refused{Message: "The store refused it without saying why."}
	case answer.Status >= 300:
		return answer.Asked(fmt.Errorf("%w (it answered %d)", ErrUnavailable, answer.Status))
	}
	if into != nil && json.Unmarshal(answer.Body, into) != nil {
		return fmt.Errorf("%w (its answer cannot be read)", ErrUnavailable)
	}
	return nil
}

// Facts reads what the store is.
func (s *Session) Facts(ctx context.Context) (Facts, error) {
	var f Facts
	err := s.send(ctx, http.MethodGet, "/store", "", nil, &f)
	f.Handle, f.Name = text(f.Handle), text(f.Name)
	f.RequestsPerSecond = min(max(f.RequestsPerSecond, 1), maxPerSecond)
	f.ShipsTo = slices.DeleteFunc(f.ShipsTo, func(country string) bool { return len(country) != 2 })
	return f, err
}

// What is kept of what a store says.
const (
	maxText      = 300
	maxPerSecond = 1_000
)

// text is a line of a store's as it can be kept and shown.
func text(s string) string {
	s = strings.ReplaceAll(strings.ToValidUTF8(s, ""), "\x00", "")
	return strings.ToValidUTF8(s[:min(len(s), maxText)], "")
}
