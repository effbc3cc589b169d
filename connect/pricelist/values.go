package pricelist

import (
	"errors"
	"fmt"
	"math"
	"math/big"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"plainpelican/core/money"
)

var dateLike = regexp.MustCompile(
	`^(\d{1,4}[-/.]\d{1,2}[-/.]\d{1,4}|\d{1,2}[-. /](?i:jan|feb|mar|apr|may|mai|jun|jul|aug|sep|oct|okt|nov|dec|` +
		`dez)[a-z]*\.?([-. /]\d{2,4})?)([ T]\d{1,2}:\d{2}.*)?$`)

// spaces are what people put between thousands, besides point and comma.
var spaces = strings.NewReplacer(" ", "", "\u00a0", "", "\u2009", "", "\u202f", "", "'", "", "’", "")

// unit takes a currency's sign or code off a number. The code is empty where none stands there, "~" and the sign
// where several currencies share it, and "?" and what stands there where it is no currency.
func unit(text string) (number, code string) {
	number, code, _ = pricedFor(text)
	return number, code
}

// pricedFor is unit, with what a price says that it is for: "€3.00/100", "12.00 per dozen".
func pricedFor(text string) (number, code string, per priceUnit) {
	text = strings.TrimSpace(text)
	if bare(text) {
		return text, "", per
	}
	if at := strings.IndexAny(text, "/"); at > 0 && !dateLike.MatchString(text) {
		if u := unitOf(text[at+1:]); u.known() {
			text, per = strings.TrimSpace(text[:at]), u
		}
	} else if m := pricePer.FindStringSubmatchIndex(text); m != nil {
		if u := unitOf(text[m[2]:m[3]]); u.known() {
			text, per = strings.TrimSpace(text[:m[0]]), u
		}
	}
	front := strings.IndexFunc(text, func(r rune) bool {
		return unicode.IsDigit(r) || strings.ContainsRune("-+.,(", r)
	})
	if front < 0 {
		return text, "", per
	}
	back := strings.LastIndexFunc(text, func(r rune) bool {
		return unicode.IsDigit(r) || strings.ContainsRune("-.,)", r)
	})
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
		known := signOf(mark)
		if known == "" {
			return text, "?" + mark, per
		}
		if code == "" || code[0] == '~' { // "$ 12 CAD" is in CAD
			code = known
		} else if known[0] != '~' && known != code {
			return text, "?" + sign + " " + tail, per
		}
	}
	return text, code, per
}

var pricePer = regexp.MustCompile(`(?i)\s(?:per|je|pro|par|por|each|a)\s+(?:1 )?(\S+( (?:pcs|st|stk))?)$`)

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
		indian := thousands == "," && len(groups) > 2 && len(groups[1]) == 2 // 1,29,900: lakhs, then thousands
		for i, g := range groups {
			want := 3
			if indian && i < len(groups)-1 {
				want = 2
			}
			if (i == 0 && (len(g) < 1 || len(g) > want)) || (i > 0 && len(g) != want) {
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

// amount reads a price of a list in c. A currency that stands beside the number has to be that. More decimals than the
// currency has are rounded half away from zero: suppliers quote a tenth of a cent.
func amount(text, decimal string, c money.Currency) (money.Amount, error) {
	number, code := unit(text)
	if code != "" && code[0] == '~' && slices.Contains(sharedSigns[code[1:]], c.String()) {
		code = c.String()
	}
	if code != "" && code[0] == '~' {
		return money.Amount{}, fmt.Errorf("“%s” could be in several currencies, the list is in %s", clip(text), c)
	}
	if code != "" && code[0] != '?' && code != c.String() {
		return money.Amount{}, fmt.Errorf("“%s” is in %s, the list in %s", clip(text), code, c)
	}
	return figure(text, number, code, decimal, c, 1, false)
}

// figure makes a price of a number that unit has read of a text, for so many pieces, in minor units where the list
// says so. It is rounded once.
func figure(text, number, code, decimal string, c money.Currency, pieces int, minor bool) (price money.Amount,
	err error) {
	switch {
	case strings.HasPrefix(text, "#"):
		return price, fmt.Errorf("it is the error %s of a formula", clip(text))
	case strings.HasPrefix(text, "="):
		return price, fmt.Errorf("it is the formula “%s”, without a result", clip(text))
	case dateLike.MatchString(text) && strings.Count(text, ".") != 1 || truth.MatchString(text):
		if _, err := decimalText(number, decimal); err != nil || truth.MatchString(text) {
			if truth.MatchString(text) {
				return price, fmt.Errorf("“%s” is not an amount", clip(text))
			}
			return price, fmt.Errorf("“%s” is a date", clip(text))
		}
	case strings.HasSuffix(code, "%"):
		return price, fmt.Errorf("“%s” is a share, not an amount", clip(text))
	case code != "" && code[0] == '?':
		return price, fmt.Errorf("“%s” is not an amount", clip(text))
	}
	plain, err := decimalText(number, decimal)
	if err != nil {
		if dateLike.MatchString(text) {
			return price, fmt.Errorf("“%s” is a date", clip(text))
		}
		return price, fmt.Errorf("“%s” is not an amount", clip(text))
	}
	if pieces > 1 || minor {
		if plain, err = divided(plain, pieces, minor, c); err != nil {
			return price, fmt.Errorf("“%s” is too large", clip(text))
		}
	}
	price, err = money.ParseRounded(plain, c)
	if err != nil || max(price.Minor(), -price.Minor()) > math.MaxInt64/1000 {
		return price, fmt.Errorf("“%s” is too large", clip(text))
	}
	return price, nil
}

var truth = regexp.MustCompile(`^(?i:true|false)$`)

// divided is a price for one piece, or of minor units in major ones, exact to more decimals than any currency has: the
// quotient is cut after twelve further digits, with a 1 behind if it goes on, so that it rounds as the exact one does.
func divided(plain string, pieces int, minor bool, c money.Currency) (string, error) {
	r, ok := new(big.Rat).SetString(plain)
	if !ok {
		return "", errNotNumber
	}
	by := int64(max(pieces, 1))
	if minor {
		by *= c.Unit()
	}
	r.Quo(r, new(big.Rat).SetInt64(by))
	n := new(big.Int).Mul(r.Num(), big.NewInt(1_000_000_000_000_000_000))
	q, rest := new(big.Int).QuoRem(n, r.Denom(), new(big.Int))
	sign := ""
	if n.Sign() < 0 {
		sign = "-"
		q.Abs(q)
	}
	digits := fmt.Sprintf("%019s", q.String())
	out := sign + digits[:len(digits)-18] + "." + digits[len(digits)-18:]
	if rest.Sign() != 0 {
		out += "1"
	}
	return out, nil
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
	if stockClassOf(trimmed) == noStock {
		return 0, nil
	}
	number := strings.TrimSpace(strings.Trim(trimmed, "><≥≤+~ "))
	for _, unit := range []string{"pcs.", "pcs", "pc", "pieces", "units", "stk.", "stk", "stück", "st.", "st", "ea",
		"pz", "uds", "stuks", "szt.", "szt", "ks", "шт.", "шт", "个", "件", "個", "개", "adet", "db", "kpl"} {
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
		return 0, fmt.Errorf("it is %s, less than none", plain)
	}
	return n, nil
}

// clip shortens what is quoted in a reason.
func clip(text string) string {
	text = strings.Join(strings.Fields(text), " ")
	if runes := []rune(text); len(runes) > 40 {
		return string(runes[:39]) + "…"
	}
	return text
}
