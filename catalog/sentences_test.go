package catalog_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5"

	"plainpelican/catalog"
	"plainpelican/platform/access"
	"plainpelican/testkit"
)

// sentence is a random question, with the same said as conditions in SQL over the table told.
type sentence struct {
	asked catalog.Sentence
	where map[string]string // by clause
	order string
}

var someWords = []string{"kettle", "steel", "mug", "enam", "camp", "free", "balcony", "zinc", "basket", "linden", "trading", "dropship", "2026", "350", "ml"}

func randomSentence(r *rand.Rand) sentence {
	s := sentence{asked: catalog.Sentence{Store: 1, Limit: 50}, where: map[string]string{}}
	for range r.IntN(3) {
		w := someWords[r.IntN(len(someWords))]
		s.asked.Words += " " + w
		boundary := `\m` + w
		if strings.Trim(w, "0123456789") == "" {
			boundary += `\M` // a number is a whole word
		}
		s.where["words"+w] = fmt.Sprintf(`text ~* '%s'`, boundary)
	}
	if r.IntN(3) == 0 {
		s.asked.ShipsFrom = [][]string{{"PL"}, {"CN", "VN"}, {"JP", "KW", "TR"}}[r.IntN(3)]
		s.where["from"] = `country in ('` + strings.Join(s.asked.ShipsFrom, `','`) + `')`
	}
	if r.IntN(3) == 0 {
		s.asked.Category = []string{"Camp kitchen", "Balcony garden", "Games and puzzles"}[r.IntN(3)]
		s.where["category"] = `category = '` + s.asked.Category + `'`
	}
	if r.IntN(3) == 0 {
		s.asked.Days = int32(8 + r.IntN(16))
		s.where["days"] = fmt.Sprintf(`days <= %d`, s.asked.Days)
	}
	if r.IntN(3) == 0 {
		under := 5 + r.IntN(30)
		s.asked.Under = fmt.Sprint(under)
		s.where["under"] = fmt.Sprintf(`landed < %d`, under*100)
	}
	if r.IntN(3) == 0 {
		s.asked.Stock = int32(r.IntN(2000))
		s.where["stock"] = fmt.Sprintf(`stock >= %d`, s.asked.Stock)
	}
	orders := map[string]string{"profit": `profit desc nulls last`, "landed": `landed nulls last`, "days": `days nulls last`, "units": `units desc`, "rating": `rating desc`}
	s.asked.Sort = []string{"profit", "landed", "days", "units", "rating"}[r.IntN(5)]
	s.order = orders[s.asked.Sort]
	s.asked.Offset = r.IntN(3) * 20
	return s
}

// given is all conditions but those of one clause.
func (s sentence) given(left string) string {
	all := []string{`true`}
	for clause, condition := range s.where {
		if clause != left {
			all = append(all, condition)
		}
	}
	slices.Sort(all)
	return strings.Join(all, ` and `)
}

// Every answer is what plain SQL says: how many, which fifty in which order, and the count of
// every choice. What an offer lands for is the catalog's own word, checked elsewhere.
func TestRandomSentencesAgreeWithSQL(t *testing.T) {
	market := testkit.Bazaar
	market.Offers = 400
	w := testkit.StartWith(t, market)
	w.Ready()
	w.AwaitOffers(400)
	ctx := access.With(t.Context(), access.Identity{Name: "Olga", Role: access.Owner})
	pool := w.App.Pool
	exec := func(sql string, args ...any) {
		t.Helper()
		if _, err := pool.Exec(t.Context(), sql, args...); err != nil {
			t.Fatal(err)
		}
	}
	told := func() {
		exec(`drop table if exists told`)
		exec(`create table told as select o.id, u.country, o.category, o.source_id, o.rating, o.title || ' ' || u.name || ' ' || o.category || ' ' || o.brand || ' ' || o.number as text,
			(select sum(stock) from offer_variant v where v.offer_id = o.id and not v.withdrawn) as stock,
			coalesce((select sum(x) from unnest(o.weekly[greatest(1, cardinality(o.weekly) - 3):]) x), 0) as units, null::bigint as landed, null::bigint as profit, null::int as days
			from offer o join supplier u on u.id = o.supplier_id where o.withdrawn_at is null`)
		for offset := 0; ; offset += 200 {
			found, err := w.App.Catalog.Search(ctx, catalog.Sentence{Store: 1, Limit: 200, Offset: offset, Sort: "units"})
			if err != nil {
				t.Fatal(err)
			}
			for _, o := range found.Offers {
				if o.Ladder != nil {
					exec(`update told set landed = $2, profit = $3, days = $4 where id = $1`, o.ID, o.Ladder.Landed.Minor(), o.Ladder.Profit.Minor(), o.Days.Door.Max)
				}
			}
			if len(found.Offers) < 200 {
				break
			}
		}
	}
	r := rand.New(rand.NewPCG(11, 12))
	for round := range 3 {
		if round > 0 { // and again as the marketplace drifts
			w.Bazaar.SetDay(round * 6)
			w.Owner.Must("POST", "/api/sources/1/intakes", nil, nil)
			w.TakenIn()
			if _, err := w.App.Catalog.CatchUp(ctx); err != nil {
				t.Fatal(err)
			}
		}
		told()
		for range 120 {
			s := randomSentence(r)
			got, err := w.App.Catalog.Search(ctx, s.asked)
			if err != nil {
				t.Fatal(err)
			}
			if len(got.Instead) > 0 {
				continue // a word that nothing holds: SQL does not forgive
			}
			compare(t, w, s, got)
		}
	}
}

