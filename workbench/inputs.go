package workbench

import (
	"context"

	"github.com/jackc/pgx/v5"

	"plainpelican/core/money"
	"plainpelican/platform/database"
	"plainpelican/pricing"
)

// The drafts that a question is about: some of them by id, or the next $2 after $1. They
// are two statements, so that each goes by the index.
const (
	someDrafts        = ` from draft d`
	nextDrafts        = ` from (select * from draft where id > $1 and discarded_at is null order by id limit $2) d`
	pricingInputsFrom = ` join facts.offer o on o.id = d.offer_id` + pricing.OfferFactsJoin
)

// PricingInputs gives drafts to be priced, as pricing.Drafts has it.
func (s *Service) PricingInputs(ctx context.Context, q database.Querier, storeID int64, ids []int64, after int64,
	limit int, bare bool) ([]pricing.DraftInput, error) {
	columns := `select d.id, d.collections, d.tags, d.delivery, ` + pricing.OfferFactsColumns
	if bare {
		columns = `select d.id, d.collections, d.tags, d.delivery, x.name, u.name, u.country,
			own_category(o.source_id, o.category),
			o.brand`
	}
	var rows pgx.Rows
	var err error
	if ids != nil {
		rows, err = q.Query(ctx, columns+someDrafts+pricingInputsFrom+`where d.id = any ($1) order by d.id`, ids)
	} else {
		rows, err = q.Query(ctx, columns+nextDrafts+pricingInputsFrom+`order by d.id`, after, limit)
	}
	if err != nil {
		return nil, err
	}
	inputs := make([]pricing.DraftInput, 0, max(limit, len(ids)))
	var currencies []money.Currency
	var id int64
	var row pricing.OfferFactsRow
	fields := row.Fields()
	if bare {
		fields = fields[:5]
	}
	_, err = pgx.ForEachRow(rows, append([]any{&id, &row.Collections, &row.Tags, &row.Service}, fields...),
		func() error {
			one, c, err := row.Take()
			inputs, currencies = append(inputs, pricing.DraftInput{DraftID: id, Facts: one}), append(currencies, c)
			row.Collections, row.Tags = nil, nil
			return err
		})
	if err != nil || len(inputs) == 0 {
		return nil, err
	}
	return inputs, s.pricingVariants(ctx, q, storeID, inputs, currencies, bare)
}

// pricingVariants fills in variants: all of them with what they cost, or only the ids of those
// that are not chosen.
func (s *Service) pricingVariants(ctx context.Context, q database.Querier, storeID int64, inputs []pricing.DraftInput,
	currencies []money.Currency, bare bool) error {
	ids := make([]int64, len(inputs))
	for i := range inputs {
		ids[i] = inputs[i].DraftID
	}
	var rows pgx.Rows
	var err error
	if bare {
		rows, err = q.Query(ctx, `select draft_id, id, chosen, 0::bigint, 0::bigint, 0::bigint, '', 0::bigint,
				coalesce(other_offer_id, 0)
			from draft_variant where (not chosen or dropped) and draft_id between $1 and $2
			union all
			select draft_id, id, chosen, 0, 0, 0, '', 0, other_offer_id from draft_variant
			where other_offer_id is not null and chosen and not dropped and draft_id between $1 and $2
			order by draft_id`, ids[0], ids[len(ids)-1])
	} else {
		rows, err = q.Query(ctx, `
			select v.draft_id, v.id, v.chosen, w.cost, w.min_advertised, w.list_price, w.prices_in,
				coalesce(t.price, 0), coalesce(v.other_offer_id, 0)
			from draft_variant v join facts.offer_variant w on w.id = v.offer_variant_id
			left join manual_price t on t.draft_variant_id = v.id and t.store_id = $2
			where v.draft_id = any ($1) and not v.dropped order by v.draft_id, v.position, v.id`, ids, storeID)
	}
	if err != nil {
		return err
	}
	index := 0
	var draft, cost, advertised, listed, other int64
	var pricesIn string
	var v pricing.VariantInput
	var further []elsewhere
	_, err = pgx.ForEachRow(rows, []any{&draft, &v.ID, &v.Chosen, &cost, &advertised, &listed, &pricesIn,
		&v.ManualPrice, &other}, func() error {
		for index < len(inputs) && inputs[index].DraftID < draft {
			index++
		}
		if index < len(inputs) && inputs[index].DraftID == draft {
			one := v
			if other == 0 {
				one.Unit = pricing.UnitOf(currencies[index], cost, advertised, listed, pricesIn)
			} else {
				further = append(further, elsewhere{index, len(inputs[index].Variants), other, cost, advertised, listed,
					pricesIn})
			}
			inputs[index].Variants = append(inputs[index].Variants, one)
		}
		return nil
	})
	if err != nil || len(further) == 0 {
		return err
	}
	offers, err := furtherOffers(ctx, q, further)
	for _, e := range further {
		of := &inputs[e.draft]
		o := offers.of(e.offer, &of.Facts)
		of.Variants[e.variant].Facts, of.Variants[e.variant].Unit = &o.facts, e.unit(o.currency)
	}
	return err
}

// Names says what people call drafts and their variants.
func (s *Service) Names(ctx context.Context, ids []int64) (map[int64]pricing.Name, error) {
	drafts, err := load(ctx, s.Pool, s.Media, ids...)
	if err != nil || len(ids) == 0 {
		return nil, err
	}
	out := make(map[int64]pricing.Name, len(drafts))
	for _, d := range drafts {
		name := pricing.Name{Title: d.title, Picture: d.path(d.firstShown()), Variants: map[int64]string{}}
		for i := range d.variants {
			name.Variants[d.variants[i].id] = d.name(&d.variants[i])
		}
		out[d.id] = name
	}
	return out, nil
}
