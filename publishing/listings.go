package publishing

import (
	"context"
	"fmt"
	"strconv"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"plainpelican/connect/store"
	"plainpelican/core/markup"
	"plainpelican/core/money"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/pricing"
	"plainpelican/workbench"
)

// Listing is a draft as it is live in one store.
type Listing struct {
	ID          int64              `json:"id"`
	DraftID     int64              `json:"draft_id"`
	OfferID     int64              `json:"offer_id"`
	Title       string             `json:"title"`
	Picture     string             `json:"picture"`
	URL         string             `json:"url" doc:"In the store"`
	OfferURL    string             `json:"offer_url" doc:"At the supplier's"`
	Supplier    string             `json:"supplier"`
	Source      string             `json:"source"`
	Visible     bool               `json:"visible"`
	SellEmpty   bool               `json:"sell_empty"`
	Variants    int                `json:"variants"`
	Lowest      money.Amount       `json:"lowest"`
	Highest     money.Amount       `json:"highest"`
	Profit      *money.Amount      `json:"profit" doc:"The least of a sale, as it was sent"`
	Stock       int                `json:"stock" doc:"The supplier's, of the variants that are live"`
	Trace       []markup.TraceLine `json:"trace" doc:"How the lowest price that was sent came about"`
	Moved       int                `json:"moved" doc:"Prices that have moved here since they were sent"`
	Edited      bool               `json:"edited" doc:"Its draft was changed since it was sent"`
	Differences int                `json:"differences" doc:"Fields that somebody changed in the store"`
	Gone        bool               `json:"gone" doc:"The store has it no more"`
	Duplicates  []Duplicate        `json:"duplicates" doc:"Further products of the same draft in the store"`
	Withdrawn   bool               `json:"withdrawn" doc:"The supplier has stopped selling it"`
	PublishedAt time.Time          `json:"published_at"`
	UpdatedAt   time.Time          `json:"updated_at"`
	SeenAt      *time.Time         `json:"seen_at" doc:"When the store was last read"`
}

// ListingFilter says which listings are listed; what is empty asks for nothing.
type ListingFilter struct {
	Words string `query:"words" maxLength:"200"`
	// State is one of what may be the matter with a listing.
	State    string   `query:"state" enum:",visible,hidden,edited,moved,differs,gone,withdrawn,duplicates,sold_out"`
	Supplier []string `query:"supplier,explode" maxItems:"100"`
}

// stateSQL tells in SQL whether a listing l is in a state. What is rare says so in the words of its index.
var stateSQL = map[string]string{
	"visible": "l.visible", "hidden": "not l.visible", "edited": "l.edited", "moved": "l.moved > 0",
	"gone": "l.gone and " + matters, "differs": "l.differences <> '[]' and " + matters,
	"duplicates": "l.duplicates <> '[]' and " + matters,
	"withdrawn":  "l.offer_id in (select id from facts.offer where withdrawn_at is not null)",
	"sold_out": `not exists (select from listing_variant v join facts.offer_variant w on w.id = v.offer_variant_id
		where v.listing_id = l.id and w.stock > 0 and not w.withdrawn)`,
}

const matters = "(l.gone or l.differences <> '[]' or l.duplicates <> '[]')"

func (f *ListingFilter) where(args *[]any) string {
	var sql strings.Builder
	for _, word := range strings.Fields(f.Words) {
		*args = append(*args, word)
		fmt.Fprintf(&sql, ` and position(lower($%d) in l.words) > 0`, len(*args))
	}
	if is := stateSQL[f.State]; is != "" {
		sql.WriteString(" and " + is)
	}
	if len(f.Supplier) > 0 {
		*args = append(*args, f.Supplier)
		fmt.Fprintf(&sql, ` and l.offer_id in (select o.id from facts.offer o
			join facts.supplier u on u.id = o.supplier_id
			where u.name = any ($%d))`, len(*args))
	}
	return sql.String()
}

// ListingPage is some listings of a store, the newest first.
type ListingPage struct {
	Listings []Listing `json:"listings"`
	Next     int64     `json:"next" doc:"The listing that the next page begins after; 0 is no more"`
	Total    int       `json:"total"`
}

const listingsFrom = ` from listing l where l.store_id = $1 and l.ended_at is null`

