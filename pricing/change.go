package pricing

import (
	"context"
	"encoding/json"
	"time"

	"github.com/jackc/pgx/v5"

	"plainpelican/members"
	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
)

// CurrentRules are the money rules of a store as they hold now.
type CurrentRules struct {
	MoneyRules
	Revision  int       `json:"revision"`
	What      string    `json:"what" doc:"What the last change was"`
	ChangedBy string    `json:"changed_by"`
	ChangedAt time.Time `json:"changed_at"`
}

// CurrentRules reads the money rules of a store.
func (s *Service) CurrentRules(ctx context.Context, storeID int64) (CurrentRules, error) {
	if _, err := s.Stores.Basis(ctx, s.Pool, storeID); err != nil {
		return CurrentRules{}, err
	}
	var f CurrentRules
	var stored []byte
	err := s.Pool.QueryRow(ctx, `select rules, revision, what, changed_by, changed_at from money_rules
		where store_id = $1 order by revision desc limit 1`, storeID).
		Scan(&stored, &f.Revision, &f.What, &f.ChangedBy, &f.ChangedAt)
	if err != nil {
		return f, err
	}
	return f, json.Unmarshal(stored, &f.MoneyRules)
}

// Apply puts money rules in force where nobody has changed them since they were read, and
// begins to reprice. With marked, only those drafts move to them; the others that would
// move stay with the rules they have until a change is applied to all.
func (s *Service) Apply(ctx context.Context, storeID int64, rules MoneyRules, revision int, marked []int64) (Run,
	error) {
	basis, err := s.Stores.Basis(ctx, s.Pool, storeID)
	if err != nil {
		return Run{}, err
	}
	if err := rules.check(basis); err != nil {
		return Run{}, err
	}
	return s.change(ctx, storeID, revision, func(tx pgx.Tx, before MoneyRules) (MoneyRules, string, error) {
		rules.sign(ctx, before, s.Now())
		what := describe(before, rules)
		if what == "" {
			what = "Every draft brought to the rules in force"
		}
		return rules, what, nil
	}, func(tx pgx.Tx, next int) ([]pinnedDraft, error) {
		if len(marked) > 0 {
			return nil, pinOthers(ctx, tx, storeID, marked, next)
		}
		freed, err := pinnedDrafts(ctx, tx, storeID)
		if err != nil {
			return nil, err
		}
		_, err = tx.Exec(ctx, `delete from price_pin where store_id = $1`, storeID)
		return freed, err
	})
}

// pinOthers holds every draft that is not marked with the rules it has.
func pinOthers(ctx context.Context, tx pgx.Tx, storeID int64, marked []int64, next int) error {
	if _, err := tx.Exec(ctx, `delete from price_pin where store_id = $1
		and draft_id = any ($2)`, storeID, marked); err != nil {
		return err
	}
	_, err := tx.Exec(ctx, `
		insert into price_pin (store_id, draft_id, revision, since)
		select distinct store_id, draft_id, $3::int - 1, $3::int from price where store_id = $1 and draft_id <> all ($2)
		on conflict do nothing`, storeID, marked, next)
	return err
}

// UndoChange undoes the newest change as one step: the rules before it hold again, and the
// drafts that it moved or left behind are as they were.
func (s *Service) UndoChange(ctx context.Context, storeID int64, revision int) (Run, error) {
	var freed []pinnedDraft
	return s.change(ctx, storeID, revision, func(tx pgx.Tx, _ MoneyRules) (MoneyRules, string, error) {
		var what string
		var stored []byte
		if err := tx.QueryRow(ctx, `select what, released_pins from money_rules
			where store_id = $1 and revision = $2`, storeID, revision).Scan(&what, &stored); err != nil {
			return MoneyRules{}, "", err
		}
		if err := json.Unmarshal(stored, &freed); err != nil {
			return MoneyRules{}, "", err
		}
		before, err := asOf(ctx, tx, storeID, revision-1)
		if database.Missing(err) {
			return before, "",
				apikit.Problem(409, "", "These are the first rules the store had; there is nothing to undo.")
		}
		return before, "Undone: " + what, err
	}, func(tx pgx.Tx, _ int) ([]pinnedDraft, error) {
		if _, err := tx.Exec(ctx, `delete from price_pin where store_id = $1
			and since = $2`, storeID, revision); err != nil {
			return nil, err
		}
		for _, h := range freed {
			if _, err := tx.Exec(ctx, `insert into price_pin (store_id, draft_id, revision, since) select $1, id, $3, $4
				from facts.draft where id = $2 on conflict do nothing`, storeID, h.DraftID, h.Revision,
				h.Revision+1); err != nil {
				return nil, err
			}
		}
		_, err := tx.Exec(ctx, `update money_rules set undone = true
			where store_id = $1 and revision = $2`, storeID, revision)
		return nil, err
	})
}

