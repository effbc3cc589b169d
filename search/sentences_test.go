package search_test

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5"

	"plainpelican/platform/access"
	"plainpelican/search"
	"plainpelican/testkit"
)

// sentence is a random question, with the same said as conditions in SQL over the table told.
type sentence struct {
	asked search.Sentence
	where map[string]string // by clause
	order string
}

// someWords are what is typed, with what it asks of a text without accents in SQL.
var someWords = map[string]string{"kettle": `text ~ '\mkettle'`, "steel": `text ~ '\msteel'`, "mug": `text ~ '\mmug'`,
	"enam": `text ~ '\menam'`, "balcony": `text ~ '\mbalcony'`, "zinc": `text ~ '\mzinc'`,
	"basket": `text ~ '\mbasket'`,
	"linden": `text ~ '\mlinden'`, "trading": `text ~ '\mtrading'`, "dropship": `text ~ '\mdropship'`,
	"2026": `text ~ '\m2026\M'`, "350": `text ~ '\m350(ml)?\M'`, "350 ml": `text ~ '\m350 ?ml\M'`,
	"35cl": `text ~ '\m350 ?ml\M'`,
	"plum": `text ~ '\mplum'`, "lake": `text ~ '\mlake'`, "creme": `text ~ '\mcreme'`, "Crème": `text ~ '\mcreme'`,
	"-mug": `text !~ '\mmugs?\M'`, "-plum": `text !~ '\mplums?\M'`, `"steel mug"`: `text ~ '\msteel[^a-z0-9\n]+mug\M'`,
	"the":           `true`,
	"4006381333931": `offers.number_of(id, '4006381333931')`}

// orders are the sentence's orders in SQL.
var orders = map[string]string{"landed": `landed nulls last`, "item": `item nulls last`,
	"shipping": `shipping nulls last`, "days": `days nulls last`, "units": `month desc nulls last`,
	"growth": `growth desc nulls last`, "rating": `rating desc nulls last`,
	"rivals": `rivals nulls last`, "profit": `profit desc nulls last`, "margin": `margin desc nulls last`,
	"worth": `case when rivals is not null then round(profit * month / greatest(rivals, 1)::numeric) end desc nulls ` +
		`last`}

