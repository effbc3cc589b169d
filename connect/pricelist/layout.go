// Package pricelist reads wholesalers' price lists, CSV and XLSX, whatever they look like: it
// finds out by looking how a file is written and which column holds what, and turns its
// rows into offers.
package pricelist

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"plainpelican/core/landed"
	"plainpelican/core/money"
)

// Field is what a column holds.
type Field string

// The fields. A list may have several Option and Picture columns, and one of each other.
const (
	Ignored       Field = ""
	Number        Field = "number"
	Parent        Field = "parent"
	Title         Field = "title"
	Description   Field = "description"
	Category      Field = "category"
	Brand         Field = "brand"
	Cost          Field = "cost"
	Currency      Field = "currency"
	Pack          Field = "pack"
	Stock         Field = "stock"
	Barcode       Field = "barcode"
	Weight        Field = "weight"
	MinAdvertised Field = "min_advertised"
	List          Field = "list_price"
	Picture       Field = "picture"
	Page          Field = "page"
	Option        Field = "option"
	// PriceFor is what one price buys: a number of pieces, or a code such as EA, DZ or CTN.
	PriceFor Field = "price_for"
	// MinOrder is the least quantity that can be ordered.
	MinOrder Field = "min_order"
)

// Fields lists all, in the order in which people look for them.
var Fields = []Field{Number, Parent, Title, Description, Category, Brand, Cost, Currency, PriceFor, Pack, MinOrder,
	Stock, Barcode, Weight, MinAdvertised, List, Picture, Page, Option}

func (f Field) many() bool { return f == Option || f == Picture || f == Ignored }

// Column is a column of a list, by its header, and what it holds.
type Column struct {
	Header string `json:"header"`
	Field  Field  `json:"field" maxLength:"20" doc:"Empty where it is not read"`
	// Currency is that of its prices where its header says it; "~" and a sign that several share.
	Currency string `json:"currency,omitempty" maxLength:"8"`
}

// Grouping is how several rows make one offer.
type Grouping string

// The groupings.
const (
	EachRow  Grouping = "row"
	ByParent Grouping = "parent"
	ByTitle  Grouping = "title"
)

// Layout is how a list is read.
type Layout struct {
	Format    string `json:"format" enum:"csv,xlsx,ubl"`
	Encoding  string `json:"encoding" maxLength:"20"`
	Delimiter string `json:"delimiter" maxLength:"1"`
	Sheet     string `json:"sheet" maxLength:"100"`
	// Header is the row of the column names, from 1; 0 is a list without.
	Header int `json:"header" minimum:"0" maximum:"1000"`
	// Decimal is the decimal sign; the other of point and comma separates thousands.
	Decimal string `json:"decimal" maxLength:"1"`
	// Currency is that of the whole list; empty where a column names it.
	Currency string `json:"currency" maxLength:"3"`
	PerPack  bool   `json:"per_pack" doc:"A cost is for as many pieces as the pack column says"`
	Per      int    `json:"per,omitempty" minimum:"0" maximum:"1000000" doc:"Pieces a cost is for; 0 is one"`
	Minor    bool   `json:"minor,omitempty" doc:"Prices are in minor units, such as cents"`
	// CellCurrency is true where every price names its own, and the list has no other.
	CellCurrency bool `json:"cell_currency,omitempty"`
	// Signs say for which currency a sign stands that several share.
	Signs      map[string]string `json:"signs,omitempty"`
	WeightUnit string            `json:"weight_unit,omitempty" maxLength:"2" doc:"Where none is named: g, kg, oz or lb"`
	// StockWords say how many words for stock mean: yes, low.
	StockWords map[string]int `json:"stock_words,omitempty"`
	// Answers are to the questions that the list leaves open, by their keys.
	Answers  map[string]string `json:"answers,omitempty"`
	Grouping Grouping          `json:"grouping" enum:"row,parent,title"`
	Columns  []Column          `json:"columns" maxItems:"500"`
	// What a list does not say of its supplier.
	Supplier   string            `json:"supplier" maxLength:"100"`
	Country    string            `json:"country" maxLength:"2" doc:"Where it ships from, ISO 3166 alpha-2"`
	Processing landed.Days       `json:"processing"`
	Deliveries []landed.Delivery `json:"deliveries" maxItems:"100"`
	// DeliverySheet is the sheet of the workbook that says what delivery costs.
	DeliverySheet string `json:"delivery_sheet,omitempty" maxLength:"100" doc:"Read with each new file"`
}

