// Package gen makes the stand-ins' catalog from a seed: the same seed gives the same
// offers, with all the mess of real suppliers. Every name in it is made up.
package gen

import (
	"fmt"
	"iter"
	"math/rand/v2"
	"strconv"
	"strings"
)

// Shapes are how weekly sales are made; Short is a history of less than half a year.
var Shapes = []string{"flat", "rising", "falling", "seasonal", "spike"}

// Short is the shape of a history that is too short to have one.
const Short = "short"

// Offer is one product of one supplier.
type Offer struct {
	Number, Title, Description, Category, Brand string
	// Family numbers the item, and Seller the shop among those that sell it.
	Family, Seller        int
	Supplier              Supplier
	OptionNames           []string
	Variants              []Variant
	Pictures              []string
	Processing            [2]int
	Deliveries            []Delivery
	Rating                int // tenths
	Ratings               int
	Weekly                []int
	ReturnDays            int
	Rivals                Rivals
	OwnPacking, Withdrawn bool
	// Shape is what its weekly sales were made as: one of Shapes, or Short.
	Shape string
	// Quote names the quote that it was made of, where it was one.
	Quote string
	// Changed is the day of the stand-in's clock on which it last changed.
	Changed int
}

// Rivals are the stores that sell the item, and prices seen there in hundredths of a dollar.
type Rivals struct {
	Stores int
	Prices []int
}

// Supplier sells offers.
type Supplier struct {
	Number, Name, Country, Currency string
	Digits                          int
	Rating, OnTime                  int // tenths, percent
	Verified                        bool
	perDollar                       int
}

// Variant is one purchasable SKU. Price is in minor units of the supplier's currency.
type Variant struct {
	SKU, GTIN string
	Values    []string
	Price     int
	// List and Least are list price and minimum advertised price; 0 is none.
	List, Least int
	Stock       int
	Picture     int
	Grams       int
}

// Delivery is a service; prices in minor units of the supplier's currency.
type Delivery struct {
	Name           string
	To             []string
	First, Further int
	Min, Max       int
	Tracked        bool
}

// Phone tells that the carrier wants the customer's telephone number.
func (d Delivery) Phone() bool { return d.Name == "Express" }

// Catalog describes a catalog to be made. The zero value of all but the seed is the first marketplace's.
type Catalog struct {
	Seed uint64
	// Prefix begins every offer's number; Suppliers is how many share the catalog.
	Prefix    string
	Suppliers int
	// Near makes its suppliers domestic and European, with days to match.
	Near bool
	// Shares is the seed of a catalog of which every third item is sold here, too; 0 is none.
	Shares uint64
}

// Suppliers is how many suppliers a marketplace has, where nothing else is said.
const Suppliers = 400

// OverLimit is the place of the offer with more variants than a usual store takes,
// Leaving of the one that its supplier withdraws on the first day.
const (
	OverLimit = 12
	Leaving   = 7
)

func (c Catalog) supplier(n int) Supplier {
	r := rand.New(rand.NewPCG(c.Seed^0x5eed, uint64(n)))
	from := countries
	if c.Near {
		from = nearCountries
	}
	at := from[r.IntN(len(from))]
	name := supplierFirst[n%len(supplierFirst)] + " " + supplierSecond[(n/len(supplierFirst))%len(supplierSecond)]
	return Supplier{
		Number: fmt.Sprintf("S%04d", n+1), Name: name, Country: at.code, Currency: at.currency, Digits: at.digits,
		perDollar: at.perDollar,
		Rating:    36 + r.IntN(14), OnTime: 78 + r.IntN(22), Verified: r.IntN(3) > 0,
	}
}

// price turns hundredths of a dollar into the supplier's minor units.
func (s Supplier) price(cents int) int {
	minor := cents * s.perDollar
	for range s.Digits {
		minor *= 10
	}
	return max(minor/10000, 1)
}

// Offers makes n offers in order. Families of two to nine offers are the same item at
// several suppliers, with other words, pictures cropped or recoloured, and other prices.
func Offers(seed uint64, n int) iter.Seq[Offer] { return Catalog{Seed: seed}.Offers(n) }

