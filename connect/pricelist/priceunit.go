package pricelist

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"plainpelican/core/money"
)

// priceUnit is what one price buys.
type priceUnit struct {
	pieces  int    // 1, 12, 100, ...; 0 where it is not said in figures
	pack    string // a pack, carton or box, as it is called, of as many pieces as another column says
	measure string // a kilogram, a metre, a roll
}

func (u priceUnit) known() bool { return u.pieces > 0 || u.pack != "" || u.measure != "" }

// Units by what they are called, plain and lower-cased, and by their codes of UN/ECE Recommendation 20 (C62 one, H87
// and PCE piece, EA each, PR pair, SET, DZN dozen, GRO gross, CEN hundred, MIL thousand, KGM, GRM, MTR, LTR, and the
// packages PK, CT, BX of Recommendation 21). No package at hand has the list: the codes are from memory.
var (
	oneWords = wordSet(
		"each ea unit units piece pieces pc pcs pce c62 h87 stuck stueck stk st stck item unitaire unite unidad " +
			"unidades ud uds un unit. stuks stuk pezzo pezzi pz nr szt sztuka ks kus db darab buc adet шт pair pr " +
			"paar paire set sets kit 个 件 只 个/件 個 本 枚 개")
	dozenWords   = wordSet("dozen doz dz dzn dutzend douzaine docena dozijn dozzina tuzin dussin dusin tucat дюжина 打")
	grossWords   = wordSet("gro grs")
	hundredWords = wordSet("cen hundred hundert cent_pieces ciento honderd 100pcs 100st 100stk")
	millWords    = wordSet("mil thousand tausend mille mille_pieces 1000pcs 1000st 1000stk ‰")
	packWords    = wordSet(
		"pack packs packet packets pk pkt pck carton cartons ctn ct ctns case cases cs box boxes bx karton kartons " +
			"ktn kiste packung pkg packungen vpe ve gebinde paket colis lot boite caja paquete estuche doos " +
			"dozen_box " +
			"pak verpakking scatola confezione cf conf cartone display bundle inner outer krt kartong forpackning " +
			"pakke pakning opakowanie op karton. baleni krabice karton_ csomag doboz cutie koli paket. упак упаковка " +
			"коробка 箱 盒 包")
	measureWords = map[string]string{"kg": "kilogram", "kgm": "kilogram", "kgs": "kilogram", "kilo": "kilogram",
		"kilogram": "kilogram", "kilogramm": "kilogram", "g": "gram", "grm": "gram", "lb": "pound", "lbs": "pound",
		"lbr": "pound",
		"m":   "metre", "mtr": "metre", "metre": "metre", "meter": "metre", "lfm": "metre", "ml": "millilitre",
		"l": "litre", "ltr": "litre", "litre": "litre", "liter": "litre", "litro": "litre", "m2": "square metre",
		"mtk": "square metre", "sqm": "square metre",
		"roll": "roll", "rol": "roll", "rolle": "roll", "rouleau": "roll", "rollo": "roll", "rotolo": "roll",
		"rulle": "roll", "rl": "roll", "ro": "roll", "yard": "yard", "yd": "yard", "yrd": "yard", "ton": "tonne",
		"t": "tonne", "tne": "tonne"}
)

func wordSet(list string) map[string]bool {
	all := map[string]bool{}
	for _, w := range strings.Fields(list) {
		all[strings.ReplaceAll(w, "_", " ")] = true
	}
	return all
}

