package words_test

import (
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"
	"unicode"

	"golang.org/x/text/unicode/norm"

	"plainpelican/core/words"
)

func tidied(title string) string {
	return strings.TrimSpace(words.Compose(words.TidyTitle(title, words.Standard()), nil))
}

func TestTidyTitle(t *testing.T) {
	for _, c := range []struct{ name, title, want string }{
		{"as job.md has it", "2026 NEW hot sale free shipping Enamel Mug", "Enamel Mug"},
		{"shouted", "STAINLESS STEEL CAMPING MUG WITH LID FOR THE GARDEN",
			"Stainless Steel Camping Mug with Lid for the Garden"},
		{"an abbreviation beside small letters", "LED lamp with USB-C port", "LED lamp with USB-C port"},
		{"an abbreviation of the list in a shouted title", "LED LAMP 5V USB CHARGER", "LED Lamp 5V USB Charger"},
		{"a model number", "Drill bit SDS-40X for HR2470", "Drill bit SDS-40X for HR2470"},
		{"decoration", "★★【Hot】 Kettle!!! ☕️ | copper ~", "Kettle copper"},
		{"what was said before", "Mug enamel mug, camping mugs for camping", "Mug enamel camping"},
		{"punctuation that is left over", "New - Kettle , sale", "Kettle"},
		{"a phrase that other words part", "Kettle free hot shipping", "Kettle"},
		{"an emoji of several code points", "Toy 👨‍👩‍👧 bear", "Toy bear"},
		{"nothing to do", "Speckled enamel camp mug, 350 ml", "Speckled enamel camp mug, 350 ml"},
		{"other letters", "ÉMAILLÉ TASSE ÉMAIL", "Émaillé Tasse Émail"},
		{"nothing left", "HOT SALE", ""},
	} {
		t.Run(c.name, func(t *testing.T) {
			if got := tidied(c.title); got != c.want {
				t.Errorf("%q is tidied to %q, want %q", c.title, got, c.want)
			}
		})
	}
}

// Whatever the title: the parts are the title, what is tidied twice is as tidied once, nothing is invented, and the
// limit holds.
func TestTidyingIsIdempotent(t *testing.T) {
	vocabulary := strings.Fields(`NEW new Hot SALE free shipping 2026 2025 Mug MUG mugs LED USB-C 350ml 5V - , &
		★★ 【Gift】 FOR the with Kettle!!! KETTLE, (copper) "Best" best quality é ÉTÉ 👍🏽
		IPX7 A4 wholesale drop ship dropship-ok x X`)
	random := rand.New(rand.NewPCG(1, 2))
	r := words.Standard()
	for range 20_000 {
		var list []string
		for range random.IntN(14) {
			list = append(list, vocabulary[random.IntN(len(vocabulary))])
		}
		title := strings.Join(list, strings.Repeat(" ", 1+random.IntN(2)))
		r.Limit = random.IntN(60)
		parts := words.TidyTitle(title, r)
		if all := words.Compose(parts, func(int) bool { return true }); all != norm.NFC.String(title) {
			t.Fatalf("the parts of %q are %q", title, all)
		}
		once := strings.TrimSpace(words.Compose(parts, nil))
		twice := strings.TrimSpace(words.Compose(words.TidyTitle(once, r), nil))
		if once != twice {
			t.Fatalf("%q is tidied to %q, and that to %q", title, once, twice)
		}
		if n := words.Length(once); r.Limit > 0 && n > r.Limit && strings.Contains(once, " ") {
			t.Fatalf("%q has %d characters, over %d", once, n, r.Limit)
		}
		if !isWithin(letters(once), letters(title)) {
			t.Fatalf("%q is not part of %q", once, title)
		}
	}
}

func letters(s string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			return unicode.ToLower(r)
		}
		return -1
	}, norm.NFC.String(s))
}

func isWithin(part, whole string) bool {
	rest := []rune(whole)
	for _, r := range part {
		at := slices.Index(rest, r)
		if at < 0 {
			return false
		}
		rest = rest[at+1:]
	}
	return true
}

// Source: the cases of Unicode's GraphemeBreakTest.txt, as github.com/rivo/uniseg ships them in its own test.
func TestLengthCountsGraphemeClusters(t *testing.T) {
	dir, err := exec.Command("go", "list", "-m", "-f", "{{.Dir}}", "github.com/rivo/uniseg").Output()
	if err != nil {
		t.Fatal(err)
	}
	file, err := os.ReadFile(filepath.Join(strings.TrimSpace(string(dir)), "graphemebreak_test.go"))
	if err != nil {
		t.Fatal(err)
	}
	n := 0
	for _, m := range regexp.MustCompile(`original: ("[^"]*"), expected: \[\]\[\]rune\{(.*)\}\}`).
		FindAllStringSubmatch(string(file), -1) {
		text, err := strconv.Unquote(m[1])
		if err != nil {
			continue // surrogates, which no text has
		}
		if got, want := words.Length(text), strings.Count(m[2], "{"); got != want {
			t.Errorf("%s has %d clusters, want %d", m[1], got, want)
		}
		n++
	}
	if n < 500 {
		t.Fatalf("only %d cases were read", n)
	}
}

