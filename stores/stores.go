// Package stores keeps the connections to the stores that listings are sold in.
package stores

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"

	"plainpelican/connect/store"
	"plainpelican/core/markup"
	"plainpelican/core/money"
	"plainpelican/core/variant"
	"plainpelican/members"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/platform/secrets"
	"plainpelican/pricing"
)

// Service is the stores capability.
type Service struct {
	Pool      *pgxpool.Pool
	Connector store.Connector
	Box       *secrets.Box
	PublicURL string
}

// Store is a connected store as people see it. Its token never leaves the server.
type Store struct {
	ID                int64          `json:"id"`
	Address           string         `json:"address"`
	Handle            string         `json:"handle"`
	Name              string         `json:"name"`
	Currency          money.Currency `json:"currency"`
	TimeZone          string         `json:"time_zone"`
	Markets           []string       `json:"markets" doc:"ISO 3166 countries; the first is the one that prices assume"`
	Limits            variant.Limits `json:"limits"`
	RequestsPerSecond int            `json:"requests_per_second"`
	State             string         `json:"state" enum:"connected,disconnected"`
	PromiseDays       int            `json:"promise_days"`
	Terms             markup.Terms   `json:"terms"`
	ConnectedAt       time.Time      `json:"connected_at"`
}

const columns = `id, address, handle, name, currency, time_zone, markets, limits, requests_per_second, state, promise_days, terms, connected_at`

func scan(row pgx.CollectableRow) (Store, error) {
	var s Store
	var currency string
	var limits, terms []byte
	err := row.Scan(&s.ID, &s.Address, &s.Handle, &s.Name, &currency, &s.TimeZone, &s.Markets, &limits, &s.RequestsPerSecond, &s.State, &s.PromiseDays, &terms, &s.ConnectedAt)
	if err != nil {
		return s, err
	}
	if s.Currency, err = money.ParseCurrency(currency); err != nil {
		return s, err
	}
	if err := json.Unmarshal(limits, &s.Limits); err != nil {
		return s, err
	}
	return s, json.Unmarshal(terms, &s.Terms)
}

// List lists connected stores, the first connected first.
func (s *Service) List(ctx context.Context) ([]Store, error) {
	rows, err := s.Pool.Query(ctx, `select `+columns+` from store where state = 'connected' order by id`)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, scan)
}

// Get finds a connected store, or is a problem for a person.
func (s *Service) Get(ctx context.Context, id int64) (Store, error) {
	rows, err := s.Pool.Query(ctx, `select `+columns+` from store where id = $1 and state = 'connected'`, id)
	if err != nil {
		return Store{}, err
	}
	found, err := pgx.CollectExactlyOneRow(rows, scan)
	if database.Missing(err) {
		return found, apikit.NotFound("store")
	}
	return found, err
}

// Basis is what prices in a store rest on.
func (s *Service) Basis(ctx context.Context, id int64) (pricing.Basis, error) {
	found, err := s.Get(ctx, id)
	if err != nil {
		return pricing.Basis{}, err
	}
	return pricing.Basis{StoreID: id, Currency: found.Currency, Market: found.Markets[0], PromiseDays: found.PromiseDays, Terms: found.Terms}, nil
}

// Limits are what a store takes in one product.
func (s *Service) Limits(ctx context.Context, id int64) (variant.Limits, error) {
	found, err := s.Get(ctx, id)
	return found.Limits, err
}

// Open makes a session with a connected store.
func (s *Service) Open(ctx context.Context, id int64) (*store.Session, error) {
	found, err := s.Get(ctx, id)
	if err != nil {
		return nil, err
	}
	var sealed []byte
	var api string
	if err := s.Pool.QueryRow(ctx, `select token, api from store where id = $1`, id).Scan(&sealed, &api); err != nil {
		return nil, err
	}
	token, err := s.Box.Open(purpose(found.Address), sealed)
	if err != nil {
		return nil, err
	}
	return s.Connector.Open(found.Address, api, token, found.RequestsPerSecond), nil
}

// Standing changes what prices in a store assume: its market and delivery promise.
type Standing struct {
	Market      string       `json:"market" minLength:"2" maxLength:"2"`
	PromiseDays int          `json:"promise_days" minimum:"1" maximum:"90"`
	Terms       markup.Terms `json:"terms"`
}

