// Package edit holds the operations by which people edit a draft: each is pure, names the fields that it touches, and
// gives its inverse when it is applied. Who may edit, where drafts are stored and how prices follow is not known here.
package edit

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"plainpelican/core/contact"
	"plainpelican/core/variant"
)

// Draft is the part of a draft that people edit.
type Draft struct {
	Title string
	// Description is safe HTML.
	Description string
	Pictures    []Picture
	Options     []variant.Option
	Collections []string
	Tags        []string
	// Type says what kind of thing it is; Vendor is whom customers see it is from, empty for the shop itself.
	Type, Vendor string
	// SearchTitle and SearchDescription are what search engines should show; empty is the title and the description.
	SearchTitle, SearchDescription string
	// Own are the words of single stores, by store.
	Own map[int64]OwnWords
	// Delivery is the service that prices assume, by its supplier's name for it; empty is as the money rules say.
	Delivery string
	// Reserve is how many units of each variant are kept back from the stock that stores show.
	Reserve int
	// TrayID is the tray that it lies in; 0 is none.
	TrayID int64
	// Discarded is that it was thrown away, and can be brought back.
	Discarded bool
	// Variants are in the draft's order.
	Variants []Variant
	// OfferID is the offer that the draft is bought as.
	OfferID int64
	// Prices are the manual prices, by store and variant, in minor units of the store's currency.
	Prices map[PriceKey]int64
}

// Picture is one picture of a draft. ID names it within the draft; URL is where it was taken from.
type Picture struct {
	ID    int    `json:"id"`
	URL   string `json:"url"`
	Shown bool   `json:"shown"`
}

// Variant is one variant of a draft.
type Variant struct {
	ID     int64
	Name   string
	Chosen bool
	// Values are the indexes of its options' values.
	Values []int
	// Dropped is that it is left out of the draft, and can be brought back.
	Dropped bool
	Codes
	Purchase
}

// Purchase says which offer variant a draft variant is bought as, 0 where its supplier sells none, and which of the
// draft's pictures it shows; nil is none.
type Purchase struct {
	VariantID      int64 `json:"variant_id"`
	OfferVariantID int64 `json:"offer_variant_id"`
	PictureID      *int  `json:"picture_id"`
	// OtherOfferID is the offer that it is bought from where that is not the draft's; 0 where it is.
	OtherOfferID int64 `json:"other_offer_id,omitempty"`
}

// IsContent tells whether stores are sent what a field holds: neither where a draft is kept, nor what prices assume.
func (f Field) IsContent() bool {
	_, price := f.Price()
	return !price && f != Tray && f != Discarded && f != Delivery
}

// Offers are those that a draft is bought from, its own first: those of dropped variants are none of them.
func (d *Draft) Offers() []int64 {
	list := []int64{d.OfferID}
	for _, v := range d.Variants {
		if !v.Dropped && v.OtherOfferID != 0 && !slices.Contains(list, v.OtherOfferID) {
			list = append(list, v.OtherOfferID)
		}
	}
	return list
}

// PriceKey is one variant in one store.
type PriceKey struct{ StoreID, VariantID int64 }

// Field names what two people may change at once without being in each other's way.
type Field string

// The fields of a draft, but for its manual prices, which are a field for each store and variant, its own words in a
// store, which are one for each store, and its codes, which are one for each variant.
const (
	Title       Field = "title"
	Description Field = "description"
	Pictures    Field = "pictures"
	Options     Field = "options"
	Chosen      Field = "chosen"
	Collections Field = "collections"
	Tags        Field = "tags"
	Offer       Field = "offer"
	Type        Field = "type"
	Vendor      Field = "vendor"
	// SearchTitle and SearchDescription are shown by search engines.
	SearchTitle       Field = "search_title"
	SearchDescription Field = "search_description"
	Reserve           Field = "reserve"
	Tray              Field = "tray"
	Delivery          Field = "delivery"
	Discarded         Field = "discarded"
)

// PriceOf is the field of one manual price.
func PriceOf(k PriceKey) Field { return Field(fmt.Sprintf("price:%d:%d", k.StoreID, k.VariantID)) }

// Price is the manual price that a field is, where it is one.
func (f Field) Price() (k PriceKey, ok bool) {
	n, _ := fmt.Sscanf(string(f), "price:%d:%d", &k.StoreID, &k.VariantID)
	return k, n == 2
}

