// Package pricing prices offers and drafts in a store: it brings together the store's
// money rules and the day's exchange rates, leaves the sums to core, and keeps what drafts
// sell for.
package pricing

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"strings"
	"time"

	"github.com/jackc/pgx/v5/pgxpool"

	"plainpelican/core/landed"
	"plainpelican/core/market"
	"plainpelican/core/markup"
	"plainpelican/core/money"
	"plainpelican/platform/database"
	"plainpelican/platform/jobs"
	"plainpelican/platform/progress"
)

// StoreBasis is what pricing must know of a store.
type StoreBasis struct {
	StoreID  int64
	Handle   string
	Currency money.Currency
	Markets  []string
}

// Stores is where pricing asks for stores: by the pool, or by the transaction that it is
// in, so that nobody waits for a second connection while holding one.
type Stores interface {
	Basis(ctx context.Context, q database.Querier, storeID int64) (StoreBasis, error)
	// Connected lists the ids of connected stores.
	Connected(ctx context.Context, q database.Querier) ([]int64, error)
}

// Service is the pricing capability.
type Service struct {
	Pool     *pgxpool.Pool
	Stores   Stores
	Drafts   Drafts
	Listings Listings
	Choices  Choices
	Jobs     *jobs.Runner
	Progress *progress.Stream
	Log      *slog.Logger
	Now      func() time.Time
	// Batch is how many drafts are repriced in one transaction; 0 is the usual number.
	Batch int
}

// Pricer prices in one store, by the money rules and rates of one moment.
type Pricer struct {
	StoreBasis
	MoneyRules
	Revision int
	Rates    *money.Rates
	// OldRates tells that the day's rates are older than the money rules allow.
	OldRates bool

	rules       *markup.Rules
	terms       markup.Terms
	manualRates map[money.Currency]ManualRate
	today       time.Time
}

// OfferFacts is what is common to an offer's variants, and a draft's.
type OfferFacts struct {
	Source, Supplier, Category, Brand, ShipsFrom string
	Collections, Tags                            []string
	// Service is the delivery that is wanted, by name; empty, or where none of that name reaches the market, is as the
	// money rules say.
	Service    string
	Processing landed.Days
	Deliveries []landed.Delivery
	// Market are the prices seen at other stores, in MarketCurrency, lowest first.
	Market         []int64
	MarketCurrency money.Currency
	// LeastCost is that of the offer's cheapest variant for sale, in minor units of its currency; 0 where it does
	// not matter.
	LeastCost int64
}

// marketApplies tells whether prices that were seen at other stores may be those of a variant. They are the item's:
// where a variant costs a quarter more than the cheapest, as a larger size does, they are not taken for its own.
func (q *Quote) marketApplies(u Unit) bool {
	return q.leastCost == 0 || u.Cost.Minor() <= q.leastCost+q.leastCost/4
}

// Unit is what a variant is bought for. Minimum advertised and list price are nothing
// where the supplier names none.
type Unit struct{ Cost, MinAdvertised, List money.Amount }

// UnitOf makes a unit of what is stored of a variant: minor units of its offer's currency, or of those that pricesIn
// names for the minimum advertised and the list price, three letters each.
func UnitOf(c money.Currency, cost, advertised, listed int64, pricesIn string) Unit {
	in := [2]money.Currency{c, c}
	for i := range in {
		if len(pricesIn) == 6 {
			if other, err := money.ParseCurrency(pricesIn[3*i : 3*i+3]); err == nil {
				in[i] = other
			}
		}
	}
	return Unit{Cost: money.New(cost, c), MinAdvertised: money.New(advertised, in[0]), List: money.New(listed, in[1])}
}

// Pricer takes the money rules and rates in force for a store.
func (s *Service) Pricer(ctx context.Context, storeID int64) (*Pricer, error) {
	return s.PricerIn(ctx, s.Pool, storeID)
}

// PricerIn is Pricer by the transaction that who asks is in: nobody waits for a second connection while holding one.
func (s *Service) PricerIn(ctx context.Context, q database.Querier, storeID int64) (*Pricer, error) {
	basis, err := s.Stores.Basis(ctx, q, storeID)
	if err != nil {
		return nil, err
	}
	rules, revision, err := current(ctx, q, storeID)
	if err != nil {
		return nil, err
	}
	return s.pricer(ctx, q, basis, rules, revision)
}

