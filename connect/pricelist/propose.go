package pricelist

import (
	"regexp"
	"slices"
	"strings"
	"unicode"

	"golang.org/x/text/unicode/norm"

	"plainpelican/core/gtin"
	"plainpelican/core/money"
)

// headerWords are what suppliers call the fields, in some languages of the trade.
var headerWords = map[Field][]string{
	Number: {"sku", "item number", "item no", "item code", "item", "article number", "article no", "article", "art no",
		"art nr", "artnr", "part number", "part no", "product code", "code", "reference", "ref", "stock code",
		"supplier sku", "variant sku", "model no",
		"artikelnummer", "artikelnr", "artikel nr", "bestellnummer", "bestell nr", "référence", "référence article",
		"code article", "referencia", "código", "codigo", "artikelcode", "bestelnummer", "codice", "codice articolo",
		"no", "nr", "item id", "product number", "varenummer", "varenr", "artikelnr", "art nr", "tuotenumero", "indeks",
		"symbol", "kod", "kod produktu", "kód", "katalogové číslo", "cikkszám", "cod", "cod produs", "ürün kodu",
		"stok kodu", "артикул", "код", "货号", "编号", "型号", "商品编号", "品番", "商品コード", "품번", "상품코드"},
	Parent: {"parent", "parent sku", "parent number", "parent code", "product number", "product no", "product id",
		"style number", "style no", "style code", "model", "model number", "master sku", "master", "handle",
		"hauptartikel", "vaterartikel", "modell", "modellnummer", "modelnummer", "modèle", "modelo", "modello",
		"hoofdartikel"},
	Title: {"title", "name", "product name", "item name", "product", "product title", "item description",
		"short description", "article name", "description 1", "bezeichnung", "artikelbezeichnung", "artikelname",
		"produktname", "produkt", "titel", "désignation", "libellé", "nom", "nom du produit", "produit",
		"nombre", "nombre del producto", "producto", "artículo", "naam", "productnaam", "omschrijving", "nome",
		"nome prodotto", "prodotto", "denominazione", "desc", "descrizione articolo", "benämning", "produktnamn",
		"varenavn", "navn", "produktnavn", "tuote", "nimi", "nazwa", "nazwa produktu", "název", "název produktu",
		"megnevezés", "terméknév", "denumire", "nume produs", "ürün", "ürün adı", "наименование", "название", "товар",
		"品名", "名称", "产品名称", "商品名称", "商品名", "製品名", "상품명", "품명", "goods"},
	Description: {"description", "long description", "details", "product description", "full description", "text",
		"features", "beschreibung", "produktbeschreibung", "langtext", "description longue", "descripción",
		"descripcion", "beschrijving", "lange omschrijving", "descrizione"},
	Category: {"category", "product group", "department", "range", "section", "product type", "type",
		"product category", "product family", "family", "product range", "warengruppe", "kategorie", "kategoria",
		"категория", "类别", "分类", "カテゴリ", "카테고리", "produktgruppe", "sortiment", "catégorie", "famille", "rayon",
		"categoría", "categoria", "familia", "categorie", "productgroep"},
	Brand: {"brand", "manufacturer", "make", "vendor", "maker", "marke", "hersteller", "marque", "fabricant",
		"marca", "fabricante", "varumärke", "mærke", "merke", "marka", "značka", "márka", "бренд", "品牌", "ブランド", "브랜드",
		"merk", "fabrikant", "produttore"},
	Cost: {"cost", "price", "unit price", "net price", "net", "trade price", "wholesale price", "wholesale",
		"your price", "dealer price", "unit cost", "purchase price", "buy price", "price net", "cost price",
		"price each", "each", "piece price", "net cost", "pack price", "price per pack", "case price", "price pack",
		"nett", "nett price", "ws price",
		"ek", "ek preis", "ek netto", "einkaufspreis", "händlerpreis", "nettopreis", "preis", "stückpreis",
		"vk netto händler", "prix", "prix net", "prix ht", "prix d achat", "prix unitaire", "tarif", "precio",
		"precio neto", "precio unitario", "coste", "inkoopprijs", "prijs", "nettoprijs", "stuksprijs", "prezzo",
		"prezzo netto", "costo", "prezzo unitario"},
	Currency: {"currency", "curr", "ccy", "cur", "währung", "devise", "monnaie", "moneda", "divisa", "valuta", "munt",
		"waluta", "měna", "pénznem", "monedă", "para birimi", "валюта", "币种", "货币", "通貨", "통화"},
	Pack: {"pack", "pack size", "pack qty", "pack quantity", "units per pack", "pcs per pack", "pieces per pack",
		"case qty", "case size", "units per case", "qty per pack", "inner", "inner qty", "carton qty", "per pack",
		"vpe", "verpackungseinheit", "ve", "stück je ve", "inhalt", "antal i pakke", "antal per förpackning",
		"ilość w opakowaniu", "v balení", "db csomag", "штук в упаковке", "装箱数", "每箱数量", "入数", "입수", "pieces in pack",
		"pcs in pack", "pcs ctn", "pcs per carton", "units per carton", "qty per carton", "qty per case",
		"pieces per carton", "pieces per case", "pieces per box", "stück je karton", "contenu", "colisage", "pcb",
		"stück pro packung", "stück je packung", "conditionnement", "unités par lot", "uds por paquete",
		"unidades por caja", "verpakkingseenheid", "stuks per pak", "confezione", "pezzi per confezione"},
	Stock: {"stock", "qty", "quantity", "available", "available stock", "stock level", "stock qty", "inventory",
		"on hand", "qty available", "in stock", "free stock", "availability", "soh", "bestand", "lagerbestand", "lager",
		"verfügbar", "menge", "lagermenge", "på lager", "i lager", "antal", "lagersaldo", "saldo", "lagerstatus",
		"varasto", "stan", "stan magazynowy", "ilość", "dostępność", "sklad", "skladem", "dostupnost", "množství",
		"készlet", "raktárkészlet", "stoc", "stok", "adet", "наличие", "остаток", "склад", "количество", "库存", "库存数量",
		"现货", "数量", "在庫", "在庫数", "재고", "재고수량", "stock status", "lieferstatus", "verfügbarkeit", "availability status",
		"verfügbare menge",
		"quantité", "stock disponible", "disponible", "dispo", "existencias", "cantidad", "voorraad", "aantal",
		"giacenza", "disponibilità", "quantità"},
	Barcode: {"barcode", "ean", "ean13", "ean 13", "ean code", "gtin", "gtin 13", "upc", "upc code", "isbn",
		"bar code", "strichcode", "code barres", "code ean", "codigo de barras", "código de barras", "streepjescode",
		"codice a barre", "codice ean", "viivakoodi", "kod kreskowy", "čárový kód", "vonalkód", "cod de bare", "barkod",
		"штрихкод", "条码", "条形码", "バーコード", "jan", "jan コード", "바코드"},
	Weight: {"weight", "net weight", "gross weight", "weight g", "weight kg", "wt", "grams", "weight grams",
		"gewicht", "gewicht g", "gewicht kg", "poids", "poids net", "poids brut", "peso", "peso neto", "massa", "vikt",
		"vægt", "vekt", "paino", "waga", "hmotnost", "súly", "greutate", "ağırlık", "вес", "重量", "净重", "毛重", "중량",
		"shipping weight", "unit weight", "item weight", "artikelgewicht", "nettogewicht", "bruttogewicht", "weight lb",
		"weight lbs", "weight oz"},
	MinAdvertised: {"map", "minimum advertised price", "min advertised price", "map price", "minimum price",
		"lowest advertised price", "min price", "mindestpreis", "minimum resale price", "prix minimum",
		"precio mínimo"},
	List: {"rrp", "list price", "retail", "retail price", "msrp", "srp", "recommended price",
		"recommended retail price", "list", "suggested retail", "suggested retail price", "uvp", "listenpreis",
		"empf vk", "vk", "verkaufspreis", "prix public", "prix conseillé", "ppc", "pvp", "pvpr", "precio de venta",
		"adviesprijs", "verkoopprijs", "список", "prezzo consigliato", "prezzo di listino", "listino"},
	Picture: {"image", "picture", "photo", "image url", "picture url", "image link", "main image", "image 1",
		"photo url", "images", "pictures", "image file", "bild", "bild url", "bild 1", "bilder", "foto",
		"image principale", "imagen", "afbeelding", "immagine"},
	Page: {"url", "link", "product url", "product link", "product page", "page", "web page", "website",
		"produktlink", "lien", "enlace"},
	MinOrder: {"moq", "minimum order", "minimum order quantity", "min order", "min order qty", "minimum qty",
		"min qty", "mindestmenge", "mindestabnahme", "mindestbestellmenge"},
	PriceFor: {"price unit", "pricing unit", "price per", "price basis", "price qty", "price quantity", "uom",
		"unit of measure", "unit", "units", "sales unit", "selling unit", "sold by", "pe", "preiseinheit", "einheit",
		"me", "mengeneinheit", "verkaufseinheit", "unité", "unité de prix", "unité de vente", "unidad",
		"unidad de medida", "eenheid", "prijseenheid", "unità", "um", "u m", "enhed", "enhet", "prisenhed", "prisenhet",
		"yksikkö", "jednostka", "jm", "j m", "jednotka", "mj", "egység", "birim", "ед", "ед изм", "单位", "計量單位", "単位",
		"단위"},
	Option: {"colour", "color", "size", "style", "flavour", "flavor", "scent", "capacity", "length", "pattern",
		"finish", "farbe", "größe", "grösse", "groesse", "couleur", "taille", "pointure", "color variante", "talla",
		"tamaño", "kleur", "maat", "colore", "taglia", "misura", "variant", "variante", "option", "shade", "färg",
		"farve", "farge", "storlek", "størrelse", "väri", "koko", "kolor", "rozmiar", "barva", "velikost", "szín",
		"méret", "culoare", "mărime", "renk", "beden", "цвет", "размер", "颜色", "尺码", "规格", "色", "サイズ", "カラー", "색상",
		"사이즈",
		"ausführung", "volume", "width", "diameter", "teinte"},
}

