// Package spreadsheet keeps what we write for spreadsheets harmless there.
package spreadsheet

import (
	"encoding/csv"
	"io"
	"strings"
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
