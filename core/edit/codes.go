package edit

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"
)

// Codes are what a variant is known by: the shop's own SKU, and its barcode. An empty SKU is made from the draft's
// number; an empty barcode is the supplier's.
type Codes struct {
	SKU     string `json:"sku"`
	Barcode string `json:"barcode"`
}

// VariantCodes are codes to set; what is nil stays.
type VariantCodes struct {
	VariantID int64   `json:"variant_id"`
	SKU       *string `json:"sku,omitempty"`
	Barcode   *string `json:"barcode,omitempty"`
}

// SetCodes sets SKUs and barcodes of variants.
type SetCodes struct {
	Codes []VariantCodes `json:"codes"`
}

const maxCode = 64

// made is how SKUs are written that nobody has set.
var made = regexp.MustCompile(`^(?i)P\d+-\d+$`)

// MadeSKU is the SKU of a variant that nobody has set one for: it is told from all that people may set.
func MadeSKU(draftID int64, position int) string { return fmt.Sprintf("P%d-%d", draftID, position+1) }

func codeField(code string, variantID int64) Field {
	return Field(fmt.Sprintf("%s:%d", code, variantID))
}

// code tells which code of which variant a field is.
func (f Field) code() (code string, variantID int64, ok bool) {
	code, id, found := strings.Cut(string(f), ":")
	if !found || code != "sku" && code != "barcode" {
		return "", 0, false
	}
	n, _ := fmt.Sscanf(id, "%d", &variantID)
	if code == "sku" {
		code = "SKU"
	}
	return code, variantID, n == 1
}

func (SetCodes) Kind() string     { return "SKU and barcode" }
func (SetCodes) MovesPrice() bool { return false }

func (o SetCodes) Fields(*Draft) (fields []Field) {
	for _, c := range o.Codes {
		if c.SKU != nil {
			fields = append(fields, codeField("sku", c.VariantID))
		}
		if c.Barcode != nil {
			fields = append(fields, codeField("barcode", c.VariantID))
		}
	}
	return fields
}

func (o SetCodes) Apply(d *Draft) (Operation, error) {
	variants := append([]Variant(nil), d.Variants...)
	before := SetCodes{}
	for _, c := range o.Codes {
		at := d.variant(c.VariantID)
		if at < 0 {
			return nil, wrong("codes", "That variant is not of this draft.")
		}
		was := VariantCodes{VariantID: c.VariantID}
		if c.SKU != nil {
			sku := words(*c.SKU)
			if utf8.RuneCountInString(sku) > maxCode {
				return nil, wrong("codes", "The SKU “%.20s…” has more than %d characters.", sku, maxCode)
			}
			if made.MatchString(sku) {
				return nil, wrong("codes", "“%s” is how SKUs are made that nobody has set. Choose another form.", sku)
			}
			old := variants[at].SKU
			was.SKU, variants[at].SKU = &old, sku
		}
		if c.Barcode != nil {
			barcode := words(*c.Barcode)
			if utf8.RuneCountInString(barcode) > maxCode {
				return nil, wrong("codes", "The barcode “%.20s…” has more than %d characters.", barcode, maxCode)
			}
			old := variants[at].Barcode
			was.Barcode, variants[at].Barcode = &old, barcode
		}
		before.Codes = append([]VariantCodes{was}, before.Codes...)
	}
	seen := map[string]string{}
	for _, v := range variants {
		folded := strings.ToLower(v.SKU)
		if first, twice := seen[folded]; twice && folded != "" {
			return nil, wrong("codes", "“%s” and “%s” would both have the SKU “%s”.", first, v.Name, v.SKU)
		}
		seen[folded] = v.Name
	}
	d.Variants = variants
	return before, nil
}

// HasCodesIn tells whether codes of a variant are among some fields.
func (v *Variant) HasCodesIn(fields []Field) bool {
	return slices.ContainsFunc(fields, func(f Field) bool {
		_, id, is := f.code()
		return is && id == v.ID
	})
}
