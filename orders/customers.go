package orders

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"golang.org/x/text/unicode/norm"

	"plainpelican/core/order"
	"plainpelican/members"
	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
)

// hashOf is what a word of who bought is found by. Who reads the database cannot tell the word.
func (s *Service) hashOf(word string) int64 {
	return s.Box.Hash("customer", strings.ToLower(norm.NFKC.String(word)))
}

// whoBought are the hashes of the words of a customer's name and mail address.
func (s *Service) whoBought(email string, a order.Address) []int64 {
	hashes := []int64{}
	for _, word := range append(strings.Fields(a.Name+" "+a.Company), strings.TrimSpace(email)) {
		if h := s.hashOf(word); word != "" && !slices.Contains(hashes, h) {
			hashes = append(hashes, h)
		}
	}
	return hashes
}

// hashWho works out what orders are found by that came in before they were.
func (s *Service) hashWho(ctx context.Context) error {
	list, err := ids(ctx, s.Pool, `select id from customer_order where who is null order by id limit 5000`)
	if err != nil {
		return err
	}
	for _, id := range list {
		h, err := readHead(ctx, s.Pool, id)
		if err != nil {
			return err
		}
		customer, _, _, err := s.customer(ctx, s.Pool, &h)
		if err != nil {
			return err
		}
		if _, err := s.Pool.Exec(ctx, `update customer_order set who = $2 where id = $1 and who is null`, id,
			s.whoBought(customer.Email, customer.Address)); err != nil {
			return err
		}
	}
	return nil
}

// CustomerData is what is kept of a customer.
type CustomerData struct {
	Email  string          `json:"email"`
	Orders []CustomerOrder `json:"orders"`
}

// CustomerOrder is one order of a customer.
type CustomerOrder struct {
	Number    string         `json:"number"`
	Store     string         `json:"store"`
	PlacedAt  time.Time      `json:"placed_at"`
	State     order.State    `json:"state"`
	Customer  Customer       `json:"customer"`
	Corrected *order.Address `json:"corrected_address,omitempty"`

	id int64
}

// customerOrders finds the orders of a mail address.
func (s *Service) customerOrders(ctx context.Context, email string) ([]CustomerOrder, error) {
	email = strings.ToLower(strings.TrimSpace(email))
	if email == "" {
		return nil, apikit.Problem(422, "email", "Give the customer's mail address.")
	}
	if err := s.hashWho(ctx); err != nil {
		return nil, err
	}
	found, err := ids(ctx, s.Pool, `select id from customer_order where who @> array[$1::bigint] and erased_at is null
		order by id`, s.hashOf(email))
	if err != nil {
		return nil, err
	}
	list := []CustomerOrder{}
	for _, id := range found {
		one := CustomerOrder{id: id}
		h, err := readHead(ctx, s.Pool, id)
		if err != nil {
			return nil, err
		}
		if one.Customer, one.Corrected, _, err = s.customer(ctx, s.Pool, &h); err != nil {
			return nil, err
		}
		if !strings.EqualFold(strings.TrimSpace(one.Customer.Email), email) {
			continue // another word of the same hash
		}
		if err := s.Pool.QueryRow(ctx, `select o.number, t.name, o.placed_at, o.state from customer_order o
			join facts.store t on t.id = o.store_id where o.id = $1`, id).Scan(&one.Number, &one.Store, &one.PlacedAt,
			&one.State); err != nil {
			return nil, err
		}
		list = append(list, one)
	}
	return list, nil
}

// ExportCustomer is what is kept of a customer, as they may ask for.
func (s *Service) ExportCustomer(ctx context.Context, email string) (CustomerData, error) {
	list, err := s.customerOrders(ctx, email)
	if err == nil {
		err = members.Audit(ctx, s.Pool, "exported a customer's data", fmt.Sprintf("%d orders", len(list)), nil, nil)
	}
	return CustomerData{strings.TrimSpace(email), apikit.List(list)}, err
}

// Erased is how many orders of a customer were erased, and the numbers of those that are still under way and stay.
type Erased struct {
	Orders int      `json:"orders"`
	Open   []string `json:"open"`
}

// EraseCustomer erases who bought of the orders of a customer that are over; the sums stay.
func (s *Service) EraseCustomer(ctx context.Context, email string) (Erased, error) {
	out := Erased{Open: []string{}}
	list, err := s.customerOrders(ctx, email)
	if err != nil {
		return out, err
	}
	over := []order.State{order.Arrived, order.Void, order.NotOurs}
	for _, o := range list {
		if !slices.Contains(over, o.State) {
			out.Open = append(out.Open, o.Number)
			continue
		}
		if err := s.erase(ctx, o.id); err != nil {
			return out, err
		}
		out.Orders++
	}
	return out, members.Audit(ctx, s.Pool, "erased a customer's data", fmt.Sprintf("%d orders", out.Orders), nil, nil)
}

// CustomerInput names a customer.
type CustomerInput struct {
	Email string `json:"email" minLength:"1" maxLength:"320"`
}

// registerCustomers adds the routes by which a customer's wishes are met.
func (s *Service) registerCustomers(a *apikit.API) {
	apikit.Register(a, access.Owner, "POST", "/api/customers/export", "exportCustomer", "What is kept of a customer",
		func(ctx context.Context, in *struct{ Body CustomerInput }) (*apikit.Body[CustomerData], error) {
			return apikit.OK(s.ExportCustomer(ctx, in.Body.Email))
		})
	apikit.Register(a, access.Owner, "POST", "/api/customers/erase", "eraseCustomer",
		"Erase who bought of a customer's orders that are over",
		func(ctx context.Context, in *struct{ Body CustomerInput }) (*apikit.Body[Erased], error) {
			return apikit.OK(s.EraseCustomer(ctx, in.Body.Email))
		})
}
