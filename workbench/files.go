package workbench

import (
	"bytes"
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/xuri/excelize/v2"

	"plainpelican/core/edit"
	"plainpelican/core/money"
	"plainpelican/platform/apikit"
	"plainpelican/platform/spreadsheet"
)

// fileColumns are the columns of the file of drafts, a row for each variant: what it is called there, and whether it is
// of the draft, and so the same in all its rows. Option and sold are shown and not read.
var fileColumns = []struct {
	name    string
	ofDraft bool
}{{"draft", true}, {"title", true}, {"type", true}, {"vendor", true}, {"collections", true}, {"tags", true},
	{"search title", true}, {"search description", true}, {"stock reserve", true}, {"variant", false},
	{"values", false}, {"sold", false}, {"sku", false}, {"barcode", false}, {"price", false}}

const maxFileDrafts = 50_000

// Export writes the drafts that a filter finds, a row for each variant, as CSV or as XLSX; prices are those of a store.
func (s *Service) Export(ctx context.Context, storeID int64, f Filter, format string, w io.Writer) error {
	write, end, err := spreadsheet.Rows(format, w)
	if err != nil {
		return err
	}
	header := make([]string, len(fileColumns))
	for i, c := range fileColumns {
		header[i] = c.name
	}
	if err := write(header); err != nil {
		return err
	}
	for before, n := int64(0), 0; n < maxFileDrafts; {
		page, err := s.Table(ctx, storeID, before, 500, nil, f, true)
		if err != nil {
			return err
		}
		for _, r := range page.Rows {
			for _, v := range r.Variants {
				if err := write(fileRow(&r, &v)); err != nil {
					return err
				}
			}
		}
		n += len(page.Rows)
		if before = page.Next; before == 0 {
			break
		}
	}
	return end()
}

func fileRow(r *TableRow, v *TableVariant) []string {
	price, sold := "", "no"
	if v.Price != nil {
		price = v.Price.Decimal()
	}
	if v.Chosen {
		sold = "yes"
	}
	return []string{strconv.FormatInt(r.ID, 10), r.Title, r.Type, r.Vendor, strings.Join(r.Collections, ", "),
		strings.Join(r.Tags, ", "), r.SearchTitle, r.SearchDescription, strconv.Itoa(r.Reserve),
		strconv.FormatInt(v.ID, 10), strings.Join(v.Values, " "), sold, v.SKU, v.Barcode, price}
}

// FileDifference is one cell of a file that differs from what is stored.
type FileDifference struct {
	DraftID int64  `json:"draft_id"`
	Title   string `json:"title"`
	// Variant is the variant's values; empty where the cell is of the draft.
	Variant string `json:"variant"`
	Column  string `json:"column"`
	Before  string `json:"before"`
	After   string `json:"after"`
}

// RejectedLine is a row of a file that cannot be used.
type RejectedLine struct {
	Row    int    `json:"row" doc:"Counted from 1, the head is the first"`
	Reason string `json:"reason"`
}

// FileResult is what a file of drafts would change, or has changed.
type FileResult struct {
	Rows        int              `json:"rows"`
	Drafts      int              `json:"drafts" doc:"That would change"`
	Differences []FileDifference `json:"differences" doc:"The first 1,000"`
	// More counts the differences that are not listed.
	More     int            `json:"more"`
	Rejected []RejectedLine `json:"rejected" doc:"The first 200"`
	// Refused and Bulk are those of EditManyResult, where the changes were made.
	Refused []RefusedEdit `json:"refused"`
	Bulk    int64         `json:"bulk"`
}

const maxDifferences, maxRejected, maxEdits = 1000, 200, 10_000

