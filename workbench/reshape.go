package workbench

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"

	"plainpelican/core/edit"
	"plainpelican/core/likeness"
	"plainpelican/core/money"
	"plainpelican/core/variant"
	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
)

// ReshapeInput changes the options of a draft, or which variants are in it.
type ReshapeInput struct {
	// Act is drop_option, merge_values, split_values, move_option, move_value, drop_variants or bring_back; Option is
	// the index of the option that it is done to, and Value of one of its values.
	Act    string `json:"act" maxLength:"20"`
	Option int    `json:"option,omitempty" minimum:"0"`
	Value  int    `json:"value,omitempty" minimum:"0"`
	// To is the value that takes the place of the other, or the place that the option or the value moves to.
	To int `json:"to,omitempty" minimum:"0"`
	// Separator parts values that are two; First and Second are what the two options are called.
	Separator string `json:"separator,omitempty" maxLength:"10"`
	First     string `json:"first,omitempty" maxLength:"100"`
	Second    string `json:"second,omitempty" maxLength:"100"`
	// Variants are those to drop or to bring back, or those that stay of such as become alike.
	Variants []int64 `json:"variants,omitempty" maxItems:"2000"`
	// Prefer says which stays of those alike where Variants names none of them.
	Prefer string `json:"prefer,omitempty" enum:",cheapest,best_stocked"`
	// Base is, as in an edit, the revisions that the person saw.
	Base  map[edit.Field]int `json:"base,omitempty"`
	Apply bool               `json:"apply,omitempty"`
}

// ReshapeResult is what a change of options would make of a draft, or has made.
type ReshapeResult struct {
	Options []variant.Option `json:"options"`
	// Variants counts those that the draft has then.
	Variants int `json:"variants"`
	// Alike are groups of variants that would become one, each with the one that stays.
	Alike []AlikeVariants `json:"alike"`
	Draft *Draft          `json:"draft,omitempty" doc:"Where it was made"`
}

// AlikeVariants are variants that would be the same.
type AlikeVariants struct {
	Name     string         `json:"name"`
	Keeps    int64          `json:"keeps"`
	Variants []AlikeVariant `json:"variants"`
}

// AlikeVariant is one of them.
type AlikeVariant struct {
	ID    int64        `json:"id"`
	Name  string       `json:"name"`
	Cost  money.Amount `json:"cost"`
	Stock int          `json:"stock"`
}

// Reshape looks at a change of the options of a draft, or makes it.
func (s *Service) Reshape(ctx context.Context, id, storeID int64, in ReshapeInput) (ReshapeResult, error) {
	d, err := single(load(ctx, s.Pool, s.Media, id))
	if err != nil {
		return ReshapeResult{}, err
	}
	shape, out, err := d.reshaped(d.editable(), in)
	if err != nil || !in.Apply {
		return out, err
	}
	if err := shape.Check(); err != nil {
		return out, apikit.Problem(422, "variants", "%s", err)
	}
	err = s.writePriced(ctx, id, writeOptions{base: in.Base, variants: true},
		func(_ pgx.Tx, w *writing) ([]edit.Operation, error) {
			shape, _, err := d.reshaped(&w.draft, in)
			return []edit.Operation{edit.Reshape{Shape: shape}}, err
		})
	if err != nil {
		return out, err
	}
	draft, err := s.Get(ctx, id, storeID)
	out.Draft = &draft
	return out, err
}

// reshaped is the shape that a change makes of a draft as it stands, and what is to be known of it. What variants cost
// and how many there are is that of d.
func (d *draft) reshaped(now *edit.Draft, in ReshapeInput) (variant.Shape, ReshapeResult, error) {
	for i := range d.dropped {
		if v := &d.dropped[i]; in.Act == "bring_back" && v.from != nil && slices.Contains(in.Variants, v.id) {
			return now.Shape(), ReshapeResult{}, apikit.Problem(422, "variants",
				"That one is another supplier's: add it again, so that its values are said.")
		}
	}
	shape, err := shapeOf(now.Shape(), in)
	if err != nil {
		return shape, ReshapeResult{}, err
	}
	out := ReshapeResult{Alike: []AlikeVariants{}}
	keep := slices.Clone(in.Variants)
	for _, group := range shape.Alike() {
		one := AlikeVariants{Keeps: d.stays(group, in)}
		keep = append(keep, one.Keeps)
		for _, id := range group {
			v := d.variant(id)
			if v == nil {
				continue
			}
			one.Variants = append(one.Variants, AlikeVariant{id, d.name(v), v.unit.Cost, v.stock})
		}
		at := slices.IndexFunc(shape.Variants, func(v variant.Variant) bool { return v.ID == group[0] })
		one.Name = shape.Name(shape.Variants[at])
		out.Alike = append(out.Alike, one)
	}
	shape = shape.Keep(keep)
	out.Options = shape.Options
	for _, v := range shape.Variants {
		if !v.Dropped {
			out.Variants++
		}
	}
	return shape, out, nil
}

