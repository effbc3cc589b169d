package page

import (
	"errors"
	"fmt"
	"html"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"plainpelican/connect/source"
	"plainpelican/core/money"
)

// optionNames are the properties that a ProductGroup may vary by, as schema.org lists them.
var optionNames = map[string]string{"color": "Colour", "size": "Size", "material": "Material", "pattern": "Pattern",
	"suggestedAge": "Age", "suggestedGender": "Gender"}

// What is kept of one product.
const (
	mostVariants  = 2000
	maxPictures   = 50
	maxOptions    = 10
	maxDeliveries = 50
	maxCountries  = 300
)

// offer turns a product into an offer. Its error is a sentence.
func (p *parser) offer(t thing) (Found, error) {
	o := source.Offer{Title: strings.Join(strings.Fields(p.text(t, "name")), " "), Brand: p.text(t, "brand"),
		Category: lastOf(p.text(t, "category")), PageURL: p.own.String(), Number: p.number()}
	if o.Brand == "" {
		o.Brand = p.text(t, "manufacturer")
	}
	if d := p.text(t, "description"); d != "" {
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
		offers := p.offers(t, item)
		each := len(items) == 1 && p.differ(offers)
		if each && len(o.OptionNames) == 0 {
			o.OptionNames = []string{"Variant"}
		}
		for i, offer := range offers {
			v, counted, err := p.variant(&o, t, item, offer, i)
			if err != nil {
				refused = err
				continue
			}
			stockSaid = stockSaid && counted
			o.Currency = v.Cost.Currency()
			o.Variants = append(o.Variants, v)
			p.terms(&o, offer)
			p.remarks(&o, offer)
			if !each || len(o.Variants) >= mostVariants {
				break // several sellers on one page: the first that can be used
			}
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

// unpriced is what a product is known by, without what it costs.
func (p *parser) unpriced(t thing) source.Offer {
	o := source.Offer{Title: strings.Join(strings.Fields(p.text(t, "name")), " "), Brand: p.text(t, "brand"),
		PageURL: p.own.String()}
	p.pictures(&o, t)
	items := append([]thing{t}, p.things(t, "hasVariant")...)
	for _, item := range items[:min(len(items), mostVariants)] {
		p.pictures(&o, item)
		v := source.Variant{WeightGrams: p.grams(item, t)}
		p.barcode(&v, item)
		if v.Barcode != "" || v.WeightGrams > 0 {
			o.Variants = append(o.Variants, v)
		}
	}
	return o
}

// barcode reads a variant's.
func (p *parser) barcode(v *source.Variant, from thing) {
	for _, name := range []string{"gtin13", "gtin12", "gtin14", "gtin8", "gtin"} {
		if v.Barcode == "" {
			v.Barcode = p.text(from, name)
		}
	}
}

// finish names what the page did not say.
func finish(o source.Offer, stockSaid bool) Found {
	f := Found{Offer: o}
	for _, fact := range []struct {
		name  string
		there bool
	}{{"pictures", len(o.Pictures) > 0}, {"a description", o.Description != ""}, {"how many there are", stockSaid},
		{"delivery and its charges", len(o.Deliveries) > 0}, {"where it ships from", o.Supplier.Country != ""},
		{"a barcode", slices.ContainsFunc(o.Variants, func(v source.Variant) bool {
			return v.Barcode != ""
		})}, {"a weight", slices.ContainsFunc(o.Variants, func(v source.Variant) bool { return v.WeightGrams > 0 })},
		{"a return policy", o.ReturnDays != nil}, {"ratings", o.Ratings > 0}} {
		if !fact.there {
			f.Missing = append(f.Missing, fact.name)
		}
	}
	f.Offer.Sign()
	return f
}

// number names an offer by where its page is.
func (p *parser) number() string {
	u := *p.own
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
		if len(o.Pictures) >= maxPictures || !p.spend(1) {
			return
		}
		text, _ := value.(string)
		if one, ok := value.(thing); ok {
			for _, name := range []string{"contentUrl", "url", "@id"} {
				if text = p.text(one, name); text != "" {
					break
				}
			}
		}
		if u := p.absolute(text); text != "" && u != "" && !slices.Contains(o.Pictures, u) {
			o.Pictures = append(o.Pictures, u)
		}
	}
}

// options are what the variants differ in: what variesBy says, and further properties that do.
func (p *parser) options(o *source.Offer, group thing, items []thing) {
	if len(items) < 2 && len(group["hasVariant"]) == 0 {
		return
	}
	for _, name := range p.texts(group, "variesBy") {
		name = short(name)
		if shown, ok := optionNames[name]; ok {
			name = shown
		}
		if len(o.OptionNames) < maxOptions && !slices.Contains(o.OptionNames, name) {
			o.OptionNames = append(o.OptionNames, name)
		}
	}
	if len(o.OptionNames) > 0 {
		return
	}
	for _, key := range []string{"color", "size", "material", "pattern"} {
		values := map[string]bool{}
		for _, item := range items {
			values[p.text(item, key)] = true
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
func (p *parser) valueOf(option string, group, item, offer thing) string {
	for key, shown := range optionNames {
		if shown == option {
			if text := p.text(item, key); text != "" {
				return text
			}
		}
	}
	for _, property := range p.things(item, "additionalProperty") {
		if p.text(property, "name") == option {
			return p.text(property, "value")
		}
	}
	if text := p.text(item, option); text != "" {
		return text
	}
	if option == "Variant" && len(group["hasVariant"]) == 0 && offer != nil { // an offer for each number
		for _, of := range append(p.things(offer, "itemOffered"), offer) {
			if name := p.text(of, "name"); name != "" && name != p.text(group, "name") {
				return name
			}
		}
		return p.text(offer, "sku")
	}
	if option == "Variant" {
		if rest := strings.Trim(strings.TrimPrefix(p.text(item, "name"), p.text(group, "name")),
			" -–,:/()"); rest != "" {
			return rest
		}
		return p.text(item, "sku")
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
	// the price for the least first
	slices.SortStableFunc(all, func(a, b thing) int { return p.leastQuantity(a) - p.leastQuantity(b) })
	return all
}

// differ tells whether offers are for things with numbers of their own.
func (p *parser) differ(offers []thing) bool {
	skus := map[string]bool{}
	for _, o := range offers {
		if sku := p.text(o, "sku"); sku != "" {
			skus[sku] = true
		}
	}
	return len(skus) > 1
}

// leastQuantity is how many have to be bought at an offer's price; 1 where it does not say.
func (p *parser) leastQuantity(offer thing) int {
	for _, q := range p.things(offer, "eligibleQuantity") {
		if n, err := strconv.ParseFloat(firstOf(p.text(q, "minValue"), p.text(q, "value")), 64); err == nil && n > 1 &&
			n < 1e6 {
			return int(n)
		}
	}
	return 1
}

// remarks says of an offer what no other fact holds.
func (p *parser) remarks(o *source.Offer, offer thing) {
	if n := p.leastQuantity(offer); n > 1 && len(o.Remarks) < 10 {
		o.Remarks = append(o.Remarks, fmt.Sprintf("The page's price is for at least %d at once.", n))
	}
	if p.text(offer, "price") == "" && p.text(offer, "lowPrice") != "" && p.text(offer, "highPrice") == "" {
		o.Remarks = append(o.Remarks, "The page says from which price it is sold, not what each variant costs.")
	}
}

func (p *parser) variant(o *source.Offer, group, item, offer thing, at int) (v source.Variant, counted bool,
	err error) {
	price, code, err := p.price(offer)
	if err != nil {
		return v, false, err
	}
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
		p.barcode(&v, from)
		if v.Number == "" {
			v.Number = p.text(from, "sku")
		}
	}
	if own := p.text(offer, "sku"); own != "" && own != v.Number && len(group["hasVariant"]) == 0 &&
		p.differ(p.offers(group, item)) {
		v.Number = own
	}
	for _, option := range o.OptionNames {
		v.Values = append(v.Values, p.valueOf(option, group, item, offer))
	}
	if v.Number == "" || slices.ContainsFunc(o.Variants, func(w source.Variant) bool { return w.Number == v.Number }) {
		v.Number = strings.Join(append([]string{strconv.Itoa(len(o.Variants) + 1)}, v.Values...), "-")
	}
	v.Stock, counted, err = p.stock(offer)
	if err != nil {
		return v, false, err
	}
	v.StockUnknown = !counted && v.Stock == 0
	for _, text := range p.texts(item, "image") {
		if index := slices.Index(o.Pictures, p.absolute(text)); index >= 0 {
			v.Picture = index
			break
		}
	}
	v.WeightGrams = p.grams(item, group)
	return v, counted, nil
}

// price is what one costs by an offer: not what a kilogram of it or ten of them do, nor a price that is struck through.
func (p *parser) price(offer thing) (price, currency string, err error) {
	price, currency = p.text(offer, "price"), p.text(offer, "priceCurrency")
	for _, spec := range p.things(offer, "priceSpecification") {
		if currency == "" {
			currency = p.text(spec, "priceCurrency")
		}
		if price == "" && p.ofOne(spec) {
			price = p.text(spec, "price")
		}
	}
	low, high := p.text(offer, "lowPrice"), p.text(offer, "highPrice")
	if price == "" && low != "" && high != "" && low != high {
		return "", currency,
			fmt.Errorf("the page says a range of prices, %s to %s %s, and not what one costs", clip(low), clip(high),
				clip(currency))
	}
	return firstOf(price, low), currency, nil
}

// ofOne tells whether a price specification is for one piece as it is sold.
func (p *parser) ofOne(spec thing) bool {
	for _, kind := range p.texts(spec, "priceType") {
		if kind = short(kind); strings.Contains(kind, "List") || strings.Contains(kind, "SRP") ||
			strings.Contains(kind, "Strikethrough") || strings.Contains(kind, "Regular") ||
			strings.Contains(kind, "Minimum") {
			return false
		}
	}
	for _, name := range []string{"referenceQuantity", "validForMemberTier", "eligibleTransactionVolume"} {
		if len(spec[name]) > 0 {
			return false
		}
	}
	return p.leastQuantity(spec) == 1
}

var unclear = regexp.MustCompile(`^\d{1,3}([.,]\d{3})$`)

// amount reads a price as schema.org wants it written, with a point, and forgives commas
// between thousands; a single comma with two digits after it is a decimal comma.
func amount(text string, c money.Currency) (money.Amount, error) {
	number := strings.Map(func(r rune) rune {
		if (r >= '0' && r <= '9') || r == '.' || r == ',' || r == '-' {
			return r
		}
		return -1
	}, text)
	if strings.Count(number, ",") == 1 && !strings.Contains(number, ".") &&
		len(number)-strings.Index(number, ",") == 3 {
		number = strings.Replace(number, ",", ".", 1)
	}
	if unclear.MatchString(number) && c.Digits() < 3 {
		return money.Amount{},
			fmt.Errorf("“%s” may be thousands or three decimals: the page does not say which", clip(text))
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
