// Package pricefile prices rows of a file by rules of a file: the same computation as in
// the application, on open formats. The rules are JSON (docs/price-rules.schema.json),
// costs, rates and prices are CSV as RFC 4180 has it; money is decimal text beside its
// currency.
package pricefile

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"plainpelican/connect/pricelist"
	"plainpelican/core/landed"
	"plainpelican/core/markup"
	"plainpelican/core/money"
)

// Rules are a rules file, ready to price.
type Rules struct {
	Currency money.Currency
	Store    string
	List     *markup.Rules
	Terms    markup.Terms
	// Imports are charged where a row says from where it ships and not what is charged; Market is where it goes.
	Imports landed.Imports
	Market  string
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
	Market   string         `json:"market"`
	Imports  landed.Imports `json:"import_charges"`
	Rules    []markup.Rule  `json:"rules"`
}

// maxRulesBytes is how large a rules file may be.
const maxRulesBytes = 16 << 20

// ReadRules reads a rules file. What is left out is nothing: no least profit beyond no
// loss, no ending, no ceiling, no was price. Unknown names are an error, so that a
// misspelt guard is not a missing one.
func ReadRules(r io.Reader) (Rules, error) {
	text, err := io.ReadAll(io.LimitReader(r, maxRulesBytes+1))
	if err != nil {
		return Rules{}, fmt.Errorf("the rules file: %w", err)
	}
	if len(text) > maxRulesBytes {
		return Rules{}, fmt.Errorf("the rules file is larger than %d MB", maxRulesBytes>>20)
	}
	d := json.NewDecoder(bytes.NewReader(text))
	d.DisallowUnknownFields()
	var f rulesFile
	if err := d.Decode(&f); err != nil {
		return Rules{}, fmt.Errorf("the rules file: %w", plainly(text, err))
	}
	if _, err := d.Token(); !errors.Is(err, io.EOF) {
		return Rules{}, errors.New("the rules file: something follows the rules")
	}
	if err := checkNumbers(text, f.Rules); err != nil {
		return Rules{}, fmt.Errorf("the rules file: %w", err)
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
		for j, country := range r.Conditions.ShipsFrom {
			r.Conditions.ShipsFrom[j] = strings.ToUpper(country)
		}
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
	terms := markup.Terms{PaymentPercent: f.Fees.PaymentPercent, PaymentFixed: f.Fees.PaymentFixed,
		Returns: f.Fees.Returns, Tax: f.Fees.Tax}
	if err := terms.Check(f.Currency); err != nil {
		return Rules{}, fmt.Errorf("the rules file: %w", err)
	}
	f.Market = strings.ToUpper(f.Market)
	for i := range f.Imports {
		m := &f.Imports[i]
		m.From, m.To = strings.ToUpper(m.From), strings.ToUpper(m.To)
		if m.Threshold == none {
			m.Threshold = money.Zero(f.Currency)
		}
	}
	if reason := f.Imports.Check(f.Currency); reason != "" {
		return Rules{}, fmt.Errorf("the rules file: %s", reason)
	}
	if len(f.Imports) > 0 && len(f.Market) != 2 {
		return Rules{},
			errors.New("the rules file: import charges need a market, the country where the goods go, such as DE")
	}
	return Rules{f.Currency, f.Store, list, terms, f.Imports, f.Market}, nil
}

// plainly says what is wrong with JSON, and in which line.
func plainly(text []byte, err error) error {
	line := func(offset int64) int {
		return 1 + bytes.Count(text[:min(max(offset, 0), int64(len(text)))], []byte("\n"))
	}
	var syntax *json.SyntaxError
	var kind *json.UnmarshalTypeError
	switch {
	case errors.Is(err, io.EOF):
		return errors.New("it is empty")
	case errors.Is(err, io.ErrUnexpectedEOF):
		return errors.New("it ends too early: a bracket or a quote is not closed")
	case errors.As(err, &syntax):
		return fmt.Errorf("line %d is not JSON: %w", line(syntax.Offset), err)
	case errors.As(err, &kind):
		want := map[string]string{"int": "a whole number", "bool": "true or false", "struct": "an object in { }",
			"slice": "a list in [ ]"}[kind.Type.Kind().String()]
		if want == "" {
			want = "text in quotes"
		}
		return fmt.Errorf("line %d: %s has to be %s, and is a %s", line(kind.Offset), kind.Field, want, kind.Value)
	}
	if name, found := strings.CutPrefix(err.Error(), "json: unknown field "); found {
		return fmt.Errorf("line %d: %s is not a name that it has", line(lineOf(text, name)), name)
	}
	return errors.New(strings.TrimPrefix(err.Error(), "json: "))
}

func lineOf(text []byte, name string) int64 { return int64(bytes.Index(text, []byte(name))) }

// checkNumbers refuses bands whose formula lacks a number, or has one that it does not use: what is left out would
// be read as 0.
func checkNumbers(text []byte, rules []markup.Rule) error {
	var written struct {
		Rules []struct {
			Formula struct {
				Bands []struct {
					Ratio  *json.RawMessage `json:"ratio"`
					Amount *json.RawMessage `json:"amount"`
				} `json:"bands"`
			} `json:"formula"`
		} `json:"rules"`
	}
	if err := json.Unmarshal(text, &written); err != nil {
		return plainly(text, err)
	}
	for i, r := range written.Rules {
		kind := rules[i].Formula.Kind
		needsAmount := kind == markup.Fixed || kind == markup.PercentPlus || kind == markup.Profit
		needsRatio := kind != markup.Fixed && kind != markup.Profit
		for j, b := range r.Formula.Bands {
			for _, n := range []struct {
				name   string
				there  bool
				needed bool
			}{{"ratio", b.Ratio != nil, needsRatio}, {"amount", b.Amount != nil, needsAmount}} {
				switch {
				case n.needed && !n.there:
					return fmt.Errorf("rule %d: band %d of a %s formula has no %s", i+1, j+1, kind, n.name)
				case n.there && !n.needed:
					return fmt.Errorf("rule %d: band %d of a %s formula has a %s, which it does not use", i+1, j+1,
						kind, n.name)
				}
			}
		}
	}
	return nil
}

// ReadRates reads a file of rates with the columns date, base, currency and rate (units of
// currency per 1 base). The newest date's are taken; they have one base, and one rate for each currency.
func ReadRates(r io.Reader) (*money.Rates, error) {
	file, err := open(r, "date", "base", "currency", "rate")
	if err != nil {
		return nil, fmt.Errorf("the rates file: %w", err)
	}
	var table *money.Rates
	for {
		row, err := file.next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, fmt.Errorf("the rates file: %w", err)
		}
		wrong := func(err error) (*money.Rates, error) {
			return nil, fmt.Errorf("the rates file, line %d: %w", row.Number, err)
		}
		get := func(name string) string { return file.get(row.Cells, name) }
		if reason := file.unfit(row); reason != "" {
			return wrong(errors.New(reason))
		}
		day, err := time.Parse(time.DateOnly, get("date"))
		if err != nil {
			return wrong(fmt.Errorf("%q is not a date such as 2026-11-25", get("date")))
		}
		base, err := money.ParseCurrency(get("base"))
		if err != nil {
			return wrong(err)
		}
		quote, err := money.ParseCurrency(get("currency"))
		if err != nil {
			return wrong(err)
		}
		switch {
		case table == nil || day.After(table.Day()):
			table = money.NewRates(base, day)
		case day.Before(table.Day()):
			continue
		case base != table.Base():
			return wrong(fmt.Errorf("the rates of %s have two bases, %s and %s", day.Format(time.DateOnly),
				table.Base(), base))
		}
		if quote == base {
			continue
		}
		if table.Text(quote) != "" {
			return wrong(fmt.Errorf("%s has two rates for %s", day.Format(time.DateOnly), quote))
		}
		if err := table.Set(quote, get("rate")); err != nil {
			return wrong(err)
		}
	}
	if table == nil {
		return nil, errors.New("the rates file has no rates")
	}
	return table, nil
}

