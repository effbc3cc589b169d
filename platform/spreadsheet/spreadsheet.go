// Package spreadsheet keeps what we write for spreadsheets harmless there.
package spreadsheet

import (
	"encoding/csv"
	"io"
	"strconv"
	"strings"

	"github.com/xuri/excelize/v2"
)

// Writer writes CSV of which no cell is computed by a spreadsheet.
type Writer struct {
	*csv.Writer
	inert []string
}

// NewWriter writes to w.
func NewWriter(w io.Writer) *Writer { return &Writer{Writer: csv.NewWriter(w)} }

// Write writes a row, each cell made Inert.
func (w *Writer) Write(cells []string) error {
	w.inert = w.inert[:0]
	for _, cell := range cells {
		w.inert = append(w.inert, Inert(cell))
	}
	return w.Writer.Write(w.inert)
}

// Inert keeps a spreadsheet from computing a cell: one that begins as a formula does gets an apostrophe
// before it, but for a negative number.
func Inert(cell string) string {
	if cell != "" && (strings.IndexByte("=+@\t\r", cell[0]) >= 0 ||
		(cell[0] == '-' && strings.Trim(cell[1:], "0123456789.,") != "")) {
		return "'" + cell
	}
	return cell
}

// Kinds are the media types of the formats that Rows writes.
var Kinds = map[string]string{"csv": "text/csv; charset=utf-8",
	"xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"}

// Rows writes rows as CSV or XLSX, each cell such that no spreadsheet computes it.
func Rows(format string, w io.Writer) (write func([]string) error, end func() error, err error) {
	if format != "xlsx" {
		if _, err := io.WriteString(w, "\xef\xbb\xbf"); err != nil {
			return nil, nil, err
		}
		out := NewWriter(w)
		return out.Write, func() error { out.Flush(); return out.Error() }, nil
	}
	book := excelize.NewFile()
	sheet, err := book.NewStreamWriter("Sheet1")
	if err != nil {
		return nil, nil, err
	}
	row := 0
	return func(cells []string) error {
			row++
			values := make([]any, len(cells))
			for i, c := range cells {
				values[i] = c // a text, which no spreadsheet computes
			}
			return sheet.SetRow("A"+strconv.Itoa(row), values)
		}, func() error {
			if err := sheet.Flush(); err != nil {
				return err
			}
			return book.Write(w)
		}, nil
}
