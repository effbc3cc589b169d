package variant_test

import (
	"fmt"
	"math/rand/v2"
	"reflect"
	"slices"
	"strings"
	"testing"

	"plainpelican/core/variant"
)

func option(name string, values ...string) variant.Option {
	o := variant.Option{Name: name, Original: name}
	for _, v := range values {
		o.Values = append(o.Values, variant.Value{Name: v, Original: v})
	}
	return o
}

// full is every combination of its options.
func full(options ...variant.Option) variant.Shape {
	s := variant.Shape{Options: options, Variants: []variant.Variant{{Values: []int{}}}}
	for _, o := range options {
		var next []variant.Variant
		for _, v := range s.Variants {
			for i := range o.Values {
				next = append(next, variant.Variant{Values: append(slices.Clone(v.Values), i)})
			}
		}
		s.Variants = next
	}
	for i := range s.Variants {
		s.Variants[i].ID = int64(i + 1)
	}
	return s
}

func names(s variant.Shape) string {
	var out []string
	for _, v := range s.Variants {
		if !v.Dropped {
			out = append(out, fmt.Sprintf("%d %s", v.ID, s.Name(v)))
		}
	}
	return strings.Join(out, "; ")
}

func TestShapes(t *testing.T) {
	two := full(option("Colour", "Red", "Blue"), option("Size", "S", "M"))
	joined := full(option("Style", "Red-S", "Red-M", "Blue-S"))
	split, err := joined.Split(0, "-", "Colour", "Size")
	if err != nil {
		t.Fatal(err)
	}
	for name, c := range map[string]struct {
		got  variant.Shape
		want string
	}{
		"an option is dropped, one of those alike stays": {two.WithoutOption(1).Keep([]int64{2}), "2 Red; 3 Blue"},
		"a value is merged":                {two.Merge(0, 1, 0).Keep(nil), "1 Red S; 2 Red M"},
		"into one behind it":               {two.Merge(0, 0, 1).Keep([]int64{3, 4}), "3 Blue S; 4 Blue M"},
		"one option becomes two":           {split, "1 Red S; 2 Red M; 3 Blue S"},
		"options change places":            {two.MoveOption(0, 1), "1 S Red; 3 S Blue; 2 M Red; 4 M Blue"},
		"values change places":             {two.MoveValue(0, 1, 0), "3 Blue S; 4 Blue M; 1 Red S; 2 Red M"},
		"one value alone":                  {two.Only(1, 1), "2 Red M; 4 Blue M"},
		"all without the only option left": {full(option("Colour", "Red")).WithoutOption(0), "1 "},
	} {
		t.Run(name, func(t *testing.T) {
			if got := names(c.got); got != c.want {
				t.Errorf("%s, want %s", got, c.want)
			}
			if err := c.got.Check(); err != nil {
				t.Error(err)
			}
		})
	}
	if got := two.WithoutOption(0).Alike(); !reflect.DeepEqual(got, [][]int64{{1, 3}, {2, 4}}) {
		t.Errorf("alike: %v", got)
	}
	if err := two.WithoutOption(0).Check(); err == nil || err.Error() != "Two variants would both be “S”." {
		t.Errorf("two alike: %v", err)
	}
	if _, err := two.Split(0, "-", "a", "b"); err == nil || !strings.Contains(err.Error(), "“Red”") {
		t.Errorf("a value that is not two: %v", err)
	}
}

// Whatever is done to a shape, no variant is lost, none is there twice, and no two that are sold are alike.
func TestAnyReshapingKeepsEveryVariantOnce(t *testing.T) {
	random := rand.New(rand.NewPCG(3, 4))
	for range 3000 {
		s := full(option("A", "1", "2", "3"), option("B", "x-p", "y-p", "x-q"), option("C", "k", "l"))
		for range random.IntN(8) {
			if len(s.Options) == 0 {
				break
			}
			o := random.IntN(len(s.Options))
			n := len(s.Options[o].Values)
			before := s.Clone()
			switch random.IntN(6) {
			case 0:
				s = s.WithoutOption(o).Keep([]int64{int64(random.IntN(18))})
			case 1:
				if n > 1 {
					a := random.IntN(n)
					s = s.Merge(o, a, (a+1)%n).Keep(nil)
				}
			case 2:
				s = s.MoveOption(o, random.IntN(len(s.Options)))
			case 3:
				s = s.MoveValue(o, random.IntN(n), random.IntN(n))
			case 4:
				if next, err := s.Split(o, "-", "A1", "B1"); err == nil && next.Check() == nil {
					s = next
				}
			default:
				s = s.Only(o, random.IntN(n))
			}
			if err := s.Check(); err != nil {
				t.Fatalf("%v: %+v from %+v", err, s, before)
			}
			ids := map[int64]bool{}
			for _, v := range s.Variants {
				ids[v.ID] = true
			}
			if len(ids) != 18 || len(s.Variants) != 18 {
				t.Fatalf("%d variants of 18 are left", len(ids))
			}
		}
	}
}

func TestProposals(t *testing.T) {
	for name, c := range map[string]struct {
		shape variant.Shape
		seen  [][]string
		want  []variant.Proposal
	}{
		"a style whose values are colours": {full(option("Style", "Dark red", "navy", "Sand")), nil,
			[]variant.Proposal{{Kind: variant.RenameOption, Option: 0, Name: "Colour"}}},
		"a style whose values are sizes": {full(option("Specification", "350 ml", "500 ml")), nil,
			[]variant.Proposal{{Kind: variant.RenameOption, Option: 0, Name: "Size"}}},
		"letters whose pictures are blue and red": {full(option("Color", "A", "Style 2")), [][]string{{"Blue", "Red"}},
			[]variant.Proposal{{Kind: variant.RenameValues, Option: 0, Name: "Colour",
				Values: []string{"Blue", "Red"}}}},
		"letters whose pictures are alike": {full(option("Color", "A", "B")), [][]string{{"Blue", "Blue"}}, nil},
		"values that are two": {full(option("Color", "Red-XL", "Red-S", "Blue-XL")), nil,
			[]variant.Proposal{{Kind: variant.SplitOption, Option: 0, Separator: "-", Name: "Colour", Second: "Size"}}},
		"an option of one value": {full(option("Colour", "Red", "Blue"), option("Plug", "EU")), nil,
			[]variant.Proposal{{Kind: variant.DropOption, Option: 1}}},
		"nothing": {full(option("Colour", "Red", "Blue"), option("Size", "S", "M")), nil, nil},
	} {
		t.Run(name, func(t *testing.T) {
			if got := variant.Propose(c.shape, c.seen); !reflect.DeepEqual(got, c.want) {
				t.Errorf("%+v, want %+v", got, c.want)
			}
		})
	}
}
