package pricelist

import (
	"context"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"

	"plainpelican/connect/source"
	"plainpelican/core/money"
)

// Look is what was found out about a file by looking.
type Look struct {
	Layout  Layout       `json:"layout"`
	Sheets  []string     `json:"sheets"`
	Columns []ColumnLook `json:"columns"`
	// Notes are sentences about what was found or taken for granted.
	Notes []string `json:"notes"`
	// Head are the first rows as they are, to choose the header from.
	Head []HeadRow `json:"head"`
	// Field and Trouble say what is still missing; empty where the list can be taken in.
	Field   string         `json:"field"`
	Trouble string         `json:"trouble"`
	Preview []PreviewOffer `json:"preview" doc:"The first 50 rows as the offers that they would become"`
	// Rows is how many rows the file has, about, and Good and Bad how many of the preview's can be used.
	Rows int `json:"rows"`
	Good int `json:"good"`
	Bad  int `json:"bad"`
}

// ColumnLook is a column with why it was matched and what it holds.
type ColumnLook struct {
	Column
	Why     string   `json:"why"`
	Samples []string `json:"samples"`
}

// HeadRow is a row as it is in the file.
type HeadRow struct {
	Place int      `json:"place"`
	Cells []string `json:"cells"`
}

// PreviewOffer is an offer of the preview, or a row that would be set aside.
type PreviewOffer struct {
	Place    int              `json:"place"`
	Number   string           `json:"number"`
	Title    string           `json:"title"`
	Category string           `json:"category"`
	Options  []string         `json:"options"`
	Variants []PreviewVariant `json:"variants"`
	Pictures int              `json:"pictures"`
	Trouble  string           `json:"trouble" doc:"Why it would be set aside"`
	Cells    []string         `json:"cells"`
}

// PreviewVariant is a variant of the preview.
type PreviewVariant struct {
	Number  string        `json:"number"`
	Values  []string      `json:"values"`
	Cost    money.Amount  `json:"cost"`
	Least   *money.Amount `json:"min_advertised"`
	List    *money.Amount `json:"list_price"`
	Stock   int           `json:"stock"`
	Barcode string        `json:"barcode"`
	Trouble string        `json:"trouble" doc:"What is wrong with it, though it can be used"`
}

const (
	sampleRows  = 400
	previewRows = 50
)

// Hints are what stands where a list does not say.
type Hints struct {
	Currency string
	Supplier string
}

// LookAt finds out how a file is written and what its columns hold. A layout that a person
// has corrected stands as far as it goes: what it decides is taken from it, the rest is found anew.
func LookAt(ctx context.Context, f *os.File, given *Layout, hints Hints) (*Look, error) {
	select {
	case looking <- struct{}{}:
		defer func() { <-looking }()
	case <-ctx.Done():
		return nil, ctx.Err()
	}
	format, err := kind(f)
	if err != nil {
		return nil, err
	}
	t, err := openTable(ctx, f, format)
	if err != nil {
		return nil, err
	}
	defer t.close()
	look := &Look{Sheets: []string{}, Notes: []string{}, Columns: []ColumnLook{}, Head: []HeadRow{}, Preview: []PreviewOffer{}}
	l := &look.Layout
	if given != nil {
		*l = *given
	} else {
		*l = Layout{Supplier: hints.Supplier}
	}
	l.Format = format
	if err := look.form(t, given == nil); err != nil {
		return nil, err
	}
	sample, err := t.sample(l, sampleRows)
	if err != nil {
		return nil, err
	}
	if !slices.ContainsFunc(sample, func(r Row) bool { return !blank(r) }) {
		return nil, ErrEmpty
	}
	if err := look.columns(sample, given, hints); err != nil {
		return nil, err
	}
	if at := l.at(Picture); at >= 0 && at < len(look.Columns) && slices.ContainsFunc(look.Columns[at].Samples, func(s string) bool { return webAddress(s) == "" && imageName.MatchString(s) }) {
		look.Notes = append(look.Notes, "It names its pictures without saying where they are: once the list is in, send them in a zip on its source's page.")
	}
	if given == nil {
		look.deliverySheet(t)
	} else if err := t.refreshDeliveries(l); err != nil {
		look.Notes, l.DeliverySheet = append(look.Notes, err.Error()), ""
	}
	look.Rows = max(t.count(l)-l.Header, 0) // 0 where it is not known before all is read
	look.Field, look.Trouble = l.Check()
	return look, look.preview(t)
}

