// Package quantity reads the sizes that a text names: "350 ml", "0,35 l", "20 x 30 cm", "1 1/2 inch".
package quantity

import (
	"math"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Dimension is what a unit measures.
type Dimension string

// The dimensions that offers are told apart by.
const (
	Length    Dimension = "length"
	Volume    Dimension = "volume"
	Weight    Dimension = "weight"
	Power     Dimension = "power"
	Voltage   Dimension = "voltage"
	Charge    Dimension = "charge"
	Energy    Dimension = "energy"
	Storage   Dimension = "storage"
	Frequency Dimension = "frequency"
	Light     Dimension = "light"
	Pressure  Dimension = "pressure"
	Turning   Dimension = "turning"
)

// Unit is a unit of measure.
type Unit struct {
	Dimension Dimension
	// Code is the unit's common code in UN/ECE Recommendation 20.
	Code string
	// Base is how many of the dimension's base unit it is: micrometres, nanolitres, micrograms, milliwatts, and so on.
	Base float64
}

// Grams in a pound and an ounce avoirdupois, by the international yard and pound agreement of 1959.
const (
	GramsPerPound = 453.59237
	GramsPerOunce = GramsPerPound / 16
)

var units = map[string]*Unit{}

// The factors are those of UN/ECE Recommendation 20; its codes are checked in the tests from memory.
func init() {
	for _, u := range []struct {
		Unit
		words string
	}{
		{Unit{Length, "MMT", 1e3}, "mm millimeter millimetre millimeters millimetres"},
		{Unit{Length, "CMT", 1e4},
			"cm cms centimeter centimetre centimeters centimetres zentimeter centimetros centimètres"},
		{Unit{Length, "MTR", 1e6}, "m meter metre meters metres metro metros mètre mètres metri"},
		{Unit{Length, "INH", 25.4e3}, "inch inches in \" ″ ” zoll pulgada pulgadas pouce pouces pollici"},
		{Unit{Length, "FOT", 304.8e3}, "ft foot feet ′"},
		{Unit{Length, "YRD", 914.4e3}, "yd yard yards"},
		{Unit{Volume, "MLT", 1e6}, "ml milliliter millilitre milliliters millilitres"},
		{Unit{Volume, "CLT", 1e7}, "cl centiliter centilitre"},
		{Unit{Volume, "DLT", 1e8}, "dl"},
		{Unit{Volume, "LTR", 1e9}, "l lt ltr liter litre liters litres litro litros litri litrów"},
		{Unit{Volume, "OZA", 29.5735295625e6}, "floz"},
		{Unit{Volume, "GLL", 3785.411784e6}, "gal gallon gallons"},
		{Unit{Weight, "MGM", 1e3}, "mg"},
		{Unit{Weight, "GRM", 1e6}, "g gr gram grams gramm gramme grammes gramos grammi"},
		{Unit{Weight, "KGM", 1e9}, "kg kgs kilo kilos kilogram kilograms kilogramm"},
		{Unit{Weight, "ONZ", GramsPerOunce * 1e6}, "oz ounce ounces"},
		{Unit{Weight, "LBR", GramsPerPound * 1e6}, "lb lbs pound pounds"},
		{Unit{Power, "WTT", 1e3}, "w watt watts"},
		{Unit{Power, "KWT", 1e6}, "kw kilowatt"},
		{Unit{Voltage, "VLT", 1e3}, "v volt volts"},
		{Unit{Charge, "E09", 1}, "mah"},
		{Unit{Charge, "AMH", 1e3}, "ah"},
		{Unit{Energy, "WHR", 1}, "wh"},
		{Unit{Energy, "KWH", 1e3}, "kwh"},
		{Unit{Storage, "4L", 1}, "mb megabyte megabytes"},
		{Unit{Storage, "E34", 1e3}, "gb gigabyte gigabytes"},
		{Unit{Storage, "E35", 1e6}, "tb terabyte terabytes"},
		{Unit{Frequency, "HTZ", 1}, "hz hertz"},
		{Unit{Frequency, "KHZ", 1e3}, "khz"},
		{Unit{Frequency, "MHZ", 1e6}, "mhz"},
		{Unit{Frequency, "A86", 1e9}, "ghz"},
		{Unit{Light, "LUM", 1}, "lm lumen lumens"},
		{Unit{Pressure, "BAR", 1e5}, "bar"},
		{Unit{Pressure, "PS", 6894.757293168}, "psi"},
		{Unit{Turning, "RPM", 1}, "rpm"},
	} {
		for _, word := range strings.Fields(u.words) {
			units[word] = &Unit{u.Dimension, u.Code, u.Base}
		}
	}
}

// UnitNamed is the unit that a lower-case word or sign names; nil where it names none.
func UnitNamed(word string) *Unit { return units[word] }

// UnitsBeginning are the units of which a word begins so.
func UnitsBeginning(word string) (all []*Unit) {
	for name, u := range units {
		if strings.HasPrefix(name, word) {
			all = append(all, u)
		}
	}
	return all
}

// Measure is one size that a text names.
type Measure struct {
	Dimension Dimension
	// Value is in the dimension's base unit, rounded to a whole one.
	Value int64
	// Size counts the sizes of a text: the sides of "20 x 30 cm" are of one.
	Size int
	// From and To are where it stands in the text, in bytes; sides of one size may share their unit.
	From, To int
}

// In is a number of a unit in its dimension's base unit.
func (u *Unit) In(n float64) int64 { return int64(math.Round(min(n*u.Base, math.MaxInt64/2))) }

// Say writes a value in a unit that people use for it, such as 350 ml.
func Say(d Dimension, value int64) string {
	scale, unit := 1.0, ""
	switch d {
	case Length:
		if scale, unit = 1e4, "cm"; value%1e4 != 0 || value < 1e5 {
			scale, unit = 1e3, "mm"
		}
	case Volume:
		if scale, unit = 1e6, "ml"; value >= 1e9 {
			scale, unit = 1e9, "l"
		}
	case Weight:
		if scale, unit = 1e6, "g"; value >= 1e9 {
			scale, unit = 1e9, "kg"
		}
	case Power:
		scale, unit = 1e3, "W"
	case Voltage:
		scale, unit = 1e3, "V"
	case Charge:
		unit = "mAh"
	case Energy:
		unit = "Wh"
	case Storage:
		if scale, unit = 1e3, "GB"; value < 1e3 {
			scale, unit = 1, "MB"
		}
	case Frequency:
		unit = "Hz"
	case Light:
		unit = "lm"
	case Pressure:
		scale, unit = 1e5, "bar"
	case Turning:
		unit = "rpm"
	}
	return strconv.FormatFloat(math.Round(float64(value)/scale*1000)/1000, 'f', -1, 64) + " " + unit
}

// maxMeasures is how many measures of a text are read: a title has a handful.
const maxMeasures = 64

// Measures are the sizes that a text names, in order. The text is in lower case, or units are not recognised.
func Measures(text string) (found []Measure) {
	if !strings.ContainsAny(text, "0123456789") {
		return nil
	}
	size := 0
	before := ' '
	for at := 0; at < len(text) && len(found) < maxMeasures; {
		r, width := utf8.DecodeRuneInString(text[at:])
		if r < '0' || r > '9' || unicode.IsLetter(before) || unicode.IsDigit(before) {
			before = r
			at += width
			continue
		}
		sides, end := readSize(text, at)
		if len(sides) > 0 {
			for i := range sides {
				sides[i].Size = size
			}
			size++
			found = append(found, sides...)
		}
		before = '0' // what is left of a number is not another
		at = end
	}
	return found
}

type side struct {
	n        float64
	from, to int
	unit     *Unit
}

// readSize reads numbers with "x" between them and their units: a side without one has that of the next. It returns
// where it ended, past the first number at least.
func readSize(text string, at int) (out []Measure, end int) {
	var sides []side
	for len(sides) < 8 {
		n, next := readNumber(text, at)
		if next == at {
			break
		}
		s := side{n: n, from: at, to: next}
		if unit, after := readUnit(text, next); unit != nil {
			s.unit, s.to = unit, after
		}
		sides = append(sides, s)
		end = s.to
		if at = times(text, s.to); at < 0 {
			break
		}
	}
	var unit *Unit
	for i := len(sides) - 1; i >= 0; i-- {
		if sides[i].unit == nil {
			sides[i].unit = unit
		}
		unit = sides[i].unit
		if sides[i].n == 0 { // nothing measures nothing
			return nil, end
		}
	}
	for _, s := range sides {
		if s.unit != nil {
			out = append(out, Measure{Dimension: s.unit.Dimension, Value: s.unit.In(s.n), From: s.from, To: s.to})
		}
	}
	return out, end
}

// times is where the number after an "x" begins; -1 where there is none.
func times(text string, at int) int {
	for _, sign := range []string{"x", "×", "*", "by"} {
		rest := strings.TrimLeft(text[at:], " \u00a0")
		if after, is := strings.CutPrefix(rest, sign); is {
			if after = strings.TrimLeft(after, " \u00a0"); after != "" && after[0] >= '0' && after[0] <= '9' {
				return len(text) - len(after)
			}
		}
	}
	return -1
}

// readNumber reads a number such as 350, 0.35, 0,35, 1,000, 1/2 or 1 1/2.
func readNumber(text string, at int) (n float64, end int) {
	digits := func(from int) int {
		for from < len(text) && text[from] >= '0' && text[from] <= '9' {
			from++
		}
		return from
	}
	end = digits(at)
	if end == at || end-at > 9 { // a barcode is no size
		return 0, end
	}
	n, _ = strconv.ParseFloat(text[at:end], 64)
	if end+1 < len(text) && (text[end] == '.' || text[end] == ',') {
		if to := digits(end + 1); to > end+1 && to-end <= 7 {
			part := text[end+1 : to]
			if text[end] == ',' && len(part) == 3 && text[at:end] != "0" { // a thousand
				more, _ := strconv.ParseFloat(part, 64)
				return n*1000 + more, to
			}
			n, _ = strconv.ParseFloat(text[at:end]+"."+part, 64)
			return n, to
		}
	}
	if over, after := fraction(text, end, digits); over > 0 && after > 0 {
		return n / over, after
	}
	if end < len(text) && text[end] == ' ' {
		if to := digits(end + 1); to > end+1 && to-end <= 3 {
			if over, after := fraction(text, to, digits); over > 0 && after > 0 {
				part, _ := strconv.ParseFloat(text[end+1:to], 64)
				return n + part/over, after
			}
		}
	}
	return n, end
}

// fraction reads what a number is divided by, where a stroke follows it.
func fraction(text string, at int, digits func(int) int) (over float64, end int) {
	for _, stroke := range []string{"/", "⁄"} {
		if strings.HasPrefix(text[at:], stroke) {
			from := at + len(stroke)
			if to := digits(from); to > from && to-from <= 2 {
				over, _ = strconv.ParseFloat(text[from:to], 64)
				return over, to
			}
		}
	}
	return 0, 0
}

// readUnit reads the unit after a number: glued to it, or behind a space or a hyphen.
func readUnit(text string, at int) (*Unit, int) {
	from := at
	if r, width := utf8.DecodeRuneInString(text[from:]); r == ' ' || r == '-' || r == '\u00a0' {
		from += width
	}
	word, end := wordAt(text, from)
	if word == "fl" { // fluid ounces are two words
		next := strings.TrimLeft(text[end:], ". ")
		if second, width := wordAt(next, 0); second == "oz" || second == "ounce" || second == "ounces" {
			return units["floz"], len(text) - len(next) + width
		}
	}
	if word == "" && from == at { // signs are glued
		for _, sign := range []string{"\"", "″", "”", "′"} {
			if strings.HasPrefix(text[at:], sign) {
				return units[sign], at + len(sign)
			}
		}
	}
	u := units[word]
	if u == nil || (word == "in" && from != at && !endsThere(text[end:])) { // "3 in box" is no inch
		return nil, at
	}
	return u, end
}

func endsThere(rest string) bool {
	rest = strings.TrimLeft(rest, " ")
	return rest == "" || strings.ContainsAny(rest[:1], ",;.()/*x")
}

func wordAt(text string, at int) (string, int) {
	end := at
	for end < len(text) && end-at < 32 {
		r, width := utf8.DecodeRuneInString(text[end:])
		if !unicode.IsLetter(r) {
			break
		}
		end += width
	}
	if r, _ := utf8.DecodeRuneInString(text[end:]); end < len(text) && (unicode.IsDigit(r) || unicode.IsMark(r)) {
		return "", at // as in x200
	}
	return text[at:end], end
}
