package pricelist

import (
	"context"
	"errors"
	"fmt"
	"os"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"

	"golang.org/x/text/language"
	"golang.org/x/text/language/display"

	"plainpelican/core/landed"
	"plainpelican/core/money"
)

// ErrNoDeliveries is returned where a file or a sheet holds no table of deliveries.
var ErrNoDeliveries = errors.New("there is no table of deliveries in it: it needs a column for the country and one " +
	"for the charge")

// Columns of a table of deliveries.
const (
	toService = iota
	toCountry
	toFirst
	toFurther
	toDays
	toLeast
	toMost
	toTracked
	toCurrency
	toColumns
)

// deliveryWords are what suppliers call the columns of their delivery tables.
var deliveryWords = [toColumns][]string{
	toService: {"service", "delivery", "delivery service", "shipping method", "method", "carrier", "shipping", "name",
		"versandart", "versand", "dienst", "mode de livraison", "transporteur", "servicio", "verzendwijze"},
	toCountry: {"country", "countries", "destination", "destinations", "ship to", "ships to", "deliver to", "zone",
		"region", "land", "länder", "zielland", "pays", "pays de destination", "país", "paises", "paese"},
	toFirst: {"charge", "first", "first item", "first piece", "first unit", "1st item", "price", "rate", "cost",
		"freight", "postage", "shipping cost", "fee", "preis", "kosten", "porto", "versandkosten", "tarif", "prix",
		"frais", "precio", "coste", "prijs", "costo"},
	toFurther: {"further", "each further", "further item", "further piece", "additional", "each additional",
		"additional item", "extra item", "each more", "next", "next item", "per extra", "weitere", "jedes weitere",
		"supplémentaire", "adicional"},
	toDays: {"days", "transit", "transit days", "transit time", "delivery time", "delivery days", "lead time",
		"working days", "lieferzeit", "tage", "laufzeit", "délai", "jours", "plazo", "días", "levertijd"},
	toLeast:    {"days from", "min days", "days min", "from days", "from", "minimum days", "least days", "tage von"},
	toMost:     {"days to", "max days", "days max", "to days", "to", "maximum days", "most days", "tage bis"},
	toTracked:  {"tracked", "tracking", "traceable", "sendungsverfolgung", "suivi", "seguimiento"},
	toCurrency: headerWords[Currency],
}

// DeliveriesOf finds a table of deliveries in a file of its own. Its notes say which rows
// could not be used, and why.
func DeliveriesOf(ctx context.Context, f *os.File, currency string) (list []landed.Delivery, notes []string,
	err error) {
	t, format, done, err := lookAt(ctx, f)
	if err != nil {
		return nil, nil, err
	}
	defer done()
	if t.book == nil {
		look := &Analysis{}
		if err := look.form(t, true, ""); err != nil {
			return nil, nil, err
		}
		return t.deliveries(&look.Layout, currency)
	}
	err = ErrNoDeliveries
	for _, name := range t.book.sheets() {
		if list, notes, err = t.deliveries(&Layout{Format: format, Sheet: name}, currency); err == nil {
			return list, notes, nil
		}
	}
	return nil, nil, err
}

// deliverySheet finds the sheet of a workbook, besides the list, that is a table of deliveries.
func (look *Analysis) deliverySheet(t *table) {
	l := &look.Layout
	if t.book == nil || len(l.Deliveries) > 0 {
		return
	}
	for _, name := range look.Sheets {
		if name == l.Sheet {
			continue
		}
		list, notes, err := t.deliveries(&Layout{Format: l.Format, Sheet: name}, l.Currency)
		if err != nil {
			continue
		}
		l.DeliverySheet, l.Deliveries = name, list
		look.Notes = append(append(look.Notes, fmt.Sprintf(
			"The sheet “%s” says what delivery costs; it is read with each new file.", name)), notes...)
		return
	}
}

// refreshDeliveries reads the deliveries of the sheet that a layout names anew.
func (t *table) refreshDeliveries(l *Layout) error {
	if l.DeliverySheet == "" || t.book == nil {
		return nil
	}
	if !slices.Contains(t.book.sheets(), l.DeliverySheet) {
		return ErrLayout{fmt.Sprintf("The sheet “%s”, which says what delivery costs, is not there any more.",
			l.DeliverySheet)}
	}
	list, _, err := t.deliveries(&Layout{Format: l.Format, Sheet: l.DeliverySheet}, l.Currency)
	if errors.Is(err, ErrNoDeliveries) {
		return ErrLayout{fmt.Sprintf("The sheet “%s” does not say any more what delivery costs.", l.DeliverySheet)}
	}
	if err == nil {
		l.Deliveries = list
	}
	return err
}

