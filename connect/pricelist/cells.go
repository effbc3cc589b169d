package pricelist

import (
	"archive/zip"
	"bufio"
	"bytes"
	"encoding/xml"
	"io"
	"math/big"
	"path"
	"regexp"
	"strconv"
	"strings"

	"github.com/xuri/excelize/v2"
)

// cellKind is what a workbook says of a cell besides its text.
type cellKind struct {
	number   bool   // stored as a number, with a point
	truth    bool   // stored as true or false
	currency string // of its number format, as signOf has it
}

// kind is what is known of a cell; nothing in a text file.
func (row Row) kind(column int) cellKind {
	if column < 0 || column >= len(row.kinds) {
		return cellKind{}
	}
	return row.kinds[column]
}

// sign is the decimal sign of a cell: a number of a workbook has a point, whatever text beside it has.
func (row Row) sign(column int, decimal string) string {
	if row.kind(column).number {
		return "."
	}
	return decimal
}

// cell is a cell's text without space around it.
func (row Row) cell(column int) string {
	if column < 0 || column >= len(row.Cells) {
		return ""
	}
	return strings.TrimSpace(row.Cells[column])
}

// kindRows reads of a sheet what its cells are, row by row: the type and the number format, which are in the tags.
type kindRows struct {
	in     io.ReadCloser
	text   *bufio.Reader
	styles []string // currencies by number format
	next   int      // the row whose tag was read last
	ended  bool
}

