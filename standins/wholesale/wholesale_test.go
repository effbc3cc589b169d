package wholesale

import (
	"bytes"
	"encoding/csv"
	"encoding/xml"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"
	"golang.org/x/text/encoding/charmap"
)

func get(t *testing.T, at string) []byte {
	t.Helper()
	answer, err := http.Get(at)
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = answer.Body.Close() }()
	body, err := io.ReadAll(answer.Body)
	if err != nil || answer.StatusCode != http.StatusOK {
		t.Fatalf("%s: %s %v", at, answer.Status, err)
	}
	return body
}

func TestTheListIsAsOldSystemsWriteIt(t *testing.T) {
	s := New(80)
	front := httptest.NewServer(s.Handler())
	t.Cleanup(front.Close)
	raw := get(t, front.URL+"/price-list.csv")
	if bytes.Contains(raw, []byte("é")) || !bytes.Contains(raw, []byte("D\xe9signation")) {
		t.Error("it is not in Windows-1252")
	}
	text, err := charmap.Windows1252.NewDecoder().Bytes(raw)
	if err != nil {
		t.Fatal(err)
	}
	read := csv.NewReader(bytes.NewReader(text))
	read.Comma, read.FieldsPerRecord = ';', -1
	rows, err := read.ReadAll()
	if err != nil || len(rows) < 100 {
		t.Fatalf("%d rows: %v", len(rows), err)
	}
	bad := map[string]int{}
	for _, row := range rows[3:] {
		if row[6] == "on request" {
			bad["asked for"]++
		}
		if strings.Contains(row[9], ".") {
			bad["dates"]++
		}
	}
	if bad["asked for"] == 0 || bad["dates"] == 0 {
		t.Errorf("nothing in it is wrong: %v", bad)
	}
	book, err := excelize.OpenReader(bytes.NewReader(get(t, front.URL+"/price-list.xlsx")))
	if err != nil {
		t.Fatal(err)
	}
	lines, err := book.GetRows("Price list")
	if err != nil || len(lines) < len(rows)-5 || lines[2][6] != "Net price €" {
		t.Errorf("%d lines: %v", len(lines), err)
	}
	r, err := http.NewRequest(http.MethodPut, front.URL+"/-/list?day=1&renamed=true", nil)
	if err != nil {
		t.Fatal(err)
	}
	if answer, err := http.DefaultClient.Do(r); err != nil || answer.StatusCode != http.StatusNoContent {
		t.Fatalf("%v %v", answer, err)
	}
	if after := get(t, front.URL+"/price-list.csv"); bytes.Equal(after, raw) ||
		!bytes.Contains(after, []byte("2027 terms")) {
		t.Error("a day later, and renamed, it is the same")
	}
}

func TestTheCatalogueIsWellFormed(t *testing.T) {
	front := httptest.NewServer(Corvane(60).Handler())
	t.Cleanup(front.Close)
	d := xml.NewDecoder(bytes.NewReader(get(t, front.URL+"/catalogue.xml")))
	lines := 0
	for {
		token, err := d.Token()
		if err == io.EOF {
			break
		}
		if err != nil {
			t.Fatal(err)
		}
		if start, ok := token.(xml.StartElement); ok && start.Name.Local == "CatalogueLine" {
			lines++
		}
	}
	if lines < 60 {
		t.Errorf("%d lines", lines)
	}
	if body := get(t, front.URL+"/pictures/mug-sand-0-0-7.jpg"); !bytes.HasPrefix(body, []byte("\xff\xd8\xff")) {
		t.Error("its pictures are none")
	}
}