const mostDeliveries = 100

func (t *table) deliveries(l *Layout, currency string) (list []landed.Delivery, notes []string, err error) {
	sample, err := t.sample(l, sampleRows)
	if err != nil {
		return nil, nil, err
	}
	header, places := deliveryHeader(sample)
	if header < 0 {
		return nil, nil, ErrNoDeliveries
	}
	comma, point := decimalSign(sample[header+1:])
	decimal := "."
	if comma > point {
		decimal = ","
	}
	if named := currencyIn(sample[header].Cells[places[toFirst]]); named != "" && named[0] != '~' {
		currency = named
	}
	for _, row := range sample[header+1:] {
		if blank(row) {
			continue
		}
		get := func(column int) string {
			if at := places[column]; at >= 0 && at < len(row.Cells) {
				return strings.TrimSpace(row.Cells[at])
			}
			return ""
		}
		d, err := delivery(get, decimal, currency)
		if err != nil {
			notes = append(notes, fmt.Sprintf("Delivery in row %d is left out: %s.", row.Number, err))
			continue
		}
		list = together(list, d)
	}
	if len(list) == 0 || len(list) > mostDeliveries {
		return nil, nil, ErrNoDeliveries
	}
	distinguish(list)
	return list, notes, nil
}

// deliveryHeader finds the row that names the columns, and where each is, -1 where it is not.
func deliveryHeader(sample []Row) (at int, places [toColumns]int) {
	for i, row := range sample[:min(len(sample), 20)] {
		for c := range places {
			places[c] = -1
		}
		for j, cell := range row.Cells {
			words := plain(cell)
			short := strings.Join(withoutUnits(strings.Fields(words)), " ")
			for c, known := range deliveryWords {
				if places[c] < 0 && slices.ContainsFunc(known, func(w string) bool {
					return plain(w) == words || plain(w) == short
				}) {
					places[c] = j
					break
				}
			}
		}
		if places[toCountry] >= 0 && places[toFirst] >= 0 {
			return i, places
		}
	}
	return -1, places
}

var dayRange = regexp.MustCompile(`^(\d{1,3})\s*(?:-|–|—|to|bis|à|a)\s*(\d{1,3})\b`)
var oneDay = regexp.MustCompile(`^(?:up to |max\.? |<)?(\d{1,3})\b`)

func delivery(get func(int) string, decimal, currency string) (d landed.Delivery, err error) {
	if d.Name = strings.Join(strings.Fields(get(toService)), " "); d.Name == "" {
		d.Name = "Delivery"
	}
	if d.To, err = countriesOf(get(toCountry)); err != nil {
		return d, err
	}
	if named := get(toCurrency); named != "" {
		currency = signOf(named)
	}
	if _, code := unit(get(toFirst)); code != "" && code[0] != '?' && code[0] != '~' {
		currency = code
	}
	c, err := money.ParseCurrency(currency)
	if err != nil {
		return d, errors.New("it does not say in which currency it is")
	}
	if d.First, err = amount(get(toFirst), decimal, c); err != nil {
		return d, err
	}
	d.Further = d.First
	if text := get(toFurther); text != "" {
		if d.Further, err = amount(text, decimal, c); err != nil {
			return d, err
		}
	}
	if d.First.Negative() || d.Further.Negative() {
		return d, fmt.Errorf("its charge is %s", d.First)
	}
	days := get(toDays)
	switch {
	case get(toLeast) != "" && get(toMost) != "":
		days = get(toLeast) + "-" + get(toMost)
	case days == "":
		days = get(toMost)
	}
	if m := dayRange.FindStringSubmatch(strings.ToLower(days)); m != nil {
		d.Transit.Min, _ = strconv.Atoi(m[1]) // three digits at most
		d.Transit.Max, _ = strconv.Atoi(m[2])
	} else if m := oneDay.FindStringSubmatch(strings.ToLower(days)); m != nil {
		d.Transit.Max, _ = strconv.Atoi(m[1])
		d.Transit.Min = d.Transit.Max
	} else {
		return d, fmt.Errorf("“%s” does not say how many days it takes", clip(days))
	}
	if d.Transit.Max < d.Transit.Min || d.Transit.Max > 365 {
		return d, fmt.Errorf("“%s” makes no sense as days", clip(days))
	}
	switch strings.ToLower(get(toTracked)) {
	case "yes", "y", "true", "1", "x", "ja", "oui", "si", "sí", "✓", "tracked":
		d.Tracked = true
	}
	return d, nil
}

