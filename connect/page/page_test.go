package page

import (
	"errors"
	"fmt"
	"strings"
	"testing"
)

const address = "https://shop.example/p/lamp?x=1#top"

func page(script string) string {
	return `<!doctype html><html><head><title>x</title><script type="application/ld+json">` + script +
		`</script></head><body><h1>Lamp</h1></body></html>`
}

// The properties are those of schema.org's Product, ProductGroup, Offer, OfferShippingDetails,
// MerchantReturnPolicy and AggregateRating; the goods are made up.
const group = `{"@context":"https://schema.org/","@graph":[{"@type":"BreadcrumbList"},{"@type":"ProductGroup",` +
	`"@id":"#g","name":"Storm lamp","description":"Burns <b>long</b></p>","productGroupID":"SL",
"brand":{"@type":"Brand","name":"Ostrava"},"variesBy":["https://schema.org/color","https://schema.org/size"],` +
	`"image":["/1.jpg",{"@type":"ImageObject","contentUrl":"https://cdn.example/2.jpg"}],
"hasVariant":[{"@type":"Product","sku":"SL-1","gtin13":"4006381333931","color":"Tin","size":"L",` +
	`"image":"https://cdn.example/2.jpg","weight":{"@type":"QuantitativeValue","value":"0.41","unitCode":"KGM"},
 "offers":{"@type":"Offer","price":"9.80","priceCurrency":"EUR","availability":"https://schema.org/InStock",` +
	`"inventoryLevel":{"value":14},
 "shippingDetails":[{"@type":"OfferShippingDetails","shippingRate":{"value":4.9,"currency":"EUR"},` +
	`"shippingDestination":[{"@type":"DefinedRegion","addressCountry":"DE"},{"addressCountry":"FR"}],
  "deliveryTime":{"handlingTime":{"minValue":1,"maxValue":2},"transitTime":{"minValue":3,"maxValue":5}},` +
	`"shippingOrigin":{"addressCountry":"nl"}}],
 "hasMerchantReturnPolicy":{"@type":"MerchantReturnPolicy","merchantReturnDays":30}}},
 {"@type":"Product","sku":"SL-2","color":"Brass","size":"S","offers":[{"@type":"Offer","price":12,` +
	`"priceCurrency":"EUR","availability":"OutOfStock"}]}],
"aggregateRating":{"ratingValue":"8.6","bestRating":10,"reviewCount":31}}]}`

func TestAGroupWithVariantsIsRead(t *testing.T) {
	f, err := Read([]byte(page(group)), "text/html; charset=utf-8", address)
	if err != nil {
		t.Fatal(err)
	}
	o := f.Offer
	if f.From != "JSON-LD" || o.Title != "Storm lamp" || o.Brand != "Ostrava" ||
		o.Number != "shop.example/p/lamp?x=1" || o.Supplier.Name != "shop.example" || o.Supplier.Country != "NL" ||
		*o.ReturnDays != 30 || o.Rating != 43 || o.Ratings != 31 {
		t.Errorf("%+v", o)
	}
	if fmt.Sprint(o.OptionNames) != "[Colour Size]" ||
		fmt.Sprint(o.Pictures) != "[https://shop.example/1.jpg https://cdn.example/2.jpg]" || o.Processing.Max != 2 {
		t.Errorf("%v %v %v", o.OptionNames, o.Pictures, o.Processing)
	}
	if v := o.Variants[0]; v.Number != "SL-1" || v.Cost.String() != "9.80 EUR" || v.Stock != 14 || v.Picture != 1 ||
		v.WeightGrams != 410 || fmt.Sprint(v.Values) != "[Tin L]" || v.Barcode != "4006381333931" {
		t.Errorf("%+v", v)
	}
	if v := o.Variants[1]; v.Cost.String() != "12.00 EUR" || v.Stock != 0 {
		t.Errorf("%+v", v)
	}
	if d := o.Deliveries; len(d) != 1 || d[0].First.String() != "4.90 EUR" || fmt.Sprint(d[0].To) != "[DE FR]" ||
		d[0].Transit.Max != 5 {
		t.Errorf("%+v", d)
	}
	if len(f.Missing) != 0 {
		t.Errorf("missing %v", f.Missing)
	}
}

