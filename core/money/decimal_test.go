package money

import (
	"bufio"
	"errors"
	"math"
	"math/big"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/cockroachdb/apd/v3"
)

// decTest opens one of the General Decimal Arithmetic test files that the package
// github.com/cockroachdb/apd/v3 ships.
func decTest(t *testing.T, name string) *os.File {
	t.Helper()
	out, err := exec.Command("go", "list", "-m", "-f", "{{.Dir}}", "github.com/cockroachdb/apd/v3").Output()
	if err != nil {
		t.Fatal(err)
	}
	file, err := os.Open(filepath.Join(strings.TrimSpace(string(out)), "testdata", name))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = file.Close() })
	return file
}

var quantizeCase = regexp.MustCompile(
	`^(\w+)\s+quantize\s+'?(-?\d+(?:\.\d+)?)'?\s+'?1e(-?[0-6])'?\s+->\s+'?(-?\d+(?:\.\d+)?)'?(?:\s|$)`)

// Outside source: quantize.decTest of the General Decimal Arithmetic test cases, those
// with rounding half_up, which is half away from zero.
func TestRoundingAgreesWithDecimalTestCases(t *testing.T) {
	lines := bufio.NewScanner(decTest(t, "quantize.decTest"))
	rounding, tried := "", 0
	for lines.Scan() {
		line := strings.TrimSpace(lines.Text())
		if mode, is := strings.CutPrefix(line, "rounding:"); is {
			rounding = strings.TrimSpace(mode)
		}
		m := quantizeCase.FindStringSubmatch(line)
		if m == nil || rounding != "half_up" {
			continue
		}
		exponent, _ := strconv.Atoi(m[3])
		if exponent > 0 {
			continue
		}
		_, fraction, _ := strings.Cut(m[2], ".")
		digits, wanted := len(fraction), -exponent
		value, err := parseScaled(m[2], digits)
		if err != nil || digits > 18 || wanted > 18 {
			continue
		}
		got, err := MulDiv(value, pow10[wanted], pow10[digits])
		if err != nil {
			continue // beyond 63 bits
		}
		want := strings.TrimPrefix(m[4], "-")
		if text := strings.TrimPrefix(scaledText(got, wanted, wanted), "-"); text != want {
			t.Errorf("%s: quantize %s to %d decimals is %s, want %s", m[1], m[2], wanted, text, want)
		}
		tried++
	}
	if tried < 100 {
		t.Fatalf("only %d cases fitted", tried)
	}
	t.Logf("%d cases", tried)
}

func TestMulMulDivAgreesWithBigRat(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	fitted := 0
	for range 50_000 {
		n := func(most int64) int64 { return r.Int64N(2*most) - most }
		a, b, c, d, e := n(1e10), n(1e9), 1+r.Int64N(1e4), 1+r.Int64N(1e9), 1+r.Int64N(1e6)
		got, err := MulMulDiv(a, b, c, d, e)
		exact := new(big.Rat).SetFrac(new(big.Int).Mul(big.NewInt(a), new(big.Int).Mul(big.NewInt(b), big.NewInt(c))),
			new(big.Int).Mul(big.NewInt(d), big.NewInt(e)))
		want := halfAway(exact)
		if !want.IsInt64() {
			if err == nil {
				t.Fatalf("%d*%d*%d/(%d*%d) does not fit but gave %d", a, b, c, d, e, got)
			}
			continue
		}
		if err != nil || got != want.Int64() {
			t.Fatalf("%d*%d*%d/(%d*%d) = %d %v, want %s", a, b, c, d, e, got, err, want)
		}
		fitted++
	}
	if fitted < 10_000 {
		t.Fatalf("only %d fitted", fitted)
	}
}

// halfAway rounds exactly, half away from zero, by another way than the code under test.
func halfAway(x *big.Rat) *big.Int {
	twice := new(big.Int).Add(new(big.Int).Lsh(new(big.Int).Abs(x.Num()), 1), x.Denom())
	q := twice.Quo(twice, new(big.Int).Lsh(x.Denom(), 1))
	if x.Sign() < 0 {
		q.Neg(q)
	}
	return q
}

// Outside source: the decimal package apd, rounding half up.
func TestShareAgreesWithDecimalPackage(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	context := apd.BaseContext.WithPrecision(40)
	context.Rounding = apd.RoundHalfUp
	usd := MustCurrency("USD")
	for range 20_000 {
		minor, ratio := r.Int64N(1e9)-5e8, r.Int64N(5e6)-2e6
		got, err := New(minor, usd).Share(Ratio(ratio))
		if err != nil {
			t.Fatal(err)
		}
		var want apd.Decimal
		if _, err := context.Mul(&want, apd.New(minor, -2), apd.New(ratio, -6)); err != nil {
			t.Fatal(err)
		}
		if _, err := context.Quantize(&want, &want, -2); err != nil {
			t.Fatal(err)
		}
		if text := want.Text('f'); got.Decimal() != text && !(got.IsZero() && want.IsZero()) {
			t.Fatalf("%d x %d: %s, want %s", minor, ratio, got.Decimal(), text)
		}
	}
}

func TestMulDivRefusesWhatDoesNotFit(t *testing.T) {
	for _, c := range [][3]int64{{math.MaxInt64, 2, 1}, {1, 1, 0}, {math.MinInt64, math.MinInt64, 1}} {
		if got, err := MulDiv(c[0], c[1], c[2]); !errors.Is(err, ErrTooLarge) {
			t.Errorf("%v: %d %v", c, got, err)
		}
	}
	if got, err := MulDiv(math.MaxInt64, math.MaxInt64, math.MaxInt64); err != nil || got != math.MaxInt64 {
		t.Errorf("the largest: %d %v", got, err)
	}
	if _, err := MulMulDiv(math.MaxInt64, math.MaxInt64, 4, 1, 1); !errors.Is(err, ErrTooLarge) {
		t.Error("beyond 128 bits was not refused")
	}
}

func FuzzParse(f *testing.F) {
	for _, seed := range []string{"19.99", "-0.01", "1,5", "", ".", "1.", "9223372036854775807", "00012.30", "1e5",
		"٣"} {
		f.Add(seed, uint8(2))
	}
	all := Currencies()
	f.Fuzz(func(t *testing.T, text string, place uint8) {
		c := all[int(place)%len(all)]
		a, err := Parse(text, c)
		if err != nil {
			return
		}
		again, err := Parse(a.Decimal(), c)
		if err != nil || again != a {
			t.Fatalf("%q became %s, which reads as %v %v", text, a, again, err)
		}
	})
}
