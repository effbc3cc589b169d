package variant

import (
	"fmt"
	"slices"
	"strings"
)

// Joined is one option of a product that takes in the variants of another.
type Joined struct {
	Name string `json:"name" maxLength:"100"`
	// Own and Other are the indexes of the option on either side; -1 where that side has no such option, and its
	// variants get OwnValue or OtherValue.
	Own        int    `json:"own"`
	Other      int    `json:"other"`
	OwnValue   string `json:"own_value,omitempty" maxLength:"100"`
	OtherValue string `json:"other_value,omitempty" maxLength:"100"`
}

// alikeNames are spellings of one option.
var alikeNames = map[string]string{"color": "colour", "colors": "colour", "colours": "colour", "sizes": "size"}

func optionKey(name string) string {
	key := fold(name)
	if same, ok := alikeNames[key]; ok {
		return same
	}
	return key
}

// Align says which option of one product is which of another: those of the same name, or of the same original name,
// then those that share at least half of the values of the one that has fewer, then the one that is left on each side.
// It is a proposal. What has no counterpart stands by itself, and somebody has to say what the other side's variants
// are in it.
func Align(own, other []Option) []Joined {
	taken := make([]bool, len(other))
	find := func(is func(Option) bool) int {
		at := slices.IndexFunc(other, func(o Option) bool { return is(o) })
		for at >= 0 && taken[at] {
			next := slices.IndexFunc(other[at+1:], func(o Option) bool { return is(o) })
			if next < 0 {
				return -1
			}
			at += 1 + next
		}
		return at
	}
	joined := make([]Joined, len(own))
	for i, o := range own {
		joined[i] = Joined{Name: o.Name, Own: i, Other: -1}
	}
	for _, is := range []func(a, b Option) bool{
		func(a, b Option) bool { return optionKey(a.Name) == optionKey(b.Name) },
		func(a, b Option) bool { return optionKey(a.Original) == optionKey(b.Name) },
		shareHalf,
	} {
		for i, o := range own {
			if joined[i].Other >= 0 {
				continue
			}
			if at := find(func(b Option) bool { return is(o, b) }); at >= 0 {
				joined[i].Other, taken[at] = at, true
			}
		}
	}
	left := func(j Joined) bool { return j.Other < 0 }
	if at := slices.IndexFunc(joined, left); at >= 0 && !slices.ContainsFunc(joined[at+1:], left) {
		first := slices.Index(taken, false)
		if first >= 0 && !slices.Contains(taken[first+1:], false) {
			joined[at].Other, taken[first] = first, true
		}
	}
	for i, o := range other {
		if !taken[i] {
			joined = append(joined, Joined{Name: o.Name, Own: -1, Other: i})
		}
	}
	return joined
}

func shareHalf(a, b Option) bool {
	shared := 0
	for _, v := range b.Values {
		if v.index(a) >= 0 {
			shared++
		}
	}
	fewer := min(len(a.Values), len(b.Values))
	return shared > 0 && 2*shared >= fewer
}

// index finds a value among those of an option, by what it is called or was called; -1 where it is not there.
func (v Value) index(o Option) int {
	key := fold(v.Name)
	if at := slices.IndexFunc(o.Values, func(x Value) bool { return fold(x.Name) == key }); at >= 0 {
		return at
	}
	return slices.IndexFunc(o.Values, func(x Value) bool { return fold(x.Original) == key })
}

// Combine takes the variants of another product into a shape, by options that were joined. The variants of other carry
// the indexes of its options' values; their ids must be none of s. It returns an error for a person where a value that
// one side lacks is not said. Variants that become alike are left in both: see Alike.
func (s Shape) Combine(other Shape, joined []Joined) (Shape, error) {
	out := Shape{Options: make([]Option, len(joined))}
	own := make([]Variant, len(s.Variants))
	theirs := make([]Variant, len(other.Variants))
	for i, v := range s.Variants {
		own[i] = Variant{ID: v.ID, Dropped: v.Dropped, Values: make([]int, len(joined))}
	}
	for i, v := range other.Variants {
		theirs[i] = Variant{ID: v.ID, Dropped: v.Dropped, Values: make([]int, len(joined))}
	}
	usedOwn, usedOther := map[int]bool{}, map[int]bool{}
	for i, j := range joined {
		if j.Own < -1 || j.Own >= len(s.Options) || j.Other < -1 || j.Other >= len(other.Options) ||
			usedOwn[j.Own] || usedOther[j.Other] {
			return s, fmt.Errorf("option %d of the two is not there, or named twice", i+1)
		}
		option := Option{Name: strings.TrimSpace(j.Name)}
		add := func(v Value) int {
			if at := v.index(option); at >= 0 {
				return at
			}
			option.Values = append(option.Values, v)
			return len(option.Values) - 1
		}
		said := func(value, whose string) (int, error) {
			if value = strings.TrimSpace(value); value == "" {
				//lint:ignore ST1005 a sentence for a person
				return 0, fmt.Errorf("Say which “%s” %s are.", option.Name, whose)
			}
			return add(Value{value, value}), nil
		}
		if j.Own >= 0 {
			usedOwn[j.Own] = true
			option.Original = s.Options[j.Own].Original
			option.Values = slices.Clone(s.Options[j.Own].Values)
			for k, v := range s.Variants {
				own[k].Values[i] = v.Values[j.Own]
			}
		} else {
			at, err := said(j.OwnValue, "the variants that it has")
			if err != nil {
				return s, err
			}
			for k := range own {
				own[k].Values[i] = at
			}
		}
		if j.Other >= 0 {
			usedOther[j.Other] = true
			o := other.Options[j.Other]
			if j.Own < 0 {
				option.Original = o.Original
			}
			for k, v := range other.Variants {
				theirs[k].Values[i] = add(o.Values[v.Values[j.Other]])
			}
		} else {
			at, err := said(j.OtherValue, "the variants that are added")
			if err != nil {
				return s, err
			}
			for k := range theirs {
				theirs[k].Values[i] = at
			}
		}
		if option.Original == "" {
			option.Original = option.Name
		}
		out.Options[i] = option
	}
	if len(usedOwn) != len(s.Options) || len(usedOther) != len(other.Options) {
		return s, fmt.Errorf("an option of the two is not joined")
	}
	out.Variants = append(own, theirs...)
	return out, Check(out.Options)
}

// Tidy is a shape without the values that none of its variants has.
func (s Shape) Tidy() Shape {
	out := s.Clone()
	for o := range out.Options {
		for value := len(out.Options[o].Values) - 1; value >= 0; value-- {
			if slices.ContainsFunc(out.Variants, func(v Variant) bool { return v.Values[o] == value }) {
				continue
			}
			out.Options[o].Values = slices.Delete(out.Options[o].Values, value, value+1)
			for i := range out.Variants {
				if at := &out.Variants[i].Values[o]; *at > value {
					*at--
				}
			}
		}
	}
	return out
}
