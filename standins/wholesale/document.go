package wholesale

import (
	"bufio"
	"encoding/xml"
	"fmt"
	"io"

	"plainpelican/standins/gen"
)

// document writes the catalogue as UBL 2.1. A few lines are as they should not be.
func (s *Server) document(out io.Writer, host string) {
	s.mu.Lock()
	day := s.day
	s.mu.Unlock()
	w := bufio.NewWriter(out)
	defer func() { _ = w.Flush() }()
	_, _ = io.WriteString(w, `<?xml version="1.0" encoding="UTF-8"?>
<Catalogue xmlns="urn:oasis:names:specification:ubl:schema:xsd:Catalogue-2" `+
		`xmlns:cac="urn:oasis:names:specification:ubl:schema:xsd:CommonAggregateComponents-2" `+
		`xmlns:cbc="urn:oasis:names:specification:ubl:schema:xsd:CommonBasicComponents-2">
<cbc:UBLVersionID>2.1</cbc:UBLVersionID><cbc:ID>`+s.Name+`</cbc:ID><cbc:IssueDate>2026-11-24</cbc:IssueDate>
<cac:SellerSupplierParty><cac:Party><cac:PartyName><cbc:Name>`+s.Name+
		`</cbc:Name></cac:PartyName></cac:Party></cac:SellerSupplierParty>
`)
	n := 0
	for place, o := range s.catalog {
		o = gen.Drift(s.seed, o, place, day)
		if o.Withdrawn || s.Faults.Plan().Empty {
			continue
		}
		for i, v := range o.Variants {
			n++
			price := fmt.Sprintf("%d.%02d", v.Price/100, v.Price%100)
			if place%47 == 9 && i == 0 {
				price = "0.00"
			}
			fmt.Fprintf(w,
				`<cac:CatalogueLine><cbc:ID>%d</cbc:ID><cac:RequiredItemLocationQuantity>
					<cbc:MaximumQuantity unitCode="C62">%d</cbc:MaximumQuantity><cac:Price>
					<cbc:PriceAmount currencyID="EUR">%s</cbc:PriceAmount>
					<cbc:BaseQuantity unitCode="C62">1</cbc:BaseQuantity></cac:Price>
					</cac:RequiredItemLocationQuantity>`+
					`<cac:Item><cbc:Description>%s</cbc:Description><cbc:Name>%s</cbc:Name>
						<cac:SellersItemIdentification><cbc:ID>%s</cbc:ID><cbc:ExtendedID>%s</cbc:ExtendedID>
						</cac:SellersItemIdentification>`,
				n, v.Stock, price, escaped("Good for every day."), escaped(o.Title), v.SKU, o.Number)
			if v.GTIN != "" {
				fmt.Fprintf(w,
					`<cac:StandardItemIdentification><cbc:ID schemeID="0160">%s</cbc:ID>
						</cac:StandardItemIdentification>`, v.GTIN)
			}
			fmt.Fprintf(w,
				`<cac:ItemSpecificationDocumentReference><cbc:ID>picture</cbc:ID><cac:Attachment><cac:ExternalReference>
					<cbc:URI>%s/pictures/%s.jpg</cbc:URI></cac:ExternalReference></cac:Attachment>
					</cac:ItemSpecificationDocumentReference>`, host, o.Pictures[v.Picture])
			fmt.Fprintf(w,
				`<cac:CommodityClassification><cbc:ItemClassificationCode name="%s">%d</cbc:ItemClassificationCode>
					</cac:CommodityClassification>`, escaped(o.Category), place%6)
			for j, name := range o.OptionNames {
				fmt.Fprintf(w,
					`<cac:AdditionalItemProperty><cbc:Name>%s</cbc:Name><cbc:Value>%s</cbc:Value>
						</cac:AdditionalItemProperty>`, escaped(name), escaped(v.Values[j]))
			}
			fmt.Fprintf(w,
				"<cac:Dimension><cbc:AttributeID>AAA</cbc:AttributeID><cbc:Measure "+
					"unitCode=\"GRM\">%d</cbc:Measure></cac:Dimension></cac:Item></cac:CatalogueLine>\n", v.Grams)
		}
	}
	_, _ = io.WriteString(w, "</Catalogue>\n")
}

func escaped(text string) string {
	var b writer
	_ = xml.EscapeText(&b, []byte(text)) // into memory: it cannot fail
	return string(b)
}

type writer []byte

func (w *writer) Write(p []byte) (int, error) { *w = append(*w, p...); return len(p), nil }