// form finds encoding and delimiter, or the sheet.
func (look *Look) form(t *table, anew bool) (err error) {
	l := &look.Layout
	if t.book == nil {
		if l.Encoding == "" || anew {
			if l.Encoding, err = encoding(t.file); err != nil {
				return err
			}
		}
		if l.Delimiter == "" || anew {
			l.Delimiter = delimiter(t.file, l.Encoding)
		}
		return nil
	}
	look.Sheets = t.book.sheets()
	if l.Sheet != "" && slices.Contains(look.Sheets, l.Sheet) {
		return nil
	}
	most := -1
	for _, name := range look.Sheets {
		sample, err := t.sample(&Layout{Sheet: name}, 60)
		if err != nil {
			return err
		}
		n := len(sample)
		if findHeader(sample) >= 0 {
			n += 1000
		}
		if n > most {
			most, l.Sheet = n, name
		}
	}
	if len(look.Sheets) > 1 {
		look.Notes = append(look.Notes, fmt.Sprintf("The workbook has %d sheets; “%s” looks like the list.", len(look.Sheets), l.Sheet))
	}
	return nil
}

// columns finds the header, the decimal sign, what each column holds, and the currency.
func (look *Look) columns(sample []Row, given *Layout, hints Hints) error {
	l := &look.Layout
	for _, row := range sample[:min(len(sample), 15)] {
		look.Head = append(look.Head, HeadRow{row.Place, append([]string{}, row.Cells...)})
	}
	if given == nil {
		l.Header = 0
		if at := findHeader(sample); at >= 0 {
			l.Header = sample[at].Place
			if at > 0 {
				look.Notes = append(look.Notes, fmt.Sprintf("The columns are named in row %d; what stands above is left out.", l.Header))
			}
		} else {
			look.Notes = append(look.Notes, "No row names the columns; they were matched by their contents.")
		}
	}
	headers, data := split(sample, l.Header)
	if len(data) == 0 {
		return ErrNoRows
	}
	comma, point := decimalSign(data)
	if given == nil || l.Decimal == "" {
		l.Decimal = "."
		if comma > point || (comma == point && comma == 0 && l.Delimiter == ";" && l.Format == "csv") {
			l.Decimal = ","
		}
		if comma > 0 && point > 0 {
			look.Notes = append(look.Notes, fmt.Sprintf("%d numbers look as if the decimal sign were a comma, %d as if it were a point. Look at the costs.", comma, point))
		}
	}
	proposed, why := propose(headers, data, l.Decimal)
	if given == nil || !sameHeaders(given.Columns, headers) {
		l.Columns = proposed
	} else {
		for i := range why {
			if l.Columns[i] != proposed[i] {
				why[i] = "as you said"
			}
		}
	}
	for i, c := range l.Columns {
		look.Columns = append(look.Columns, ColumnLook{c, why[i], samples(data, i)})
	}
	if given == nil {
		look.currency(data, hints)
		l.Grouping = l.grouping(data)
		l.PerPack = l.perPack()
	}
	return nil
}

// split parts the column names from the rows under them.
func split(sample []Row, header int) (names []string, data []Row) {
	width := 0
	for _, row := range sample {
		if row.Place == header {
			names = row.Cells
		}
		if row.Place > header && !blank(row) {
			data = append(data, row)
			width = max(width, len(row.Cells))
		}
	}
	if header == 0 {
		for i := range width {
			names = append(names, fmt.Sprintf("column %s", letter(i)))
		}
	}
	for len(names) > 0 && strings.TrimSpace(names[len(names)-1]) == "" && len(names) > width {
		names = names[:len(names)-1]
	}
	out := make([]string, len(names))
	for i, n := range names {
		out[i] = strings.Join(strings.Fields(n), " ")
		if len(out[i]) > 200 {
			out[i] = strings.ToValidUTF8(out[i][:200], "")
		}
	}
	return out, data
}

// letter is a column's name in a spreadsheet: A, B, ... Z, AA.
func letter(i int) string {
	if i < 26 {
		return string(rune('A' + i))
	}
	return letter(i/26-1) + letter(i%26)
}

func sameHeaders(columns []Column, headers []string) bool {
	return slices.EqualFunc(columns, headers, func(c Column, h string) bool { return c.Header == h })
}

func samples(data []Row, column int) []string {
	out := []string{}
	for _, row := range data {
		if column < len(row.Cells) {
			if text := strings.TrimSpace(row.Cells[column]); text != "" && !slices.Contains(out, clip(text)) {
				out = append(out, clip(text))
			}
		}
		if len(out) == 3 {
			break
		}
	}
	return out
}

// at is the place of a field's column, or -1.
func (l *Layout) at(f Field) int {
	return slices.IndexFunc(l.Columns, func(c Column) bool { return c.Field == f })
}

