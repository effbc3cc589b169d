package pricelist

import "strings"

// stockClass is what a word says of stock where no number does.
type stockClass string

const (
	noStock      stockClass = "none"
	inStock      stockClass = "yes"
	lowStock     stockClass = "low"
	unknownStock stockClass = "unknown"
)

// stockWordLists are words for stock in a dozen languages, plain and lower-cased.
var stockWordLists = map[stockClass]string{
	noStock: `none|no|n|nein|keine|non|nej|nei|nie|ne|nee|hayir|нет|sold out|out of stock|oos|out|not available|` +
		`unavailable|not in stock|no stock|nil|zero|ausverkauft|nicht lieferbar|nicht verfugbar|nicht vorratig|nicht ` +
		`auf lager|vergriffen|epuise|rupture|rupture de stock|en rupture|indisponible|agotado|sin stock|no ` +
		`disponible|sin existencias|fuera de stock
		|uitverkocht|niet leverbaar|niet op voorraad|esaurito|non disponibile|terminato|utsolgt|udsolgt|slutsald|` +
		`slut|ej i lager|ikke pa lager|loppu|loppunut|ei varastossa|wyprzedane|brak|niedostepny|vyprodano|neni ` +
		`skladem|elfogyott|nincs|nincs raktaron|epuizat|stoc epuizat|tukendi|yok|нет в наличии|отсутствует|缺货|缺貨|无货|` +
		`無|无|售罄|在庫なし|品切れ|在庫切れ|なし|품절|없음
		|discontinued|disc|eol|end of life|ausgelaufen|auslauf|auslaufartikel|eingestellt|arrete|descatalogado|fuori ` +
		`produzione|niet meer leverbaar|utgatt|udgaet|wycofany|ukonceno|停产|廃番|단종|backorder|back order|on backorder|` +
		`temporarily out of stock|false|x`,
	inStock: `yes|y|ja|j|oui|o|si|sim|tak|ano|igen|da|evet|да|有|有货|現貨|现货|在庫あり|あり|있음|in stock|instock|available|` +
		`in|ok|lagernd|verfugbar|lieferbar|auf lager|vorratig|ab lager|sofort lieferbar|en stock|disponible|dispo|` +
		`hay|op voorraad|leverbaar|voorradig|disponibile|in magazzino|pa lager|i lager|lagervara|saatavilla|` +
		`varastossa|dostepny|na stanie|jest|skladem|raktaron|van|in stoc|disponibil|stokta|var|в наличии|есть|true|` +
		`high|plenty|good|green|on stock|instock item|available now|many|lots`,
	lowStock: `low|low stock|limited|limited stock|few|few left|last|last items|last pieces|wenige|wenig|gering|` +
		`geringer bestand|begrenzt|knapp|niedrig|faible|limite|stock faible|stock limite|bajo|pocas|pocos|pocas ` +
		`unidades|stock bajo|laag|beperkt|weinig|basso|scarso|pochi|limitato|fa|faa|fa igen|lav|lag|vahan|malo|` +
		`ostatnie|mala ilosc|posledni|keves|alacsony|putin|putine|az|мало|少量|少|残りわずか|わずか|소량|medium|amber|yellow`,
	unknownStock: `on request|request|ask|call|poa|please ask|auf anfrage|anfrage|sur demande|demande|nous consulter|` +
		`consultar|bajo pedido|a consultar|su richiesta|richiesta|op aanvraag|aanvraag|pa foresporgsel|pa forfragan|` +
		`na zapytanie|na dotaz|erdeklodjon|la cerere|по запросу|询价|要問合せ|문의|tba|tbc|unknown|unbekannt|inconnu|n a|na|` +
		`made to order|auf bestellung|bestellartikel|sur commande|on order|special order|to order|preorder|pre order|` +
		`expected|due|?|-|–|—`,
}

var stockWords = func() map[string]stockClass {
	all := map[string]stockClass{}
	for class, list := range stockWordLists {
		for w := range strings.SplitSeq(list, "|") {
			w = strings.TrimSpace(w)
			if p := plain(w); p != "" {
				w = p
			}
			all[w] = class
		}
	}
	return all
}()

// stockClassOf reads a word for stock; empty where it is none that is known.
func stockClassOf(text string) stockClass {
	if p := plain(text); p != "" {
		return stockWords[p]
	}
	return stockWords[strings.TrimSpace(text)]
}
