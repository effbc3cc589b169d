// Package pricing prices offers and drafts in a store: it brings together the store's
// fees, its markup rules and the day's exchange rates, and leaves the sums to core.
package pricing

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"

	"plainpelican/core/landed"
	"plainpelican/core/markup"
	"plainpelican/core/money"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
)

// Basis is what prices in a store rest on.
type Basis struct {
	StoreID     int64
	Currency    money.Currency
	Market      string
	PromiseDays int
	Terms       markup.Terms
}

// Stores is what pricing must know of stores.
type Stores interface {
	Basis(ctx context.Context, storeID int64) (Basis, error)
}

// Service is the pricing capability.
type Service struct {
	Pool   *pgxpool.Pool
	Stores Stores
	Drafts Drafts
	Now    func() time.Time
}

// Pricer prices in one store, by the rules, fees and rates of one moment.
type Pricer struct {
	Basis
	Rules    *markup.Rules
	Rates    *money.Rates
	Revision int
}

// Thing is what is common to an offer's variants.
type Thing struct {
	Source     string
	ShipsFrom  string
	Processing landed.Days
	Deliveries []landed.Delivery
}

// Quote is a thing ready to be priced: its delivery is chosen.
type Quote struct {
	pricer *Pricer
	thing  Thing
	Choice landed.Choice
	// Shipping is for the first unit, in the store's currency.
	Shipping money.Amount
	Err      error
}

// Pricer takes the rules, fees and rates in force for a store.
func (s *Service) Pricer(ctx context.Context, storeID int64) (*Pricer, error) {
	basis, err := s.Stores.Basis(ctx, storeID)
	if err != nil {
		return nil, err
	}
	p := &Pricer{Basis: basis}
	if p.Rules, p.Revision, err = s.rules(ctx, storeID, basis.Currency); err != nil {
		return nil, err
	}
	if p.Rates, err = s.LatestRates(ctx); err != nil {
		return nil, err
	}
	return p, nil
}

func (s *Service) rules(ctx context.Context, storeID int64, c money.Currency) (*markup.Rules, int, error) {
	var stored []byte
	var revision int
	if err := s.Pool.QueryRow(ctx, `select rules, revision from markup_rules where store_id = $1`, storeID).Scan(&stored, &revision); err != nil {
		return nil, 0, fmt.Errorf("markup rules of store %d: %w", storeID, err)
	}
	var list []markup.Rule
	if err := json.Unmarshal(stored, &list); err != nil {
		return nil, 0, err
	}
	rules, err := markup.NewRules(c, list...)
	return rules, revision, err
}

// With is the same pricer by other rules.
func (p *Pricer) With(rules *markup.Rules) *Pricer {
	other := *p
	other.Rules = rules
	return &other
}

func (p *Pricer) convert(a money.Amount) (money.Amount, error) { return p.Rates.Convert(a, p.Currency) }

// Quote chooses the delivery that prices of a thing assume. The quote carries the error
// where there is none.
func (p *Pricer) Quote(t Thing) Quote {
	q := Quote{pricer: p, thing: t}
	if q.Choice, q.Err = landed.Choose(t.Deliveries, t.Processing, p.Market, p.PromiseDays, p.convert); q.Err != nil {
		return q
	}
	charge, err := q.Choice.Delivery.Shipping(1)
	if err != nil {
		q.Err = err
		return q
	}
	q.Shipping, q.Err = p.convert(charge)
	return q
}

// Cost is what a unit at a supplier's price lands for.
func (q *Quote) Cost(cost money.Amount) (landed.Cost, error) {
	if q.Err != nil {
		return landed.Cost{}, q.Err
	}
	item, err := q.pricer.convert(cost)
	return landed.Cost{Item: item, Shipping: q.Shipping}, err
}

// Price prices a unit by the rules; a trace, where given, is filled.
func (q *Quote) Price(cost money.Amount, trace *markup.Trace) (markup.Figures, landed.Cost, error) {
	landing, err := q.Cost(cost)
	if err != nil {
		return markup.Figures{}, landing, err
	}
	if trace != nil {
		q.noteConversion(cost, landing, trace)
	}
	figures, err := q.pricer.Rules.Price(markup.Item{Source: q.thing.Source, ShipsFrom: q.thing.ShipsFrom, Cost: landing}, q.pricer.Terms, trace)
	return figures, landing, err
}

