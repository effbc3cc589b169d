package terms

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/cases"
	"golang.org/x/text/unicode/norm"
)

func cut(text string) string {
	var out []string
	var c Cutter
	c.Cut(text, func(term []byte, also bool) {
		if also {
			out[len(out)-1] += "|" + string(term)
		} else {
			out = append(out, string(term))
		}
	})
	return strings.Join(out, " ")
}

func TestCut(t *testing.T) {
	for text, want := range map[string]string{
		"USB C T shirt Wi Fi a mug":              "usb c|usbc t shirt|tshirt wi fi|wifi a mug",
		"2026 NEW Hot-Sale!! Mugs, GLASS ★ Café": "2026 new hot sale|hotsale mugs glass café",
		"Wi-Fi USB-C T-shirt men's B&B":          "wi fi|wifi usb c|usbc t shirt|tshirt men s|mens b b|bb",
		"350ml":                                  "350ml|350|=volume:350000000",
		"350 ml":                                 "350 ml|=volume:350000000",
		"X-200 x200 0.35":                        "x 200|x200 x200 0 35",
		"QB-100001 20-30":                        "qb 100001 20 30",
		"all-in-one":                             "all in|allin one|allinone|inone",
		"Creme Bru\u0302le\u0301e":               "creme brûlée",
		"ＦＵＬＬ ﬁt ½":                              "full fit 1 2",
		"不锈钢杯 iPhone手机":                          "不 锈 钢 杯 iphone 手 机",
		"แก้วน้ำ":                                "แ ก้ ว น้ํ า",
		"कॉफ़ी मग":                               "कॉफ़ी मग",
		"":                                       "",
	} {
		if got := cut(text); got != norm.NFKC.String(want) {
			t.Errorf("%q: %q, want %q", text, got, want)
		}
	}
}

func TestFold(t *testing.T) {
	for word, want := range map[string]string{"crème": "creme", "brûlée": "brulee", "naïve": "naive",
		"straße": "strasse", "smørrebrød": "smorrebrod", "łódź": "lodz", "œuf": "oeuf", "mug": "mug", "ёлка": "елка",
		"がま": "がま", "कॉफी": "कॉफी", "한글": "한글", "σας": "σασ"} {
		if got := Fold(norm.NFC.String(word)); got != norm.NFC.String(want) {
			t.Errorf("%s: %s, want %s", word, got, want)
		}
		if got := Fold(norm.NFC.String(norm.NFD.String(word))); got != norm.NFC.String(want) {
			t.Errorf("%s taken apart: %s", word, got)
		}
	}
}

func TestCode(t *testing.T) {
	for text, want := range map[string]string{"QB-100001": "qb100001", "4 006381 333931": "4006381333931",
		"04006381333931": "4006381333931", "a-1": "", "": "", "x200": "x200"} {
		if got := Code(text); got != want {
			t.Errorf("%q: %q", text, got)
		}
	}
}

// Snowball's published vocabulary for English and its stems, as the stemmer's package ships them.
func TestStemsAgreeWithSnowballsVocabulary(t *testing.T) {
	dir, err := exec.Command("go", "list", "-m", "-f", "{{.Dir}}", "github.com/kljensen/snowball").Output()
	if err != nil {
		t.Fatal(err)
	}
	content, err := os.ReadFile(filepath.Join(strings.TrimSpace(string(dir)), "english_vocab", "vocab_test.go"))
	if err != nil {
		t.Fatal(err)
	}
	n := 0
	for _, pair := range regexp.MustCompile(`\{"([a-z]+)", "([a-z]+)"\}`).FindAllSubmatch(content, -1) {
		if n++; Stem(string(pair[1])) != string(pair[2]) {
			t.Errorf("%s: %s, published %s", pair[1], Stem(string(pair[1])), pair[2])
		}
	}
	if n < 20_000 {
		t.Errorf("only %d words were compared", n)
	}
}

