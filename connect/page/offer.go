package page

import (
	"errors"
	"fmt"
	"html"
	"math"
	"slices"
	"strconv"
	"strings"

	"plainpelican/connect/source"
	"plainpelican/core/landed"
	"plainpelican/core/money"
)

// optionNames are the properties that a ProductGroup may vary by, as schema.org lists them.
var optionNames = map[string]string{"color": "Colour", "size": "Size", "material": "Material", "pattern": "Pattern", "suggestedAge": "Age", "suggestedGender": "Gender"}

const mostVariants = 2000

// offer turns a product into an offer. Its error is a sentence.
func (p *parser) offer(t thing) (Found, error) {
	o := source.Offer{Title: strings.Join(strings.Fields(t.text("name")), " "), Brand: t.text("brand"), Category: lastOf(t.text("category")), PageURL: p.base.String(), Number: p.number()}
	if o.Brand == "" {
		o.Brand = t.text("manufacturer")
	}
	if d := t.text("description"); d != "" {
		o.Description = paragraphs(d)
	}
	if o.Title == "" {
		return Found{}, errors.New("the page's product has no name")
	}
	p.pictures(&o, t)
	items := []thing{t}
	if variants := p.things(t, "hasVariant"); len(variants) > 0 {
		items = variants
	}
	if len(items) > mostVariants {
		items = items[:mostVariants]
	}
	p.options(&o, t, items)
	var refused error
	stockSaid := true
	for _, item := range items {
		p.pictures(&o, item)
		for i, offer := range p.offers(t, item) {
			v, counted, err := p.variant(&o, t, item, offer, i)
			if err != nil {
				refused = err
				continue
			}
			stockSaid = stockSaid && counted
			o.Currency = v.Cost.Currency()
			o.Variants = append(o.Variants, v)
			p.terms(&o, offer)
			break // several sellers on one page: the first that can be used
		}
	}
	if len(o.Variants) == 0 {
		if refused == nil {
			refused = errors.New("the page does not say what it costs")
		}
		return Found{}, refused
	}
	p.terms(&o, t)
	p.seller(&o, t)
	p.rating(&o, t)
	return finish(o, stockSaid), nil
}

// finish names what the page did not say.
func finish(o source.Offer, stockSaid bool) Found {
	f := Found{Offer: o}
	for _, fact := range []struct {
		name  string
		there bool
	}{{"pictures", len(o.Pictures) > 0}, {"a description", o.Description != ""}, {"how many there are", stockSaid}, {"delivery and its charges", len(o.Deliveries) > 0}, {"where it ships from", o.Supplier.Country != ""},
		{"a barcode", slices.ContainsFunc(o.Variants, func(v source.Variant) bool { return v.Barcode != "" })}, {"a weight", slices.ContainsFunc(o.Variants, func(v source.Variant) bool { return v.WeightGrams > 0 })},
		{"a return policy", o.ReturnDays > 0}, {"ratings", o.Ratings > 0}} {
		if !fact.there {
			f.Missing = append(f.Missing, fact.name)
		}
	}
	f.Offer.Sign()
	return f
}

// number names an offer by where its page is.
func (p *parser) number() string {
	u := *p.base
	u.Fragment, u.RawFragment, u.Scheme = "", "", ""
	return strings.TrimSuffix(strings.TrimPrefix(u.String(), "//"), "/")
}

func lastOf(category string) string {
	parts := strings.FieldsFunc(category, func(r rune) bool { return r == '>' || r == '/' || r == '|' })
	if len(parts) == 0 {
		return ""
	}
	return strings.TrimSpace(parts[len(parts)-1])
}

func paragraphs(text string) string {
	if strings.Contains(text, "</") || strings.Contains(text, "<br") {
		return text
	}
	return "<p>" + strings.ReplaceAll(html.EscapeString(text), "\n", "<br>") + "</p>"
}

func (p *parser) pictures(o *source.Offer, t thing) {
	for _, value := range t["image"] {
		text, _ := value.(string)
		if one, ok := value.(thing); ok {
			for _, name := range []string{"contentUrl", "url", "@id"} {
				if text = one.text(name); text != "" {
					break
				}
			}
		}
		if u := p.absolute(text); text != "" && u != "" && !slices.Contains(o.Pictures, u) && len(o.Pictures) < 50 {
			o.Pictures = append(o.Pictures, u)
		}
	}
}

// options are what the variants differ in: what variesBy says, and further properties that do.
func (p *parser) options(o *source.Offer, group thing, items []thing) {
	if len(items) < 2 && len(group["hasVariant"]) == 0 {
		return
	}
	for _, name := range group.texts("variesBy") {
		name = short(name)
		if shown, ok := optionNames[name]; ok {
			name = shown
		}
		if !slices.Contains(o.OptionNames, name) {
			o.OptionNames = append(o.OptionNames, name)
		}
	}
	if len(o.OptionNames) > 0 {
		return
	}
	for _, key := range []string{"color", "size", "material", "pattern"} {
		values := map[string]bool{}
		for _, item := range items {
			values[item.text(key)] = true
		}
		if len(values) > 1 {
			o.OptionNames = append(o.OptionNames, optionNames[key])
		}
	}
	if len(o.OptionNames) == 0 && len(items) > 1 {
		o.OptionNames = []string{"Variant"}
	}
}

