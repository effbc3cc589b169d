package stores

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/jackc/pgx/v5"
	"golang.org/x/oauth2"

	"plainpelican/connect/store"
	"plainpelican/members"
	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/platform/outgoing"
	"plainpelican/platform/secrets"
	"plainpelican/pricing"
)

const callbackPath = "/connect/store/callback/"

// words says in the words of the job why a store could not be reached or connected.
func words(address string, err error) string {
	switch {
	case errors.Is(err, outgoing.ErrAddress):
		return "“" + address + "” is not a web address. Give one such as store.example.com."
	case errors.Is(err, outgoing.ErrPlain):
		return address + " is not encrypted, so no secret is sent there. Give its https address."
	case errors.Is(err, outgoing.ErrGuarded):
		return address + " is a private address, which this installation does not allow."
	case errors.Is(err, outgoing.ErrUnreachable):
		return "Nothing answers at " + address + ". Check the address, or try again later."
	case errors.Is(err, store.ErrNotAStore):
		return "There is a server at " + address + ", but it is not a store that can be connected."
	case errors.Is(err, store.ErrApproval):
		return "The store did not accept the approval. Connect it again."
	case errors.Is(err, store.ErrUnavailable), errors.Is(err, store.ErrBusy):
		return "The store at " + address + " is out of order. Try again later."
	}
	return "The store cannot be connected: " + err.Error() + "."
}

// begin asks the store where people approve, and remembers the state and verifier.
func (s *Service) begin(ctx context.Context, typed string) (string, error) {
	u, err := outgoing.Address(typed)
	if err != nil {
		return "", apikit.Problem(422, "address", "%s", words(typed, err))
	}
	address := u.String()
	driver, d, err := s.describe(ctx, address)
	if err != nil {
		return "", apikit.Problem(422, "address", "%s", words(address, err))
	}
	said, err := json.Marshal(d)
	if err != nil {
		return "", err
	}
	state, attempt, verifier := secrets.Token(), secrets.Token(), oauth2.GenerateVerifier()
	_, err = s.Pool.Exec(ctx, `insert into store_approval (state, attempt, issuer, member_id, address, kind,
		description, verifier) values ($1, $2, $3, $4, $5, $6, $7, $8)`,
		state, attempt, d.Issuer, access.Who(ctx).MemberID, address, driver.Kind(), said,
		s.Box.Seal(purpose(address), verifier))
	if err != nil {
		return "", err
	}
	return driver.ApprovalURL(address, d, s.redirect(attempt), state, verifier)
}

// redirect is where a store sends people back to: an address for each attempt, so that the answer of one
// store is never taken for another's (RFC 9700, section 4.4.2).
func (s *Service) redirect(attempt string) string { return s.PublicURL + callbackPath + attempt }

// approvalLasts is how long an attempt to connect may take.
const approvalLasts = 15 * time.Minute

// Prune forgets attempts to connect that were not finished.
func (s *Service) Prune(ctx context.Context) error {
	_, err := s.Pool.Exec(ctx, `delete from store_approval where created_at < now() - interval '1 hour'`)
	return err
}

// errorCode is why connecting failed, as a code that the page has a sentence for: no text of an address
// is ever shown.
func errorCode(err error) string {
	for code, is := range map[string]error{"no-answer": outgoing.ErrUnreachable, "private": outgoing.ErrGuarded,
		"plain": outgoing.ErrPlain, "not-a-store": store.ErrNotAStore, "approval": store.ErrApproval,
		"out-of-order": store.ErrUnavailable, "busy": store.ErrBusy, "currency": errCurrency, "facts": errFacts} {
		if errors.Is(err, is) {
			return code
		}
	}
	return "our-side"
}

