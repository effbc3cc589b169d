package quantity

import (
	"fmt"
	"slices"
	"strings"
	"testing"
)

func said(text string) (all []string) {
	for _, m := range Measures(strings.ToLower(text)) {
		all = append(all, fmt.Sprintf("%d %s", m.Size, Say(m.Dimension, m.Value)))
	}
	return all
}

func TestMeasures(t *testing.T) {
	for text, want := range map[string]string{
		"Mug 350ml":                                      "0 350 ml",
		"Mug 350 ML, 0.35 l or 0,35 L":                   "0 350 ml; 1 350 ml; 2 350 ml",
		"1,000 ml and 1.5 litres":                        "0 1 l; 1 1.5 l",
		"yoga mat 183 x 61 cm 6 mm":                      "0 183 cm; 0 61 cm; 1 6 mm",
		"20x30cm, 20×30×5 cm":                            "0 20 cm; 0 30 cm; 1 20 cm; 1 30 cm; 1 50 mm",
		"20cm x 30cm":                                    "0 20 cm; 0 30 cm",
		"12-inch pan, 1/2 in, 1 1/2\" 3″":                "0 304.8 mm; 1 12.7 mm; 2 38.1 mm; 3 76.2 mm",
		"set of 3 in box, 10 in 1 tool":                  "",
		"2 lb, 16 oz, 12 fl oz, 5 kg":                    "0 907.185 g; 1 453.592 g; 2 354.882 ml; 3 5 kg",
		"5000mAh 20W USB 3.0, 64 GB":                     "0 5000 mAh; 1 20 W; 2 64 GB",
		"AB-350ml x200 2026 NEW 12345678901234567890 ml": "0 350 ml",
		"2 Pack":            "",
		"10 bis 20 cm":      "0 20 cm",
		"":                  "",
		"5":                 "",
		"1/0 cm":            "",
		"99999999999999 km": "",
	} {
		if got := strings.Join(said(text), "; "); got != want {
			t.Errorf("%q: %q, want %q", text, got, want)
		}
	}
}

// UN/ECE Recommendation 20, its common codes and factors (from memory).
func TestUnitsAgreeWithRecommendation20(t *testing.T) {
	for word, want := range map[string]Unit{"mm": {Length, "MMT", 1e3}, "cm": {Length, "CMT", 1e4},
		"m": {Length, "MTR", 1e6}, "inch": {Length, "INH", 25_400}, "ft": {Length, "FOT", 304_800},
		"ml": {Volume, "MLT", 1e6}, "l": {Volume, "LTR", 1e9},
		"g": {Weight, "GRM", 1e6}, "kg": {Weight, "KGM", 1e9}, "oz": {Weight, "ONZ", 28_349_523.125},
		"lb": {Weight, "LBR", 453_592_370}, "watt": {Power, "WTT", 1e3}, "v": {Voltage, "VLT", 1e3}} {
		if got := UnitNamed(word); got == nil || *got != want {
			t.Errorf("%s: %+v, want %+v", word, got, want)
		}
	}
}

func TestUnitsBeginning(t *testing.T) {
	var codes []string
	for _, u := range UnitsBeginning("mill") {
		codes = append(codes, u.Code)
	}
	slices.Sort(codes)
	if codes = slices.Compact(codes); !slices.Equal(codes, []string{"MLT", "MMT"}) {
		t.Error(codes)
	}
}

func FuzzMeasures(f *testing.F) {
	f.Add("20 x 30 cm 1/2\" 0,35 l")
	f.Add("9/ x 1 1/2 fl. oz × 3\xff″")
	f.Fuzz(func(t *testing.T, text string) {
		for _, m := range Measures(text) {
			if m.From < 0 || m.To <= m.From || m.To > len(text) || m.Value < 0 {
				t.Fatalf("%q: %+v", text, m)
			}
		}
	})
}
