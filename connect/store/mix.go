package store

import (
	"slices"
	"strings"
)

// WithOurs is theirs with the fields that are named as ours has them, and all else as theirs has it: stock above all,
// which a store counts down by itself. A part of variants is named "variants.price", say.
func WithOurs(ours, theirs Product, fields []string) Product {
	p := theirs
	p.Variants = slices.Clone(theirs.Variants)
	for _, field := range fields {
		switch field {
		case FieldTitle:
			p.Title = ours.Title
		case FieldDescription:
			p.Description = ours.Description
		case FieldVendor:
			p.Vendor = ours.Vendor
		case FieldType:
			p.Type = ours.Type
		case FieldCollections:
			p.Collections = ours.Collections
		case FieldTags:
			p.Tags = ours.Tags
		case FieldSearchTitle:
			p.SearchTitle = ours.SearchTitle
		case FieldSearchText:
			p.SearchDescription = ours.SearchDescription
		case FieldVisible:
			p.Visible = ours.Visible
		case FieldSellEmpty:
			p.SellEmpty = ours.SellEmpty
		case FieldPictures:
			p.Pictures = ours.Pictures
		case FieldOptions, "variants.values": // neither can be without the other
			p.Options = ours.Options
			p.eachOf(ours, func(there, sent *Variant) { there.Values = sent.Values })
		case FieldVariants:
			p.Variants = variantsOf(ours, p)
		default:
			p.eachOf(ours, func(there, sent *Variant) { there.set(field, sent) })
		}
	}
	return p
}

// variantsOf are the variants of ours, each as theirs has it where it is there.
func variantsOf(ours, theirs Product) []Variant {
	list := slices.Clone(ours.Variants)
	for i := range list {
		if at := theirs.VariantIndex(list[i].Reference); at >= 0 {
			list[i] = theirs.Variants[at]
		}
	}
	return list
}

// set gives a variant one figure of another.
func (v *Variant) set(field string, from *Variant) {
	switch strings.TrimPrefix(field, FieldVariants+".") {
	case "sku":
		v.SKU = from.SKU
	case "price":
		v.Price = from.Price
	case "was_price":
		v.WasPrice = from.WasPrice
	case "barcode":
		v.Barcode = from.Barcode
	case "picture":
		v.Picture = from.Picture
	}
}

// eachOf calls do with each variant and the one of the same reference that from has.
func (p *Product) eachOf(from Product, do func(there, sent *Variant)) {
	for i := range p.Variants {
		if at := from.VariantIndex(p.Variants[i].Reference); at >= 0 {
			do(&p.Variants[i], &from.Variants[at])
		}
	}
}

// VariantIndex is the index of the variant with a reference, -1 where there is none.
func (p *Product) VariantIndex(reference string) int {
	return slices.IndexFunc(p.Variants, func(v Variant) bool { return v.Reference == reference })
}
