package index

import (
	"cmp"
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"unicode/utf8"
)

func TestTerms(t *testing.T) {
	got := Terms("2026 NEW Hot-Sale!! Mugs, GLASS 350ml ★ Café")
	if want := []string{"2026", "new", "hot", "sale", "mugs", "glass", "350ml", "café"}; !slices.Equal(got, want) {
		t.Errorf("%q", got)
	}
}

func TestDistance(t *testing.T) {
	for _, c := range []struct {
		a, b string
		want int
	}{{"enamel", "enamel", 0}, {"enamle", "enamel", 1}, {"enaml", "enamel", 1}, {"enammel", "enamel", 1}, {"anamel", "enamel", 1}, {"kettle", "kennel", 3}, {"cat", "catalog", 3}} {
		if got := distance(c.a, c.b, 2); got != c.want {
			t.Errorf("%s to %s: %d, want %d", c.a, c.b, got, c.want)
		}
	}
}

var vocabulary = []string{"enamel", "mug", "kettle", "steel", "camp", "garden", "wool", "zinc", "pot", "lantern"}

func one[V any](r *rand.Rand, of ...V) V { return of[r.IntN(len(of))] }

func randomRow(r *rand.Rand, id int64) Entry[Figures] {
	var words []string
	for range 2 + r.IntN(4) {
		words = append(words, one(r, vocabulary...))
	}
	e := Entry[Figures]{Row: Row{ID: id, Text: strings.Join(words, " ")}}
	e.Facets = [facets]string{Category: one(r, "Kitchen", "Kitchen > Camp", "Kitchen > Camp > Mugs", "Garden"), Source: one(r, "1", "2", "3"), Supplier: fmt.Sprint("Supplier ", r.IntN(300)), Brand: one(r, "", "Linden"),
		ShipsFrom: one(r, "CN", "VN", "PL"), ShipsTo: one(r, "*", "US", "DE,US", "DE,FR,GB", ""), Demand: one(r, "rising", "steady"), Mine: one(r, "no", "no", "workbench")}
	for k := range e.Numbers {
		e.Numbers[k] = int32(r.IntN(200))
	}
	e.Numbers[Verified], e.Numbers[Packs] = int32(r.IntN(2)), int32(r.IntN(2))
	for f := range e.Thing.Of {
		e.Thing.Of[f] = int64(r.IntN(4000) - 200)
	}
	e.Thing.Sellable = r.IntN(10) > 0
	return e
}

var (
	offeredNumbers = Offered{Stock: {10, 100}, Rating: {50}, Rivals: {20, 80}, Verified: {1}}
	// asItIs prices things that are their own prices.
	asItIs = Prices[Figures]{1: {func(f *Figures) Figures { return *f }, [figures][]int64{Landed: {1000, 3000}, Days: {800, 1600}, Profit: {0, 500}}}}
)

func world(r *rand.Rand, n int) (*Snapshot[Figures], map[int64]Entry[Figures]) {
	rows := make([]Entry[Figures], n)
	known := map[int64]Entry[Figures]{}
	for i := range rows {
		rows[i] = randomRow(r, int64(i+1))
		known[rows[i].ID] = rows[i]
	}
	return Build(rows, offeredNumbers, asItIs), known
}

var cut = map[string][]string{}

// termsOf remembers what it has cut once.
func termsOf(text string) []string {
	if cut[text] == nil {
		cut[text] = Terms(text)
	}
	return cut[text]
}

// answersTo says plainly whether a value of a facet is meant by a choice.
func answersTo(f Facet, value, choice string) bool {
	switch f {
	case Category:
		return value == choice || strings.HasPrefix(value, choice+" > ")
	case ShipsTo:
		return value == "*" || (value != "" && slices.Contains(strings.Split(value, ","), choice))
	}
	return value == choice
}

func keeps(v, bound int64, atMost bool) bool {
	if atMost {
		return v <= bound
	}
	return v >= bound
}

func keepsFigure(m Figures, b Bound[Figure]) bool {
	return m.Sellable && keeps(m.Of[b.Of], b.Value, b.Of.atMost())
}

