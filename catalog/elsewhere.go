package catalog

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"

	"plainpelican/catalog/index"
	"plainpelican/core/gtin"
	"plainpelican/core/likeness"
	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/pricing"
)

// Elsewhere is the same item at other suppliers.
type Elsewhere struct {
	Title  string        `json:"title" doc:"Of the offer that it was asked for"`
	Market string        `json:"market" doc:"The country that prices and days are for; empty where there is no store"`
	Offers []Alternative `json:"offers" doc:"The offer itself among them, those that land for least first"`
	// Apart are those that somebody said are not the same.
	Apart  []Alternative `json:"apart" doc:"Alike, but somebody said that they are not the same"`
	TookMS float64       `json:"took_ms"`
}

// Alternative is one offer of an item.
type Alternative struct {
	Line
	likeness.Match
	Itself   bool   `json:"itself" doc:"It is the offer that was asked for"`
	Said     string `json:"said" enum:",same,other" doc:"What a person said of it; empty is nothing"`
	OnTime   int    `json:"on_time" doc:"Percent"`
	Unbeaten bool   `json:"unbeaten" doc:"No other is at least as good on landed cost, days, on-time rate and rating, and better on one"`

	merits likeness.Merits
}

// mostAlike is how many offers with like words are looked at closely.
const mostAlike = 150

// elsewhere finds an offer's item at other suppliers, as it comes to in one of a store's markets.
func (s *Service) elsewhere(ctx context.Context, id, storeID int64, market string) (Elsewhere, error) {
	out := Elsewhere{Offers: []Alternative{}, Apart: []Alternative{}}
	snapshot, pricer, err := s.at(ctx, storeID)
	if err != nil {
		return out, err
	}
	if pricer != nil {
		if pricer, err = inMarket(pricer, market); err != nil {
			return out, err
		}
		out.Market = pricer.MoneyRules.Market
	}
	own, err := s.items(ctx, []int64{id})
	if err != nil {
		return out, err
	}
	this := own[id]
	if this == nil {
		return out, apikit.NotFound("offer")
	}
	out.Title = this.Title
	said, err := s.said(ctx, id)
	if err != nil {
		return out, err
	}
	ids, err := s.candidates(ctx, snapshot, id, this, said)
	if err != nil {
		return out, err
	}
	items, err := s.items(ctx, ids)
	if err != nil {
		return out, err
	}
	rarity := remembered(snapshot.Rarity)
	matches := map[int64]likeness.Match{id: {Strength: 100, Evidence: []likeness.Evidence{}}}
	for other, item := range items {
		if m := likeness.Compare(this, item, rarity); m.Strength >= likeness.Same || said[other] != "" {
			matches[other] = m
		}
	}
	shown := make([]int64, 0, len(matches))
	for other := range matches {
		shown = append(shown, other)
	}
	slices.Sort(shown)
	hits := snapshot.Find(shown)
	lines, err := s.lines(ctx, hits, pricer)
	if err != nil {
		return out, err
	}
	for i, line := range lines {
		n := &hits[i].Numbers
		a := Alternative{Line: line, Match: matches[line.ID], Itself: line.ID == id, Said: said[line.ID], OnTime: int(n[index.OnTime])}
		a.merits = likeness.Merits{OnTime: a.OnTime, Rating: int(n[index.Rating]), Sellable: line.Ladder != nil && line.Days != nil}
		if a.merits.Sellable {
			a.merits.Landed, a.merits.Days = line.Ladder.Landed.Minor(), line.Days.Door.Max
		}
		if a.Said == "other" {
			out.Apart = append(out.Apart, a)
		} else {
			out.Offers = append(out.Offers, a)
		}
	}
	judge(out.Offers)
	return out, nil
}

// judge sorts alternatives by what they land for and marks the unbeaten.
func judge(all []Alternative) {
	slices.SortStableFunc(all, func(a, b Alternative) int {
		x, y := &a.merits, &b.merits
		if x.Sellable != y.Sellable {
			return map[bool]int{true: -1, false: 1}[x.Sellable]
		}
		return cmp.Or(cmp.Compare(x.Landed, y.Landed), cmp.Compare(a.ID, b.ID))
	})
	list := make([]likeness.Merits, len(all))
	for i := range all {
		list[i] = all[i].merits
	}
	for i, unbeaten := range likeness.Unbeaten(list) {
		all[i].Unbeaten = unbeaten
	}
}

// inMarket is a pricer for another of its store's markets.
func inMarket(p *pricing.Pricer, market string) (*pricing.Pricer, error) {
	if market == "" || market == p.MoneyRules.Market {
		return p, nil
	}
	if !slices.Contains(p.Markets, market) {
		return nil, apikit.Problem(422, "market", "The store does not sell to %s.", market)
	}
	there := *p
	there.MoneyRules.Market = market
	return &there, nil
}

