package search

import (
	"slices"
	"strconv"
	"time"

	"plainpelican/core/demand"
	"plainpelican/core/money"
	"plainpelican/platform/apikit"
	"plainpelican/pricing"
	"plainpelican/search/index"
)

// The clauses of the sentence, each in one place: what it is called in the address, what of an offer it is about, how
// it is asked for, and which choices are counted. Its parameter is a field of Sentence, its words on screen are in
// web/src/catalog/clauses.ts; where an offer's value is not in the index yet, entries.go reads it.

// facetClause takes any of several values.
type facetClause struct {
	name  string
	of    index.Facet
	asked func(*Sentence) []string
	// none is that offers without a value have the choice None.
	none bool
	// told are values that are told though they leave nothing.
	told []string
	// tree is that values are paths, told in their order.
	tree bool
}

var facetClauses = []facetClause{
	{name: "category", of: index.Category, none: true, tree: true, asked: func(q *Sentence) []string {
		if q.Category == "" {
			return nil
		}
		return []string{q.Category}
	}},
	{name: "source", of: index.Source, asked: func(q *Sentence) []string { return q.Sources }},
	{name: "supplier", of: index.Supplier, asked: func(q *Sentence) []string { return q.Suppliers }},
	{name: "brand", of: index.Brand, none: true, asked: func(q *Sentence) []string { return q.Brands }},
	{name: "from", of: index.ShipsFrom, none: true, asked: func(q *Sentence) []string { return q.ShipsFrom }},
	{name: "to", of: index.ShipsTo, none: true, asked: func(q *Sentence) []string { return q.ShipsTo }},
	{name: "demand", of: index.Demand, asked: func(q *Sentence) []string { return q.Demand },
		told: []string{string(demand.Rising), string(demand.Steady), string(demand.Falling), string(demand.Stopped),
			string(demand.Unknown)}},
	{name: "mine", of: index.Mine, asked: func(q *Sentence) []string { return q.Mine },
		told: []string{index.NotMine, "workbench", "listings"}},
}

// numberClause bounds a number of an offer.
type numberClause struct {
	name string
	of   index.Number
	// offered are the bounds that are counted, the loosest first.
	offered []int32
	// asked is the bound; nil where it is not asked for.
	asked func(*Sentence) (*int32, error)
}

var numberClauses = []numberClause{
	{"stock", index.Stock, []int32{1, 10, 20, 100}, positive(func(q *Sentence) int32 { return q.Stock })},
	{"rating", index.Rating, []int32{40, 43, 45, 47}, positive(func(q *Sentence) int32 { return q.Rating })},
	{"on_time", index.OnTime, []int32{80, 90, 95, 98}, positive(func(q *Sentence) int32 { return q.OnTime })},
	{"week", index.Week, []int32{1, 10, 50, 200}, positive(func(q *Sentence) int32 { return q.Week })},
	{"month", index.Month, []int32{10, 50, 200, 1000}, positive(func(q *Sentence) int32 { return q.Month })},
	{"rivals", index.Rivals, []int32{50, 20, 10, 5, 0}, func(q *Sentence) (*int32, error) {
		if q.Rivals == "" {
			return nil, nil
		}
		n, err := strconv.ParseInt(q.Rivals, 10, 32)
		if err != nil {
			return nil, apikit.Problem(422, "rivals", "“%s” is not a number of stores.", q.Rivals)
		}
		most := int32(n)
		return &most, nil
	}},
	{"returns", index.Returns, []int32{1, 14, 30}, positive(func(q *Sentence) int32 { return q.Returns })},
	{"processing", index.Processing, []int32{5, 3, 2, 1}, positive(func(q *Sentence) int32 { return q.Processing })},
	{"verified", index.Verified, []int32{1}, positive(func(q *Sentence) int32 { return boolToInt(q.Verified) })},
	{"packs", index.Packs, []int32{1}, positive(func(q *Sentence) int32 { return boolToInt(q.Packs) })},
	{"new", index.Seen, newBounds, func(q *Sentence) (*int32, error) {
		if q.New == 0 {
			return nil, nil
		}
		since := firstDayOf(q.New)
		return &since, nil
	}},
}

// newBounds are how many days an offer may be new.
var newBounds = []int32{30, 7, 1}

// firstDayOf is the first of the last so many days, in days since 1970.
func firstDayOf(days int32) int32 { return int32(time.Now().Unix()/86400) - days + 1 }

// positive is a bound that is asked for where it is more than nothing.
func positive(of func(*Sentence) int32) func(*Sentence) (*int32, error) {
	return func(q *Sentence) (*int32, error) {
		if bound := of(q); bound > 0 {
			return &bound, nil
		}
		return nil, nil
	}
}

// storeClause bounds what an offer comes to in a store.
type storeClause struct {
	name string
	of   index.StoreColumn
	// words are what needs a store, where there is none.
	words string
	// offered are the bounds that are counted, the loosest first, in the unit.
	offered []int64
	unit    unit
	// asked is the bound as it is typed; empty where it is not asked for.
	asked func(*Sentence) string
	// under is that an amount is not reached, nothing that it may be nothing, less that it may be less than that.
	under, nothing, less bool
}

type unit int

const (
	plain   unit = iota // a number
	amount              // major units of the store's currency
	percent             // kept as a ratio
)