// callback is where the store sends people back. The state must be one that this member
// began within the last quarter of an hour, and serves once.
func (s *Service) callback(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	back := func(answer string) { http.Redirect(w, r, "/store?"+answer, http.StatusSeeOther) }
	fail := func(code string) { back("error=" + code) }
	var address, issuer string
	var kind store.Kind
	var said, sealed []byte
	var at time.Time
	attempt := chi.URLParam(r, "attempt")
	err := s.Pool.QueryRow(r.Context(), `delete from store_approval where attempt = $1 and state = $2 and member_id = $3
		returning address, issuer, kind, description, verifier, created_at`,
		strings.ToValidUTF8(attempt, ""), strings.ReplaceAll(strings.ToValidUTF8(q.Get("state"), ""), "\x00", ""),
		access.Who(r.Context()).MemberID).Scan(&address, &issuer, &kind, &said, &sealed, &at)
	switch {
	case err != nil && !database.Missing(err):
		s.Log.Error("reading an approval", "error", err)
		fail("our-side")
		return
	case err != nil || time.Since(at) > approvalLasts:
		fail("not-begun")
		return
	case q.Get("iss") != issuer && (issuer != "" || q.Get("iss") != address): // RFC 9207, section 2.4
		fail("issuer")
		return
	case q.Get("error") != "":
		fail("refused")
		return
	}
	id, err := s.finish(r.Context(), address, kind, s.redirect(attempt), said, sealed, q.Get("code"))
	if err != nil {
		s.Log.Warn("connecting a store", "address", address, "error", err)
		fail(errorCode(err))
		return
	}
	if known, err := s.Get(r.Context(), id); err == nil {
		back("connected=" + itoa(known.ID) + "&store=" + itoa(known.ID)) // and it is the store in use from here on
		return
	}
	back("confirm=" + itoa(id))
}

func (s *Service) finish(ctx context.Context, address string, kind store.Kind, redirect string, said, sealed []byte,
	code string) (int64, error) {
	driver, err := s.driver(kind)
	if err != nil {
		return 0, err
	}
	var d store.Description
	if err := json.Unmarshal(said, &d); err != nil {
		return 0, err
	}
	verifier, err := s.Box.Open(purpose(address), sealed)
	if err != nil {
		return 0, err
	}
	token, err := driver.Exchange(ctx, address, d, code, redirect, verifier)
	if err != nil {
		return 0, err
	}
	session, err := driver.Open(address, d.Endpoints, token, nil)
	if err != nil {
		return 0, err
	}
	facts, err := session.Facts(ctx)
	if err != nil {
		return 0, err
	}
	return s.save(ctx, address, kind, d, facts, token)
}

// disconnect forgets the token, here and where it answers at the store. What was
// published stays in the store; drafts and typed prices stay here.
func (s *Service) disconnect(ctx context.Context, id int64) error {
	found, err := s.Get(ctx, id)
	if err != nil {
		return err
	}
	var sealed []byte
	var kind store.Kind
	var endpoints json.RawMessage
	err = database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		if err := tx.QueryRow(ctx, `select kind, token, endpoints from store
			where id = $1 for update`, id).Scan(&kind, &sealed, &endpoints); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `update store set state = 'disconnected', token = null
			where id = $1`, id); err != nil {
			return err
		}
		if err := members.Audit(ctx, tx, "disconnected store", found.Name, nil, nil); err != nil {
			return err
		}
		return pricing.NotifyChanged(ctx, tx)
	})
	if err != nil {
		return err
	}
	s.revoke(ctx, found.Address, kind, endpoints, sealed)
	return nil
}

// revoke tells a store to forget a token. One that is down cannot forget; we have.
func (s *Service) revoke(ctx context.Context, address string, kind store.Kind, endpoints json.RawMessage,
	sealed []byte) {
	driver, err := s.driver(kind)
	if err != nil {
		return
	}
	if token, err := s.Box.Open(purpose(address), sealed); err == nil {
		_ = driver.Revoke(ctx, address, endpoints, token)
	}
}

// Register adds the operations.
func (s *Service) Register(a *apikit.API) {
	s.registerConfirming(a)
	s.registerFiles(a)
	apikit.Register(a, access.OrderHandler, http.MethodGet, "/api/stores", "listStores", "List connected stores",
		func(ctx context.Context, _ *apikit.None) (*apikit.Body[[]Store], error) {
			return apikit.OK(s.List(ctx))
		})
	apikit.Register(a, access.Owner, http.MethodPost, "/api/stores/connect", "beginStore",
		"Begin to connect a store; go to the address in the answer to approve",
		func(ctx context.Context, in *struct {
			Body struct {
				Address string `json:"address" minLength:"1" maxLength:"300"`
			}
		}) (*apikit.Body[Approval], error) {
			to, err := s.begin(ctx, in.Body.Address)
			return apikit.OK(Approval{to}, err)
		})
	apikit.Register(a, access.Owner, http.MethodPost, "/api/stores/{id}/disconnect", "disconnectStore",
		"Disconnect a store", func(ctx context.Context, in *apikit.ByID) (*apikit.None, error) {
			return nil, s.disconnect(ctx, in.ID)
		})
	a.Raw(access.Owner, http.MethodGet, callbackPath+"{attempt}", s.callback)
}

// Approval is where a person approves a connection.
type Approval struct {
	ApproveAt string `json:"approve_at"`
}
