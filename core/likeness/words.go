package likeness

import (
	"slices"
	"strconv"
	"strings"
	"unicode"
)

// noise are words of titles that say nothing of the item: claims and what every shop says. From
// common practice.
var noise = map[string]bool{}

func init() {
	for _, w := range strings.Fields(`a an and at best big by cheap delivery discount dropship dropshipping factory fast for free from gift good guarantee guaranteed high hot in item limited mom dad new
		newest of off offer ok on original pc pcs piece premium price product promotion quality sale seller set shipping shop special stock super the time to top wholesale with arrival direct your`) {
		noise[w] = true
	}
}

// Content is the words of a title that tell something of the item, in order, each once: without
// claims, years and quantities.
func Content(title string) (words []string) {
	for _, w := range strings.FieldsFunc(strings.ToLower(title), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) && r != '.' }) {
		w = strings.Trim(w, ".")
		if w == "" || noise[w] || strings.IndexFunc(w, unicode.IsDigit) >= 0 || unitNamed(w) != nil || slices.Contains(words, w) {
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

// unit is what quantities in titles are counted in.
type unit struct {
	name  string
	words map[string]float64 // with how many of the first of them each is
	base  string
}

// counts is the unit of how many come together.
const counts = "count"

var units = []*unit{
	{"volume", map[string]float64{"ml": 1, "cl": 10, "l": 1000, "liter": 1000, "litre": 1000, "liters": 1000, "litres": 1000}, "ml"},
	{"length", map[string]float64{"mm": 1, "cm": 10, "m": 1000, "inch": 25.4, "inches": 25.4}, "mm"},
	{"weight", map[string]float64{"g": 1, "kg": 1000}, "g"},
	{counts, map[string]float64{"pieces": 1, "pcs": 1, "pack": 1, "cells": 1, "ribs": 1, "dice": 1}, "pieces"},
}

func (u *unit) say(q float64) string { return strconv.FormatFloat(q, 'f', -1, 64) + " " + u.base }

func unitNamed(word string) *unit {
	for _, u := range units {
		if u.words[word] != 0 {
			return u
		}
	}
	return nil
}

// Quantities are the sizes and counts that a text names, by kind, in the smallest unit: "350 ml",
// "0.35 l", "35cm", "set of 3", "3-pack".
func Quantities(text string) map[string][]float64 {
	out := map[string][]float64{}
	put := func(kind string, q float64) {
		if !slices.Contains(out[kind], q) {
			out[kind] = append(out[kind], q)
		}
	}
	words := strings.FieldsFunc(strings.ToLower(text), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) && r != '.' })
	for i, w := range words {
		at := strings.IndexFunc(w, func(r rune) bool { return !unicode.IsDigit(r) && r != '.' })
		digits, unit := w, ""
		if at >= 0 {
			digits, unit = w[:at], w[at:]
		} else if i+1 < len(words) {
			unit = words[i+1]
		}
		q, err := strconv.ParseFloat(digits, 64)
		if err != nil || digits == "" {
			continue
		}
		if u := unitNamed(unit); u != nil {
			put(u.name, q*u.words[unit])
		} else if at < 0 && i >= 2 && words[i-1] == "of" && (words[i-2] == "set" || words[i-2] == "pack") {
			put(counts, q)
		}
	}
	return out
}
