package workbench

import (
	"context"

	"plainpelican/core/contact"
	"plainpelican/core/edit"
	"plainpelican/core/variant"
	"plainpelican/platform/database"
	"plainpelican/platform/safehtml"
)

// originals are the operations that bring fields of a draft back to what its supplier says now.
func (s *Service) originals(ctx context.Context, db database.Querier, id int64,
	fields []edit.Field) (list []edit.Operation, err error) {
	var title, description string
	var urls []string
	var pictures []edit.Picture
	var options []variant.Option
	if err := db.QueryRow(ctx, `select o.title, o.description, o.pictures, d.pictures, d.options
		from draft d join facts.offer o on o.id = d.offer_id where d.id = $1`, id).
		Scan(&title, &description, &urls, &pictures, &options); err != nil {
		return nil, err
	}
	for _, f := range fields {
		switch f {
		case edit.Title:
			list = append(list, edit.SetTitle{Title: title})
		case edit.Description:
			list = append(list, edit.SetDescription{Description: originalDescription(description)})
		case edit.Pictures:
			list = append(list, originalPictures(pictures, urls))
		case edit.Options:
			list = append(list, originalOptions(options))
		}
	}
	return list, nil
}

// originalDescription is a supplier's description without what leads to the supplier.
func originalDescription(description string) string {
	return contact.Remove(safehtml.Clean(description))
}

// originalPictures has the supplier's pictures in their order, all shown, and those of others behind them, as they are.
func originalPictures(now []edit.Picture, urls []string) edit.ArrangePictures {
	op := edit.ArrangePictures{Pictures: []edit.PictureChoice{}}
	used := map[int]bool{}
	for _, url := range urls {
		for _, p := range now {
			if p.URL == url && !used[p.ID] {
				used[p.ID] = true
				op.Pictures = append(op.Pictures, edit.PictureChoice{ID: p.ID, Shown: true})
			}
		}
	}
	for _, p := range now {
		if !used[p.ID] {
			op.Pictures = append(op.Pictures, edit.PictureChoice{ID: p.ID, Shown: p.Shown})
		}
	}
	return op
}

// originalOptions has options and values called as the supplier calls them.
func originalOptions(now []variant.Option) edit.RenameOptions {
	next := make([]variant.Option, len(now))
	for i, o := range now {
		next[i] = variant.Option{Name: o.Original, Original: o.Original}
		for _, v := range o.Values {
			next[i].Values = append(next[i].Values, variant.Value{Name: v.Original, Original: v.Original})
		}
	}
	return edit.RenameOptions{Options: next}
}
