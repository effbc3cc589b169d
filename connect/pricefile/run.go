package pricefile

import (
	"bufio"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"

	"plainpelican/core/markup"
	"plainpelican/core/money"
	"plainpelican/platform/spreadsheet"
)

// Run prices the rows of In and writes them to Out. Rows that cannot be used go to
// Rejects with their line and the reason, and the rest goes on.
type Run struct {
	Rules Rules
	// Rates may be nil where every cost is in the rules' currency.
	Rates *money.Rates
	In    io.Reader
	Out   io.Writer
	// Rejects is asked for a place to write to when the first row is rejected.
	Rejects func() (io.Writer, error)
	// Trace adds a column with the steps of each price.
	Trace bool
}

// Result counts rows.
type Result struct{ Priced, Rejected int }

// amounts are the columns of money that a row may have, all in the row's currency, and how
// their steps are called.
var amounts = []struct {
	name string
	kind markup.StepKind
	into func(*markup.Item) *money.Amount
}{
	{"cost", markup.StepItem, func(i *markup.Item) *money.Amount { return &i.Cost.Item }},
	{"handling", markup.StepHandling, func(i *markup.Item) *money.Amount { return &i.Cost.Handling }},
	{"shipping", markup.StepShipping, func(i *markup.Item) *money.Amount { return &i.Cost.Shipping }},
	{"charges", markup.StepCharges, func(i *markup.Item) *money.Amount { return &i.Cost.Charges }},
	{"min_advertised", markup.StepAdvertised, func(i *markup.Item) *money.Amount { return &i.MinAdvertised }},
	{"list_price", markup.StepList, func(i *markup.Item) *money.Amount { return &i.List }},
	{"market", markup.StepMarket, func(i *markup.Item) *money.Amount { return &i.Market }},
}

var outColumns = []string{"number", "currency", "landed", "price", "was", "net", "fees", "profit", "margin", "markup", "rule", "notes"}

// Do works through the file in bounded memory. An error is one of the whole file; rows that
// cannot be used are counted, not errors.
func (r Run) Do() (Result, error) {
	var done Result
	rows, c, err := open(bufio.NewReaderSize(r.In, 1<<16), "number", "cost", "currency")
	if err != nil {
		return done, fmt.Errorf("the costs file: %w", err)
	}
	buffered := bufio.NewWriterSize(r.Out, 1<<16)
	out := spreadsheet.NewWriter(buffered)
	header := outColumns
	if r.Trace {
		header = append(append([]string{}, header...), "trace")
	}
	if err := out.Write(header); err != nil {
		return done, err
	}
	w := worker{run: r, columns: c, cells: make([]string, len(header))}
	var rejects *spreadsheet.Writer
	for {
		row, err := rows.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		line, reason := 0, ""
		var broken *csv.ParseError
		switch {
		case errors.As(err, &broken):
			line, reason, row = broken.StartLine, "it is not CSV: "+broken.Err.Error(), nil
		case err != nil:
			return done, fmt.Errorf("the costs file: %w", err)
		default:
			line, _ = rows.FieldPos(0)
			reason = w.price(row)
		}
		if reason == "" {
			done.Priced++
			if err := out.Write(w.cells); err != nil {
				return done, err
			}
			continue
		}
		done.Rejected++
		if rejects == nil {
			to, err := r.Rejects()
			if err != nil {
				return done, err
			}
			rejects = spreadsheet.NewWriter(to)
			if err := rejects.Write([]string{"line", "reason", "row"}); err != nil {
				return done, err
			}
		}
		cells := []string{strconv.Itoa(line), reason}
		cells = append(cells, row...)
		if err := rejects.Write(cells); err != nil {
			return done, err
		}
	}
	err = flush(out)
	if rejects != nil {
		err = errors.Join(err, flush(rejects))
	}
	return done, errors.Join(err, buffered.Flush())
}

func flush(w *spreadsheet.Writer) error {
	w.Flush()
	return w.Error()
}