var storeClauses = []storeClause{
	{name: "days", of: index.Days, words: "days to the door", offered: []int64{30, 20, 16, 12, 8, 5},
		asked: func(q *Sentence) string { return number(q.Days) }},
	{name: "tracked", of: index.Tracked, words: "tracked delivery", offered: []int64{1},
		asked: func(q *Sentence) string { return number(boolToInt(q.Tracked)) }},
	{name: "under", of: index.Landed, words: "landed cost", offered: []int64{40, 25, 18, 12, 8, 5}, unit: amount,
		under: true, asked: func(q *Sentence) string { return q.Under }},
	{name: "item", of: index.Item, words: "item price", offered: []int64{40, 25, 18, 12, 8, 5}, unit: amount,
		under: true, asked: func(q *Sentence) string { return q.Item }},
	{name: "shipping", of: index.Shipping, words: "shipping price", offered: []int64{10, 5, 2, 0}, unit: amount,
		nothing: true, asked: func(q *Sentence) string { return q.Shipping }},
	{name: "profit", of: index.Profit, words: "profit", offered: []int64{1, 2, 5, 10, 20}, unit: amount, nothing: true,
		less: true, asked: func(q *Sentence) string { return q.Profit }},
	{name: "margin", of: index.Margin, words: "margin", offered: []int64{10, 20, 30, 40, 50}, unit: percent,
		asked: func(q *Sentence) string { return q.Margin }},
}

// number is a whole number as it is typed; nothing is not asked for.
func number(n int32) string {
	if n == 0 {
		return ""
	}
	return itoa(int64(n))
}

// kept is an offered bound as the index has it.
func (s *storeClause) kept(bound int64, c money.Currency) int64 {
	switch s.unit {
	case amount:
		bound = major(bound, c)
		if s.under {
			bound-- // one minor unit less
		}
	case percent:
		bound = bound * int64(money.One) / 100
	}
	return bound
}

// text is an offered bound as it is asked for.
func (s *storeClause) text(bound int64, c money.Currency) string {
	if s.unit == amount {
		return money.New(major(bound, c), c).Decimal()
	}
	return itoa(bound)
}

// bound reads what was typed as the index has it.
func (s *storeClause) bound(typed string, c money.Currency) (int64, error) {
	switch s.unit {
	case amount:
		bound, err := money.Parse(typed, c)
		if err != nil || (bound.Negative() && !s.less) || (bound.IsZero() && !s.nothing) {
			return 0, apikit.Problem(422, s.name, "“%s” is not an amount in %s.", typed, c)
		}
		if s.under {
			return bound.Minor() - 1, nil
		}
		return bound.Minor(), nil
	case percent:
		ratio, err := money.ParseRatio(typed)
		if err != nil {
			return 0, apikit.Problem(422, s.name, "“%s” is not a %s in percent.", typed, s.words)
		}
		return int64(ratio / 100), nil
	}
	return strconv.ParseInt(typed, 10, 64)
}

// major is so many major units of a currency in its minor ones; a hundred times as many where a major unit is small,
// as in JPY.
func major(n int64, c money.Currency) int64 {
	if c.Digits() == 0 {
		n *= 100
	}
	return n * c.Unit()
}

// offeredNumbers are the bounds of numbers that are counted.
func offeredNumbers() (offered index.Offered) {
	for _, clause := range numberClauses {
		if clause.of != index.Seen { // other days each day: they are counted when they are asked for
			offered[clause.of] = clause.offered
		}
	}
	return offered
}

// offeredInStore are the bounds that are counted in a store.
func offeredInStore(c money.Currency) (offered index.OfferedInStore) {
	for _, clause := range storeClauses {
		for _, bound := range clause.offered {
			offered[clause.of] = append(offered[clause.of], clause.kept(bound, c))
		}
	}
	return offered
}

// None is the choice of offers that have no brand, no category, or do not say where they ship from or to.
const None = "(none)"

// ask puts what a sentence asks for into a question; of what offers come to in a store only where there is one.
func (q *Sentence) ask(out *index.Query, p *pricing.Pricer) error {
	out.Facets = map[index.Facet][]string{}
	for _, clause := range facetClauses {
		choices := slices.Clone(clause.asked(q))
		for i, choice := range choices {
			if clause.none && choice == None {
				choices[i] = ""
			}
		}
		if len(choices) > 0 {
			out.Facets[clause.of] = choices
		}
	}
	for _, clause := range numberClauses {
		bound, err := clause.asked(q)
		if err != nil {
			return err
		}
		if bound != nil {
			out.NumberBounds = append(out.NumberBounds,
				index.Bound[index.Number]{Of: clause.of, Value: int64(*bound)})
		}
	}
	if p == nil {
		return nil
	}
	for _, clause := range storeClauses {
		typed := clause.asked(q)
		if typed == "" {
			continue
		}
		bound, err := clause.bound(typed, p.Currency)
		if err != nil {
			return err
		}
		out.StoreBounds = append(out.StoreBounds, index.Bound[index.StoreColumn]{Of: clause.of, Value: bound})
	}
	return nil
}

// needsStore names what of a sentence can only be answered in a store.
func (q *Sentence) needsStore() (names []string) {
	for _, clause := range storeClauses {
		if clause.asked(q) != "" {
			names = append(names, clause.words)
		}
	}
	for _, more := range []struct {
		asked bool
		words string
	}{{q.Standard, "your own standard"}, {q.SoldOut, "the cheapest variant's price"},
		{index.Sort(q.Sort).NeedsStore(), "sorting by " + q.Sort}} {
		if more.asked {
			names = append(names, more.words)
		}
	}
	return names
}
