package pricelist

import (
	"crypto/sha256"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"html"
	"math/big"
	"regexp"
	"slices"
	"strings"

	"github.com/zeebo/xxh3"

	"plainpelican/connect/source"
	"plainpelican/core/gtin"
	"plainpelican/core/money"
)

func errorAs(err error, into *ErrLayout) bool { return errors.As(err, into) }

type mark struct {
	field Field
	place int
}

// product is an item of its rows, built unless the reader is lazy.
func (r *Reader) product(rows []Row) Item {
	item := Item{Place: rows[0].Place, Cells: rows[0].Cells, rows: rows, section: r.section, Sum: r.sumOf(rows)}
	if item.Number = r.offerNumber(rows[0], ""); !r.Lazy || item.Number == "" {
		item = r.finish(item)
	}
	return item
}

// sumOf is a sum over all that an offer is made of: the layout, and what the rows say in
// its columns, wherever these stand.
func (r *Reader) sumOf(rows []Row) [32]byte {
	if r.salt == nil {
		own := *r.layout
		own.Format, own.Encoding, own.Delimiter, own.Sheet, own.Header = "", "", "", "", 0 // how it is written makes no other offers
		said, _ := json.Marshal([]any{own, r.Pictures})                                    // nothing that JSON cannot say, in an order of its own
		sum := sha256.Sum256(said)
		r.salt = sum[:]
		for _, f := range Fields {
			for _, place := range r.places[f] {
				r.marks = append(r.marks, mark{f, place})
			}
		}
	}
	b := append(r.sum[:0], r.salt...)
	b = append(b, r.section...)
	for _, row := range rows {
		for _, m := range r.marks {
			cell := ""
			if m.place < len(row.Cells) {
				cell = row.Cells[m.place]
			}
			b = binary.AppendUvarint(b, uint64(len(cell)))
			b = append(b, cell...)
		}
	}
	r.sum = b
	// Two XXH3 sums of 128 bits: who could make two products that share them, and no other sum
	// would stop, is the list's own supplier, and would hide a change of its own.
	one, two := xxh3.Hash128(b), xxh3.Hash128Seed(b, 1)
	return [32]byte(slices.Concat(bytesOf(one), bytesOf(two)))
}

func bytesOf(sum xxh3.Uint128) []byte { b := sum.Bytes(); return b[:] }

// Builder makes the offers of products that a lazy reader gave. It may be used while the reader
// reads on.
func (r *Reader) Builder() func(Item) Item {
	own := *r
	return func(item Item) Item {
		own.section = item.section
		return own.finish(item)
	}
}

// finish makes the offer of a product. The fingerprint of one of whose rows some were set aside is
// not its sum, so that it is built each time, and they are told each time.
func (r *Reader) finish(item Item) Item {
	if item.rows == nil {
		return item
	}
	built := r.build(item.rows)
	built.Number, built.Sum = item.Number, item.Sum
	if o := built.Offer; o != nil {
		built.Number = o.Number
		o.Fingerprint = item.Sum
		if len(built.SetAside) > 0 {
			for i := range o.Fingerprint {
				o.Fingerprint[i] ^= 0xff
			}
		}
	}
	return built
}

// build makes one offer of its rows. A row that cannot be used is set aside, the rest goes in.
func (r *Reader) build(rows []Row) Item {
	first := rows[0]
	item := Item{Place: first.Place, Cells: first.Cells, Doubts: map[string]string{}}
	o := &source.Offer{
		Title: r.commonTitle(rows), Category: r.any(rows, Category), Brand: r.any(rows, Brand), Description: paragraphs(r.any(rows, Description)), PageURL: webAddress(r.any(rows, Page)),
		Processing: r.layout.Processing, Deliveries: r.layout.Deliveries,
		Supplier: source.Supplier{Number: "1", Name: r.layout.Supplier, Country: r.layout.Country, Verified: true},
	}
	if o.Category == "" {
		o.Category = r.section
	}
	if o.Number = r.offerNumber(first, o.Title); o.Number == "" {
		item.SetAside = append(item.SetAside, r.aside(first, "", "neither a number nor a title says what it is"))
		rows = rows[1:]
	}
	r.pictures(o, rows)
	names, places := r.options(rows)
	o.OptionNames = names
	seen := map[string]bool{}
	for i, row := range rows {
		v, doubt, err := r.variant(o, row, places, seen)
		if err == nil && i >= mostVariants {
			err = fmt.Errorf("its product has more than %d rows", mostVariants)
		}
		if err != nil {
			item.SetAside = append(item.SetAside, r.aside(row, o.Number, err.Error()))
			continue
		}
		if doubt != "" {
			item.Doubts[v.Number] = doubt
		}
		seen[v.Number] = true
		o.Currency = v.Cost.Currency()
		o.Variants = append(o.Variants, v)
	}
	if len(o.Variants) > 0 {
		item.Offer = o
	}
	return item
}

