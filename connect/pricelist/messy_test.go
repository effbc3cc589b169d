package pricelist

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"maps"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"

	"plainpelican/connect/source"
	"plainpelican/core/landed"
)

// file writes a list to a file.
func file(t testing.TB, content []byte) *os.File {
	t.Helper()
	path := filepath.Join(t.TempDir(), "list")
	if err := os.WriteFile(path, content, 0o600); err != nil {
		t.Fatal(err)
	}
	f, err := os.Open(path)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = f.Close() })
	return f
}

func windows(text string) []byte {
	out, err := charmap.Windows1252.NewEncoder().String(text)
	if err != nil {
		panic(err)
	}
	return []byte(out)
}

func utf16(text string, order unicode.Endianness, mark unicode.BOMPolicy) []byte {
	out, err := unicode.UTF16(order, mark).NewEncoder().String(text)
	if err != nil {
		panic(err)
	}
	return []byte(out)
}

// workbookOf makes an XLSX file of sheets.
func workbookOf(t testing.TB, names []string, sheets [][][]any, change func(*excelize.File)) []byte {
	t.Helper()
	f := excelize.NewFile()
	for i, name := range names {
		if i == 0 {
			must(t, f.SetSheetName("Sheet1", name))
		} else if _, err := f.NewSheet(name); err != nil {
			t.Fatal(err)
		}
		for r, row := range sheets[i] {
			cell, err := excelize.CoordinatesToCellName(1, r+1)
			must(t, err)
			must(t, f.SetSheetRow(name, cell, &row))
		}
	}
	if change != nil {
		change(f)
	}
	var out bytes.Buffer
	must(t, f.Write(&out))
	return out.Bytes()
}

func must(t testing.TB, err error) {
	t.Helper()
	if err != nil {
		t.Fatal(err)
	}
}

// all reads a list to its end.
func all(t testing.TB, content []byte, l *Layout) (offers []source.Offer, rejected []RejectedRow, doubts []string) {
	t.Helper()
	r, err := Open(t.Context(), file(t, content), l, false)
	must(t, err)
	defer r.Close()
	for {
		item, err := r.Next()
		if err == io.EOF {
			return offers, rejected, doubts
		}
		must(t, err)
		if item.Offer != nil {
			offers = append(offers, *item.Offer)
		}
		rejected = append(rejected, item.Rejected...)
		for _, d := range item.Doubts {
			doubts = append(doubts, d)
		}
	}
}

// answered answers what a look leaves open, as a person would, and returns the layout that comes of it.
func answered(t testing.TB, content []byte, look *Analysis, answers map[string]string) Layout {
	t.Helper()
	for range 12 {
		q, open := look.open()
		if !open {
			return look.Layout
		}
		answer := answers[q.Key]
		if answer == "" {
			t.Fatalf("a question that was not expected: %s %q (%s) %+v", q.Key, q.Text, q.Detail, q.Choices)
		}
		l := look.Layout
		l.Answers = maps.Clone(l.Answers)
		l.Answers[q.Key] = answer
		var err error
		look, err = Analyze(t.Context(), file(t, content), &l, Hints{Currency: "USD", Supplier: "Test"})
		must(t, err)
	}
	t.Fatalf("questions without end: %+v", look.Questions)
	return Layout{}
}

// told writes offers so that they can be compared at a glance.
func told(offers []source.Offer) string {
	var b strings.Builder
	for _, o := range offers {
		fmt.Fprintf(&b, "%s|%s|%s|%s", o.Number, o.Title, o.Category, strings.Join(o.OptionNames, ","))
		for _, v := range o.Variants {
			fmt.Fprintf(&b, "|%s %s %s x%d", v.Number, strings.Join(v.Values, "/"), v.Cost, v.Stock)
		}
		b.WriteString("\n")
	}
	return b.String()
}