// valueOf is a variant's value of an option.
func (p *parser) valueOf(option string, group, item thing) string {
	for key, shown := range optionNames {
		if shown == option {
			if text := item.text(key); text != "" {
				return text
			}
		}
	}
	for _, property := range p.things(item, "additionalProperty") {
		if property.text("name") == option {
			return property.text("value")
		}
	}
	if text := item.text(option); text != "" {
		return text
	}
	if option == "Variant" {
		if rest := strings.Trim(strings.TrimPrefix(item.text("name"), group.text("name")), " -–,:/()"); rest != "" {
			return rest
		}
		return item.text("sku")
	}
	return ""
}

// offers are what an item may be bought for; an aggregate's own are taken out of it.
func (p *parser) offers(group, item thing) (all []thing) {
	list := p.things(item, "offers")
	if len(list) == 0 {
		list = p.things(group, "offers")
	}
	for _, o := range list {
		if inner := p.things(o, "offers"); len(inner) > 0 {
			all = append(all, inner...)
			continue
		}
		all = append(all, o)
	}
	return all
}

func (p *parser) variant(o *source.Offer, group, item, offer thing, at int) (v source.Variant, counted bool, err error) {
	price, code := p.price(offer)
	if price == "" {
		return v, false, errors.New("the page does not say what it costs")
	}
	if code == "" {
		return v, false, errors.New("the page does not say in which currency its price is")
	}
	c, err := money.ParseCurrency(strings.ToUpper(code))
	if err != nil {
		return v, false, fmt.Errorf("“%s” is not a currency", code)
	}
	if o.Currency != 0 && c != o.Currency {
		return v, false, fmt.Errorf("its variants are priced in %s and in %s", o.Currency, c)
	}
	if v.Cost, err = amount(price, c); err != nil {
		return v, false, err
	}
	if v.Cost.Minor() <= 0 {
		return v, false, fmt.Errorf("the price is %s", v.Cost)
	}
	for _, from := range []thing{item, offer} {
		for _, name := range []string{"gtin13", "gtin12", "gtin14", "gtin8", "gtin"} {
			if v.Barcode == "" {
				v.Barcode = from.text(name)
			}
		}
		if v.Number == "" {
			v.Number = from.text("sku")
		}
	}
	for _, option := range o.OptionNames {
		v.Values = append(v.Values, p.valueOf(option, group, item))
	}
	if v.Number == "" || slices.ContainsFunc(o.Variants, func(w source.Variant) bool { return w.Number == v.Number }) {
		v.Number = strings.Join(append([]string{strconv.Itoa(len(o.Variants) + 1)}, v.Values...), "-")
	}
	v.Stock, counted, err = p.stock(offer)
	if err != nil {
		return v, false, err
	}
	for _, text := range item.texts("image") {
		if place := slices.Index(o.Pictures, p.absolute(text)); place >= 0 {
			v.Picture = place
			break
		}
	}
	v.WeightGrams = p.grams(item, group)
	return v, counted, nil
}

func (p *parser) price(offer thing) (price, currency string) {
	price, currency = offer.text("price"), offer.text("priceCurrency")
	for _, spec := range p.things(offer, "priceSpecification") {
		if price == "" {
			price = spec.text("price")
		}
		if currency == "" {
			currency = spec.text("priceCurrency")
		}
	}
	if price == "" {
		price = offer.text("lowPrice")
	}
	return price, currency
}

// amount reads a price as schema.org wants it written, with a point, and forgives commas
// between thousands; a single comma with two digits after it is a decimal comma.
func amount(text string, c money.Currency) (money.Amount, error) {
	number := strings.Map(func(r rune) rune {
		if (r >= '0' && r <= '9') || r == '.' || r == ',' || r == '-' {
			return r
		}
		return -1
	}, text)
	if strings.Count(number, ",") == 1 && !strings.Contains(number, ".") && len(number)-strings.Index(number, ",") == 3 {
		number = strings.Replace(number, ",", ".", 1)
	}
	number = strings.ReplaceAll(number, ",", "")
	whole, part, _ := strings.Cut(number, ".")
	if part = strings.TrimRight(part, "0"); len(part) > c.Digits() {
		return money.Amount{}, fmt.Errorf("“%s” is not an amount in %s", text, c)
	}
	if part != "" {
		whole += "." + part
	}
	a, err := money.Parse(whole, c)
	if err != nil {
		return a, fmt.Errorf("“%s” is not an amount", text)
	}
	return a, nil
}

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