// NotSaid are the days of processing that nobody has said yet.
var NotSaid = landed.Days{Min: -1, Max: -1}

// Check says in a sentence why nothing can be read by a layout, and with which field.
func (l *Layout) Check() (field, reason string) {
	if l.Deliveries == nil {
		l.Deliveries = []landed.Delivery{} // a list of none, as people and machines read it
	}
	if l.Format == "ubl" {
		return l.terms()
	}
	count := map[Field]int{}
	for _, c := range l.Columns {
		if !slices.Contains(Fields, c.Field) && c.Field != Ignored {
			return "columns", fmt.Sprintf("“%s” is not something that a column can hold.", c.Field)
		}
		if count[c.Field]++; count[c.Field] > 1 && !c.Field.many() {
			return "columns", fmt.Sprintf("Two columns are said to hold the %s. Choose one.", c.Field.Words())
		}
	}
	switch {
	case count[Cost] == 0:
		return "columns", "Say which column holds the cost."
	case count[Title] == 0:
		return "columns", "Say which column holds the title."
	case l.Grouping == ByParent && count[Parent] == 0:
		return "grouping", "Say which column holds the product number that rows have in common."
	case l.PerPack && count[Pack] == 0:
		return "per_pack", "Say which column holds how many pieces are in a pack."
	case l.Decimal != "." && l.Decimal != ",":
		return "decimal", "The decimal sign is a point or a comma."
	case l.Format == "csv" && decoderOf(l.Encoding) == nil:
		return "encoding", "That is not an encoding that can be read."
	case l.Format == "csv" && (len(l.Delimiter) != 1 || l.Delimiter == `"` || l.Delimiter == "\n"):
		return "delimiter", "Say which sign stands between the columns."
	}
	if l.Currency != "" {
		if _, err := money.ParseCurrency(l.Currency); err != nil {
			return "currency", fmt.Sprintf("“%s” is not a currency.", l.Currency)
		}
	} else if count[Currency] == 0 && !l.CellCurrency {
		return "currency", "Say which currency the prices are in."
	}
	for sign, code := range l.Signs {
		if !slices.Contains(sharedSigns[sign], code) {
			return "currency", fmt.Sprintf("“%s” does not stand for “%s”.", sign, code)
		}
	}
	return l.terms()
}

// terms checks what a list does not say of its supplier.
func (l *Layout) terms() (field, reason string) {
	switch {
	case len(l.Country) != 2 || strings.ToUpper(l.Country) != l.Country:
		return "country", "Say which country the supplier ships from."
	case strings.TrimSpace(l.Supplier) == "":
		return "supplier", "Give the supplier a name."
	case l.Processing == NotSaid:
		return "processing",
			"Say how many days the supplier takes before it ships: 0 to 0 where it ships on the same day."
	case l.Processing.Min < 0 || l.Processing.Max < l.Processing.Min || l.Processing.Max > 365:
		return "processing", "Processing ends before it begins, or takes more than a year: give the fewer days first."
	}
	for _, d := range l.Deliveries {
		if strings.TrimSpace(d.Name) == "" || len(d.To) == 0 || d.First.Negative() || d.Further.Negative() ||
			d.First.Currency() != d.Further.Currency() || d.Transit.Min < 0 || d.Transit.Max < d.Transit.Min ||
			d.Transit.Max > 365 {
			return "deliveries", "Each delivery needs a name, where it goes, its charges and its days."
		}
	}
	return "", ""
}

