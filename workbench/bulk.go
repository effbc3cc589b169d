package workbench

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"

	"plainpelican/core/edit"
	"plainpelican/core/money"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/pricing"
)

// BulkPriceInput types or releases the prices of many drafts at once.
type BulkPriceInput struct {
	Store  int64   `json:"store"`
	Drafts []int64 `json:"drafts" minItems:"1" maxItems:"5000"`
	// Act is what is done to the price of each chosen variant, in the order of Drafts.
	Act string `json:"act" enum:"raise_percent,raise_amount,margin,column,release"`
	// Value is the percent, the amount in the store's currency (either may be negative), or the margin in percent.
	Value string `json:"value,omitempty" maxLength:"30"`
	// Column are prices for the chosen variants, one after another; an empty one leaves its variant alone.
	Column []string `json:"column,omitempty" maxItems:"100000"`
	// End gives each price the ending of its rule.
	End bool `json:"end"`
	// Apply keeps the prices; otherwise they are only looked at.
	Apply bool `json:"apply"`
}

// BulkPriceResult says what became of the prices of many drafts, or would become.
type BulkPriceResult struct {
	Lines      []BulkPriceLine `json:"lines" doc:"The first 500"`
	Variants   int             `json:"variants"`
	Moved      int             `json:"moved"`
	Rise       int             `json:"rise"`
	Fall       int             `json:"fall"`
	BelowFloor int             `json:"below_floor"`
	LosesMoney int             `json:"loses_money"`
	// Skipped are variants that could not be priced so; their lines say why.
	Skipped int `json:"skipped"`
	// Bulk names the change, to be undone as one step; 0 where nothing was kept.
	Bulk int64 `json:"bulk"`
}

// BulkPriceLine is one variant of them.
type BulkPriceLine struct {
	DraftID   int64           `json:"draft_id"`
	VariantID int64           `json:"variant_id"`
	Title     string          `json:"title"`
	Variant   string          `json:"variant"`
	Now       *money.Amount   `json:"now"`
	Then      *pricing.Ladder `json:"then"`
	Note      string          `json:"note"`
}

const maxLines = 500

// PriceInBulk looks at new prices for many drafts, or keeps them as one step.
func (s *Service) PriceInBulk(ctx context.Context, in BulkPriceInput) (BulkPriceResult, error) {
	t, err := s.storeContext(ctx, s.Pool, in.Store, false, in.Drafts...)
	if err != nil {
		return BulkPriceResult{}, err
	}
	if t.pricer == nil {
		return BulkPriceResult{}, apikit.Problem(422, "store", "Connect a store before you set prices.")
	}
	act, err := bulkPriceAct(in, t.pricer.Currency)
	if err != nil {
		return BulkPriceResult{}, err
	}
	drafts, err := load(ctx, s.Pool, s.Media, in.Drafts...)
	if err != nil {
		return BulkPriceResult{}, err
	}
	slices.SortFunc(drafts, func(a, b *draft) int {
		return slices.Index(in.Drafts, a.id) - slices.Index(in.Drafts, b.id)
	})
	out := BulkPriceResult{Lines: []BulkPriceLine{}}
	changes := map[int64][]PriceOverride{}
	row := 0
	for _, d := range drafts {
		variants, quotes := d.priced(t, false)
		for i := range variants {
			if !variants[i].Chosen {
				continue
			}
			line, override := act(quotes.Of(d.variants[i].otherFacts()), d, i, variants[i], row)
			row++
			out.count(line)
			if override != nil {
				changes[d.id] = append(changes[d.id], *override)
			}
		}
	}
	if in.Act == "column" && len(in.Column) != row {
		return out,
			apikit.Problem(422, "column",
				"The column has %d prices and %d variants are chosen. Paste one price for each; an empty line leaves "+
					"its variant alone.", len(in.Column), row)
	}
	if !in.Apply || len(changes) == 0 {
		return out, nil
	}
	out.Bulk, err = s.savePrices(ctx, t, changes)
	return out, err
}

func (p *BulkPriceResult) count(line BulkPriceLine) {
	p.Variants++
	if len(p.Lines) < maxLines {
		p.Lines = append(p.Lines, line)
	}
	if line.Then == nil {
		p.Skipped++
		return
	}
	if line.Then.BelowFloor {
		p.BelowFloor++
	}
	if line.Then.Profit.Negative() {
		p.LosesMoney++
	}
	if line.Now == nil || line.Now.Minor() == line.Then.Price.Minor() {
		return
	}
	p.Moved++
	if line.Then.Price.Minor() > line.Now.Minor() {
		p.Rise++
	} else {
		p.Fall++
	}
}

