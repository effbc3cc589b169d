package pricelist

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"
	"golang.org/x/text/currency"
	"golang.org/x/text/encoding/htmlindex"

	"plainpelican/core/landed"
	"plainpelican/core/money"
)

// stranger is a list as somebody might write it who has never heard of us, with what a person reads in it.
type stranger struct {
	name    string
	text    string
	answers string // "key=value; key=value": what has to be asked, and what a person who sees the file answers
	want    string // "number cost currency stock", a line each
	reject  int
}

// strangers were written from the habits of price lists in a dozen languages and the shapes of published formats,
// each with what a person expects, before they were tried. None is from an existing list.
var strangers = []stranger{
	// What you pay, among other figures.
	{"postage is not the cost", "sku,name,postage,trade price gbp,stock\nA,Mug,3.50,2.10,4\nB,Pot,4.50,6.20,5\n", "",
		"A 2.10 GBP 4\nB 6.20 GBP 5", 0},
	{"a deposit is not the cost",
		"Artikelnr;Bezeichnung;Pfand €;EK €;Bestand\n1;Kanne;0,25;4,10;3\n2;Krug;0,25;5,10;3\n", "",
		"1 4.10 EUR 3\n2 5.10 EUR 3", 0},
	{"tax columns are neither cost nor stock",
		"Code,Description,VAT %,VAT amount,Net price EUR,Qty\nX1,Brush,20,0.40,2.00,9\nX2,Broom,20,1.00,5.00,8\n", "",
		"X1 2.00 EUR 9\nX2 5.00 EUR 8", 0},
	{"retail before wholesale", "SKU,Title,Retail price,Wholesale price,Stock,Currency\n1,Lamp,29.99,12.00,5,USD\n", "",
		"1 12.00 USD 5", 0},
	{"gross and net", "Art.-Nr.;Name;Bruttopreis EUR;Nettopreis EUR;Lager\n7;Eimer;11,90;10,00;2\n", "",
		"7 10.00 EUR 2", 0},
	{"only a price with tax", "sku,title,price incl. vat gbp,stock\n1,Rope,12.00,3\n2,Cord,6.00,3\n", "cost=2",
		"1 12.00 GBP 3\n2 6.00 GBP 3", 0},
	{"only a recommended price", "sku,title,rrp eur,stock\n1,Rope,12.00,3\n", "cost=2", "1 12.00 EUR 3", 0},
	{"with and without tax", "sku,title,price excl. VAT (EUR),price incl. VAT (EUR),stock\n1,Rope,10.00,12.00,3\n", "",
		"1 10.00 EUR 3", 0},
	{"two prices, nothing says which", "sku,title,price eur,special price eur,stock\n1,Rope,10.00,9.00,3\n", "cost=3",
		"1 9.00 EUR 3", 0},
	{"two currencies", "sku,title,price usd,price eur,stock\n1,Rope,10.00,9.00,3\n", "cost=3", "1 9.00 EUR 3", 0},
	{"levels of customers are not quantities",
		"sku,title,Price 1,Price 2,Price 3,stock,currency\n1,Rope,10.00,9.00,8.00,3,EUR\n", "cost=2", "1 10.00 EUR 3",
		0},
	{"nothing in the header is known",
		"foo,bar,baz,qux\nK-100,Kettle with a lid,12.40,7\nK-101,Kettle without a lid,11.40,12\nK-102,Lid for a " +
			"kettle,2.90,0\n", "cost=2; stock=3; currency=EUR",
		"K-100 12.40 EUR 7\nK-101 11.40 EUR 12\nK-102 2.90 EUR 0", 0},
	{"dimensions without a price",
		"sku,title,length cm,width cm,height cm,dealer price eur,stock\n1,Box,30.5,20.5,10.5,4.00,3\n", "",
		"1 4.00 EUR 3", 0},
	{"page numbers and least quantities are no stock",
		"Page,Code,Name,MOQ,Trade USD\n12,A,Mug,6,2.00\n12,B,Cup,6,3.00\n", "", "A 2.00 USD 0\nB 3.00 USD 0", 0},
	{"a date is no price", "sku,title,valid from,cost usd,stock\n1,Mug,01.12.2026,2.00,3\n", "", "1 2.00 USD 3", 0},
	{"margin and discount", "sku,title,discount %,margin,cost eur,stock\n1,Mug,10,45.5,2.00,3\n", "", "1 2.00 EUR 3",
		0},

	// What a price buys.
	{"per hundred, in the header", "sku;name;price per 100 eur;stock\n1;Screw;4,50;900\n2;Nail;1,20;900\n", "",
		"1 0.05 EUR 900\n2 0.01 EUR 900", 0},
	{"per dozen", "sku,name,cost per dozen usd,stock\n1,Egg cup,24.00,60\n", "", "1 2.00 USD 60", 0},
	{"per carton, with a column for it", "sku,name,pcs per carton,carton price usd,stock\n1,Mug,12,54.00,48\n", "",
		"1 4.50 USD 48", 0},
	{"per carton, and nothing says of how many", "sku,name,price per carton usd,stock\n1,Mug,54.00,48\n",
		"pack_size=12", "1 4.50 USD 48", 0},
	{"a pack column, and the price does not say", "sku,name,pack size,price usd,stock\n1,Mug,6,12.00,48\n",
		"price_for=piece", "1 12.00 USD 48", 0},
	{"the same, for the pack", "sku,name,pack size,price usd,stock\n1,Mug,6,12.00,48\n", "price_for=pack",
		"1 2.00 USD 48", 0},
	{"each and carton beside each other",
		"sku,name,pack size,unit price usd,carton price usd,stock\n1,Mug,6,2.50,14.00,48\n", "", "1 2.50 USD 48", 0},
	{"German price unit", "Artikelnr;Bezeichnung;PE;EK netto EUR;Bestand\n1;Schraube;100;4,50;10\n2;Zange;1;9,90;4\n",
		"", "1 0.05 EUR 10\n2 9.90 EUR 4", 0},
	{"codes of units",
		"item,description,uom,net price usd,on hand\n1,Pen,DZ,6.00,5\n2,Pad,EA,1.10,5\n3,Clip,HUNDRED,3.00,5\n", "",
		"1 0.50 USD 5\n2 1.10 USD 5\n3 0.03 USD 5", 0},
	{"a carton among codes",
		"item,description,uom,case qty,net price usd,on hand\n1,Pen,CTN,24,12.00,5\n2,Pad,EA,24,1.10,5\n", "",
		"1 0.50 USD 5\n2 1.10 USD 5", 0},
	{"in cents", "sku,name,cost in cents (USD),stock\n1,Pin,250,5\n", "", "1 2.50 USD 5", 0},
	{"by the kilogram", "sku,name,price per kg eur,stock\n1,Clay,3.20,5\n", "measure=1", "1 3.20 EUR 5", 0},
	{"a row of units", "sku,name,price,weight,stock\n,,EUR/100 pcs,kg,pcs\n1,Pin,2.50,0.1,500\n", "", "1 0.03 EUR 500",
		0},
	{"a category's line says it",
		"sku,name,cost eur,stock\nPINS (price per 100),,,\n1,Pin,2.50,500\nTOOLS (price each),,,\n2,Saw,9.50,5\n", "",
		"1 0.03 EUR 500\n2 9.50 EUR 5", 0},
	{"prices by quantity", "sku,name,1-9,10-49,50+,stock,currency\n1,Mug,3.00,2.80,2.50,40,EUR\n", "cost=2",
		"1 3.00 EUR 40", 0},
	{"prices by quantity, called prices",
		"sku,name,Price 1-9 EUR,Price 10-49 EUR,Price 50+ EUR,stock\n1,Mug,3.00,2.80,2.50,40\n", "", "1 3.00 EUR 40",
		0},
	{"from ten on", "sku,name,price from 100 eur,price from 10 eur,stock\n1,Mug,2.50,2.80,40\n", "", "1 2.80 EUR 40",
		0},
	{"a price a piece beside its unit", "sku,name,trade price,stock\n1,Mug,€3.00/pc,40\n2,Pin,€3.00/100,40\n", "",
		"1 3.00 EUR 40\n2 0.03 EUR 40", 0},

	// Currencies.
	{"a dollar that is not said", "sku,name,cost,stock\n1,Mug,$3.00,40\n", "sign $=CAD", "1 3.00 CAD 40", 0},
	{"a dollar in a list in euro", "sku,name,cost eur,stock\n1,Mug,3.00,40\n2,Pot,$4.00,40\n", "sign $=USD",
		"1 3.00 EUR 40\n2 4.00 USD 40", 0},
	{"goods that are called as currencies",
		"PEN AND PAPER WHOLESALE\nMOP AND BROOM CO\nSKU,Name,Mop price,Stock\n1,Mop,2.50,9\n", "currency=GBP",
		"1 2.50 GBP 9", 0},
	{"a currency that is rare", "SKU,Name,Cost (PEN),Stock\n1,Mop,2.50,9\n", "", "1 2.50 PEN 9", 0},
	{"no currency at all", "sku,name,cost,stock\n1,Mug,3.00,40\n", "currency=EUR", "1 3.00 EUR 40", 0},
	{"the letterhead says it",
		"Harbour Wholesale\nAll prices in GBP excluding VAT\n\nsku,name,cost,stock\n1,Mug,3.00,40\n", "",
		"1 3.00 GBP 40", 0},
	{"a crown that is Czech", "Kód;Název;Nákupní cena Kč;Skladem\n1;Hrnek;120,50;4\n", "", "1 120.50 CZK 4", 0},
	{"a crown that may be of three countries", "Artikelnr;Benämning;Inköpspris kr;Lager\n1;Mugg;120,50;4\n",
		"sign kr=SEK", "1 120.50 SEK 4", 0},
	{"Turkish lira", "Stok kodu;Ürün adı;Alış fiyatı TL;Stok\n1;Bardak;120,50;4\n", "", "1 120.50 TRY 4", 0},
	{"renminbi", "货号,品名,批发价 RMB,库存\n1,杯子,12.50,40\n", "", "1 12.50 CNY 40", 0},
	{"Hong Kong dollars in the cells", "sku,name,cost,stock\n1,Mug,HK$30.00,40\n", "", "1 30.00 HKD 40", 0},
	{"zloty after the number", "Kod;Nazwa;Cena hurtowa;Stan\n1;Kubek;12,50 zł;4\n", "", "1 12.50 PLN 4", 0},
	{"rand and ringgit", "sku,name,cost,stock\n1,Mug,R 30.00,40\n2,Pot,RM 12.00,40\n", "",
		"1 30.00 ZAR 40\n2 12.00 MYR 40", 0},
	{"forints", "Cikkszám;Megnevezés;Nagyker ár Ft;Készlet\n1;Bögre;1250;4\n", "", "1 1250.00 HUF 4", 0},
	{"cost and list in two currencies", "sku,name,cost usd,rrp gbp,stock\n1,Mug,3.00,9.99,40\n", "", "1 3.00 USD 40",
		0},

	// Numbers.
	{"thousands or decimals", "sku;name;cost eur;stock\n1;Pump;1,250;2\n2;Boat;2,400;1\n", "decimal=.",
		"1 1250.00 EUR 2\n2 2400.00 EUR 1", 0},
	{"lakhs", "sku,name,cost inr,stock\n1,Loom,\"1,29,900.00\",2\n", "", "1 129900.00 INR 2", 0},
	{"yen have no decimals", "sku,name,cost jpy,stock\n1,Pump,\"1,250\",2\n", "", "1 1250 JPY 2", 0},
	{"what is no price",
		"sku,name,cost eur,stock\n1,A,TRUE,2\n2,B,50 %,2\n3,C,2026-12-01,2\n4,D,1.2E+03,2\n5,E,4.00,2\n", "",
		"5 4.00 EUR 2", 4},
	{"a file that is cut short", "sku,name,stock,cost eur\n1,Mug,4,12.50\n2,Pot,4,1", "", "1 12.50 EUR 4", 1},

	// Shape.
	{"a header that ends in a comma", "sku,name,cost eur,stock,\n1,Mug,3.00,4,\n2,\"Pot\",4.00,5,\n3,Pan, big,5.00,6\n",
		"", "1 3.00 EUR 4\n2 4.00 EUR 5", 1},
	{"a parent row, and children without a title",
		"sku,name,colour,cost eur,stock\nP1,Rain cape,,,\nP1-R,,red,11.00,4\nP1-B,,blue,11.50,5\nP2,Bell,,3.00,9\n", "",
		"P1-R 11.00 EUR 4\nP1-B 11.50 EUR 5\nP2 3.00 EUR 9", 0},
	{"a row that goes on below",
		"sku,name,cost eur,stock\n1,Mug with a handle,3.00,4\n,and a lid of cork,,\n2,Pot,4.00,5\n", "",
		"1 3.00 EUR 4\n2 4.00 EUR 5", 1},
	{"a family is no product", "family,sku,name,cost eur,stock\nKitchen,1,Mug,3.00,4\nKitchen,2,Pot,4.00,5\n", "",
		"1 3.00 EUR 4\n2 4.00 EUR 5", 0},
	{"a model of many goods", "model,sku,name,cost eur,stock\nM1,1,Mug,3.00,4\nM1,2,Pot,4.00,5\nM1,3,Pan,4.00,5\n", "",
		"1 3.00 EUR 4\n2 4.00 EUR 5\n3 4.00 EUR 5", 0},
	{"the header below row 40", strings.Repeat("Terms of trade apply\n", 45) +
		"sku,name,cost eur,stock\n1,Mug,3.00,4\n", "", "1 3.00 EUR 4", 0},

	// Stock in words.
	{"in stock, low, none",
		"sku,name,cost eur,availability\n1,Mug,3.00,In stock\n2,Pot,4.00,Low\n3,Pan,4.00,Out of stock\n4,Lid,4.00,On " +
			"request\n5,Pin,1.00,>100\n", "stock yes=20; stock low=2",
		"1 3.00 EUR 20\n2 4.00 EUR 2\n3 4.00 EUR 0\n4 4.00 EUR 0\n5 1.00 EUR 100", 0},
	{"ja und nein", "Artikelnr;Bezeichnung;EK €;lieferbar\n1;Kanne;4,10;ja\n2;Krug;5,10;nein\n",
		"stock=3; stock yes=10", "1 4.10 EUR 10\n2 5.10 EUR 0", 0},
	{"Polish words", "Kod;Nazwa;Cena zakupu PLN;Dostępność\n1;Kubek;4,10;dostępny\n2;Garnek;5,10;brak\n",
		"stock yes=10", "1 4.10 PLN 10\n2 5.10 PLN 0", 0},
	{"an odd list price costs only itself", "sku,name,cost eur,rrp eur,stock\n1,Mug,3.00,ask us,4\n", "",
		"1 3.00 EUR 4", 0},

	// Names as programs write them, and figures beside their units.
	{"words without a space", "PartNumber,Desc,ListPrice,YourPrice,QtyOnHand\nP-1,Mug,5.00,2.50,10\n", "currency=GBP",
		"P-1 2.50 GBP 10", 0},
	{"a currency for each price", "SKU;Name;RRP;RRP Currency;Cost;Cost Currency;Stock\n1;Mug;5.00;GBP;2.50;USD;9\n", "",
		"1 2.50 USD 9", 0},
	{"pieces by carton", "SKU;Titel;Einkaufspreis pro Karton EUR;Stück/Karton;Verfügbar\n1;Becher;24.00;12;5\n", "",
		"1 2.00 EUR 5", 0},
	{"quantities alone as headers", "SKU,Name,1 pc,10 pcs,100 pcs,Stock,Currency\nA,Mug,2.50,2.00,1.50,7,EUR\n",
		"cost=2", "A 2.50 EUR 7", 0},
	{"for a hundred or from a hundred on", "SKU,Name,Net price 100 pcs EUR,Stock\nA,Pin,2.50,700\n", "pack_size=100",
		"A 0.03 EUR 700", 0},
	{"a weight with its unit beside", "SKU,Name,Weight,Unit,Cost EUR,Stock\n1,Mug,350,g,2.50,9\n2,Pot,1.2,kg,5.50,9\n",
		"", "1 2.50 EUR 9\n2 5.50 EUR 9", 0},
	{"packages with their number",
		"SKU,Name,UOM,Cost EUR,Stock\n1,Pen,BX12,6.00,9\n2,Pad,M,1.00,9\n3,Ink,Case of 6,6.00,9\n", "",
		"1 0.50 EUR 9\n3 1.00 EUR 9", 1},
	{"cents, above the columns", "All prices in cents\nSKU,Name,Cost EUR,Stock\n1,Mug,250,9\n", "", "1 2.50 EUR 9", 0},
	{"a net content is no cost", "SKU,Name,Net content,Price EUR,Stock\n1,Soap,350,2.50,9\n2,Oil,750,5.50,9\n", "",
		"1 2.50 EUR 9\n2 5.50 EUR 9", 0},
	{"trade and retail quantities are no prices",
		"SKU,Name,Trade pack qty,Retail qty,Price EUR,Stock\n1,Soap,12,6,2.50,9\n", "price_for=piece", "1 2.50 EUR 9",
		0},
	{"old numbers are no prices",
		"SKU,Name,Old article number,Dealer reference,Price " +
			"EUR,Stock\n1,Soap,40012,77003,2.50,9\n2,Oil,40013,77004,3.50,9\n", "", "1 2.50 EUR 9\n2 3.50 EUR 9", 0},
	{"net and nothing else", "SKU,Name,Net,Gross,Stock,Currency\n1,Soap,2.50,3.00,9,EUR\n", "", "1 2.50 EUR 9", 0},
	{"an article that is a name", "Nr;Artikel;Preis EUR;Menge\n1;Becher;2,50;12\n", "", "1 2.50 EUR 12", 0},
	{"two stocks", "sku,title,cost eur,stock EU,stock US\n1,Mug,3.00,4,5\n", "stock=4", "1 3.00 EUR 5", 0},
	{"about twenty, and nothing", "sku,title,cost eur,stock\n1,Mug,3.00,ca. 20\n2,Pot,3.00,\n", "",
		"1 3.00 EUR 20\n2 3.00 EUR 0", 0},
	{"a least price beside the price", "sku,title,minimum price eur,price eur,stock\n1,Mug,9.00,3.00,9\n", "",
		"1 3.00 EUR 9", 0},
	{"a currency by the piece", "SKU,Name,EUR/pc,Stock\n1,Mug,12.00,9\n", "", "1 12.00 EUR 9", 0},
	{"in stock, with a number",
		"sku,name,cost gbp,stock status\n1,Mug,2.50,In Stock (5+)\n2,Pot,2.50,Discontinued\n3,Pan,2.50,on its way\n",
		"", "1 2.50 GBP 5\n2 2.50 GBP 0\n3 2.50 GBP 0", 0},

	// Other languages.
	{"French", "Référence;Désignation;Prix d'achat HT €;Prix public TTC €;Stock\n1;Bol;3,20;7,90;4\n", "",
		"1 3.20 EUR 4", 0},
	{"Spanish", "Referencia;Nombre;PVP €;Precio de compra €;Existencias\n1;Taza;7,90;3,20;4\n", "", "1 3.20 EUR 4", 0},
	{"Italian", "Codice;Descrizione articolo;Prezzo di listino €;Prezzo di acquisto €;Giacenza\n1;Tazza;7,90;3,20;4\n",
		"", "1 3.20 EUR 4", 0},
	{"Dutch", "Artikelcode;Omschrijving;Adviesprijs €;Inkoopprijs €;Voorraad\n1;Mok;7,90;3,20;4\n", "", "1 3.20 EUR 4",
		0},
	{"Danish", "Varenummer;Navn;Vejl. pris DKK;Indkøbspris DKK;På lager\n1;Krus;79,00;32,00;4\n", "", "1 32.00 DKK 4",
		0},
	{"Russian", "Артикул;Наименование;Розничная цена RUB;Оптовая цена RUB;Остаток\n1;Кружка;790,00;320,00;4\n", "",
		"1 320.00 RUB 4", 0},
	{"Japanese", "品番,商品名,定価 JPY,仕入価格 JPY,在庫\n1,マグ,790,320,4\n", "", "1 320 JPY 4", 0},
	{"Korean", "상품코드,상품명,소비자가 KRW,공급가격 KRW,재고\n1,머그,7900,3200,4\n", "", "1 3200 KRW 4", 0},
}

