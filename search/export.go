package search

import (
	"context"
	"io"
	"slices"
	"strconv"

	"plainpelican/core/demand"
	"plainpelican/core/money"
	"plainpelican/platform/spreadsheet"
	"plainpelican/pricing"
	"plainpelican/search/index"
)

// Export writes the whole answer of a sentence as CSV.
func (s *Service) Export(ctx context.Context, q Sentence, w io.Writer) error {
	write, err := s.export(ctx, q)
	if err != nil {
		return err
	}
	return write(w)
}

// exportBatch is how many offers are written at a time.
const exportBatch = 500

// export writes the whole answer of a sentence as CSV, part by part, of one state of the catalog.
func (s *Service) export(ctx context.Context, q Sentence) (func(io.Writer) error, error) {
	snapshot, question, pricer, err := s.ask(ctx, &q)
	if err != nil {
		return nil, err
	}
	question.Offset, question.Limit = 0, snapshot.Len()
	hits := snapshot.Search(question).Hits
	return func(w io.Writer) error {
		if _, err := io.WriteString(w, "\xef\xbb\xbf"); err != nil {
			return err
		}
		out := spreadsheet.NewWriter(w)
		_ = out.Write(exportHeader) // told by Error
		for from := 0; from < len(hits); from += exportBatch {
			part := hits[from:min(from+exportBatch, len(hits))]
			lines, err := s.lines(ctx, part, lineOptions{pricer: pricer, soldOutToo: q.SoldOut, full: true})
			if err != nil {
				return err
			}
			for i := range lines {
				_ = out.Write(exportRow(&lines[i], &part[i], pricer))
			}
			out.Flush()
			if err := out.Error(); err != nil {
				return err
			}
		}
		out.Flush()
		return out.Error()
	}, nil
}

var exportHeader = []string{"offer", "number", "title", "brand", "category", "supplier", "source", "page", "ships from",
	"currency", "item", "shipping", "landed", "price", "tax in it", "fees", "profit", "margin of net %", "days from",
	"days to", "tracked", "stock",
	"landed, cheapest sold out", "rating", "on time %", "sold in 7 days", "sold in 30 days", "demand",
	"growth % a month", "rivals", "returns in days", "profit times units a month per rival"}

// exportRow is an offer as a row of the file; what is not known is empty.
func exportRow(l *Line, h *index.Hit[OfferPricing], p *pricing.Pricer) []string {
	number := func(of index.Number, unknown int32) string {
		if h.Numbers[of] == unknown {
			return ""
		}
		return itoa(int64(h.Numbers[of]))
	}
	sums := make([]string, 9)
	if p != nil && l.Ladder != nil {
		sums = []string{p.Currency.String()}
		for _, a := range []money.Amount{l.Ladder.Item, l.Ladder.Shipping, l.Ladder.Landed, l.Ladder.Price,
			l.Ladder.Tax, l.Ladder.Fees, l.Ladder.Profit} {
			sums = append(sums, a.Decimal())
		}
		sums = append(sums, (l.Ladder.Margin * 100).String())
	}
	days := make([]string, 3)
	if l.Days != nil {
		days = []string{strconv.Itoa(l.Days.Door.Min), strconv.Itoa(l.Days.Door.Max),
			map[bool]string{true: "yes", false: "no"}[p.Quote(h.Item.OfferFacts).Choice.Delivery.Tracked]}
	}
	growth, cheaper, worth := "", "", ""
	if n := int(h.Numbers[index.Growth]); n != index.GrowthUnknown {
		growth = strconv.FormatFloat(float64(n)/10, 'f', 1, 64)
	}
	if l.Other != nil && !l.Other.InStock {
		cheaper = l.Other.Landed.Decimal()
	}
	if l.Worth != nil {
		worth = l.Worth.Decimal()
	}
	demanded := l.Demand
	if demanded == string(demand.Unknown) {
		demanded = ""
	}
	return slices.Concat([]string{itoa(l.ID), l.number, l.Title, l.brand, l.category, l.Supplier, l.Source, l.page,
		l.ShipsFrom}, sums, days,
		[]string{number(index.Stock, index.Unknown), cheaper, l.Rating, number(index.OnTime, index.Unknown),
			number(index.Week, index.Unknown), number(index.Month, index.Unknown), demanded, growth,
			number(index.Rivals, index.NotCounted), number(index.Returns, index.Unknown), worth})
}
