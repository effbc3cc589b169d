package edit

import (
	"encoding/json"
	"errors"
	"math/rand/v2"
	"reflect"
	"slices"
	"strings"
	"testing"

	"plainpelican/core/variant"
)

func one(n int) *int { return &n }

func text(s string) *string { return &s }

// sample is a draft with something of everything.
func sample() Draft {
	return Draft{Title: "Mug", Description: "<p>Mail a@b.example. A mug.</p>",
		Pictures: []Picture{{0, "https://p/0", true}, {1, "https://p/1", false}},
		Options: []variant.Option{{Name: "Color", Original: "Color",
			Values: []variant.Value{{Name: "Red", Original: "Red"}, {Name: "Blue", Original: "Blue"}}}},
		Collections: []string{"Camp"}, Tags: []string{"new"}, OfferID: 7,
		Variants: []Variant{{ID: 1, Name: "Red", Chosen: true, Values: []int{0}, Codes: Codes{"R-1", "4006381333931"},
			Purchase: Purchase{1, 11, one(0), 0}},
			{ID: 2, Name: "Blue", Chosen: true, Values: []int{1}, Purchase: Purchase{2, 12, one(1), 0}}},
		Type: "Mug", Own: map[int64]OwnWords{9: {Title: "Own"}}, Reserve: 1, TrayID: 4,
		Prices: map[PriceKey]int64{{1, 1}: 1999}}
}

func TestOperations(t *testing.T) {
	for name, c := range map[string]struct {
		op      Operation
		touched []Field
		moves   bool
		check   func(d *Draft) bool
	}{
		"a title": {SetTitle{"  Blue \n mug "}, []Field{Title}, false, func(d *Draft) bool {
			return d.Title == "Blue mug"
		}},
		"a description": {SetDescription{"<p>x</p>"}, []Field{Description}, false,
			func(d *Draft) bool { return d.Description == "<p>x</p>" }},
		"contact details": {RemoveContacts{}, []Field{Description}, false,
			func(d *Draft) bool { return d.Description == "<p>A mug.</p>" }},
		"pictures": {ArrangePictures{[]PictureChoice{{1, true}, {0, false}}}, []Field{Pictures}, false,
			func(d *Draft) bool {
				return slices.Equal(d.Pictures, []Picture{{1, "https://p/1", true}, {0, "https://p/0", false}})
			}},
		"pictures that are not named stay behind": {ArrangePictures{[]PictureChoice{{1, true}}}, []Field{Pictures},
			false,
			func(d *Draft) bool { return d.Pictures[0].ID == 1 && d.Pictures[1].ID == 0 && d.Pictures[1].Shown }},
		"options": {RenameOptions{[]variant.Option{{Name: " Colour ", Original: "Color",
			Values: []variant.Value{{Name: "Lake", Original: "Red"}, {Name: "Blue", Original: "Blue"}}}}},
			[]Field{Options}, false,
			func(d *Draft) bool { return d.Options[0].Name == "Colour" && d.Options[0].Values[0].Name == "Lake" }},
		"a choice": {ChooseVariants{Chosen: []int64{2}}, []Field{Chosen}, false,
			func(d *Draft) bool { return !d.Variants[0].Chosen && d.Variants[1].Chosen }},
		"collections": {SetCollections{[]string{" A ", "A", ""}}, []Field{Collections}, true,
			func(d *Draft) bool { return slices.Equal(d.Collections, []string{"A"}) }},
		"tags": {SetTags{nil}, []Field{Tags}, true, func(d *Draft) bool { return len(d.Tags) == 0 }},
		"prices": {SetPrices{1, []VariantPrice{{1, 0}, {2, 500}}}, []Field{"price:1:1", "price:1:2"}, true,
			func(d *Draft) bool { return len(d.Prices) == 1 && d.Prices[PriceKey{1, 2}] == 500 }},
		"a vendor": {SetText{Vendor, " Marsh  & Co "}, []Field{Vendor}, false,
			func(d *Draft) bool { return d.Vendor == "Marsh & Co" }},
		"a search description": {SetText{SearchDescription, "Found"}, []Field{SearchDescription}, false,
			func(d *Draft) bool { return d.SearchDescription == "Found" }},
		"words of one store": {SetOwnWords{9, Title, ""}, []Field{"own:9:title"}, false, func(d *Draft) bool {
			title, _ := d.Words(9)
			return title == "Mug" && len(d.Own) == 0
		}},
		"a description of another store": {SetOwnWords{8, Description, "<p>x</p>"}, []Field{"own:8:description"}, false,
			func(d *Draft) bool { return d.Own[8].Description == "<p>x</p>" && d.Own[9].Title == "Own" }},
		"a delivery": {SetText{Delivery, "Tracked"}, []Field{Delivery}, true,
			func(d *Draft) bool { return d.Delivery == "Tracked" }},
		"a tray": {SetTray{7}, []Field{Tray}, false, func(d *Draft) bool { return d.TrayID == 7 }},
		"a reserve": {SetReserve{5}, []Field{Reserve}, false,
			func(d *Draft) bool { return InStock(7, d.Reserve) == 2 }},
		"codes that go": {SetCodes{[]VariantCodes{{VariantID: 2, SKU: text("R-1")},
			{VariantID: 1, SKU: text(""), Barcode: text("")}}}, []Field{"sku:2", "sku:1", "barcode:1"}, false,
			func(d *Draft) bool { return d.Variants[1].SKU == "R-1" && d.Variants[0].Codes == Codes{} }},
		"discarding": {SetDiscarded{true}, []Field{Discarded}, true, func(d *Draft) bool { return d.Discarded }},
		"other options": {Reshape{variant.Shape{Options: []variant.Option{{Name: "Size", Original: "Color",
			Values: []variant.Value{{Name: "S", Original: "S"}}}}, Variants: []variant.Variant{
			{ID: 2, Values: []int{0}}, {ID: 1, Values: []int{0}, Dropped: true}}}}, []Field{Options, Chosen}, true,
			func(d *Draft) bool {
				return d.Variants[0].ID == 2 && d.Variants[0].Name == "S" && d.Variants[1].Dropped &&
					d.Variants[0].OfferVariantID == 12 && slices.Equal(d.Chosen(), []int64{2})
			}},
		"another offer": {BuyAs{OfferID: 8, Chosen: []int64{1},
			Purchases: []Purchase{{1, 21, one(0), 0}, {2, 0, one(1), 0}},
			Pictures:  []Picture{{0, "https://p/0", true}, {1, "https://p/1", false}, {2, "https://q/0", false}}},
			[]Field{Offer, Pictures, Chosen}, true, func(d *Draft) bool {
				return d.OfferID == 8 && d.Variants[0].OfferVariantID == 21 && d.Variants[1].OfferVariantID == 0 &&
					!d.Variants[1].Chosen && len(d.Pictures) == 3
			}},
	} {
		t.Run(name, func(t *testing.T) {
			stored, err := Marshal([]Operation{c.op})
			if err != nil {
				t.Fatal(err)
			}
			read, err := Unmarshal(stored)
			if err != nil {
				t.Fatal(err)
			}
			for _, op := range []Operation{c.op, read[0]} {
				d := sample()
				inverse, touched, err := ApplyAll(&d, []Operation{op})
				if err != nil || !c.check(&d) || !slices.Equal(touched, c.touched) || op.MovesPrice() != c.moves {
					t.Errorf("%v: %v %+v", err, touched, d)
				}
				if _, _, err := ApplyAll(&d, inverse); err != nil || !reflect.DeepEqual(d, sample()) {
					t.Errorf("taken back: %v %+v", err, d)
				}
			}
		})
	}
}

