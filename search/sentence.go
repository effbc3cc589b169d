package search

import (
	"cmp"
	"context"
	"slices"
	"strings"
	"time"

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
	Find   int64  `query:"find" doc:"An offer whose position in the answer is told"`
	Counts bool   `query:"counts" doc:"Count what each clause's choices would leave, too"`
	Like   string `query:"like" maxLength:"100" doc:"Of clauses with many choices, those that hold this are told"`
}

// question turns a sentence into what the index is asked.
func (s *Service) question(ctx context.Context, q *Sentence, p *pricing.Pricer) (index.Query, error) {
	out := index.Query{Store: q.Store, Sort: index.Sort(cmp.Or(q.Sort, "relevance")), SoldOutToo: q.SoldOut,
		Offset: q.Offset, Limit: q.Limit}
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
	if err := q.ask(&out, p); err != nil || p == nil {
		return out, err
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
			question.SeenSince = append(question.SeenSince, firstDayOf(days))
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