// Error says why an operation cannot be applied, in a sentence, and which field is at fault.
type Error struct {
	Field  Field
	Reason string
}

func (e *Error) Error() string { return e.Reason }

func wrong(field Field, format string, args ...any) error {
	return &Error{field, fmt.Sprintf(format, args...)}
}

// Operation changes a draft.
type Operation interface {
	// Kind names the operation where it is stored.
	Kind() string
	// Fields are those that applying it to a draft touches.
	Fields(d *Draft) []Field
	// Apply changes the draft and returns the operation that takes it back. Its error is an *Error, and leaves the
	// draft as it was.
	Apply(d *Draft) (inverse Operation, err error)
	// MovesPrice tells whether prices may follow.
	MovesPrice() bool
}

// ApplyAll applies operations in order and returns what takes all of them back, in order, and the fields that were
// touched, each once. At the first that cannot be applied the draft is put back and the error returned.
func ApplyAll(d *Draft, operations []Operation) (inverse []Operation, touched []Field, err error) {
	for _, op := range operations {
		fields := op.Fields(d)
		back, err := op.Apply(d)
		if err != nil {
			for _, op := range inverse {
				_, _ = op.Apply(d) // it was so a moment ago
			}
			return nil, nil, err
		}
		inverse = slices.Insert(inverse, 0, back)
		for _, f := range fields {
			if !slices.Contains(touched, f) {
				touched = append(touched, f)
			}
		}
	}
	return inverse, touched, nil
}

// MovesPrice tells whether any of some operations may move a price.
func MovesPrice(operations []Operation) bool {
	return slices.ContainsFunc(operations, Operation.MovesPrice)
}

// words are text with one space between words and none around.
func words(text string) string { return strings.Join(strings.Fields(text), " ") }

// names are a list without empty names and without one twice, in order.
func names(list []string) []string {
	out := []string{}
	for _, name := range list {
		if name = words(name); name != "" && !slices.Contains(out, name) {
			out = append(out, name)
		}
	}
	return out
}

// SetTitle sets the title.
type SetTitle struct {
	Title string `json:"title"`
}

func (SetTitle) Kind() string          { return "title" }
func (SetTitle) Fields(*Draft) []Field { return []Field{Title} }
func (SetTitle) MovesPrice() bool      { return false }

func (o SetTitle) Apply(d *Draft) (Operation, error) {
	before := SetTitle{d.Title}
	d.Title = words(o.Title)
	return before, nil
}

// SetDescription sets the description. The caller has made its HTML safe.
type SetDescription struct {
	Description string `json:"description"`
}

func (SetDescription) Kind() string          { return "description" }
func (SetDescription) Fields(*Draft) []Field { return []Field{Description} }
func (SetDescription) MovesPrice() bool      { return false }

func (o SetDescription) Apply(d *Draft) (Operation, error) {
	before := SetDescription{d.Description}
	d.Description = o.Description
	return before, nil
}

// RemoveContacts takes the supplier's mail addresses, telephone numbers and links out of the description.
type RemoveContacts struct{}

func (RemoveContacts) Kind() string          { return "contact details" }
func (RemoveContacts) Fields(*Draft) []Field { return []Field{Description} }
func (RemoveContacts) MovesPrice() bool      { return false }

func (RemoveContacts) Apply(d *Draft) (Operation, error) {
	return SetDescription{contact.Remove(d.Description)}.Apply(d)
}

// PictureChoice is one picture of a draft, shown or not.
type PictureChoice struct {
	ID    int  `json:"id"`
	Shown bool `json:"shown"`
}

// ArrangePictures puts a draft's pictures in an order and says which are shown. It names each once. Pictures that the
// draft has and the arrangement does not name, since they came with another offer meanwhile, stay behind the others.
type ArrangePictures struct {
	Pictures []PictureChoice `json:"pictures"`
}

func (ArrangePictures) Kind() string          { return "pictures" }
func (ArrangePictures) Fields(*Draft) []Field { return []Field{Pictures} }
func (ArrangePictures) MovesPrice() bool      { return false }

func (o ArrangePictures) Apply(d *Draft) (Operation, error) {
	before := ArrangePictures{}
	for _, p := range d.Pictures {
		before.Pictures = append(before.Pictures, PictureChoice{p.ID, p.Shown})
	}
	left := slices.Clone(d.Pictures)
	var next []Picture
	for _, choice := range o.Pictures {
		at := slices.IndexFunc(left, func(p Picture) bool { return p.ID == choice.ID })
		if at < 0 {
			return nil, wrong(Pictures, "The pictures are not those of this draft.")
		}
		p := left[at]
		p.Shown = choice.Shown
		next, left = append(next, p), slices.Delete(left, at, at+1)
	}
	d.Pictures = append(next, left...)
	return before, nil
}

