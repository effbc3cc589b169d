package likeness

import (
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"
)

// numerals are number words up to twelve, as the languages of suppliers and shops have them. What is a common word of
// another meaning in English titles is left out.
var numerals = map[string]int{}

func init() {
	for n, words := range map[int]string{
		1: "one single ein eine einzeln un une uno uma een en ett jeden один",
		2: "two twin double pair pairs couple duo zwei paar doppelpack deux paire dos doble par duas dois due coppia " +
			"paio twee paar dwa dwie dwóch två два две пара",
		3:  "three triple trio drei trois tres três tre drie trzy trzech три",
		4:  "four quad vier quatre cuatro quatro quattro cztery fyra fire четыре",
		5:  "five fünf cinq cinco cinque vijf pięć fem пять",
		6:  "six sechs seis sei zes sześć sex шесть",
		7:  "seven sieben sept siete sete sette zeven siedem sju syv семь",
		8:  "eight acht huit ocho oito otto osiem åtta otte восемь",
		9:  "nine neun neuf nueve nove negen dziewięć nio ni девять",
		10: "ten zehn dix diez dez dieci tien dziesięć tio ti десять",
		11: "eleven elf onze once undici elva",
		12: "twelve dozen zwölf dutzend douze douzaine doce docena doze dúzia dodici dozzina twaalf dozijn dwanaście " +
			"tuzin tolv dussin двенадцать",
	} {
		for word := range strings.FieldsSeq(words) {
			numerals[word] = n
		}
	}
}

// set makes a set of words.
func set(text string) map[string]bool {
	words := map[string]bool{}
	for word := range strings.FieldsSeq(text) {
		words[word] = true
	}
	return words
}

var (
	// behind are words behind a number that counts pieces: 2 pcs, 12 count, 4er Set.
	behind = set(
		`pack packs pk pks pkt pkts pc pcs pce pces piece pieces count ct cnt unit units set sets er ers stück stk ` +
			`stck st teilig teiliges tlg packung packungen pièce pièces unité unités unidad unidades unid ud uds ` +
			`pieza piezas
		pz pzs pza pzas peça peças pç pçs pezzo pezzi confezioni stuks stuk szt sztuk sztuki kpl kappaletta styck ` +
			`stycken delar dele шт штук штуки предмета предметов adet parça`)
	// eastern counters follow a number without a space.
	eastern = strings.Fields(`個セット 個入 個 枚セット 枚入 枚 本セット 本入 点セット 件套 件 只装 只 个装 个 個裝 片装 片 包 개입 개 세트`)
	// ahead are words before a number: set 4, qty 4; containers are those before a link and a number: box of 12,
	// lot de 4.
	ahead      = set(`set pack pk qty quantity count multipack zestaw komplet opakowanie набор упаковка`)
	containers = set(
		`set sets pack packs pk pks box boxes case cases bag bundle lot lots carton tray tin packet package pair ` +
			`pairs satz jeu boîte paquet ensemble juego caja paquete lote conjunto kit caixa pacote confezione ` +
			`scatola pacco pak doos набор комплект`)
	links = set(`of von mit aus de da van из`)
	// severally are words that count by themselves.
	severally = map[string]int{"dozen": 12, "dutzend": 12, "douzaine": 12, "docena": 12, "dúzia": 12, "dozzina": 12,
		"dozijn": 12, "tuzin": 12, "dussin": 12, "pair": 2, "duo": 2, "trio": 3, "doppelpack": 2, "dreierpack": 3,
		"viererpack": 4, "sechserpack": 6}
	multiples = map[string]int{"twin": 2, "double": 2, "triple": 3, "quad": 4}
	halves    = set(`half halbes demi media`)
	// features are what "2 x" counts within one piece; inside what has pieces and is one.
	features = set(`zoom magnification magnifying magnifier optical faster speed stronger brighter longer usb hdmi ` +
		`aa ` +
		`aaa port ports speaker speakers battery batteries pockets hooks led fan`)
	inside = set(`puzzle jigsaw suit socket construction`)
)

// maxPack is the largest number of pieces that a title is believed.
const maxPack = 2000

// token is a number, a word or a sign of a title; glued to the one before it or not.
type token struct {
	text  string
	n     int // of a number, or a number word; 0 is none
	digit bool
	word  bool
	glued bool
}

