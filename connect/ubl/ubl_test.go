package ubl

import (
	"errors"
	"fmt"
	"io"
	"runtime"
	"strings"
	"testing"

	"plainpelican/connect/source"
)

// The elements and their order are those of UBL 2.1, from memory: no package ships its schema
// or examples. The goods are made up.
const head = `<?xml version="1.0" encoding="UTF-8"?>
<Catalogue xmlns="urn:oasis:names:specification:ubl:schema:xsd:Catalogue-2" ` +
	`xmlns:cac="urn:oasis:names:specification:ubl:schema:xsd:CommonAggregateComponents-2" ` +
	`xmlns:cbc="urn:oasis:names:specification:ubl:schema:xsd:CommonBasicComponents-2">
<cbc:UBLVersionID>2.1</cbc:UBLVersionID><cbc:ID>C-1</cbc:ID><cbc:IssueDate>2026-11-01</cbc:IssueDate>
<cac:SellerSupplierParty><cac:Party><cac:PartyName><cbc:Name>Corvane Supply</cbc:Name></cac:PartyName></cac:Party>
</cac:SellerSupplierParty>
`

func catalogueLine(number, parent, name, price, currency, most, extra string) string {
	extended := ""
	if parent != "" {
		extended = "<cbc:ExtendedID>" + parent + "</cbc:ExtendedID>"
	}
	return fmt.Sprintf(
		`<cac:CatalogueLine><cbc:ID>%s</cbc:ID>%s<cac:RequiredItemLocationQuantity>
			<cbc:MaximumQuantity unitCode="C62">%s</cbc:MaximumQuantity><cac:Price>
			<cbc:PriceAmount currencyID="%s">%s</cbc:PriceAmount>
<cbc:BaseQuantity unitCode="C62">1</cbc:BaseQuantity></cac:Price></cac:RequiredItemLocationQuantity><cac:Item>
<cbc:Description>Made of tin &amp; steel</cbc:Description><cbc:Name>%s</cbc:Name>
<cac:SellersItemIdentification><cbc:ID>%s</cbc:ID>%s</cac:SellersItemIdentification><cac:StandardItemIdentification>
<cbc:ID schemeID="0160">4006381333931</cbc:ID></cac:StandardItemIdentification>
<cac:CommodityClassification><cbc:ItemClassificationCode name="Camp kitchen">K1</cbc:ItemClassificationCode>
</cac:CommodityClassification>
<cac:AdditionalItemProperty><cbc:Name>Colour</cbc:Name><cbc:Value>%s</cbc:Value></cac:AdditionalItemProperty>
<cac:AdditionalItemProperty><cbc:Name>Material</cbc:Name><cbc:Value>tin</cbc:Value></cac:AdditionalItemProperty>
<cac:Dimension><cbc:AttributeID>AAA</cbc:AttributeID><cbc:Measure unitCode="KGM">0.18</cbc:Measure></cac:Dimension>
</cac:Item></cac:CatalogueLine>
`, number, extra, most, currency, price, name, number, extended, "colour "+number)
}

func read(t testing.TB, document string) (offers []source.Offer, rejected []source.RejectedItem, err error) {
	t.Helper()
	r, err := New(strings.NewReader(document), Terms{Supplier: "Corvane Supply", Country: "SE"})
	if err != nil {
		return nil, nil, err
	}
	for {
		item, err := r.Next()
		if err == io.EOF {
			return offers, rejected, nil
		}
		if err != nil {
			return offers, rejected, err
		}
		if item.Offer != nil {
			offers = append(offers, *item.Offer)
		}
		rejected = append(rejected, item.Rejected...)
	}
}

func TestACatalogueIsRead(t *testing.T) {
	offers, rejected,
		err := read(t, head+catalogueLine("L1", "P1", "Storm lamp", "9.8050", "EUR", "40", "")+
		catalogueLine("L2", "P1", "Storm lamp", "11", "EUR", "0", "")+
		catalogueLine("L3", "", "Kettle", "1340", "JPY", "7", "")+"</Catalogue>")
	if err != nil || len(rejected) != 0 || len(offers) != 2 {
		t.Fatalf("%v %v %+v", err, rejected, offers)
	}
	lamp := offers[0]
	if lamp.Number != "P1" || lamp.Title != "Storm lamp" || lamp.Category != "Camp kitchen" ||
		len(lamp.Variants) != 2 || lamp.Description != "<p>Made of tin &amp; steel</p>" {
		t.Errorf("%+v", lamp)
	}
	if len(lamp.OptionNames) != 1 || lamp.OptionNames[0] != "Colour" {
		t.Errorf("only what differs is an option: %v", lamp.OptionNames)
	}
	v := lamp.Variants[0]
	if v.Cost.String() != "9.81 EUR" || v.Stock != 40 || v.Barcode != "4006381333931" || v.WeightGrams != 180 ||
		v.Values[0] != "colour L1" {
		t.Errorf("%+v", v)
	}
	if k := offers[1]; k.Number != "L3" || k.Variants[0].Cost.String() != "1340 JPY" || len(k.OptionNames) != 2 {
		t.Errorf("%+v", k)
	}
}