// read reads a list as a person would import it, and returns how often it had to be corrected.
func (s stranger) read(t *testing.T, content []byte) (got string, rejected, asked int) {
	t.Helper()
	look, err := Analyze(t.Context(), file(t, content), nil, Hints{Currency: "USD", Supplier: "Test"})
	must(t, err)
	answers := map[string]string{}
	for pair := range strings.SplitSeq(s.answers, ";") {
		if key, value, found := strings.Cut(pair, "="); found {
			answers[strings.TrimLeft(key, " ")] = value
		}
	}
	l := answered(t, content, look, answers)
	for key := range l.Answers {
		delete(answers, key)
	}
	if len(answers) > 0 {
		t.Errorf("was not asked: %v (%+v)", answers, look.Columns)
	}
	l.Country, l.Processing = "DE", landed.Days{}
	if field, reason := l.Check(); reason != "" {
		t.Fatalf("%s: %s (%+v)", field, reason, l.Columns)
	}
	offers, items, _ := all(t, content, &l)
	var lines []string
	for _, o := range offers {
		for _, v := range o.Variants {
			lines = append(lines, fmt.Sprintf("%s %s %d", v.Number, v.Cost, v.Stock))
		}
	}
	for _, a := range items {
		t.Logf("rejected %s: %s", a.Position, a.Reason)
	}
	return strings.Join(lines, "\n"), len(items), len(l.Answers)
}