func (d *draft) variant(id int64) *draftVariant {
	for _, list := range [][]draftVariant{d.variants, d.dropped} {
		for i := range list {
			if list[i].id == id {
				return &list[i]
			}
		}
	}
	return nil
}

// stays is which of a group of variants alike stays: one that was named, else as preferred, else the first chosen.
func (d *draft) stays(group []int64, in ReshapeInput) int64 {
	best := group[0]
	for _, id := range group {
		if slices.Contains(in.Variants, id) {
			return id
		}
		a, b := d.variant(id), d.variant(best)
		if a == nil || b == nil {
			continue
		}
		better := 0
		switch in.Prefer {
		case "cheapest":
			if a.unit.Cost.Currency() == b.unit.Cost.Currency() { // else neither is known to be
				better = cmp.Compare(b.unit.Cost.Minor(), a.unit.Cost.Minor())
			}
		case "best_stocked":
			better = cmp.Compare(a.stock, b.stock)
		}
		if better == 0 && a.chosen && !b.chosen {
			better = 1
		}
		if better > 0 {
			best = id
		}
	}
	return best
}

// shapeOf is a shape after an act; of variants alike all are there still.
func shapeOf(shape variant.Shape, in ReshapeInput) (variant.Shape, error) {
	wrong := func() (variant.Shape, error) {
		return shape, apikit.Problem(422, "option", "The options are not those of this draft any more. Look again.")
	}
	switch in.Act {
	case "drop_variants", "bring_back":
		for i := range shape.Variants {
			if v := &shape.Variants[i]; slices.Contains(in.Variants, v.ID) {
				v.Dropped = in.Act == "drop_variants"
			}
		}
		return shape, nil
	}
	if !slices.Contains([]string{"drop_option", "merge_values", "split_values", "move_option", "move_value"}, in.Act) {
		return shape, apikit.Problem(422, "act", "No change of options is called “%s”.", in.Act)
	}
	if in.Option >= len(shape.Options) {
		return wrong()
	}
	values := len(shape.Options[in.Option].Values)
	switch in.Act {
	case "drop_option":
		return shape.WithoutOption(in.Option), nil
	case "move_option":
		if in.To >= len(shape.Options) {
			return wrong()
		}
		return shape.MoveOption(in.Option, in.To), nil
	case "merge_values", "move_value":
		if in.Value >= values || in.To >= values || in.Act == "merge_values" && in.Value == in.To {
			return wrong()
		}
		if in.Act == "merge_values" {
			return shape.Merge(in.Option, in.Value, in.To), nil
		}
		return shape.MoveValue(in.Option, in.Value, in.To), nil
	}
	if in.Separator == "" || strings.TrimSpace(in.First) == "" || strings.TrimSpace(in.Second) == "" {
		return shape, apikit.Problem(422, "separator", "Say what stands between the two, and what each is called.")
	}
	next, err := shape.Split(in.Option, in.Separator, strings.TrimSpace(in.First), strings.TrimSpace(in.Second))
	if err != nil {
		return shape, apikit.Problem(422, "separator", "%s", err)
	}
	if err := variant.Check(next.Options); err != nil {
		return shape, apikit.Problem(422, "first", "%s", err)
	}
	return next, nil
}

// Proposals are what could be put right with the options of a draft.
func (s *Service) Proposals(ctx context.Context, id int64) ([]variant.Proposal, error) {
	d, err := single(load(ctx, s.Pool, s.Media, id))
	if err != nil {
		return nil, err
	}
	seen, err := s.coloursOf(ctx, d)
	if err != nil {
		return nil, err
	}
	return apikit.List(variant.Propose(d.editable().Shape(), seen)), nil
}

// coloursOf are the colours that the pictures of values show, by option and value, where all pictures of a value agree.
func (s *Service) coloursOf(ctx context.Context, d *draft) ([][]string, error) {
	var urls []string
	for i := range d.variants {
		if url := d.address(d.picture(d.variants[i].pictureID)); url != "" && !slices.Contains(urls, url) {
			urls = append(urls, url)
		}
	}
	colours, err := s.Media.MedianColours(ctx, urls)
	if err != nil {
		return nil, err
	}
	seen := make([][]string, len(d.options))
	for o := range d.options {
		seen[o] = make([]string, len(d.options[o].Values))
		pictures := map[int]map[string]bool{}
		for i := range d.variants {
			v := &d.variants[i]
			colour, known := colours[d.address(d.picture(v.pictureID))]
			if !known {
				continue
			}
			at := v.valueIndexes[o]
			if pictures[at] == nil {
				pictures[at] = map[string]bool{}
			}
			pictures[at][likeness.ColourName(colour)] = true
			seen[o][at] = likeness.ColourName(colour)
		}
		for at, names := range pictures {
			if len(names) > 1 {
				seen[o][at] = ""
			}
		}
	}
	return seen, nil
}

