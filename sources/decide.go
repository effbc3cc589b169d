package sources

import (
	"context"
	"errors"
	"time"

	"github.com/jackc/pgx/v5"

	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
)

// finish stores how an import ended. Together: who sees it ended sees what its source is left with.
func (s *Service) finish(ctx context.Context, in *activeImport) error {
	if in.State.ended() {
		now := time.Now()
		in.FinishedAt = &now
	}
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, transition(in.State, `error = $2, approval = $3`, `id = $1 and state = 'running'`),
			in.ID, in.Error, in.Approval)
		if err != nil {
			return err
		}
		if tag.RowsAffected() == 0 {
			return errStopped
		}
		if _, err := tx.Exec(ctx, `
			update source set error = $2, as_of = case when $3 and $4 <> '' then $4 else as_of end,
			full_import_at = case when $3 and $5 then now() else full_import_at end where id = $1`,
			in.SourceID, in.Error, in.State == Finished, in.asOf, in.Full); err != nil {
			return err
		}
		if in.State == NeedsApproval && in.Approval.Kind != "prices" {
			return nil
		}
		if in.State.ended() {
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

// Decide ends a held import: it goes on all the same, or is dropped.
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
		if _, err := tx.Exec(ctx, transition(Waiting, `approved = true, approval = null, error = ''`, `id = $1`),
			id); err != nil {
			return err
		}
		return s.Jobs.Add(ctx, tx, ImportArgs{id}, nil)
	})
}

// discardPending drops a source's import that waits for a decision, with what it had staged.
func (s *Service) discardPending(ctx context.Context, tx pgx.Tx, sourceID int64) error {
	held, err := tx.Query(ctx, transition(Discarded, ``, `source_id = $1 returning id`), sourceID)
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
