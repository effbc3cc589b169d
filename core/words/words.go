// Package words tidies the titles and descriptions that suppliers write, fills in patterns, and tells how much of a
// text is still somebody else's wording. Nothing is changed here: every change is a Part that a person sees, and
// accepts or drops.
package words

import (
	"slices"
	"strings"
	"unicode"

	"github.com/rivo/uniseg"
	"golang.org/x/text/unicode/norm"
)

// Part is a piece of a text: the pieces of a text, one after another, are the text. Where Reason is set, To is proposed
// in its place; empty takes it out.
type Part struct {
	Text   string `json:"text"`
	To     string `json:"to"`
	Reason Reason `json:"reason" enum:",decoration,noise,repeated,shouted,too_long,contact,claim,table,empty"`
}

// Reason is why a part is changed; empty is that it stays.
type Reason string

// The reasons.
const (
	Decoration Reason = "decoration"
	Noise      Reason = "noise"
	Repeated   Reason = "repeated"
	Shouted    Reason = "shouted"
	TooLong    Reason = "too_long"
	Contact    Reason = "contact"
	Claim      Reason = "claim"
	Table      Reason = "table"
	Empty      Reason = "empty"
)

// Compose is a text with the changes of all its parts but those whose index is left out.
func Compose(parts []Part, leftOut func(index int) bool) string {
	var out strings.Builder
	for i, p := range parts {
		if p.Reason == "" || leftOut != nil && leftOut(i) {
			out.WriteString(p.Text)
		} else {
			out.WriteString(p.To)
		}
	}
	return out.String()
}

// Changes counts the parts that would change.
func Changes(parts []Part) (n int) {
	for _, p := range parts {
		if p.Reason != "" {
			n++
		}
	}
	return n
}

// Length is how long a text is for a reader: its extended grapheme clusters, as Unicode Standard Annex 29 counts them.
func Length(text string) int { return uniseg.GraphemeClusterCount(text) }

// Rules are the seller's own lists.
type Rules struct {
	// Noise are words and phrases that titles are better without; letter case does not matter.
	Noise []string `json:"noise" maxItems:"1000"`
	// Exceptions are words that are written just so, in capitals for instance: model names, materials.
	Exceptions []string `json:"exceptions" maxItems:"1000"`
	// Limit is how long a tidied title may be, in grapheme clusters; 0 is no limit.
	Limit int `json:"limit" minimum:"0" maximum:"500"`
}

// Standard are the lists as they are before the seller edits them. From common practice: what supplier titles are
// stuffed with, and what is written in capitals.
func Standard() Rules {
	return Rules{Limit: 80, Noise: []string{
		"100% brand new", "100% new", "24h shipping", "best choice", "best price", "best quality",
		"best seller", "best selling", "big discount", "big sale", "brand new", "cheap", "clearance",
		"discount", "drop ship", "drop shipping", "dropship", "dropship ok", "dropshipping",
		"factory direct", "factory price", "factory sale", "fast delivery", "fast shipping",
		"free delivery", "free postage", "free shipping", "high quality", "hot", "hot sale", "hot sales",
		"hot selling", "hot sell", "in stock", "limited offer", "lowest price", "new", "new arrival",
		"new arrivals", "new style", "newest", "on sale", "promotion", "quality guarantee", "ready stock",
		"sale", "special offer", "super sale", "top quality", "top seller", "top selling", "trending",
		"wholesale", "with free shipping",
	}, Exceptions: strings.Fields(`3D 4K ABS AC AI BPA CD CNC DC DIY DVD EU EVA FM GB GPS HD HDMI HDPE HEPA IP IPX7 IPX8
		LCD LED MDF NFC OLED PC PE PET PLA POE PP PTFE PU PVC QR RGB RV SD SPF SSD TB TPE TPU
		TV UHD UK US USA USB USB-C UV VR XL XXL XXXL`)}
}

// small are words that stand small inside a title in capitals: English practice, as The Chicago Manual of Style has it.
var small = setOf(`a an and as at but by for from in into of off on or per the to with`)

// units are measures that stand as they are written, after a number or alone.
var units = setOf(`mm cm m km ml cl l g kg mg oz lb lbs ft in inch w kw v mv a ma mah wh hz khz mhz ghz db rpm psi
	bar pcs pc`)

func setOf(list string) map[string]bool {
	out := map[string]bool{}
	for _, w := range strings.Fields(list) {
		out[w] = true
	}
	return out
}

// token is a word of a title with what stands around it, without the spaces.
type token struct {
	text             string
	from, to         int // in the title
	before, core, at string
}

