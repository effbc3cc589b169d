package workbench

import (
	"context"
	"slices"

	"github.com/jackc/pgx/v5"

	"plainpelican/core/edit"
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
}

// TakeTheirs changes a draft to what a store shows, as one edit that can be undone: a title or description that is the
// store's own stays so.
func (s *Service) TakeTheirs(ctx context.Context, draftID, storeID int64, theirs Theirs) error {
	return s.writePriced(ctx, draftID, writeOptions{}, func(_ pgx.Tx, w *writing) ([]edit.Operation, error) {
		return theirs.operations(w.draft.Own[storeID], storeID), nil
	})
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
