package ubl

import (
	"errors"
	"fmt"
	"strconv"
	"strings"

	"plainpelican/connect/source"
	"plainpelican/core/money"
)

func (r *Reader) aside(l line, number, reason string) source.Unreadable {
	own := l.n.at("Item", "SellersItemIdentification", "ID").text
	return source.Unreadable{Number: number, Place: fmt.Sprintf("line %d", l.at), Reason: reason, Content: strings.TrimSpace(own + " " + l.n.at("Item", "Name").text)}
}

func (r *Reader) build(lines []line) Item {
	first := lines[0].n.at("Item")
	o := &source.Offer{
		Number: lines[0].key, Title: strings.Join(strings.Fields(first.at("Name").text), " "), Brand: first.at("BrandName").text,
		Supplier: source.Supplier{Number: "1", Name: r.terms.Supplier, Country: r.terms.Country, Verified: true}, Processing: r.terms.Processing, Deliveries: r.terms.Deliveries,
	}
	if o.Number == "" {
		o.Number = first.at("SellersItemIdentification", "ID").text
	}
	for _, d := range first.all("Description") {
		if d.text != "" {
			o.Description += "<p>" + escape(d.text) + "</p>"
		}
	}
	for _, c := range first.all("CommodityClassification") {
		if code := c.at("ItemClassificationCode"); o.Category == "" {
			if o.Category = code.attr("name"); o.Category == "" {
				o.Category = code.text
			}
		}
	}
	o.OptionNames = names(lines)
	var item Item
	seen := map[string]bool{}
	for i, l := range lines {
		r.pictures(o, l.n)
		v, err := r.variant(o, l.n)
		switch {
		case err == nil && i >= mostVariants:
			err = fmt.Errorf("its product has more than %d lines", mostVariants)
		case err == nil && seen[v.Number]:
			err = fmt.Errorf("the number %s is there twice; the first stands", v.Number)
		}
		if err != nil {
			item.SetAside = append(item.SetAside, r.aside(l, o.Number, err.Error()))
			continue
		}
		seen[v.Number], o.Currency = true, v.Cost.Currency()
		o.Variants = append(o.Variants, v)
	}
	if len(o.Variants) > 0 {
		o.Sign()
		item.Offer = o
	}
	return item
}

// names are the properties in which lines of one product differ; of a single line, those that
// it has.
func names(lines []line) (out []string) {
	values := map[string]map[string]bool{}
	for _, l := range lines {
		for _, p := range l.n.at("Item").all("AdditionalItemProperty") {
			name := p.at("Name").text
			if name == "" {
				continue
			}
			if values[name] == nil {
				values[name] = map[string]bool{}
				out = append(out, name)
			}
			values[name][p.at("Value").text] = true
		}
	}
	if len(lines) == 1 {
		return out
	}
	varying := out[:0:0]
	for _, name := range out {
		if len(values[name]) > 1 {
			varying = append(varying, name)
		}
	}
	if len(varying) == 0 {
		return []string{"Variant"}
	}
	return varying
}

func (r *Reader) variant(o *source.Offer, n node) (v source.Variant, err error) {
	item := n.at("Item")
	v.Number = item.at("SellersItemIdentification", "ID").text
	switch {
	case v.Number == "":
		return v, errors.New("it has no number")
	case o.Title == "":
		return v, errors.New("it has no name")
	case strings.EqualFold(n.at("OrderableIndicator").text, "false"):
		return v, errors.New("the supplier says that it cannot be ordered")
	}
	priced := n.at("RequiredItemLocationQuantity", "Price")
	amount := priced.at("PriceAmount")
	code := amount.attr("currencyID")
	if code == "" {
		code = r.currency
	}
	c, err := money.ParseCurrency(code)
	switch {
	case amount.name == "":
		return v, errors.New("it has no price")
	case err != nil:
		return v, fmt.Errorf("“%s” is not a currency", code)
	case o.Currency != 0 && c != o.Currency:
		return v, fmt.Errorf("it is priced in %s, the lines before it of the same product in %s", c, o.Currency)
	}
	price, err := money.ParseRounded(amount.text, c) // UBL amounts often have four decimals
	if err != nil {
		return v, fmt.Errorf("the price: “%s” is not an amount", amount.text)
	}
	if base := priced.at("BaseQuantity").text; base != "" {
		per, err := strconv.ParseFloat(base, 64)
		if err != nil || per < 1 || per != float64(int64(per)) || per > 1e6 {
			return v, fmt.Errorf("the price is for “%s” pieces, which makes no sense", base)
		}
		each, err := money.MulDiv(price.Minor(), 1, int64(per))
		if err != nil {
			return v, err
		}
		price = money.New(each, c)
	}
	if price.Minor() <= 0 {
		return v, fmt.Errorf("the price is %s", price)
	}
	v.Cost = price
	v.Barcode = item.at("StandardItemIdentification", "ID").text
	v.Stock, err = inventory(n)
	if err != nil {
		return v, err
	}
	for _, name := range o.OptionNames {
		value := ""
		for _, p := range item.all("AdditionalItemProperty") {
			if p.at("Name").text == name {
				value = p.at("Value").text
			}
		}
		if name == "Variant" && value == "" {
			value = v.Number
		}
		v.Values = append(v.Values, value)
	}
	for i, u := range o.Pictures {
		if u == picture(n) {
			v.Picture = i
		}
	}
	v.WeightGrams = weight(item)
	return v, nil
}

// inventory is how many can be had. A catalogue does not state stock; the most that can be
// ordered at the price, or at all, is what comes nearest.
func inventory(n node) (total int, err error) {
	text := n.at("RequiredItemLocationQuantity", "MaximumQuantity").text
	if text == "" {
		text = n.at("MaximumOrderQuantity").text
	}
	if text == "" {
		return 0, nil
	}
	whole, _, _ := strings.Cut(text, ".")
	if total, err = strconv.Atoi(whole); err != nil || total > 1<<31-1 {
		return 0, fmt.Errorf("the most that can be ordered, “%s”, does not say how many", text)
	}
	if total < 0 {
		return 0, fmt.Errorf("the most that can be ordered is %d, below nothing", total)
	}
	return total, nil
}

func picture(n node) string {
	return n.at("Item", "ItemSpecificationDocumentReference", "Attachment", "ExternalReference", "URI").text
}

func (r *Reader) pictures(o *source.Offer, n node) {
	for _, ref := range n.at("Item").all("ItemSpecificationDocumentReference") {
		u := ref.at("Attachment", "ExternalReference", "URI").text
		there := false
		for _, p := range o.Pictures {
			there = there || p == u
		}
		if !there && len(o.Pictures) < 50 && (strings.HasPrefix(u, "http://") || strings.HasPrefix(u, "https://")) {
			o.Pictures = append(o.Pictures, u)
		}
	}
}

// weight reads a Dimension whose attribute is a weight (UN/CEFACT code AAA, net, or AAB, gross).
func weight(item node) int {
	for _, d := range item.all("Dimension") {
		kind := d.at("AttributeID").text
		if kind != "AAA" && kind != "AAB" && !strings.EqualFold(kind, "weight") {
			continue
		}
		measure := d.at("Measure")
		n, err := strconv.ParseFloat(measure.text, 64)
		if err != nil || n < 0 || n > 1e6 {
			continue
		}
		if measure.attr("unitCode") == "KGM" {
			n *= 1000
		}
		return int(n + 0.5)
	}
	return 0
}

func escape(text string) string {
	return strings.NewReplacer("&", "&amp;", "<", "&lt;", ">", "&gt;").Replace(text)
}