func randomSentence(r *rand.Rand) sentence {
	s := sentence{asked: search.Sentence{Store: 1, Limit: 50, Counts: true}, where: map[string]string{}}
	q := &s.asked
	typed := slices.Sorted(maps.Keys(someWords))
	for range r.IntN(3) {
		w := typed[r.IntN(len(typed))]
		q.Words += " " + w + " &" // no two words are one
		s.where["words"+w] = someWords[w]
	}
	if strings.Trim(q.Words, " the&") == "" && q.Words != "" {
		q.Words = "" // "the" alone is looked for
	}
	sometimes := func(do func()) {
		if r.IntN(8) == 0 {
			do()
		}
	}
	any := func(clause, column string, into *[]string, of ...[]string) {
		sometimes(func() {
			*into = of[r.IntN(len(of))]
			s.where[clause] = column + ` in ('` + strings.ReplaceAll(strings.Join(*into, `','`), search.None, ``) +
				`')`
		})
	}
	any("from", "country", &q.ShipsFrom, []string{"PL"}, []string{"CN", "VN"}, []string{"JP", "KW", "TR"})
	any("supplier", "supplier", &q.Suppliers, []string{"Kestrel Enamelware"},
		[]string{"Linden Home", "Ostrava Trading"})
	any("demand", "demand", &q.Demand, []string{"rising"}, []string{"falling", "steady"})
	any("brand", "brand", &q.Brands, []string{search.None}, []string{search.None, "Linden"}, []string{"Kestrel"})
	any("mine", "mine", &q.Mine, []string{"no"}, []string{"workbench"})
	sometimes(func() {
		q.Category = []string{"Camp kitchen", "Balcony garden", "Games and puzzles", search.None}[r.IntN(4)]
		s.where["category"] = `category = '` + strings.ReplaceAll(q.Category, search.None, ``) + `'`
	})
	sometimes(func() {
		q.ShipsTo = []string{[]string{"GB", "SE", "IN"}[r.IntN(3)]}
		s.where["to"] = `(reaches @> array['` + q.ShipsTo[0] + `'] or reaches @> array['*'])`
	})
	number := func(clause, condition string, into *int32, of func() int32) {
		sometimes(func() {
			*into = of()
			s.where[clause] = fmt.Sprintf(condition, *into)
		})
	}
	number("days", `days <= %d`, &q.Days, func() int32 { return int32(8 + r.IntN(16)) })
	number("processing", `processing <= %d`, &q.Processing, func() int32 { return int32(1 + r.IntN(5)) })
	number("stock", `stock >= %d`, &q.Stock, func() int32 {
		return []int32{1, 10, 100, int32(r.IntN(2000) + 1)}[r.IntN(4)]
	})
	number("rating", `rating >= %d`, &q.Rating, func() int32 { return int32(36 + r.IntN(14)) })
	number("on_time", `on_time >= %d`, &q.OnTime, func() int32 { return int32(78 + r.IntN(22)) })
	number("week", `week >= %d`, &q.Week, func() int32 { return int32(1 + r.IntN(100)) })
	number("month", `month >= %d`, &q.Month, func() int32 { return int32(1 + r.IntN(400)) })
	sometimes(func() { q.Rivals = fmt.Sprint(r.IntN(60)); s.where["rivals"] = `rivals <= ` + q.Rivals })
	number("returns", `returns >= %d`, &q.Returns, func() int32 { return int32(1 + r.IntN(30)) })
	for _, a := range []struct {
		clause, column, than string
		into                 *string
	}{{"under", "landed", "<", &q.Under}, {"item", "item", "<", &q.Item}, {"shipping", "shipping", "<=", &q.Shipping}} {
		sometimes(func() {
			n := 1 + r.IntN(35)
			*a.into = fmt.Sprint(n)
			s.where[a.clause] = fmt.Sprintf(`%s %s %d`, a.column, a.than, n*100)
		})
	}
	sometimes(func() { q.Profit, s.where["profit"] = "2.50", `profit >= 250` })
	sometimes(func() { q.Margin, s.where["margin"] = "27.5", `margin >= 27.5` })
	sometimes(func() { q.SoldOut = true })
	sometimes(func() { q.Verified, s.where["verified"] = true, `verified` })
	sometimes(func() { q.Packs, s.where["packs"] = true, `packs` })
	sometimes(func() { q.Tracked, s.where["tracked"] = true, `tracked` })
	sometimes(func() { q.New, s.where["new"] = 7, `seen > 6 - 7` })
	sometimes(func() {
		q.Standard, s.where["standard"] = true,
			`coalesce(rating >= 43 and on_time >= 90 and days <= 16 and tracked, false)`
	})
	names := slices.Sorted(maps.Keys(orders))
	q.Sort = names[r.IntN(len(names))]
	s.order = orders[q.Sort]
	q.Offset = r.IntN(3) * 20
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

// table is the one that holds an offer's figures as they are asked for.
func (s sentence) table() string {
	if s.asked.SoldOut {
		return `cheapest`
	}
	return `told`
}

// tell fills the tables told and cheapest with all that sentences ask for. What an offer comes to in the store is
// the catalog's own word, from its export; it is checked elsewhere.
func tell(t *testing.T, w *testkit.World) {
	t.Helper()
	ctx := access.With(t.Context(), access.Identity{Name: "Olga", Role: access.Owner})
	exec := func(sql string, args ...any) {
		t.Helper()
		if _, err := w.App.Pool.Exec(t.Context(), sql, args...); err != nil {
			t.Fatalf("%v in %.80s", err, sql)
		}
	}
	exec(`create schema if not exists offers`)
	exec(`create or replace function offers.number_of(offer bigint,
		code text) returns boolean language sql stable as $$ select exists (select from offer_variant
		where offer_id = offer and not withdrawn and barcode = code) $$`)
	for table, soldOut := range map[string]bool{"told": false, "cheapest": true} {
		exec(`drop table if exists figures, ` + table)
		exec(`create table figures (id bigint, item numeric, shipping numeric, landed numeric, profit numeric,
			margin numeric, days int, tracked boolean)`)
		var file bytes.Buffer
		if err := w.App.Search.Export(ctx, search.Sentence{Store: 1, Sort: "units", SoldOut: soldOut},
			&file); err != nil {
			t.Fatal(err)
		}
		rows, err := csv.NewReader(bytes.NewReader(file.Bytes()[3:])).ReadAll()
		if err != nil {
			t.Fatal(err)
		}
		batch := &pgx.Batch{}
		for _, row := range rows[1:] {
			cell := func(column string) string { return row[slices.Index(rows[0], column)] }
			if cell("landed") != "" {
				batch.Queue(`insert into figures
					values ($1::text::bigint, $2::text::numeric * 100, $3::text::numeric * 100, $4::text::numeric * 100,
					$5::text::numeric * 100, $6::text::numeric, $7::text::int, $8 = 'yes')`,
					row[0], cell("item"), cell("shipping"), cell("landed"), cell("profit"), cell("margin of net %"),
					cell("days to"), cell("tracked"))
			}
		}
		if err := w.App.Pool.SendBatch(t.Context(), batch).Close(); err != nil {
			t.Fatal(err)
		}
		exec(`create table ` + table + ` as select o.id, u.country, u.name as supplier, o.category, o.brand,
			o.source_id::text as source, nullif(o.rating, 0) as rating, u.on_time, u.verified, o.own_packing as packs,
			o.processing_max as processing, o.return_days as returns, o.rivals, o.demand,
			case when o.demand <> 'too little data' then o.growth end as growth, (extract(epoch
			from o.first_seen)::bigint / 86400 - extract(epoch from now())::bigint / 86400 + 6)::int as seen,
			translate(lower(o.title || ' ' || u.name || ' ' || o.category || ' ' || o.brand || ' ' || o.number || ` +
			`E'\n' || (select string_agg(array_to_string(option_values, E'\n'), E'\n' order by id) from offer_variant v
				where v.offer_id = o.id and not v.withdrawn)), 'èéü', 'eeu') as text,
			(select sum(stock) from offer_variant v where v.offer_id = o.id and not v.withdrawn
			and not v.stock_unknown) as stock,
			o.weekly[cardinality(o.weekly)] as week,
			(select sum(x) from unnest(o.weekly[greatest(1, cardinality(o.weekly) - 3):]) x) + case
			when cardinality(o.weekly) > 4 then o.weekly[cardinality(o.weekly) - 4] * 2 / 7 else 0 end as month,
			array(select distinct jsonb_array_elements_text(d -> 'to')
			from jsonb_array_elements(o.deliveries) d) as reaches,
			case when exists (select from draft where offer_id = o.id) then 'workbench' else 'no' end as mine,
			f.item, f.shipping, f.landed, f.profit, f.margin, f.days, coalesce(f.tracked, false) as tracked
			from offer o join supplier u on u.id = o.supplier_id left join figures f on f.id = o.id
			where o.withdrawn_at is null`)
	}
}

// unlike makes some offers as other sources bring them: with accents, without a brand, a category or a figure, sold
// out.
func unlike(t *testing.T, w *testkit.World) {
	t.Helper()
	for _, sql := range []string{
		`update offer set title = 'Crème ' || title where id % 7 = 0`,
		`update offer set title = title || ' creme' where id % 11 = 0`,
		`update offer set title = replace(title, '350 ml', '350ml') where id % 2 = 0`,
		`update offer set brand = '' where id % 5 = 0`, `update offer set category = '' where id % 13 = 0`,
		`update offer set rivals = null where id % 4 = 0`, `update offer set rating = 0 where id % 9 = 0`,
		`update offer set weekly = '{}', demand = 'too little data' where id % 6 = 0`,
		`update offer set return_days = null where id % 10 = 0`, `update supplier set on_time = null where id % 3 = 0`,
		`update offer_variant v set stock = 0 where cost = (select min(cost) from offer_variant w
			where w.offer_id = v.offer_id) and offer_id % 2 = 0`, `update offer_variant set stock = 0
				where offer_id % 17 = 0`, `update offer_variant set stock = 0, stock_unknown = true
					where offer_id % 19 = 0`,
		`update offer_variant set option_values[1] = 'deep plum' where id % 5 = 0 and cardinality(option_values) > 0`,
		`update offer_variant set barcode = '4006381333931' where id % 97 = 0`,
	} {
		if _, err := w.App.Pool.Exec(t.Context(), sql); err != nil {
			t.Fatalf("%v in %s", err, sql)
		}
	}
}

// Every answer is what plain SQL says: how many, how many the standard hides, which fifty in
// which order, and the count of every choice of every clause.
func TestRandomSentencesAgreeWithSQL(t *testing.T) {
	market := testkit.Bazaar
	market.Offers = 400
	w := testkit.StartWith(t, market)
	w.Ready()
	w.AwaitOffers(400)
	w.Owner.Must("POST", "/api/drafts/take", map[string]any{"offers": []int{3, 5, 9, 20, 31}}, nil)
	unlike(t, w)
	if _, err := w.App.Pool.Exec(t.Context(), `update offer
		set first_seen = first_seen - id % 12 * interval '1 day'`); err != nil {
		t.Fatal(err)
	}
	if err := w.App.Offers.NotifySource(t.Context(), w.App.Pool, 1); err != nil {
		t.Fatal(err)
	}
	ctx := access.With(t.Context(), access.Identity{Name: "Olga", Role: access.Owner})
	r := rand.New(rand.NewPCG(11, 12))
	compared, corrected := 0, 0
	for round := range 3 {
		if round > 0 { // and again as the marketplace drifts
			w.Bazaar.SetDay(round * 6)
			w.Owner.Must("POST", "/api/sources/1/imports", nil, nil)
			w.TakenIn()
		}
		if _, err := w.App.Search.FollowChanges(ctx); err != nil {
			t.Fatal(err)
		}
		tell(t, w)
		for range 350 {
			s := randomSentence(r)
			got, err := w.App.Search.Search(ctx, s.asked)
			if err != nil {
				t.Fatal(err)
			}
			if len(got.Corrections) > 0 {
				corrected++
				continue // a word that nothing holds: SQL does not forgive
			}
			compare(t, w, s, got)
			compared++
		}
	}
	if compared < 900 {
		t.Errorf("only %d sentences were compared, %d corrected", compared, corrected)
	}
}

// bounds are the clauses with bounds, as conditions on a bound of theirs in SQL.
var bounds = map[string]string{"days": `days <= %s`, "processing": `processing <= %s`, "stock": `stock >= %s`,
	"rating": `rating >= %s`, "on_time": `on_time >= %s`, "week": `week >= %s`, "month": `month >= %s`,
	"rivals":  `rivals <= %s`,
	"returns": `returns >= %s`, "under": `landed < 100 * %s`, "item": `item < 100 * %s`,
	"shipping": `shipping <= 100 * %s`, "profit": `profit >= 100 * %s`, "margin": `margin >= %s`,
	"verified": `verified and 1 = %s`, "packs": `packs and 1 = %s`, "tracked": `tracked and 1 = %s`,
	"new": `seen > 6 - %s`,
	"to":  `(reaches @> array['%s'] or reaches @> array['*'])`}

// named are the clauses with names for choices, as they are in SQL.
var named = map[string]string{"from": `country`, "category": `case category when '' then '(none)' else category end`,
	"source": `source`, "demand": `demand`, "mine": `mine`}

func compare(t *testing.T, w *testkit.World, s sentence, got search.Result) {
	t.Helper()
	// What is counted under the same conditions is counted at once.
	type counting struct{ names, conditions []string }
	given := map[string]*counting{}
	count := func(name, left, condition string) {
		where := s.given(left)
		if given[where] == nil {
			given[where] = &counting{}
		}
		c := given[where]
		c.names, c.conditions = append(c.names, name), append(c.conditions, `count(*) filter (where `+condition+`)`)
	}
	count("total ", "", `true`)
	count("unhidden ", "standard", `true`)
	said := map[string]int{"total ": got.Total, "unhidden ": got.Total + got.Hidden}
	for clause, choices := range got.Facets {
		for _, c := range choices {
			condition := bounds[clause]
			if clause == "supplier" {
				condition = `supplier = '%s'`
			}
			if clause == "to" && c.Value == search.None {
				condition = `reaches = '{}'`
			}
			if condition != "" {
				count(clause+" "+c.Value, clause, fmt.Sprintf(strings.ReplaceAll(condition, "%s", "%[1]s"), c.Value))
			}
			if condition != "" || (named[clause] != "" && c.Count > 0) {
				said[clause+" "+c.Value] = c.Count
			}
		}
	}
	want := map[string]int{}
	batch := &pgx.Batch{}
	for where, c := range given {
		batch.Queue(`select array[` + strings.Join(c.conditions, `, `) + `] from ` + s.table() + `
			where ` + where).QueryRow(func(row pgx.Row) error {
			var counts []int
			err := row.Scan(&counts)
			for i, n := range counts {
				want[c.names[i]] = n
			}
			return err
		})
	}
	for clause, column := range named {
		batch.Queue(`select ` + column + `, count(*) from ` + s.table() + `
			where ` + s.given(clause) + ` group by 1`).Query(func(rows pgx.Rows) error {
			var choice string
			var n int
			_, err := pgx.ForEachRow(rows, []any{&choice, &n}, func() error { want[clause+" "+choice] = n; return nil })
			return err
		})
	}
	if err := w.App.Pool.SendBatch(t.Context(), batch).Close(); err != nil {
		t.Fatal(err)
	}
	if !maps.Equal(said, want) {
		for k := range want {
			if said[k] != want[k] {
				t.Errorf("%q: %d, by SQL %d", k, said[k], want[k])
			}
		}
		t.Fatalf("%+v\n%v, by SQL %v", s.asked, said, want)
	}
	rows, err := w.App.Pool.Query(t.Context(), fmt.Sprintf(`select id from %s where %s order by %s, id
		limit 50 offset %d`, s.table(), s.given(""), s.order, s.asked.Offset))
	if err != nil {
		t.Fatal(err)
	}
	order, err := pgx.CollectRows(rows, pgx.RowTo[int64])
	if err != nil {
		t.Fatal(err)
	}
	ids := []int64{}
	for _, o := range got.Offers {
		ids = append(ids, o.ID)
	}
	if !slices.Equal(ids, order) && len(ids)+len(order) > 0 {
		t.Fatalf("%+v: %v, by SQL %v", s.asked, ids, order)
	}
}
