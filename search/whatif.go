package search

import (
	"context"
	"strings"

	"plainpelican/core/markup"
	"plainpelican/core/money"
	"plainpelican/platform/apikit"
	"plainpelican/pricing"
)

// WhatIf asks what a variant would leave at another price; nothing is kept.
type WhatIf struct {
	apikit.ByID
	Store   int64  `query:"store" required:"true"`
	Variant int64  `query:"variant" doc:"0 is the cheapest in stock"`
	Price   string `query:"price" maxLength:"30" doc:"Decimal text in the store's currency"`
	Markup  string `query:"markup" maxLength:"30" doc:"In percent of the landed cost, instead of a price"`
}

// WhatIfResult is what a supposed price leaves, beside the rule's.
type WhatIfResult struct {
	pricing.Ladder
	RulePrice money.Amount       `json:"rule_price"`
	Trace     []markup.TraceLine `json:"trace"`
}

func (s *Service) whatIf(ctx context.Context, in WhatIf) (WhatIfResult, error) {
	p, err := s.pricing.Pricer(ctx, in.Store)
	if err != nil {
		return WhatIfResult{}, err
	}
	thing, unit, err := s.offers.Unit(ctx, s.pool, in.ID, in.Variant)
	if err != nil {
		return WhatIfResult{}, err
	}
	quote := p.Quote(&thing)
	_, rule, err := quote.Price(unit)
	if err != nil {
		return WhatIfResult{}, apikit.Problem(422, "", "%s", p.ErrorMessage(err))
	}
	price := rule.Price
	switch {
	case in.Price != "":
		if price, err = money.Parse(strings.ReplaceAll(in.Price, ",", "."), p.Currency); err != nil ||
			price.Minor() <= 0 {
			return WhatIfResult{}, apikit.Problem(422, "price", "“%s” is not a price in %s.", in.Price, p.Currency)
		}
	case in.Markup != "":
		percent, err := money.ParseRatio(strings.ReplaceAll(in.Markup, ",", "."))
		if err == nil {
			price, err = quote.AtMarkup(unit, percent/100)
		}
		if err != nil || price.Minor() <= 0 {
			return WhatIfResult{},
				apikit.Problem(422, "markup", "“%s” %% is not a markup that leaves a price.", in.Markup)
		}
	}
	out := WhatIfResult{RulePrice: rule.Price}
	var trace markup.Trace
	typed := &price
	if price == rule.Price {
		typed = nil
	}
	out.Ladder, err = quote.Ladder(unit, typed, &trace)
	out.Trace = trace.Lines()
	return out, err
}
