package files

import (
	"archive/zip"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"plainpelican/connect/store"
	"plainpelican/platform/spreadsheet"
)

// Columns are those of the CSV of products: a row for each variant, the product's own in each of them.
var Columns = []string{"product", "variant", "title", "description", "vendor", "type", "collections", "tags",
	"search title", "search description", "visible", "options", "values", "sku", "price", "was price", "currency",
	"stock",
	"sell when out of stock", "barcode", "picture", "pictures"}

func yes(b bool) string { return map[bool]string{true: "yes", false: "no"}[b] }

// files are pictures by the names that they have in the zip.
func files(hashes []string, names map[string]string) string {
	list := make([]string, len(hashes))
	for i, h := range hashes {
		list[i] = names[h]
	}
	return strings.Join(list, " ")
}

// CSV writes products, comma-separated in UTF-8 (RFC 4180). Names says what each picture's file is called.
func CSV(w io.Writer, products []store.Found, currency string, names map[string]string) error {
	out := spreadsheet.NewWriter(w)
	if err := out.Write(Columns); err != nil {
		return err
	}
	for _, f := range products {
		p := f.Product
		options := make([]string, len(p.Options))
		for i, o := range p.Options {
			options[i] = o.Name
		}
		for _, v := range p.Variants {
			picture := ""
			if v.Picture != "" {
				picture = names[v.Picture]
			}
			if err := out.Write([]string{f.Sent.ID, v.Reference, p.Title, p.Description, p.Vendor, p.Type,
				strings.Join(p.Collections, ", "), strings.Join(p.Tags, ", "), p.SearchTitle, p.SearchDescription,
				yes(p.Visible), strings.Join(options, " / "), strings.Join(v.Values, " / "), v.SKU, v.Price, v.WasPrice,
				currency, strconv.Itoa(v.Stock), yes(p.SellEmpty), v.Barcode, picture,
				files(p.Pictures, names)}); err != nil {
				return err
			}
		}
	}
	out.Flush()
	return out.Error()
}

// JSONLD writes the products that customers see as schema.org products: one with several variants is a group of them.
func JSONLD(w io.Writer, products []store.Found, currency string, names map[string]string) error {
	graph := []map[string]any{}
	for _, f := range products {
		p := f.Product
		if !p.Visible || len(p.Variants) == 0 {
			continue
		}
		images := make([]string, len(p.Pictures))
		for i, h := range p.Pictures {
			images[i] = names[h]
		}
		one := map[string]any{"@type": "Product", "@id": "#product-" + f.Sent.ID, "name": p.Title,
			"description": p.Description, "brand": map[string]any{"@type": "Brand", "name": p.Vendor}, "image": images}
		if p.Type != "" {
			one["category"] = p.Type
		}
		if len(p.Variants) == 1 {
			describe(one, p, p.Variants[0], currency, names)
		} else {
			one["@type"], one["productGroupID"] = "ProductGroup", f.Sent.ID
			var varies []string
			for _, o := range p.Options {
				varies = append(varies, o.Name)
			}
			one["variesBy"] = varies
			var variants []map[string]any
			for _, v := range p.Variants {
				variant := map[string]any{"@type": "Product", "name": p.Title + ", " + strings.Join(v.Values, " ")}
				describe(variant, p, v, currency, names)
				variants = append(variants, variant)
			}
			one["hasVariant"] = variants
		}
		graph = append(graph, one)
	}
	out := json.NewEncoder(w)
	out.SetIndent("", "  ")
	return out.Encode(map[string]any{"@context": "https://schema.org", "@graph": graph})
}

// describe fills in what a variant is sold for and as.
func describe(into map[string]any, p store.Product, v store.Variant, currency string, names map[string]string) {
	availability := "https://schema.org/InStock"
	if v.Stock == 0 {
		availability = "https://schema.org/OutOfStock"
		if p.SellEmpty {
			availability = "https://schema.org/BackOrder"
		}
	}
	into["sku"] = v.SKU
	if v.Barcode != "" {
		into["gtin"] = v.Barcode
	}
	if v.Picture != "" {
		into["image"] = names[v.Picture]
	}
	properties := []map[string]any{}
	for i, value := range v.Values {
		if i < len(p.Options) {
			properties = append(properties, map[string]any{"@type": "PropertyValue", "name": p.Options[i].Name,
				"value": value})
		}
	}
	if len(properties) > 0 {
		into["additionalProperty"] = properties
	}
	into["offers"] = map[string]any{"@type": "Offer", "price": v.Price, "priceCurrency": currency,
		"availability": availability, "inventoryLevel": map[string]any{"@type": "QuantitativeValue", "value": v.Stock}}
}

// Names says what the file of each picture is called, by its hash: its hash, with what kind of picture it is. Read
// gives its content.
func Names(products []store.Found, read func(hash string) ([]byte, error)) (map[string]string, error) {
	names := map[string]string{}
	for _, f := range products {
		for _, h := range f.Product.Pictures {
			if names[h] != "" {
				continue
			}
			content, err := read(h)
			if err != nil {
				return nil, fmt.Errorf("picture %.8s: %w", h, err)
			}
			names[h] = h[:min(len(h), 20)] + extension(content)
		}
	}
	return names, nil
}

func extension(content []byte) string {
	switch http.DetectContentType(content) {
	case "image/png":
		return ".png"
	case "image/webp":
		return ".webp"
	case "image/gif":
		return ".gif"
	}
	return ".jpg"
}

// Zip writes pictures under their names.
func Zip(w io.Writer, names map[string]string, read func(hash string) ([]byte, error)) error {
	out := zip.NewWriter(w)
	hashes := make([]string, 0, len(names))
	for h := range names {
		hashes = append(hashes, h)
	}
	slices.Sort(hashes)
	for _, h := range hashes {
		content, err := read(h)
		if err != nil {
			return err
		}
		// Pictures are packed already.
		file, err := out.CreateHeader(&zip.FileHeader{Name: names[h], Method: zip.Store})
		if err != nil {
			return err
		}
		if _, err := file.Write(content); err != nil {
			return err
		}
	}
	return out.Close()
}
