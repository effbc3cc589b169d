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
	// Pictures are its pictures, those that are known.
	Pictures []Picture

	known          bool
	words          []string
	inTitle, inAll map[string][]float64
}

// Prepare works out beforehand what comparing needs of an item. It must not change afterwards.
func (i *Item) Prepare() {
	if i.known {
		return
	}
	i.words, i.inTitle, i.inAll = Content(i.Title), Quantities(i.Title), Quantities(strings.Join(i.Values, " "))
	for unit, all := range i.inTitle {
		for _, q := range all {
			if !slices.Contains(i.inAll[unit], q) {
				i.inAll[unit] = append(i.inAll[unit], q)
			}
		}
	}
	i.known = true
}

func (i *Item) prepared() *Item {
	if i.known {
		return i
	}
	own := *i
	own.Prepare()
	return &own
}

// Kind of evidence.
type Kind string

// The kinds.
const (
	ByGTIN    Kind = "number"
	ByPicture Kind = "picture"
	ByWords   Kind = "words"
	BySize    Kind = "size"
	ByOptions Kind = "options"
	ByWeight  Kind = "weight"
)

// Evidence is one reason for or against.
type Evidence struct {
	Kind Kind `json:"kind" enum:"number,picture,words,size,options,weight"`
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
	a, b = a.prepared(), b.prepared()
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
	share, common := alike(a.words, b.words, rarity)
	if share >= 0.2 {
		add(ByWords, int(math.Round(45*share)), fmt.Sprintf("%d %% of the words that tell: %s", int(math.Round(100*share)), strings.Join(common[:min(len(common), 4)], ", ")))
	}
	sizes(add, a, b)
	if len(a.Values) > 0 && len(b.Values) > 0 {
		if common := both(fold(a.Values), fold(b.Values)); len(common) > 0 {
			most := max(len(a.Values), len(b.Values))
			add(ByOptions, int(math.Round(20*float64(len(common))/float64(most))), fmt.Sprintf("%d of %d options agree: %s", len(common), most, strings.Join(common[:min(len(common), 3)], ", ")))
		}
	}
	weights(add, a, b)
	// Pictures take longest, and are looked at where they can make or unmake it.
	if gtin == "" && (m.Strength+samePicture >= Same || a.Title == "") {
		pictures(add, a, b)
	}
	if gtin == "" && slices.ContainsFunc(m.Evidence, func(e Evidence) bool { return e.Kind == BySize && e.Points < 0 }) {
		m.Strength = min(m.Strength, otherSize) // the same words and pictures stand for another size too
	}
	m.Strength = max(0, min(100, m.Strength))
	return m
}

// otherSize is the most that two offers of other sizes or counts come to.
const otherSize = 45

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

const samePicture = 45

// What the likeness of outlines tells: nothing at neither, eight points for each hundredth more, less
// as steeply, down to otherPicture.
const (
	neither      = 0.84
	steep        = 800
	otherPicture = -30
)

// pictures speak for one item the more alike their outlines are, and against it where they are not.
func pictures(add func(Kind, int, string), a, b *Item) {
	if len(a.Pictures) == 0 || len(b.Pictures) == 0 {
		return
	}
	best := 0.0
	for i := range a.Pictures {
		for j := range b.Pictures {
			best = max(best, Fit(&a.Pictures[i], &b.Pictures[j]))
		}
	}
	points := max(otherPicture, min(samePicture, int(math.Round((best-neither)*steep))))
	said := "other pictures"
	switch {
	case best >= SameFit:
		said = fmt.Sprintf("the same picture, outlines %d %% alike", int(100*best))
	case points > 0:
		said = fmt.Sprintf("much the same picture, outlines %d %% alike", int(100*best))
	case points > otherPicture:
		said = fmt.Sprintf("another picture, outlines %d %% alike", int(100*best))
	}
	add(ByPicture, points, said)
}

// sizes of one unit that both name agree where any does. How many come together must be named by
// both: where only one says so, the other is taken for a single one.
func sizes(add func(Kind, int, string), a, b *Item) {
	for _, unit := range units {
		of, against := a.inAll[unit.name], b.inAll[unit.name]
		if unit.name == counts {
			here, there := only(a.inTitle[counts], against), only(b.inTitle[counts], of)
			if len(here)+len(there) > 0 {
				add(BySize, -40, together(here, there))
				continue
			}
		}
		if len(of) == 0 || len(against) == 0 {
			continue
		}
		if common := both(of, against); len(common) > 0 {
			add(BySize, 10, fmt.Sprintf("%s in both", unit.say(common[0])))
		} else {
			add(BySize, -40, fmt.Sprintf("%s here, %s there", unit.say(of[0]), unit.say(against[0])))
		}
	}
}

// only are those of a that are not in b.
func only[V comparable](a, b []V) []V {
	return slices.DeleteFunc(slices.Clone(a), func(v V) bool { return slices.Contains(b, v) })
}

func together(here, there []float64) string {
	switch {
	case len(there) == 0:
		return fmt.Sprintf("%v together here, not there", here[0])
	case len(here) == 0:
		return fmt.Sprintf("%v together there, not here", there[0])
	}
	return fmt.Sprintf("%v together here, %v there", here[0], there[0])
}

// weights agree within a twentieth, and speak against each other from a quarter on. It is the lightest
// variants that tell: among others some two often agree.
func weights(add func(Kind, int, string), a, b *Item) {
	best, from, to := math.Inf(1), 0, 0
	for _, x := range a.Grams {
		for _, y := range b.Grams {
			if off := offBy(x, y); off < best {
				best, from, to = off, x, y
			}
		}
	}
	x, y := a.Lightest(), b.Lightest()
	switch {
	case offBy(x, y) <= 0.05:
		add(ByWeight, 12, fmt.Sprintf("weighs the same, %d g", x))
	case best <= 0.05:
		add(ByWeight, 4, fmt.Sprintf("some weigh the same, %d g", from))
	case best >= 0.25 && !math.IsInf(best, 1):
		add(ByWeight, -25, fmt.Sprintf("%d g here, %d g there", from, to))
	}
}

// offBy is by how much two weights differ, as a share of the heavier; infinite where one is not known.
func offBy(x, y int) float64 {
	if x <= 0 || y <= 0 {
		return math.Inf(1)
	}
	return math.Abs(float64(x-y)) / float64(max(x, y))
}

// Lightest is the least weight that is known of an item's variants; 0 is none.
func (i *Item) Lightest() (least int) {
	for _, g := range i.Grams {
		if g > 0 && (least == 0 || g < least) {
			least = g
		}
	}
	return least
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

func both[V comparable](a, b []V) []V {
	return slices.DeleteFunc(slices.Clone(a), func(v V) bool { return !slices.Contains(b, v) })
}
