package store_test

import (
	"encoding/json"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"testing"

	"plainpelican/connect/store"
)

// mug is a product with something of everything.
func mug() store.Product {
	return store.Product{Reference: "r", Title: "Mug", Description: "<p>x</p>", Vendor: "Marsh", Type: "Mug",
		Collections: []string{"Camp"}, Tags: []string{"a", "b"}, SearchTitle: "s", SearchDescription: "d",
		Visible: true,
		Options: []store.Option{{Name: "Colour", Values: []string{"Lake", "Brick"}}},
		Variants: []store.Variant{{Reference: "1", SKU: "M-1", Values: []string{"Lake"}, Price: "9.99", Stock: 4,
			Barcode: "4006381333931", Picture: "p"},
			{Reference: "2", SKU: "M-2", Values: []string{"Brick"}, Price: "8.99", WasPrice: "10.99"}},
		Pictures: []string{"p", "q"}}
}

func TestDifferencesNameTheFieldAndTheVariant(t *testing.T) {
	for name, c := range map[string]struct {
		change func(p *store.Product)
		want   []string
		fields []string
	}{
		"nothing": {func(*store.Product) {}, nil, nil},

		"a title": {func(p *store.Product) { p.Title = "Cup" }, []string{"title: Mug, Cup"},
			[]string{"title"}},
		"visibility": {func(p *store.Product) { p.Visible = false }, []string{"visible: yes, no"},
			[]string{"visible"}},
		"tags that are gone": {func(p *store.Product) { p.Tags = nil }, []string{"tags: a, b, "},
			[]string{"tags"}},
		"the order of pictures": {func(p *store.Product) { p.Pictures = []string{"q", "p"} },
			[]string{"pictures: p, q, q, p"}, []string{"pictures"}},
		"an option": {func(p *store.Product) { p.Options[0].Name = "Color" },
			[]string{"options: Colour: Lake, Brick, Color: Lake, Brick"}, []string{"options"}},
		"a price and a SKU of one variant": {func(p *store.Product) {
			p.Variants[1].Price, p.Variants[1].SKU = "1.00", "X"
		},
			[]string{"variants.sku of 2: M-2, X", "variants.price of 2: 8.99, 1.00"}, []string{"variants"}},
		"stock": {func(p *store.Product) { p.Variants[0].Stock = 1 }, []string{"variants.stock of 1: 4, 1"},
			[]string{"variants"}},
		"a variant that is gone": {func(p *store.Product) { p.Variants = p.Variants[:1] },
			[]string{"variants of 2: “Brick”, not there"}, []string{"variants"}},
		"a variant that came": {func(p *store.Product) {
			p.Variants = append(p.Variants, store.Variant{Reference: "3", Values: []string{"Moss"}})
		}, []string{"variants of 3: not there, “Moss”"}, []string{"variants"}},
		"variants in another order are the same": {func(p *store.Product) { slices.Reverse(p.Variants) }, nil, nil},
	} {
		t.Run(name, func(t *testing.T) {
			theirs := mug()
			theirs.Options[0].Values = slices.Clone(theirs.Options[0].Values)
			c.change(&theirs)
			list := store.Differences(mug(), theirs, true)
			var got []string
			for _, d := range list {
				of := ""
				if d.Variant != "" {
					of = " of " + d.Variant
				}
				got = append(got, fmt.Sprintf("%s%s: %s, %s", d.Field, of, d.Ours, d.Theirs))
			}
			if !slices.Equal(got, c.want) || !slices.Equal(store.FieldsOf(list), c.fields) {
				t.Errorf("%q, fields %v", got, store.FieldsOf(list))
			}
		})
	}
	theirs := mug()
	theirs.Variants[0].Stock = 0
	if list := store.Differences(mug(), theirs, false); len(list) != 0 {
		t.Errorf("a store that sold differs: %v", list)
	}
}

// What is sent of a product, put over what the store had, is the product (RFC 7396 for these fields).
func TestAPartOverTheOldIsTheNew(t *testing.T) {
	now := mug()
	now.Title, now.Tags, now.Collections, now.SearchTitle, now.Type = "Cup", nil, nil, "", ""
	now.Variants[0].Price = "7.99"
	fields := store.FieldsOf(store.Differences(now, mug(), true))
	part, err := now.Part(fields)
	if err != nil {
		t.Fatal(err)
	}
	if _, named := part["pictures"]; named || len(part) != len(fields) {
		t.Errorf("%v is sent of %v", part, fields)
	}
	old := mug()
	over, err := json.Marshal(part)
	if err != nil {
		t.Fatal(err)
	}
	old.Variants, old.Tags, old.Collections = nil, nil, nil // as one who reads a patch takes lists as wholes
	if err := json.Unmarshal(over, &old); err != nil {
		t.Fatal(err)
	}
	if left := store.Differences(now, old, true); len(left) != 0 {
		t.Errorf("%v", left)
	}
}

func TestAFoundProductIsReadFromOneObject(t *testing.T) {
	var f store.Found
	err := json.Unmarshal([]byte(`{"id":"7","url":"https://s.example/p","reference":"r","title":"Mug",
		"variants":[{"id":"7-1","reference":"1","sku":"M","price":"9.99","values":[]}]}`), &f)
	if err != nil || f.Sent.ID != "7" || f.Product.Title != "Mug" || f.Product.Variants[0].Price != "9.99" ||
		!reflect.DeepEqual(f.Sent.Variants, []store.SentVariant{{Reference: "1", ID: "7-1"}}) {
		t.Errorf("%v %+v", err, f)
	}
	if err := json.Unmarshal([]byte(`{"id":7}`), &f); err == nil {
		t.Error("a number was taken for a name")
	}
	if _, err := (store.Sent{ID: strings.Repeat("x", 400)}).Checked(nil); err == nil {
		t.Error("a name that cannot be kept was taken")
	}
}

// What differs is gone once each field that differs is ours again, and a field is ours without touching any other.
func TestOursGoesBackFieldByField(t *testing.T) {
	theirs := mug()
	theirs.Title, theirs.Tags, theirs.Visible, theirs.Pictures = "Cup", nil, false, []string{"q"}
	theirs.Options = []store.Option{{Name: "Shade", Values: []string{"Sea", "Brick"}}}
	theirs.Variants = []store.Variant{{Reference: "1", SKU: "X", Values: []string{"Sea"}, Price: "1.00", Stock: 2},
		{Reference: "9", Values: []string{"Brick"}, Price: "3.00"}}
	all := store.Differences(mug(), theirs, false)
	done := theirs
	for i, d := range all {
		before := store.Differences(mug(), done, false)
		done = store.WithOurs(mug(), done, []string{d.Field})
		after := store.Differences(mug(), done, false)
		for _, left := range after {
			if left.Field == d.Field && left.Variant == d.Variant ||
				!slices.ContainsFunc(before, func(b store.Difference) bool { return b == left }) &&
					left.Field != "variants.values" {
				t.Errorf("%d, %s: %+v is left", i, d.Field, left)
			}
		}
	}
	done = store.WithOurs(mug(), done, []string{store.FieldOptions})
	if left := store.Differences(mug(), done, false); len(left) != 0 || done.Variants[0].Stock != 2 {
		t.Errorf("%+v, %+v", left, done.Variants)
	}
}