// SplitInput parts a draft into one for each value of an option.
type SplitInput struct {
	Option int `json:"option" minimum:"0"`
}

// SplitResult lists the drafts that a draft was parted into, itself first.
type SplitResult struct {
	Drafts []int64 `json:"drafts"`
	// Bulk names the change, to be undone as one step.
	Bulk int64 `json:"bulk"`
}

// SplitDraft parts a draft into one for each value of an option: words, pictures, groups and manual prices go along,
// the value goes into the title, and the option goes. Undone, the new drafts are discarded.
func (s *Service) SplitDraft(ctx context.Context, id int64, in SplitInput) (out SplitResult, err error) {
	err = database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		out = SplitResult{Drafts: []int64{id}}
		if err := tx.QueryRow(ctx, `select nextval('bulk_edit')`).Scan(&out.Bulk); err != nil {
			return err
		}
		var shape variant.Shape
		var title string
		w, err := s.write(ctx, tx, id, writeOptions{bulk: out.Bulk, variants: true},
			func(w *writing) ([]edit.Operation, error) {
				shape, title = w.draft.Shape(), w.draft.Title
				if in.Option >= len(shape.Options) || len(shape.Used(in.Option)) < 2 {
					return nil, apikit.Problem(422, "option", "There are not two values of that option to split by.")
				}
				first := shape.Used(in.Option)[0]
				return []edit.Operation{
					edit.Reshape{Shape: shape.Only(in.Option, first).WithoutOption(in.Option)},
					edit.SetTitle{Title: splitTitle(title, shape.Options[in.Option].Values[first].Name)},
				}, nil
			})
		if err != nil {
			return err
		}
		for _, value := range shape.Used(in.Option)[1:] {
			made, err := copyDraft(ctx, tx, id, splitTitle(title, shape.Options[in.Option].Values[value].Name),
				shape.Only(in.Option, value).WithoutOption(in.Option), out.Bulk)
			if err != nil {
				return fmt.Errorf("splitting draft %d: %w", id, err)
			}
			out.Drafts = append(out.Drafts, made)
		}
		if err := s.Pricing.PriceDrafts(ctx, tx, out.Drafts); err != nil {
			return err
		}
		if err := s.Offers.NotifyOffers(ctx, tx, []int64{w.draft.OfferID}); err != nil {
			return err
		}
		if err := s.publish(ctx, tx, w); err != nil {
			return err
		}
		return s.Progress.PublishIn(ctx, tx, "drafts", map[string]int{"split": len(out.Drafts)})
	})
	return out, err
}

func splitTitle(title, value string) string { return strings.TrimSpace(title + ", " + value) }

// copyDraft makes a draft of another, with the variants of a shape that are not dropped, as an edit of a bulk whose
// undoing discards it. SKUs stay with the other: two variants cannot have the same.
func copyDraft(ctx context.Context, tx pgx.Tx, of int64, title string, shape variant.Shape, bulk int64) (int64, error) {
	who := access.Who(ctx)
	var made int64
	if err := tx.QueryRow(ctx, `
		insert into draft (offer_id, title, description, pictures, options, collections, tags, type, vendor,
			search_description, reserve, tray_id, created_by)
		select offer_id, $2, description, pictures, $3, collections, tags, type, vendor, search_description, reserve,
			tray_id, $4 from draft where id = $1 returning id`, of, title, asJSON(shape.Options), who.Name).
		Scan(&made); err != nil {
		return 0, err
	}
	batch := &pgx.Batch{}
	n := 0
	for _, v := range shape.Variants {
		if v.Dropped {
			continue
		}
		batch.Queue(`with one as (
				insert into draft_variant (draft_id, offer_variant_id, position, number, value_indexes, chosen,
					picture_id, barcode, other_offer_id)
				select $2, offer_variant_id, $3, $3, $4, chosen, picture_id, barcode, other_offer_id
				from draft_variant where id = $1
				returning id)
			insert into manual_price (draft_variant_id, store_id, price, set_by)
			select one.id, p.store_id, p.price, p.set_by from one, manual_price p where p.draft_variant_id = $1`,
			v.ID, made, n, v.Values)
		n++
	}
	done, err := edit.Marshal([]edit.Operation{edit.SetDiscarded{}})
	if err != nil {
		return 0, err
	}
	back, err := edit.Marshal([]edit.Operation{edit.SetDiscarded{Discarded: true}})
	if err != nil {
		return 0, err
	}
	batch.Queue(`insert into draft_edit (draft_id, revision, member_id, member, what, operations, inverse, fields,
			bulk_id)
		select id, revision, nullif($2::bigint, 0), $3, 'split', $4, $5, array[$6], $7 from draft where id = $1`,
		made, who.MemberID, who.Name, done, back, edit.Discarded, bulk)
	return made, tx.SendBatch(ctx, batch).Close()
}
