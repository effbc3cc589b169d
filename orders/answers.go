package orders

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"plainpelican/platform/apikit"
)

// maxAnswerRows is how many rows a supplier's answer may have.
const maxAnswerRows = 20_000

// AnswerInput is an order sheet as a supplier sent it back.
type AnswerInput struct {
	File string `json:"file" minLength:"1" maxLength:"64" doc:"An uploaded file"`
}

// AnswerOutcome is what came of a supplier's answer.
type AnswerOutcome struct {
	Parcels  int           `json:"parcels" doc:"That were noted, or were known"`
	Waiting  int           `json:"waiting" doc:"Rows without a tracking number yet"`
	Rejected []RejectedRow `json:"rejected"`
}

// answered is a parcel in a supplier's answer, of one purchase.
type answered struct {
	row      int
	purchase int64
	in       ParcelInput
	lines    []parcelLine
}

// TakeAnswer reads the tracking numbers of an order sheet that a supplier filled in, as CSV or XLSX. Each number of a
// purchase is a parcel with what its rows say. A row that cannot be used is named; the others count, once however often
// the file is sent.
func (s *Service) TakeAnswer(ctx context.Context, in AnswerInput) (AnswerOutcome, error) {
	out := AnswerOutcome{Rejected: []RejectedRow{}}
	rows, err := s.Sources.Cells(ctx, in.File, maxAnswerRows+2)
	if err != nil {
		return out, err
	}
	if len(rows) > maxAnswerRows+1 {
		return out, apikit.Problem(422, "file", "The file has more than %d rows: send it in parts.", maxAnswerRows)
	}
	at := map[string]int{}
	if len(rows) > 0 {
		at = positions(rows[0])
	}
	for _, name := range []string{"purchase", trackingColumn, carrierColumn} {
		if _, there := at[name]; !there {
			return out, apikit.Problem(422, "file", "The file has no column “%s”. Send the order sheet itself, with "+
				"its columns “%s” and “%s” filled in.", name, trackingColumn, carrierColumn)
		}
	}
	parcels, known := []*answered{}, map[string]*answered{}
	for n, cells := range rows[1:] {
		cell := func(name string) string {
			if i, there := at[name]; there && i < len(cells) {
				// A spreadsheet's mark of text, which our own sheets bear where a cell could be taken for a formula.
				return strings.TrimPrefix(strings.TrimSpace(cells[i]), "'")
			}
			return ""
		}
		if strings.TrimSpace(strings.Join(cells, "")) == "" {
			continue
		}
		if cell(trackingColumn) == "" {
			out.Waiting++
			continue
		}
		p, err := answeredRow(n+2, cell)
		if err != nil {
			out.Rejected = append(out.Rejected, RejectedRow{n + 2, err.Error()})
			continue
		}
		key := fmt.Sprintf("%d %s", p.purchase, p.in.Number)
		if first := known[key]; first != nil {
			first.lines = append(first.lines, p.lines...)
			continue
		}
		known[key] = p
		parcels = append(parcels, p)
	}
	for _, p := range parcels {
		_, err := s.shipped(ctx, p.purchase, p.in, p.lines)
		if apikit.IsProblem(err) {
			out.Rejected = append(out.Rejected, RejectedRow{p.row, err.Error()})
			continue
		}
		if err != nil {
			return out, err
		}
		out.Parcels++
	}
	return out, nil
}

// answeredRow reads a row of an answer that has a tracking number; its error is a sentence.
func answeredRow(row int, cell func(string) string) (*answered, error) {
	purchase, err := strconv.ParseInt(cell("purchase"), 10, 64)
	if err != nil {
		return nil, fmt.Errorf("“%s” is no number of a purchase", cell("purchase"))
	}
	p := &answered{row: row, purchase: purchase, lines: []parcelLine{}, in: ParcelInput{Number: strings.Join(
		strings.Fields(cell(trackingColumn)), ""), Carrier: cell(carrierColumn), URL: cell(linkColumn)}}
	if p.in.Carrier == "" {
		return nil, fmt.Errorf("it has no carrier")
	}
	if len(p.in.Number) > 100 || len(p.in.Carrier) > 100 || len(p.in.URL) > 500 {
		return nil, fmt.Errorf("its tracking number, carrier or link is too long")
	}
	if offer, variant := cell("product number"), cell("variant number"); offer != "" {
		n, err := strconv.Atoi(cell("quantity"))
		if err != nil || n < 1 {
			return nil, fmt.Errorf("“%s” is no quantity", cell("quantity"))
		}
		p.lines = append(p.lines, parcelLine{offer, variant, n})
	}
	return p, nil
}
