package likeness

import (
	"slices"
	"testing"
)

// How shops write that several come together, in a dozen languages (from common practice), and what looks like it.
func TestPacks(t *testing.T) {
	for text, want := range map[string][]int{
		"Mug x2": {2}, "Mug x 2": {2}, "2x Mug": {2}, "2 x Mug": {2}, "Mug 2x": {2}, "Mug 2 x": {2}, "Mug ×2": {2},
		"Mug (x3)": {3},
		"Mug 2pk":  {2}, "Mug 2 pk": {2}, "Mug 2-pack": {2}, "Mug 2 Pack": {2}, "2Pack mug": {2}, "Mug pack of 2": {2},
		"Mug, Pack 4": {4}, "Mug pack-of-6": {6},
		"2-piece mug": {2}, "Mug 2 pieces": {2}, "Mug 2pcs": {2}, "2 pcs mug": {2}, "4PCS/Set mug": {4},
		"Mug 12 count": {12}, "Mug 12ct": {12}, "Mug (12 ct)": {12}, "Mug 3 units": {3},
		"Mug box of 12": {12}, "case of 24 mugs": {24}, "Mug set of 4": {4}, "Mug set 4": {4}, "4 set mug": {4},
		"Mug, bundle of 3": {3}, "lot of 5 mugs": {5}, "Mug qty 4": {4}, "Mug Quantity: 4": {4},
		"two pack mug": {2}, "Mug twin pack": {2}, "triple pack mug": {3}, "pair of mugs": {2}, "Mug, pair": {2},
		"dozen mugs": {12}, "half dozen mugs": {6}, "Set of six mugs": {6}, "Mug set of two": {2},
		"Three-piece mug": {3},
		"2er-Set Becher":  {2}, "4er Pack Becher": {4}, "Becher 2 Stück": {2}, "Becher 2 Stk.": {2},
		"zwei Stück Becher": {2}, "Becher, Set von 4": {4}, "Becher Doppelpack": {2}, "Dutzend Becher": {12},
		"6-teilig Becher": {6},
		"lot de 4 tasses": {4}, "4 pièces tasse": {4}, "deux pièces": {2}, "4 unidades taza": {4},
		"juego de 4 tazas": {4}, "tres piezas taza": {3}, "docena de tazas": {12}, "4 pezzi tazza": {4},
		"confezione da 6 tazze": {6}, "set da 4 tazze": {4},
		"conjunto de 4 canecas": {4}, "4 peças caneca": {4}, "4 stuks mok": {4}, "set van 4 mokken": {4},
		"4 szt. kubek": {4}, "zestaw 4 kubki": {4}, "dwie sztuki kubek": {2}, "4-pack mugg": {4}, "4 st mugg": {4},
		"två stycken mugg": {2},
		"4 шт кружка":      {4}, "набор из 4 кружек": {4}, "4 adet kupa": {4}, "マグカップ 4個セット": {4}, "マグ2個": {2},
		"马克杯4个装": {4}, "杯子 3件套": {3}, "머그 4개": {4},
		// One of each.
		"Mug": nil, "Mug 350 ml": nil, "Tray 20 x 30 cm": nil, "Tray 20x30": nil, "10 in 1 tool": nil, "Lamp X200": nil,
		"1 pc mug": nil, "Single mug": nil, "Mug 2026 NEW": nil, "2x zoom lens": nil, "Charger 2 x USB": nil,
		"1000 piece puzzle": nil, "Mug number 7": nil,
		"Mug 4.5 l": nil, "Size 12 boots": nil, "Set with lid": nil, "Pack light": nil, "500 pcs pins": {500},
		"3-pack and 6-pack": {3, 6}, "Bag 15 l, to pack": nil, "One piece mug": nil,
	} {
		got := Packs(text)
		slices.Sort(got)
		if !slices.Equal(got, want) {
			t.Errorf("%q: %v, want %v", text, got, want)
		}
	}
}

func FuzzPacks(f *testing.F) {
	f.Add("2er-Set Becher x 2 (12 ct) 3個セット")
	f.Fuzz(func(t *testing.T, text string) {
		for _, n := range Packs(text) {
			if n < 2 || n > maxPack {
				t.Fatalf("%q: %d", text, n)
			}
		}
	})
}