func (s *Service) pricer(ctx context.Context, q database.Querier, basis StoreBasis, rules MoneyRules,
	revision int) (*Pricer, error) {
	p := &Pricer{StoreBasis: basis, MoneyRules: rules, Revision: revision, terms: rules.Fees.terms(),
		manualRates: map[money.Currency]ManualRate{}, today: s.Now()}
	var err error
	if p.rules, err = markup.NewRules(basis.Currency, rules.Rules...); err != nil {
		return nil, err
	}
	if p.Rates, err = latestRates(ctx, q); err != nil {
		return nil, err
	}
	if p.Rates != nil {
		p.OldRates = days(p.today.Sub(p.Rates.Day())) > rules.Rates.MaxAgeDays
	} else if len(rules.Rates.Manual) > 0 {
		p.Rates = money.NewRates(basis.Currency, p.today)
	}
	for _, r := range rules.Rates.Manual {
		if err := p.Rates.SetTyped(r.Currency, basis.Currency, r.Rate); err != nil {
			return nil, err
		}
		p.manualRates[r.Currency] = r
	}
	return p, nil
}

// Today is the moment that the pricer was made.
func (p *Pricer) Today() time.Time { return p.today }

func days(d time.Duration) int { return int(d / (24 * time.Hour)) }

func (p *Pricer) convert(a money.Amount) (money.Amount, error) { return p.Rates.Convert(a, p.Currency) }

// Quote is a thing ready to be priced: its delivery is chosen, its market known.
type Quote struct {
	pricer *Pricer
	Choice landed.Choice
	Market *market.Spread
	// item is what all units have in common.
	item     markup.Item
	shipping money.Amount
	// leastCost is the thing's.
	leastCost int64
	Err       error
}

// Quote chooses the delivery that prices of a thing assume. The quote carries the error
// where there is none.
func (p *Pricer) Quote(t *OfferFacts) Quote {
	q := Quote{pricer: p, item: p.itemOf(t), leastCost: t.LeastCost}
	if q.Choice, q.Err = p.delivery(t); q.Err != nil {
		return q
	}
	charge, err := q.Choice.Delivery.Shipping(1)
	if err != nil {
		q.Err = err
		return q
	}
	if q.shipping, q.Err = p.convert(charge); q.Err != nil {
		return q
	}
	if spread, ok := market.Of(t.Market, t.MarketCurrency); ok {
		if converted, err := spread.In(p.convert); err == nil {
			q.Market, q.item.Market = &converted, converted.Median
		}
	}
	return q
}

// delivery is the one that prices assume: that which is wanted, else as the money rules say.
func (p *Pricer) delivery(t *OfferFacts) (landed.Choice, error) {
	choose := func(policy landed.Policy) (landed.Choice, error) {
		return landed.Choose(t.Deliveries, t.Processing, p.MoneyRules.Market, p.PromiseDays, policy, p.convert)
	}
	if t.Service != "" {
		choice, err := choose(landed.Policy{Way: landed.Named, Name: t.Service, Otherwise: landed.NotSold})
		if !errors.Is(err, landed.ErrNotSellable) {
			return choice, err
		}
	}
	return choose(p.Delivery)
}

// Days is how long an offer takes, as the day ruler shows it.
type Days struct {
	Processing   landed.Days `json:"processing"`
	Transit      landed.Days `json:"transit"`
	Door         landed.Days `json:"door"`
	Promise      int         `json:"promise"`
	KeepsPromise bool        `json:"keeps_promise"`
}

// Days is how long it takes by the delivery that is chosen; nil where there is none.
func (q *Quote) Days(processing landed.Days) *Days {
	if q.Err != nil {
		return nil
	}
	return &Days{processing, q.Choice.Delivery.Transit, q.Choice.Door, q.pricer.PromiseDays, q.Choice.KeepsPromise}
}

