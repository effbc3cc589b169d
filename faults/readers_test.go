// Package faults holds inputs made to harm and days on which something is away. A small run is a part of
// the tests; `make faults` runs all of it.
package faults

import (
	"archive/zip"
	"bytes"
	"fmt"
	"image"
	"image/png"
	"os"
	"path/filepath"
	"runtime"
	"runtime/debug"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"plainpelican/connect/page"
	"plainpelican/connect/pricelist"
	"plainpelican/platform/pictures"
)

// full tells whether all is to be run, and many is a count that is smaller otherwise.
var full = os.Getenv("FAULTS") == "full"

func many(all, few int) int {
	if full {
		return all
	}
	return few
}

// What no input may take, above what the process had before.
const (
	maxMB   = 400
	maxTime = 20 * time.Second
)

// peak is the most memory that the process has had since the last reset, in MB (proc(5), VmHWM).
func peak(t *testing.T, reset bool) int {
	t.Helper()
	if reset {
		runtime.GC()
		debug.FreeOSMemory()
		if err := os.WriteFile("/proc/self/clear_refs", []byte("5"), 0o200); err != nil {
			t.Fatal(err)
		}
	}
	status, err := os.ReadFile("/proc/self/status")
	if err != nil {
		t.Fatal(err)
	}
	_, rest, _ := strings.Cut(string(status), "VmHWM:")
	kb, err := strconv.Atoi(strings.Fields(rest)[0])
	if err != nil {
		t.Fatal(err)
	}
	return kb / 1024
}

// bounded does something that may fail, and must not take long or much.
func bounded(t *testing.T, name string, do func() error) {
	t.Helper()
	t.Run(name, func(t *testing.T) {
		before, began := peak(t, true), time.Now()
		err := do()
		took, mb := time.Since(began), peak(t, false)-before
		t.Logf("%d MB, %v: %v", mb, took.Round(time.Millisecond), err)
		if mb > maxMB || took > maxTime {
			t.Errorf("it took %d MB and %v", mb, took)
		}
	})
}

func script(json string) string {
	return `<!doctype html><script type="application/ld+json">` + json + `</script>`
}

func TestPagesMadeToHarm(t *testing.T) {
	n := many(6<<20, 2<<20)
	wide := strings.Repeat(`{"@id":"#a"},`, 20)
	for name, body := range map[string]string{
		"names itself": script(
			`{"@graph":[{"@type":"Product","@id":"#a","name":{"@id":"#a","x":1},"brand":{"@id":"#a",` +
				`"name":{"@id":"#a"}},"offers":{"price":1,"priceCurrency":"EUR"}}]}`),
		"two name each other": script(
			`{"@graph":[{"@id":"#a","@type":"Product","name":{"@id":"#b","y":1}},{"@id":"#b","name":{"@id":"#a",` +
				`"z":1}},{"@id":"#a","name":{"@id":"#b","name":{"@id":"#a","name":[` + wide + `{"@id":"#b"}]}}}]}`),
		"a thousand lead back": script(`[` +
			strings.Repeat(`{"@id":"#a","@type":"Product","name":[{"@id":"#a","q":1},{"@id":"#a","q":1}],`+
				`"hasVariant":{"@id":"#a","q":1}},`, 1000) + `{}]`),
		"deep JSON":    script(strings.Repeat(`{"a":`, 5000) + `1` + strings.Repeat(`}`, 5000)),
		"arrays only":  script(`[` + strings.Repeat(`[],`, n/3) + `[]]`),
		"objects only": script(`[` + strings.Repeat(`{"@type":"Product"},`, n/20) + `{}]`),
		"nested properties": strings.Repeat(`<div itemscope itemprop=a itemtype=https://schema.org/Product>
			<span itemprop=name>`+strings.Repeat("x", 2000), n/2100),
		"properties over text": strings.Repeat(`<b itemprop=name>`, 190) + strings.Repeat(`words <i>more</i> `, n/20),
		"elements only":        strings.Repeat(`<a>`, n/3),
		"formatting in tables": strings.Repeat(`<table><b><i><a><p>`, many(12000, 4000)),
		"one attribute": `<div itemscope itemtype="https://schema.org/Product"><meta itemprop=name content="` +
			strings.Repeat("x", n) + `">`,
		"many variants and sums": script(`{"@type":"ProductGroup","name":"x","hasVariant":[` +
			strings.Repeat(`{"@type":"Product","sku":"1","offers":[`+strings.Repeat(`{"price":"1"},`, 20)+`{}]},`,
				many(5000, 1000)) + `{}]}`),
	} {
		bounded(t, name, func() error {
			_, err := page.Read([]byte(body), "text/html", "https://shop.example/p")
			return err
		})
	}
}

const relationships = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"

