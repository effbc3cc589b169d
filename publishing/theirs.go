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

// TakeTheirs resolves fields that were changed in the store by taking theirs into the draft, as one edit.
func (s *Service) TakeTheirs(ctx context.Context, id int64, fields []string) error {
	h, err := s.open(ctx, id)
	if err != nil {
		return err
	}
	there, err := s.shown(ctx, h)
	if err != nil {
		return err
	}
	in, err := s.Stores.Get(ctx, h.store)
	if err != nil {
		return err
	}
	theirs, sent, err := taken(h.sent, there, fields, in.Currency)
	if err != nil {
		return err
	}
	if err := s.Drafts.TakeTheirs(ctx, h.draft, h.store, theirs); err != nil {
		return err
	}
	left := store.Differences(sent, there, false)
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		for _, p := range theirs.Prices { // what the store shows is what was sent last
			if _, err := tx.Exec(ctx, `update listing_variant set price = $3 where listing_id = $1
				and draft_variant_id = $2`, id, p.VariantID, p.Price); err != nil {
				return err
			}
		}
		if _, err := tx.Exec(ctx, `delete from listing_variant where listing_id = $1 and draft_variant_id = any ($2)`,
			id, theirs.LeftOut); err != nil {
			return err
		}
		// Whether the draft was changed since it was sent is as before: taking theirs is no such change.
		if _, err := tx.Exec(ctx, `update listing l set sent = $2, differences = $3, title = $4, visible = $5,
				sell_empty = $6, seen_at = now(), edited = $8, words = $9, lowest = v.lowest, highest = v.highest,
				variants = v.n
			from (select min(price) as lowest, max(price) as highest, count(*) as n from listing_variant
				where listing_id = $1) v
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

// shown is the product of a listing as its store has it now, or a problem for a person.
func (s *Service) shown(ctx context.Context, h openListing) (store.Product, error) {
	there, err := h.session.Find(ctx, h.sent.Reference)
	if err != nil {
		return store.Product{}, storeProblem(err)
	}
	at := slices.IndexFunc(there, func(f store.Found) bool { return f.Sent.ID == h.product })
	if at < 0 {
		return store.Product{}, storeProblem(store.ErrGone)
	}
	return there[at].Product, nil
}

// SendOurs resolves fields that were changed in the store by sending them as they were sent before; what else was
// changed there stays. What was changed in the draft since goes by a run.
func (s *Service) SendOurs(ctx context.Context, id int64, fields []string) error {
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		var sending bool
		// Whoever sends the draft by a run waits at its publication until this is done.
		if err := tx.QueryRow(ctx, `with p as (insert into publication (store_id, draft_id, fence)
				select store_id, draft_id, 0 from listing where id = $1 and ended_at is null
				on conflict (store_id, draft_id) do update set fence = publication.fence returning store_id, draft_id)
			select exists (select from publish_item i where i.store_id = p.store_id and i.draft_id = p.draft_id
				and i.state = 'sending') from p`, id).Scan(&sending); err != nil {
			return notFoundOr(err)
		}
		if sending {
			return apikit.Problem(409, "",
				"A publish run is sending this product at the moment. Try again in a moment.")
		}
		h, err := s.open(ctx, id)
		if err != nil {
			return err
		}
		there, err := s.shown(ctx, h)
		if err != nil {
			return err
		}
		now := store.WithOurs(h.sent, there, fields)
		if differ := store.FieldsOf(store.Differences(now, there, false)); len(differ) > 0 {
			if _, err := h.session.Update(ctx, h.product, now, differ); err != nil {
				return storeProblem(err)
			}
		}
		left := store.Differences(h.sent, now, false)
		if _, err := tx.Exec(ctx, `update listing set differences = $2, seen_at = now(), visible = $3,
			sell_empty = $4 where id = $1 and product_id = $5`, id, left, h.sent.Visible, h.sent.SellEmpty,
			h.product); err != nil {
			return err
		}
		return members.Audit(ctx, tx, "sent our version", h.sent.Title, h.differences, left)
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
		case store.FieldPictures:
			t.Pictures, sent.Pictures = theirs.Pictures, theirs.Pictures
			if len(theirs.Pictures) == 0 {
				return t, sent, apikit.Problem(422, "fields",
					"The store shows no picture, and a draft needs one. Send ours.")
			}
		case store.FieldOptions, "variants.values":
			if t.Renamed, err = renamedThere(ours.Options, theirs.Options); err != nil {
				return t, sent, err
			}
			sent = store.WithOurs(theirs, sent, []string{store.FieldOptions})
		case store.FieldVariants:
			if err := leaveOut(&t, &sent, theirs); err != nil {
				return t, sent, err
			}
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
var fieldWords = map[string]string{"variants.picture": "the pictures of variants", "variants.was_price": "was prices"}

// renamedThere are options that have other names in a store. It returns a problem where they are others, and not
// the same ones renamed.
func renamedThere(ours, theirs []store.Option) (list []workbench.RenamedOption, err error) {
	same := len(ours) == len(theirs)
	for i := 0; same && i < len(ours); i++ {
		same = len(ours[i].Values) == len(theirs[i].Values)
		one := workbench.RenamedOption{Here: ours[i].Name, There: theirs[i].Name, Values: map[string]string{}}
		for j := 0; same && j < len(ours[i].Values); j++ {
			one.Values[ours[i].Values[j]] = theirs[i].Values[j]
		}
		list = append(list, one)
	}
	if !same {
		return nil, apikit.Problem(422, "fields", "The store has options or values that are not the draft's under "+
			"other names. Send ours, or change the draft.")
	}
	return list, nil
}

// leaveOut takes that the store does not have some variants any more; those that it has and we did not send stay a
// difference.
func leaveOut(t *workbench.Theirs, sent *store.Product, theirs store.Product) error {
	left := []store.Variant{}
	for _, v := range sent.Variants {
		if theirs.VariantIndex(v.Reference) >= 0 {
			left = append(left, v)
		} else if id, err := strconv.ParseInt(v.Reference, 10, 64); err == nil {
			t.LeftOut = append(t.LeftOut, id)
		}
	}
	if len(left) == 0 {
		return apikit.Problem(422, "fields",
			"The store has none of the variants that were sent. Send ours, or take it down.")
	}
	if len(t.LeftOut) == 0 {
		return apikit.Problem(422, "fields", "The store has variants that were not sent from here, which cannot be "+
			"taken. Send ours to remove them.")
	}
	sent.Variants = left
	return nil
}

// takeVariants takes one figure of the variants that differ.
func takeVariants(t *workbench.Theirs, sent *store.Product, theirs store.Product, field string,
	c money.Currency) error {
	for i := range sent.Variants {
		ours := &sent.Variants[i]
		at := theirs.VariantIndex(ours.Reference)
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
