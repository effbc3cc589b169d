package sources

import (
	"context"

	"github.com/jackc/pgx/v5"

	"plainpelican/connect/pricelist"
	"plainpelican/connect/source"
	"plainpelican/platform/database"
)

// stage lays one batch aside, with where reading goes on.
func (s *Service) stage(ctx context.Context, in *intaking, b batch) error {
	same, err := s.sift(ctx, in, &b)
	if err != nil {
		return err
	}
	var offers []source.Offer
	rows := map[string]row{} // of a list, by number
	for i, o := range b.Offers {
		if b.rows != nil {
			rows[o.Number] = b.rows[i]
		}
		if err := o.Check(); err != nil {
			b.SetAside = append(b.SetAside, source.Unreadable{Number: o.Number, Place: rows[o.Number].place, Reason: err.Error(), Cells: rows[o.Number].cells})
			continue
		}
		if in.twice(o.Number) {
			b.twice(o.Number, rows)
		} else {
			offers = append(offers, o)
		}
	}
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		staged := 0
		var twice []string
		var err error
		if in.straight {
			err = s.Shelf.Lay(ctx, tx, in.SourceID, offers, in.seen)
			in.Added += len(offers)
		} else {
			staged, twice, err = s.Shelf.Stage(ctx, tx, Staging{in.ID, in.SourceID, int64(in.Staged), in.part()}, offers, in.seen)
			for _, number := range twice {
				b.twice(number, rows)
			}
			in.Unchanged += len(offers) - staged - len(twice)
		}
		if err != nil {
			return err
		}
		if err := s.setAside(ctx, tx, in, b.SetAside); err != nil {
			return err
		}
		if err := saveLinks(ctx, tx, in.ID, b.links); err != nil {
			return err
		}
		in.Staged += staged
		known := 0 // links to what the catalog has from another source: read, and nothing to do
		for _, l := range b.links {
			if l.Known {
				known++
			}
		}
		in.Unchanged += same + known
		in.Seen += same + known + len(offers) - len(twice) + len(b.SetAside) + len(b.Gone)
		in.SetAside += len(b.SetAside)
		in.gone = append(in.gone, b.Gone...)
		in.cursor = b.Next
		in.Expected = max(b.Total, in.Expected)
		if b.last {
			in.Phase, in.cutShort = "weighing", b.cutShort
		}
		if in.asOf == "" {
			in.asOf = b.AsOf
		}
		return s.save(ctx, tx, in)
	})
}

// twice sets the second of two offers with one number aside; a marketplace's is only left out,
// since its pages may shift while they are read.
func (b *batch) twice(number string, rows map[string]row) {
	if r, list := rows[number]; list {
		b.SetAside = append(b.SetAside, source.Unreadable{Number: number, Place: r.place, Reason: pricelist.Twice(number), Cells: r.cells})
	}
}

// sift builds those of a list's products that are not on the shelf just so, and counts the others.
func (s *Service) sift(ctx context.Context, in *intaking, b *batch) (same int, err error) {
	if len(b.unbuilt) == 0 {
		return 0, nil
	}
	numbers, sums := make([]string, len(b.unbuilt)), make([][]byte, len(b.unbuilt))
	for i := range b.unbuilt {
		numbers[i], sums[i] = b.unbuilt[i].Number, b.unbuilt[i].Sum[:]
	}
	known, err := s.Shelf.Same(ctx, s.Pool, in.SourceID, numbers, sums)
	if err != nil {
		return 0, err
	}
	for i, item := range b.unbuilt {
		if known[i] != 0 {
			first := in.seen.CheckedAdd(known[i])
			if !in.twice(item.Number) && first {
				same++
				continue
			}
		}
		b.add(b.build(item))
	}
	return same, nil
}