func (p *Pricer) itemOf(t *OfferFacts) markup.Item {
	return markup.Item{Store: p.Handle, Source: t.Source, Supplier: t.Supplier, ShipsFrom: t.ShipsFrom,
		Category: t.Category, Brand: t.Brand, Collections: t.Collections, Tags: t.Tags}
}

// landedItem fills an item with what a unit lands for; the trace, where given, gets the steps.
func (q *Quote) landedItem(u Unit, trace *markup.Trace) (markup.Item, error) {
	item, p := q.item, q.pricer
	if q.Err != nil {
		return item, q.Err
	}
	var err error
	if item.Cost.Item, err = p.convert(u.Cost); err != nil {
		return item, err
	}
	item.Cost.Shipping = q.shipping
	trace.Add(markup.Step{Kind: markup.StepItem, Amount: item.Cost.Item, Text: p.rateWords(u.Cost, trace)})
	trace.Add(markup.Step{Kind: markup.StepShipping, Amount: q.shipping, Text: q.deliveryWords(trace)})
	if m, due := p.Imports.For(item.ShipsFrom, p.MoneyRules.Market); due {
		charges, err := m.On(item.Cost.Item, q.shipping)
		if err != nil {
			return item, err
		}
		if item.Cost.Charges, err = charges.Total(); err != nil {
			return item, err
		}
		if trace != nil {
			trace.Add(markup.Step{Kind: markup.StepCharges, Amount: item.Cost.Charges, Text: m.Words(charges)})
		}
	}
	for _, known := range []struct {
		from money.Amount
		into *money.Amount
		kind markup.StepKind
	}{{u.MinAdvertised, &item.MinAdvertised, markup.StepAdvertised}, {u.List, &item.List, markup.StepList}} {
		if known.from.IsZero() {
			continue
		}
		if *known.into, err = p.convert(known.from); err != nil {
			return item, err
		}
		trace.Add(markup.Step{Kind: known.kind, Amount: *known.into, Text: p.rateWords(known.from, trace)})
	}
	if q.Market != nil && !q.marketApplies(u) {
		item.Market = money.Zero(p.Currency)
		trace.Add(markup.Step{Kind: markup.StepMarket, Amount: item.Market})
	} else if q.Market != nil {
		text := ""
		if trace != nil {
			text = fmt.Sprintf("%d seen", q.Market.Seen)
		}
		trace.Add(markup.Step{Kind: markup.StepMarket, Amount: item.Market, Text: text})
	}
	return item, nil
}

func (q *Quote) deliveryWords(trace *markup.Trace) string {
	if trace == nil {
		return ""
	}
	words := q.Choice.Delivery.Name
	if rate := q.pricer.rateWords(q.Choice.Delivery.First, trace); rate != "" {
		words += ", " + rate
	}
	return words
}

// rateWords says what an amount was converted from, at which rate of which day.
func (p *Pricer) rateWords(from money.Amount, trace *markup.Trace) string {
	c := from.Currency()
	if trace == nil || c == p.Currency {
		return ""
	}
	words := from.String() + " at " + p.Rates.Words(c, p.Currency)
	if manual, ok := p.manualRates[c]; ok {
		return fmt.Sprintf("%s, set by %s %s", words, manual.By, manual.At.Format("2 Jan"))
	}
	return words + ", " + p.Rates.Day().Format("2 Jan")
}

// Ladder is a price in its parts, for the price ladder.
type Ladder struct {
	Item     money.Amount `json:"item"`
	Shipping money.Amount `json:"shipping"`
	Charges  money.Amount `json:"charges"`
	// Tax is the sales tax in the price: what it is more than net.
	Tax money.Amount `json:"tax"`
	markup.PriceResult
	markup.Shares
	// Market is where other stores' prices lie, where any are known.
	Market *market.Spread `json:"market,omitempty"`
	// OldRate tells that it rests on an exchange rate older than the money rules allow.
	OldRate bool `json:"old_rate"`
}

// Ladder works out the ladder of a unit: by the rules, or of a typed price. A trace, where
// given, is filled with every step.
func (q *Quote) Ladder(u Unit, manual *money.Amount, trace *markup.Trace) (Ladder, error) {
	item, err := q.landedItem(u, trace)
	if err != nil {
		return Ladder{}, err
	}
	var f markup.PriceResult
	if manual != nil {
		f, err = q.pricer.rules.Judge(&item, *manual, q.pricer.terms, trace)
	} else {
		f, err = q.pricer.rules.Price(&item, q.pricer.terms, trace)
	}
	l := q.pricer.ladder(item.Cost, f, u.Cost.Currency())
	l.Market = q.MarketOf(u)
	return l, err
}

