package markup

import (
	"encoding/json"
	"fmt"
	"strings"

	"plainpelican/core/landed"
	"plainpelican/core/money"
)

// StepKind says what a step of a trace is. Its number is stored: kinds are added at the
// end and never renumbered.
type StepKind uint8

// The steps, in the order they are taken.
const (
	StepItem StepKind = iota + 1
	StepHandling
	StepShipping
	StepCharges
	StepAdvertised
	StepList
	StepMarket
	StepLanded
	StepPercent
	StepMultiple
	StepFixed
	StepPercentPlus
	StepMargin
	StepTargetProfit
	StepAgainstMarket
	StepTyped
	StepFloorProfit
	StepFloorMargin
	StepFloorAdvertised
	StepEnding
	StepCapped
	StepOverCeiling
	StepWas
	StepNet
	StepFees
	StepProfit
	stepKinds
)

// stepNames are what steps are called where they are told apart, in the order of their kinds.
var stepNames = [stepKinds]string{
	"", "item", "handling", "shipping", "charges", "advertised", "list", "market", "landed", "percent",
	"multiple", "fixed", "percent_plus", "margin", "target_profit", "against_market", "manual", "floor_profit",
	"floor_margin", "floor_advertised", "ending", "capped", "over_ceiling", "was", "net", "fees", "profit",
}

// String names the kind; that of one that is not known is empty.
func (k StepKind) String() string {
	if int(k) >= len(stepNames) {
		return ""
	}
	return stepNames[k]
}

// Step is one line of how a price came about. Which fields a kind uses is in its words.
type Step struct {
	Kind   StepKind
	Amount money.Amount
	// Ratio and Other are the rule's number and amount; Tax what the price includes.
	Ratio money.Ratio
	Other money.Amount
	Tax   money.Ratio
	Text  string
}

// Trace is every step from cost to price, in order. A nil trace records nothing; one that
// is Reset and used again allocates nothing for most prices.
type Trace struct{ Steps []Step }

// Reset empties the trace and keeps its space.
func (t *Trace) Reset() { t.Steps = t.Steps[:0] }

// Add adds a step.
func (t *Trace) Add(s Step) {
	if t != nil {
		t.Steps = append(t.Steps, s)
	}
}

// Cost reads the parts of a landed cost back from the steps that landed it.
func (t *Trace) Cost() landed.Cost {
	var item Item
	for _, s := range t.Steps {
		item.know(s)
	}
	return item.Cost
}

func (item *Item) forget() {
	item.Cost, item.MinAdvertised, item.List, item.Market = landed.Cost{}, money.Amount{}, money.Amount{},
		money.Amount{}
}

// know takes from a step what it says of the item.
func (item *Item) know(s Step) {
	switch s.Kind {
	case StepItem:
		item.Cost.Item = s.Amount
	case StepHandling:
		item.Cost.Handling = s.Amount
	case StepShipping:
		item.Cost.Shipping = s.Amount
	case StepCharges:
		item.Cost.Charges = s.Amount
	case StepAdvertised:
		item.MinAdvertised = s.Amount
	case StepList:
		item.List = s.Amount
	case StepMarket:
		item.Market = s.Amount
	}
}

// AddLanded adds the steps of a cost and of known prices that were in the store's currency from the start.
func (t *Trace) AddLanded(item *Item) {
	if t == nil {
		return
	}
	t.Add(Step{Kind: StepItem, Amount: item.Cost.Item})
	for _, s := range [...]Step{
		{Kind: StepHandling, Amount: item.Cost.Handling}, {Kind: StepShipping, Amount: item.Cost.Shipping},
		{Kind: StepCharges, Amount: item.Cost.Charges},
		{Kind: StepAdvertised, Amount: item.MinAdvertised}, {Kind: StepList, Amount: item.List},
		{Kind: StepMarket, Amount: item.Market},
	} {
		if !s.Amount.IsZero() {
			t.Add(s)
		}
	}
}

func (t *Trace) lands(total money.Amount) { t.Add(Step{Kind: StepLanded, Amount: total}) }

var formulaSteps = map[FormulaKind]StepKind{Percent: StepPercent, Multiple: StepMultiple, Fixed: StepFixed,
	PercentPlus: StepPercentPlus, Margin: StepMargin, Profit: StepTargetProfit, Market: StepAgainstMarket}