// worker prices one row after another with space that is used again.
type worker struct {
	run     Run
	columns columns
	cells   []string
	trace   markup.Trace
	rate    struct {
		from  money.Currency
		words string
	}
}

// price fills the cells, or says why it cannot.
func (w *worker) price(row []string) (reason string) {
	get := func(name string) string { return w.columns.get(row, name) }
	if get("number") == "" {
		return "it has no number"
	}
	from, err := money.ParseCurrency(get("currency"))
	if err != nil {
		return fmt.Sprintf("%q is not a currency of ISO 4217", get("currency"))
	}
	item := markup.Item{Store: get("store"), Source: get("source"), Supplier: get("supplier"), ShipsFrom: strings.ToUpper(get("ships_from")), Category: get("category"), Brand: get("brand"),
		Collections: several(get("collections")), Tags: several(get("tags"))}
	if item.Store == "" {
		item.Store = w.run.Rules.Store
	}
	var trace *markup.Trace
	if w.run.Trace {
		trace = &w.trace
		trace.Reset()
	}
	for _, a := range amounts {
		text := get(a.name)
		if text == "" && a.name != "cost" {
			continue
		}
		if reason := w.amount(a.into(&item), a.kind, a.name, text, from, trace); reason != "" {
			return reason
		}
	}
	if item.Cost.Item.IsZero() {
		return "the cost is 0"
	}
	f, err := w.run.Rules.List.Price(&item, w.run.Rules.Terms, trace)
	if err != nil {
		return err.Error()
	}
	shares, was := f.Shares(), ""
	if !f.Was.IsZero() {
		was = f.Was.Decimal()
	}
	copy(w.cells, []string{get("number"), w.run.Rules.Currency.String(), f.Landed.Decimal(), f.Price.Decimal(), was, f.Net.Decimal(), f.Fees.Decimal(), f.Profit.Decimal(),
		shares.Margin.String(), shares.Markup.String(), strconv.Itoa(f.Rule), notes(f.Marks)})
	if w.run.Trace {
		var said strings.Builder
		for i := range trace.Steps {
			if i > 0 {
				said.WriteString("; ")
			}
			said.WriteString(trace.Steps[i].Words() + " = " + trace.Steps[i].Amount.Decimal())
		}
		w.cells[len(w.cells)-1] = said.String()
	}
	return ""
}

func (w *worker) amount(into *money.Amount, kind markup.StepKind, name, text string, from money.Currency, trace *markup.Trace) (reason string) {
	a, err := money.Parse(text, from)
	switch {
	case err != nil:
		return fmt.Sprintf("%q in the column %s is not an amount in %s", text, name, from)
	case a.Negative():
		return fmt.Sprintf("%q in the column %s is below nothing", text, name)
	}
	if *into, err = w.run.Rates.Convert(a, w.run.Rules.Currency); err != nil {
		return fmt.Sprintf("there is no rate from %s to %s", from, w.run.Rules.Currency)
	}
	if trace != nil {
		words := ""
		if from != w.run.Rules.Currency {
			words = a.String() + w.rateWords(from)
		}
		trace.Add(markup.Step{Kind: kind, Amount: *into, Text: words})
	}
	return ""
}

func (w *worker) rateWords(from money.Currency) string {
	if w.rate.from != from {
		w.rate.from, w.rate.words = from, " at "+w.run.Rates.CrossText(from, w.run.Rules.Currency)+", "+w.run.Rates.Day().Format("2 Jan 2006")
	}
	return w.rate.words
}

// several splits a cell with | between names.
func several(cell string) []string {
	if cell == "" {
		return nil
	}
	list := strings.Split(cell, "|")
	for i := range list {
		list[i] = strings.TrimSpace(list[i])
	}
	return list
}

func notes(m markup.Marks) string {
	var said []string
	for _, one := range []struct {
		set   bool
		words string
	}{{m.RaisedToFloor, "raised to the floor"}, {m.Capped, "capped"}, {m.OverCeiling, "above the ceiling"}} {
		if one.set {
			said = append(said, one.words)
		}
	}
	return strings.Join(said, ", ")
}