// savePrices stores the prices as edits of one bulk number.
func (s *Service) savePrices(ctx context.Context, t storeContext,
	changes map[int64][]PriceOverride) (bulk int64, err error) {
	err = database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		if err := tx.QueryRow(ctx, `select nextval('bulk_edit')`).Scan(&bulk); err != nil {
			return err
		}
		ids := slices.Sorted(maps.Keys(changes)) // so that two who write many drafts do not wait for each other
		for _, id := range ids {
			prices, err := manualPrices(changes[id], t.pricer.StoreID, t.pricer.Currency)
			if err != nil {
				return err
			}
			if _, err := s.write(ctx, tx, id, writeOptions{bulk: bulk}, func(*writing) ([]edit.Operation, error) {
				return []edit.Operation{prices}, nil
			}); err != nil {
				return err
			}
		}
		if err := s.Pricing.PriceDrafts(ctx, tx, ids); err != nil {
			return err
		}
		return s.Progress.PublishIn(ctx, tx, "drafts", map[string]int64{"priced": bulk})
	})
	return bulk, err
}

// pricing one variant of many: its line, and what to type where its price is to be kept.
type bulkPriceFunc func(q *pricing.Quote, d *draft, i int, v Variant, row int) (BulkPriceLine, *PriceOverride)

func bulkPriceAct(in BulkPriceInput, c money.Currency) (bulkPriceFunc, error) {
	price, err := newPrice(in, c)
	if err != nil {
		return nil, err
	}
	return func(q *pricing.Quote, d *draft, i int, v Variant, row int) (BulkPriceLine, *PriceOverride) {
		line := BulkPriceLine{DraftID: d.id, VariantID: v.ID, Title: d.title, Variant: strings.Join(v.Values, " ")}
		if v.Ladder != nil {
			line.Now = &v.Ladder.Price
		}
		unit := d.variants[i].unit
		if in.Act == "release" {
			ladder, err := q.Ladder(unit, nil, nil)
			if err != nil {
				line.Note = v.NoPrice
				return line, nil
			}
			line.Then = &ladder
			if !v.Manual {
				line.Note = "priced by its rule already"
				return line, nil
			}
			return line, &PriceOverride{VariantID: v.ID}
		}
		then, note := price(q, unit, v, row)
		if note == "" && in.End && in.Act != "column" {
			if ended, err := q.ApplyEnding(unit, then); err == nil {
				then = ended
			}
		}
		if note == "" && then.Minor() <= 0 {
			note = "a price must be more than 0"
		}
		if note == "" {
			ladder, err := q.Ladder(unit, &then, nil)
			if err == nil {
				line.Then = &ladder
				return line, &PriceOverride{v.ID, then.Decimal()}
			}
			note = "its price cannot be worked out"
		}
		line.Note = note
		return line, nil
	}, nil
}

// newPrice says what an act makes of a variant's price, or why it makes nothing of it.
func newPrice(in BulkPriceInput,
	c money.Currency) (func(q *pricing.Quote, u pricing.Unit, v Variant, row int) (money.Amount, string), error) {
	text := strings.ReplaceAll(strings.TrimSpace(in.Value), ",", ".")
	var percent money.Ratio
	var amount money.Amount
	var err error
	switch in.Act {
	case "raise_percent", "margin":
		if percent, err = money.ParseRatio(text); err != nil || percent <= -100*money.One || percent > 1000*money.One ||
			(in.Act == "margin" && (percent < 0 || percent >= 100*money.One)) {
			return nil, apikit.Problem(422, "value", "“%s” is not a percent that can be used here.", in.Value)
		}
		percent /= 100
	case "raise_amount":
		if amount, err = money.Parse(text, c); err != nil {
			return nil, apikit.Problem(422, "value", "“%s” is not an amount in %s.", in.Value, c)
		}
	}
	return func(q *pricing.Quote, u pricing.Unit, v Variant, row int) (then money.Amount, note string) {
		var err error
		switch {
		case in.Act == "column":
			if row >= len(in.Column) || strings.TrimSpace(in.Column[row]) == "" {
				return then, "left alone"
			}
			if then, err = money.Parse(plainNumber(in.Column[row]), c); err != nil {
				return then, fmt.Sprintf("“%s” is not a price in %s", in.Column[row], c)
			}
			return then, ""
		case in.Act == "margin":
			then, err = q.AtMargin(u, percent)
		case v.Ladder == nil:
			return then, "it has no price to raise"
		case in.Act == "raise_percent":
			then, err = v.Ladder.Price.Share(money.One + percent)
		default:
			then, err = v.Ladder.Price.Add(amount)
		}
		if err != nil {
			return then, strings.ToLower(err.Error()[:1]) + err.Error()[1:]
		}
		return then, ""
	}, nil
}

// plainNumber reads a number as spreadsheets copy it: with a decimal comma, signs of
// thousands, or a currency sign around it.
func plainNumber(text string) string {
	text = strings.Map(func(r rune) rune {
		if (r >= '0' && r <= '9') || r == '.' || r == ',' || r == '-' {
			return r
		}
		return -1
	}, text)
	dot, comma := strings.LastIndexByte(text, '.'), strings.LastIndexByte(text, ',')
	switch {
	case comma > dot && strings.Count(text, ",") == 1 && len(text)-comma != 4:
		return strings.ReplaceAll(strings.ReplaceAll(text, ".", ""), ",", ".")
	case comma > dot && dot >= 0:
		return strings.ReplaceAll(strings.ReplaceAll(text, ".", ""), ",", ".")
	}
	return strings.ReplaceAll(text, ",", "")
}