// plain lowers a header, takes accents and signs off it, and leaves words.
func plain(header string) string {
	var b strings.Builder
	for _, r := range norm.NFKD.String(strings.ToLower(apart(header))) {
		switch {
		case unicode.Is(unicode.Mn, r):
		case strokes[r] != "":
			b.WriteString(strokes[r])
		case unicode.IsLetter(r) || unicode.IsDigit(r):
			b.WriteRune(r)
		default:
			b.WriteByte(' ')
		}
	}
	return norm.NFC.String(strings.Join(strings.Fields(b.String()), " "))
}

// apart puts a space between the words of a header such as ListPrice.
func apart(header string) string {
	var before rune
	for i, r := range header {
		if unicode.IsUpper(r) && unicode.IsLower(before) && i > 2 { // MwSt is one word
			return header[:i] + " " + apart(header[i:])
		}
		before = r
	}
	return header
}

// strokes are letters that Unicode does not take apart.
var strokes = map[rune]string{'ß': "ss", 'ø': "o", 'ł': "l", 'đ': "d", 'æ': "ae", 'œ': "oe", 'ı': "i"}

// lexicon maps the plain form of each header word to its field.
var lexicon = func() map[string]Field {
	all := map[string]Field{}
	for _, f := range Fields {
		for _, w := range headerWords[f] {
			if p := plain(w); p != "" {
				if _, taken := all[p]; !taken {
					all[p] = f
				}
			}
		}
	}
	return all
}()

