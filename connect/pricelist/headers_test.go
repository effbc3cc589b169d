package pricelist

import (
	"strings"
	"testing"

	"plainpelican/core/money"
)

// What headers say that the figures under them are, by the words of a dozen languages.
func TestRolesOfHeaders(t *testing.T) {
	for want, headers := range map[role]string{
		buying: `Cost|Unit cost|Net price|Nett|Trade price (ex VAT)|Wholesale price|Dealer|Your price|Purchase price ` +
			`USD|EK netto|Einkaufspreis|Händlerpreis|HEK €|Prix d'achat HT|PA HT|Prix revendeur|Precio de compra|` +
			`Precio mayorista|Coste|Prezzo di acquisto
			|Prezzo netto|Inkoopprijs|Inköpspris|Inpris exkl moms|Indkøbspris|Kostpris|Cena zakupu|Cena hurtowa|` +
			`Nákupní cena|Beszerzési ár|Nagyker ár|Alış fiyatı|Закупочная цена|Оптовая цена|批发价|进价|仕入価格|공급가격|FOB ` +
			`Price(USD)|YourPrice`,
		price: `Price|Unit price|Preis|Prix|Precio unitario|Prezzo|Prijs|Pris|Cena|Hinta|Fiyat|Цена|价格|単価|EUR|€|` +
			`Price excl. VAT|Delivered price|Cena bez DPH`,
		taxed: `Price incl. VAT|Bruttopreis|Prix TTC|Prezzo ivato|Cena s DPH|Cena brutto|含税单价|Gross price|Gross`,
		selling: `RRP|MSRP|Retail price|Recommended retail price|UVP|VK|Verkaufspreis|List price|Listenpreis|Prix ` +
			`public|Prix de vente conseillé|PVP|PVPR|Prezzo di listino|Adviesprijs|Verkoopprijs|Vejl. pris|Utpris ` +
			`inkl moms|Cena detaliczna|Satış fiyatı|Розничная цена|零售价|定価|소비자가|Old price|Compare at price|ListPrice`,
		least:   `MAP|MAP €|Minimum advertised price|Mindestpreis|Minimum price EUR`,
		minimum: `MOQ|Minimum order|Min. order qty|Mindestmenge|Mindestabnahme|Quantité minimum|Cantidad mínima|起订量`,
		tax:     `VAT|VAT %|VAT rate|Tax amount|MwSt|MwSt.-Satz|TVA|IVA|BTW|Moms|НДС|税率`,
		postage: `Postage|Shipping|Freight EUR|Shipping cost|Versandkosten|Porto|Frais de port|Envío|Verzendkosten|` +
			`Spedizione|运费`,
		deposit:  `Deposit|Pfand|Pfand €|Consigne|Statiegeld|Eco-part`,
		discount: `Discount %|Rabatt|Remise|Margin %|Marge`,
		date:     `Valid from|Date|Gültig ab|Delivery time|Lieferzeit|Lead time|Available from`,
		position: `Page|Seite|Pos|Line`,
		noRole: `Net content (ml)|Retail qty|Trade pack qty|Old article number|Dealer reference|Trade name|Your ` +
			`code|Colour|Stock|Title|Weight`,
	} {
		for header := range strings.SplitSeq(headers, "|") {
			header = strings.TrimSpace(header)
			if got := roleOf(header); got != want {
				t.Errorf("%q: %q, want %q", header, roleWords[got], roleWords[want])
			}
		}
	}
}