// messy are lists as bad as those that wholesalers send. All are made up.
var messy = []struct {
	name     string
	content  func(t testing.TB) []byte
	want     string
	rejected int
	// answers are to what the list leaves open; a question that is not among them fails the test.
	answers map[string]string
}{
	{"semicolons, decimal commas, Windows-1252, German words, leading junk", func(testing.TB) []byte {
		return windows("Nordlicht Großhandel;;;;;\r\nPreisliste gültig ab " +
			"01.11.2026;;;;;\r\n;;;;;\r\nArtikel-Nr.;Bezeichnung;Warengruppe;EK netto €;Bestand;EAN\r\n" +
			"N-100;Emaillebecher weiß;Küche;4,20;120;4006381333931\r\nN-101;Gießkanne 1,8 " +
			"l;Garten;1.129,50;>100;\r\nN-102;Kerze;Küche;auf Anfrage;12;\r\n")
	}, "N-100|Emaillebecher weiß|Küche||N-100  4.20 EUR x120\nN-101|Gießkanne 1,8 l|Garten||N-101  1129.50 EUR x100\n",
		1, nil},

	{"tabs, UTF-16 with a mark, a parent number, colour and size", func(testing.TB) []byte {
		return utf16(
			"Parent SKU\tSKU\tProduct name\tColour\tSize\tTrade price (USD)\tQty\nP1\tP1-R-S\tRain "+
				"cape\tred\tS\t$11.50\t4\nP1\tP1-R-M\tRain "+
				"cape\tred\tM\t$12.00\t7\nP2\tP2-B\tBell\tblack\t\t$3.10\t0\n", unicode.LittleEndian, unicode.UseBOM)
	},
		"P1|Rain cape||Colour,Size|P1-R-S red/S 11.50 USD x4|P1-R-M red/M 12.00 USD x7\nP2|Bell||Colour|P2-B black " +
			"3.10 USD x0\n", 0, nil},

	{"the same title with differing options, a blank title meaning the one above", func(testing.TB) []byte {
		return []byte("Code,Name,Size,Cost,Stock,Currency\nA1,Oilcloth,1 m,6.00,10,GBP\nA2,,2 " +
			"m,11.00,9,GBP\nA3,Oilcloth,3 m,15.00,8,GBP\nA4,Thread,,1.20,100,GBP\n")
	}, "A1|Oilcloth||Size|A1 1 m 6.00 GBP x10|A2 2 m 11.00 GBP x9|A3 3 m 15.00 GBP x8\nA4|Thread|||A4  1.20 GBP x100\n",
		0, nil},

	{"prices for a pack, units in the header, section headings, repeated headers", func(testing.TB) []byte {
		return []byte(
			"Item no.|Description|Pack size|Price per pack EUR|In stock\nCLEANING||||\nC1|Scrubbing " +
				"brush|12|18.00|30 " +
				"pcs\nC2|Soap|6|9,99x|4\nItem no.|Description|Pack size|Price per pack EUR|In " +
				"stock\nSTORAGE||||\nC3|Rope basket|1|9.20|sold out\n")
	}, "C1|Scrubbing brush|CLEANING||C1  1.50 EUR x30\nC3|Rope basket|STORAGE||C3  9.20 EUR x0\n", 1, nil},

	{"a workbook: a cover sheet, the list on the second, dates, errors and text among numbers",
		func(t testing.TB) []byte {
			return workbookOf(t, []string{"Welcome", "Prices 2026"}, [][][]any{
				{{"Corvane trade terms"}, {"Please order by Friday"}},
				{{"", "Trade price list"}, {},
					{"Stock code", "Product", "Nett price", "RRP", "MAP", "Available", "Barcode"},
					{"W-1", "Puzzle 500", 5.125, 15, 12.5, 40, 4006381333931.0},
					{"W-2", "Puzzle 1000", "7.50", 19.99, nil, "none", "4006381333932"},
					{"W-3", "Dice", "#REF!", 9, nil, 3, nil}, {"W-4", "Yarn", 2.5, nil, nil, 1, nil}},
			}, func(f *excelize.File) {
				style, err := f.NewStyle(&excelize.Style{NumFmt: 14})
				must(t, err)
				must(t, f.SetCellValue("Prices 2026", "F7", 46000))
				must(t, f.SetCellStyle("Prices 2026", "F7", "F7", style))
			})
		}, "W-1|Puzzle 500|||W-1  5.13 USD x40\nW-2|Puzzle 1000|||W-2  7.50 USD x0\n", 2,
		map[string]string{"currency": "USD"}},

	{"quotes over lines, quotes within words, a quote never closed, half a row", func(testing.TB) []byte {
		return []byte("sku,title,description,price usd,stock\n1,\"Pipe, 5\"\" wide\",\"Two\nlines\",3.00,1\n2,6\" " +
			"nail,plain,0.10,500\n3,\"Broken,never closed,1.00,1\n4,\"Rope\",x,2.00,2\n5,Half a\n")
	}, "1|Pipe, 5\" wide|||1  3.00 USD x1\n2|6\" nail|||2  0.10 USD x500\n4|Rope|||4  2.00 USD x2\n", 2, nil},

	{"French, spaces between thousands, prices to a tenth of a cent", func(testing.TB) []byte {
		return []byte(
			"\xef\xbb\xbfRéférence;Désignation;Famille;Prix net HT €;Quantité;Poids (kg)\nF1;Bouilloire;Cuisine;1 " +
				"204,555;1 200;0,64\nF2;Sécateur;Jardin;5,605;15;0,16\nF3;Arrosoir;Jardin;-2,00;3;\n" +
				"F4;Lampe;Camping;0,00;3;\n")
	}, "F1|Bouilloire|Cuisine||F1  1204.56 EUR x1200\nF2|Sécateur|Jardin||F2  5.61 EUR x15\n", 2, nil},

	{"rows of one product far apart, titles that name the variant", func(testing.TB) []byte {
		return []byte("Style no,Item code,Product name,Wholesale,Stock level\n77,77-1,Wool sock – " +
			"grey,$2.00,5\n78,78-1,Cap,$4.00,5\n77,77-2,Wool sock – blue,$2.10,6\n")
	}, "77|Wool sock||Variant|77-1 grey 2.00 USD x5|77-2 blue 2.10 USD x6\n78|Cap|||78-1  4.00 USD x5\n", 0,
		map[string]string{"sign $": "USD"}},

	{"no header at all", func(testing.TB) []byte {
		return []byte("K-1001;Whistling kettle with wooden handle;13,40;25\nK-1002;Storm lamp, tin, " +
			"hanging;9,80;14\nK-1003;Camp pot, enamel, three litres;11,50;0\n")
	},
		"K-1001|Whistling kettle with wooden handle|||K-1001  13.40 USD x25\nK-1002|Storm lamp, tin, " +
			"hanging|||K-1002 " +
			" " +
			"9.80 USD x14\nK-1003|Camp pot, enamel, three litres|||K-1003  11.50 USD x0\n", 0,
		map[string]string{"cost": "2", "stock": "3", "currency": "USD"}},

	{"currencies by column, one unknown, numbers twice, stock below nothing and a date", func(testing.TB) []byte {
		return []byte("Article,Article name,Unit price,Curr,On " +
			"hand\nX1,Brush,100,JPY,5\nX2,Broom,1.234,KWD,5\nX3,Mop,2.00,QQQ,5\nX4,Bucket,2.00,USD,-3\n" +
			"X5,Cloth,2.00,USD,2026-12-01\nX6,Sponge,3.00,USD,7\n")
	}, "X1|Brush|||X1  100 JPY x5\nX2|Broom|||X2  1.234 KWD x5\nX6|Sponge|||X6  3.00 USD x7\n", 3, nil},
}

