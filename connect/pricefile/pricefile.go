// Package pricefile prices rows of a file by rules of a file: the same computation as in
// the application, on open formats. The rules are JSON (docs/price-rules.schema.json),
// costs, rates and prices are CSV as RFC 4180 has it; money is decimal text beside its
// currency.
package pricefile

import (
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"
	"time"

	"plainpelican/core/markup"
	"plainpelican/core/money"
)

// Rules are a rules file, ready to price.
type Rules struct {
	Currency money.Currency
	Store    string
	List     *markup.Rules
	Terms    markup.Terms
}

// Fees are what is taken off each sale; Tax is the rate that prices include, 0 for none.
type Fees struct {
	PaymentPercent money.Ratio  `json:"payment_percent"`
	PaymentFixed   money.Amount `json:"payment_fixed"`
	Returns        money.Ratio  `json:"returns"`
	Tax            money.Ratio  `json:"tax_included"`
}

type rulesFile struct {
	Schema   string         `json:"$schema"`
	Currency money.Currency `json:"currency"`
	Store    string         `json:"store"`
	Fees     Fees           `json:"fees"`
	Rules    []markup.Rule  `json:"rules"`
}

// ReadRules reads a rules file. What is left out is nothing: no least profit beyond no
// loss, no ending, no ceiling, no was price. Unknown names are an error, so that a
// misspelt guard is not a missing one.
func ReadRules(r io.Reader) (Rules, error) {
	d := json.NewDecoder(r)
	d.DisallowUnknownFields()
	var f rulesFile
	if err := d.Decode(&f); err != nil {
		return Rules{}, fmt.Errorf("the rules file: %w", err)
	}
	if _, err := d.Token(); !errors.Is(err, io.EOF) {
		return Rules{}, errors.New("the rules file: something follows the rules")
	}
	if f.Currency == 0 {
		return Rules{}, errors.New("the rules file: it names no currency")
	}
	none := money.Amount{}
	if f.Fees.PaymentFixed == none {
		f.Fees.PaymentFixed = money.Zero(f.Currency)
	}
	for i := range f.Rules {
		r := &f.Rules[i]
		if r.Formula.Basis == "" {
			r.Formula.Basis = markup.OnLanded
		}
		if r.Floor.LeastProfit == none {
			r.Floor.LeastProfit = money.Zero(f.Currency)
		}
		if r.Was.Kind == "" {
			r.Was.Kind = markup.NoWas
		}
	}
	list, err := markup.NewRules(f.Currency, f.Rules...)
	if err != nil {
		return Rules{}, fmt.Errorf("the rules file: %w", err)
	}
	terms := markup.Terms{PaymentPercent: f.Fees.PaymentPercent, PaymentFixed: f.Fees.PaymentFixed, Returns: f.Fees.Returns, Tax: f.Fees.Tax}
	if err := terms.Check(f.Currency); err != nil {
		return Rules{}, fmt.Errorf("the rules file: %w", err)
	}
	return Rules{f.Currency, f.Store, list, terms}, nil
}

// ReadRates reads a file of rates with the columns date, base, currency and rate (units of
// currency per 1 base). The newest date's are taken; they have one base.
func ReadRates(r io.Reader) (*money.Rates, error) {
	rows, columns, err := open(r, "date", "base", "currency", "rate")
	if err != nil {
		return nil, fmt.Errorf("the rates file: %w", err)
	}
	var table *money.Rates
	for {
		row, err := rows.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		line, _ := rows.FieldPos(0)
		wrong := func(err error) (*money.Rates, error) {
			return nil, fmt.Errorf("the rates file, line %d: %w", line, err)
		}
		if err != nil {
			return nil, fmt.Errorf("the rates file: %w", err)
		}
		day, err := time.Parse(time.DateOnly, columns.get(row, "date"))
		if err != nil {
			return wrong(fmt.Errorf("%q is not a date such as 2026-11-25", columns.get(row, "date")))
		}
		base, err := money.ParseCurrency(columns.get(row, "base"))
		if err != nil {
			return wrong(err)
		}
		quote, err := money.ParseCurrency(columns.get(row, "currency"))
		if err != nil {
			return wrong(err)
		}
		switch {
		case table == nil || day.After(table.Day()):
			table = money.NewRates(base, day)
		case day.Before(table.Day()):
			continue
		case base != table.Base():
			return wrong(fmt.Errorf("the rates of %s have two bases, %s and %s", day.Format(time.DateOnly), table.Base(), base))
		}
		if quote == base {
			continue
		}
		if err := table.Set(quote, columns.get(row, "rate")); err != nil {
			return wrong(err)
		}
	}
	if table == nil {
		return nil, errors.New("the rates file has no rates")
	}
	return table, nil
}

// columns finds the fields of a row by the names of the header.
type columns map[string]int

func (c columns) get(row []string, name string) string {
	if i, ok := c[name]; ok && i < len(row) {
		return strings.TrimSpace(row[i])
	}
	return ""
}

// open reads the header of a CSV file and checks that it has what is needed, once each.
func open(r io.Reader, needed ...string) (*csv.Reader, columns, error) {
	rows := csv.NewReader(r)
	rows.FieldsPerRecord, rows.ReuseRecord = -1, true
	header, err := rows.Read()
	if errors.Is(err, io.EOF) {
		return nil, nil, errors.New("the file is empty; it begins with a line of column names")
	}
	if err != nil {
		return nil, nil, err
	}
	c := columns{}
	for i, name := range header {
		name = strings.ToLower(strings.TrimSpace(strings.TrimPrefix(name, "\ufeff")))
		if _, twice := c[name]; twice && name != "" {
			return nil, nil, fmt.Errorf("the column %q is there twice", name)
		}
		c[name] = i
	}
	for _, name := range needed {
		if _, ok := c[name]; !ok {
			return nil, nil, fmt.Errorf("there is no column %q; the first line names the columns, with commas between", name)
		}
	}
	return rows, c, nil
}
