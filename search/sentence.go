package search

import (
	"cmp"
	"context"
	"slices"
	"strconv"
	"strings"
	"time"

	"plainpelican/core/money"
	"plainpelican/core/terms"
	"plainpelican/platform/apikit"
	"plainpelican/pricing"
	"plainpelican/search/index"
)

// Sentence is the question as it stands in an address. What is not there asks for nothing.
type Sentence struct {
	Store      int64    `query:"store" doc:"The store whose market, rules and currency hold; 0 for none"`
	Words      string   `query:"words" maxLength:"200"`
	Category   string   `query:"category" maxLength:"200" doc:"And all under it; (none) is none"`
	Sources    []string `query:"source,explode" maxItems:"50" doc:"Ids"`
	Suppliers  []string `query:"supplier,explode" maxItems:"50"`
	Brands     []string `query:"brand,explode" maxItems:"50" doc:"(none) is none"`
	ShipsFrom  []string `query:"from,explode" maxItems:"50" doc:"(none) is where the source does not say"`
	ShipsTo    []string `query:"to,explode" maxItems:"50" doc:"Countries; (none) is where the source does not say"`
	Demand     []string `query:"demand,explode" maxItems:"5"`
	Mine       []string `query:"mine,explode" maxItems:"3" doc:"no, workbench or listings"`
	Days       int32    `query:"days" minimum:"0" maximum:"365" doc:"Door to door, at most"`
	Processing int32    `query:"processing" minimum:"0" maximum:"365" doc:"Days, at most"`
	Item       string   `query:"item" maxLength:"20" doc:"Item cost under this amount, as decimal text"`
	Under      string   `query:"under" maxLength:"20" doc:"Landing under, decimal text in the store's currency"`
	Shipping   string   `query:"shipping" maxLength:"20" doc:"Shipping costs at most; 0 is free"`
	Profit     string   `query:"profit" maxLength:"20" doc:"At least; decimal text in the store's currency"`
	Margin     string   `query:"margin" maxLength:"10" doc:"At least; percent of the net price"`
	SoldOut    bool     `query:"sold_out" doc:"Of the cheapest variant though it is sold out"`
	Tracked    bool     `query:"tracked" doc:"The delivery that prices assume is tracked"`
	Stock      int32    `query:"stock" minimum:"0"`
	Rating     int32    `query:"rating" minimum:"0" maximum:"50" doc:"Tenths, at least"`
	OnTime     int32    `query:"on_time" minimum:"0" maximum:"100" doc:"Percent, at least"`
	Week       int32    `query:"week" minimum:"0" doc:"Units sold in 7 days, at least"`
	Month      int32    `query:"month" minimum:"0" doc:"Units sold in 30 days, at least"`
	Rivals     string   `query:"rivals" maxLength:"6" pattern:"^[0-9]*$" doc:"At most; empty is any"`
	Verified   bool     `query:"verified" doc:"The supplier is"`
	Returns    int32    `query:"returns" minimum:"0" doc:"Days, at least"`
	Packs      bool     `query:"packs" doc:"The supplier packs with the seller's brand"`
	New        int32    `query:"new" minimum:"0" maximum:"3650" doc:"First seen within so many days"`
	Standard   bool     `query:"standard" doc:"Hide what misses the seller's own standard"`

	Sort string `query:"sort" enum:"relevance,landed,item,shipping,days,units,growth,rating,rivals,profit,margin,worth"`

	Offset int    `query:"offset" minimum:"0" maximum:"1000000"`
	Limit  int    `query:"limit" minimum:"0" maximum:"200" default:"50"`
	Find   int64  `query:"find" doc:"An offer whose place in the answer is told"`
	Counts bool   `query:"counts" doc:"Count what each clause's choices would leave, too"`
	Like   string `query:"like" maxLength:"100" doc:"Of clauses with many choices, those that hold this are told"`
}

// The bounds that are offered, the loosest first.
var (
	offeredNumbers = index.Offered{
		index.Stock: {1, 10, 20, 100}, index.Rating: {40, 43, 45, 47}, index.OnTime: {80, 90, 95, 98},
		index.Week: {1, 10, 50, 200}, index.Month: {10, 50, 200, 1000},
		index.Rivals: {50, 20, 10, 5, 0}, index.Returns: {1, 14, 30}, index.Processing: {5, 3, 2, 1},
		index.Verified: {1}, index.Packs: {1},
	}
	dayBounds      = []int64{30, 20, 16, 12, 8, 5}
	underBounds    = []int64{40, 25, 18, 12, 8, 5} // major units
	shippingBounds = []int64{10, 5, 2, 0}
	profitBounds   = []int64{1, 2, 5, 10, 20}    // major units
	marginBounds   = []int64{10, 20, 30, 40, 50} // percent
	newBounds      = []int32{30, 7, 1}
)

// major is so many major units of a currency in its minor ones; a hundred times as many where
// a major unit is small, as in JPY.
func major(n int64, c money.Currency) int64 {
	if c.Digits() == 0 {
		n *= 100
	}
	return n * c.Unit()
}

