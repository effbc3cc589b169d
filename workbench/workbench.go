// Package workbench holds drafts: the seller's own versions of products, in preparation.
package workbench

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"

	"plainpelican/core/edit"
	"plainpelican/core/likeness"
	"plainpelican/core/markup"
	"plainpelican/core/money"
	"plainpelican/core/variant"
	"plainpelican/media"
	"plainpelican/platform/access"
	"plainpelican/platform/database"
	"plainpelican/platform/progress"
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

// Media is what the workbench must know of pictures.
type Media interface {
	PictureAt(ctx context.Context, url string) (hash string, content []byte, err error)
	Serve(w http.ResponseWriter, r *http.Request, hash string, content []byte, err error)
	// Fetch has pictures fetched once the transaction is through.
	Fetch(ctx context.Context, tx pgx.Tx, urls []string) error
	// Known tells what is known of pictures, by address.
	Known(ctx context.Context, db database.Querier, urls []string) (map[string]media.Picture, error)
	// MedianColours are the colours of the middle of pictures, by address, as far as they can be had soon.
	MedianColours(ctx context.Context, urls []string) (map[string]likeness.MedianColour, error)
}

// Offers is told of which offers drafts were made or removed.
type Offers interface {
	NotifyOffers(ctx context.Context, db database.Querier, offers []int64) error
}

// Service is the workbench capability.
type Service struct {
	Pool     *pgxpool.Pool
	Pricing  *pricing.Service
	Stores   Stores
	Progress *progress.Stream
	Media    Media
	Offers   Offers
	Listings ListingHistory
	// PicturePath is where a picture of an offer is served, by its index there.
	PicturePath func(offer int64, index int) string
}

// draft is a draft as it is stored, with what it points at.
type draft struct {
	id, offerID                   int64
	reference                     string
	revision, contentRevision     int
	changes                       changes
	title, description            string
	pictures                      []edit.Picture
	options                       []variant.Option
	updatedAt                     time.Time
	offerTitle, supplier, pageURL string
	sourceID                      int64
	offerNumber                   string
	withdrawnAt                   *time.Time
	facts                         pricing.OfferFacts
	collections, tags             []string
	text                          edit.Draft               // type, vendor, search and own words, reserve, tray
	known                         map[string]media.Picture // what is known of its pictures, by address
	variants                      []draftVariant
	dropped                       []draftVariant // those that were left out of it, unpriced
}

type draftVariant struct {
	id, offerVariantID int64
	position           int
	number             int // by which its SKU is made
	valueIndexes       []int
	chosen             bool
	unit               pricing.Unit
	stock              int
	pictureID          *int // which of the draft's pictures it shows; nil is none
	barcode            string
	codes              edit.Codes // the shop's own
	// withdrawn is that it cannot be bought; offerVariantID is 0 where its supplier never sold it.
	withdrawn bool
	// from is the offer that it is bought from, where that is not the draft's; nil where it is.
	from *furtherOffer
}

// otherOffer is the offer that it is bought from, where that is not the draft's; 0 where it is.
func (v *draftVariant) otherOffer() int64 {
	if v.from == nil {
		return 0
	}
	return v.from.id
}

// otherFacts are those of the offer that it is bought from, where that is not the draft's; nil where it is.
func (v *draftVariant) otherFacts() *pricing.OfferFacts {
	if v.from == nil {
		return nil
	}
	return &v.from.facts
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

// picture is one of the draft's by its id; nil where it has none such.
func (d *draft) picture(id *int) *edit.Picture {
	if id == nil {
		return nil
	}
	at := slices.IndexFunc(d.pictures, func(p edit.Picture) bool { return p.ID == *id })
	if at < 0 {
		return nil
	}
	return &d.pictures[at]
}

// path is where a picture of the draft is served: by its hash once it was fetched. That of none is empty.
func (d *draft) path(p *edit.Picture) string {
	switch {
	case p == nil:
		return ""
	case d.known[p.URL].Hash != "":
		return media.Path(d.known[p.URL].Hash)
	}
	return fmt.Sprintf("/drafts/%d/pictures/%d", d.id, p.ID)
}

// load reads drafts, the newest first.
func load(ctx context.Context, q database.Querier, known Media, ids ...int64) ([]*draft, error) {
	rows, err := q.Query(ctx, `
		select d.id, d.offer_id, d.reference::text, d.revision, d.changes, d.title, d.description, d.pictures,
			d.options, d.collections, d.tags, d.updated_at, d.type, d.vendor, d.search_title, d.search_description,
			d.own, d.reserve, coalesce(d.tray_id, 0), d.discarded_at is not null, d.delivery, d.content_revision,
			o.title, o.page_url, o.source_id, o.number, o.withdrawn_at,
			`+pricing.OfferFactsColumns+`
		from draft d join facts.offer o on o.id = d.offer_id`+pricing.OfferFactsJoin+`
		where d.id = any ($1) order by d.id desc`, ids)
	if err != nil {
		return nil, err
	}
	byID := map[int64]*draft{}
	currencies := map[int64]money.Currency{}
	var of pricing.OfferFactsRow
	drafts, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (*draft, error) {
		d := &draft{}
		err := row.Scan(append([]any{&d.id, &d.offerID, &d.reference, &d.revision, &d.changes, &d.title, &d.description,
			&d.pictures, &d.options, &d.collections, &d.tags, &d.updatedAt, &d.text.Type, &d.text.Vendor,
			&d.text.SearchTitle, &d.text.SearchDescription, &d.text.Own, &d.text.Reserve, &d.text.TrayID,
			&d.text.Discarded, &d.text.Delivery, &d.contentRevision, &d.offerTitle,
			&d.pageURL, &d.sourceID, &d.offerNumber, &d.withdrawnAt}, of.Fields()...)...)
		if err != nil {
			return nil, err
		}
		byID[d.id] = d
		d.facts, currencies[d.id], err = of.Take()
		d.supplier, d.facts.Collections, d.facts.Tags = d.facts.Supplier, d.collections, d.tags
		d.facts.Service = d.text.Delivery
		return d, err
	})
	if err != nil {
		return nil, err
	}
	if err := loadVariants(ctx, q, ids, byID, currencies); err != nil {
		return nil, err
	}
	return drafts, loadPictures(ctx, q, known, drafts)
}

