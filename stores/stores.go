// Package stores keeps the connections to the stores that listings are sold in.
package stores

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"strconv"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"

	"plainpelican/connect/store"
	"plainpelican/core/money"
	"plainpelican/core/variant"
	"plainpelican/members"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/platform/secrets"
	"plainpelican/pricing"
	"plainpelican/stores/files"
)

// Service is the stores capability.
type Service struct {
	Pool *pgxpool.Pool
	// Drivers are of the kinds of stores that can be connected, in the order in which a server is asked what it is.
	Drivers   []store.Driver
	Box       *secrets.Box
	PublicURL string
	Pricing   Pricing
	Pictures  Pictures
	Log       *slog.Logger
	// OnConnected is told of a store that was connected, in its transaction; nil is nobody.
	OnConnected func(ctx context.Context, tx pgx.Tx, storeID int64) error
}

var (
	// errCurrency is that a store which was connected before sells in another currency now.
	errCurrency = errors.New("the store's currency is another than its prices here are in")
	// errFacts is that a store does not say what must be known of it.
	errFacts = errors.New("what the store says of itself cannot be used")
)

// Pricing is told of stores that are connected, and gives new ones their money rules.
type Pricing interface {
	Start(ctx context.Context, tx pgx.Tx, b pricing.StoreBasis, includedTax money.Ratio) error
}

// Store is a connected store as people see it. Its token never leaves the server.
type Store struct {
	ID                int64          `json:"id"`
	Address           string         `json:"address"`
	Handle            string         `json:"handle"`
	Name              string         `json:"name"`
	Currency          money.Currency `json:"currency"`
	TimeZone          string         `json:"time_zone"`
	Markets           []string       `json:"markets" doc:"ISO 3166 countries that it sells to"`
	Limits            variant.Limits `json:"limits"`
	RequestsPerSecond int            `json:"requests_per_second"`
	State             string         `json:"state" enum:"unconfirmed,connected,disconnected"`
	ConnectedAt       time.Time      `json:"connected_at"`
	// Missing are the permissions that it did not give, Problem how it refused us last.
	Missing  []store.Permission `json:"missing"`
	Problem  string             `json:"problem" enum:",disapproved,forbidden"`
	Defaults Defaults           `json:"defaults"`
	Files    bool               `json:"files" doc:"It has no API, and is served by files"`
	// OrderSettings are how its orders are dealt with.
	OrderSettings OrderSettings `json:"order_settings"`
}

// OrderSettings are how the orders of a store are dealt with.
type OrderSettings struct {
	// EraseAfter is after how many days since an order ended who bought is erased, ArchiveAfter after how many it is
	// archived; 0 is never.
	EraseAfter   int `json:"erase_after_days" minimum:"0" maximum:"3650"`
	ArchiveAfter int `json:"archive_after_days" minimum:"0" maximum:"3650"`
	// Phone is the shop's own telephone, for suppliers where a customer gave none.
	Phone string `json:"phone" maxLength:"40"`
}

// OrderSettingsChange is what changes of OrderSettings; what is absent stays.
type OrderSettingsChange struct {
	EraseAfter   *int    `json:"erase_after_days,omitempty" minimum:"0" maximum:"3650"`
	ArchiveAfter *int    `json:"archive_after_days,omitempty" minimum:"0" maximum:"3650"`
	Phone        *string `json:"phone,omitempty" maxLength:"40"`
}

// How a store refuses us.
const (
	ProblemDisapproved = "disapproved"
	ProblemForbidden   = "forbidden"
)

// Defaults are how drafts go to a store unless a run says otherwise.
type Defaults struct {
	Hidden      bool     `json:"hidden,omitempty" doc:"Hidden from customers at first"`
	SellEmpty   bool     `json:"sell_empty,omitempty"`
	ByRules     bool     `json:"by_rules,omitempty"`
	Reserve     int      `json:"reserve,omitempty" minimum:"0" maximum:"100000"`
	Collections []string `json:"collections,omitempty" maxItems:"50"`
}

