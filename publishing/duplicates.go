package publishing

import (
	"context"
	"errors"
	"fmt"

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

// CheckArgs is the job that looks for drafts which a store holds more than once.
type CheckArgs struct {
	StoreID int64 `json:"store_id"`
}

// Kind names the job.
func (CheckArgs) Kind() string { return "check_duplicates" }

// InsertOpts puts it into its queue, and one at a time for each store.
func (CheckArgs) InsertOpts() river.InsertOpts {
	return river.InsertOpts{Queue: "publish", UniqueOpts: river.UniqueOpts{ByArgs: true, ByState: jobs.Unfinished}}
}

// checkStore asks a store about each of its listings, and notes which of them it holds more than once.
func (s *Service) checkStore(ctx context.Context, storeID int64) error {
	session, err := s.Stores.Open(ctx, storeID)
	if apikit.IsProblem(err) {
		return nil // disconnected meanwhile
	}
	if err != nil {
		return err
	}
	rows, err := s.Pool.Query(ctx, `select l.id, l.product_id, d.reference::text from listing l
		join facts.draft d on d.id = l.draft_id where l.store_id = $1 order by l.id`, storeID)
	if err != nil {
		return err
	}
	type listed struct {
		id                 int64
		product, reference string
	}
	var all []listed
	var one listed
	if _, err := pgx.ForEachRow(rows, []any{&one.id, &one.product, &one.reference}, func() error {
		all = append(all, one)
		return nil
	}); err != nil {
		return err
	}
	for _, l := range all {
		there, err := session.Find(ctx, l.reference)
		if err != nil {
			return err // tried again; what was found so far is kept
		}
		var further []store.Sent
		for _, p := range there {
			if p.ID != l.product {
				further = append(further, p)
			}
		}
		if _, err := s.Pool.Exec(ctx, `update listing set duplicates = $2
			where id = $1 and product_id = $3 and duplicates <> $2::jsonb`, l.id, duplicatesOf(further),
			l.product); err != nil {
			return err
		}
	}
	return s.Progress.Publish(ctx, "listings", map[string]int64{"store": storeID})
}

// Check has a store asked which drafts it holds more than once.
func (s *Service) Check(ctx context.Context, storeID int64) error {
	if _, err := s.Stores.Vendor(ctx, storeID); err != nil {
		return err
	}
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error { return s.Jobs.Add(ctx, tx, CheckArgs{storeID}, nil) })
}

// openListing is a listing as it was sent last, with a session with its store.
type openListing struct {
	session    store.Session
	product    string
	sent       store.Product
	duplicates []Duplicate
}

// open reads a listing and opens its store. It returns a problem where either is not there.
func (s *Service) open(ctx context.Context, listing int64) (h openListing, err error) {
	var storeID int64
	err = s.Pool.QueryRow(ctx, `select store_id, product_id, sent, duplicates from listing
		where id = $1`, listing).Scan(&storeID, &h.product, &h.sent, &h.duplicates)
	if database.Missing(err) {
		return h, apikit.NotFound("listing")
	}
	if err != nil {
		return h, err
	}
	h.session, err = s.Stores.Open(ctx, storeID)
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

// Hide makes a listing invisible in its store, whether its supplier still sells it or not: what was sent
// last is sent again, hidden.
func (s *Service) Hide(ctx context.Context, listing int64) error {
	h, err := s.open(ctx, listing)
	if err != nil {
		return err
	}
	h.sent.Visible = false
	if _, err = h.session.Update(ctx, h.product, h.sent); err != nil {
		return storeProblem(err)
	}
	tag, err := s.Pool.Exec(ctx, `update listing
		set visible = false, sent = jsonb_set(sent, '{visible}', 'false'), updated_at = now()
		where id = $1 and product_id = $2`, listing, h.product)
	if err != nil {
		return err
	}
	if tag.RowsAffected() == 0 {
		return apikit.Problem(409, "", "It was published again meanwhile. Look at it and hide it again.")
	}
	return members.Audit(ctx, s.Pool, "hid listing", h.sent.Title, map[string]bool{"visible": true},
		map[string]bool{"visible": false})
}

// storeProblem says in the words of the job what a store answered.
func storeProblem(err error) error {
	var refused *store.Refused
	switch {
	case errors.As(err, &refused):
		return apikit.Problem(422, "", "The store refused it: %s", refused.Message)
	case errors.Is(err, store.ErrDisapproved):
		return apikit.Problem(409, "", "The store no longer lets us in. Connect it again, then try again.")
	case errors.Is(err, store.ErrGone):
		return apikit.Problem(409, "", "The store does not have this product any more. Publish it again.")
	case errors.Is(err, store.ErrBusy):
		return apikit.Problem(503, "", "The store asks us to slow down. Try again in a moment.")
	case temporary(err):
		return apikit.Problem(503, "", "The store does not answer. Nothing was changed here; try again in a moment.")
	}
	return fmt.Errorf("at the store: %w", err)
}
