// Package workbench holds drafts: the seller's own versions of products, in preparation.
package workbench

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"

	"plainpelican/core/contact"
	"plainpelican/core/likeness"
	"plainpelican/core/markup"
	"plainpelican/core/money"
	"plainpelican/core/variant"
	"plainpelican/platform/access"
	"plainpelican/platform/database"
	"plainpelican/platform/progress"
	"plainpelican/platform/safehtml"
	"plainpelican/pricing"
)

// Stores is what the workbench must know of stores.
type Stores interface {
	Limits(ctx context.Context, storeID int64) (variant.Limits, error)
}

// ListingHistory is what the workbench must know of what was sold.
type ListingHistory interface {
	// SoldPrices lists the prices that drafts' variants had in a store, in order of time.
	SoldPrices(ctx context.Context, storeID int64, drafts []int64) (map[int64][]markup.Sold, error)
}

// Service is the workbench capability.
type Service struct {
	Pool     *pgxpool.Pool
	Pricing  *pricing.Service
	Stores   Stores
	Progress *progress.Stream
	Listings ListingHistory
	// PicturePath is where a picture of an offer is served.
	PicturePath func(offer int64, place int) string
	// MedianColours are the colours of the middle of an offer's pictures, by place, as far as they can be had soon.
	MedianColours func(ctx context.Context, offer int64) (map[int]likeness.MedianColour, error)
	// FetchPictures has the pictures of offers fetched, once the transaction is through.
	FetchPictures func(ctx context.Context, tx pgx.Tx, offers []int64) error
	// NotifyOffers lets the catalog know of which offers drafts were made or removed.
	NotifyOffers func(ctx context.Context, db database.Querier, offers []int64) error
}

// PictureChoice is one picture of a draft, shown or not, in the draft's order.
type PictureChoice struct {
	Place int  `json:"place" doc:"Names the picture within the draft"`
	Shown bool `json:"shown"`
}

// picture is one as it is stored.
type picture struct {
	PictureChoice
	// Offer is whose it is and At which of its, where the draft was bought as another offer before;
	// else it is the Place-th of the draft's own.
	Offer int64 `json:"offer,omitempty"`
	At    int   `json:"at,omitempty"`
}

// PictureOf names a picture of an offer.
type PictureOf struct {
	Offer int64
	Place int
}

func (d *draft) pictureOf(p picture) PictureOf {
	if p.Offer != 0 {
		return PictureOf{p.Offer, p.At}
	}
	return PictureOf{d.offerID, p.Place}
}

// shownBy is the picture that a variant shows.
func (d *draft) shownBy(v *draftVariant) PictureOf {
	if v.ownPicture == nil {
		return PictureOf{d.offerID, v.picture}
	}
	if at := slices.IndexFunc(d.pictures, func(p picture) bool { return p.Place == *v.ownPicture }); at >= 0 {
		return d.pictureOf(d.pictures[at])
	}
	return PictureOf{d.offerID, -1}
}

// draft is a draft as it is stored, with what it points at.
type draft struct {
	id, offerID                   int64
	reference                     string
	revision                      int
	title, description            string
	pictures                      []picture
	options                       []variant.Option
	updatedAt                     time.Time
	offerTitle, supplier, pageURL string
	sourceID                      int64
	offerNumber                   string
	withdrawnAt                   *time.Time
	facts                         pricing.OfferFacts
	collections, tags             []string
	unavailable                   map[PictureOf]string // pictures that cannot be had, with why
	variants                      []draftVariant
}

type draftVariant struct {
	id, offerVariantID int64
	position           int
	valueIndexes       []int
	chosen             bool
	unit               pricing.Unit
	stock, picture     int  // picture is its offer variant's
	ownPicture         *int // the place among the draft's pictures, where it has one of its own
	barcode            string
	// withdrawn is that it cannot be bought; offerVariantID is 0 where its supplier never sold it.
	withdrawn bool
}

// name is the variant's values as the draft calls them.
func (d *draft) name(v *draftVariant) string { return strings.Join(d.values(v), " ") }

func (d *draft) values(v *draftVariant) []string {
	names := make([]string, len(d.options))
	for i, o := range d.options {
		names[i] = o.Values[v.valueIndexes[i]].Name
	}
	return names
}

