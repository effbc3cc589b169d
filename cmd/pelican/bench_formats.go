package main

import (
	"bufio"
	"context"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"time"

	"github.com/xuri/excelize/v2"

	"plainpelican/connect/pricelist"
	"plainpelican/connect/ubl"
	"plainpelican/core/landed"
	"plainpelican/standins/gen"
)

type formatsResult struct {
	Bench      string  `json:"bench"`
	XLSXRows   int     `json:"xlsx_rows"`
	XLSXMB     float64 `json:"xlsx_mb"`
	XLSXOffers int     `json:"xlsx_offers"`
	XLSXMS     float64 `json:"xlsx_ms"`
	XLSXPeakMB float64 `json:"xlsx_peak_mb_above_idle"`
	XLSXBareMS float64 `json:"xlsx_library_alone_ms"`
	UBLMB      float64 `json:"ubl_mb"`
	UBLLines   int     `json:"ubl_lines"`
	UBLMS      float64 `json:"ubl_ms"`
	UBLPeakMB  float64 `json:"ubl_peak_mb_above_idle"`
	UBLBareMS  float64 `json:"ubl_tokens_alone_ms"`
	SetAside   int     `json:"rejected"`
}

// benchFormats reads a workbook of n rows, 200,000 where none is said, and a catalogue document of a gigabyte, to the
// offers that they hold. The yardsticks are the workbook library and the XML tokeniser alone.
func benchFormats(_ context.Context, n int, dir string) (out formatsResult, err error) {
	if n == 0 {
		n = 200_000
	}
	out = formatsResult{Bench: "formats", XLSXRows: n}
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return out, err
	}
	book, document := filepath.Join(dir, "list.xlsx"), filepath.Join(dir, "catalogue.xml")
	defer func() { _ = os.Remove(book); _ = os.Remove(document) }()
	fmt.Println("writing a workbook of", n, "rows and a document of a gigabyte")
	if out.XLSXMB, err = writeBook(book, n); err != nil {
		return out, err
	}
	if out.UBLMB, err = writeDocument(document, int64(n)*5000); err != nil {
		return out, err
	}
	if err := out.workbook(book); err != nil {
		return out, err
	}
	return out, out.document(document)
}

func sizeOf(f *os.File) (float64, error) {
	info, err := f.Stat()
	if err != nil {
		return 0, err
	}
	return float64(info.Size()) / 1e6, nil
}

func writeBook(path string, n int) (float64, error) {
	f := excelize.NewFile()
	defer func() { _ = f.Close() }()
	w, err := f.NewStreamWriter("Sheet1")
	if err != nil {
		return 0, err
	}
	row := 1
	put := func(cells ...any) {
		if err == nil {
			err = w.SetRow(fmt.Sprintf("A%d", row), cells)
		}
		row++
	}
	put("SKU", "Title", "Category", "Cost EUR", "Stock", "EAN", "Weight (g)", "Picture")
	for o := range (gen.Catalog{Seed: 5, Prefix: "W", Suppliers: 1, Near: true}).Offers(n) {
		v := o.Variants[0]
		put(o.Number, o.Title, o.Category, float64(v.Price)/100, v.Stock, v.GTIN, v.Grams,
			"https://pictures.example/"+o.Pictures[0]+".jpg")
	}
	if err == nil {
		err = w.Flush()
	}
	if err == nil {
		err = f.SaveAs(path)
	}
	if err != nil {
		return 0, err
	}
	file, err := os.Open(path)
	if err != nil {
		return 0, err
	}
	defer func() { _ = file.Close() }()
	return sizeOf(file)
}

