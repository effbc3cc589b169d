package sources

import (
	"context"
	"errors"
	"time"

	"github.com/jackc/pgx/v5"

	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
)

// end stores how an intake ended. Together: who sees it ended sees what its source is left with.
func (s *Service) end(ctx context.Context, in *intaking) error {
	if in.State != "held" {
		now := time.Now()
		in.FinishedAt = &now
	}
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `update intake set state = $2, finished_at = $3, trouble = $4, hold = $5, seen_offers = case when $2 = 'held' then seen_offers end where id = $1 and state = 'running'`,
			in.ID, in.State, in.FinishedAt, in.Trouble, in.Hold)
		if err != nil {
			return err
		}
		if tag.RowsAffected() == 0 {
			return errStopped
		}
		if _, err := tx.Exec(ctx, `
			update source set trouble = $2, as_of = case when $3 and $4 <> '' then $4 else as_of end, swept_at = case when $3 and $5 then now() else swept_at end where id = $1`,
			in.SourceID, in.Trouble, in.State == "finished", in.asOf, in.Whole); err != nil {
			return err
		}
		if in.State == "held" && in.Hold.Kind != "prices" {
			return nil
		}
		if in.State != "held" {
			if err := s.Shelf.Unstage(ctx, tx, in.ID); err != nil {
				return err
			}
		}
		if in.Changed+in.Withdrawn == 0 {
			return nil
		}
		return s.Prices.RepriceAll(ctx, tx, "changed offers")
	})
	if errors.Is(err, errStopped) {
		err = s.Shelf.Unstage(context.WithoutCancel(ctx), s.Pool, in.ID)
	}
	s.tell(ctx, in.Intake)
	return err
}

// Decide ends a held intake: it goes on all the same, or is dropped.
func (s *Service) Decide(ctx context.Context, id int64, goOn bool) error {
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		var sourceID int64
		var kind string
		err := tx.QueryRow(ctx, `select source_id, coalesce(hold ->> 'kind', '') from intake where id = $1 and state = 'held' for update`, id).Scan(&sourceID, &kind)
		if database.Missing(err) {
			return apikit.Problem(409, "", "That intake does not wait for a decision any more.")
		}
		if err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `update source set trouble = '' where id = $1`, sourceID); err != nil {
			return err
		}
		if !goOn {
			return s.dropHeld(ctx, tx, sourceID)
		}
		if kind == "layout" {
			return apikit.Problem(409, "", "Say first how the columns of the changed list are read.")
		}
		if _, err := tx.Exec(ctx, `update intake set state = 'waiting', allowed = true, hold = null, trouble = '' where id = $1`, id); err != nil {
			return err
		}
		return s.Jobs.Add(ctx, tx, IntakeArgs{id}, nil)
	})
}

// dropHeld drops a source's intake that waits for a decision, with what it had staged.
func (s *Service) dropHeld(ctx context.Context, tx pgx.Tx, sourceID int64) error {
	held, err := tx.Query(ctx, `update intake set state = 'dropped', finished_at = now(), seen_offers = null where source_id = $1 and state = 'held' returning id`, sourceID)
	if err != nil {
		return err
	}
	ids, err := pgx.CollectRows(held, pgx.RowTo[int64])
	if err != nil {
		return err
	}
	for _, id := range ids {
		if err := s.Shelf.Unstage(ctx, tx, id); err != nil {
			return err
		}
	}
	return nil
}
