package index

import (
	"cmp"
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"plainpelican/core/terms"
)

var vocabulary = []string{"enamel", "mug", "kettle", "steel", "camp", "garden", "wool", "zinc", "pot", "lantern",
	"crème", "creme", "350ml", "0.35 l", "不锈钢", "wi-fi", "wifi"}

func one[V any](r *rand.Rand, of ...V) V { return of[r.IntN(len(of))] }

func randomRow(r *rand.Rand, id int64) Entry[StoreValues] {
	var words []string
	long := r.IntN(60) / 59 * 280 // beyond the places that are told apart
	for range 2 + r.IntN(4) + long {
		words = append(words, one(r, vocabulary...))
	}
	e := Entry[StoreValues]{Row: Row{ID: id, Text: strings.Join(words, " "),
		Codes: []string{fmt.Sprint("code", id), "both"}[:1+r.IntN(2)]}}
	for range r.IntN(3) {
		e.Values = append(e.Values, one(r, "plum", "deep plum", "2 L", "pot"))
	}
	e.Facets = [facetCount]string{Category: one(r, "Kitchen", "Kitchen > Camp", "Kitchen > Camp > Mugs", "Garden"),
		Source: one(r, "1", "2", "3"), Supplier: fmt.Sprint("Supplier ", r.IntN(300)), Brand: one(r, "", "Linden"),
		ShipsFrom: one(r, "CN", "VN", "PL"), ShipsTo: one(r, "*", "US", "DE,US", "DE,FR,GB", ""),
		Demand: one(r, "rising", "steady"), Mine: one(r, "no", "no", "workbench")}
	for k := range e.Numbers {
		e.Numbers[k] = int32(r.IntN(200))
	}
	e.Numbers[Verified], e.Numbers[Packs] = int32(r.IntN(2)), int32(r.IntN(2))
	for f := range e.Item.Values {
		e.Item.Values[f] = int64(r.IntN(4000) - 200)
	}
	e.Item.Sellable = r.IntN(10) > 0
	return e
}

var (
	offeredNumbers = Offered{Stock: {10, 100}, Rating: {50}, Rivals: {20, 80}, Verified: {1}}
	// asItIs prices things that are their own prices.
	asItIs = Prices[StoreValues]{1: {Of: func(f *StoreValues) StoreValues {
		return *f
	}, Offered: [storeColumnCount][]int64{Landed: {1000, 3000}, Days: {800, 1600}, Profit: {0, 500}}}}
)

func world(r *rand.Rand, n int) (*Snapshot[StoreValues], map[int64]Entry[StoreValues]) {
	rows := make([]Entry[StoreValues], n)
	known := map[int64]Entry[StoreValues]{}
	for i := range rows {
		rows[i] = randomRow(r, int64(i+1))
		known[rows[i].ID] = rows[i]
	}
	return Build(rows, offeredNumbers, asItIs), known
}

// position is where a term stands in a text: it, and those that mean the same there; first of a text of its own or not.
type position struct {
	terms, plain []string
	begins       bool
}

var (
	cut   = map[string][]position{}
	plain = strings.NewReplacer("è", "e").Replace
)

// termsOf remembers what it has cut once.
func termsOf(e Entry[StoreValues]) []position {
	key := e.Text + "\n" + strings.Join(e.Values, "\n")
	if cut[key] == nil {
		var c terms.Cutter
		var all []position
		for i, text := range append([]string{e.Text}, e.Values...) {
			begins := i > 0
			c.Cut(text, func(term []byte, also bool) {
				if !also {
					all = append(all, position{begins: begins})
					begins = false
				}
				p := &all[len(all)-1]
				p.terms, p.plain = append(p.terms, string(term)), append(p.plain, plain(string(term)))
			})
		}
		cut[key] = all
	}
	return cut[key]
}

// startsWith tells whether a term begins so; a number must be all of it.
func startsWith(term, start string) bool {
	if strings.Trim(start, "0123456789") == "" {
		return term == start
	}
	return strings.HasPrefix(term, start)
}