// matches is what a question asks, said plainly, one row at a time; left is a clause to
// leave out, as the counts of its choices do.
func matches(q Question, e Entry[Figures], left any) bool {
	text := termsOf(e.Text)
	for _, w := range termsOf(q.Words) {
		if !slices.ContainsFunc(text, func(x string) bool { return strings.HasPrefix(x, w) }) {
			return false
		}
	}
	for f, choices := range q.Facets {
		if left != f && len(choices) > 0 && !slices.ContainsFunc(choices, func(c string) bool { return answersTo(f, e.Facets[f], c) }) {
			return false
		}
	}
	for _, b := range q.Numbers {
		if left != b.Of && !keeps(int64(e.Numbers[b.Of]), b.Value, b.Of.atMost()) {
			return false
		}
	}
	for _, b := range q.Figures {
		if left != b.Of && !keepsFigure(e.Thing, b) {
			return false
		}
	}
	if left == "standard" {
		return true
	}
	return !slices.ContainsFunc(q.Standard.Numbers, func(b Bound[Number]) bool { return !keeps(int64(e.Numbers[b.Of]), b.Value, b.Of.atMost()) }) &&
		!slices.ContainsFunc(q.Standard.Figures, func(b Bound[Figure]) bool { return !keepsFigure(e.Thing, b) })
}

var sorts = []Sort{ByLanded, ByItem, ByShipping, ByDays, ByUnits, ByGrowth, ByRating, ByRivals, ByProfit, ByMargin, ByWorth}

func randomQuestion(r *rand.Rand) Question {
	q := Question{Store: 1, Limit: 50, Sort: one(r, sorts...), Facets: map[Facet][]string{}, Counts: true, SeenSince: []int32{30, 150}}
	for range r.IntN(3) {
		w := one(r, vocabulary...)
		q.Words += " " + w[:len(w)-r.IntN(2)]
	}
	choices := map[Facet][]string{Category: {"Kitchen", "Kitchen > Camp", "Garden", "Attic"}, Source: {"1", "2"}, Supplier: {"Supplier 3", "Supplier 77"}, Brand: {"Linden", ""}, ShipsFrom: {"CN", "PL", "XX"}, ShipsTo: {"US", "GB"}, Demand: {"rising"}, Mine: {"no"}}
	for f, of := range choices {
		if r.IntN(6) == 0 {
			q.Facets[f] = []string{one(r, of...), one(r, of...)}
		}
	}
	for k := range numbers {
		if r.IntN(9) == 0 {
			q.Numbers = append(q.Numbers, Bound[Number]{k, one(r, int64(r.IntN(200)), 1, 10, 20)})
		}
	}
	for f := range figures {
		if r.IntN(9) == 0 {
			q.Figures = append(q.Figures, Bound[Figure]{f, one(r, int64(r.IntN(4000)), 1000, 1600)})
		}
	}
	if r.IntN(3) == 0 {
		q.Standard = Standard{[]Bound[Number]{{Rating, 20}}, []Bound[Figure]{{Days, 3000}}}
	}
	q.Offset = r.IntN(4) * 10
	return q
}

// inOrder compares two offers by a question's order, said plainly.
func inOrder(q Question, a, b Entry[Figures]) int {
	if k, is := byNumber[q.Sort]; is {
		if k.atMost() {
			a, b = b, a
		}
		return cmp.Compare(b.Numbers[k], a.Numbers[k])
	}
	if a.Thing.Sellable != b.Thing.Sellable {
		return map[bool]int{true: -1, false: 1}[a.Thing.Sellable]
	}
	if !a.Thing.Sellable {
		return 0
	}
	f := byFigure[q.Sort]
	if f.atMost() {
		a, b = b, a
	}
	return cmp.Compare(b.Thing.Of[f], a.Thing.Of[f])
}

