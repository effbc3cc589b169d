package pricelist

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"reflect"
	"slices"
	"strings"
	"testing"

	"plainpelican/connect/source"
	"plainpelican/core/landed"
)

// shipped is a file of a test data package that the browser tests' folder installs.
func shipped(t testing.TB, path ...string) string {
	t.Helper()
	at := filepath.Join(append([]string{"../../e2e/node_modules"}, path...)...)
	if _, err := os.Stat(at); err != nil {
		t.Fatalf("%v: run make setup-test", err)
	}
	return at
}

func records(t testing.TB, in rows) (all [][]string) {
	t.Helper()
	for {
		row, err := in.next()
		if err == io.EOF {
			return all
		}
		must(t, err)
		if row.Error != "" {
			t.Errorf("line %d: %s", row.Number, row.Error)
		}
		all = append(all, row.Cells)
	}
}

// The cases of csv-spectrum, a published collection of CSV files with what they mean as JSON.
func TestCSVSpectrum(t *testing.T) {
	files, err := filepath.Glob(filepath.Join(shipped(t, "csv-spectrum", "csvs"), "*.csv"))
	must(t, err)
	if len(files) < 12 {
		t.Fatalf("only %d cases", len(files))
	}
	for _, file := range files {
		t.Run(filepath.Base(file), func(t *testing.T) {
			content, err := os.ReadFile(file)
			must(t, err)
			if filepath.Base(file) == "location_coordinates.csv" {
				// Its JSON is of another row than its CSV.
				all := records(t, newCSV(bytes.NewReader(content), &Layout{Encoding: UTF8, Delimiter: ","}))
				if len(all) != 2 || len(all[1]) != 4 || all[1][0] != "2095257564" || all[1][3] != "Stanislaus" ||
					!strings.HasSuffix(all[1][1], `17.9"W`) {
					t.Errorf("%q", all)
				}
				return
			}
			all := records(t, newCSV(bytes.NewReader(content), &Layout{Encoding: UTF8, Delimiter: ","}))
			got := []map[string]string{}
			for _, cells := range all[1:] {
				row := map[string]string{}
				for i, name := range all[0] {
					row[name] = cells[i]
				}
				got = append(got, row)
			}
			data, err := os.ReadFile(shipped(t, "csv-spectrum", "json",
				strings.TrimSuffix(filepath.Base(file), ".csv")+".json"))
			must(t, err)
			var want []map[string]string
			must(t, json.Unmarshal(data, &want))
			// A line end within quotes is LF here, whichever it was.
			for _, row := range want {
				for k, v := range row {
					row[k] = strings.ReplaceAll(v, "\r\n", "\n")
				}
			}
			if !reflect.DeepEqual(got, want) {
				t.Errorf("%q, want %q", got, want)
			}
		})
	}
}

// RFC 4180 section 2, the examples of its numbered rules.
func TestRFC4180(t *testing.T) {
	for text, want := range map[string][][]string{
		"aaa,bbb,ccc\r\nzzz,yyy,xxx\r\n":             {{"aaa", "bbb", "ccc"}, {"zzz", "yyy", "xxx"}},
		"aaa,bbb,ccc\r\nzzz,yyy,xxx":                 {{"aaa", "bbb", "ccc"}, {"zzz", "yyy", "xxx"}},
		"\"aaa\",\"bbb\",\"ccc\"\r\nzzz,yyy,xxx":     {{"aaa", "bbb", "ccc"}, {"zzz", "yyy", "xxx"}},
		"\"aaa\",\"b\r\nbb\",\"ccc\"\r\nzzz,yyy,xxx": {{"aaa", "b\nbb", "ccc"}, {"zzz", "yyy", "xxx"}},
		"\"aaa\",\"b\"\"bb\",\"ccc\"":                {{"aaa", "b\"bb", "ccc"}},
		"aaa\rbbb":                                   {{"aaa"}, {"bbb"}},
		"\"a,b\",,\"\"\n":                            {{"a,b", "", ""}},
	} {
		if got := records(t,
			newCSV(strings.NewReader(text), &Layout{Encoding: UTF8, Delimiter: ","})); !reflect.DeepEqual(got, want) {
			t.Errorf("%q: %q, want %q", text, got, want)
		}
	}
}

// What the standard library's reader takes without a complaint, we read alike.
func FuzzCSV(f *testing.F) {
	for _, seed := range []string{"a,b\n1,2\n", "\"a\",\"b\nc\"\n", "a\r\nb", "\"x", "\"\"\"\"", "a,\"b\"c\n",
		"\xff,1\n", "a\x00b,c"} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, text string) {
		in := newCSV(strings.NewReader(text), &Layout{Encoding: UTF8, Delimiter: ","})
		var got [][]string
		clean := true
		for n := 0; ; n++ {
			row, err := in.next()
			if err != nil {
				break
			}
			if n > len(text)+1 {
				t.Fatal("more rows than the text has bytes")
			}
			clean = clean && row.Error == ""
			if len(row.Cells) > 1 || row.Cells[0] != "" {
				got = append(got, row.Cells)
			}
		}
		strict := csv.NewReader(strings.NewReader(text))
		strict.FieldsPerRecord = -1
		want, err := strict.ReadAll()
		if err != nil || !clean || strings.ContainsAny(text, "\r\x00") || strings.HasPrefix(text, "\xef\xbb\xbf") ||
			slices.ContainsFunc(want, func(r []string) bool {
				return len(r) == 1 && r[0] == "" || len(r) > mostColumns
			}) {
			return // not CSV by RFC 4180, or what we mend
		}
		if len(got) != len(want) || (len(got) > 0 && !reflect.DeepEqual(got, want)) {
			t.Fatalf("%q: %q, the standard library %q", text, got, want)
		}
	})
}

