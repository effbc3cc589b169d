package pricelist

import (
	"math"
	"regexp"
	"strconv"
	"strings"

	"plainpelican/core/quantity"
)

// gramsOf are the units of weight, in grams.
var gramsOf = map[string]float64{"g": 1, "kg": 1000, "oz": quantity.GramsPerOunce, "lb": quantity.GramsPerPound,
	"mg": 0.001, "t": 1_000_000}

var weightNames = map[string]string{
	"g": "g", "gr": "g", "grs": "g", "gram": "g", "grams": "g", "gramm": "g", "gramme": "g", "grammes": "g",
	"gramos": "g", "grammi": "g", "grm": "g", "gm": "g", "gms": "g", "г": "g", "гр": "g", "克": "g", "グラム": "g",
	"그램": "g",
	"kg": "kg", "kgs": "kg", "kilo": "kg", "kilos": "kg", "kilogram": "kg", "kilograms": "kg", "kilogramm": "kg",
	"kilogramme": "kg", "kgm": "kg", "кг": "kg", "公斤": "kg", "千克": "kg",
	"oz": "oz", "ozs": "oz", "ounce": "oz", "ounces": "oz", "onz": "oz", "lb": "lb", "lbs": "lb", "lbr": "lb",
	"pound": "lb", "pounds": "lb", "livre": "lb", "#": "lb", "mg": "mg", "ton": "t", "tonne": "t",
}

// weightUnitOf reads a unit that stands alone.
func weightUnitOf(text string) string {
	return weightNames[strings.Trim(strings.ToLower(strings.TrimSpace(text)), ".()[]")]
}

// weightUnitIn finds a unit in a header or a cell.
func weightUnitIn(text string) string {
	for _, word := range strings.FieldsFunc(strings.ToLower(text), func(r rune) bool {
		return strings.ContainsRune(" ()[]/,.:;-_0123456789\t", r)
	}) {
		if u := weightNames[word]; u != "" {
			return u
		}
	}
	return ""
}

var weightPart = regexp.MustCompile(`^([0-9][0-9.,' \x{a0}]*)\s*([^0-9\s.,]+)?\.?\s*`)

// grams reads a weight: "180", "0.64 kg", "2 lb 3 oz". A number without a unit is in unit; 0 is one that is not known.
func grams(text, unit, decimal string) int {
	text = strings.TrimSpace(text)
	total := 0.0
	for first := true; text != ""; first = false {
		m := weightPart.FindStringSubmatch(text)
		if m == nil {
			return 0
		}
		name := unit
		if m[2] != "" {
			name = weightUnitOf(m[2])
		} else if !first {
			return 0
		}
		plain, err := decimalText(strings.TrimSpace(m[1]), decimal)
		// a weight may have the other sign than prices
		if err != nil && strings.Count(m[1], ",")+strings.Count(m[1], ".") == 1 {
			plain, err = decimalText(strings.ReplaceAll(strings.TrimSpace(m[1]), ",", "."), ".")
		}
		if err != nil || gramsOf[name] == 0 {
			return 0
		}
		n, err := strconv.ParseFloat(plain, 64)
		if err != nil {
			return 0
		}
		total += n * gramsOf[name]
		text = strings.TrimSpace(text[len(m[0]):])
	}
	if total > 1e9 {
		return 0
	}
	return int(math.Round(total))
}
