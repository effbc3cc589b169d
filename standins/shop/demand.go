package shop

import (
	"cmp"
	"net"
	"net/http"
	"slices"
	"strconv"
)

type customer struct {
	Address
	email, phone string
}

// customers are who buys where orders are made on demand: some addresses lack something.
var customers = []customer{
	{Address{Name: "Maya Okafor", Line1: "418 Juniper Street", Line2: "Apt 6", City: "Portland", Region: "OR",
		Postcode: "97205", Country: "US"}, "maya.okafor@mail.example", "+1 503 555 0142"},
	{Address{Name: "Liam O'Shea", Line1: "77 Beacon Hill Rd", City: "Halifax", Region: "NS", Postcode: "B3H 1Y4",
		Country: "CA"}, "liam@mail.example", "+1 902 555 0117"},
	{Address{Name: "Jana Lindqvist", Line1: "Hamngatan 12", City: "Göteborg", Postcode: "411 06", Country: "SE"},
		"jana.l@mail.example", "+46 31 555 01 22"},
	{Address{Name: "Ben Tanner", Line1: "9 Mill Lane", City: "Duluth", Region: "MN", Country: "US"},
		"ben@mail.example", ""}, // no postcode
	{Address{Name: "中村 さくら", Line1: "1200 Harbor Blvd", City: "Weehawken", Region: "NJ", Postcode: "07086",
		Country: "US"}, "sakura@mail.example", "+1 201 555 0168"},
	{Address{Name: "Greta Vogel", Line1: "Lindenallee 4", City: "Bremen", Postcode: "28203", Country: "DE"},
		"greta@mail.example", "+49 421 555 0190"},
}

// demand makes so many orders of what is for sale: on loopback only, never part of the protocol.
func (p *Server) demand(w http.ResponseWriter, r *http.Request) {
	host, _, _ := net.SplitHostPort(r.RemoteAddr)
	if ip := net.ParseIP(host); ip == nil || !ip.IsLoopback() {
		http.NotFound(w, r)
		return
	}
	count, err := strconv.Atoi(cmp.Or(r.URL.Query().Get("count"), "1"))
	if err != nil || count < 1 || count > 5_000 {
		http.Error(w, "count must be from 1 to 5000", http.StatusBadRequest)
		return
	}
	made := []Order{}
	for range count {
		o, ok := p.Demand()
		if !ok {
			break
		}
		made = append(made, o)
	}
	answer(w, http.StatusOK, map[string]any{"orders": made})
}

// Demand makes one order of what is for sale, of a customer in a country that the store sells to.
func (p *Server) Demand() (Order, bool) {
	shown := slices.DeleteFunc(p.Products(), func(x Product) bool { return !x.Visible })
	slices.SortFunc(shown, func(a, b Product) int { return compareIDs(a.ID, b.ID) })
	if len(shown) == 0 {
		return Order{}, false
	}
	p.mu.Lock()
	n := p.state.NextOrder
	p.mu.Unlock()
	here := slices.DeleteFunc(slices.Clone(customers), func(c customer) bool {
		return !slices.Contains(p.ShipsTo, c.Country)
	})
	if len(here) == 0 {
		return Order{}, false
	}
	var forSale []Bought
	for _, product := range shown {
		for _, v := range product.Variants {
			if v.Stock > 2 || product.SellEmpty {
				forSale = append(forSale, Bought{product.ID, v.ID, 1})
			}
		}
	}
	if len(forSale) == 0 {
		return Order{}, false
	}
	things := []Bought{forSale[n*7%len(forSale)]}
	things[0].Quantity += n % 3 / 2
	if more := forSale[(n*5+3)%len(forSale)]; n%2 == 1 && more.Variant != things[0].Variant {
		things = append(things, more)
	}
	c := here[n%len(here)]
	o, err := p.Buy(things, c.Address, c.email, c.phone)
	return o, err == nil
}
