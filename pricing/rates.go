package pricing

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"plainpelican/core/money"
	"plainpelican/platform/database"
)

// RateTable is the day's exchange rates.
type RateTable struct {
	Base money.Currency `json:"base"`
	Day  string         `json:"day"`
	// Age is how many days old they are.
	Age int `json:"age"`
	// Stale tells that they are older than the store's money rules allow.
	Stale bool   `json:"stale"`
	Rates []Rate `json:"rates"`
}

// Rate is units of a currency per 1 of the base.
type Rate struct {
	Currency money.Currency `json:"currency"`
	PerBase  string         `json:"per_base"`
	// Into is how much 1 of it is in the store's currency, to six figures.
	Into string `json:"into"`
}

// defaultMaxRateAge is how many days old rates may be, so that a weekend and a holiday pass.
const defaultMaxRateAge = 4

func (s *Service) rateTable(ctx context.Context, storeID int64) (RateTable, error) {
	table, err := latestRates(ctx, s.Pool)
	if err != nil || table == nil {
		return RateTable{Rates: []Rate{}}, err
	}
	into, oldest := table.Base(), defaultMaxRateAge
	if storeID != 0 {
		basis, err := s.Stores.Basis(ctx, s.Pool, storeID)
		if err != nil {
			return RateTable{}, err
		}
		rules, _, err := current(ctx, s.Pool, storeID)
		if err != nil {
			return RateTable{}, err
		}
		into, oldest = basis.Currency, rules.Rates.MaxAgeDays
	}
	out := RateTable{Base: table.Base(), Day: table.Day().Format(time.DateOnly),
		Age: max(days(s.Now().Sub(table.Day())), 0), Rates: []Rate{}}
	out.Stale = out.Age > oldest
	for _, c := range money.Currencies() {
		if text := table.Text(c); text != "" {
			out.Rates = append(out.Rates, Rate{c, text, table.CrossText(c, into)})
		}
	}
	return out, nil
}

// latestRates is the newest table of rates, or nil where none has come yet; then only
// amounts in the store's own currency can be priced.
func latestRates(ctx context.Context, q database.Querier) (*money.Rates, error) {
	var day time.Time
	var base string
	var rates map[string]string
	err := q.QueryRow(ctx, `select day, base, rates from rate_day order by day desc limit 1`).Scan(&day, &base, &rates)
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

// SaveRates keeps a day's table; where it is new, every store is priced anew.
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
			where rate_day.rates <> excluded.rates or rate_day.base <> excluded.base`, table.Day(),
			table.Base().String(), rates)
		if err != nil || tag.RowsAffected() == 0 {
			return err
		}
		if err := s.RepriceAll(ctx, tx, "the rates of "+table.Day().Format("2 Jan")); err != nil {
			return err
		}
		return NotifyChanged(ctx, tx)
	})
}

// NotifyChanged tells every instance that prices rest on something new.
func NotifyChanged(ctx context.Context, q database.Querier) error {
	_, err := q.Exec(ctx, `select pg_notify('pricing', '')`)
	return err
}
