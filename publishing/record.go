package publishing

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"

	"plainpelican/connect/store"
	"plainpelican/core/publish"
	"plainpelican/platform/database"
	"plainpelican/workbench"
)

// list records the listing and ends the item, together.
func (s *Service) list(ctx context.Context, item *sending, draft workbench.Ready, p store.Product, sent store.Sent,
	end publish.State) error {
	stored, err := json.Marshal(p)
	if err != nil {
		return err
	}
	further := duplicatesOf(item.duplicates)
	if n := len(further); n > 0 {
		item.note = strings.TrimSpace(item.note + fmt.Sprintf(" The store holds %d more of this draft: see Listings.",
			n))
	}
	byPrice := func(a, b workbench.ReadyVariant) int {
		return cmp.Compare(a.Ladder.Price.Minor(), b.Ladder.Price.Minor())
	}
	lowest, highest := slices.MinFunc(draft.Variants, byPrice), slices.MaxFunc(draft.Variants, byPrice)
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		if err := item.move(ctx, tx, end, "", item.note); err != nil {
			return err
		}
		// The key made its product: the next one of this draft, should this be taken out, is another.
		if _, err := tx.Exec(ctx, `update publication set key = gen_random_uuid()
			where store_id = $1 and draft_id = $2`,
			item.storeID, item.draftID); err != nil {
			return err
		}
		var listing int64
		var before *int64 // what it was bought as, where it was listed
		err := tx.QueryRow(ctx, `
			insert into listing (store_id, draft_id, offer_id, product_id, url, title, sent, visible, trace, duplicates,
				sell_empty, variants, lowest, highest, words, settings, edited, seen_at)
			values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15, $16,
				exists (select from facts.draft d where d.id = $2 and d.content_revision > $17), now())
			on conflict (store_id, draft_id) do update
			set offer_id = excluded.offer_id, product_id = excluded.product_id, url = excluded.url,
				title = excluded.title, sent = excluded.sent, visible = excluded.visible, trace = excluded.trace,
				duplicates = excluded.duplicates, sell_empty = excluded.sell_empty, variants = excluded.variants,
				lowest = excluded.lowest, highest = excluded.highest, words = excluded.words,
				settings = excluded.settings, edited = excluded.edited,
				seen_at = now(), differences = '[]', gone = false, ended_at = null, updated_at = now(),
				published_at = case when listing.ended_at is null then listing.published_at else now() end
			returning id, (select l.offer_id from listing l where l.store_id = $1 and l.draft_id = $2
				and l.ended_at is null)`,
			item.storeID, item.draftID, draft.OfferID, sent.ID, sent.URL, p.Title, stored, p.Visible,
			lowest.Trace, further, p.SellEmpty, len(draft.Variants), lowest.Ladder.Price.Minor(),
			highest.Ladder.Price.Minor(), wordsToFind(p), item.Settings, draft.Revision).Scan(&listing, &before)
		if err != nil {
			return err
		}
		if err := remember(ctx, tx, listing, draft, p, sent); err != nil {
			return err
		}
		if err := s.PricesMoved(ctx, tx, item.storeID, []int64{item.draftID}); err != nil {
			return err
		}
		if before != nil && *before == draft.OfferID {
			return nil
		}
		touched := []int64{draft.OfferID}
		if before != nil {
			touched = append(touched, *before)
		}
		return s.Offers.NotifyOffers(ctx, tx, touched)
	})
}

// wordsToFind are what a listing is found by.
func wordsToFind(p store.Product) string {
	words := []string{p.Title}
	for _, v := range p.Variants {
		words = append(words, v.SKU)
	}
	return strings.ToLower(strings.Join(words, " "))
}

// remember keeps what was sent of each variant: the store's own name for it, what it is bought as, what its price is
// made of; and adds to the listing's history the prices that differ from the last ones.
func remember(ctx context.Context, tx pgx.Tx, listing int64, draft workbench.Ready, p store.Product,
	sent store.Sent) error {
	names := map[string]string{}
	for _, v := range sent.Variants {
		names[v.Reference] = v.ID
	}
	batch := &pgx.Batch{}
	batch.Queue(`delete from listing_variant where listing_id = $1`, listing)
	for i, v := range draft.Variants {
		batch.Queue(`insert into listing_variant (listing_id, draft_variant_id, store_variant, offer_variant_id, price,
				stock, ladder, sku) values ($1, $2, $3, nullif($4::bigint, 0), $5, $6, $7, $8)`, listing, v.ID,
			names[fmt.Sprint(v.ID)], v.OfferVariantID, v.Ladder.Price.Minor(), p.Variants[i].Stock, v.Ladder, v.SKU)
		batch.Queue(`
			insert into listing_price (listing_id, draft_variant_id, price) select $1, $2, $3
			where $3 is distinct from (select price from listing_price where listing_id = $1 and draft_variant_id = $2
			order by at desc limit 1)
			on conflict do nothing`, listing, v.ID, v.Ladder.Price.Minor())
	}
	return tx.SendBatch(ctx, batch).Close()
}

// alter shows, hides or takes down what is live in a store, whether its supplier still sells it or not.
func (s *Service) alter(ctx context.Context, item *sending, session store.Session) error {
	var listing, offer int64
	var product string
	var sent store.Product
	err := s.Pool.QueryRow(ctx, `select id, offer_id, product_id, sent from listing
		where store_id = $1 and draft_id = $2 and ended_at is null`, item.storeID, item.draftID).
		Scan(&listing, &offer, &product, &sent)
	if database.Missing(err) {
		return item.move(ctx, s.Pool, publish.Unchanged, "", "It is not live in this store any more.")
	}
	if err != nil {
		return err
	}
	if item.act == publish.TakeDown {
		if err := session.Remove(ctx, product); err != nil {
			return err
		}
		return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
			if err := item.move(ctx, tx, publish.Changed, "", ""); err != nil {
				return err
			}
			if _, err := tx.Exec(ctx, `update listing set ended_at = now(), updated_at = now(), gone = false,
				differences = '[]', duplicates = '[]' where id = $1`, listing); err != nil {
				return err
			}
			return s.Offers.NotifyOffers(ctx, tx, []int64{offer})
		})
	}
	sent.Visible = item.act == publish.Show
	_, err = session.Update(ctx, product, sent, []string{store.FieldVisible})
	if errors.Is(err, store.ErrGone) {
		if _, err := s.Pool.Exec(ctx, `update listing set gone = true, seen_at = now() where id = $1`,
			listing); err != nil {
			return err
		}
		return &failure{area: "store", words: "The store does not have this product any more. Publish it again, or " +
			"take it down here."}
	}
	if err != nil {
		return err
	}
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		if err := item.move(ctx, tx, publish.Changed, "", ""); err != nil {
			return err
		}
		_, err := tx.Exec(ctx, `update listing set visible = $2,
			sent = jsonb_set(sent, '{visible}', to_jsonb($2::boolean)),
			gone = false, updated_at = now() where id = $1`, listing, sent.Visible)
		return err
	})
}
