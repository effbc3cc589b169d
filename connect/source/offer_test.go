package source

import (
	"encoding/json"
	"strings"
	"testing"

	"plainpelican/core/money"
)

const good = `{"productGroupID":"Q1","name":"Mug","description":"<p>x</p>","category":"Kitchen",` +
	`"url":"https://b.example/p/Q1","image":["https://b.example/1.jpg","https://b.example/2.jpg"],
"variesBy":["Color","Size"],"hasVariant":[{"sku":"Q1-1","image":"https://b.example/2.jpg",` +
	`"additionalProperty":[{"name":"Size","value":"L"},{"name":"Color","value":"lake"}],
"weight":{"value":180},"offers":{"price":"46.20","priceCurrency":"CNY","inventoryLevel":{"value":12}}}],
"seller":{"identifier":"S1","name":"Ostrava","addressCountry":"cn","rating":"4.7","onTimePercent":96,"verified":true},
"shippingDetails":[{"name":"Post","shippingDestination":["*"],"shippingRate":{"value":"12.00","currency":"CNY"},` +
	`"transitTime":{"minValue":7,"maxValue":12}}],
"handlingTime":{"minValue":1,"maxValue":3},"aggregateRating":{"ratingValue":4.66,"ratingCount":80},` +
	`"hasMerchantReturnPolicy":{"merchantReturnDays":30},"weeklyUnitsSold":[1,2]}`

func TestAnOfferIsRead(t *testing.T) {
	o, err := parse([]byte(good))
	if err != nil {
		t.Fatal(err)
	}
	v := o.Variants[0]
	if o.Number != "Q1" || o.Currency.String() != "CNY" || o.Rating != 46 || o.Supplier.Rating != 47 ||
		o.Supplier.Country != "CN" || *o.ReturnDays != 30 || len(o.Weekly) != 2 {
		t.Errorf("%+v", o)
	}
	if v.Cost.Decimal() != "46.20" || v.Picture != 1 || v.Stock != 12 || v.Values[0] != "lake" || v.Values[1] != "L" {
		t.Errorf("values in the order of the options, the variant's own picture: %+v", v)
	}
	if d := o.Deliveries[0]; d.Further != d.First || d.Transit.Max != 12 {
		t.Errorf("a further unit costs as the first where nothing is said: %+v", d)
	}
}

func TestWhatIsWrongIsSaid(t *testing.T) {
	for change, words := range map[[2]string]string{
		{`"name":"Mug"`, `"name":" "`}:                                     "no title",
		{`"productGroupID":"Q1"`, `"productGroupID":""`}:                   "no number",
		{`"price":"46.20"`, `"price":"0"`}:                                 "the price of Q1-1 is 0.00 CNY",
		{`"price":"46.20"`, `"price":"-3"`}:                                "the price of Q1-1 is -3.00 CNY",
		{`"price":"46.20"`, `"price":"call"`}:                              "not an amount",
		{`"price":"46.20"`, `"price":46.20`}:                               "hasVariant.offers.price is a number",
		{`"priceCurrency":"CNY"`, `"priceCurrency":"XYZ"`}:                 "not a currency",
		{`"inventoryLevel":{"value":12}`, `"inventoryLevel":{"value":-1}`}: "the stock of Q1-1 is -1",
		{`"addressCountry":"cn"`, `"addressCountry":"China"`}:              "not a country",
		{`"identifier":"S1"`, `"identifier":""`}:                           "who sells it",
		{`"maxValue":12}`, `"maxValue":2}`}:                                "the delivery Post makes no sense",
		{`"minValue":1,"maxValue":3`, `"minValue":4,"maxValue":3`}:         "processing days",
	} {
		_, err := parse([]byte(strings.Replace(good, change[0], change[1], 1)))
		if err == nil || !strings.Contains(err.Error(), words) {
			t.Errorf("%s: %v", change[1], err)
		}
	}
	var two map[string]any
	if err := json.Unmarshal([]byte(good), &two); err != nil {
		t.Fatal(err)
	}
	two["hasVariant"] = append(two["hasVariant"].([]any), two["hasVariant"].([]any)[0])
	data, err := json.Marshal(two)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := parse(data); err == nil || !strings.Contains(err.Error(), "no number of its own") {
		t.Errorf("a number twice: %v", err)
	}
}

func FuzzParse(f *testing.F) {
	f.Add([]byte(good))
	f.Add([]byte(`{}`))
	f.Add([]byte(`[1`))
	f.Add([]byte(strings.ReplaceAll(good, "1", "99999999999999999999")))
	f.Fuzz(func(t *testing.T, data []byte) {
		o, err := parse(data)
		if err == nil && (o.Number == "" || len(o.Variants) == 0 || o.Currency == 0) {
			t.Fatalf("an offer that cannot be used was read without a word: %+v", o)
		}
	})
}

func TestWhatIsKnownOfTheMarketIsRead(t *testing.T) {
	with := strings.Replace(good, `"inventoryLevel"`,
		`"listPrice":"138.60","minimumAdvertisedPrice":"92.40","inventoryLevel"`, 1)
	with = strings.Replace(with, `"weeklyUnitsSold"`,
		`"soldElsewhere":{"stores":14,"priceCurrency":"USD","prices":["24.99","19.99","soon","-1","0"]},`+
			`"weeklyUnitsSold"`, 1)
	o, err := parse([]byte(with))
	if err != nil {
		t.Fatal(err)
	}
	if v := o.Variants[0]; v.List.Decimal() != "138.60" || v.MinAdvertised.Decimal() != "92.40" ||
		v.List.Currency() != o.Currency {
		t.Errorf("%+v", v)
	}
	if r := o.Rivals; *r.Stores != 14 || r.Currency.String() != "USD" || len(r.Prices) != 2 || r.Prices[0] != 1999 ||
		r.Prices[1] != 2499 {
		t.Errorf("lowest first, without what is no price: %+v", r)
	}
	if bare, err := parse([]byte(good)); err != nil || !bare.Variants[0].List.IsZero() || bare.Rivals.Stores != nil ||
		len(bare.Rivals.Prices) != 0 {
		t.Errorf("nothing is known: %+v %v", bare.Rivals, err)
	}
	for _, name := range []string{"listPrice", "minimumAdvertisedPrice"} {
		bad := strings.Replace(good, `"inventoryLevel"`, `"`+name+`":"call","inventoryLevel"`, 1)
		if _, err := parse([]byte(bad)); err == nil || !strings.Contains(err.Error(), "price of Q1-1") {
			t.Errorf("%s: %v", name, err)
		}
	}
}

// Which currencies the named prices of a variant are in is told only where they are not the cost's.
func TestCurrenciesOfNamedPrices(t *testing.T) {
	for want, v := range map[string]Variant{
		"":       {Cost: money.MustParse("3.00", "EUR"), List: money.MustParse("9.00", "EUR")},
		"EURGBP": {Cost: money.MustParse("3.00", "EUR"), List: money.MustParse("9.00", "GBP")},
		"USDEUR": {Cost: money.MustParse("3.00", "EUR"), MinAdvertised: money.MustParse("7.50", "USD")},
		"USDGBP": {Cost: money.MustParse("3.00", "EUR"), MinAdvertised: money.MustParse("7.50", "USD"),
			List: money.MustParse("9.00", "GBP")},
	} {
		if got := v.PricesIn(); got != want {
			t.Errorf("%q, want %q", got, want)
		}
	}
}
