package offers

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"plainpelican/core/money"
	"plainpelican/platform/apikit"
)

// Version is what an offer said until it changed.
type Version struct {
	Until    time.Time        `json:"until" doc:"When it was found to say something else"`
	Title    string           `json:"title"`
	Variants []VersionVariant `json:"variants"`
}

// VersionVariant is a variant as it was.
type VersionVariant struct {
	Number string       `json:"number"`
	Values []string     `json:"values"`
	Cost   money.Amount `json:"cost"`
	Stock  *int         `json:"stock" doc:"Null where the source did not say"`
}

const (
	// versionsLast is how long versions are kept, maxVersions how many of an offer are told.
	versionsLast = 400 * 24 * time.Hour
	maxVersions  = 50
)

// keepVersions keeps what the offers of some staged rows say before they change.
func keepVersions(offersIn, these string) string {
	return `
	insert into offer_version (offer_id, fingerprint, title, currency, variants)
	select o.id, o.fingerprint, o.title, o.currency, coalesce((select jsonb_agg(jsonb_strip_nulls(jsonb_build_object(
			'number', v.number, 'values', v.option_values, 'cost', v.cost,
			'stock', case when not v.stock_unknown then v.stock end)) order by v.position, v.id)
		from offer_variant v where v.offer_id = o.id and not v.withdrawn), '[]')
	from ` + offersIn + ` s join offer o on o.id = s.offer_id
	where ` + these + ` and not s.fresh and o.fingerprint <> s.fingerprint
	on conflict do nothing`
}

// Versions tells what an offer said before, the newest first.
func (s *Service) Versions(ctx context.Context, offer int64) ([]Version, error) {
	rows, err := s.pool.Query(ctx, `select said_until, title, currency, variants from offer_version where offer_id = $1
		order by said_until desc limit $2`, offer, maxVersions)
	if err != nil {
		return nil, err
	}
	list, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (v Version, err error) {
		var currency string
		var variants []struct {
			Number string
			Values []string
			Cost   int64
			Stock  *int
		}
		if err := row.Scan(&v.Until, &v.Title, &currency, &variants); err != nil {
			return v, err
		}
		c, err := money.ParseCurrency(currency)
		v.Variants = []VersionVariant{}
		for _, was := range variants {
			v.Variants = append(v.Variants,
				VersionVariant{was.Number, apikit.List(was.Values), money.New(was.Cost, c), was.Stock})
		}
		return v, err
	})
	return apikit.List(list), err
}
