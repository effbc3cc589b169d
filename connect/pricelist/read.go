package pricelist

import (
	"context"
	"fmt"
	"hash/maphash"
	"io"
	"os"
	"strings"

	"plainpelican/connect/source"
	"plainpelican/core/money"
)

// Reader turns a list's rows into offers.
type Reader struct {
	layout *Layout
	table  *table
	in     rows
	places map[Field][]int  // columns by field, where they are in this file
	money  map[Field]string // currencies that the headers of prices say, as signOf has them
	// currencyAt is the column with the currency of a price.
	currencyAt map[Field]int
	first      int      // the row of the column names
	names      []string // the column names, as they are in this file
	width      int
	sample     []Row // the first rows, while the list is being opened
	// section is the heading that the rows stand under, where no column names the category.
	section string
	// sectionUnit is what the heading says that prices under it are for.
	sectionUnit priceUnit
	// shared are barcodes that stand on several products.
	shared   map[string]bool
	read     int // rows with something in them, headings among them
	headings int

	group     []Row
	key       string
	scattered map[uint64]int // keys whose rows do not stand together, with how many are still to come
	waiting   map[uint64][]Row
	// waitingCost is about how many bytes the waiting rows take.
	waitingCost int
	met         map[uint64]struct{} // keys so far, where all rows of a product should stand together
	apart       bool                // they do not
	flushed     []Item
	ended       bool
	cutShort    bool // the row read last seems to go on where the file ends

	// Pictures are those that were sent beside the list: names, as PictureName has them, to addresses.
	Pictures map[string]string
	// Lazy leaves products unbuilt, for a reader that knows most of them by their sums.
	Lazy  bool
	marks []mark // the matched columns in the order of the fields
	salt  []byte
	sum   []byte

	lastCode     string
	lastCurrency money.Currency
}

// Item is an offer, or what could not be used of it, or both.
type Item struct {
	// Number and Sum are of a product that has not been built yet; Builder makes the rest of it.
	Number  string
	Sum     [32]byte
	rows    []Row
	section string
	unit    priceUnit

	Offer *source.Offer
	// Row is the row of its first variant, Cells that row.
	Row      int
	Cells    []string
	Rejected []RejectedRow
	// Doubts are by variant number: what is wrong with it, though it can be used.
	Doubts map[string]string
	// Given are by variant number what the list says where a cost is a part of it: "54.00 USD for 12".
	Given map[string]string
	// Common is how many rows hold only what the rows of their product have in common.
	Common int
}

// RejectedRow is a row that cannot be used.
type RejectedRow struct {
	source.RejectedItem
	row int
}

// Open begins to read a list by its layout. It returns ErrLayout where the file does not look
// as the layout says, and the package's other errors where it cannot be read at all.
//
// A product's rows may be scattered over the list: it is read once before, to know which are.
// With together they are taken to stand together, as they did the last time, and reading ends
// with ErrApart where they do not.
func Open(ctx context.Context, f *os.File, l *Layout, together bool) (*Reader, error) {
	format, err := kind(f)
	if err != nil {
		return nil, err
	}
	own := *l
	t, err := openTable(ctx, f, format)
	if err != nil {
		return nil, err
	}
	if format == "csv" { // the way it is written does not matter, as long as its columns are there
		if own.Encoding, _, err = encodingOf(f, l.Encoding); err != nil {
			return nil, err
		}
		if own.Format != format {
			own.Delimiter = delimiter(f, own.Encoding)
		}
	} else if own.Format != format {
		own.Decimal = "." // as a workbook stores its numbers
		if own.Sheet = ""; len(t.book.sheets()) > 0 {
			own.Sheet = t.book.sheets()[0]
		}
	}
	own.Format = format
	r, err := open(t, &own, together)
	if missing := (ErrLayout{}); errorAs(err, &missing) && format == "csv" {
		if found := delimiter(f, own.Encoding); found != own.Delimiter {
			own.Delimiter = found
			if again, err2 := open(t, &own, together); err2 == nil {
				r, err = again, nil
			}
		}
	}
	if err == nil {
		err = r.sameSign(&own, r.sample)
		r.sample = nil
	}
	if err != nil {
		t.close()
		return nil, err
	}
	r.in = readAhead(r.in)
	return r, nil
}

