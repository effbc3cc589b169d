package index

import (
	"cmp"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
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

func world(r *rand.Rand, n int) (*Snapshot, []Money) {
	rows, columns := make([]Row, n), make([]Money, n)
	for i := range rows {
		var words []string
		for range 2 + r.IntN(4) {
			words = append(words, vocabulary[r.IntN(len(vocabulary))])
		}
		rows[i] = Row{ID: int64(i + 1), Text: strings.Join(words, " "), Source: int64(1 + r.IntN(3)), ShipsFrom: []string{"CN", "VN", "PL"}[r.IntN(3)], Category: []string{"Kitchen", "Garden"}[r.IntN(2)],
			Stock: int32(r.IntN(200)), Rating: int32(30 + r.IntN(20)), Units: int32(r.IntN(500))}
		columns[i] = Money{Landed: int64(100 + r.IntN(4000)), Profit: int64(r.IntN(2000) - 200), Days: int32(4 + r.IntN(30)), Sellable: r.IntN(10) > 0}
	}
	return Build(rows).WithStore(1, columns), columns
}

// matches is what a question asks, said plainly, one row at a time; left is a clause to
// leave out, as the counts of its choices do.
func matches(q Question, r Row, m Money, left string) bool {
	text := Terms(r.Text)
	for _, w := range Terms(q.Words) {
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

func TestAnswersEqualAPlainScan(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	snapshot, columns := world(r, 700)
	bounds := Bounds{Days: []int32{8, 16}, Landing: []int64{1000, 3000}, Stock: []int32{10, 100}}
	for range 1500 {
		q := randomQuestion(r)
		got := snapshot.Ask(q, bounds)
		var want []int
		for i, row := range snapshot.Rows() {
			if matches(q, row, columns[i], "") {
				want = append(want, i)
			}
		}
		key := snapshot.key(q, columns)
		slices.SortStableFunc(want, func(a, b int) int { return cmp.Compare(key(a), key(b)) })
		page := want[min(q.Offset, len(want)):min(q.Offset+q.Limit, len(want))]
		if got.Total != len(want) || !slices.Equal(got.Places, page) {
			t.Fatalf("%+v: %d rows %v, want %d %v", q, got.Total, got.Places, len(want), page)
		}
		counted := func(clause string, holds func(Row, Money) bool) (n int) {
			for i, row := range snapshot.Rows() {
				if matches(q, row, columns[i], clause) && holds(row, columns[i]) {
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
	snapshot := Build([]Row{{ID: 1, Text: "Yarn 100 g QB-100001"}, {ID: 2, Text: "Yarn 50 g QB-100002"}})
	for words, want := range map[string]int{"100": 1, "QB-100002": 1, "qb": 2, "10000": 0, "ya": 2, "y": 2} {
		if got := snapshot.Ask(Question{Words: words, Limit: 5}, Bounds{}); got.Total != want {
			t.Errorf("%s: %d offers, want %d", words, got.Total, want)
		}
	}
}

func TestASnapshotNeverChanges(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 2))
	snapshot, columns := world(r, 100)
	before := fmt.Sprint(snapshot.Ask(Question{Store: 1, Sort: ByProfit, Limit: 50}, Bounds{}))
	other := slices.Clone(columns)
	for i := range other {
		other[i].Profit = -other[i].Profit
	}
	newer := snapshot.WithStore(1, other)
	if after := fmt.Sprint(snapshot.Ask(Question{Store: 1, Sort: ByProfit, Limit: 50}, Bounds{})); after != before {
		t.Error("the old snapshot answers otherwise")
	}
	if fmt.Sprint(newer.Ask(Question{Store: 1, Sort: ByProfit, Limit: 50}, Bounds{})) == before {
		t.Error("the new one answers as the old")
	}
	if got := Build(nil).Ask(Question{Words: "mug", Limit: 5}, Bounds{}); got.Total != 0 || len(got.Places) != 0 {
		t.Errorf("an empty catalog: %+v", got)
	}
}
