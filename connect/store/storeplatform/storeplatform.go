// Package storeplatform speaks the store protocol (docs/protocols/store.md) to a store platform.
package storeplatform

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"time"

	"golang.org/x/oauth2"

	"plainpelican/connect/store"
	"plainpelican/platform/outgoing"
)

// clientID is how the application names itself to stores.
const clientID = "Plain Pelican"

// scopes are what it asks to be allowed.
func scopes() string {
	var names []string
	for _, p := range store.Permissions {
		names = append(names, p.Name)
	}
	return strings.Join(names, " ")
}

// Driver speaks the store protocol.
type Driver struct{ Client *outgoing.Client }

// Kind names it.
func (Driver) Kind() store.Kind { return "store platform" }

// description is what a store says at its well-known address.
type description struct {
	Protocol string `json:"protocol"`
	Handle   string `json:"handle"`
	Name     string `json:"name"`
	Issuer   string `json:"issuer"`
	endpoints
}

type endpoints struct {
	Authorization string `json:"authorization_endpoint"`
	Token         string `json:"token_endpoint"`
	Revocation    string `json:"revocation_endpoint"`
	API           string `json:"api"`
}

func read(raw json.RawMessage) (e endpoints, err error) {
	err = json.Unmarshal(raw, &e)
	return e, err
}

// Describe asks a server what it is. It returns ErrNotAStore, or an error of the client.
func (d Driver) Describe(ctx context.Context, address string) (store.Description, error) {
	answer, err := d.Client.Do(ctx,
		outgoing.Request{Method: http.MethodGet, URL: address + "/.well-known/store-platform", Repeatable: true,
			MaxBytes: 1 << 16})
	if err != nil {
		return store.Description{}, err
	}
	var said description
	if answer.Status >= 500 || answer.Status == http.StatusTooManyRequests {
		return store.Description{}, store.ErrUnavailable
	}
	if answer.Status != http.StatusOK || json.Unmarshal(answer.Body, &said) != nil ||
		said.Protocol != "store-platform/1" {
		return store.Description{}, store.ErrNotAStore
	}
	for _, path := range []string{said.Authorization, said.Token, said.API} {
		if !strings.HasPrefix(path, "/") {
			return store.Description{}, store.ErrNotAStore
		}
	}
	// What is revoked goes to the store's own address, and an issuer is who answers there (RFC 8414, section 3.3).
	if (said.Revocation != "" && !strings.HasPrefix(said.Revocation, "/")) ||
		(said.Issuer != "" && said.Issuer != address) {
		return store.Description{}, store.ErrNotAStore
	}
	kept, err := json.Marshal(said.endpoints)
	return store.Description{Handle: said.Handle, Name: said.Name, Issuer: said.Issuer, Endpoints: kept}, err
}

// ApprovalURL is where a person is sent to approve: the authorization code flow with
// PKCE (RFC 7636, method S256).
func (Driver) ApprovalURL(address string, of store.Description, redirect, state, verifier string) (string, error) {
	to, err := read(of.Endpoints)
	q := url.Values{
		"response_type": {"code"}, "client_id": {clientID}, "redirect_uri": {redirect}, "scope": {scopes()},
		"state":          {state},
		"code_challenge": {oauth2.S256ChallengeFromVerifier(verifier)}, "code_challenge_method": {"S256"},
	}
	return address + to.Authorization + "?" + q.Encode(), err
}

// Exchange trades the code that came back for a token. It returns store.ErrApproval where the
// store refuses it.
func (d Driver) Exchange(ctx context.Context, address string, of store.Description, code, redirect,
	verifier string) (string, error) {
	to, err := read(of.Endpoints)
	if err != nil {
		return "", err
	}
	form := url.Values{"grant_type": {"authorization_code"}, "client_id": {clientID}, "code": {code},
		"redirect_uri": {redirect}, "code_verifier": {verifier}}
	answer, err := d.post(ctx, address+to.Token, form)
	if err != nil {
		return "", err
	}
	var token struct {
		AccessToken string `json:"access_token"`
	}
	if answer.Status >= 500 {
		return "", store.ErrUnavailable
	}
	if answer.Status != http.StatusOK || json.Unmarshal(answer.Body, &token) != nil || token.AccessToken == "" {
		return "", store.ErrApproval
	}
	return token.AccessToken, nil
}

