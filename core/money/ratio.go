package money

import (
	"fmt"
	"strings"
)

// Ratio is a pure number in millionths: 29000 is 0.029 or 2.9 %, 2200000 is 2.2 times.
type Ratio int64

// One is the ratio 1, or 100 %.
const One Ratio = 1_000_000

// Percent makes a ratio from hundredths of a percent: Percent(290) is 2.9 %.
func Percent(hundredths int64) Ratio { return Ratio(hundredths * 100) }

// RatioOf is part / whole, rounded to the millionth; zero where whole is zero.
func RatioOf(part, whole Amount) Ratio {
	if whole.minor == 0 || part.currency != whole.currency {
		return 0
	}
	r, err := MulDiv(part.minor, int64(One), whole.minor)
	if err != nil {
		return 0
	}
	return Ratio(r)
}

// ParseRatio reads decimal text with up to six decimals: 0.029, 2.2.
func ParseRatio(text string) (Ratio, error) {
	n, err := parseScaled(strings.TrimSpace(text), 6)
	if err != nil {
		return 0, fmt.Errorf("%q: %w", text, err)
	}
	return Ratio(n), nil
}

// String writes the ratio as decimal text: 0.029, 2.2.
func (r Ratio) String() string { return scaledText(int64(r), 6, 0) }

// PercentText writes the ratio in percent without the sign: 2.9, 100.
func (r Ratio) PercentText() string { return scaledText(int64(r), 4, 0) }

// MarshalText writes decimal text.
func (r Ratio) MarshalText() ([]byte, error) { return []byte(r.String()), nil }

// UnmarshalText reads decimal text.
func (r *Ratio) UnmarshalText(text []byte) error {
	parsed, err := ParseRatio(string(text))
	*r = parsed
	return err
}