func compare(t *testing.T, w *testkit.World, s sentence, got catalog.Found) {
	t.Helper()
	one := func(sql string) (n int) {
		t.Helper()
		if err := w.App.Pool.QueryRow(t.Context(), sql).Scan(&n); err != nil {
			t.Fatalf("%v in %s", err, sql)
		}
		return n
	}
	if want := one(`select count(*) from told where ` + s.given("")); got.Total != want {
		t.Fatalf("%+v: %d, by SQL %d", s.asked, got.Total, want)
	}
	rows, err := w.App.Pool.Query(t.Context(), fmt.Sprintf(`select id from told where %s order by %s, id limit 50 offset %d`, s.given(""), s.order, s.asked.Offset))
	if err != nil {
		t.Fatal(err)
	}
	want, err := pgx.CollectRows(rows, pgx.RowTo[int64])
	if err != nil {
		t.Fatal(err)
	}
	ids := []int64{}
	for _, o := range got.Offers {
		ids = append(ids, o.ID)
	}
	if !slices.Equal(ids, want) && len(ids)+len(want) > 0 {
		t.Fatalf("%+v: %v, by SQL %v", s.asked, ids, want)
	}
	for clause, counts := range map[string]map[string]int{"country": got.Choices.ShipsFrom, "category": got.Choices.Category} {
		rows, err := w.App.Pool.Query(t.Context(), `select `+clause+`, count(*) from told where `+s.given(map[string]string{"country": "from", "category": "category"}[clause])+` group by 1`)
		if err != nil {
			t.Fatal(err)
		}
		want := map[string]int{}
		var choice string
		var n int
		if _, err := pgx.ForEachRow(rows, []any{&choice, &n}, func() error { want[choice] = n; return nil }); err != nil {
			t.Fatal(err)
		}
		for choice, n := range counts {
			if n != want[choice] {
				t.Fatalf("%+v: %d of %s, by SQL %d", s.asked, n, choice, want[choice])
			}
			delete(want, choice)
		}
		if len(want) > 0 {
			t.Fatalf("%+v: nothing is said of %v", s.asked, want)
		}
	}
	for clause, bounds := range map[string][]catalog.Bound{"days <= ": got.Choices.Days, "stock >= ": got.Choices.Stock, "landed < 100 * ": got.Choices.Under} {
		columns := []string{}
		for _, b := range bounds {
			columns = append(columns, `count(*) filter (where `+clause+b.Bound+`)`)
		}
		var want []int
		left := map[string]string{"days <= ": "days", "stock >= ": "stock", "landed < 100 * ": "under"}[clause]
		if err := w.App.Pool.QueryRow(t.Context(), `select array[`+strings.Join(columns, ", ")+`] from told where `+s.given(left)).Scan(&want); err != nil {
			t.Fatal(err)
		}
		for i, b := range bounds {
			if b.Count != want[i] {
				t.Fatalf("%+v: %d with %s%s, by SQL %d", s.asked, b.Count, clause, b.Bound, want[i])
			}
		}
	}
}