// Revoke tells the store to forget a token; a store that does not answer forgets nothing.
func (d Driver) Revoke(ctx context.Context, address string, endpoints json.RawMessage, token string) error {
	to, err := read(endpoints)
	if err != nil || !strings.HasPrefix(to.Revocation, "/") {
		return err
	}
	_, err = d.post(ctx, address+to.Revocation, url.Values{"token": {token}})
	return err
}

// post sends a form.
func (d Driver) post(ctx context.Context, address string, form url.Values) (*outgoing.Response, error) {
	return d.Client.Do(ctx, outgoing.Request{Method: http.MethodPost, URL: address, Body: []byte(form.Encode()),
		Header: http.Header{"Content-Type": {"application/x-www-form-urlencoded"}}, MaxBytes: 1 << 16})
}

// session is an approved connection to one store.
type session struct {
	client *outgoing.Client
	api    string
	token  string
	pace   store.Pace
	onWait func(time.Duration)
}

// Open makes a session whose requests wait for their turn.
func (d Driver) Open(address string, endpoints json.RawMessage, token string, pace store.Pace) (store.Session, error) {
	to, err := read(endpoints)
	if err != nil {
		return nil, err
	}
	return &session{client: d.Client, api: address + to.API, token: token, pace: pace}, nil
}

// OnWait has it told when the store asks to slow down.
func (s *session) OnWait(tell func(time.Duration)) { s.onWait = tell }

// send makes one API call and turns the store's answers into the errors of store.
func (s *session) send(ctx context.Context, method, path, key string, body any, into any) error {
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
	if s.pace != nil {
		if err := s.pace.Turn(ctx); err != nil {
			return err
		}
	}
	answer, err := s.client.Do(ctx,
		outgoing.Request{Method: method, URL: s.api + path, Header: header, Body: payload, Repeatable: true,
			OnWait: func(wait time.Duration, status int) {
				if status != http.StatusTooManyRequests {
					return
				}
				if s.pace != nil {
					s.pace.Asked(wait)
				}
				if s.onWait != nil {
					s.onWait(wait)
				}
			}})
	if errors.Is(err, outgoing.ErrAskedToWait) {
		return fmt.Errorf("%w: %w", store.ErrBusy, err)
	}
	if err != nil {
		return err
	}
	if wait := answer.Exhausted(); wait > 0 && s.pace != nil {
		s.pace.Asked(wait)
	}
	switch {
	case answer.Status == http.StatusUnauthorized:
		return s.refused(store.ErrDisapproved)
	case answer.Status == http.StatusForbidden:
		return s.refused(store.ErrForbidden)
	case answer.Status == http.StatusTooManyRequests:
		return answer.Asked(store.ErrBusy)
	case answer.Status == http.StatusNotFound || answer.Status == http.StatusGone:
		return store.ErrGone
	case answer.Status == http.StatusUnprocessableEntity:
		var wrong struct {
			Errors []store.Refused `json:"errors"`
		}
		if json.Unmarshal(answer.Body, &wrong) == nil && len(wrong.Errors) > 0 {
			return &wrong.Errors[0]
		}
		return &store.Refused{Message: "The store refused it without saying why."}
	case answer.Status >= 300:
		return answer.Asked(fmt.Errorf("%w (it answered %d)", store.ErrUnavailable, answer.Status))
	}
	if into != nil && json.Unmarshal(answer.Body, into) != nil {
		return fmt.Errorf("%w (its answer cannot be read)", store.ErrUnavailable)
	}
	return nil
}

// refused has it noted that the store refused us.
func (s *session) refused(err error) error {
	if s.pace != nil {
		s.pace.Refused(err)
	}
	return err
}

// Facts reads what the store is.
func (s *session) Facts(ctx context.Context) (store.Facts, error) {
	var f store.Facts
	err := s.send(ctx, http.MethodGet, "/store", "", nil, &f)
	return f.Checked(), err
}
