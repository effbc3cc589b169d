package index

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"plainpelican/core/terms"
)

func typed(words string) terms.Query { return terms.Parse(words, nil) }

// catalogOf are offers by their titles, the first sold most, each at a supplier of its own.
func catalogOf(titles ...string) *Snapshot[StoreValues] {
	var rows []Entry[StoreValues]
	for i, title := range titles {
		e := Entry[StoreValues]{Row: Row{ID: int64(i + 1), Text: title}}
		e.Facets[Supplier], e.Numbers[Month] = fmt.Sprint("Supplier ", i), int32(1000-i)
		rows = append(rows, e)
	}
	return Build(rows, Offered{}, nil)
}

// answers tells the offers that words find, in order, and what was looked for otherwise.
func answers(s *Snapshot[StoreValues], words string) string {
	a := s.Search(Query{Words: typed(words), Sort: ByRelevance, Limit: 50})
	out := []string{}
	for _, h := range a.Hits {
		out = append(out, fmt.Sprint(h.ID))
	}
	for _, c := range a.Corrections {
		out = append(out, c.Typed+">"+c.Used)
	}
	return strings.Join(out, " ")
}

func TestDistance(t *testing.T) {
	for _, c := range []struct {
		a, b string
		want int
	}{{"enamel", "enamel", 0}, {"enamle", "enamel", 1}, {"enaml", "enamel", 1}, {"enammel", "enamel", 1},
		{"anamel", "enamel", 1}, {"kettle", "kennel", 3}, {"cat", "catalog", 3}} {
		if got := distance(c.a, c.b, 2); got != c.want {
			t.Errorf("%s to %s: %d, want %d", c.a, c.b, got, c.want)
		}
	}
}

// rounds are fewer under the race detector, which scripts/test runs with -short: every comparison is ten times slower,
// and its goroutines are the same in the first ones.
func rounds(n int) int {
	if testing.Short() {
		return n / 8
	}
	return n
}

func TestAnswersEqualAPlainScan(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	snapshot, known := world(r, 700)
	for range rounds(240) {
		agree(t, snapshot, known, randomQuestion(r))
	}
}

// Where all rows answer, or all but a few, it is those that lack which are counted.
func TestAlmostAllRowsAreCounted(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 10))
	snapshot, known := world(r, 4000)
	for range 3 {
		agree(t, snapshot, known, Query{Store: 1, Limit: 20, Sort: ByProfit, Counts: true, SeenSince: []int32{30, 150}})
		if all := newFilter(snapshot.parts[0].live); all.complement == nil {
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
	for range rounds(24) {
		var changed []Entry[StoreValues]
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
	right := snapshot.Search(Query{Words: typed("enamel"), Limit: 50})
	for _, typo := range []string{"enamle", "enammel", "enmel", "anamel"} {
		got := snapshot.Search(Query{Words: typed(typo), Limit: 50})
		if got.Total != right.Total || !slices.Equal(got.Corrections, []Correction{{typo, "enamel", false}}) {
			t.Errorf("%s: %d offers, %v", typo, got.Total, got.Corrections)
		}
	}
	if got := snapshot.Search(Query{Words: typed("xylophone"), Limit: 50}); got.Total != 0 ||
		len(got.Corrections) != 0 {
		t.Errorf("nothing like it: %+v", got)
	}
}

func TestANumberIsAWholeWord(t *testing.T) {
	snapshot := Build([]Entry[StoreValues]{{Row: Row{ID: 1, Text: "Yarn 100 g QB-100001"}},
		{Row: Row{ID: 2, Text: "Yarn 50 g QB-100002"}}}, Offered{}, nil)
	for words, want := range map[string]int{"100": 1, "QB-100002": 1, "qb": 2, "10000": 0, "ya": 2, "y": 2} {
		if got := snapshot.Search(Query{Words: typed(words), Limit: 5}); got.Total != want {
			t.Errorf("%s: %d offers, want %d", words, got.Total, want)
		}
	}
	// A word that only what is gone held is not looked up any more.
	without := snapshot.Apply(nil, []int64{2})
	if got := without.Search(Query{Words: typed("100002"), Limit: 5}); got.Total != 0 || len(got.Corrections) != 0 {
		t.Errorf("%+v", got)
	}
}

func TestMoreOfTheWordsAndEarlierComesFirst(t *testing.T) {
	snapshot := Build(
		[]Entry[StoreValues]{{Row: Row{ID: 1, Text: "lid for an enamel mug", Numbers: [numberCount]int32{Month: 900}}},
			{Row: Row{ID: 2, Text: "mug of enamel", Numbers: [numberCount]int32{Month: 3}}},
			{Row: Row{ID: 3, Text: "mug enamel", Numbers: [numberCount]int32{Month: 1}}}}, Offered{}, nil)
	got := snapshot.Search(Query{Words: typed("mug enamle"), Sort: ByRelevance, Limit: 5})
	order := []int64{}
	for _, h := range got.Hits {
		order = append(order, h.ID)
	}
	if !slices.Equal(order, []int64{3, 2, 1}) || len(got.Corrections) != 1 || got.Corrections[0].Used != "enamel" {
		t.Errorf("%v, %v", order, got.Corrections)
	}
}

func TestASnapshotNeverChanges(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 2))
	snapshot, known := world(r, 5000)
	q := Query{Store: 1, Sort: ByProfit, Limit: 50, Counts: true, SeenSince: []int32{3, 90}}
	ask := func(s *Snapshot[StoreValues]) string {
		answer := s.Search(q)
		text := fmt.Sprint(answer.Total, answer.Counts)
		for _, h := range answer.Hits {
			text += fmt.Sprint(h.ID, *h.Item)
		}
		return text
	}
	before := ask(snapshot)
	dearer := snapshot.WithPrices(Prices[StoreValues]{1: {Of: func(m *StoreValues) StoreValues {
		n := *m
		n.Values[Profit] = -n.Values[Profit]
		return n
	}}})
	changed := snapshot.Apply([]Entry[StoreValues]{randomRow(r, 17), randomRow(r, 9000)},
		[]int64{1, 2, 3, 4, 5, 6, 7, 8, 9, 10})
	if ask(snapshot) != before {
		t.Error("the old snapshot answers otherwise")
	}
	if ask(dearer) == before || ask(changed) == before {
		t.Error("a new one answers as the old")
	}
	agree(t, snapshot, known, q)
	if got := Build[StoreValues](nil, Offered{}, nil).Search(Query{Words: typed("mug"), Limit: 5}); got.Total != 0 ||
		len(got.Hits) != 0 {
		t.Errorf("an empty catalog: %+v", got)
	}
}