func TestSpellings(t *testing.T) {
	for a, b := range map[string]string{"colour": "color", "colours": "colors", "aluminium": "aluminum",
		"organiser": "organizer", "fibre": "fiber", "litres": "liters", "enamelled": "enameled", "woollen": "woolen",
		"tyres": "tires", "grey": "gray",
		"knife": "knives", "leaf": "leaves", "shelf": "shelves", "woman": "women", "mouse": "mice",
		"favourite": "favorite"} {
		if !slices.Contains(Spellings(a), b) || !slices.Contains(Spellings(b), a) {
			t.Errorf("%s and %s: %v and %v", a, b, Spellings(a), Spellings(b))
		}
	}
	if !slices.Contains(Spellings("muesli"), "musli") || !slices.Contains(Spellings("müsli"), "muesli") {
		t.Error(Spellings("muesli"), Spellings("müsli"))
	}
	if got := Spellings("mug"); len(got) > 0 {
		t.Error(got)
	}
}

func said(q Query) string {
	need := func(n Need) string {
		var all []string
		for _, a := range n.Alternatives {
			all = append(all, []string{"", "whole ", "exactly ", "phrase ", "all ", "any "}[a.Match]+
				strings.Join(a.Terms, "+"))
		}
		return strings.Join(all, "/")
	}
	var out []string
	for _, n := range q.Needs {
		out = append(out, need(n))
	}
	for _, n := range q.Without {
		out = append(out, "-"+need(n))
	}
	for _, o := range q.Ordinary {
		out = append(out, "("+o+")")
	}
	for _, u := range q.Unread {
		out = append(out, "?"+u)
	}
	return strings.Join(out, ", ")
}

func TestParse(t *testing.T) {
	synonyms := Synonyms{{"cup", "mug"}, {"power bank", "portable charger"}}
	for typed, want := range map[string]string{
		"the kettle":         "kettle/whole thekettle, (the)",
		"the":                "the",
		"mugs & cups":        "mugs/whole mugscups/whole cup, cups/whole mugscups/whole mug",
		"cup -red":           "cup/whole mug, -whole red",
		`-"hot sale" mug-`:   "mug/whole cup, -phrase hot+sale",
		`"enamel mug" steel`: "phrase enamel+mug, steel",
		`mug "red`:           `mug/whole cup, phrase red, ?"`,
		"kettle 2 l":         "kettle, any =volume:2000000000",
		"350ml lid":          "any =volume:350000000, lid",
		"20x30 cm tray":      "any =length:200000, any =length:300000, tray",
		"Wi-Fi router":       "phrase wi+fi/all wi+fi/wifi, router",
		"x200 lamp":          "x200/phrase x+200/whole x200lamp, lamp/whole x200lamp",
		"tea pot":            "tea/whole teapot, pot/whole teapot",
		"vitamin c x":        "vitamin/whole vitaminc, whole c/whole vitaminc/whole cx, x/whole cx",
		"不锈钢 杯":              "phrase 不+锈+钢, 杯",
		"power banks": "power/whole powerbanks/phrase portable+charger, banks/whole powerbanks/phrase " +
			"portable+charger",
		"mug OR cup *":          "mug/whole mugor/whole cup, cup/whole orcup/whole mug, (or), ?OR, ?*",
		"mug - lid $20":         "mug/whole muglid/whole cup, lid/whole muglid/whole lid20, 20/whole lid20, ?-, ?$",
		"★":                     "?★",
		"":                      "",
		"4 006381 333931":       "whole 4, 006381, 333931",
		"stainless-steel/350ml": "phrase stainless+steel/all stainless+steel/stainlesssteel, any =volume:350000000",
	} {
		if got := said(Parse(typed, synonyms)); got != want {
			t.Errorf("%q: %s, want %s", typed, got, want)
		}
	}
	if got := Parse("4 006381 333931", nil); got.Code != "4006381333931" {
		t.Errorf("%+v", got)
	}
	if got := Parse("350 m", nil).Needs[0].Completions; !slices.Contains(got, "=volume:350000000") ||
		slices.Contains(got, "=length:350000000") {
		t.Errorf("a unit that is not typed to its end: %v", got)
	}
}

