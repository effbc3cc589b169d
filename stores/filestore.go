package stores

import (
	"context"
	"encoding/json"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/jackc/pgx/v5"

	"plainpelican/connect/store"
	"plainpelican/core/money"
	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/platform/secrets"
	"plainpelican/stores/files"
)

// Pictures are read by their hash.
type Pictures interface {
	Get(hash string) ([]byte, error)
}

// FileStoreInput is a store without an API, as a person describes it.
type FileStoreInput struct {
	Name     string   `json:"name" minLength:"1" maxLength:"100"`
	Currency string   `json:"currency" minLength:"3" maxLength:"3" doc:"ISO 4217"`
	TimeZone string   `json:"time_zone" minLength:"1" maxLength:"60" doc:"IANA"`
	Markets  []string `json:"markets" minItems:"1" maxItems:"100" doc:"ISO 3166 countries; prices assume the first"`
	// IncludedTax is the rate of sales tax in its prices as a ratio; empty is none.
	IncludedTax string `json:"included_tax,omitempty" maxLength:"20"`
	Options     int    `json:"options,omitempty" minimum:"0" maximum:"100" doc:"Most options of a product; 0 is any"`
	Variants    int    `json:"variants,omitempty" minimum:"0" maximum:"100000" doc:"Most variants of a product"`
	Pictures    int    `json:"pictures,omitempty" minimum:"0" maximum:"1000" doc:"Most pictures of a product"`
	TitleLength int    `json:"title_length,omitempty" minimum:"0" maximum:"10000" doc:"Most characters of a title"`
}

// AddFileStore adds a store that is served by files.
func (s *Service) AddFileStore(ctx context.Context, in FileStoreInput) (Store, error) {
	name := strings.Join(strings.Fields(in.Name), " ")
	currency, err := money.ParseCurrency(strings.ToUpper(in.Currency))
	if err != nil {
		return Store{}, apikit.Problem(422, "currency", "“%s” is no currency: give its code, such as USD.", in.Currency)
	}
	if _, err := time.LoadLocation(in.TimeZone); err != nil || in.TimeZone == "" {
		return Store{}, apikit.Problem(422, "time_zone",
			"“%s” is no time zone: give one such as Europe/Lisbon.", in.TimeZone)
	}
	markets := []string{}
	for _, m := range in.Markets {
		code := strings.ToUpper(strings.TrimSpace(m))
		if len(code) != 2 || strings.Trim(code, "ABCDEFGHIJKLMNOPQRSTUVWXYZ") != "" {
			return Store{}, apikit.Problem(422, "markets", "“%s” is no country: give its two letters, such as US.", m)
		}
		markets = append(markets, code)
	}
	if in.IncludedTax != "" {
		if tax, err := money.ParseRatio(in.IncludedTax); err != nil || tax < 0 {
			return Store{}, apikit.Problem(422, "included_tax",
				"“%s” is no rate of tax: give one such as 0.19.", in.IncludedTax)
		}
	}
	facts := store.Facts{Handle: name, Name: name, Currency: currency.String(), TimeZone: in.TimeZone, ShipsTo: markets,
		IncludedTax: in.IncludedTax, RequestsPerSecond: 1000}
	facts.Limits.Options, facts.Limits.Variants, facts.Limits.Pictures, facts.Limits.TitleLength = in.Options,
		in.Variants, in.Pictures, in.TitleLength
	limits, err := json.Marshal(facts.Limits)
	if err != nil {
		return Store{}, err
	}
	address := "files:" + secrets.Token()
	var made Store
	err = database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		var id int64
		// What it says of itself names it, so it is written once there is a number.
		if err := tx.QueryRow(ctx, `insert into store (address, handle, name, currency, time_zone, markets, limits,
				requests_per_second, kind, endpoints, token, state)
			values ($1, $2, $2, $3, $4, $5, $6, $7, $8, '{}', $9, 'connected') returning id`, address, name,
			currency.String(), in.TimeZone, markets, limits, facts.RequestsPerSecond, files.Kind,
			s.Box.Seal(purpose(address), "none")).Scan(&id); err != nil {
			return err
		}
		said, err := json.Marshal(files.Endpoints{Store: id, Facts: facts})
		if err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `update store set endpoints = $2 where id = $1`, id, said); err != nil {
			return err
		}
		if made, err = get(ctx, tx, id); err != nil {
			return err
		}
		return s.priceFor(ctx, tx, made, in.IncludedTax)
	})
	return made, err
}

// shown are all products that a store is to show.
func (s *Service) shown(ctx context.Context, id int64) (found Store, list []store.Found, err error) {
	if found, err = s.Get(ctx, id); err != nil {
		return found, nil, err
	}
	if !found.Files {
		return found, nil, apikit.Problem(409, "", "%s has an API: what is published goes there by itself.", found.Name)
	}
	session, err := s.openAny(ctx, found)
	if err != nil {
		return found, nil, err
	}
	for cursor := ""; ; {
		products, next, err := session.List(ctx, cursor)
		if err != nil {
			return found, nil, err
		}
		list = append(list, products...)
		if cursor = next; next == "" {
			return found, list, nil
		}
	}
}

func (s *Service) registerFiles(a *apikit.API) {
	apikit.Register(a, access.Owner, http.MethodPost, "/api/stores/files", "addFileStore",
		"Add a store that has no API and is served by files",
		func(ctx context.Context, in *struct{ Body FileStoreInput }) (*apikit.Body[Store], error) {
			return apikit.OK(s.AddFileStore(ctx, in.Body))
		})
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/stores/{id}/files/{name}", "storeFile",
		"A file for a store without an API: its products as CSV or JSON-LD, or their pictures as a zip",
		func(ctx context.Context, in *struct {
			apikit.ByID
			Name string `path:"name" enum:"products.csv,products.jsonld,pictures.zip"`
		}) (*huma.StreamResponse, error) {
			found, products, err := s.shown(ctx, in.ID)
			if err != nil {
				return nil, err
			}
			names, err := files.Names(products, s.Pictures.Get)
			if err != nil {
				return nil, err
			}
			kinds := map[string]string{"products.csv": "text/csv; charset=utf-8",
				"products.jsonld": "application/ld+json", "pictures.zip": "application/zip"}
			return &huma.StreamResponse{Body: func(h huma.Context) {
				h.SetHeader("Content-Type", kinds[in.Name])
				h.SetHeader("Content-Disposition", `attachment; filename="`+in.Name+`"`)
				switch in.Name {
				case "products.csv":
					err = files.CSV(h.BodyWriter(), products, found.Currency.String(), names)
				case "products.jsonld":
					err = files.JSONLD(h.BodyWriter(), products, found.Currency.String(), names)
				default:
					err = files.Zip(h.BodyWriter(), names, s.Pictures.Get)
				}
				if err != nil {
					s.Log.Warn("writing a store's file", "store", in.ID, "file", in.Name, "error", err)
				}
			}}, nil
		})
}
