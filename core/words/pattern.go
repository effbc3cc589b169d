package words

import (
	"fmt"
	"slices"
	"strings"
)

// Pattern is a text with the names of facts in braces, "{brand} {title}". What stands in square brackets is left out
// where one of its facts is not known: "{title}[, {material}]". Two braces or brackets alike stand for one.
type Pattern struct{ pieces []piece }

type piece struct {
	text  string // where fact is empty
	fact  string
	group int // pieces of one number stand or go together; 0 always stand
}

// ReadPattern reads a pattern. Its error says what is wrong with it, in a sentence.
func ReadPattern(text string) (Pattern, error) {
	var p Pattern
	var plain strings.Builder
	group, groups := 0, 0
	flush := func() {
		if plain.Len() > 0 {
			p.pieces = append(p.pieces, piece{text: plain.String(), group: group})
			plain.Reset()
		}
	}
	for i := 0; i < len(text); i++ {
		c := text[i]
		if i+1 < len(text) && text[i+1] == c && strings.IndexByte("{}[]", c) >= 0 {
			plain.WriteByte(c)
			i++
			continue
		}
		switch c {
		case '{':
			end := strings.IndexByte(text[i:], '}')
			name := ""
			if end > 0 {
				name = strings.ToLower(strings.TrimSpace(text[i+1 : i+end]))
			}
			if end < 0 || name == "" || strings.ContainsAny(name, "{[]") {
				return p, wrong("After “{” there has to be the name of a fact and “}”, such as {brand}.")
			}
			flush()
			p.pieces = append(p.pieces, piece{fact: name, group: group})
			i += end
		case '[':
			if group != 0 {
				return p, wrong("Square brackets cannot stand inside square brackets.")
			}
			flush()
			groups++
			group = groups
		case ']':
			if group == 0 {
				return p, wrong("There is a “]” without a “[” before it.")
			}
			flush()
			group = 0
		case '}':
			return p, wrong("There is a “}” without a “{” before it.")
		default:
			plain.WriteByte(c)
		}
	}
	if group != 0 {
		return p, wrong("A “[” is not closed with “]”.")
	}
	flush()
	return p, nil
}

type patternError string

func (e patternError) Error() string { return string(e) }

func wrong(sentence string) error { return patternError(sentence) }

// Facts lists the names of the facts that a pattern asks for, each once.
func (p Pattern) Facts() (names []string) {
	for _, one := range p.pieces {
		if one.fact != "" && !slices.Contains(names, one.fact) {
			names = append(names, one.fact)
		}
	}
	return names
}

// Fill is the pattern with its facts, in lower case by name; missing are those outside square brackets that are not
// known.
func (p Pattern) Fill(facts map[string]string) (text string, missing []string) {
	gone := map[int]bool{}
	for _, one := range p.pieces {
		if one.fact == "" || facts[one.fact] != "" {
			continue
		}
		if one.group == 0 {
			if !slices.Contains(missing, one.fact) {
				missing = append(missing, one.fact)
			}
		} else {
			gone[one.group] = true
		}
	}
	var out strings.Builder
	for _, one := range p.pieces {
		switch {
		case gone[one.group]:
		case one.fact != "":
			out.WriteString(facts[one.fact])
		default:
			out.WriteString(one.text)
		}
	}
	return strings.Join(strings.Fields(out.String()), " "), missing
}

// Unknown says of a pattern's facts which are not among those there are; empty where all are.
func (p Pattern) Unknown(known []string) error {
	for _, name := range p.Facts() {
		if !slices.Contains(known, name) {
			return wrong(fmt.Sprintf("There is no fact “%s”. There are: %s.", name, strings.Join(known, ", ")))
		}
	}
	return nil
}