// currency finds the list's currency: a column of its own, the header of the cost, or the costs.
func (look *Look) currency(data []Row, hints Hints) {
	l := &look.Layout
	if l.at(Currency) >= 0 {
		return
	}
	cost := l.at(Cost)
	if cost < 0 {
		return
	}
	if named := currencyIn(l.Columns[cost].Header); named != "" {
		l.Currency = named
		return
	}
	for _, row := range data {
		if cost < len(row.Cells) {
			if _, code := unit(row.Cells[cost]); code != "" && code[0] != '?' {
				l.Currency = code
				return
			}
		}
	}
	l.Currency = hints.Currency
	if l.Currency != "" {
		look.Notes = append(look.Notes, fmt.Sprintf("The list does not say its currency; %s is taken, your store's.", l.Currency))
	}
}

// grouping tells how rows seem to make offers.
func (l *Layout) grouping(data []Row) Grouping {
	if l.at(Parent) >= 0 {
		return ByParent
	}
	title := l.at(Title)
	if title < 0 || l.at(Option) < 0 {
		return EachRow
	}
	seen, again := map[string]bool{}, 0
	for _, row := range data {
		if title < len(row.Cells) {
			key := strings.ToLower(strings.TrimSpace(row.Cells[title]))
			if seen[key] || key == "" {
				again++
			}
			seen[key] = true
		}
	}
	if again*10 >= len(data) {
		return ByTitle
	}
	return EachRow
}

// perPack tells whether the cost's header says that it is for a pack.
func (l *Layout) perPack() bool {
	cost, pack := l.at(Cost), l.at(Pack)
	if cost < 0 || pack < 0 {
		return false
	}
	header := " " + plain(l.Columns[cost].Header) + " "
	for _, word := range []string{" pack ", " case ", " carton ", " box ", " ve ", " vpe ", " packung ", " lot ", " paquete ", " caja ", " confezione ", " pak "} {
		if strings.Contains(header, word) {
			return true
		}
	}
	return false
}

// preview shows the first rows as the offers that they would become.
func (look *Look) preview(t *table) error {
	if look.Trouble != "" && look.Field == "columns" {
		return nil
	}
	l := look.Layout
	if l.Country == "" {
		l.Country = "US" // not asked for yet, and not shown
	}
	if l.Supplier == "" {
		l.Supplier = "?"
	}
	if _, trouble := l.Check(); trouble != "" {
		return nil
	}
	r, err := open(t, &l, false)
	if err != nil {
		return err
	}
	defer r.in.close()
	seen := map[string]bool{}
	for r.read < previewRows {
		item, err := r.Next()
		if err == io.EOF {
			break
		}
		if err != nil {
			return err
		}
		for _, u := range item.SetAside {
			look.Bad++
			look.Preview = append(look.Preview, PreviewOffer{Place: u.row, Number: u.Number, Options: []string{}, Variants: []PreviewVariant{}, Trouble: u.Reason, Cells: append([]string{}, u.Cells...)})
		}
		if item.Offer == nil {
			continue
		}
		if number := item.Offer.Number; seen[number] {
			look.Bad++
			look.Preview = append(look.Preview, PreviewOffer{Place: item.Place, Number: number, Title: item.Offer.Title, Options: []string{}, Variants: []PreviewVariant{}, Trouble: Twice(number), Cells: append([]string{}, item.Cells...)})
			continue
		}
		seen[item.Offer.Number] = true
		o, good := PreviewOf(item.Offer, item.Place, item.Doubts)
		look.Good += good
		look.Preview = append(look.Preview, o)
	}
	return nil
}

// Twice is why the second of two offers with one number is set aside.
func Twice(number string) string {
	return "the number " + number + " is there twice; the first stands"
}

// PreviewOf shows an offer, and counts what can be bought of it.
func PreviewOf(offer *source.Offer, place int, doubts map[string]string) (o PreviewOffer, good int) {
	o = PreviewOffer{Place: place, Number: offer.Number, Title: offer.Title, Category: offer.Category, Options: offer.OptionNames, Pictures: len(offer.Pictures), Variants: []PreviewVariant{}, Cells: []string{}}
	if o.Options == nil {
		o.Options = []string{}
	}
	for _, v := range offer.Variants {
		p := PreviewVariant{Number: v.Number, Values: v.Values, Cost: v.Cost, Stock: v.Stock, Barcode: v.Barcode, Trouble: doubts[v.Number]}
		if p.Values == nil {
			p.Values = []string{}
		}
		if !v.MinAdvertised.IsZero() {
			p.Least = &v.MinAdvertised
		}
		if !v.List.IsZero() {
			p.List = &v.List
		}
		o.Variants = append(o.Variants, p)
	}
	return o, len(offer.Variants)
}
