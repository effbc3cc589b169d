// Package offers owns what suppliers offer: offers with their variants and suppliers, what imports stage of them, and
// the log of changes that every instance's index follows.
package offers

import (
	"context"
	"net/http"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"

	"plainpelican/core/money"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/pricing"
)

// Service keeps the offers.
type Service struct {
	pool   *pgxpool.Pool
	media  Media
	drafts Drafts
}

// Media serves pictures.
type Media interface {
	// PictureAt gives the hash and the content of the picture at an address, fetched where that was not done.
	PictureAt(ctx context.Context, url string) (hash string, content []byte, err error)
	// Serve answers with a picture, or with why there is none.
	Serve(w http.ResponseWriter, r *http.Request, hash string, content []byte, err error)
}

// Drafts is what must be known of drafts.
type Drafts interface {
	// CollectionsAndTags lists the collections and tags that drafts have.
	CollectionsAndTags(ctx context.Context) (collections, tags []string, err error)
}

// New makes the service.
func New(pool *pgxpool.Pool, media Media, drafts Drafts) *Service {
	return &Service{pool: pool, media: media, drafts: drafts}
}

// Staging is where the offers of an import are staged.
type Staging struct {
	ImportID, SourceID int64
	// After is the sequence number that they come behind.
	After int64
	// Partial tells that offers may come with some of their variants only: the others stay.
	Partial bool
}

// MergeCounts say what became of offers that were merged.
type MergeCounts struct{ Added, Changed int }

// Impact is what an import would do to a source's offers.
type Impact struct {
	Offers    int `json:"offers" doc:"For sale before"`
	Withdrawn int `json:"withdrawn"`
	Repriced  int `json:"repriced"`
	// OtherCurrency counts offers whose cost changes its currency, as from From into Into.
	OtherCurrency int    `json:"other_currency"`
	FromCurrency  string `json:"from_currency"`
	ToCurrency    string `json:"to_currency"`
	// SoldOut counts offers that had stock and would have none, of InStock that have some.
	SoldOut  int       `json:"sold_out"`
	InStock  int       `json:"in_stock"`
	Examples []Example `json:"examples"`
}

// Example is one offer that would be withdrawn, or repriced where it has amounts.
type Example struct {
	Number string        `json:"number"`
	Title  string        `json:"title"`
	Before *money.Amount `json:"before"`
	After  *money.Amount `json:"after"`
}

// Unit reads what a variant of an offer is bought for, by the pool or the transaction that who asks is in.
func (s *Service) Unit(ctx context.Context, q database.Querier, offer, variant int64) (t pricing.OfferFacts,
	u pricing.Unit, err error) {
	var row pricing.OfferFactsRow
	var pricesIn string
	var cost, advertised, listed int64
	err = q.QueryRow(ctx, `select v.cost, v.min_advertised, v.list_price, v.prices_in,`+pricing.OfferFactsColumns+
		` from offer o`+pricing.OfferFactsJoin+`
		join offer_variant v on v.offer_id = o.id and not v.withdrawn
		where o.id = $1 and ($2::bigint = 0 or v.id = $2) order by v.stock > 0 or v.stock_unknown desc, v.cost, v.id
		limit 1`, offer, variant).
		Scan(append([]any{&cost, &advertised, &listed, &pricesIn}, row.Fields()...)...)
	if database.Missing(err) {
		return t, u, apikit.NotFound("variant")
	}
	if err != nil {
		return t, u, err
	}
	t, c, err := row.Take()
	return t, pricing.UnitOf(c, cost, advertised, listed, pricesIn), err
}

// Names lists what rules may name, as pricing.Choices has it.
func (s *Service) Names(ctx context.Context) (c pricing.RuleChoices, err error) {
	for _, list := range []struct {
		into *[]string
		sql  string
	}{
		{&c.Sources, `select name from facts.source where state = 'connected'`},
		{&c.Suppliers, `select name from supplier`},
		{&c.Categories, `select own_category(source_id, category)
			from (select distinct source_id, category from offer where category <> '') c`},
		{&c.Brands, `select brand from offer where brand <> ''`}, {&c.ShipsFrom, `select country from supplier
			where country <> ''`}, {&c.Currencies, `select currency from offer`},
		{&c.Deliveries, `select d ->> 'name' from offer, jsonb_array_elements(deliveries) d`},
	} {
		rows, err := s.pool.Query(ctx, `select distinct n from (`+list.sql+`) x (n) order by 1 limit 1000`)
		if err != nil {
			return c, err
		}
		if *list.into, err = pgx.CollectRows(rows, pgx.RowTo[string]); err != nil {
			return c, err
		}
	}
	c.Collections, c.Tags, err = s.drafts.CollectionsAndTags(ctx)
	return c, err
}
