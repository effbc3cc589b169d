package likeness

import (
	"slices"
	"strconv"
	"strings"
	"unicode"

	"plainpelican/core/quantity"
)

// noise are words of titles that say nothing of the item: claims and what every shop says. From
// common practice.
var noise = map[string]bool{}

func init() {
	for _, w := range strings.Fields(`a an
		and at best big by cheap delivery discount dropship dropshipping factory fast for free
		from gift good guarantee guaranteed high hot in item limited mom dad new
		newest of off offer ok on original pc pcs piece premium price product promotion quality sale seller
		set shipping shop special stock super the time to top wholesale with arrival direct your x`) {
		noise[w] = true
	}
}

// Content is the words of a title that tell something of the item, in order, each once: without
// claims, years and quantities.
func Content(title string) (words []string) {
	for _, w := range strings.FieldsFunc(strings.ToLower(title), func(r rune) bool {
		return !unicode.IsLetter(r) && !unicode.IsDigit(r) && r != '.'
	}) {
		w = strings.Trim(w, ".")
		if w == "" || noise[w] || strings.IndexFunc(w, unicode.IsDigit) >= 0 || isUnit(w) || slices.Contains(words, w) {
			continue
		}
		words = append(words, w)
	}
	return words
}

// nearly is the Jaro-Winkler likeness from which two words are taken for forms of one.
const nearly = 0.92

// alike is the share of what the words of two titles tell that they have in common: the sum over the
// common ones by the sum over all (Jaccard, weighted).
func alike(a, b []string, rarity func(string) float64) (share float64, common []string) {
	if rarity == nil {
		rarity = func(string) float64 { return 1 }
	}
	left := slices.Clone(b)
	both, all := 0.0, 0.0
	for _, w := range a {
		all += rarity(w)
		at := slices.Index(left, w)
		if at < 0 {
			at = slices.IndexFunc(left, func(other string) bool { return JaroWinkler(w, other) >= nearly })
		}
		if at >= 0 {
			both += rarity(w)
			common = append(common, w)
			left = slices.Delete(left, at, at+1)
		}
	}
	for _, w := range left {
		all += rarity(w)
	}
	if all == 0 {
		return 0, nil
	}
	return both / all, common
}

// JaroWinkler is the likeness of two words from 0 to 1: Jaro's, raised by up to four common first
// letters by a tenth each. Source: Winkler (1990), with the usual scaling of 0.1.
func JaroWinkler(a, b string) float64 {
	x, y := []rune(a), []rune(b)
	if len(x) == 0 || len(y) == 0 {
		if len(x) == len(y) {
			return 1
		}
		return 0
	}
	reach := max(max(len(x), len(y))/2-1, 0)
	usedX, usedY := make([]bool, len(x)), make([]bool, len(y))
	matches := 0
	for i := range x {
		for j := max(0, i-reach); j < min(len(y), i+reach+1); j++ {
			if !usedY[j] && x[i] == y[j] {
				usedX[i], usedY[j] = true, true
				matches++
				break
			}
		}
	}
	if matches == 0 {
		return 0
	}
	swapped, j := 0, 0
	for i := range x {
		if !usedX[i] {
			continue
		}
		for !usedY[j] {
			j++
		}
		if x[i] != y[j] {
			swapped++
		}
		j++
	}
	m := float64(matches)
	jaro := (m/float64(len(x)) + m/float64(len(y)) + (m-float64(swapped/2))/m) / 3
	prefix := 0
	for prefix < min(4, len(x), len(y)) && x[prefix] == y[prefix] {
		prefix++
	}
	return jaro + float64(prefix)*0.1*(1-jaro)
}

// counts is the kind of quantity that says how many come together, parts how many of something one has: 8 ribs, 5 dice.
const (
	counts = "count"
	parts  = "parts"
)

var countedParts = set(`cell cells rib ribs dice compartment compartments tier tiers drawer drawers shelves row rows ` +
	`burner burners slot slots pocket pockets`)

// isUnit tells whether a word counts or measures, and says nothing of the item by itself.
func isUnit(w string) bool {
	return quantity.UnitNamed(w) != nil ||
		slices.Contains([]string{"pieces", "pcs", "pack", "cells", "ribs", "dice"}, w)
}

// Quantities are the sizes and counts that a text names, by kind: "350 ml", "0.35 l", "35cm", "set of 3", "2er-Set",
// each in the base unit of its kind.
func Quantities(text string) map[string][]int64 {
	out := map[string][]int64{}
	text = strings.ToLower(text)
	put := func(kind string, q int64) {
		if !slices.Contains(out[kind], q) {
			out[kind] = append(out[kind], q)
		}
	}
	for _, m := range quantity.Measures(text) {
		put(string(m.Dimension), m.Value)
	}
	for _, n := range Packs(text) {
		put(counts, int64(n))
	}
	var room [48]token
	all := tokens(text, room[:0])
	for i, t := range all {
		next := i + 1
		if next < len(all) && all[next].text == "-" {
			next++
		}
		if t.digit && t.n > 0 && next < len(all) && countedParts[all[next].text] {
			put(parts, int64(t.n))
		}
	}
	return out
}

// sayQuantity writes one as people do.
func sayQuantity(kind string, q int64) string {
	if kind == counts || kind == parts {
		return strconv.FormatInt(q, 10)
	}
	return quantity.Say(quantity.Dimension(kind), q)
}
