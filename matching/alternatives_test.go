package matching_test

import (
	"bytes"
	"fmt"
	"image"
	"image/draw"
	"image/jpeg"
	"net/http"
	"slices"
	"strings"
	"testing"

	"plainpelican/core/likeness"
	"plainpelican/matching"
	"plainpelican/standins/bazaar"
	"plainpelican/standins/gen"
	"plainpelican/testkit"
)

// The generator knows which offers are one item: what is called the same by its number is, and no
// two of its kinds are mixed up by their words.
// rounds are fewer under the race detector, which scripts/test runs with -short.
func rounds(n int64) int64 {
	if testing.Short() {
		return n / 6
	}
	return n
}

func TestTheSameItemIsFoundElsewhere(t *testing.T) {
	market := testkit.Bazaar
	market.Offers = 600
	w := testkit.StartWith(t, market)
	w.Ready()
	w.AwaitOffers(600)
	family, kind := map[string]int{}, map[string]string{}
	for o := range gen.Offers(market.Seed, market.Offers) {
		family[o.Number], kind[o.Number] = o.Family, o.Category
	}
	number := func(id int64) (n string) {
		if err := w.App.Pool.QueryRow(t.Context(), `select number from offer where id = $1`, id).Scan(&n); err != nil {
			t.Fatal(err)
		}
		return n
	}
	byNumber, twins := 0, 0
	asked := rounds(120)
	for id := range asked {
		id++
		var found matching.Alternatives
		w.Owner.Must("GET", fmt.Sprintf("/api/offers/%d/alternatives?store=1", id), nil, &found)
		itself, unbeaten := 0, 0
		for i, o := range found.Offers {
			if i > 0 && o.Ladder != nil && o.Ladder.Landed.Minor() < found.Offers[i-1].Ladder.Landed.Minor() {
				t.Fatalf("offer %d: %s lands for less than the one before", id, o.Title)
			}
			if o.Unbeaten {
				unbeaten++
			}
			if o.IsSubject {
				itself++
				continue
			}
			if o.Strength < likeness.Same || len(o.Evidence) == 0 {
				t.Errorf("offer %d: %+v", id, o.Match)
			}
			twins++
			for _, e := range o.Evidence {
				if e.Kind == likeness.ByGTIN && e.Points > 0 {
					byNumber++
					if family[number(id)] != family[number(o.ID)] {
						t.Errorf("%s and %s share a number, and are not one item", number(id), number(o.ID))
					}
				}
			}
			if kind[number(id)] != kind[number(o.ID)] {
				t.Errorf("%s (%s) is called the same as %s (%s)", number(id), found.Title, number(o.ID), o.Title)
			}
		}
		if itself != 1 || (unbeaten == 0 && found.Offers[0].Ladder != nil) || found.Market != "US" {
			t.Errorf("offer %d: itself %d times, %d unbeaten, %s", id, itself, unbeaten, found.Market)
		}
	}
	if byNumber*6 < int(asked) || twins*2 < int(asked) {
		t.Errorf("%d by number, %d in all", byNumber, twins)
	}
}

