package offers

import (
	"context"
	"fmt"
	"strings"

	"github.com/RoaringBitmap/roaring/v2/roaring64"
	"github.com/jackc/pgx/v5"

	"plainpelican/core/money"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
)

// CheckImpact says what merging the staged offers, and withdrawing what a whole
// catalog no longer lists, would do.
func (s *Service) CheckImpact(ctx context.Context, importID, sourceID int64, whole bool,
	seen *roaring64.Bitmap) (Impact, error) {
	var w Impact
	gone, total, err := s.unseen(ctx, s.pool, sourceID, seen)
	if err != nil {
		return w, err
	}
	w.Offers = total
	offersIn, variantsIn := stagingTables(importID)
	if whole {
		w.Withdrawn = len(gone)
		rows, err := s.pool.Query(ctx, `select number, title from offer where id = any ($1)
			order by id`, gone[:min(len(gone), 5)])
		if err != nil {
			return w, err
		}
		var e Example
		if _, err := pgx.ForEachRow(rows, []any{&e.Number, &e.Title}, func() error {
			w.Examples = append(w.Examples, e)
			return nil
		}); err != nil {
			return w, err
		}
	}
	if err := s.checkStockImpact(ctx, &w, importID, sourceID, whole); err != nil {
		return w, err
	}
	if err := s.pool.QueryRow(ctx, `select count(*), coalesce(min(o.currency), ''), coalesce(min(t.currency), '')
		from `+offersIn+
		` t join offer o on o.id = t.offer_id where not t.fresh and o.withdrawn_at is null and o.currency <> `+
		`t.currency`).
		Scan(&w.OtherCurrency, &w.FromCurrency, &w.ToCurrency); err != nil {
		return w, err
	}
	moved := `from ` + offersIn + ` t join offer o on o.id = t.offer_id
		join ` + variantsIn +
		` s on s.seq = t.seq join offer_variant v on v.offer_id = t.offer_id and v.number = s.number
		where not t.fresh and o.withdrawn_at is null and (v.cost <> s.cost or o.currency <> t.currency)`
	if err := s.pool.QueryRow(ctx, `select count(distinct t.offer_id) `+moved).Scan(&w.Repriced); err != nil ||
		w.Repriced == 0 {
		return w, err
	}
	w.Examples, err = s.examples(ctx, w.Examples, moved)
	return w, err
}

// examples adds offers whose costs move, the largest moves first.
func (s *Service) examples(ctx context.Context, list []Example, moved string) ([]Example, error) {
	rows, err := s.pool.Query(ctx, `select * from (
		select distinct on (o.id) o.number, t.title, v.cost, o.currency, s.cost, t.currency,
		abs(ln(s.cost::float8 / greatest(v.cost, 1))) as size `+moved+
		` order by o.id, size desc) x order by size desc limit 5`)
	if err != nil {
		return list, err
	}
	var e Example
	var before, after int64
	var from, into string
	var size float64
	_, err = pgx.ForEachRow(rows, []any{&e.Number, &e.Title, &before, &from, &after, &into, &size}, func() error {
		a, err := money.ParseCurrency(from)
		if err != nil {
			return err
		}
		b, err := money.ParseCurrency(into)
		if err != nil {
			return err
		}
		was, becomes := money.New(before, a), money.New(after, b)
		e.Before, e.After = &was, &becomes
		list = append(list, e)
		return nil
	})
	return list, err
}

// checkStockImpact counts the offers that had stock and would have none, of all that had some.
func (s *Service) checkStockImpact(ctx context.Context, w *Impact, importID, sourceID int64, whole bool) error {
	offersIn, variantsIn := stagingTables(importID)
	if err := s.pool.QueryRow(ctx, `
		select count(*) from `+offersIn+` t join offer o on o.id = t.offer_id
			where not t.fresh and o.withdrawn_at is null
		and not exists (select from `+variantsIn+` s where s.seq = t.seq and (s.stock > 0 or s.stock_unknown))
		and exists (select from offer_variant v where v.offer_id = o.id and not v.withdrawn and v.stock > 0)`).
		Scan(&w.SoldOut); err != nil || w.SoldOut == 0 || !whole {
		return err
	}
	return s.pool.QueryRow(ctx, `select count(*) from offer o
		where source_id = $1 and withdrawn_at is null and exists (select from offer_variant v
		where v.offer_id = o.id and not v.withdrawn and v.stock > 0)`, sourceID).
		Scan(&w.InStock)
}