// Ten messy lists come in without anybody touching the proposal. What the ten need by hand is
// only what no list says: where the supplier ships from, and the supplier's name.
func TestMessyListsComeInAsProposed(t *testing.T) {
	for _, m := range messy {
		t.Run(m.name, func(t *testing.T) {
			content := m.content(t)
			look, err := Analyze(t.Context(), file(t, content), nil, Hints{Currency: "USD", Supplier: "Test"})
			must(t, err)
			for _, row := range look.Head {
				if row.Cells == nil {
					t.Errorf("row %d is shown as nothing, not as empty", row.Row)
				}
			}
			l := answered(t, content, look, m.answers)
			l.Country, l.Processing = "DE", landed.Days{}
			if field, reason := l.Check(); reason != "" {
				t.Fatalf("%s: %s (%+v)", field, reason, l.Columns)
			}
			offers, rejected, _ := all(t, content, &l)
			if got := told(offers); got != m.want {
				t.Errorf("got\n%swant\n%s%+v", got, m.want, l)
			}
			if len(rejected) != m.rejected {
				t.Errorf("%d rows set aside, want %d: %+v", len(rejected), m.rejected, rejected)
			}
			for _, a := range rejected {
				if a.Reason == "" || a.Position == "" || len(a.Cells) == 0 {
					t.Errorf("set aside without place, reason or row: %+v", a)
				}
			}
		})
	}
}

