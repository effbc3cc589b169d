package pricing

import "plainpelican/core/money"

// OfferFactsJoin and OfferFactsColumns read what an offer o is priced by, into the fields of an OfferFactsRow: its
// supplier u and its source x are joined to it. The last column is its least cost where it has market prices, and 0
// without.
const (
	OfferFactsJoin = ` join facts.supplier u on u.id = o.supplier_id join facts.source x on x.id = o.source_id `

	OfferFactsColumns = ` x.name, u.name, u.country, own_category(o.source_id, o.category), o.brand, o.processing_min,
		o.processing_max, o.deliveries, o.market_prices, o.market_currency, o.currency,
		case when cardinality(o.market_prices) > 0 then (select coalesce(min(cost), 0) from facts.offer_variant
			where offer_id = o.id and not withdrawn) else 0 end`
)

// OfferFactsRow is a row of OfferFactsColumns.
type OfferFactsRow struct {
	OfferFacts
	marketCurrency, currency string
}

// Fields are where the columns go, in their order.
func (r *OfferFactsRow) Fields() []any {
	return []any{&r.Source, &r.Supplier, &r.ShipsFrom, &r.Category, &r.Brand, &r.Processing.Min, &r.Processing.Max,
		&r.Deliveries, &r.Market, &r.marketCurrency, &r.currency, &r.LeastCost}
}

// Take gives the facts of the row that was read, and the currency of its costs. What the next row is read into is not
// shared with it.
func (r *OfferFactsRow) Take() (facts OfferFacts, currency money.Currency, err error) {
	facts = r.OfferFacts
	r.Deliveries, r.Market = nil, nil
	if facts.MarketCurrency, err = CurrencyOf(r.marketCurrency); err != nil {
		return facts, 0, err
	}
	currency, err = CurrencyOf(r.currency)
	return facts, currency, err
}

// CurrencyOf reads a stored currency; none is none.
func CurrencyOf(code string) (money.Currency, error) {
	if code == "" {
		return 0, nil
	}
	return money.ParseCurrency(code)
}
