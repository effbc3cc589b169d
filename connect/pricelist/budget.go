package pricelist

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path"
	"strings"
)

// What a workbook may take, in bytes as they unpack: the parts that its reader holds whole are small in
// any workbook that people make, sheets and shared strings are streamed.
const (
	maxPart          = 2 << 20   // of styles and the like, each
	maxCalcChain     = 16 << 20  // the order of formulas
	maxSharedStrings = 1 << 30   //
	maxStrings       = 3_000_000 // shared strings
	maxRun           = 1 << 20   // bytes between two tags: one text, or one tag's attributes
	maxCells         = 200_000_000
)

// ErrParts is returned for a workbook whose styles or formulas take more than its list.
var ErrParts = errors.New("what the workbook has beside its sheets (styles, formulas) is larger than can be read: " +
	"save the list as CSV")

// ErrTooWide is returned for a sheet with far more cells than a list has.
var ErrTooWide = errors.New("its rows reach far to the right, over more cells than can be read: delete the empty " +
	"columns, or save it as CSV")

// looking limits how many files are looked at at once; sheets that are opened are held in part.
var looking = make(chan struct{}, 2)

// needed tells whether a part of a workbook is: its sheets, texts and number formats are.
func needed(name string) bool {
	name = strings.ToLower(name)
	return strings.HasPrefix(name, "xl/worksheets/") && path.Ext(name) == ".xml" || strings.HasSuffix(name, ".rels") &&
		!strings.HasPrefix(name, "xl/worksheets/") ||
		name == "[content_types].xml" || name == "xl/workbook.xml" || name == "xl/styles.xml" ||
		name == "xl/sharedstrings.xml" || name == "xl/calcchain.xml"
}

// slimmed writes a workbook without what is not needed (pictures, charts) to a file of its own, which the
// caller removes. It reads every needed part once, and returns ErrBomb or ErrTooWide where one is beyond
// its budget, whatever the archive says of itself.
func slimmed(ctx context.Context, f *os.File, size int64) (name string, err error) {
	z, err := zip.NewReader(f, size)
	if err != nil {
		return "", ErrBroken
	}
	out, err := os.CreateTemp("", "workbook-*.xlsx")
	if err != nil {
		return "", err
	}
	defer func() {
		if closed := out.Close(); err == nil {
			err = closed
		}
		if err != nil {
			_ = os.Remove(out.Name())
		}
	}()
	slim := zip.NewWriter(out)
	for _, entry := range z.File {
		name := strings.ReplaceAll(entry.Name, `\`, "/")
		if entry.FileInfo().IsDir() || !needed(name) {
			continue
		}
		if err := measure(ctx, entry, strings.ToLower(name)); err != nil {
			return "", err
		}
		if err := slim.Copy(entry); err != nil {
			return "", ErrBroken
		}
	}
	return out.Name(), slim.Close()
}

// measure reads a part through and holds it against its budget.
func measure(ctx context.Context, entry *zip.File, name string) error {
	sheet, shared := strings.HasPrefix(name, "xl/worksheets/sheet"), name == "xl/sharedstrings.xml"
	most := uint64(maxPart)
	switch {
	case sheet:
		most = mostUnpacked
	case shared:
		most = maxSharedStrings
	case name == "xl/calcchain.xml":
		most = maxCalcChain
	}
	if entry.UncompressedSize64 > most {
		if sheet || shared {
			return ErrBomb
		}
		return ErrParts
	}
	in, err := entry.Open()
	if err != nil {
		return ErrBroken
	}
	defer func() { _ = in.Close() }()
	buffer := make([]byte, 1<<16)
	read, run, texts := uint64(0), 0, 0
	for {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		n, err := in.Read(buffer)
		part := buffer[:n]
		if read += uint64(n); read > entry.UncompressedSize64 {
			return ErrBomb // more than it says
		}
		if shared {
			texts += bytes.Count(part, []byte("<si"))
		}
		for {
			at := bytes.IndexByte(part, '<')
			if at < 0 {
				run += len(part)
				break
			}
			if run+at > maxRun {
				return ErrBomb
			}
			run, part = 0, part[at+1:]
		}
		if run > maxRun || texts > maxStrings {
			return ErrBomb
		}
		if err == io.EOF {
			return nil
		}
		if err != nil {
			return ErrBroken
		}
	}
}

// watched ends reading when nobody waits for it any more, or a table has far too many cells.
type watched struct {
	rows
	ctx   context.Context
	cells int
}

func (w *watched) next() (Row, error) {
	if err := w.ctx.Err(); err != nil {
		return Row{}, fmt.Errorf("reading a list: %w", err)
	}
	row, err := w.rows.next()
	if w.cells += max(len(row.Cells), row.width); w.cells > maxCells && err == nil {
		return Row{}, ErrTooWide
	}
	return row, err
}
