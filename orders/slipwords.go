package orders

// slipLabels are the words of a packing slip in a language.
type slipLabels struct{ slip, order, date, to, item, quantity string }

// slipLanguages are the languages in which packing slips can be, by BCP 47, as the project translated them.
var slipLanguages = map[string]slipLabels{
	"ar": {"قائمة التعبئة", "الطلب", "التاريخ", "إلى", "المنتج", "الكمية"},
	"cs": {"Dodací list", "Objednávka", "Datum", "Příjemce", "Zboží", "Množství"},
	"da": {"Følgeseddel", "Ordre", "Dato", "Til", "Vare", "Antal"},
	"de": {"Lieferschein", "Bestellung", "Datum", "An", "Artikel", "Menge"},
	"en": {"Packing slip", "Order", "Date", "To", "Item", "Quantity"},
	"es": {"Albarán", "Pedido", "Fecha", "Para", "Artículo", "Cantidad"},
	"fr": {"Bon de livraison", "Commande", "Date", "Pour", "Article", "Quantité"},
	"it": {"Distinta di imballaggio", "Ordine", "Data", "Per", "Articolo", "Quantità"},
	"ja": {"納品書", "注文", "日付", "お届け先", "商品", "数量"},
	"nl": {"Pakbon", "Bestelling", "Datum", "Aan", "Artikel", "Aantal"},
	"pl": {"Lista pakowa", "Zamówienie", "Data", "Do", "Artykuł", "Ilość"},
	"pt": {"Lista de embalagem", "Encomenda", "Data", "Para", "Artigo", "Quantidade"},
	"sv": {"Följesedel", "Order", "Datum", "Till", "Artikel", "Antal"},
}