// codes are taken off a header before it is looked up: "Price EUR" is a price.
func withoutUnits(words []string) []string {
	return slices.DeleteFunc(slices.Clone(words), func(w string) bool {
		if _, err := money.ParseCurrency(strings.ToUpper(w)); err == nil && len(w) == 3 && w != "all" && w != "top" &&
			w != "try" {
			return true
		}
		return slices.Contains([]string{"g", "kg", "pcs", "stk", "lb", "lbs", "oz", "cm", "mm", "excl", "vat", "ex",
			"ht", "exkl", "mwst", "per", "in", "incl"}, w)
	})
}

// figures are the fields whose columns hold prices or counts: what their headers' roles say stands above the words.
var figures = []Field{Cost, List, MinAdvertised, Stock, Pack, MinOrder}

// byHeader scores what a header says about each field, 0 to 1.
func byHeader(header string) map[Field]float64 {
	words := strings.Fields(plain(header))
	scores := map[Field]float64{}
	add := func(f Field, score float64) { scores[f] = max(scores[f], score) }
	exact := false
	if f, ok := lexicon[strings.Join(words, " ")]; ok {
		add(f, 1)
		exact = !slices.Contains(figures, f)
	}
	words = withoutUnits(words)
	if f, ok := lexicon[strings.Join(words, " ")]; ok {
		add(f, 0.98)
		exact = exact || !slices.Contains(figures, f)
	}
	for n := min(len(words), 4); n >= 1; n-- { // the longest run of words that is known
		for i := 0; i+n <= len(words); i++ {
			if f, ok := lexicon[strings.Join(words[i:i+n], " ")]; ok {
				score := 0.55 + 0.35*float64(n)/float64(len(words))
				if i+n == len(words) {
					score += 0.03 // the last word says what it is: "supplier colour"
				}
				add(f, score)
			}
		}
	}
	if exact {
		return scores
	}
	if all := strings.Fields(plain(header)); packed(all) {
		add(Pack, 0.95)
		return scores
	}
	role := roleOf(header)
	if role == noRole {
		return scores
	}
	stock := scores[Stock]
	for _, f := range figures {
		if f == Pack && role == minimum && scores[Pack] < 0.98 || f != Pack {
			delete(scores, f)
		}
	}
	switch role {
	case buying, price, taxed:
		for _, f := range []Field{Title, Number, Parent, Category, Brand, Description, Option, PriceFor} {
			if scores[f] < 0.98 {
				delete(scores, f)
			}
		}
		add(Cost, 0.95)
	case selling:
		if len(scores) == 0 || maximum(scores) < 0.98 {
			clear(scores)
			add(List, 0.95)
		}
	case least:
		clear(scores)
		add(MinAdvertised, 1)
	case minimum:
		add(MinOrder, 1)
	case date, position: // "available from", "position": the stock of a list may be called so nevertheless
		if role == position && stock >= 0.9 {
			add(Stock, stock)
		}
	case priceGroup, other, tax, postage, deposit, discount:
		clear(scores)
		if all := strings.Fields(plain(header)); role == other && len(all) == 2 && all[0] == "total" &&
			lexicon[all[1]] == Stock {
			add(Stock, stock)
		}
	}
	return scores
}

