// Package gtin checks barcodes: GTIN-8, -12, -13 and -14.
package gtin

import (
	"fmt"
	"strings"
)

// Check says in a sentence what is wrong with a barcode; nothing is wrong with an empty text
// or a GTIN. The check digit is that of the GS1 General Specifications, section 7.9: from the
// right, digits weigh 3 and 1 in turn, and the check digit makes the sum a multiple of ten.
func Check(text string) string {
	if text == "" {
		return ""
	}
	if strings.Trim(text, "0123456789") != "" {
		return fmt.Sprintf("The barcode %s is not all digits.", text)
	}
	switch len(text) {
	case 8, 12, 13, 14:
	default:
		return fmt.Sprintf("The barcode %s has %d digits; a GTIN has 8, 12, 13 or 14.", text, len(text))
	}
	if want := digit(text[:len(text)-1]); text[len(text)-1] != want {
		return fmt.Sprintf("The barcode %s ends in %c; its check digit would be %c.", text, text[len(text)-1], want)
	}
	return ""
}

// Valid tells whether a text is a GTIN.
func Valid(text string) bool { return text != "" && Check(text) == "" }

func digit(body string) byte {
	sum := 0
	for i := range len(body) {
		n := int(body[len(body)-1-i] - '0')
		if i%2 == 0 {
			n *= 3
		}
		sum += n
	}
	return byte('0' + (10-sum%10)%10)
}