// open finds the columns of a layout in a table.
func open(t *table, l *Layout, together bool) (*Reader, error) {
	r := &Reader{layout: l, table: t, places: map[Field][]int{}}
	if err := t.refreshDeliveries(l); err != nil {
		return nil, err
	}
	sample, err := t.sample(l, sampleRows)
	if err != nil {
		return nil, err
	}
	r.sample = sample
	header, err := r.resolve(sample)
	if err != nil {
		return nil, err
	}
	r.first = header
	_, _, data := split(sample, header)
	if len(data) == 0 {
		return nil, ErrNoRows
	}
	r.shared = sharedBarcodes(data, r.places[Barcode], func(row Row) string {
		return r.keyOf(row, "") + "\x00" + r.get(row, Title)
	})
	if together {
		r.met = map[uint64]struct{}{}
	} else if l.Grouping != EachRow {
		if err := r.scan(header); err != nil {
			return nil, err
		}
	}
	r.in, err = t.rows(l)
	if err != nil {
		return nil, err
	}
	return r, r.skipTo(r.in, header)
}

// Together tells whether the rows of each product stand together, as far as is known.
func (r *Reader) Together() bool { return !r.apart && len(r.scattered) == 0 }

// CutShort tells, at the end, whether the file seems to end within its last row.
func (r *Reader) CutShort() bool { return r.cutShort }

// Total is about how many rows there are.
func (r *Reader) Total() int { return max(r.table.count(r.layout)-r.layout.Header, 0) }

// Close lets the file go.
func (r *Reader) Close() {
	if r.in != nil {
		r.in.close()
	}
	r.table.close()
}

var seed = maphash.MakeSeed()

const (
	mostScattered = 400_000
	mostVariants  = 2000
)

// usable tells whether a row is part of the data, for grouping.
func (r *Reader) usable(row Row) bool {
	return row.Error == "" && !blank(row) && !r.heading(row) && !r.again(row) && !r.unitsRow(row)
}

// unitsRow tells whether a row stands under the column names and says in what they are.
func (r *Reader) unitsRow(row Row) bool {
	return r.first > 0 && row.Number == r.first+1 && isUnits(row)
}

// heading tells whether a row names a section: a single cell with words, where rows have more.
func (r *Reader) heading(row Row) bool {
	filled, text := 0, ""
	for _, cell := range row.Cells {
		if t := strings.TrimSpace(cell); t != "" {
			if filled++; filled > 1 {
				return false
			}
			text = t
		}
	}
	if filled != 1 || r.width < 3 || len(text) > 80 {
		return false
	}
	number, _ := unit(text)
	_, err := decimalText(number, r.layout.Decimal)
	return err != nil
}

// goesOn tells whether a row with one filled cell continues the words of the row above: they stand in the column of
// titles or descriptions, where that is not the first, as a heading's do.
func (r *Reader) goesOn(row Row) bool {
	for _, f := range []Field{Title, Description} {
		if at := r.places[f]; len(at) > 0 && at[0] > 0 && row.cell(at[0]) != "" {
			return true
		}
	}
	return false
}

// maxProducts is on how many products of a list's first rows a barcode may stand: the same item under two names is
// one thing, a number that was copied down is another.
const maxProducts = 3

// sharedBarcodes are those that stand on many products of different names: no numbers of theirs.
func sharedBarcodes(data []Row, column []int, product func(Row) string) map[string]bool {
	if len(column) == 0 {
		return nil
	}
	on, shared := map[string]map[string]bool{}, map[string]bool{}
	for _, row := range data {
		code := row.cell(column[0])
		if code == "" {
			continue
		}
		if on[code] == nil {
			on[code] = map[string]bool{}
		}
		if on[code][product(row)] = true; len(on[code]) > maxProducts {
			shared[code] = true
		}
	}
	return shared
}

// again tells whether a row repeats the column names, as at the top of each printed page.
func (r *Reader) again(row Row) bool {
	if r.layout.Header == 0 || len(row.Cells) < 2 {
		return false
	}
	for i, name := range r.names {
		if i >= len(row.Cells) || strings.Join(strings.Fields(row.Cells[i]), " ") != name {
			return false
		}
	}
	return true
}

// get is a field's cell of a row, without space around it.
func (r *Reader) get(row Row, f Field) string {
	places := r.places[f]
	if len(places) == 0 || places[0] >= len(row.Cells) {
		return ""
	}
	text := strings.TrimSpace(row.Cells[places[0]])
	if len(text) > 1 && text[0] == '\'' && strings.IndexByte("=+-@", text[1]) >= 0 {
		return text[1:] // as our own exports keep a spreadsheet from computing it
	}
	return text
}

// keyOf is what a row has in common with the other rows of its product.
func (r *Reader) keyOf(row Row, last string) string {
	switch r.layout.Grouping {
	case ByParent:
		if key := r.get(row, Parent); key != "" {
			return key
		}
		if r.get(row, Title) == "" && last != "" {
			return last // merged cells: only the first row has the number
		}
		return "\x00" + r.get(row, Number)
	case ByTitle:
		if key := strings.ToLower(strings.Join(strings.Fields(r.get(row, Title)), " ")); key != "" {
			return key
		}
		return last
	}
	return ""
}

