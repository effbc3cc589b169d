package likeness

import (
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode"
)

// numerals are number words up to twelve, as the languages of suppliers and shops have them. What is a common word of
// another meaning in English titles is left out.
var numerals = map[string]int{}

func init() {
	for n, words := range map[int]string{
		1:  "one single ein eine einzeln un une uno uma een en ett jeden один",
		2:  "two twin double pair pairs couple duo zwei paar doppelpack deux paire dos doble par duas dois due coppia paio twee paar dwa dwie dwóch två два две пара",
		3:  "three triple trio drei trois tres três tre drie trzy trzech три",
		4:  "four quad vier quatre cuatro quatro quattro cztery fyra fire четыре",
		5:  "five fünf cinq cinco cinque vijf pięć fem пять",
		6:  "six sechs seis sei zes sześć sex шесть",
		7:  "seven sieben sept siete sete sette zeven siedem sju syv семь",
		8:  "eight acht huit ocho oito otto osiem åtta otte восемь",
		9:  "nine neun neuf nueve nove negen dziewięć nio ni девять",
		10: "ten zehn dix diez dez dieci tien dziesięć tio ti десять",
		11: "eleven elf onze once undici elva",
		12: "twelve dozen zwölf dutzend douze douzaine doce docena doze dúzia dodici dozzina twaalf dozijn dwanaście tuzin tolv dussin двенадцать",
	} {
		for word := range strings.FieldsSeq(words) {
			numerals[word] = n
		}
	}
}

// What stands behind a number that counts pieces: 2 pcs, 12 count, 4er Set, 3個セット.
const behind = `packs?|pks?|pkts?|pc|pcs|pcs|pces?|pieces?|piece|count|ct|cnt|units?|sets?|er|ers|er[ -]?sets?|er[ -]?packs?|er[ -]?packung|stück|stk|stck|st|teilig|teiliges|tlg|packungen|pièces?|pcs?|unités?|unidades|unid|uds?|piezas?|pzs?|pzas?|peças?|pçs|pezzi|pz|confezioni|stuks|stuk|szt|sztuk|sztuki|kpl|kappaletta|styck|stycken|delar|dele|stk|шт|штук|штуки|предмета|предметов|adet|parça|個セット|個入り?|個|枚セット|枚入り?|枚|本セット|本入り|点セット|件套|件|只装|只|个装|个|個裝|片装|片|包|开|개입|개|세트|pack of`

// What stands before one: set of 3, box of 12, 4 pcs is behind; Lot de 4, Set da 4, zestaw 4.
const before = `sets? of|packs? of|pks? of|box(?:es)? of|case of|cases of|bag of|bundle of|lot of|lots of|carton of|tray of|tin of|packet of|package of|pairs? of|set von|set mit|set aus|satz von|pack mit|lot de|lots de|jeu de|boîte de|paquet de|ensemble de|pack de|juego de|set de|caja de|paquete de|lote de|conjunto de|kit de|caixa de|pacote de|confezione da|set da|scatola da|pacco da|set van|pak van|doos van|zestaw|komplet|opakowanie|набор из|комплект из|упаковка|набор|multipack|value pack|quantity|count|pack|set|qty|pk`

var (
	number     = `(\d{1,4}|[\p{L}]{2,12})`
	countAfter = regexp.MustCompile(`(?:^|[^\p{L}\d.,/×*-])` + number + `[ -]?(?:` + behind + `)(?:[^\p{L}]|$)`)
	countGlued = regexp.MustCompile(`(\d{1,4})\s?(個セット|個入り?|個|枚セット|枚入り?|枚|本セット|本入り|点セット|件套|只装|只|个装|个|個裝|片装|片|개입|개|세트)`)
	countAhead = regexp.MustCompile(`(?:^|[^\p{L}\d])(?:` + before + `)[ :(-]{0,2}` + number + `[.,;]?(?:[^\p{L}\d.,]|$)`)
	timesAfter = regexp.MustCompile(`(?:^|[^\d\s] +|[^\d\s\p{L}])[x×](?: (\d{1,3})|(\d{1,2}))[.,;]?(?:[^\p{L}\d.,]|$)`)
	timesAhead = regexp.MustCompile(`(?:^|[^\p{L}\d.,])(\d{1,3}) ?[x×] ?(\p{L}[\p{L}]*)?`)
	alone      = regexp.MustCompile(`(?:^|[^\p{L}])(half[ -]a?[ -]?dozen|halbes dutzend|demi-douzaine|media docena|(?:twin|double|triple|quad|duo|trio)[ -]?(?:pack|set)?|doppelpack|dreierpack|viererpack|sechserpack|a pair|pair|dozen|dutzend|douzaine|docena|dúzia|dozzina|dozijn|tuzin|dussin)(?:[^\p{L}]|$)`)
	severally  = map[string]int{"doppelpack": 2, "dreierpack": 3, "viererpack": 4, "sechserpack": 6}
)

