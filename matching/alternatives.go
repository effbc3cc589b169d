package matching

import (
	"cmp"
	"context"
	"iter"
	"maps"
	"runtime"
	"slices"
	"sync"

	"github.com/jackc/pgx/v5"
	"golang.org/x/sync/errgroup"

	"plainpelican/core/likeness"
	"plainpelican/core/money"
	"plainpelican/media"
	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/pricing"
	"plainpelican/search"
	"plainpelican/search/index"
)

// Alternatives is the same item at other suppliers.
type Alternatives struct {
	ID     int64         `json:"id" doc:"The offer that it was asked for; 0 where it is in no catalog"`
	Title  string        `json:"title" doc:"Of what it was asked for"`
	Market string        `json:"market" doc:"The country that prices and days are for; empty where there is no store"`
	Offers []Alternative `json:"offers" doc:"The offer itself among them, the lowest landed cost first"`
	// Packs are the same item, so many at a time.
	Packs []Alternative `json:"packs" doc:"The same item in another pack"`
	// Doubtful are those that much speaks for, and not enough.
	Doubtful []Alternative `json:"doubtful" doc:"May be the same: in a person's view"`
	// Different are those that somebody said are not the same.
	Different []Alternative `json:"different" doc:"Alike, but somebody said that they are not the same"`
	Pictures  int           `json:"pictures" doc:"Pictures of it that were compared"`
	TookMS    float64       `json:"took_ms"`
}

// Alternative is one offer of an item.
type Alternative struct {
	search.Line
	likeness.Match
	IsSubject bool   `json:"is_subject" doc:"It is the offer that was asked for"`
	Decision  string `json:"decision" enum:",same,other" doc:"What a person said of it; empty is nothing"`
	OnTime    *int   `json:"on_time" doc:"Percent; null where it is not known"`
	Unbeaten  bool   `json:"unbeaten" doc:"No other beats it on cost, days, on-time rate and rating"`
	// PerPiece is the landed cost of one piece of a pack; OwnPerPiece of the offer that it was asked for.
	PerPiece    *money.Amount `json:"per_piece" doc:"Landed cost of one piece, of another pack"`
	OwnPerPiece *money.Amount `json:"own_per_piece" doc:"Landed cost of one piece of the offer that it was asked for"`

	merits likeness.Merits
}

// maxCandidates is how many offers with like words and pictures are looked at closely, and half as many by pictures
// alone.
const maxCandidates = 140

// maxTurnedCandidates is how many are looked at closely for each way in which a picture may be turned.
const maxTurnedCandidates = 30

// subject is what is looked for elsewhere.
type subject struct {
	title string
	item  *likeness.Item
	// offer is its id where it is in the catalog.
	offer int64
	// pictureOnly is that nothing else is known of it.
	pictureOnly bool
	decisions   map[int64]string
}

// pictures counts those of it, as they are.
func (of *subject) pictures() (n int) {
	for _, p := range of.item.Pictures {
		if p.How == "" {
			n++
		}
	}
	return n
}

// FindAlternatives finds an offer's item at other suppliers, as it comes to in one of a store's markets.
func (s *Service) FindAlternatives(ctx context.Context, id, storeID int64, market string) (Alternatives, error) {
	of, err := s.subjectOfOffer(ctx, id)
	if err != nil {
		return Alternatives{}, err
	}
	if of.decisions, err = s.decisionsOf(ctx, id); err != nil {
		return Alternatives{}, err
	}
	return s.findAlternatives(ctx, of, storeID, market)
}

// subjectOfOffer looks for an offer's item.
func (s *Service) subjectOfOffer(ctx context.Context, id int64) (subject, error) {
	own, err := s.items(ctx, []int64{id})
	if err != nil {
		return subject{}, err
	}
	this := own[id]
	if this == nil {
		return subject{}, apikit.NotFound("offer")
	}
	this.Pictures, err = s.describedPictures(ctx, id)
	return subject{title: this.Title, item: this, offer: id}, err
}