// No cost, currency or stock is wrong without a question, and a list needs one correction at most, on average.
func TestListsOfStrangers(t *testing.T) {
	if len(strangers) < 60 {
		t.Fatalf("only %d lists", len(strangers))
	}
	asked := 0
	for _, s := range strangers {
		t.Run(s.name, func(t *testing.T) {
			got, rejected, questions := s.read(t, []byte(s.text))
			asked += questions
			if got != s.want || rejected != s.reject {
				t.Errorf("got\n%s\n%d rejected, want\n%s\n%d rejected", got, rejected, s.want, s.reject)
			}
		})
	}
	t.Logf("%d questions for %d lists", asked, len(strangers))
	if asked > len(strangers) {
		t.Errorf("%d questions for %d lists", asked, len(strangers))
	}
}

// A workbook says of its cells what a text file cannot.
func TestWorkbooksOfStrangers(t *testing.T) {
	book := func(rows [][]any, change func(*excelize.File)) []byte {
		return workbookOf(t, []string{"Sheet"}, [][][]any{rows}, change)
	}
	format := func(code, from, to string) func(*excelize.File) {
		return func(f *excelize.File) {
			style, err := f.NewStyle(&excelize.Style{CustomNumFmt: &code})
			must(t, err)
			must(t, f.SetCellStyle("Sheet", from, to, style))
		}
	}
	for _, c := range []struct {
		stranger
		content []byte
	}{
		{stranger{name: "numbers are numbers beside texts with commas", answers: "currency=EUR",
			want: "1 1.23 EUR 3\n2 1250.50 EUR 4\n3 4.20 EUR 5"},
			book([][]any{{"sku", "name", "cost", "stock"}, {"1", "Mug", 1.234, 3}, {"2", "Pump", "1.250,50", 4},
				{"3", "Pot", "4,20", 5}}, nil)},
		{stranger{name: "the number format names the currency", want: "1 3.00 EUR 3\n2 4.00 EUR 4"},
			book([][]any{{"sku", "name", "cost", "stock"}, {"1", "Mug", 3, 3}, {"2", "Pot", 4, 4}},
				format("#,##0.00 [$€-407]", "C2", "C3"))},
		{stranger{name: "a format of the Australian dollar", want: "1 3.00 AUD 3"},
			book([][]any{{"sku", "name", "cost", "stock"}, {"1", "Mug", 3, 3}},
				format("[$$-C09]#,##0.00", "C2", "C2"))},
		{stranger{name: "leading zeros of a format stay", want: "00123 3.00 EUR 3"},
			book([][]any{{"sku", "name", "cost eur", "stock"}, {123, "Mug", 3, 3}}, format("00000", "A2", "A2"))},
		{stranger{name: "truth and shares are no prices", want: "3 4.00 EUR 3", reject: 2},
			book([][]any{{"sku", "name", "cost eur", "stock"}, {"1", "Mug", true, 3}, {"2", "Pot", 0.5, 3},
				{"3", "Pan", 4, 3}}, format("0%", "C3", "C3"))},
		{stranger{name: "rows are counted as in the sheet", want: "1 3.00 EUR 3", reject: 1},
			book([][]any{{"sku", "name", "cost eur", "stock"}, {}, {}, {"1", "Mug", 3, 3}, {},
				{"2", "Pot", "ask us", 3}}, nil)},
	} {
		t.Run(c.name, func(t *testing.T) {
			got, rejected, _ := c.read(t, c.content)
			if got != c.want || rejected != c.reject {
				t.Errorf("got\n%s\n%d rejected, want\n%s\n%d rejected", got, rejected, c.want, c.reject)
			}
		})
	}
}