// change keeps a new revision after the one that was read, lets holds be settled, and
// begins the repricing, all in one transaction. It is the one place where rules change.
func (s *Service) change(ctx context.Context, storeID int64, revision int,
	next func(pgx.Tx, MoneyRules) (MoneyRules, string, error),
	settle func(tx pgx.Tx, next int) ([]pinnedDraft, error)) (Run, error) {
	var run int64
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		// Drafts that are being priced by the rules before are waited for.
		if err := database.LockOne(ctx, tx, database.LockMoneyRules, storeID); err != nil {
			return err
		}
		before, at, err := current(ctx, tx, storeID)
		if err != nil {
			return err
		}
		if at != revision {
			var who string
			if err := tx.QueryRow(ctx, `select changed_by from money_rules
				where store_id = $1 and revision = $2`, storeID, at).Scan(&who); err != nil {
				return err
			}
			return apikit.Problem(409, "revision",
				"%s changed the money rules meanwhile. Yours are kept on the page; look at the effect again before "+
					"you apply them.", who)
		}
		rules, what, err := next(tx, before)
		if err != nil {
			return err
		}
		freed, err := settle(tx, at+1)
		if err != nil {
			return err
		}
		if err := saveRules(ctx, tx, storeID, at+1, rules, what, access.Who(ctx).Name, freed); err != nil {
			return err
		}
		if err := members.Audit(ctx, tx, "changed money rules", what, before, rules); err != nil {
			return err
		}
		after := at + 1
		if run, err = s.startRun(ctx, tx, storeID, &after, what, !rules.sameLandedCost(before), nil); err != nil {
			return err
		}
		return NotifyChanged(ctx, tx)
	})
	if err != nil {
		return Run{}, err
	}
	if err := s.Progress.Publish(ctx, "money_rules", map[string]int64{"store_id": storeID}); err != nil {
		s.Log.Warn("telling of money rules", "store", storeID, "error", err)
	}
	s.notify(ctx, run)
	return s.run(ctx, run)
}

// RuleChange is one past change of a store's money rules, or of its prices by rates and offers.
type RuleChange struct {
	Revision  int       `json:"revision"`
	What      string    `json:"what"`
	ChangedBy string    `json:"changed_by"`
	ChangedAt time.Time `json:"changed_at"`
	Undone    bool      `json:"undone"`
	// Run is the repricing that it began; none for the first rules.
	Run *Run `json:"run"`
}

// Changes lists the newest changes, with how many prices each moved.
func (s *Service) Changes(ctx context.Context, storeID int64) ([]RuleChange, error) {
	rows, err := s.Pool.Query(ctx, `select revision, what, changed_by, changed_at, undone from money_rules
		where store_id = $1 order by revision desc limit 100`, storeID)
	if err != nil {
		return nil, err
	}
	list, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (c RuleChange, err error) {
		return c, row.Scan(&c.Revision, &c.What, &c.ChangedBy, &c.ChangedAt, &c.Undone)
	})
	if err != nil {
		return nil, err
	}
	rows, err = s.Pool.Query(ctx, `select `+runColumns+` from reprice_run where store_id = $1 order by id desc
		limit 200`, storeID)
	if err != nil {
		return nil, err
	}
	runs, err := pgx.CollectRows(rows, pgx.RowToStructByPos[Run])
	if err != nil {
		return nil, err
	}
	for i := range runs {
		r := &runs[i]
		if r.Revision == nil {
			// Rates and offers change prices too: they stand in the list where they moved some.
			if r.Moved > 0 {
				list = append(list,
					RuleChange{What: "Prices followed " + r.Why, ChangedBy: r.StartedBy, ChangedAt: r.StartedAt,
						Run: r})
			}
			continue
		}
		for j := range list {
			if list[j].Revision == *r.Revision {
				list[j].Run = r
			}
		}
	}
	return newestFirst(list), nil
}
