package likeness

import (
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/xrash/smetrics"
)

// The examples of Winkler's papers, as they are quoted everywhere (from memory).
func TestJaroWinklerPublishedExamples(t *testing.T) {
	for _, c := range []struct {
		a, b string
		want float64
	}{{"martha", "marhta", 0.961}, {"dwayne", "duane", 0.840}, {"dixon", "dicksonx", 0.813}, {"", "", 1}, {"a", "", 0},
		{"same", "same", 1}} {
		if got := JaroWinkler(c.a, c.b); math.Abs(got-c.want) > 0.0006 {
			t.Errorf("%s and %s: %.4f, want %.3f", c.a, c.b, got, c.want)
		}
	}
}

// Against github.com/xrash/smetrics on random words; without its threshold, under which it adds nothing for a
// common beginning.
func TestJaroWinklerAgreesWithAPackage(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	word := func() string {
		b := make([]byte, 1+r.IntN(9))
		for i := range b {
			b[i] = "abcde"[r.IntN(5)]
		}
		return string(b)
	}
	for range 20000 {
		a, b := word(), word()
		if got, want := JaroWinkler(a, b), smetrics.JaroWinkler(a, b, 0, 4); math.Abs(got-want) > 1e-9 {
			t.Fatalf("%s and %s: %v, by the package %v", a, b, got, want)
		}
	}
}

func TestContentLeavesClaimsYearsAndSizesOut(t *testing.T) {
	got := Content("2026 NEW Hot Sale!! Enamel Mug 350ml, 0.35 l FREE SHIPPING for Camping ★ mug")
	if want := []string{"enamel", "mug", "camping"}; !slices.Equal(got, want) {
		t.Errorf("%q", got)
	}
}

func TestQuantities(t *testing.T) {
	got := Quantities("Mug 350 ml 0.5l, 30cm tall, set of 3, 24 pieces 2026")
	for kind, want := range map[string][]int64{"volume": {350e6, 500e6}, "length": {300e3}, "count": {3, 24},
		"weight": nil} {
		if !slices.Equal(got[kind], want) {
			t.Errorf("%s: %v, want %v", kind, got[kind], want)
		}
	}
}

func TestTheSameAndNearMisses(t *testing.T) {
	seen := func(seed uint64) []Picture { return []Picture{PictureOf(scene(seed, 120), 120, 120)} }
	mug := Item{Title: "2026 NEW Camping Enamelled Steel Mug Enamel 350 ml", GTINs: []string{"4006381333931"},
		Values: []string{"Red", "Blue", "350 ml"}, Grams: []int{180}, Pictures: seen(1)}
	for name, c := range map[string]struct {
		other Item
		same  bool
	}{
		"another shop's words": {
			Item{Title: "HOT SALE Enamel Steel Mug for Outdoor camping", GTINs: nil,
				Values: []string{"red", "blue", "350 ml"}, Grams: []int{182}, Pictures: nil}, true},
		"its number, other words": {
			Item{Title: "Kaffeebecher Emaille", GTINs: []string{"04006381333931"}, Values: nil, Grams: []int{183},
				Pictures: nil}, true},
		"its number, its picture": {
			Item{Title: "Kaffeebecher Emaille", GTINs: []string{"04006381333931"}, Pictures: seen(1)}, true},
		"its number and nothing": {Item{Title: "Fahrradlampe", GTINs: []string{"04006381333931"}, Pictures: seen(2)},
			false},
		"another size": {
			Item{Title: "2026 NEW Camping Enamelled Steel Mug Enamel 500 ml", GTINs: nil,
				Values: []string{"Red", "Blue", "500 ml"}, Grams: []int{260}, Pictures: nil}, false},
		"another count": {
			Item{Title: "Camping Enamelled Steel Mug Enamel 350 ml set of 6", GTINs: []string{"4006381333948"},
				Values: []string{"Red"}, Grams: []int{1100}, Pictures: nil}, false},
		"another count, no number": {
			Item{Title: "Camping Enamelled Steel Mug Enamel 350 ml 6 pcs", GTINs: nil,
				Values: []string{"Red", "Blue", "350 ml"}, Grams: []int{185}, Pictures: nil}, false},
		"its picture, other words": {
			Item{Title: "Kaffeebecher Emaille 350 ml", GTINs: nil, Values: []string{"rot", "350 ml"}, Grams: []int{176},
				Pictures: seen(1)}, true},
		"another picture of a like": {
			Item{Title: "Enamel Steel Mug with Lid", GTINs: nil, Values: []string{"red", "350 ml"}, Grams: []int{230},
				Pictures: seen(2)}, false},
		"another thing altogether": {
			Item{Title: "Whistling Kettle Steel 2 l", GTINs: nil, Values: []string{"Red"}, Grams: []int{640},
				Pictures: nil}, false},
		"nothing known": {Item{}, false},
	} {
		m := Compare(&mug, &c.other, nil)
		if (m.Strength >= Same) != c.same {
			t.Errorf("%s: %+v", name, m)
		}
		if back := Compare(&c.other, &mug, nil); back.Strength != m.Strength {
			t.Errorf("%s: %d one way, %d the other", name, m.Strength, back.Strength)
		}
	}
}

