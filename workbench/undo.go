package workbench

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"

	"github.com/danielgtaylor/huma/v2"
	"github.com/jackc/pgx/v5"

	"plainpelican/core/edit"
	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
)

// made is an edit that was made and can be taken back.
type made struct {
	id       int64
	draftID  int64
	revision int
	what     string
	inverse  []edit.Operation
	fields   []edit.Field
}

const madeColumns = `id, draft_id, revision, what, inverse, fields`

func scanMade(row pgx.CollectableRow) (m made, err error) {
	var inverse []byte
	if err = row.Scan(&m.id, &m.draftID, &m.revision, &m.what, &inverse, &m.fields); err == nil {
		m.inverse, err = edit.Unmarshal(inverse)
	}
	return m, err
}

// Undo takes back the last edit that the person has made in a draft, of no store or of the one in use; never another's.
// Where a field that it touched was changed since, it is a problem that says so, unless force is set.
func (s *Service) Undo(ctx context.Context, id, storeID int64, force bool) (Draft, error) {
	return s.stepBack(ctx, id, storeID, force, "undo", `draft_id = $1 and member_id = $2 and undone_at is null
		and undoes is null and (store_id is null or store_id = $3) order by id desc`)
}

// Redo does again what the person undid last in a draft, where they have made no other edit since.
func (s *Service) Redo(ctx context.Context, id, storeID int64, force bool) (Draft, error) {
	return s.stepBack(ctx, id, storeID, force, "redo", redoable)
}

// stepBack takes back the first edit of a draft that a condition finds, of a member and a store.
func (s *Service) stepBack(ctx context.Context, id, storeID int64, force bool, act, where string) (Draft, error) {
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, `select `+madeColumns+` from draft_edit u where `+where+` limit 1`, id,
			access.Who(ctx).MemberID, storeID)
		if err != nil {
			return err
		}
		last, err := pgx.CollectExactlyOneRow(rows, scanMade)
		if database.Missing(err) {
			return apikit.Problem(409, "", "There is nothing of yours left to %s in this draft.", act)
		}
		if err != nil {
			return err
		}
		w, err := s.takeBack(ctx, tx, last, func(w *writing) error {
			if force {
				return nil
			}
			f, by, err := w.changedSince(ctx, tx, last)
			if err == nil && f != "" {
				err = changedSinceProblem(f, by)
			}
			return err
		})
		if err != nil {
			return err
		}
		// Of what was taken back by mistake, the edit itself holds again.
		if _, err := tx.Exec(ctx, `update draft_edit set undone_at = null
			where id = (select undoes from draft_edit where id = $1)`, last.id); err != nil {
			return err
		}
		if edit.MovesPrice(last.inverse) {
			if err := s.Pricing.PriceDrafts(ctx, tx, []int64{id}); err != nil {
				return err
			}
		}
		return s.publish(ctx, tx, w)
	})
	if err != nil {
		return Draft{}, err
	}
	return s.Get(ctx, id, storeID)
}

// redoable finds the edits that took back an edit of a member, in a draft and of no store or of one, and that can be
// taken back themselves: the person has made no edit since. The last comes first.
const redoable = `u.draft_id = $1 and u.member_id = $2 and u.undone_at is null and u.bulk_id is null
	and exists (select from draft_edit e where e.id = u.undoes and e.undoes is null
		and (e.store_id is null or e.store_id = $3))
	and not exists (select from draft_edit n where n.draft_id = $1 and n.member_id = $2 and n.undoes is null
		and n.id > u.id) order by u.id desc`

// takeBack applies what takes an edit back, after a check of the draft that was locked.
func (s *Service) takeBack(ctx context.Context, tx pgx.Tx, m made, check func(*writing) error) (*writing, error) {
	w, err := s.write(ctx, tx, m.draftID, writeOptions{undoes: m.id},
		func(w *writing) ([]edit.Operation, error) { return m.inverse, check(w) })
	if err != nil {
		return nil, err
	}
	tag, err := tx.Exec(ctx, `update draft_edit set undone_at = now() where id = $1 and undone_at is null`, m.id)
	if err == nil && tag.RowsAffected() == 0 {
		err = apikit.Problem(409, "", "It is undone already.") // in another tab, a moment ago
	}
	return w, err
}

