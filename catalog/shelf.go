// Package catalog keeps offers, answers what is asked of them, and shows one in full.
package catalog

import (
	"context"
	"encoding/json"
	"fmt"

	"github.com/jackc/pgx/v5"

	"plainpelican/connect/source"
	"plainpelican/platform/safehtml"
	"plainpelican/sources"
)

// Put stores a page of offers: streamed into staging tables, then an update of the rows
// that differ and an insert of those that are missing, so that unchanged offers cost
// no write. It is safe to repeat.
func (s *Service) Put(ctx context.Context, sourceID int64, offers []source.Offer) (sources.Counts, error) {
	var counts sources.Counts
	if len(offers) == 0 {
		return counts, nil
	}
	err := pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		if err := stage(ctx, tx, offers); err != nil {
			return fmt.Errorf("staging: %w", err)
		}
		for _, step := range merge {
			tag, err := tx.Exec(ctx, step.sql, sourceID)
			if err != nil {
				return fmt.Errorf("%s: %w", step.name, err)
			}
			switch step.name {
			case "change offers":
				counts.Changed = int(tag.RowsAffected())
			case "add offers":
				counts.Added = int(tag.RowsAffected())
			}
		}
		counts.Unchanged = len(offers) - counts.Changed - counts.Added
		if counts.Changed+counts.Added == 0 {
			return nil
		}
		_, err := tx.Exec(ctx, `select pg_notify('catalog', '')`)
		return err
	})
	return counts, err
}

const stagingTables = `
	create temp table stage_offer (number text primary key, supplier text, supplier_name text, country text, supplier_rating smallint, on_time smallint, verified boolean,
		title text, description text, category text, brand text, currency text, page_url text, pictures text[], option_names text[],
		processing_min smallint, processing_max smallint, rating smallint, ratings integer, return_days smallint, weekly integer[], deliveries jsonb, rivals integer, market_currency text, market_prices bigint[], fingerprint bytea) on commit drop;
	create temp table stage_variant (offer text, number text, position integer, option_values text[], cost bigint, min_advertised bigint, list_price bigint, stock integer, picture integer, barcode text, weight_grams integer) on commit drop`

func stage(ctx context.Context, tx pgx.Tx, offers []source.Offer) error {
	if _, err := tx.Exec(ctx, stagingTables); err != nil {
		return err
	}
	var rows, variants [][]any
	taken := map[string]bool{}
	for _, o := range offers {
		if taken[o.Number] {
			continue // a source that lists a number twice on one page: the first stands
		}
		taken[o.Number] = true
		deliveries, err := json.Marshal(o.Deliveries)
		if err != nil {
			return err
		}
		s := o.Supplier
		rows = append(rows, []any{o.Number, s.Number, s.Name, s.Country, s.Rating, s.OnTime, s.Verified, o.Title, safehtml.Clean(o.Description), o.Category, o.Brand, o.Currency.String(), o.PageURL,
			list(o.Pictures), list(o.OptionNames), o.Processing.Min, o.Processing.Max, o.Rating, o.Ratings, o.ReturnDays, list(o.Weekly), deliveries, o.Rivals.Stores, o.Rivals.Currency.String(), list(o.Rivals.Prices), o.Fingerprint[:]})
		for i, v := range o.Variants {
			variants = append(variants, []any{o.Number, v.Number, i, list(v.Values), v.Cost.Minor(), v.MinAdvertised.Minor(), v.List.Minor(), v.Stock, v.Picture, v.Barcode, v.WeightGrams})
		}
	}
	if _, err := tx.CopyFrom(ctx, pgx.Identifier{"stage_offer"}, []string{"number", "supplier", "supplier_name", "country", "supplier_rating", "on_time", "verified", "title", "description",
		"category", "brand", "currency", "page_url", "pictures", "option_names", "processing_min", "processing_max", "rating", "ratings", "return_days", "weekly", "deliveries", "rivals", "market_currency", "market_prices", "fingerprint"}, pgx.CopyFromRows(rows)); err != nil {
		return err
	}
	_, err := tx.CopyFrom(ctx, pgx.Identifier{"stage_variant"}, []string{"offer", "number", "position", "option_values", "cost", "min_advertised", "list_price", "stock", "picture", "barcode", "weight_grams"}, pgx.CopyFromRows(variants))
	return err
}

func list[T any](items []T) []T {
	if items == nil {
		return []T{}
	}
	return items
}