func TestStemsAreFoundAsWords(t *testing.T) {
	snapshot := Build([]Entry[StoreValues]{{Row: Row{ID: 1, Text: "Camping mugs"}},
		{Row: Row{ID: 2, Text: "mug for camps"}}, {Row: Row{ID: 3, Text: "Mugwort"}},
		{Row: Row{ID: 4, Text: "berries"}}}, Offered{}, nil)
	for words, want := range map[string]int{"mugs": 2, "mug": 3, "camps": 2, "camping": 2, "camp": 2, "berry": 1,
		"mugwor": 1} {
		if got := snapshot.Search(Query{Words: typed(words), Limit: 5}); got.Total != want || len(got.Corrections) > 0 {
			t.Errorf("%s: %d offers, want %d; %v", words, got.Total, want, got.Corrections)
		}
	}
}

func TestWordsAsTheyAreTyped(t *testing.T) {
	s := catalogOf("Creme Brulee dish", "Crème Brûlée dish", "Cre\u0300me brule\u0301e torch", "Straße sign",
		"Wi-Fi router", "Router with wifi", "USB C cable", "T-shirt 350 ml", "Tshirt 350ml", "Lamp X200", "Lamp X-200",
		"Board 15 cm", "Board 150 mm", "不锈钢咖啡杯", "Kettle lid, 2 Pack", "Kettle 2 L")
	for words, want := range map[string]string{
		"creme brulee": "1 2 3", "crème brûlée": "2 3 1", "strasse": "4", "straße": "4", "STRASSE": "4", "naïve": "",
		"wifi": "5 6", "wi-fi": "5 6", "wi fi": "5 6", "usbc": "7", "usb-c": "7", "tshirt": "9 8", "t-shirt": "8 9",
		"x200": "10 11", "x-200": "11 10", "lamp x 200": "11 10",
		"350ml": "9 8", "350 ml": "9 8", "0,35 l": "9 8", "15cm": "12 13", "150 mm": "12 13", "15 m": "", "咖啡": "14",
		"咖钢": "", "kettle 2 l": "16", "kettle 2": "16 15",
		"the kettle": "15 16", "kettle & lid": "15", "kettle -lid": "16", `"2 l"`: "16", `kettle -"2 pack"`: "16",
	} {
		if got := answers(s, words); got != want {
			t.Errorf("%s: %q, want %q", words, got, want)
		}
	}
}