// Encodings by the words that they make; the last is bytes that no encoding but UTF-8 explains.
func TestEncodingsOfStrangers(t *testing.T) {
	for name, text := range map[string]string{
		"windows-1250": "Kód;Název;Nákupní cena CZK;Skladem\n1;Hrnek žlutý, šedý;120,50;4\n2;Příbor růžový;99,00;3\n",
		"windows-1251": "Артикул;Наименование;Оптовая цена RUB;Остаток\n1;Кружка синяя;320,00;4\n2;Чайник " +
			"большой;520,00;4\n",
		"windows-1252": "Artikelnr;Bezeichnung;Händlerpreis EUR;Verfügbar\n1;Gießkanne grün;3,20;4\n2;Töpfe;4,20;4\n",
		"windows-1254": "Stok kodu;Ürün adı;Alış fiyatı TRY;Stok\n1;Bardak ışıklı;120,50;4\n2;Şişe yeşil;99,50;4\n",
		"gbk":          "货号,品名,批发价 RMB,库存\n1,杯子,12.50,40\n2,水壶不锈钢,22.50,40\n",
		"shift_jis":    "品番,商品名,仕入価格 JPY,在庫\n1,マグカップ,320,4\n2,やかん,520,4\n",
		"big5":         "編號,品名,批發價 TWD,庫存\n1,杯子,120,40\n2,不鏽鋼水壺,220,40\n",
	} {
		e, err := htmlindex.Get(name)
		must(t, err)
		content, err := e.NewEncoder().String(text)
		must(t, err)
		got, _, err := encodingOf(file(t, []byte(content)), "")
		if must(t, err); got != name {
			t.Errorf("%s is taken for %s", name, got)
		}
		if said, _, _ := encodingOf(file(t, []byte(content)), "iso-8859-2"); said != "iso-8859-2" {
			t.Errorf("%s: what a server or a person says does not stand", name)
		}
	}
	oneBad := []byte("sku,name,cost eur,stock\n1,Gießkanne für Töpfe,3.00,4\n2,B\xe4r,4.00,4\n")
	if got, _, _ := encodingOf(file(t, oneBad), ""); got != UTF8 {
		t.Errorf("one bad byte makes it %s", got)
	}
}

