package index

import (
	"cmp"
	"slices"
	"strings"

	"plainpelican/core/terms"
)

// resolvedQuery is what somebody typed, as the parts hold it: by need, then by part.
type resolvedQuery struct {
	needs, without [][]wordMatch
}

// resolve finds what was typed, and says what was corrected.
func (s *Snapshot[T]) resolve(q *terms.Query) (a resolvedQuery, corrections []Correction) {
	for i := range q.Needs {
		l, c := s.findOrCorrect(&q.Needs[i])
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
		a.without = append(a.without, s.findNeed(&q.Without[i]))
	}
	return a, corrections
}

// inPart is what was asked, in one part.
func (a *resolvedQuery) inPart(part int) (needs, without []wordMatch) {
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

// emptyingWords finds which words leave an answer empty: those that find nothing by themselves, else each without which
// something is found.
func (s *Snapshot[T]) emptyingWords(q *Query, a *resolvedQuery) (out []Emptied) {
	n := len(a.needs)
	if n+len(a.without) < 2 {
		return nil
	}
	total := func(needs, without [][]wordMatch) (total int) {
		for i := range s.parts {
			p := &s.parts[i]
			with, not := (&resolvedQuery{needs, without}).inPart(i)
			sets := p.clauses(q, with, not)
			total += p.liveWithoutClause(&sets, -1).len()
		}
		return total
	}
	left := func(gone []int) {
		e := Emptied{}
		var needs [][]wordMatch
		var rest []string
		for i := range a.needs {
			if slices.Contains(gone, i) {
				e.Words = append(e.Words, q.Words.Needs[i].Typed)
			} else {
				needs, rest = append(needs, a.needs[i]), append(rest, needText(&q.Words.Needs[i]))
			}
		}
		var without [][]wordMatch
		for i := range a.without {
			if slices.Contains(gone, n+i) {
				e.Words = append(e.Words, "-"+q.Words.Without[i].Typed)
			} else {
				without, rest = append(without, a.without[i]), append(rest, "-"+needText(&q.Words.Without[i]))
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

// needText is a need as it may be typed again.
func needText(n *terms.Need) string {
	if n.Quoted {
		return `"` + n.Typed + `"`
	}
	return n.Typed
}
