package source

import (
	"bytes"
	"crypto/sha256"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"net/url"
	"reflect"
	"slices"
	"strings"

	"plainpelican/core/landed"
	"plainpelican/core/money"
)

// Offer is one product as one supplier sells it, checked.
type Offer struct {
	Number, Title, Description, Category, Brand, PageURL string
	Supplier                                             Supplier
	Currency                                             money.Currency
	Pictures, OptionNames                                []string
	Processing                                           landed.Days
	Rating, Ratings                                      int  // rating in tenths; 0 is not known
	ReturnDays                                           *int // nil is not known
	Weekly                                               []int32
	Deliveries                                           []landed.Delivery
	Variants                                             []Variant
	Rivals                                               Rivals
	// OwnPacking is true where the supplier packs with the buyer's brand.
	OwnPacking bool
	// Remarks are sentences about what no other fact holds, such as a least order quantity.
	Remarks []string
	// Fingerprint is the SHA-256 of the offer as it was given.
	Fingerprint [32]byte
}

// Supplier is who sells an offer. Rating is in tenths, 0 is not known; OnTime in percent, nil is not known.
type Supplier struct {
	Number, Name, Country string
	Rating                int
	OnTime                *int
	Verified              bool
}

// Variant is one purchasable SKU. Picture is an index into the offer's pictures.
type Variant struct {
	Number, Barcode string
	Values          []string
	Cost            money.Amount
	// MinAdvertised and List are the supplier's minimum advertised and list prices; zero where it names none.
	MinAdvertised, List         money.Amount
	Stock, Picture, WeightGrams int
	// StockUnknown is where the source does not say how many there are; Stock is 0 then.
	StockUnknown bool
}

// PricesIn are the currencies of the minimum advertised and the list price, three letters each; empty where both
// are the cost's.
func (v *Variant) PricesIn() string {
	own := v.Cost.Currency()
	of := func(a money.Amount) money.Currency {
		if a.IsZero() {
			return own
		}
		return a.Currency()
	}
	if of(v.MinAdvertised) == own && of(v.List) == own {
		return ""
	}
	return of(v.MinAdvertised).String() + of(v.List).String()
}

// Rivals are the stores that sell the item, and prices seen there, in minor units of
// one currency, lowest first. Stores is nil where nobody has counted them.
type Rivals struct {
	Stores   *int
	Currency money.Currency
	Prices   []int64
}

type quantity struct {
	Value    int `json:"value"`
	MinValue int `json:"minValue"`
	MaxValue int `json:"maxValue"`
}

type document struct {
	Number      string   `json:"productGroupID"`
	Name        string   `json:"name"`
	Description string   `json:"description"`
	Category    string   `json:"category"`
	Brand       string   `json:"brand"`
	URL         string   `json:"url"`
	Image       []string `json:"image"`
	VariesBy    []string `json:"variesBy"`
	HasVariant  []struct {
		SKU        string `json:"sku"`
		GTIN       string `json:"gtin13"`
		Image      string `json:"image"`
		Properties []struct {
			Name  string `json:"name"`
			Value string `json:"value"`
		} `json:"additionalProperty"`
		Weight quantity `json:"weight"`
		Offers struct {
			Price     string `json:"price"`
			Currency  string `json:"priceCurrency"`
			Inventory *struct {
				Value *int `json:"value"`
			} `json:"inventoryLevel"`
			List  string `json:"listPrice"`
			Least string `json:"minimumAdvertisedPrice"`
		} `json:"offers"`
	} `json:"hasVariant"`
	Seller struct {
		Identifier string      `json:"identifier"`
		Name       string      `json:"name"`
		Country    string      `json:"addressCountry"`
		Rating     json.Number `json:"rating"`
		OnTime     *int        `json:"onTimePercent"`
		Verified   bool        `json:"verified"`
	} `json:"seller"`
	Shipping []struct {
		Name        string   `json:"name"`
		Destination []string `json:"shippingDestination"`
		Rate        moneyDoc `json:"shippingRate"`
		Further     moneyDoc `json:"shippingRateFurther"`
		Transit     quantity `json:"transitTime"`
		Tracked     bool     `json:"tracked"`
		Phone       bool     `json:"telephoneRequired"`
	} `json:"shippingDetails"`
	Handling quantity `json:"handlingTime"`
	Rating   struct {
		Value json.Number `json:"ratingValue"`
		Count int         `json:"ratingCount"`
	} `json:"aggregateRating"`
	Returns struct {
		Days *int `json:"merchantReturnDays"`
	} `json:"hasMerchantReturnPolicy"`
	Weekly  []int32 `json:"weeklyUnitsSold"`
	Packing bool    `json:"packsWithBuyersBrand"`
	Rivals  struct {
		Stores   *int     `json:"stores"`
		Currency string   `json:"priceCurrency"`
		Prices   []string `json:"prices"`
	} `json:"soldElsewhere"`
}

type moneyDoc struct {
	Value    string `json:"value"`
	Currency string `json:"currency"`
}