// agree compares an answer with one that is found by looking at every row.
func agree(t *testing.T, s *Snapshot[Figures], known map[int64]Entry[Figures], q Question) {
	t.Helper()
	got := s.Ask(q)
	want := []Entry[Figures]{}
	unhidden := 0
	for _, e := range known {
		if matches(q, e, nil) {
			want = append(want, e)
		}
		if matches(q, e, "standard") {
			unhidden++
		}
	}
	slices.SortFunc(want, func(a, b Entry[Figures]) int { return cmp.Or(inOrder(q, a, b), cmp.Compare(a.ID, b.ID)) })
	page := want[min(q.Offset, len(want)):min(q.Offset+q.Limit, len(want))]
	same := slices.EqualFunc(got.Hits, page, func(h Hit[Figures], e Entry[Figures]) bool {
		return h.ID == e.ID && h.Numbers == e.Numbers && h.ShipsFrom == e.Facets[ShipsFrom] && *h.Thing == e.Thing
	})
	if got.Total != len(want) || got.Hidden != unhidden-len(want) || !same {
		t.Fatalf("%+v: %d rows %v, want %d %v; %d hidden, want %d", q, got.Total, got.Hits, len(want), page, got.Hidden, unhidden-len(want))
	}
	for f := range facets {
		counts := map[string]int{}
		for _, e := range known {
			if matches(q, e, f) {
				for _, choice := range f.choicesOf(e.Facets[f]) {
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
				if matches(q, e, Figure(f)) && keepsFigure(e.Thing, Bound[Figure]{Figure(f), bound}) {
					n++
				}
			}
			if got.Counts.Figures[f][i] != n {
				t.Fatalf("%+v: figure %d by %d leaves %d, want %d", q, f, bound, got.Counts.Figures[f][i], n)
			}
		}
	}
}

func TestAnswersEqualAPlainScan(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	snapshot, known := world(r, 700)
	for range 500 {
		agree(t, snapshot, known, randomQuestion(r))
	}
}

// Where all rows answer, or all but a few, it is those that lack which are counted.
func TestAlmostAllRowsAreCounted(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 10))
	snapshot, known := world(r, 4000)
	for range 3 {
		agree(t, snapshot, known, Question{Store: 1, Limit: 20, Sort: ByProfit, Counts: true, SeenSince: []int32{30, 150}})
		if all := asGiven(snapshot.parts[0].alive); all.lacks == nil {
			t.Error("almost all rows are not known as such")
		}
		var gone []int64
		for range 5 {
			gone = append(gone, 1+r.Int64N(4000))
			delete(known, gone[len(gone)-1])
		}
		snapshot = snapshot.Apply(nil, gone)
	}
}

// Thousands of random changes, in batches of any size: after each, answers equal a plain scan;
// the segments stay few, and hold nothing of what is gone.
func TestAnswersEqualAPlainScanAfterChanges(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 8))
	snapshot, known := world(r, 2000)
	next := int64(2001)
	for range 40 {
		var changed []Entry[Figures]
		var gone []int64
		batch := 1 + r.IntN(40)
		if r.IntN(12) == 0 {
			batch = 2000
		}
		for range batch {
			switch r.IntN(4) {
			case 0:
				changed = append(changed, randomRow(r, next))
				next++
			case 1:
				gone = append(gone, 1+r.Int64N(next+5))
			default:
				changed = append(changed, randomRow(r, 1+r.Int64N(next-1)))
			}
		}
		for _, id := range gone {
			delete(known, id)
		}
		for _, e := range changed {
			known[e.ID] = e
		}
		snapshot = snapshot.Apply(changed, gone)
		if snapshot.Len() != len(known) {
			t.Fatalf("%d offers, want %d", snapshot.Len(), len(known))
		}
		for range 6 {
			agree(t, snapshot, known, randomQuestion(r))
		}
	}
	kept := 0
	for _, p := range snapshot.parts {
		kept += len(p.ids)
	}
	if len(snapshot.parts) > 3*fanout || kept > 2*len(known)+smallest {
		t.Errorf("%d segments keep %d rows of %d", len(snapshot.parts), kept, len(known))
	}
	var want []int64
	for id, e := range known {
		if e.Facets[Source] == "2" {
			want = append(want, id)
		}
	}
	got := snapshot.With(Source, "2")
	slices.Sort(got)
	if slices.Sort(want); !slices.Equal(got, want) {
		t.Errorf("%d offers of source 2, want %d", len(got), len(want))
	}
}

func TestTyposAreForgivenAndSaid(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 1))
	snapshot, _ := world(r, 300)
	right := snapshot.Ask(Question{Words: "enamel", Limit: 50})
	for _, typo := range []string{"enamle", "enammel", "enmel", "anamel"} {
		got := snapshot.Ask(Question{Words: typo, Limit: 50})
		if got.Total != right.Total || got.Instead[typo] != "enamel" {
			t.Errorf("%s: %d offers, %v", typo, got.Total, got.Instead)
		}
	}
	if got := snapshot.Ask(Question{Words: "xylophone", Limit: 50}); got.Total != 0 || len(got.Instead) != 0 {
		t.Errorf("nothing like it: %+v", got)
	}
}

