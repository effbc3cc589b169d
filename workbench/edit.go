package workbench

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"

	"plainpelican/core/contact"
	"plainpelican/core/money"
	"plainpelican/core/variant"
	"plainpelican/members"
	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/platform/safehtml"
)

// EditInput changes parts of a draft; what is absent stays as it is.
type EditInput struct {
	Revision    int     `json:"revision" doc:"The revision that was read; a newer one refuses the edit"`
	Title       *string `json:"title,omitempty" maxLength:"500"`
	Description *string `json:"description,omitempty" maxLength:"100000"`
	// RemoveContacts takes the supplier's mail addresses, telephone numbers and links out of the description.
	RemoveContacts bool              `json:"remove_contacts,omitempty"`
	Pictures       *[]PictureChoice  `json:"pictures,omitempty"`
	Options        *[]variant.Option `json:"options,omitempty" doc:"The same options and values, renamed"`
	Chosen         *[]int64          `json:"chosen,omitempty" doc:"Draft variants to sell"`
	Prices         *[]PriceOverride  `json:"prices,omitempty"`
	Collections    *[]string         `json:"collections,omitempty" maxItems:"100"`
	Tags           *[]string         `json:"tags,omitempty" maxItems:"250"`
}

// PriceOverride types a price for one variant in the store in use, or releases it.
type PriceOverride struct {
	VariantID int64  `json:"variant_id"`
	Price     string `json:"price" doc:"Decimal text; empty is the rule's price" maxLength:"30"`
}

// snapshot is all that an edit can change, kept to be undone.
type snapshot struct {
	Title       string           `json:"title"`
	Description string           `json:"description"`
	Pictures    []picture        `json:"pictures"`
	Options     []variant.Option `json:"options"`
	Chosen      []int64          `json:"chosen"`
	// Offer is what the draft is bought as, and Bought its variants; snapshots of before suppliers
	// could be swapped have none.
	Offer        int64         `json:"offer,omitempty"`
	Bought       []bought      `json:"bought,omitempty"`
	ManualPrices []manualPrice `json:"manual"`
	Collections  []string      `json:"collections"`
	Tags         []string      `json:"tags"`
}

// bought is what a draft variant is bought as; 0 where its supplier does not sell it. Picture is the place
// of a picture of its own.
type bought struct {
	VariantID      int64 `json:"variant_id"`
	OfferVariantID int64 `json:"offer_variant_id"`
	Picture        *int  `json:"picture"`
}

func (b bought) same(o bought) bool {
	return b.VariantID == o.VariantID && b.OfferVariantID == o.OfferVariantID &&
		(b.Picture == nil) == (o.Picture == nil) && (b.Picture == nil || *b.Picture == *o.Picture)
}

type manualPrice struct {
	VariantID int64 `json:"variant_id"`
	StoreID   int64 `json:"store_id"`
	Price     int64 `json:"price"`
}

func (d *draft) snapshot(typed []manualPrice) snapshot {
	s := snapshot{Title: d.title, Description: d.description, Pictures: d.pictures, Options: d.options,
		Chosen: []int64{}, ManualPrices: typed, Collections: d.collections, Tags: d.tags, Offer: d.offerID}
	for _, v := range d.variants {
		s.Bought = append(s.Bought, bought{v.id, v.offerVariantID, v.ownPicture})
		if v.chosen {
			s.Chosen = append(s.Chosen, v.id)
		}
	}
	return s
}

// readManualPrices reads the typed prices of a draft in all stores.
func readManualPrices(ctx context.Context, tx pgx.Tx, id int64) ([]manualPrice, error) {
	rows, err := tx.Query(ctx, `select t.draft_variant_id, t.store_id, t.price from manual_price t
		join draft_variant v on v.id = t.draft_variant_id where v.draft_id = $1 order by 1, 2`, id)
	if err != nil {
		return nil, err
	}
	typed, err := pgx.CollectRows(rows, pgx.RowToStructByPos[manualPrice])
	return append([]manualPrice{}, typed...), err
}