// remembered asks once for each word.
func remembered(of func(string) float64) func(string) float64 {
	known := map[string]float64{}
	return func(word string) float64 {
		v, ok := known[word]
		if !ok {
			v = of(word)
			known[word] = v
		}
		return v
	}
}

// candidates are the offers that may be the same item: by product number, by words, and those of which
// somebody said so.
func (s *Service) candidates(ctx context.Context, snapshot *index.Snapshot[thing], id int64, this *likeness.Item, said map[int64]string) ([]int64, error) {
	full := make([]string, len(this.GTINs))
	for i, n := range this.GTINs {
		full[i] = likeness.Full(n)
	}
	rows, err := s.Pool.Query(ctx, `select distinct offer_id from offer_variant where lpad(barcode, 14, '0') = any ($1) and barcode <> '' and not withdrawn limit 200`, full)
	if err != nil {
		return nil, err
	}
	ids, err := pgx.CollectRows(rows, pgx.RowTo[int64])
	if err != nil {
		return nil, err
	}
	for _, h := range snapshot.Similar(likeness.Content(this.Title), mostAlike) {
		ids = append(ids, h.ID)
	}
	for other := range said {
		ids = append(ids, other)
	}
	slices.Sort(ids)
	return slices.DeleteFunc(slices.Compact(ids), func(other int64) bool { return other == id }), nil
}

// items reads what is known of offers for comparing them.
func (s *Service) items(ctx context.Context, ids []int64) (map[int64]*likeness.Item, error) {
	rows, err := s.Pool.Query(ctx, `
		select o.id, o.title, v.barcode, v.option_values, v.weight_grams from offer o join offer_variant v on v.offer_id = o.id and not v.withdrawn where o.id = any ($1) order by o.id, v.position`, ids)
	if err != nil {
		return nil, err
	}
	items := map[int64]*likeness.Item{}
	var id int64
	var title, barcode string
	var values []string
	var grams int
	_, err = pgx.ForEachRow(rows, []any{&id, &title, &barcode, &values, &grams}, func() error {
		item := items[id]
		if item == nil {
			item = &likeness.Item{Title: title}
			items[id] = item
		}
		if barcode != "" && gtin.Check(barcode) == "" && !slices.Contains(item.GTINs, barcode) {
			item.GTINs = append(item.GTINs, barcode)
		}
		for _, v := range values {
			if v = strings.TrimSpace(v); v != "" && !slices.Contains(item.Values, v) {
				item.Values = append(item.Values, v)
			}
		}
		if !slices.Contains(item.Grams, grams) {
			item.Grams = append(item.Grams, grams)
		}
		values = nil
		return nil
	})
	return items, err
}

// said is what people said of an offer and others.
func (s *Service) said(ctx context.Context, id int64) (map[int64]string, error) {
	rows, err := s.Pool.Query(ctx, `select case when offer = $1 then other else offer end, same from said_alike where $1 in (offer, other)`, id)
	if err != nil {
		return nil, err
	}
	said := map[int64]string{}
	var other int64
	var same bool
	_, err = pgx.ForEachRow(rows, []any{&other, &same}, func() error {
		said[other] = map[bool]string{true: "same", false: "other"}[same]
		return nil
	})
	return said, err
}

// say remembers what a person says of two offers; empty takes it back.
func (s *Service) say(ctx context.Context, id, other int64, said string) error {
	if id == other {
		return apikit.Problem(422, "other", "An offer is the same as itself.")
	}
	var err error
	if said == "" {
		_, err = s.Pool.Exec(ctx, `delete from said_alike where offer = least($1::bigint, $2) and other = greatest($1::bigint, $2)`, id, other)
	} else {
		_, err = s.Pool.Exec(ctx, `insert into said_alike (offer, other, same, said_by) values (least($1::bigint, $2), greatest($1::bigint, $2), $3, $4)
			on conflict (offer, other) do update set same = $3, said_by = $4, said_at = now()`, id, other, said == "same", access.Who(ctx).Name)
	}
	if database.Refers(err) {
		return apikit.NotFound("offer")
	}
	return err
}

// Linked is the offer that a link leads to.
type Linked struct {
	ID int64 `json:"id"`
}

// byLink is the offer that has a page.
func (s *Service) byLink(ctx context.Context, link string) (id int64, err error) {
	err = s.Pool.QueryRow(ctx, `select id from offer where page_url = $1 and page_url <> '' order by withdrawn_at nulls first, id limit 1`, strings.TrimSpace(link)).Scan(&id)
	if database.Missing(err) {
		return 0, apikit.Problem(404, "link", "No offer of the catalog has this page. Paste it under Sources to take it in, then look again.")
	}
	return id, err
}