// RenameOptions gives options and values other names; their originals say which are meant.
type RenameOptions struct {
	Options []variant.Option `json:"options"`
}

func (RenameOptions) Kind() string          { return "options" }
func (RenameOptions) Fields(*Draft) []Field { return []Field{Options} }
func (RenameOptions) MovesPrice() bool      { return false }

func (o RenameOptions) Apply(d *Draft) (Operation, error) {
	next := make([]variant.Option, len(o.Options))
	same := len(o.Options) == len(d.Options)
	for i, option := range o.Options {
		next[i] = variant.Option{Name: words(option.Name), Original: option.Original}
		same = same && option.Original == d.Options[i].Original && len(option.Values) == len(d.Options[i].Values)
		for j, value := range option.Values {
			same = same && value.Original == d.Options[i].Values[j].Original
			next[i].Values = append(next[i].Values, variant.Value{Name: words(value.Name), Original: value.Original})
		}
		if !same {
			break
		}
	}
	if !same {
		return nil, wrong(Options, "Options and values can be renamed here, not added or left out.")
	}
	if err := variant.Check(next); err != nil {
		return nil, wrong(Options, "%s", err)
	}
	before := RenameOptions{d.Options}
	d.Options = next
	return before, nil
}

// ChooseVariants says which variants are sold.
type ChooseVariants struct {
	Chosen []int64 `json:"chosen"`
	// Supplier names who sells them, for a sentence.
	Supplier string `json:"-"`
}

func (ChooseVariants) Kind() string          { return "choice of variants" }
func (ChooseVariants) Fields(*Draft) []Field { return []Field{Chosen} }
func (ChooseVariants) MovesPrice() bool      { return false }

func (o ChooseVariants) Apply(d *Draft) (Operation, error) {
	before := ChooseVariants{Chosen: d.Chosen()}
	for _, id := range o.Chosen {
		at := d.variant(id)
		if at < 0 {
			return nil, wrong(Chosen, "A chosen variant is not of this draft.")
		}
		if v := &d.Variants[at]; v.OfferVariantID == 0 && !v.Chosen {
			return nil, wrong(Chosen, "%s does not sell “%s”. Swap the supplier, or leave it out.",
				cmp.Or(o.Supplier, "Its supplier"), v.Name)
		}
	}
	for i := range d.Variants {
		if v := &d.Variants[i]; !v.Dropped {
			v.Chosen = slices.Contains(o.Chosen, v.ID)
		}
	}
	return before, nil
}

// Chosen are the ids of the variants that are sold, in order.
func (d *Draft) Chosen() []int64 {
	ids := []int64{}
	for _, v := range d.Variants {
		if v.Chosen && !v.Dropped {
			ids = append(ids, v.ID)
		}
	}
	return ids
}

// variant is the index of one by its id; -1 where the draft has none such.
func (d *Draft) variant(id int64) int {
	return slices.IndexFunc(d.Variants, func(v Variant) bool { return v.ID == id })
}

// SetCollections says in which of the seller's collections the draft is.
type SetCollections struct {
	Collections []string `json:"collections"`
}

func (SetCollections) Kind() string          { return "collections" }
func (SetCollections) Fields(*Draft) []Field { return []Field{Collections} }

// MovesPrice is true: markup rules may ask for collections.
func (SetCollections) MovesPrice() bool { return true }

func (o SetCollections) Apply(d *Draft) (Operation, error) {
	before := SetCollections{d.Collections}
	d.Collections = names(o.Collections)
	return before, nil
}

// SetTags says which of the seller's tags the draft has.
type SetTags struct {
	Tags []string `json:"tags"`
}

func (SetTags) Kind() string          { return "tags" }
func (SetTags) Fields(*Draft) []Field { return []Field{Tags} }

// MovesPrice is true: markup rules may ask for tags.
func (SetTags) MovesPrice() bool { return true }

func (o SetTags) Apply(d *Draft) (Operation, error) {
	before := SetTags{d.Tags}
	d.Tags = names(o.Tags)
	return before, nil
}

