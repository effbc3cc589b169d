package pricelist

import (
	"strings"
	"testing"

	"plainpelican/core/money"
)

func TestAmounts(t *testing.T) {
	eur, jpy, kwd := money.MustCurrency("EUR"), money.MustCurrency("JPY"), money.MustCurrency("KWD")
	for _, c := range []struct {
		text, decimal string
		in            money.Currency
		want          string
	}{
		{"12", ".", eur, "12.00 EUR"}, {"12.5", ".", eur, "12.50 EUR"}, {"12,5", ",", eur, "12.50 EUR"},
		{"1.234,50", ",", eur, "1234.50 EUR"}, {"1,234.50", ".", eur, "1234.50 EUR"},
		{"1 234,50", ",", eur, "1234.50 EUR"},
		{"1'234.50", ".", eur, "1234.50 EUR"}, {"€ 4,20", ",", eur, "4.20 EUR"}, {"4.20 EUR", ".", eur, "4.20 EUR"},
		{"eur4.20", ".", eur, "4.20 EUR"}, {"(3.00)", ".", eur, "-3.00 EUR"}, {"3.00-", ".", eur, "-3.00 EUR"},
		{"12,-", ",", eur, "12.00 EUR"}, {",50", ",", eur, "0.50 EUR"}, {"+7", ".", eur, "7.00 EUR"},
		// A tenth of a cent is rounded half away from zero.
		{"0.005", ".", eur, "0.01 EUR"}, {"0.0049", ".", eur, "0.00 EUR"}, {"-0.005", ".", eur, "-0.01 EUR"},
		{"1.2345", ".", kwd, "1.235 KWD"}, {"99.5", ".", jpy, "100 JPY"}, {"1,200", ".", jpy, "1200 JPY"},
	} {
		got, err := amount(c.text, c.decimal, c.in)
		if err != nil || got.String() != c.want {
			t.Errorf("%q: %v %v, want %s", c.text, got, err, c.want)
		}
	}
	for text, words := range map[string]string{"call": "not an amount", "12.50": "not an amount",
		"1.2.3,4": "not an amount", "12,34,56": "not an amount", "$4,20 USD": "is in USD, the list in EUR",
		"4,20 apples": "not an amount", "#DIV/0!": "the error #DIV/0! of a formula",
		"=A1*2": "without a result", "2026-11-25": "is a date", "99999999999999999999": "too large",
		"": "not an amount", "--4": "not an amount", "1e5": "not an amount"} {
		if got, err := amount(text, ",", eur); err == nil || !strings.Contains(err.Error(), words) {
			t.Errorf("%q: %v %v, want %s", text, got, err, words)
		}
	}
}

func TestStocks(t *testing.T) {
	for text, want := range map[string]int{"0": 0, "12": 12, ">100": 100, "100+": 100, "~ 40": 40, "1.200": 1200,
		"30 pcs": 30, "7 Stk.": 7, "sold out": 0, "Ausverkauft": 0, "none": 0, "12,0": 12} {
		if got, err := stock(text, ","); err != nil || got != want {
			t.Errorf("%q: %d %v, want %d", text, got, err, want)
		}
	}
	for text, words := range map[string]string{"": "it is empty", "-3": "less than none", "01.12.2026": "is a date",
		"2026-12-01": "is a date", "12-Dec": "is a date", "1 Dec 2026": "is a date", "plenty": "does not say how many",
		"99999999999": "too large", "3 or 4": "does not say how many"} {
		if got, err := stock(text, ","); err == nil || !strings.Contains(err.Error(), words) {
			t.Errorf("%q: %d %v, want %s", text, got, err, words)
		}
	}
}

func TestWeightsAndBarcodes(t *testing.T) {
	for _, c := range []struct {
		text, header string
		want         int
	}{{"180", "Weight (g)", 180}, {"0.64", "Weight kg", 640}, {"0.64 kg", "Weight", 640}, {"2 lb", "Weight", 907},
		{"3", "Weight (oz)", 85}, {"2 lb 3 oz", "Weight", 992}, {"1,2 kg", "", 1200}, {"12 ounces", "", 340},
		{"3 pounds", "", 1361}, {"5 kgs", "", 5000}, {"heavy", "Weight", 0}, {"-4", "Weight", 0}, {"", "", 0}} {
		if got := grams(c.text, weightUnitIn(c.header), "."); got != c.want {
			t.Errorf("%q under %q: %d, want %d", c.text, c.header, got, c.want)
		}
	}
	for text, want := range map[string]string{"4006381333931": "4006381333931", "4.006381333931E+12": "4006381333931",
		"'4006381333931": "4006381333931", "4006381 333931": "4006381333931", "4006381333931.0": "4006381333931",
		"n/a": "n/a", "": ""} {
		if got := barcode(text); got != want {
			t.Errorf("%q: %q, want %q", text, got, want)
		}
	}
}

