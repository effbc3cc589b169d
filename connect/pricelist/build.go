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
	"strconv"
	"strings"
	"unicode"

	"github.com/zeebo/xxh3"

	"plainpelican/connect/source"
	"plainpelican/core/gtin"
	"plainpelican/core/money"
)

func errorAs(err error, into *ErrLayout) bool { return errors.As(err, into) }

type mark struct {
	field  Field
	column int
}

// product is an item of its rows, built unless the reader is lazy.
func (r *Reader) product(rows []Row) Item {
	item := Item{Row: rows[0].Number, Cells: rows[0].Cells, rows: rows, section: r.section, unit: r.sectionUnit,
		Sum: r.sumOf(rows)}
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
		// how it is written makes no other offers
		own.Format, own.Encoding, own.Delimiter, own.Sheet, own.Header = "", "", "", "", 0
		// nothing that JSON cannot say, in an order of its own
		said, _ := json.Marshal([]any{own, r.Pictures, r.money, r.shared})
		sum := sha256.Sum256(said)
		r.salt = sum[:]
		for _, f := range Fields {
			for _, column := range r.places[f] {
				r.marks = append(r.marks, mark{f, column})
			}
		}
	}
	b := append(r.sum[:0], r.salt...)
	b = append(b, r.section...)
	for _, row := range rows {
		for _, m := range r.marks {
			cell := ""
			if m.column < len(row.Cells) {
				cell = row.Cells[m.column]
			}
			b = binary.AppendUvarint(b, uint64(len(cell)))
			b = append(b, cell...)
			if kind := row.kind(m.column); kind.number {
				b = append(append(b, 1), kind.currency...)
			}
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
		own.section, own.sectionUnit = item.section, item.unit
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
		if len(built.Rejected) > 0 {
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
	item := Item{Row: first.Number, Cells: first.Cells, Doubts: map[string]string{}, Given: map[string]string{}}
	all := rows
	if rest := r.withCosts(rows); len(rest) < len(rows) {
		item.Common, rows = len(rows)-len(rest), rest
	}
	o := &source.Offer{
		Title: r.commonTitle(all), Category: r.any(all, Category), Brand: r.any(all, Brand),
		Description: paragraphs(r.any(all, Description)), PageURL: webAddress(r.any(all, Page)),
		Processing: r.layout.Processing, Deliveries: r.layout.Deliveries,
		Supplier: source.Supplier{Number: "1", Name: r.layout.Supplier, Country: r.layout.Country, Verified: true},
	}
	if o.Category == "" {
		o.Category = r.section
	}
	if o.Number = r.offerNumber(first, o.Title); o.Number == "" {
		item.Rejected = append(item.Rejected, r.aside(first, "", "neither a number nor a title says what it is"))
		rows = rows[1:]
	}
	r.pictures(o, all)
	names, places := r.options(rows)
	o.OptionNames = names
	seen := map[string]bool{}
	for i, row := range rows {
		v, given, doubt, err := r.variant(o, row, places, seen)
		if err == nil && i >= mostVariants {
			err = fmt.Errorf("its product has more than %d rows", mostVariants)
		}
		if err != nil {
			item.Rejected = append(item.Rejected, r.aside(row, o.Number, err.Error()))
			continue
		}
		if doubt != "" {
			item.Doubts[v.Number] = doubt
			if !slices.Contains(o.Remarks, doubt) && len(o.Remarks) < 10 {
				o.Remarks = append(o.Remarks, doubt)
			}
		}
		if given != "" {
			item.Given[v.Number] = given
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

// withCosts are the rows of a product that can be bought, where the first only names it for those below.
func (r *Reader) withCosts(rows []Row) []Row {
	if len(rows) < 2 || r.get(rows[0], Cost) != "" || r.get(rows[0], Title) == "" {
		return rows
	}
	for _, row := range rows[1:] {
		if r.get(row, Cost) == "" {
			return rows
		}
	}
	return rows[1:]
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

// options are the names of what the rows differ in, and the columns of their values; a column
// of -1 stands for the rest of the title, where no column names the variant.
func (r *Reader) options(rows []Row) (names []string, places []int) {
	for _, at := range r.places[Option] {
		if slices.ContainsFunc(rows, func(row Row) bool {
			return at < len(row.Cells) && strings.TrimSpace(row.Cells[at]) != ""
		}) {
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

func (r *Reader) variant(o *source.Offer, row Row, places []int, seen map[string]bool) (v source.Variant, given,
	doubt string, err error) {
	l := r.layout
	if o.Title == "" {
		return v, "", "", errors.New("the title is empty")
	}
	var doubts []string
	if v.Cost, given, err = r.cost(row); err != nil {
		return v, "", "", err
	}
	if c := v.Cost.Currency(); o.Currency != 0 && c != o.Currency {
		return v, "", "", fmt.Errorf("it is priced in %s, the rows before it of the same product in %s", c, o.Currency)
	}
	for _, into := range []struct {
		field Field
		price *money.Amount
	}{{MinAdvertised, &v.MinAdvertised}, {List, &v.List}} {
		var doubt string
		if *into.price, doubt = r.named(row, into.field, v.Cost.Currency()); doubt != "" {
			if into.field == MinAdvertised {
				return v, "", "", errors.New(doubt) // a price below it may not be shown
			}
			doubts = append(doubts, strings.ToUpper(doubt[:1])+doubt[1:]+"; it is not kept.")
		}
	}
	var stockDoubt string
	if v.Stock, stockDoubt, err = r.stock(row); err != nil {
		return v, "", "", fmt.Errorf("the stock: %w", err)
	}
	v.StockUnknown = stockDoubt != ""
	if text := r.get(row, Cost); likeThousands.MatchString(text) && !row.kind(r.places[Cost][0]).number &&
		strings.Contains(text, l.Decimal) && v.Cost.Currency().Digits() < 3 && l.Answers[askDecimal] == "" {
		doubts = append(doubts, fmt.Sprintf("“%s” was read with three decimals.", clip(text)))
	}
	if stockDoubt != "" {
		doubts = append(doubts, stockDoubt)
	}
	if text := r.get(row, MinOrder); text != "" {
		if n, err := stock(text, row.sign(r.places[MinOrder][0], l.Decimal)); err == nil && n > 1 {
			doubts = append(doubts, fmt.Sprintf("The supplier sells at least %d at once.", n))
		}
	}
	var barcodeDoubt string
	if v.Barcode, barcodeDoubt = r.barcode(row); barcodeDoubt != "" {
		doubts = append(doubts, barcodeDoubt)
	}
	v.WeightGrams = r.weight(row)
	v.Values = r.values(o, row, places)
	v.Picture = r.pictureOf(o, row)
	v.Number = r.get(row, Number)
	if v.Number == "" {
		v.Number = strings.TrimRight(o.Number+"-"+strings.Join(v.Values, "-"), "-")
	}
	if seen[v.Number] {
		return v, "", "", fmt.Errorf("the number %s is there twice; the first stands", v.Number)
	}
	return v, given, strings.Join(doubts, " "), nil
}

// stock is how many there are, with what is doubtful of it.
func (r *Reader) stock(row Row) (n int, doubt string, err error) {
	at := r.places[Stock]
	if len(at) == 0 {
		return 0, "The list does not say how many there are.", nil
	}
	text := row.cell(at[0])
	switch class := stockClassOf(text); class {
	case inStock, lowStock:
		if n := r.layout.StockWords[string(class)]; n > 0 {
			return n, "", nil
		}
		return 0, fmt.Sprintf("“%s” does not say how many there are.", clip(text)), nil
	case unknownStock:
		return 0, fmt.Sprintf("The stock is not known (“%s”).", clip(text)), nil
	}
	if text == "" {
		return 0, "The list does not say how many there are.", nil
	}
	text = about.ReplaceAllString(text, "")
	if n, err = stock(text, row.sign(at[0], r.layout.Decimal)); err == nil || dateLike.MatchString(text) ||
		strings.TrimSpace(text) == "" {
		return n, "", err
	}
	words := strings.Map(func(c rune) rune {
		if unicode.IsLetter(c) || unicode.IsSpace(c) {
			return c
		}
		return ' '
	}, text)
	if counts := wholeNumber.FindAllString(text, 2); len(counts) == 1 { // "In stock (5+)"
		if class := stockClassOf(words); class == inStock || class == lowStock {
			n, err = strconv.Atoi(counts[0])
			return n, "", err
		}
	}
	if strings.IndexFunc(text, unicode.IsDigit) < 0 { // a word that is not known
		return 0, fmt.Sprintf("“%s” does not say how many there are.", clip(text)), nil
	}
	return 0, "", err
}

var about = regexp.MustCompile(`^(?i:ca\.?|circa|approx\.?|about|ungefähr|env\.?|cirka|около|约)\s*`)

var wholeNumber = regexp.MustCompile(`\d{1,9}`)

// weight reads a weight, its unit in the cell, beside it, or as the column says.
func (r *Reader) weight(row Row) int {
	at := r.places[Weight]
	if len(at) == 0 {
		return 0
	}
	unit := r.layout.WeightUnit
	if beside := weightUnitOf(row.cell(at[0] + 1)); beside != "" {
		unit = beside
	} else if named := weightUnitIn(r.names[at[0]]); unit == "" && named != "" {
		unit = named
	}
	return grams(row.cell(at[0]), unit, row.sign(at[0], r.layout.Decimal))
}

func (r *Reader) values(o *source.Offer, row Row, places []int) []string {
	values := make([]string, len(places))
	for i, at := range places {
		if at < 0 {
			values[i] = strings.Trim(strings.TrimPrefix(strings.Join(strings.Fields(r.get(row, Title)), " "), o.Title),
				" -–,;:/()")
			if values[i] == "" {
				values[i] = r.get(row, Number)
			}
		} else if at < len(row.Cells) {
			values[i] = strings.TrimSpace(row.Cells[at])
		}
	}
	return values
}

var science = regexp.MustCompile(`^\d[.,]?(\d*)[eE]\+?(\d{1,2})$`)

// barcode is a row's barcode, mended of what spreadsheets do to long numbers; one that is no article's own is left
// out and said. One with a wrong check digit is named, not dropped.
func (r *Reader) barcode(row Row) (code, doubt string) {
	text := r.get(row, Barcode)
	code = barcode(text)
	switch {
	case text == "":
		return "", ""
	case code == "":
		return "", fmt.Sprintf("The barcode “%s” has lost digits in a spreadsheet; it is not kept.", clip(text))
	case strings.Trim(code, "0") == "":
		return "", "The barcode is all zeros; it is not kept."
	case r.shared[text]:
		return "", fmt.Sprintf("The barcode %s stands on several products; it is not kept.", clip(code))
	}
	return code, gtin.Check(code)
}

// barcode mends what spreadsheets do to long numbers, and leaves what it cannot. It is empty where digits are lost.
func barcode(text string) string {
	if text == "" || digits(text) {
		return text
	}
	text = strings.Trim(text, "'\"= ")
	if m := science.FindStringSubmatch(text); m != nil {
		n, _, err := big.ParseFloat(strings.Replace(text, ",", ".", 1), 10, 100, big.ToNearestEven)
		if power, _ := strconv.Atoi(m[2]); err == nil && len(m[1]) == power && gtin.Valid(n.Text('f', 0)) {
			return n.Text('f', 0)
		}
		return ""
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