// Judge works out what a typed price leaves.
func (q *Quote) Judge(cost, price money.Amount) (markup.Figures, landed.Cost, error) {
	landing, err := q.Cost(cost)
	if err != nil {
		return markup.Figures{}, landing, err
	}
	total, err := landing.Total()
	if err != nil {
		return markup.Figures{}, landing, err
	}
	figures, err := markup.Judge(total, price, q.pricer.Terms)
	return figures, landing, err
}

func (q *Quote) noteConversion(cost money.Amount, landing landed.Cost, trace *markup.Trace) {
	words := func(what string, from money.Amount) string {
		if from.Currency() == q.pricer.Currency {
			return what
		}
		return fmt.Sprintf("%s %s at %s, %s", what, from, q.pricer.Rates.CrossText(from.Currency(), q.pricer.Currency), q.pricer.Rates.Day().Format("2 Jan"))
	}
	trace.Note(words("Item cost", cost), landing.Item)
	trace.Note(words(q.Choice.Delivery.Name+", first item", q.Choice.Delivery.First), landing.Shipping)
}

// Words says in the words of the job why there is no price.
func (p *Pricer) Words(err error) string {
	switch {
	case err == nil:
		return ""
	case errors.Is(err, landed.ErrNotSellable):
		return fmt.Sprintf("No delivery goes to %s, so it cannot be sold there.", p.Market)
	case errors.Is(err, money.ErrNoRate):
		return "There is no exchange rate for its currency yet."
	case errors.Is(err, markup.ErrNoPrice):
		return "Fees and tax leave nothing: no price reaches that profit."
	}
	return "Its price cannot be worked out: " + err.Error() + "."
}

// LatestRates is the newest table of rates, or nil where none has come yet; then only
// amounts in the store's own currency can be priced.
func (s *Service) LatestRates(ctx context.Context) (*money.Rates, error) {
	var day time.Time
	var base string
	var rates map[string]string
	err := s.Pool.QueryRow(ctx, `select day, base, rates from rate_day order by day desc limit 1`).Scan(&day, &base, &rates)
	if database.Missing(err) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	c, err := money.ParseCurrency(base)
	if err != nil {
		return nil, err
	}
	table := money.NewRates(c, day)
	for code, text := range rates {
		quote, err := money.ParseCurrency(code)
		if err != nil {
			return nil, err
		}
		if err := table.Set(quote, text); err != nil {
			return nil, err
		}
	}
	return table, nil
}

// SaveRates keeps a day's table.
func (s *Service) SaveRates(ctx context.Context, table *money.Rates) error {
	rates := map[string]string{}
	for _, c := range money.Currencies() {
		if text := table.Text(c); text != "" && c != table.Base() {
			rates[c.String()] = text
		}
	}
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `
			insert into rate_day (day, base, rates) values ($1, $2, $3)
			on conflict (day) do update set base = excluded.base, rates = excluded.rates, fetched_at = now()
			where rate_day.rates <> excluded.rates or rate_day.base <> excluded.base`, table.Day(), table.Base().String(), rates)
		if err != nil || tag.RowsAffected() == 0 {
			return err
		}
		return Changed(ctx, tx)
	})
}

// Changed tells every instance that prices rest on something new.
func Changed(ctx context.Context, q database.Querier) error {
	_, err := q.Exec(ctx, `select pg_notify('pricing', '')`)
	return err
}

// StartRules gives a new store its one default rule: twice what an item lands for,
// keeping at least 3 in its currency, ending in .99 where the currency has cents.
func StartRules(ctx context.Context, q database.Querier, storeID int64, c money.Currency) error {
	ending := markup.NoEnding
	if c.Digits() >= 2 {
		ending = markup.EndingsFor(c)[1]
	}
	rule := markup.Rule{Formula: markup.Formula{Kind: markup.Multiple, Ratio: 2 * money.One}, LeastProfit: money.New(3*c.Unit(), c), Ending: ending}
	if _, err := markup.NewRules(c, rule); err != nil {
		return err
	}
	stored, err := json.Marshal([]markup.Rule{rule})
	if err != nil {
		return err
	}
	_, err = q.Exec(ctx, `insert into markup_rules (store_id, rules, updated_by) values ($1, $2, '') on conflict (store_id) do nothing`, storeID, stored)
	return err
}

// asProblem makes a rule's fault a problem at its field.
func asProblem(err error) error {
	var field *markup.FieldError
	if errors.As(err, &field) {
		return apikit.Problem(422, field.Field, "%s", field.Reason)
	}
	return err
}