// Import looks at a file of drafts as Export writes it, changed elsewhere, or makes the changes as one step. Columns
// that are left out, and rows, stay as they are. Its error is a sentence.
func (s *Service) Import(ctx context.Context, storeID int64, content []byte, apply bool) (FileResult, error) {
	rows, err := fileRows(content)
	if err != nil {
		return FileResult{}, err
	}
	if len(rows) == 0 {
		return FileResult{}, apikit.Problem(422, "file", "The file has no rows.")
	}
	in := &fileReader{out: FileResult{Rows: len(rows) - 1, Differences: []FileDifference{}, Rejected: []RejectedLine{},
		Refused: []RefusedEdit{}}, storeID: storeID, edits: map[int64]*EditInput{},
		first: map[string]firstCell{}}
	if err := in.head(rows[0]); err != nil {
		return in.out, err
	}
	if in.column["price"] >= 0 && storeID != 0 {
		pricer, err := s.Pricing.Pricer(ctx, storeID)
		if err != nil {
			return in.out, err
		}
		in.currency = pricer.Currency
	}
	if err := s.compare(ctx, in, rows[1:]); err != nil {
		return in.out, err
	}
	var edits []DraftEdit
	for id, e := range in.edits {
		edits = append(edits, DraftEdit{id, *e})
	}
	in.out.Drafts = len(edits)
	if !apply || len(edits) == 0 {
		return in.out, nil
	}
	if len(edits) > maxEdits {
		return in.out, apikit.Problem(422, "file",
			"The file changes %d drafts; up to %d are changed at once. Send it in parts.", len(edits), maxEdits)
	}
	made, err := s.EditMany(ctx, storeID, edits)
	in.out.Refused, in.out.Bulk = made.Refused, made.Bulk
	return in.out, err
}

// fileReader reads a file of drafts.
type fileReader struct {
	out      FileResult
	storeID  int64
	currency money.Currency
	column   map[string]int
	edits    map[int64]*EditInput
	first    map[string]firstCell // of each draft, by draft and column
}

type firstCell struct {
	row  int
	text string
}

func (in *fileReader) head(cells []string) error {
	in.column = map[string]int{}
	for _, c := range fileColumns {
		in.column[c.name] = slices.IndexFunc(cells, func(cell string) bool {
			return strings.EqualFold(strings.TrimSpace(cell), c.name)
		})
	}
	if in.column["draft"] < 0 {
		return apikit.Problem(422, "file",
			"The first row has to name the columns, and one has to be “draft”, as in the file that is exported.")
	}
	if in.column["variant"] < 0 && (in.column["sku"] >= 0 || in.column["barcode"] >= 0 || in.column["price"] >= 0) {
		return apikit.Problem(422, "file", "SKUs, barcodes and prices need the column “variant”, as it is exported.")
	}
	return nil
}

func (in *fileReader) cell(row []string, column string) (string, bool) {
	at := in.column[column]
	if at < 0 || at >= len(row) {
		return "", false
	}
	text := strings.TrimSpace(row[at])
	if rest, marked := strings.CutPrefix(text, "'"); marked && spreadsheet.Inert(rest) == text {
		text = rest // as it was written, so that no spreadsheet computes it
	}
	return text, utf8.ValidString(text)
}

func (in *fileReader) reject(row int, format string, args ...any) {
	if len(in.out.Rejected) < maxRejected {
		in.out.Rejected = append(in.out.Rejected, RejectedLine{row, fmt.Sprintf(format, args...)})
	}
}

// compare reads rows, some drafts at a time, against what is stored.
func (s *Service) compare(ctx context.Context, in *fileReader, rows [][]string) error {
	const slice = 500
	for from := 0; from < len(rows); {
		var ids []int64
		to := from
		for ; to < len(rows); to++ {
			text, _ := in.cell(rows[to], "draft")
			id, err := strconv.ParseInt(text, 10, 64)
			if err != nil || slices.Contains(ids, id) {
				continue
			}
			if len(ids) == slice {
				break
			}
			ids = append(ids, id)
		}
		page, err := s.Table(ctx, in.storeID, 0, slice, append([]int64{}, ids...), Filter{}, true)
		if err != nil {
			return err
		}
		byID := map[int64]*TableRow{}
		for i := range page.Rows {
			byID[page.Rows[i].ID] = &page.Rows[i]
		}
		for i := from; i < to; i++ {
			in.row(i+2, rows[i], byID)
		}
		from = to
	}
	return nil
}

