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
	"plainpelican/core/quantity"
)

// stock is how many there are, and whether the page says so. In stock without a number is one.
func (p *parser) stock(offer thing) (n int, counted bool, err error) {
	for _, level := range p.things(offer, "inventoryLevel") {
		if text := p.text(level, "value"); text != "" {
			whole, _, _ := strings.Cut(text, ".")
			if n, err = strconv.Atoi(whole); err != nil || n > math.MaxInt32 {
				return 0, false, fmt.Errorf("the stock “%s” does not say how many", text)
			}
			if n < 0 {
				return 0, false, fmt.Errorf("the stock is %d, less than none", n)
			}
			return n, true, nil
		}
	}
	switch short(p.text(offer, "availability")) {
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
			n, err := strconv.ParseFloat(p.text(w, "value"), 64)
			if err != nil || n <= 0 || n > 1e6 {
				continue
			}
			switch strings.ToUpper(p.text(w, "unitCode") + p.text(w, "unitText")) {
			case "KGM", "KG":
				n *= 1000
			case "LBR", "LB":
				n *= quantity.GramsPerPound
			case "ONZ", "OZ":
				n *= quantity.GramsPerOunce
			}
			return int(math.Round(n))
		}
	}
	return 0
}

// days reads a QuantitativeValue of days.
func (p *parser) days(values []thing) (d landed.Days, there bool) {
	for _, v := range values {
		low, err := strconv.Atoi(firstOf(p.text(v, "minValue"), p.text(v, "value"), p.text(v, "maxValue")))
		high, err2 := strconv.Atoi(firstOf(p.text(v, "maxValue"), p.text(v, "value"), p.text(v, "minValue")))
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
		if n, err := strconv.Atoi(p.text(policy, "merchantReturnDays")); err == nil && n >= 0 && n <= 3650 &&
			o.ReturnDays == nil {
			o.ReturnDays = &n
		}
	}
	if len(o.Deliveries) > 0 {
		return
	}
	for i, s := range p.things(t, "shippingDetails") {
		var rate money.Amount
		for _, r := range p.things(s, "shippingRate") {
			if c, err := money.ParseCurrency(strings.ToUpper(p.text(r, "currency"))); err == nil {
				if a, err := amount(firstOf(p.text(r, "value"), p.text(r, "maxValue")), c); err == nil &&
					!a.Negative() {
					rate = a
				}
			}
		}
		if rate.Currency() == 0 || len(o.Deliveries) >= maxDeliveries {
			continue // a service without its charge cannot be counted with
		}
		d := landed.Delivery{Name: firstOf(p.text(s, "name"), fmt.Sprintf("Delivery %d", i+1)), First: rate,
			Further: rate, Tracked: p.text(s, "tracked") == "true"}
		for _, r := range p.things(s, "shippingRateFurther") {
			if a, err := amount(p.text(r, "value"), rate.Currency()); err == nil && !a.Negative() {
				d.Further = a
			}
		}
		for _, to := range s["shippingDestination"] {
			switch v := to.(type) {
			case string:
				d.To = append(d.To, v)
			case thing:
				d.To = append(d.To, p.texts(v, "addressCountry")...)
			}
		}
		d.To = d.To[:min(len(d.To), maxCountries)]
		d.To = slices.DeleteFunc(d.To, func(c string) bool { return c != "*" && len(c) != 2 })
		for i := range d.To {
			d.To[i] = strings.ToUpper(d.To[i])
		}
		transit, there := p.days(p.things(s, "transitTime"))
		for _, time := range p.things(s, "deliveryTime") {
			if !there {
				transit, there = p.days(p.things(time, "transitTime"))
			}
			if handling, ok := p.days(p.things(time, "handlingTime")); ok {
				o.Processing = handling
			}
		}
		if len(d.To) == 0 || !there {
			continue
		}
		d.Transit = transit
		for _, origin := range p.things(s, "shippingOrigin") {
			if c := strings.ToUpper(p.text(origin, "addressCountry")); len(c) == 2 {
				o.Supplier.Country = c
			}
		}
		o.Deliveries = append(o.Deliveries, d)
	}
	if handling, ok := p.days(p.things(t, "handlingTime")); ok {
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
			u.Name = p.text(s, "name")
		}
		country := p.text(s, "addressCountry")
		for _, address := range p.things(s, "address") {
			country = firstOf(country, p.text(address, "addressCountry"))
		}
		if u.Country == "" && len(country) == 2 {
			u.Country = strings.ToUpper(country)
		}
	}
	if u.Name == "" {
		u.Name = p.own.Hostname()
	}
	u.Number = p.own.Host + " " + u.Name
}

func (p *parser) rating(o *source.Offer, t thing) {
	for _, r := range p.things(t, "aggregateRating") {
		value, err := strconv.ParseFloat(p.text(r, "ratingValue"), 64)
		best := 5.0
		if b, err := strconv.ParseFloat(p.text(r, "bestRating"), 64); err == nil && b > 0 {
			best = b
		}
		n, err2 := strconv.Atoi(firstOf(p.text(r, "ratingCount"), p.text(r, "reviewCount")))
		if err == nil && err2 == nil && value >= 0 && value <= best && n > 0 && n < math.MaxInt32 {
			o.Rating, o.Ratings = int(math.Round(value/best*50)), n
		}
	}
}

// openGraph makes an offer of what a page tells those who share it.
func (p *parser) openGraph() (Found, error) {
	g := p.graph
	o := source.Offer{Title: strings.Join(strings.Fields(g["og:title"]), " "), Brand: g["product:brand"],
		PageURL: p.own.String(), Number: p.number(), Category: g["product:category"]}
	if d := g["og:description"]; d != "" {
		o.Description = paragraphs(d)
	}
	if u := p.absolute(g["og:image"]); g["og:image"] != "" && u != "" {
		o.Pictures = []string{u}
	}
	offer := thing{"price": {g["product:price:amount"]}, "priceCurrency": {g["product:price:currency"]},
		"availability": {strings.ToLower(g["product:availability"])}}
	v, counted, err := p.variant(&o, thing{}, thing{"sku": {g["product:retailer_item_id"]}}, offer, 0)
	if err != nil {
		return Found{}, err
	}
	o.Currency, o.Variants = v.Cost.Currency(), []source.Variant{v}
	o.Supplier.Name = firstOf(g["og:site_name"], p.own.Hostname())
	o.Supplier.Number = p.own.Host + " " + o.Supplier.Name
	return finish(o, counted), nil
}
