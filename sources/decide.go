package sources

import (
	"context"
	"errors"
	"time"

	"github.com/jackc/pgx/v5"

	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
)

// finish stores how an intake ended. Together: who sees it ended sees what its source is left with.
func (s *Service) finish(ctx context.Context, in *activeImport) error {
	if in.State != "needs_approval" {
		now := time.Now()
		in.FinishedAt = &now
	}
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `update import_run
			set state = $2, finished_at = $3, error = $4, approval = $5, seen_offers = case
			when $2 = 'needs_approval' then seen_offers end where id = $1 and state = 'running'`,
			in.ID, in.State, in.FinishedAt, in.Error, in.Approval)
		if err != nil {
			return err
		}
		if tag.RowsAffected() == 0 {
			return errStopped
		}
		if _, err := tx.Exec(ctx, `
			update source set error = $2, as_of = case when $3 and $4 <> '' then $4 else as_of end,
			full_import_at = case when $3 and $5 then now() else full_import_at end where id = $1`,
			in.SourceID, in.Error, in.State == "finished", in.asOf, in.Full); err != nil {
			return err
		}
		if in.State == "needs_approval" && in.Approval.Kind != "prices" {
			return nil
		}
		if in.State != "needs_approval" {
			if err := s.Offers.DropStaging(ctx, tx, in.ID); err != nil {
				return err
			}
		}
		return s.Prices.RepriceChanged(ctx, tx, in.SourceID, in.StartedAt, "changed offers")
	})
	if errors.Is(err, errStopped) {
		err = s.Offers.DropStaging(context.WithoutCancel(ctx), s.Pool, in.ID)
	}
	s.notify(ctx, in.ImportRun)
	return err
}

// Decide ends a held intake: it goes on all the same, or is dropped.
func (s *Service) Decide(ctx context.Context, id int64, goOn bool) error {
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		var sourceID int64
		var kind string
		err := tx.QueryRow(ctx, `select source_id, coalesce(approval ->> 'kind', '') from import_run
			where id = $1 and state = 'needs_approval' for update`, id).Scan(&sourceID, &kind)
		if database.Missing(err) {
			return apikit.Problem(409, "", "That import does not need approval any more.")
		}
		if err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `update source set error = '' where id = $1`, sourceID); err != nil {
			return err
		}
		if !goOn {
			return s.discardPending(ctx, tx, sourceID)
		}
		if kind == "layout" {
			return apikit.Problem(409, "", "First say how the columns of the changed list are read.")
		}
		if _, err := tx.Exec(ctx, `update import_run set state = 'waiting', approved = true, approval = null, error = ''
			where id = $1`, id); err != nil {
			return err
		}
		return s.Jobs.Add(ctx, tx, ImportArgs{id}, nil)
	})
}

// discardPending drops a source's intake that waits for a decision, with what it had staged.
func (s *Service) discardPending(ctx context.Context, tx pgx.Tx, sourceID int64) error {
	held, err := tx.Query(ctx, `update import_run set state = 'discarded', finished_at = now(), seen_offers = null
		where source_id = $1 and state = 'needs_approval' returning id`, sourceID)
	if err != nil {
		return err
	}
	ids, err := pgx.CollectRows(held, pgx.RowTo[int64])
	if err != nil {
		return err
	}
	for _, id := range ids {
		if err := s.Offers.DropStaging(ctx, tx, id); err != nil {
			return err
		}
	}
	return nil
}
