package gen

import (
	"fmt"
	"hash/fnv"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
)

// QuoteWords are what suppliers say to their quotes.
var QuoteWords = []string{
	"We make this to order. Ready within the week; a sample can be sent.",
	"Price is for plain packing. With your brand on the box add 6 %.",
	"Last of the season, while stock lasts!!! Please decide soon, dear friend.",
}

// Quotes makes the offers that n suppliers quote for what is wanted, the same for the same
// id: near the target where its currency is known, else at what such a thing costs.
func (c Catalog) Quotes(id, words, price, currency, market string, n int) []Offer {
	if c.Prefix == "" {
		c.Prefix = "QB"
	}
	if c.Suppliers == 0 {
		c.Suppliers = Suppliers
	}
	h := fnv.New64a()
	_, _ = h.Write([]byte(id))
	r := rand.New(rand.NewPCG(c.Seed, h.Sum64()))
	t := c.newThing(r, len(goods)+r.IntN(1_000_000))
	t.good = meant(words, t.good)
	t.noun, t.material, t.sizes = t.nouns[0], pick(r, t.good.material), t.good.sizes[:1]
	t.cents = t.good.cents
	if wanted := inCents(price, currency); wanted > 0 {
		t.cents = wanted
	}
	first := r.IntN(c.Suppliers)
	offers := make([]Offer, n)
	for i := range offers {
		s := c.supplier((first + i*53) % c.Suppliers)
		o := t.offeredBy(r, c, s, 0, i)
		o.Title, o.Weekly, o.Rivals, o.Brand = words+" "+pick(r, []string{"OEM", "made to order", "Custom"}), nil,
			Rivals{}, ""
		for j := range o.Deliveries {
			if to := o.Deliveries[j].To; to[0] != "*" && !slices.Contains(to, market) { // who quotes also sends
				o.Deliveries[j].To = append([]string{market}, to...)
			}
		}
		o.Renumber(fmt.Sprintf("%s-Q%x-%d", c.Prefix, h.Sum64()>>40, i+1))
		offers[i] = o
	}
	return offers
}

// Renumber gives an offer and its variants another number.
func (o *Offer) Renumber(number string) {
	o.Variants = append([]Variant(nil), o.Variants...)
	for i := range o.Variants {
		o.Variants[i].SKU = number + strings.TrimPrefix(o.Variants[i].SKU, o.Number)
		o.Variants[i].GTIN = ""
	}
	o.Number = number
}

// meant is the kind of good that words have most in common with.
func meant(words string, otherwise good) good {
	best := 0
	for _, g := range goods {
		known := strings.ToLower(g.category + " " + g.kind + " " + strings.Join(g.nouns, " "))
		hits := 0
		for _, w := range strings.Fields(strings.ToLower(words)) {
			if len(w) > 2 && strings.Contains(known, strings.TrimSuffix(w, "s")) {
				hits++
			}
		}
		if hits > best {
			best, otherwise = hits, g
		}
	}
	return otherwise
}

func inCents(price, currency string) int {
	for _, c := range append(countries, nearCountries...) {
		if value, err := strconv.ParseFloat(price, 64); err == nil && c.currency == currency {
			return int(value * 10000 / float64(c.perDollar))
		}
	}
	return 0
}