// packed tells whether a header says how many pieces are in a pack: "Stück/Karton", "Ctn Qty", "pcs per box".
func packed(words []string) bool {
	pack, pieces := false, false
	for _, w := range words {
		switch {
		case packWords[w]:
			pack = true
		case oneWords[w] ||
			slices.Contains([]string{"qty", "quantity", "size", "menge", "anzahl", "antal", "quantite", "cantidad",
				"inhalt", "units"}, w):
			pieces = true
		case !slices.Contains([]string{"per", "je", "pro", "par", "por", "in", "a", "im", "of", "x", "no", "master",
			"inner", "outer"}, w):
			return false
		}
	}
	return pack && pieces
}

func maximum(scores map[Field]float64) (most float64) {
	for _, s := range scores {
		most = max(most, s)
	}
	return most
}

// contents are shares over the filled cells of a sample of a column.
type contents struct {
	filled, cells                                                        int
	number, whole, fraction, distinct, spaced, gtin, code, url, img, day float64
	length                                                               float64
	letters, stock, signed, unit, science, digit, weight, weighed        float64
}

var imageName = regexp.MustCompile(`(?i)\.(jpe?g|png|webp|gif)(\?.*)?$`)

func study(sample []Row, column int, decimal string) contents {
	var c contents
	seen := map[string]bool{}
	for _, row := range sample {
		c.cells++
		if column >= len(row.Cells) {
			continue
		}
		text := strings.TrimSpace(row.Cells[column])
		if text == "" {
			continue
		}
		c.filled++
		seen[text] = true
		sign := row.sign(column, decimal)
		if _, err := stock(text, sign); err == nil || stockClassOf(text) != "" {
			c.stock++
		}
		c.length += float64(len(text))
		number, unitCode := unit(text)
		if unitCode != "" && unitCode[0] != '?' || row.kind(column).currency != "" {
			c.signed++
		}
		if value, err := decimalText(number, sign); err == nil && !strings.HasPrefix(unitCode, "?") {
			c.number++
			if strings.Contains(value, ".") {
				c.fraction++
			} else {
				c.whole++
			}
		}
		for _, test := range []struct {
			into *float64
			is   bool
		}{
			{&c.spaced, strings.Contains(text, " ")}, {&c.gtin, len(text) >= 8 && gtin.Valid(text)},
			{&c.url, strings.HasPrefix(text, "http://") || strings.HasPrefix(text, "https://")},
			{&c.img, imageName.MatchString(text)}, {&c.day, dateLike.MatchString(text)},
			{&c.letters, strings.IndexFunc(text, unicode.IsLetter) >= 0},
		} {
			if test.is {
				*test.into++
			}
		}
		if unitOf(text).known() {
			c.unit++
		}
		if strings.IndexFunc(text, unicode.IsDigit) >= 0 {
			c.digit++
		}
		if weightUnitOf(text) != "" {
			c.weight++
		}
		if weightUnitIn(text) != "" {
			c.weighed++
		}
		if science.MatchString(text) {
			c.science++
		}
		if code := signOf(text); code != "" && code[0] != '~' {
			c.code++
		}
	}
	if n := float64(c.filled); n > 0 {
		for _, share := range []*float64{&c.number, &c.whole, &c.fraction, &c.spaced, &c.gtin, &c.code, &c.url, &c.img,
			&c.day, &c.length, &c.letters, &c.stock, &c.signed, &c.unit, &c.science, &c.digit, &c.weight, &c.weighed} {
			*share /= n
		}
		c.distinct = float64(len(seen)) / n
	}
	return c
}