func TestWhatAPageDoesNotSayIsLeftEmptyAndNamed(t *testing.T) {
	f, err := Read([]byte(page(`[{"@type":["Thing","Product"],"name":"Mug","offers":{"@type":"AggregateOffer",`+
		`"lowPrice":"1,299.00","priceCurrency":"usd"}}]`)), "", address)
	if err != nil {
		t.Fatal(err)
	}
	if v := f.Offer.Variants[0]; v.Cost.String() != "1299.00 USD" || v.Stock != 0 || len(f.Offer.Deliveries) != 0 ||
		f.Offer.Supplier.Country != "" {
		t.Errorf("%+v", f.Offer)
	}
	for _, fact := range []string{"pictures", "how many there are", "delivery and its charges", "where it ships from",
		"a barcode"} {
		if !strings.Contains(strings.Join(f.Missing, "|"), fact) {
			t.Errorf("%s is not said to be missing: %v", fact, f.Missing)
		}
	}
}

const micro = `<div itemscope itemtype="https://schema.org/Product"><h1 itemprop="name">Kettle</h1>
	<img itemprop="image" src="k.jpg"><meta itemprop="sku" content="K1">
<div itemprop="offers" itemscope itemtype="http://schema.org/Offer">
<span itemprop="price" content="13.40">13,40 €</span><meta itemprop="priceCurrency" content="EUR">
<link itemprop="availability" href="https://schema.org/InStock"></div>
<div itemprop="aggregateRating" itemscope itemtype="https://schema.org/AggregateRating">
<b itemprop="ratingValue">4.5</b><i itemprop="ratingCount">12</i></div></div>`

const og = `<meta property="og:type" content="product"><meta property="og:title" content="Bell">
	<meta property="og:image" content="/bell.jpg"><meta property="og:site_name" content="Old Mill">
<meta property="product:price:amount" content="3.10"><meta property="product:price:currency" content="GBP">
<meta property="product:availability" content="in stock">`

func TestMicrodataThenOpenGraph(t *testing.T) {
	f, err := Read([]byte(micro), "text/html", address)
	if err != nil || f.From != "microdata" || f.Offer.Title != "Kettle" ||
		f.Offer.Variants[0].Cost.String() != "13.40 EUR" || f.Offer.Variants[0].Stock != 1 || f.Offer.Rating != 45 ||
		f.Offer.Pictures[0] != "https://shop.example/p/k.jpg" {
		t.Errorf("%v %+v", err, f)
	}
	f, err = Read([]byte(og), "text/html", address)
	if err != nil || f.From != "Open Graph" || f.Offer.Title != "Bell" ||
		f.Offer.Variants[0].Cost.String() != "3.10 GBP" || f.Offer.Supplier.Name != "Old Mill" {
		t.Errorf("%v %+v", err, f)
	}
	// JSON-LD comes first; where it has no price, the microdata beside it is taken.
	if f, err = Read([]byte(page(`{"@type":"Product","name":"Teaser"}`)+micro), "text/html", address); err != nil ||
		f.From != "microdata" {
		t.Errorf("%v %s", err, f.From)
	}
}

