package publishing

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"

	"plainpelican/connect/store"
	"plainpelican/core/edit"
	"plainpelican/platform/pictures"
	"plainpelican/platform/safehtml"
	"plainpelican/workbench"
)

// wordsOf is a draft as a store is to have it, but for pictures, variants and how it is shown.
func wordsOf(draft workbench.Ready, vendor string) store.Product {
	p := store.Product{Reference: draft.Reference, Title: draft.Title,
		Description: safehtml.CleanLinked(draft.Description), Vendor: cmp.Or(draft.Vendor, vendor), Type: draft.Type,
		Collections: draft.Collections, Tags: draft.Tags, SearchTitle: draft.SearchTitle,
		SearchDescription: draft.SearchDescription, Options: []store.Option{}, Pictures: []string{}}
	for _, o := range draft.Options {
		option := store.Option{Name: o.Name}
		for _, v := range o.Values {
			option.Values = append(option.Values, v.Name)
		}
		p.Options = append(p.Options, option)
	}
	return p
}

// variantsOf are a draft's variants as a store is to have them, of which a reserve is not shown.
func variantsOf(draft workbench.Ready, reserve int, picture func(workbench.ReadyVariant) string) []store.Variant {
	list := make([]store.Variant, len(draft.Variants))
	for i, v := range draft.Variants {
		was := ""
		if !v.Ladder.Was.IsZero() {
			was = v.Ladder.Was.Decimal()
		}
		list[i] = store.Variant{Reference: fmt.Sprint(v.ID), SKU: v.SKU, Values: v.Values,
			Price: v.Ladder.Price.Decimal(), WasPrice: was, Stock: edit.InStock(v.Supplied, reserve),
			Barcode: v.Barcode, Picture: picture(v)}
	}
	return list
}

// product sends the pictures that the store has not been sent, and puts together what it is to have.
func (s *Service) product(ctx context.Context, item *sending, session store.Session,
	draft workbench.Ready) (store.Product, error) {
	vendor, err := s.Stores.Vendor(ctx, item.storeID)
	if err != nil {
		return store.Product{}, err
	}
	p := wordsOf(draft, vendor)
	p.Collections, p.Visible, p.SellEmpty = together(draft.Collections, item.Collections), item.Visible, item.SellEmpty
	hashes := map[string]string{} // by address
	for i, url := range draft.Pictures {
		if len(draft.Pictures) > 1 {
			s.saying(ctx, item, fmt.Sprintf("picture %d of %d", i+1, len(draft.Pictures)))
		}
		hash, content, err := s.Media.PictureAt(ctx, url)
		if errors.Is(err, pictures.ErrNone) {
			return p, &pictureError{i + 1, err}
		}
		if err != nil {
			return p, fmt.Errorf("picture %d: %w", i+1, err) // ours: the disk or the database
		}
		if err := s.sendPicture(ctx, item.storeID, session, hash, content); err != nil {
			return p, err
		}
		hashes[url] = hash
		p.Pictures = append(p.Pictures, hash)
	}
	p.Variants = variantsOf(draft, max(draft.Reserve, item.Reserve), func(v workbench.ReadyVariant) string {
		return hashes[v.Picture]
	})
	return p, nil
}

// sendPicture sends a picture that the store has not been sent before.
func (s *Service) sendPicture(ctx context.Context, storeID int64, session store.Session, hash string,
	content []byte) error {
	var has bool
	err := s.Pool.QueryRow(ctx, `select exists (select from store_picture where store_id = $1 and hash = $2)`, storeID,
		hash).Scan(&has)
	if err != nil || has {
		return err
	}
	if err := session.PutPicture(ctx, hash, content); err != nil {
		return err
	}
	_, err = s.Pool.Exec(ctx, `insert into store_picture (store_id, hash) values ($1, $2) on conflict do nothing`,
		storeID, hash)
	return err
}

// together are two lists of names as one, each once.
func together(a, b []string) []string {
	all := slices.Clone(a)
	for _, name := range b {
		if !slices.Contains(all, name) {
			all = append(all, name)
		}
	}
	return all
}

// forgetPictures has pictures sent to a store once more, and tells whether any was known to be there.
func (s *Service) forgetPictures(ctx context.Context, storeID int64, hashes []string) (bool, error) {
	tag, err := s.Pool.Exec(ctx, `delete from store_picture where store_id = $1 and hash = any ($2)`, storeID, hashes)
	return tag.RowsAffected() > 0, err
}