// Words is the field as people call it.
func (f Field) Words() string {
	switch f {
	case Parent:
		return "product number"
	case MinAdvertised:
		return "minimum advertised price"
	case List:
		return "list price"
	case Pack:
		return "pieces in a pack"
	case Page:
		return "page's address"
	case PriceFor:
		return "unit of the price"
	case MinOrder:
		return "least order quantity"
	}
	return string(f)
}

// What can be wrong with a file as a whole. Each is a sentence for a person.
var (
	ErrEmpty     = errors.New("the file is empty")
	ErrNoRows    = errors.New("the file has a header and nothing under it")
	ErrPassword  = errors.New("the workbook is protected by a password: save it without one and send it again")
	ErrOldExcel  = errors.New("the workbook is in the format of before 2007: save it as XLSX or CSV and send it again")
	ErrXML       = errors.New("the file is XML")
	ErrWebPage   = errors.New("that is a web page, perhaps one that asks to sign in, not a price list")
	ErrNotATable = errors.New("that is not a price list: neither CSV nor XLSX")
	ErrJSON      = errors.New("the file is JSON, which is not read as a price list: ask for the list as CSV or XLSX")
	ErrZipped    = errors.New("the file is a zip with other files in it: unpack it, and send the list itself")
	ErrPDF       = errors.New("the file is a PDF, which has no rows to read: ask for the list as CSV or XLSX")
	ErrWebTable  = errors.New("the file is a web page, whatever it is called: open it in a spreadsheet and save it " +
		"as " +
		"XLSX or CSV")
	// ErrScattered is told where rows of a product do not stand together, though they were said to.
	ErrScattered = errors.New("the rows of one product do not stand together")
	ErrBomb      = errors.New("the file unpacks to far more than it should; it was not read")
	ErrBroken    = errors.New("the workbook is damaged and cannot be opened")
)

// ErrLayout is returned where a list does not look as its layout says; Reason is a sentence.
type ErrLayout struct{ Reason string }

func (e ErrLayout) Error() string { return e.Reason }

// Same tells whether the columns that were looked at are those that were matched.
func Same(looked []ColumnLook, matched []Column) bool {
	return slices.EqualFunc(looked, matched, func(a ColumnLook, b Column) bool {
		return a.Header == b.Header && a.Field == b.Field
	})
}

// Keep takes over into a layout that was found anew what an earlier one said: of the columns
// that are still there, of the supplier, and of how rows and costs are read.
func (l *Layout) Keep(before *Layout) *Layout {
	next := *l
	next.Columns = slices.Clone(l.Columns)
	said := map[string]Field{}
	for _, c := range before.Columns {
		said[plain(c.Header)] = c.Field
	}
	for i, c := range next.Columns {
		f, known := said[plain(c.Header)]
		if !known {
			continue
		}
		if !f.many() {
			for j := range next.Columns { // what was said stands above what is proposed
				if next.Columns[j].Field == f {
					next.Columns[j].Field = Ignored
				}
			}
		}
		next.Columns[i].Field = f
	}
	next.Supplier, next.Country, next.Processing, next.Deliveries, next.DeliverySheet, next.Grouping = before.Supplier,
		before.Country, before.Processing, before.Deliveries, before.DeliverySheet, before.Grouping
	next.CellCurrency, next.PerPack, next.Per, next.Minor, next.WeightUnit, next.Signs,
		next.StockWords = before.CellCurrency, before.PerPack, before.Per, before.Minor, before.WeightUnit,
		before.Signs, before.StockWords
	next.Answers = maps.Clone(before.Answers)
	delete(next.Answers, askCost) // by its column's index, which may be another now
	delete(next.Answers, askStock)
	if next.Currency == "" && next.at(Currency) < 0 {
		next.Currency = before.Currency
	}
	return &next
}
