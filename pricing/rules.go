package pricing

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"plainpelican/core/landed"
	"plainpelican/core/markup"
	"plainpelican/core/money"
	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
)

// MoneyRules are all that a store's prices rest on, but for costs and the day's rates.
type MoneyRules struct {
	Rules    []markup.Rule  `json:"rules" maxItems:"200"`
	Fees     Fees           `json:"fees"`
	Imports  landed.Imports `json:"imports" maxItems:"500"`
	Rates    RateRules      `json:"rates"`
	Delivery landed.Policy  `json:"delivery"`
	// Market is the country that prices assume, one that the store sells to.
	Market string `json:"market" maxLength:"2"`
	// PromiseDays is the promise to customers, door to door.
	PromiseDays int `json:"promise_days"`
}

// Fees are what a store takes off each sale, and its tax.
type Fees struct {
	PaymentPercent money.Ratio  `json:"payment_percent"`
	PaymentFixed   money.Amount `json:"payment_fixed"`
	Returns        money.Ratio  `json:"returns"`
	TaxRate        money.Ratio  `json:"tax_rate"`
	// TaxIncluded tells that prices are shown with the tax in them.
	TaxIncluded bool `json:"tax_included"`
	// TaxFor is the country that the rate was given for; empty where nobody said.
	TaxFor string `json:"tax_for,omitempty" maxLength:"2"`
}

func (f Fees) terms() markup.Terms {
	t := markup.Terms{PaymentPercent: f.PaymentPercent, PaymentFixed: f.PaymentFixed, Returns: f.Returns}
	if f.TaxIncluded {
		t.Tax = f.TaxRate
	}
	return t
}

// RateRules say how old a day's rates may be, and hold rates typed by hand.
type RateRules struct {
	MaxAgeDays int          `json:"max_age_days"`
	Manual     []ManualRate `json:"manual" maxItems:"200"`
}

// ManualRate is a rate that a person typed: units of the store's currency per 1 of another.
// Who and when are filled in by the server.
type ManualRate struct {
	Currency money.Currency `json:"currency"`
	Rate     string         `json:"rate" maxLength:"24"`
	By       string         `json:"by,omitempty"`
	At       time.Time      `json:"at,omitzero"`
}

// check returns a problem for a person where the rules cannot be. Everything but the
// markup rules themselves, which NewRules checks, is checked here.
func (m *MoneyRules) check(b StoreBasis) error {
	rules, err := markup.NewRules(b.Currency, m.Rules...)
	if err != nil {
		return asProblem("rules", err)
	}
	m.Rules = rules.List()
	if err := m.Fees.terms().Check(b.Currency); err != nil {
		return asProblem("fees", err)
	}
	if m.Fees.TaxRate < 0 || m.Fees.TaxRate > money.One {
		return apikit.Problem(422, "fees.tax_rate", "The tax must be from 0 to 100 %%.")
	}
	if f := m.Fees; f.TaxIncluded && f.TaxFor != "" && f.TaxFor != m.Market {
		return apikit.Problem(422, "fees.tax_rate",
			"Prices have %s %% tax in them, as was said for %s. Say what it is in %s, which prices assume now.",
			f.TaxRate.PercentText(), f.TaxFor, m.Market)
	}
	if m.Fees.PaymentPercent+m.Fees.Returns >= money.One/2 {
		return apikit.Problem(422, "fees", "Payment fee and returns allowance together must stay under 50 %%.")
	}
	if reason := m.Imports.Check(b.Currency); reason != "" {
		return apikit.Problem(422, "imports", "%s", reason)
	}
	if field, reason := m.Delivery.Check(b.Currency); reason != "" {
		return apikit.Problem(422, "delivery."+field, "%s", reason)
	}
	if !slices.Contains(b.Markets, m.Market) {
		return apikit.Problem(422, "market", "The store does not sell to %q.", m.Market)
	}
	if m.PromiseDays < 1 || m.PromiseDays > 90 {
		return apikit.Problem(422, "promise_days", "The promise must be from 1 to 90 days.")
	}
	return m.Rates.check(b.Currency)
}