// plainPoints is how well a row meets a need, said plainly; -1 where it does not.
func plainPoints(n terms.Need, e Entry[StoreValues]) (best int) {
	best = -1
	text := termsOf(e)
	for i, a := range n.Alternatives {
		wanted := make([]string, len(a.Terms))
		for j, w := range a.Terms {
			wanted[j] = plain(w)
		}
		bonus := func(first int) int { return map[bool]int{true: first, false: 0}[i == 0] }
		switch a.Match {
		case terms.Phrase:
			for from := range text {
				same := 0
				for same < len(wanted) && from+same < len(text) && text[from+same].plain[0] == wanted[same] &&
					(same == 0 || !text[from+same].begins) {
					same++
				}
				if same == len(wanted) {
					best = max(best, 256+max(20, bonus(40))-min(from, 255))
					break
				}
			}
		case terms.All:
			if !slices.ContainsFunc(wanted, func(w string) bool {
				return !slices.ContainsFunc(text, func(p position) bool { return slices.Contains(p.plain, w) })
			}) {
				best = max(best, 256-100)
			}
		default:
			for at, p := range text {
				for j, t := range p.plain {
					for k, w := range wanted {
						points := 256 - min(at, 255)
						switch {
						case t == w && a.Match != terms.AnyOf && p.terms[j] == a.Terms[k]:
							points += bonus(40)
						case t == w && a.Match != terms.AnyOf:
							points += bonus(20)
						case t == w || (a.Match == terms.Beginning && startsWith(t, w)):
						default:
							continue
						}
						best = max(best, points)
					}
				}
			}
		}
	}
	if n.Code != "" && slices.Contains(e.Codes, n.Code) {
		best = 1000
	}
	return best
}

// answersTo says plainly whether a value of a facet is meant by a choice.
func answersTo(f Facet, value, choice string) bool {
	switch f {
	case Category:
		return value == choice || strings.HasPrefix(value, choice+" > ")
	case ShipsTo:
		return (value == "*" && choice != "") || slices.Contains(strings.Split(value, ","), choice)
	}
	return value == choice
}

func keeps(v, bound int64, atMost bool) bool {
	if atMost {
		return v <= bound
	}
	return v >= bound
}

func keepsFigure(m StoreValues, b Bound[StoreColumn]) bool {
	return m.Sellable && keeps(m.Values[b.Of], b.Value, b.Of.atMost())
}

// matches is what a question asks, said plainly, one row at a time; left is a clause to
// leave out, as the counts of its choices do.
func matches(q Query, e Entry[StoreValues], left any) bool {
	if slices.ContainsFunc(q.Words.Needs, func(n terms.Need) bool {
		return plainPoints(n, e) < 0
	}) || slices.ContainsFunc(q.Words.Without, func(n terms.Need) bool { return plainPoints(n, e) >= 0 }) {
		return false
	}
	for f, choices := range q.Facets {
		if left != f && len(choices) > 0 && !slices.ContainsFunc(choices, func(c string) bool {
			return answersTo(f, e.Facets[f], c)
		}) {
			return false
		}
	}
	for _, b := range q.NumberBounds {
		if left != b.Of && !keeps(int64(e.Numbers[b.Of]), b.Value, b.Of.atMost()) {
			return false
		}
	}
	for _, b := range q.StoreBounds {
		if left != b.Of && !keepsFigure(e.Item, b) {
			return false
		}
	}
	if left == "standard" {
		return true
	}
	return !slices.ContainsFunc(q.Standard.Numbers, func(b Bound[Number]) bool {
		return !keeps(int64(e.Numbers[b.Of]), b.Value, b.Of.atMost())
	}) &&
		!slices.ContainsFunc(q.Standard.Figures, func(b Bound[StoreColumn]) bool { return !keepsFigure(e.Item, b) })
}

var sorts = []Sort{ByLanded, ByItem, ByShipping, ByDays, ByUnits, ByGrowth, ByRating, ByRivals, ByProfit, ByMargin,
	ByWorth, ByRelevance}

func randomQuestion(r *rand.Rand) Query {
	q := Query{Store: 1, Limit: 50, Sort: one(r, sorts...), Facets: map[Facet][]string{}, Counts: true,
		SeenSince: []int32{30, 150}}
	typed := ""
	for range r.IntN(3) {
		w := one(r, append(slices.Clone(vocabulary[:10]), "crème", "creme", "350 ml", "2l", "plum", "35cl", "wi-fi",
			"wifi", "锈钢", `"steel pot"`, `"deep plum"`, "-zinc", "-plum", "both", fmt.Sprint("code", r.IntN(700)))...)
		if terms.IsPlain(w) && w[0] >= 'a' && r.IntN(2) == 0 && w != "both" && w != "wi-fi" {
			w = w[:len(w)-1]
		}
		typed += " " + w
	}
	q.Words = terms.Parse(typed, nil)
	choices := map[Facet][]string{Category: {"Kitchen", "Kitchen > Camp", "Garden", "Attic"}, Source: {"1", "2"},
		Supplier: {"Supplier 3", "Supplier 77"}, Brand: {"Linden", ""}, ShipsFrom: {"CN", "PL", "XX"},
		ShipsTo: {"US", "GB", ""}, Demand: {"rising"}, Mine: {"no"}}
	for f, of := range choices {
		if r.IntN(6) == 0 {
			q.Facets[f] = []string{one(r, of...), one(r, of...)}
		}
	}
	for k := range numberCount {
		if r.IntN(9) == 0 {
			q.NumberBounds = append(q.NumberBounds, Bound[Number]{k, one(r, int64(r.IntN(200)), 1, 10, 20)})
		}
	}
	for f := range storeColumnCount {
		if r.IntN(9) == 0 {
			q.StoreBounds = append(q.StoreBounds, Bound[StoreColumn]{f, one(r, int64(r.IntN(4000)), 1000, 1600)})
		}
	}
	if r.IntN(3) == 0 {
		q.Standard = Standard{[]Bound[Number]{{Rating, 20}}, []Bound[StoreColumn]{{Days, 3000}}}
	}
	q.Offset = r.IntN(4) * 10
	return q
}

