package pricelist

import (
	"fmt"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"

	"plainpelican/core/landed"
)

// What a later file says anew is rejected row by row, or read as it says itself; nothing is guessed from what was
// answered before.
func TestLaterFilesThatSayNewThings(t *testing.T) {
	first := []byte("sku,name,uom,cost eur,stock,weight\n1,Mug,EA,3.00,In stock,0.2 kg\n2,Pot,DZ,36.00,Out of " +
		"stock,0.9 kg\n")
	look, err := Analyze(t.Context(), file(t, first), nil, Hints{Supplier: "x"})
	must(t, err)
	l := answered(t, first, look, map[string]string{"stock yes": "20"})
	l.Country, l.Processing = "DE", landed.Days{}
	for name, c := range map[string]struct{ rows, want, reasons string }{
		"as before":    {"1,Mug,EA,3.00,In stock,0.2 kg\n", "1 3.00 EUR 20 200", ""},
		"another unit": {"1,Mug,GRO,432.00,In stock,\n", "1 3.00 EUR 20 0", ""},
		"a carton of nobody knows": {"1,Mug,CTN,36.00,9,\n2,Pot,EA,3.00,9,\n", "2 3.00 EUR 9 0",
			"nothing says of how many pieces"},
		"a unit that is none": {"1,Mug,FOO,36.00,9,\n2,Pot,EA,3.00,9,\n", "2 3.00 EUR 9 0",
			"what the price is for cannot be read from “FOO”"},
		"a dollar": {"1,Mug,EA,$3.00,9,\n2,Pot,EA,3.00,9,\n", "2 3.00 EUR 9 0",
			"is one of several, and nothing says which"},
		"pounds":            {"1,Mug,EA,£3.00,9,\n", "1 3.00 GBP 9 0", ""},
		"a word for little": {"1,Mug,EA,3.00,Low,\n", "1 3.00 EUR 0 0", ""},
		"columns moved":     {"", "1 3.00 EUR 9 0", ""},
		"a row of units":    {",,,EUR/pc,pcs,kg\n1,Mug,EA,3.00,9,0.5\n", "1 3.00 EUR 9 0", ""},
	} {
		t.Run(name, func(t *testing.T) {
			content := "sku,name,uom,cost eur,stock,weight\n" + c.rows
			if c.rows == "" {
				content = "stock,cost eur,note,uom,name,sku,weight\n9,3.00,new,EA,Mug,1,\n"
			}
			offers, rejected, _ := all(t, []byte(content), &l)
			var got []string
			for _, o := range offers {
				for _, v := range o.Variants {
					got = append(got, fmt.Sprintf("%s %s %d %d", v.Number, v.Cost, v.Stock, v.WeightGrams))
				}
			}
			reasons := fmt.Sprint(rejected)
			if strings.Join(got, "; ") != c.want || !strings.Contains(reasons, c.reasons) ||
				(c.reasons == "") != (len(rejected) == 0) {
				t.Errorf("%q, rejected %s", got, reasons)
			}
		})
	}
}

// A product's rows, and what only seems to be one.
func TestHowRowsMakeOffers(t *testing.T) {
	for text, want := range map[string]Grouping{
		"parent sku,sku,name,colour,cost eur\nP,1,Cape red,red,3\nP,2,Cape blue,blue,3\nQ,3,Bell,,2\n": ByParent,
		"parent sku,sku,name,cost eur\nP,1,Cape,3\nP,2,Bell,3\nP,3,Mug,3\nQ,4,Pot,2\n":                 EachRow,
		"sku,name,colour,cost eur\n1,Cape,red,3\n2,Cape,blue,3\n3,Bell,,2\n":                           ByTitle,
		"sku,name,colour,cost eur\n1,Cape,red,3\n2,,blue,3\n3,Bell,,2\n":                               ByTitle,
		"sku,name,cost eur\n1,Cape,3\n2,,3\n3,Bell,2\n":                                                ByTitle,
		"sku,name,cost eur\n1,Cape,3\n2,Cape,3\n3,Bell,2\n":                                            EachRow,
		"product family,sku,name,cost eur\nKitchen,1,Mug,3\nKitchen,2,Pot,3\n":                         EachRow,
		"price group,sku,name,cost eur\nA,1,Mug,3\nA,2,Pot,3\n":                                        EachRow,
	} {
		look, err := Analyze(t.Context(), file(t, []byte(text)), nil, Hints{Supplier: "x"})
		must(t, err)
		if got := look.Layout.Grouping; got != want {
			t.Errorf("%s by %s, want %s (%v)", strings.SplitN(text, "\n", 2)[0], got, want, look.Notes)
		}
	}
}

