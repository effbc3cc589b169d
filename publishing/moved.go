package publishing

import (
	"context"

	"plainpelican/platform/database"
)

// PricesMoved counts anew, for the listings of some drafts in a store, the prices that are others here than those that
// were sent.
func (s *Service) PricesMoved(ctx context.Context, q database.Querier, storeID int64, drafts []int64) error {
	if len(drafts) == 0 {
		return nil
	}
	_, err := q.Exec(ctx, `update listing l set moved = n.moved
		from (select m.id, count(p.price)::int as moved from listing m
			left join listing_variant v on v.listing_id = m.id
			left join facts.price p on p.store_id = m.store_id and p.draft_id = m.draft_id
				and p.draft_variant_id = v.draft_variant_id and p.price > 0 and p.price <> v.price
			where m.store_id = $1 and m.draft_id = any ($2) and m.ended_at is null group by m.id) n
		where n.id = l.id and l.moved <> n.moved`, storeID, drafts)
	return err
}
