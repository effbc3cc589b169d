// Package ubl reads OASIS UBL 2.1 Catalogue documents as a stream: each CatalogueLine becomes
// an offer, or a variant of one, and a document of a gigabyte needs no more memory than its longest line.
//
// The element names are those of the UBL 2.1 Catalogue schema (OASIS Standard, 4 November 2013),
// written down from memory; the standard's own examples were not at hand.
package ubl

import (
	"bufio"
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"

	"golang.org/x/net/html/charset"

	"plainpelican/connect/source"
	"plainpelican/core/landed"
	"plainpelican/core/money"
)

// What can be wrong with a document as a whole. Each is a sentence for a person.
var (
	ErrNotACatalogue = errors.New("that is not a UBL 2.1 catalogue")
	ErrEntities      = errors.New("the document declares entities or a document type, which a catalogue has no use for; it was not read")
	ErrCut           = errors.New("the document ends in the middle: it did not arrive whole")
	ErrBroken        = errors.New("the document is not well-formed XML")
	ErrDeep          = errors.New("the document nests deeper than a catalogue does; it was not read")
	ErrNoLines       = errors.New("the catalogue has no lines")
)

const (
	catalogueNS  = "urn:oasis:names:specification:ubl:schema:xsd:Catalogue-2"
	mostDepth    = 60
	mostLine     = 4 << 20 // bytes of one line
	mostVariants = 2000
)

// Terms are what a catalogue does not say of its supplier.
type Terms struct {
	Supplier   string            `json:"supplier" maxLength:"100"`
	Country    string            `json:"country" maxLength:"2" doc:"Where it ships from, ISO 3166 alpha-2"`
	Processing landed.Days       `json:"processing"`
	Deliveries []landed.Delivery `json:"deliveries" maxItems:"100"`
}

// Item is an offer, or what could not be used of it, or both.
type Item struct {
	Offer    *source.Offer
	SetAside []source.Unreadable
}

// Reader reads a document's lines.
type Reader struct {
	terms Terms
	in    *guarded
	xml   *xml.Decoder
	line  int
	// Supplier is the name of the seller, where the document says it.
	Supplier string
	// Currency is that of the prices, where the document says it once for all.
	currency string
	group    []line
	key      string
	ended    bool
}

// guarded counts bytes since the last line began, so that one without end is not read into memory.
type guarded struct {
	in   *bufio.Reader
	read int64
	over bool
}

func (g *guarded) Read(p []byte) (int, error) {
	if g.over || g.read > mostLine {
		g.over = true
		return 0, ErrBroken
	}
	n, err := g.in.Read(p)
	g.read += int64(n)
	return n, err
}

func (g *guarded) ReadByte() (byte, error) {
	if g.over || g.read > mostLine {
		g.over = true
		return 0, ErrBroken
	}
	b, err := g.in.ReadByte()
	g.read++
	return b, err
}

// New begins to read a document.
func New(r io.Reader, terms Terms) (*Reader, error) {
	in := &guarded{in: bufio.NewReaderSize(r, 1<<16)}
	d := xml.NewDecoder(in)
	d.CharsetReader = charset.NewReaderLabel
	u := &Reader{terms: terms, in: in, xml: d}
	for {
		token, err := u.token()
		if err != nil {
			if errors.Is(err, ErrCut) {
				err = ErrNotACatalogue
			}
			return nil, err
		}
		if start, ok := token.(xml.StartElement); ok {
			if start.Name.Local != "Catalogue" || start.Name.Space != catalogueNS {
				return nil, ErrNotACatalogue
			}
			return u, nil
		}
	}
}

// token reads one token; a document type, where entities are declared, is refused.
func (r *Reader) token() (xml.Token, error) {
	token, err := r.xml.Token()
	if err != nil {
		return nil, r.words(err)
	}
	if directive, ok := token.(xml.Directive); ok && bytes.HasPrefix(bytes.ToUpper(bytes.TrimSpace(directive)), []byte("DOCTYPE")) {
		return nil, ErrEntities
	}
	return token, nil
}

func (r *Reader) words(err error) error {
	var syntax *xml.SyntaxError
	switch {
	case err == io.EOF, errors.Is(err, io.ErrUnexpectedEOF):
		return ErrCut
	case errors.As(err, &syntax) && strings.Contains(syntax.Msg, "unexpected EOF"):
		return ErrCut
	case errors.As(err, &syntax) && strings.Contains(syntax.Msg, "entity"):
		return ErrEntities
	case errors.As(err, &syntax), errors.Is(err, ErrBroken):
		return ErrBroken
	}
	return err
}

