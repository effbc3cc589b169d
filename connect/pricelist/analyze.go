package pricelist

import (
	"context"
	"fmt"
	"maps"
	"os"
	"slices"
	"strings"
)

// Analysis is what was found out about a file by looking.
type Analysis struct {
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
	Error   string         `json:"error"`
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
	Row   int      `json:"row"`
	Cells []string `json:"cells"`
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

// Analyze finds out how a file is written and what its columns hold. A layout that a person
// has corrected stands as far as it goes: what it decides is taken from it, the rest is found anew.
func Analyze(ctx context.Context, f *os.File, given *Layout, hints Hints) (*Analysis, error) {
	t, format, done, err := lookAt(ctx, f)
	if err != nil {
		return nil, err
	}
	defer done()
	look := &Analysis{Sheets: []string{}, Notes: []string{}, Columns: []ColumnLook{}, Head: []HeadRow{},
		Preview: []PreviewOffer{}, Questions: []Question{}, Unread: []UnreadColumn{}}
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
	if at := l.at(Picture); at >= 0 && at < len(look.Columns) &&
		slices.ContainsFunc(look.Columns[at].Samples, func(s string) bool {
			return webAddress(s) == "" && imageName.MatchString(s)
		}) {
		look.Notes = append(look.Notes,
			"It names its pictures without saying where they are: once the list is in, send them in a zip on its "+
				"source's page.")
	}
	if given == nil {
		look.deliverySheet(t)
	} else if err := t.refreshDeliveries(l); err != nil {
		look.Notes, l.DeliverySheet = append(look.Notes, err.Error()), ""
	}
	look.Rows = max(t.count(l)-l.Header, 0) // 0 where it is not known before all is read
	look.Field, look.Error = l.Check()
	if q, open := look.open(); open && (look.Error == "" || look.Field != "columns" || q.Key == askCost) {
		look.Field, look.Error = "questions", q.Text
	}
	return look, look.preview(t)
}

// form finds encoding and delimiter, or the sheet.
func (look *Analysis) form(t *table, anew bool, charset string) (err error) {
	l := &look.Layout
	if t.book == nil {
		if l.Encoding == "" || anew {
			guess := false
			if l.Encoding, guess, err = encodingOf(t.file, encodingName(charset)); err != nil {
				return err
			}
			if guess {
				look.Notes = append(look.Notes,
					fmt.Sprintf("It does not say in which encoding it is; %s suits its words best. If letters look "+
						"wrong, choose another.", l.Encoding))
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
		look.Notes = append(look.Notes,
			fmt.Sprintf("The workbook has %d sheets; “%s” looks like the list.", len(look.Sheets), l.Sheet))
	}
	return look.otherSheets(t)
}

// otherSheets says which sheets have the same columns, since only one is read.
func (look *Analysis) otherSheets(t *table) error {
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
		look.Notes = append(look.Notes,
			fmt.Sprintf("The same columns are on the sheets “%s” as well, which are not read: connect the file once "+
				"more for each, and choose its sheet.", strings.Join(alike, "”, “")))
	}
	return nil
}

// columns finds the header, the decimal sign, what each column holds, and what has to be asked.
func (look *Analysis) columns(sample []Row, given *Layout, hints Hints) error {
	l := &look.Layout
	for _, row := range sample[:min(len(sample), 15)] {
		look.Head = append(look.Head, HeadRow{row.Number, append([]string{}, row.Cells...)})
	}
	if given == nil {
		l.Header = 0
		if at := findHeader(sample); at >= 0 {
			l.Header = sample[at].Number
			if at > 0 {
				look.Notes = append(look.Notes,
					fmt.Sprintf("The columns are named in row %d; what stands above is left out.", l.Header))
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
			look.Notes = append(look.Notes,
				fmt.Sprintf("%d numbers look as if the decimal sign were a comma, %d as if it were a point. Look at "+
					"the costs.", comma, point))
		}
	}
	p := propose(headers, units, data, l)
	look.Notes = append(look.Notes, p.notes...)
	if given == nil || !sameHeaders(given.Columns, headers) {
		l.Columns = p.columns
		delete(l.Answers, askCost) // columns by their index, of the columns before
		delete(l.Answers, askStock)
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
	var above []string
	for _, row := range sample {
		if row.Number < l.Header {
			above = append(above, strings.Join(row.Cells, " "))
		}
	}
	look.unitQuestions(p, data, above)
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

// at is the index of a field's column, or -1.
func (l *Layout) at(f Field) int {
	return slices.IndexFunc(l.Columns, func(c Column) bool { return c.Field == f })
}
