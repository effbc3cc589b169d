package variant

import (
	"slices"
	"strings"
)

// Proposal is a change of options that is worth a look.
type Proposal struct {
	Kind ProposalKind `json:"kind" enum:"rename_option,rename_values,split,drop"`
	// Option is its index.
	Option int `json:"option"`
	// Name is what the option would be called, and Second the second one of a split; Separator parts its values.
	Name      string `json:"name,omitempty"`
	Second    string `json:"second,omitempty"`
	Separator string `json:"separator,omitempty"`
	// Values are what its values would be called, in order; an empty one stays.
	Values []string `json:"values,omitempty"`
}

// ProposalKind is what a proposal does.
type ProposalKind string

// The kinds.
const (
	// RenameOption has an option called what its values are: "Style" whose values are colours.
	RenameOption ProposalKind = "rename_option"
	// RenameValues has values called what their pictures show: "A" whose picture is blue.
	RenameValues ProposalKind = "rename_values"
	// SplitOption makes two options of one.
	SplitOption ProposalKind = "split"
	// DropOption leaves out an option that tells no variants apart.
	DropOption ProposalKind = "drop"
)

// colours are the names of colours that goods have: the basic colour keywords of CSS Color Module Level 4, section 6.1,
// those of its extended keywords that are said of goods, and what the trade says.
var colours = set(`aqua azure beige black blue blush bordeaux brass brick bronze brown burgundy camel champagne
	charcoal chocolate clear clay copper coral cream crimson cyan denim ecru emerald fern fuchsia
	gold golden graphite gray green grey indigo ivory jade khaki lavender lemon lilac lime magenta
	maroon mauve mint multicolor multicolour mustard navy ochre olive orange peach pearl petrol
	pine pink plum purple red rose rust sage salmon sand silver sky slate tan taupe teal terracotta
	transparent turquoise violet white wine yellow`)

// sizes are how the trade writes sizes; a number with a unit is one too.
var sizes = set(`xxs xs s m l xl xxl xxxl 2xl 3xl 4xl 5xl small medium large mini midi maxi xlarge x-large xx-large
	regular standard jumbo`)

func set(list string) map[string]bool {
	out := map[string]bool{}
	for _, w := range strings.Fields(list) {
		out[w] = true
	}
	return out
}

// IsColour tells whether a value is the name of a colour: "red", "dark green", "light-blue".
func IsColour(value string) bool {
	for _, word := range strings.FieldsFunc(strings.ToLower(value), func(r rune) bool {
		return r == ' ' || r == '-' || r == '/' || r == '&' || r == '+'
	}) {
		if colours[word] {
			return true
		}
	}
	return false
}

// IsSize tells whether a value is a size: "XL", "8 cm", "350 ml", "42".
func IsSize(value string) bool {
	value = strings.ToLower(strings.TrimSpace(value))
	return sizes[value] || value != "" && value[0] >= '0' && value[0] <= '9'
}

func most(values []Value, is func(string) bool) bool {
	n := 0
	for _, v := range values {
		if is(v.Name) {
			n++
		}
	}
	return n > 0 && n*4 >= len(values)*3
}

// wordsFor are what options of colours and sizes are called, by which an option's own name is known.
var colourNames, sizeNames = set(`color colour colors colours farbe couleur finish`),
	set(`size sizes capacity volume length width height dimensions weight diameter pack count pieces quantity number
		größe taille`)

// Propose lists what could be put right with the options of a shape. Seen are the colours that the pictures of values
// show, by option and value, empty where that is not known.
func Propose(s Shape, seen [][]string) (list []Proposal) {
	has := func(names map[string]bool) bool {
		return slices.ContainsFunc(s.Options, func(o Option) bool { return names[fold(o.Name)] })
	}
	for i, o := range s.Options {
		switch used := s.Used(i); {
		case len(used) == 1 && len(s.Options) > 1:
			list = append(list, Proposal{Kind: DropOption, Option: i})
			continue
		case len(used) < 2:
			continue
		}
		if sep := o.Separator(); sep != "" {
			p := Proposal{Kind: SplitOption, Option: i, Separator: sep, Name: "Colour", Second: "Size"}
			first, second := o.halves(sep)
			switch {
			case most(first, IsColour) && most(second, IsSize):
				list = append(list, p)
				continue
			case most(first, IsSize) && most(second, IsColour):
				p.Name, p.Second = p.Second, p.Name
				list = append(list, p)
				continue
			}
		}
		if most(o.Values, IsColour) && !colourNames[fold(o.Name)] && !has(colourNames) {
			list = append(list, Proposal{Kind: RenameOption, Option: i, Name: "Colour"})
			continue
		}
		if most(o.Values, IsSize) && !sizeNames[fold(o.Name)] && !colourNames[fold(o.Name)] && !has(sizeNames) {
			list = append(list, Proposal{Kind: RenameOption, Option: i, Name: "Size"})
			continue
		}
		if p, ok := fromPictures(i, o, seen); ok {
			list = append(list, p)
		}
	}
	return list
}

func (o Option) halves(sep string) (first, second []Value) {
	for _, v := range o.Values {
		a, b, _ := cutValue(v.Name, sep)
		first, second = append(first, Value{Name: a}), append(second, Value{Name: b})
	}
	return first, second
}

// fromPictures names values that say nothing, "A" or "Style 2", after the colours that their pictures show, where those
// differ.
func fromPictures(option int, o Option, seen [][]string) (Proposal, bool) {
	if option >= len(seen) || len(seen[option]) != len(o.Values) {
		return Proposal{}, false
	}
	taken := map[string]bool{}
	for i, v := range o.Values {
		colour := seen[option][i]
		if colour == "" || taken[colour] || !saysNothing(v.Name) {
			return Proposal{}, false
		}
		taken[colour] = true
	}
	return Proposal{Kind: RenameValues, Option: option, Name: "Colour", Values: seen[option]}, true
}

// saysNothing tells whether a value is but a letter or a number: "A", "02", "Style 3", "Type-B".
func saysNothing(value string) bool {
	words := strings.FieldsFunc(strings.ToLower(value), func(r rune) bool { return r == ' ' || r == '-' || r == '#' })
	for _, w := range words {
		plain := strings.Trim(w, "0123456789")
		if plain != "" && len([]rune(plain)) > 1 &&
			!slices.Contains([]string{"style", "type", "model", "color", "colour", "option", "no", "pattern"}, plain) {
			return false
		}
	}
	return len(words) > 0
}