// TidyTitle proposes what to change in a title: decoration and emoji out, noise words out, what was said before out,
// shouting to title case, and what is over the limit out, at the end of a word. The parts are those of the title in
// Unicode NFC.
func TidyTitle(title string, r Rules) []Part {
	title = norm.NFC.String(title)
	tokens := tokensOf(title)
	states := make([]Part, len(tokens))
	for i, t := range tokens {
		states[i] = Part{Text: t.text, To: t.text}
		if plain := t.before + t.core + t.at; plain != t.text {
			states[i].To, states[i].Reason = plain, Decoration
		}
	}
	takeOutNoise(tokens, states, r)
	for takeOutRepeated(tokens, states) { // what went may have parted a phrase
		takeOutNoise(tokens, states, r)
	}
	tidyEnds(states)
	cutAt(states, r.Limit)
	lowerShouting(tokens, states, r)
	var parts []Part
	at := 0
	for i, t := range tokens {
		p := states[i]
		// A word and the space before it stand or go together.
		gap, one := title[at:t.from], " "
		if i == 0 {
			one = ""
		}
		p.Text = gap + p.Text
		if p.To != "" {
			p.To = one + p.To
		}
		if p.Reason == "" && gap != one {
			p.Reason = Empty
		}
		parts, at = append(parts, p), t.to
	}
	if rest := title[at:]; rest != "" {
		parts = append(parts, Part{Text: rest, Reason: Empty})
	}
	return parts
}

// decorative are runes that are drawn, not read: symbols and emoji, and brackets and bars that frame words.
func decorative(r rune) bool {
	switch {
	case r == '°' || r == '™' || r == '®' || r == '©':
		return r != '°'
	case unicode.Is(unicode.So, r), unicode.Is(unicode.Co, r), unicode.Is(unicode.Cf, r):
		return true
	case r >= 0xFE00 && r <= 0xFE0F: // variation selectors
		return true
	case unicode.Is(unicode.Sk, r) && r != '´' && r != '`':
		return true
	}
	return strings.ContainsRune("【】〖〗《》「」『』〔〕|¦~*^_=<>•·●◆■□▪★☆", r)
}

// tokensOf splits a title at spaces, and each word into what stands before and behind it. Decoration is in the text
// and in none of the three.
func tokensOf(title string) []token {
	var out []token
	from := -1
	for i, r := range title + " " {
		if unicode.IsSpace(r) {
			if from >= 0 {
				out = append(out, tokenOf(title[from:i], from))
				from = -1
			}
		} else if from < 0 {
			from = i
		}
	}
	return out
}

func tokenOf(text string, from int) token {
	plain := strings.Map(func(r rune) rune {
		if decorative(r) {
			return -1
		}
		return r
	}, text)
	plain = calm(plain)
	isWord := func(r rune) bool {
		return unicode.IsLetter(r) || unicode.IsDigit(r) || unicode.IsMark(r)
	}
	first := strings.IndexFunc(plain, isWord)
	t := token{text: text, from: from, to: from + len(text)}
	if first < 0 { // punctuation alone: a dash or an ampersand between words stands, the rest is decoration
		if slices.Contains([]string{"-", "–", "—", "&", "+", "/", ","}, plain) {
			t.at = plain
		}
		return t
	}
	last := strings.LastIndexFunc(plain, func(r rune) bool {
		return isWord(r) || strings.ContainsRune(`)%"”″'’′°`, r)
	})
	size := len(string([]rune(plain[last:])[0]))
	t.before, t.core, t.at = plain[:first], plain[first:last+size], plain[last+size:]
	return t
}

// calm has of repeated marks of exclamation none, and of other repeated punctuation one.
func calm(text string) string {
	var out strings.Builder
	var before rune
	for _, r := range text {
		if r == '!' || r == '！' || (r == before && strings.ContainsRune(",.;:?-", r)) {
			continue
		}
		out.WriteRune(r)
		before = r
	}
	return out.String()
}

func fold(s string) string { return strings.ToLower(strings.Trim(s, `()[]"'“”‘’,.;:!?`)) }

// takeOutNoise takes out the longest phrases of the list that stand in the title, and years beside them or in front.
func takeOutNoise(tokens []token, states []Part, r Rules) {
	phrases := map[string]bool{}
	longest := 0
	for _, phrase := range r.Noise {
		words := strings.Fields(strings.ToLower(norm.NFC.String(phrase)))
		phrases[strings.Join(words, " ")] = true
		longest = max(longest, len(words))
	}
	exception := exceptions(r)
	for again := true; again; { // what went may have parted a phrase
		again = false
		var left []int // the words that stand
		for i := range tokens {
			if states[i].To != "" && tokens[i].core != "" {
				left = append(left, i)
			}
		}
		take := func(from, n int) {
			for _, i := range left[from : from+n] {
				states[i].To, states[i].Reason = "", Noise
			}
			again = true
		}
		noisy := func(k int) bool { return k >= 0 && k < len(left) && states[left[k]].Reason == Noise }
		for k := 0; k < len(left); k++ {
			for n := min(longest, len(left)-k); n > 0; n-- {
				words := make([]string, n)
				for w := range words {
					words[w] = fold(tokens[left[k+w]].core)
				}
				if phrases[strings.Join(words, " ")] && (n > 1 || exception[words[0]] != tokens[left[k]].core) {
					take(k, n)
					k += n - 1
					break
				}
			}
		}
		for k, i := range left {
			if states[i].To != "" && year(tokens[i].core) && (k == 0 || noisy(k-1) || noisy(k+1)) {
				take(k, 1)
			}
		}
	}
}

