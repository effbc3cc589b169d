package gtin

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"strings"
	"testing"
)

// The worked example of the GS1 General Specifications, section 7.9.1 (from memory): 629104150021 has
// the check digit 3.
func TestTheWorkedExample(t *testing.T) {
	if !Valid("6291041500213") || Valid("6291041500214") {
		t.Error("the worked example does not hold")
	}
}

func TestWhatIsWrongIsNamed(t *testing.T) {
	for code, words := range map[string]string{"": "", "4006381333931": "",
		"4006381333932": "its check digit would be 1", "12345": "has 5 digits", "40063813339a1": "is not all digits"} {
		if got := Check(code); (words == "") != (got == "") || !strings.Contains(got, words) {
			t.Errorf("%q: %q", code, got)
		}
	}
}

// An independent package for barcodes (gtin, from npm) is asked about three thousand numbers.
func TestAgreesWithAnIndependentPackage(t *testing.T) {
	if _, err := os.Stat("../../e2e/node_modules/gtin"); err != nil {
		t.Fatalf("%v: run make setup-test", err)
	}
	r := rand.New(rand.NewPCG(1, 2))
	var codes []string
	for range 3000 {
		code := ""
		for range []int{7, 11, 12, 13}[r.IntN(4)] {
			code += fmt.Sprint(r.IntN(10))
		}
		if r.IntN(2) == 0 {
			code += string(digit(code))
		} else {
			code += fmt.Sprint(r.IntN(10))
		}
		codes = append(codes, code)
	}
	input, err := json.Marshal(codes)
	if err != nil {
		t.Fatal(err)
	}
	node := exec.Command("node", "-e",
		`const g = require("gtin"); console.log(JSON.stringify(JSON.parse(require("fs").readFileSync(0, `+
			`"utf8")).map((c) => g.isValid(c))))`)
	node.Dir, node.Stdin = "../../e2e", strings.NewReader(string(input))
	out, err := node.Output()
	if err != nil {
		t.Fatal(err)
	}
	var theirs []bool
	if err := json.Unmarshal(out, &theirs); err != nil {
		t.Fatal(err)
	}
	valid := 0
	for i, code := range codes {
		if Valid(code) != theirs[i] {
			t.Errorf("%s: we say %v", code, Valid(code))
		}
		if theirs[i] {
			valid++
		}
	}
	if valid < 1000 || valid > 2500 {
		t.Errorf("%d of %d are valid: the numbers tell nothing apart", valid, len(codes))
	}
}