func (s *Service) setStanding(ctx context.Context, id int64, in Standing) (Store, error) {
	found, err := s.Get(ctx, id)
	if err != nil {
		return Store{}, err
	}
	at := slices.Index(found.Markets, in.Market)
	switch {
	case at < 0:
		return Store{}, apikit.Problem(422, "market", "%s does not sell to %s.", found.Name, in.Market)
	case in.Terms.PaymentFixed.Currency() != found.Currency:
		return Store{}, apikit.Problem(422, "terms.payment_fixed", "The fixed fee must be in %s, the store's currency.", found.Currency)
	case in.Terms.PaymentFixed.Negative() || in.Terms.PaymentPercent < 0 || in.Terms.Returns < 0 || in.Terms.Tax < 0:
		return Store{}, apikit.Problem(422, "terms", "Fees, allowances and tax must be 0 or more.")
	case in.Terms.PaymentPercent+in.Terms.Returns >= money.One/2 || in.Terms.Tax >= money.One:
		return Store{}, apikit.Problem(422, "terms", "Fees and allowances must stay under 50 %%, tax under 100 %%.")
	}
	markets := append([]string{in.Market}, slices.Delete(slices.Clone(found.Markets), at, at+1)...)
	terms, err := json.Marshal(in.Terms)
	if err != nil {
		return Store{}, err
	}
	err = database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `update store set markets = $2, promise_days = $3, terms = $4 where id = $1`, id, markets, in.PromiseDays, terms); err != nil {
			return err
		}
		if err := members.Audit(ctx, tx, "changed fees and delivery promise", found.Name, Standing{found.Markets[0], found.PromiseDays, found.Terms}, in); err != nil {
			return err
		}
		return pricing.Changed(ctx, tx)
	})
	if err != nil {
		return Store{}, err
	}
	return s.Get(ctx, id)
}

// usualTerms are what a newly connected store starts from: common card fees, to be corrected.
func usualTerms(c money.Currency, tax money.Ratio) markup.Terms {
	return markup.Terms{PaymentPercent: money.Percent(290), PaymentFixed: money.New(30*c.Unit()/100, c), Returns: money.Percent(150), Tax: tax}
}

// purpose binds a sealed secret to where it belongs.
func purpose(address string) string { return "store " + address }

func (s *Service) save(ctx context.Context, address string, d store.Description, f store.Facts, token string) (int64, error) {
	currency, err := money.ParseCurrency(f.Currency)
	if err != nil {
		return 0, fmt.Errorf("the store's currency %w", err)
	}
	if len(f.ShipsTo) == 0 {
		return 0, fmt.Errorf("the store does not say which countries it sells to")
	}
	if _, err := time.LoadLocation(f.TimeZone); err != nil {
		return 0, fmt.Errorf("the store's time zone %q is not one we know", f.TimeZone)
	}
	tax, err := money.ParseRatio(f.IncludedTax)
	if err != nil {
		tax = 0
	}
	limits, err := json.Marshal(f.Limits)
	if err != nil {
		return 0, err
	}
	terms, err := json.Marshal(usualTerms(currency, tax))
	if err != nil {
		return 0, err
	}
	var id int64
	err = database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		err := tx.QueryRow(ctx, `
			insert into store (address, handle, name, currency, time_zone, markets, limits, requests_per_second, api, revocation, token, state, terms)
			values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, 'connected', $12)
			on conflict (address) do update set handle = excluded.handle, name = excluded.name, time_zone = excluded.time_zone, limits = excluded.limits,
				requests_per_second = excluded.requests_per_second, api = excluded.api, revocation = excluded.revocation, token = excluded.token,
				state = 'connected', connected_at = now()
			where store.currency = excluded.currency
			returning id`,
			address, f.Handle, f.Name, currency.String(), f.TimeZone, f.ShipsTo, limits, max(f.RequestsPerSecond, 1), d.API, d.Revocation, s.Box.Seal(purpose(address), token), terms).Scan(&id)
		if database.Missing(err) {
			return fmt.Errorf("the store's currency is now %s; its prices here are in another", currency)
		}
		if err != nil {
			return err
		}
		if err := pricing.StartRules(ctx, tx, id, currency); err != nil {
			return err
		}
		if err := members.Audit(ctx, tx, "connected store", f.Name, nil, map[string]string{"address": address, "currency": currency.String()}); err != nil {
			return err
		}
		return pricing.Changed(ctx, tx)
	})
	return id, err
}

func itoa(n int64) string { return strconv.FormatInt(n, 10) }
