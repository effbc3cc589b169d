package likeness

import (
	"slices"
	"testing"
)

func side(barcode string, tint *MedianColour, values ...string) Side {
	s := Side{Barcode: barcode, Colour: tint}
	for _, v := range values {
		s.Values = append(s.Values, []string{v})
	}
	return s
}

func TestCounterparts(t *testing.T) {
	lake, brick, pine := &MedianColour{Red: 91, Green: 139, Blue: 172}, &MedianColour{Red: 196, Green: 80, Blue: 63},
		&MedianColour{Red: 47, Green: 93, Blue: 80}
	renamed := Side{Values: [][]string{{"lake", "Lake blue"}, {"350 ml"}}}
	for name, c := range map[string]struct {
		of, to []Side
		want   []int
		by     string
	}{
		"by number, whatever they are called": {[]Side{side("4006381333931", nil, "red")},
			[]Side{side("", nil, "red"), side("04006381333931", nil, "B")}, []int{1}, MatchedNumber},
		"by values in any order and form": {[]Side{side("", nil, "lake", "350 ml"), side("", nil, "lake", "0.5 l")},
			[]Side{side("", nil, "500ml", "Lake"), side("", nil, "350ML", "LAKE")}, []int{1, 0}, MatchedValues},
		"by the seller's own names too": {[]Side{renamed},
			[]Side{side("", nil, "lake blue", "350 ml"), side("", nil, "brick", "350 ml")}, []int{0}, MatchedValues},
		"by the picture where one option is a letter": {
			[]Side{side("", lake, "lake", "350 ml"), side("", brick, "brick", "350 ml")},
			[]Side{side("", brick, "A", "350 ml"), side("", lake, "B", "350 ml")}, []int{1, 0}, MatchedPicture},
		"letters without pictures are left to a person": {
			[]Side{side("", nil, "lake", "350 ml"), side("", nil, "brick", "350 ml")},
			[]Side{side("", nil, "A", "350 ml"), side("", nil, "B", "350 ml")}, []int{-1, -1}, ""},
		"another size is another thing": {[]Side{side("", lake, "lake", "350 ml")},
			[]Side{side("", lake, "lake", "500 ml")}, []int{-1}, ""},
		"what is not sold there has none": {[]Side{side("", lake, "lake", "350 ml"), side("", pine, "pine", "350 ml")},
			[]Side{side("", brick, "brick", "350 ml"), side("", lake, "lake", "350 ml")}, []int{1, -1}, MatchedValues},
		"two that would do are left to a person": {[]Side{side("", nil, "lake")},
			[]Side{side("", nil, "lake"), side("", nil, "Lake")}, []int{-1}, ""},
		"one that would do for two is left to a person": {[]Side{side("", nil, "lake"), side("", nil, "Lake")},
			[]Side{side("", nil, "lake")}, []int{-1, -1}, ""},
		"the only one of each": {[]Side{side("", nil)}, []Side{side("", nil, "default")},
			[]int{0}, MatchedOnly},
		"nothing at all": {nil, []Side{side("", nil)}, []int{}, ""},
	} {
		got := Counterparts(c.of, c.to)
		places := []int{}
		for _, g := range got {
			places = append(places, g.To)
			if g.To >= 0 && g.By != c.by {
				t.Errorf("%s: by %s", name, g.By)
			}
		}
		if !slices.Equal(places, c.want) {
			t.Errorf("%s: %v, want %v", name, places, c.want)
		}
	}
}
