package likeness

import (
	"cmp"
	"slices"
)

// Side is a variant as it is known to one supplier, or to the seller.
type Side struct {
	// Values are its options' values; each may have several names, such as the supplier's and the seller's.
	Values  [][]string
	Barcode string
	Grams   int
	// Colour is the colour of the middle of its picture, where that is known.
	Colour *MedianColour
}

// Counterpart is a variant of another supplier that a variant can be bought as.
type Counterpart struct {
	To int // its index among the other's; -1 where there is none or several would do
	By string
}

// What a counterpart is found by.
const (
	MatchedNumber  = "product number"
	MatchedValues  = "options"
	MatchedPicture = "options and picture"
	MatchedOnly    = "the only one"
)

// Points that evidence counts for. They are chosen so that one option that agrees needs the picture
// to agree too, where there are two options.
const (
	allValues     = 60
	sameColour    = 30
	enough        = 45
	clearly       = 8   // by how much the best must be ahead of the next
	colourMatches = 100 // how far two colours are from each other where they tell nothing; further they tell against it
)

// Counterparts finds for each variant the one of another supplier that is the same thing: by
// barcode, else by option values and the colour of pictures. Each is taken once; where two would do
// about as well, neither is taken.
func Counterparts(of, to []Side) []Counterpart {
	out := make([]Counterpart, len(of))
	type pair struct{ of, to, points int }
	var pairs []pair
	for i := range of {
		out[i].To = -1
		for j := range to {
			if points := of[i].like(&to[j]); points >= enough {
				pairs = append(pairs, pair{i, j, points})
			}
		}
	}
	if len(of) == 1 && len(to) == 1 && of[0].like(&to[0]) > 0 {
		return []Counterpart{{0, MatchedOnly}}
	}
	slices.SortStableFunc(pairs, func(a, b pair) int { return cmp.Compare(b.points, a.points) })
	taken, unclear := make([]bool, len(to)), make([]bool, len(of))
	for i, p := range pairs {
		if unclear[p.of] || out[p.of].To >= 0 || taken[p.to] {
			continue
		}
		rivals := []pair{p}
		for _, q := range pairs[i+1:] {
			if q.points > p.points-clearly && (q.of == p.of) != (q.to == p.to) && out[q.of].To < 0 && !taken[q.to] {
				rivals = append(rivals, q)
			}
		}
		if len(rivals) > 1 {
			for _, r := range rivals {
				if r.to == p.to { // who would take the same
					unclear[r.of] = true
				}
			}
			continue
		}
		taken[p.to] = true
		out[p.of] = Counterpart{p.to, of[p.of].by(&to[p.to])}
	}
	return out
}

func (s *Side) sameNumber(o *Side) bool {
	return s.Barcode != "" && o.Barcode != "" && Full(s.Barcode) == Full(o.Barcode)
}

func (s *Side) by(o *Side) string {
	switch agree, most := s.agreeing(o); {
	case s.sameNumber(o):
		return MatchedNumber
	case agree == most:
		return MatchedValues
	}
	return MatchedPicture
}

// like weighs what is known of two variants: the more points, the more alike; 0 or less where something rules it out.
func (s *Side) like(o *Side) int {
	if s.sameNumber(o) {
		return 200
	}
	if s.otherSize(o) {
		return 0
	}
	points := 1
	if agree, most := s.agreeing(o); most > 0 {
		points += allValues * agree / most
	}
	if s.Colour != nil && o.Colour != nil {
		points += max(-sameColour, int(sameColour*(1-s.Colour.Off(*o.Colour)/colourMatches)))
	}
	return points
}

// agreeing counts the values that both have, of as many as the one with more has.
func (s *Side) agreeing(o *Side) (agree, most int) {
	left := slices.Clone(o.Values)
	for _, names := range s.Values {
		at := slices.IndexFunc(left, func(others []string) bool {
			return slices.ContainsFunc(names, func(n string) bool { return named(others, n) })
		})
		if at >= 0 {
			agree++
			left = slices.Delete(left, at, at+1)
		}
	}
	return agree, max(len(s.Values), len(o.Values))
}

// named tells whether one of some names is a name, or says the same quantity.
func named(names []string, name string) bool {
	return slices.ContainsFunc(names, func(other string) bool {
		if slices.Equal(fold([]string{other}), fold([]string{name})) {
			return true
		}
		x, y := Quantities(other), Quantities(name)
		for unit, of := range x {
			if len(of) == 1 && slices.Equal(of, y[unit]) {
				return true
			}
		}
		return false
	})
}

// otherSize tells whether both name a quantity of one unit, and not the same.
func (s *Side) otherSize(o *Side) bool {
	x, y := s.quantities(), o.quantities()
	for unit, of := range x {
		if there := y[unit]; len(of) > 0 && len(there) > 0 && !slices.ContainsFunc(of, func(q int64) bool {
			return slices.ContainsFunc(there, func(r int64) bool { return sameSize(q, r) })
		}) {
			return true
		}
	}
	return false
}

func (s *Side) quantities() map[string][]int64 {
	out := map[string][]int64{}
	for _, names := range s.Values {
		for _, n := range names {
			for unit, q := range Quantities(n) {
				out[unit] = append(out[unit], q...)
			}
		}
	}
	return out
}