// tokens cuts a text in lower case.
func tokens(text string, out []token) []token {
	glued := false
	for at := 0; at < len(text); {
		r, width := utf8.DecodeRuneInString(text[at:])
		end := at + width
		t := token{glued: glued}
		switch {
		case r >= '0' && r <= '9':
			for end < len(text) && text[end] >= '0' && text[end] <= '9' {
				end++
			}
			if t.digit = true; end-at <= 4 {
				t.n, _ = strconv.Atoi(text[at:end])
			}
		case unicode.IsLetter(r):
			for end < len(text) {
				r, width := utf8.DecodeRuneInString(text[end:])
				if !unicode.IsLetter(r) && !unicode.IsMark(r) {
					break
				}
				end += width
			}
			t.word, t.n = true, numerals[text[at:end]]
		case unicode.IsSpace(r):
			glued, at = false, end
			continue
		}
		t.text = text[at:end]
		out = append(out, t)
		glued, at = true, end
	}
	return out
}

// Packs are how many come together by a text, the words of a dozen languages read: "x2", "2-pack", "box of 12",
// "4er-Set", "dozen", "2 Stück", "3個セット". None is a single one, or not said. Dimensions, such as 20 x 30, are no
// counts, nor are the pieces of a puzzle.
func Packs(text string) (counts []int) {
	var room [48]token
	all := tokens(strings.ToLower(text), room[:0])
	at := func(i int) token {
		if i < 0 || i >= len(all) {
			return token{}
		}
		return all[i]
	}
	add := func(n int) {
		if n > 1 && n <= maxPack && !slices.Contains(counts, n) {
			counts = append(counts, n)
		}
	}
	for i, t := range all {
		if t.n > 0 && counted(at, i) {
			add(t.n)
		}
	}
	if len(counts) > 0 {
		return counts
	}
	for i, t := range all {
		n := severally[t.text]
		if m := multiples[t.text]; m > 0 && (at(i+1).text == "pack" || at(i+1).text == "-" && at(i+2).text == "pack") {
			n = m
		}
		if n == 12 && (halves[at(i-1).text] || (at(i-1).text == "a" || at(i-1).text == "-") && halves[at(i-2).text]) {
			n = 6
		}
		add(n)
	}
	return counts
}

// counted tells whether a number counts pieces.
func counted(at func(int) token, i int) bool {
	t, before, next := at(i), at(i-1), at(i+1)
	if before.glued && before.text == "-" && at(i-2).digit ||
		(t.glued && strings.Contains("./,", before.text) && before.text != "" && at(i-2).digit) {
		return false // a part of another number
	}
	cross := func(t token) bool { return t.text == "x" || t.text == "×" }
	// x2, x 2; not 20 x 30.
	if cross(before) {
		return t.digit && !at(i-2).digit && (!t.glued || t.n < 100) && !(before.glued && at(i-2).word) &&
			!(next.glued && next.word) && !decimal(at, i)
	}
	// 2x, 2 x mug; not 2 x 3, 2x zoom.
	if t.digit && cross(next) && !(next.glued && at(i+2).glued && at(i+2).word) {
		after := at(i + 2)
		return !after.digit && !features[after.text]
	}
	// 2 pcs, 2-pack, 2er-Set.
	k := i + 1
	if at(k).text == "-" {
		k++
	}
	if w := at(k); w.word {
		switch {
		case w.text == "er" || w.text == "ers":
			return at(k).glued && t.digit
		case w.text == "piece" && inside[at(k+1).text] || (w.text == "teilig" || w.text == "teiliges") &&
			inside[at(k+1).text]:
			return false
		case behind[w.text]:
			return true
		}
		for _, counter := range eastern {
			if strings.HasPrefix(w.text, counter) {
				return true
			}
		}
	}
	if decimal(at, i) || (next.glued && next.word) {
		return false
	}
	// box of 12, set 4, qty: 4.
	k = i - 1
	for k >= 0 && (at(k).text == ":" || at(k).text == "(" || at(k).text == "-") {
		k--
	}
	if links[at(k).text] {
		if k--; at(k).text == "-" {
			k--
		}
		return containers[at(k).text]
	}
	return ahead[at(k).text]
}

// decimal tells whether a number goes on behind a point or comma.
func decimal(at func(int) token, i int) bool {
	point, rest := at(i+1), at(i+2)
	return point.glued && (point.text == "." || point.text == ",") && rest.glued && rest.digit
}
