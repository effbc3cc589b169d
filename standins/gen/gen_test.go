package gen

import (
	"fmt"
	"strconv"
	"strings"
	"testing"
)

func catalog(seed uint64, n int) (all []Offer) {
	for o := range Offers(seed, n) {
		all = append(all, o)
	}
	return all
}

func TestTheSameSeedGivesTheSameCatalog(t *testing.T) {
	a, b := catalog(11, 300), catalog(11, 300)
	if fmt.Sprint(a) != fmt.Sprint(b) {
		t.Error("two catalogs of one seed differ")
	}
	if fmt.Sprint(catalog(11, 100)) != fmt.Sprint(a[:100]) {
		t.Error("a smaller catalog is not the beginning of a larger one")
	}
	if fmt.Sprint(catalog(12, 100)) == fmt.Sprint(a[:100]) {
		t.Error("another seed gives the same")
	}
}

func TestTheCatalogIsAsMessyAsItShouldBe(t *testing.T) {
	all := catalog(11, 1200)
	families, suppliers, currencies := map[int]int{}, map[string]bool{}, map[string]bool{}
	shouting, careless, noStock, short, regional, barcodes := 0, 0, 0, 0, 0, 0
	for _, o := range all {
		families[o.Family]++
		suppliers[o.Supplier.Number] = true
		currencies[o.Supplier.Currency] = true
		if strings.ContainsAny(o.Title, "!★🔥") {
			shouting++
		}
		if o.OptionNames[0] == "Style" {
			careless++
		}
		if len(o.Weekly) < 52 {
			short++
		}
		if o.Deliveries[0].Name == "Regional" {
			regional++
		}
		for _, v := range o.Variants {
			if v.Stock == 0 {
				noStock++
			}
			if v.GTIN != "" {
				barcodes++
				checkDigit(t, v.GTIN)
			}
			if v.Price < 1 || v.Picture >= len(o.Pictures) || len(v.Values) != len(o.OptionNames) {
				t.Fatalf("%s: %+v", o.Number, v)
			}
		}
	}
	shared := 0
	for _, n := range families {
		if n > 1 {
			shared++
		}
		if n > 9 {
			t.Errorf("an item has %d sellers", n)
		}
	}
	for what, n := range map[string]int{"suppliers": len(suppliers), "items at several suppliers": shared,
		"shouted titles": shouting, "careless options": careless, "variants without stock": noStock,
		"short histories": short, "offers that stay in their region": regional, "barcodes": barcodes} {
		if n < 20 {
			t.Errorf("only %d %s", n, what)
		}
	}
	for _, c := range []string{"CNY", "JPY", "KWD", "INR", "EUR", "USD"} {
		if !currencies[c] {
			t.Errorf("no supplier asks for %s", c)
		}
	}
	if n := len(all[OverLimit].Variants); n != 144 {
		t.Errorf("the offer that breaks a limit has %d variants", n)
	}
}

// checkDigit follows the GS1 General Specifications: from the right, weights 3 and 1.
func checkDigit(t *testing.T, gtin string) {
	t.Helper()
	sum := 0
	for i := range len(gtin) {
		digit, err := strconv.Atoi(gtin[len(gtin)-1-i : len(gtin)-i])
		if err != nil {
			t.Fatal(err)
		}
		if i%2 == 1 {
			digit *= 3
		}
		sum += digit
	}
	if len(gtin) != 13 || sum%10 != 0 {
		t.Errorf("%s is not a GTIN-13", gtin)
	}
}

func TestADayMovesSomeAndWithdrawsOne(t *testing.T) {
	moved, gone := 0, 0
	for place, o := range catalog(11, 1200) {
		after := Drift(11, o, place, 1)
		if after.Withdrawn {
			gone++
			if place != Leaving {
				t.Errorf("offer %d left on the first day", place)
			}
		}
		if fmt.Sprint(after.Variants) != fmt.Sprint(o.Variants) {
			moved++
			if after.Changed != 1 {
				t.Errorf("%s changed without saying so", o.Number)
			}
		}
		if fmt.Sprint(Drift(11, o, place, 0)) != fmt.Sprint(o) {
			t.Fatal("day 0 is not the catalog as it was made")
		}
	}
	if gone != 1 || moved < 10 || moved > 200 {
		t.Errorf("%d left, %d moved", gone, moved)
	}
}
