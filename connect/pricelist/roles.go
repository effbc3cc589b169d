package pricelist

import (
	"slices"
	"strings"
	"unicode"
)

// role is what a header says that the figures under it are.
type role int

const (
	noRole    role = iota
	buying         // what the seller pays: cost, net, wholesale, trade
	price          // a price, and not whose
	taxed          // a price with tax in it, and not whose
	selling        // what customers pay: retail, recommended, list
	least          // the minimum advertised price
	minimum        // the least quantity that can be ordered
	shipsFrom      // where it is sent from
	tax
	postage
	deposit
	dimension
	date
	position // a page, a line, a rank
	discount
	priceGroup
	other // a number or a word that is none of a price list's fields
)

// words of the roles that are not read, for a person.
var roleWords = map[role]string{
	taxed: "a price with tax", tax: "a tax", postage: "a delivery charge", deposit: "a deposit or levy",
	dimension: "a dimension", date: "a date", position: "a position or page", discount: "a discount or margin",
	priceGroup: "a price group", other: "something else", selling: "a selling price", shipsFrom: "where it ships from",
	price: "a price", buying: "a cost",
}

// roleStems are words of a dozen languages. One that ends in * begins a word, one that begins with * ends one, one
// with a space is a phrase; of a script without spaces any part counts. The trade's own, from practice; most are in
// headers of lists in the tests.
var roleStems = map[role]*stemSet{
	buying: stems(
		`cost costs net nett netto* neto nette netta ek ekp hek einkauf* wholesale ws trade dealer reseller ` +
			`distributor your buy buying purchase purchasing handler* haendler* b2b inkoop* inkop* indkob* innkjop* ` +
			`innkop*
		zakup* hurt* achat coste costo compra mayorista acquisto ingrosso nakup* velkoobchod* beszerzesi nagyker* ` +
			`achizitie angro alis toptan закуп* опт оптов* 进价 批发 采购 出厂 供货 仕入 卸 原価 도매 매입 공급 ostohinta tukku* fob exw ` +
			`engros gros
		kaufpreis kostpris inpris revendeur* pa_ht pa_net kosten selbstkosten gestehung* hors_taxe hors_taxes ht ` +
			`sin_iva`),
	price: stems(
		`price prices prc preis* *preis prix tarif tarifa precio prijs *prijs prezzo pris priser *pris cena ceny ` +
			`ceni ` +
			`preco preto preco_unitario pret preturi hinta *hinta fiyat* egysegar ara 价格 单价 单價 价 價 価格 単価 가격 단가 цена ` +
			`цены each`),
	taxed: stems(`gross brutto* bruto brut brutta ttc incl inc including inkl iva_incluida iva_inclusa ivato con_iva ` +
		`mit_mwst with_vat met_btw s_dph vat_incl z_vat 含税 税込`),
	selling: stems(
		`pv_ttc pv_ht rrp msrp srp retail* recommended suggested uvp vk vkp verkauf* ladenpreis endkunde* ` +
			`endverbraucher* list listed listen* listino listpris listprijs public conseille ppc pvp pvpr pvc venta ` +
			`vente advies* verkoop* consigliato vendita vejl
		vejledende veil veiledende ca_pris utpris rek rekommender* sprzedaz* detal* maloobchod* prodejni doporucen* ` +
			`kisker* fogyasztoi eladasi vanzare satis perakende psf розн* рекоменд* ррц 零售 售价 售價 建议 市场价 定価 小売 上代 希望 ` +
			`소비자 ` +
			`판매 권장 consumer street
		selling sell sale sales_price was old previous former alt alter alte alter_preis strike compare ovh svh ` +
			`webshop shop_price end_user resale particulier catalogue_price catalog_price antes ancien suositus* ` +
			`salgspris forsaljnings* cena_detaliczna empf*`),
	least: stems(`map mindestpreis minimum_advertised min_advertised minimum_resale lowest_advertised ` +
		`minimum_price min_price lowest_price prix_minimum precio_minimo minimum_selling`),
	minimum: stems(
		`moq minimum_order min_order minimum_qty min_qty minimum_quantity min_quantity mindestmenge mindestabnahme ` +
			`mindestbestell* mindest_bestell* quantite_minimum qte_min quantite_mini minimum_commande mini_commande ` +
			`cantidad_minima pedido_minimo minimo_pedido minimum_afname min_afname afname ordine_minimo ` +
			`minimo_ordine ` +
			`quantita_minima abnahmemenge minsta_order minsta_antal min_antal mindste min_best minimum_bestel* ` +
			`minimalna_ilosc min_ilosc minimalne_zamowienie min_odber minimalni_odber минимальн* 起订* 最小起订 最小订购 最小発注 ` +
			`최소 minimo minimum_units order_minimum`),
	shipsFrom: stems(`ships_from ship_from shipped_from warehouse dispatch_from dispatched_from versand_aus lagerort ` +
		`expedie_de envio_desde magazzino`),
	tax: stems(`vat tax taxes mwst ust mehrwertsteuer umsatzsteuer steuer* *steuer moms mva tva iva btw gst hst ` +
		`dph afa kdv ндс alv taxe imposta impuesto podatek 税率 税额 消費税 부가세 ptu dan dane`),
	postage: stems(
		`postage shipping freight carriage delivery p_p versand* porto fracht* lieferkosten port livraison ` +
			`expedition ` +
			`envio portes verzend* spedizione frakt fragt wysyl* dostaw* doprava* dopravy szallitas* kargo nakliye ` +
			`доставк* 运费 送料 배송 courier transport* handling toimitus*`),
	deposit: stems(
		`deposit pfand consigne deposito statiegeld pant cauzione kaucja zaloha vratna 押金 crv eco_part eco_tax ` +
			`eco_fee ecotax ecotaxe recycling weee surcharge levy aufschlag zuschlag eco_participation fianza borg ` +
			`depozito garantipant leergut`),
	dimension: stems(
		`length width height depth dimension* dims cbm m3 lange laenge breite hohe hoehe tiefe masse abmessung* ` +
			`longueur largeur hauteur profondeur largo ancho alto lengte breedte hoogte lunghezza larghezza altezza ` +
			`diameter durchmesser
		rozmer* wymiar* dlugosc szerokosc wysokosc lxwxh lxbxh lxh 尺寸 长 宽 高 サイズ寸法 matt langd bredd hojd volume ` +
			`volumen`),
	date: stems(
		`date datum dato valid gultig* fecha data updated aktualis* eta restock arrival expected expiry mhd bbd ` +
			`available_from lieferbar_ab дата 日期 有效 lead_time lieferzeit delivery_time delivery_days days tage delai ` +
			`plazo levertijd consegna tempi leadtime`),
	position: stems(`page pages seite pagina pag katalogseite pos position line row lfd rank s_no sr_no sno serial ` +
		`index line_no zeile ligne`),
	discount: stems(`discount rabatt remise descuento korting sconto margin marge marza margen spanne profit markup ` +
		`saving savings rabat sleva kedvezmeny скидка 折扣`),
	priceGroup: stems(`price_group preisgruppe rabattgruppe discount_group groupe_tarif grupo_precio prijsgroep ` +
		`price_class price_code price_level`),
	other: stems(
		`hs_code tariff_code tariff_no customs commodity taric zolltarif* origin coo ursprung* herkunft* year jahr ` +
			`rating points age warranty garantie voltage watt* power sold ordered your_order order_qty ` +
			`order_quantity ` +
			`qty_ordered bestellmenge order quantity_ordered total subtotal summe orderqty minimum_margin stock_value`),
}