// What a list says that no offer holds is told, with the way on.
func TestWhatIsNotReadIsTold(t *testing.T) {
	for name, c := range map[string]struct{ text, note, unread, doubt string }{
		"sizes as columns": {"sku,name,cost eur,S,M,L\n1,Shirt,3.00,4,5,6\n", "seem to hold the stock of each size",
			"S", "does not say how many"},
		"sizes in one cell": {"sku,name,size,cost eur,stock\n1,Shirt,\"S, M, L\",3.00,4\n",
			"holds several values in one cell", "", ""},
		"delivery charges": {"sku,name,cost eur,stock,freight eur\n1,Mug,3.00,4,5.00\n", "Say under Delivery",
			"freight eur", ""},
		"ships from": {"sku,name,cost eur,stock,ships from\n1,Mug,3.00,4,DE\n",
			"one list ships from one country", "ships from", ""},
		"a least order": {"sku,name,moq,cost eur,stock\n1,Mug,6,3.00,4\n", "", "",
			"The supplier sells at least 6 at once."},
		"a barcode of zeros":  {"sku,name,ean,cost eur,stock\n1,Mug,0000000000000,3.00,4\n", "", "", "all zeros"},
		"a barcode cut short": {"sku,name,ean,cost eur,stock\n1,Mug,4.00638E+12,3.00,4\n", "", "", "has lost digits"},
		"a barcode on many": {
			"sku,name,ean,cost eur,stock\n1,Mug,4006381333931,3.00,4\n2,Pot,4006381333931,3.00,4\n" +
				"3,Pan,4006381333931,3.00,4\n4,Lid,4006381333931,3.00,4\n", "", "", "stands on several products"},
	} {
		t.Run(name, func(t *testing.T) {
			look, err := Analyze(t.Context(), file(t, []byte(c.text)), nil, Hints{Supplier: "x"})
			must(t, err)
			if notes := strings.Join(look.Notes, "\n"); !strings.Contains(notes, c.note) {
				t.Errorf("%q is not among %q", c.note, notes)
			}
			if unread := fmt.Sprint(look.Unread); !strings.Contains(unread, c.unread) {
				t.Errorf("%s is not named among %s", c.unread, unread)
			}
			if len(look.Preview) == 0 ||
				!strings.Contains(strings.ToLower(look.Preview[0].Variants[0].Error), strings.ToLower(c.doubt)) {
				t.Errorf("%+v", look.Preview)
			}
		})
	}
}

