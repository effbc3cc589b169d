package contact

import (
	"fmt"
	"strings"
	"testing"
)

// Telephone numbers are of the ranges set aside for fiction (Ofcom's 020 7946 0xxx, the NANP's 555-01xx);
// the international form is that of ITU-T E.123, from memory. Hosts are RFC 2606's.
func TestWhatLeadsToTheSupplierIsFound(t *testing.T) {
	for text, want := range map[string][]Kind{
		`<p>Contact: sales@harbour.example or call +86 555 0101 22</p>`: {Mail, Phone},
		`mail to info&#64;shop.example.com now`:                         {Mail},
		`<b>sales</b>@<i>shop</i>.example`:                              {Mail},
		`sales (at) shop (dot) example`:                                 {Mail},
		`Tel.: 030 1234567`:                                             {Phone},
		`Call us: (212) 555-0143`:                                       {Phone},
		`020 7946 0958`:                                                 {Phone},
		`0044 20 7946 0958`:                                             {Phone},
		`WhatsApp: +1 212 555 0143`:                                     {Messenger},
		`WeChat: kettles_88`:                                            {Messenger},
		`see https://shop.example/x or www.shop.example`:                {Web, Web},
		`Teléfono no, pero Telefon 0911/555-123`:                        {Phone},
	} {
		got := Find(text)
		kinds := []Kind{}
		for _, d := range got {
			kinds = append(kinds, d.Kind)
		}
		if fmt.Sprint(kinds) != fmt.Sprint(want) {
			t.Errorf("%s: %v, not %v", text, got, want)
		}
	}
}

func TestWhatIsNoContactStays(t *testing.T) {
	for _, text := range []string{
		"", "20 x 30 x 40 cm", "EAN 4006381333931", "weighs 1.250 kg, 2026-11-26", "12 000 to 15 000 rpm",
		"Model 100-200-300", "350 ml @ 20 °C", "0.5 - 1.5 mm", "Size 36 38 40 42 44 46 48",
		"Made of steel 18/10. 24 months, 1,299.00", "Part no. 0815-4711", "Phone holder for 4 to 7 inches",
		"line 12 of the table", "telegram-style postcard set",
	} {
		if got := Find(text); len(got) != 0 {
			t.Errorf("%q: %v", text, got)
		}
	}
}

func TestRemovingTakesTheSentenceAndNoMore(t *testing.T) {
	for text, want := range map[string]string{
		`<p>A mug. Contact: sales@harbour.example or call +86 555 0101 22. Holds 350 ml &amp; more.</p>`: `<p>A mug. ` +
			`Holds 350 ml &amp; more.</p>`,
		`<ul><li>Strong</li><li>Mail <b>a@b.example</b></li></ul><p>www.b.example</p>`: `<ul><li>Strong</li>` +
			`<li>Mail </li></ul>`,
		`<p>Plain</p>`: `<p>Plain</p>`,
	} {
		if got := Remove(text); got != want {
			t.Errorf("%s: %s", text, got)
		}
	}
	if spread := `<b>sales</b>@<i>shop</i>.example`; len(Find(Remove(spread))) == 0 {
		t.Errorf("what is spread over elements is not taken out by halves in silence: %s", Remove(spread))
	}
}

func FuzzRemove(f *testing.F) {
	f.Add(`<p>a@b.example. +1 212 555 0143</p>`)
	f.Add("Tel 0\x01 12345678\xff<")
	f.Fuzz(func(t *testing.T, text string) {
		if got := Remove(text); len(got) > len(text)*6+10 ||
			strings.Count(got, "<script") > strings.Count(text, "<script") {
			t.Errorf("%q became %q", text, got)
		}
	})
}
