package pricefile

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"slices"
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
	// Unknown is told the columns of In that are not used, where there are any.
	Unknown func(names []string)
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

var outColumns = []string{"number", "currency", "landed", "price", "was", "tax", "net", "fees", "profit", "margin",
	"markup", "break_even", "rule", "notes"}

// otherColumns are those of In that are no amounts, and those of the rejects, which may be sent again as they are.
var otherColumns = []string{"number", "currency", "store", "source", "supplier", "category", "brand", "ships_from",
	"collections", "tags", "line", "reason"}

// Do works through the file in bounded memory. An error is one of the whole file; rows that
// cannot be used are counted, not errors.
func (r Run) Do() (Result, error) {
	var done Result
	in, err := open(bufio.NewReaderSize(r.In, 1<<16), "number", "cost", "currency")
	if err != nil {
		return done, fmt.Errorf("the costs file: %w", err)
	}
	known := slices.Clone(otherColumns)
	for _, a := range amounts {
		known = append(known, a.name)
	}
	if unknown := in.unknown(known...); len(unknown) > 0 && r.Unknown != nil {
		r.Unknown(unknown)
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
	w := worker{run: r, in: in, cells: make([]string, len(header))}
	var rejects *spreadsheet.Writer
	for {
		row, err := in.next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return done, fmt.Errorf("the costs file: %w", err)
		}
		reason := in.unfit(row)
		if reason == "" {
			reason = w.price(row.Cells)
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
			if err := rejects.Write(in.rejected(in.header, "line", "reason")); err != nil {
				return done, err
			}
		}
		if err := rejects.Write(in.rejected(row.Cells, strconv.Itoa(row.Number), reason)); err != nil {
			return done, err
		}
	}
	err = flush(out)
	if rejects != nil {
		err = errors.Join(err, flush(rejects))
	}
	return done, errors.Join(err, buffered.Flush())
}

// rejected is a row in the columns of its file, with line and reason behind, in place of those of an earlier run.
func (t *table) rejected(cells []string, line, reason string) []string {
	var out []string
	for i := range max(len(cells), len(t.header)) {
		name := ""
		if i < len(t.header) {
			name = t.header[i]
		}
		switch {
		case name == "line" || name == "reason":
		case i < len(cells):
			out = append(out, cells[i])
		default:
			out = append(out, "")
		}
	}
	return append(out, line, reason)
}

func flush(w *spreadsheet.Writer) error {
	w.Flush()
	return w.Error()
}

// worker prices one row after another with space that is used again.
type worker struct {
	run   Run
	in    *table
	cells []string
	trace markup.Trace
	rate  struct {
		from  money.Currency
		words string
	}
}

// price fills the cells, or says why it cannot.
func (w *worker) price(row []string) (reason string) {
	get := func(name string) string { return w.in.get(row, name) }
	if get("number") == "" {
		return "it has no number"
	}
	from, err := money.ParseCurrency(get("currency"))
	if err != nil {
		return fmt.Sprintf("%q is not a currency of ISO 4217", get("currency"))
	}
	item := markup.Item{Store: get("store"), Source: get("source"), Supplier: get("supplier"),
		ShipsFrom: strings.ToUpper(get("ships_from")), Category: get("category"), Brand: get("brand"),
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
		if strings.Trim(get("cost"), "0.") != "" {
			return fmt.Sprintf("the cost, %s %s, is less than the least amount of %s", get("cost"), from,
				w.run.Rules.Currency)
		}
		return "the cost is 0"
	}
	if reason := w.charges(&item, get("charges"), trace); reason != "" {
		return reason
	}
	f, err := w.run.Rules.List.Price(&item, w.run.Rules.Terms, trace)
	if err != nil {
		return err.Error()
	}
	shares, was, breakEven := f.Shares(), "", ""
	if !f.Was.IsZero() {
		was = f.Was.Decimal()
	}
	if f.Profit.Minor() > 0 {
		breakEven = shares.BreakEven.String()
	}
	tax, err := f.Price.Sub(f.Net)
	if err != nil {
		return err.Error()
	}
	copy(w.cells, []string{get("number"), w.run.Rules.Currency.String(), f.Landed.Decimal(), f.Price.Decimal(), was,
		tax.Decimal(), f.Net.Decimal(), f.Fees.Decimal(), f.Profit.Decimal(),
		shares.Margin.String(), shares.Markup.String(), breakEven, strconv.Itoa(f.Rule), notes(f.Flags)})
	if w.run.Trace {
		var said strings.Builder
		for i, line := range trace.Lines() {
			if i > 0 {
				said.WriteString("; ")
			}
			switch line.Part {
			case markup.None:
				said.WriteString(line.Words)
			case markup.Compared:
				said.WriteString("(" + line.Words + " = " + line.Amount.Decimal() + ")")
			default:
				said.WriteString(line.Words + " = " + line.Amount.Decimal())
			}
		}
		w.cells[len(w.cells)-1] = said.String()
	}
	return ""
}

// charges works out what is due on importing a row's item, where the row does not say it.
func (w *worker) charges(item *markup.Item, given string, trace *markup.Trace) (reason string) {
	rules := &w.run.Rules
	if given != "" || len(rules.Imports) == 0 {
		return ""
	}
	if item.ShipsFrom == "" {
		return "it does not say from where it ships, which its import charges depend on"
	}
	due, found := rules.Imports.For(item.ShipsFrom, rules.Market)
	if !found {
		return ""
	}
	goods, err := item.Cost.Item.Add(money.New(item.Cost.Handling.Minor(), rules.Currency))
	if err != nil {
		return err.Error()
	}
	c, err := due.On(goods, money.New(item.Cost.Shipping.Minor(), rules.Currency))
	if err != nil {
		return err.Error()
	}
	if item.Cost.Charges, err = c.Total(); err != nil {
		return err.Error()
	}
	if trace != nil {
		trace.Add(markup.Step{Kind: markup.StepCharges, Amount: item.Cost.Charges, Text: due.Words(c)})
	}
	return ""
}

func (w *worker) amount(into *money.Amount, kind markup.StepKind, name, text string, from money.Currency,
	trace *markup.Trace) (reason string) {
	a, err := money.Parse(text, from)
	switch {
	case err != nil:
		return fmt.Sprintf("%q in the column %s is not an amount in %s", text, name, from)
	case a.Negative():
		return fmt.Sprintf("%q in the column %s is negative", text, name)
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
		w.rate.from, w.rate.words = from, " at "+w.run.Rates.Words(from, w.run.Rules.Currency)+", "+w.run.Rates.Day().
			Format("2 Jan 2006")
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

func notes(m markup.Flags) string {
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