func TestLinesThatCannotBeUsedAreSetAside(t *testing.T) {
	document := head
	for i, c := range []struct{ price, currency, most, extra string }{
		{"0", "EUR", "1", ""}, {"-2", "EUR", "1", ""}, {"call", "EUR", "1", ""}, {"2", "QQQ", "1", ""},
		{"2", "EUR", "-4", ""}, {"2", "EUR", "soon", ""},
		{"2", "EUR", "4", "<cbc:OrderableIndicator>false</cbc:OrderableIndicator>"},
	} {
		document += catalogueLine(fmt.Sprint("B", i), "", "Bad", c.price, c.currency, c.most, c.extra)
	}
	document += catalogueLine("G", "", "Gone", "2", "EUR", "4", "<cbc:ActionCode>Delete</cbc:ActionCode>") +
		catalogueLine("OK", "", "Good", "2", "EUR", "4", "") + "</Catalogue>"
	offers, rejected, err := read(t, document)
	if err != nil || len(offers) != 1 || offers[0].Number != "OK" || len(rejected) != 7 {
		t.Fatalf("%v %+v %+v", err, offers, rejected)
	}
	for i, want := range []string{"the price is 0.00 EUR", "the price is -2.00 EUR", "not an amount",
		"“QQQ” is not a currency", "less than none", "does not say how many", "cannot be ordered"} {
		if !strings.Contains(rejected[i].Reason, want) || rejected[i].Position != fmt.Sprintf("line %d", i+1) ||
			rejected[i].Number != fmt.Sprint("B", i) {
			t.Errorf("%+v, want %s", rejected[i], want)
		}
	}
}

func TestDocumentsThatCannotBeRead(t *testing.T) {
	good := head + catalogueLine("L1", "", "Lamp", "2", "EUR", "4", "")
	deep := strings.Repeat("<x>", 100)
	for name, c := range map[string]struct {
		document string
		want     error
	}{
		"entities": {`<!DOCTYPE Catalogue [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;&a;">]>` +
			strings.TrimPrefix(good, `<?xml version="1.0" encoding="UTF-8"?>`), ErrEntities},
		"an undeclared entity":  {strings.Replace(good, "Lamp", "&lol;", 1), ErrEntities},
		"a file of the machine": {`<!DOCTYPE x SYSTEM "file:///etc/passwd"><x/>`, ErrEntities},
		"cut in the middle":     {good[:len(good)-200], ErrCut},
		"cut between lines":     {good, ErrCut},
		"another document": {`<Invoice xmlns="urn:oasis:names:specification:ubl:schema:xsd:Invoice-2"/>`,
			ErrNotACatalogue},
		"a web page":               {`<html><body>Sign in</body></html>`, ErrNotACatalogue},
		"nothing":                  {"", ErrNotACatalogue},
		"no lines":                 {head + "</Catalogue>", ErrNoLines},
		"crossed elements":         {good + "<a></b>", ErrBroken},
		"nested without end":       {head + deep, ErrDeep},
		"a line without end":       {head + "<cac:CatalogueLine>" + strings.Repeat("<a/>", 2<<20), ErrBroken},
		"an element without end":   {head + "<cac:CatalogueLine><a>" + strings.Repeat("x", mostLine+1), ErrBroken},
		"an attribute without end": {head + "<cac:CatalogueLine a='" + strings.Repeat("x", mostLine+1), ErrBroken},
	} {
		t.Run(name, func(t *testing.T) {
			if _, _, err := read(t, c.document); !errors.Is(err, c.want) {
				t.Errorf("%v", err)
			}
		})
	}
}

// endless gives a catalogue of so many lines without having it in memory.
type endless struct {
	left int
	rest string
}

func (e *endless) Read(p []byte) (int, error) {
	if e.rest == "" {
		if e.left < 0 {
			return 0, io.EOF
		}
		e.left--
		if e.rest = catalogueLine(fmt.Sprint("N", e.left), "", "Lamp", "2.50", "EUR", "4", ""); e.left < 0 {
			e.rest = "</Catalogue>"
		}
	}
	n := copy(p, e.rest)
	e.rest = e.rest[n:]
	return n, nil
}

