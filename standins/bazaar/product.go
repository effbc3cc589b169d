package bazaar

import (
	"encoding/json"
	"fmt"
	"html/template"
	"net/http"
	"strconv"
	"strings"
	"time"

	"plainpelican/standins/gen"
)

// decimal writes minor units as decimal text.
func decimal(minor, digits int) string {
	text := strconv.Itoa(minor)
	if digits == 0 {
		return text
	}
	if len(text) <= digits {
		text = strings.Repeat("0", digits+1-len(text)) + text
	}
	return text[:len(text)-digits] + "." + text[len(text)-digits:]
}

type object = map[string]any

// product is an offer in the words of schema.org, as docs/protocols/source.md lays down.
func (b *Server) product(r *http.Request, o gen.Offer) object {
	host := "http://" + r.Host
	pictures := make([]string, len(o.Pictures))
	for i, name := range o.Pictures {
		pictures[i] = host + "/pictures/" + name + ".jpg"
	}
	s := o.Supplier
	variants := make([]object, len(o.Variants))
	for i, v := range o.Variants {
		properties := make([]object, len(v.Values))
		for j, value := range v.Values {
			properties[j] = object{"@type": "PropertyValue", "name": o.OptionNames[j], "value": value}
		}
		variants[i] = object{
			"@type": "Product", "sku": v.SKU, "additionalProperty": properties, "image": pictures[v.Picture],
			"weight": object{"@type": "QuantitativeValue", "value": v.Grams, "unitCode": "GRM"},
			"offers": object{"@type": "Offer", "price": decimal(v.Price, s.Digits), "priceCurrency": s.Currency,
				"inventoryLevel": object{"@type": "QuantitativeValue", "value": v.Stock}},
		}
		if v.GTIN != "" {
			variants[i]["gtin13"] = v.GTIN
		}
		for name, minor := range map[string]int{"listPrice": v.List, "minimumAdvertisedPrice": v.Least} {
			if minor > 0 {
				variants[i]["offers"].(object)[name] = decimal(minor, s.Digits)
			}
		}
	}
	shipping := make([]object, len(o.Deliveries))
	for i, d := range o.Deliveries {
		shipping[i] = object{
			"@type": "OfferShippingDetails", "name": d.Name, "shippingDestination": d.To,
			"shippingRate": object{"@type": "MonetaryAmount", "value": decimal(d.First, s.Digits),
				"currency": s.Currency},
			"shippingRateFurther": object{"@type": "MonetaryAmount", "value": decimal(d.Further, s.Digits),
				"currency": s.Currency},
			"transitTime": object{"@type": "QuantitativeValue", "minValue": d.Min, "maxValue": d.Max,
				"unitCode": "DAY"},
			"tracked": d.Tracked, "telephoneRequired": d.Phone(),
		}
	}
	body := object{
		"@context": "https://schema.org", "@type": "ProductGroup", "productGroupID": o.Number, "name": o.Title,
		"description": o.Description,
		"category":    o.Category, "image": pictures, "variesBy": o.OptionNames, "hasVariant": variants,
		"url": host + "/p/" + o.Number,
		"seller": object{"@type": "Organization", "identifier": s.Number, "name": s.Name, "addressCountry": s.Country,
			"verified": s.Verified,
			"rating":   decimal(s.Rating, 1), "onTimePercent": s.OnTime},
		"shippingDetails": shipping,
		"handlingTime": object{"@type": "QuantitativeValue", "minValue": o.Processing[0],
			"maxValue": o.Processing[1], "unitCode": "DAY"},
		"aggregateRating": object{"@type": "AggregateRating", "ratingValue": decimal(o.Rating, 1),
			"ratingCount": o.Ratings},
		"hasMerchantReturnPolicy": object{"@type": "MerchantReturnPolicy", "merchantReturnDays": o.ReturnDays},
		"weeklyUnitsSold":         o.Weekly, "packsWithBuyersBrand": o.OwnPacking,
		"dateModified": moment(o.Changed).Format(time.RFC3339),
	}
	if o.Rivals.Stores > 0 {
		seen := make([]string, len(o.Rivals.Prices))
		for i, cents := range o.Rivals.Prices {
			seen[i] = decimal(cents, 2)
		}
		body["soldElsewhere"] = object{"stores": o.Rivals.Stores, "priceCurrency": "USD", "prices": seen}
	}
	if o.Brand != "" {
		body["brand"] = o.Brand
	}
	if o.Withdrawn {
		body["discontinued"] = true
	}
	return body
}

var productPage = template.Must(template.New("page").
	Parse(`<!doctype html><html lang="en"><meta charset="utf-8"><title>{{.Title}} | {{.Shop}}</title>
<meta name="viewport" content="width=device-width"><script type="application/ld+json">{{.Data}}</script>
<style>body{font:16px system-ui;margin:0;color:#222}header{background:#4b2e63;color:#fff;padding:12px ` +
		`24px}main{max-width:900px;margin:24px auto;padding:0 24px}img{width:200px;margin:0 8px 8px 0}</style>
<header>{{.Shop}}</header><main>{{if .Gone}}<h1>This item is no longer sold</h1><p>{{.Seller}} has withdrawn it.</p>
{{else}}
<h1>{{.Title}}</h1><p>Sold by {{.Seller}}</p>{{range .Pictures}}<img src="{{.}}" alt="">{{end}}<table>{{range .Rows}}
<tr><td>{{.}}</td></tr>{{end}}</table>{{end}}</main></html>`))

func (b *Server) page(w http.ResponseWriter, r *http.Request) {
	o, found := b.find(r.PathValue("number"))
	if !found {
		http.NotFound(w, r)
		return
	}
	product := b.product(r, o)
	data, err := json.Marshal(product)
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	rows := []string{}
	for _, v := range o.Variants {
		rows = append(rows,
			fmt.Sprintf("%s: %s %s, %d in stock", strings.Join(v.Values, ", "), decimal(v.Price, o.Supplier.Digits),
				o.Supplier.Currency, v.Stock))
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	if o.Withdrawn {
		w.WriteHeader(http.StatusGone)
	}
	_ = productPage.Execute(w,
		object{"Title": o.Title, "Shop": b.Name, "Seller": o.Supplier.Name, "Pictures": product["image"],
			// made by json.Marshal, which escapes <, > and &
			"Rows": rows, "Data": template.JS(data), "Gone": o.Withdrawn})
}