// Edit makes an edit, whole or not at all, and keeps what was before.
func (s *Service) Edit(ctx context.Context, id, storeID int64, e EditInput) (Draft, error) {
	t, err := s.storeContext(ctx, s.Pool, storeID, false, id)
	if err != nil {
		return Draft{}, err
	}
	err = s.rewrite(ctx, id, e.Revision, func(tx pgx.Tx, d *draft, after *snapshot) (string, error) {
		return apply(e, d, after, t)
	})
	if err != nil {
		return Draft{}, err
	}
	return s.Get(ctx, id, storeID)
}

// rewrite locks a draft, lets change alter its snapshot, stores that and the edit.
func (s *Service) rewrite(ctx context.Context, id int64, revision int,
	change func(pgx.Tx, *draft, *snapshot) (what string, err error)) error {
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		if err := s.rewriteIn(ctx, tx, id, revision, 0, change); err != nil {
			return err
		}
		return s.Pricing.PriceDrafts(ctx, tx, []int64{id})
	})
}

// rewriteIn is rewrite as a part of something larger, whose edits share a bulk number; the
// caller prices the draft.
func (s *Service) rewriteIn(ctx context.Context, tx pgx.Tx, id int64, revision int, bulk int64,
	change func(pgx.Tx, *draft, *snapshot) (what string, err error)) error {
	var current int
	err := tx.QueryRow(ctx, `select revision from draft where id = $1 for update`, id).Scan(&current)
	if database.Missing(err) {
		return apikit.NotFound("draft")
	}
	if err != nil {
		return err
	}
	if revision != 0 && revision != current {
		var who string
		// a name makes the sentence better, no more
		_ = tx.QueryRow(ctx, `select member from draft_edit where draft_id = $1 order by id desc
			limit 1`, id).Scan(&who)
		return apikit.Problem(409, "revision",
			"%s changed this draft meanwhile. Yours was not saved; look at it and edit again.", orElse(who, "Somebody"))
	}
	d, err := single(load(ctx, tx, id))
	if err != nil {
		return err
	}
	typed, err := readManualPrices(ctx, tx, id)
	if err != nil {
		return err
	}
	before, after := d.snapshot(typed), d.snapshot(slices.Clone(typed))
	what, err := change(tx, d, &after)
	if err != nil {
		return err
	}
	if what != "" {
		if _, err := tx.Exec(ctx, `insert into draft_edit (draft_id, member, what, before, bulk_id, store_id)
			values ($1, $2, $3, $4, nullif($5::bigint, 0), nullif($6::bigint, 0))`,
			id, access.Who(ctx).Name, what, asJSON(before), bulk,
			storeOf(before.ManualPrices, after.ManualPrices)); err != nil {
			return err
		}
	}
	if slices.Contains(strings.Split(what, partSeparator), "price") {
		if err := members.Audit(ctx, tx, "set prices", d.title, before.ManualPrices, after.ManualPrices); err != nil {
			return err
		}
	}
	if after.Offer == 0 || (after.Offer == d.offerID && slices.EqualFunc(after.Bought, before.Bought, bought.same)) {
		after.Offer = 0
		return store(ctx, tx, id, after)
	}
	if err := store(ctx, tx, id, after); err != nil {
		return err
	}
	return s.afterPurchaseChange(ctx, tx, d, after.Offer)
}

func orElse(text, fallback string) string {
	if text == "" {
		return fallback
	}
	return text
}

// partSeparator stands between the parts of a draft that one edit changed.
const partSeparator = " and "

