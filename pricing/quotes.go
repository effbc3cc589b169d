package pricing

// Quotes are what the variants of a draft are priced with: one for its own offer, and one for each further offer that
// some of them are bought from, made once.
type Quotes struct {
	Own    Quote
	pricer *Pricer
	others map[*OfferFacts]*Quote
}

// Quotes prepares to price the variants of a draft whose own offer is given.
func (p *Pricer) Quotes(own *OfferFacts) *Quotes { return &Quotes{Own: p.Quote(own), pricer: p} }

// Of is the quote of a further offer; of the draft's own where it is nil.
func (q *Quotes) Of(other *OfferFacts) *Quote {
	if other == nil {
		return &q.Own
	}
	if q.others == nil {
		q.others = map[*OfferFacts]*Quote{}
	}
	if q.others[other] == nil {
		made := q.pricer.Quote(other)
		q.others[other] = &made
	}
	return q.others[other]
}