func TestTidyDescription(t *testing.T) {
	const text = `<p>A steady mug. We ship within 24 hours from our factory. ` +
		`Mail sales@supplier.example for a price!</p>` +
		`<table><tr><td>Weight</td><td>180 g</td></tr><tr><td>Delivery time</td><td>7-15 days</td></tr></table>` +
		`<p>Holds 350 ml.</p><p>Please leave positive feedback, 5 stars.</p><p>30 days money back guarantee</p>`
	parts := words.TidyDescription(text)
	if all := words.Compose(parts, func(int) bool { return true }); all != text {
		t.Fatalf("the parts are %q", all)
	}
	const want = `<p>A steady mug. </p><ul><li>Weight: 180 g</li></ul><p>Holds 350 ml.</p>`
	if got := words.WithoutHollow(words.Compose(parts, nil)); got != want {
		t.Errorf("it is tidied to %s", got)
	}
	for _, innocent := range []string{"<p>A ship in a bottle.</p>", "<p>Return to the woods with this tent.</p>",
		"<p>Delivers heat evenly.</p>", "<p>Stores flat. Five stars are printed on it.</p>"} {
		if words.Changes(words.TidyDescription(innocent)) != 0 {
			t.Errorf("%s would be changed", innocent)
		}
	}
}

func TestPattern(t *testing.T) {
	facts := map[string]string{"brand": "Fernhill", "title": "Camp mug", "colour": "Red, blue"}
	for _, c := range []struct{ pattern, want, missing string }{
		{"{brand} {title}", "Fernhill Camp mug", ""},
		{"{Title}[, {material}][, {colour}]", "Camp mug, Red, blue", ""},
		{"{title} of {material}", "Camp mug of", "material"},
		{"{{{title}}} [[x]]", "{Camp mug} [x]", ""},
	} {
		p, err := words.ReadPattern(c.pattern)
		if err != nil {
			t.Fatal(err)
		}
		if got, missing := p.Fill(facts); got != c.want || strings.Join(missing, " ") != c.missing {
			t.Errorf("%s is %q without %q", c.pattern, got, missing)
		}
	}
	for _, bad := range []string{"{title", "{}", "title}", "[{a}", "a]", "[[{a}]", "[a[b]c]", "{a{b}}"} {
		if _, err := words.ReadPattern(bad); err == nil {
			t.Errorf("%q is taken for a pattern", bad)
		}
	}
	p, _ := words.ReadPattern("{title} {colr}")
	if err := p.Unknown([]string{"title", "colour"}); err == nil || !strings.Contains(err.Error(), "colr") {
		t.Errorf("the unknown fact is not named: %v", err)
	}
}

// Source: the worked example of shingles in Manning, Raghavan and Schütze, Introduction to Information Retrieval,
// section
// 19.6, "a rose is a rose is a rose", whose 4-shingles are three distinct ones; with three words there are as many.
func TestWordingOf(t *testing.T) {
	const rose = "a rose is a rose is a rose"
	if w := words.WordingOf(rose, rose); w.Share != 100 || len(w.Passages) != 1 || w.Passages[0] != rose {
		t.Errorf("of itself: %+v", w)
	}
	// Of its distinct shingles, "a rose is", "rose is a" and "is a rose", one is in "it is a rose".
	if w := words.WordingOf(rose, "it is a rose"); w.Share != 33 {
		t.Errorf("of another: %+v", w)
	}
	w := words.WordingOf("<p>Our words first. Two coats of enamel over steel, said plainly.</p>",
		"Mug with two coats of enamel over steel and a rim")
	if len(w.Passages) != 1 || w.Passages[0] != "Two coats of enamel over steel," {
		t.Errorf("passages: %q", w.Passages)
	}
	if w := words.WordingOf("two words", "two words"); w.Share != 0 {
		t.Errorf("of fewer than three words: %+v", w)
	}
}

func TestFindUnwanted(t *testing.T) {
	list := []words.Unwanted{{Text: "Cures pain", Stops: true}, {Text: "Alpenrose"}, {Text: "—"}}
	found := words.Find("<p>An alpenrose <b>mug</b>, which cures\npain.</p>", list)
	if len(found) != 2 || !found[0].Stops || found[1].Stops {
		t.Errorf("found %+v", found)
	}
	if found := words.Find("alpenroses", list); len(found) != 0 {
		t.Errorf("a part of a word is found: %+v", found)
	}
}

func FuzzTidyDescription(f *testing.F) {
	f.Add("<p>Mail a@b.example! <table><tr><td>a</td></tr></table>")
	f.Fuzz(func(t *testing.T, text string) {
		if all := words.Compose(words.TidyDescription(text), func(int) bool { return true }); all != text {
			t.Errorf("the parts of %q are %q", text, all)
		}
	})
}