func (r *RateRules) check(c money.Currency) error {
	if r.MaxAgeDays < 1 || r.MaxAgeDays > 60 {
		return apikit.Problem(422, "rates.max_age_days", "Rates may be from 1 to 60 days old.")
	}
	seen := map[money.Currency]bool{}
	for _, manual := range r.Manual {
		if seen[manual.Currency] {
			return apikit.Problem(422, "rates.manual", "Two rates are set for %s.", manual.Currency)
		}
		seen[manual.Currency] = true
		if err := money.NewRates(c, time.Time{}).SetTyped(manual.Currency, c, manual.Rate); err != nil {
			return apikit.Problem(422, "rates.manual",
				"“%s” is not a rate from %s to %s; write how much 1 %s is, such as 0.1385.", manual.Rate,
				manual.Currency,
				c, manual.Currency)
		}
	}
	return nil
}

// sign fills in who typed the rates that are new, and when.
func (m *MoneyRules) sign(ctx context.Context, before MoneyRules, now time.Time) {
	if m.Fees.TaxFor == "" && m.Market == before.Market {
		m.Fees.TaxFor = before.Fees.TaxFor
	}
	for i := range m.Rates.Manual {
		manual := &m.Rates.Manual[i]
		manual.By, manual.At = access.Who(ctx).Name, now
		for _, old := range before.Rates.Manual {
			if old.Currency == manual.Currency && old.Rate == manual.Rate {
				*manual = old
			}
		}
	}
}

// sameLandedCost tells whether two sets of rules land everything for the same.
func (m MoneyRules) sameLandedCost(o MoneyRules) bool {
	return reflect.DeepEqual(m.Imports, o.Imports) && reflect.DeepEqual(m.Rates, o.Rates) && m.Delivery == o.Delivery &&
		m.Market == o.Market && m.PromiseDays == o.PromiseDays
}

// describe says in words what changed between two sets of rules.
func describe(before, after MoneyRules) string {
	var said []string
	old := map[int]markup.Rule{}
	for _, r := range before.Rules {
		old[r.ID] = r
	}
	changed, added := 0, 0
	var order, kept []int
	for _, r := range after.Rules {
		was, there := old[r.ID]
		switch {
		case !there:
			added++
		default:
			if !reflect.DeepEqual(was, r) {
				changed++
			}
			order = append(order, r.ID)
			delete(old, r.ID)
		}
	}
	for _, r := range before.Rules {
		if _, gone := old[r.ID]; !gone {
			kept = append(kept, r.ID)
		}
	}
	for _, c := range []struct {
		n    int
		what string
	}{{changed, "changed"}, {added, "added"}, {len(old), "removed"}} {
		if c.n == 1 {
			said = append(said, "a rule "+c.what)
		} else if c.n > 1 {
			said = append(said, fmt.Sprintf("%d rules %s", c.n, c.what))
		}
	}
	if !slices.Equal(order, kept) {
		said = append(said, "rules moved")
	}
	for _, part := range []struct {
		same bool
		what string
	}{
		{before.Fees == after.Fees, "fees and tax"},
		{reflect.DeepEqual(before.Imports, after.Imports), "import charges"},
		{reflect.DeepEqual(before.Rates, after.Rates), "exchange rates"},
		{before.Delivery == after.Delivery && before.Market == after.Market && before.PromiseDays == after.PromiseDays,
			"delivery"},
	} {
		if !part.same {
			said = append(said, part.what)
		}
	}
	if len(said) == 0 {
		return ""
	}
	text := strings.Join(said, ", ")
	return strings.ToUpper(text[:1]) + text[1:]
}

