package store

import (
	"encoding/json"
	"fmt"
	"net/url"
	"slices"
	"strconv"
	"strings"
)

// Product is what is sent to a store.
type Product struct {
	// Reference is our own name for it, by which it can be found again.
	Reference   string `json:"reference"`
	Title       string `json:"title"`
	Description string `json:"description_html"`
	Vendor      string `json:"vendor"`
	// Type says what kind of thing it is; Collections and Tags are names, those not there yet are made.
	Type        string   `json:"type,omitempty"`
	Collections []string `json:"collections,omitempty"`
	Tags        []string `json:"tags,omitempty"`
	// SearchTitle and SearchDescription are for search engines; empty ones are title and description.
	SearchTitle       string    `json:"search_title,omitempty"`
	SearchDescription string    `json:"search_description,omitempty"`
	Visible           bool      `json:"visible"`
	SellEmpty         bool      `json:"sell_when_out_of_stock"`
	Options           []Option  `json:"options"`
	Variants          []Variant `json:"variants"`
	// Pictures are SHA-256 hashes of pictures sent before.
	Pictures []string `json:"pictures"`
}

// Option is a way in which variants differ.
type Option struct {
	Name   string   `json:"name"`
	Values []string `json:"values"`
}

// Variant is one thing a customer can buy. Price is decimal text in the store's currency.
type Variant struct {
	Reference string   `json:"reference"`
	SKU       string   `json:"sku"`
	Values    []string `json:"values"`
	Price     string   `json:"price"`
	// WasPrice is what is shown as the earlier price, above Price; empty for none.
	WasPrice string `json:"was_price,omitempty"`
	Stock    int    `json:"stock"`
	Barcode  string `json:"barcode,omitempty"`
	Picture  string `json:"picture,omitempty"`
}

// Sent is what the store made of a product.
type Sent struct {
	ID        string `json:"id"`
	URL       string `json:"url"`
	Reference string `json:"reference,omitempty"`
	// Variants are the store's own names for variants, by our references.
	Variants []SentVariant `json:"variants,omitempty"`
}

// SentVariant is a variant as the store names it.
type SentVariant struct {
	Reference string `json:"reference"`
	ID        string `json:"id"`
}

// Found is a product as the store has it now.
type Found struct {
	Sent    Sent
	Product Product
}

// UnmarshalJSON reads both from one object.
func (f *Found) UnmarshalJSON(data []byte) error {
	if err := json.Unmarshal(data, &f.Sent); err != nil {
		return err
	}
	return json.Unmarshal(data, &f.Product)
}

// Difference is a field in which two versions of a product differ; a part of a variant has its reference.
type Difference struct {
	Field   string `json:"field"`
	Variant string `json:"variant,omitempty"`
	Ours    string `json:"ours"`
	Theirs  string `json:"theirs"`
}

// The fields of a product, as the protocol names them.
const (
	FieldTitle       = "title"
	FieldDescription = "description_html"
	FieldVendor      = "vendor"
	FieldType        = "type"
	FieldCollections = "collections"
	FieldTags        = "tags"
	FieldSearchTitle = "search_title"
	FieldSearchText  = "search_description"
	FieldVisible     = "visible"
	FieldSellEmpty   = "sell_when_out_of_stock"
	FieldOptions     = "options"
	FieldVariants    = "variants"
	FieldPictures    = "pictures"
)