// Where cells lie in a sheet: gaps between rows and columns, and rows that begin late, do not shift what they are.
func TestKindsOfCellsKeepTheirPlaces(t *testing.T) {
	content := workbookOf(t, []string{"List"}, [][][]any{{{"sku", "name", "note", "cost", "stock"}}},
		func(f *excelize.File) {
			code := "#,##0.00 [$£-809]"
			pounds, err := f.NewStyle(&excelize.Style{CustomNumFmt: &code})
			must(t, err)
			for cell, value := range map[string]any{"A4": "1", "B4": "Mug", "D4": 1.5, "E4": 3, "A9": "2", "B9": "Pot",
				"D9": "2,50", "E9": 4, "A10": "3", "B10": "Pan", "D10": 3.25, "E10": 5} {
				must(t, f.SetCellValue("List", cell, value))
			}
			must(t, f.SetCellStyle("List", "D4", "D10", pounds))
		})
	look, err := Analyze(t.Context(), file(t, content), nil, Hints{Supplier: "x"})
	must(t, err)
	l := answered(t, content, look, map[string]string{"currency": "EUR"})
	l.Country, l.Processing = "DE", landed.Days{}
	offers, rejected, _ := all(t, content, &l)
	got := ""
	for _, o := range offers {
		got += fmt.Sprintf("%s %s; ", o.Number, o.Variants[0].Cost)
	}
	if got != "1 1.50 GBP; 2 2.50 EUR; 3 3.25 GBP; " || len(rejected) != 0 {
		t.Errorf("%s %+v", got, rejected)
	}
	look, err = Analyze(t.Context(), file(t, content), &l, Hints{})
	must(t, err)
	if place := look.Preview[1].Row; place != 9 {
		t.Errorf("the second row is said to be row %d", place)
	}
}

// A letter that lies over two reads of a file does not make it another encoding.
func TestLettersOverTwoReads(t *testing.T) {
	for shift := range 4 {
		text := strings.Repeat("x", 1<<18-shift) + "ß€😀\n" + strings.Repeat("ü", 1<<17) + strings.Repeat("y", shift)
		if got, guess, err := encodingOf(file(t, []byte(text)), ""); err != nil || got != UTF8 || guess {
			t.Errorf("shifted by %d: %s %v %v", shift, got, guess, err)
		}
	}
	if got, _, _ := encodingOf(file(t, []byte("sku,name\n1,B\xe4r\n2,T\xfcr\n")), ""); got != Windows1252 {
		t.Errorf("bytes of Western letters are %s", got)
	}
}

// Answers belong to the list as it was read when they were given: a corrected column takes its currency and unit
// along, another delimiter makes other columns, and an older layout's decisions stand as answers.
func TestAnswersFollowTheColumns(t *testing.T) {
	content := []byte("sku;name;price EUR;price per 100 USD;pack " +
		"size;stock\n1;Pin;0,50;25,00;12;9\n2;Nail;0,40;20,00;12;9\n")
	at := func(l *Layout) *Analysis {
		t.Helper()
		look, err := Analyze(t.Context(), file(t, content), l, Hints{Supplier: "x"})
		must(t, err)
		return look
	}
	costs := func(look *Analysis) string {
		var list []string
		for _, o := range look.Preview {
			for _, v := range o.Variants {
				list = append(list, v.Cost.String())
			}
		}
		return strings.Join(list, " ")
	}
	look := at(nil)
	if q, open := look.open(); !open || q.Key != askCost || len(q.Choices) != 2 {
		t.Fatalf("%+v", look.Questions)
	}
	l := look.Layout
	l.Answers = map[string]string{"cost": "2", "price_for": "piece"}
	look = at(&l)
	if _, open := look.open(); open || costs(look) != "0.50 EUR 0.40 EUR" {
		t.Errorf("%s %+v", costs(look), look.Questions)
	}
	// The other column: its currency and its unit come along, and what was said of the first does not stand for it.
	l = look.Layout
	l.Answers["cost"] = "3"
	if look = at(&l); costs(look) != "0.25 USD 0.20 USD" || look.Layout.Per != 100 || look.Layout.Currency != "USD" {
		t.Errorf("%s %+v", costs(look), look.Layout)
	}
	// Read with another delimiter there are other columns, and the answer about the third is gone.
	l = look.Layout
	l.Delimiter, l.Columns = "|", nil
	if look = at(&l); look.Layout.Answers["cost"] != "" || look.Field != "columns" && look.Field != "questions" {
		t.Errorf("%+v %s", look.Layout.Answers, look.Field)
	}
	// A layout of before there were questions: it is read as it was.
	old := Layout{Format: "csv", Encoding: UTF8, Delimiter: ";", Header: 1, Decimal: ",", Currency: "CHF",
		PerPack: true, Grouping: EachRow, Supplier: "x", Country: "DE",
		Columns: []Column{{Header: "sku", Field: Number}, {Header: "name", Field: Title}, {Header: "price EUR"},
			{Header: "price per 100 USD"}, {Header: "pack size", Field: Pack}, {Header: "stock", Field: Stock}}}
	old.Columns[2].Field = Cost
	if look = at(&old); look.Layout.Answers["price_for"] != "pack" || look.Layout.Currency != "CHF" ||
		!look.Layout.PerPack {
		t.Errorf("%+v", look.Layout)
	}
}
