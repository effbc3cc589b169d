package workbench

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/jackc/pgx/v5"

	"plainpelican/core/edit"
	"plainpelican/core/money"
	"plainpelican/core/readiness"
	"plainpelican/core/variant"
	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
)

// Edited is what became of an edit. Where it changed words alone, the rest of the draft stands as it was.
type Edited struct {
	Revision    int     `json:"revision"`
	Changes     changes `json:"changes" doc:"Of the fields that were changed, when and by whom"`
	Title       string  `json:"title"`
	Description string  `json:"description" doc:"Safe HTML"`
	// Readiness is of title and description alone.
	Readiness readiness.Report `json:"readiness"`
	Undo      string           `json:"undo"`
	Draft     *Draft           `json:"draft,omitempty" doc:"Absent where words alone were changed"`
}

// Changed says who changed a field of a draft last, and at which revision of the draft.
type Changed struct {
	Revision int       `json:"revision"`
	MemberID int64     `json:"member_id"`
	By       string    `json:"by"`
	At       time.Time `json:"at"`
}

// changes are by field.
type changes map[edit.Field]Changed

// Edit makes an edit, whole or not at all, and keeps what takes it back.
func (s *Service) Edit(ctx context.Context, id, storeID int64, in EditInput) (Edited, error) {
	var currency money.Currency
	if in.Prices != nil && storeID != 0 {
		pricer, err := s.Pricing.Pricer(ctx, storeID)
		if err != nil {
			return Edited{}, err
		}
		currency = pricer.Currency
	}
	operations, err := in.operations(storeID, currency)
	if err != nil {
		return Edited{}, err
	}
	limits := variant.Limits{}
	if storeID != 0 {
		if limits, err = s.Stores.Limits(ctx, storeID); err != nil {
			return Edited{}, err
		}
	}
	unwanted, err := s.unwanted(ctx)
	if err != nil {
		return Edited{}, err
	}
	var w *writing
	err = database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		w, err = s.write(ctx, tx, id, writeOptions{base: in.Base}, func(*writing) ([]edit.Operation, error) {
			if len(in.Restore) == 0 {
				return operations, nil
			}
			originals, err := s.originals(ctx, tx, id, in.Restore)
			return append(operations, originals...), err
		})
		if err != nil {
			return err
		}
		if edit.MovesPrice(operations) {
			if err := s.Pricing.PriceDrafts(ctx, tx, []int64{id}); err != nil {
				return err
			}
		}
		return s.publish(ctx, tx, w)
	})
	if err != nil {
		return Edited{}, err
	}
	out := Edited{Revision: w.revision, Changes: w.changes, Title: w.draft.Title, Description: w.draft.Description,
		Undo: w.what}
	sold := wordsOf(&w.draft, storeID)
	sold.Supplier, sold.Brand, sold.Limits, sold.Unwanted = w.supplier, w.brand, limits, unwanted
	out.Readiness = readiness.CheckDescription(sold)
	if slices.ContainsFunc(w.touched, func(f edit.Field) bool { return f != edit.Title && f != edit.Description }) {
		draft, err := s.Get(ctx, id, storeID)
		if err != nil {
			return Edited{}, err
		}
		out.Draft = &draft
	}
	return out, nil
}

// writing is a draft that is locked and written.
type writing struct {
	id       int64
	revision int
	changes  changes
	draft    edit.Draft
	// title is that before the edit; supplier and brand are the offer's.
	title, supplier, brand string
	// offerBefore is the offer that it was bought as, offersBefore all of them where variants were read.
	offerBefore  int64
	offersBefore []int64
	// what says what was done, in words; touched are the fields.
	what    string
	touched []edit.Field
}

// writeOptions are how a draft is written.
type writeOptions struct {
	// base is the state of fields that the person saw; fields that are not in it are written whatever stands there.
	base map[edit.Field]int
	// bulk is the number of a change of many drafts; 0 is none.
	bulk int64
	// undoes is the edit that is taken back; 0 is none.
	undoes int64
	// variants are read before the operations are built.
	variants bool
}

