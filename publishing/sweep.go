package publishing

import (
	"context"
	"slices"

	"github.com/jackc/pgx/v5"

	"plainpelican/core/publish"
	"plainpelican/platform/database"
	"plainpelican/platform/jobs"
)

// askedAgain is after how long a store is asked what became of an item that is not known.
const askedAgain = "5 minutes"

// Sweep takes up items whose job is lost: one that was given up ends as failed and says so, any other is
// put back into the queue. The store is asked what it has before anything is sent again. What is not known is asked
// about every few minutes.
func (s *Service) Sweep(ctx context.Context) error {
	var ended []int64
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		const lost = `state in ('waiting', 'sending') and not exists (select from river_job j
			where j.kind = 'publish' and (j.args ->> 'item_id')::bigint = publish_item.id
			and (j.args ->> 'attempt')::int = publish_item.attempt and j.state in ` + jobs.Live + `)`
		const some = ` id in (select id from publish_item where ` + lost + ` order by id for update skip locked) `
		rows, err := tx.Query(ctx, `
			update publish_item set state = case state when 'waiting' then 'left_out' else 'failed' end, area = '',
				updated_at = now(),
			reason = 'This was cut off each time it was sent. Look into the log; then try again: it will not be `+
			`listed twice.'
			where `+some+` and exists (select from river_job j
				where j.kind = 'publish' and (j.args ->> 'item_id')::bigint = publish_item.id
				and (j.args ->> 'attempt')::int = publish_item.attempt and j.state = 'discarded')
			returning run_id`)
		if err != nil {
			return err
		}
		if ended, err = pgx.CollectRows(rows, pgx.RowTo[int64]); err != nil {
			return err
		}
		rows, err = tx.Query(ctx, `update publish_item set state = 'waiting', updated_at = now()
			where `+some+` returning id, attempt`)
		if err != nil {
			return err
		}
		back, err := pgx.CollectRows(rows, pgx.RowToStructByPos[Args])
		if err != nil {
			return err
		}
		// Counts may be locked by now: what somebody else has locked is left to the next sweep, not waited for.
		asked, err := wake(ctx, tx, `w.id in (select u.id from publish_item u where u.state = 'unknown'
			and u.updated_at < now() - $1::interval and exists (select from publish_run r where r.id = u.run_id
			and r.state in ('running', 'finished')) order by u.id for update skip locked)`, askedAgain)
		if err != nil {
			return err
		}
		if len(asked) > 0 {
			ids := make([]int64, len(asked))
			for i := range asked {
				ids[i] = asked[i].ItemID
			}
			if _, err := tx.Exec(ctx, `update publish_run set state = 'running', finished_at = null
				where id in (select run_id from publish_item where id = any ($1))`, ids); err != nil {
				return err
			}
		}
		if err := s.queue(ctx, tx, append(back, asked...)); err != nil {
			return err
		}
		rows, err = tx.Query(ctx, `
			update publish_run r set finished_at = now(), state = 'finished' where state = 'running'
			and not exists (select from publish_target t where t.run_id = r.id and t.held + t.waiting + t.sending > 0)
			returning id`)
		if err != nil {
			return err
		}
		closed, err := pgx.CollectRows(rows, pgx.RowTo[int64])
		ended = append(ended, closed...)
		return err
	})
	if database.Taken(err) {
		return nil // a run took one of them up at this moment: the next sweep sees what is left
	}
	slices.Sort(ended)
	for _, run := range slices.Compact(ended) {
		s.tell(run)
	}
	if err != nil {
		return err
	}
	return s.beginLate(ctx)
}

// beginLate begins runs whose time has come and whose job is lost, as after a database was restored.
func (s *Service) beginLate(ctx context.Context) error {
	rows, err := s.Pool.Query(ctx, `select id from publish_run where state = 'scheduled'
		and starts_at < now() - interval '1 minute' order by id`)
	if err != nil {
		return err
	}
	late, err := pgx.CollectRows(rows, pgx.RowTo[int64])
	for _, id := range late {
		if err := s.begin(ctx, id, publish.Scheduled); err != nil {
			return err
		}
	}
	return err
}