// offeredFigures are the bounds in a store. Under an amount is at most one minor unit less.
func offeredFigures(c money.Currency) (offered [8][]int64) {
	offered[index.Days], offered[index.Tracked] = dayBounds, []int64{1}
	for _, n := range underBounds {
		offered[index.Item], offered[index.Landed] = append(offered[index.Item], major(n, c)-1),
			append(offered[index.Landed], major(n, c)-1)
	}
	for _, n := range shippingBounds {
		offered[index.Shipping] = append(offered[index.Shipping], major(n, c))
	}
	for _, n := range profitBounds {
		offered[index.Profit] = append(offered[index.Profit], major(n, c))
	}
	for _, n := range marginBounds {
		offered[index.Margin] = append(offered[index.Margin], n*int64(money.One)/100)
	}
	return offered
}

func today() int32 { return int32(time.Now().Unix() / 86400) }

// None is the choice of offers that have no brand, no category, or do not say where they ship from or to.
const None = "(none)"

// chosen are choices as the index has them.
func chosen(choices []string) []string {
	out := slices.Clone(choices)
	for i, c := range out {
		if c == None {
			out[i] = ""
		}
	}
	return out
}

// needsStore names what of a sentence can only be answered in a store.
func (q *Sentence) needsStore() (names []string) {
	for _, c := range []struct {
		asked bool
		name  string
	}{{q.Days > 0, "days to the door"}, {q.Tracked, "tracked delivery"}, {q.Under != "", "landed cost"},
		{q.Item != "", "item price"}, {q.Shipping != "", "shipping price"}, {q.Profit != "", "profit"},
		{q.Margin != "", "margin"},
		{q.Standard, "your own standard"}, {q.SoldOut, "the cheapest variant's price"},
		{index.Sort(q.Sort).NeedsStore(), "sorting by " + q.Sort}} {
		if c.asked {
			names = append(names, c.name)
		}
	}
	return names
}

// question turns a sentence into what the index is asked.
func (s *Service) question(ctx context.Context, q *Sentence, p *pricing.Pricer) (index.Query, error) {
	out := index.Query{Store: q.Store, Sort: index.Sort(cmp.Or(q.Sort, "relevance")),
		SoldOutToo: q.SoldOut, Offset: q.Offset,
		Limit: q.Limit, Facets: map[index.Facet][]string{
			index.Source: q.Sources, index.Supplier: q.Suppliers, index.Brand: chosen(q.Brands),
			index.ShipsFrom: chosen(q.ShipsFrom), index.ShipsTo: chosen(q.ShipsTo), index.Demand: q.Demand,
			index.Mine: q.Mine}}
	if names := q.needsStore(); p == nil && len(names) > 0 {
		return out, apikit.Problem(422, "store", "This needs a store, whose market, rules and currency decide it: %s.",
			strings.Join(names, ", "))
	}
	if q.Words != "" {
		groups, err := s.recentSynonyms(ctx)
		if err != nil {
			return out, err
		}
		out.Words = terms.Parse(q.Words, groups)
	}
	if q.Category != "" {
		out.Facets[index.Category] = chosen([]string{q.Category})
	}
	number := func(of index.Number, asked bool, value int32) {
		if asked {
			out.NumberBounds = append(out.NumberBounds, index.Bound[index.Number]{Of: of, Value: int64(value)})
		}
	}
	for of, least := range map[index.Number]int32{index.Stock: q.Stock, index.Rating: q.Rating, index.OnTime: q.OnTime,
		index.Week: q.Week, index.Month: q.Month, index.Returns: q.Returns, index.Processing: q.Processing,
		index.Verified: boolToInt(q.Verified), index.Packs: boolToInt(q.Packs)} {
		number(of, least > 0, least)
	}
	if q.Rivals != "" {
		most, err := strconv.ParseInt(q.Rivals, 10, 32)
		if err != nil {
			return out, apikit.Problem(422, "rivals", "“%s” is not a number of stores.", q.Rivals)
		}
		number(index.Rivals, true, int32(most))
	}
	number(index.Seen, q.New > 0, today()-q.New+1)
	if p == nil {
		return out, nil
	}
	figure := func(of index.StoreColumn, value int64) {
		out.StoreBounds = append(out.StoreBounds, index.Bound[index.StoreColumn]{Of: of, Value: value})
	}
	if q.Days > 0 {
		figure(index.Days, int64(q.Days))
	}
	if q.Tracked {
		figure(index.Tracked, 1)
	}
	for _, c := range []struct {
		of      index.StoreColumn
		clause  string
		typed   string
		atMost  int64 // what is taken off an amount to be under it
		nothing bool  // nothing is a sensible bound
	}{{index.Item, "item", q.Item, 1, false}, {index.Landed, "under", q.Under, 1, false},
		{index.Shipping, "shipping", q.Shipping, 0, true}} {
		if c.typed == "" {
			continue
		}
		bound, err := money.Parse(c.typed, p.Currency)
		if err != nil || bound.Negative() || (bound.IsZero() && !c.nothing) {
			return out, apikit.Problem(422, c.clause, "“%s” is not an amount in %s.", c.typed, p.Currency)
		}
		figure(c.of, bound.Minor()-c.atMost)
	}
	if q.Profit != "" {
		least, err := money.Parse(q.Profit, p.Currency)
		if err != nil {
			return out, apikit.Problem(422, "profit", "“%s” is not an amount in %s.", q.Profit, p.Currency)
		}
		figure(index.Profit, least.Minor())
	}
	if q.Margin != "" {
		percent, err := money.ParseRatio(q.Margin)
		if err != nil {
			return out, apikit.Problem(422, "margin", "“%s” is not a margin in percent.", q.Margin)
		}
		figure(index.Margin, int64(percent/100))
	}
	if q.Standard {
		own, err := s.Standard(ctx)
		if err != nil {
			return out, err
		}
		out.Standard = own.bounds()
	}
	return out, nil
}

