package offers

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/RoaringBitmap/roaring/v2/roaring64"
	"github.com/jackc/pgx/v5"

	"plainpelican/connect/source"
	"plainpelican/core/demand"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/platform/safehtml"
)

// stagingTables are an import's own tables for what it is to merge: unlogged, and dropped at its end. What is staged
// lives through the death of an instance; after a crash of the database it is gone, which OpenStaging tells.
func stagingTables(importID int64) (offers, variants string) {
	return fmt.Sprintf("staged_offer_%d", importID), fmt.Sprintf("staged_variant_%d", importID)
}

// OpenStaging makes the import's staging tables where they are missing and returns the numbers
// of the offers that lie there, with how many they are.
func (s *Service) OpenStaging(ctx context.Context, db database.Querier, importID int64, number func(string)) (int,
	error) {
	offers, variants := stagingTables(importID)
	for table, like := range map[string]string{offers: "staged_offer", variants: "staged_variant"} {
		if _,
			err := db.Exec(ctx, `create unlogged table if not exists `+table+` (like `+like+
			` including all)`); err != nil {
			return 0, err
		}
	}
	rows, err := db.Query(ctx, `select number from `+offers)
	if err != nil {
		return 0, err
	}
	n := 0
	var one string
	_, err = pgx.ForEachRow(rows, []any{&one}, func() error { number(one); n++; return nil })
	return n, err
}

// DropStaging drops the import's staging tables.
func (s *Service) DropStaging(ctx context.Context, db database.Querier, importID int64) error {
	offers, variants := stagingTables(importID)
	_, err := db.Exec(ctx, `drop table if exists `+offers+`, `+variants)
	return err
}

// Stage compares a batch with the offers that are known and stages what is new or different, after the given sequence
// number. Known offers are added to seen, changed or not; those that are in it already are there twice, and left. It
// returns how many were staged, and the numbers of those left.
func (s *Service) Stage(ctx context.Context, tx pgx.Tx, to Staging, offers []source.Offer,
	seen *roaring64.Bitmap) (staged int, twice []string, err error) {
	known, err := s.known(ctx, tx, to.SourceID, offers)
	if err != nil {
		return 0, nil, err
	}
	var differ []source.Offer
	fresh := 0
	for _, o := range offers {
		k, there := known[o.Number]
		if there {
			if !seen.CheckedAdd(uint64(k.id)) {
				twice = append(twice, o.Number)
				continue
			}
			if k.onSale && bytes.Equal(k.fingerprint, o.Fingerprint[:]) {
				continue
			}
		} else {
			fresh++
		}
		differ = append(differ, o)
	}
	if len(differ) == 0 {
		return 0, twice, nil
	}
	ids, err := reserve(ctx, tx, fresh)
	if err != nil {
		return 0, nil, err
	}
	offersIn, variantsIn := stagingTables(to.ImportID)
	seq := to.After
	rows := make([][]any, 0, len(differ))
	var variants [][]any
	for _, o := range differ {
		seq++
		id, isFresh := known[o.Number].id, false
		if id == 0 {
			id, isFresh, ids = ids[0], true, ids[1:]
		}
		facts, err := offerValues(&o)
		if err != nil {
			return 0, nil, err
		}
		u := o.Supplier
		rows = append(rows,
			append([]any{seq, id, isFresh, u.Number, u.Name, u.Country, u.Rating, u.OnTime, u.Verified}, facts...))
		for i, v := range o.Variants {
			if to.Partial && !isFresh {
				v.Values, v.Picture = byName(known[o.Number].options, o.OptionNames, v.Values), 0
			}
			variants = append(variants, append([]any{seq, id, isFresh}, variantValues(i, v)...))
		}
	}
	if _, err := tx.CopyFrom(ctx, pgx.Identifier{offersIn},
		append([]string{"seq", "offer_id", "fresh", "supplier", "supplier_name", "country", "supplier_rating",
			"on_time", "verified"}, offerColumns...), pgx.CopyFromRows(rows)); err != nil {
		return 0, nil, err
	}
	_, err = tx.CopyFrom(ctx, pgx.Identifier{variantsIn},
		append([]string{"seq", "offer_id", "fresh"}, variantColumns...), pgx.CopyFromRows(variants))
	return len(differ), twice, err
}

