package catalog

import (
	"context"
	"net/http"
	"time"

	"plainpelican/catalog/index"
	"plainpelican/core/money"
	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/pricing"
)

// Sentence is the question as it stands in an address.
type Sentence struct {
	Store     int64    `query:"store" doc:"The store whose market, rules and currency hold; 0 for none"`
	Words     string   `query:"words" maxLength:"200"`
	Sources   []int64  `query:"source,explode" maxItems:"50"`
	ShipsFrom []string `query:"from,explode" maxItems:"50"`
	Category  string   `query:"category" maxLength:"200"`
	Days      int32    `query:"days" minimum:"0" maximum:"365"`
	Under     string   `query:"under" maxLength:"20" doc:"Landing under, decimal text in the store's currency"`
	Stock     int32    `query:"stock" minimum:"0"`
	Sort      string   `query:"sort" enum:"relevance,profit,landed,days,units,rating" default:"relevance"`
	Offset    int      `query:"offset" minimum:"0" maximum:"1000000"`
	Limit     int      `query:"limit" minimum:"1" maximum:"200" default:"50"`
}

// Found is what a sentence finds.
type Found struct {
	Total   int               `json:"total"`
	Offers  []Line            `json:"offers"`
	Instead map[string]string `json:"instead" doc:"Words that nothing holds, and the nearest that were looked up"`
	Choices Choices           `json:"choices"`
	TookMS  float64           `json:"took_ms"`
	// Market is the country that prices assume; empty where there is no store.
	Market string `json:"market"`
}

// Choices are what each clause could be, with how many offers each would leave.
type Choices struct {
	Sources   map[int64]int  `json:"sources"`
	ShipsFrom map[string]int `json:"ships_from"`
	Category  map[string]int `json:"category"`
	Days      []Bound        `json:"days"`
	Under     []Bound        `json:"under"`
	Stock     []Bound        `json:"stock"`
}

// Bound is one choice of a clause about a number.
type Bound struct {
	Bound string `json:"bound"`
	Count int    `json:"count"`
}

var (
	dayBounds   = []int32{8, 12, 16, 20, 30}
	stockBounds = []int32{1, 10, 20, 100}
	underBounds = []int64{5, 8, 12, 18, 25, 40} // major units
)

// Search asks the catalog a sentence.
func (s *Service) Search(ctx context.Context, q Sentence) (Found, error) {
	began := time.Now()
	now := s.now.Load()
	if now == nil {
		return Found{}, apikit.Problem(503, "", "The catalog is being read into memory. Try again in a moment.")
	}
	var pricer *pricing.Pricer
	question := index.Question{Words: q.Words, Sources: q.Sources, ShipsFrom: q.ShipsFrom, Category: q.Category, Days: q.Days, StockAtLeast: q.Stock,
		Store: q.Store, Sort: index.Sort(q.Sort), Offset: q.Offset, Limit: q.Limit}
	offered := index.Bounds{Days: dayBounds, Stock: stockBounds}
	if q.Store != 0 {
		var err error
		if pricer, err = s.Pricing.Pricer(ctx, q.Store); err != nil {
			return Found{}, err
		}
		if q.Under != "" {
			bound, err := money.Parse(q.Under, pricer.Currency)
			if err != nil || bound.Minor() <= 0 {
				return Found{}, apikit.Problem(422, "under", "“%s” is not an amount in %s.", q.Under, pricer.Currency)
			}
			question.LandingUnder = bound.Minor()
		}
		for _, major := range underBounds {
			offered.Landing = append(offered.Landing, major*scale(pricer.Currency)*pricer.Currency.Unit())
		}
	}
	answer := now.snapshot.Ask(question, offered)
	found := Found{Total: answer.Total, Instead: answer.Instead, Choices: choices(answer.Counts, offered, pricer)}
	if pricer != nil {
		found.Market = pricer.MoneyRules.Market
	}
	var err error
	if found.Offers, err = s.lines(ctx, answer.Hits, pricer); err != nil {
		return Found{}, err
	}
	found.TookMS = float64(time.Since(began).Microseconds()) / 1000
	return found, nil
}

// scale makes bounds sensible where a major unit is small, as in JPY.
func scale(c money.Currency) int64 {
	if c.Digits() == 0 {
		return 100
	}
	return 1
}

func choices(c index.Counts, offered index.Bounds, p *pricing.Pricer) Choices {
	out := Choices{Sources: c.Sources, ShipsFrom: c.ShipsFrom, Category: c.Category, Days: []Bound{}, Under: []Bound{}, Stock: []Bound{}}
	for i, n := range c.Days {
		out.Days = append(out.Days, Bound{itoa(int64(offered.Days[i])), n})
	}
	for i, n := range c.Stock {
		out.Stock = append(out.Stock, Bound{itoa(int64(offered.Stock[i])), n})
	}
	for i, n := range c.Landing {
		out.Under = append(out.Under, Bound{money.New(offered.Landing[i], p.Currency).Decimal(), n})
	}
	return out
}

// Register adds the operations.
func (s *Service) Register(a *apikit.API) {
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/offers", "searchOffers", "Ask the catalog a sentence", func(ctx context.Context, in *Sentence) (*apikit.Body[Found], error) {
		return apikit.OK(s.Search(ctx, *in))
	})
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/offers/{id}", "getOffer", "One offer in full", func(ctx context.Context, in *struct {
		apikit.ByID
		Store int64 `query:"store"`
	}) (*apikit.Body[Sheet], error) {
		return apikit.OK(s.sheet(ctx, in.ID, in.Store))
	})
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/offers/{id}/what-if", "whatIf", "What an offer would leave at another price", func(ctx context.Context, in *WhatIf) (*apikit.Body[Supposed], error) {
		return apikit.OK(s.whatIf(ctx, *in))
	})
	a.Raw(access.Fulfiller, http.MethodGet, "/pictures/{offer}/{place}", s.servePicture)
}
