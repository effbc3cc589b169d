package index

import (
	"slices"
	"strings"
)

// facet gives each row the index of its value among the distinct ones.
type facet struct {
	kind   Facet
	values []string
	code   []uint32
	// choices are what can be asked for, in order, where there are few: then each has its rows.
	choices []string
	sets    []counted
	// held is how many rows have each value, where choices have no sets.
	held []int32
}

// maxFacetSets have a set of rows each.
const maxFacetSets = 192

// valueCoder gives values their places.
type valueCoder struct {
	facet
	known map[string]uint32
}

func newValueCoder(kind Facet, rows int) *valueCoder {
	return &valueCoder{facet{kind: kind, code: make([]uint32, 0, rows)}, map[string]uint32{}}
}

func (c *valueCoder) codeOf(v string) uint32 {
	code, ok := c.known[v]
	if !ok {
		code = uint32(len(c.values))
		c.known[v] = code
		c.values = append(c.values, v)
	}
	return code
}

// valuesOf are all that a value answers to.
func (f Facet) valuesOf(value string) []string {
	switch f {
	case Category:
		var all []string
		for at := 0; ; {
			next := strings.Index(value[at:], " > ")
			if next < 0 {
				return append(all, value)
			}
			all = append(all, value[:at+next])
			at += next + 3
		}
	case ShipsTo:
		return strings.Split(value, ",")
	}
	return []string{value}
}

// finish makes the sets of a facet whose rows are all there.
func (f facet) finish() facet {
	rows := map[string]bitset{}
	of := make([][]bitset, len(f.values))
	for code, value := range f.values {
		for _, choice := range f.kind.valuesOf(value) {
			if rows[choice] == nil {
				if len(rows) == maxFacetSets {
					f.held = make([]int32, len(f.values))
					for _, code := range f.code {
						f.held[code]++
					}
					return f
				}
				rows[choice] = none(len(f.code))
			}
			of[code] = append(of[code], rows[choice])
		}
	}
	for i, code := range f.code {
		for _, set := range of[code] {
			set.add(uint32(i))
		}
	}
	for choice := range rows {
		f.choices = append(f.choices, choice)
	}
	slices.Sort(f.choices)
	for _, choice := range f.choices {
		f.sets = append(f.sets, newCounted(rows[choice]))
	}
	return f
}

// answers tells for each value whether it answers to one of some choices.
func (f *facet) answers(choices []string) []bool {
	choices = f.kind.withEverywhere(choices)
	does := make([]bool, len(f.values))
	for code, value := range f.values {
		does[code] = slices.ContainsFunc(f.kind.valuesOf(value), func(c string) bool {
			return slices.Contains(choices, c)
		})
	}
	return does
}

// rows is the set of rows that answer to one of some choices.
func (f *facet) rows(choices []string) bitset {
	set := none(len(f.code))
	if f.sets == nil {
		does := f.answers(choices)
		for i, code := range f.code {
			if does[code] {
				set.add(uint32(i))
			}
		}
		return set
	}
	for _, choice := range f.kind.withEverywhere(choices) {
		at, there := slices.BinarySearch(f.choices, choice)
		if there {
			set.or(f.sets[at].bitset)
		}
	}
	return set
}

// withEverywhere adds who ships to all, where a country is among the choices.
func (f Facet) withEverywhere(choices []string) []string {
	if f == ShipsTo && slices.ContainsFunc(choices, func(c string) bool { return c != "" }) {
		return append(slices.Clone(choices), Everywhere)
	}
	return choices
}

// count adds how many rows of a set answer to each choice; those to none are left out. Who
// ships everywhere is counted by that choice only.
func (f *facet) count(set filter, into map[string]int) {
	if set.n == 0 {
		return
	}
	words := len(set.set)
	if set.words != nil {
		words = len(set.words)
	}
	// A row costs as much as about four words of a set.
	if f.sets != nil && (set.complement != nil || len(f.sets)*words < 4*set.n) {
		for at, choice := range f.choices {
			if n := set.intersectionCount(f.sets[at]); n > 0 {
				into[choice] += n
			}
		}
		return
	}
	counts := make([]int32, len(f.values))
	if set.complement != nil && f.held != nil {
		copy(counts, f.held)
		for _, w := range set.complement {
			for word := ^set.set[w]; word != 0; word &= word - 1 {
				if row := int(w)<<6 + trailing(word); row < len(f.code) {
					counts[f.code[row]]--
				}
			}
		}
	} else {
		for w, word := range set.set {
			for ; word != 0; word &= word - 1 {
				counts[f.code[w<<6+trailing(word)]]++
			}
		}
	}
	for code, n := range counts {
		if n > 0 {
			for _, choice := range f.kind.valuesOf(f.values[code]) {
				into[choice] += int(n)
			}
		}
	}
}
