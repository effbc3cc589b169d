package publishing

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"plainpelican/connect/store"
	"plainpelican/members"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/platform/jobs"
)

// Duplicate is a further product of a draft in a store, beside the one that its listing knows.
type Duplicate struct {
	ID  string `json:"id"`
	URL string `json:"url"`
}

func duplicatesOf(products []store.Sent) []Duplicate {
	all := []Duplicate{}
	for _, p := range products {
		all = append(all, Duplicate{p.ID, p.URL})
	}
	return all
}

// ReconcileArgs is the job that reads what a store shows and compares it with what was sent.
type ReconcileArgs struct {
	StoreID int64 `json:"store_id"`
}

// Kind names the job.
func (ReconcileArgs) Kind() string { return "reconcile_store" }

// InsertOpts puts it into its queue, and one at a time for each store.
func (ReconcileArgs) InsertOpts() river.InsertOpts {
	return river.InsertOpts{Queue: "publish", UniqueOpts: river.UniqueOpts{ByArgs: true, ByState: jobs.Unfinished}}
}

// maxPages is how many pages of a store's products are read at once.
const maxPages = 5_000

// known is a listing as it was sent.
type known struct {
	id      int64
	product string
	sent    store.Product
	found   []store.Found
}

// reconcile reads all products of a store, and notes of each listing what differs there from what was sent, what the
// store holds twice, and what it does not have any more. Listings that were sent meanwhile are left for the next time.
func (s *Service) reconcile(ctx context.Context, storeID int64) error {
	session, err := s.Stores.Open(ctx, storeID)
	if apikit.IsProblem(err) {
		return nil // disconnected meanwhile
	}
	if err != nil {
		return err
	}
	var since time.Time
	if err := s.Pool.QueryRow(ctx, `select now()`).Scan(&since); err != nil {
		return err
	}
	cursor := ""
	for page := 0; ; page++ {
		products, next, err := session.List(ctx, cursor)
		if err != nil {
			return err // tried again; what was found so far is kept
		}
		if err := s.compare(ctx, storeID, since, products); err != nil {
			return err
		}
		if cursor = next; next == "" {
			break
		}
		if page == maxPages {
			return fmt.Errorf("store %d lists more than %d pages", storeID, maxPages)
		}
	}
	if _, err := s.Pool.Exec(ctx, `update listing set gone = true, seen_at = now(), differences = '[]'
		where store_id = $1 and ended_at is null and updated_at < $2 and (seen_at is null or seen_at < $2)`, storeID,
		since); err != nil {
		return err
	}
	return s.Progress.Publish(ctx, "listings", map[string]int64{"store": storeID})
}

// compare notes what a page of a store's products says of our listings. A product that is there twice may stand on two
// pages: those found before are known by the moment at which the listing was seen.
func (s *Service) compare(ctx context.Context, storeID int64, since time.Time, products []store.Found) error {
	byReference := map[string]*known{}
	var references []string
	for _, f := range products {
		reference := f.Product.Reference
		if reference == "" {
			continue
		}
		if byReference[reference] == nil {
			byReference[reference] = &known{}
			references = append(references, reference)
		}
		byReference[reference].found = append(byReference[reference].found, f)
	}
	rows, err := s.Pool.Query(ctx, `select l.id, l.product_id, d.reference::text, l.sent from listing l
		join facts.draft_ever d on d.id = l.draft_id
		where l.store_id = $1 and l.ended_at is null and l.updated_at < $3 and d.reference::text = any ($2)`, storeID,
		references, since)
	if err != nil {
		return err
	}
	var id int64
	var product, reference string
	var sent store.Product
	if _, err := pgx.ForEachRow(rows, []any{&id, &product, &reference, &sent}, func() error {
		k := byReference[reference]
		k.id, k.product, k.sent = id, product, sent
		sent = store.Product{}
		return nil
	}); err != nil {
		return err
	}
	batch := &pgx.Batch{}
	for _, k := range byReference {
		if k.id == 0 {
			continue
		}
		further := []Duplicate{}
		for _, f := range k.found {
			if f.Sent.ID != k.product {
				further = append(further, Duplicate{f.Sent.ID, f.Sent.URL})
				continue
			}
			batch.Queue(`update listing set differences = $2, seen_at = now(), gone = false where id = $1
				and product_id = $3`, k.id, store.Differences(k.sent, f.Product, false), k.product)
		}
		// What this round has found on an earlier page stays.
		batch.Queue(`update listing set checked_at = $3, duplicates = case when checked_at = $3
				then duplicates || $2::jsonb else $2::jsonb end where id = $1`, k.id, further, since)
	}
	if batch.Len() == 0 {
		return nil
	}
	return s.Pool.SendBatch(ctx, batch).Close()
}

