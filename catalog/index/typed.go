package index

import (
	"cmp"
	"slices"
	"strings"

	"plainpelican/core/terms"
)

// asked is what somebody typed, as the parts hold it: by need, then by part.
type asked struct {
	needs, without [][]looked
}

// asked finds what was typed, and says what was corrected.
func (s *Snapshot[T]) asked(q *terms.Query) (a asked, corrections []Correction) {
	for i := range q.Needs {
		l, c := s.find(&q.Needs[i])
		if c != nil {
			corrections = append(corrections, *c)
		}
		a.needs = append(a.needs, l)
	}
	if q.Code != "" { // all of it is one product number
		for i := range s.parts {
			rows := s.parts[i].withCode(q.Code)
			for n := range a.needs {
				a.needs[n][i].codes = append(slices.Clip(a.needs[n][i].codes), rows...)
			}
		}
	}
	for i := range q.Without {
		a.without = append(a.without, s.needed(&q.Without[i]))
	}
	return a, corrections
}

// in is what was asked, in one part.
func (a *asked) in(part int) (needs, without []looked) {
	for _, l := range a.needs {
		needs = append(needs, l[part])
	}
	for _, l := range a.without {
		without = append(without, l[part])
	}
	return needs, without
}

// Emptied is what of the words left nothing, and how many offers there are without it.
type Emptied struct {
	Words []string `json:"words" doc:"What emptied the answer"`
	Left  int      `json:"left" doc:"Offers without it"`
	Typed string   `json:"typed" doc:"What is left to look for"`
}

// emptied finds which words leave an answer empty: those that find nothing by themselves, else each without which
// something is found.
func (s *Snapshot[T]) emptied(q *Question, a *asked) (out []Emptied) {
	n := len(a.needs)
	if n+len(a.without) < 2 {
		return nil
	}
	total := func(needs, without [][]looked) (total int) {
		for i := range s.parts {
			p := &s.parts[i]
			with, not := (&asked{needs, without}).in(i)
			sets := p.clauses(q, with, not)
			total += p.without(&sets, -1).len()
		}
		return total
	}
	left := func(gone []int) {
		e := Emptied{}
		var needs [][]looked
		var rest []string
		for i := range a.needs {
			if slices.Contains(gone, i) {
				e.Words = append(e.Words, q.Words.Needs[i].Typed)
			} else {
				needs, rest = append(needs, a.needs[i]), append(rest, typedAgain(&q.Words.Needs[i]))
			}
		}
		var without [][]looked
		for i := range a.without {
			if slices.Contains(gone, n+i) {
				e.Words = append(e.Words, "-"+q.Words.Without[i].Typed)
			} else {
				without, rest = append(without, a.without[i]), append(rest, "-"+typedAgain(&q.Words.Without[i]))
			}
		}
		if e.Left = total(needs, without); e.Left > 0 && len(needs) > 0 {
			e.Typed = strings.Join(rest, " ")
			out = append(out, e)
		}
	}
	var dead []int
	for i := range a.needs {
		if total(a.needs[i:i+1], nil) == 0 {
			dead = append(dead, i)
		}
	}
	if len(dead) > 0 && len(dead) < n+len(a.without) {
		left(dead)
		return out
	}
	for i := range n + len(a.without) {
		left([]int{i})
	}
	slices.SortStableFunc(out, func(a, b Emptied) int { return cmp.Compare(b.Left, a.Left) })
	return out
}

// typedAgain is a need as it may be typed again.
func typedAgain(n *terms.Need) string {
	if n.Quoted {
		return `"` + n.Typed + `"`
	}
	return n.Typed
}