// stemSet are the words of a role, sorted by how they are looked for.
type stemSet struct {
	words                     map[string]bool
	begin, end, phrase, parts []string
}

func stems(list string) *stemSet {
	set := &stemSet{words: map[string]bool{}}
	for _, w := range strings.Fields(list) {
		core := plain(strings.ReplaceAll(w, "_", " "))
		switch {
		case core == "":
			set.words[strings.Trim(w, "*")] = true
		case strings.IndexFunc(core, spaceless) >= 0:
			set.parts = append(set.parts, core)
		case strings.HasPrefix(w, "*"):
			set.end = append(set.end, core)
		case strings.HasSuffix(w, "*") && strings.Contains(core, " "):
			set.phrase = append(set.phrase, " "+core)
		case strings.HasSuffix(w, "*"):
			set.begin = append(set.begin, core)
		case strings.Contains(core, " "):
			set.phrase = append(set.phrase, " "+core+" ")
		default:
			set.words[core] = true
		}
	}
	return set
}

// in tells whether a header has one of the words; joined are its words with a space between.
func (set *stemSet) in(words []string, joined string) bool {
	for _, w := range words {
		if set.words[w] {
			return true
		}
		for _, stem := range set.begin {
			if strings.HasPrefix(w, stem) {
				return true
			}
		}
		for _, stem := range set.end {
			if len(w) > len(stem) && strings.HasSuffix(w, stem) {
				return true
			}
		}
	}
	for _, p := range set.phrase {
		if strings.Contains(joined, strings.TrimSpace(p)) && strings.Contains(" "+joined+" ", p) {
			return true
		}
	}
	for _, p := range set.parts {
		if strings.Contains(joined, p) {
			return true
		}
	}
	return false
}