// write is the one place where a draft is changed: it locks the draft, refuses what somebody else has changed since,
// applies the operations, stores what they touched and what takes them back. The caller prices the draft where a price
// may move, and publishes.
func (s *Service) write(ctx context.Context, tx pgx.Tx, id int64, o writeOptions,
	build func(*writing) ([]edit.Operation, error)) (*writing, error) {
	w := &writing{id: id}
	d := &w.draft
	err := tx.QueryRow(ctx, `
		select d.revision, d.changes, d.title, d.description, d.pictures, d.options, d.collections, d.tags, d.offer_id,
			d.type, d.vendor, d.search_title, d.search_description, d.own, d.reserve, coalesce(d.tray_id, 0),
			d.discarded_at is not null, d.delivery, u.name, o.brand
		from draft d join facts.offer o on o.id = d.offer_id join facts.supplier u on u.id = o.supplier_id
		where d.id = $1 for update of d`, id).Scan(&w.revision, &w.changes, &d.Title, &d.Description, &d.Pictures,
		&d.Options, &d.Collections, &d.Tags, &d.OfferID, &d.Type, &d.Vendor, &d.SearchTitle, &d.SearchDescription,
		&d.Own, &d.Reserve, &d.TrayID, &d.Discarded, &d.Delivery,
		&w.supplier, &w.brand)
	if database.Missing(err) {
		return nil, apikit.NotFound("draft")
	}
	if err != nil {
		return nil, err
	}
	w.title = d.Title
	w.offerBefore = d.OfferID
	if o.variants {
		if err := readVariants(ctx, tx, w); err != nil {
			return nil, err
		}
	}
	operations, err := build(w)
	if err != nil {
		return nil, err
	}
	if d.Discarded && !slices.ContainsFunc(operations, isDiscard) {
		return nil, errDiscarded
	}
	if !o.variants && slices.ContainsFunc(operations, needsVariants) {
		if err := readVariants(ctx, tx, w); err != nil {
			return nil, err
		}
	}
	for i, op := range operations {
		if choose, ok := op.(edit.ChooseVariants); ok {
			choose.Supplier = w.supplier
			operations[i] = choose
		}
		if err := w.conflict(op.Fields(d), o.base); err != nil {
			return nil, err
		}
	}
	inverse, touched, err := edit.ApplyAll(d, operations)
	var field *edit.Error
	if errors.As(err, &field) {
		return nil, apikit.Problem(422, string(field.Field), "%s", field.Reason)
	}
	if err != nil || len(touched) == 0 {
		return w, err
	}
	w.touched, w.what = touched, said(operations)
	return w, s.store(ctx, tx, w, operations, inverse, o)
}

// writePriced changes a draft in a way that may move its prices, works them out, and publishes, all at once.
func (s *Service) writePriced(ctx context.Context, id int64, o writeOptions,
	build func(pgx.Tx, *writing) ([]edit.Operation, error)) error {
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		w, err := s.write(ctx, tx, id, o, func(w *writing) ([]edit.Operation, error) { return build(tx, w) })
		if err != nil {
			return err
		}
		if err := s.Pricing.PriceDrafts(ctx, tx, []int64{id}); err != nil {
			return err
		}
		return s.publish(ctx, tx, w)
	})
}

// needsVariants tells whether an operation is about variants or their prices, which are read only then.
func needsVariants(op edit.Operation) bool {
	switch op.Kind() {
	case edit.ChooseVariants{}.Kind(), edit.SetPrices{}.Kind(), edit.BuyAs{}.Kind(), edit.SetCodes{}.Kind(),
		edit.Reshape{}.Kind():
		return true
	}
	return false
}

// errDiscarded is that a draft cannot be changed, since it was thrown away.
var errDiscarded = apikit.Problem(409, "", "This draft was discarded. Bring it back before you change it.")

func isDiscard(op edit.Operation) bool { return op.Kind() == edit.SetDiscarded{}.Kind() }

func isReshape(op edit.Operation) bool { return op.Kind() == edit.Reshape{}.Kind() }

// said names what operations do, such as "title, tags and description".
func said(operations []edit.Operation) string {
	var parts []string
	for _, op := range operations {
		part := op.Kind()
		if text, line := op.(edit.SetText); line {
			part = text.Field.Name()
		}
		if !slices.Contains(parts, part) {
			parts = append(parts, part)
		}
	}
	if len(parts) < 2 {
		return strings.Join(parts, "")
	}
	return strings.Join(parts[:len(parts)-1], ", ") + " and " + parts[len(parts)-1]
}

