package sources

import (
	"context"
	"errors"

	"plainpelican/connect/source"
)

// maxAsked is how many offers that a marketplace did not list are asked about one by one.
const maxAsked = 500

// confirm asks a marketplace about each offer that its whole catalog did not list, before any is
// withdrawn: a catalog that ends early, or shifts while it is read, leaves out what is still sold.
// What is still sold is staged as it is now. An import that saw fewer than were announced, or could
// not ask about all, withdraws only what the source says is gone, and the next one reads everything again.
func (s *Service) confirm(ctx context.Context, in *intaking) (note string, err error) {
	if in.source.Kind != "marketplace" || !in.Whole || in.straight {
		return "", nil
	}
	unseen, err := s.Shelf.Unseen(ctx, in.SourceID, in.seen)
	if err != nil || len(unseen) == 0 {
		return "", err
	}
	full := in.Expected == 0 || in.Seen >= in.Expected
	gone, still, rejected, asked := s.askAbout(ctx, in, unseen[:min(len(unseen), maxAsked)])
	if ctx.Err() != nil {
		return "", ctx.Err()
	}
	if len(still)+len(rejected) > 0 {
		// They are staged like a page of the catalog; reading has ended, so its cursor stays.
		b := batch{Page: source.Page{Offers: still, SetAside: rejected, Next: in.cursor, Total: in.Expected}, last: true}
		if err := s.stage(ctx, in, b); err != nil {
			return "", err
		}
	}
	if len(still)+len(rejected) > 0 {
		note = "The source did not list " + plural(len(still)+len(rejected), "offer", "offers") + " that it still sells. They stay."
	}
	if full && len(gone) == asked && asked == min(len(unseen), maxAsked) {
		return "", nil // all that were asked about are gone: so are the others that a full catalog leaves out
	}
	if full && asked == len(unseen) {
		return note, nil // each was asked about; those still sold are seen now
	}
	in.Whole, in.gone = false, append(in.gone, gone...)
	if err := s.save(ctx, s.Pool, in); err != nil {
		return "", err
	}
	if _, err := s.Pool.Exec(ctx, `update source set swept_at = null where id = $1`, in.SourceID); err != nil {
		return "", err
	}
	if !full {
		return "The source announced " + plural(in.Expected, "offer", "offers") + " and listed " + thousands(in.Seen) + ", so only what it says is gone was withdrawn. Everything is read again next time.", nil
	}
	return "The source did not say of each missing offer whether it is still sold, so only what it says is gone was withdrawn. Everything is read again next time.", nil
}

// askAbout asks about offers one by one and returns the numbers of those that are gone, those that are
// still sold, those that are there and cannot be read, and how many answers came.
func (s *Service) askAbout(ctx context.Context, in *intaking, numbers []string) (gone []string, still []source.Offer, rejected []source.Unreadable, asked int) {
	session, _, _, err := s.Open(ctx, in.SourceID)
	if err != nil {
		return nil, nil, nil, 0
	}
	for _, number := range numbers {
		offer, err := session.Offer(ctx, number)
		switch {
		case errors.Is(err, source.ErrWithdrawn):
			gone = append(gone, number)
		case passing(err) || ctx.Err() != nil:
			return gone, still, rejected, asked
		case err == nil && offer.Number == number:
			still = append(still, offer)
		default:
			if err == nil {
				err = errors.New("the source answers with another offer")
			}
			rejected = append(rejected, source.Unreadable{Number: number, Place: number, Reason: err.Error()})
		}
		asked++
	}
	return gone, still, rejected, asked
}