const columns = `id, address, handle, name, currency, time_zone, markets, limits, requests_per_second, state, ` +
	`connected_at, permissions, problem, defaults, kind = '` + string(files.Kind) + `', erase_after_days,
		archive_after_days, phone`

func scan(row pgx.CollectableRow) (Store, error) {
	var s Store
	var currency string
	var limits []byte
	var permissions []string
	err := row.Scan(&s.ID, &s.Address, &s.Handle, &s.Name, &currency, &s.TimeZone, &s.Markets, &limits,
		&s.RequestsPerSecond, &s.State, &s.ConnectedAt, &permissions, &s.Problem, &s.Defaults, &s.Files,
		&s.OrderSettings.EraseAfter, &s.OrderSettings.ArchiveAfter, &s.OrderSettings.Phone)
	if err != nil {
		return s, err
	}
	s.Missing = []store.Permission{}
	for _, p := range store.Permissions {
		if len(permissions) > 0 && !slices.Contains(permissions, p.Name) {
			s.Missing = append(s.Missing, p)
		}
	}
	if s.Currency, err = money.ParseCurrency(currency); err != nil {
		return s, err
	}
	return s, json.Unmarshal(limits, &s.Limits)
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
func (s *Service) Get(ctx context.Context, id int64) (Store, error) { return get(ctx, s.Pool, id) }

func get(ctx context.Context, q database.Querier, id int64) (Store, error) {
	rows, err := q.Query(ctx, `select `+columns+` from store where id = $1 and state = 'connected'`, id)
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
func (s *Service) Basis(ctx context.Context, q database.Querier, id int64) (pricing.StoreBasis, error) {
	found, err := get(ctx, q, id)
	if err != nil {
		return pricing.StoreBasis{}, err
	}
	return basis(found), nil
}

func basis(s Store) pricing.StoreBasis {
	return pricing.StoreBasis{StoreID: s.ID, Handle: s.Handle, Currency: s.Currency, Markets: s.Markets}
}

// Connected lists the ids of connected stores.
func (s *Service) Connected(ctx context.Context, q database.Querier) ([]int64, error) {
	rows, err := q.Query(ctx, `select id from store where state = 'connected' order by id`)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[int64])
}

// Limits are what a store takes in one product.
func (s *Service) Limits(ctx context.Context, id int64) (variant.Limits, error) {
	found, err := s.Get(ctx, id)
	return found.Limits, err
}

// Vendor is whom a store's products are shown to be from: the shop itself, never a supplier.
func (s *Service) Vendor(ctx context.Context, id int64) (string, error) {
	found, err := s.Get(ctx, id)
	return found.Name, err
}

// Open makes a session with a connected store.
func (s *Service) Open(ctx context.Context, id int64) (store.Session, error) {
	found, err := s.Get(ctx, id)
	if err != nil {
		return nil, err
	}
	return s.openAny(ctx, found)
}

// openAny makes a session with a store, accepted or not.
func (s *Service) openAny(ctx context.Context, found Store) (store.Session, error) {
	var sealed []byte
	var kind store.Kind
	var endpoints json.RawMessage
	if err := s.Pool.QueryRow(ctx, `select kind, token, endpoints from store where id = $1`, found.ID).
		Scan(&kind, &sealed, &endpoints); err != nil {
		return nil, err
	}
	driver, err := s.driver(kind)
	if err != nil {
		return nil, err
	}
	token, err := s.Box.Open(purpose(found.Address), sealed)
	if err != nil {
		return nil, err
	}
	return driver.Open(found.Address, endpoints, token, &pace{s.Pool, found.ID, found.RequestsPerSecond})
}

// driver is the one of a kind; one that this program does not know is an error of ours.
func (s *Service) driver(kind store.Kind) (store.Driver, error) {
	for _, d := range s.Drivers {
		if d.Kind() == kind {
			return d, nil
		}
	}
	return nil, fmt.Errorf("no driver for stores of the kind %q", kind)
}

// describe asks a server what kind of store it is.
func (s *Service) describe(ctx context.Context, address string) (store.Driver, store.Description, error) {
	for _, d := range s.Drivers {
		said, err := d.Describe(ctx, address)
		if !errors.Is(err, store.ErrNotAStore) {
			return d, said, err
		}
	}
	return nil, store.Description{}, store.ErrNotAStore
}

// purpose binds a sealed secret to where it belongs.
func purpose(address string) string { return "store " + address }

func (s *Service) save(ctx context.Context, address string, kind store.Kind, d store.Description, f store.Facts,
	token string) (int64, error) {
	currency, err := money.ParseCurrency(f.Currency)
	if err != nil {
		return 0, fmt.Errorf("%w: %w", errFacts, err)
	}
	if len(f.ShipsTo) == 0 {
		return 0, fmt.Errorf("%w: it does not say which countries it sells to", errFacts)
	}
	if _, err := time.LoadLocation(f.TimeZone); err != nil {
		return 0, fmt.Errorf("%w: its time zone %q is not one we know", errFacts, f.TimeZone)
	}
	limits, err := json.Marshal(f.Limits)
	if err != nil {
		return 0, err
	}
	var id int64
	var state string
	err = database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		err := tx.QueryRow(ctx, `
			insert into store (address, handle, name, currency, time_zone, markets, limits, requests_per_second, kind,
				endpoints, token, permissions, included_tax, state)
			values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, 'unconfirmed')
			on conflict (address) do update
			set handle = excluded.handle, name = excluded.name, time_zone = excluded.time_zone,
				limits = excluded.limits, currency = excluded.currency, included_tax = excluded.included_tax,
				markets = case when store.state = 'unconfirmed' then excluded.markets else store.markets end,
				requests_per_second = excluded.requests_per_second, kind = excluded.kind,
				endpoints = excluded.endpoints, token = excluded.token, permissions = excluded.permissions,
				problem = '',
				state = case when store.state = 'unconfirmed' then 'unconfirmed' else 'connected' end,
				connected_at = now()
			where store.currency = excluded.currency or store.state = 'unconfirmed'
			returning id, state`,
			address, f.Handle, f.Name, currency.String(), f.TimeZone, f.ShipsTo, limits, max(f.RequestsPerSecond, 1),
			kind, d.Endpoints, s.Box.Seal(purpose(address), token), permissionsOf(f), f.IncludedTax).
			Scan(&id, &state)
		if database.Missing(err) {
			return fmt.Errorf("%w: it is now %s", errCurrency, currency)
		}
		if err != nil {
			return err
		}
		if state == "unconfirmed" {
			return nil // nothing is priced before somebody has said that it is the right one
		}
		found, err := get(ctx, tx, id)
		if err != nil {
			return err
		}
		return s.priceFor(ctx, tx, found, f.IncludedTax)
	})
	return id, err
}

// priceFor has a store that was connected priced for, and tells of it. Tax that is no ratio is none.
func (s *Service) priceFor(ctx context.Context, tx pgx.Tx, found Store, includedTax string) error {
	tax, err := money.ParseRatio(includedTax)
	if err != nil {
		tax = 0
	}
	if err := s.Pricing.Start(ctx, tx, basis(found), tax); err != nil {
		return err
	}
	if s.OnConnected != nil {
		if err := s.OnConnected(ctx, tx, found.ID); err != nil {
			return err
		}
	}
	if err := members.Audit(ctx, tx, "connected store", found.Name, nil,
		map[string]string{"address": found.Address, "currency": found.Currency.String()}); err != nil {
		return err
	}
	return pricing.NotifyChanged(ctx, tx)
}

// permissionsOf are those of a store that are known here.
func permissionsOf(f store.Facts) []string {
	known := []string{}
	for _, p := range store.Permissions {
		if slices.Contains(f.Permissions, p.Name) {
			known = append(known, p.Name)
		}
	}
	return known
}

func itoa(n int64) string { return strconv.FormatInt(n, 10) }
