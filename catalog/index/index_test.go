package index

import (
	"cmp"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"unicode/utf8"
)

func TestTerms(t *testing.T) {
	got := Terms("2026 NEW Hot-Sale!! Mugs, GLASS 350ml ★ Café")
	if want := []string{"2026", "new", "hot", "sale", "mug", "glass", "350ml", "café"}; !slices.Equal(got, want) {
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

func randomRow(r *rand.Rand, id int64) Entry[Money] {
	var words []string
	for range 2 + r.IntN(4) {
		words = append(words, vocabulary[r.IntN(len(vocabulary))])
	}
	return Entry[Money]{Row{ID: id, Text: strings.Join(words, " "), Source: int64(1 + r.IntN(3)), ShipsFrom: []string{"CN", "VN", "PL"}[r.IntN(3)], Category: []string{"Kitchen", "Garden"}[r.IntN(2)],
		Stock: int32(r.IntN(200)), Rating: int32(30 + r.IntN(20)), Units: int32(r.IntN(500))},
		Money{Landed: int64(100 + r.IntN(4000)), Profit: int64(r.IntN(2000) - 200), Days: int32(4 + r.IntN(30)), Sellable: r.IntN(10) > 0}}
}

// asItIs prices things that are their own prices.
var asItIs = Prices[Money]{1: func(m *Money) Money { return *m }}

func world(r *rand.Rand, n int) (*Snapshot[Money], map[int64]Entry[Money]) {
	rows := make([]Entry[Money], n)
	known := map[int64]Entry[Money]{}
	for i := range rows {
		rows[i] = randomRow(r, int64(i+1))
		known[rows[i].ID] = rows[i]
	}
	return Build(rows, asItIs), known
}

var cut = map[string][]string{}

// termsOf remembers what it has cut once.
func termsOf(text string) []string {
	if cut[text] == nil {
		cut[text] = Terms(text)
	}
	return cut[text]
}

// matches is what a question asks, said plainly, one row at a time; left is a clause to
// leave out, as the counts of its choices do.
func matches(q Question, r Row, m Money, left string) bool {
	text := termsOf(r.Text)
	for _, w := range termsOf(q.Words) {
		if !slices.ContainsFunc(text, func(x string) bool { return strings.HasPrefix(x, w) }) {
			return false
		}
	}
	return (left == "source" || len(q.Sources) == 0 || slices.Contains(q.Sources, r.Source)) &&
		(left == "from" || len(q.ShipsFrom) == 0 || slices.Contains(q.ShipsFrom, r.ShipsFrom)) &&
		(left == "category" || q.Category == "" || q.Category == r.Category) &&
		(left == "days" || q.Days == 0 || (m.Sellable && m.Days <= q.Days)) &&
		(left == "landing" || q.LandingUnder == 0 || (m.Sellable && m.Landed < q.LandingUnder)) &&
		(left == "stock" || r.Stock >= q.StockAtLeast)
}

func randomQuestion(r *rand.Rand) Question {
	q := Question{Store: 1, Limit: 50, Sort: []Sort{ByProfit, ByLanded, ByDays, ByUnits, ByRating}[r.IntN(5)]}
	for range r.IntN(3) {
		w := vocabulary[r.IntN(len(vocabulary))]
		q.Words += " " + w[:len(w)-r.IntN(2)]
	}
	if r.IntN(2) == 0 {
		q.Sources = []int64{int64(1 + r.IntN(3))}
	}
	if r.IntN(2) == 0 {
		q.ShipsFrom = []string{"CN", "PL"}
	}
	if r.IntN(3) == 0 {
		q.Category = "Kitchen"
	}
	if r.IntN(2) == 0 {
		q.Days = int32(8 + r.IntN(20))
	}
	if r.IntN(2) == 0 {
		q.LandingUnder = int64(500 + r.IntN(3000))
	}
	q.StockAtLeast = int32(r.IntN(3) * 20)
	q.Offset = r.IntN(4) * 10
	return q
}

// inOrder is what a question's answer is sorted by, said plainly.
func inOrder(q Question, e Entry[Money]) int64 {
	switch q.Sort {
	case ByUnits:
		return -int64(e.Units)
	case ByRating:
		return -int64(e.Rating)
	}
	if !e.Thing.Sellable {
		return 1 << 62
	}
	return map[Sort]int64{ByProfit: -e.Thing.Profit, ByLanded: e.Thing.Landed, ByDays: int64(e.Thing.Days)}[q.Sort]
}

// agree compares an answer with one that is found by looking at every row.
func agree(t *testing.T, s *Snapshot[Money], known map[int64]Entry[Money], q Question) {
	t.Helper()
	bounds := Bounds{Days: []int32{8, 16}, Landing: []int64{1000, 3000}, Stock: []int32{10, 100}}
	got := s.Ask(q, bounds)
	want := []Entry[Money]{}
	for _, e := range known {
		if matches(q, e.Row, e.Thing, "") {
			want = append(want, e)
		}
	}
	slices.SortFunc(want, func(a, b Entry[Money]) int {
		return cmp.Or(cmp.Compare(inOrder(q, a), inOrder(q, b)), cmp.Compare(a.ID, b.ID))
	})
	page := want[min(q.Offset, len(want)):min(q.Offset+q.Limit, len(want))]
	same := slices.EqualFunc(got.Hits, page, func(h Hit[Money], e Entry[Money]) bool {
		return h.ID == e.ID && h.Stock == e.Stock && h.Units == e.Units && h.Rating == e.Rating && h.ShipsFrom == e.ShipsFrom && *h.Thing == e.Thing
	})
	if got.Total != len(want) || !same {
		t.Fatalf("%+v: %d rows %v, want %d %v", q, got.Total, got.Hits, len(want), page)
	}
	counted := func(clause string, holds func(Row, Money) bool) (n int) {
		for _, e := range known {
			if matches(q, e.Row, e.Thing, clause) && holds(e.Row, e.Thing) {
				n++
			}
		}
		return n
	}
	for name, c := range map[string][2]int{
		"source 2":     {got.Counts.Sources[2], counted("source", func(r Row, _ Money) bool { return r.Source == 2 })},
		"from VN":      {got.Counts.ShipsFrom["VN"], counted("from", func(r Row, _ Money) bool { return r.ShipsFrom == "VN" })},
		"Garden":       {got.Counts.Category["Garden"], counted("category", func(r Row, _ Money) bool { return r.Category == "Garden" })},
		"16 days":      {got.Counts.Days[1], counted("days", func(_ Row, m Money) bool { return m.Sellable && m.Days <= 16 })},
		"landing 1000": {got.Counts.Landing[0], counted("landing", func(_ Row, m Money) bool { return m.Sellable && m.Landed < 1000 })},
		"stock of 100": {got.Counts.Stock[1], counted("stock", func(r Row, _ Money) bool { return r.Stock >= 100 })},
	} {
		if c[0] != c[1] {
			t.Fatalf("%+v: %s leaves %d, want %d", q, name, c[0], c[1])
		}
	}
}

func TestAnswersEqualAPlainScan(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	snapshot, known := world(r, 700)
	for range 1500 {
		agree(t, snapshot, known, randomQuestion(r))
	}
}

// Thousands of random changes, in batches of any size: after each, answers equal a plain scan;
// the segments stay few, and hold nothing of what is gone.
func TestAnswersEqualAPlainScanAfterChanges(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 8))
	snapshot, known := world(r, 2000)
	next := int64(2001)
	for range 60 {
		var changed []Entry[Money]
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
		if e.Source == 2 {
			want = append(want, id)
		}
	}
	got := snapshot.OfSource(2)
	slices.Sort(got)
	if slices.Sort(want); !slices.Equal(got, want) {
		t.Errorf("%d offers of source 2, want %d", len(got), len(want))
	}
}

