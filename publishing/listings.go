package publishing

import (
	"context"
	"fmt"
	"net/http"
	"time"

	"github.com/jackc/pgx/v5"

	"plainpelican/core/markup"
	"plainpelican/core/money"
	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
)

// Listing is a draft as it is live in a store.
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
	Variants    int                `json:"variants"`
	Lowest      money.Amount       `json:"lowest"`
	Highest     money.Amount       `json:"highest"`
	Trace       []markup.TraceLine `json:"trace" doc:"How the lowest price that was sent came about"`
	Moved       int                `json:"moved" doc:"Prices that have moved here since they were sent"`
	Duplicates  []Duplicate        `json:"duplicates" doc:"Further products of the same draft in the store"`
	Withdrawn   bool               `json:"withdrawn" doc:"The supplier has stopped selling it"`
	PublishedAt time.Time          `json:"published_at"`
	UpdatedAt   time.Time          `json:"updated_at"`
}

// Listings lists what is live in a store, the newest first.
func (s *Service) Listings(ctx context.Context, storeID int64) ([]Listing, error) {
	rows, err := s.Pool.Query(ctx, `
		select l.id, l.draft_id, l.offer_id, l.title,
			l.url, o.page_url, u.name, x.name, l.visible, jsonb_array_length(l.sent -> 'variants'),
			(select min((v ->> 'price')::numeric)::text
			from jsonb_array_elements(l.sent -> 'variants') v), (select max((v ->> 'price')::numeric)::text
			from jsonb_array_elements(l.sent -> 'variants') v),
			t.currency, l.trace, (select count(*) from facts.price p
			join facts.draft_variant v on v.id = p.draft_variant_id and v.chosen
			where p.store_id = l.store_id and p.draft_id = l.draft_id and p.price > 0
				and p.price is distinct from (select h.price from listing_price h
				where h.listing_id = l.id and h.draft_variant_id = p.draft_variant_id order by h.at desc limit 1)),
			l.duplicates, o.withdrawn_at is not null, l.published_at, l.updated_at
		from listing l join facts.draft d on d.id = l.draft_id join facts.offer o on o.id = l.offer_id
		join facts.supplier u on u.id = o.supplier_id join facts.source x on x.id = o.source_id
		join facts.store t on t.id = l.store_id
		where l.store_id = $1 order by l.updated_at desc, l.id desc`, storeID)
	if err != nil {
		return nil, err
	}
	listings, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (Listing, error) {
		var l Listing
		var lowest, highest, currency string
		err := row.Scan(&l.ID, &l.DraftID, &l.OfferID, &l.Title, &l.URL, &l.OfferURL, &l.Supplier,
			&l.Source, &l.Visible, &l.Variants, &lowest, &highest, &currency, &l.Trace, &l.Moved, &l.Duplicates,
			&l.Withdrawn, &l.PublishedAt, &l.UpdatedAt)
		if err != nil {
			return l, err
		}
		l.Lowest, l.Highest, err = both(lowest, highest, currency)
		return l, err
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
	return listings, err
}

func both(lowest, highest, currency string) (lo, hi money.Amount, err error) {
	c, err := money.ParseCurrency(currency)
	if err != nil {
		return lo, hi, err
	}
	if lo, err = money.Parse(lowest, c); err != nil {
		return lo, hi, err
	}
	hi, err = money.Parse(highest, c)
	return lo, hi, err
}

// RunInFull is a run with its items.
type RunInFull struct {
	Run
	Items []Item `json:"items"`
}

func (s *Service) inFull(ctx context.Context, id int64) (RunInFull, error) {
	run, err := s.run(ctx, id)
	if err != nil {
		return RunInFull{}, err
	}
	rows, err := s.Pool.Query(ctx, `
		select i.id, i.draft_id, d.title,
			(select count(*) from facts.draft_variant v where v.draft_id = d.id
			and v.chosen), i.state, i.reason, i.area,
			coalesce(l.url, ''), coalesce((select min((v ->> 'price')::numeric)::text
			from jsonb_array_elements(l.sent -> 'variants') v), ''), coalesce(l.trace, '[]'), t.currency, i.updated_at
		from publish_item i join publish_run r on r.id = i.run_id join facts.store t on t.id = r.store_id
		join facts.draft_ever d on d.id = i.draft_id
		left join listing l on l.draft_id = d.id and l.store_id = r.store_id and i.state = 'published'
		where i.run_id = $1 order by i.id`, id)
	if err != nil {
		return RunInFull{}, err
	}
	items, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (Item, error) {
		var i Item
		var price, currency string
		err := row.Scan(&i.ID, &i.DraftID, &i.Title, &i.Variants, &i.State, &i.Reason, &i.Area, &i.URL,
			&price, &i.Trace, &currency, &i.UpdatedAt)
		if err != nil {
			return i, err
		}
		if price != "" {
			lowest, _, err := both(price, price, currency)
			if err != nil {
				return i, fmt.Errorf("item %d: %w", i.ID, err)
			}
			i.Price = &lowest
		}
		return i, nil
	})
	if err != nil {
		return RunInFull{}, err
	}
	drafts := make([]int64, len(items))
	for i := range items {
		drafts[i] = items[i].DraftID
	}
	paths, err := s.Drafts.Pictures(ctx, drafts)
	for i := range items {
		items[i].Picture = paths[items[i].DraftID]
	}
	return RunInFull{run, items}, err
}