func TestFilesThatCannotBeRead(t *testing.T) {
	locked := workbookOf(t, []string{"S"}, [][][]any{{{"SKU", "Title", "Price"}, {"1", "Mug", 2}}}, nil)
	protected, err := excelize.Encrypt(locked, &excelize.Options{Password: "secret"})
	must(t, err)
	for name, c := range map[string]struct {
		content []byte
		want    error
	}{
		"empty":            {nil, ErrEmpty},
		"only blank lines": {[]byte("\r\n\r\n  \n"), ErrEmpty},
		"a header only":    {[]byte("SKU,Title,Price,Stock\n"), ErrNoRows},
		"a page that is a login": {[]byte("<!DOCTYPE html><html><form><input type=password></form></html>"),
			ErrWebPage},
		"a password":               {protected, ErrPassword},
		"a workbook of before":     {append(append([]byte{}, compound...), make([]byte, 600)...), ErrOldExcel},
		"a picture":                {[]byte("\x89PNG\r\n\x1a\n0000"), ErrNotATable},
		"a workbook cut in halves": {locked[:len(locked)/2], ErrBroken},
		"a zip of something else":  {zipOf(t, map[string][]byte{"readme.md": []byte("hello")}), ErrBroken},
		"a zip with a list in it":  {zipOf(t, map[string][]byte{"prices.csv": []byte("a,b\n")}), ErrZipped},
		"JSON":                     {[]byte(`[{"sku": "1", "price": 2}]`), ErrJSON},
		"a PDF":                    {[]byte("%PDF-1.7\n1 0 obj"), ErrPDF},
		"a page saved as a workbook": {
			[]byte("<html><body><table><tr><td>SKU</td></tr><tr><td>1</td></tr><tr><td>2</td></tr></table></body>" +
				"</html>"), ErrWebTable},
		"a zip bomb": {zipOf(t, map[string][]byte{"xl/worksheets/sheet1.xml": make([]byte, 100<<20)}),
			ErrBomb},
	} {
		t.Run(name, func(t *testing.T) {
			if _, err := Analyze(t.Context(), file(t, c.content), nil, Hints{}); !errors.Is(err, c.want) {
				t.Errorf("looking: %v", err)
			}
			if _,
				err := Open(t.Context(), file(t, c.content),
				&Layout{Format: "csv", Decimal: ".", Columns: []Column{{Header: "Title", Field: Title}}, Header: 1,
					Delimiter: ","}, false); !errors.Is(err, c.want) {
				t.Errorf("opening: %v", err)
			}
		})
	}
}

