package pricelist

import (
	"archive/zip"
	"bytes"
	"context"
	"fmt"
	"io"
	"os"
	"path"
	"regexp"
	"slices"
	"strings"
)

// kind tells a file's format by its first bytes, or why it cannot be read.
func kind(f *os.File) (string, error) {
	head := make([]byte, 512)
	n, err := f.ReadAt(head, 0)
	if err != nil && err != io.EOF {
		return "", err
	}
	head = head[:n]
	text := bytes.ToLower(bytes.TrimSpace(bytes.TrimPrefix(head, []byte("\xef\xbb\xbf"))))
	switch {
	case len(bytes.Trim(head, "\x00\r\n\t \xef\xbb\xbf\xff\xfe")) == 0:
		return "", ErrEmpty
	case bytes.HasPrefix(head, []byte("PK\x03\x04")):
		return "xlsx", zipped(f)
	case bytes.HasPrefix(head, compound):
		return "", compoundFile(f)
	case bytes.HasPrefix(text, []byte("<!doctype html")), bytes.HasPrefix(text, []byte("<html")):
		return "", webPage(f)
	case bytes.HasPrefix(text, []byte("<table")):
		return "", ErrWebTable
	case len(text) > 1 && (text[0] == '{' || text[0] == '[') && jsonLike.Match(text):
		return "", ErrJSON
	case bytes.HasPrefix(head, []byte("%PDF")):
		return "", ErrPDF
	case bytes.HasPrefix(text, []byte("<?xml")) && bytes.Contains(text, []byte("<html")):
		return "", webPage(f)
	case bytes.HasPrefix(text, []byte("<?xml")), bytes.HasPrefix(text, []byte("<catalogue")),
		bytes.HasPrefix(text, []byte("<cat:catalogue")):
		return "", ErrXML
	case bytes.HasPrefix(head, []byte("\xff\xd8\xff")), bytes.HasPrefix(head, []byte("\x89PNG")),
		bytes.HasPrefix(head, []byte("GIF8")), bytes.HasPrefix(head, []byte("\x1f\x8b")):
		return "", ErrNotATable
	}
	return "csv", nil
}

var jsonLike = regexp.MustCompile(`^[\[{]\s*([\[{"]|\d|$)`)