// inOrder compares two offers by a question's order, said plainly.
func inOrder(q Query, a, b Entry[StoreValues]) int {
	if q.Sort == ByRelevance {
		return cmp.Or(cmp.Compare(relevance(q, b), relevance(q, a)), cmp.Compare(b.Numbers[Month], a.Numbers[Month]))
	}
	if k, is := byNumber[q.Sort]; is {
		if k.atMost() {
			a, b = b, a
		}
		return cmp.Compare(b.Numbers[k], a.Numbers[k])
	}
	if a.Item.Sellable != b.Item.Sellable {
		return map[bool]int{true: -1, false: 1}[a.Item.Sellable]
	}
	if !a.Item.Sellable {
		return 0
	}
	f := byFigure[q.Sort]
	if f.atMost() {
		a, b = b, a
	}
	return cmp.Compare(b.Item.Values[f], a.Item.Values[f])
}

// relevance is how well a row has the words of a question, said plainly.
func relevance(q Query, e Entry[StoreValues]) (sum int) {
	for _, n := range q.Words.Needs {
		sum += plainPoints(n, e)
	}
	return sum
}

// agree compares an answer with one that is found by looking at every row.
func agree(t *testing.T, s *Snapshot[StoreValues], known map[int64]Entry[StoreValues], q Query) {
	t.Helper()
	got := s.Search(q)
	want := []Entry[StoreValues]{}
	unhidden := 0
	for _, e := range known {
		if matches(q, e, nil) {
			want = append(want, e)
		}
		if matches(q, e, "standard") {
			unhidden++
		}
	}
	slices.SortFunc(want, func(a, b Entry[StoreValues]) int {
		return cmp.Or(inOrder(q, a, b), cmp.Compare(a.ID, b.ID))
	})
	page := want[min(q.Offset, len(want)):min(q.Offset+q.Limit, len(want))]
	same := slices.EqualFunc(got.Hits, page, func(h Hit[StoreValues], e Entry[StoreValues]) bool {
		return h.ID == e.ID && h.Numbers == e.Numbers && h.ShipsFrom == e.Facets[ShipsFrom] && *h.Item == e.Item
	})
	if got.Total != len(want) || got.Hidden != unhidden-len(want) || !same {
		t.Fatalf("%+v: %d rows %v, want %d %v; %d hidden, want %d", q, got.Total, got.Hits, len(want), page, got.Hidden,
			unhidden-len(want))
	}
	for f := range facetCount {
		counts := map[string]int{}
		for _, e := range known {
			if matches(q, e, f) {
				for _, choice := range f.valuesOf(e.Facets[f]) {
					counts[choice]++
				}
			}
		}
		if !maps.Equal(got.Counts.Facets[f], counts) {
			t.Fatalf("%+v: facet %d leaves %v, want %v", q, f, got.Counts.Facets[f], counts)
		}
	}
	bounds := offeredNumbers
	bounds[Seen] = q.SeenSince
	for k, offered := range bounds {
		for i, bound := range offered {
			n := 0
			for _, e := range known {
				if matches(q, e, Number(k)) && keeps(int64(e.Numbers[k]), int64(bound), Number(k).atMost()) {
					n++
				}
			}
			if got.Counts.Numbers[k][i] != n {
				t.Fatalf("%+v: number %d by %d leaves %d, want %d", q, k, bound, got.Counts.Numbers[k][i], n)
			}
		}
	}
	for f, offered := range asItIs[1].Offered {
		for i, bound := range offered {
			n := 0
			for _, e := range known {
				if matches(q, e, StoreColumn(f)) && keepsFigure(e.Item, Bound[StoreColumn]{StoreColumn(f), bound}) {
					n++
				}
			}
			if got.Counts.Figures[f][i] != n {
				t.Fatalf("%+v: figure %d by %d leaves %d, want %d", q, f, bound, got.Counts.Figures[f][i], n)
			}
		}
	}
}
