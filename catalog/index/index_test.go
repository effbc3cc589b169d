package index

import (
	"fmt"
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
