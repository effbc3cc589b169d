package pricing

import (
	"context"
	"net/http"
	"slices"

	"plainpelican/core/markup"
	"plainpelican/core/money"
	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
)

func newestFirst(list []RuleChange) []RuleChange {
	slices.SortStableFunc(list, func(a, b RuleChange) int { return b.ChangedAt.Compare(a.ChangedAt) })
	return list
}

// RuleChoices are what rules may say in a store, to choose from.
type RuleChoices struct {
	Endings   []string `json:"endings"`
	Markets   []string `json:"markets"`
	Sources   []string `json:"sources"`
	Suppliers []string `json:"suppliers"`
	// Categories, with those they lie in.
	Categories  []string `json:"categories"`
	Collections []string `json:"collections"`
	Tags        []string `json:"tags"`
	ShipsFrom   []string `json:"ships_from"`
	Brands      []string `json:"brands"`
	Deliveries  []string `json:"deliveries" doc:"Names of services"`
	Currencies  []string `json:"currencies" doc:"That suppliers ask for"`
}

// Choices names what offers and drafts have, for rules to be chosen from.
type Choices interface {
	Names(ctx context.Context) (RuleChoices, error)
}

func (s *Service) choices(ctx context.Context, storeID int64) (RuleChoices, error) {
	basis, err := s.Stores.Basis(ctx, s.Pool, storeID)
	if err != nil {
		return RuleChoices{}, err
	}
	c, err := s.Choices.Names(ctx)
	c.Endings, c.Markets = markup.EndingsFor(basis.Currency), basis.Markets
	return c, err
}

// CopyRuleInput says how a rule would read in another store.
type CopyRuleInput struct {
	Store int64       `json:"store"`
	Rule  markup.Rule `json:"rule"`
}

// copyRule rewrites a rule for another store's currency: amounts at the day's rate, endings
// that the currency has. It is switched off there, to be looked at first.
func (s *Service) copyRule(ctx context.Context, storeID int64, in CopyRuleInput) (markup.Rule, error) {
	from, err := s.Pricer(ctx, storeID)
	if err != nil {
		return markup.Rule{}, err
	}
	to, err := s.Pricer(ctx, in.Store)
	if err != nil {
		return markup.Rule{}, err
	}
	r := in.Rule
	none := money.Amount{}
	convert := func(amounts ...*money.Amount) error {
		for _, a := range amounts {
			if *a == none {
				continue
			}
			if a.Currency() != from.Currency {
				return apikit.Problem(422, "rule", "The rule is not in the store's currency, %s.", from.Currency)
			}
			if *a, err = to.convert(*a); err != nil {
				return apikit.Problem(422, "rule", "%s", to.ErrorMessage(err))
			}
		}
		return nil
	}
	if err := convert(&r.Floor.LeastProfit, &r.Conditions.From, &r.Conditions.Under); err != nil {
		return r, err
	}
	for i := range r.Formula.Bands {
		b := &r.Formula.Bands[i]
		if err := convert(&b.From, &b.To, &b.Amount); err != nil {
			return r, err
		}
	}
	if from.Currency.Digits() != to.Currency.Digits() {
		usual := markup.Ending{Allowed: markup.EndingsFor(to.Currency)[:1], Up: r.Ending.Up}
		if len(r.Ending.Allowed) > 0 {
			r.Ending = usual
		}
		if len(r.Was.Ending.Allowed) > 0 {
			r.Was.Ending = usual
		}
	}
	r.Off = true
	for _, other := range to.MoneyRules.Rules {
		r.ID = max(r.ID, other.ID+1)
	}
	list := append([]markup.Rule{r}, to.MoneyRules.Rules...)
	if _, err := markup.NewRules(to.Currency, list...); err != nil {
		return r, asProblem("rule", err)
	}
	rules := to.MoneyRules
	rules.Rules = list
	_, err = s.Apply(ctx, in.Store, rules, to.Revision, nil)
	return r, err
}

// Register adds the operations.
func (s *Service) Register(a *apikit.API) {
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/stores/{id}/money-rules", "getMoneyRules",
		"The money rules of a store", func(ctx context.Context, in *apikit.ByID) (*apikit.Body[CurrentRules], error) {
			return apikit.OK(s.CurrentRules(ctx, in.ID))
		})
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/stores/{id}/money-rules/choices", "moneyRuleChoices",
		"What rules may say, to choose from",
		func(ctx context.Context, in *apikit.ByID) (*apikit.Body[RuleChoices], error) {
			return apikit.OK(s.choices(ctx, in.ID))
		})
	apikit.Register(a, access.Fulfiller, http.MethodPost, "/api/stores/{id}/money-rules/effect", "moneyRulesEffect",
		"What other money rules would do to drafts and listings", func(ctx context.Context, in *struct {
			apikit.ByID
			Body MoneyRules
		}) (*apikit.Body[Effect], error) {
			return apikit.OK(s.Effect(ctx, in.ID, in.Body))
		})
	apikit.Register(a, access.Owner, http.MethodPut, "/api/stores/{id}/money-rules", "applyMoneyRules",
		"Put money rules in force and reprice", func(ctx context.Context, in *struct {
			apikit.ByID
			Body struct {
				Rules    MoneyRules `json:"rules"`
				Revision int        `json:"revision" doc:"The revision that was read; a newer one refuses the change"`
				Marked   []int64    `json:"only_drafts,omitempty" maxItems:"50000"`
			}
		}) (*apikit.Body[Run], error) {
			return apikit.OK(s.Apply(ctx, in.ID, in.Body.Rules, in.Body.Revision, in.Body.Marked))
		})
	apikit.Register(a, access.Owner, http.MethodPost, "/api/stores/{id}/money-rules/undo", "undoMoneyRules",
		"Undo the newest change as one step", func(ctx context.Context, in *struct {
			apikit.ByID
			Body struct {
				Revision int `json:"revision" doc:"The change to undo, which must be the newest"`
			}
		}) (*apikit.Body[Run], error) {
			return apikit.OK(s.UndoChange(ctx, in.ID, in.Body.Revision))
		})
	apikit.Register(a, access.Owner, http.MethodPost, "/api/stores/{id}/money-rules/copy", "copyRule",
		"Copy a rule, switched off, to the top of another store's list", func(ctx context.Context, in *struct {
			apikit.ByID
			Body CopyRuleInput
		}) (*apikit.Body[markup.Rule], error) {
			return apikit.OK(s.copyRule(ctx, in.ID, in.Body))
		})
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/stores/{id}/money-rules/changes", "listMoneyRuleChanges",
		"Past changes, newest first", func(ctx context.Context, in *apikit.ByID) (*apikit.Body[[]RuleChange], error) {
			return apikit.OK(s.Changes(ctx, in.ID))
		})
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/rates", "getRates", "The day's exchange rates",
		func(ctx context.Context, in *struct {
			Store int64 `query:"store" doc:"Also say each rate into this store's currency"`
		}) (*apikit.Body[RateTable], error) {
			return apikit.OK(s.rateTable(ctx, in.Store))
		})
}