func (m moneyDoc) amount() (money.Amount, error) {
	c, err := money.ParseCurrency(m.Currency)
	if err != nil {
		return money.Amount{}, err
	}
	return money.Parse(m.Value, c)
}

// least0 is a number that may not be known, and is 0 where it is less.
func least0(n *int) *int {
	if n == nil || *n >= 0 {
		return n
	}
	return new(int)
}

// tenths reads a rating such as 4.7 as 47.
func tenths(n json.Number) int {
	r, err := money.ParseRatio(n.String())
	if err != nil {
		return 0
	}
	return int(min(max(r/(money.One/10), 0), 50))
}

// parse checks an offer. Its error is a sentence saying what is wrong with it; the offer's
// number is kept where it could be read.
func parse(raw []byte) (Offer, error) {
	// Counted before it is parsed: an empty variant of three bytes takes two hundred.
	if parts := bytes.Count(raw, []byte("{")) + bytes.Count(raw, []byte("[")) +
		bytes.Count(raw, []byte(",")); parts > maxParts {
		return Offer{}, fmt.Errorf("it has %d parts, more than the %d that can be read", parts, maxParts)
	}
	var d document
	if err := json.Unmarshal(raw, &d); err != nil {
		var wrong *json.UnmarshalTypeError
		if errors.As(err, &wrong) {
			return Offer{Number: strings.ReplaceAll(d.Number, "\x00", "")},
				fmt.Errorf("%s is a %.60s where something else is expected", wrong.Field, wrong.Value)
		}
		return Offer{}, fmt.Errorf("it is not JSON: %w", err)
	}
	if bytes.Contains(raw, []byte(`\u0000`)) {
		withoutNothing(reflect.ValueOf(&d).Elem())
	}
	o := Offer{
		Number: d.Number, Title: strings.ToValidUTF8(d.Name, ""), Description: strings.ToValidUTF8(d.Description, ""),
		Category: d.Category, Brand: d.Brand, PageURL: d.URL,
		OptionNames: d.VariesBy, Processing: landed.Days{Min: d.Handling.MinValue, Max: d.Handling.MaxValue},
		Rating: tenths(d.Rating.Value), Ratings: max(d.Rating.Count, 0), ReturnDays: least0(d.Returns.Days),
		Weekly: d.Weekly, OwnPacking: d.Packing,
		Supplier: Supplier{d.Seller.Identifier, d.Seller.Name, strings.ToUpper(d.Seller.Country),
			tenths(d.Seller.Rating), least0(d.Seller.OnTime), d.Seller.Verified},
		Fingerprint: sha256.Sum256(bytes.TrimSpace(raw)),
	}
	switch {
	case o.Number == "":
		return o, errors.New("it has no number")
	case strings.TrimSpace(o.Title) == "":
		return o, errors.New("it has no title")
	case o.Supplier.Number == "" || o.Supplier.Name == "":
		return o, errors.New("it does not say who sells it")
	case len(o.Supplier.Country) != 2:
		return o, fmt.Errorf("%q is not a country to ship from", d.Seller.Country)
	case len(d.HasVariant) == 0:
		return o, errors.New("it has nothing to buy")
	case o.Processing.Min < 0 || o.Processing.Max < o.Processing.Min || o.Processing.Max > 365:
		return o, errors.New("its processing days make no sense")
	}
	for _, text := range d.Image {
		if u, err := url.Parse(text); err == nil && (u.Scheme == "http" || u.Scheme == "https") && u.Host != "" {
			o.Pictures = append(o.Pictures, text)
		}
	}
	if err := o.variants(d); err != nil {
		return o, err
	}
	o.rivals(d)
	if err := o.shipping(d); err != nil {
		return o, err
	}
	return o, o.Check()
}

// withoutNothing takes the character U+0000, which no database keeps in text, out of all texts of a value.
func withoutNothing(v reflect.Value) {
	switch v.Kind() {
	case reflect.String:
		v.SetString(strings.ReplaceAll(v.String(), "\x00", ""))
	case reflect.Struct:
		for i := range v.NumField() {
			withoutNothing(v.Field(i))
		}
	case reflect.Slice:
		for i := range v.Len() {
			withoutNothing(v.Index(i))
		}
	}
}

// rivals takes what can be read of the market; what cannot is left out, since nothing is
// bought by it.
func (o *Offer) rivals(d document) {
	o.Rivals.Stores = least0(d.Rivals.Stores)
	c, err := money.ParseCurrency(d.Rivals.Currency)
	if err != nil {
		return
	}
	o.Rivals.Currency = c
	for _, text := range d.Rivals.Prices[:min(len(d.Rivals.Prices), 1000)] {
		if price, err := money.Parse(text, c); err == nil && price.Minor() > 0 {
			o.Rivals.Prices = append(o.Rivals.Prices, price.Minor())
		}
	}
	slices.Sort(o.Rivals.Prices)
}

// named reads a price that a supplier may name; none is nothing.
func named(text string, c money.Currency) (money.Amount, error) {
	if text == "" {
		return money.Zero(c), nil
	}
	a, err := money.Parse(text, c)
	if err == nil && a.Negative() {
		err = money.ErrNotAnAmount
	}
	return a, err
}