func (t *Trace) formula(r *Rule, b *Band, tax money.Ratio, price money.Amount) {
	if t == nil {
		return
	}
	s := Step{Kind: formulaSteps[r.Formula.Kind], Amount: price, Ratio: b.Ratio, Tax: tax}
	if r.Formula.Kind.needsAmount() {
		s.Other = b.Amount
	}
	if r.Formula.Basis == OnItem {
		s.Text = string(OnItem)
	}
	t.Add(s)
}

func (t *Trace) floor(g *guard, floor money.Amount, raised bool) {
	if t == nil {
		return
	}
	s := Step{Kind: g.decides, Amount: floor}
	switch g.decides {
	case StepFloorProfit:
		s.Other = g.r.rule.Floor.LeastProfit
	case StepFloorMargin:
		s.Ratio = g.r.rule.Floor.LeastMargin
	}
	if raised {
		s.Text = "raised"
	}
	t.Add(s)
}

// ending adds the ending's step. Where the nearest would be below the floor, it is the next up, and said so.
func (t *Trace) ending(r *compiled, price money.Amount, forced bool) {
	if r.endingWords == "" {
		return
	}
	words := r.endingWords
	if forced {
		words = r.forcedWords
	}
	t.Add(Step{Kind: StepEnding, Amount: price, Text: words})
}

// cap adds the ending of a price that its ceiling took down.
func (t *Trace) cap(r *compiled, price money.Amount) {
	if r.endingWords != "" {
		t.Add(Step{Kind: StepEnding, Amount: price, Text: r.capWords})
	}
}

func (t *Trace) ceiling(r *Rule, kind StepKind, what string, price, most money.Amount) {
	s := Step{Kind: kind, Amount: price, Other: most, Text: what}
	if what == "market" {
		s.Ratio = r.Ceiling.Market
	}
	t.Add(s)
}

// was adds the was price's step; raised is the price plus its percent, before the ending.
func (t *Trace) was(r *compiled, was, raised money.Amount) {
	switch r.rule.Was.Kind {
	case WasPercent:
		t.Add(Step{Kind: StepWas, Amount: was, Ratio: r.rule.Was.Percent, Other: raised, Text: r.wasWords})
	case WasList:
		t.Add(Step{Kind: StepWas, Amount: was, Text: "list"})
	}
}

// figures adds what the price leaves. Of the fees' step, Ratio is the payment fee's percent, Other its fixed part,
// and Tax the allowance for returns.
func (t *Trace) figures(f PriceResult, terms *Terms) {
	if t == nil {
		return
	}
	if terms.Tax != 0 {
		t.Add(Step{Kind: StepNet, Amount: f.Net, Tax: terms.Tax})
	}
	t.Add(Step{Kind: StepFees, Amount: f.Fees, Ratio: terms.PaymentPercent, Other: terms.PaymentFixed,
		Tax: terms.Returns})
	t.Add(Step{Kind: StepProfit, Amount: f.Profit})
}

// words says an ending as a step does.
func (e Ending) words() string {
	if len(e.Allowed) == 0 {
		return ""
	}
	if e.Up {
		return "Next up ending in " + e.names()
	}
	return "Nearest ending in " + e.names()
}

func (e Ending) names() string {
	return strings.NewReplacer(WholeTens, "whole ten", WholeHundreds, "whole hundred").
		Replace(strings.Join(e.Allowed, ", "))
}

// Part says how a line of a trace belongs to the others.
type Part string

// Sum lines are added up or stand for a price on its way; Compared lines are only held against it; None is a line
// without an amount.
const (
	Sum      Part = "sum"
	Compared Part = "compared"
	None     Part = "none"
)

func (s Step) part() Part {
	switch {
	case (s.Kind == StepWas || s.Kind == StepMarket) && s.Amount.IsZero():
		return None
	case s.Kind == StepAdvertised, s.Kind == StepList, s.Kind == StepMarket, s.Kind == StepOverCeiling,
		s.Kind == StepWas:
		return Compared
	case (s.Kind == StepFloorProfit || s.Kind == StepFloorMargin || s.Kind == StepFloorAdvertised) &&
		s.Text != "raised":
		return Compared
	}
	return Sum
}

// TraceLine is a step in words.
type TraceLine struct {
	// Kind names the step; lines that were stored before kinds were named have none.
	Kind   string       `json:"kind,omitempty"`
	Words  string       `json:"words"`
	Amount money.Amount `json:"amount"`
	Part   Part         `json:"part" enum:"sum,compared,none" doc:"How the amount takes part in the sum"`
}