// MarketOf are the prices seen at other stores, where they may be those of a unit; else nil.
func (q *Quote) MarketOf(u Unit) *market.Spread {
	if !q.marketApplies(u) {
		return nil
	}
	return q.Market
}

func (p *Pricer) ladder(cost landed.Cost, f markup.PriceResult, paidIn money.Currency) Ladder {
	charges := cost.Charges
	if charges == (money.Amount{}) {
		charges = money.Zero(p.Currency)
	}
	tax := money.New(f.Price.Minor()-f.Net.Minor(), p.Currency)
	return Ladder{Item: cost.Item, Shipping: cost.Shipping, Charges: charges, Tax: tax, PriceResult: f,
		Shares: f.Shares(), OldRate: p.OldRates && paidIn != p.Currency && p.manualRates[paidIn].Rate == ""}
}

// Price prices a unit without its ladder, for lists that rank many, beside what it costs.
func (q *Quote) Price(u Unit) (landed.Cost, markup.PriceResult, error) {
	item, err := q.landedItem(u, nil)
	if err != nil {
		return landed.Cost{}, markup.PriceResult{}, err
	}
	f, err := q.pricer.rules.Price(&item, q.pricer.terms, nil)
	return item.Cost, f, err
}

// AtMarkup is the price of a unit with a markup on its landed cost, before any ending.
func (q *Quote) AtMarkup(u Unit, ratio money.Ratio) (money.Amount, error) {
	return q.at(u, func(total money.Amount) (money.Amount, error) {
		return markup.AtMarkup(total, ratio, q.pricer.terms)
	})
}

// AtMargin is the price of a unit that leaves a margin after fees, before any ending.
func (q *Quote) AtMargin(u Unit, ratio money.Ratio) (money.Amount, error) {
	return q.at(u, func(total money.Amount) (money.Amount, error) {
		return markup.AtMargin(total, ratio, q.pricer.terms)
	})
}

func (q *Quote) at(u Unit, price func(money.Amount) (money.Amount, error)) (money.Amount, error) {
	item, err := q.landedItem(u, nil)
	if err != nil {
		return money.Amount{}, err
	}
	total, err := item.Cost.Total()
	if err != nil {
		return money.Amount{}, err
	}
	return price(total)
}

// ApplyEnding gives a price the ending of the rule that would price the unit.
func (q *Quote) ApplyEnding(u Unit, price money.Amount) (money.Amount, error) {
	item, err := q.landedItem(u, nil)
	if err != nil {
		return money.Amount{}, err
	}
	return q.pricer.rules.End(&item, price)
}

// ErrorMessage says in the words of the job why there is no price.
func (p *Pricer) ErrorMessage(err error) string {
	switch {
	case err == nil:
		return ""
	case errors.Is(err, landed.ErrNotSellable) && p.Delivery.Otherwise == landed.NotSold:
		return fmt.Sprintf("No delivery to %s is as the money rules want it, so it is not sold there.",
			p.MoneyRules.Market)
	case errors.Is(err, landed.ErrNotSellable):
		return fmt.Sprintf("No delivery goes to %s, so it cannot be sold there.", p.MoneyRules.Market)
	case errors.Is(err, money.ErrNoRate):
		return "There is no exchange rate for its currency yet. Set one under the store's money rules, or wait for " +
			"the day's."
	case errors.Is(err, markup.ErrNoPrice) && strings.HasSuffix(err.Error(), markup.ErrNoProfit.Error()):
		return "Fees, returns and tax take the whole of every price, so that none leaves a profit."
	case errors.Is(err, markup.ErrNoPrice):
		return "Fees and tax leave nothing: no price reaches that margin."
	case errors.Is(err, money.ErrTooLarge):
		return "Its price would be too large to be one."
	}
	return "Its price cannot be worked out: " + err.Error() + "."
}