// current reads the rules in force.
func current(ctx context.Context, q database.Querier, storeID int64) (MoneyRules, int, error) {
	return readRules(ctx, q, `select rules, revision from money_rules where store_id = $1 order by revision desc
		limit 1`, storeID)
}

// asOf reads the rules of one revision.
func asOf(ctx context.Context, q database.Querier, storeID int64, revision int) (MoneyRules, error) {
	m, _, err := readRules(ctx, q, `select rules, revision from money_rules
		where store_id = $1 and revision = $2`, storeID, revision)
	return m, err
}

func readRules(ctx context.Context, q database.Querier, sql string, args ...any) (m MoneyRules, revision int,
	err error) {
	var stored []byte
	if err := q.QueryRow(ctx, sql, args...).Scan(&stored, &revision); err != nil {
		return m, 0, fmt.Errorf("money rules of store %d: %w", args[0], err)
	}
	return m, revision, json.Unmarshal(stored, &m)
}

func saveRules(ctx context.Context, q database.Querier, storeID int64, revision int, m MoneyRules, what, by string,
	freed []pinnedDraft) error {
	stored, err := json.Marshal(m)
	if err != nil {
		return err
	}
	list, err := json.Marshal(append([]pinnedDraft{}, freed...))
	if err != nil {
		return err
	}
	_, err = q.Exec(ctx, `insert into money_rules (store_id, revision, rules, what, changed_by, released_pins)
		values ($1, $2, $3, $4, $5, $6)`, storeID, revision, stored, what, by, list)
	return err
}

// Start gives a store that was connected its money rules, where it has none yet, and
// begins to price what is in the workbench.
func (s *Service) Start(ctx context.Context, tx pgx.Tx, b StoreBasis, includedTax money.Ratio) error {
	var there bool
	if err := tx.QueryRow(ctx, `select exists (select from money_rules where store_id = $1)`, b.StoreID).
		Scan(&there); err != nil {
		return err
	}
	if !there {
		m := startRules(b, includedTax)
		if err := m.check(b); err != nil {
			return err
		}
		if err := saveRules(ctx, tx, b.StoreID, 1, m, "The rules to begin with", "", nil); err != nil {
			return err
		}
	}
	_, err := s.startRun(ctx, tx, b.StoreID, nil, "the store was connected", true, nil)
	return err
}

// startRules are twice what an item lands for, keeping at least 3 in the store's currency,
// ending in .99 where it has cents, with the usual card fees and the store's own tax.
func startRules(b StoreBasis, tax money.Ratio) MoneyRules {
	ending := markup.NoEnding
	if b.Currency.Digits() > 0 {
		ending = markup.Ending{Allowed: markup.EndingsFor(b.Currency)[:1]}
	}
	unit := b.Currency.Unit()
	return MoneyRules{
		Rules: []markup.Rule{{ID: 1, Formula: markup.Flat(markup.Multiple, 2*money.One, money.Amount{}, b.Currency),
			Floor:  markup.Floor{LeastProfit: money.New(3*unit, b.Currency)},
			Ending: ending, Was: markup.Was{Kind: markup.NoWas, Ending: markup.NoEnding}}},
		Fees: Fees{PaymentPercent: money.Percent(290), PaymentFixed: money.New(30*unit/100, b.Currency),
			Returns: money.Percent(150), TaxRate: tax, TaxIncluded: tax > 0, TaxFor: b.Markets[0]},
		Imports: landed.Imports{}, Rates: RateRules{MaxAgeDays: defaultMaxRateAge, Manual: []ManualRate{}},
		Delivery: landed.UsualPolicy, Market: b.Markets[0], PromiseDays: 16,
	}
}

// asProblem makes a rule's fault a problem at its field.
func asProblem(at string, err error) error {
	var field *markup.FieldError
	if errors.As(err, &field) {
		if field.Rule >= 0 {
			at = fmt.Sprintf("%s[%d]", at, field.Rule)
		}
		return apikit.Problem(422, at+"."+field.Field, "%s", err)
	}
	return err
}