// VariantPrice is the manual price of a variant, in minor units of the store's currency; 0 is the rules' price.
type VariantPrice struct {
	VariantID int64 `json:"variant_id"`
	Price     int64 `json:"price"`
}

// SetPrices sets manual prices of variants in one store, or gives them back to the rules.
type SetPrices struct {
	StoreID int64          `json:"store_id"`
	Prices  []VariantPrice `json:"prices"`
}

func (SetPrices) Kind() string     { return "price" }
func (SetPrices) MovesPrice() bool { return true }

func (o SetPrices) Fields(*Draft) []Field {
	fields := make([]Field, len(o.Prices))
	for i, p := range o.Prices {
		fields[i] = PriceOf(PriceKey{o.StoreID, p.VariantID})
	}
	return fields
}

func (o SetPrices) Apply(d *Draft) (Operation, error) {
	before := SetPrices{StoreID: o.StoreID}
	for _, p := range o.Prices {
		if d.variant(p.VariantID) < 0 {
			return nil, wrong("prices", "That variant is not of this draft.")
		}
		if p.Price < 0 {
			return nil, wrong("prices", "A price must be more than 0.")
		}
		before.Prices = append(before.Prices, VariantPrice{p.VariantID, d.Prices[PriceKey{o.StoreID, p.VariantID}]})
	}
	slices.Reverse(before.Prices) // of one that is named twice, the first is what was
	for _, p := range o.Prices {
		key := PriceKey{o.StoreID, p.VariantID}
		if p.Price == 0 {
			delete(d.Prices, key)
			continue
		}
		if d.Prices == nil {
			d.Prices = map[PriceKey]int64{}
		}
		d.Prices[key] = p.Price
	}
	return before, nil
}

// BuyAs has a draft, or some of its variants, bought as another offer: its variants as the purchases say, those that
// have none left out. Further pictures are those of the other offer, hidden.
type BuyAs struct {
	OfferID   int64      `json:"offer_id"`
	Purchases []Purchase `json:"purchases"`
	// Chosen are the variants that are sold then.
	Chosen []int64 `json:"chosen"`
	// Pictures are all of the draft's then.
	Pictures []Picture `json:"pictures"`
}

func (BuyAs) Kind() string          { return "supplier" }
func (BuyAs) MovesPrice() bool      { return true }
func (BuyAs) Fields(*Draft) []Field { return []Field{Offer, Pictures, Chosen} }

func (o BuyAs) Apply(d *Draft) (Operation, error) {
	before := BuyAs{OfferID: d.OfferID, Chosen: d.Chosen(), Pictures: slices.Clone(d.Pictures)}
	bought := map[int64]int64{}
	for _, p := range o.Purchases {
		at := d.variant(p.VariantID)
		if at < 0 {
			return nil, wrong(Offer, "A variant is not of this draft.")
		}
		if first, taken := bought[p.OfferVariantID]; taken && p.OfferVariantID != 0 {
			return nil, wrong(Offer, "“%s” and “%s” would be bought as the same. Leave one out, or choose another.",
				d.Variants[d.variant(first)].Name, d.Variants[at].Name)
		}
		bought[p.OfferVariantID] = p.VariantID
		before.Purchases = append(before.Purchases, d.Variants[at].Purchase)
	}
	purchases := slices.Clone(o.Purchases)
	for _, v := range d.Variants {
		if slices.ContainsFunc(purchases, func(p Purchase) bool { return p.VariantID == v.ID }) {
			continue
		}
		if !v.Dropped {
			return nil, wrong(Offer, "Each variant of the draft needs to be named.")
		}
		// One that was dropped is not bought of the other offer; one of a third stays as it was.
		dropped := Purchase{VariantID: v.ID, PictureID: v.PictureID}
		if o.OfferID == d.OfferID || v.OtherOfferID != 0 && v.OtherOfferID != o.OfferID {
			dropped = v.Purchase
		}
		purchases = append(purchases, dropped)
		before.Purchases = append(before.Purchases, v.Purchase)
	}
	d.OfferID, d.Pictures = o.OfferID, slices.Clone(o.Pictures)
	for _, p := range purchases {
		d.Variants[d.variant(p.VariantID)].Purchase = p
	}
	for i := range d.Variants {
		v := &d.Variants[i]
		if v.Dropped {
			continue
		}
		v.Chosen = slices.Contains(o.Chosen, v.ID) && (v.OfferVariantID != 0 || v.Chosen)
	}
	return before, nil
}