// book is a workbook of given parts, beside the usual ones.
func book(t *testing.T, parts map[string][]byte) *os.File {
	t.Helper()
	usual := map[string]string{
		"[Content_Types].xml": `<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types">
			<Default Extension="xml" ContentType="application/xml"/>
			<Override PartName="/xl/workbook.xml" ` +
			`ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"/>
				<Override PartName="/xl/worksheets/sheet1.xml" ` +
			`ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.worksheet+xml"/></Types>`,
		"_rels/.rels": `<Relationships ` +
			`xmlns="http://schemas.openxmlformats.org/package/2006/relationships">
				<Relationship Id="rId1" Type="` + relationships + `/officeDocument"
					Target="xl/workbook.xml"/></Relationships>`,
		"xl/workbook.xml": `<workbook xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main" ` +
			`xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships"><sheets>
				<sheet name="S" sheetId="1" r:id="rId1"/></sheets></workbook>`,
		"xl/_rels/workbook.xml.rels": `<Relationships ` +
			`xmlns="http://schemas.openxmlformats.org/package/2006/relationships">
				<Relationship Id="rId1" Type="` + relationships + `/worksheet"
					Target="worksheets/sheet1.xml"/></Relationships>`,
		"xl/worksheets/sheet1.xml": sheet(3, "C"),
	}
	f, err := os.Create(filepath.Join(t.TempDir(), "book.xlsx"))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = f.Close() })
	z := zip.NewWriter(f)
	for name, content := range usual {
		if own, there := parts[name]; there {
			content = string(own)
		}
		w, err := z.Create(name)
		if err != nil {
			t.Fatal(err)
		}
		_, _ = w.Write([]byte(content))
	}
	for name, content := range parts {
		if _, there := usual[name]; !there {
			w, err := z.Create(name)
			if err != nil {
				t.Fatal(err)
			}
			_, _ = w.Write(content)
		}
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	return f
}

// sheet has rows of which each has a number, a cost and a cell in a column.
func sheet(rows int, last string) string {
	var b strings.Builder
	b.WriteString(`<worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData>`)
	for r := 1; r <= rows; r++ {
		fmt.Fprintf(&b,
			`<row r="%d"><c r="A%d" t="inlineStr"><is><t>N-%d</t></is></c><c r="B%d"><v>1.5</v></c><c r="%s%d"><v>7</v>
				</c></row>`, r, r, r, r, last, r)
	}
	b.WriteString(`</sheetData></worksheet>`)
	return b.String()
}

func TestWorkbooksMadeToHarm(t *testing.T) {
	mb := many(60, 20) << 20
	for name, parts := range map[string]map[string][]byte{
		"a cell in the last column of each row": {"xl/worksheets/sheet1.xml": []byte(sheet(many(60000, 3000), "XFD"))},
		"styles without end": {
			"xl/styles.xml": []byte(`<styleSheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main">
				<cellXfs>` + strings.Repeat(`<xf/>`, mb/5) + `</cellXfs></styleSheet>`)},
		"as many styles as may be": {
			"xl/styles.xml": []byte(`<styleSheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main">
				<cellXfs>` + strings.Repeat(`<xf/>`, 400_000) + `</cellXfs></styleSheet>`)},
		"empty shared strings": {
			"xl/sharedStrings.xml": []byte(`<sst xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main">` +
				strings.Repeat(`<si/>`, mb/5) + `</sst>`)},
		"one giant text": {
			"xl/worksheets/sheet1.xml": []byte(
				`<worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData><row r="1">
					<c r="A1" t="inlineStr"><is><t>` + strings.Repeat("x", mb) +
					`</t></is></c></row></sheetData></worksheet>`)},
		"a chain of formulas": {
			"xl/calcChain.xml": []byte(`<calcChain xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main">` +
				strings.Repeat(`<c/>`, mb/4) + `</calcChain>`)},
		"pictures beside it": {"xl/media/image1.png": make([]byte, mb)},
	} {
		f := book(t, parts)
		bounded(t, name, func() error {
			_, err := pricelist.Analyze(t.Context(), f, nil, pricelist.Hints{Currency: "EUR", Supplier: "x"})
			return err
		})
	}
}

func TestPicturesMadeToHarm(t *testing.T) {
	var deep bytes.Buffer
	if err := (&png.Encoder{CompressionLevel: png.BestSpeed}).
		Encode(&deep, image.NewNRGBA64(image.Rect(0, 0, 6300, 6300))); err != nil {
		t.Fatal(err)
	}
	var large bytes.Buffer
	if err := (&png.Encoder{CompressionLevel: png.BestSpeed}).
		Encode(&large, image.NewNRGBA(image.Rect(0, 0, 4900, 4900))); err != nil {
		t.Fatal(err)
	}
	for name, content := range map[string][]byte{"sixteen bits": deep.Bytes(), "large": large.Bytes()} {
		bounded(t, "six at once, "+name, func() error {
			var all sync.WaitGroup
			for range 6 {
				all.Go(func() { _, _ = pictures.See(content) })
			}
			all.Wait()
			_, err := pictures.Scale(content, 96, true)
			return err
		})
	}
}
