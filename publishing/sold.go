package publishing

import (
	"context"

	"github.com/jackc/pgx/v5"

	"plainpelican/core/markup"
	"plainpelican/core/money"
	"plainpelican/workbench"
)

// remember adds to a listing's history the prices that differ from the last ones, with how
// each came about.
func remember(ctx context.Context, tx pgx.Tx, listing int64, draft workbench.Ready) error {
	batch := &pgx.Batch{}
	for _, v := range draft.Variants {
		batch.Queue(`
			insert into listing_price (listing_id, draft_variant_id, price) select $1, $2, $3
			where $3 is distinct from (select price from listing_price where listing_id = $1 and draft_variant_id = $2
			order by at desc limit 1)
			on conflict do nothing`, listing, v.ID, v.Ladder.Price.Minor())
	}
	return tx.SendBatch(ctx, batch).Close()
}

// lowestTrace is how the lowest of the prices that are sent came about.
func lowestTrace(draft workbench.Ready) []markup.TraceLine {
	lowest := draft.Variants[0]
	for _, v := range draft.Variants {
		if v.Ladder.Price.Minor() < lowest.Ladder.Price.Minor() {
			lowest = v
		}
	}
	return lowest.Trace
}

// SoldPrices lists the prices that drafts' variants had in a store, in order of time.
func (s *Service) SoldPrices(ctx context.Context, storeID int64, drafts []int64) (map[int64][]markup.Sold, error) {
	rows, err := s.Pool.Query(ctx, `
		select p.draft_variant_id, p.price, p.at, t.currency from listing_price p join listing l on l.id = p.listing_id
		join facts.store t on t.id = l.store_id
		where l.store_id = $1 and l.draft_id = any ($2) order by p.draft_variant_id, p.at`,
		storeID, drafts)
	if err != nil {
		return nil, err
	}
	out := map[int64][]markup.Sold{}
	var variant, price int64
	var currency string
	var sold markup.Sold
	_, err = pgx.ForEachRow(rows, []any{&variant, &price, &sold.From, &currency}, func() error {
		c, err := money.ParseCurrency(currency)
		sold.Price = money.New(price, c)
		out[variant] = append(out[variant], sold)
		return err
	})
	return out, err
}

// Live lists the drafts that are live in a store.
func (s *Service) Live(ctx context.Context, storeID int64) ([]int64, error) {
	rows, err := s.Pool.Query(ctx, `select draft_id from listing where store_id = $1`, storeID)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[int64])
}
