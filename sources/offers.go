package sources

import (
	"context"

	"github.com/RoaringBitmap/roaring/v2/roaring64"
	"github.com/jackc/pgx/v5"

	"plainpelican/connect/source"
	"plainpelican/core/money"
	"plainpelican/platform/database"
)

// OfferStore is where offers are put: the catalog. An intake stages what is new or different, has
// it weighed, and puts it on the shelf part by part.
type OfferStore interface {
	// OpenStaging makes room for an intake's offers and tells the numbers of those that lie there.
	OpenStaging(ctx context.Context, db database.Querier, intake int64, number func(string)) (int, error)
	// Stage lays aside those of a batch that are new or different, after the given place, and
	// adds the known ones to seen; those that are in it already are there twice, and left. It
	// returns how many were laid aside, and the numbers of those left.
	Stage(ctx context.Context, tx pgx.Tx, to Staging, offers []source.Offer, seen *roaring64.Bitmap) (staged int,
		twice []string, err error)
	// Unchanged gives the ids of those offers, by number and fingerprint, that are on the shelf just so; 0 for the
	// others.
	Unchanged(ctx context.Context, db database.Querier, sourceID int64, numbers []string,
		fingerprints [][]byte) ([]uint64, error)
	// BulkInsert puts offers of a source that has none of them straight on the shelf and adds them to seen.
	BulkInsert(ctx context.Context, tx pgx.Tx, sourceID int64, offers []source.Offer, seen *roaring64.Bitmap) error
	// Numbers tells the numbers of a source's offers.
	Numbers(ctx context.Context, db database.Querier, sourceID int64, number func(string)) error
	// CheckImpact says what going on would do.
	CheckImpact(ctx context.Context, intake, sourceID int64, whole bool, seen *roaring64.Bitmap) (Impact, error)
	// HoldBack sets those staged offers apart whose costs move by a factor at once, Postponed says which they are, and
	// Release puts them behind the others and returns the last place.
	HoldBack(ctx context.Context, tx pgx.Tx, intake int64, factor int) error
	HeldBack(ctx context.Context, intake, sourceID int64, factor int) (Impact, error)
	ReleaseHeldBack(ctx context.Context, tx pgx.Tx, intake int64, staged int) (last int, err error)
	// Unseen lists the numbers of the source's offers for sale that are not in seen.
	Unseen(ctx context.Context, sourceID int64, seen *roaring64.Bitmap) ([]string, error)
	// AnalyzeStaging is called once before merging.
	AnalyzeStaging(ctx context.Context, intake int64) error
	// Merge puts what is staged after the given place, up to another, on the shelf.
	Merge(ctx context.Context, tx pgx.Tx, from Staging, upTo int64) (MergeCounts, error)
	// WithdrawUnseen withdraws the source's offers that are not in seen, WithdrawNumbers those named.
	WithdrawUnseen(ctx context.Context, tx pgx.Tx, sourceID int64, seen *roaring64.Bitmap) (int, error)
	WithdrawNumbers(ctx context.Context, tx pgx.Tx, sourceID int64, numbers []string) (int, error)
	// DropStaging forgets what is staged.
	DropStaging(ctx context.Context, db database.Querier, intake int64) error
	// NotifySource tells all instances that a source's offers may be others: connected, renamed, mapped.
	NotifySource(ctx context.Context, tx database.Querier, sourceID int64) error
	// Count counts the offers of each source that are for sale.
	Count(ctx context.Context) (map[int64]int, error)
}

// Staging is where an intake lays offers aside.
type Staging struct {
	ImportID, SourceID int64
	// After is that of the offer before.
	After int64
	// Partial tells that offers may come with some of their variants only: the others stay.
	Partial bool
}

// MergeCounts say what became of offers that were merged.
type MergeCounts struct{ Added, Changed int }

// Impact is what an intake would do to a source's offers.
type Impact struct {
	Offers    int `json:"offers" doc:"For sale before"`
	Withdrawn int `json:"withdrawn"`
	Repriced  int `json:"repriced"`
	// OtherCurrency counts offers whose cost changes its currency, as from From into Into.
	OtherCurrency int    `json:"other_currency"`
	FromCurrency  string `json:"from_currency"`
	ToCurrency    string `json:"to_currency"`
	// SoldOut counts offers that had stock and would have none, of InStock that have some.
	SoldOut  int       `json:"sold_out"`
	InStock  int       `json:"in_stock"`
	Examples []Example `json:"examples"`
}

// Example is one offer that would be withdrawn, or repriced where it has amounts.
type Example struct {
	Number string        `json:"number"`
	Title  string        `json:"title"`
	Before *money.Amount `json:"before"`
	After  *money.Amount `json:"after"`
}

// Approval is why an intake waits for a decision.
type Approval struct {
	// Reason is a sentence.
	Reason string `json:"reason"`
	// Kind tells what may be decided: to go on all the same, to say anew how the columns are read, or to take costs
	// that move by far while all else is in.
	Kind string `json:"kind" enum:"shares,layout,prices"`
	Impact
}

// approvalReason says why an intake must be asked about; an empty reason is none. One offer of several may always
// leave or change its cost; of a supplier with few, two are asked about where they are more than the share.
func (w Impact) approvalReason(mostWithdrawn, mostRepriced int, cutShort bool) string {
	over := func(n, percent int) bool { return n*100 > percent*w.Offers && (n > 1 || n == w.Offers && n > 0) }
	switch {
	case cutShort && w.Withdrawn > 0:
		return "The file seems to end within its last row, and " + plural(w.Withdrawn, "offer", "offers") + " of " +
			thousands(w.Offers) + " would be withdrawn. Perhaps it was not sent whole."
	case over(w.Withdrawn, mostWithdrawn):
		return plural(w.Withdrawn, "offer", "offers") + " of " + thousands(w.Offers) +
			" would be withdrawn, because the source does not list them any more."
	case w.OtherCurrency > 0:
		return plural(w.OtherCurrency, "offer", "offers") + " of " + thousands(w.Offers) +
			" would be priced in another currency, as " + w.ToCurrency + " in place of " + w.FromCurrency + "."
	case w.InStock > 2 && w.SoldOut*10 >= w.InStock*9:
		return plural(w.SoldOut, "offer", "offers") + " of " + thousands(w.InStock) +
			" with stock would have none any more."
	case over(w.Repriced, mostRepriced):
		return plural(w.Repriced, "offer", "offers") + " of " + thousands(w.Offers) +
			" would change their cost at once."
	}
	return ""
}