func TestPacksAreTheSameItemInAnotherPack(t *testing.T) {
	single := Item{Title: "Camping Enamelled Steel Mug 350 ml", Values: []string{"Red", "350 ml"}, Grams: []int{180}}
	for title, want := range map[string]int{"Camping Enamelled Steel Mug 350 ml x2": 2,
		"Set of 6 Camping Enamelled Steel Mug 350 ml": 6, "Camping Enamelled Steel Mug 350 ml dozen": 12,
		"Camping Enamelled Steel Mug 350 ml": 0} {
		other := Item{Title: title, Values: []string{"Red", "350 ml"}, Grams: []int{181 * max(want, 1)},
			GTINs: []string{"4006381333948"}}
		m, back := Compare(&single, &other, nil), Compare(&other, &single, nil)
		if want == 0 {
			if m.Strength < Same || m.Packs != nil {
				t.Errorf("%s: %+v", title, m)
			}
			continue
		}
		if m.Strength >= Same || m.Packs == nil || *m.Packs != (Packed{1, want}) || back.Packs == nil ||
			*back.Packs != (Packed{want, 1}) {
			t.Errorf("%s: %+v and back %+v", title, m, back)
		}
	}
}

func TestSizesAreComparedOneByOne(t *testing.T) {
	mat := Item{Title: "Yoga mat natural rubber 183 x 61 cm 6 mm"}
	for title, same := range map[string]bool{"Yoga mat natural rubber 183x61cm 6mm": true,
		"Yoga mat natural rubber 72 x 24 in 6 mm": true, "Yoga mat natural rubber 183 x 61 cm 10 mm": false,
		"Yoga mat natural rubber 173 x 61 cm 6 mm": false, "Yoga mat natural rubber 183 cm": true} {
		if m := Compare(&mat, &Item{Title: title}, nil); (m.Strength >= Same) != same {
			t.Errorf("%s: %+v", title, m)
		}
	}
}

func TestTheSameTitleIsEnough(t *testing.T) {
	for title, same := range map[string]bool{"NEW Speckled Enamel Jug, free shipping": true, "Speckled Enamel": false} {
		other := Item{Title: strings.ReplaceAll(title, "NEW ", "2026 ")}
		if m := Compare(&Item{Title: title}, &other, nil); (m.Strength >= Same) != same {
			t.Errorf("%s: %+v", title, m)
		}
	}
}

// A rare word that both have tells more than many that all have.
func TestRarity(t *testing.T) {
	rarity := func(w string) float64 { return map[string]float64{"seagrass": 9}[w] + 1 }
	a, b := Content("seagrass basket"), Content("seagrass box storage")
	plain, _ := alike(a, b, nil)
	rare, common := alike(a, b, rarity)
	if rare <= plain || !slices.Equal(common, []string{"seagrass"}) {
		t.Errorf("%v, %v, %v", plain, rare, common)
	}
}

// The front, said the long way: nobody in it is beaten, everybody outside is beaten by one in it.
func TestUnbeaten(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for range 300 {
		all := make([]Merits, 1+r.IntN(12))
		for i := range all {
			all[i] = Merits{r.IntN(6) > 0, r.Int64N(5), r.IntN(4), r.IntN(4), r.IntN(4)}
		}
		front := Unbeaten(all)
		for i, a := range all {
			beaten := !a.Sellable
			for j, b := range all {
				better := b.LandedCost < a.LandedCost || b.Days < a.Days || b.OnTime > a.OnTime || b.Rating > a.Rating
				worse := b.LandedCost > a.LandedCost || b.Days > a.Days || b.OnTime < a.OnTime || b.Rating < a.Rating
				beaten = beaten || (i != j && b.Sellable && better && !worse)
			}
			if front[i] == beaten {
				t.Fatalf("%v: %v", all, front)
			}
		}
	}
}
