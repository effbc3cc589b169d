package workbench

import (
	"context"
	"errors"
	"slices"

	"github.com/danielgtaylor/huma/v2"
	"github.com/jackc/pgx/v5"

	"plainpelican/core/edit"
	"plainpelican/core/money"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
)

// TableRow is a draft as a row of the table of many, with its variants where those are rows.
type TableRow struct {
	Line
	Changes           changes `json:"changes" doc:"By field, who changed it last and when"`
	SearchTitle       string  `json:"search_title"`
	SearchDescription string  `json:"search_description"`
	Reserve           int     `json:"reserve"`
	Supplier          string  `json:"supplier"`
	Source            string  `json:"source"`
	// Chosen counts the variants that are sold, and Stock what the supplier has of them.
	Chosen int `json:"chosen"`
	Stock  int `json:"stock"`
	// From is the lowest price of those that are sold, LeastProfit the least profit; both are absent without prices.
	From        *money.Amount  `json:"from"`
	LeastProfit *money.Amount  `json:"least_profit"`
	Variants    []TableVariant `json:"variants"`
}

// TableVariant is a variant as a row of the table.
type TableVariant struct {
	ID     int64    `json:"id"`
	Values []string `json:"values"`
	Chosen bool     `json:"chosen"`
	edit.Codes
	MadeSKU         string        `json:"made_sku"`
	SupplierBarcode string        `json:"supplier_barcode"`
	Stock           int           `json:"stock"`
	Cost            money.Amount  `json:"cost"`
	Landed          *money.Amount `json:"landed"`
	Price           *money.Amount `json:"price"`
	Profit          *money.Amount `json:"profit"`
	Manual          bool          `json:"manual"`
}

// TablePage is a part of the table.
type TablePage struct {
	Rows []TableRow `json:"rows"`
	// Total and Next are those of a Page.
	Total int   `json:"total"`
	Next  int64 `json:"next"`
}

// Table is List in the shape of a table: a row for each draft, with its variants where they are asked for.
func (s *Service) Table(ctx context.Context, storeID, before int64, limit int, ids []int64, f Filter,
	variants bool) (TablePage, error) {
	rows := []TableRow{}
	page, err := s.page(ctx, storeID, before, limit, ids, f, func(d *draft, line Line, priced []Variant) {
		rows = append(rows, d.row(line, priced, variants))
	})
	return TablePage{Rows: rows, Total: page.Total, Next: page.Next}, err
}

func (d *draft) row(line Line, priced []Variant, variants bool) TableRow {
	r := TableRow{Line: line, Changes: d.changes, SearchTitle: d.text.SearchTitle,
		SearchDescription: d.text.SearchDescription, Reserve: d.text.Reserve, Supplier: d.supplier,
		Source: d.facts.Source, Variants: []TableVariant{}}
	for _, v := range priced {
		one := TableVariant{ID: v.ID, Values: v.Values, Chosen: v.Chosen, Codes: v.Codes, MadeSKU: v.MadeSKU,
			SupplierBarcode: v.SupplierBarcode, Stock: v.Stock, Cost: v.Cost, Manual: v.Manual}
		if l := v.Ladder; l != nil {
			one.Landed, one.Price, one.Profit = &l.Landed, &l.Price, &l.Profit
		}
		if variants {
			r.Variants = append(r.Variants, one)
		}
		if !v.Chosen {
			continue
		}
		r.Chosen++
		r.Stock += v.Stock
		if one.Price == nil {
			continue
		}
		if r.From == nil || one.Price.Minor() < r.From.Minor() {
			r.From = one.Price
		}
		if r.LeastProfit == nil || one.Profit.Minor() < r.LeastProfit.Minor() {
			r.LeastProfit = one.Profit
		}
	}
	return r
}

// DraftEdit is an edit of one draft among many.
type DraftEdit struct {
	DraftID int64     `json:"draft_id"`
	Edit    EditInput `json:"edit"`
}