func TestWhatCannotBeApplied(t *testing.T) {
	for name, c := range map[string]struct {
		op    Operation
		field Field
	}{
		"a picture of another draft":    {ArrangePictures{[]PictureChoice{{9, true}}}, Pictures},
		"a picture that is named twice": {ArrangePictures{[]PictureChoice{{1, true}, {1, true}}}, Pictures},
		"an option that is left out":    {RenameOptions{}, Options},
		"two values of one name": {
			RenameOptions{
				[]variant.Option{
					{Name: "C", Original: "Color",
						Values: []variant.Value{{Name: "x", Original: "Red"}, {Name: "X", Original: "Blue"}}}}},
			Options},
		"a variant of another draft": {ChooseVariants{Chosen: []int64{3}}, Chosen},
		"two of one SKU":             {SetCodes{[]VariantCodes{{VariantID: 2, SKU: text("r-1")}}}, "codes"},
		"a SKU as they are made":     {SetCodes{[]VariantCodes{{VariantID: 2, SKU: text("P3-1")}}}, "codes"},
		"a code of another draft":    {SetCodes{[]VariantCodes{{VariantID: 3, SKU: text("x")}}}, "codes"},
		"a title that is no line":    {SetText{Title, "x"}, Title},
		"a long type":                {SetText{Type, strings.Repeat("x", 101)}, Type},
		"a reserve under nothing":    {SetReserve{-1}, Reserve},
		"own tags of a store":        {SetOwnWords{1, Tags, "x"}, Tags},
		"a variant that is lost":     {Reshape{variant.Shape{Variants: []variant.Variant{{ID: 1}}}}, Options},
		"two variants alike": {Reshape{variant.Shape{Variants: []variant.Variant{{ID: 1}, {ID: 2}}}},
			Options},
		"a variant twice": {Reshape{variant.Shape{Variants: []variant.Variant{{ID: 1}, {ID: 1, Dropped: true}}}},
			Options},
		"a price of another draft": {SetPrices{1, []VariantPrice{{3, 100}}}, "prices"},
		"a price under nothing":    {SetPrices{1, []VariantPrice{{1, -1}}}, "prices"},
		"two that are bought as the same": {BuyAs{OfferID: 8, Purchases: []Purchase{{1, 21, nil, 0}, {2, 21, nil, 0}}},
			Offer},
		"a variant that is not named": {BuyAs{OfferID: 8, Purchases: []Purchase{{1, 21, nil, 0}}}, Offer},
	} {
		t.Run(name, func(t *testing.T) {
			d := sample()
			_, _, err := ApplyAll(&d, []Operation{SetTitle{"Other"}, SetTags{[]string{"x"}}, c.op})
			var at *Error
			if !errors.As(err, &at) || at.Field != c.field || at.Reason == "" {
				t.Errorf("%v", err)
			}
			if !reflect.DeepEqual(d, sample()) {
				t.Errorf("something of it was applied: %+v", d)
			}
		})
	}
}

