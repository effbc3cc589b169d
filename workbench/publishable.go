package workbench

import (
	"cmp"
	"context"
	"slices"

	"github.com/jackc/pgx/v5"

	"plainpelican/core/edit"
	"plainpelican/core/variant"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/platform/safehtml"
)

// Reports say what each of some drafts lacks for a store, the newest first. Those that are not there are left out.
func (s *Service) Reports(ctx context.Context, storeID int64, ids []int64) ([]Line, error) {
	var all []Line
	for part := range slices.Chunk(ids, 500) {
		lines, err := s.lines(ctx, storeID, part, nil, nil)
		if err != nil {
			return nil, err
		}
		all = append(all, lines...)
	}
	return all, nil
}

// Select lists the drafts that a filter finds, the newest first.
func (s *Service) Select(ctx context.Context, storeID int64, f Filter) (ids []int64, err error) {
	var before int64
	for {
		page, err := s.page(ctx, storeID, before, 500, nil, f, nil)
		if err != nil {
			return nil, err
		}
		for _, l := range page.Drafts {
			ids = append(ids, l.ID)
		}
		if before = page.Next; before == 0 {
			return ids, nil
		}
	}
}

// Theirs is what a store shows of a draft, as far as it is to be taken: nil is left as it is.
type Theirs struct {
	Title, Description, Vendor, Type, SearchTitle, SearchDescription *string
	Collections, Tags                                                []string
	// Prices are in minor units of the store's currency; Codes are SKUs and barcodes.
	Prices []edit.VariantPrice
	Codes  []edit.VariantCodes
	// Pictures are the SHA-256 hashes of those that are shown, in order; LeftOut are the variants that are not sold.
	Pictures []string
	LeftOut  []int64
	// Renamed are options with their names here and there.
	Renamed []RenamedOption
}

// RenamedOption is an option of a draft that has another name in a store, or whose values have; Values are by their
// names here.
type RenamedOption struct {
	Here, There string
	Values      map[string]string
}

// TakeTheirs changes a draft to what a store shows, as one edit that can be undone: a title or description that is the
// store's own stays so.
func (s *Service) TakeTheirs(ctx context.Context, draftID, storeID int64, theirs Theirs) error {
	o := writeOptions{variants: len(theirs.LeftOut) > 0}
	return s.writePriced(ctx, draftID, o, func(tx pgx.Tx, w *writing) ([]edit.Operation, error) {
		list := theirs.operations(w.draft.Own[storeID], storeID)
		if len(theirs.LeftOut) > 0 {
			left := slices.DeleteFunc(w.draft.Chosen(), func(id int64) bool {
				return slices.Contains(theirs.LeftOut, id)
			})
			list = append(list, edit.ChooseVariants{Chosen: left})
		}
		if len(theirs.Renamed) > 0 {
			next, err := renamed(w.draft.Options, theirs.Renamed)
			if err != nil {
				return nil, err
			}
			list = append(list, edit.RenameOptions{Options: next})
		}
		if len(theirs.Pictures) == 0 {
			return list, nil
		}
		arranged, err := s.arranged(ctx, tx, w.draft.Pictures, theirs.Pictures)
		return append(list, arranged), err
	})
}

// renamed are options with other names. It returns a problem where the draft calls them otherwise than was sent.
func renamed(options []variant.Option, names []RenamedOption) ([]variant.Option, error) {
	next := make([]variant.Option, len(options))
	for i, o := range options {
		next[i] = variant.Option{Name: o.Name, Original: o.Original, Values: slices.Clone(o.Values)}
		at := slices.IndexFunc(names, func(n RenamedOption) bool { return n.Here == o.Name })
		if at < 0 {
			return nil, apikit.Problem(409, "fields",
				"The draft's options have changed since they were sent: rename them there, or send ours.")
		}
		next[i].Name = names[at].There
		for j, v := range o.Values {
			next[i].Values[j].Name = cmp.Or(names[at].Values[v.Name], v.Name)
		}
	}
	return next, nil
}

// arranged shows the pictures with some hashes, in their order, and hides the others. It returns a problem where the
// draft does not have one of them.
func (s *Service) arranged(ctx context.Context, q database.Querier, pictures []edit.Picture,
	hashes []string) (edit.ArrangePictures, error) {
	urls := make([]string, len(pictures))
	for i, p := range pictures {
		urls[i] = p.URL
	}
	known, err := s.Media.Known(ctx, q, urls)
	if err != nil {
		return edit.ArrangePictures{}, err
	}
	var first, rest []edit.PictureChoice
	for _, hash := range hashes {
		at := slices.IndexFunc(pictures, func(p edit.Picture) bool { return known[p.URL].Hash == hash })
		if at < 0 {
			return edit.ArrangePictures{}, apikit.Problem(422, "fields",
				"The store shows a picture that this draft does not have. Send ours, or add it to the draft.")
		}
		first = append(first, edit.PictureChoice{ID: pictures[at].ID, Shown: true})
	}
	for _, p := range pictures {
		if !slices.Contains(first, edit.PictureChoice{ID: p.ID, Shown: true}) {
			rest = append(rest, edit.PictureChoice{ID: p.ID})
		}
	}
	return edit.ArrangePictures{Pictures: append(first, rest...)}, nil
}

func (t *Theirs) operations(own edit.OwnWords, storeID int64) (list []edit.Operation) {
	if t.Title != nil && own.Title != "" {
		list = append(list, edit.SetOwnWords{StoreID: storeID, Part: edit.Title, Text: *t.Title})
	} else if t.Title != nil {
		list = append(list, edit.SetTitle{Title: *t.Title})
	}
	if t.Description != nil {
		clean := safehtml.CleanLinked(*t.Description)
		if own.Description != "" {
			list = append(list, edit.SetOwnWords{StoreID: storeID, Part: edit.Description, Text: clean})
		} else {
			list = append(list, edit.SetDescription{Description: clean})
		}
	}
	for _, text := range []struct {
		field edit.Field
		value *string
	}{{edit.Vendor, t.Vendor}, {edit.Type, t.Type}, {edit.SearchTitle, t.SearchTitle},
		{edit.SearchDescription, t.SearchDescription}} {
		if text.value != nil {
			list = append(list, edit.SetText{Field: text.field, Text: *text.value})
		}
	}
	if t.Collections != nil {
		list = append(list, edit.SetCollections{Collections: t.Collections})
	}
	if t.Tags != nil {
		list = append(list, edit.SetTags{Tags: t.Tags})
	}
	if len(t.Prices) > 0 {
		list = append(list, edit.SetPrices{StoreID: storeID, Prices: t.Prices})
	}
	if len(t.Codes) > 0 {
		list = append(list, edit.SetCodes{Codes: t.Codes})
	}
	return list
}