func (o *Offer) variants(d document) error {
	seen := map[string]bool{}
	for _, v := range d.HasVariant {
		cost, err := moneyDoc{v.Offers.Price, v.Offers.Currency}.amount()
		switch {
		case v.SKU == "" || seen[v.SKU]:
			return fmt.Errorf("variant %q has no number of its own", v.SKU)
		case err != nil:
			return fmt.Errorf("the price of %s: %w", v.SKU, err)
		case cost.Minor() <= 0:
			return fmt.Errorf("the price of %s is %s", v.SKU, cost)
		case o.Currency != 0 && cost.Currency() != o.Currency:
			return fmt.Errorf("%s is priced in %s, the others in %s", v.SKU, cost.Currency(), o.Currency)
		}
		stock, known := 0, v.Offers.Inventory != nil && v.Offers.Inventory.Value != nil
		if known {
			if stock = *v.Offers.Inventory.Value; stock < 0 {
				return fmt.Errorf("the stock of %s is %d", v.SKU, stock)
			}
		}
		seen[v.SKU], o.Currency = true, cost.Currency()
		list, err := named(v.Offers.List, o.Currency)
		if err != nil {
			return fmt.Errorf("the list price of %s: %w", v.SKU, err)
		}
		least, err := named(v.Offers.Least, o.Currency)
		if err != nil {
			return fmt.Errorf("the minimum advertised price of %s: %w", v.SKU, err)
		}
		values := make([]string, len(o.OptionNames))
		for i, name := range o.OptionNames {
			for _, p := range v.Properties {
				if p.Name == name {
					values[i] = p.Value
				}
			}
		}
		picture := 0
		for i, u := range o.Pictures {
			if u == v.Image {
				picture = i
			}
		}
		o.Variants = append(o.Variants,
			Variant{v.SKU, v.GTIN, values, cost, least, list, stock, picture, max(v.Weight.Value, 0), !known})
	}
	return nil
}

func (o *Offer) shipping(d document) error {
	for _, s := range d.Shipping {
		first, err := s.Rate.amount()
		if err != nil {
			return fmt.Errorf("the charge for %s: %w", s.Name, err)
		}
		further := first
		if s.Further.Value != "" {
			if further, err = s.Further.amount(); err != nil {
				return fmt.Errorf("the further charge for %s: %w", s.Name, err)
			}
		}
		if first.Negative() || further.Negative() || first.Currency() != further.Currency() || s.Transit.MinValue < 0 ||
			s.Transit.MaxValue < s.Transit.MinValue || s.Transit.MaxValue > 365 {
			return fmt.Errorf("the delivery %s makes no sense", s.Name)
		}
		o.Deliveries = append(o.Deliveries,
			landed.Delivery{Name: s.Name, To: s.Destination, First: first, Further: further,
				Transit: landed.Days{Min: s.Transit.MinValue, Max: s.Transit.MaxValue}, Tracked: s.Tracked,
				Phone: s.Phone})
	}
	return nil
}

// known is a number that may not be known; -1 where it is not.
func known(n *int) int64 {
	if n == nil {
		return -1
	}
	return int64(*n)
}

// Sign fills in the fingerprint of an offer that was not given in the protocol's form: a
// SHA-256 over all that is in it.
func (o *Offer) Sign() {
	h := sha256.New()
	var b []byte
	text := func(parts ...string) {
		for _, p := range parts {
			b = binary.AppendUvarint(b, uint64(len(p)))
			b = append(b, p...)
		}
	}
	number := func(ns ...int64) {
		for _, n := range ns {
			b = binary.AppendVarint(b, n)
		}
	}
	u := o.Supplier
	text(o.Number, o.Title, o.Description, o.Category, o.Brand, o.PageURL, u.Number, u.Name, u.Country,
		o.Currency.String())
	number(int64(len(o.Pictures)), int64(len(o.OptionNames)), int64(o.Processing.Min), int64(o.Processing.Max),
		int64(o.Rating), int64(o.Ratings), known(o.ReturnDays), int64(u.Rating), known(u.OnTime), int64(len(o.Weekly)))
	text(o.Pictures...)
	text(o.OptionNames...)
	for _, w := range o.Weekly {
		number(int64(w))
	}
	for _, d := range o.Deliveries {
		text(d.Name, strings.Join(d.To, " "), d.First.String(), d.Further.String())
		number(int64(d.Transit.Min), int64(d.Transit.Max))
		text(fmt.Sprint(d.Tracked))
		if d.Phone { // only then: what was read before stays as it was
			text("telephone")
		}
	}
	for _, v := range o.Variants {
		text(v.Number, v.Barcode)
		number(int64(len(v.Values)), v.Cost.Minor(), v.MinAdvertised.Minor(), v.List.Minor(), int64(v.Stock),
			int64(v.Picture), int64(v.WeightGrams))
		if v.StockUnknown {
			text("stock unknown")
		}
		text(v.Values...)
	}
	_, _ = h.Write(b) // a hash never fails
	h.Sum(o.Fingerprint[:0])
}