// fits tells whether a column's contents allow a field at all.
func (c contents) fits(f Field) bool {
	if c.filled == 0 {
		return f == Description || f == Option || f == Picture || f == Category || f == Brand || f == MinAdvertised ||
			f == List
	}
	switch f {
	case Cost:
		return c.number >= 0.5 && c.gtin < 0.5
	case MinAdvertised, List:
		return c.number >= 0.5 && c.gtin < 0.5
	case Stock:
		return (c.stock >= 0.4 || c.letters > 0.5) && c.gtin < 0.5 && c.day < 0.5
	case Pack, MinOrder:
		return c.number >= 0.5 && c.gtin < 0.5
	case PriceFor:
		return c.unit >= 0.5
	case Barcode:
		return c.number+c.science >= 0.5 && c.length >= 7 && c.length <= 15
	case Currency:
		return c.code >= 0.5
	case Picture:
		return c.url >= 0.5 || c.img >= 0.5
	case Page:
		return c.url >= 0.5 && c.img < 0.5
	case Weight:
		return c.filled > 0 && c.gtin < 0.5 && (c.spaced < 0.9 || c.weighed > 0.5)
	case Title, Description:
		return c.letters >= 0.5 && c.url < 0.5
	case Number:
		return c.url < 0.5 && c.length <= 40
	case Parent, Category, Brand, Option:
		return c.url < 0.5 && c.length <= 80
	}
	return true
}

// byContents scores what a column could be where its header does not say.
func (c contents) byContents() map[Field]float64 {
	s := map[Field]float64{}
	if c.filled == 0 || float64(c.filled) < 0.2*float64(c.cells) {
		return s
	}
	text := c.letters > 0.9 && c.url < 0.1 && c.number < 0.2
	switch {
	case c.gtin >= 0.8:
		s[Barcode] = 0.6
	case c.code >= 0.9:
		s[Currency] = 0.6
	case c.img >= 0.8 && c.url >= 0.8:
		s[Picture] = 0.6
	case c.url >= 0.8:
		s[Page] = 0.4
	case text && c.length > 90:
		s[Description] = 0.4
	case text && c.spaced > 0.6 && c.length >= 8:
		s[Title] = 0.35 + 0.1*c.distinct
	case c.distinct > 0.95 && c.spaced < 0.1 && c.length <= 20 && c.fraction < 0.2 &&
		(c.letters > 0.5 || c.length >= 4):
		s[Number] = 0.35
	case c.number > 0.9 && c.fraction > 0.5:
		s[Cost] = 0.35
	case c.number > 0.9 && c.whole > 0.9 && c.length < 6:
		s[Stock] = 0.25
	}
	return s
}