// Whatever a file holds, nothing of it is dropped without a reason: each row with something in
// it is in an offer, set aside, a heading or a repeated header.
func FuzzList(f *testing.F) {
	for _, m := range messy {
		if content := m.content(f); !bytes.HasPrefix(content, []byte("PK")) {
			f.Add(content)
		}
	}
	f.Fuzz(func(t *testing.T, content []byte) {
		if bytes.HasPrefix(content, []byte("PK")) {
			return // the workbook library's own fuzzing
		}
		look, err := Analyze(t.Context(), file(t, content), nil, Hints{Currency: "USD", Supplier: "Test"})
		if err != nil {
			return
		}
		l := look.Layout
		l.Country, l.Processing = "DE", landed.Days{}
		if _, reason := l.Check(); reason != "" {
			return
		}
		r, err := Open(t.Context(), file(t, content), &l, false)
		if err != nil {
			return
		}
		defer r.Close()
		variants, rejected := 0, 0
		for {
			item, err := r.Next()
			if err != nil {
				break
			}
			if item.Offer != nil {
				variants += len(item.Offer.Variants)
				check(t, item.Offer)
			}
			rejected += len(item.Rejected)
			for _, a := range item.Rejected {
				if a.Reason == "" || a.Position == "" {
					t.Fatalf("without a reason or a place: %+v", a)
				}
			}
		}
		if r.read != variants+rejected+r.headings {
			t.Fatalf("%d rows: %d in offers, %d set aside, %d headings", r.read, variants, rejected, r.headings)
		}
	})
}

func check(t *testing.T, o *source.Offer) {
	t.Helper()
	if o.Number == "" || o.Title == "" || o.Currency == 0 {
		t.Fatalf("an offer that cannot be used: %+v", o)
	}
	for _, v := range o.Variants {
		if v.Cost.Minor() <= 0 || v.Stock < 0 || v.Number == "" || len(v.Values) != len(o.OptionNames) {
			t.Fatalf("a variant that cannot be used: %+v", v)
		}
	}
}

// The Big List of Naughty Strings, as titles of a list: each comes through as it is, or its
// row is set aside with a reason.
func TestHostileStrings(t *testing.T) {
	data, err := os.ReadFile(shipped(t, "blns", "resources", "blns.json"))
	must(t, err)
	var hostile []string
	must(t, json.Unmarshal(data, &hostile))
	if len(hostile) < 400 {
		t.Fatalf("only %d strings", len(hostile))
	}
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	must(t, w.Write([]string{"SKU", "Title", "Price", "Stock", "Colour"}))
	for i, s := range hostile {
		must(t, w.Write([]string{"S" + letter(i), s, "1.00", "5", s}))
	}
	w.Flush()
	l := Layout{Format: "csv", Encoding: UTF8, Delimiter: ",", Header: 1, Decimal: ".", Currency: "USD",
		Grouping: EachRow, Supplier: "x", Country: "DE",
		Columns: []Column{{Header: "SKU", Field: Number}, {Header: "Title", Field: Title},
			{Header: "Price", Field: Cost}, {Header: "Stock", Field: Stock}, {Header: "Colour", Field: Option}}}
	offers, rejected, _ := all(t, out.Bytes(), &l)
	if len(offers)+len(rejected) != len(hostile) {
		t.Fatalf("%d strings: %d offers, %d set aside", len(hostile), len(offers), len(rejected))
	}
	titles := map[string]string{}
	for _, o := range offers {
		titles[o.Number] = o.Title
	}
	for i, s := range hostile {
		want := strings.Join(strings.Fields(strings.ReplaceAll(s, "\x00", "")), " ")
		if got, in := titles["S"+letter(i)]; in && got != want && "'"+got != want {
			t.Errorf("%q came through as %q", s, got)
		} else if !in && want != "" {
			t.Errorf("%q was set aside", s)
		}
	}
}

// excelize's own workbooks: damaged, encrypted, with merged cells and shared strings.
func TestWorkbooksOfTheLibrary(t *testing.T) {
	out, err := exec.Command("go", "list", "-m", "-f", "{{.Dir}}", "github.com/xuri/excelize/v2").Output()
	must(t, err)
	files, err := filepath.Glob(filepath.Join(strings.TrimSpace(string(out)), "test", "*.xlsx"))
	must(t, err)
	if len(files) < 6 {
		t.Fatalf("only %d workbooks", len(files))
	}
	for _, name := range files {
		t.Run(filepath.Base(name), func(t *testing.T) {
			f, err := os.Open(name)
			must(t, err)
			defer func() { _ = f.Close() }()
			look, err := Analyze(t.Context(), f, nil, Hints{})
			if strings.HasPrefix(filepath.Base(name), "encrypt") {
				if err != ErrPassword {
					t.Errorf("under a password: %v", err)
				}
				return
			}
			if err == nil && len(look.Sheets) == 0 {
				t.Error("no sheets, and no word of it")
			}
		})
	}
}