// any is the first filled cell of a field.
func (r *Reader) any(rows []Row, f Field) string {
	for _, row := range rows {
		if text := r.get(row, f); text != "" {
			return text
		}
	}
	return ""
}

// commonTitle is the rows' title; where they differ by what names the variant, what they
// have in common.
func (r *Reader) commonTitle(rows []Row) string {
	var titles []string
	last := ""
	for _, row := range rows {
		if raw := r.get(row, Title); raw == last {
			continue // as most are
		} else {
			last = raw
		}
		if t := strings.Join(strings.Fields(r.get(row, Title)), " "); t != "" && !slices.Contains(titles, t) {
			titles = append(titles, t)
		}
	}
	switch len(titles) {
	case 0:
		return ""
	case 1:
		return titles[0]
	}
	common := strings.Fields(titles[0])
	for _, t := range titles[1:] {
		words := strings.Fields(t)
		n := 0
		for n < len(common) && n < len(words) && common[n] == words[n] {
			n++
		}
		common = common[:n]
	}
	text := strings.TrimRight(strings.Join(common, " "), " -–,;:/(")
	if len(text) < 4 {
		return titles[0]
	}
	return text
}

func (r *Reader) offerNumber(row Row, title string) string {
	if r.layout.Grouping == ByParent {
		if parent := r.get(row, Parent); parent != "" {
			return parent
		}
	}
	for _, f := range []Field{Number, Barcode} {
		if text := r.get(row, f); text != "" {
			return text
		}
	}
	return strings.ToLower(title)
}

// options are the names of what the rows differ in, and the columns of their values; a place
// of -1 stands for the rest of the title, where no column names the variant.
func (r *Reader) options(rows []Row) (names []string, places []int) {
	for _, at := range r.places[Option] {
		if slices.ContainsFunc(rows, func(row Row) bool { return at < len(row.Cells) && strings.TrimSpace(row.Cells[at]) != "" }) {
			name := strings.TrimSpace(r.names[at])
			if name == "" {
				name = "Option"
			}
			names, places = append(names, name), append(places, at)
		}
	}
	if len(names) == 0 && len(rows) > 1 {
		return []string{"Variant"}, []int{-1}
	}
	return names, places
}

var asking = regexp.MustCompile(`(?i)^[^0-9]*(call|request|ask|poa|tba|tbc|anfrage|demande|consultar|richiesta|aanvraag)[^0-9]*$`)

func (r *Reader) variant(o *source.Offer, row Row, places []int, seen map[string]bool) (v source.Variant, doubt string, err error) {
	l := r.layout
	if o.Title == "" {
		return v, "", errors.New("the title is empty")
	}
	code := l.Currency
	if text := r.get(row, Currency); text != "" || code == "" {
		code = strings.ToUpper(text)
		if mark, ok := symbols[text]; ok && mark != "" {
			code = mark
		}
	}
	c, err := r.currency(code)
	switch {
	case code == "":
		return v, "", errors.New("the currency is empty")
	case err != nil:
		return v, "", fmt.Errorf("“%s” is not a currency", clip(code))
	case o.Currency != 0 && c != o.Currency:
		return v, "", fmt.Errorf("it is priced in %s, the rows before it of the same product in %s", c, o.Currency)
	}
	if v.Cost, err = r.cost(row, c); err != nil {
		return v, "", err
	}
	for f, into := range map[Field]*money.Amount{MinAdvertised: &v.MinAdvertised, List: &v.List} {
		if *into, err = r.named(row, f, c); err != nil {
			return v, "", err
		}
	}
	if len(r.places[Stock]) > 0 {
		if v.Stock, err = stock(r.get(row, Stock), l.Decimal); err != nil {
			return v, "", fmt.Errorf("the stock: %w", err)
		}
	} else {
		doubt = "The list does not say how many there are; 0 is taken."
	}
	v.Barcode = barcode(r.get(row, Barcode))
	if wrong := gtin.Check(v.Barcode); wrong != "" {
		doubt = wrong
	}
	if at := r.places[Weight]; len(at) > 0 {
		v.WeightGrams = grams(r.get(row, Weight), r.names[at[0]], l.Decimal)
	}
	v.Values = r.values(o, row, places)
	v.Picture = r.pictureOf(o, row)
	v.Number = r.get(row, Number)
	if v.Number == "" {
		v.Number = strings.TrimRight(o.Number+"-"+strings.Join(v.Values, "-"), "-")
	}
	if seen[v.Number] {
		return v, "", fmt.Errorf("the number %s is there twice; the first stands", v.Number)
	}
	return v, doubt, nil
}