// Check has a store read anew.
func (s *Service) Check(ctx context.Context, storeID int64) error {
	if _, err := s.Stores.Get(ctx, storeID); err != nil {
		return err
	}
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		return s.Jobs.Add(ctx, tx, ReconcileArgs{storeID}, nil)
	})
}

// CheckAll has all connected stores read anew.
func (s *Service) CheckAll(ctx context.Context) error {
	list, err := s.Stores.Connected(ctx, s.Pool)
	if err != nil {
		return err
	}
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		for _, id := range list {
			if err := s.Jobs.Add(ctx, tx, ReconcileArgs{id}, nil); err != nil {
				return err
			}
		}
		return nil
	})
}

// openListing is a listing as it was sent last, with a session with its store.
type openListing struct {
	store, draft int64
	session      store.Session
	product      string
	sent         store.Product
	differences  []store.Difference
	duplicates   []Duplicate
	edited       bool // its draft was changed since it was sent
}

// open reads a listing and opens its store. It returns a problem where either is not there.
func (s *Service) open(ctx context.Context, listing int64) (h openListing, err error) {
	err = s.Pool.QueryRow(ctx, `select store_id, draft_id, product_id, sent, differences, duplicates, edited
		from listing where id = $1 and ended_at is null`, listing).Scan(&h.store, &h.draft, &h.product, &h.sent,
		&h.differences, &h.duplicates, &h.edited)
	if database.Missing(err) {
		return h, apikit.NotFound("listing")
	}
	if err != nil {
		return h, err
	}
	h.session, err = s.Stores.Open(ctx, h.store)
	return h, err
}

// RemoveDuplicates takes the further products of a listing out of its store.
func (s *Service) RemoveDuplicates(ctx context.Context, listing int64) error {
	h, err := s.open(ctx, listing)
	if err != nil {
		return err
	}
	for _, d := range h.duplicates {
		if d.ID == h.product {
			continue // it became the listing's own since it was found
		}
		if err := h.session.Remove(ctx, d.ID); err != nil {
			return storeProblem(err)
		}
	}
	if _, err := s.Pool.Exec(ctx, `update listing set duplicates = '[]' where id = $1`, listing); err != nil {
		return err
	}
	return members.Audit(ctx, s.Pool, "removed duplicates", h.sent.Title, h.duplicates, nil)
}

// storeProblem says in the words of the job what a store answered.
func storeProblem(err error) error {
	if why := refusal(err); why != nil {
		status := 409
		if why.refused {
			status = 422
		}
		return apikit.Problem(status, "", "%s", why.words)
	}
	switch {
	case errors.Is(err, store.ErrGone):
		return apikit.Problem(409, "", "The store does not have this product any more. Publish it again.")
	case errors.Is(err, store.ErrBusy):
		return apikit.Problem(503, "", "The store asks us to slow down. Try again in a moment.")
	case temporary(err):
		return apikit.Problem(503, "", "The store does not answer. Nothing was changed here; try again in a moment.")
	}
	return fmt.Errorf("at the store: %w", err)
}