// countryNames maps plain names of countries, in English and German, French and Spanish, to their codes.
var countryNames = sync.OnceValue(func() map[string]string {
	names := map[string]string{"uk": "GB", "england": "GB", "great britain": "GB", "usa": "US", "us": "US",
		"united states of america": "US", "uae": "AE", "holland": "NL", "czech republic": "CZ", "eu": "EU",
		"european union": "EU"}
	for a := 'A'; a <= 'Z'; a++ {
		for b := 'A'; b <= 'Z'; b++ {
			region, err := language.ParseRegion(string([]rune{a, b}))
			if err != nil || !region.IsCountry() || region.String() != string([]rune{a, b}) {
				continue
			}
			for _, tongue := range []language.Tag{language.English, language.German, language.French,
				language.Spanish} {
				if name := plain(display.Regions(tongue).Name(region)); name != "" && names[name] == "" {
					names[name] = region.String()
				}
			}
		}
	}
	return names
})

var everywhere = []string{"*", "worldwide", "world", "anywhere", "all", "all countries", "international",
	"rest of world", "row", "weltweit", "monde", "resto del mundo", "everywhere"}

// countriesOf reads codes and names of countries. "EU" is its members.
func countriesOf(text string) ([]string, error) {
	var to []string
	for _, part := range strings.FieldsFunc(text, func(r rune) bool { return strings.ContainsRune(",;/|\n+&", r) }) {
		part = strings.TrimSpace(part)
		name := plain(part)
		switch code := countryNames()[name]; {
		case part == "":
		case slices.Contains(everywhere, strings.ToLower(part)):
			to = append(to, "*")
		case code == "EU":
			to = append(to, union...)
		case code != "":
			to = append(to, code)
		default:
			region, err := language.ParseRegion(strings.ToUpper(part))
			if err != nil || len(part) > 3 || !region.IsCountry() {
				if codes := strings.Fields(part); len(codes) > 1 && len(codes[0]) == 2 { // "DE FR NL"
					more, err := countriesOf(strings.Join(codes, ","))
					if err != nil {
						return nil, err
					}
					to = append(to, more...)
					continue
				}
				return nil, fmt.Errorf("“%s” is not a country", clip(part))
			}
			to = append(to, region.Canonicalize().String())
		}
	}
	if len(to) == 0 {
		return nil, errors.New("it does not say where it goes")
	}
	slices.Sort(to)
	return slices.Compact(to), nil
}

// union are the members of the European Union.
var union = strings.Fields("AT BE BG CY CZ DE DK EE ES FI FR GR HR HU IE IT LT LU LV MT NL PL PT RO SE SI SK")

// together adds a delivery to one that differs by the countries only.
func together(list []landed.Delivery, d landed.Delivery) []landed.Delivery {
	for i, known := range list {
		if known.Name == d.Name && known.First == d.First && known.Further == d.Further && known.Transit == d.Transit &&
			known.Tracked == d.Tracked {
			list[i].To = append(known.To, d.To...)
			slices.Sort(list[i].To)
			list[i].To = slices.Compact(list[i].To)
			return list
		}
	}
	return append(list, d)
}

// distinguish gives deliveries of one name names of their own, by where they go.
func distinguish(list []landed.Delivery) {
	count := map[string]int{}
	for _, d := range list {
		count[d.Name]++
	}
	taken := map[string]bool{}
	for i, d := range list {
		if count[d.Name] > 1 {
			to := strings.Join(d.To[:min(len(d.To), 4)], " ")
			if d.To[0] == "*" {
				to = "elsewhere"
			}
			list[i].Name = d.Name + ", " + to
		}
		for n := 2; taken[list[i].Name]; n++ {
			list[i].Name = fmt.Sprintf("%s (%d)", d.Name, n)
		}
		taken[list[i].Name] = true
	}
}
