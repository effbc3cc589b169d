package catalog

import (
	"context"
	"strings"

	"github.com/jackc/pgx/v5"

	"plainpelican/core/markup"
	"plainpelican/core/money"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
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
	p, err := s.Pricing.Pricer(ctx, in.Store)
	if err != nil {
		return WhatIfResult{}, err
	}
	thing, unit, err := s.unit(ctx, in.ID, in.Variant)
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

// unit reads what a variant of an offer is bought for.
func (s *Service) unit(ctx context.Context, offer, variant int64) (t pricing.OfferFacts, u pricing.Unit, err error) {
	var currency, marketIn, pricesIn string
	var cost, advertised, listed int64
	err = s.Pool.QueryRow(ctx, `
		select x.name, u.name, u.country, own_category(o.source_id, o.category), o.brand, o.processing_min,
		o.processing_max, o.deliveries, o.market_prices, o.market_currency, o.currency, `+pricing.LeastCostSQL+
		`, v.cost, v.min_advertised, v.list_price, v.prices_in
		from offer o join supplier u on u.id = o.supplier_id join facts.source x on x.id = o.source_id
		join offer_variant v on v.offer_id = o.id and not v.withdrawn
		where o.id = $1 and ($2::bigint = 0 or v.id = $2) order by v.stock > 0 or v.stock_unknown desc, v.cost, v.id
		limit 1`, offer, variant).
		Scan(&t.Source, &t.Supplier, &t.ShipsFrom, &t.Category, &t.Brand, &t.Processing.Min, &t.Processing.Max,
			&t.Deliveries, &t.Market, &marketIn, &currency, &t.LeastCost, &cost, &advertised, &listed, &pricesIn)
	if database.Missing(err) {
		return t, u, apikit.NotFound("variant")
	}
	if err != nil {
		return t, u, err
	}
	if t.MarketCurrency, err = currencyOf(marketIn); err != nil {
		return t, u, err
	}
	c, err := money.ParseCurrency(currency)
	return t, pricing.UnitOf(c, cost, advertised, listed, pricesIn), err
}

// Names lists what rules may name, as pricing.Catalog has it.
func (s *Service) Names(ctx context.Context) (c pricing.RuleChoices, err error) {
	for _, list := range []struct {
		into *[]string
		sql  string
	}{
		{&c.Sources, `select name from facts.source where state = 'connected'`},
		{&c.Suppliers, `select name from supplier`},
		{&c.Categories, `select own_category(source_id, category)
			from (select distinct source_id, category from offer where category <> '') c`},
		{&c.Brands, `select brand from offer where brand <> ''`}, {&c.ShipsFrom, `select country from supplier
			where country <> ''`}, {&c.Currencies, `select currency from offer`},
		{&c.Deliveries, `select d ->> 'name' from offer, jsonb_array_elements(deliveries) d`},
	} {
		rows, err := s.Pool.Query(ctx, `select distinct n from (`+list.sql+`) x (n) order by 1 limit 1000`)
		if err != nil {
			return c, err
		}
		if *list.into, err = pgx.CollectRows(rows, pgx.RowTo[string]); err != nil {
			return c, err
		}
	}
	c.Collections, c.Tags, err = s.Drafts.CollectionsAndTags(ctx)
	return c, err
}
