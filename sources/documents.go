package sources

import (
	"context"
	"errors"
	"io"
	"os"
	"strconv"

	"plainpelican/connect/pricelist"
	"plainpelican/connect/ubl"
	"plainpelican/platform/throttle"
)

func kindOf(l *pricelist.Layout) Kind {
	if l.Format == "ubl" {
		return CatalogueDocument
	}
	return PriceList
}

func termsOf(l *pricelist.Layout) ubl.Terms {
	return ubl.Terms{Supplier: l.Supplier, Country: l.Country, Processing: l.Processing, Deliveries: l.Deliveries}
}

// analyzeDocument shows the first lines of a UBL catalogue as the offers that they would become.
func analyzeDocument(file *os.File, given *pricelist.Layout, hints pricelist.Hints) (*pricelist.Analysis, error) {
	look := &pricelist.Analysis{Sheets: []string{}, Notes: []string{}, Columns: []pricelist.ColumnLook{},
		Head: []pricelist.HeadRow{}, Preview: []pricelist.PreviewOffer{}, Questions: []pricelist.Question{},
		Unread: []pricelist.UnreadColumn{}}
	look.Layout = pricelist.Layout{Supplier: hints.Supplier, Processing: pricelist.NotSaid,
		Answers: map[string]string{}}
	if given != nil {
		look.Layout = *given
	}
	l := &look.Layout
	l.Format, l.Decimal, l.Grouping, l.Columns = "ubl", ".", pricelist.EachRow, []pricelist.Column{}
	r, err := ubl.New(io.NewSectionReader(file, 0, 1<<62), termsOf(l))
	if err != nil {
		return nil, err
	}
	for len(look.Preview) < 50 {
		item, err := r.Next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, err
		}
		for _, u := range item.Rejected {
			look.Bad++
			look.Preview = append(look.Preview,
				pricelist.PreviewOffer{Row: look.Rows, Number: u.Number, Error: u.Reason, Options: []string{},
					Variants: []pricelist.PreviewVariant{}, Cells: []string{u.Content}})
		}
		if item.Offer != nil {
			if look.Rows++; l.Currency == "" { // of what is typed beside it
				l.Currency = item.Offer.Currency.String()
			}
			preview, good := pricelist.PreviewOf(item.Offer, look.Rows, nil, nil)
			look.Good += good
			look.Preview = append(look.Preview, preview)
		}
	}
	if given == nil && r.Supplier != "" {
		l.Supplier = r.Supplier
	}
	look.Rows = 0 // how many there are in all is not known before they are read
	look.Field, look.Error = l.Check()
	return look, nil
}

// documentFeed reads a catalogue document; its cursor counts the items that were read.
type documentFeed struct {
	file     *os.File
	reader   *ubl.Reader
	done     int
	throttle *throttle.Throttle
}

func (s *Service) openDocument(file *os.File, in *activeImport) (feed, error) {
	if in.source.Layout == nil {
		return nil, errNeedsDecision{"First say what the document does not say of its supplier."}
	}
	reader, err := ubl.New(file, termsOf(in.source.Layout))
	if err != nil {
		_ = file.Close()
		return nil, listError(err)
	}
	d := &documentFeed{file: file, reader: reader, throttle: s.Throttle}
	done, err := strconv.Atoi(in.cursor)
	if err != nil {
		return d, nil // at the beginning
	}
	for ; d.done < done; d.done++ {
		if _, err := reader.Next(); err != nil {
			d.close()
			return nil, listError(err)
		}
	}
	return d, nil
}

func (d *documentFeed) close() { _ = d.file.Close() }

func (d *documentFeed) next(ctx context.Context) (b batch, err error) {
	err = d.throttle.Do(ctx, func() error {
		b, err = d.read(ctx)
		return err
	})
	return b, err
}

func (d *documentFeed) read(ctx context.Context) (batch, error) {
	b := batch{rows: []sourceRow{}}
	for range d.throttle.BatchSize(listBatch) {
		item, err := d.reader.Next()
		if errors.Is(err, io.EOF) {
			b.last = true
			break
		}
		if err != nil {
			return b, listError(err)
		}
		d.done++
		if item.Offer != nil {
			b.Offers = append(b.Offers, *item.Offer)
			b.rows = append(b.rows, sourceRow{"line of " + item.Offer.Number, []string{}})
		}
		b.Rejected = append(b.Rejected, item.Rejected...)
	}
	b.Next = strconv.Itoa(d.done)
	return b, ctx.Err()
}
