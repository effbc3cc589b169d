package variant

import (
	"errors"
	"reflect"
	"testing"
)

func TestCollect(t *testing.T) {
	options, places := Collect([]string{"Style", "Size"},
		[][]string{{"A", "350 ml"}, {"B", "350 ml"}, {"A", " 500 ml "}, {"C"}})
	names := func(o Option) (out []string) {
		for _, v := range o.Values {
			out = append(out, v.Name)
		}
		return out
	}
	if !reflect.DeepEqual(names(options[0]), []string{"A", "B", "C"}) ||
		!reflect.DeepEqual(names(options[1]), []string{"350 ml", "500 ml", "—"}) {
		t.Errorf("values: %v", options)
	}
	if want := [][]int{{0, 0}, {1, 0}, {0, 1}, {2, 2}}; !reflect.DeepEqual(places, want) {
		t.Errorf("places: %v", places)
	}
	if none, places := Collect(nil, [][]string{{}}); len(none) != 0 || len(places) != 1 {
		t.Errorf("an offer without options: %v %v", none, places)
	}
}

func TestRenaming(t *testing.T) {
	option := func(name string, values ...string) Option {
		o := Option{Name: name, Original: "was " + name}
		for _, v := range values {
			o.Values = append(o.Values, Value{v, "was " + v})
		}
		return o
	}
	if err := Check([]Option{option("Colour", "Lake", "Brick"), option("Size", "Lake")}); err != nil {
		t.Errorf("fair names were refused: %v", err)
	}
	var pair *Collision
	err := Check([]Option{option("Colour", "Lake", "Brick", " lake ")})
	if !errors.As(err, &pair) || pair.First != "was Lake" || pair.Second != "was  lake " || pair.Option != "Colour" {
		t.Errorf("two values alike: %v", err)
	}
	if err := Check([]Option{option("Colour", "a"), option("colour", "b")}); !errors.As(err, &pair) ||
		pair.Option != "" {
		t.Errorf("two options alike: %v", err)
	}
	for _, empty := range [][]Option{{option("  ", "a")}, {option("Colour", "a", "")}} {
		if err := Check(empty); err == nil || errors.As(err, new(*Collision)) {
			t.Errorf("an empty name: %v", err)
		}
	}
}