// Rows of one product that lie apart and are too many: those that fit stay together, the others are set aside,
// and nothing is charged any more once they have come.
func TestTooManyRowsOfOneProductFarApart(t *testing.T) {
	text := strings.Builder{}
	text.WriteString("Style no,Item code,Product name,Wholesale,Stock level\n77,77-0,Wool sock – " +
		"0,$2.00,5\n78,78-1,Cap,$4.00,5\n")
	for i := range mostVariants + 3 {
		fmt.Fprintf(&text, "77,77-%d,Wool sock – %d,$2.00,5\n", i+1, i+1)
	}
	list := []byte(text.String())
	look, err := Analyze(t.Context(), file(t, list), nil, Hints{Currency: "USD", Supplier: "x"})
	must(t, err)
	l := answered(t, list, look, map[string]string{"sign $": "USD"})
	l.Country, l.Processing = "DE", landed.Days{}
	r, err := Open(t.Context(), file(t, list), &l, false)
	must(t, err)
	defer r.Close()
	found := map[string]int{}
	rejected := 0
	for {
		item, err := r.Next()
		if err == io.EOF {
			break
		}
		must(t, err)
		rejected += len(item.Rejected)
		if item.Offer != nil {
			found[item.Offer.Number] = len(item.Offer.Variants)
		}
	}
	if found["77"] != mostVariants || found["78"] != 1 || rejected != 4 || r.waitingCost != 0 {
		t.Errorf("%v, %d set aside, %d bytes still counted", found, rejected, r.waitingCost)
	}
}

func TestAChangedLayoutIsNoticed(t *testing.T) {
	list := func(header, sign, delim string) []byte {
		text := header + "\n"
		for i := range 12 {
			text += fmt.Sprintf("N%d;Mug %d;%d%s50;7\n", i, i, i+2, sign)
		}
		return []byte(strings.ReplaceAll(text, ";", delim))
	}
	usual := list("SKU;Title;Net price;Stock", ",", ";")
	look, err := Analyze(t.Context(), file(t, usual), nil, Hints{Currency: "EUR", Supplier: "x"})
	must(t, err)
	l := answered(t, usual, look, map[string]string{"currency": "EUR"})
	l.Country, l.Processing = "DE", landed.Days{}
	for name, c := range map[string]struct {
		content []byte
		words   string
	}{
		"as before":                {usual, ""},
		"columns in another order": {[]byte("Stock;Net price;Title;SKU\n7;2,50;Mug;N1\n"), ""},
		"a further column":         {[]byte("SKU;EAN;Title;Net price;Stock\nN1;;Mug;2,50;7\n"), ""},
		"more junk above":          {append([]byte("Price list\n\nWinter\n"), usual...), ""},
		"another delimiter": {list("SKU;Title;Net price;Stock", ".", "\t"),
			"The decimal sign was a comma, and seems to be a point now."},
		"another decimal sign": {list("SKU;Title;Net price;Stock", ".", ";"),
			"The decimal sign was a comma, and seems to be a point now."},
		"the cost by another name": {list("SKU;Title;Gross;Stock", ",", ";"),
			"its column “Net price” is not there any more"},
		"several by another name": {list("SKU;Title;Gross;Menge", ",", ";"),
			"its columns “Net price”, “Stock” are not there any more"},
		"a workbook in place of it": {
			workbookOf(t, []string{"S"}, [][][]any{{{"SKU", "Title", "Net price", "Stock"}, {"N1", "Mug", 2.5, 7}}},
				nil), ""},
	} {
		t.Run(name, func(t *testing.T) {
			r, err := Open(t.Context(), file(t, c.content), &l, false)
			if err == nil {
				r.Close()
			}
			if (c.words == "") != (err == nil) || (err != nil && !strings.Contains(err.Error(), c.words)) {
				t.Errorf("%v", err)
			}
		})
	}
}