// Register adds the operations.
func (s *Service) Register(a *apikit.API) {
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/runs", "listRuns", "List the newest publish runs",
		func(ctx context.Context, _ *apikit.None) (*apikit.Body[[]Run], error) {
			return apikit.OK(s.Runs(ctx))
		})
	apikit.Register(a, access.Editor, http.MethodPost, "/api/runs", "startRun", "Publish drafts to a store",
		func(ctx context.Context, in *struct {
			Body struct {
				StoreID   int64   `json:"store_id"`
				DraftIDs  []int64 `json:"draft_ids" minItems:"1" maxItems:"50000"`
				Visible   bool    `json:"visible"`
				SellEmpty bool    `json:"sell_empty" doc:"Keep selling what is out of stock"`
			}
		}) (*apikit.Body[Run], error) {
			return apikit.OK(s.Start(ctx, in.Body.StoreID, in.Body.DraftIDs, in.Body.Visible, in.Body.SellEmpty))
		})
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/runs/{id}", "getRun", "A run with its items",
		func(ctx context.Context, in *apikit.ByID) (*apikit.Body[RunInFull], error) {
			return apikit.OK(s.inFull(ctx, in.ID))
		})
	apikit.Register(a, access.Editor, http.MethodPost, "/api/runs/{id}/retry", "retryRun", "Send failed items again",
		func(ctx context.Context, in *struct {
			apikit.ByID
			Body struct {
				ItemIDs []int64 `json:"item_ids" minItems:"1" maxItems:"50000"`
			}
		}) (*apikit.Body[Run], error) {
			return apikit.OK(s.Retry(ctx, in.ID, in.Body.ItemIDs))
		})
	apikit.Register(a, access.Editor, http.MethodPost, "/api/runs/{id}/stop", "stopRun",
		"Leave out what is still waiting", func(ctx context.Context, in *apikit.ByID) (*apikit.Body[Run], error) {
			return apikit.OK(s.Stop(ctx, in.ID))
		})
	apikit.Register(a, access.Editor, http.MethodPost, "/api/listings/{id}/hide", "hideListing",
		"Hide a listing in its store", func(ctx context.Context, in *apikit.ByID) (*apikit.None, error) {
			return nil, s.Hide(ctx, in.ID)
		})
	apikit.Register(a, access.Editor, http.MethodPost, "/api/listings/{id}/duplicates/remove", "removeDuplicates",
		"Take further products of the same draft out of the store",
		func(ctx context.Context, in *apikit.ByID) (*apikit.None, error) {
			return nil, s.RemoveDuplicates(ctx, in.ID)
		})
	apikit.Register(a, access.Editor, http.MethodPost, "/api/listings/check", "checkListings",
		"Look for drafts that a store holds more than once", func(ctx context.Context, in *struct {
			Store int64 `query:"store" required:"true"`
		}) (*apikit.None, error) {
			return nil, s.Check(ctx, in.Store)
		})
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/listings", "listListings",
		"List what is live in a store", func(ctx context.Context, in *struct {
			Store int64 `query:"store" required:"true"`
		}) (*apikit.Body[[]Listing], error) {
			return apikit.OK(s.Listings(ctx, in.Store))
		})
}
