// Package category proposes where in the seller's own tree a supplier's category name belongs.
package category

import (
	"strings"
	"unicode"
)

// Separator stands between the levels of a path, as in "Kitchen > Camp kitchen".
const Separator = " > "

// Clean writes a path in its one form: levels trimmed, empty ones left out, at most six levels of
// 60 characters. It returns "" for a path of nothing.
func Clean(path string) string {
	var levels []string
	for _, level := range strings.FieldsFunc(path, func(r rune) bool {
		return r == '>' || r == '/' || r == '|' || r == '»' || r == '\\'
	}) {
		level = strings.Join(strings.Fields(level), " ")
		if runes := []rune(level); len(runes) > 60 {
			level = strings.TrimSpace(string(runes[:60]))
		}
		if level != "" && len(levels) < 6 {
			levels = append(levels, level)
		}
	}
	return strings.Join(levels, Separator)
}

// Propose is the path of the tree whose words agree best with a supplier's name, and how well,
// in percent: the share of their words, the last level counting twice, that both have. Under
// 34 nothing is proposed; of equals, the first.
func Propose(name string, tree []string) (path string, percent int) {
	theirs := words(name)
	if len(theirs) == 0 {
		return "", 0
	}
	last := map[string]bool{}
	for _, w := range words(leaf(Clean(name))) {
		last[w] = true
	}
	for _, own := range tree {
		ours := words(own)
		leafWords := map[string]bool{}
		for _, w := range words(leaf(own)) {
			leafWords[w] = true
		}
		weight := func(w string) int {
			if leafWords[w] || last[w] {
				return 2
			}
			return 1
		}
		has := map[string]bool{}
		for _, w := range ours {
			has[w] = true
		}
		both, all := 0, 0
		for _, w := range theirs {
			all += weight(w)
			if has[w] {
				both += weight(w)
			}
			delete(has, w)
		}
		for w := range has {
			all += weight(w)
		}
		if share := 100 * both / all; share > percent {
			path, percent = own, share
		}
	}
	if percent < 34 {
		return "", 0
	}
	return path, percent
}

func leaf(path string) string { return path[strings.LastIndex(path, ">")+1:] }

var small = map[string]bool{"and": true, "for": true, "the": true, "of": true, "with": true, "in": true, "other": true}

// words are the different words of a name, plain: without endings of the plural.
func words(text string) (out []string) {
	seen := map[string]bool{}
	for _, w := range strings.FieldsFunc(strings.ToLower(text), func(r rune) bool {
		return !unicode.IsLetter(r) && !unicode.IsDigit(r)
	}) {
		switch {
		case len(w) > 4 && strings.HasSuffix(w, "ies"):
			w = w[:len(w)-3] + "y"
		case len(w) > 4 &&
			(strings.HasSuffix(w, "ches") || strings.HasSuffix(w, "shes") || strings.HasSuffix(w, "sses") ||
				strings.HasSuffix(w, "xes")):
			w = w[:len(w)-2]
		case len(w) > 3 && strings.HasSuffix(w, "s") && !strings.HasSuffix(w, "ss"):
			w = w[:len(w)-1]
		}
		if !small[w] && !seen[w] {
			seen[w] = true
			out = append(out, w)
		}
	}
	return out
}