func TestTyposAreForgivenAndSaid(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 1))
	snapshot, _ := world(r, 300)
	right := snapshot.Ask(Question{Words: "enamel", Limit: 50}, Bounds{})
	for _, typo := range []string{"enamle", "enamell", "enmel", "anamel"} {
		got := snapshot.Ask(Question{Words: typo, Limit: 50}, Bounds{})
		if got.Total != right.Total || got.Instead[typo] != "enamel" {
			t.Errorf("%s: %d offers, %v", typo, got.Total, got.Instead)
		}
	}
	if got := snapshot.Ask(Question{Words: "xylophone", Limit: 50}, Bounds{}); got.Total != 0 || len(got.Instead) != 0 {
		t.Errorf("nothing like it: %+v", got)
	}
}

func TestANumberIsAWholeWord(t *testing.T) {
	snapshot := Build([]Entry[Money]{{Row: Row{ID: 1, Text: "Yarn 100 g QB-100001"}}, {Row: Row{ID: 2, Text: "Yarn 50 g QB-100002"}}}, nil)
	for words, want := range map[string]int{"100": 1, "QB-100002": 1, "qb": 2, "10000": 0, "ya": 2, "y": 2} {
		if got := snapshot.Ask(Question{Words: words, Limit: 5}, Bounds{}); got.Total != want {
			t.Errorf("%s: %d offers, want %d", words, got.Total, want)
		}
	}
	// A word that only what is gone held is not looked up any more.
	without := snapshot.Apply(nil, []int64{2})
	if got := without.Ask(Question{Words: "100002", Limit: 5}, Bounds{}); got.Total != 0 || len(got.Instead) != 0 {
		t.Errorf("%+v", got)
	}
}