// year tells whether a word is a year of this time, such as titles boast of.
func year(word string) bool {
	return len(word) == 4 && strings.HasPrefix(word, "20") && word[2] >= '1' && word[2] <= '3' &&
		word[3] >= '0' && word[3] <= '9'
}

// takeOutRepeated takes out words that stand in the title already, in the same form or with an s behind it.
func takeOutRepeated(tokens []token, states []Part) (any bool) {
	seen := map[string]bool{}
	for i, t := range tokens {
		word := fold(t.core)
		if states[i].To == "" || len([]rune(word)) < 3 || small[word] || units[word] ||
			strings.IndexFunc(word, unicode.IsDigit) >= 0 {
			continue
		}
		stem := strings.TrimSuffix(word, "s")
		if seen[stem] {
			states[i].To, states[i].Reason = "", Repeated
			any = true
			continue
		}
		seen[stem] = true
	}
	return any
}

func exceptions(r Rules) map[string]string {
	out := map[string]string{}
	for _, word := range r.Exceptions {
		out[strings.ToLower(word)] = word
	}
	return out
}

// lowerShouting writes words in capitals as titles have them. Short ones beside words in small letters are taken for
// abbreviations; words with digits are model numbers, and stay.
func lowerShouting(tokens []token, states []Part, r Rules) {
	exception := exceptions(r)
	loud, letters := 0, 0
	for i, t := range tokens {
		if states[i].To == "" {
			continue
		}
		for _, c := range t.core {
			if unicode.IsLetter(c) {
				letters++
				if unicode.IsUpper(c) {
					loud++
				}
			}
		}
	}
	shouted := loud*10 > letters*6 // most of it is in capitals
	first := true
	for i, t := range tokens {
		if states[i].To == "" {
			continue
		}
		opens := first
		first = false
		word := t.core
		if exact, is := exception[fold(word)]; is {
			if fold(word) == strings.ToLower(word) && exact != word && shout(word) {
				states[i].To, states[i].Reason = strings.Replace(states[i].To, word, exact, 1), Shouted
			}
			continue
		}
		if !shout(word) || units[strings.ToLower(word)] && i > 0 && endsInDigit(tokens[i-1].core) {
			continue
		}
		if len([]rune(word)) <= 3 && !shouted {
			continue
		}
		lower := strings.ToLower(word)
		if opens || !small[lower] {
			lower = titleCase(lower)
		}
		if to := strings.Replace(states[i].To, word, lower, 1); to != states[i].To {
			states[i].To, states[i].Reason = to, Shouted
		}
	}
}

func endsInDigit(word string) bool {
	return word != "" && word[len(word)-1] >= '0' && word[len(word)-1] <= '9'
}

// shout tells whether a word is written in capitals: two letters and more, no digit.
func shout(word string) bool {
	n := 0
	for _, c := range word {
		switch {
		case unicode.IsDigit(c) || unicode.IsLower(c):
			return false
		case unicode.IsUpper(c):
			n++
		}
	}
	return n >= 2
}

// titleCase has the first letter of a word large, and of each of its parts that a hyphen joins.
func titleCase(word string) string {
	out := []rune(word)
	begins := true
	for i, c := range out {
		if begins && unicode.IsLetter(c) {
			out[i] = unicode.ToTitle(c)
			begins = false
		}
		if c == '-' || c == '/' || c == '(' {
			begins = true
		}
	}
	return string(out)
}

// tidyEnds takes out punctuation that stands first or last, or twice, and a last "with" or "for", now that words beside
// it went.
func tidyEnds(states []Part) {
	bare := func(i int) bool { return strings.Trim(states[i].To, "-–—&+/,;:. ") == "" }
	take := func(i int) {
		if states[i].To != "" {
			states[i].To = ""
			if states[i].Reason == "" {
				states[i].Reason = Decoration
			}
		}
	}
	word := false // whether the last that stands is a word
	last := -1
	for i := range states {
		if states[i].To == "" {
			continue
		}
		if !bare(i) {
			word, last = true, i
			continue
		}
		if !word {
			take(i)
		}
		word = false
	}
	for i := last + 1; i < len(states); i++ {
		take(i)
	}
	for ; last >= 0 && last < len(states)-1; last-- {
		if states[last].To == "" || bare(last) {
			take(last)
		} else if small[strings.ToLower(states[last].To)] {
			states[last].To, states[last].Reason = "", Empty
		} else {
			break
		}
	}
	if last >= 0 {
		if to := strings.TrimRight(states[last].To, ",;:-–—&+/ "); to != states[last].To {
			states[last].To = to
			if states[last].Reason == "" {
				states[last].Reason = Decoration
			}
		}
	}
}

// cutAt takes out the words that would make the title longer than limit; the first stays whatever its length.
func cutAt(states []Part, limit int) {
	if limit <= 0 {
		return
	}
	length, over := 0, false
	for i := range states {
		if states[i].To == "" {
			continue
		}
		n := Length(states[i].To)
		if length > 0 {
			n++ // the space before it
		}
		if over = over || length > 0 && length+n > limit; over {
			states[i].To, states[i].Reason = "", TooLong
			continue
		}
		length += n
	}
	tidyEnds(states)
}