// Next reads one offer, or what was set aside; the end is io.EOF.
func (r *Reader) Next() (Item, error) {
	for {
		if len(r.flushed) > 0 {
			item := r.flushed[0]
			r.flushed = r.flushed[1:]
			return item, nil
		}
		if r.apart {
			return Item{}, ErrScattered
		}
		if r.ended {
			return Item{}, io.EOF
		}
		row, err := r.in.next()
		if err == io.EOF {
			r.ended = true
			r.flush()
			continue
		}
		if err != nil {
			return Item{}, err
		}
		r.take(row)
	}
}

// take puts a row where it belongs.
func (r *Reader) take(row Row) {
	if blank(row) || r.again(row) || r.unitsRow(row) {
		return
	}
	r.read++
	r.cutShort = row.cut || row.unended && len(row.Cells) < r.width || row.Error == neverClosed
	if row.Error != "" {
		r.reject(row, row.Error)
		return
	}
	if r.heading(row) {
		text := strings.Join(strings.Fields(strings.Join(row.Cells, " ")), " ")
		if r.goesOn(row) {
			r.reject(row, "it seems to go on from the row above, which is read without it")
			return
		}
		if unit := unitIn(text); len(r.places[Category]) == 0 || unit.pieces > 1 || unit.pack != "" {
			r.flush()
			r.section, r.sectionUnit = text, unit
			r.headings++
			return
		}
		r.reject(row, "only one of its cells is filled")
		return
	}
	if row.cut {
		for _, f := range []Field{Cost, List, MinAdvertised, Pack, PriceFor} {
			if at := r.places[f]; len(at) > 0 && at[0] == len(row.Cells)-1 {
				r.reject(row, cutShort)
				return
			}
		}
	}
	for _, extra := range row.Cells[min(len(row.Cells), r.width):] {
		if strings.TrimSpace(extra) != "" {
			r.reject(row,
				fmt.Sprintf("it has %d cells, the header has %d: a sign between the columns stands within one",
					len(row.Cells), r.width))
			return
		}
	}
	if r.layout.Grouping == EachRow {
		r.flushed = append(r.flushed, r.product([]Row{row}))
		return
	}
	key := r.keyOf(row, r.key)
	h := maphash.String(seed, key)
	if left, scattered := r.scattered[h]; scattered {
		r.scattered[h] = left - 1
		r.key = key
		if cost := costOf(row); len(r.waiting[h]) >= mostVariants || r.waitingCost+cost > maxWaitingCost {
			r.reject(row, tooManyRows)
		} else {
			r.waiting[h] = append(r.waiting[h], row)
			r.waitingCost += cost
		}
		if left == 1 {
			r.release(h)
		}
		return
	}
	if key != r.key {
		r.flush()
		if r.met != nil {
			_, r.apart = r.met[h]
			r.met[h] = struct{}{}
		}
	}
	r.key = key
	if len(r.group) >= mostVariants {
		r.reject(row, tooManyRows)
		return
	}
	r.group = append(r.group, row)
}

const (
	tooManyRows    = "its product has more rows than can be kept together"
	maxWaitingCost = 128 << 20 // bytes of rows that wait for the others of their products
)

// costOf is about how many bytes a row takes.
func costOf(row Row) (bytes int) {
	for _, cell := range row.Cells {
		bytes += len(cell) + 16
	}
	return bytes
}

// release ends the waiting of a product's rows.
func (r *Reader) release(h uint64) {
	rows := r.waiting[h]
	if len(rows) == 0 {
		return // all were set aside
	}
	for _, row := range rows {
		r.waitingCost -= costOf(row)
	}
	r.flushed = append(r.flushed, r.product(rows))
	delete(r.waiting, h)
}

func (r *Reader) flush() {
	if len(r.group) > 0 {
		r.flushed = append(r.flushed, r.product(r.group))
	}
	r.group = nil
	if r.ended {
		for h := range r.waiting { // rows of theirs were set aside before they came here
			r.release(h)
		}
	}
}

func (r *Reader) aside(row Row, number, reason string) RejectedRow {
	return RejectedRow{source.RejectedItem{Number: number, Position: fmt.Sprintf("row %d", row.Number), Reason: reason,
		Cells: row.Cells}, row.Number}
}

func (r *Reader) reject(row Row, reason string) {
	number := r.get(row, Number)
	if r.layout.Grouping == ByParent {
		number = r.get(row, Parent)
	}
	r.flushed = append(r.flushed,
		Item{Row: row.Number, Cells: row.Cells, Rejected: []RejectedRow{r.aside(row, number, reason)}})
}

// Names are the column names as they are in this file.
func (r *Reader) Names() []string { return r.names }