// setAside keeps what could not be read. An offer that is there, though unreadable, is not
// withdrawn for it.
func (s *Service) setAside(ctx context.Context, tx pgx.Tx, in *intaking, items []source.Unreadable) error {
	if len(items) == 0 {
		return nil
	}
	numbers := make([]string, 0, len(items))
	rows := make([][]any, len(items))
	for i, u := range items {
		cells := u.Cells
		if cells == nil {
			cells = []string{}
		}
		rows[i] = []any{in.ID, u.Place, u.Reason, u.Content, cells}
		if u.Number != "" {
			numbers = append(numbers, u.Number)
		}
	}
	if _, err := tx.CopyFrom(ctx, pgx.Identifier{"set_aside"}, []string{"intake_id", "place", "reason", "content", "cells"}, pgx.CopyFromRows(rows)); err != nil {
		return err
	}
	known, err := tx.Query(ctx, `select id from offer where source_id = $1 and number = any ($2)`, in.SourceID, numbers)
	if err != nil {
		return err
	}
	var id int64
	_, err = pgx.ForEachRow(known, []any{&id}, func() error { in.seen.Add(uint64(id)); return nil })
	return err
}

// partSize is how many offers go on the shelf in one transaction.
const partSize = 5000

// put withdraws what has left and puts what is staged on the shelf, part by part.
func (s *Service) put(ctx context.Context, in *intaking) error {
	if in.Phase == "weighing" {
		if err := s.Shelf.Survey(ctx, in.ID); err != nil {
			return err
		}
		if err := s.withdraw(ctx, in); err != nil {
			return err
		}
		s.tell(ctx, in.Intake)
	}
	last := in.Staged
	if in.allowed { // with what waited for that
		if err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) (err error) {
			last, err = s.Shelf.Release(ctx, tx, in.ID, in.Staged)
			return err
		}); err != nil {
			return err
		}
	}
	for in.Put < last {
		upTo := min(in.Put+s.Turns.Slice(partSize), last)
		err := s.Turns.Do(ctx, func() error {
			return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
				counts, err := s.Shelf.Merge(ctx, tx, Staging{in.ID, in.SourceID, int64(in.Put), in.part()}, int64(upTo))
				if err != nil {
					return err
				}
				in.Added, in.Changed, in.Put = in.Added+counts.Added, in.Changed+counts.Changed, upTo
				return s.save(ctx, tx, in)
			})
		})
		if err != nil {
			return err
		}
		s.tell(ctx, in.Intake)
	}
	return nil
}

func (s *Service) withdraw(ctx context.Context, in *intaking) error {
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) (err error) {
		if in.Whole {
			in.Withdrawn, err = s.Shelf.WithdrawUnseen(ctx, tx, in.SourceID, in.seen)
		} else {
			in.Withdrawn, err = s.Shelf.WithdrawNumbers(ctx, tx, in.SourceID, in.gone)
		}
		if err != nil {
			return err
		}
		in.Phase = "putting"
		return s.save(ctx, tx, in)
	})
}

// save stores how far a running intake has come, unless somebody else has gone on with it.
func (s *Service) save(ctx context.Context, db database.Querier, in *intaking) error {
	bitmap, err := in.seen.ToBytes()
	if err != nil {
		return err
	}
	gone := in.gone
	if gone == nil {
		gone = []string{}
	}
	if in.job != nil {
		if err := s.Jobs.Progressed(ctx, in.job); err != nil {
			return err
		}
	}
	in.tries = 0
	tag, err := db.Exec(ctx, `
		update intake set tries = 0, retry_at = null, expected = $2, seen = $3, added = $4, changed = $5, unchanged = $6, withdrawn = $7, set_aside = $8, cursor = $9, as_of = $10, gone = $11, staged = $12, put = $13, phase = $14, seen_offers = $15, straight = $18, whole = $19, cut_short = $20
		where id = $1 and state = 'running' and seen = $16 and put = $17`,
		in.ID, in.Expected, in.Seen, in.Added, in.Changed, in.Unchanged, in.Withdrawn, in.SetAside, in.cursor, in.asOf, gone, in.Staged, in.Put, in.Phase, bitmap, in.saved[0], in.saved[1], in.straight, in.Whole, in.cutShort)
	if err == nil && tag.RowsAffected() == 0 {
		return errStopped
	}
	in.saved = [2]int{in.Seen, in.Put}
	return err
}
