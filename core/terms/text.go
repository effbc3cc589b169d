package terms

import (
	"slices"
	"strings"
)

// Text is a short text that needs are compared with one at a time; catalogs are searched by their index.
type Text struct{ inOrder, all []string }

// TextOf cuts a text.
func TextOf(text string) (t Text) {
	var c Cutter
	c.Cut(text, func(term []byte, also bool) {
		t.all = append(t.all, Fold(string(term)))
		if !also {
			t.inOrder = append(t.inOrder, Fold(string(term)))
		}
	})
	return t
}

// MetBy tells whether a text meets a need, corrections aside.
func (n *Need) MetBy(t Text) bool {
	return slices.ContainsFunc(n.Alternatives, func(a Alternative) bool { return a.metBy(t) })
}

func (a *Alternative) metBy(t Text) bool {
	switch a.Match {
	case Phrase:
		for from := range t.inOrder {
			if from+len(a.Terms) <= len(t.inOrder) &&
				slices.EqualFunc(t.inOrder[from:from+len(a.Terms)], a.Terms, func(known, term string) bool {
					return known == Fold(term)
				}) {
				return true
			}
		}
		return false
	case AnyOf, Exactly:
		return slices.ContainsFunc(a.Terms, func(term string) bool { return slices.Contains(t.all, Fold(term)) })
	}
	return !slices.ContainsFunc(a.Terms, func(term string) bool {
		typed := term
		term = Fold(term)
		if slices.ContainsFunc(t.all, func(known string) bool {
			return known == term || (a.Match == Beginning && !IsNumber(term) && strings.HasPrefix(known, term))
		}) {
			return false
		}
		stem, others := Stem(term), Spellings(typed)
		return !slices.ContainsFunc(t.all, func(known string) bool {
			return slices.Contains(others, known) || (known[:1] == term[:1] && Stem(known) == stem)
		})
	})
}