var (
	perCount = regexp.MustCompile(
		`(?:\bper|/|\bje|\bpro|\bpar|\bpor|\bá|\ba|\bfor|\bvoor|\bza|\bna|\bpour|\bx)\s*\(?(\d{1,5})\s*(st\.?|stk\.?|` +
			`stück|stuck|pcs|pieces|pc|ea|units|szt|ks|uds|u\.|pz|шт)?(?:$|[\s).,;])`)
	countOf = regexp.MustCompile(`(?:^|[\s(])(\d{1,5})\s*(st|stk|stück|stuck|pcs|pc|pieces|piece|ea|units|unit|szt|` +
		`ks|uds|pz|шт)\.?(?:$|[\s).,;])`)
	perWord = regexp.MustCompile(`(?:(?:\b(?:per|je|pro|par|por|la|le|pr|the|voor|za|na|cad[ao]|price a|a)\.?|á)\s+|` +
		`/\s*)\(?(?:a |1 )?([\p{L}][\p{L}0-9]*)`)
	packOf = regexp.MustCompile(`^(?:([\p{L}]+)\s*(?:of|à|a|zu|de|/|-|x)?\s*(\d{1,4})|(\d{1,4})\s*(?:er|x|/|per|pro|` +
		`je)?\s*([\p{L}]+))$`)
	percent = regexp.MustCompile(`%|\bper ?cent\b`)
)

// unitOf reads what a code or a word alone says: a cell of a column of units, or what follows "per".
func unitOf(text string) priceUnit {
	if strings.TrimSpace(text) == "M" {
		return priceUnit{} // a metre to some, a thousand to others
	}
	w := strings.Trim(strings.ToLower(strings.TrimSpace(text)), ".")
	if m := packOf.FindStringSubmatch(w); m != nil { // BX12, 12/CS, case of 12
		if n, err := strconv.Atoi(m[2] + m[3]); err == nil && n > 0 && packWords[plain(m[1]+m[4])] {
			return priceUnit{pieces: n}
		}
	}
	if likeThousands.MatchString(w) {
		return priceUnit{} // a thousand, or one with three decimals
	}
	w = plain(w)
	if n, err := strconv.Atoi(strings.ReplaceAll(strings.TrimSuffix(w, " 00"), " ", "")); err == nil && n > 0 &&
		n <= 100_000 {
		return priceUnit{pieces: n}
	}
	if n, rest, found := strings.Cut(w, " "); found && digits(n) && oneWords[rest] { // "100 pcs"
		pieces, _ := strconv.Atoi(n)
		return priceUnit{pieces: pieces}
	}
	switch {
	case oneWords[w]:
		return priceUnit{pieces: 1}
	case dozenWords[w]:
		return priceUnit{pieces: 12}
	case grossWords[w]:
		return priceUnit{pieces: 144}
	case hundredWords[w]:
		return priceUnit{pieces: 100}
	case millWords[w]:
		return priceUnit{pieces: 1000}
	case packWords[w]:
		return priceUnit{pack: w}
	}
	if m := measureWords[w]; m != "" {
		return priceUnit{measure: m}
	}
	return priceUnit{}
}

// unitIn reads what a header, a cell of a row of units or a category's line says that its prices are for.
func unitIn(text string) priceUnit {
	lower := strings.ToLower(text)
	if percent.MatchString(lower) {
		return priceUnit{}
	}
	if strings.Contains(lower, "‰") {
		return priceUnit{pieces: 1000}
	}
	if m := perCount.FindStringSubmatch(lower); m != nil {
		if n, err := strconv.Atoi(m[1]); err == nil && n > 0 && !(n >= 1990 && n <= 2100) { // a year
			return priceUnit{pieces: n}
		}
	}
	for _, m := range perWord.FindAllStringSubmatch(lower, -1) {
		if m[1] == "gross" || m[1] == "gros" {
			return priceUnit{pieces: 144}
		}
		if u := unitOf(m[1]); u.known() && signOf(m[1]) == "" {
			return u
		}
	}
	for _, word := range strings.Fields(plain(text)) {
		if u := unitOf(word); u.pieces > 1 && !digits(word) || u.pack != "" && len(word) > 2 {
			return u
		}
		// Packungspreis, Kartonpreis, Stückpreis, Dutzendpreis
		for _, stem := range []string{"preis", "pris", "prijs"} {
			if before, found := strings.CutSuffix(word, stem); found && before != "" {
				if u := unitOf(strings.TrimSuffix(before, "s")); u.known() && u.measure == "" {
					return u
				}
				if u := unitOf(before); u.known() && u.measure == "" {
					return u
				}
			}
		}
	}
	if _, tier := tierOf(text); tier {
		return priceUnit{} // a price for a quantity, or for so many: asked
	}
	for _, word := range strings.Fields(plain(text)) {
		if oneWords[word] && !slices.Contains([]string{"set", "sets", "item", "kit", "nr", "un", "st", "pr"}, word) {
			return priceUnit{pieces: 1}
		}
	}
	return priceUnit{}
}

