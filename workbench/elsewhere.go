package workbench

import (
	"context"
	"slices"
	"time"

	"github.com/jackc/pgx/v5"

	"plainpelican/core/money"
	"plainpelican/platform/database"
	"plainpelican/pricing"
)

// elsewhere is a variant that is bought from another offer than its draft's, as it was read: the indexes of both, the
// offer, and what it costs there.
type elsewhere struct {
	draft, variant           int
	offer                    int64
	cost, advertised, listed int64
	pricesIn                 string
}

func (e *elsewhere) unit(c money.Currency) pricing.Unit {
	return pricing.UnitOf(c, e.cost, e.advertised, e.listed, e.pricesIn)
}

// furtherOffer is an offer that some variants of a draft are bought from, beside its own.
type furtherOffer struct {
	id, sourceID int64
	number       string
	facts        pricing.OfferFacts
	currency     money.Currency
	withdrawnAt  *time.Time
}

// offerSet are further offers by id, and with the facts of a draft by both.
type offerSet struct {
	byID  map[int64]*furtherOffer
	drawn map[drawn]*furtherOffer
}

// drawn is an offer for one draft.
type drawn struct {
	offer int64
	draft *pricing.OfferFacts
}

// furtherOffers reads the offers that variants are bought from.
func furtherOffers(ctx context.Context, q database.Querier, list []elsewhere) (*offerSet, error) {
	set := &offerSet{map[int64]*furtherOffer{}, map[drawn]*furtherOffer{}}
	var ids []int64
	for _, e := range list {
		if !slices.Contains(ids, e.offer) {
			ids = append(ids, e.offer)
		}
	}
	rows, err := q.Query(ctx, `select o.id, o.source_id, o.number, o.withdrawn_at, `+
		pricing.OfferFactsColumns+` from facts.offer o`+pricing.OfferFactsJoin+`where o.id = any ($1)`, ids)
	if err != nil {
		return set, err
	}
	var row pricing.OfferFactsRow
	var o furtherOffer
	fields := append([]any{&o.id, &o.sourceID, &o.number, &o.withdrawnAt}, row.Fields()...)
	_, err = pgx.ForEachRow(rows, fields, func() error {
		one := o
		var err error
		one.facts, one.currency, err = row.Take()
		set.byID[one.id] = &one
		o.withdrawnAt = nil
		return err
	})
	return set, err
}

// of is an offer as a draft's rules see it: with the collections and tags of the draft, whose facts are given, and the
// delivery that was chosen for it. The same draft gets the same.
func (s *offerSet) of(id int64, draft *pricing.OfferFacts) *furtherOffer {
	key := drawn{id, draft}
	if o := s.drawn[key]; o != nil {
		return o
	}
	one := furtherOffer{id: id}
	if o := s.byID[id]; o != nil {
		one = *o
	}
	one.facts.Collections, one.facts.Tags, one.facts.Service = draft.Collections, draft.Tags, draft.Service
	s.drawn[key] = &one
	return &one
}
