package pricelist

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"io"
	"os"
	"regexp"
	"slices"
	"strings"

	"github.com/xuri/excelize/v2"
)

const (
	mostUnpacked = 2 << 30
	mostRatio    = 300 // a sheet of repeated cells packs to about a fiftieth
)

// checkZip refuses archives that unpack to far more than they are, without unpacking them.
func checkZip(f *os.File, size int64) error {
	z, err := zip.NewReader(f, size)
	if err != nil {
		return ErrBroken
	}
	return CheckZip(z)
}

// CheckZip returns ErrBomb for an archive that unpacks to far more than it is, by what it says of itself.
func CheckZip(z *zip.Reader) error {
	var total uint64
	for _, entry := range z.File {
		total += entry.UncompressedSize64
		if total > mostUnpacked ||
			(entry.UncompressedSize64 > 64<<20 &&
				entry.UncompressedSize64 > mostRatio*max(entry.CompressedSize64, 1)) || len(z.File) > 20000 {
			return ErrBomb
		}
	}
	return nil
}

// encrypted finds the name of the stream that holds a workbook under a password (MS-OFFCRYPTO 2.3.4).
var encrypted = []byte("E\x00n\x00c\x00r\x00y\x00p\x00t\x00e\x00d\x00P\x00a\x00c\x00k\x00a\x00g\x00e\x00")

var compound = []byte{0xd0, 0xcf, 0x11, 0xe0, 0xa1, 0xb1, 0x1a, 0xe1} // an OLE compound file (MS-CFB 2.2)

// compoundFile says why a compound file cannot be read.
func compoundFile(f *os.File) error {
	head := make([]byte, 1<<20)
	n, err := f.ReadAt(head, 0)
	if err != nil && err != io.EOF {
		return err
	}
	if bytes.Contains(head[:n], encrypted) {
		return ErrPassword
	}
	return ErrOldExcel
}

// workbook is an opened XLSX file.
type workbook struct {
	file       *excelize.File
	name       string // of the slim copy
	slim       *zip.ReadCloser
	parts      map[string]*zip.File // by sheet
	currencies []string             // of number formats, by style
}

func openWorkbook(ctx context.Context, f *os.File) (w *workbook, err error) {
	info, err := f.Stat()
	if err != nil {
		return nil, err
	}
	if err := checkZip(f, info.Size()); err != nil {
		return nil, err
	}
	defer func() {
		if p := recover(); p != nil { // a workbook made to break its reader breaks itself only
			w, err = nil, ErrBroken
		}
	}()
	name, err := slimmed(ctx, f, info.Size())
	if err != nil {
		return nil, err
	}
	defer func() {
		if err != nil {
			_ = os.Remove(name)
		}
	}()
	file, err := excelize.OpenFile(name, excelize.Options{UnzipSizeLimit: mostUnpacked, UnzipXMLSizeLimit: maxPart})
	switch {
	case errors.Is(err, excelize.ErrWorkbookFileFormat), errors.Is(err, zip.ErrFormat):
		return nil, ErrNotATable
	case errors.Is(err, excelize.ErrWorkbookPassword):
		return nil, ErrPassword
	case err != nil:
		return nil, ErrBroken
	}
	if len(file.GetSheetList()) == 0 {
		_ = file.Close()
		return nil, ErrNotATable
	}
	slim, err := zip.OpenReader(name)
	if err != nil {
		_ = file.Close()
		return nil, ErrBroken
	}
	return &workbook{file, name, slim, sheetParts(&slim.Reader), formatCurrencies(file)}, nil
}

func (w *workbook) close() {
	_ = w.file.Close()
	_ = w.slim.Close()
	_ = os.Remove(w.name)
}

// sheets lists the visible ones.
func (w *workbook) sheets() []string {
	var names []string
	for _, name := range w.file.GetSheetList() {
		if visible, err := w.file.GetSheetVisible(name); err == nil && visible {
			names = append(names, name)
		}
	}
	return names
}

// xlsxRows reads a sheet three times at once: for the values as they are stored, so that no cell's
// format rounds a price, as they are shown, so that a date is known for one, and for what its cells are.
type xlsxRows struct {
	raw, shown *excelize.Rows
	kinds      *kindRows
	at         int
}

func (w *workbook) rows(sheet string) (r *xlsxRows, err error) {
	defer func() {
		if p := recover(); p != nil {
			r, err = nil, ErrBroken
		}
	}()
	raw, err := w.file.Rows(sheet)
	if err != nil {
		return nil, ErrBroken
	}
	shown, err := w.file.Rows(sheet)
	if err != nil {
		return nil, ErrBroken
	}
	return &xlsxRows{raw: raw, shown: shown, kinds: w.kinds(sheet)}, nil
}

func (x *xlsxRows) close() {
	_ = x.raw.Close()
	_ = x.shown.Close()
	x.kinds.close()
}

var plainNumber = regexp.MustCompile(`^-?\d+(\.\d+)?$`)

func (x *xlsxRows) next() (row Row, err error) {
	defer func() {
		if p := recover(); p != nil {
			row, err = Row{}, ErrBroken
		}
	}()
	if !x.raw.Next() || !x.shown.Next() {
		if x.raw.Error() != nil {
			return Row{}, ErrBroken
		}
		return Row{}, io.EOF
	}
	x.at++
	row.Number = x.at
	if row.Cells, err = x.raw.Columns(excelize.Options{RawCellValue: true}); err != nil {
		return row, ErrBroken
	}
	shown, err := x.shown.Columns()
	if err != nil {
		return row, ErrBroken
	}
	row.kinds = x.kinds.row(x.at)
	for i, text := range row.Cells {
		if i < len(shown) {
			row.Cells[i] = row.kind(i).settled(text, shown[i])
			if row.kind(i).number && row.Cells[i] != text && !plainNumber.MatchString(row.Cells[i]) {
				row.kinds[i].number = false // shown as a date or a share
			}
		}
	}
	if row.width = len(row.Cells); row.width > mostColumns {
		// Copied: the rest of a row of 16,384 cells is not kept.
		filled := strings.TrimSpace(strings.Join(row.Cells[mostColumns:], "")) != ""
		row.Cells = slices.Clone(row.Cells[:mostColumns])
		if filled {
			row.Error = "the row has more than 500 cells"
		}
	}
	return row, nil
}
