// Package store says what a store is to this application: what is asked of one, whatever its kind, and what it may
// answer. Each kind is a driver in a folder of its own.
package store

import (
	"context"
	"encoding/json"
	"errors"
	"slices"
	"strings"
	"time"

	"plainpelican/core/variant"
)

var (
	// ErrNotAStore is returned for a server that answers but does not speak the protocol.
	ErrNotAStore = errors.New("that server is not a store")
	// ErrApproval is returned where the store does not honour the approval it gave.
	ErrApproval = errors.New("the store did not accept the approval; start again")
	// ErrDisapproved is returned where the store no longer accepts the token.
	ErrDisapproved = errors.New("the store no longer lets us in; connect it again")
	// ErrForbidden is returned where the store honours the token, and does not permit this.
	ErrForbidden = errors.New("the store does not permit this")
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

// Kind names a kind of store, as it is kept.
type Kind string

// Driver is what one kind of store does in its own way. To add a kind is to write one, and to name it where the
// application is put together.
type Driver interface {
	Kind() Kind
	// Describe asks a server what it is. It returns ErrNotAStore where it is none of this kind, or why it does not
	// answer.
	Describe(ctx context.Context, address string) (Description, error)
	// ApprovalURL is where a person is sent to approve: the authorization code flow with PKCE (RFC 7636).
	ApprovalURL(address string, d Description, redirect, state, verifier string) (string, error)
	// Exchange trades the code that came back for a token. It returns ErrApproval where the store refuses it.
	Exchange(ctx context.Context, address string, d Description, code, redirect, verifier string) (token string,
		err error)
	// Open makes a session whose requests wait for their turn; nil has them wait for none.
	Open(address string, endpoints json.RawMessage, token string, pace Pace) (Session, error)
	// Revoke tells the store to forget a token; a store that does not answer forgets nothing.
	Revoke(ctx context.Context, address string, endpoints json.RawMessage, token string) error
}

// Pace shares a store's limit among all that send to it, in this process and others.
type Pace interface {
	// Turn waits until the next request may go.
	Turn(ctx context.Context) error
	// Asked notes that the store wants to be left alone for a while: nobody sends to it until then.
	Asked(wait time.Duration)
	// Refused notes that the store lets us in no longer (ErrDisapproved), or does not permit something (ErrForbidden).
	Refused(err error)
}

// Permissions are what is asked of a store, as the protocol names it, with what each is for.
var Permissions = []Permission{
	{"store:read", "read its name, currency, limits and countries"},
	{"products:write", "publish, change and take down products"},
	{"orders:read", "read orders and be told of new ones"},
	{"fulfilments:write", "tell customers which parcels their orders are in"},
	{"refunds:write", "give customers money back"},
}

// Permission is one of them.
type Permission struct {
	Name string `json:"name"`
	For  string `json:"for"`
}

// Description is what a store says of itself before anyone approves.
type Description struct {
	Handle string `json:"handle"`
	Name   string `json:"name"`
	// Issuer is its name in answers to approvals (RFC 9207): its own address.
	Issuer string `json:"issuer"`
	// Endpoints are where things are done, as its driver writes them down for itself.
	Endpoints json.RawMessage `json:"endpoints"`
}

// Session is an approved connection to one store. Its errors are those of this package, a Refused, or why nothing
// answered.
type Session interface {
	// Facts reads what the store is.
	Facts(ctx context.Context) (Facts, error)
	// PutPicture sends a picture under its hash; sending it again changes nothing.
	PutPicture(ctx context.Context, hash string, content []byte) error
	// Create makes a product. The same key never makes a second one, so the call is repeated after an answer that was
	// lost.
	Create(ctx context.Context, key string, p Product) (Sent, error)
	// Update changes some fields of a product to what they are in p, or returns ErrGone.
	Update(ctx context.Context, id string, p Product, fields []string) (Sent, error)
	// Find lists the products with our reference, as the store has them: none, one, or several where a draft was once
	// listed twice.
	Find(ctx context.Context, reference string) ([]Found, error)
	// List reads the store's products page by page: those after a cursor, which is empty at first and at the end.
	List(ctx context.Context, cursor string) (products []Found, next string, err error)
	// Remove takes a product out of the store; one that is gone already is no error.
	Remove(ctx context.Context, id string) error
	// Orders lists orders that changed after a moment, in the order in which they did; more tells that these are not
	// all.
	Orders(ctx context.Context, since time.Time) (orders []Order, more bool, err error)
	// Fulfil tells of a parcel of an order. The same key never makes a second one.
	Fulfil(ctx context.Context, key, order string, f Fulfilment) error
	// Refund gives a customer money back. The same key never gives it twice. It returns what was given back of the
	// order altogether, as decimal text in its currency; empty where the store does not say.
	Refund(ctx context.Context, key, order string, r Refund) (refunded string, err error)
	// Hook has the store tell an address of orders, and gives the secret with which it signs; empty where it tells
	// nobody.
	Hook(ctx context.Context, address string) (secret string, err error)
	// OnWait has it told when the store asks to slow down.
	OnWait(tell func(time.Duration))
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
	// Permissions are what it permits; none where it does not say.
	Permissions []string `json:"permissions"`
}

// Checked are facts as they can be kept.
func (f Facts) Checked() Facts {
	f.Handle, f.Name = Text(f.Handle), Text(f.Name)
	f.RequestsPerSecond = min(max(f.RequestsPerSecond, 1), maxPerSecond)
	f.ShipsTo = slices.DeleteFunc(f.ShipsTo, func(country string) bool { return len(country) != 2 })
	return f
}

// What is kept of what a store says.
const (
	maxText      = 300
	maxPerSecond = 1_000
)

// Text is a line of a store's as it can be kept and shown.
func Text(s string) string {
	s = strings.ReplaceAll(strings.ToValidUTF8(s, ""), "\x00", "")
	return strings.ToValidUTF8(s[:min(len(s), maxText)], "")
}