// Offers makes n offers in order, as Offers does.
func (c Catalog) Offers(n int) iter.Seq[Offer] {
	if c.Prefix == "" {
		c.Prefix = "QB"
	}
	if c.Suppliers == 0 {
		c.Suppliers = Suppliers
	}
	return func(yield func(Offer) bool) {
		made := 0
		for family := 0; made < n; family++ {
			r := rand.New(rand.NewPCG(c.Seed, uint64(family)))
			thing := c.thing(r, family)
			if c.Shares != 0 && family%3 == 1 {
				thing = Catalog{Seed: c.Shares}.thing(rand.New(rand.NewPCG(c.Shares, uint64(family))), family)
			}
			sellers := 1
			if r.IntN(2) == 0 {
				sellers = 2 + r.IntN(8)
			}
			first := r.IntN(c.Suppliers)
			for seller := 0; seller < sellers && made < n; seller++ {
				s := c.supplier((first + seller*37) % c.Suppliers)
				if !yield(thing.offeredBy(r, c, s, made, seller)) {
					return
				}
				made++
			}
		}
	}
}

// thing is an item before any supplier has described it.
type thing struct {
	good
	family   int
	noun     string
	material string
	colours  []string
	sizes    []string
	cents    int
	gtinBase int64
	weekly   []int
	shape    string
	// shoot numbers the pictures that the item's shops share; features are two places in the list of them.
	shoot    int
	features [2]int
	pack     int // how many come together; 0 is one
}

// NearMiss tells whether a family is the one before it in another size or count: the same words
// and pictures, and another item all the same.
func NearMiss(family int) bool { return family >= len(goods) && family%6 == 5 }

// thing is a family's, by the random numbers that its sellers go on with.
func (c Catalog) thing(r *rand.Rand, family int) thing {
	if !NearMiss(family) {
		return c.newThing(r, family)
	}
	t := c.newThing(rand.New(rand.NewPCG(c.Seed, uint64(family-1))), family-1)
	t.family, t.gtinBase = family, gtinBase(c.item(family))
	t.weekly, t.shape = weekly(r, t.season)
	if others := t.good.sizes[len(t.sizes):]; len(others) > 0 && others[0][0] <= '9' && r.IntN(2) == 0 {
		t.sizes = others
		t.cents, t.grams = t.cents*3/2, t.grams*7/4
	} else {
		t.pack = []int{2, 4, 6}[r.IntN(3)]
		t.cents, t.grams = t.cents*t.pack*9/10, t.grams*t.pack
	}
	return t
}

// item numbers a family among those of all catalogs: another seed's are other items.
func (c Catalog) item(family int) int { return int(c.Seed%100)*1_000_000 + family }

func (c Catalog) newThing(r *rand.Rand, family int) thing {
	g := goods[r.IntN(len(goods))]
	if family < len(goods) {
		g = goods[family]
	}
	t := thing{good: g, family: family, noun: pick(r, g.nouns), material: pick(r, g.material)}
	start := r.IntN(len(colours))
	for i := range 1 + r.IntN(4) {
		t.colours = append(t.colours, colours[(start+i*5)%len(colours)])
	}
	t.sizes = g.sizes[:1+r.IntN(len(g.sizes))]
	t.cents = g.cents * (75 + r.IntN(60)) / 100
	t.shoot = c.item(family)
	t.gtinBase = gtinBase(t.shoot)
	t.weekly, t.shape = weekly(r, g.season)
	own := rand.New(rand.NewPCG(0x3a81, uint64(t.shoot)))
	t.features = [2]int{own.IntN(len(features)), own.IntN(len(features))}
	t.grams = t.grams * (70 + own.IntN(70)) / 100
	return t
}

func gtinBase(item int) int64 { return 400000000000 + int64(item)*100 }

