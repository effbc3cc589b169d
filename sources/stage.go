package sources

import (
	"context"

	"github.com/jackc/pgx/v5"

	"plainpelican/connect/pricelist"
	"plainpelican/connect/source"
	"plainpelican/offers"
	"plainpelican/platform/database"
)

// stage lays one batch aside, with where reading goes on.
func (s *Service) stage(ctx context.Context, in *activeImport, b batch) error {
	same, err := s.filterUnchanged(ctx, in, &b)
	if err != nil {
		return err
	}
	var fresh []source.Offer
	rows := map[string]sourceRow{} // of a list, by number
	for i, o := range b.Offers {
		if b.rows != nil {
			rows[o.Number] = b.rows[i]
		}
		if err := o.Check(); err != nil {
			b.Rejected = append(b.Rejected,
				source.RejectedItem{Number: o.Number, Position: rows[o.Number].position, Reason: err.Error(),
					Cells: rows[o.Number].cells})
			continue
		}
		if in.isDuplicate(o.Number) {
			b.twice(o.Number, rows)
		} else {
			fresh = append(fresh, o)
		}
	}
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		staged := 0
		var twice []string
		var err error
		if in.initialLoad {
			err = s.Offers.BulkInsert(ctx, tx, in.SourceID, fresh, in.seen)
			in.Added += len(fresh)
		} else {
			staged, twice, err = s.Offers.Stage(ctx, tx, in.staging(in.Staged), fresh, in.seen)
			for _, number := range twice {
				b.twice(number, rows)
			}
			in.Unchanged += len(fresh) - staged - len(twice)
		}
		if err != nil {
			return err
		}
		if err := s.reject(ctx, tx, in, b.Rejected); err != nil {
			return err
		}
		if err := saveLinks(ctx, tx, in.ID, b.links); err != nil {
			return err
		}
		in.Staged += staged
		known := 0 // links to what the catalog has from another source: read, and nothing to do
		for _, l := range b.links {
			if l.AlreadyInCatalog {
				known++
			}
		}
		in.Unchanged += same + known
		in.Seen += same + known + len(fresh) - len(twice) + len(b.Rejected) + len(b.Gone)
		in.Rejected += len(b.Rejected)
		in.withdrawnNumbers = append(in.withdrawnNumbers, b.Gone...)
		in.cursor = b.Next
		in.Expected = max(b.Total, in.Expected)
		if b.last {
			in.Phase, in.cutShort = "checking", b.cutShort
		}
		if in.asOf == "" {
			in.asOf = b.AsOf
		}
		return s.save(ctx, tx, in)
	})
}

// twice rejects the second of two offers with one number; a marketplace's is only left out,
// since its pages may shift while they are read.
func (b *batch) twice(number string, rows map[string]sourceRow) {
	if r, list := rows[number]; list {
		b.Rejected = append(b.Rejected,
			source.RejectedItem{Number: number, Position: r.position, Reason: pricelist.Twice(number), Cells: r.cells})
	}
}

// filterUnchanged builds those of a list's products that are not known just so, and counts the others.
func (s *Service) filterUnchanged(ctx context.Context, in *activeImport, b *batch) (same int, err error) {
	if len(b.lazy) == 0 {
		return 0, nil
	}
	numbers, sums := make([]string, len(b.lazy)), make([][]byte, len(b.lazy))
	for i := range b.lazy {
		numbers[i], sums[i] = b.lazy[i].Number, b.lazy[i].Sum[:]
	}
	known, err := s.Offers.Unchanged(ctx, s.Pool, in.SourceID, numbers, sums)
	if err != nil {
		return 0, err
	}
	for i, item := range b.lazy {
		if known[i] != 0 {
			first := in.seen.CheckedAdd(known[i])
			if !in.isDuplicate(item.Number) && first {
				same++
				continue
			}
		}
		b.add(b.build(item))
	}
	return same, nil
}

