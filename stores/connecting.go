package stores

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"
	"net/url"
	"time"

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

const callbackPath = "/connect/store/callback"

// words says in the words of the job why a store could not be reached or connected.
func words(address string, err error) string {
	switch {
	case errors.Is(err, outgoing.ErrAddress):
		return "“" + address + "” is not a web address. Give one such as store.example.com."
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
	d, err := s.Connector.Describe(ctx, address)
	if err != nil {
		return "", apikit.Problem(422, "address", "%s", words(address, err))
	}
	endpoints, err := json.Marshal(d)
	if err != nil {
		return "", err
	}
	state, verifier := secrets.Token(), oauth2.GenerateVerifier()
	_, err = s.Pool.Exec(ctx, `insert into store_approval (state, member_id, address, endpoints, verifier) values ($1, $2, $3, $4, $5)`,
		state, access.Who(ctx).MemberID, address, endpoints, s.Box.Seal(purpose(address), verifier))
	return d.ApprovalURL(address, s.PublicURL+callbackPath, state, verifier), err
}

// callback is where the store sends people back. The state must be one that this member
// began within the last quarter of an hour, and serves once.
func (s *Service) callback(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	back := func(key, value string) {
		http.Redirect(w, r, "/store?"+url.Values{key: {value}}.Encode(), http.StatusSeeOther)
	}
	var address string
	var endpoints, sealed []byte
	var at time.Time
	err := s.Pool.QueryRow(r.Context(), `delete from store_approval where state = $1 and member_id = $2 returning address, endpoints, verifier, created_at`,
		q.Get("state"), access.Who(r.Context()).MemberID).Scan(&address, &endpoints, &sealed, &at)
	if err != nil || time.Since(at) > 15*time.Minute {
		back("trouble", "This approval was not begun here, or too long ago. Connect the store again.")
		return
	}
	if q.Get("error") != "" {
		back("trouble", "You refused on the store's side, so nothing was connected.")
		return
	}
	id, err := s.finish(r.Context(), address, endpoints, sealed, q.Get("code"))
	if err != nil {
		back("trouble", words(address, err))
		return
	}
	back("connected", itoa(id))
}

func (s *Service) finish(ctx context.Context, address string, endpoints, sealed []byte, code string) (int64, error) {
	var d store.Description
	if err := json.Unmarshal(endpoints, &d); err != nil {
		return 0, err
	}
	verifier, err := s.Box.Open(purpose(address), sealed)
	if err != nil {
		return 0, err
	}
	token, err := s.Connector.Exchange(ctx, address, d, code, s.PublicURL+callbackPath, verifier)
	if err != nil {
		return 0, err
	}
	facts, err := s.Connector.Open(address, d.API, token, 0).Facts(ctx)
	if err != nil {
		return 0, err
	}
	return s.save(ctx, address, d, facts, token)
}

// disconnect forgets the token, here and where it answers at the store. What was
// published stays in the store; drafts and typed prices stay here.
func (s *Service) disconnect(ctx context.Context, id int64) error {
	found, err := s.Get(ctx, id)
	if err != nil {
		return err
	}
	var sealed []byte
	var endpoint string
	err = database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		if err := tx.QueryRow(ctx, `select token, revocation from store where id = $1 for update`, id).Scan(&sealed, &endpoint); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `update store set state = 'disconnected', token = null where id = $1`, id); err != nil {
			return err
		}
		if err := members.Audit(ctx, tx, "disconnected store", found.Name, nil, nil); err != nil {
			return err
		}
		return pricing.Changed(ctx, tx)
	})
	if err != nil {
		return err
	}
	if token, err := s.Box.Open(purpose(found.Address), sealed); err == nil {
		_ = s.Connector.Revoke(ctx, found.Address, endpoint, token) // a store that is down cannot forget; we have
	}
	return nil
}

// Register adds the operations.
func (s *Service) Register(a *apikit.API) {
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/stores", "listStores", "List connected stores", func(ctx context.Context, _ *apikit.None) (*apikit.Body[[]Store], error) {
		return apikit.OK(s.List(ctx))
	})
	apikit.Register(a, access.Owner, http.MethodPost, "/api/stores/connect", "beginStore", "Begin to connect a store; go to the address in the answer to approve",
		func(ctx context.Context, in *struct {
			Body struct {
				Address string `json:"address" minLength:"1" maxLength:"300"`
			}
		}) (*apikit.Body[Approval], error) {
			to, err := s.begin(ctx, in.Body.Address)
			return apikit.OK(Approval{to}, err)
		})
	apikit.Register(a, access.Owner, http.MethodPost, "/api/stores/{id}/disconnect", "disconnectStore", "Disconnect a store", func(ctx context.Context, in *apikit.ByID) (*apikit.None, error) {
		return nil, s.disconnect(ctx, in.ID)
	})
	a.Raw(access.Owner, http.MethodGet, callbackPath, s.callback)
}

// Approval is where a person approves a connection.
type Approval struct {
	ApproveAt string `json:"approve_at"`
}
