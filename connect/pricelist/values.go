package pricelist

import (
	"errors"
	"fmt"
	"math"
	"regexp"
	"strconv"
	"strings"
	"unicode"

	"plainpelican/core/money"
)

var dateLike = regexp.MustCompile(`^(\d{1,4}[-/.]\d{1,2}[-/.]\d{1,4}|\d{1,2}[-. /](?i:jan|feb|mar|apr|may|mai|jun|jul|aug|sep|oct|okt|nov|dec|dez)[a-z]*\.?([-. /]\d{2,4})?)([ T]\d{1,2}:\d{2}.*)?$`)

// spaces are what people put between thousands, besides point and comma.
var spaces = strings.NewReplacer(" ", "", "\u00a0", "", "\u2009", "", "\u202f", "", "'", "", "’", "")

var symbols = map[string]string{"€": "EUR", "£": "GBP", "US$": "USD", "¥": "", "$": "", "kr": "", "kr.": "", "zł": "PLN", "₹": "INR"}

// unit takes a currency's sign or code off a number. The code is empty where none stands
// there, or one of several currencies' signs.
func unit(text string) (number, code string) {
	text = strings.TrimSpace(text)
	if bare(text) {
		return text, ""
	}
	front := strings.IndexFunc(text, func(r rune) bool { return unicode.IsDigit(r) || strings.ContainsRune("-+.,(", r) })
	if front < 0 {
		return text, ""
	}
	back := strings.LastIndexFunc(text, func(r rune) bool { return unicode.IsDigit(r) || strings.ContainsRune("-.,)", r) })
	sign := strings.TrimSpace(text[:front])
	tail := ""
	if back >= front {
		_, size := lastRune(text[back:])
		tail = strings.TrimSpace(text[back+size:])
		text = text[front : back+size]
	}
	for _, mark := range []string{sign, tail} {
		if mark == "" {
			continue
		}
		if known, ok := symbols[mark]; ok {
			code = known
		} else if c, err := money.ParseCurrency(strings.ToUpper(mark)); err == nil {
			code = c.String()
		} else {
			return text, "?" + mark
		}
	}
	return text, code
}

// bare tells whether a number has nothing around it.
func bare(text string) bool {
	for i := range len(text) {
		if c := text[i]; (c < '0' || c > '9') && c != '.' && c != ',' {
			return false
		}
	}
	return text != ""
}

func lastRune(text string) (rune, int) {
	for _, r := range text {
		return r, len(string(r))
	}
	return 0, 0
}

var errNotNumber = errors.New("not a number")

// decimalText turns a number as people write it into plain decimal text.
func decimalText(text, decimal string) (string, error) {
	text = strings.TrimSpace(text)
	if whole, part, found := strings.Cut(text, decimal); digits(whole) && (!found || digits(part)) {
		if decimal == "." || !found {
			return text, nil
		}
		return whole + "." + part, nil
	}
	negative := false
	if strings.HasPrefix(text, "(") && strings.HasSuffix(text, ")") {
		negative, text = true, text[1:len(text)-1]
	}
	if strings.HasSuffix(text, "-") && !strings.HasSuffix(text, ",-") && !strings.HasSuffix(text, ".-") {
		negative, text = true, text[:len(text)-1]
	}
	text = strings.TrimSuffix(strings.TrimSuffix(text, ",-"), ".-") // 12,- is 12
	if rest, ok := strings.CutPrefix(text, "-"); ok {
		negative, text = true, rest
	}
	text = spaces.Replace(strings.TrimPrefix(text, "+"))
	thousands := ","
	if decimal == "," {
		thousands = "."
	}
	whole, part, found := strings.Cut(text, decimal)
	if groups := strings.Split(whole, thousands); len(groups) > 1 {
		for i, g := range groups {
			if (i == 0 && (len(g) < 1 || len(g) > 3)) || (i > 0 && len(g) != 3) {
				return "", errNotNumber
			}
		}
		whole = strings.Join(groups, "")
	}
	if whole == "" && found {
		whole = "0"
	}
	if !digits(whole) || (found && part != "" && !digits(part)) {
		return "", errNotNumber
	}
	if part != "" {
		whole += "." + part
	}
	if negative {
		whole = "-" + whole
	}
	return whole, nil
}

func digits(s string) bool {
	for i := range len(s) {
		if s[i] < '0' || s[i] > '9' {
			return false
		}
	}
	return s != ""
}

