package markup

import (
	"strings"

	"plainpelican/core/landed"
	"plainpelican/core/money"
)

// Item is what a price is asked for. All its amounts are in the store's currency.
type Item struct {
	Store, Source, Supplier, ShipsFrom, Category, Brand string
	Collections, Tags                                   []string
	Cost                                                landed.Cost
	// MinAdvertised is the supplier's minimum advertised price, List its list price, Market
	// the middle of the market's prices; no amount where it is not known.
	MinAdvertised, List, Market money.Amount
}

// PriceResult are a price and what it leaves. All amounts are in the store's currency.
type PriceResult struct {
	Landed money.Amount `json:"landed"`
	Price  money.Amount `json:"price"`
	// Was is the earlier price to show; no amount is none.
	Was money.Amount `json:"was,omitzero"`
	// Net is the price without included tax: N = G / (1+t).
	Net money.Amount `json:"net"`
	// Fees are F = p*G + f + a*G.
	Fees money.Amount `json:"fees"`
	// Profit is N - L - F, and also what may be spent on advertising an order before it loses.
	Profit money.Amount `json:"profit"`
	// Rule is the id of the rule that priced it; 0 for a typed price.
	Rule int `json:"rule"`
	Flags
}

// Shares are the figures that are ratios.
type Shares struct {
	// Margin is P / N.
	Margin money.Ratio `json:"margin"`
	// Markup is (N - L) / L; zero where the item lands for nothing.
	Markup money.Ratio `json:"markup"`
	// BreakEven is the return on ad spend that neither wins nor loses, G / P; zero where P is not positive.
	BreakEven money.Ratio `json:"break_even"`
}

// Shares works the ratios out, each rounded to the millionth.
func (f *PriceResult) Shares() Shares {
	s := Shares{Margin: f.NetMargin()}
	if kept, err := f.Net.Sub(f.Landed); err == nil {
		s.Markup = money.RatioOf(kept, f.Landed)
	}
	if f.Profit.Minor() > 0 {
		s.BreakEven = money.RatioOf(f.Price, f.Profit)
	}
	return s
}

// NetMargin is P / N.
func (f *PriceResult) NetMargin() money.Ratio { return money.RatioOf(f.Profit, f.Net) }

// Flags are what a person should know about a price besides its figures.
type Flags struct {
	// RaisedToFloor tells that the floor decided, not the formula.
	RaisedToFloor bool `json:"raised_to_floor"`
	// Capped tells that the ceiling decided; OverCeiling that the price is above it.
	Capped      bool `json:"capped"`
	OverCeiling bool `json:"over_ceiling"`
	// BelowFloor tells that a typed price is under the floor of the rule it was typed over.
	BelowFloor bool `json:"below_floor"`
}

// costRange is [from, under) in minor units. Ranges lie together, apart from the rules,
// since every item is held against them.
type costRange struct{ from, under int64 }

// compiled is a rule made ready.
type compiled struct {
	countries   []country
	bands       []int64 // where each begins
	market      bool    // holds only where the market's price is known
	listed      bool
	rule        *Rule
	ending, was endings
	endingWords string
	wasWords    string
	// forcedWords and capWords say an ending that the floor or the ceiling decided.
	forcedWords, capWords string
}

func compile(r *Rule, c money.Currency) compiled {
	bare := r.Conditions
	bare.From, bare.Under = money.Amount{}, money.Amount{}
	countries := make([]country, len(bare.ShipsFrom))
	for i, code := range bare.ShipsFrom {
		countries[i] = countryOf(code)
	}
	bare.ShipsFrom = nil
	bands := make([]int64, len(r.Formula.Bands))
	for i, b := range r.Formula.Bands {
		bands[i] = b.From.Minor()
	}
	return compiled{countries, bands, r.Formula.Kind == Market, !bare.Everything(), r, r.Ending.ready(c),
		r.Was.Ending.ready(c), r.Ending.words(), lowered(r.Was.Ending.words()),
		"Next up ending in " + r.Ending.names() + ": the nearest is below the floor",
		"Highest ending in " + r.Ending.names() + " up to the cap"}
}

func lowered(words string) string {
	if words == "" {
		return ""
	}
	return strings.ToLower(words[:1]) + words[1:]
}

// country is a two-letter code in one word; 0 is anything else.
type country uint16

func countryOf(code string) country {
	if len(code) != 2 {
		return 0
	}
	return country(code[0])<<8 | country(code[1])
}

func (r *compiled) shipsFrom(from country) bool {
	for _, one := range r.countries {
		if one == from {
			return true
		}
	}
	return len(r.countries) == 0
}

// mostLanded is the largest cost, in minor units, that can be priced.
const mostLanded = 1 << 53

// find is the first rule that holds, and what the item lands for.
func (rs *Rules) find(item *Item) (*compiled, money.Amount, error) {
	total, err := item.Cost.Total()
	if err != nil {
		return nil, total, err
	}
	for _, a := range [4]money.Amount{total, item.MinAdvertised, item.List, item.Market} {
		switch {
		case a.Currency() != rs.currency && a != (money.Amount{}):
			return nil, total, money.ErrMixed
		case a.Negative():
			return nil, total, ErrBelowNothing
		}
	}
	switch {
	case total.Currency() != rs.currency:
		return nil, total, money.ErrMixed
	case total.Minor() > mostLanded:
		return nil, total, money.ErrTooLarge // so that nothing below can run over
	}
	from := countryOf(item.ShipsFrom)
	for i := range rs.ranges {
		if total.Minor() < rs.ranges[i].from || total.Minor() >= rs.ranges[i].under {
			continue
		}
		r := &rs.ready[i]
		if r.shipsFrom(from) && (!r.listed || r.rule.Conditions.holds(item)) &&
			(!r.market || item.Market.Minor() > 0) {
			return r, total, nil
		}
	}
	return nil, total, ErrNoPrice // unreachable: the last rule holds always
}

