// Package likeness tells how likely two offers are the same item, and by which evidence.
package likeness

import (
	"fmt"
	"math"
	"slices"
	"strings"
)

// Item is what is known of an offer.
type Item struct {
	Title string
	// GTINs are of its variants, those with a right check digit, of any length.
	GTINs []string
	// Values are the names of its options' values.
	Values []string
	// Grams are its variants' weights; 0 is not known.
	Grams []int
}

// Kind of evidence.
type Kind string

// The kinds.
const (
	ByGTIN    Kind = "number"
	ByWords   Kind = "words"
	BySize    Kind = "size"
	ByOptions Kind = "options"
	ByWeight  Kind = "weight"
)

// Evidence is one reason for or against.
type Evidence struct {
	Kind Kind `json:"kind" enum:"number,words,size,options,weight"`
	// Points is how strongly it speaks for the same item; against it where negative.
	Points int    `json:"points" doc:"How strongly it speaks for the same item, of 100; against it where negative"`
	Said   string `json:"said"`
}

// Match is what all evidence comes to.
type Match struct {
	// Strength is from 0 to 100.
	Strength int        `json:"strength" doc:"From 0 to 100"`
	Evidence []Evidence `json:"evidence"`
}

// Same is the strength from which two offers are called the same item: chosen so that words alone
// need the rest to agree.
const Same = 60

// Compare weighs the evidence on two offers. rarity says how much a word tells: the rarer, the more;
// nil takes all words as equal.
func Compare(a, b *Item, rarity func(word string) float64) Match {
	m := Match{Evidence: []Evidence{}}
	add := func(kind Kind, points int, said string) {
		if points != 0 {
			m.Evidence = append(m.Evidence, Evidence{kind, points, said})
			m.Strength += points
		}
	}
	gtin := numbers(a, b)
	switch {
	case gtin != "":
		add(ByGTIN, 70, "the same product number, "+gtin)
	case len(a.GTINs) > 0 && len(b.GTINs) > 0:
		add(ByGTIN, -25, "other product numbers")
	}
	first, second := Content(a.Title), Content(b.Title)
	share, common := alike(first, second, rarity)
	if share >= 0.2 {
		add(ByWords, int(math.Round(45*share)), fmt.Sprintf("%d %% of the words that tell: %s", int(math.Round(100*share)), strings.Join(common[:min(len(common), 4)], ", ")))
	}
	sizes(add, a, b)
	if len(a.Values) > 0 && len(b.Values) > 0 {
		if both := common2(fold(a.Values), fold(b.Values)); len(both) > 0 {
			most := max(len(a.Values), len(b.Values))
			add(ByOptions, int(math.Round(20*float64(len(both))/float64(most))), fmt.Sprintf("%d of %d options agree: %s", len(both), most, strings.Join(both[:min(len(both), 3)], ", ")))
		}
	}
	weights(add, a, b)
	m.Strength = max(0, min(100, m.Strength))
	return m
}

// numbers is a GTIN that both have, compared at fourteen digits as GS1 has them.
func numbers(a, b *Item) string {
	for _, x := range a.GTINs {
		for _, y := range b.GTINs {
			if Full(x) == Full(y) {
				return x
			}
		}
	}
	return ""
}

// Full is a GTIN of any length as one of fourteen digits.
func Full(gtin string) string {
	if len(gtin) >= 14 {
		return gtin
	}
	return strings.Repeat("0", 14-len(gtin)) + gtin
}

func sizes(add func(Kind, int, string), a, b *Item) {
	x, y := Quantities(a.Title+" "+strings.Join(a.Values, " ")), Quantities(b.Title+" "+strings.Join(b.Values, " "))
	for _, unit := range units {
		of, against := x[unit.name], y[unit.name]
		if len(of) == 0 || len(against) == 0 {
			continue
		}
		both := slices.DeleteFunc(slices.Clone(of), func(q float64) bool { return !slices.Contains(against, q) })
		if len(both) > 0 {
			add(BySize, 10, fmt.Sprintf("%s in both", unit.say(both[0])))
		} else {
			add(BySize, -40, fmt.Sprintf("%s here, %s there", unit.say(of[0]), unit.say(against[0])))
		}
	}
}

// weights agree within a twentieth, and speak against each other from a quarter on.
func weights(add func(Kind, int, string), a, b *Item) {
	best, from, to := math.Inf(1), 0, 0
	for _, x := range a.Grams {
		for _, y := range b.Grams {
			if x <= 0 || y <= 0 {
				continue
			}
			if off := math.Abs(float64(x-y)) / float64(max(x, y)); off < best {
				best, from, to = off, x, y
			}
		}
	}
	switch {
	case best <= 0.05:
		add(ByWeight, 12, fmt.Sprintf("weighs the same, %d g", from))
	case best >= 0.25 && !math.IsInf(best, 1):
		add(ByWeight, -15, fmt.Sprintf("%d g here, %d g there", from, to))
	}
}

func fold(values []string) []string {
	out := make([]string, 0, len(values))
	for _, v := range values {
		if v = strings.ToLower(strings.Join(strings.Fields(v), " ")); v != "" && !slices.Contains(out, v) {
			out = append(out, v)
		}
	}
	return out
}

func common2(a, b []string) []string {
	return slices.DeleteFunc(slices.Clone(a), func(v string) bool { return !slices.Contains(b, v) })
}