func readVariants(ctx context.Context, tx pgx.Tx, w *writing) error {
	d := &w.draft
	rows, err := tx.Query(ctx, `
		select id, chosen, coalesce(offer_variant_id, 0), picture_id, value_indexes, sku, barcode, dropped,
			coalesce(other_offer_id, 0)
		from draft_variant where draft_id = $1 order by position, id`, w.id)
	if err != nil {
		return err
	}
	var v edit.Variant
	if _, err := pgx.ForEachRow(rows, []any{&v.ID, &v.Chosen, &v.OfferVariantID, &v.PictureID, &v.Values, &v.SKU,
		&v.Barcode, &v.Dropped, &v.OtherOfferID}, func() error {
		v.VariantID, v.Name = v.ID, ""
		for i, option := range d.Options {
			v.Name = strings.TrimSpace(v.Name + " " + option.Values[v.Values[i]].Name)
		}
		d.Variants = append(d.Variants, v)
		v.PictureID, v.Values = nil, nil
		return nil
	}); err != nil {
		return err
	}
	w.offersBefore = d.Offers()
	rows, err = tx.Query(ctx, `select p.store_id, p.draft_variant_id, p.price from manual_price p
		join draft_variant v on v.id = p.draft_variant_id where v.draft_id = $1`, w.id)
	if err != nil {
		return err
	}
	d.Prices = map[edit.PriceKey]int64{}
	var key edit.PriceKey
	var price int64
	_, err = pgx.ForEachRow(rows, []any{&key.StoreID, &key.VariantID, &price}, func() error {
		d.Prices[key] = price
		return nil
	})
	return err
}

// conflict is a problem where one of some fields was changed after what the person saw: it says by whom, and what
// stands there now.
func (w *writing) conflict(fields []edit.Field, base map[edit.Field]int) error {
	for _, f := range fields {
		seen, given := base[f]
		now := w.changes[f]
		if !given || now.Revision <= seen {
			continue
		}
		sentence := fmt.Sprintf("%s changed the %s meanwhile. Yours was not saved: choose which of the two stays.",
			cmp.Or(now.By, "Somebody"), f.Name())
		return huma.NewError(409, sentence, &huma.ErrorDetail{Location: "body." + inputField(f), Message: sentence,
			Value: map[string]any{"field": f, "revision": now.Revision, "by": now.By, "theirs": w.value(f)}})
	}
	return nil
}

// value is what a field holds now, as a draft shows it.
func (w *writing) value(f edit.Field) any {
	d := &w.draft
	if text, is := d.TextOf(f); is {
		return text
	}
	switch f {
	case edit.Pictures:
		return d.Pictures
	case edit.Options:
		return d.Options
	case edit.Collections:
		return d.Collections
	case edit.Tags:
		return d.Tags
	case edit.Reserve:
		return d.Reserve
	case edit.Tray:
		return d.TrayID
	}
	return nil
}

// inputField is the part of an edit that touches a field.
func inputField(f edit.Field) string {
	if _, price := f.Price(); price {
		return "prices"
	}
	return string(f)
}

// Discard throws away a draft that is not live in a store. It can be undone as any edit, for thirty days.
func (s *Service) Discard(ctx context.Context, id int64) error {
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		var live bool
		if err := tx.QueryRow(ctx, `select exists (select from facts.listing where draft_id = $1)`, id).
			Scan(&live); err != nil {
			return err
		}
		if live {
			return apikit.Problem(409, "", "This draft is live in a store. Take it down there before you discard it.")
		}
		w, err := s.write(ctx, tx, id, writeOptions{}, func(w *writing) ([]edit.Operation, error) {
			if w.draft.Discarded {
				return nil, apikit.NotFound("draft")
			}
			return []edit.Operation{edit.SetDiscarded{Discarded: true}}, nil
		})
		if err != nil {
			return err
		}
		if err := s.publish(ctx, tx, w); err != nil {
			return err
		}
		return s.Progress.PublishIn(ctx, tx, "drafts", map[string]int64{"discarded": id})
	})
}

// discardedFor is how long a draft that was discarded can be brought back.
const discardedFor = "30 days"

// Prune removes for good what was discarded long ago.
func (s *Service) Prune(ctx context.Context) error {
	_, err := s.Pool.Exec(ctx, `delete from draft d where discarded_at < now() - $1::interval
		and not exists (select from facts.listing l where l.draft_id = d.id)`, discardedFor)
	return err
}

// DraftEvent tells browsers that a draft was changed.
type DraftEvent struct {
	ID       int64        `json:"id"`
	Revision int          `json:"revision"`
	Fields   []edit.Field `json:"fields"`
	By       string       `json:"by"`
	MemberID int64        `json:"member_id"`
}

// publish tells browsers of a change, as the last act of its transaction.
func (s *Service) publish(ctx context.Context, tx pgx.Tx, w *writing) error {
	if len(w.touched) == 0 {
		return nil
	}
	who := access.Who(ctx)
	return s.Progress.PublishIn(ctx, tx, "draft", DraftEvent{w.id, w.revision, w.touched, who.Name, who.MemberID})
}