// merge is carried out in order; $1 is the source.
var merge = []struct{ name, sql string }{
	{"change suppliers", `
		update supplier u set name = s.supplier_name, country = s.country, rating = s.supplier_rating, on_time = s.on_time, verified = s.verified
		from (select distinct on (supplier) * from stage_offer order by supplier, number) s
		where u.source_id = $1 and u.number = s.supplier
		and (u.name, u.country, u.rating, u.on_time, u.verified) is distinct from (s.supplier_name, s.country, s.supplier_rating, s.on_time, s.verified)`},
	{"add suppliers", `
		insert into supplier (source_id, number, name, country, rating, on_time, verified)
		select $1, supplier, supplier_name, country, supplier_rating, on_time, verified from (select distinct on (supplier) * from stage_offer order by supplier, number) s
		on conflict (source_id, number) do nothing`},
	// Only what differs stays staged, apart from the counts.
	{"forget unchanged", `
		delete from stage_offer s using offer o where o.source_id = $1 and o.number = s.number and o.fingerprint = s.fingerprint and o.withdrawn_at is null`},
	{"forget unchanged variants", `delete from stage_variant v where $1::bigint is not null and not exists (select from stage_offer s where s.number = v.offer)`},
	{"change offers", `
		update offer o set supplier_id = u.id, title = s.title, description = s.description, category = s.category, brand = s.brand, currency = s.currency, page_url = s.page_url,
			pictures = s.pictures, option_names = s.option_names, processing_min = s.processing_min, processing_max = s.processing_max, rating = s.rating, ratings = s.ratings,
			return_days = s.return_days, weekly = s.weekly, deliveries = s.deliveries, rivals = s.rivals, market_currency = s.market_currency, market_prices = s.market_prices, fingerprint = s.fingerprint, withdrawn_at = null, updated_at = now()
		from stage_offer s join supplier u on u.source_id = $1 and u.number = s.supplier
		where o.source_id = $1 and o.number = s.number`},
	{"add offers", `
		insert into offer (source_id, supplier_id, number, title, description, category, brand, currency, page_url, pictures, option_names, processing_min, processing_max,
			rating, ratings, return_days, weekly, deliveries, rivals, market_currency, market_prices, fingerprint)
		select $1, u.id, s.number, title, description, category, brand, currency, page_url, pictures, option_names, processing_min, processing_max,
			s.rating, ratings, return_days, weekly, deliveries, rivals, market_currency, market_prices, fingerprint
		from stage_offer s join supplier u on u.source_id = $1 and u.number = s.supplier
		on conflict (source_id, number) do nothing`},
	{"change variants", `
		update offer_variant v set position = s.position, option_values = s.option_values, cost = s.cost, min_advertised = s.min_advertised, list_price = s.list_price, stock = s.stock, picture = s.picture, barcode = s.barcode,
			weight_grams = s.weight_grams, withdrawn = false
		from stage_variant s join offer o on o.source_id = $1 and o.number = s.offer
		where v.offer_id = o.id and v.number = s.number`},
	{"add variants", `
		insert into offer_variant (offer_id, number, position, option_values, cost, min_advertised, list_price, stock, picture, barcode, weight_grams)
		select o.id, s.number, position, option_values, cost, min_advertised, list_price, stock, picture, barcode, weight_grams
		from stage_variant s join offer o on o.source_id = $1 and o.number = s.offer
		on conflict (offer_id, number) do nothing`},
	{"withdraw variants", `
		update offer_variant v set withdrawn = true from offer o
		where o.source_id = $1 and v.offer_id = o.id and o.number in (select number from stage_offer) and not v.withdrawn
		and not exists (select from stage_variant s where s.offer = o.number and s.number = v.number)`},
}

// Sweep withdraws what was not seen; see sources.Shelf.
func (s *Service) Sweep(ctx context.Context, sourceID int64, seen []string, mostShare float64) (withdrawn int, held bool, err error) {
	err = pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		var total, gone int
		if err := tx.QueryRow(ctx, `select count(*), count(*) filter (where number <> all ($2)) from offer where source_id = $1 and withdrawn_at is null`, sourceID, list(seen)).Scan(&total, &gone); err != nil {
			return err
		}
		withdrawn = gone
		if held = gone > 10 && float64(gone) > mostShare*float64(total); held || gone == 0 {
			return nil
		}
		_, err := tx.Exec(ctx, `
			with gone as (update offer set withdrawn_at = now(), updated_at = now() where source_id = $1 and withdrawn_at is null and number <> all ($2))
			select pg_notify('catalog', '')`, sourceID, list(seen))
		return err
	})
	return withdrawn, held, err
}

// Count counts the offers of each source that are for sale.
func (s *Service) Count(ctx context.Context) (map[int64]int, error) {
	rows, err := s.Pool.Query(ctx, `select source_id, count(*) from offer where withdrawn_at is null group by source_id`)
	if err != nil {
		return nil, err
	}
	counts := map[int64]int{}
	var id int64
	var n int
	_, err = pgx.ForEachRow(rows, []any{&id, &n}, func() error { counts[id] = n; return nil })
	return counts, err
}

// Withdraw takes one offer off sale, where its supplier was found to have stopped selling it.
func (s *Service) Withdraw(ctx context.Context, offer int64) error {
	_, err := s.Pool.Exec(ctx, `
		with gone as (update offer set withdrawn_at = now(), updated_at = now() where id = $1 and withdrawn_at is null)
		select pg_notify('catalog', '')`, offer)
	return err
}