// amount reads a price. More decimals than the currency has are rounded half away from zero:
// suppliers quote a tenth of a cent.
func amount(text, decimal string, c money.Currency) (money.Amount, error) {
	switch {
	case strings.HasPrefix(text, "#"):
		return money.Amount{}, fmt.Errorf("it is the error %s of a formula", clip(text))
	case strings.HasPrefix(text, "="):
		return money.Amount{}, fmt.Errorf("it is the formula “%s”, without a result", clip(text))
	}
	number, code := unit(text)
	if code != "" && code != c.String() {
		if c.String() != "" && strings.HasPrefix(code, "?") {
			return money.Amount{}, fmt.Errorf("“%s” is not an amount", clip(text))
		}
		return money.Amount{}, fmt.Errorf("“%s” is in %s, the list in %s", clip(text), code, c)
	}
	plain, err := decimalText(number, decimal)
	if err != nil {
		if dateLike.MatchString(text) {
			return money.Amount{}, fmt.Errorf("“%s” is a date", clip(text))
		}
		return money.Amount{}, fmt.Errorf("“%s” is not an amount", clip(text))
	}
	price, err := money.ParseRounded(plain, c)
	if err != nil || max(price.Minor(), -price.Minor()) > math.MaxInt64/1000 {
		return money.Amount{}, fmt.Errorf("“%s” is too large", clip(text))
	}
	return price, nil
}

// stock reads how many there are. “>100” and “100+” are 100.
func stock(text, decimal string) (int, error) {
	trimmed := strings.TrimSpace(text)
	if trimmed == "" {
		return 0, errors.New("it is empty")
	}
	if digits(trimmed) && len(trimmed) < 10 {
		return strconv.Atoi(trimmed)
	}
	if dateLike.MatchString(trimmed) && !strings.HasSuffix(trimmed, ".000") {
		if _, err := decimalText(trimmed, decimal); err != nil {
			return 0, fmt.Errorf("“%s” is a date", clip(text))
		}
	}
	switch strings.ToLower(trimmed) {
	case "none", "no", "sold out", "out of stock", "n", "nein", "keine", "ausverkauft", "non", "épuisé", "agotado", "uitverkocht", "esaurito":
		return 0, nil
	}
	number := strings.TrimSpace(strings.Trim(trimmed, "><≥≤+~ "))
	for _, unit := range []string{"pcs.", "pcs", "pc", "pieces", "units", "stk.", "stk", "stück", "st.", "st", "ea", "pz", "uds", "stuks"} {
		if rest, ok := strings.CutSuffix(strings.ToLower(number), unit); ok {
			number = strings.TrimSpace(rest)
			break
		}
	}
	plain, err := decimalText(number, decimal)
	if err != nil {
		return 0, fmt.Errorf("“%s” does not say how many", clip(text))
	}
	whole, _, _ := strings.Cut(plain, ".")
	n, err := strconv.Atoi(whole)
	if err != nil || n > math.MaxInt32 {
		return 0, fmt.Errorf("“%s” is too large", clip(text))
	}
	if n < 0 || plain[0] == '-' {
		return 0, fmt.Errorf("it is %s, below nothing", plain)
	}
	return n, nil
}

// grams reads a weight; kilograms where the text or the column says so, or where it has decimals.
func grams(text, header, decimal string) int {
	lower := strings.ToLower(strings.TrimSpace(text))
	scale := 1.0
	header = strings.ToLower(header)
	switch {
	case strings.HasSuffix(lower, "kg") || strings.Contains(header, "kg") || strings.Contains(header, "kilo"):
		scale = 1000
	case strings.HasSuffix(lower, "lb") || strings.HasSuffix(lower, "lbs") || strings.Contains(header, "lb"):
		scale = 453.59237
	case strings.HasSuffix(lower, "oz") || strings.Contains(header, "(oz"):
		scale = 28.349523125
	}
	plain, err := decimalText(strings.TrimRight(lower, "abcdefghijklmnopqrstuvwxyz. "), decimal)
	if err != nil {
		return 0
	}
	n, err := strconv.ParseFloat(plain, 64)
	if err != nil || n < 0 || n*scale > 1e9 {
		return 0
	}
	return int(math.Round(n * scale))
}

// clip shortens what is quoted in a reason.
func clip(text string) string {
	text = strings.Join(strings.Fields(text), " ")
	if runes := []rune(text); len(runes) > 40 {
		return string(runes[:39]) + "…"
	}
	return text
}