// Differences lists where ours is another than theirs, in the order of the fields. Stock is one only where stock is
// asked for: a store counts it down by itself.
func Differences(ours, theirs Product, stock bool) []Difference {
	list := []Difference{}
	add := func(field, variant, a, b string) {
		if a != b {
			list = append(list, Difference{field, variant, a, b})
		}
	}
	yes := func(b bool) string { return map[bool]string{true: "yes", false: "no"}[b] }
	many := func(names []string) string { return strings.Join(names, ", ") }
	add(FieldTitle, "", ours.Title, theirs.Title)
	add(FieldDescription, "", ours.Description, theirs.Description)
	add(FieldVendor, "", ours.Vendor, theirs.Vendor)
	add(FieldType, "", ours.Type, theirs.Type)
	add(FieldCollections, "", many(ours.Collections), many(theirs.Collections))
	add(FieldTags, "", many(ours.Tags), many(theirs.Tags))
	add(FieldSearchTitle, "", ours.SearchTitle, theirs.SearchTitle)
	add(FieldSearchText, "", ours.SearchDescription, theirs.SearchDescription)
	add(FieldVisible, "", yes(ours.Visible), yes(theirs.Visible))
	add(FieldSellEmpty, "", yes(ours.SellEmpty), yes(theirs.SellEmpty))
	add(FieldOptions, "", optionText(ours.Options), optionText(theirs.Options))
	add(FieldPictures, "", many(ours.Pictures), many(theirs.Pictures))
	there := map[string]*Variant{}
	for i := range theirs.Variants {
		there[theirs.Variants[i].Reference] = &theirs.Variants[i]
	}
	for i := range ours.Variants {
		a := &ours.Variants[i]
		b := there[a.Reference]
		name := strings.Join(a.Values, " ")
		if b == nil {
			add(FieldVariants, a.Reference, "“"+name+"”", "not there")
			continue
		}
		delete(there, a.Reference)
		add("variants.values", a.Reference, name, strings.Join(b.Values, " "))
		add("variants.sku", a.Reference, a.SKU, b.SKU)
		add("variants.price", a.Reference, a.Price, b.Price)
		add("variants.was_price", a.Reference, a.WasPrice, b.WasPrice)
		add("variants.barcode", a.Reference, a.Barcode, b.Barcode)
		add("variants.picture", a.Reference, a.Picture, b.Picture)
		if stock {
			add("variants.stock", a.Reference, strconv.Itoa(a.Stock), strconv.Itoa(b.Stock))
		}
	}
	for i := range theirs.Variants {
		if b := &theirs.Variants[i]; there[b.Reference] != nil {
			add(FieldVariants, b.Reference, "not there", "“"+strings.Join(b.Values, " ")+"”")
		}
	}
	return list
}

func optionText(options []Option) string {
	parts := make([]string, len(options))
	for i, o := range options {
		parts[i] = o.Name + ": " + strings.Join(o.Values, ", ")
	}
	return strings.Join(parts, "; ")
}

// FieldsOf are the fields that have to be sent for differences to go, each once.
func FieldsOf(list []Difference) (fields []string) {
	for _, d := range list {
		field, _, _ := strings.Cut(d.Field, ".")
		if !slices.Contains(fields, field) {
			fields = append(fields, field)
		}
	}
	return fields
}

// Part is some of a product's fields, as they are sent.
func (p Product) Part(fields []string) (map[string]any, error) {
	data, err := json.Marshal(p)
	if err != nil {
		return nil, err
	}
	var all map[string]any
	if err := json.Unmarshal(data, &all); err != nil {
		return nil, err
	}
	part := map[string]any{}
	for _, f := range fields {
		switch value, there := all[f]; {
		case there:
			part[f] = value
		case f == FieldCollections || f == FieldTags:
			part[f] = []string{} // left out where empty, and to be emptied
		default:
			part[f] = ""
		}
	}
	return part, nil
}

// Checked is a product as it can be kept: its address leads to the web or nowhere. One without an id
// is ErrUnavailable.
func (p Sent) Checked(err error) (Sent, error) {
	if err != nil {
		return Sent{}, err
	}
	if u, err := url.Parse(p.URL); err != nil || (u.Scheme != "http" && u.Scheme != "https") || len(p.URL) > 2_000 ||
		strings.ContainsRune(p.URL, 0) {
		p.URL = ""
	}
	if p.ID == "" || Text(p.ID) != p.ID {
		return p, fmt.Errorf("%w (its answer names no product)", ErrUnavailable)
	}
	return p, nil
}