// row reads one row, the number of which is counted from 1.
func (in *fileReader) row(number int, cells []string, drafts map[int64]*TableRow) {
	text, _ := in.cell(cells, "draft")
	if text == "" && strings.TrimSpace(strings.Join(cells, "")) == "" {
		return
	}
	id, err := strconv.ParseInt(text, 10, 64)
	d := drafts[id]
	if err != nil || d == nil {
		in.reject(number, "There is no draft “%.40s”.", text)
		return
	}
	for _, c := range fileColumns {
		if c.ofDraft && c.name != "draft" {
			in.draftCell(number, cells, c.name, d)
		}
	}
	text, given := in.cell(cells, "variant")
	if !given || text == "" {
		return
	}
	variant, err := strconv.ParseInt(text, 10, 64)
	at := slices.IndexFunc(d.Variants, func(v TableVariant) bool { return v.ID == variant })
	if err != nil || at < 0 {
		in.reject(number, "Draft %d has no variant “%.40s”.", id, text)
		return
	}
	in.variantCells(number, cells, d, &d.Variants[at])
}

func (in *fileReader) edit(d *TableRow) *EditInput {
	e := in.edits[d.ID]
	if e == nil {
		e = &EditInput{}
		in.edits[d.ID] = e
	}
	return e
}

func (in *fileReader) differs(d *TableRow, variant, column, before, after string) {
	if len(in.out.Differences) >= maxDifferences {
		in.out.More++
		return
	}
	in.out.Differences = append(in.out.Differences, FileDifference{d.ID, d.Title, variant, column, before, after})
}

// draftCell reads a cell that is of the draft: that of the first of its rows counts.
func (in *fileReader) draftCell(number int, cells []string, column string, d *TableRow) {
	text, given := in.cell(cells, column)
	if !given {
		return
	}
	var now string
	var set func(*EditInput)
	list := func() *[]string {
		names := []string{}
		for _, n := range strings.Split(text, ",") {
			if n = strings.TrimSpace(n); n != "" {
				names = append(names, n)
			}
		}
		return &names
	}
	switch column {
	case "title":
		now, set = d.Title, func(e *EditInput) { e.Title = &text }
	case "type":
		now, set = d.Type, func(e *EditInput) { e.Type = &text }
	case "vendor":
		now, set = d.Vendor, func(e *EditInput) { e.Vendor = &text }
	case "search title":
		now, set = d.SearchTitle, func(e *EditInput) { e.SearchTitle = &text }
	case "search description":
		now, set = d.SearchDescription, func(e *EditInput) { e.SearchDescription = &text }
	case "collections":
		now, set = strings.Join(d.Collections, ", "), func(e *EditInput) { e.Collections = list() }
	case "tags":
		now, set = strings.Join(d.Tags, ", "), func(e *EditInput) { e.Tags = list() }
	case "stock reserve":
		n, err := strconv.Atoi(text)
		if text != "" && (err != nil || n < 0 || n > edit.MaxReserve) {
			in.reject(number, "“%.40s” is no stock reserve.", text)
			return
		}
		now, set = strconv.Itoa(d.Reserve), func(e *EditInput) { e.Reserve = &n }
		if text == "" {
			text = "0"
		}
	}
	same := text == now || strings.Join(strings.Fields(text), " ") == now
	key := strconv.FormatInt(d.ID, 10) + " " + column
	if first, again := in.first[key]; again {
		if !same && first.text != text {
			in.reject(number, "Its %s is another than in row %d, and not taken: the first row of a draft counts.",
				column, first.row)
		}
		return
	}
	in.first[key] = firstCell{number, text}
	if !same {
		set(in.edit(d))
		in.differs(d, "", column, now, text)
	}
}