// apply checks an edit against a draft and puts it into the snapshot.
func apply(e EditInput, d *draft, after *snapshot, t storeContext) (what string, err error) {
	var parts []string
	if e.Title != nil {
		after.Title = strings.Join(strings.Fields(*e.Title), " ")
		parts = append(parts, "title")
	}
	if e.Description != nil {
		after.Description = safehtml.Clean(*e.Description)
		parts = append(parts, "description")
	}
	if e.RemoveContacts {
		after.Description = contact.Remove(after.Description)
		parts = append(parts, "contact details")
	}
	if e.Pictures != nil {
		list, ours := reordered(*e.Pictures, d.pictures)
		if !ours {
			return "", apikit.Problem(422, "pictures", "The pictures are not those of this draft.")
		}
		after.Pictures = list
		parts = append(parts, "pictures")
	}
	if e.Options != nil {
		if err := sameShape(*e.Options, d.options); err != nil {
			return "", err
		}
		if err := variant.Check(*e.Options); err != nil {
			return "", apikit.Problem(422, "options", "%s", err)
		}
		after.Options = *e.Options
		parts = append(parts, "options")
	}
	if e.Chosen != nil {
		for _, id := range *e.Chosen {
			at := slices.IndexFunc(d.variants, func(v draftVariant) bool { return v.id == id })
			if at < 0 {
				return "", apikit.Problem(422, "chosen", "A chosen variant is not of this draft.")
			}
			if v := &d.variants[at]; v.offerVariantID == 0 && !v.chosen {
				return "",
					apikit.Problem(422, "chosen", "%s does not sell “%s”. Swap the supplier, or leave it out.",
						d.supplier, d.name(v))
			}
		}
		after.Chosen = *e.Chosen
		parts = append(parts, "choice of variants")
	}
	if e.Collections != nil {
		after.Collections = cleanNames(*e.Collections)
		parts = append(parts, "collections")
	}
	if e.Tags != nil {
		after.Tags = cleanNames(*e.Tags)
		parts = append(parts, "tags")
	}
	if e.Prices != nil {
		if err := overridePrices(*e.Prices, d, after, t); err != nil {
			return "", err
		}
		parts = append(parts, "price")
	}
	return strings.Join(parts, partSeparator), nil
}

// cleanNames tidies a list of names: no empty one, none twice.
func cleanNames(list []string) []string {
	out := []string{}
	for _, name := range list {
		if name = strings.Join(strings.Fields(name), " "); name != "" && !slices.Contains(out, name) {
			out = append(out, name)
		}
	}
	return out
}

func overridePrices(prices []PriceOverride, d *draft, after *snapshot, t storeContext) error {
	if t.pricer == nil {
		return apikit.Problem(422, "prices", "Connect a store before you set prices.")
	}
	store := t.pricer.StoreID
	for _, p := range prices {
		at := slices.IndexFunc(d.variants, func(v draftVariant) bool { return v.id == p.VariantID })
		if at < 0 {
			return apikit.Problem(422, "prices", "That variant is not of this draft.")
		}
		after.ManualPrices = slices.DeleteFunc(after.ManualPrices, func(x manualPrice) bool {
			return x.VariantID == p.VariantID && x.StoreID == store
		})
		if strings.TrimSpace(p.Price) == "" {
			continue
		}
		amount, err := money.Parse(p.Price, t.pricer.Currency)
		if err != nil {
			return apikit.Problem(422, "prices", "“%s” is not a price in %s; write one such as %s.", p.Price,
				t.pricer.Currency,
				money.New(19*t.pricer.Currency.Unit()+99%t.pricer.Currency.Unit(), t.pricer.Currency).Decimal())
		}
		if amount.Minor() <= 0 {
			return apikit.Problem(422, "prices", "A price must be more than 0.")
		}
		after.ManualPrices = append(after.ManualPrices, manualPrice{p.VariantID, store, amount.Minor()})
	}
	return nil
}