// load reads drafts in the order of their making, newest first; no ids are all.
func load(ctx context.Context, q database.Querier, ids ...int64) ([]*draft, error) {
	rows, err := q.Query(ctx, `
		select d.id, d.offer_id, d.reference::text, d.revision, d.title, d.description, d.pictures, d.options,
		d.collections, d.tags, d.updated_at, o.title, u.name, o.page_url, o.source_id, o.number,
			o.withdrawn_at, x.name, u.country, own_category(o.source_id, o.category), o.brand, o.processing_min,
			o.processing_max, o.deliveries, o.market_prices, o.market_currency, o.currency, `+pricing.LeastCostSQL+`
		from draft d join offer o on o.id = d.offer_id join supplier u on u.id = o.supplier_id
		join source x on x.id = o.source_id
		where $1::bigint[] is null or d.id = any ($1) order by d.id desc`, ids)
	if err != nil {
		return nil, err
	}
	byID := map[int64]*draft{}
	currencies := map[int64]money.Currency{}
	drafts, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (*draft, error) {
		d := &draft{}
		var currency, marketIn string
		t := &d.facts
		err := row.Scan(&d.id, &d.offerID, &d.reference, &d.revision, &d.title, &d.description, &d.pictures, &d.options,
			&d.collections, &d.tags, &d.updatedAt, &d.offerTitle, &d.supplier, &d.pageURL, &d.sourceID, &d.offerNumber,
			&d.withdrawnAt, &t.Source, &t.ShipsFrom, &t.Category, &t.Brand, &t.Processing.Min, &t.Processing.Max,
			&t.Deliveries, &t.Market, &marketIn, &currency, &t.LeastCost)
		if err != nil {
			return nil, err
		}
		t.Supplier, t.Collections, t.Tags = d.supplier, d.collections, d.tags
		if t.MarketCurrency, err = currencyOf(marketIn); err != nil {
			return nil, err
		}
		byID[d.id] = d
		currencies[d.id], err = money.ParseCurrency(currency)
		return d, err
	})
	if err != nil {
		return nil, err
	}
	rows, err = q.Query(ctx, `
		select v.draft_id, v.id, coalesce(v.offer_variant_id, 0), v.position, v.value_indexes, v.chosen,
		coalesce(w.cost, 0), coalesce(w.min_advertised, 0), coalesce(w.list_price, 0), coalesce(w.prices_in, ''),
		coalesce(w.stock, 0),
			coalesce(w.picture, -1), v.picture, coalesce(w.barcode, ''), coalesce(w.withdrawn, true)
		from draft_variant v left join offer_variant w on w.id = v.offer_variant_id
		where $1::bigint[] is null or v.draft_id = any ($1) order by v.draft_id, v.position, v.id`, ids)
	if err != nil {
		return nil, err
	}
	var draftID, cost, advertised, listed int64
	var pricesIn string
	var v draftVariant
	_,
		err = pgx.ForEachRow(rows,
		[]any{&draftID, &v.id, &v.offerVariantID, &v.position, &v.valueIndexes, &v.chosen, &cost, &advertised, &listed,
			&pricesIn, &v.stock, &v.picture, &v.ownPicture, &v.barcode, &v.withdrawn}, func() error {
			if d := byID[draftID]; d != nil {
				one, c := v, currencies[draftID]
				one.unit = pricing.UnitOf(c, cost, advertised, listed, pricesIn)
				d.variants = append(d.variants, one)
			}
			v.valueIndexes, v.ownPicture = nil, nil
			return nil
		})
	if err != nil {
		return nil, err
	}
	return drafts, loadUnavailable(ctx, q, drafts)
}

// loadUnavailable fills in which pictures of drafts were asked for and cannot be had.
func loadUnavailable(ctx context.Context, q database.Querier, drafts []*draft) error {
	offers := []int64{}
	for _, d := range drafts {
		for _, p := range d.pictures {
			if p.Shown {
				offers = append(offers, d.pictureOf(p).Offer)
			}
		}
	}
	slices.Sort(offers)
	offers = slices.Compact(offers)
	rows, err := q.Query(ctx, `
		select o.id, u.place - 1, p.error from offer o cross join unnest(o.pictures) with ordinality u (url, place)
		join picture p on p.url = u.url and p.hash = '' and p.error <> '' where o.id = any ($1)`, offers)
	if err != nil {
		return err
	}
	troubled := map[PictureOf]string{}
	var at PictureOf
	var trouble string
	if _, err := pgx.ForEachRow(rows, []any{&at.Offer, &at.Place, &trouble}, func() error {
		troubled[at] = trouble
		return nil
	}); err != nil {
		return err
	}
	for _, d := range drafts {
		d.unavailable = troubled
	}
	return nil
}

// currencyOf reads a stored currency; none is none.
func currencyOf(code string) (money.Currency, error) {
	if code == "" {
		return 0, nil
	}
	return money.ParseCurrency(code)
}

// DraftsOf maps offers to the drafts that were made of them.
func (s *Service) DraftsOf(ctx context.Context, offers []int64) (map[int64][]int64, error) {
	rows, err := s.Pool.Query(ctx, `select offer_id, id from draft where offer_id = any ($1) order by id`, offers)
	if err != nil {
		return nil, err
	}
	taken := map[int64][]int64{}
	var offer, id int64
	_, err = pgx.ForEachRow(rows, []any{&offer, &id}, func() error {
		taken[offer] = append(taken[offer], id)
		return nil
	})
	return taken, err
}

