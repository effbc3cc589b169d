package source

import (
	"errors"
	"fmt"
	"math"
	"net/url"
	"slices"
	"strings"
	"unicode/utf8"

	"plainpelican/core/landed"
	"plainpelican/core/money"
)

// What one offer may say: far above what suppliers say, and below what the database's types and
// indexes hold. Lengths are in bytes; a stock over the bound means that there is always enough.
const (
	MaxStock       = 1_000_000_000
	maxCount       = math.MaxInt32
	maxReturnDays  = 3650
	maxWeightGrams = 100_000_000
	maxWeekly      = 100_000_000
	maxWeeks       = 530
	maxMinor       = 1_000_000_000_000_000
	maxNumber      = 200
	maxName        = 500
	maxTitle       = 2_000
	maxDescription = 500_000
	maxURL         = 2_000
	maxPictures    = 250
	maxOptions     = 20
	maxVariants    = 5_000
	maxDeliveries  = 200
	maxCountries   = 300
	maxParts       = 400_000 // objects, lists and values of the protocol's form
)

// KeptPicture begins the address of a picture that is kept here, by its hash: one that was
// sent beside a list.
const KeptPicture = "kept:"

// Check tells whether an offer can be kept, whichever way it came. Its error is a sentence that
// says what of it cannot. What is only shown and cannot be used (addresses that are not of the web,
// weeks too long ago) is taken out.
func (o *Offer) Check() error {
	if !webAddress(o.PageURL) {
		o.PageURL = ""
	}
	o.Pictures = slices.DeleteFunc(slices.Clone(o.Pictures), func(u string) bool {
		return !strings.HasPrefix(u, KeptPicture) && !webAddress(u)
	})
	if len(o.Pictures) > maxPictures {
		o.Pictures = o.Pictures[:maxPictures]
	}
	if len(o.Weekly) > maxWeeks {
		o.Weekly = o.Weekly[len(o.Weekly)-maxWeeks:]
	}
	for _, err := range []error{
		short("number", o.Number, maxNumber), short("title", o.Title, maxTitle),
		short("description", o.Description, maxDescription), short("category", o.Category, maxName),
		short("brand", o.Brand, maxName), short("supplier's number", o.Supplier.Number, maxNumber+maxName),
		short("supplier's name", o.Supplier.Name, maxName),
		within("number of ratings", o.Ratings, maxCount),
		within("return days", int(max(known(o.ReturnDays), 0)), maxReturnDays), within("rating", o.Rating, 50),
		within("supplier's rating", o.Supplier.Rating, 50),
		within("number of other stores", int(max(known(o.Rivals.Stores), 0)), maxCount),
		within("on-time rate in percent", int(max(known(o.Supplier.OnTime), 0)), 100),
		few("options", len(o.OptionNames), maxOptions), few("variants", len(o.Variants), maxVariants),
		few("delivery options", len(o.Deliveries), maxDeliveries),
		days(o.Processing),
	} {
		if err != nil {
			return err
		}
	}
	for _, name := range o.OptionNames {
		if err := short("option name", name, maxName); err != nil {
			return err
		}
	}
	for _, units := range o.Weekly {
		if err := within("units sold in a week", int(units), maxWeekly); err != nil {
			return err
		}
	}
	for i := range o.Deliveries {
		if err := checkDelivery(&o.Deliveries[i]); err != nil {
			return err
		}
	}
	for i := range o.Variants {
		if err := checkVariant(&o.Variants[i], len(o.Pictures)); err != nil {
			return err
		}
	}
	return nil
}

func checkVariant(v *Variant, pictures int) error {
	v.Stock = min(v.Stock, MaxStock) // more than anybody sells: as good as always in stock
	if v.Picture < 0 || v.Picture >= pictures {
		v.Picture = 0
	}
	for _, err := range []error{short("SKU", v.Number, maxNumber), short("barcode", v.Barcode, maxNumber),
		within("stock", v.Stock, MaxStock), within("weight in grams", v.WeightGrams, maxWeightGrams),
		payable(v.Cost), payable(v.List), payable(v.MinAdvertised)} {
		if err != nil {
			return fmt.Errorf("of %.60s, %w", v.Number, err)
		}
	}
	for _, value := range v.Values {
		if err := short("option value", value, maxName); err != nil {
			return fmt.Errorf("of %.60s, %w", v.Number, err)
		}
	}
	return nil
}

func checkDelivery(d *landed.Delivery) error {
	for _, err := range []error{short("delivery's name", d.Name, maxName),
		few("countries of a delivery", len(d.To), maxCountries), payable(d.First), payable(d.Further),
		days(d.Transit)} {
		if err != nil {
			return err
		}
	}
	for _, country := range d.To {
		if err := short("delivery's country", country, 20); err != nil {
			return err
		}
	}
	return nil
}

func webAddress(text string) bool {
	if len(text) > maxURL {
		return false
	}
	u, err := url.Parse(text)
	return err == nil && (u.Scheme == "http" || u.Scheme == "https") && u.Host != "" && !strings.ContainsRune(text, 0)
}

func short(what, text string, most int) error {
	switch {
	case len(text) > most:
		return fmt.Errorf("its %s is %d characters long, more than the %d that can be kept", what,
			utf8.RuneCountInString(text), most)
	case strings.ContainsRune(text, 0) || !utf8.ValidString(text):
		return fmt.Errorf("its %s holds bytes that are not text", what)
	}
	return nil
}

func within(what string, n, most int) error {
	if n < 0 || n > most {
		return fmt.Errorf("its %s, %d, is not between 0 and %d", what, n, most)
	}
	return nil
}

func few(what string, n, most int) error {
	if n > most {
		return fmt.Errorf("it has %d %s, more than the %d that can be kept", n, what, most)
	}
	return nil
}

func days(d landed.Days) error {
	if d.Min < 0 || d.Max < d.Min || d.Max > 365 {
		return errors.New("its days of processing or delivery make no sense")
	}
	return nil
}

func payable(a money.Amount) error {
	if a.Minor() > maxMinor || a.Negative() {
		return fmt.Errorf("the amount %s is more than can be reckoned with", a)
	}
	return nil
}