// costJumpsSQL are the staged offers with a cost that moves by a factor at once, in one currency.
func costJumpsSQL(importID int64, factor int) string {
	offersIn, variantsIn := stagingTables(importID)
	return fmt.Sprintf(`from %s t join offer o on o.id = t.offer_id join %s s on s.seq = t.seq
		join offer_variant v on v.offer_id = t.offer_id and v.number = s.number
		where not t.fresh and o.withdrawn_at is null and o.currency = t.currency and v.cost > 0 and not v.withdrawn
		and (s.cost >= v.cost::numeric * %d or v.cost >= s.cost::numeric * %d)`, offersIn, variantsIn, factor, factor)
}

// HoldBack sets those staged offers apart whose costs move by a factor at once, until Release: their places are
// negative.
func (s *Service) HoldBack(ctx context.Context, tx pgx.Tx, importID int64, factor int) error {
	rows, err := tx.Query(ctx, `select distinct t.offer_id `+costJumpsSQL(importID, factor))
	if err != nil {
		return err
	}
	offers, err := pgx.CollectRows(rows, pgx.RowTo[int64])
	if err != nil {
		return err
	}
	offersIn, variantsIn := stagingTables(importID)
	for _, table := range []string{variantsIn, offersIn} {
		if _, err := tx.Exec(ctx, `update `+table+` set seq = -seq
			where seq > 0 and offer_id = any ($1)`, offers); err != nil {
			return err
		}
	}
	return nil
}

// HeldBack counts the offers that are set apart, with the largest moves among them.
func (s *Service) HeldBack(ctx context.Context, importID, sourceID int64, factor int) (w Impact, err error) {
	offersIn, _ := stagingTables(importID)
	if err := s.pool.QueryRow(ctx, `select count(*) from `+offersIn+` where seq < 0`).Scan(&w.Repriced); err != nil ||
		w.Repriced == 0 {
		return w, err
	}
	if err := s.pool.QueryRow(ctx, `select count(*) from offer
		where source_id = $1 and withdrawn_at is null`, sourceID).Scan(&w.Offers); err != nil {
		return w, err
	}
	w.Examples, err = s.examples(ctx, nil, costJumpsSQL(importID, factor)+` and t.seq < 0`)
	return w, err
}

// ReleaseHeldBack puts those that were set apart behind all others, and returns the last sequence number.
func (s *Service) ReleaseHeldBack(ctx context.Context, tx pgx.Tx, importID int64, staged int) (last int, err error) {
	offersIn, variantsIn := stagingTables(importID)
	for _, table := range []string{variantsIn, offersIn} {
		if _, err := tx.Exec(ctx, `update `+table+` set seq = $1 - seq where seq < 0`, staged); err != nil {
			return 0, err
		}
	}
	err = tx.QueryRow(ctx, `select coalesce(max(seq), 0) from `+offersIn).Scan(&last)
	return last, err
}

// unseen lists the source's offers for sale that are not in seen, and counts all.
func (s *Service) unseen(ctx context.Context, db database.Querier, sourceID int64,
	seen *roaring64.Bitmap) (gone []int64, total int, err error) {
	rows, err := db.Query(ctx, `select id from offer where source_id = $1 and withdrawn_at is null
		order by id`, sourceID)
	if err != nil {
		return nil, 0, err
	}
	gone = []int64{}
	var id int64
	_, err = pgx.ForEachRow(rows, []any{&id}, func() error {
		total++
		if !seen.Contains(uint64(id)) {
			gone = append(gone, id)
		}
		return nil
	})
	return gone, total, err
}