func TestANumberIsAWholeWord(t *testing.T) {
	snapshot := Build([]Entry[Figures]{{Row: Row{ID: 1, Text: "Yarn 100 g QB-100001"}}, {Row: Row{ID: 2, Text: "Yarn 50 g QB-100002"}}}, Offered{}, nil)
	for words, want := range map[string]int{"100": 1, "QB-100002": 1, "qb": 2, "10000": 0, "ya": 2, "y": 2} {
		if got := snapshot.Ask(Question{Words: words, Limit: 5}); got.Total != want {
			t.Errorf("%s: %d offers, want %d", words, got.Total, want)
		}
	}
	// A word that only what is gone held is not looked up any more.
	without := snapshot.Apply(nil, []int64{2})
	if got := without.Ask(Question{Words: "100002", Limit: 5}); got.Total != 0 || len(got.Instead) != 0 {
		t.Errorf("%+v", got)
	}
}

func TestMoreOfTheWordsAndEarlierComesFirst(t *testing.T) {
	snapshot := Build([]Entry[Figures]{{Row: Row{ID: 1, Text: "lid for an enamel mug", Numbers: [numbers]int32{Month: 900}}}, {Row: Row{ID: 2, Text: "mug of enamel", Numbers: [numbers]int32{Month: 3}}}, {Row: Row{ID: 3, Text: "mug enamel", Numbers: [numbers]int32{Month: 1}}}}, Offered{}, nil)
	got := snapshot.Ask(Question{Words: "mug enamle", Sort: ByRelevance, Limit: 5})
	order := []int64{}
	for _, h := range got.Hits {
		order = append(order, h.ID)
	}
	if !slices.Equal(order, []int64{3, 2, 1}) || got.Instead["enamle"] != "enamel" {
		t.Errorf("%v, %v", order, got.Instead)
	}
}

func TestASnapshotNeverChanges(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 2))
	snapshot, known := world(r, 5000)
	q := Question{Store: 1, Sort: ByProfit, Limit: 50, Counts: true, SeenSince: []int32{3, 90}}
	ask := func(s *Snapshot[Figures]) string {
		answer := s.Ask(q)
		text := fmt.Sprint(answer.Total, answer.Counts)
		for _, h := range answer.Hits {
			text += fmt.Sprint(h.ID, *h.Thing)
		}
		return text
	}
	before := ask(snapshot)
	dearer := snapshot.WithPrices(Prices[Figures]{1: {Of: func(m *Figures) Figures { n := *m; n.Of[Profit] = -n.Of[Profit]; return n }}})
	changed := snapshot.Apply([]Entry[Figures]{randomRow(r, 17), randomRow(r, 9000)}, []int64{1, 2, 3, 4, 5, 6, 7, 8, 9, 10})
	if ask(snapshot) != before {
		t.Error("the old snapshot answers otherwise")
	}
	if ask(dearer) == before || ask(changed) == before {
		t.Error("a new one answers as the old")
	}
	agree(t, snapshot, known, q)
	if got := Build[Figures](nil, Offered{}, nil).Ask(Question{Words: "mug", Limit: 5}); got.Total != 0 || len(got.Hits) != 0 {
		t.Errorf("an empty catalog: %+v", got)
	}
}

func TestStemsAreFoundAsWords(t *testing.T) {
	snapshot := Build([]Entry[Figures]{{Row: Row{ID: 1, Text: "Camping mugs"}}, {Row: Row{ID: 2, Text: "mug for camps"}}, {Row: Row{ID: 3, Text: "Mugwort"}}, {Row: Row{ID: 4, Text: "berries"}}}, Offered{}, nil)
	for words, want := range map[string]int{"mugs": 2, "mug": 3, "camps": 2, "camping": 2, "camp": 2, "berry": 1, "mugwor": 1} {
		if got := snapshot.Ask(Question{Words: words, Limit: 5}); got.Total != want || len(got.Instead) > 0 {
			t.Errorf("%s: %d offers, want %d; %v", words, got.Total, want, got.Instead)
		}
	}
}

func FuzzTerms(f *testing.F) {
	f.Add("2026 NEW Hot-Sale!! Mugs, GLASS 350ml")
	f.Add("\xff\xfeİs ﬀ ẞs")
	f.Fuzz(func(t *testing.T, text string) {
		for _, term := range Terms(text) {
			if term == "" || strings.ContainsAny(term, " ,.!-") {
				t.Fatalf("%q of %q", term, text)
			}
			if isNumber(term) {
				continue
			}
			if s := Build([]Entry[Figures]{{Row: Row{ID: 1, Text: text}}}, Offered{}, nil).Ask(Question{Words: term, Limit: 1}); utf8.ValidString(text) && s.Total != 1 {
				t.Fatalf("%q is not found in %q", term, text)
			}
		}
	})
}