// reject keeps what could not be read. An offer that is there, though unreadable, is not
// withdrawn for it.
func (s *Service) reject(ctx context.Context, tx pgx.Tx, in *activeImport, items []source.RejectedItem) error {
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
		rows[i] = []any{in.ID, u.Position, u.Reason, u.Content, cells}
		if u.Number != "" {
			numbers = append(numbers, u.Number)
		}
	}
	if _, err := tx.CopyFrom(ctx, pgx.Identifier{"rejected_row"},
		[]string{"import_id", "position", "reason", "content", "cells"}, pgx.CopyFromRows(rows)); err != nil {
		return err
	}
	known, err := tx.Query(ctx, `select id from facts.offer where source_id = $1
		and number = any ($2)`, in.SourceID, numbers)
	if err != nil {
		return err
	}
	var id int64
	_, err = pgx.ForEachRow(known, []any{&id}, func() error { in.seen.Add(uint64(id)); return nil })
	return err
}

// partSize is how many offers are merged in one transaction.
const partSize = 5000

// mergeStaged withdraws what has left and merges what is staged, part by part.
func (s *Service) mergeStaged(ctx context.Context, in *activeImport) error {
	if in.Phase == "checking" {
		if err := s.Offers.AnalyzeStaging(ctx, in.ID); err != nil {
			return err
		}
		if err := s.withdraw(ctx, in); err != nil {
			return err
		}
		s.notify(ctx, in.ImportRun)
	}
	last := in.Staged
	if in.approved { // with what waited for that
		if err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) (err error) {
			last, err = s.Offers.ReleaseHeldBack(ctx, tx, in.ID, in.Staged)
			return err
		}); err != nil {
			return err
		}
	}
	for in.Merged < last {
		upTo := min(in.Merged+s.Throttle.BatchSize(partSize), last)
		err := s.Throttle.Do(ctx, func() error {
			return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
				counts, err := s.Offers.Merge(ctx, tx, in.staging(in.Merged), int64(upTo))
				if err != nil {
					return err
				}
				in.Added, in.Changed, in.Merged = in.Added+counts.Added, in.Changed+counts.Changed, upTo
				return s.save(ctx, tx, in)
			})
		})
		if err != nil {
			return err
		}
		s.notify(ctx, in.ImportRun)
	}
	return nil
}

func (s *Service) withdraw(ctx context.Context, in *activeImport) error {
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) (err error) {
		if in.Full {
			in.Withdrawn, err = s.Offers.WithdrawUnseen(ctx, tx, in.SourceID, in.seen)
		} else {
			in.Withdrawn, err = s.Offers.WithdrawNumbers(ctx, tx, in.SourceID, in.withdrawnNumbers)
		}
		if err != nil {
			return err
		}
		in.Phase = "merging"
		return s.save(ctx, tx, in)
	})
}

// save stores how far a running import has come, unless somebody else has gone on with it.
func (s *Service) save(ctx context.Context, db database.Querier, in *activeImport) error {
	bitmap, err := in.seen.ToBytes()
	if err != nil {
		return err
	}
	withdrawn := in.withdrawnNumbers
	if withdrawn == nil {
		withdrawn = []string{}
	}
	if in.job != nil {
		if err := s.Jobs.Progressed(ctx, in.job); err != nil {
			return err
		}
	}
	in.tries = 0
	tag, err := db.Exec(ctx, `
		update import_run set tries = 0, retry_at = null, expected = $2, seen = $3, added = $4, changed = $5,
		unchanged = $6, withdrawn = $7, rejected = $8, cursor = $9, as_of = $10, withdrawn_numbers = $11, staged = $12,
		merged = $13, phase = $14, seen_offers = $15, initial_load = $18, is_full = $19, cut_short = $20
		where id = $1 and state = 'running' and seen = $16 and merged = $17`,
		in.ID, in.Expected, in.Seen, in.Added, in.Changed, in.Unchanged, in.Withdrawn, in.Rejected, in.cursor, in.asOf,
		withdrawn, in.Staged, in.Merged, in.Phase, bitmap, in.lastSaved[0], in.lastSaved[1], in.initialLoad, in.Full,
		in.cutShort)
	if err == nil && tag.RowsAffected() == 0 {
		return errStopped
	}
	in.lastSaved = [2]int{in.Seen, in.Merged}
	return err
}

// staging is where the import's offers are staged, from behind so many on.
func (in *activeImport) staging(after int) offers.Staging {
	return offers.Staging{ImportID: in.ID, SourceID: in.SourceID, After: int64(after), Partial: in.isPartial()}
}
