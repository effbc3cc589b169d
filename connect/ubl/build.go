package ubl

import (
	"errors"
	"fmt"
	"math"
	"strconv"
	"strings"

	"plainpelican/connect/pricelist"
	"plainpelican/connect/source"
	"plainpelican/core/money"
	"plainpelican/core/quantity"
)

func (r *Reader) reject(l line, number, reason string) source.RejectedItem {
	own := l.n.at("Item", "SellersItemIdentification", "ID").text
	return source.RejectedItem{Number: number, Position: fmt.Sprintf("line %d", l.at), Reason: reason,
		Content: strings.TrimSpace(own + " " + l.n.at("Item", "Name").text)}
}

func (r *Reader) build(lines []line) Item {
	first := lines[0].n.at("Item")
	o := &source.Offer{
		Number: lines[0].key, Title: strings.Join(strings.Fields(first.at("Name").text), " "),
		Brand:      first.at("BrandName").text,
		Supplier:   source.Supplier{Number: "1", Name: r.terms.Supplier, Country: r.terms.Country, Verified: true},
		Processing: r.terms.Processing, Deliveries: r.terms.Deliveries,
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
			item.Rejected = append(item.Rejected, r.reject(l, o.Number, err.Error()))
			continue
		}
		seen[v.Number], o.Currency = true, v.Cost.Currency()
		if least := leastOrder(l.n); least > 1 && len(o.Remarks) < 10 {
			o.Remarks = append(o.Remarks, fmt.Sprintf("The supplier sells at least %d of %s at once.", least, v.Number))
		}
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
	priced := leastPriced(n).at("Price")
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
	pieces, err := piecesOf(n, priced)
	if err != nil {
		return v, err
	}
	price, err := pricelist.PriceOfOne(amount.text, pieces, c) // UBL amounts often have four decimals
	if err != nil {
		return v, fmt.Errorf("the price: “%s” is not an amount", amount.text)
	}
	if price.Minor() <= 0 {
		return v, fmt.Errorf("the price is %s", price)
	}
	v.Cost = price
	v.Barcode = item.at("StandardItemIdentification", "ID").text
	v.Stock, v.StockUnknown, err = inventory(n)
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

// leastPriced is the price of a line for the least quantity: a line may have several, from a quantity on each.
func leastPriced(n node) node {
	var found node
	least := math.Inf(1)
	for _, q := range n.all("RequiredItemLocationQuantity") {
		from, err := strconv.ParseFloat(q.at("MinimumQuantity").text, 64)
		if err != nil {
			from = 0
		}
		if from < least && q.at("Price").name != "" {
			least, found = from, q
		}
	}
	return found
}

// leastOrder is the least quantity that can be ordered; 0 where the line does not say.
func leastOrder(n node) int {
	least := 0
	for _, text := range []string{n.at("MinimumOrderQuantity").text, leastPriced(n).at("MinimumQuantity").text} {
		if q, err := strconv.ParseFloat(text, 64); err == nil && q < 1e6 {
			least = max(least, int(q))
		}
	}
	return least
}

// piecesOf is for how many pieces a price is: its base quantity, in the unit that this has a code for (UN/ECE
// Recommendation 20). Of a package, the line says how many pieces are in one.
func piecesOf(n, priced node) (int, error) {
	base := priced.at("BaseQuantity")
	count := 1.0
	if base.text != "" {
		var err error
		if count, err = strconv.ParseFloat(base.text, 64); err != nil || count < 1 || count != math.Trunc(count) ||
			count > 1e6 {
			return 0, fmt.Errorf("the price is for “%s” pieces, which makes no sense", base.text)
		}
	}
	code := base.attr("unitCode")
	if code == "" {
		if base.text != "" {
			return int(count), nil
		}
		if code = n.at("OrderableUnit").text; code == "" {
			return 1, nil
		}
	}
	pieces, pack, measure := pricelist.Unit(code)
	switch {
	case pieces > 0 && count*float64(pieces) < 1e6:
		return int(count) * pieces, nil
	case measure != "":
		return 0, fmt.Errorf("the price is for a %s, which may not be one piece", measure)
	case !pack:
		return 0, fmt.Errorf("what the price is for cannot be read from the unit “%s”", code)
	}
	for _, text := range []string{n.at("ContentUnitQuantity").text, n.at("Item", "PackQuantity").text,
		n.at("Item", "PackSizeNumeric").text} {
		if in, err := strconv.ParseFloat(text, 64); err == nil && in >= 1 && in == math.Trunc(in) && in*count < 1e6 {
			return int(in * count), nil
		}
	}
	return 0, fmt.Errorf("the price is for a package (%s), and the line does not say of how many pieces", code)
}

// inventory is how many can be had. A catalogue does not state stock; the most that can be
// ordered at the price, or at all, is what comes nearest.
func inventory(n node) (total int, unknown bool, err error) {
	text := leastPriced(n).at("MaximumQuantity").text
	if text == "" {
		text = n.at("MaximumOrderQuantity").text
	}
	if text == "" {
		return 0, true, nil
	}
	whole, _, _ := strings.Cut(text, ".")
	if total, err = strconv.Atoi(whole); err != nil || total > 1<<31-1 {
		return 0, false, fmt.Errorf("the most that can be ordered, “%s”, does not say how many", text)
	}
	if total < 0 {
		return 0, false, fmt.Errorf("the most that can be ordered is %d, less than none", total)
	}
	return total, false, nil
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
		switch measure.attr("unitCode") { // UN/ECE Recommendation 20
		case "KGM":
			n *= 1000
		case "LBR":
			n *= quantity.GramsPerPound
		case "ONZ":
			n *= quantity.GramsPerOunce
		}
		return int(n + 0.5)
	}
	return 0
}

func escape(text string) string {
	return strings.NewReplacer("&", "&amp;", "<", "&lt;", ">", "&gt;").Replace(text)
}
