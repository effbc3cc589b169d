package page

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"plainpelican/connect/source"
	"plainpelican/core/landed"
	"plainpelican/core/money"
)

// stock is how many there are, and whether the page says so. In stock without a number is one.
func (p *parser) stock(offer thing) (n int, counted bool, err error) {
	for _, level := range p.things(offer, "inventoryLevel") {
		if text := level.text("value"); text != "" {
			whole, _, _ := strings.Cut(text, ".")
			if n, err = strconv.Atoi(whole); err != nil || n > math.MaxInt32 {
				return 0, false, fmt.Errorf("the stock “%s” does not say how many", text)
			}
			if n < 0 {
				return 0, false, fmt.Errorf("the stock is %d, below nothing", n)
			}
			return n, true, nil
		}
	}
	switch short(offer.text("availability")) {
	case "OutOfStock", "SoldOut", "Discontinued", "oos", "out of stock":
		return 0, true, nil
	case "InStock", "LimitedAvailability", "OnlineOnly", "instock", "in stock":
		return 1, false, nil
	}
	return 0, false, nil
}

func (p *parser) grams(items ...thing) int {
	for _, item := range items {
		for _, w := range p.things(item, "weight") {
			n, err := strconv.ParseFloat(w.text("value"), 64)
			if err != nil || n <= 0 || n > 1e6 {
				continue
			}
			switch strings.ToUpper(w.text("unitCode") + w.text("unitText")) {
			case "KGM", "KG":
				n *= 1000
			case "LBR", "LB":
				n *= 453.59237
			case "ONZ", "OZ":
				n *= 28.349523125
			}
			return int(math.Round(n))
		}
	}
	return 0
}

// days reads a QuantitativeValue of days.
func days(values []thing) (d landed.Days, there bool) {
	for _, v := range values {
		low, err := strconv.Atoi(firstOf(v.text("minValue"), v.text("value"), v.text("maxValue")))
		high, err2 := strconv.Atoi(firstOf(v.text("maxValue"), v.text("value"), v.text("minValue")))
		if err == nil && err2 == nil && low >= 0 && high >= low && high <= 365 {
			return landed.Days{Min: low, Max: high}, true
		}
	}
	return d, false
}

func firstOf(texts ...string) string {
	for _, t := range texts {
		if t != "" {
			return t
		}
	}
	return ""
}

// terms takes delivery and returns over, from an offer or the product.
func (p *parser) terms(o *source.Offer, t thing) {
	for _, policy := range p.things(t, "hasMerchantReturnPolicy") {
		if n, err := strconv.Atoi(policy.text("merchantReturnDays")); err == nil && n > 0 && n <= 3650 && o.ReturnDays == 0 {
			o.ReturnDays = n
		}
	}
	if len(o.Deliveries) > 0 {
		return
	}
	for i, s := range p.things(t, "shippingDetails") {
		var rate money.Amount
		for _, r := range p.things(s, "shippingRate") {
			if c, err := money.ParseCurrency(strings.ToUpper(r.text("currency"))); err == nil {
				if a, err := amount(firstOf(r.text("value"), r.text("maxValue")), c); err == nil && !a.Negative() {
					rate = a
				}
			}
		}
		if rate.Currency() == 0 {
			continue // a service without its charge cannot be counted with
		}
		d := landed.Delivery{Name: firstOf(s.text("name"), fmt.Sprintf("Delivery %d", i+1)), First: rate, Further: rate, Tracked: s.text("tracked") == "true"}
		for _, r := range p.things(s, "shippingRateFurther") {
			if a, err := amount(r.text("value"), rate.Currency()); err == nil && !a.Negative() {
				d.Further = a
			}
		}
		for _, to := range s["shippingDestination"] {
			switch v := to.(type) {
			case string:
				d.To = append(d.To, v)
			case thing:
				d.To = append(d.To, v.texts("addressCountry")...)
			}
		}
		d.To = slices.DeleteFunc(d.To, func(c string) bool { return c != "*" && len(c) != 2 })
		for i := range d.To {
			d.To[i] = strings.ToUpper(d.To[i])
		}
		transit, there := days(p.things(s, "transitTime"))
		for _, time := range p.things(s, "deliveryTime") {
			if !there {
				transit, there = days(p.things(time, "transitTime"))
			}
			if handling, ok := days(p.things(time, "handlingTime")); ok {
				o.Processing = handling
			}
		}
		if len(d.To) == 0 || !there {
			continue
		}
		d.Transit = transit
		for _, origin := range p.things(s, "shippingOrigin") {
			if c := strings.ToUpper(origin.text("addressCountry")); len(c) == 2 {
				o.Supplier.Country = c
			}
		}
		o.Deliveries = append(o.Deliveries, d)
	}
	if handling, ok := days(p.things(t, "handlingTime")); ok {
		o.Processing = handling
	}
}

// seller is who sells it; else the host of the page.
func (p *parser) seller(o *source.Offer, t thing) {
	u := &o.Supplier
	sellers := p.things(t, "seller")
	for _, offer := range p.offers(t, t) {
		sellers = append(sellers, p.things(offer, "seller")...)
	}
	for _, s := range sellers {
		if u.Name == "" {
			u.Name = s.text("name")
		}
		country := s.text("addressCountry")
		for _, address := range p.things(s, "address") {
			country = firstOf(country, address.text("addressCountry"))
		}
		if u.Country == "" && len(country) == 2 {
			u.Country = strings.ToUpper(country)
		}
	}
	if u.Name == "" {
		u.Name = p.base.Hostname()
	}
	u.Number = p.base.Host + " " + u.Name
}

func (p *parser) rating(o *source.Offer, t thing) {
	for _, r := range p.things(t, "aggregateRating") {
		value, err := strconv.ParseFloat(r.text("ratingValue"), 64)
		best := 5.0
		if b, err := strconv.ParseFloat(r.text("bestRating"), 64); err == nil && b > 0 {
			best = b
		}
		n, err2 := strconv.Atoi(firstOf(r.text("ratingCount"), r.text("reviewCount")))
		if err == nil && err2 == nil && value >= 0 && value <= best && n > 0 && n < math.MaxInt32 {
			o.Rating, o.Ratings = int(math.Round(value/best*50)), n
		}
	}
}

// openGraph makes an offer of what a page tells those who share it.
func (p *parser) openGraph() (Found, error) {
	g := p.graph
	o := source.Offer{Title: strings.Join(strings.Fields(g["og:title"]), " "), Brand: g["product:brand"], PageURL: p.base.String(), Number: p.number(), Category: g["product:category"]}
	if d := g["og:description"]; d != "" {
		o.Description = paragraphs(d)
	}
	if u := p.absolute(g["og:image"]); g["og:image"] != "" && u != "" {
		o.Pictures = []string{u}
	}
	offer := thing{"price": {g["product:price:amount"]}, "priceCurrency": {g["product:price:currency"]}, "availability": {strings.ToLower(g["product:availability"])}}
	v, counted, err := p.variant(&o, thing{}, thing{"sku": {g["product:retailer_item_id"]}}, offer, 0)
	if err != nil {
		return Found{}, err
	}
	o.Currency, o.Variants = v.Cost.Currency(), []source.Variant{v}
	o.Supplier.Name = firstOf(g["og:site_name"], p.base.Hostname())
	o.Supplier.Number = p.base.Host + " " + o.Supplier.Name
	return finish(o, counted), nil
}
