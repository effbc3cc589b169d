package readiness

import (
	"strings"
	"testing"

	"plainpelican/core/money"
	"plainpelican/core/variant"
)

func ready() Draft {
	sold := func(name string) Variant {
		return Variant{Name: name, Priced: true, Profit: money.MustParse("5", "USD"), Stock: 9}
	}
	return Draft{Title: "Enamel mug", Description: "<p>A mug.</p>", Pictures: 3, Options: 2,
		Variants: []Variant{sold("Lake"), sold("Brick")},
		Limits:   variant.Limits{Options: 3, Variants: 100, Pictures: 20, TitleLength: 20}, KeepsPromise: true,
		PromiseDays: 16}
}

func TestReady(t *testing.T) {
	r := Check(ready())
	if !r.Ready || len(r.Findings) != 0 || r.Description != Done || r.Pictures != Done || r.Variants != Done ||
		r.Price != Done {
		t.Errorf("%+v", r)
	}
}

func TestWhatIsMissingIsSaid(t *testing.T) {
	for name, c := range map[string]struct {
		change func(*Draft)
		area   Area
		state  State
		stops  bool
		words  string
	}{
		"no title": {func(d *Draft) { d.Title = "  " }, Description, Empty, true, "no title"},
		"title too long": {func(d *Draft) {
			d.Title = strings.Repeat("é", 21)
		}, Description, NeedsYou, true, "21 characters; this store allows 20"},
		"no description": {func(d *Draft) { d.Description = "" }, Description, Done, false, "no description"},
		"no picture":     {func(d *Draft) { d.Pictures = 0 }, Pictures, Empty, true, "No picture"},
		"too many pictures": {func(d *Draft) {
			d.Pictures = 21
		}, Pictures, NeedsYou, true, "21 pictures are shown; this store allows 20"},
		"nothing chosen": {func(d *Draft) { d.Variants = nil }, Variants, Empty, true, "No variant"},
		"too many variants": {func(d *Draft) {
			d.Limits.Variants = 1
		}, Variants, NeedsYou, true, "2 variants are chosen; this store allows 1"},
		"too many options": {func(d *Draft) {
			d.Options = 4
		}, Variants, NeedsYou, true, "4 options; this store allows 3"},
		"offer withdrawn": {func(d *Draft) { d.Withdrawn = true }, Variants, NeedsYou, true, "stopped selling this"},
		"variant withdrawn": {func(d *Draft) {
			d.Variants[1].Withdrawn = true
		}, Variants, NeedsYou, true, "stopped selling Brick"},
		"out of stock": {func(d *Draft) { d.Variants[0].Stock = 0 }, Variants, Done, false, "Out of stock: Lake"},
		"loses money": {func(d *Draft) {
			d.Variants[0].Profit = money.MustParse("-0.80", "USD")
		}, Price, Done, false, "Lake loses 0.80 USD"},
		"no price": {func(d *Draft) {
			d.Variants[0].Priced, d.Variants[0].NoPrice = false, "No delivery goes to US."
		}, Price, Empty, true, "No price for Lake: No delivery"},
		"late": {func(d *Draft) { d.KeepsPromise = false }, Price, Done, false, "misses your 16 days"},
	} {
		d := ready()
		c.change(&d)
		r := Check(d)
		states := map[Area]State{Description: r.Description, Pictures: r.Pictures, Variants: r.Variants, Price: r.Price}
		if len(r.Findings) == 0 || r.Ready == c.stops || states[c.area] != c.state {
			t.Errorf("%s: %+v", name, r)
			continue
		}
		if f := r.Findings[0]; f.Area != c.area || f.Stops != c.stops || !strings.Contains(f.Words, c.words) {
			t.Errorf("%s: %+v", name, f)
		}
	}
}

func TestManyNamesAreCounted(t *testing.T) {
	if got := some([]string{"a", "b", "c", "d", "e"}); got != "a, b, c and 2 more" {
		t.Error(got)
	}
}