func TestALongDocumentNeedsLittleMemory(t *testing.T) {
	r, err := New(io.MultiReader(strings.NewReader(head), &endless{left: 20_000}), Terms{})
	if err != nil {
		t.Fatal(err)
	}
	var m runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&m)
	idle, n := m.HeapAlloc, 0
	for ; ; n++ {
		if _, err := r.Next(); err == io.EOF {
			break
		} else if err != nil {
			t.Fatal(err)
		}
	}
	runtime.GC()
	runtime.ReadMemStats(&m)
	if n != 20_000 || m.HeapAlloc > idle+4<<20 {
		t.Errorf("%d offers, %d kB held after 27 MB were read", n, (m.HeapAlloc-idle)>>10)
	}
}

func FuzzCatalogue(f *testing.F) {
	f.Add(head + catalogueLine("L1", "P", "Lamp", "2", "EUR", "4", "") + "</Catalogue>")
	f.Add(head)
	f.Add("<Catalogue")
	f.Fuzz(func(t *testing.T, document string) {
		offers, rejected, _ := read(t, document)
		for _, o := range offers {
			if o.Title == "" || len(o.Variants) == 0 || o.Currency == 0 {
				t.Fatalf("an offer that cannot be used was read without a word: %+v", o)
			}
		}
		for _, a := range rejected {
			if a.Reason == "" || a.Position == "" {
				t.Fatalf("set aside without a reason or a place: %+v", a)
			}
		}
	})
}

// The price for the least quantity is the cost of one, whatever it is for; MOQ is said.
func TestWhatAPriceIsFor(t *testing.T) {
	tier := func(from, price string) string {
		return `<cac:RequiredItemLocationQuantity><cbc:MinimumQuantity unitCode="C62">` + from +
			`</cbc:MinimumQuantity><cac:Price><cbc:PriceAmount currencyID="EUR">` + price +
			`</cbc:PriceAmount><cbc:BaseQuantity unitCode="C62">1</cbc:BaseQuantity></cac:Price>
				</cac:RequiredItemLocationQuantity>`
	}
	base := func(code, quantity string) func(string) string {
		return func(line string) string {
			return strings.Replace(line, `<cbc:BaseQuantity unitCode="C62">1<`,
				`<cbc:BaseQuantity unitCode="`+code+`">`+quantity+`<`, 1)
		}
	}
	for name, c := range map[string]struct {
		line, want, remark string
	}{
		"a lower price for more": {catalogueLine("A", "", "Mug", "3.00", "EUR", "9", tier("100", "2.00")),
			"3.00 EUR", ""},
		"for a dozen": {base("DZN", "1")(catalogueLine("A", "", "Mug", "24.00", "EUR", "9", "")),
			"2.00 EUR", ""},
		"for a hundred": {base("EA", "100")(catalogueLine("A", "", "Pin", "4.50", "EUR", "9", "")),
			"0.05 EUR", ""},
		"a carton of twelve": {
			base("CT",
				"1")(catalogueLine("A", "", "Mug", "54.00", "EUR", "9",
				"<cbc:ContentUnitQuantity>12</cbc:ContentUnitQuantity>")), "4.50 EUR", ""},
		"a carton, and not of how many": {base("CT", "1")(catalogueLine("A", "", "Mug", "54.00", "EUR", "9", "")),
			"the line does not say of how many pieces", ""},
		"by the kilogram": {base("KGM", "1")(catalogueLine("A", "", "Clay", "4.00", "EUR", "9", "")),
			"the price is for a kilogram", ""},
		"at least six": {
			catalogueLine("A", "", "Mug", "3.00", "EUR", "9", "<cbc:MinimumOrderQuantity>6</cbc:MinimumOrderQuantity>"),
			"3.00 EUR", "The supplier sells at least 6 of A at once."},
		"a tenth of a cent, for a hundred": {
			base("C62", "100")(catalogueLine("A", "", "Pin", "0.4999", "EUR", "9", "")), "the price is 0.00 EUR", ""},
	} {
		t.Run(name, func(t *testing.T) {
			offers, rejected, err := read(t, head+c.line+"</Catalogue>")
			if err != nil {
				t.Fatal(err)
			}
			got, remark := "", ""
			if len(offers) == 1 {
				got, remark = offers[0].Variants[0].Cost.String(), strings.Join(offers[0].Remarks, "")
			} else if len(rejected) == 1 {
				got = rejected[0].Reason
			}
			if !strings.Contains(got, c.want) || remark != c.remark {
				t.Errorf("%q %q", got, remark)
			}
		})
	}
}
