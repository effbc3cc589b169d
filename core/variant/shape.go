package variant

import (
	"fmt"
	"slices"
	"strings"
)

// Shape is a product's options with its variants, each by the indexes of its values, one for each option. The variants
// that are not dropped differ.
type Shape struct {
	Options  []Option  `json:"options"`
	Variants []Variant `json:"variants"`
}

// Variant is one variant of a Shape.
type Variant struct {
	ID     int64 `json:"id"`
	Values []int `json:"values"`
	// Dropped is that it is left out of the product, and can be brought back.
	Dropped bool `json:"dropped,omitempty"`
}

// Clone is a shape that shares nothing with s.
func (s Shape) Clone() Shape {
	out := Shape{Options: make([]Option, len(s.Options)), Variants: slices.Clone(s.Variants)}
	for i, o := range s.Options {
		out.Options[i] = o
		out.Options[i].Values = slices.Clone(o.Values)
	}
	for i := range out.Variants {
		out.Variants[i].Values = slices.Clone(out.Variants[i].Values)
	}
	return out
}

// Check tells whether a shape can stand: options that Check takes, values that there are, and no two variants alike.
func (s Shape) Check() error {
	if err := Check(s.Options); err != nil {
		return err
	}
	seen := map[string]Variant{}
	for _, v := range s.Variants {
		if len(v.Values) != len(s.Options) {
			return fmt.Errorf("a variant has %d values for %d options", len(v.Values), len(s.Options))
		}
		for i, at := range v.Values {
			if at < 0 || at >= len(s.Options[i].Values) {
				return fmt.Errorf("a variant has a value of %s that is not there", s.Options[i].Name)
			}
		}
		if v.Dropped {
			continue
		}
		key := fmt.Sprint(v.Values)
		if _, twice := seen[key]; twice {
			//lint:ignore ST1005 a sentence for a person
			return fmt.Errorf("Two variants would both be “%s”.", s.Name(v))
		}
		seen[key] = v
	}
	return nil
}

// Name is a variant's values, in the order of the options.
func (s Shape) Name(v Variant) string {
	names := make([]string, len(v.Values))
	for i, at := range v.Values {
		names[i] = s.Options[i].Values[at].Name
	}
	return strings.Join(names, " ")
}

// Alike are the variants, of those that are not dropped, that have the same values: groups of two and more, in order.
func (s Shape) Alike() (groups [][]int64) {
	at := map[string]int{}
	var all [][]int64
	for _, v := range s.Variants {
		if v.Dropped {
			continue
		}
		key := fmt.Sprint(v.Values)
		i, there := at[key]
		if !there {
			i = len(all)
			at[key] = i
			all = append(all, nil)
		}
		all[i] = append(all[i], v.ID)
	}
	for _, g := range all {
		if len(g) > 1 {
			groups = append(groups, g)
		}
	}
	return groups
}

// Keep drops of each group of variants alike all but one: that of them which is among keep, else the first.
func (s Shape) Keep(keep []int64) Shape {
	out := s.Clone()
	for _, group := range s.Alike() {
		stays := group[0]
		for _, id := range group {
			if slices.Contains(keep, id) {
				stays = id
				break
			}
		}
		for i := range out.Variants {
			if v := &out.Variants[i]; slices.Contains(group, v.ID) && v.ID != stays {
				v.Dropped = true
			}
		}
	}
	return out
}

// WithoutOption leaves an option out. Variants that differed by it alone are alike then; see Alike and Keep.
func (s Shape) WithoutOption(option int) Shape {
	out := s.Clone()
	out.Options = slices.Delete(out.Options, option, option+1)
	for i := range out.Variants {
		out.Variants[i].Values = slices.Delete(out.Variants[i].Values, option, option+1)
	}
	return out
}

// Merge has one value of an option take the place of another. Variants that differed by it alone are alike then.
func (s Shape) Merge(option, value, into int) Shape {
	out := s.Clone()
	out.Options[option].Values = slices.Delete(out.Options[option].Values, value, value+1)
	if into > value {
		into--
	}
	for i := range out.Variants {
		switch at := &out.Variants[i].Values[option]; {
		case *at == value:
			*at = into
		case *at > value:
			*at--
		}
	}
	return out
}

