package pricelist

import (
	"bufio"
	"bytes"
	"context"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"
	"unicode/utf8"
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
		return "xlsx", nil
	case bytes.HasPrefix(head, compound):
		return "", compoundFile(f)
	case bytes.HasPrefix(text, []byte("<!doctype html")), bytes.HasPrefix(text, []byte("<html")):
		return "", ErrWebPage
	case bytes.HasPrefix(text, []byte("<?xml")), bytes.HasPrefix(text, []byte("<catalogue")), bytes.HasPrefix(text, []byte("<cat:catalogue")):
		return "", ErrXML
	case bytes.HasPrefix(head, []byte("%PDF")), bytes.HasPrefix(head, []byte("\xff\xd8\xff")), bytes.HasPrefix(head, []byte("\x89PNG")), bytes.HasPrefix(head, []byte("GIF8")), bytes.HasPrefix(head, []byte("\x1f\x8b")):
		return "", ErrNotATable
	}
	return "csv", nil
}

// encoding tells how a text file is written. Its bytes are all looked at: one accented word a
// million rows down decides as well as one in the first.
func encoding(f *os.File) (string, error) {
	in := bufio.NewReaderSize(io.NewSectionReader(f, 0, 1<<62), 1<<18)
	head, err := in.Peek(4096)
	if err != nil && err != io.EOF {
		return "", err
	}
	switch {
	case bytes.HasPrefix(head, []byte{0xff, 0xfe}):
		return UTF16LE, nil
	case bytes.HasPrefix(head, []byte{0xfe, 0xff}):
		return UTF16BE, nil
	case bytes.HasPrefix(head, []byte{0xef, 0xbb, 0xbf}):
		return UTF8, nil
	}
	// Without a mark: every second byte of Latin text in UTF-16 is nothing.
	var even, odd int
	for i, b := range head {
		if b == 0 && i%2 == 0 {
			even++
		} else if b == 0 {
			odd++
		}
	}
	if n := len(head) / 2; n > 8 && odd > n*7/10 {
		return UTF16LE, nil
	} else if n > 8 && even > n*7/10 {
		return UTF16BE, nil
	}
	valid, invalid := 0, 0
	var tail []byte
	buffer := make([]byte, 1<<18)
	for {
		n, err := in.Read(buffer)
		part := append(tail, buffer[:n]...)
		tail = nil
		if !utf8.Valid(part) {
			for i := 0; i < len(part); {
				if part[i] < utf8.RuneSelf {
					i++
					continue
				}
				r, size := utf8.DecodeRune(part[i:])
				switch {
				case r == utf8.RuneError && size <= 1 && len(part)-i < utf8.UTFMax && err == nil && !utf8.FullRune(part[i:]):
					tail = append([]byte(nil), part[i:]...)
					i = len(part)
					continue
				case r == utf8.RuneError && size <= 1:
					invalid++
				default:
					valid++
				}
				i += size
			}
		}
		if err == io.EOF {
			break
		}
		if err != nil {
			return "", err
		}
	}
	if invalid > 0 && invalid*4 > valid {
		return Windows1252, nil
	}
	return UTF8, nil
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
