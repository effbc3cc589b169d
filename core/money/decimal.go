package money

import (
	"fmt"
	"math"
	"math/bits"
	"strconv"
	"strings"
)

var pow10 = [...]int64{1, 10, 100, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15, 1e16, 1e17,
	1e18}

// MulDiv is a*b/c with the product in 128 bits, rounded half away from zero.
// It returns ErrTooLarge where the result does not fit, or c is zero.
func MulDiv(a, b, c int64) (int64, error) {
	hi, lo := bits.Mul64(magnitude(a), magnitude(b))
	return divRound(hi, lo, magnitude(c), (a < 0) != (b < 0) != (c < 0))
}

// MulMulDiv is a*b*c/(d*e) computed exactly and rounded once, half away from zero.
// It returns ErrTooLarge where a*b*c leaves 128 bits, d*e leaves 64, or the result 63.
func MulMulDiv(a, b, c, d, e int64) (int64, error) {
	hi, lo := bits.Mul64(magnitude(a), magnitude(b))
	top, mid := bits.Mul64(hi, magnitude(c))
	carry, low := bits.Mul64(lo, magnitude(c))
	mid, over := bits.Add64(mid, carry, 0)
	divHi, div := bits.Mul64(magnitude(d), magnitude(e))
	if top != 0 || over != 0 || divHi != 0 {
		return 0, ErrTooLarge
	}
	return divRound(mid, low, div, (a < 0) != (b < 0) != (c < 0) != (d < 0) != (e < 0))
}

func divRound(hi, lo, div uint64, negative bool) (int64, error) {
	if hi >= div {
		return 0, ErrTooLarge
	}
	var quotient, remainder uint64
	if hi == 0 {
		quotient, remainder = lo/div, lo%div // much the cheaper, and the common case
	} else {
		quotient, remainder = bits.Div64(hi, lo, div)
	}
	if remainder >= div-remainder {
		quotient++
	}
	if quotient > math.MaxInt64 {
		return 0, ErrTooLarge
	}
	if negative {
		return -int64(quotient), nil
	}
	return int64(quotient), nil
}

func magnitude(n int64) uint64 {
	if n < 0 {
		return uint64(-(n + 1)) + 1
	}
	return uint64(n)
}

// parseScaled reads plain decimal text as an integer scaled by 10^digits.
// Decimals beyond digits must be zeros.
func parseScaled(text string, digits int) (int64, error) {
	body, negative := strings.CutPrefix(text, "-")
	whole, fraction, pointed := strings.Cut(body, ".")
	if whole == "" || (pointed && fraction == "") || !allDigits(whole) || !allDigits(fraction) {
		return 0, ErrNotAnAmount
	}
	if len(fraction) > digits {
		if strings.Trim(fraction[digits:], "0") != "" {
			return 0, fmt.Errorf("more than %d decimals: %w", digits, ErrNotAnAmount)
		}
		fraction = fraction[:digits]
	}
	n, err := strconv.ParseInt(whole+fraction+strings.Repeat("0", digits-len(fraction)), 10, 64)
	if err != nil {
		return 0, ErrTooLarge
	}
	if negative {
		n = -n
	}
	return n, nil
}

func allDigits(s string) bool {
	for i := range len(s) {
		if s[i] < '0' || s[i] > '9' {
			return false
		}
	}
	return true
}

// scaledText writes n / 10^digits with at least keep decimals, trailing zeros beyond those left out.
func scaledText(n int64, digits, keep int) string {
	text := strconv.FormatUint(magnitude(n), 10)
	if len(text) <= digits {
		text = strings.Repeat("0", digits+1-len(text)) + text
	}
	whole, fraction := text[:len(text)-digits], text[len(text)-digits:]
	for len(fraction) > keep && strings.HasSuffix(fraction, "0") {
		fraction = fraction[:len(fraction)-1]
	}
	if fraction != "" {
		whole += "." + fraction
	}
	if n < 0 {
		return "-" + whole
	}
	return whole
}
