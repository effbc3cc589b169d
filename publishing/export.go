package publishing

import (
	"context"
	"encoding/csv"
	"io"
	"strconv"
	"time"

	"plainpelican/platform/spreadsheet"
)

// Export writes what is live in a store as CSV, one row for each listing.
func (s *Service) Export(ctx context.Context, w io.Writer, storeID int64, f ListingFilter) error {
	out := csv.NewWriter(w)
	if err := out.Write([]string{"listing", "title", "address", "state", "variants", "lowest price", "highest price",
		"currency", "least profit", "stock", "supplier", "source", "published", "sent"}); err != nil {
		return err
	}
	for before := int64(0); ; {
		page, err := s.Listings(ctx, storeID, before, 1000, f)
		if err != nil {
			return err
		}
		for _, l := range page.Listings {
			profit := ""
			if l.Profit != nil {
				profit = l.Profit.Decimal()
			}
			state := map[bool]string{true: "visible", false: "hidden"}[l.Visible]
			if err := out.Write([]string{strconv.FormatInt(l.ID, 10), spreadsheet.Inert(l.Title), l.URL, state,
				strconv.Itoa(l.Variants), l.Lowest.Decimal(), l.Highest.Decimal(), l.Lowest.Currency().String(), profit,
				strconv.Itoa(l.Stock), spreadsheet.Inert(l.Supplier), spreadsheet.Inert(l.Source),
				l.PublishedAt.UTC().Format(time.RFC3339), l.UpdatedAt.UTC().Format(time.RFC3339)}); err != nil {
				return err
			}
		}
		if before = page.Next; before == 0 {
			out.Flush()
			return out.Error()
		}
	}
}