// Listings lists what is live in a store, the newest first, before one; all where it is 0.
func (s *Service) Listings(ctx context.Context, storeID, before int64, limit int, f ListingFilter) (ListingPage,
	error) {
	args := []any{storeID}
	where := f.where(&args)
	args = append(args, before, limit+1)
	// Counted and cut in one reading.
	rows, err := s.Pool.Query(ctx, fmt.Sprintf(`with found as materialized (select l.id%s%s)
		select (select count(*) from found), array(select id from found where $%[3]d::bigint = 0 or id < $%[3]d
			order by id desc limit $%[4]d)`, listingsFrom, where, len(args)-1, len(args)), args...)
	if err != nil {
		return ListingPage{}, err
	}
	page := ListingPage{}
	var ids []int64
	if _, err := pgx.ForEachRow(rows, []any{&page.Total, &ids}, func() error { return nil }); err != nil {
		return page, err
	}
	if len(ids) > limit {
		ids, page.Next = ids[:limit], ids[limit-1]
	}
	page.Listings, err = s.listings(ctx, storeID, ids)
	return page, err
}

// found lists what a column says of the listings that a filter finds, the newest first: up to most, all where it is 0.
func (s *Service) found(ctx context.Context, column string, storeID int64, f ListingFilter, most int) ([]int64,
	error) {
	args := []any{storeID}
	where := f.where(&args)
	args = append(args, most)
	rows, err := s.Pool.Query(ctx, fmt.Sprintf(`select %s%s%s order by l.id desc limit nullif($%d::bigint, 0)`, column,
		listingsFrom, where, len(args)), args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[int64])
}

func (s *Service) listings(ctx context.Context, storeID int64, ids []int64) ([]Listing, error) {
	rows, err := s.Pool.Query(ctx, `
		select l.id, l.draft_id, l.offer_id, l.title, l.url, o.page_url,
			u.name || coalesce((select format(' and %s more', count(*)) from facts.draft_offer b
				where b.draft_id = l.draft_id and not b.own having count(*) > 0), ''),
			x.name, l.visible, l.sell_empty, l.variants, l.lowest, l.highest, t.currency, l.trace,
			(select min((v.ladder -> 'profit' ->> 'value')::numeric)::text from listing_variant v
				where v.listing_id = l.id),
			(select coalesce(sum(w.stock), 0)::int from listing_variant v
				join facts.offer_variant w on w.id = v.offer_variant_id and not w.withdrawn where v.listing_id = l.id),
			l.moved, l.edited, jsonb_array_length(l.differences), l.gone, l.duplicates,
			o.withdrawn_at is not null, l.published_at, l.updated_at, l.seen_at
		from listing l join facts.offer o on o.id = l.offer_id
		join facts.supplier u on u.id = o.supplier_id join facts.source x on x.id = o.source_id
		join facts.store t on t.id = l.store_id
		where l.store_id = $1 and l.id = any ($2) order by l.id desc`, storeID, ids)
	if err != nil {
		return nil, err
	}
	listings, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (Listing, error) {
		var l Listing
		var lowest, highest int64
		var currency string
		var profit *string
		err := row.Scan(&l.ID, &l.DraftID, &l.OfferID, &l.Title, &l.URL, &l.OfferURL, &l.Supplier, &l.Source,
			&l.Visible, &l.SellEmpty, &l.Variants, &lowest, &highest, &currency, &l.Trace, &profit, &l.Stock, &l.Moved,
			&l.Edited, &l.Differences, &l.Gone, &l.Duplicates, &l.Withdrawn, &l.PublishedAt, &l.UpdatedAt, &l.SeenAt)
		if err != nil {
			return l, err
		}
		c, err := money.ParseCurrency(currency)
		if err != nil {
			return l, err
		}
		l.Lowest, l.Highest = money.New(lowest, c), money.New(highest, c)
		if profit != nil {
			amount, err := money.Parse(*profit, c)
			if err != nil {
				return l, err
			}
			l.Profit = &amount
		}
		return l, nil
	})
	if err != nil {
		return nil, err
	}
	drafts := make([]int64, len(listings))
	for i := range listings {
		drafts[i] = listings[i].DraftID
	}
	paths, err := s.Drafts.Pictures(ctx, drafts)
	for i := range listings {
		listings[i].Picture = paths[listings[i].DraftID]
	}
	return apikit.List(listings), err
}

// ListingInFull is a listing with what it was sent as, what differs from its draft and in the store, and the prices
// that it had.
type ListingInFull struct {
	Listing
	// Here are the fields in which the draft is another now than what was sent; Missing says why it could not go out.
	Here    []store.Difference `json:"here"`
	Missing string             `json:"missing"`
	// There are the fields that were changed in the store.
	There  []store.Difference `json:"there"`
	Sent   []SentVariant      `json:"sent"`
	Prices []PricePoint       `json:"prices" doc:"The lowest price over time, the oldest first"`
}

// SentVariant is a variant as it was sent.
type SentVariant struct {
	VariantID    int64           `json:"variant_id"`
	Values       []string        `json:"values"`
	StoreVariant string          `json:"store_variant" doc:"The store's own name for it"`
	SKU          string          `json:"sku"`
	Stock        int             `json:"stock"`
	Ladder       *pricing.Ladder `json:"ladder" doc:"What its price was made of; null where it is not known any more"`
}