// Lines are the steps in words, for people.
func (t *Trace) Lines() []TraceLine {
	lines := make([]TraceLine, len(t.Steps))
	for i, s := range t.Steps {
		lines[i] = TraceLine{s.Kind.String(), s.Words(), s.Amount, s.part()}
	}
	return lines
}

// MarshalJSON writes the lines.
func (t *Trace) MarshalJSON() ([]byte, error) { return json.Marshal(t.Lines()) }

// Words says the step as a person reads it beside its amount.
func (s Step) Words() string {
	switch s.Kind {
	case StepItem:
		return with("Item cost", s.Text)
	case StepHandling:
		return with("Handling", s.Text)
	case StepShipping:
		return with("Shipping, first item", s.Text)
	case StepCharges:
		return with("Import charges", s.Text)
	case StepAdvertised:
		return with("Supplier's minimum advertised price", s.Text)
	case StepList:
		return with("Supplier's list price", s.Text)
	case StepMarket:
		if s.Amount.IsZero() {
			return "The market's prices were seen for the item's cheapest variants, not for this one: not used"
		}
		return with("Middle of the market's prices", s.Text)
	case StepLanded:
		return "Landed cost"
	case StepTyped:
		return "Set by hand; rules leave it alone"
	case StepFloorProfit, StepFloorMargin, StepFloorAdvertised:
		return s.floorWords()
	case StepEnding:
		return s.Text
	case StepCapped, StepOverCeiling:
		return s.ceilingWords()
	case StepWas:
		return s.wasWords()
	case StepNet:
		return "Without " + s.Tax.PercentText() + " % tax"
	case StepFees:
		return s.feesWords()
	case StepProfit:
		return "Profit"
	}
	return s.formulaWords()
}

func (s Step) feesWords() string {
	var parts []string
	if s.Ratio != 0 {
		parts = append(parts, s.Ratio.PercentText()+" % of the price")
	}
	if !s.Other.IsZero() {
		parts = append(parts, s.Other.String())
	}
	if s.Tax != 0 {
		parts = append(parts, s.Tax.PercentText()+" % of the price for returns")
	}
	return with("Fees", strings.Join(parts, " + "))
}

func with(words, text string) string {
	if text == "" {
		return words
	}
	return words + ": " + text
}

func (s Step) formulaWords() string {
	cost := "Landed"
	if s.Text == string(OnItem) {
		cost = "Item cost"
	}
	var words string
	switch s.Kind {
	case StepPercent:
		words = cost + " plus " + s.Ratio.PercentText() + " %"
	case StepMultiple:
		words = s.Ratio.String() + " × " + strings.ToLower(cost)
	case StepFixed:
		words = cost + " plus " + s.Other.String()
	case StepPercentPlus:
		words = cost + " plus " + s.Ratio.PercentText() + " % and " + s.Other.String()
	case StepMargin:
		return "For a margin of " + s.Ratio.PercentText() + " % after fees"
	case StepTargetProfit:
		return "For a profit of " + s.Other.String() + " after fees"
	case StepAgainstMarket:
		switch {
		case s.Ratio > 0:
			return s.Ratio.PercentText() + " % above the market median"
		case s.Ratio < 0:
			return (-s.Ratio).PercentText() + " % below the market median"
		}
		return "At the market median"
	default:
		return fmt.Sprintf("Step %d", s.Kind)
	}
	if s.Tax != 0 {
		words += ", with " + s.Tax.PercentText() + " % tax"
	}
	return words
}

func (s Step) floorWords() string {
	needs := "the supplier's minimum advertised price"
	switch s.Kind {
	case StepFloorProfit:
		needs = "keeping " + s.Other.String()
	case StepFloorMargin:
		needs = "keeping " + s.Ratio.PercentText() + " %"
	}
	if s.Text == "raised" {
		return "Raised to the floor: " + needs
	}
	return "Floor: " + needs
}

func (s Step) ceilingWords() string {
	ceiling := "the list price"
	if s.Text == "market" {
		ceiling = s.Ratio.String() + " × the market median"
	}
	if s.Kind == StepCapped {
		return fmt.Sprintf("Capped by %s, %s", ceiling, s.Other)
	}
	return fmt.Sprintf("Above %s, %s", ceiling, s.Other)
}

func (s Step) wasWords() string {
	switch {
	case s.Amount.IsZero():
		return "No was price: the list price is not above the price"
	case s.Text == "list":
		return "Was: the supplier's list price"
	}
	words := "Was: " + s.Ratio.PercentText() + " % more"
	if s.Text != "" { // an ending follows
		words += ", " + s.Other.String() + "; " + s.Text
	}
	return words
}
