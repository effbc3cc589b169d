package workbench

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"plainpelican/core/edit"
	"plainpelican/members"
	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
)

// store writes what operations touched, the edit beside it, and what follows from it.
func (s *Service) store(ctx context.Context, tx pgx.Tx, w *writing, operations, inverse []edit.Operation,
	o writeOptions) error {
	who := access.Who(ctx)
	w.revision++
	w.changes = maps.Clone(w.changes)
	if w.changes == nil {
		w.changes = changes{}
	}
	for _, f := range w.touched {
		w.changes[f] = Changed{w.revision, who.MemberID, who.Name, time.Now().UTC().Truncate(time.Millisecond)}
	}
	done, err := edit.Marshal(operations)
	if err != nil {
		return err
	}
	back, err := edit.Marshal(inverse)
	if err != nil {
		return err
	}
	args := []any{w.id, asJSON(w.changes), who.MemberID, who.Name, w.what, done, back, w.touched, o.bulk,
		storeOf(operations), o.undoes}
	set := columns(w, &args)
	if slices.ContainsFunc(w.touched, edit.Field.IsContent) {
		set += ", content_revision = revision + 1"
	}
	// A change of many prices would not leave room for its edit beside it in the log: each is a row.
	if _, err := tx.Exec(ctx, `
		with written as (update draft set revision = revision + 1, updated_at = now(), changes = $2`+set+`
			where id = $1 returning revision)
		insert into draft_edit (draft_id, revision, member_id, member, what, operations, inverse, fields, bulk_id,
			store_id, undoes)
		select $1, revision, nullif($3::bigint, 0), $4, $5, $6, $7, $8, nullif($9::bigint, 0), nullif($10::bigint, 0),
			nullif($11::bigint, 0) from written`, args...); database.Violates(err, "draft_tray_id_fkey") {
		return apikit.Problem(409, "tray", "That tray is not there any more.")
	} else if err != nil {
		return fmt.Errorf("saving draft %d: %w", w.id, err)
	}
	return s.storeVariants(ctx, tx, w, operations)
}

// columns are the columns of a draft that hold the fields which were touched, set to further arguments.
func columns(w *writing, args *[]any) string {
	d := &w.draft
	var set strings.Builder
	for _, c := range []struct {
		field edit.Field
		name  string
		value func() any
	}{
		{edit.Title, "title", func() any { return d.Title }},
		{edit.Description, "description", func() any { return d.Description }},
		{edit.Pictures, "pictures", func() any { return asJSON(d.Pictures) }},
		{edit.Options, "options", func() any { return asJSON(d.Options) }},
		{edit.Collections, "collections", func() any { return d.Collections }},
		{edit.Tags, "tags", func() any { return d.Tags }},
		{edit.Offer, "offer_id", func() any { return d.OfferID }},
		{edit.Type, "type", func() any { return d.Type }},
		{edit.Vendor, "vendor", func() any { return d.Vendor }},
		{edit.SearchTitle, "search_title", func() any { return d.SearchTitle }},
		{edit.SearchDescription, "search_description", func() any { return d.SearchDescription }},
		{edit.Delivery, "delivery", func() any { return d.Delivery }},
		{edit.Reserve, "reserve", func() any { return d.Reserve }},
		{edit.Discarded, "discarded_at", func() any { return since(d.Discarded) }},
		{edit.Tray, "tray_id", func() any { return trayOrNone(d.TrayID) }},
	} {
		if slices.Contains(w.touched, c.field) {
			*args = append(*args, c.value())
			set.WriteString(", " + c.name + " = $" + strconv.Itoa(len(*args)))
		}
	}
	if slices.ContainsFunc(w.touched, edit.Field.IsOwn) {
		*args = append(*args, asJSON(d.Own))
		set.WriteString(", own = $" + strconv.Itoa(len(*args)))
	}
	return set.String()
}

func since(yes bool) *time.Time {
	if !yes {
		return nil
	}
	now := time.Now()
	return &now
}

func trayOrNone(id int64) *int64 {
	if id == 0 {
		return nil
	}
	return &id
}

// storeOf is the store whose manual prices operations set; 0 where they set none.
func storeOf(operations []edit.Operation) int64 {
	for _, op := range operations {
		if prices, ok := op.(edit.SetPrices); ok {
			return prices.StoreID
		}
	}
	return 0
}

// storeVariants writes variants and manual prices where they were touched.
func (s *Service) storeVariants(ctx context.Context, tx pgx.Tx, w *writing, operations []edit.Operation) error {
	d := &w.draft
	batch := &pgx.Batch{}
	if slices.Contains(w.touched, edit.Offer) {
		// Each is bought once, on the way too.
		batch.Queue(`update draft_variant set offer_variant_id = null where draft_id = $1`, w.id)
		for _, v := range d.Variants {
			batch.Queue(`update draft_variant set offer_variant_id = nullif($3::bigint, 0), picture_id = $4,
				other_offer_id = nullif($5::bigint, 0) where draft_id = $1 and id = $2`,
				w.id, v.ID, v.OfferVariantID, v.PictureID, v.OtherOfferID)
		}
	}
	if slices.ContainsFunc(operations, isReshape) {
		for i, v := range d.Variants {
			batch.Queue(`update draft_variant set position = $3, value_indexes = $4, dropped = $5
				where draft_id = $1 and id = $2`, w.id, v.ID, i, v.Values, v.Dropped)
		}
	}
	if slices.Contains(w.touched, edit.Chosen) {
		batch.Queue(`update draft_variant set chosen = id = any ($2)
			where draft_id = $1 and not dropped and chosen <> (id = any ($2))`, w.id, d.Chosen())
	}
	var coded []edit.Variant
	for _, v := range d.Variants {
		if v.HasCodesIn(w.touched) {
			coded = append(coded, v)
			// Two may change places.
			batch.Queue(`update draft_variant set sku = '' where id = $1`, v.ID)
		}
	}
	for _, v := range coded {
		batch.Queue(`update draft_variant set sku = $3, barcode = $4 where draft_id = $1 and id = $2`,
			w.id, v.ID, v.SKU, v.Barcode)
	}
	for _, f := range w.touched {
		key, ok := f.Price()
		if !ok {
			continue
		}
		if price := d.Prices[key]; price > 0 {
			batch.Queue(`insert into manual_price (draft_variant_id, store_id, price, set_by) values ($1, $2, $3, $4)
				on conflict (draft_variant_id, store_id) do update set price = excluded.price, set_by = excluded.set_by,
					set_at = now() where manual_price.price <> excluded.price`,
				key.VariantID, key.StoreID, price, access.Who(ctx).Name)
		} else {
			batch.Queue(`delete from manual_price where draft_variant_id = $1
				and store_id = $2`, key.VariantID, key.StoreID)
		}
	}
	if batch.Len() > 0 {
		err := tx.SendBatch(ctx, batch).Close()
		if database.Violates(err, "draft_variant_sku") {
			return apikit.Problem(409, "codes", "Another draft has a variant with that SKU already.")
		}
		if err != nil {
			return fmt.Errorf("saving draft %d: %w", w.id, err)
		}
	}
	if storeOf(operations) != 0 {
		if err := members.Audit(ctx, tx, "set prices", w.title, nil, operations); err != nil {
			return err
		}
	}
	if slices.Contains(w.touched, edit.Discarded) {
		if err := s.Offers.NotifyOffers(ctx, tx, []int64{d.OfferID}); err != nil {
			return err
		}
	}
	if w.offersBefore == nil {
		return nil
	}
	return s.afterPurchaseChange(ctx, tx, w)
}