// EditManyResult says what became of edits of many drafts.
type EditManyResult struct {
	Changed int `json:"changed"`
	// Refused are the drafts that were left as they are, each with why.
	Refused []RefusedEdit `json:"refused"`
	// Bulk names the change, to be undone as one step; 0 where nothing was changed.
	Bulk int64 `json:"bulk"`
}

// RefusedEdit is a draft that was not changed.
type RefusedEdit struct {
	DraftID int64  `json:"draft_id"`
	Title   string `json:"title"`
	Field   string `json:"field"`
	Words   string `json:"words"`
}

// EditMany makes edits of many drafts, of which each differs, as one step. One that cannot be made does not stop the
// others: it is refused with the reason.
func (s *Service) EditMany(ctx context.Context, storeID int64, edits []DraftEdit) (EditManyResult, error) {
	out := EditManyResult{Refused: []RefusedEdit{}}
	var currency money.Currency
	if storeID != 0 {
		pricer, err := s.Pricing.Pricer(ctx, storeID)
		if err != nil {
			return out, err
		}
		currency = pricer.Currency
	}
	edits = slices.Clone(edits)
	// In the order in which all that write many drafts lock them.
	slices.SortStableFunc(edits, func(a, b DraftEdit) int { return int(a.DraftID - b.DraftID) })
	err := database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		out = EditManyResult{Refused: []RefusedEdit{}}
		if err := tx.QueryRow(ctx, `select nextval('bulk_edit')`).Scan(&out.Bulk); err != nil {
			return err
		}
		var moved []int64
		for _, e := range edits {
			w, moves, err := s.editOne(ctx, tx, storeID, currency, out.Bulk, e)
			var status huma.StatusError
			if errors.As(err, &status) && status.GetStatus() < 500 {
				out.Refused = append(out.Refused, refusedEdit(e.DraftID, w, err))
				continue
			}
			if err != nil {
				return err
			}
			if len(w.touched) == 0 {
				continue
			}
			out.Changed++
			if moves {
				moved = append(moved, e.DraftID)
			}
			if len(edits) <= fewEdits { // of many, the list is read anew
				if err := s.publish(ctx, tx, w); err != nil {
					return err
				}
			}
		}
		if out.Changed == 0 {
			out.Bulk = 0
			return nil
		}
		if len(moved) > 0 {
			if err := s.Pricing.PriceDrafts(ctx, tx, moved); err != nil {
				return err
			}
		}
		if len(edits) <= fewEdits {
			return nil
		}
		return s.Progress.PublishIn(ctx, tx, "drafts", map[string]int64{"changed": out.Bulk})
	})
	return out, err
}

// fewEdits is up to how many edits each is told by itself.
const fewEdits = 20

// editOne makes one of many edits, within a savepoint: what is wrong with it leaves the others as they are.
func (s *Service) editOne(ctx context.Context, tx pgx.Tx, storeID int64, c money.Currency, bulk int64,
	e DraftEdit) (w *writing, moves bool, err error) {
	operations, err := e.Edit.operations(storeID, c)
	if err != nil {
		return nil, false, err
	}
	err = pgx.BeginFunc(ctx, tx, func(tx pgx.Tx) error {
		w, err = s.write(ctx, tx, e.DraftID, writeOptions{base: e.Edit.Base, bulk: bulk},
			func(*writing) ([]edit.Operation, error) { return operations, nil })
		return err
	})
	return w, edit.MovesPrice(operations), err
}

func refusedEdit(id int64, w *writing, err error) RefusedEdit {
	r := RefusedEdit{DraftID: id, Words: apikit.Sentence(err)}
	if w != nil {
		r.Title = w.title
	}
	var problem *huma.ErrorModel
	if errors.As(err, &problem) && len(problem.Errors) > 0 {
		r.Field, r.Words = problem.Errors[0].Location, problem.Errors[0].Message
	}
	return r
}