var minorWords = wordSet("cents pence penny pennies centimes centesimi centimos cent grosz grosze grosy rappen ore " +
	"kopeks eurocent eurocents agorot")

// inMinor tells whether a header says that its prices are in cents or pence.
func inMinor(text string) bool {
	lower := strings.ToLower(text)
	if percent.MatchString(lower) {
		return false
	}
	for _, w := range strings.FieldsFunc(lower, func(r rune) bool { return !unicode.IsLetter(r) && r != '¢' }) {
		if minorWords[plain(w)] || w == "¢" {
			return true
		}
	}
	return strings.Contains(lower, "(p)") || strings.Contains(lower, "(ct)")
}

var (
	tierRange = regexp.MustCompile(
		`(?:^|[\s(@])(\d{1,6})\s*(?:-|–|—|to|bis|à|a|\.\.)\s*(\d{1,6})(?:$|[\s).]|pcs|st|pc)`)
	tierFrom = regexp.MustCompile(
		`(?:^|[\s(@])(?:from|ab|à partir de|dès|desde|vanaf|da|från|od|ab|>=|≥|>|qty|menge|min\.?|q)\s*(\d{1,6})(?:$|` +
			`[\s)+.]|pcs|st|pc)`)
	tierPlus = regexp.MustCompile(
		`(?:^|[\s(@])(\d{1,6})\s*(?:\+|and more|or more|plus|u\.? ?mehr|et plus|up)(?:$|[\s)])`)
	tierTail = regexp.MustCompile(
		`^(?:price|preis|prix|precio|prijs|prezzo|unit price|net price|net|ek|cost)\s*@?\s*(\d{1,6})(?:\s*(?:pcs|stk|` +
			`st|ea|units|pieces|pc)\.?)?$`)
)

// tierOf is the least quantity that a price's header says it is for: "10-49", "from 100", "100+", "Price 10".
func tierOf(header string) (from int, ok bool) {
	lower := strings.ToLower(strings.Join(strings.Fields(header), " "))
	for _, re := range []*regexp.Regexp{tierRange, tierPlus, tierFrom, tierTail, countOf} {
		if m := re.FindStringSubmatch(lower); m != nil {
			n, err := strconv.Atoi(m[1])
			return n, err == nil && (n < 1990 || n > 2100)
		}
	}
	return 0, false
}

// words are a price unit for a person: "100 pieces", "a carton".
func (u priceUnit) words() string {
	switch {
	case u.pieces == 1:
		return "one piece"
	case u.pieces > 1:
		return fmt.Sprintf("%d pieces", u.pieces)
	case u.pack != "":
		return "a pack (“" + u.pack + "”)"
	}
	return "a " + u.measure
}

// Unit reads a code or a word for what a price buys: so many pieces, a package of an unknown number, or a measure
// such as "kilogram".
// All are empty for one that is not known.
func Unit(text string) (pieces int, pack bool, measure string) {
	u := unitOf(text)
	return u.pieces, u.pack != "", u.measure
}

// PriceOfOne reads plain decimal text that is a price for so many pieces. It is rounded once, half away from zero.
func PriceOfOne(text string, pieces int, c money.Currency) (money.Amount, error) {
	if pieces > 1 {
		var err error
		if text, err = divided(text, pieces, false, c); err != nil {
			return money.Amount{}, err
		}
	}
	return money.ParseRounded(text, c)
}