func TestWhatIsSaidOfTwoOffersIsRemembered(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	w.AwaitOffers(w.Search("").Total)
	ask := func(id int64) (found matching.Alternatives) {
		t.Helper()
		w.Owner.Must("GET", fmt.Sprintf("/api/offers/%d/alternatives?store=1", id), nil, &found)
		return found
	}
	var id, other int64
	for id = 1; other == 0 && id < 100; id++ {
		for _, o := range ask(id).Offers {
			if !o.IsSubject {
				other = o.ID
			}
		}
	}
	id--
	say := func(a, b int64, said string) {
		t.Helper()
		w.Owner.Must("PUT", fmt.Sprintf("/api/offers/%d/alternatives/%d", a, b), map[string]string{"decision": said},
			nil)
	}
	holds := func(list []matching.Alternative, id int64) bool {
		for _, o := range list {
			if o.ID == id {
				return true
			}
		}
		return false
	}
	say(id, other, "other")
	if found := ask(id); holds(found.Offers, other) || !holds(found.Different, other) {
		t.Errorf("it is still called the same: %+v", found)
	}
	if found := ask(other); holds(found.Offers, id) || !holds(found.Different, id) {
		t.Error("from the other side it is not remembered")
	}
	say(other, id, "same")
	if found := ask(id); !holds(found.Offers, other) || holds(found.Different, other) {
		t.Error("what was said last does not hold")
	}
	say(id, other, "")
	if found := ask(id); !holds(found.Offers, other) {
		t.Error("taken back, the evidence does not hold")
	}
	if p := w.Owner.Ask("PUT", fmt.Sprintf("/api/offers/%d/alternatives/%d", id, id),
		map[string]string{"decision": "same"}, nil); p == nil || p.Status != 422 {
		t.Errorf("%+v", p)
	}
	if p := w.Owner.Ask("PUT", fmt.Sprintf("/api/offers/%d/alternatives/999999", id),
		map[string]string{"decision": "same"}, nil); p == nil || p.Status != 404 {
		t.Errorf("%+v", p)
	}
	if p := w.Owner.Ask("GET", fmt.Sprintf("/api/offers/%d/alternatives?store=1&market=ZZ", id), nil, nil); p == nil ||
		p.Status != 422 {
		t.Errorf("%+v", p)
	}
	var page string
	if err := w.App.Pool.QueryRow(t.Context(), `select page_url from offer where id = $1`, id).Scan(&page); err != nil {
		t.Fatal(err)
	}
	var linked matching.Alternatives
	w.Owner.Must("POST", "/api/alternatives", matching.LookupInput{Store: 1, Link: page}, &linked)
	if linked.ID != id || !holds(linked.Offers, other) {
		t.Errorf("the link leads to offer %d, not %d", linked.ID, id)
	}
}

