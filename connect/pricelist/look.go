package pricelist

import (
	"context"
	"fmt"
	"io"
	"maps"
	"os"
	"regexp"
	"slices"
	"strings"
	"unicode"

	"plainpelican/connect/source"
	"plainpelican/core/landed"
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
	// Questions are what has to be answered before the list is taken in, answered ones among them.
	Questions []Question `json:"questions"`
	// Unread are the columns with something in them that no offer is made of.
	Unread []UnreadColumn `json:"unread"`
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
	Sure    bool     `json:"sure" doc:"False where it is a guess by its contents"`
	Samples []string `json:"samples"`
}

// UnreadColumn is a column that is not read, and what it seems to be.
type UnreadColumn struct {
	Header string `json:"header"`
	Why    string `json:"why"`
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
	Weight  int           `json:"weight" doc:"Grams; 0 where it is not known"`
	Given   string        `json:"given" doc:"The price of which the cost is a part, such as 54.00 USD for 12"`
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
	// Charset is what the server that a list comes from says of its encoding.
	Charset string
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
	look := &Look{Sheets: []string{}, Notes: []string{}, Columns: []ColumnLook{}, Head: []HeadRow{}, Preview: []PreviewOffer{}, Questions: []Question{}, Unread: []UnreadColumn{}}
	l := &look.Layout
	if given != nil {
		*l = *given
		l.Columns, l.Answers = slices.Clone(given.Columns), maps.Clone(given.Answers)
		l.knownAnswers()
	} else {
		*l = Layout{Supplier: hints.Supplier, Answers: map[string]string{}, Processing: NotSaid}
	}
	l.Format = format
	if err := look.form(t, given == nil, hints.Charset); err != nil {
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
	if q, open := look.open(); open && (look.Trouble == "" || look.Field != "columns" || q.Key == askCost) {
		look.Field, look.Trouble = "questions", q.Text
	}
	return look, look.preview(t)
}

// form finds encoding and delimiter, or the sheet.
func (look *Look) form(t *table, anew bool, charset string) (err error) {
	l := &look.Layout
	if t.book == nil {
		if l.Encoding == "" || anew {
			guess := false
			if l.Encoding, guess, err = encodingOf(t.file, encodingName(charset)); err != nil {
				return err
			}
			if guess {
				look.Notes = append(look.Notes, fmt.Sprintf("It does not say in which encoding it is; %s suits its words best. If letters look wrong, choose another.", l.Encoding))
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
	return look.otherSheets(t)
}

// otherSheets says which sheets have the same columns, since only one is read.
func (look *Look) otherSheets(t *table) error {
	names := func(sheet string) ([]string, error) {
		sample, err := t.sample(&Layout{Sheet: sheet}, 60)
		if err != nil {
			return nil, err
		}
		at := findHeader(sample)
		if at < 0 {
			return nil, nil
		}
		return sample[at].Cells, nil
	}
	own, err := names(look.Layout.Sheet)
	if err != nil || own == nil {
		return err
	}
	var alike []string
	for _, sheet := range look.Sheets {
		if sheet == look.Layout.Sheet {
			continue
		}
		cells, err := names(sheet)
		if err != nil {
			return err
		}
		if slices.Equal(cells, own) {
			alike = append(alike, sheet)
		}
	}
	if len(alike) > 0 {
		look.Notes = append(look.Notes, fmt.Sprintf("The same columns are on the sheets “%s” as well, which are not read: connect the file once more for each, and choose its sheet.", strings.Join(alike, "”, “")))
	}
	return nil
}

// columns finds the header, the decimal sign, what each column holds, and what has to be asked.
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
	headers, units, data := split(sample, l.Header)
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
	p := propose(headers, units, data, l)
	look.Notes = append(look.Notes, p.notes...)
	if given == nil || !sameHeaders(given.Columns, headers) {
		l.Columns = p.columns
	} else {
		for i := range p.columns {
			l.Columns[i].Currency = p.columns[i].Currency
			if l.Columns[i].Field != p.columns[i].Field {
				p.why[i], p.sure[i] = "as you said", true
			}
		}
	}
	l.answers(p)
	look.columnQuestions(p, data)
	look.unitQuestions(p, data)
	var above []string
	for _, row := range sample {
		if row.Place < l.Header {
			above = append(above, strings.Join(row.Cells, " "))
		}
	}
	look.currencyQuestions(data, above, hints)
	look.decimalQuestion(data, comma, point)
	look.stockQuestions(data)
	look.weightQuestion(p, data)
	if given == nil {
		l.Grouping = look.grouping(data)
	}
	for i, c := range l.Columns {
		if l.Answers[askCost] != "" && c.Field == Cost || l.Answers[askStock] != "" && c.Field == Stock {
			p.why[i], p.sure[i] = "as you said", true
		}
		look.Columns = append(look.Columns, ColumnLook{c, p.why[i], p.sure[i] || c.Field == Ignored, samples(data, i)})
		if c.Field == Ignored && len(samples(data, i)) > 0 && !slices.Contains(p.costs, i) {
			why := p.why[i]
			if why == "as you said" {
				why = ""
			}
			look.Unread = append(look.Unread, UnreadColumn{c.Header, why})
		}
	}
	look.shape(p, data)
	return nil
}

// isUnits tells whether a row says in what the columns above are: currencies, pieces, kilograms.
func isUnits(row Row) bool {
	filled, known := 0, 0
	for i := range row.Cells {
		text := row.cell(i)
		if text == "" || text == "-" {
			continue
		}
		if filled++; len(text) > 24 || strings.IndexFunc(strings.TrimLeft(text, "("), unicode.IsDigit) == 0 {
			return false
		}
		parts := strings.FieldsFunc(text, func(r rune) bool { return strings.ContainsRune(" /()[]", r) })
		all := len(parts) > 0
		for _, part := range parts {
			all = all && (signOf(part) != "" || unitOf(part).known() || weightUnitOf(part) != "" || minorWords[plain(part)] || slices.Contains([]string{"cm", "mm", "in", "per", "je", "pro", "text", "url", "no", "excl", "vat", "net", "incl"}, strings.ToLower(strings.Trim(part, "."))))
		}
		if all {
			known++
		}
	}
	return known > 0 && known == filled
}

// split parts the column names, and the row of units that may stand under them, from the rows of offers.
func split(sample []Row, header int) (names, units []string, data []Row) {
	width := 0
	for _, row := range sample {
		if row.Place == header {
			names = row.Cells
		}
		if header > 0 && row.Place == header+1 && isUnits(row) {
			units = row.Cells
			continue
		}
		if row.Place > header && !blank(row) && !(header > 0 && slices.EqualFunc(row.Cells, names, func(a, b string) bool { return strings.TrimSpace(a) == strings.TrimSpace(b) })) {
			data = append(data, row)
			width = max(width, len(row.Cells))
		}
	}
	if header == 0 {
		for i := range width {
			names = append(names, fmt.Sprintf("column %s", letter(i)))
		}
	}
	for len(names) > 0 && strings.TrimSpace(names[len(names)-1]) == "" && !filledColumn(data, len(names)-1) {
		names = names[:len(names)-1] // a header that ends in a delimiter: what stands there of a row is one cell too many
	}
	out := make([]string, len(names))
	for i, n := range names {
		out[i] = strings.Join(strings.Fields(n), " ")
		if len(out[i]) > 200 {
			out[i] = strings.ToValidUTF8(out[i][:200], "")
		}
	}
	return out, units, data
}

// filledColumn tells whether a column has something in at least a third of the rows.
func filledColumn(data []Row, column int) bool {
	filled := 0
	for _, row := range data {
		if row.cell(column) != "" {
			filled++
		}
	}
	return filled*3 >= len(data) && filled > 0
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

// grouping tells how rows seem to make offers.
func (look *Look) grouping(data []Row) Grouping {
	l := &look.Layout
	title := l.at(Title)
	if parent := l.at(Parent); parent >= 0 {
		if name, apart := differing(data, parent, title); apart {
			look.Notes = append(look.Notes, fmt.Sprintf("Rows with the same “%s” have different titles (as “%s”): each row is taken as an offer of its own.", l.Columns[parent].Header, name))
			return EachRow
		}
		return ByParent
	}
	if title < 0 {
		return EachRow
	}
	seen, again, untitled := map[string]bool{}, 0, 0
	for _, row := range data {
		key := strings.ToLower(row.cell(title))
		if key == "" {
			untitled++
		} else if seen[key] {
			again++
		}
		seen[key] = true
	}
	if l.at(Option) >= 0 && (again+untitled)*10 >= len(data) || untitled*10 >= len(data) {
		return ByTitle
	}
	return EachRow
}

// differing tells whether most products by a column would have rows whose titles do not even begin alike: a family or
// a price group, not a product.
func differing(data []Row, parent, title int) (example string, apart bool) {
	if title < 0 {
		return "", false
	}
	first := map[string]string{}
	several, odd := map[string]bool{}, map[string]bool{}
	for _, row := range data {
		key, words := row.cell(parent), strings.Fields(strings.ToLower(row.cell(title)))
		if key == "" || len(words) == 0 {
			continue
		}
		before, known := first[key]
		if !known {
			first[key] = words[0]
			continue
		}
		several[key] = true
		if before != words[0] {
			odd[key], example = true, key
		}
	}
	return example, len(odd)*3 > len(several)
}

// shape says what of a list is not read as its supplier means it, with the way on.
func (look *Look) shape(p *proposal, data []Row) {
	l := &look.Layout
	var sizes []string
	var charges, from []string
	for i, c := range l.Columns {
		if c.Field == Ignored && sizeName.MatchString(strings.TrimSpace(c.Header)) && p.studies[i].number > 0.9 {
			sizes = append(sizes, c.Header)
		}
		switch p.roles[i] {
		case postage:
			charges = append(charges, c.Header)
		case shipsFrom:
			from = append(from, c.Header)
		}
	}
	if len(sizes) >= 3 {
		look.Notes = append(look.Notes, fmt.Sprintf("The columns “%s” seem to hold the stock of each size. They are not read: each row comes in as one variant. Ask the supplier for a list with a row for each size.", strings.Join(sizes, "”, “")))
	}
	if len(charges) > 0 {
		look.Notes = append(look.Notes, fmt.Sprintf("“%s” is not part of the cost. Say under Delivery what delivery costs.", strings.Join(charges, "”, “")))
	}
	if len(from) > 0 {
		look.Notes = append(look.Notes, fmt.Sprintf("“%s” is not read: one list ships from one country. Where it differs, split the list and connect each part.", strings.Join(from, "”, “")))
	}
	for i, c := range l.Columns {
		if c.Field != Option {
			continue
		}
		several, filled := 0, 0
		for _, row := range data {
			text := row.cell(i)
			if text == "" {
				continue
			}
			filled++
			if severalSizes.MatchString(text) {
				several++
			}
		}
		if several*3 > filled {
			look.Notes = append(look.Notes, fmt.Sprintf("“%s” holds several values in one cell: each row comes in as one variant, since the list does not say the stock of each. Ask the supplier for a list with a row for each.", c.Header))
		}
	}
}

var (
	sizeName     = regexp.MustCompile(`^(?i:xxs|xs|s|m|l|xl|xxl|xxxl|[2-6]xl|one size|3[4-9]|4[0-9]|5[0-2]|\d{2,3}/\d{2,3})$`)
	severalSizes = regexp.MustCompile(`^(?i:[a-z0-9.]{1,6}(\s*[,/;|]\s*[a-z0-9.]{1,6}){2,})$`)
)

// preview shows the first rows as the offers that they would become.
func (look *Look) preview(t *table) error {
	l := look.Layout
	if l.at(Cost) < 0 || l.at(Title) < 0 {
		return nil
	}
	if l.Country == "" {
		l.Country = "US" // not asked for yet, and not shown
	}
	if l.Supplier == "" {
		l.Supplier = "?"
	}
	if l.Processing == NotSaid {
		l.Processing = landed.Days{}
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
		o, good := PreviewOf(item.Offer, item.Place, item.Doubts, item.Given)
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
func PreviewOf(offer *source.Offer, place int, doubts, given map[string]string) (o PreviewOffer, good int) {
	o = PreviewOffer{Place: place, Number: offer.Number, Title: offer.Title, Category: offer.Category, Options: offer.OptionNames, Pictures: len(offer.Pictures), Variants: []PreviewVariant{}, Cells: []string{}}
	if o.Options == nil {
		o.Options = []string{}
	}
	for _, v := range offer.Variants {
		p := PreviewVariant{Number: v.Number, Values: v.Values, Cost: v.Cost, Stock: v.Stock, Barcode: v.Barcode, Weight: v.WeightGrams, Given: given[v.Number], Trouble: doubts[v.Number]}
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
