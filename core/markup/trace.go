package markup

import (
	"fmt"

	"plainpelican/core/landed"
	"plainpelican/core/money"
)

// Step is one line of how a price came about.
type Step struct {
	Words  string       `json:"words"`
	Amount money.Amount `json:"amount"`
}

// Trace is every step from cost to price, in order. A nil trace records nothing.
type Trace struct {
	Steps []Step `json:"steps"`
}

// Note adds a step that was taken before pricing began, such as a conversion.
func (t *Trace) Note(words string, amount money.Amount) {
	if t != nil {
		t.Steps = append(t.Steps, Step{words, amount})
	}
}

func (t *Trace) land(c landed.Cost, total money.Amount) {
	if t == nil {
		return
	}
	if len(t.Steps) == 0 {
		t.Note("Item cost", c.Item)
		t.Note("Shipping, first item", c.Shipping)
	}
	if !c.Handling.IsZero() {
		t.Note("Handling", c.Handling)
	}
	if !c.Charges.IsZero() {
		t.Note("Import charges", c.Charges)
	}
	t.Note("Lands at", total)
}

func (t *Trace) formula(r *Rule, terms Terms, price money.Amount) {
	if t == nil {
		return
	}
	words := r.Formula.Ratio.String() + " × landed"
	if r.Formula.Kind == Percent {
		words = "Landed plus " + r.Formula.Ratio.PercentText() + " %"
	}
	if terms.Tax != 0 {
		words += ", with " + terms.Tax.PercentText() + " % tax"
	}
	t.Note(words, price)
}

func (t *Trace) floor(r *Rule, floor money.Amount, raised bool) {
	if t == nil {
		return
	}
	words := fmt.Sprintf("Floor: keeping %s needs this, and it holds", r.LeastProfit)
	if raised {
		words = fmt.Sprintf("Raised to the floor, which keeps %s", r.LeastProfit)
	}
	t.Note(words, floor)
}

func (t *Trace) ending(r *Rule, price money.Amount) {
	if t == nil || r.Ending == NoEnding {
		return
	}
	words := "Nearest " + string(r.Ending)
	if r.Ending == WholeTens {
		words = "Nearest whole ten"
	}
	t.Note(words, price)
}

func (t *Trace) figures(f Figures) {
	if t == nil {
		return
	}
	t.Note("Fees and returns allowance", f.Fees)
	t.Note("Profit", f.Profit)
}
