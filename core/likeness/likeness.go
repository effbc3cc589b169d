// Package likeness tells how likely two offers are the same item, and by which evidence.
package likeness

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"plainpelican/core/quantity"
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
	// PictureTells is where an identical picture is enough, whatever the words: of what somebody looks for by a link.
	PictureTells bool

	known          bool
	words          []string
	inTitle, inAll map[string][]int64
}

// Prepare works out beforehand what comparing needs of an item. It must not change afterwards.
func (i *Item) Prepare() {
	if i.known {
		return
	}
	i.words, i.inTitle, i.inAll = Content(i.Title), Quantities(i.Title), Quantities(strings.Join(i.Values, "\n"))
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
	ByGroup   Kind = "group"
)

// Evidence is one reason for or against.
type Evidence struct {
	Kind Kind `json:"kind" enum:"number,picture,words,size,options,weight,group"`
	// Points is how strongly it speaks for the same item; against it where negative.
	Points int    `json:"points" doc:"How strongly it speaks for the same item, of 100; against it where negative"`
	Said   string `json:"said"`
}

// Match is what all evidence comes to.
type Match struct {
	// Strength is from 0 to 100.
	Strength int        `json:"strength" doc:"From 0 to 100"`
	Evidence []Evidence `json:"evidence"`
	// Packs are how many come together here and there, where that alone makes two offers of an item others.
	Packs *Packed `json:"packs" doc:"Of another pack of the same item; else null"`
	// Doubted is where they have a product number in common and nothing else.
	Doubted bool `json:"doubted" doc:"They have the same product number, and nothing else in common"`
}

// IsDifferent tells whether two offers are not one item, whatever others say: in size, or in how many come together.
func (m *Match) IsDifferent() bool {
	return m.Packs != nil || slices.ContainsFunc(m.Evidence, func(e Evidence) bool {
		return e.Kind == BySize && e.Points < 0
	})
}

// Packed is how many come together of an item at two offers.
type Packed struct {
	Here  int `json:"here"`
	There int `json:"there"`
}

// Same is the strength from which two offers are called the same item: chosen so that words alone
// need the rest to agree.
const Same = 60

// sameWords is how many telling words a title has at least for the same title to be enough.
const sameWords = 3

// Compare weighs the evidence on two offers. rarity says how much a word tells: the rarer, the more;
// nil takes all words as equal.
func Compare(a, b *Item, rarity func(word string) float64) Match {
	a, b = a.prepared(), b.prepared()
	here, there := a.pack(), b.pack()
	packed := here != there && here > 0 && there > 0
	m := compare(a, b, rarity, 1, 1)
	if packed && m.Strength < Same {
		if single := compare(a, b, rarity, here, there); single.Strength >= Same {
			m.Packs = &Packed{here, there}
		}
	}
	return m
}

// compare weighs the evidence on two offers; where they come in packs, by what one piece of each is.
func compare(a, b *Item, rarity func(word string) float64, here, there int) Match {
	perPiece := here != there
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
	case len(a.GTINs) > 0 && len(b.GTINs) > 0 && !perPiece: // a pack has a number of its own
		add(ByGTIN, -25, "other product numbers")
	}
	share, common := alike(a.words, b.words, rarity)
	if share >= 0.2 {
		add(ByWords, int(math.Round(45*share)),
			fmt.Sprintf("%d %% of the words that tell: %s", int(math.Round(100*share)),
				strings.Join(common[:min(len(common), 4)], ", ")))
	}
	sizes(add, a, b, perPiece)
	if len(a.Values) > 0 && len(b.Values) > 0 {
		if common := both(fold(a.Values), fold(b.Values)); len(common) > 0 {
			most := max(len(a.Values), len(b.Values))
			add(ByOptions, int(math.Round(20*float64(len(common))/float64(most))),
				fmt.Sprintf("%d of %d options agree: %s", len(common), most,
					strings.Join(common[:min(len(common), 3)], ", ")))
		}
	}
	weights(add, a, b, here, there)
	// Pictures take longest, and are looked at where they can make or unmake it.
	alone := gtin != "" && !slices.ContainsFunc(m.Evidence, func(e Evidence) bool {
		return e.Kind != ByGTIN && e.Points > 0
	})
	if (gtin == "" && (m.Strength+samePicture >= Same || a.Title == "" || a.PictureTells)) || alone {
		pictures(add, a, b)
	}
	against := slices.ContainsFunc(m.Evidence, func(e Evidence) bool { return e.Points < 0 })
	switch {
	case slices.ContainsFunc(m.Evidence, func(e Evidence) bool { return e.Kind == BySize && e.Points < 0 }):
		m.Strength = min(m.Strength, otherSize) // the same words and pictures stand for another size too
	case alone && !slices.ContainsFunc(m.Evidence, func(e Evidence) bool { return e.Kind != ByGTIN && e.Points > 0 }):
		m.Strength, m.Doubted = min(m.Strength, doubtful), true
	case (a.PictureTells || b.PictureTells) && !against && slices.ContainsFunc(m.Evidence, func(e Evidence) bool {
		return e.Kind == ByPicture && e.Points == identical
	}):
		m.Strength = max(m.Strength, Same)
	case share > 0.999 && len(a.words) >= sameWords && !against:
		m.Strength = max(m.Strength, Same) // the same title is enough to propose it
	}
	m.Strength = max(0, min(100, m.Strength))
	return m
}