func loadVariants(ctx context.Context, q database.Querier, ids []int64, byID map[int64]*draft,
	currencies map[int64]money.Currency) error {
	rows, err := q.Query(ctx, `
		select v.draft_id, v.id, coalesce(v.offer_variant_id, 0), v.position, v.value_indexes, v.chosen,
			coalesce(w.cost, 0), coalesce(w.min_advertised, 0), coalesce(w.list_price, 0), coalesce(w.prices_in, ''),
			coalesce(w.stock, 0), v.picture_id, coalesce(w.barcode, ''), coalesce(w.withdrawn, true), v.sku, v.barcode,
			v.dropped, v.number, coalesce(v.other_offer_id, 0)
		from draft_variant v left join facts.offer_variant w on w.id = v.offer_variant_id
		where v.draft_id = any ($1) order by v.draft_id, v.position, v.id`, ids)
	if err != nil {
		return err
	}
	var draftID, cost, advertised, listed, other int64
	var pricesIn string
	var dropped bool
	var v draftVariant
	var further []elsewhere
	var of []*draft
	_, err = pgx.ForEachRow(rows, []any{&draftID, &v.id, &v.offerVariantID, &v.position, &v.valueIndexes, &v.chosen,
		&cost, &advertised, &listed, &pricesIn, &v.stock, &v.pictureID, &v.barcode, &v.withdrawn,
		&v.codes.SKU, &v.codes.Barcode, &dropped, &v.number, &other}, func() error {
		if d := byID[draftID]; d != nil && dropped {
			one := v
			if other != 0 {
				one.from = &furtherOffer{id: other}
			}
			d.dropped = append(d.dropped, one)
		} else if d != nil {
			one := v
			if other == 0 {
				one.unit = pricing.UnitOf(currencies[draftID], cost, advertised, listed, pricesIn)
			} else {
				further = append(further, elsewhere{0, len(d.variants), other, cost, advertised, listed, pricesIn})
				of = append(of, d)
			}
			d.variants = append(d.variants, one)
		}
		v.valueIndexes, v.pictureID = nil, nil
		return nil
	})
	if err != nil || len(further) == 0 {
		return err
	}
	offers, err := furtherOffers(ctx, q, further)
	for i, e := range further {
		v := &of[i].variants[e.variant]
		v.from = offers.of(e.offer, &of[i].facts)
		v.unit, v.withdrawn = e.unit(v.from.currency), v.withdrawn || v.from.withdrawnAt != nil
	}
	return err
}

// loadPictures fills in what is known of the pictures of drafts.
func loadPictures(ctx context.Context, q database.Querier, known Media, drafts []*draft) error {
	var urls []string
	for _, d := range drafts {
		for _, p := range d.pictures {
			urls = append(urls, p.URL)
		}
	}
	slices.Sort(urls)
	pictures, err := known.Known(ctx, q, slices.Compact(urls))
	for _, d := range drafts {
		d.known = pictures
	}
	return err
}

// DraftsOf maps offers to the drafts that were made of them.
func (s *Service) DraftsOf(ctx context.Context, offers []int64) (map[int64][]int64, error) {
	rows, err := s.Pool.Query(ctx, `select offer_id, draft_id from facts.draft_offer
		where offer_id = any ($1) order by draft_id`, offers)
	if err != nil {
		return nil, err
	}
	drafts := map[int64][]int64{}
	var offer, id int64
	_, err = pgx.ForEachRow(rows, []any{&offer, &id}, func() error {
		drafts[offer] = append(drafts[offer], id)
		return nil
	})
	return drafts, err
}

