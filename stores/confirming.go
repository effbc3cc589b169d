package stores

import (
	"context"
	"encoding/json"
	"net/http"
	"strings"

	"github.com/jackc/pgx/v5"

	"plainpelican/connect/store"
	"plainpelican/members"
	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
)

// Unconfirmed is a store that was approved and not accepted yet, with what it shows, so that the wrong one is known.
type Unconfirmed struct {
	Store
	Products []Sample `json:"products" doc:"Some of what it sells already"`
	Trouble  string   `json:"trouble" doc:"Why they could not be read"`
}

// Sample is a product as the store shows it.
type Sample struct {
	Title string `json:"title"`
	URL   string `json:"url"`
	Price string `json:"price"`
}

const samples = 5

// Unconfirmed lists the stores that wait to be accepted.
func (s *Service) Unconfirmed(ctx context.Context) ([]Unconfirmed, error) {
	rows, err := s.Pool.Query(ctx, `select `+columns+` from store where state = 'unconfirmed' order by id`)
	if err != nil {
		return nil, err
	}
	list, err := pgx.CollectRows(rows, scan)
	if err != nil {
		return nil, err
	}
	out := []Unconfirmed{}
	for _, one := range list {
		u := Unconfirmed{Store: one, Products: []Sample{}}
		session, err := s.openAny(ctx, one)
		if err == nil {
			products, _, listErr := session.List(ctx, "")
			err = listErr
			for _, f := range products[:min(len(products), samples)] {
				sample := Sample{Title: f.Product.Title, URL: f.Sent.URL}
				if len(f.Product.Variants) > 0 {
					sample.Price = f.Product.Variants[0].Price
				}
				u.Products = append(u.Products, sample)
			}
		}
		if err != nil {
			u.Trouble = words(one.Address, err)
		}
		out = append(out, u)
	}
	return out, nil
}

// Confirm accepts a store: from here on it is priced for, and can be published to.
func (s *Service) Confirm(ctx context.Context, id int64) (Store, error) {
	var found Store
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, `select `+columns+` from store
			where id = $1 and state = 'unconfirmed' for update`, id)
		if err != nil {
			return err
		}
		if found, err = pgx.CollectExactlyOneRow(rows, scan); database.Missing(err) {
			return apikit.NotFound("store")
		} else if err != nil {
			return err
		}
		var tax string
		if err := tx.QueryRow(ctx, `update store set state = 'connected', connected_at = now() where id = $1
			returning included_tax`, id).Scan(&tax); err != nil {
			return err
		}
		found.State = "connected"
		return s.priceFor(ctx, tx, found, tax)
	})
	return found, err
}

// Reject forgets a store that was approved and is the wrong one.
func (s *Service) Reject(ctx context.Context, id int64) error {
	var address string
	var sealed []byte
	var kind store.Kind
	var endpoints json.RawMessage
	err := s.Pool.QueryRow(ctx, `delete from store where id = $1 and state = 'unconfirmed'
		returning address, token, kind, endpoints`, id).Scan(&address, &sealed, &kind, &endpoints)
	if database.Missing(err) {
		return apikit.NotFound("store")
	}
	if err != nil {
		return err
	}
	s.revoke(ctx, address, kind, endpoints, sealed)
	return nil
}

// SetDefaults says how drafts go to a store unless a run says otherwise.
func (s *Service) SetDefaults(ctx context.Context, id int64, d Defaults) (Store, error) {
	before, err := s.Get(ctx, id)
	if err != nil {
		return Store{}, err
	}
	said, err := json.Marshal(d)
	if err != nil {
		return Store{}, err
	}
	if _, err := s.Pool.Exec(ctx, `update store set defaults = $2 where id = $1`, id, said); err != nil {
		return Store{}, err
	}
	if err := members.Audit(ctx, s.Pool, "changed how drafts go to a store", before.Name, before.Defaults,
		d); err != nil {
		return Store{}, err
	}
	return s.Get(ctx, id)
}

// ChangeOrderSettings says how the orders of a store are dealt with; what two people change at once is all kept.
func (s *Service) ChangeOrderSettings(ctx context.Context, id int64, to OrderSettingsChange) (Store, error) {
	before, err := s.Get(ctx, id)
	if err != nil {
		return Store{}, err
	}
	if to.Phone != nil {
		phone := strings.Join(strings.Fields(*to.Phone), " ")
		if strings.Trim(phone, "+0123456789 ()-/.") != "" {
			return Store{}, apikit.Problem(422, "phone", "“%s” is no telephone number.", phone)
		}
		to.Phone = &phone
	}
	if _, err := s.Pool.Exec(ctx, `update store set erase_after_days = coalesce($2, erase_after_days),
		archive_after_days = coalesce($3, archive_after_days), phone = coalesce($4, phone) where id = $1`, id,
		to.EraseAfter, to.ArchiveAfter, to.Phone); err != nil {
		return Store{}, err
	}
	if err := members.Audit(ctx, s.Pool, "changed how orders are dealt with", before.Name, before.OrderSettings,
		to); err != nil {
		return Store{}, err
	}
	return s.Get(ctx, id)
}

func (s *Service) registerConfirming(a *apikit.API) {
	apikit.Register(a, access.Owner, http.MethodGet, "/api/stores/unconfirmed", "unconfirmedStores",
		"Stores that were approved and wait to be accepted",
		func(ctx context.Context, _ *apikit.None) (*apikit.Body[[]Unconfirmed], error) {
			return apikit.OK(s.Unconfirmed(ctx))
		})
	apikit.Register(a, access.Owner, http.MethodPost, "/api/stores/{id}/confirm", "confirmStore",
		"Accept a store that was approved", func(ctx context.Context, in *apikit.ByID) (*apikit.Body[Store], error) {
			return apikit.OK(s.Confirm(ctx, in.ID))
		})
	apikit.Register(a, access.Owner, http.MethodPost, "/api/stores/{id}/reject", "rejectStore",
		"Forget a store that was approved and is the wrong one",
		func(ctx context.Context, in *apikit.ByID) (*apikit.None, error) {
			return nil, s.Reject(ctx, in.ID)
		})
	apikit.Register(a, access.Owner, http.MethodPut, "/api/stores/{id}/defaults", "setStoreDefaults",
		"How drafts go to a store unless a run says otherwise",
		func(ctx context.Context, in *struct {
			apikit.ByID
			Body Defaults
		}) (*apikit.Body[Store], error) {
			return apikit.OK(s.SetDefaults(ctx, in.ID, in.Body))
		})
	apikit.Register(a, access.Owner, http.MethodPatch, "/api/stores/{id}/order-settings", "changeOrderSettings",
		"Say how the orders of a store are dealt with", func(ctx context.Context, in *struct {
			apikit.ByID
			Body OrderSettingsChange
		}) (*apikit.Body[Store], error) {
			return apikit.OK(s.ChangeOrderSettings(ctx, in.ID, in.Body))
		})
}