// Any number of operations, one after another, are taken back by their inverses to the very draft.
func TestAnyOperationsAreTakenBack(t *testing.T) {
	random := rand.New(rand.NewPCG(1, 2))
	pick := func() Operation {
		switch random.IntN(14) {
		case 0:
			return SetTitle{[]string{"a", "b", "c"}[random.IntN(3)]}
		case 1:
			return SetTags{[]string{"x", "y"}[:random.IntN(3)]}
		case 2:
			return ArrangePictures{[]PictureChoice{{random.IntN(2), random.IntN(2) == 0}}}
		case 3:
			return ChooseVariants{Chosen: []int64{1, 2}[:random.IntN(3)]}
		case 4:
			return SetPrices{int64(random.IntN(2)),
				[]VariantPrice{{int64(1 + random.IntN(2)), int64(random.IntN(3) * 100)}}}
		case 5:
			return RemoveContacts{}
		case 6:
			return SetText{[]Field{Type, Vendor, SearchTitle}[random.IntN(3)], []string{"", "t", "u"}[random.IntN(3)]}
		case 7:
			return SetReserve{random.IntN(4)}
		case 8:
			return SetOwnWords{int64(8 + random.IntN(2)), []Field{Title, Description}[random.IntN(2)],
				[]string{"", "own"}[random.IntN(2)]}
		case 9:
			sku := []string{"", "s", "t"}[random.IntN(3)]
			return SetCodes{[]VariantCodes{{VariantID: int64(1 + random.IntN(2)), SKU: &sku}}}
		case 10:
			return SetDiscarded{random.IntN(2) == 0}
		case 11, 12:
			d := sample()
			s := d.Shape()
			switch random.IntN(4) {
			case 0:
				s = s.WithoutOption(0).Keep([]int64{int64(1 + random.IntN(2))})
			case 1:
				s = s.Merge(0, 0, 1).Keep(nil)
			case 2:
				s = s.MoveValue(0, 0, 1)
			}
			return Reshape{s}
		default:
			return SetCollections{[]string{"p", "q"}[:random.IntN(3)]}
		}
	}
	for range 2000 {
		d := sample()
		var operations []Operation
		for range 1 + random.IntN(8) {
			operations = append(operations, pick())
		}
		var inverse []Operation
		for _, op := range operations { // what cannot be applied leaves the draft as it was
			back, _, err := ApplyAll(&d, []Operation{op})
			if err == nil {
				inverse = append(back, inverse...)
			}
			if err := d.Shape().Check(); err != nil {
				t.Fatalf("%v: %+v", err, d)
			}
			for _, v := range d.Variants {
				if v.OfferVariantID != 10+v.ID {
					t.Fatalf("variant %d is bought as %d", v.ID, v.OfferVariantID)
				}
			}
		}
		if _, _, err := ApplyAll(&d, inverse); err != nil || !reflect.DeepEqual(d, sample()) {
			said, _ := json.Marshal(operations)
			t.Fatalf("%v: %s left %+v", err, said, d)
		}
	}
}

func TestOperationsThatCannotBeRead(t *testing.T) {
	for _, text := range []string{`{}`, `[{"kind":"colour","value":{}}]`, `[{"kind":"title","value":[]}]`, `nothing`} {
		if ops, err := Unmarshal([]byte(text)); err == nil {
			t.Errorf("%s: %v", text, ops)
		}
	}
}
