package workbench

import (
	"context"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"

	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
)

// Undo takes the last edit of a draft back that is of no store, or of the one in use.
func (s *Service) Undo(ctx context.Context, id, storeID int64) (Draft, error) {
	if err := s.rewrite(ctx, id, 0, undo(ctx, id, storeID, 0)); err != nil {
		return Draft{}, err
	}
	return s.Get(ctx, id, storeID)
}

// undo puts the parts of a draft that an edit changed back to what they were before it: the last edit of
// the draft in a store, or that of a change of many. What other edits changed stays.
func undo(ctx context.Context, id, storeID, bulk int64) func(pgx.Tx, *draft, *snapshot) (string, error) {
	return func(tx pgx.Tx, _ *draft, after *snapshot) (string, error) {
		var before snapshot
		var what string
		var store *int64
		err := tx.QueryRow(ctx, `
			delete from draft_edit where id = (select max(id) from draft_edit
			where draft_id = $1 and case when $3::bigint > 0 then bulk_id = $3 else store_id is null
			or store_id = $2 end)
			returning before, what, store_id`, id, storeID, bulk).Scan(&before, &what, &store)
		if database.Missing(err) {
			return "", apikit.Problem(409, "", "There is nothing left to undo in this draft.")
		}
		if err != nil {
			return "", err
		}
		for _, part := range strings.Split(what, partSeparator) {
			after.restore(part, before, store)
		}
		return "", nil
	}
}

// restore puts one part of a snapshot back to what it was; a part that is no single one, such as a swapped
// supplier, is all of it.
func (s *snapshot) restore(part string, before snapshot, store *int64) {
	switch part {
	case "title":
		s.Title = before.Title
	case "description", "contact details":
		s.Description = before.Description
	case "pictures":
		s.Pictures = before.Pictures
	case "options":
		s.Options = before.Options
	case "choice of variants":
		s.Chosen = before.Chosen
	case "collections":
		s.Collections = before.Collections
	case "tags":
		s.Tags = before.Tags
	case "price":
		if store == nil { // of before edits knew their store
			s.ManualPrices = before.ManualPrices
			return
		}
		others := func(p manualPrice) bool { return p.StoreID != *store }
		own := func(p manualPrice) bool { return p.StoreID == *store }
		s.ManualPrices = append(slices.DeleteFunc(slices.Clone(s.ManualPrices), own),
			slices.DeleteFunc(slices.Clone(before.ManualPrices), others)...)
	default:
		typed := s.ManualPrices
		*s = before
		if before.Offer != 0 { // bought as another offer: prices were not touched
			s.ManualPrices = typed
		}
	}
}

// withoutPrices are the parts of a draft whose edits leave prices alone.
var withoutPrices = []string{"title", "description", "contact details", "pictures", "collections", "tags", "options"}

// UndoBulk takes back a change of many drafts as one step. Drafts whose prices were changed since
// are left as they are, and counted.
func (s *Service) UndoBulk(ctx context.Context, bulk int64) (UndoBulkResult, error) {
	var out UndoBulkResult
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, `
			select draft_id, not exists (select from draft_edit n
			where n.draft_id = e.draft_id and n.id > e.id
			and (n.store_id = e.store_id or not string_to_array(n.what, $2) <@ $3))
			from draft_edit e where bulk_id = $1 order by draft_id`, bulk, partSeparator, withoutPrices)
		if err != nil {
			return err
		}
		var ids []int64
		var id int64
		var newest bool
		if _, err := pgx.ForEachRow(rows, []any{&id, &newest}, func() error {
			if newest {
				ids = append(ids, id)
			} else {
				out.EditedSince++
			}
			return nil
		}); err != nil {
			return err
		}
		if len(ids) == 0 {
			return apikit.Problem(409, "", "There is nothing left of that change to undo.")
		}
		for _, id := range ids {
			if err := s.rewriteIn(ctx, tx, id, 0, 0, undo(ctx, id, 0, bulk)); err != nil {
				return err
			}
		}
		out.Undone = len(ids)
		return s.Pricing.PriceDrafts(ctx, tx, ids)
	})
	if err == nil {
		err = s.Progress.Publish(ctx, "drafts", map[string]int{"undone": out.Undone})
	}
	return out, err
}

// UndoBulkResult counts drafts.
type UndoBulkResult struct {
	Undone      int `json:"undone"`
	EditedSince int `json:"edited_since" doc:"Left as they are"`
}