// CheckAge is an error where rates are older than so many days, or of a day that has not come yet.
func CheckAge(rates *money.Rates, today time.Time, days int) error {
	old := int(today.Truncate(24*time.Hour).Sub(rates.Day()).Hours() / 24)
	switch {
	case old > days:
		return fmt.Errorf("the rates are of %s, %d days old; get newer ones, or say --rates-age %d to use these",
			rates.Day().Format(time.DateOnly), old, old)
	case old < -1: // where the day begins earlier
		return fmt.Errorf("the rates are of %s, which has not come yet", rates.Day().Format(time.DateOnly))
	}
	return nil
}

// table is a CSV file whose first line names its columns.
type table struct {
	next    func() (pricelist.Row, error)
	header  []string
	columns map[string]int
}

// get is a field of a row by the name of its column. An apostrophe that keeps a spreadsheet from computing it is
// not part of it.
func (t *table) get(row []string, name string) string {
	i, ok := t.columns[name]
	if !ok || i >= len(row) {
		return ""
	}
	text := strings.TrimSpace(row[i])
	if len(text) > 1 && text[0] == '\'' && strings.IndexByte("=+-@", text[1]) >= 0 {
		return text[1:]
	}
	return text
}

// unfit says why a row as a whole cannot be used: above all that it has more fields than the header, as a decimal
// comma makes.
func (t *table) unfit(row pricelist.Row) string {
	if row.Error != "" {
		return row.Error
	}
	for _, extra := range row.Cells[min(len(row.Cells), len(t.header)):] {
		if strings.TrimSpace(extra) != "" {
			return fmt.Sprintf("it has %d fields, the header has %d: a comma stands within one, as in 1,50",
				len(row.Cells), len(t.header))
		}
	}
	return ""
}

// unknown are the named columns that are not among some.
func (t *table) unknown(known ...string) (names []string) {
	for _, name := range t.header {
		if name != "" && !slices.Contains(known, name) {
			names = append(names, name)
		}
	}
	return names
}

// open reads the header of a CSV file and checks that it has what is needed, once each.
func open(r io.Reader, needed ...string) (*table, error) {
	t := &table{columns: map[string]int{}}
	read := pricelist.Rows(r)
	t.next = func() (pricelist.Row, error) {
		for {
			row, err := read()
			if err != nil || len(row.Cells) != 1 || row.Cells[0] != "" || row.Error != "" {
				return row, err
			}
		}
	}
	header, err := t.next()
	if errors.Is(err, io.EOF) {
		return nil, errors.New("the file is empty; it begins with a line of column names")
	}
	if err != nil {
		return nil, err
	}
	if header.Error != "" {
		return nil, fmt.Errorf("the line of column names: %s", header.Error)
	}
	for i, name := range header.Cells {
		name = strings.ToLower(strings.TrimSpace(name))
		if _, twice := t.columns[name]; twice && name != "" {
			return nil, fmt.Errorf("the column %q is there twice", name)
		}
		t.columns[name] = i
		t.header = append(t.header, name)
	}
	for len(t.header) > 0 && t.header[len(t.header)-1] == "" {
		t.header = t.header[:len(t.header)-1]
	}
	for _, name := range needed {
		if _, ok := t.columns[name]; !ok {
			return nil, fmt.Errorf("there is no column %q; the first line names the columns, with commas between", name)
		}
	}
	return t, nil
}