// findAlternatives finds the offers of an item, as they come to in one of a store's markets.
func (s *Service) findAlternatives(ctx context.Context, of subject, storeID int64, market string) (Alternatives,
	error) {
	out := Alternatives{ID: of.offer, Title: of.title, Offers: []Alternative{}, Packs: []Alternative{},
		Doubtful: []Alternative{}, Different: []Alternative{}, Pictures: of.pictures()}
	snapshot, pricer, err := s.search.At(ctx, storeID)
	if err != nil {
		return out, err
	}
	if pricer != nil {
		if pricer, err = inMarket(pricer, market); err != nil {
			return out, err
		}
		out.Market = pricer.MoneyRules.Market
	}
	ids, err := s.candidates(ctx, snapshot, of)
	if err != nil {
		return out, err
	}
	items, err := s.pictured(ctx, ids)
	if err != nil {
		return out, err
	}
	rarity := memoized(snapshot.IDF)
	matches := compareAll(of, items, rarity)
	belongs := func(id int64) bool {
		return matches[id].Strength >= likeness.Same || of.decisions[id] == "same" || of.pictureOnly
	}
	if of.offer != 0 {
		group, err := s.group(ctx, of, items, matches, rarity)
		if err != nil {
			return out, err
		}
		belongs = func(id int64) bool { return group[id] || of.decisions[id] == "same" }
		matches[of.offer] = likeness.Match{Strength: 100, Evidence: []likeness.Evidence{}}
	}
	shown := make([]int64, 0, len(matches))
	for other, m := range matches {
		if m.Strength >= likeness.Same || belongs(other) || m.Packs != nil || m.Doubted || of.decisions[other] != "" {
			shown = append(shown, other)
		}
	}
	slices.Sort(shown)
	hits := snapshot.Lookup(shown)
	lines, err := s.search.Lines(ctx, hits, pricer)
	if err != nil {
		return out, err
	}
	for i, line := range lines {
		n := &hits[i].Numbers
		a := Alternative{Line: line, Match: matches[line.ID], IsSubject: line.ID == of.offer,
			Decision: of.decisions[line.ID], OnTime: apikit.Known(n[index.OnTime], index.Unknown)}
		a.merits = likeness.Merits{OnTime: int(n[index.OnTime]), Rating: int(n[index.Rating]),
			Sellable: line.Ladder != nil && line.Days != nil}
		if a.merits.Sellable {
			a.merits.LandedCost, a.merits.Days = line.Ladder.Landed.Minor(), line.Days.Door.Max
		}
		switch {
		case a.Decision == "other":
			out.Different = append(out.Different, a)
		case belongs(line.ID):
			out.Offers = append(out.Offers, a)
		case a.Packs != nil:
			out.Packs = append(out.Packs, a)
		default:
			out.Doubtful = append(out.Doubtful, a)
		}
	}
	rank(out.Offers)
	return out, out.comparePieces()
}

// compareAll are those of some offers that are the same item, or of which somebody said something.
func compareAll(of subject, items map[int64]*likeness.Item, rarity func(string) float64) map[int64]likeness.Match {
	matches := map[int64]likeness.Match{}
	var mu sync.Mutex
	var working sync.WaitGroup
	of.item.Prepare()
	ids := slices.Collect(maps.Keys(items))
	for part := range slices.Chunk(ids, len(ids)/runtime.GOMAXPROCS(0)+1) {
		working.Go(func() {
			for _, other := range part {
				item := items[other]
				if of.pictureOnly { // what else is known of the other says nothing
					item = &likeness.Item{Pictures: item.Pictures}
				}
				m := likeness.Compare(of.item, item, rarity)
				if m.Strength >= linkedStrength || m.Packs != nil || m.Doubted || of.decisions[other] != "" ||
					(of.pictureOnly && m.Strength > 0) {
					mu.Lock()
					matches[other] = m
					mu.Unlock()
				}
			}
		})
	}
	working.Wait()
	return matches
}

// Compare weighs an offer against parts of the catalog, whole, without choosing who may be the same
// first: it is what benches and tests compare the choosing with.
func (s *Service) Compare(ctx context.Context, id int64, parts iter.Seq[[]int64]) (same []int64, err error) {
	of, err := s.subjectOfOffer(ctx, id)
	if err != nil {
		return nil, err
	}
	snapshot, _, err := s.search.At(ctx, 0)
	if err != nil {
		return nil, err
	}
	rarity := memoized(snapshot.IDF)
	for ids := range parts {
		items, err := s.pictured(ctx, ids)
		if err != nil {
			return nil, err
		}
		for other, m := range compareAll(of, items, rarity) {
			if other != id && m.Strength >= likeness.Same {
				same = append(same, other)
			}
		}
	}
	return same, nil
}