func TestHeadersAreUnderstood(t *testing.T) {
	for header, want := range map[string]Field{"Artikel-Nr.": Number, "SKU": Number, "Product no.": Parent,
		"Désignation": Title, "EK netto €": Cost, "Price (USD) excl. VAT": Cost, "Your price": Cost,
		"RRP incl. VAT": List, "MAP": MinAdvertised,
		"Lagerbestand": Stock, "Qty available": Stock, "EAN-13": Barcode, "Gewicht (g)": Weight, "Image URL": Picture,
		"Farbe": Option, "Supplier colour": Option, "Währung": Currency, "VPE": Pack, "Warengruppe": Category,
		"Hersteller": Brand, "Referencia": Number,
		"Inkoopprijs": Cost, "Giacenza": Stock, "Taille": Option} {
		best, of := 0.0, Ignored
		for f, s := range byHeader(header) {
			if s > best {
				best, of = s, f
			}
		}
		if of != want {
			t.Errorf("%q is taken for %q (%.2f)", header, of, best)
		}
	}
	for _, header := range []string{"", "xyz", "2026", "Remarks"} {
		for f, s := range byHeader(header) {
			if s >= 0.7 {
				t.Errorf("%q is taken for %q", header, f)
			}
		}
	}
}

func TestALayoutThatCannotBeReadBySaysWhy(t *testing.T) {
	good := func() Layout {
		return Layout{Format: "csv", Encoding: UTF8, Delimiter: ";", Decimal: ",", Currency: "EUR", Grouping: EachRow,
			Supplier: "x", Country: "DE",
			Columns: []Column{{Header: "a", Field: Title}, {Header: "b", Field: Cost}, {Header: "c", Field: Option},
				{Header: "d", Field: Option}}}
	}
	l := good()
	if field, reason := l.Check(); reason != "" {
		t.Fatalf("%s: %s", field, reason)
	}
	for field, change := range map[string]func(*Layout){
		"columns":    func(l *Layout) { l.Columns = l.Columns[:1] },
		"grouping":   func(l *Layout) { l.Grouping = ByParent },
		"per_pack":   func(l *Layout) { l.PerPack = true },
		"decimal":    func(l *Layout) { l.Decimal = ";" },
		"delimiter":  func(l *Layout) { l.Delimiter = "" },
		"encoding":   func(l *Layout) { l.Encoding = "ebcdic" },
		"country":    func(l *Layout) { l.Country = "Germany" },
		"supplier":   func(l *Layout) { l.Supplier = " " },
		"currency":   func(l *Layout) { l.Currency = "QQQ" },
		"processing": func(l *Layout) { l.Processing.Min = 9 },
	} {
		l := good()
		change(&l)
		if got, reason := l.Check(); got != field || reason == "" {
			t.Errorf("%s: %s %q", field, got, reason)
		}
	}
	l = good()
	l.Columns = append(l.Columns, Column{Header: "e", Field: Cost})
	if field, reason := l.Check(); field != "columns" || !strings.Contains(reason, "Two columns") {
		t.Errorf("two costs: %s %q", field, reason)
	}
}

// Corrections stand, and the rest is found anew.
func TestCorrectionsStand(t *testing.T) {
	content := []byte("SKU;Name;Remark;Price;Old " +
		"price;Stock\nA;Mug;nice;4,50;9,00;3\nB;Pot;good;5,50;9,00;3\nC;Can;fine;6,50;9,00;3\n")
	look, err := Analyze(t.Context(), file(t, content), nil, Hints{Currency: "EUR", Supplier: "x"})
	must(t, err)
	l := look.Layout
	if l.at(Cost) != 3 || look.Good != 0 || look.Field != "questions" {
		t.Fatalf("%+v", l)
	}
	l.Columns[3].Field, l.Columns[4].Field = Ignored, Cost
	l.Answers["currency"] = "EUR"
	again, err := Analyze(t.Context(), file(t, content), &l, Hints{})
	must(t, err)
	if again.Layout.at(Cost) != 4 || again.Preview[0].Variants[0].Cost.String() != "9.00 EUR" ||
		again.Columns[4].Why != "as you said" {
		t.Errorf("%+v", again.Layout.Columns)
	}
	// What somebody knows better than the list stands, until it is taken back.
	l.Answers["pieces"] = "12"
	dozen, err := Analyze(t.Context(), file(t, content), &l, Hints{})
	if must(t, err); dozen.Preview[0].Variants[0].Cost.String() != "0.75 EUR" ||
		dozen.Preview[0].Variants[0].Given != "9.00 EUR for 12" {
		t.Errorf("%+v", dozen.Preview[0])
	}
	delete(l.Answers, "pieces")
	// Another delimiter makes other columns: those are matched anew.
	l.Delimiter, l.Columns = ",", nil
	if other, err := Analyze(t.Context(), file(t, content), &l, Hints{}); err != nil || other.Field != "columns" {
		t.Errorf("%v %+v", err, other)
	}
	kept := look.Layout.Keep(&again.Layout)
	if kept.at(Cost) != 4 || kept.Columns[3].Field == Cost {
		t.Errorf("kept: %+v", kept.Columns)
	}
}