// features are what "2 x" counts within one piece.
var features = []string{"zoom", "magnification", "magnifying", "magnifier", "optical", "faster", "speed", "stronger", "brighter", "longer", "usb", "hdmi", "aa", "aaa", "port", "ports", "speaker", "speakers", "battery", "batteries", "pockets", "hooks", "led", "fan"}

// inside are words behind which a number of pieces is what one item has, not how many come together.
var inside = regexp.MustCompile(`(?:\d+|[\p{L}]+)[ -]?(?:piece|teilig|teiliges|tlg)[ -]?(?:puzzle|jigsaw|suit|socket|construction|lego)`)

// maxPack is the largest number of pieces that a title is believed.
const maxPack = 2000

// Packs are how many come together by a text, the words of a dozen languages read: "x2", "2-pack", "box of 12", "4er-Set",
// "dozen", "2 Stück", "3個セット". None is a single one, or not said. Dimensions, such as 20 x 30, are no counts, nor are
// the pieces of a puzzle.
func Packs(text string) (counts []int) {
	text = inside.ReplaceAllString(strings.ToLower(strings.ReplaceAll(text, "\u00a0", " ")), " ")
	add := func(n int) {
		if n > 1 && n <= maxPack && !slices.Contains(counts, n) {
			counts = append(counts, n)
		}
	}
	read := func(word string) int {
		if n, err := strconv.Atoi(word); err == nil {
			return n
		}
		return numerals[word]
	}
	for _, m := range overlapping(countAfter, text) {
		add(read(m[1]))
	}
	for _, m := range countGlued.FindAllStringSubmatch(text, -1) {
		add(read(m[1]))
	}
	for _, m := range overlapping(countAhead, text) {
		add(read(m[1]))
	}
	for _, m := range overlapping(timesAfter, text) {
		add(read(m[1] + m[2]))
	}
	for _, m := range overlapping(timesAhead, text) {
		if m[2] != "" && !slices.Contains(features, m[2]) { // 2 x mug; "20 x 30" has a number there
			add(read(m[1]))
		} else if m[2] == "" && endsWith(text, m[0]) {
			add(read(m[1]))
		}
	}
	if len(counts) > 0 {
		return counts
	}
	for _, m := range overlapping(alone, text) {
		words := strings.FieldsFunc(m[1], func(r rune) bool { return !unicode.IsLetter(r) })
		switch {
		case strings.HasPrefix(m[1], "half") || strings.HasPrefix(m[1], "halbes") || strings.HasPrefix(m[1], "demi") || strings.HasPrefix(m[1], "media"):
			add(6)
		case severally[words[0]] > 0:
			add(severally[words[0]])
		default:
			for _, w := range words {
				add(numerals[w])
			}
		}
	}
	return counts
}

// overlapping are all matches, those too that begin within the last sign of the one before.
func overlapping(pattern *regexp.Regexp, text string) (all [][]string) {
	for len(text) > 0 {
		at := pattern.FindStringSubmatchIndex(text)
		if at == nil {
			return all
		}
		m := make([]string, len(at)/2)
		for i := range m {
			if at[2*i] >= 0 {
				m[i] = text[at[2*i]:at[2*i+1]]
			}
		}
		all = append(all, m)
		text = text[max(at[3], at[1]-1, 1):]
	}
	return all
}

func endsWith(text, part string) bool {
	return strings.HasSuffix(strings.TrimSpace(text), strings.TrimSpace(part))
}