func writeDocument(path string, size int64) (float64, error) {
	f, err := os.Create(path)
	if err != nil {
		return 0, err
	}
	defer func() { _ = f.Close() }()
	w := bufio.NewWriterSize(f, 1<<20)
	written, err := io.WriteString(w,
		`<?xml version="1.0"?>
			<Catalogue xmlns="urn:oasis:names:specification:ubl:schema:xsd:Catalogue-2" `+
			`xmlns:cac="urn:oasis:names:specification:ubl:schema:xsd:CommonAggregateComponents-2" `+
			`xmlns:cbc="urn:oasis:names:specification:ubl:schema:xsd:CommonBasicComponents-2">`)
	total := int64(written)
	for i := 0; total < size && err == nil; i++ {
		written,
			err = fmt.Fprintf(w,
			`<cac:CatalogueLine><cbc:ID>%d</cbc:ID><cac:RequiredItemLocationQuantity>
				<cbc:MaximumQuantity unitCode="C62">%d</cbc:MaximumQuantity><cac:Price>
				<cbc:PriceAmount currencyID="EUR">%d.%02d</cbc:PriceAmount>
				<cbc:BaseQuantity unitCode="C62">1</cbc:BaseQuantity></cac:Price></cac:RequiredItemLocationQuantity>`+
				`<cac:Item><cbc:Description>Good for every day.</cbc:Description><cbc:Name>Storm lamp no. %d</cbc:Name>
					<cac:SellersItemIdentification><cbc:ID>L%d</cbc:ID><cbc:ExtendedID>P%d</cbc:ExtendedID>
					</cac:SellersItemIdentification>`+
				`<cac:AdditionalItemProperty><cbc:Name>Colour</cbc:Name><cbc:Value>c%d</cbc:Value>
					</cac:AdditionalItemProperty></cac:Item></cac:CatalogueLine>`+"\n", i, i%900, 1+i%90, i%100, i/4, i,
			i/4, i%4)
		total += int64(written)
	}
	if err == nil {
		_, err = io.WriteString(w, "</Catalogue>")
	}
	if err == nil {
		err = w.Flush()
	}
	if err != nil {
		return 0, err
	}
	return sizeOf(f)
}

func (out *formatsResult) workbook(path string) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	defer func() { _ = f.Close() }()
	stop := watchMemory(&out.XLSXPeakMB)
	defer stop()
	began := time.Now()
	look, err := pricelist.Analyze(context.Background(), f, nil, pricelist.Hints{Supplier: "Northlight Wholesale"})
	if err != nil {
		return err
	}
	layout := look.Layout
	layout.Country = "DE"
	layout.Processing = landed.Days{Min: 1, Max: 2}
	r, err := pricelist.Open(context.Background(), f, &layout, false)
	if err != nil {
		return err
	}
	for {
		item, err := r.Next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return err
		}
		if item.Offer != nil {
			out.XLSXOffers++
		}
		out.SetAside += len(item.Rejected)
	}
	r.Close()
	out.XLSXMS = millis(time.Since(began))
	stop()
	began = time.Now()
	book, err := excelize.OpenFile(path)
	if err != nil {
		return err
	}
	defer func() { _ = book.Close() }()
	rows, err := book.Rows(book.GetSheetList()[0])
	if err != nil {
		return err
	}
	for rows.Next() {
		if _, err := rows.Columns(); err != nil {
			return err
		}
	}
	out.XLSXBareMS = millis(time.Since(began))
	return rows.Close()
}

func (out *formatsResult) document(path string) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	defer func() { _ = f.Close() }()
	stop := watchMemory(&out.UBLPeakMB)
	defer stop()
	began := time.Now()
	r, err := ubl.New(f, ubl.Terms{Supplier: "Corvane Supply", Country: "SE"})
	if err != nil {
		return err
	}
	for {
		item, err := r.Next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return err
		}
		if item.Offer != nil {
			out.UBLLines += len(item.Offer.Variants)
		}
	}
	out.UBLMS = millis(time.Since(began))
	stop()
	if _, err := f.Seek(0, io.SeekStart); err != nil {
		return err
	}
	began = time.Now()
	tokens := xml.NewDecoder(bufio.NewReaderSize(f, 1<<16))
	for {
		if _, err := tokens.Token(); errors.Is(err, io.EOF) {
			break
		} else if err != nil {
			return err
		}
	}
	out.UBLBareMS = millis(time.Since(began))
	return nil
}