var (
	commaSign = regexp.MustCompile(`^-?(\d{1,3}(\.\d{3})+,\d+|\d+,(\d{1,2}|\d{4,}|-))$`)
	pointSign = regexp.MustCompile(`^-?(\d{1,3}(,\d{3})+\.\d+|\d+\.(\d{1,2}|\d{4,}|-))$`)
	manyPoint = regexp.MustCompile(`^-?\d{1,3}(\.\d{3}){2,}$`)
	manyComma = regexp.MustCompile(`^-?\d{1,3}(,\d{3}){2,}$`)
)

// decimalSign counts what speaks for a comma and for a point.
func decimalSign(sample []Row) (comma, point int) {
	for _, row := range sample {
		for i, cell := range row.Cells {
			if len(cell) > 24 || row.kind(i).number || dateLike.MatchString(strings.TrimSpace(cell)) {
				continue
			}
			number, code := unit(cell)
			if strings.HasPrefix(code, "?") {
				continue // a size or a weight, as people write it
			}
			number = spaces.Replace(strings.TrimSpace(number))
			switch {
			case commaSign.MatchString(number), manyPoint.MatchString(number):
				comma++
			case pointSign.MatchString(number), manyComma.MatchString(number):
				point++
			}
		}
	}
	return comma, point
}

// findHeader is the row, by its index in the sample, that names the columns; -1 is none.
func findHeader(sample []Row) int {
	best, at := 0.0, -1
	known := map[string]map[Field]float64{}
	for i, row := range sample {
		if at >= 0 && i >= 60 {
			break // further down only where none is found
		}
		fields := map[Field]bool{}
		score, filled, numbers := 0.0, 0, 0
		for at := range row.Cells {
			if number, _ := unit(row.cell(at)); number != "" {
				filled++
				if _, err := decimalText(number, row.sign(at, ".")); err == nil {
					numbers++
				}
			}
		}
		if numbers*2 > filled { // not names
			continue
		}
		filled, numbers = 0, 0
		for _, cell := range row.Cells {
			text := strings.TrimSpace(cell)
			if text == "" {
				continue
			}
			filled++
			if _, err := decimalText(text, "."); err == nil {
				numbers++
			}
			top, of := 0.0, Ignored
			if len(text) > 40 {
				continue
			}
			scores, there := known[text]
			if !there {
				scores = byHeader(text)
				known[text] = scores
			}
			for f, s := range scores {
				if s > top {
					top, of = s, f
				}
			}
			if top >= 0.7 && !fields[of] {
				fields[of] = true
				score += top
			}
		}
		score -= float64(numbers)
		if i < 40 {
			score += 0.5 // where headers are
		}
		if len(fields) >= 2 && score > best && filled >= 2 {
			best, at = score, i
		}
	}
	if at >= 0 {
		return at
	}
	// In no language we know: a row of words over rows with numbers.
	for i := 0; i+2 < len(sample) && i < 10; i++ {
		if words(sample[i]) && len(sample[i].Cells) >= 3 && !words(sample[i+1]) && !words(sample[i+2]) &&
			len(sample[i+1].Cells) == len(sample[i].Cells) {
			return i
		}
	}
	return -1
}

// words tells whether all cells of a row are filled with something that is no number.
func words(row Row) bool {
	for _, cell := range row.Cells {
		number, _ := unit(cell)
		_, point := decimalText(number, ".")
		_, comma := decimalText(number, ",")
		if strings.TrimSpace(cell) == "" || point == nil || comma == nil {
			return false
		}
	}
	return true
}