// doubtful is the most that one product number comes to where nothing else is alike: numbers are mistyped, and
// borrowed.
const doubtful = 55

// pack is how many come together: 1 where nothing says so, 0 where there are packs of several sizes.
func (i *Item) pack() int {
	switch all := i.inTitle[counts]; {
	case len(all) == 1:
		return int(all[0])
	case len(all) == 0 && len(i.inAll[counts]) == 0:
		return 1
	}
	return 0
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

// identical is how many points pictures have that are one but for how they were saved.
const identical = samePicture

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
	best, how := 0.0, ""
	for i := range a.Pictures {
		for j := range b.Pictures {
			if fit := Fit(&a.Pictures[i], &b.Pictures[j]); fit > best {
				best, how = fit, a.Pictures[i].How+b.Pictures[j].How
			}
		}
	}
	if how != "" {
		how = ", " + how
	}
	points := max(otherPicture, min(samePicture, int(math.Round((best-neither)*steep))))
	said := "other pictures"
	switch {
	case best >= SameFit:
		said = fmt.Sprintf("the same picture%s, outlines %d %% alike", how, int(100*best))
	case points > 0:
		said = fmt.Sprintf("much the same picture%s, outlines %d %% alike", how, int(100*best))
	case points > otherPicture:
		said = fmt.Sprintf("another picture, outlines %d %% alike", int(100*best))
	}
	add(ByPicture, points, said)
}

// kinds of quantities, in the order in which they are told.
var kinds = []string{string(quantity.Volume), string(quantity.Length), string(quantity.Weight), string(quantity.Power),
	string(quantity.Voltage), string(quantity.Charge), string(quantity.Energy), string(quantity.Storage),
	string(quantity.Frequency), string(quantity.Light), string(quantity.Pressure), string(quantity.Turning), parts,
	counts}

// sizes of one kind that both name agree size by size: each that one title names and the other offer does not is
// another, where both have such. How many come together must be named by both: where only one says so, the other is
// taken for a single one.
func sizes(add func(Kind, int, string), a, b *Item, perPiece bool) {
	for _, kind := range kinds {
		of, against := a.inAll[kind], b.inAll[kind]
		if kind == counts {
			here, there := only(a.inTitle[counts], against), only(b.inTitle[counts], of)
			switch {
			case perPiece:
			case len(here)+len(there) > 0:
				add(BySize, -40, together(here, there))
			case len(of) > 0 && len(against) > 0:
				add(BySize, 10, fmt.Sprintf("%d together in both", of[0]))
			}
			continue
		}
		if len(of) == 0 || len(against) == 0 {
			continue
		}
		here, there := only(a.inTitle[kind], against), only(b.inTitle[kind], of)
		common := slices.DeleteFunc(slices.Clone(of), func(q int64) bool { return len(only([]int64{q}, against)) > 0 })
		switch {
		case len(here) > 0 && len(there) > 0:
			add(BySize, -40, fmt.Sprintf("%s here, %s there", sayQuantity(kind, here[0]), sayQuantity(kind, there[0])))
		case len(common) > 0:
			add(BySize, 10, fmt.Sprintf("%s in both", sayQuantity(kind, common[0])))
		default:
			add(BySize, -40, fmt.Sprintf("%s here, %s there", sayQuantity(kind, of[0]), sayQuantity(kind, against[0])))
		}
	}
}

// sameSize tells whether two sizes are one but for rounding, as 6 feet and 183 cm are: within one and a half in a
// hundred.
func sameSize(a, b int64) bool { return math.Abs(float64(a-b)) <= 0.015*float64(max(a, b)) }

// only are the sizes of a that b does not have.
func only(a, b []int64) []int64 {
	return slices.DeleteFunc(slices.Clone(a), func(v int64) bool {
		return slices.ContainsFunc(b, func(w int64) bool { return sameSize(v, w) })
	})
}

func together(here, there []int64) string {
	switch {
	case len(there) == 0:
		return fmt.Sprintf("%v together here, not there", here[0])
	case len(here) == 0:
		return fmt.Sprintf("%v together there, not here", there[0])
	}
	return fmt.Sprintf("%v together here, %v there", here[0], there[0])
}

// weights agree within a twentieth, and speak against each other from a quarter on. It is the lightest
// variants that tell: among others some two often agree. Packs are told by what one piece weighs.
func weights(add func(Kind, int, string), a, b *Item, here, there int) {
	best, from, to := math.Inf(1), 0, 0
	for _, x := range a.Grams {
		for _, y := range b.Grams {
			x, y := x/here, y/there
			if off := offBy(x, y); off < best {
				best, from, to = off, x, y
			}
		}
	}
	x, y := a.Lightest()/here, b.Lightest()/there
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