// sheetParts maps the workbook's sheets to their parts.
func sheetParts(z *zip.Reader) map[string]*zip.File {
	files := map[string]*zip.File{}
	for _, f := range z.File {
		files[strings.ToLower(strings.ReplaceAll(f.Name, `\`, "/"))] = f
	}
	read := func(name string, into any) bool {
		f := files[name]
		if f == nil {
			return false
		}
		in, err := f.Open()
		if err != nil {
			return false
		}
		defer func() { _ = in.Close() }()
		return xml.NewDecoder(io.LimitReader(in, maxPart)).Decode(into) == nil
	}
	var book struct {
		Sheets []struct {
			Name string `xml:"name,attr"`
			ID   string `xml:"http://schemas.openxmlformats.org/officeDocument/2006/relationships id,attr"`
		} `xml:"sheets>sheet"`
	}
	var links struct {
		All []struct {
			ID     string `xml:"Id,attr"`
			Target string `xml:"Target,attr"`
		} `xml:"Relationship"`
	}
	parts := map[string]*zip.File{}
	if !read("xl/workbook.xml", &book) || !read("xl/_rels/workbook.xml.rels", &links) {
		return parts
	}
	for _, s := range book.Sheets {
		for _, l := range links.All {
			if l.ID != s.ID {
				continue
			}
			target := l.Target
			if !strings.HasPrefix(target, "/") {
				target = "xl/" + target
			}
			if f := files[strings.ToLower(strings.TrimPrefix(path.Clean(target), "/"))]; f != nil {
				parts[s.Name] = f
			}
		}
	}
	return parts
}

func (w *workbook) kinds(sheet string) *kindRows {
	part := w.parts[sheet]
	if part == nil {
		return nil
	}
	in, err := part.Open()
	if err != nil {
		return nil
	}
	return &kindRows{in: in, text: bufio.NewReaderSize(in, 1<<16), styles: w.currencies}
}

func (k *kindRows) close() {
	if k != nil {
		_ = k.in.Close()
	}
}

// row returns the kinds of a row's cells.
func (k *kindRows) row(at int) (kinds []cellKind) {
	if k == nil || k.ended {
		return nil
	}
	for {
		if k.next > at {
			return kinds
		}
		tag, err := k.tag()
		if err != nil {
			k.ended = true
			return kinds
		}
		switch {
		case bytes.HasPrefix(tag, []byte("row ")) || string(tag) == "row":
			n, err := strconv.Atoi(attribute(tag, "r"))
			if err != nil {
				n = k.next + 1
			}
			if k.next = n; n > at {
				return kinds
			}
		case k.next == at && (bytes.HasPrefix(tag, []byte("c ")) || string(tag) == "c"):
			column := len(kinds)
			if r := attribute(tag, "r"); r != "" {
				if c, _, err := excelize.CellNameToCoordinates(r); err == nil {
					column = c - 1
				}
			}
			if column >= mostColumns {
				continue
			}
			for len(kinds) <= column {
				kinds = append(kinds, cellKind{})
			}
			t := attribute(tag, "t")
			kind := cellKind{number: t == "" || t == "n", truth: t == "b"}
			if s, err := strconv.Atoi(attribute(tag, "s")); err == nil && s >= 0 && s < len(k.styles) && kind.number {
				kind.currency = k.styles[s]
			}
			kinds[column] = kind
		}
	}
}

// tag reads on to the next opening tag, and returns what stands in it.
func (k *kindRows) tag() ([]byte, error) {
	for {
		for {
			if _, err := k.text.ReadSlice('<'); err == nil {
				break
			} else if err != bufio.ErrBufferFull {
				return nil, err
			}
		}
		tag, err := k.text.ReadSlice('>')
		if err == bufio.ErrBufferFull {
			continue
		}
		if err != nil {
			return nil, err
		}
		if tag = bytes.TrimSuffix(bytes.TrimSuffix(tag, []byte(">")), []byte("/")); len(tag) > 0 && tag[0] != '/' {
			if _, local, found := bytes.Cut(tag, []byte(":")); found &&
				!bytes.ContainsAny(tag[:len(tag)-len(local)], " \t\"") {
				tag = local
			}
			return tag, nil
		}
	}
}

// attribute is an attribute's value in a tag, as workbooks write it.
func attribute(tag []byte, name string) string {
	_, rest, found := bytes.Cut(tag, []byte(" "+name+`="`))
	if !found {
		return ""
	}
	value, _, _ := bytes.Cut(rest, []byte(`"`))
	return string(value)
}

// formatCurrencies are the currencies of a workbook's number formats, by the index of its cells' styles. The formats
// that every workbook has (5 to 8, 37 to 44) show the sign of whoever opens it, and say nothing.
func formatCurrencies(f *excelize.File) (list []string) {
	if f.Styles == nil || f.Styles.CellXfs == nil {
		return nil
	}
	custom := map[int]string{}
	if f.Styles.NumFmts != nil {
		for _, n := range f.Styles.NumFmts.NumFmt {
			custom[n.NumFmtID] = n.FormatCode
		}
	}
	for _, x := range f.Styles.CellXfs.Xf {
		code := ""
		if x.NumFmtID != nil {
			code = formatCurrency(custom[*x.NumFmtID])
		}
		list = append(list, code)
	}
	return list
}

var (
	formatSign  = regexp.MustCompile(`\[\$([^\]-]*)(?:-([0-9A-Fa-f]+))?\]`)
	formatQuote = regexp.MustCompile(`"([^"]*)"`)
)

// dollars are the countries whose number formats say which dollar is meant, by their locale's number (MS-LCID).
var dollars = map[string]string{"409": "USD", "1009": "CAD", "C0C": "CAD", "C09": "AUD", "1409": "NZD", "C04": "HKD",
	"4804": "SGD", "1004": "SGD", "404": "TWD", "80A": "MXN", "411": "JPY", "804": "CNY", "41D": "SEK", "414": "NOK",
	"814": "NOK", "406": "DKK", "40F": "ISK"}

func formatCurrency(format string) string {
	if format == "" {
		return ""
	}
	if m := formatSign.FindStringSubmatch(format); m != nil {
		code := signOf(m[1])
		if code != "" && code[0] == '~' {
			if named := dollars[strings.TrimLeft(strings.ToUpper(m[2]), "0")]; named != "" {
				return named
			}
		}
		return code
	}
	for _, m := range formatQuote.FindAllStringSubmatch(format, -1) {
		if code := signOf(m[1]); code != "" {
			return code
		}
	}
	for _, sign := range []string{"€", "£", "¥", "₹", "₺", "zł", "Kč", "₽", "₩"} {
		if strings.Contains(format, sign) {
			return signOf(sign)
		}
	}
	return ""
}

// settled is a cell's text by what the cell is: a number in full, as it is shown where its format is one of dates,
// leading zeros or percent.
func (c cellKind) settled(raw, shown string) string {
	shownText := strings.TrimSpace(shown)
	switch {
	case c.truth:
		if raw == "1" || strings.EqualFold(raw, "true") {
			return "TRUE"
		}
		return "FALSE"
	case shown != raw && dateLike.MatchString(shownText):
		return shown
	case c.number && strings.HasSuffix(shownText, "%"):
		return shownText
	case c.number && len(shownText) > len(raw) && digits(shownText) && shownText[0] == '0':
		return shownText
	case c.number && strings.ContainsAny(raw, "eE"):
		if n, ok := new(big.Rat).SetString(raw); ok && len(raw) < 30 {
			return strings.TrimSuffix(strings.TrimRight(n.FloatString(12), "0"), ".")
		}
	}
	return raw
}