var (
	offerColumns = []string{"number", "title", "description", "category", "brand", "currency", "page_url", "pictures",
		"option_names", "processing_min", "processing_max",
		"rating", "ratings", "return_days", "weekly", "deliveries", "rivals", "market_currency", "market_prices",
		"fingerprint", "remarks", "own_packing", "demand", "growth"}
	variantColumns = []string{"number", "position", "option_values", "cost", "min_advertised", "list_price", "stock",
		"picture", "barcode", "weight_grams", "prices_in", "stock_unknown"}
)

// offerValues are an offer's own facts, in the order of offerColumns.
func offerValues(o *source.Offer) ([]any, error) {
	deliveries, err := json.Marshal(apikit.List(o.Deliveries))
	sold := demand.Judge(o.Weekly, time.Now())
	return []any{o.Number, o.Title, clean(o.Description), o.Category, o.Brand, o.Currency.String(), o.PageURL,
		apikit.List(o.Pictures), apikit.List(o.OptionNames), o.Processing.Min, o.Processing.Max,
		o.Rating, o.Ratings, o.ReturnDays, apikit.List(o.Weekly), deliveries, o.Rivals.Stores,
		o.Rivals.Currency.String(), apikit.List(o.Rivals.Prices), o.Fingerprint[:], apikit.List(o.Remarks),
		o.OwnPacking, string(sold.Class), sold.Growth}, err
}

// variantValues are a variant's facts, in the order of variantColumns.
func variantValues(position int, v source.Variant) []any {
	return []any{v.Number, position, apikit.List(v.Values), v.Cost.Minor(), v.MinAdvertised.Minor(), v.List.Minor(),
		v.Stock, v.Picture, v.Barcode, v.WeightGrams, v.PricesIn(), v.StockUnknown}
}

// BulkInsert adds the offers of a source that had none without staging: there is nothing to compare them with. They
// must not be there yet. They are added to seen.
func (s *Service) BulkInsert(ctx context.Context, tx pgx.Tx, sourceID int64, offers []source.Offer,
	seen *roaring64.Bitmap) error {
	if len(offers) == 0 {
		return nil
	}
	suppliers, err := s.suppliers(ctx, tx, sourceID, offers)
	if err != nil {
		return err
	}
	ids, err := reserve(ctx, tx, len(offers))
	if err != nil {
		return err
	}
	rows := make([][]any, 0, len(offers))
	variants := make([][]any, 0, 4*len(offers))
	for i := range offers {
		o := &offers[i]
		facts, err := offerValues(o)
		if err != nil {
			return err
		}
		rows = append(rows, append([]any{ids[i], sourceID, suppliers[o.Supplier.Number]}, facts...))
		for position, v := range o.Variants {
			variants = append(variants, append([]any{ids[i]}, variantValues(position, v)...))
		}
		seen.Add(uint64(ids[i]))
	}
	if _, err := tx.CopyFrom(ctx, pgx.Identifier{"offer"},
		append([]string{"id", "source_id", "supplier_id"}, offerColumns...), pgx.CopyFromRows(rows)); err != nil {
		return err
	}
	if _, err = tx.CopyFrom(ctx, pgx.Identifier{"offer_variant"}, append([]string{"offer_id"}, variantColumns...),
		pgx.CopyFromRows(variants)); err != nil {
		return err
	}
	return logChange(ctx, tx, nil, ids)
}