// At is the snapshot of this moment, and how it is priced in a store; 0 is none.
func (s *Service) At(ctx context.Context, store int64) (*index.Snapshot[OfferPricing], *pricing.Pricer, error) {
	now := s.now.Load()
	if now == nil {
		return nil, nil, apikit.Problem(503, "", "The catalog is being read into memory. Try again in a moment.")
	}
	if store == 0 {
		return now.snapshot, nil, nil
	}
	if pricer := now.pricers[store]; pricer != nil {
		return now.snapshot, pricer, nil // by what its columns were worked out
	}
	if _, err := s.pricing.Pricer(ctx, store); err != nil { // connected a moment ago, or not at all
		return nil, nil, err
	}
	if err := s.ensurePriced(ctx, store); err != nil {
		return nil, nil, err
	}
	now = s.now.Load()
	return now.snapshot, now.pricers[store], nil
}

// ask prepares a sentence's question and the snapshot that answers it.
func (s *Service) ask(ctx context.Context, q *Sentence) (*index.Snapshot[OfferPricing], index.Query, *pricing.Pricer,
	error) {
	snapshot, pricer, err := s.At(ctx, q.Store)
	if err != nil {
		return nil, index.Query{}, nil, err
	}
	question, err := s.question(ctx, q, pricer)
	return snapshot, question, pricer, err
}

// Result is what a sentence finds.
type Result struct {
	Total       int                `json:"total"`
	Hidden      int                `json:"hidden" doc:"Offers that the seller's own standard hides"`
	Offers      []Line             `json:"offers"`
	Corrections []index.Correction `json:"corrections" doc:"What was looked for beside or in place of words"`
	Emptied     []index.Emptied    `json:"emptied" doc:"Words without which there would be offers"`
	Ordinary    []string           `json:"ordinary" doc:"Words that were not required, such as “the”"`
	Unread      []string           `json:"unread" doc:"Signs and words that mean nothing to the search"`
	TookMS      float64            `json:"took_ms"`
	// Facets are by clause, where they were asked for.
	Facets map[string][]FacetValue `json:"facets,omitempty" doc:"What each clause could be, by its name"`
	// Place is where the offer that was asked for stands in the answer, from 0.
	Position *int `json:"position,omitempty" doc:"Of the offer to be found; absent where there is none"`
	// Market is the country that prices assume; empty where there is no store.
	Market string `json:"market"`
}

// maxPicturePosition is how far down an answer an offer is looked for: as many rows as are listed.
const maxPicturePosition = 100_000

// Search asks the catalog a sentence.
func (s *Service) Search(ctx context.Context, q Sentence) (Result, error) {
	began := time.Now()
	snapshot, question, pricer, err := s.ask(ctx, &q)
	if err != nil {
		return Result{}, err
	}
	if question.Counts = q.Counts; q.Counts {
		for _, days := range newBounds {
			question.SeenSince = append(question.SeenSince, today()-days+1)
		}
	}
	answer := snapshot.Search(question)
	found := Result{Total: answer.Total, Hidden: answer.Hidden, Corrections: apikit.List(answer.Corrections),
		Emptied: apikit.List(answer.Emptied), Ordinary: apikit.List(question.Words.Ordinary),
		Unread: apikit.List(question.Words.Unread)}
	if q.Counts {
		found.Facets = facetValues(&answer.Counts, q.Like, pricer)
	}
	if pricer != nil {
		found.Market = pricer.MoneyRules.Market
	}
	if q.Find != 0 {
		question.Offset, question.Limit, question.Counts = 0, maxPicturePosition, false
		if at := slices.IndexFunc(snapshot.Search(question).Hits, func(h index.Hit[OfferPricing]) bool {
			return h.ID == q.Find
		}); at >= 0 {
			found.Position = &at
		}
	}
	if found.Offers,
		err = s.lines(ctx, answer.Hits,
		lineOptions{pricer: pricer, soldOutToo: q.SoldOut, query: &question.Words}); err != nil {
		return Result{}, err
	}
	found.TookMS = float64(time.Since(began).Microseconds()) / 1000
	return found, nil
}