// What a picture or a page shows is found, though neither is in the catalog: cropped, compressed hard,
// or at a shop that nobody has connected.
func TestWhatAPictureOrAPageShowsIsFound(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	for range 2 { // the second finds nothing left to do
		if err := w.App.Matching.DescribePictures(t.Context(), 30); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := w.App.Search.FollowChanges(t.Context()); err != nil { // what was seen is told of in parts
		t.Fatal(err)
	}
	var ids []int64
	var looked int
	err := w.App.Pool.QueryRow(t.Context(), `select array(select max(o.id) from offer o
		join picture p on p.url = o.pictures[1] and p.hashes <> '{}' group by p.url order by 1), (select count(*)
		from picture where hashes <> '{}')`).Scan(&ids, &looked)
	if err != nil || looked != 30 || len(ids) != 30 {
		t.Fatalf("%d pictures of %d offers were looked at: %v", looked, len(ids), err)
	}
	look := func(in matching.LookupInput) (found matching.Alternatives) {
		t.Helper()
		in.Store = 1
		w.Owner.Must("POST", "/api/alternatives", in, &found)
		return found
	}
	at := func(found matching.Alternatives, id int64) int {
		return slices.IndexFunc(found.Offers, func(o matching.Alternative) bool { return o.ID == id })
	}
	upload := func(content []byte) string {
		t.Helper()
		up, problem := w.Owner.Send("picture.jpg", content)
		if problem != nil {
			t.Fatal(problem)
		}
		return up.File
	}
	testkit.Until(t, "the pictures in the index", func() bool {
		_, content, err := w.FirstPicture(ids[len(ids)-1])
		return err == nil && at(look(matching.LookupInput{File: upload(content)}), ids[len(ids)-1]) >= 0
	})
	lost := 0
	for _, id := range ids[:12] {
		_, content, err := w.FirstPicture(id)
		if err != nil {
			t.Fatal(err)
		}
		full, _, err := image.Decode(bytes.NewReader(content))
		if err != nil {
			t.Fatal(err)
		}
		b := full.Bounds()
		cut := image.NewRGBA(image.Rect(0, 0, b.Dx()*88/100, b.Dy()*88/100))
		draw.Draw(cut, cut.Bounds(), full, image.Pt(b.Dx()*5/100, b.Dy()*5/100), draw.Src)
		var out bytes.Buffer
		if err := jpeg.Encode(&out, cut, &jpeg.Options{Quality: 35}); err != nil {
			t.Fatal(err)
		}
		found := look(matching.LookupInput{File: upload(out.Bytes())})
		if place := at(found, id); place < 0 || found.Offers[place].Evidence[0].Kind != likeness.ByPicture ||
			found.ID != 0 || found.Pictures != 1 {
			t.Logf("the cropped picture of offer %d is not known again", id)
			lost++
		}
	}
	if lost > 2 {
		t.Errorf("%d of 12 cropped pictures are not known again", lost)
	}

	shop := testkit.Bazaar
	shop.Prefix, shop.Name = "ZZ", "A shop nobody connected"
	address := w.Serve(bazaar.New(shop).Handler())
	found := look(matching.LookupInput{Link: address + "/p/ZZ-100004"})
	var twin int64
	if err := w.App.Pool.QueryRow(t.Context(), `select id from offer
		where number = 'QB-100004'`).Scan(&twin); err != nil {
		t.Fatal(err)
	}
	if place := at(found, twin); place < 0 || found.Title != found.Offers[place].Title ||
		found.Offers[place].Strength < 90 {
		t.Errorf("offer %d is not found by the page of another shop: %+v", twin, found)
	}
	for in, says := range map[matching.LookupInput]string{
		{}: "link or a picture", {Link: address + "/nothing"}: "cannot be looked for",
		{Link: "nonsense"}: "cannot be looked for", {Link: "http://10.0.0.1/x"}: "cannot be looked for",
		{File: upload([]byte("<html>"))}: "not a picture", {File: "0000"}: "did not arrive",
	} {
		if p := w.Owner.Ask("POST", "/api/alternatives", in, nil); p == nil || p.Status != 422 ||
			!strings.Contains(p.Detail, says) {
			t.Errorf("%+v: %+v", in, p)
		}
	}
}

// From whichever offer of an item one starts, the same are found.
func TestAnItemIsTheSameFromWherever(t *testing.T) {
	market := testkit.Bazaar
	market.Offers = int(rounds(600))
	w := testkit.StartWith(t, market)
	w.Ready()
	w.AwaitOffers(market.Offers)
	for range 8 {
		if err := w.App.Matching.DescribePictures(t.Context(), 1000); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := w.App.Search.FollowChanges(t.Context()); err != nil {
		t.Fatal(err)
	}
	items := map[int64][]int64{}
	of := func(id int64) []int64 {
		if items[id] == nil {
			var found matching.Alternatives
			w.Owner.Must("GET", fmt.Sprintf("/api/offers/%d/alternatives?store=1", id), nil, &found)
			for _, o := range found.Offers {
				items[id] = append(items[id], o.ID)
			}
			slices.Sort(items[id])
		}
		return items[id]
	}
	pairs, unlike := 0, 0
	asked := rounds(150)
	for id := range asked {
		id++
		for _, other := range of(id) {
			if pairs++; !slices.Equal(of(id), of(other)) {
				t.Logf("from %d %v, from %d %v", id, of(id), other, of(other))
				unlike++
			}
		}
	}
	if pairs < 2*int(asked) || unlike*50 > pairs {
		t.Errorf("%d of %d find others", unlike, pairs)
	}
}

func TestAnotherPackAndADoubtfulNumber(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	for _, sql := range []string{
		`update offer set title = 'Speckled Enamel Jug with Spout 350 ml' where id in (21, 22)`,
		`update offer set title = 'Speckled Enamel Jug with Spout 350 ml, 4er-Set' where id = 23`,
		`update offer set title = 'Speckled Enamel Jug with Spout 500 ml' where id = 24`,
		`update offer set title = 'Thing of quite another kind' where id = 25`,
		`update offer set pictures = '{}', option_names = '{}' where id between 21 and 25`,
		`update offer_variant set option_values = '{}', barcode = '', weight_grams = 200
			where offer_id between 21 and 24`, `update offer_variant set weight_grams = 810 where offer_id = 23`,
		`update offer_variant set option_values = '{}', weight_grams = 0 where offer_id = 25`,
		`update offer_variant set barcode = '4006381333931' where offer_id in (21, 25)`,
	} {
		if _, err := w.App.Pool.Exec(t.Context(), sql); err != nil {
			t.Fatal(err)
		}
	}
	w.Reindex()
	var found matching.Alternatives
	w.Owner.Must("GET", "/api/offers/21/alternatives?store=1", nil, &found)
	ids := func(list []matching.Alternative) (ids []int64) {
		for _, o := range list {
			ids = append(ids, o.ID)
		}
		slices.Sort(ids)
		return ids
	}
	if !slices.Equal(ids(found.Offers), []int64{21, 22}) || !slices.Equal(ids(found.Packs), []int64{23}) ||
		!slices.Equal(ids(found.Doubtful), []int64{25}) {
		t.Fatalf("the same %v, other packs %v, doubtful %v", ids(found.Offers), ids(found.Packs), ids(found.Doubtful))
	}
	pack := found.Packs[0]
	if *pack.Match.Packs != (likeness.Packed{Here: 1, There: 4}) ||
		(pack.Ladder != nil && pack.PerPiece.Minor() != (pack.Ladder.Landed.Minor()+2)/4) {
		t.Errorf("%+v, a piece %v of %v", pack.Match.Packs, pack.PerPiece, pack.Ladder)
	}
}

// A page that does not say what it costs, and a link straight to a picture, can be looked for; an identical picture is
// enough, whatever the words.
func TestAPageWithoutAPriceAndAPictureAreLookedFor(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	_, content, err := w.FirstPicture(7)
	if err != nil {
		t.Fatal(err)
	}
	if err := w.App.Matching.DescribePictures(t.Context(), 100); err != nil {
		t.Fatal(err)
	}
	if _, err := w.App.Search.FollowChanges(t.Context()); err != nil {
		t.Fatal(err)
	}
	shop := http.NewServeMux()
	shop.HandleFunc("/shot.jpg", func(rw http.ResponseWriter, _ *http.Request) { _, _ = rw.Write(content) })
	shop.HandleFunc("/page", func(rw http.ResponseWriter, r *http.Request) {
		rw.Header().Set("Content-Type", "text/html")
		_, _ = fmt.Fprintf(rw,
			`<script type="application/ld+json">
				{"@type":"Product","name":"Ganz andere Worte","image":"http://%s/shot.jpg"}</script>`, r.Host)
	})
	address := w.Serve(shop)
	for _, path := range []string{"/shot.jpg", "/page"} {
		var found matching.Alternatives
		w.Owner.Must("POST", "/api/alternatives", matching.LookupInput{Store: 1, Link: address + path}, &found)
		if !slices.ContainsFunc(found.Offers, func(o matching.Alternative) bool { return o.ID == 7 }) {
			t.Errorf("%s: %d found, not offer 7", path, len(found.Offers))
		}
	}
}

// All offers that share a picture are told of it, beyond as many as are chosen at once.
func TestAPictureThatManyShareReachesAll(t *testing.T) {
	market := testkit.Bazaar
	market.Offers = 1300
	w := testkit.StartWith(t, market)
	w.Ready()
	w.AwaitOffers(1300)
	if _, err := w.App.Pool.Exec(t.Context(), `update offer
		set pictures = (select pictures from offer where id = 1); delete from picture; delete
		from catalog_change`); err != nil {
		t.Fatal(err)
	}
	if err := w.App.Matching.DescribePictures(t.Context(), 5000); err != nil {
		t.Fatal(err)
	}
	var told int
	if err := w.App.Pool.QueryRow(t.Context(), `select count(distinct o)
		from catalog_change, unnest(offers) o`).Scan(&told); err != nil || told != 1300 {
		t.Errorf("%d of 1300 are told of: %v", told, err)
	}
}