// suppliers maps the numbers of the offers' suppliers to their ids; new ones are added.
func (s *Service) suppliers(ctx context.Context, tx pgx.Tx, sourceID int64, offers []source.Offer) (map[string]int64,
	error) {
	ids := map[string]int64{}
	for i := range offers {
		u := &offers[i].Supplier
		if ids[u.Number] != 0 {
			continue
		}
		var id int64
		err := tx.QueryRow(ctx, `
			insert into supplier as u (source_id, number, name, country, rating, on_time, verified)
			values ($1, $2, $3, $4, $5, $6, $7)
			on conflict (source_id, number) do update
			set name = excluded.name, country = excluded.country, rating = excluded.rating, on_time = excluded.on_time,
			verified = excluded.verified returning id`,
			sourceID, u.Number, u.Name, u.Country, u.Rating, u.OnTime, u.Verified).Scan(&id)
		if err != nil {
			return nil, err
		}
		ids[u.Number] = id
	}
	return ids, nil
}

// Numbers tells the numbers of a source's offers.
func (s *Service) Numbers(ctx context.Context, db database.Querier, sourceID int64, number func(string)) error {
	rows, err := db.Query(ctx, `select number from offer where source_id = $1`, sourceID)
	if err != nil {
		return err
	}
	var one string
	_, err = pgx.ForEachRow(rows, []any{&one}, func() error { number(one); return nil })
	return err
}

// clean sanitises a description; one without markup is as it should be.
func clean(description string) string {
	if !strings.ContainsAny(description, "<>&\"'\x00") {
		return strings.TrimSpace(description)
	}
	return safehtml.Clean(description)
}

type known struct {
	id          int64
	fingerprint []byte
	onSale      bool
	options     []string
}

// byName puts values in the order of other options.
func byName(options, names, values []string) []string {
	out := make([]string, len(options))
	for i, option := range options {
		if at := slices.Index(names, option); at >= 0 {
			out[i] = values[at]
		}
	}
	return out
}

func (s *Service) known(ctx context.Context, db database.Querier, sourceID int64,
	offers []source.Offer) (map[string]known, error) {
	numbers := make([]string, len(offers))
	for i := range offers {
		numbers[i] = offers[i].Number
	}
	rows, err := db.Query(ctx, `select number, id, fingerprint, withdrawn_at is null, option_names from offer
		where source_id = $1 and number = any ($2)`, sourceID, numbers)
	if err != nil {
		return nil, err
	}
	found := make(map[string]known, len(offers))
	var number string
	var k known
	_, err = pgx.ForEachRow(rows, []any{&number, &k.id, &k.fingerprint, &k.onSale, &k.options}, func() error {
		found[number] = k
		k.fingerprint, k.options = nil, nil
		return nil
	})
	return found, err
}

// Unchanged gives the ids of those offers that are known just so; 0 for the others.
func (s *Service) Unchanged(ctx context.Context, db database.Querier, sourceID int64, numbers []string,
	fingerprints [][]byte) ([]uint64, error) {
	rows, err := db.Query(ctx, `
		select f.seq, o.id from unnest($2::text[], $3::bytea[]) with ordinality f (number, fingerprint, seq)
		join offer o on o.source_id = $1 and o.number = f.number and o.fingerprint = f.fingerprint
		and o.withdrawn_at is null`, sourceID, numbers, fingerprints)
	if err != nil {
		return nil, err
	}
	same := make([]uint64, len(numbers))
	var seq int64
	var id uint64
	_, err = pgx.ForEachRow(rows, []any{&seq, &id}, func() error { same[seq-1] = id; return nil })
	return same, err
}

// reserve takes ids for offers that are new, so that merging needs no look-up.
func reserve(ctx context.Context, db database.Querier, n int) ([]int64, error) {
	if n == 0 {
		return nil, nil
	}
	rows, err := db.Query(ctx, `select nextval(pg_get_serial_sequence('offer', 'id')) from generate_series(1, $1)`, n)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[int64])
}
