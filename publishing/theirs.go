package publishing

import (
	"context"
	"slices"
	"strconv"
	"strings"

	"github.com/jackc/pgx/v5"

	"plainpelican/connect/store"
	"plainpelican/core/edit"
	"plainpelican/core/money"
	"plainpelican/members"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/workbench"
)

// Settle resolves fields that were changed in the store: by taking theirs into the draft, as one edit. What is sent
// again goes by a run.
func (s *Service) Settle(ctx context.Context, id int64, fields []string) error {
	h, err := s.open(ctx, id)
	if err != nil {
		return err
	}
	var reference string
	if err := s.Pool.QueryRow(ctx, `select reference::text from facts.draft_ever where id = $1`, h.draft).
		Scan(&reference); err != nil {
		return err
	}
	there, err := h.session.Find(ctx, reference)
	if err != nil {
		return storeProblem(err)
	}
	at := slices.IndexFunc(there, func(f store.Found) bool { return f.Sent.ID == h.product })
	if at < 0 {
		return storeProblem(store.ErrGone)
	}
	in, err := s.Stores.Get(ctx, h.store)
	if err != nil {
		return err
	}
	theirs, sent, err := taken(h.sent, there[at].Product, fields, in.Currency)
	if err != nil {
		return err
	}
	if err := s.Drafts.TakeTheirs(ctx, h.draft, h.store, theirs); err != nil {
		return err
	}
	left := store.Differences(sent, there[at].Product, false)
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		for _, p := range theirs.Prices { // what the store shows is what was sent last
			if _, err := tx.Exec(ctx, `update listing_variant set price = $3 where listing_id = $1
				and draft_variant_id = $2`, id, p.VariantID, p.Price); err != nil {
				return err
			}
		}
		// Whether the draft was changed since it was sent is as before: taking theirs is no such change.
		if _, err := tx.Exec(ctx, `update listing l set sent = $2, differences = $3, title = $4, visible = $5,
				sell_empty = $6, seen_at = now(), edited = $8, words = $9, lowest = v.lowest, highest = v.highest
			from (select min(price) as lowest, max(price) as highest from listing_variant where listing_id = $1) v
			where id = $1 and product_id = $7`, id, sent, left, sent.Title, sent.Visible, sent.SellEmpty,
			h.product, h.edited, wordsToFind(sent)); err != nil {
			return err
		}
		if err := s.PricesMoved(ctx, tx, h.store, []int64{h.draft}); err != nil {
			return err
		}
		return members.Audit(ctx, tx, "took the store's version", sent.Title, h.differences, left)
	})
}

// taken is what a draft takes of the store's version, and the product as it is known to be there then.
func taken(ours, theirs store.Product, fields []string, c money.Currency) (t workbench.Theirs,
	sent store.Product, err error) {
	sent = ours
	sent.Variants = slices.Clone(ours.Variants)
	for _, field := range fields {
		switch field {
		case store.FieldTitle:
			t.Title, sent.Title = &theirs.Title, theirs.Title
		case store.FieldDescription:
			t.Description, sent.Description = &theirs.Description, theirs.Description
		case store.FieldVendor:
			t.Vendor, sent.Vendor = &theirs.Vendor, theirs.Vendor
		case store.FieldType:
			t.Type, sent.Type = &theirs.Type, theirs.Type
		case store.FieldSearchTitle:
			t.SearchTitle, sent.SearchTitle = &theirs.SearchTitle, theirs.SearchTitle
		case store.FieldSearchText:
			t.SearchDescription, sent.SearchDescription = &theirs.SearchDescription, theirs.SearchDescription
		case store.FieldCollections:
			t.Collections, sent.Collections = apikit.List(theirs.Collections), theirs.Collections
		case store.FieldTags:
			t.Tags, sent.Tags = apikit.List(theirs.Tags), theirs.Tags
		case store.FieldVisible:
			sent.Visible = theirs.Visible
		case store.FieldSellEmpty:
			sent.SellEmpty = theirs.SellEmpty
		case "variants.price", "variants.sku", "variants.barcode":
			if err := takeVariants(&t, &sent, theirs, field, c); err != nil {
				return t, sent, err
			}
		default:
			return t, sent, apikit.Problem(422, "fields",
				"What the store shows for %s cannot be taken here. Send ours, or change the draft.", fieldWords[field])
		}
	}
	return t, sent, nil
}

// fieldWords are what people call fields that can be sent and not taken.
var fieldWords = map[string]string{store.FieldOptions: "the options", store.FieldVariants: "which variants there are",
	store.FieldPictures: "the pictures", "variants.values": "the values of variants",
	"variants.picture": "the pictures of variants", "variants.was_price": "was prices"}

// takeVariants takes one figure of the variants that differ.
func takeVariants(t *workbench.Theirs, sent *store.Product, theirs store.Product, field string,
	c money.Currency) error {
	for i := range sent.Variants {
		ours := &sent.Variants[i]
		at := slices.IndexFunc(theirs.Variants, func(v store.Variant) bool { return v.Reference == ours.Reference })
		id, err := strconv.ParseInt(ours.Reference, 10, 64)
		if at < 0 || err != nil {
			continue
		}
		v := theirs.Variants[at]
		switch {
		case field == "variants.price" && v.Price != ours.Price:
			price, err := money.Parse(v.Price, c)
			if err != nil || price.Minor() <= 0 {
				return apikit.Problem(422, "fields", "The store shows “%s” as the price of %s, which is none.", v.Price,
					strings.Join(v.Values, " "))
			}
			t.Prices = append(t.Prices, edit.VariantPrice{VariantID: id, Price: price.Minor()})
			ours.Price = v.Price
		case field == "variants.sku" && v.SKU != ours.SKU:
			t.Codes = append(t.Codes, edit.VariantCodes{VariantID: id, SKU: &v.SKU})
			ours.SKU = v.SKU
		case field == "variants.barcode" && v.Barcode != ours.Barcode:
			t.Codes = append(t.Codes, edit.VariantCodes{VariantID: id, Barcode: &v.Barcode})
			ours.Barcode = v.Barcode
		}
	}
	return nil
}