func (in *fileReader) variantCells(number int, cells []string, d *TableRow, v *TableVariant) {
	name := strings.Join(v.Values, " ")
	if name == "" {
		name = "Default"
	}
	codes := edit.VariantCodes{VariantID: v.ID}
	if sku, given := in.cell(cells, "sku"); given && sku != v.SKU {
		codes.SKU = &sku
		in.differs(d, name, "sku", v.SKU, sku)
	}
	if barcode, given := in.cell(cells, "barcode"); given && barcode != v.Barcode {
		codes.Barcode = &barcode
		in.differs(d, name, "barcode", v.Barcode, barcode)
	}
	if codes.SKU != nil || codes.Barcode != nil {
		e := in.edit(d)
		if e.Codes == nil {
			e.Codes = &[]edit.VariantCodes{}
		}
		*e.Codes = append(*e.Codes, codes)
	}
	price, given := in.cell(cells, "price")
	if !given || in.storeID == 0 || price == "" && !v.Manual {
		return
	}
	now := ""
	if v.Price != nil {
		now = v.Price.Decimal()
	}
	if price != "" {
		amount, err := money.Parse(plainNumber(price), in.currency)
		if err != nil || amount.Minor() <= 0 {
			in.reject(number, "“%.40s” is not a price in %s.", price, in.currency)
			return
		}
		if price = amount.Decimal(); price == now {
			return
		}
	}
	e := in.edit(d)
	if e.Prices == nil {
		e.Prices = &[]PriceOverride{}
	}
	*e.Prices = append(*e.Prices, PriceOverride{v.ID, price})
	in.differs(d, name, "price", now, price)
}

const maxFileRows = 500_000

// fileRows reads CSV, its cells parted by commas, semicolons or tabs, or the first sheet of XLSX.
func fileRows(content []byte) ([][]string, error) {
	if bytes.HasPrefix(content, []byte("PK\x03\x04")) {
		book, err := excelize.OpenReader(bytes.NewReader(content), excelize.Options{UnzipSizeLimit: 200 << 20,
			UnzipXMLSizeLimit: 100 << 20})
		if err != nil {
			return nil, apikit.Problem(422, "file", "The file cannot be read as a spreadsheet.")
		}
		defer func() { _ = book.Close() }()
		sheets := book.GetSheetList()
		if len(sheets) == 0 {
			return nil, apikit.Problem(422, "file", "The spreadsheet has no sheet.")
		}
		found, err := book.Rows(sheets[0])
		if err != nil {
			return nil, apikit.Problem(422, "file", "The spreadsheet cannot be read.")
		}
		var rows [][]string
		for found.Next() && len(rows) <= maxFileRows {
			cells, err := found.Columns()
			if err != nil {
				return nil, apikit.Problem(422, "file", "Row %d of the spreadsheet cannot be read.", len(rows)+1)
			}
			rows = append(rows, cells)
		}
		return rows, nil
	}
	content = bytes.TrimPrefix(content, []byte("\xef\xbb\xbf"))
	if !utf8.Valid(content) {
		return nil, apikit.Problem(422, "file", "The file is not UTF-8. Save it as CSV in UTF-8, or as XLSX.")
	}
	first, _, _ := bytes.Cut(content, []byte("\n"))
	read := csv.NewReader(bytes.NewReader(content))
	read.FieldsPerRecord, read.LazyQuotes = -1, true
	for _, comma := range []byte{';', '\t'} {
		if bytes.Count(first, []byte{comma}) > bytes.Count(first, []byte{','}) {
			read.Comma = rune(comma)
		}
	}
	var rows [][]string
	for len(rows) <= maxFileRows {
		cells, err := read.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, apikit.Problem(422, "file", "The file cannot be read as CSV: %s.", err)
		}
		rows = append(rows, cells)
	}
	return rows, nil
}