func TestMoreOfTheWordsAndEarlierComesFirst(t *testing.T) {
	snapshot := Build([]Entry[Money]{{Row: Row{ID: 1, Text: "lid for an enamel mug", Units: 900}}, {Row: Row{ID: 2, Text: "mug of enamel", Units: 3}}, {Row: Row{ID: 3, Text: "mug enamel", Units: 1}}}, nil)
	got := snapshot.Ask(Question{Words: "mug enamle", Sort: ByRelevance, Limit: 5}, Bounds{})
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
	q := Question{Store: 1, Sort: ByProfit, Limit: 50}
	ask := func(s *Snapshot[Money]) string {
		answer := s.Ask(q, Bounds{Stock: []int32{50}})
		text := fmt.Sprint(answer.Total, answer.Counts)
		for _, h := range answer.Hits {
			text += fmt.Sprint(h.ID, *h.Thing)
		}
		return text
	}
	before := ask(snapshot)
	dearer := snapshot.WithPrices(Prices[Money]{1: func(m *Money) Money { n := *m; n.Profit = -n.Profit; return n }})
	changed := snapshot.Apply([]Entry[Money]{randomRow(r, 17), randomRow(r, 9000)}, []int64{1, 2, 3, 4, 5, 6, 7, 8, 9, 10})
	if ask(snapshot) != before {
		t.Error("the old snapshot answers otherwise")
	}
	if ask(dearer) == before || ask(changed) == before {
		t.Error("a new one answers as the old")
	}
	agree(t, snapshot, known, q)
	if got := Build[Money](nil, nil).Ask(Question{Words: "mug", Limit: 5}, Bounds{}); got.Total != 0 || len(got.Hits) != 0 {
		t.Errorf("an empty catalog: %+v", got)
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
			if s := Build([]Entry[Money]{{Row: Row{ID: 1, Text: text}}}, nil).Ask(Question{Words: term, Limit: 1}, Bounds{}); utf8.ValidString(text) && s.Total != 1 {
				t.Fatalf("%q is not found in %q", term, text)
			}
		}
	})
}