func TestPagesWithoutAProduct(t *testing.T) {
	for name, c := range map[string]struct {
		body, kind, want string
	}{
		"a login":     {`<form><input type="password"></form>`, "text/html", ErrSignIn.Error()},
		"an article":  {`<h1>News</h1>`, "text/html", ErrNoProduct.Error()},
		"broken JSON": {page(`{"@type":"Product","name":`), "text/html", ErrNoProduct.Error()},
		"a picture":   {"\xff\xd8\xff", "image/jpeg", ErrNotHTML.Error()},
		"no price": {page(`{"@type":"Product","name":"Mug"}`), "text/html",
			"does not say what it costs"},
		"price 0": {page(`{"@type":"Product","name":"Mug","offers":{"price":0,"priceCurrency":"USD"}}`),
			"text/html", "the price is 0.00 USD"},
		"a price to ask for": {page(`{"@type":"Product","name":"Mug","offers":{"price":"call","priceCurrency":"USD"}}`),
			"text/html", "not an amount"},
		"an unknown currency": {page(`{"@type":"Product","name":"Mug","offers":{"price":"1","priceCurrency":"QQQ"}}`),
			"text/html", "“QQQ” is not a currency"},
		"no currency": {page(`{"@type":"Product","name":"Mug","offers":{"price":"1"}}`), "text/html",
			"in which currency"},
		"stock below nothing": {
			page(`{"@type":"Product","name":"Mug","offers":{"price":"1","priceCurrency":"USD",` +
				`"inventoryLevel":{"value":-2}}}`), "text/html", "less than none"},
		"a product without a name": {page(`{"@type":"Product","offers":{"price":"1","priceCurrency":"USD"}}`),
			"text/html", "has no name"},
	} {
		t.Run(name, func(t *testing.T) {
			if _, err := Read([]byte(c.body), c.kind, address); err == nil || !strings.Contains(err.Error(), c.want) {
				t.Errorf("%v", err)
			}
		})
	}
	if _, err := Read(nil, "", "://"); !errors.Is(err, ErrNotHTML) {
		t.Errorf("%v", err)
	}
}

// Several ways in which pages mislead: each ends in the right cost, or in a sentence.
func TestPagesOfStrangers(t *testing.T) {
	offer := func(rest string) string {
		return page(`{"@type":"Product","name":"Mug","sku":"M","offers":` + rest + `}`)
	}
	for name, c := range map[string]struct{ body, want string }{
		"a base for the whole shop": {`<base href="https://shop.example/">` +
			offer(`{"price":"2.00","priceCurrency":"EUR"}`), "shop.example/p/lamp?x=1 M=2.00 EUR"},
		"its canonical address": {`<link rel="canonical" href="/p/lamp">` +
			offer(`{"price":"2.00","priceCurrency":"EUR"}`), "shop.example/p/lamp M=2.00 EUR"},
		"canonical is the first page": {`<link rel="canonical" href="/">` +
			offer(`{"price":"2.00","priceCurrency":"EUR"}`), "shop.example/p/lamp?x=1 M=2.00 EUR"},
		"canonical is another host": {`<link rel="canonical" href="https://other.example/x">` +
			offer(`{"price":"2.00","priceCurrency":"EUR"}`), "shop.example/p/lamp?x=1 M=2.00 EUR"},
		"two products, one is meant": {
			page(
				`[{"@type":"Product","name":"Cup","url":"/p/cup","offers":{"price":"1.00","priceCurrency":"EUR"}},` +
					`{"@type":"Product","name":"Lamp","sku":"L","url":"/p/lamp?x=1","offers":{"price":"2.00",` +
					`"priceCurrency":"EUR"}}]`), "shop.example/p/lamp?x=1 L=2.00 EUR"},
		"two products, none is meant": {
			page(
				`[{"@type":"Product","name":"Cup","offers":{"price":"1.00","priceCurrency":"EUR"}},` +
					`{"@type":"Product","name":"Jug","offers":{"price":"2.00","priceCurrency":"EUR"}}]`),
			"the page shows 2 products (Cup, Jug …)"},
		"a range": {
			offer(`{"@type":"AggregateOffer","lowPrice":"2.00","highPrice":"9.00","priceCurrency":"EUR"}`),
			"a range of prices, 2.00 to 9.00 EUR"},
		"an aggregate of offers": {
			offer(
				`{"@type":"AggregateOffer","lowPrice":"2.00","highPrice":"3.00","priceCurrency":"EUR",` +
					`"offers":[{"sku":"A","name":"small","price":"2.00","priceCurrency":"EUR"},{"sku":"B",` +
					`"name":"large","price":"3.00","priceCurrency":"EUR"}]}`),
			"shop.example/p/lamp?x=1 A=2.00 EUR small B=3.00 EUR large"},
		"a price by the kilogram": {
			offer(
				`{"priceCurrency":"EUR","priceSpecification":[{"@type":"UnitPriceSpecification","price":"10.00",` +
					`"referenceQuantity":{"value":1,"unitCode":"KGM"}},{"@type":"UnitPriceSpecification",` +
					`"price":"2.50"}]}`), "shop.example/p/lamp?x=1 M=2.50 EUR"},
		"a price that is struck": {
			offer(`{"priceCurrency":"EUR","priceSpecification":[{"price":"9.00",` +
				`"priceType":"https://schema.org/ListPrice"},{"price":"4.00"}]}`),
			"shop.example/p/lamp?x=1 M=4.00 EUR"},
		"prices by quantity": {
			offer(`[{"price":"1.50","priceCurrency":"EUR","eligibleQuantity":{"minValue":10}},{"price":"2.00",` +
				`"priceCurrency":"EUR"}]`), "shop.example/p/lamp?x=1 M=2.00 EUR"},
		"a line end and a comma": {
			page(
				"{\"@type\":\"Product\",\"name\":\"Mug\",\"sku\":\"M\",\"description\":\"two\nlines, " +
					"\\\"quoted\\\"\",\"offers\":{\"price\":\"2.00\",\"priceCurrency\":\"EUR\",},}"),
			"shop.example/p/lamp?x=1 M=2.00 EUR"},
		"thousands or decimals": {offer(`{"price":"1,250","priceCurrency":"EUR"}`),
			"may be thousands or three decimals"},
	} {
		t.Run(name, func(t *testing.T) {
			f, err := Read([]byte(c.body), "text/html", address)
			got := fmt.Sprint(err)
			if err == nil {
				got = f.Offer.Number
				for _, v := range f.Offer.Variants {
					got += strings.TrimRight(" "+v.Number+"="+v.Cost.String()+" "+strings.Join(v.Values, "/"), " ")
				}
			}
			if got != c.want && (err == nil || !strings.Contains(got, c.want)) {
				t.Errorf("%s, want %s", got, c.want)
			}
		})
	}
}

