package pricing

import (
	"context"
	"encoding/json"
	"net/http"
	"time"

	"github.com/jackc/pgx/v5"

	"plainpelican/core/markup"
	"plainpelican/core/money"
	"plainpelican/members"
	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
)

// MarkupRules are a store's rules with the choices that its currency allows.
type MarkupRules struct {
	Rules     []markup.Rule   `json:"rules"`
	Revision  int             `json:"revision"`
	Endings   []markup.Ending `json:"endings"`
	UpdatedAt time.Time       `json:"updated_at"`
	UpdatedBy string          `json:"updated_by"`
}

func (s *Service) markup(ctx context.Context, storeID int64) (MarkupRules, error) {
	p, err := s.Pricer(ctx, storeID)
	if err != nil {
		return MarkupRules{}, err
	}
	m := MarkupRules{Rules: p.Rules.List(), Revision: p.Revision, Endings: markup.EndingsFor(p.Currency)}
	err = s.Pool.QueryRow(ctx, `select updated_at, updated_by from markup_rules where store_id = $1`, storeID).Scan(&m.UpdatedAt, &m.UpdatedBy)
	return m, err
}

// apply puts rules in force where nobody has changed them since they were read.
func (s *Service) apply(ctx context.Context, storeID int64, list []markup.Rule, revision int) (MarkupRules, error) {
	now, err := s.Pricer(ctx, storeID)
	if err != nil {
		return MarkupRules{}, err
	}
	if _, err := markup.NewRules(now.Currency, list...); err != nil {
		return MarkupRules{}, asProblem(err)
	}
	stored, err := json.Marshal(list)
	if err != nil {
		return MarkupRules{}, err
	}
	err = database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `update markup_rules set rules = $2, revision = revision + 1, updated_at = now(), updated_by = $3 where store_id = $1 and revision = $4`,
			storeID, stored, access.Who(ctx).Name, revision)
		if err != nil {
			return err
		}
		if tag.RowsAffected() == 0 {
			return apikit.Problem(409, "revision", "Somebody changed the markup meanwhile. Look at it again before you apply yours.")
		}
		if err := members.Audit(ctx, tx, "changed markup", "", now.Rules.List(), list); err != nil {
			return err
		}
		return Changed(ctx, tx)
	})
	if err != nil {
		return MarkupRules{}, err
	}
	return s.markup(ctx, storeID)
}

// RateTable is the day's exchange rates.
type RateTable struct {
	Base money.Currency `json:"base"`
	Day  string         `json:"day"`
	// Stale is true where they are older than four days, so weekends and a holiday pass.
	Stale bool   `json:"stale"`
	Rates []Rate `json:"rates"`
}

// Rate is units of a currency per 1 of the base.
type Rate struct {
	Currency money.Currency `json:"currency"`
	PerBase  string         `json:"per_base"`
}

const staleAfter = 4 * 24 * time.Hour

func (s *Service) rateTable(ctx context.Context) (RateTable, error) {
	table, err := s.LatestRates(ctx)
	if err != nil || table == nil {
		return RateTable{Stale: true, Rates: []Rate{}}, err
	}
	out := RateTable{Base: table.Base(), Day: table.Day().Format(time.DateOnly), Stale: s.Now().Sub(table.Day()) > staleAfter, Rates: []Rate{}}
	for _, c := range money.Currencies() {
		if text := table.Text(c); text != "" && c != table.Base() {
			out.Rates = append(out.Rates, Rate{c, text})
		}
	}
	return out, nil
}

// Register adds the operations.
func (s *Service) Register(a *apikit.API) {
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/stores/{id}/markup", "getMarkup", "The markup rules of a store", func(ctx context.Context, in *apikit.ByID) (*apikit.Body[MarkupRules], error) {
		return apikit.OK(s.markup(ctx, in.ID))
	})
	apikit.Register(a, access.Fulfiller, http.MethodPost, "/api/stores/{id}/markup/effect", "markupEffect", "What other rules would do to the drafts", func(ctx context.Context, in *struct {
		apikit.ByID
		Body struct {
			Rules []markup.Rule `json:"rules" maxItems:"200"`
		}
	}) (*apikit.Body[Effect], error) {
		return apikit.OK(s.Effect(ctx, in.ID, in.Body.Rules))
	})
	apikit.Register(a, access.Owner, http.MethodPut, "/api/stores/{id}/markup", "applyMarkup", "Put rules in force", func(ctx context.Context, in *struct {
		apikit.ByID
		Body struct {
			Rules    []markup.Rule `json:"rules" maxItems:"200"`
			Revision int           `json:"revision" doc:"The revision that was read; a newer one refuses the change"`
		}
	}) (*apikit.Body[MarkupRules], error) {
		return apikit.OK(s.apply(ctx, in.ID, in.Body.Rules, in.Body.Revision))
	})
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/rates", "getRates", "The day's exchange rates", func(ctx context.Context, _ *apikit.None) (*apikit.Body[RateTable], error) {
		return apikit.OK(s.rateTable(ctx))
	})
}
