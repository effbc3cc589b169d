package variant

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
)

func optionOf(name string, values ...string) Option {
	o := Option{Name: name, Original: name}
	for _, v := range values {
		o.Values = append(o.Values, Value{v, v})
	}
	return o
}

// shapeOf has one variant for each line of values.
func shapeOf(from int64, names []string, rows ...[]string) Shape {
	s := Shape{}
	var indexes [][]int
	s.Options, indexes = Collect(names, rows)
	for i := range rows {
		s.Variants = append(s.Variants, Variant{ID: from + int64(i), Values: indexes[i]})
	}
	return s
}

func namesOf(s Shape) string {
	var all []string
	for _, v := range s.Variants {
		all = append(all, s.Name(v))
	}
	return strings.Join(all, ", ")
}

func TestOptionsAreAligned(t *testing.T) {
	for name, c := range map[string]struct {
		own, other []Option
		want       string
	}{
		"by name in any case": {[]Option{optionOf("Size", "S"), optionOf("Colour", "Red")},
			[]Option{optionOf("colour", "Blue"), optionOf("SIZE", "M")}, "[0 1] [1 0]"},
		"by another spelling": {[]Option{optionOf("Colour", "Red")}, []Option{optionOf("Color", "Blue")}, "[0 0]"},
		"by what the supplier called it": {[]Option{{Name: "Colour", Original: "Style",
			Values: []Value{{"Red", "A"}}}}, []Option{optionOf("Style", "B")}, "[0 0]"},
		"by half of the values": {[]Option{optionOf("Type", "S", "M", "L")},
			[]Option{optionOf("Variant", "m", "XL")}, "[0 0]"},
		"not by fewer": {[]Option{optionOf("Type", "S", "M", "L"), optionOf("Kind", "x")},
			[]Option{optionOf("Variant", "m", "XL", "XXL")}, "[0 -1] [1 -1] [-1 0]"},
		"the one that is left": {[]Option{optionOf("Colour", "Red"), optionOf("Size", "M")},
			[]Option{optionOf("Size", "M"), optionOf("Style", "A")}, "[0 1] [1 0]"},
		"each once": {[]Option{optionOf("A", "1"), optionOf("B", "1")}, []Option{optionOf("C", "1")},
			"[0 0] [1 -1]"},
		"nothing to join": {nil, nil, ""},
	} {
		t.Run(name, func(t *testing.T) {
			var got []string
			for _, j := range Align(c.own, c.other) {
				got = append(got, fmt.Sprint([]int{j.Own, j.Other}))
			}
			if s := strings.Join(got, " "); s != c.want {
				t.Errorf("%s, want %s", s, c.want)
			}
		})
	}
}

func TestCombining(t *testing.T) {
	mugs := shapeOf(1, []string{"Colour"}, []string{"Red"}, []string{"Blue"})
	t.Run("values that there are stay one", func(t *testing.T) {
		other := shapeOf(11, []string{"Color"}, []string{"blue"}, []string{"Green"})
		got, err := mugs.Combine(other, Align(mugs.Options, other.Options))
		if err != nil || namesOf(got) != "Red, Blue, Blue, Green" || fmt.Sprint(got.Alike()) != "[[2 11]]" {
			t.Errorf("%s %v %v", namesOf(got), got.Alike(), err)
		}
	})
	t.Run("an option that the other lacks is said", func(t *testing.T) {
		other := shapeOf(11, nil, nil)
		joined := Align(mugs.Options, other.Options)
		if _, err := mugs.Combine(other, joined); err == nil || !strings.Contains(err.Error(), "Say which “Colour”") {
			t.Error(err)
		}
		joined[0].OtherValue = "Green"
		if got, err := mugs.Combine(other, joined); err != nil || namesOf(got) != "Red, Blue, Green" {
			t.Errorf("%s %v", namesOf(got), err)
		}
	})
	t.Run("an option that it lacks is said", func(t *testing.T) {
		other := shapeOf(11, []string{"Colour", "Size"}, []string{"Red", "L"})
		joined := Align(mugs.Options, other.Options)
		joined[1].OwnValue = "S"
		if got, err := mugs.Combine(other, joined); err != nil || namesOf(got) != "Red S, Blue S, Red L" {
			t.Errorf("%s %v", namesOf(got), err)
		}
	})
	t.Run("two single things", func(t *testing.T) {
		one, two := shapeOf(1, nil, nil), shapeOf(11, nil, nil)
		got, err := one.Combine(two, []Joined{{"Colour", -1, -1, "Red", "Blue"}})
		if err != nil || namesOf(got) != "Red, Blue" || len(got.Alike()) != 0 {
			t.Errorf("%s %v", namesOf(got), err)
		}
	})
	t.Run("what is not joined, or twice, is refused", func(t *testing.T) {
		other := shapeOf(11, []string{"Color"}, []string{"Green"})
		for _, joined := range [][]Joined{nil, {{Name: "Colour", Own: 0, Other: -1, OtherValue: "x"}},
			{{Name: "A", Own: 0, Other: 0}, {Name: "B", Own: 0, Other: -1, OtherValue: "x"}},
			{{Name: "A", Own: 3, Other: 0}}, {{Name: "", Own: 0, Other: 0}}} {
			if _, err := mugs.Combine(other, joined); err == nil {
				t.Errorf("%v", joined)
			}
		}
	})
}

// Whatever is combined: each variant is there once, says the values that it said before, and the first side's stay the
// indexes that they were.
func TestNothingIsLostInCombining(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 7))
	words := []string{"Red", "Blue", "Green", "S", "M", "L"}
	options := []string{"Colour", "Size", "Kind"}
	random := func(from int64) Shape {
		n := r.IntN(3)
		var rows [][]string
		for range 1 + r.IntN(5) {
			row := make([]string, n)
			for i := range row {
				row[i] = words[r.IntN(len(words))]
			}
			rows = append(rows, row)
		}
		return shapeOf(from, options[:n], rows...)
	}
	for range 2000 {
		a, b := random(1), random(100)
		joined := Align(a.Options, b.Options)
		for i := range joined {
			joined[i].OwnValue, joined[i].OtherValue = "Own", "Other"
		}
		got, err := a.Combine(b, joined)
		if err != nil || len(got.Variants) != len(a.Variants)+len(b.Variants) {
			t.Fatal(err, got)
		}
		for i, v := range got.Variants {
			side, before, theirs := a, Variant{}, i >= len(a.Variants)
			if theirs {
				side, before = b, b.Variants[i-len(a.Variants)]
			} else {
				before = a.Variants[i]
			}
			if v.ID != before.ID || len(v.Values) != len(got.Options) {
				t.Fatalf("%+v of %+v", v, got)
			}
			for k, j := range joined {
				at, missing := j.Own, "Own"
				if theirs {
					at, missing = j.Other, "Other"
				}
				want := missing
				if at >= 0 {
					want = side.Options[at].Values[before.Values[at]].Name
				}
				if name := got.Options[k].Values[v.Values[k]].Name; name != want {
					t.Fatalf("%s became %s", want, name)
				}
			}
		}
	}
}