// zipped says what a zip holds that is no workbook.
func zipped(f *os.File) error {
	info, err := f.Stat()
	if err != nil {
		return err
	}
	z, err := zip.NewReader(f, info.Size())
	if err != nil {
		return ErrBroken
	}
	lists := false
	for _, entry := range z.File {
		name := strings.ToLower(strings.ReplaceAll(entry.Name, `\`, "/"))
		if strings.HasPrefix(name, "xl/") || name == "[content_types].xml" {
			return nil
		}
		switch path.Ext(name) {
		case ".csv", ".tsv", ".xlsx", ".xls", ".xml":
			lists = true
		}
	}
	if lists {
		return ErrZipped
	}
	return ErrBroken
}

// webPage tells a page with a table, saved under another name, from one that asks to sign in.
func webPage(f *os.File) error {
	head := make([]byte, 256<<10)
	n, err := f.ReadAt(head, 0)
	if err != nil && err != io.EOF {
		return err
	}
	text := bytes.ToLower(head[:n])
	if bytes.Count(text, []byte("<tr")) > 2 && !bytes.Contains(text, []byte("password")) {
		return ErrWebTable
	}
	return ErrWebPage
}

// delimiter is the sign that splits the most rows into the same number of cells.
func delimiter(f *os.File, enc string) string {
	best, sign := 0.0, ","
	for _, candidate := range []string{",", ";", "\t", "|"} {
		in := newCSV(io.NewSectionReader(f, 0, 1<<62), &Layout{Encoding: enc, Delimiter: candidate})
		widths := map[int]int{}
		total := 0
		for total < 200 {
			row, err := in.next()
			if err != nil {
				break
			}
			if len(row.Cells) == 1 && row.Cells[0] == "" {
				continue
			}
			widths[len(row.Cells)]++
			total++
		}
		for width, n := range widths {
			if width > 1 {
				// Most rows alike counts; among such, more cells.
				if score := float64(n) / float64(total) * (1 + 0.02*float64(min(width, 30))); score > best {
					best, sign = score, candidate
				}
			}
		}
	}
	return sign
}

// table is an opened file that can be read from the start again.
type table struct {
	ctx  context.Context // whoever waits for what is read
	file *os.File
	book *workbook
}

func (t *table) close() {
	if t.book != nil {
		t.book.close()
	}
}

func openTable(ctx context.Context, f *os.File, format string) (*table, error) {
	t := &table{ctx: ctx, file: f}
	if format != "xlsx" {
		return t, nil
	}
	var err error
	t.book, err = openWorkbook(ctx, f)
	return t, err
}

func (t *table) rows(l *Layout) (rows, error) {
	if t.book == nil {
		return &watched{rows: newCSV(io.NewSectionReader(t.file, 0, 1<<62), l), ctx: t.ctx}, nil
	}
	if !slices.Contains(t.book.file.GetSheetList(), l.Sheet) {
		return nil, ErrLayout{fmt.Sprintf("The workbook has no sheet “%s” any more.", l.Sheet)}
	}
	in, err := t.book.rows(l.Sheet)
	if err != nil {
		return nil, err
	}
	return &watched{rows: in, ctx: t.ctx}, nil
}

// sample reads the first rows.
func (t *table) sample(l *Layout, most int) ([]Row, error) {
	in, err := t.rows(l)
	if err != nil {
		return nil, err
	}
	defer in.close()
	var all []Row
	for len(all) < most {
		row, err := in.next()
		if err == io.EOF {
			break
		}
		if err != nil {
			return all, err
		}
		all = append(all, row)
	}
	return all, nil
}

// lookAt opens a file of whatever kind to look at it, as few at once as there is room for; done ends it.
func lookAt(ctx context.Context, f *os.File) (t *table, format string, done func(), err error) {
	select {
	case looking <- struct{}{}:
	case <-ctx.Done():
		return nil, "", nil, ctx.Err()
	}
	if format, err = kind(f); err == nil {
		t, err = openTable(ctx, f, format)
	}
	if err != nil {
		<-looking
		return nil, "", nil, err
	}
	return t, format, func() { t.close(); <-looking }, nil
}

// Cells reads a file's first rows, at most so many: those of the sheet with the most of a table, or of CSV in whatever
// letters and with whatever sign between its cells.
func Cells(ctx context.Context, f *os.File, most int) ([]Row, error) {
	t, _, done, err := lookAt(ctx, f)
	if err != nil {
		return nil, err
	}
	defer done()
	look := &Analysis{}
	if err := look.form(t, true, ""); err != nil {
		return nil, err
	}
	return t.sample(&look.Layout, most)
}

func blank(row Row) bool {
	for _, cell := range row.Cells {
		if strings.TrimSpace(cell) != "" {
			return false
		}
	}
	return true
}

// count is about how many rows there are.
func (t *table) count(l *Layout) int {
	if t.book != nil {
		if dimension, err := t.book.file.GetSheetDimension(l.Sheet); err == nil {
			if _, last, found := strings.Cut(dimension, ":"); found {
				n := 0
				if _, err := fmt.Sscanf(strings.TrimLeft(last, "ABCDEFGHIJKLMNOPQRSTUVWXYZ$"), "%d", &n); err == nil {
					return min(max(n, 0), 1<<20) // a sheet has no more rows
				}
			}
		}
		return 0
	}
	n := 0
	buffer := make([]byte, 1<<18)
	in := io.NewSectionReader(t.file, 0, 1<<62)
	for {
		read, err := in.Read(buffer)
		n += bytes.Count(buffer[:read], []byte{'\n'})
		if err != nil {
			return n
		}
	}
}
