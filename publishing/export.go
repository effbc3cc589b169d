package publishing

import (
	"context"
	"io"
	"slices"
	"strconv"
	"time"

	"plainpelican/platform/spreadsheet"
)

// exportedAtOnce is how many listings are read at once for a file.
const exportedAtOnce = 1_000

// Export writes what is live in a store as CSV, one row for each listing.
func (s *Service) Export(ctx context.Context, w io.Writer, storeID int64, f ListingFilter) error {
	out := spreadsheet.NewWriter(w)
	if err := out.Write([]string{"listing", "title", "address", "state", "variants", "lowest price", "highest price",
		"currency", "least profit", "stock", "supplier", "source", "published", "sent"}); err != nil {
		return err
	}
	ids, err := s.found(ctx, "l.id", storeID, f, 0)
	if err != nil {
		return err
	}
	for part := range slices.Chunk(ids, exportedAtOnce) {
		listings, err := s.listings(ctx, storeID, part)
		if err != nil {
			return err
		}
		for _, l := range listings {
			profit := ""
			if l.Profit != nil {
				profit = l.Profit.Decimal()
			}
			state := map[bool]string{true: "visible", false: "hidden"}[l.Visible]
			if err := out.Write([]string{strconv.FormatInt(l.ID, 10), l.Title, l.URL, state, strconv.Itoa(l.Variants),
				l.Lowest.Decimal(), l.Highest.Decimal(), l.Lowest.Currency().String(), profit, strconv.Itoa(l.Stock),
				l.Supplier, l.Source, l.PublishedAt.UTC().Format(time.RFC3339),
				l.UpdatedAt.UTC().Format(time.RFC3339)}); err != nil {
				return err
			}
		}
	}
	out.Flush()
	return out.Error()
}