// CollectionsAndTags lists the collections and tags that drafts have.
func (s *Service) CollectionsAndTags(ctx context.Context) (collections, tags []string, err error) {
	err = s.Pool.QueryRow(ctx, `select array(select distinct unnest(collections) from draft
		order by 1), array(select distinct unnest(tags) from draft order by 1)`).Scan(&collections, &tags)
	return collections, tags, err
}

// Count counts drafts.
func (s *Service) Count(ctx context.Context) (n int, err error) {
	err = s.Pool.QueryRow(ctx, `select count(*) from draft`).Scan(&n)
	return n, err
}

// TakeResult says what became of offers that were taken.
type TakeResult struct {
	Taken []Pair `json:"taken"`
	// Already lists offers that have drafts and were not taken again.
	Already []Pair `json:"already"`
}

// Pair is an offer and a draft made of it.
type Pair struct {
	OfferID int64  `json:"offer_id"`
	DraftID int64  `json:"draft_id"`
	Title   string `json:"title"`
}

// Take makes a draft of each offer. One that has a draft is not taken twice unless again is set.
func (s *Service) Take(ctx context.Context, offers []int64, again bool) (TakeResult, error) {
	out := TakeResult{Taken: []Pair{}, Already: []Pair{}}
	var made []int64
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		// One taking at a time, so that two people do not both find none there.
		if _, err := tx.Exec(ctx, `select pg_advisory_xact_lock(7304)`); err != nil {
			return err
		}
		for i, offer := range offers {
			if slices.Contains(offers[:i], offer) {
				continue
			}
			var title string
			var existing *int64
			err := tx.QueryRow(ctx, `select title, (select min(id) from draft where offer_id = o.id) from offer o
				where id = $1`, offer).Scan(&title, &existing)
			if database.Missing(err) {
				continue
			}
			if err != nil {
				return err
			}
			if existing != nil && !again {
				out.Already = append(out.Already, Pair{offer, *existing, title})
				continue
			}
			id, err := s.createDraft(ctx, tx, offer)
			if err != nil {
				return fmt.Errorf("taking offer %d: %w", offer, err)
			}
			out.Taken = append(out.Taken, Pair{offer, id, title})
			made = append(made, id)
		}
		if len(made) == 0 {
			return nil
		}
		if s.FetchPictures != nil {
			if err := s.FetchPictures(ctx, tx, offersOf(out.Taken)); err != nil {
				return err
			}
		}
		if err := s.Pricing.PriceDrafts(ctx, tx, made); err != nil || s.NotifyOffers == nil {
			return err
		}
		return s.NotifyOffers(ctx, tx, offersOf(out.Taken))
	})
	if err == nil && len(out.Taken) > 0 {
		err = s.Progress.Publish(ctx, "drafts", map[string]int{"taken": len(out.Taken)})
	}
	return out, err
}

func offersOf(pairs []Pair) []int64 {
	ids := make([]int64, len(pairs))
	for i, p := range pairs {
		ids[i] = p.OfferID
	}
	return ids
}

// createDraft copies an offer's words, pictures and variants into a new draft; what leads to the supplier is
// left out of its description.
func (s *Service) createDraft(ctx context.Context, tx pgx.Tx, offer int64) (int64, error) {
	var title, description string
	var names []string
	var count int
	err := tx.QueryRow(ctx, `select title, description, option_names, cardinality(pictures) from offer
		where id = $1`, offer).Scan(&title, &description, &names, &count)
	if err != nil {
		return 0, err
	}
	rows, err := tx.Query(ctx, `select id, option_values from offer_variant where offer_id = $1 and not withdrawn
		order by position, id`, offer)
	if err != nil {
		return 0, err
	}
	var ids []int64
	var values [][]string
	var id int64
	var one []string
	if _, err := pgx.ForEachRow(rows, []any{&id, &one}, func() error {
		ids, values = append(ids, id), append(values, one)
		one = nil
		return nil
	}); err != nil {
		return 0, err
	}
	options, places := variant.Collect(names, values)
	pictures := make([]picture, count)
	for i := range pictures {
		pictures[i].PictureChoice = PictureChoice{i, true}
	}
	var draftID int64
	err = tx.QueryRow(ctx, `insert into draft (offer_id, title, description, pictures, options, created_by)
		values ($1, $2, $3, $4, $5, $6) returning id`,
		offer, title, contact.Remove(safehtml.Clean(description)), asJSON(pictures), asJSON(options),
		access.Who(ctx).Name).Scan(&draftID)
	if err != nil {
		return 0, err
	}
	batch := &pgx.Batch{}
	for i, id := range ids {
		batch.Queue(`insert into draft_variant (draft_id, offer_variant_id, position, value_indexes)
			values ($1, $2, $3, $4)`, draftID, id, i, places[i])
	}
	return draftID, tx.SendBatch(ctx, batch).Close()
}

// asJSON writes what always can be written.
func asJSON(v any) []byte {
	data, err := json.Marshal(v)
	if err != nil {
		panic(err)
	}
	return data
}