func FuzzPage(f *testing.F) {
	for _, seed := range []string{page(group), micro, og,
		page(`{"@id":"a","@type":"Product","hasVariant":{"@id":"a"}}`),
		strings.Repeat("<div itemscope itemprop=x>", 300)} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, body string) {
		found, err := Read([]byte(body), "text/html", address)
		if err == nil &&
			(found.Offer.Title == "" || len(found.Offer.Variants) == 0 || found.Offer.Currency == 0 ||
				found.From == "") {
			t.Fatalf("a product that cannot be used was read without a word: %+v", found)
		}
	})
}

// Variants that a page tells as products of one name, and JSON that is mended only where browsers' tools would.
func TestProductsOfOneNameAreVariants(t *testing.T) {
	offer := func(sku, price string) string {
		return `{"@type":"Product","name":"Mug","sku":"` + sku + `","offers":{"price":"` + price +
			`","priceCurrency":"EUR"}}`
	}
	f, err := Read([]byte(page("["+offer("A", "2.00")+","+offer("B", "3.00")+","+offer("A", "2.00")+",]")), "text/html",
		address)
	if err != nil || len(f.Offer.Variants) != 2 || f.Offer.Variants[1].Number != "B" ||
		f.Offer.Variants[1].Cost.String() != "3.00 EUR" {
		t.Errorf("%v %+v", err, f.Offer)
	}
	for text, want := range map[string]string{
		`{"a":[1,2,],}`: `{"a":[1,2]}`, "{\"a\":\"x\ny\tz\"}": `{"a":"x y z"}`, `{"a":",]"}`: `{"a":",]"}`,
		`{"a":"\",]"}`: `{"a":"\",]"}`, "[1 ,\n ]": "[1 \n ]", `{"a":1,,}`: `{"a":1,}`, `{"a":"\\"}`: `{"a":"\\"}`,
	} {
		if got := mended(text); got != want {
			t.Errorf("%s became %s, want %s", text, got, want)
		}
	}
	// Mending takes time in proportion to the text, whatever it is made of.
	if got := mended(strings.Repeat("[1,]", 500_000)); len(got) != 1_500_000 {
		t.Errorf("%d bytes", len(got))
	}
}