func TestTyposJoinedWordsAndRareSlips(t *testing.T) {
	s := catalogOf("Enamel mug", "Camping mug", "Ketle of steel", "Kettle steel", "Steel kettle", "Whistling kettle",
		"Travel kettle", "Kettle of copper", "Aluminium pot", "Aluminum pan", "Knife", "Set of knives", "Autumn leaves",
		"Leaf print", "Colour wheel", "Color chart", "Teapot", "Kestro kettle stand")
	for words, want := range map[string]string{"mgu": "1 2 mgu>mug", "mu": "1 2", "enamelmug": "1 enamelmug>enamel mug",
		"ketle": "3 4 6 8 18 5 7 ketle>kettle", `"ketle"`: "3", "aluminum": "10 9", "knives": "12 11", "leaf": "14 13",
		"colour": "15 16", "tea pot": "17", "kestro": "18"} {
		got := strings.Fields(answers(s, words))
		slices.Sort(got)
		list := strings.Fields(want)
		slices.Sort(list)
		if !slices.Equal(got, list) ||
			(len(got) > 0 && strings.Fields(answers(s, words))[0] != strings.Fields(want)[0]) {
			t.Errorf("%s: %q, want %q", words, answers(s, words), want)
		}
	}
}

func TestVariantsAndNumbersAreFound(t *testing.T) {
	s := Build([]Entry[StoreValues]{
		{Row: Row{ID: 1, Text: "Enamel mug QB-100001", Values: []string{"Plum", "350 ml"},
			Codes: []string{"qb100001", "qb100001plum", "4006381333931"}}},
		{Row: Row{ID: 2, Text: "Plum jam spoon", Codes: []string{"qb100002", "4006381333931"}}},
		{Row: Row{ID: 3, Text: "Pot 4006381333931 of many words"}},
	}, Offered{}, nil)
	for words, want := range map[string]string{"plum mug": "1", "plum": "2 1", "mug 350ml": "1", "QB-100001-PLUM": "1",
		"qb 100001": "1", "4006381333931": "1 2 3", "4 006381 333931": "1 2", "04006381333931": "1 2", `"plum 350"`: "",
		"mug QB-100001": "1"} {
		if got := answers(s, words); got != want {
			t.Errorf("%s: %q, want %q", words, got, want)
		}
	}
	if got := answers(s.Apply(nil, []int64{1}).Apply([]Entry[StoreValues]{{Row: Row{ID: 2, Text: "spoon"}}}, nil),
		"4006381333931"); got != "3" {
		t.Errorf("after changes: %q", got)
	}
}

func TestWhatEmptiedAnAnswerIsSaid(t *testing.T) {
	s := catalogOf("Enamel mug", "Enamel kettle", "Steel pot")
	for words, want := range map[string]string{
		"enamel xylophone":       "[{[xylophone] 2 enamel}]",
		"xylophone enamel zzyzx": "[{[xylophone zzyzx] 2 enamel}]",
		"enamel pot":             "[{[pot] 2 enamel} {[enamel] 1 pot}]",
		"mug -enamel":            "[{[-enamel] 1 mug}]",
		`"mug enamel" kettle`:    "[{[mug enamel] 1 kettle}]",
		"enamel mug":             "[]",
		"xylophone":              "[]",
	} {
		got := s.Search(Query{Words: typed(words), Limit: 5}).Emptied
		if fmt.Sprint(got) != want {
			t.Errorf("%s: %v, want %s", words, got, want)
		}
	}
}

func TestCheapestRegardlessOfStock(t *testing.T) {
	rows := []Entry[StoreValues]{{Row: Row{ID: 1}, Item: StoreValues{[storeColumnCount]int64{Landed: 30}, true}},
		{Row: Row{ID: 2}, Item: StoreValues{[storeColumnCount]int64{Landed: 20}, true}}}
	prices := Prices[StoreValues]{1: {Of: func(f *StoreValues) StoreValues {
		return *f
	}, Cheapest: func(f *StoreValues) StoreValues { c := *f; c.Values[Landed] = 50 - c.Values[Landed]; return c }}}
	s := Build(rows, Offered{}, prices).WithPrices(prices)
	for soldOut, want := range map[bool]int64{false: 2, true: 1} {
		q := Query{Store: 1, SoldOutToo: soldOut, Sort: ByLanded, Limit: 1,
			StoreBounds: []Bound[StoreColumn]{{Landed, 25}}}
		if got := s.Search(q); got.Total != 1 || got.Hits[0].ID != want {
			t.Errorf("%v: %+v", soldOut, got)
		}
	}
}