// What a price buys, as headers, rows of units and cells say it.
func TestUnitsOfPrices(t *testing.T) {
	for text, want := range map[string]priceUnit{
		"Price per 100": {pieces: 100}, "Preis je 100 Stück in €": {pieces: 100}, "EUR/1000": {pieces: 1000},
		"Net Price EUR / 1000": {pieces: 1000}, "Price for 6 EUR": {pieces: 6}, "cost per dozen": {pieces: 12},
		"Preis pro Dutzend": {pieces: 12},
		"prix par cent":     {}, "Stückpreis": {pieces: 1}, "price each": {pieces: 1}, "unit price": {pieces: 1},
		"€/pc": {pieces: 1}, "prix unitaire": {pieces: 1}, "Price per gross": {pieces: 144},
		"Price per carton": {pack: "carton"}, "carton price": {pack: "carton"}, "Packungspreis": {pack: "packung"},
		"Preis pro Karton": {pack: "karton"}, "case price": {pack: "case"},
		"Price (€/kg)": {measure: "kilogram"}, "price per roll": {measure: "roll"}, "EUR/m": {measure: "metre"},
		"Net price": {}, "Price 2026": {}, "Discount 10 %": {}, "Preis 100 Stück": {}, "Price 10+": {},
	} {
		if got := unitIn(text); got != want {
			t.Errorf("%q: %+v, want %+v", text, got, want)
		}
	}
	for code, want := range map[string]priceUnit{
		"EA": {pieces: 1}, "C62": {pieces: 1}, "pcs": {pieces: 1}, "Stk.": {pieces: 1}, "DZ": {pieces: 12},
		"DZN": {pieces: 12}, "GRO": {pieces: 144}, "CEN": {pieces: 100}, "MIL": {pieces: 1000}, "100": {pieces: 100},
		"1,000": {}, "100,00": {pieces: 100},
		"100 Stk": {pieces: 100}, "BX12": {pieces: 12}, "12/CS": {pieces: 12}, "Case of 6": {pieces: 6},
		"PK": {pack: "pk"}, "CTN": {pack: "ctn"}, "KGM": {measure: "kilogram"}, "m": {measure: "metre"}, "M": {},
		"XYZ": {}, "": {},
	} {
		if got := unitOf(code); got != want {
			t.Errorf("%q: %+v, want %+v", code, got, want)
		}
	}
	for header, want := range map[string]int{"1-9": 1, "10-49": 10, "50+": 50, "Price 1-9 EUR": 1,
		"price from 100 eur": 100, "Staffel ab 10": 10, "100 pcs": 100, "Qty 25": 25, "Price": 0, "Price 2026": 0,
		"EAN-13": 0} {
		if got, ok := tierOf(header); ok != (want > 0) || ok && got != want {
			t.Errorf("%q is from %d on: %v", header, got, ok)
		}
	}
	for header, want := range map[string]bool{"Cost in cents": true, "Price (p)": true, "Cost (ct)": true,
		"Price pence": true, "Discount per cent": false, "Price": false, "Cent %": false} {
		if got := inMinor(header); got != want {
			t.Errorf("%q is in minor units: %v", header, got)
		}
	}
}

// A price for several pieces is divided exactly and rounded once, half away from zero; worked out by hand beside.
func TestPricesForSeveralPieces(t *testing.T) {
	eur, jpy := money.MustCurrency("EUR"), money.MustCurrency("JPY")
	for _, c := range []struct {
		text   string
		pieces int
		minor  bool
		in     money.Currency
		want   string
	}{
		{"54.00", 12, false, eur, "4.50 EUR"}, {"10.00", 3, false, eur, "3.33 EUR"},
		{"20.00", 3, false, eur, "6.67 EUR"},
		{"0.125", 10, false, eur, "0.01 EUR"}, // 0.0125: rounded at the cent, it would be 0.13 and then 0.01 as well
		{"0.149", 10, false, eur, "0.01 EUR"}, // 0.0149: rounded twice, 0.15 would make 0.02
		{"1.5", 100, false, eur, "0.02 EUR"},  // 0.015, half away from zero
		{"1.4999", 100, false, eur, "0.01 EUR"}, {"250", 1, true, eur, "2.50 EUR"}, {"3000", 12, true, eur, "2.50 EUR"},
		{"1000", 12, false, jpy, "83 JPY"}, {"1002", 12, false, jpy, "84 JPY"},
	} {
		got, err := figure(c.text, c.text, "", ".", c.in, c.pieces, c.minor)
		if err != nil || got.String() != c.want {
			t.Errorf("%s for %d: %s %v, want %s", c.text, c.pieces, got, err, c.want)
		}
	}
}

// A workbook's number formats that name a currency (ECMA-376 part 1, 18.8.31; locale numbers of MS-LCID).
func TestCurrenciesOfNumberFormats(t *testing.T) {
	for format, want := range map[string]string{
		`#,##0.00 [$€-407]`: "EUR", `[$£-809]#,##0.00`: "GBP", `[$$-409]#,##0.00`: "USD", `[$$-1009]#,##0.00`: "CAD",
		`[$$-C09]#,##0.00`: "AUD", `[$USD] #,##0.00`: "USD", `#,##0.00 "zł"`: "PLN", `#,##0.00\ "Kč"`: "CZK",
		`[$¥-804]#,##0`: "CNY", `[$¥-411]#,##0`: "JPY", `[$kr-41D]#,##0`: "SEK",
		`"$"#,##0.00`: "~$", `0.00`: "", `00000`: "", `0%`: "", `dd/mm/yyyy`: "", `[Red]0.00`: "",
	} {
		if got := formatCurrency(format); got != want {
			t.Errorf("%s: %q, want %q", format, got, want)
		}
	}
}