func (t thing) offeredBy(r *rand.Rand, c Catalog, s Supplier, made, seller int) Offer {
	o := Offer{
		Number: fmt.Sprintf("%s-%06d", c.Prefix, 100000+made), Family: t.family, Seller: seller, Supplier: s,
		Category: t.category,
		Title:    t.title(r, seller), Description: t.description(r, s),
		Processing: [2]int{1 + r.IntN(2), 2 + r.IntN(4)},
		Rating:     max(30, min(50, s.Rating-3+r.IntN(7))), Ratings: 3 + r.IntN(900),
		ReturnDays: []int{0, 14, 30}[r.IntN(3)],
	}
	if r.IntN(3) == 0 {
		o.Brand = supplierFirst[r.IntN(len(supplierFirst))]
	}
	share := 25 + r.IntN(100)
	short := len(t.weekly)
	if r.IntN(9) == 0 {
		short = 6 + r.IntN(20) // a short history
	}
	if o.Shape = t.shape; short < len(t.weekly) {
		o.Shape = Short
	}
	for _, n := range t.weekly[len(t.weekly)-short:] {
		o.Weekly = append(o.Weekly, n*share/100)
	}
	t.grams = t.grams * (98 + seller%5) / 100 // every shop has its own scales
	t.pictures(&o, r, seller)
	t.variants(&o, r, made, seller)
	t.market(&o, made)
	if c.Near {
		t.nearDeliveries(&o, r)
	} else {
		t.deliveries(&o, r)
	}
	return o
}

func (t thing) title(r *rand.Rand, seller int) string {
	one, other := features[t.features[0]], features[t.features[1]]
	words := []string{pick(r, shout), pick(r, t.uses), one[0], t.noun, strings.ToUpper(t.material[:1]) + t.material[1:],
		other[0], t.sizes[0], pick(r, t.uses), pick(r, claim)}
	if seller%3 == 1 {
		words = []string{t.noun, one[1], "for", pick(r, t.uses), t.material, pick(r, claim)}
	}
	if seller%3 == 2 {
		words[3] = strings.ToUpper(pick(r, t.nouns))
	}
	if t.pack > 0 {
		words = append(words, fmt.Sprintf([]string{"set of %d", "%d pcs", "%d Pack"}[seller%3], t.pack))
	}
	return strings.Join(strings.Fields(strings.Join(words, " ")), " ")
}

func (t thing) description(r *rand.Rand, s Supplier) string {
	return fmt.Sprintf(`<div style="font-size:18px"><p><b>%s!!!</b> Welcome to our store, dear friend</p>
		<p>%s made of %s. Good for %s and %s.<br>`+
		`<table border=1><tr><td>Material</td><td>%s</td></tr><tr><td>Size</td><td>%s</td></tr><tr><td>Weight</td>
			<td>%d g</td></table>`+
		`<ul><li>Strong and light<li>Easy to clean<li>Please allow 1-3 cm difference</ul>
			<p>Contact: sales@%s.example <script>track()</script> or call +86 555 01%02d`,
		pick(r, []string{"100% NEW", "HOT", "Best choice"}), t.noun, t.material, strings.ToLower(t.uses[0]),
		strings.ToLower(t.uses[1]),
		t.material, strings.Join(t.sizes, ", "), t.grams, strings.ToLower(strings.ReplaceAll(s.Name, " ", "-")),
		r.IntN(100))
}

// pictures names what draw can make: kind-colour-angle-crop.
func (t thing) pictures(o *Offer, r *rand.Rand, seller int) {
	for i, c := range t.colours {
		if seller%4 == 3 && i == 0 {
			c = colours[r.IntN(len(colours))] // recoloured by another shop
		}
		o.Pictures = append(o.Pictures, fmt.Sprintf("%s-%s-0-%d-%d", t.kind, c, seller%4, t.shoot))
	}
	for angle := 1; angle <= 1+r.IntN(3); angle++ {
		o.Pictures = append(o.Pictures, fmt.Sprintf("%s-%s-%d-%d-%d", t.kind, t.colours[0], angle, seller%4, t.shoot))
	}
}

