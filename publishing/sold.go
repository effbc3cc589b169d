package publishing

import (
	"context"

	"github.com/jackc/pgx/v5"

	"plainpelican/core/markup"
	"plainpelican/core/money"
)

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
	rows, err := s.Pool.Query(ctx, `select draft_id from listing where store_id = $1 and ended_at is null`, storeID)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[int64])
}
