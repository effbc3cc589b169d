// Package variant holds the rules of options and variants: what may be renamed, and
// when two variants would become one.
package variant

import (
	"fmt"
	"slices"
	"strings"
)

// Option is one way in which variants differ, with its values in order.
type Option struct {
	Name string `json:"name"`
	// Original is the supplier's name for it.
	Original string  `json:"original"`
	Values   []Value `json:"values"`
}

// Value is one choice of an option.
type Value struct {
	Name string `json:"name"`
	// Original is the supplier's name for it.
	Original string `json:"original"`
}

// Collision names two values that would read the same.
type Collision struct {
	Option string
	Name   string
	First  string
	Second string
}

func (c *Collision) Error() string {
	if c.Option == "" {
		return fmt.Sprintf("Two options would both be called “%s”. Give one another name.", c.Name)
	}
	return fmt.Sprintf("In %s, “%s” and “%s” would both be called “%s”. Give one another name.", c.Option, c.First,
		c.Second, c.Name)
}

// Check tells whether options can stand: no empty name, no two names alike in any case.
// It returns a *Collision for two alike.
func Check(options []Option) error {
	seen := map[string]bool{}
	for _, o := range options {
		name := fold(o.Name)
		if name == "" {
			//lint:ignore ST1005 a sentence for a person
			return fmt.Errorf("The option “%s” needs a name.", o.Original)
		}
		if seen[name] {
			return &Collision{Name: o.Name}
		}
		seen[name] = true
		values := map[string]string{}
		for _, v := range o.Values {
			value := fold(v.Name)
			if value == "" {
				//lint:ignore ST1005 a sentence for a person
				return fmt.Errorf("The value “%s” of %s needs a name.", v.Original, o.Name)
			}
			if first, taken := values[value]; taken {
				return &Collision{Option: o.Name, Name: v.Name, First: first, Second: v.Original}
			}
			values[value] = v.Original
		}
	}
	return nil
}

func fold(s string) string { return strings.ToLower(strings.Join(strings.Fields(s), " ")) }

// Collect gathers options from names and the values of each variant, both as the supplier
// gives them: values in order of first sight. A variant with too few values gets "—" for the rest.
// It returns for each variant the places of its values.
func Collect(names []string, variants [][]string) ([]Option, [][]int) {
	options := make([]Option, len(names))
	places := make([][]int, len(variants))
	for i, name := range names {
		options[i] = Option{Name: name, Original: name}
	}
	for v, values := range variants {
		places[v] = make([]int, len(names))
		for i := range names {
			value := "—"
			if i < len(values) && strings.TrimSpace(values[i]) != "" {
				value = strings.TrimSpace(values[i])
			}
			at := slices.IndexFunc(options[i].Values, func(x Value) bool { return x.Original == value })
			if at < 0 {
				at = len(options[i].Values)
				options[i].Values = append(options[i].Values, Value{value, value})
			}
			places[v][i] = at
		}
	}
	return options, places
}

// Limits are what a store takes in one product; zero is no limit.
type Limits struct {
	Options  int `json:"options"`
	Variants int `json:"variants"`
	Pictures int `json:"pictures"`
	// TitleLength is counted in characters.
	TitleLength int `json:"title_length"`
}
