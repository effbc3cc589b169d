package pricelist

import (
	"io"

	"plainpelican/connect/source"
	"plainpelican/core/landed"
	"plainpelican/core/money"
)

// PreviewOffer is an offer of the preview, or a row that would be set aside.
type PreviewOffer struct {
	Row      int              `json:"row"`
	Number   string           `json:"number"`
	Title    string           `json:"title"`
	Category string           `json:"category"`
	Options  []string         `json:"options"`
	Variants []PreviewVariant `json:"variants"`
	Pictures int              `json:"pictures"`
	Error    string           `json:"error" doc:"Why it would be rejected"`
	Cells    []string         `json:"cells"`
}

// PreviewVariant is a variant of the preview.
type PreviewVariant struct {
	Number  string        `json:"number"`
	Values  []string      `json:"values"`
	Cost    money.Amount  `json:"cost"`
	Least   *money.Amount `json:"min_advertised"`
	List    *money.Amount `json:"list_price"`
	Stock   int           `json:"stock"`
	Barcode string        `json:"barcode"`
	Weight  int           `json:"weight" doc:"Grams; 0 where it is not known"`
	Given   string        `json:"given" doc:"The price of which the cost is a part, such as 54.00 USD for 12"`
	Error   string        `json:"error" doc:"What is wrong with it, though it can be used"`
}

// preview shows the first rows as the offers that they would become.
func (look *Analysis) preview(t *table) error {
	l := look.Layout
	if l.at(Cost) < 0 || l.at(Title) < 0 {
		return nil
	}
	if l.Country == "" {
		l.Country = "US" // not asked for yet, and not shown
	}
	if l.Supplier == "" {
		l.Supplier = "?"
	}
	if l.Processing == NotSaid {
		l.Processing = landed.Days{}
	}
	if _, reason := l.Check(); reason != "" {
		return nil
	}
	r, err := open(t, &l, false)
	if err != nil {
		return err
	}
	defer r.in.close()
	seen := map[string]bool{}
	for r.read < previewRows {
		item, err := r.Next()
		if err == io.EOF {
			break
		}
		if err != nil {
			return err
		}
		for _, u := range item.Rejected {
			look.Bad++
			look.Preview = append(look.Preview,
				PreviewOffer{Row: u.row, Number: u.Number, Options: []string{}, Variants: []PreviewVariant{},
					Error: u.Reason, Cells: append([]string{}, u.Cells...)})
		}
		if item.Offer == nil {
			continue
		}
		if number := item.Offer.Number; seen[number] {
			look.Bad++
			look.Preview = append(look.Preview,
				PreviewOffer{Row: item.Row, Number: number, Title: item.Offer.Title, Options: []string{},
					Variants: []PreviewVariant{}, Error: Twice(number), Cells: append([]string{}, item.Cells...)})
			continue
		}
		seen[item.Offer.Number] = true
		o, good := PreviewOf(item.Offer, item.Row, item.Doubts, item.Given)
		look.Good += good
		look.Preview = append(look.Preview, o)
	}
	return nil
}

// Twice is why the second of two offers with one number is set aside.
func Twice(number string) string {
	return "the number " + number + " is there twice; the first stands"
}

// PreviewOf shows an offer, and counts what can be bought of it.
func PreviewOf(offer *source.Offer, row int, doubts, given map[string]string) (o PreviewOffer, good int) {
	o = PreviewOffer{Row: row, Number: offer.Number, Title: offer.Title, Category: offer.Category,
		Options: offer.OptionNames, Pictures: len(offer.Pictures), Variants: []PreviewVariant{}, Cells: []string{}}
	if o.Options == nil {
		o.Options = []string{}
	}
	for _, v := range offer.Variants {
		p := PreviewVariant{Number: v.Number, Values: v.Values, Cost: v.Cost, Stock: v.Stock, Barcode: v.Barcode,
			Weight: v.WeightGrams, Given: given[v.Number], Error: doubts[v.Number]}
		if p.Values == nil {
			p.Values = []string{}
		}
		if !v.MinAdvertised.IsZero() {
			p.Least = &v.MinAdvertised
		}
		if !v.List.IsZero() {
			p.List = &v.List
		}
		o.Variants = append(o.Variants, p)
	}
	return o, len(offer.Variants)
}