// Price finds the first rule that holds and works out the price and its figures.
// The trace, where one is given, is added every step from "lands at" on.
// It returns money.ErrMixed for amounts in another currency, ErrBelowNothing, ErrNoPrice
// where fees and tax leave nothing, and money.ErrTooLarge.
func (rs *Rules) Price(item *Item, terms Terms, trace *Trace) (PriceResult, error) {
	r, total, err := rs.find(item)
	if err != nil {
		return PriceResult{}, err
	}
	rule := r.rule
	cost := total.Minor()
	if rule.Formula.Basis == OnItem {
		cost = item.Cost.Item.Minor()
	}
	b := r.band(cost)
	price, err := rule.Formula.raw(b, item, total.Minor(), cost, &terms)
	if err != nil {
		return PriceResult{}, err
	}
	trace.lands(total)
	trace.formula(rule, b, terms.Tax, money.New(price, rs.currency))

	g := guard{r: r, item: item, total: total, terms: &terms}
	var marks Flags
	done := false
	if trace == nil {
		price, done = g.clearly(price, &marks)
	}
	if !done {
		if price, err = g.hold(price, &marks, trace); err != nil {
			return PriceResult{}, err
		}
	}
	f, err := Judge(total, money.New(price, rs.currency), terms)
	if err != nil {
		return PriceResult{}, err
	}
	var raised money.Amount
	if f.Was, raised, err = r.wasPrice(f.Price, item); err != nil {
		return PriceResult{}, err
	}
	f.Rule, f.Flags = rule.ID, marks
	trace.was(r, f.Was, raised)
	trace.figures(f, &terms)
	return f, nil
}

// Judge works out the figures of a typed price, and whether it is below the floor or above
// the ceiling of the rule that would price the item. Its errors are those of Price.
func (rs *Rules) Judge(item *Item, price money.Amount, terms Terms, trace *Trace) (PriceResult, error) {
	r, total, err := rs.find(item)
	if err != nil {
		return PriceResult{}, err
	}
	f, err := Judge(total, price, terms)
	if err != nil {
		return PriceResult{}, err
	}
	g := guard{r: r, item: item, total: total, terms: &terms}
	trace.lands(total)
	trace.Add(Step{Kind: StepTyped, Amount: price})
	if !g.clear(price.Minor()) {
		floor, err := g.floor()
		if err != nil {
			return PriceResult{}, err
		}
		f.BelowFloor = price.Minor() < floor
		if f.BelowFloor {
			trace.floor(&g, money.New(floor, rs.currency), false)
		}
	}
	if ceiling, what := g.ceiling(); what != "" && price.Minor() > ceiling {
		f.OverCeiling = true
		trace.ceiling(r.rule, StepOverCeiling, what, price, money.New(ceiling, rs.currency))
	}
	var raised money.Amount
	if f.Was, raised, err = r.wasPrice(price, item); err != nil {
		return PriceResult{}, err
	}
	trace.was(r, f.Was, raised)
	trace.figures(f, &terms)
	return f, nil
}

// End gives a price the ending of the rule that would price the item, whatever its floor.
func (rs *Rules) End(item *Item, price money.Amount) (money.Amount, error) {
	r, _, err := rs.find(item)
	if err != nil {
		return money.Amount{}, err
	}
	return money.New(r.ending.apply(price.Minor(), 0), price.Currency()), nil
}

// wasPrice is the earlier price to show: above the price, or none. raised is the price plus its percent, to the minor
// unit, which the ending is then given to.
func (r *compiled) wasPrice(price money.Amount, item *Item) (was, raised money.Amount, err error) {
	switch r.rule.Was.Kind {
	case WasPercent:
		if raised, err = price.Share(money.One + r.rule.Was.Percent); err != nil {
			return was, raised, err
		}
		return money.New(r.was.apply(raised.Minor(), price.Minor()+1), price.Currency()), raised, nil
	case WasList:
		if item.List.Minor() > price.Minor() {
			return item.List, raised, nil
		}
	}
	return was, raised, nil
}

// Judge works out the figures of a given price.
func Judge(total, price money.Amount, terms Terms) (PriceResult, error) {
	f := PriceResult{Landed: total, Price: price}
	f.Net = price
	if terms.Tax != 0 {
		net, err := money.MulDiv(price.Minor(), int64(money.One), int64(money.One+terms.Tax))
		if err != nil {
			return PriceResult{}, err
		}
		f.Net = money.New(net, price.Currency())
	}
	var err error
	if f.Fees, err = fees(price, &terms); err != nil {
		return PriceResult{}, err
	}
	kept, err := f.Net.Sub(total)
	if err != nil {
		return PriceResult{}, err
	}
	if f.Profit, err = kept.Sub(f.Fees); err != nil {
		return PriceResult{}, err
	}
	return f, nil
}

// fees are p*G + f + a*G: the two shares rounded together, once.
func fees(price money.Amount, terms *Terms) (money.Amount, error) {
	share, err := price.Share(terms.PaymentPercent + terms.Returns)
	if err != nil || terms.PaymentFixed == (money.Amount{}) {
		return share, err
	}
	return share.Add(terms.PaymentFixed)
}