func (t thing) variants(o *Offer, r *rand.Rand, made, seller int) {
	kinds, sizes := t.colours, t.sizes
	o.OptionNames = []string{"Color", "Size"}
	careless := seller%3 == 1
	if careless {
		o.OptionNames[0] = "Style"
	}
	if made == OverLimit {
		kinds, sizes = colours, make([]string, 12)
		for i := range sizes {
			sizes[i] = fmt.Sprintf("%d.%d l", 1+i/4, i%4*25)
		}
	}
	cents := t.cents * (85 + r.IntN(40)) / 100
	for i, c := range kinds {
		for j, size := range sizes {
			name := c
			if careless {
				name = string(rune('A' + i))
			}
			v := Variant{
				SKU: fmt.Sprintf("%s-%d-%d", o.Number, i+1, j+1), Values: []string{name, size},
				Price: o.Supplier.price(cents + cents*j/4), Stock: stock(r), Picture: i, Grams: t.grams + t.grams*j/3,
			}
			if i >= len(t.colours) || r.IntN(40) == 0 {
				v.Picture = 0 // the picture on the wrong variant
			}
			if seller%3 == 0 {
				v.GTIN = gtin13(t.gtinBase + int64(i*len(sizes)+j))
			}
			o.Variants = append(o.Variants, v)
		}
	}
}

// market says what the item sells for elsewhere; a third of items nobody has looked up. Some
// suppliers name a list price, a few the least that may be advertised.
func (t thing) market(o *Offer, made int) {
	r := rand.New(rand.NewPCG(0x3a7e, uint64(t.family)))
	if r.IntN(3) > 0 {
		o.Rivals.Stores = 1 + r.IntN(60)
		for range min(o.Rivals.Stores, 12) {
			o.Rivals.Prices = append(o.Rivals.Prices, (t.cents*(200+r.IntN(180))/100+300+r.IntN(600))/100*100+99)
		}
	}
	r = rand.New(rand.NewPCG(0x3a80, uint64(made)))
	o.OwnPacking = r.IntN(5) == 0
	r = rand.New(rand.NewPCG(0x3a7f, uint64(made)))
	list, least := r.IntN(3) == 0, r.IntN(8) == 0
	for i := range o.Variants {
		v := &o.Variants[i]
		if list {
			v.List = v.Price * 3
		}
		if least {
			v.Least = v.Price * 2
		}
	}
}

func stock(r *rand.Rand) int {
	switch r.IntN(10) {
	case 0:
		return 0
	case 1:
		return 1 + r.IntN(12)
	}
	return 20 + r.IntN(900)
}

func (t thing) deliveries(o *Offer, r *rand.Rand) {
	s := o.Supplier
	base := 150 + t.grams*60/100
	o.Deliveries = []Delivery{
		{"Economy post", []string{"*"}, s.price(base * 7 / 10), s.price(base / 3), 12 + r.IntN(4), 19 + r.IntN(6),
			false},
		{"Tracked economy", []string{"US", "CA", "DE", "FR", "NL", "SE"}, s.price(base), s.price(base / 2),
			6 + r.IntN(3), 10 + r.IntN(4), true},
	}
	if r.IntN(3) > 0 {
		o.Deliveries = append(o.Deliveries,
			Delivery{"Express", []string{"US", "DE", "FR", "GB"}, s.price(base*2 + 400), s.price(base), 3,
				5 + r.IntN(2), true})
	}
	if r.IntN(25) == 0 { // some never leave for here
		o.Deliveries = []Delivery{{"Regional", []string{"CN", "JP", "VN", "IN"}, s.price(base / 2), s.price(base / 4),
			3, 7, true}}
	}
}

// nearDeliveries take two to eight days.
func (t thing) nearDeliveries(o *Offer, r *rand.Rand) {
	s := o.Supplier
	base := 380 + t.grams*50/100
	to := []string{"US", "CA", "DE", "FR", "NL", "SE", "GB", "PL"}
	o.Processing = [2]int{0, 1 + r.IntN(2)}
	o.Deliveries = []Delivery{{"Parcel", to, s.price(base), s.price(base / 3), 2 + r.IntN(2), 4 + r.IntN(3), true}}
	if r.IntN(2) == 0 {
		o.Deliveries = append(o.Deliveries,
			Delivery{"Next day but one", to[:5], s.price(base*2 + 300), s.price(base), 1, 2, true})
	}
}

func pick(r *rand.Rand, from []string) string { return from[r.IntN(len(from))] }

// gtin13 adds the GS1 check digit to twelve digits.
func gtin13(twelve int64) string {
	text := strconv.FormatInt(twelve, 10)
	sum := 0
	for i, c := range text {
		weight := 1
		if i%2 == 1 {
			weight = 3
		}
		sum += int(c-'0') * weight
	}
	return text + strconv.Itoa((10-sum%10)%10)
}