// PricePoint is a listing's lowest price from a moment on.
type PricePoint struct {
	At    time.Time    `json:"at"`
	Price money.Amount `json:"price"`
}

// Get is one listing in full.
func (s *Service) Get(ctx context.Context, id int64) (out ListingInFull, err error) {
	var storeID int64
	var sent store.Product
	var settings Settings
	if err := s.Pool.QueryRow(ctx, `select store_id, sent, differences, settings from listing
		where id = $1 and ended_at is null`, id).Scan(&storeID, &sent, &out.There, &settings); err != nil {
		return out, notFoundOr(err)
	}
	list, err := s.listings(ctx, storeID, []int64{id})
	if err != nil || len(list) == 0 {
		return out, notFoundOr(err)
	}
	out.Listing, out.Here = list[0], []store.Difference{}
	if err := s.sentVariants(ctx, &out, sent); err != nil {
		return out, err
	}
	if out.Prices, err = s.pricePoints(ctx, id, out.Lowest.Currency()); err != nil {
		return out, err
	}
	out.Missing, err = s.fromDraft(ctx, storeID, &out, sent, settings)
	return out, err
}

// fromDraft fills in how the draft, sent with the same settings, differs from what was sent, or says why it could not
// go out as it is.
func (s *Service) fromDraft(ctx context.Context, storeID int64, out *ListingInFull, sent store.Product,
	settings Settings) (string, error) {
	draft, err := s.Drafts.Ready(ctx, out.DraftID, storeID, settings.ByRules)
	if apikit.IsProblem(err) {
		return err.Error(), nil
	}
	if err != nil {
		return "", err
	}
	vendor, err := s.Stores.Vendor(ctx, storeID)
	if err != nil {
		return "", err
	}
	now := wordsOf(draft, vendor)
	now.Visible, now.SellEmpty, now.Pictures = sent.Visible, sent.SellEmpty, sent.Pictures
	now.Collections = together(draft.Collections, settings.Collections)
	pictures := map[string]string{}
	for _, v := range sent.Variants {
		pictures[v.Reference] = v.Picture
	}
	now.Variants = variantsOf(draft, max(draft.Reserve, settings.Reserve), func(v workbench.ReadyVariant) string {
		return pictures[strconv.FormatInt(v.ID, 10)]
	})
	out.Here = store.Differences(now, sent, true)
	for _, f := range draft.Report.Findings {
		if f.Stops {
			return f.Words, nil
		}
	}
	return "", nil
}

func notFoundOr(err error) error {
	if err == nil || database.Missing(err) {
		return apikit.NotFound("listing")
	}
	return err
}

func (s *Service) sentVariants(ctx context.Context, out *ListingInFull, sent store.Product) error {
	rows, err := s.Pool.Query(ctx, `select draft_variant_id, store_variant, stock, ladder from listing_variant
		where listing_id = $1`, out.ID)
	if err != nil {
		return err
	}
	kept := map[string]SentVariant{}
	var v SentVariant
	var ladder pricing.Ladder
	if _, err := pgx.ForEachRow(rows, []any{&v.VariantID, &v.StoreVariant, &v.Stock, &ladder}, func() error {
		one := v
		if ladder.Price != (money.Amount{}) {
			copied := ladder
			one.Ladder = &copied
		}
		kept[strconv.FormatInt(v.VariantID, 10)] = one
		ladder = pricing.Ladder{}
		return nil
	}); err != nil {
		return err
	}
	out.Sent = []SentVariant{}
	for _, p := range sent.Variants {
		one := kept[p.Reference]
		one.Values, one.SKU = apikit.List(p.Values), p.SKU
		out.Sent = append(out.Sent, one)
	}
	return nil
}

// pricePoints is the lowest price of a listing from each moment at which it changed.
func (s *Service) pricePoints(ctx context.Context, id int64, c money.Currency) ([]PricePoint, error) {
	rows, err := s.Pool.Query(ctx, `select draft_variant_id, price, at from listing_price where listing_id = $1
		order by at`, id)
	if err != nil {
		return nil, err
	}
	now := map[int64]int64{}
	points := []PricePoint{}
	var variant, price int64
	var at time.Time
	_, err = pgx.ForEachRow(rows, []any{&variant, &price, &at}, func() error {
		now[variant] = price
		lowest := price
		for _, p := range now {
			lowest = min(lowest, p)
		}
		point := PricePoint{at, money.New(lowest, c)}
		if n := len(points); n > 0 && points[n-1].At.Equal(at) {
			points[n-1] = point
		} else if n == 0 || points[n-1].Price != point.Price {
			points = append(points, point)
		}
		return nil
	})
	return points, err
}
