package orders

import (
	"context"

	"github.com/jackc/pgx/v5"

	"plainpelican/core/order"
	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
)

// address is where an order goes: as a person corrected it, else as the customer wrote it; accepted tells that a person
// looked at it.
func (s *Service) address(ctx context.Context, q database.Querier, h *head) (a order.Address, accepted bool,
	err error) {
	customer, corrected, by, err := s.customer(ctx, q, h)
	if err != nil {
		return a, false, err
	}
	if corrected != nil {
		return *corrected, true, nil
	}
	return customer.Address, by != "", nil
}

// shipTo is where a supplier sends an order: its address, with the shop's own telephone where it has none.
func (s *Service) shipTo(ctx context.Context, q database.Querier, h *head) (order.Address, error) {
	to, _, err := s.address(ctx, q, h)
	if err != nil {
		return to, err
	}
	return s.withPhone(ctx, q, h, to)
}

// withPhone is an address with the shop's own telephone where it has none.
func (s *Service) withPhone(ctx context.Context, q database.Querier, h *head, to order.Address) (order.Address,
	error) {
	if to.Phone != "" {
		return to, nil
	}
	err := q.QueryRow(ctx, `select phone from facts.store where id = $1`, h.storeID).Scan(&to.Phone)
	return to, err
}

// customer opens who bought, the address as it was corrected, and who accepted it as it is.
func (s *Service) customer(ctx context.Context, q database.Querier, h *head) (c Customer, corrected *order.Address,
	by string, err error) {
	var sealed, shipTo []byte
	if err := q.QueryRow(ctx, `select customer, ship_to, address_accepted_by from customer_order where id = $1`, h.id).
		Scan(&sealed, &shipTo, &by); err != nil {
		return c, nil, "", err
	}
	if err := s.open(h.storeID, h.storeOrder, sealed, &c); err != nil {
		return c, nil, "", err
	}
	if shipTo != nil {
		corrected = &order.Address{}
		err = s.open(h.storeID, h.storeOrder, shipTo, corrected)
	}
	return c, corrected, by, err
}

// AddressInput is an address as a person says it is right; none accepts what the customer wrote.
type AddressInput struct {
	Address *order.Address `json:"address,omitempty"`
}

// SetAddress corrects where an order goes, or accepts it as it is; the customer's own text stays beside it.
func (s *Service) SetAddress(ctx context.Context, id int64, in AddressInput) (Order, error) {
	return s.changeOrder(ctx, func(tx pgx.Tx) (int64, error) {
		// Whoever buys the order at this moment is waited for.
		if _, err := tx.Exec(ctx, `select from customer_order where id = $1 for update`, id); err != nil {
			return 0, err
		}
		h, lines, err := read(ctx, tx, id)
		if database.Missing(err) {
			return 0, apikit.NotFound("order")
		}
		if err != nil {
			return 0, err
		}
		for _, l := range lines {
			if l.purchase != "" && !l.purchase.Failed() {
				return 0, apikit.Problem(409, "",
					"Some of this order is bought already, for the address as it was then.")
			}
		}
		words, country := "Accepted the address as the customer wrote it", h.country
		var sealed []byte
		if in.Address != nil {
			right := in.Address.Trimmed()
			for _, f := range order.CheckAddress(right) {
				if f.Field == "name" || f.Field == "line1" || f.Field == "country" {
					return 0, apikit.Problem(422, f.Field, "%s", f.Words)
				}
			}
			if sealed, err = s.seal(h.storeID, h.storeOrder, right); err != nil {
				return 0, err
			}
			words, country = "Corrected the address", right.Country
		}
		if _, err := tx.Exec(ctx, `update customer_order set ship_to = $2, address_accepted_by = $3, address_faults = 0,
			country = $4 where id = $1`, id, sealed, access.Who(ctx).Name, country); err != nil {
			return 0, err
		}
		return id, note(ctx, tx, id, "%s", words)
	})
}