// reordered are a draft's pictures in the order and with the marks of a choice, and whether it is of just those.
func reordered(choice []PictureChoice, pictures []picture) (list []picture, ours bool) {
	left := slices.Clone(pictures)
	for _, c := range choice {
		at := slices.IndexFunc(left, func(p picture) bool { return p.Place == c.Place })
		if at < 0 {
			return nil, false
		}
		p := left[at]
		p.PictureChoice = c
		list, left = append(list, p), slices.Delete(left, at, at+1)
	}
	return list, len(left) == 0
}

// sameShape lets options be renamed, never added, dropped or reordered: that is not built yet.
func sameShape(a, b []variant.Option) error {
	same := len(a) == len(b)
	for i := range min(len(a), len(b)) {
		same = same && a[i].Original == b[i].Original && len(a[i].Values) == len(b[i].Values)
		for j := range min(len(a[i].Values), len(b[i].Values)) {
			same = same && a[i].Values[j].Original == b[i].Values[j].Original
			a[i].Values[j].Name = strings.Join(strings.Fields(a[i].Values[j].Name), " ")
		}
		a[i].Name = strings.Join(strings.Fields(a[i].Name), " ")
	}
	if !same {
		return apikit.Problem(422, "options", "Options and values can be renamed here, not added or left out.")
	}
	return nil
}

func store(ctx context.Context, tx pgx.Tx, id int64, s snapshot) error {
	batch := &pgx.Batch{}
	batch.Queue(`update draft set title = $2, description = $3, pictures = $4, options = $5, collections = $6,
		tags = $7, revision = revision + 1, updated_at = now() where id = $1`,
		id, s.Title, s.Description, asJSON(s.Pictures), asJSON(s.Options), cleanNames(s.Collections),
		cleanNames(s.Tags))
	if s.Offer != 0 {
		batch.Queue(`update draft set offer_id = $2 where id = $1 and offer_id <> $2`, id, s.Offer)
		// each is bought once, on the way too
		batch.Queue(`update draft_variant set offer_variant_id = null where draft_id = $1`, id)
		for _, b := range s.Bought {
			batch.Queue(`update draft_variant set offer_variant_id = nullif($3::bigint, 0), picture = $4
				where draft_id = $1 and id = $2`, id, b.VariantID, b.OfferVariantID, b.Picture)
		}
	}
	batch.Queue(`update draft_variant set chosen = id = any ($2)
		where draft_id = $1 and chosen <> (id = any ($2))`, id, s.Chosen)
	batch.Queue(`delete from manual_price where draft_variant_id in (select id from draft_variant
		where draft_id = $1)`, id)
	for _, p := range s.ManualPrices {
		batch.Queue(`insert into manual_price (draft_variant_id, store_id, price, set_by)
			values ($1, $2, $3, $4)`, p.VariantID, p.StoreID, p.Price, access.Who(ctx).Name)
	}
	if err := tx.SendBatch(ctx, batch).Close(); err != nil {
		return fmt.Errorf("saving draft %d: %w", id, err)
	}
	return nil
}

// storeOf is the store whose typed prices differ, 0 where none do.
func storeOf(before, after []manualPrice) int64 {
	for _, lists := range [][2][]manualPrice{{before, after}, {after, before}} {
		for _, p := range lists[0] {
			if !slices.Contains(lists[1], p) {
				return p.StoreID
			}
		}
	}
	return 0
}

// Discard removes a draft that is not live in a store.
func (s *Service) Discard(ctx context.Context, id int64) error {
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		var offer int64
		err := tx.QueryRow(ctx, `delete from draft d where id = $1
			and not exists (select from listing l where l.draft_id = d.id) returning offer_id`, id).Scan(&offer)
		if err != nil || s.NotifyOffers == nil {
			return err
		}
		return s.NotifyOffers(ctx, tx, []int64{offer})
	})
	if database.Missing(err) {
		return apikit.Problem(409, "", "This draft is live in a store, or gone already.")
	}
	if err != nil {
		return err
	}
	return s.Progress.Publish(ctx, "drafts", map[string]int64{"discarded": id})
}