// Separators are what stands between two values in one, as suppliers write them.
var Separators = []string{" / ", "/", " - ", "-", "_", "+", ",", "|", " "}

// Separator is what parts every value of an option into two; empty where nothing does. Where several do, it is the one
// that leaves the fewest values.
func (o Option) Separator() string {
	best, fewest := "", len(o.Values)+1
	for _, sep := range Separators {
		first, second := map[string]bool{}, map[string]bool{}
		all := len(o.Values) > 1
		for _, v := range o.Values {
			a, b, found := cutValue(v.Name, sep)
			if !found {
				all = false
				break
			}
			first[fold(a)], second[fold(b)] = true, true
		}
		// Values that do not come back are no option: "Red-XL, Blue-S" has four words for two values.
		if n := max(len(first), len(second)); all && n < fewest && n < len(o.Values) {
			best, fewest = sep, n
		}
	}
	return best
}

func cutValue(name, sep string) (a, b string, found bool) {
	a, b, found = strings.Cut(name, sep)
	a, b = strings.TrimSpace(a), strings.TrimSpace(b)
	return a, b, found && a != "" && b != ""
}

// Split makes two options of one, whose values are two with a separator between: "Red-XL". Its error is a sentence that
// names the first value which is not two.
func (s Shape) Split(option int, sep, first, second string) (Shape, error) {
	out := s.Clone()
	was := s.Options[option]
	a := Option{Name: first, Original: was.Original}
	b := Option{Name: second, Original: was.Original}
	firstAt, secondAt := make([]int, len(was.Values)), make([]int, len(was.Values))
	at := func(o *Option, name string) int {
		i := slices.IndexFunc(o.Values, func(v Value) bool { return fold(v.Name) == fold(name) })
		if i < 0 {
			i = len(o.Values)
			o.Values = append(o.Values, Value{Name: name, Original: name})
		}
		return i
	}
	for i, v := range was.Values {
		x, y, found := cutValue(v.Name, sep)
		if !found {
			//lint:ignore ST1005 a sentence for a person
			return s, fmt.Errorf("“%s” is not two values with “%s” between them.", v.Name, sep)
		}
		firstAt[i], secondAt[i] = at(&a, x), at(&b, y)
	}
	out.Options = slices.Replace(out.Options, option, option+1, a, b)
	for i := range out.Variants {
		v := &out.Variants[i]
		old := v.Values[option]
		v.Values = slices.Replace(v.Values, option, option+1, firstAt[old], secondAt[old])
	}
	return out, nil
}

// MoveOption puts an option at another place.
func (s Shape) MoveOption(from, to int) Shape {
	out := s.Clone()
	out.Options = moved(out.Options, from, to)
	for i := range out.Variants {
		out.Variants[i].Values = moved(out.Variants[i].Values, from, to)
	}
	return out.sorted()
}

// MoveValue puts a value of an option at another place, and the variants in the order of their values.
func (s Shape) MoveValue(option, from, to int) Shape {
	out := s.Clone()
	place := make([]int, len(out.Options[option].Values))
	for i := range place {
		place[i] = i
	}
	place = moved(place, from, to)
	out.Options[option].Values = moved(out.Options[option].Values, from, to)
	for i := range out.Variants {
		at := &out.Variants[i].Values[option]
		*at = slices.Index(place, *at)
	}
	return out.sorted()
}

func (s Shape) sorted() Shape {
	slices.SortStableFunc(s.Variants, func(a, b Variant) int { return slices.Compare(a.Values, b.Values) })
	return s
}

func moved[E any](list []E, from, to int) []E {
	one := list[from]
	return slices.Insert(slices.Delete(slices.Clone(list), from, from+1), to, one)
}

// Only has the variants with one value of an option, the others dropped.
func (s Shape) Only(option, value int) Shape {
	out := s.Clone()
	for i := range out.Variants {
		if v := &out.Variants[i]; v.Values[option] != value {
			v.Dropped = true
		}
	}
	return out
}

// Used are the values of an option that variants which are not dropped have, by index.
func (s Shape) Used(option int) (indexes []int) {
	for i := range s.Options[option].Values {
		if slices.ContainsFunc(s.Variants, func(v Variant) bool { return !v.Dropped && v.Values[option] == i }) {
			indexes = append(indexes, i)
		}
	}
	return indexes
}