// CollectionsAndTags lists those that drafts have.
func (s *Service) CollectionsAndTags(ctx context.Context) (collections, tags []string, err error) {
	err = s.Pool.QueryRow(ctx, `select array(select distinct unnest(collections)
			from draft where discarded_at is null order by 1),
		array(select distinct unnest(tags) from draft where discarded_at is null order by 1)`).Scan(&collections, &tags)
	return collections, tags, err
}

// Count counts drafts.
func (s *Service) Count(ctx context.Context) (n int, err error) {
	err = s.Pool.QueryRow(ctx, `select count(*) from draft where discarded_at is null`).Scan(&n)
	return n, err
}

// Pictures are where the first pictures that drafts show are served, by draft.
func (s *Service) Pictures(ctx context.Context, ids []int64) (map[int64]string, error) {
	rows, err := s.Pool.Query(ctx, `select id, pictures from draft where id = any ($1)`, ids)
	if err != nil {
		return nil, err
	}
	drafts, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (*draft, error) {
		d := &draft{}
		return d, row.Scan(&d.id, &d.pictures)
	})
	if err != nil {
		return nil, err
	}
	paths := map[int64]string{}
	err = loadPictures(ctx, s.Pool, s.Media, drafts)
	for _, d := range drafts {
		paths[d.id] = d.path(d.firstShown())
	}
	return paths, err
}

// firstShown is the first picture that is shown; nil where none is.
func (d *draft) firstShown() *edit.Picture {
	at := slices.IndexFunc(d.pictures, func(p edit.Picture) bool { return p.Shown })
	if at < 0 {
		return nil
	}
	return &d.pictures[at]
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
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		// One at a time, so that two people do not both find none there.
		if err := database.Lock(ctx, tx, database.LockTake); err != nil {
			return err
		}
		var made []int64
		for i, offer := range offers {
			if slices.Contains(offers[:i], offer) {
				continue
			}
			var title string
			var existing *int64
			err := tx.QueryRow(ctx, `select title, (select min(id) from draft where offer_id = o.id
				and discarded_at is null) from facts.offer o
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
		if err := s.Pricing.PriceDrafts(ctx, tx, made); err != nil {
			return err
		}
		if err := s.Offers.NotifyOffers(ctx, tx, offersOf(out.Taken)); err != nil {
			return err
		}
		return s.Progress.PublishIn(ctx, tx, "drafts", map[string]int{"taken": len(made)})
	})
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
	var names, urls []string
	err := tx.QueryRow(ctx, `select title, description, option_names, pictures from facts.offer where id = $1`, offer).
		Scan(&title, &description, &names, &urls)
	if err != nil {
		return 0, err
	}
	rows, err := tx.Query(ctx, `select id, option_values, picture from facts.offer_variant
		where offer_id = $1 and not withdrawn order by position, id`, offer)
	if err != nil {
		return 0, err
	}
	var ids []int64
	var values [][]string
	var shows []*int
	var id int64
	var one []string
	var picture int
	if _, err := pgx.ForEachRow(rows, []any{&id, &one, &picture}, func() error {
		ids, values = append(ids, id), append(values, one)
		var shown *int
		if picture >= 0 && picture < len(urls) {
			shown = new(int)
			*shown = picture
		}
		shows = append(shows, shown)
		one = nil
		return nil
	}); err != nil {
		return 0, err
	}
	options, indexes := variant.Collect(names, values)
	pictures := make([]edit.Picture, len(urls))
	for i, url := range urls {
		pictures[i] = edit.Picture{ID: i, URL: url, Shown: true}
	}
	var draftID int64
	err = tx.QueryRow(ctx, `insert into draft (offer_id, title, description, pictures, options, created_by)
		values ($1, $2, $3, $4, $5, $6) returning id`,
		offer, title, originalDescription(description), asJSON(pictures), asJSON(options),
		access.Who(ctx).Name).Scan(&draftID)
	if err != nil {
		return 0, err
	}
	batch := &pgx.Batch{}
	for i, id := range ids {
		batch.Queue(`insert into draft_variant (draft_id, offer_variant_id, position, number, value_indexes, picture_id)
			values ($1, $2, $3, $3, $4, $5)`, draftID, id, i, indexes[i], shows[i])
	}
	if err := tx.SendBatch(ctx, batch).Close(); err != nil {
		return 0, err
	}
	return draftID, s.Media.Fetch(ctx, tx, urls)
}

// asJSON writes what always can be written.
func asJSON(v any) []byte {
	data, err := json.Marshal(v)
	if err != nil {
		panic(err)
	}
	return data
}