// A line that nobody has is rejected alone, and rows keep their own lines.
func TestALineOfAMegabyteCostsItself(t *testing.T) {
	text := "sku,name,cost eur,stock\n1,Mug,3.00,4\n2," + strings.Repeat("x", 2<<20) +
		",3.00,4\n3,Pot,ask us,4\n4,Pan,5.00,4\n"
	look, err := Analyze(t.Context(), file(t, []byte(text)), nil, Hints{Supplier: "x"})
	must(t, err)
	look.Layout.Country, look.Layout.Processing = "DE", landed.Days{}
	offers, rejected, _ := all(t, []byte(text), &look.Layout)
	if len(offers) != 2 || len(rejected) != 2 || rejected[0].Position != "row 3" || rejected[0].Reason != lineTooLong ||
		rejected[1].Position != "row 4" {
		t.Errorf("%d offers, %+v", len(offers), rejected)
	}
}

// The signs of currencies against the narrow symbols of the Unicode CLDR, by golang.org/x/text: where a sign of ours
// is one of those, it stands for a currency that has it.
func TestSignsOfCurrencies(t *testing.T) {
	narrow := map[string][]string{}
	for _, c := range money.Currencies() {
		unit, err := currency.ParseISO(c.String())
		if err != nil {
			continue
		}
		sign := strings.ToLower(fmt.Sprint(currency.NarrowSymbol(unit)))
		narrow[sign] = append(narrow[sign], c.String())
	}
	checked := 0
	for sign, code := range signs {
		if of := narrow[sign]; len(of) > 0 {
			checked++
			if !slices.Contains(of, code) {
				t.Errorf("%s is %s, by the CLDR %v", sign, code, of)
			}
		}
	}
	for sign, codes := range sharedSigns {
		for _, code := range codes {
			if code == "INR" && sign == "rs" || code == "CAD" && sign == "c$" {
				continue // common practice
			}
			if of := narrow[sign]; len(of) > 0 {
				checked++
				if !slices.Contains(of, code) {
					t.Errorf("%s may be %s, by the CLDR it is one of %v", sign, code, of)
				}
			}
		}
	}
	if checked < 15 {
		t.Errorf("only %d signs were checked", checked)
	}
}