func TestMetBy(t *testing.T) {
	for _, c := range []struct {
		typed, text string
		met         bool
	}{{"plum", "Plum", true}, {"plums", "Plum · 350 ml", true}, {"2 l", "2L", true}, {"2 l", "2 Pack", false},
		{"15cm", "150 mm", true}, {"creme", "Crème", true}, {"colour", "Color: red", true},
		{`"deep red"`, "red deep", false}, {`"deep red"`, "Deep red", true}, {"wifi", "Wi-Fi", true}} {
		if n := Parse(c.typed, nil).Needs; n[0].MetBy(TextOf(c.text)) != c.met {
			t.Errorf("%s in %s: %v", c.typed, c.text, !c.met)
		}
	}
}

// What is typed as it stands in a text is met by it, for anything that can be typed.
func FuzzParse(f *testing.F) {
	f.Add(`mug -"red lid" 2 l Wi-Fi ★ "x`)
	f.Add("2026 NEW Hot-Sale!! Mugs, GLASS 350ml \xff\xfeİs ﬀ ẞs 不锈钢 แก้ว ½\"")
	f.Fuzz(func(t *testing.T, typed string) {
		q := Parse(typed, Synonyms{{"cup", "mug"}})
		text := TextOf(typed)
		for _, n := range append(q.Needs, q.Without...) {
			if len(n.Alternatives) == 0 {
				t.Fatalf("%q: %+v", typed, n)
			}
			if utf8.ValidString(typed) && !n.MetBy(text) {
				t.Fatalf("%q does not meet %+v: %v", typed, n, text)
			}
		}
	})
}

func ExampleParse() {
	for _, n := range Parse(`the kettle 2 l -"hot sale"`, nil).Needs {
		fmt.Println(n.Typed, n.Alternatives[0].Terms)
	}
	// Output:
	// kettle [kettle]
	// 2 l [=volume:2000000000]
}

// Unicode's published normalisation data, as golang.org/x/text ships it for its own tests: a character and its
// decomposition are cut into the same terms. And its case folding, by the same module.
func TestNormalisationAndFoldingAreUnicodes(t *testing.T) {
	dir, err := exec.Command("go", "list", "-m", "-f", "{{.Dir}}", "golang.org/x/text").Output()
	if err != nil {
		t.Fatal(err)
	}
	content, err := os.ReadFile(filepath.Join(strings.TrimSpace(string(dir)), "unicode", "norm", "data15.0.0_test.go"))
	if err != nil {
		t.Fatal(err)
	}
	compared := 0
	for _, line := range regexp.MustCompile(`\{(0x[0-9a-f]+), \d+, \d+, \d+, [fg]\([^"]*("(?:[^"\\]|\\.)*")`).
		FindAllSubmatch(content, -1) {
		r, err := strconv.ParseInt(string(line[1]), 0, 32)
		if err != nil {
			t.Fatal(err)
		}
		apart, err := strconv.Unquote(string(line[2]))
		if err != nil {
			t.Fatal(err)
		}
		if apart == "" {
			continue
		}
		if compared++; !slices.Equal(Of("x"+string(rune(r))), Of("x"+apart)) {
			t.Errorf("%U: %q, taken apart %q", r, Of("x"+string(rune(r))), Of("x"+apart))
		}
	}
	if compared < 1000 {
		t.Errorf("only %d characters were compared", compared)
	}
	fold := cases.Fold()
	folded := func(text string) (out []string) {
		for _, term := range Of(text) {
			out = append(out, Fold(term))
		}
		return out
	}
	for r := rune(1); r < 0x3000; r++ {
		// An iota below a letter is an accent here; the letters of old Church books are no others' here.
		if (r >= 0x1f80 && r <= 0x1fff) || (r >= 0x1c80 && r <= 0x1c8f) {
			continue
		}
		if a, b := folded(string(r)), folded(fold.String(string(r))); unicode.IsLetter(r) && r != 'İ' &&
			!slices.Equal(a, b) {
			t.Errorf("%U %c: %q, case folded %q", r, r, a, b)
		}
	}
}