// rank sorts alternatives by what they land for and marks the unbeaten.
func rank(all []Alternative) {
	slices.SortStableFunc(all, func(a, b Alternative) int {
		x, y := &a.merits, &b.merits
		if x.Sellable != y.Sellable {
			return map[bool]int{true: -1, false: 1}[x.Sellable]
		}
		return cmp.Or(cmp.Compare(x.LandedCost, y.LandedCost), cmp.Compare(a.ID, b.ID))
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

// memoized asks once for each word.
func memoized(of func(string) float64) func(string) float64 {
	known := map[string]float64{}
	var mu sync.Mutex
	return func(word string) float64 {
		mu.Lock()
		defer mu.Unlock()
		v, ok := known[word]
		if !ok {
			v = of(word)
			known[word] = v
		}
		return v
	}
}

// candidates are the offers that may be the same item: by product number, by pictures, by words, and
// those of which somebody said so.
func (s *Service) candidates(ctx context.Context, snapshot *index.Snapshot[search.OfferPricing],
	of subject) ([]int64, error) {
	full := make([]string, len(of.item.GTINs))
	for i, n := range of.item.GTINs {
		full[i] = likeness.Full(n)
	}
	// By each number for itself, so that it is looked up and the variants are not read through, however many are
	// expected.
	rows, err := s.pool.Query(ctx, `select distinct v.offer_id from unnest($1::text[]) g cross join lateral
		(select offer_id from facts.offer_variant where lpad(barcode, 14, '0') = g and barcode <> '' and not withdrawn
		limit 200) v limit 200`, full)
	if err != nil {
		return nil, err
	}
	ids, err := pgx.CollectRows(rows, pgx.RowTo[int64])
	if err != nil {
		return nil, err
	}
	var picture *likeness.CoarseDescriptor
	if len(of.item.Pictures) > 0 { // its others show the same from elsewhere
		glance := of.item.Pictures[0].Descriptor()
		picture = &glance
	}
	for _, h := range snapshot.Similar(likeness.Content(of.item.Title), picture, of.item.Lightest(), maxCandidates) {
		ids = append(ids, h.ID)
	}
	for _, p := range of.item.Pictures {
		if p.How != "" { // by a link or a picture it is looked for mirrored, turned and cropped, too
			glance := p.Descriptor()
			for _, h := range snapshot.Similar(nil, &glance, of.item.Lightest(), maxTurnedCandidates) {
				ids = append(ids, h.ID)
			}
		}
	}
	for other := range of.decisions {
		ids = append(ids, other)
	}
	slices.Sort(ids)
	return slices.DeleteFunc(slices.Compact(ids), func(other int64) bool { return other == of.offer }), nil
}

// items reads what is known of offers for comparing them, but for their pictures.
func (s *Service) items(ctx context.Context, ids []int64) (map[int64]*likeness.Item, error) {
	rows, err := s.pool.Query(ctx, `
		select o.id, o.title, v.barcode, v.option_values, v.weight_grams from unnest($1::bigint[]) i
		join facts.offer o on o.id = i join facts.offer_variant v on v.offer_id = o.id and not v.withdrawn
		order by o.id, v.position`, ids)
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
		tell(item, barcode, values, grams)
		values = nil
		return nil
	})
	return items, err
}

// pictured is items with their first pictures.
func (s *Service) pictured(ctx context.Context, ids []int64) (items map[int64]*likeness.Item, err error) {
	var reading errgroup.Group
	reading.Go(func() (err error) {
		items, err = s.items(ctx, ids)
		return err
	})
	pictures := map[int64]likeness.Picture{}
	reading.Go(func() error { return s.firstPictures(ctx, ids, pictures) })
	if err := reading.Wait(); err != nil {
		return nil, err
	}
	for id, picture := range pictures {
		if item := items[id]; item != nil {
			item.Pictures = []likeness.Picture{picture}
		}
	}
	return items, nil
}

// firstPictures fills in what the first pictures of offers are known by, of those that were looked at.
func (s *Service) firstPictures(ctx context.Context, ids []int64, into map[int64]likeness.Picture) error {
	rows, err := s.pool.Query(ctx, `select o.id, p.hashes, p.edge_map from unnest($1::bigint[]) i
		join facts.offer o on o.id = i join facts.picture p on p.url = o.pictures[1] and p.edge_map is not null`, ids)
	if err != nil {
		return err
	}
	var id int64
	var shapes []int64
	var outline []byte
	_, err = pgx.ForEachRow(rows, []any{&id, &shapes, &outline}, func() error {
		into[id] = media.PictureFrom(shapes, outline)
		shapes, outline = nil, nil
		return nil
	})
	return err
}

// decisionsOf is what people said of an offer and others.
func (s *Service) decisionsOf(ctx context.Context, id int64) (map[int64]string, error) {
	rows, err := s.pool.Query(ctx, `select case when offer = $1 then other else offer end, same from match_decision
		where $1 in (offer, other)`, id)
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

// saveDecision remembers what a person says of two offers; empty takes it back.
func (s *Service) saveDecision(ctx context.Context, id, other int64, said string) error {
	if id == other {
		return apikit.Problem(422, "other", "An offer is the same as itself.")
	}
	var err error
	if said == "" {
		_, err = s.pool.Exec(ctx, `delete from match_decision
			where offer = least($1::bigint, $2) and other = greatest($1::bigint, $2)`, id, other)
	} else {
		_, err = s.pool.Exec(ctx, `insert into match_decision (offer, other, same, decided_by)
			values (least($1::bigint, $2), greatest($1::bigint, $2), $3, $4)
			on conflict (offer, other) do update set same = $3, decided_by = $4, decided_at = now()`, id, other,
			said == "same", access.Who(ctx).Name)
	}
	if database.Refers(err) {
		return apikit.NotFound("offer")
	}
	return err
}