// Unseen lists the numbers of the source's offers for sale that are not in seen.
func (s *Service) Unseen(ctx context.Context, sourceID int64, seen *roaring64.Bitmap) ([]string, error) {
	ids, _, err := s.unseen(ctx, s.pool, sourceID, seen)
	if err != nil || len(ids) == 0 {
		return nil, err
	}
	rows, err := s.pool.Query(ctx, `select number from offer where id = any ($1) order by id`, ids)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

// WithdrawUnseen withdraws the source's offers that a whole catalog no longer lists.
func (s *Service) WithdrawUnseen(ctx context.Context, tx pgx.Tx, sourceID int64, seen *roaring64.Bitmap) (int, error) {
	gone, _, err := s.unseen(ctx, tx, sourceID, seen)
	if err != nil || len(gone) == 0 {
		return 0, err
	}
	if _, err = tx.Exec(ctx, `update offer set withdrawn_at = now(), updated_at = now()
		where id = any ($1)`, gone); err != nil {
		return 0, err
	}
	return len(gone), logChange(ctx, tx, nil, gone)
}

// WithdrawNumbers withdraws the source's offers that it says it no longer sells.
func (s *Service) WithdrawNumbers(ctx context.Context, tx pgx.Tx, sourceID int64, numbers []string) (int, error) {
	rows, err := tx.Query(ctx, `update offer set withdrawn_at = now(), updated_at = now()
		where source_id = $1 and number = any ($2) and withdrawn_at is null returning id`,
		sourceID, apikit.List(numbers))
	if err != nil {
		return 0, err
	}
	gone, err := pgx.CollectRows(rows, pgx.RowTo[int64])
	if err != nil || len(gone) == 0 {
		return 0, err
	}
	return len(gone), logChange(ctx, tx, nil, gone)
}

// AnalyzeStaging lets the database know what was staged, so that it plans the merging well.
func (s *Service) AnalyzeStaging(ctx context.Context, importID int64) error {
	offers, variants := stagingTables(importID)
	_, err := s.pool.Exec(ctx, `analyze `+offers+`, `+variants)
	return err
}

// Merge merges staged offers into ours, those behind from.After up to a sequence number: what they said before is kept
// as a version, rows that differ are updated, and those that are missing are inserted. It is safe to repeat.
func (s *Service) Merge(ctx context.Context, tx pgx.Tx, from Staging, upTo int64) (MergeCounts, error) {
	var counts MergeCounts
	offersIn, variantsIn := stagingTables(from.ImportID)
	var suppliers int64
	for _, step := range mergeSteps(offersIn, variantsIn, from.Partial) {
		tag, err := tx.Exec(ctx, step.sql, from.SourceID, from.After, upTo)
		if err != nil {
			return counts, fmt.Errorf("%s: %w", step.name, err)
		}
		switch step.name {
		case "change suppliers":
			suppliers = tag.RowsAffected()
		case "change offers":
			counts.Changed = int(tag.RowsAffected())
		case "add offers":
			counts.Added = int(tag.RowsAffected())
		}
	}
	// All of a supplier's offers are found by its name, and ship from where it is.
	theirs := ``
	if suppliers > 0 {
		theirs = ` union select o.id from offer o join supplier u on u.id = o.supplier_id
			join ` + offersIn + ` s on s.supplier = u.number where u.source_id = $3 and s.seq > $1 and s.seq <= $2`
	}
	rows, err := tx.Query(ctx, `select s.offer_id
		from `+offersIn+` s where s.seq > $1 and s.seq <= $2 and $3::bigint is not null`+theirs, from.After, upTo,
		from.SourceID)
	if err != nil {
		return counts, err
	}
	ids, err := pgx.CollectRows(rows, pgx.RowTo[int64])
	if err != nil {
		return counts, err
	}
	return counts, logChange(ctx, tx, nil, ids)
}

type mergeStep struct{ name, sql string }

// mergeSteps lists the steps in order; $1 is the source, $2 and $3 the sequence numbers. Of a part, a known
// offer's own facts stay until the whole comes again, as do the variants that it does not name.
func mergeSteps(offersIn, variantsIn string, part bool) []mergeStep {
	these := ` s.seq > $2 and s.seq <= $3 and $1::bigint is not null `
	suppliers := `(select distinct on (supplier) * from ` + offersIn + ` s
		where ` + these + ` order by supplier, seq) s`
	offerColumns, variantColumns := strings.Join(offerColumns, ", "), strings.Join(variantColumns, ", ")
	changeOffers := `
	update offer o set supplier_id = u.id, title = s.title, description = s.description, category = s.category,
	brand = s.brand, currency = s.currency, page_url = s.page_url,
		pictures = s.pictures, option_names = s.option_names, processing_min = s.processing_min,
		processing_max = s.processing_max, rating = s.rating, ratings = s.ratings,
		return_days = s.return_days, weekly = s.weekly, deliveries = s.deliveries, rivals = s.rivals,
		market_currency = s.market_currency, market_prices = s.market_prices,
		fingerprint = s.fingerprint, remarks = s.remarks, own_packing = s.own_packing, demand = s.demand,
		growth = s.growth, withdrawn_at = null, updated_at = now()
	from ` + offersIn + ` s join supplier u on u.source_id = $1 and u.number = s.supplier
	where ` + these +
		` and not s.fresh and o.id = s.offer_id and (o.fingerprint <> s.fingerprint or o.withdrawn_at is not null)`
	picture := `s.picture`
	if part {
		picture = `v.picture`
		changeOffers = `
		update offer o set fingerprint = '', withdrawn_at = null, updated_at = now() from ` + offersIn + ` s
		where ` + these + ` and not s.fresh and o.id = s.offer_id`
	}
	steps := []mergeStep{
		// Prices depend on who the supplier is and where it ships from.
		{"touch offers of changed suppliers", `
			update offer o set updated_at = now() from ` + suppliers + ` join supplier u on u.number = s.supplier
			where u.source_id = $1 and o.supplier_id = u.id
			and (u.name, u.country) is distinct from (s.supplier_name, s.country)`},
		{"change suppliers", `
			update supplier u set name = s.supplier_name, country = s.country, rating = s.supplier_rating,
			on_time = s.on_time, verified = s.verified
			from ` + suppliers + `
			where u.source_id = $1 and u.number = s.supplier
			and (u.name, u.country, u.rating, u.on_time, u.verified) is distinct
			from (s.supplier_name, s.country, s.supplier_rating, s.on_time, s.verified)`},
		{"add suppliers", `
			insert into supplier (source_id, number, name, country, rating, on_time, verified)
			select $1, supplier, supplier_name, country, supplier_rating, on_time, verified from ` + suppliers + `
			on conflict (source_id, number) do nothing`},
		{"keep versions", keepVersions(offersIn, these)},
		{"change offers", changeOffers},
		{"add offers", `
			insert into offer (id, source_id, supplier_id, ` + offerColumns + `) overriding system value
			select s.offer_id, $1, u.id, s.` + strings.ReplaceAll(offerColumns, ", ", ", s.") + `
			from ` + offersIn + ` s join supplier u on u.source_id = $1 and u.number = s.supplier
			where ` + these + ` and s.fresh order by s.seq`},
		{"change variants", `
			update offer_variant v set position = s.position, option_values = s.option_values, cost = s.cost,
			min_advertised = s.min_advertised, list_price = s.list_price, stock = s.stock,
				picture = ` + picture + `, barcode = s.barcode, weight_grams = s.weight_grams, prices_in = s.prices_in,
					stock_unknown = s.stock_unknown, withdrawn = false
			from ` + variantsIn + ` s
			where ` + these + ` and not s.fresh and v.offer_id = s.offer_id and v.number = s.number
			and (v.position, v.option_values, v.cost, v.min_advertised, v.list_price, v.stock, v.picture, v.barcode,
			v.weight_grams, v.prices_in, v.stock_unknown, v.withdrawn)
				is distinct from (s.position, s.option_values, s.cost, s.min_advertised, s.list_price, s.stock, ` +
			picture + `, s.barcode, s.weight_grams, s.prices_in, s.stock_unknown, false)`},
		{"add variants", `
			insert into offer_variant (offer_id, ` + variantColumns + `)
			select offer_id, ` + variantColumns + ` from ` + variantsIn + ` s where ` + these + ` and s.fresh
				order by s.seq, s.position`},
		{"add variants to known offers", `
			insert into offer_variant (offer_id, ` + variantColumns + `)
			select offer_id, ` + variantColumns + ` from ` + variantsIn + ` s where ` + these + ` and not s.fresh
			and not exists (select from offer_variant v where v.offer_id = s.offer_id and v.number = s.number)
			order by s.seq, s.position`},
	}
	if !part {
		steps = append(steps, mergeStep{"withdraw variants", `
			update offer_variant v set withdrawn = true from ` + offersIn + ` s
			where ` + these + ` and not s.fresh and v.offer_id = s.offer_id and not v.withdrawn
			and not exists (select from ` + variantsIn + ` w where w.seq = s.seq and w.number = v.number)`})
	}
	return steps
}

// Count counts the offers of each source that are for sale.
func (s *Service) Count(ctx context.Context) (map[int64]int, error) {
	rows, err := s.pool.Query(ctx, `select source_id, count(*) from offer where withdrawn_at is null
		group by source_id`)
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
	return database.InTx(ctx, s.pool, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `update offer set withdrawn_at = now(), updated_at = now()
			where id = $1 and withdrawn_at is null`, offer)
		if err != nil || tag.RowsAffected() == 0 {
			return err
		}
		return logChange(ctx, tx, nil, []int64{offer})
	})
}