// changedSince is a field that an edit touched and somebody changed after it, and by whom; empty where there is none.
// An edit that was made after it and taken back is none, and neither is what took it back.
func (w *writing) changedSince(ctx context.Context, tx pgx.Tx, m made) (f edit.Field, by string, err error) {
	if !slices.ContainsFunc(m.fields, func(f edit.Field) bool { return w.changes[f].Revision > m.revision }) {
		return "", "", nil
	}
	var fields []edit.Field
	err = tx.QueryRow(ctx, `select e.fields, e.member from draft_edit e
		left join draft_edit back on back.id = e.undoes
		where e.draft_id = $1 and e.id <> $2 and e.revision > $3 and e.fields && $4 and e.undone_at is null
			and (e.undoes is null or back.revision < $3) order by e.id desc limit 1`,
		m.draftID, m.id, m.revision, m.fields).Scan(&fields, &by)
	if database.Missing(err) {
		return "", "", nil
	}
	at := slices.IndexFunc(m.fields, func(f edit.Field) bool { return slices.Contains(fields, f) })
	if err != nil || at < 0 {
		return "", "", err
	}
	return m.fields[at], by, nil
}

func changedSinceProblem(f edit.Field, by string) error {
	sentence := fmt.Sprintf("%s changed the %s after you did. To undo yours would take that back, too.",
		cmp.Or(by, "Somebody"), f.Name())
	return huma.NewError(409, sentence, &huma.ErrorDetail{Location: "query.force", Message: sentence,
		Value: map[string]any{"field": f, "by": by}})
}

// UndoBulkResult counts drafts.
type UndoBulkResult struct {
	Undone      int `json:"undone"`
	EditedSince int `json:"edited_since" doc:"Left as they are"`
}

// UndoBulk takes back a change of many drafts as one step, by who made it. Drafts in which what it touched was changed
// since are left as they are, and counted.
func (s *Service) UndoBulk(ctx context.Context, bulk int64) (UndoBulkResult, error) {
	var out UndoBulkResult
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, `select `+madeColumns+` from draft_edit
			where bulk_id = $1 and member_id = $2 and undone_at is null and undoes is null order by draft_id`,
			bulk, access.Who(ctx).MemberID)
		if err != nil {
			return err
		}
		edits, err := pgx.CollectRows(rows, scanMade)
		if err != nil {
			return err
		}
		var ids []int64
		prices := false
		for _, m := range edits {
			since := false
			_, err := s.takeBack(ctx, tx, m, func(w *writing) error {
				f, _, err := w.changedSince(ctx, tx, m)
				if since = f != ""; since {
					return errSkip
				}
				return err
			})
			if since || errors.Is(err, errDiscarded) {
				out.EditedSince++
				continue
			}
			if err != nil {
				return err
			}
			ids, prices = append(ids, m.draftID), prices || edit.MovesPrice(m.inverse)
		}
		if len(ids) == 0 {
			return apikit.Problem(409, "", "There is nothing left of that change to undo.")
		}
		out.Undone = len(ids)
		if prices {
			if err := s.Pricing.PriceDrafts(ctx, tx, ids); err != nil {
				return err
			}
		}
		return s.Progress.PublishIn(ctx, tx, "drafts", map[string]int{"undone": out.Undone})
	})
	return out, err
}

// errSkip leaves a draft as it is.
var errSkip = apikit.Problem(409, "", "It was changed since.")

// lastEdit fills in what of the person's can be undone in a store, and where the draft is live.
func (s *Service) lastEdit(ctx context.Context, d *Draft, storeID int64) (err error) {
	if d.Earlier, err = s.Pricing.Earlier(ctx, s.Pool, storeID, d.ID); err != nil {
		return err
	}
	var bulk Bulk
	err = s.Pool.QueryRow(ctx, `
		select what, coalesce(bulk_id, 0), (select count(*) from draft_edit b where b.bulk_id = e.bulk_id)
		from draft_edit e where draft_id = $1 and member_id = $2 and undone_at is null and undoes is null
			and (store_id is null or store_id = $3) order by id desc limit 1`,
		d.ID, access.Who(ctx).MemberID, storeID).Scan(&d.Undo, &bulk.ID, &bulk.Drafts)
	if err != nil && !database.Missing(err) {
		return err
	}
	err = s.Pool.QueryRow(ctx, `select what from draft_edit u where `+redoable+` limit 1`, d.ID,
		access.Who(ctx).MemberID, storeID).Scan(&d.Redo)
	if err != nil && !database.Missing(err) {
		return err
	}
	if bulk.What = d.Undo; bulk.ID != 0 && bulk.Drafts > 1 {
		d.UndoBulk = &bulk
	}
	return s.Pool.QueryRow(ctx, `select coalesce(array_agg(t.name order by t.name), '{}'),
			coalesce(array_agg(t.name order by t.name) filter (where l.edited or l.moved > 0), '{}')
		from facts.listing l join facts.store t on t.id = l.store_id where l.draft_id = $1`, d.ID).
		Scan(&d.LiveIn, &d.ChangedIn)
}

// single is the one draft that was asked for.
func single(drafts []*draft, err error) (*draft, error) {
	if err == nil && len(drafts) == 0 {
		err = apikit.NotFound("draft")
	}
	if err != nil {
		return nil, err
	}
	return drafts[0], nil
}
