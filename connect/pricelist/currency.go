package pricelist

import (
	"slices"
	"strings"
	"unicode"

	"plainpelican/core/money"
)

// signs are what people write for a currency besides its ISO 4217 code, lower-cased. Those that the Unicode CLDR
// has are checked against it in the tests; the others (RMB, Kč without its accent, R for the rand) are common practice.
var signs = map[string]string{
	"€": "EUR", "euro": "EUR", "euros": "EUR", "£": "GBP", "pounds sterling": "GBP", "sterling": "GBP",
	"us$": "USD", "$us": "USD", "u$s": "USD", "us dollar": "USD", "us dollars": "USD", "usd$": "USD", "$usd": "USD",
	"ca$": "CAD", "can$": "CAD", "cad$": "CAD", "$ca": "CAD", "a$": "AUD", "au$": "AUD", "aud$": "AUD", "nz$": "NZD",
	"hk$": "HKD", "s$": "SGD", "sg$": "SGD",
	"nt$": "TWD", "mx$": "MXN", "r$": "BRL", "₹": "INR", "₺": "TRY", "tl": "TRY", "kč": "CZK", "kc": "CZK", "ft": "HUF",
	"lei": "RON", "zł": "PLN", "zl": "PLN",
	"лв": "BGN", "₽": "RUB", "руб": "RUB", "руб.": "RUB", "₴": "UAH", "₩": "KRW", "원": "KRW", "₫": "VND", "฿": "THB",
	"₱": "PHP", "₪": "ILS", "₦": "NGN", "₵": "GHS",
	"rm": "MYR", "rp": "IDR", "rmb": "CNY", "cn¥": "CNY", "元": "CNY", "人民币": "CNY", "jp¥": "JPY", "円": "JPY",
	"sfr": "CHF", "sfr.": "CHF", "r": "ZAR", "₸": "KZT",
}

// sharedSigns are signs that several currencies share; the first are the likeliest.
var sharedSigns = map[string][]string{
	"$":  {"USD", "CAD", "AUD", "NZD", "HKD", "SGD", "MXN", "TWD"},
	"¥":  {"CNY", "JPY"},
	"￥":  {"CNY", "JPY"},
	"c$": {"CAD", "NIO"},
	"kr": {"SEK", "NOK", "DKK", "ISK"},
	"fr": {"CHF", "XAF", "XOF"},
	"rs": {"INR", "PKR", "LKR", "NPR", "MUR"},
	"₨":  {"INR", "PKR", "LKR", "NPR", "MUR"},
}

// signOf reads a sign or a code: a currency's code; "~" and a sign that several share; or "" where it is neither.
func signOf(text string) string {
	lower := strings.ToLower(strings.TrimSpace(text))
	if code := signs[lower]; code != "" {
		return code
	}
	for _, s := range []string{lower, strings.TrimSuffix(lower, ".")} {
		if _, shared := sharedSigns[s]; shared {
			if s == "￥" {
				s = "¥"
			}
			return "~" + s
		}
	}
	if len(lower) == 3 {
		if c, err := money.ParseCurrency(strings.ToUpper(lower)); err == nil {
			return c.String()
		}
	}
	return ""
}

// alsoWords are signs and codes that are words or units as well, with how they are spelt in a header where a
// currency is meant.
var alsoWords = map[string]string{"r": "R", "tl": "TL", "ft": "Ft", "rm": "RM", "rp": "Rp RP", "kc": "Kc",
	"zl": "zl ZL", "fr": "Fr FR", "rs": "Rs RS", "lei": "lei Lei LEI", "try": "TRY", "all": "ALL", "top": "TOP",
	"mad": "MAD", "cup": "CUP"}

// usual are codes that lists of goods are in; others are taken for one in capitals among small letters, or in brackets.
var usual = func() map[string]bool {
	all := map[string]bool{}
	for _, code := range strings.Fields("USD EUR GBP CAD AUD NZD CHF " +
		"SEK NOK DKK ISK PLN CZK HUF RON BGN TRY JPY CNY HKD TWD KRW INR SGD MYR THB IDR PHP VND ZAR AED KWD ILS BRL " +
		"MXN RUB UAH") {
		all[code] = true
	}
	return all
}()

// inWords are the currencies that a text of words names, each once, as signOf has them. In a running text only codes in
// capitals count: "all" and "top" are words as well.
func inWords(text string, header bool) []string {
	var found []string
	add := func(code string) {
		if code != "" && !slices.Contains(found, code) {
			found = append(found, code)
		}
	}
	lower := strings.ToLower(text)
	for _, name := range []string{"us dollar", "pounds sterling", "人民币"} {
		if strings.Contains(lower, name) {
			add(signs[name])
		}
	}
	for _, word := range strings.FieldsFunc(text, func(r rune) bool {
		return unicode.IsSpace(r) || strings.ContainsRune("()[]{}/,:;-_+*=|\"'", r) || unicode.IsDigit(r)
	}) {
		word = strings.Trim(word, ".")
		if spellings, doubtful := alsoWords[strings.ToLower(word)]; doubtful &&
			(!header || !slices.Contains(strings.Fields(spellings), word)) {
			continue
		}
		_, err := money.ParseCurrency(strings.ToUpper(word))
		code := signOf(word)
		capital := word == strings.ToUpper(word)
		switch {
		case err == nil && len(word) == 3 && !usual[strings.ToUpper(word)]: // a pen and a mop are goods as well
			if strings.Contains(text, "("+word+")") || header && capital && text != strings.ToUpper(text) {
				add(strings.ToUpper(word))
			}
		case err == nil && len(word) == 3 && (header || capital):
			add(strings.ToUpper(word))
		case code != "" && (len(word) != 3 || header || signs[strings.ToLower(word)] != ""):
			add(code)
		case code == "":
			for _, r := range word { // a sign that touches a word: "Price€"
				if s := string(r); unicode.Is(unicode.Sc, r) {
					add(signOf(s))
				}
			}
		}
	}
	if len(found) > 1 { // "US$" and "$", "USD ($)": the code says which
		found = slices.DeleteFunc(found, func(code string) bool {
			return code[0] == '~' && slices.ContainsFunc(sharedSigns[code[1:]], func(c string) bool {
				return slices.Contains(found, c)
			})
		})
	}
	return found
}

// currencyIn is the one currency that a header names: "Charge EUR", "Price (€)"; "~$" for a sign that several
// share, and "" where it names none or several.
func currencyIn(header string) string {
	if found := inWords(header, true); len(found) == 1 {
		return found[0]
	}
	return ""
}

// ofSign says which currency a shared sign stands for in a list: as was answered, or that of the list where
// it is one of the sign's; otherwise it is not known.
func (l *Layout) ofSign(sign, list string) string {
	if code := l.Signs[sign]; code != "" {
		return code
	}
	if slices.Contains(sharedSigns[sign], list) {
		return list
	}
	return ""
}
