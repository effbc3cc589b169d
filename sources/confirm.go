package sources

import (
	"context"
	"errors"

	"plainpelican/connect/source"
)

// maxAsked is how many offers that a marketplace did not list are asked about one by one.
const maxAsked = 500

// confirmWithdrawals asks a marketplace about each offer that its whole catalog did not list, before any is
// withdrawn: a catalog that ends early, or shifts while it is read, leaves out what is still sold.
// What is still sold is staged as it is now. An import that saw fewer than were announced, or could
// not ask about all, withdraws only what the source says is gone, and the next one reads everything again.
func (s *Service) confirmWithdrawals(ctx context.Context, in *activeImport) (note string, err error) {
	if !in.source.Can.AsksOffers || !in.Full || in.initialLoad {
		return "", nil
	}
	unseen, err := s.Offers.Unseen(ctx, in.SourceID, in.seen)
	if err != nil || len(unseen) == 0 {
		return "", err
	}
	full := in.Expected == 0 || in.Seen >= in.Expected
	withdrawn, still, rejected, asked := s.checkOffers(ctx, in, unseen[:min(len(unseen), maxAsked)])
	if ctx.Err() != nil {
		return "", ctx.Err()
	}
	if len(still)+len(rejected) > 0 {
		// They are staged like a page of the catalog; reading has ended, so its cursor stays.
		b := batch{Page: source.Page{Offers: still, Rejected: rejected, Next: in.cursor, Total: in.Expected},
			last: true}
		if err := s.stage(ctx, in, b); err != nil {
			return "", err
		}
	}
	if len(still)+len(rejected) > 0 {
		note = "The source did not list " + plural(len(still)+len(rejected), "offer", "offers") +
			" that it still sells. They stay."
	}
	if full && len(withdrawn) == asked && asked == min(len(unseen), maxAsked) {
		return "", nil // all that were asked about are gone: so are the others that a full catalog leaves out
	}
	if full && asked == len(unseen) {
		return note, nil // each was asked about; those still sold are seen now
	}
	in.Full, in.withdrawnNumbers = false, append(in.withdrawnNumbers, withdrawn...)
	if err := s.save(ctx, s.Pool, in); err != nil {
		return "", err
	}
	if _, err := s.Pool.Exec(ctx, `update source set full_import_at = null where id = $1`, in.SourceID); err != nil {
		return "", err
	}
	if !full {
		return "The source announced " + plural(in.Expected, "offer", "offers") + " and listed " + thousands(in.Seen) +
			", so only what it says is gone was withdrawn. Everything is read again next time.", nil
	}
	return "The source did not say of each missing offer whether it is still sold, so only what it says is gone was " +
		"withdrawn. Everything is read again next time.", nil
}

// checkOffers asks about offers one by one and returns the numbers of those that are gone, those that are
// still sold, those that are there and cannot be read, and how many answers came.
func (s *Service) checkOffers(ctx context.Context, in *activeImport, numbers []string) (withdrawn []string,
	still []source.Offer, rejected []source.RejectedItem, asked int) {
	session, _, _, err := s.Open(ctx, in.SourceID)
	if err != nil {
		return nil, nil, nil, 0
	}
	for _, number := range numbers {
		offer, err := session.Offer(ctx, number)
		switch {
		case errors.Is(err, source.ErrWithdrawn):
			withdrawn = append(withdrawn, number)
		case isTemporary(err) || ctx.Err() != nil:
			return withdrawn, still, rejected, asked
		case err == nil && offer.Number == number:
			still = append(still, offer)
		default:
			if err == nil {
				err = errors.New("the source answers with another offer")
			}
			rejected = append(rejected, source.RejectedItem{Number: number, Position: number, Reason: err.Error()})
		}
		asked++
	}
	return withdrawn, still, rejected, asked
}