// currency reads a code; most rows have the code of the row before.
func (r *Reader) currency(code string) (money.Currency, error) {
	if code == r.lastCode && code != "" {
		return r.lastCurrency, nil
	}
	c, err := money.ParseCurrency(code)
	if err == nil {
		r.lastCode, r.lastCurrency = code, c
	}
	return c, err
}

func (r *Reader) cost(row Row, c money.Currency) (money.Amount, error) {
	text := r.get(row, Cost)
	switch {
	case text == "" && len(row.Cells) < r.width:
		return money.Amount{}, fmt.Errorf("the row ends after %d of %d cells", len(row.Cells), r.width)
	case text == "":
		return money.Amount{}, errors.New("the cost is empty")
	case !strings.ContainsAny(text, "0123456789") && asking.MatchString(text):
		return money.Amount{}, fmt.Errorf("the supplier wants to be asked for the cost (“%s”)", clip(text))
	}
	cost, err := amount(text, r.layout.Decimal, c)
	if err != nil {
		return cost, fmt.Errorf("the cost: %w", err)
	}
	if r.layout.PerPack {
		pieces, err := stock(r.get(row, Pack), r.layout.Decimal)
		if err != nil || pieces < 1 {
			return cost, fmt.Errorf("how many are in a pack cannot be read from “%s”", clip(r.get(row, Pack)))
		}
		each, err := money.MulDiv(cost.Minor(), 1, int64(pieces))
		if err != nil {
			return cost, err
		}
		cost = money.New(each, c)
	}
	if cost.Minor() <= 0 {
		return cost, fmt.Errorf("the cost is %s", cost)
	}
	return cost, nil
}

// named reads a price that a list may name; a dash is none.
func (r *Reader) named(row Row, f Field, c money.Currency) (money.Amount, error) {
	text := r.get(row, f)
	if strings.Trim(text, "-–—./ ") == "" || strings.EqualFold(text, "n/a") || strings.EqualFold(text, "none") {
		return money.Zero(c), nil
	}
	price, err := amount(text, r.layout.Decimal, c)
	if err != nil {
		return price, fmt.Errorf("the %s: %w", f.Words(), err)
	}
	if price.Negative() {
		return price, fmt.Errorf("the %s is %s", f.Words(), price)
	}
	return price, nil
}

func (r *Reader) values(o *source.Offer, row Row, places []int) []string {
	values := make([]string, len(places))
	for i, at := range places {
		if at < 0 {
			values[i] = strings.Trim(strings.TrimPrefix(strings.Join(strings.Fields(r.get(row, Title)), " "), o.Title), " -–,;:/()")
			if values[i] == "" {
				values[i] = r.get(row, Number)
			}
		} else if at < len(row.Cells) {
			values[i] = strings.TrimSpace(row.Cells[at])
		}
	}
	return values
}

var science = regexp.MustCompile(`^\d(\.\d+)?[eE]\+\d{1,2}$`)

// barcode mends what spreadsheets do to long numbers, and leaves what it cannot.
func barcode(text string) string {
	if text == "" || digits(text) {
		return text
	}
	text = strings.Trim(text, "'\"= ")
	if science.MatchString(text) {
		if n, _, err := big.ParseFloat(text, 10, 100, big.ToNearestEven); err == nil {
			return n.Text('f', 0)
		}
	}
	return gaps.Replace(strings.TrimSuffix(text, ".0"))
}

var gaps = strings.NewReplacer(" ", "", "-", "")

var tag = regexp.MustCompile(`(?i)</?[a-z][a-z0-9]*[^>]*>`)

// paragraphs makes HTML of a description that is plain text.
func paragraphs(text string) string {
	if text == "" || tag.MatchString(text) {
		return text
	}
	return "<p>" + strings.ReplaceAll(html.EscapeString(text), "\n", "<br>") + "</p>"
}