// spaceless tells whether a letter is of a script that puts no spaces between words.
func spaceless(r rune) bool {
	return unicode.In(r, unicode.Han, unicode.Hiragana, unicode.Katakana, unicode.Hangul)
}

// strongBuying are words that say a seller's cost whatever else stands there.
var strongBuying = stems(
	`pa_ht pa_net inpris kostpris revendeur* ek ekp hek einkauf* wholesale trade dealer purchase buying buy inkoop* ` +
		`inkop* indkob* zakup* achat compra acquisto nakup* nagyker* hurt* handler* haendler* закуп* 进价 批发 仕入 卸`)

var (
	// counted are words of quantities and names: beside "net", "trade" or "retail" they say that the figures are no
	// prices.
	counted = stems(
		`qty quantity menge anzahl antal aantal cantidad quantite quantita units unit pcs pieces stuck stueck pack ` +
			`packs packung karton carton ctn case size code no nr number name group gruppe center centre content ` +
			`contents
		inhalt contenido contenu volume weight gewicht height width length depth stock bestand lager level days ml g ` +
			`kg cl l percent item`)
	// amounts are words that say that they are prices all the same.
	amounts = stems(`cost costs coste costo costi kosten kost kostpris`)
	// weakBuying are words that say a cost only where little else stands there.
	weakBuying = stems(`net nett netto neto nette netta your ws gros ht hors_taxe hors_taxes`)
)

// aboutPrices tells whether words that say a price, and not what of, are about prices at all: "Net" is, "Net
// content" is not.
func aboutPrices(header string, words []string, joined string) bool {
	lower := strings.ToLower(header)
	if roleStems[price].in(words, joined) || amounts.in(words, joined) || currencyIn(header) != "" ||
		perCount.MatchString(lower) || perWord.MatchString(lower) {
		return true
	}
	if counted.in(words, joined) || slices.ContainsFunc(words, func(w string) bool {
		f, known := lexicon[w]
		return known && !slices.Contains(figures, f) && f != Cost // an old article number, a dealer's reference
	}) {
		return false
	}
	if strongBuying.in(words, joined) || !weakBuying.in(words, joined) {
		return true
	}
	rest := 0
	for _, w := range words {
		if one := []string{w}; !weakBuying.in(one, w) && !roleStems[tax].in(one, w) && !roleStems[taxed].in(one, w) &&
			!excludes(one, w) {
			rest++
		}
	}
	return rest == 0
}

// roleOf reads a header's role. The unit that a row under the header names belongs to it.
func roleOf(header string) role {
	joined := plain(header)
	words := strings.Fields(joined)
	is := func(r role) bool { return roleStems[r].in(words, joined) }
	priced := is(price) || is(buying) || is(selling)
	with := slices.ContainsFunc([]string{"incl", "inc", "including", "inkl", "with", "mit", "con", "avec", "s", "z",
		"met"}, func(w string) bool {
		return slices.Contains(words, w)
	})
	switch {
	case is(priceGroup):
		return priceGroup
	case is(least):
		return least
	case is(minimum) && !(is(price) && !strings.Contains(joined, "order")):
		return minimum
	case is(shipsFrom):
		return shipsFrom
	case is(other) && !is(price) && !slices.Contains(words, "cost"):
		return other
	case is(date) && !is(price) && !is(buying):
		return date
	case is(deposit) && !(with && priced):
		return deposit
	case is(postage) && !(with && is(price)) && !slices.Contains(words, "weight"):
		return postage
	case is(discount) && !is(price):
		return discount
	case (is(selling) || is(taxed) || is(buying)) && !is(price) && !aboutPrices(header, words, joined):
		return noRole
	case is(selling):
		if strongBuying.in(words, joined) {
			return price // both: asked
		}
		return selling
	case is(tax) && !priced && !is(taxed):
		return tax
	case is(taxed) && !excludes(words, joined):
		return taxed
	case is(buying):
		return buying
	case is(price):
		return price
	case is(tax):
		return tax
	case is(dimension):
		return dimension
	case is(position):
		return position
	}
	if currencyIn(header) != "" && !slices.ContainsFunc(words, func(w string) bool {
		return signOf(w) == "" && !oneWords[w] && w != "per"
	}) {
		return price // a column that is called EUR, €, or EUR/pc
	}
	return noRole
}

// excludes tells whether a header says that tax is not in it.
func excludes(words []string, joined string) bool {
	for _, w := range []string{"excl", "excluding", "ex", "exkl", "without", "sans", "sin", "zzgl", "ohne", "bez", "ht",
		"net", "netto", "excluded", "plus", "exc"} {
		if slices.Contains(words, w) {
			return true
		}
	}
	return strings.Contains(joined, "未税") || strings.Contains(joined, "税抜") || strings.Contains(joined, "税別")
}