// node is an element of a line, read whole.
type node struct {
	name  string
	attrs []xml.Attr
	text  string
	kids  []node
}

// read reads the rest of an element.
func (r *Reader) read(start xml.StartElement, depth int) (node, error) {
	n := node{name: start.Name.Local, attrs: start.Attr}
	if depth > mostDepth {
		return n, ErrDeep
	}
	var text strings.Builder
	for {
		token, err := r.token()
		if err != nil {
			return n, err
		}
		switch t := token.(type) {
		case xml.StartElement:
			kid, err := r.read(t, depth+1)
			if err != nil {
				return n, err
			}
			n.kids = append(n.kids, kid)
		case xml.CharData:
			text.Write(t)
		case xml.EndElement:
			n.text = strings.TrimSpace(text.String())
			return n, nil
		}
	}
}

// at follows a path of element names to the first that is there.
func (n node) at(path ...string) node {
	for _, name := range path {
		found := false
		for _, kid := range n.kids {
			if kid.name == name {
				n, found = kid, true
				break
			}
		}
		if !found {
			return node{}
		}
	}
	return n
}

// all lists the kids of a name.
func (n node) all(name string) (list []node) {
	for _, kid := range n.kids {
		if kid.name == name {
			list = append(list, kid)
		}
	}
	return list
}

func (n node) attr(name string) string {
	for _, a := range n.attrs {
		if a.Name.Local == name {
			return a.Value
		}
	}
	return ""
}

// Next reads one offer, or what was set aside; the end is io.EOF.
func (r *Reader) Next() (Item, error) {
	for !r.ended {
		token, err := r.token()
		if err != nil {
			return Item{}, err
		}
		switch t := token.(type) {
		case xml.EndElement: // of the catalogue
			r.ended = true
		case xml.StartElement:
			r.in.read = 0
			n, err := r.read(t, 1)
			if err != nil {
				return Item{}, err
			}
			switch n.name {
			case "SellerSupplierParty", "ProviderParty":
				r.seller(n)
			case "PricingCurrencyCode", "DocumentCurrencyCode":
				r.currency = n.text
			case "CatalogueLine":
				if item, done := r.take(n); done {
					return item, nil
				}
			}
		}
	}
	if len(r.group) > 0 {
		return r.flush(), nil
	}
	if r.line == 0 {
		return Item{}, ErrNoLines
	}
	return Item{}, io.EOF
}

func (r *Reader) seller(n node) {
	party := n
	if n.name == "SellerSupplierParty" {
		party = n.at("Party")
	}
	if name := party.at("PartyName", "Name").text; name != "" && (r.Supplier == "" || n.name == "SellerSupplierParty") {
		r.Supplier = name
	}
}

// line is a catalogue line with what names its product: lines that follow each other with one
// extended number of the seller's (SellersItemIdentification/ExtendedID) are its variants.
type line struct {
	at  int
	key string
	n   node
}

// take adds a line to its product; the product before is done where a new one begins.
func (r *Reader) take(n node) (Item, bool) {
	r.line++
	if strings.EqualFold(n.at("ActionCode").text, "Delete") {
		return Item{}, false // it leaves, as what is not listed does
	}
	l := line{at: r.line, n: n}
	item := n.at("Item")
	if extended := item.at("SellersItemIdentification", "ExtendedID").text; extended != "" {
		l.key = extended
	}
	if len(r.group) > 0 && (l.key == "" || l.key != r.key) {
		done := r.flush()
		r.group, r.key = []line{l}, l.key
		return done, true
	}
	r.group, r.key = append(r.group, l), l.key
	return Item{}, false
}

func (r *Reader) flush() Item {
	lines := r.group
	r.group = nil
	return r.build(lines)
}

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
	price, err := parsePrice(amount.text, c)
	if err != nil {
		return v, fmt.Errorf("the price: %w", err)
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

// parsePrice allows more decimals than the currency has: UBL amounts often have four.
func parsePrice(text string, c money.Currency) (money.Amount, error) {
	if a, err := money.Parse(text, c); err == nil {
		return a, nil
	}
	whole, part, found := strings.Cut(text, ".")
	if !found || len(part) <= c.Digits() || strings.Trim(part, "0123456789") != "" {
		return money.Amount{}, fmt.Errorf("“%s” is not an amount", text)
	}
	kept := whole
	if c.Digits() > 0 {
		kept += "." + part[:c.Digits()]
	}
	a, err := money.Parse(kept, c)
	if err == nil && part[c.Digits()] >= '5' {
		step := int64(1)
		if strings.HasPrefix(text, "-") {
			step = -1
		}
		return a.Add(money.New(step, c))
	}
	return a, err
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
