package pricefile

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
)

func example(t testing.TB, name string) string {
	t.Helper()
	data, err := os.ReadFile("../../docs/examples/" + name)
	if err != nil {
		t.Fatal(err)
	}
	return string(data)
}

func rulesOf(t testing.TB, text string) Rules {
	t.Helper()
	rules, err := ReadRules(strings.NewReader(text))
	if err != nil {
		t.Fatal(err)
	}
	return rules
}

const oneRule = `{"currency": "USD", "rules": [{"id": 1, "formula": {"kind": "multiple",
	"bands": [{"from": {"value": "0", "currency": "USD"}, "ratio": "2"}]}}]}`

// run prices rows and returns what came out and what was rejected, without the headers.
func run(t testing.TB, rules Rules, costs string, trace bool) (out, rejects [][]string) {
	t.Helper()
	rates, err := ReadRates(strings.NewReader(example(t, "rates.csv")))
	if err != nil {
		t.Fatal(err)
	}
	var prices, rejected bytes.Buffer
	result, err := Run{Rules: rules, Rates: rates, In: strings.NewReader(costs), Out: &prices,
		Rejects: func() (io.Writer, error) {
			return &rejected, nil
		}, Trace: trace}.Do()
	if err != nil {
		t.Fatal(err)
	}
	read := func(b *bytes.Buffer) [][]string {
		r := csv.NewReader(b)
		r.FieldsPerRecord = -1
		rows, err := r.ReadAll()
		if err != nil {
			t.Fatal(err)
		}
		return rows[min(1, len(rows)):]
	}
	out, rejects = read(&prices), read(&rejected)
	if result.Priced != len(out) || result.Rejected != len(rejects) {
		t.Fatalf("%+v, but %d and %d rows", result, len(out), len(rejects))
	}
	return out, rejects
}

func TestTheExampleOfTheREADME(t *testing.T) {
	out, rejects := run(t, rulesOf(t, example(t, "rules.json")), example(t, "costs.csv"), true)
	if len(out) != 3 || len(rejects) != 1 {
		t.Fatalf("%v %v", out, rejects)
	}
	// 46.20 and 30.32 yuan land at 10.60; 2.2 times is 23.32, which ends in 22.99.
	mug := out[0]
	if mug[2] != "10.60" || mug[3] != "22.99" || mug[4] != "28.99" ||
		!strings.Contains(mug[14], "46.20 CNY at 0.138513 (1 EUR = ") {
		t.Errorf("%v", mug)
	}
	if out[1][13] != "capped" || out[1][3] != "17.99" {
		t.Errorf("%v", out[1])
	}
	if n := len(rejects[0]); rejects[0][n-2] != "5" ||
		rejects[0][n-1] != `"call" in the column cost is not an amount in USD` || rejects[0][0] != "ROPE-BASKET" {
		t.Errorf("%v", rejects[0])
	}
}

func TestRowsThatCannotBeUsedAreSetAsideAndTheRestGoesOn(t *testing.T) {
	costs := "\ufeffNumber,Cost,Currency,ships_from,list_price\n" +
		"A,1.00,USD,CN,\n" +
		",1.00,USD,CN,\n" +
		"B,0,USD,CN,\n" +
		"C,-1.00,USD,CN,\n" +
		"D,1.00,XYZ,CN,\n" +
		"E,1.00,GBP,CN,\n" +
		"F,\"1,50\",USD,CN,\n" +
		"G,1.00\n" +
		"H,1.00,USD,CN,soon\n" +
		"I,92233720368547758.07,USD,CN,\n" +
		"=cmd(),2.00,usd,cn,9.00\n" +
		"J,1.0\"0,USD,CN,\n" +
		"L,1,50,USD,CN,,\n" +
		"M,1,50,USD,CN,9,9\n" +
		"\"N,1.00,USD,CN,\n" +
		"K,3.00,USD,CN,\n"
	out, rejects := run(t, rulesOf(t, oneRule), costs, false)
	if len(out) != 3 || out[0][0] != "A" || out[1][0] != "'=cmd()" || out[1][3] != "4.00" || out[2][0] != "K" {
		t.Errorf("%v", out)
	}
	want := []string{"3 it has no number", "4 the cost is 0", "5 \"-1.00\" in the column cost is negative",
		`6 "XYZ" is not a currency`, "7 there is no rate from GBP to USD",
		`8 "1,50" in the column cost is not an amount in USD`, `9 "" is not a currency`,
		`10 "soon" in the column list_price`, "11 the amount is too large",
		`13 "1.0\"0" in the column cost is not an amount`, `14 "50" is not a currency`,
		"15 it has 7 fields, the header has 5", "16 a quote is opened and never closed"}
	if len(rejects) != len(want) {
		t.Fatalf("%d rejects: %v", len(rejects), rejects)
	}
	for i, r := range rejects {
		if got := r[len(r)-2] + " " + r[len(r)-1]; !strings.HasPrefix(got, want[i]) {
			t.Errorf("%s, want %s", got, want[i])
		}
	}
}

func TestFilesThatCannotBeRead(t *testing.T) {
	for words, text := range map[string]string{
		"the file is empty": "", `no column "currency"`: "number,cost\n", "there twice": "number,cost,currency,Cost\n",
		`no column "number"`: "number;cost;currency\n",
	} {
		_, err := Run{Rules: rulesOf(t, oneRule), In: strings.NewReader(text), Out: io.Discard}.Do()
		if err == nil || !strings.Contains(err.Error(), words) {
			t.Errorf("%s: %v", words, err)
		}
	}
	for words, text := range map[string]string{
		"has no rates": "date,base,currency,rate\n", "is not a date": "date,base,currency,rate\nnow,EUR,USD,1\n",
		"not an exchange rate": "date,base,currency,rate\n2026-11-25,EUR,USD,0\n",
		"two rates":            "date,base,currency,rate\n2026-11-25,EUR,USD,1.1\n2026-11-25,EUR,USD,1.2\n",
		"it has 5 fields":      "date,base,currency,rate\n2026-11-25,EUR,USD,1,1042\n",
		"two bases":            "date,base,currency,rate\n2026-11-25,EUR,USD,1.1\n2026-11-25,USD,JPY,150\n",
		"line 2":               "date,base,currency,rate\n2026-11-25,EUR,DOLLAR,1\n",
	} {
		if _, err := ReadRates(strings.NewReader(text)); err == nil || !strings.Contains(err.Error(), words) {
			t.Errorf("%s: %v", words, err)
		}
	}
	newest, err := ReadRates(strings.NewReader(
		"date,base,currency,rate\n2026-11-24,EUR,USD,1.0\n2026-11-25,EUR,USD,1.1\n2026-11-23,EUR,JPY,150\n"))
	if err != nil || newest.Day().Day() != 25 || len(newest.Text(0)) != 0 {
		t.Errorf("%v", err)
	}
}

// The schema and the reader agree on what is a rules file: what the one refuses the other does.
func TestTheSchemaSaysWhatIsRead(t *testing.T) {
	schema := jsonschema.NewCompiler()
	file, err := os.Open("../../docs/price-rules.schema.json")
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = file.Close() }()
	document, err := jsonschema.UnmarshalJSON(file)
	if err != nil {
		t.Fatal(err)
	}
	if err := schema.AddResource("rules.json", document); err != nil {
		t.Fatal(err)
	}
	compiled, err := schema.Compile("rules.json")
	if err != nil {
		t.Fatal(err)
	}
	valid := func(text string) error {
		value, err := jsonschema.UnmarshalJSON(strings.NewReader(text))
		if err != nil {
			return err
		}
		return compiled.Validate(value)
	}
	good := example(t, "rules.json")
	for _, text := range []string{good, oneRule} {
		if err := valid(text); err != nil {
			t.Errorf("the schema refuses a good file: %v", err)
		}
		rulesOf(t, text)
	}
	for name, change := range map[string][2]string{
		"a number for money": {`"value": "4.00"`, `"value": 4.00`},
		"a misspelt guard":   {`"least_margin"`, `"least_margn"`}, "another formula": {`"multiple"`, `"guess"`},
		"a ratio with words": {`"0.029"`, `"2.9 %"`}, "no id": {`"id": 1,`, ``},
		"no currency": {`"currency": "USD",`, ``}, "an ending that is none": {`".49"`, `"soon"`},
		"an empty name":             {`"Kitchen"`, `""`},
		"a band without its number": {`"ratio": "2.2"`, `"to": {"value": "5.00", "currency": "USD"}`},
	} {
		text := strings.Replace(good, change[0], change[1], 1)
		if text == good {
			t.Fatalf("%s changes nothing", name)
		}
		if valid(text) == nil {
			t.Errorf("the schema takes %s", name)
		}
		if _, err := ReadRules(strings.NewReader(text)); err == nil {
			t.Errorf("the reader takes %s", name)
		}
	}
	for words, text := range map[string]string{"something follows": oneRule + "{}",
		"last rule":   strings.Replace(oneRule, `"id": 1,`, `"id": 1, "off": true,`, 1),
		"from 0 to 5": strings.Replace(oneRule, `"value": "0"`, `"value": "5"`, 1)} {
		if _, err := ReadRules(strings.NewReader(text)); err == nil || !strings.Contains(err.Error(), words) {
			t.Errorf("%s: %v", words, err)
		}
	}
}

// What is written wrongly is said in plain words, with its line.
func TestRulesFilesSayWhatIsWrong(t *testing.T) {
	for text, words := range map[string]string{
		"":                   "it is empty",
		"{":                  "it ends too early",
		"{\n\"currency\": }": "line 2 is not JSON",
		`{"currency": 5}`:    "currency has to be text in quotes, and is a number",
		"{\n\"rules\": {}}":  "line 2: rules has to be a list in [ ], and is a object",
		strings.Replace(oneRule, `, "ratio": "2"`, "",
			1): "rule 1: band 1 of a multiple formula has no ratio",
		strings.Replace(oneRule, `"ratio": "2"`, `"ratio": "2", "amount": {"value": "1", "currency": "USD"}`,
			1): "has a amount, which it does not use",
		strings.Replace(oneRule, `"currency": "USD", "rules"`, `"currency": "USD", "import_charges": [{"from": "cn",
			"to": "de"}], "rules"`, 1): "import charges need a market",
	} {
		_, err := ReadRules(strings.NewReader(text))
		if err == nil || !strings.Contains(err.Error(), words) || strings.Contains(err.Error(), "unmarshal") ||
			strings.Contains(err.Error(), "EOF") {
			t.Errorf("%s: %v, want %s", text, err, words)
		}
	}
}

// Import charges by rule, countries in either case, tax and the return on ad spend; worked out by hand beside.
func TestImportChargesTaxAndBreakEven(t *testing.T) {
	rules := rulesOf(t, `{"currency": "EUR", "market": "de", "fees": {"tax_included": "0.19"},
		"import_charges": [{"from": "cn", "to": "*", "threshold": {"value": "10.00", "currency": "EUR"}, "duty": "0.05",
		"tax": "0.19"}],
		"rules": [{"id": 1, "conditions": {"ships_from": ["cn"]}, "formula": {"kind": "multiple",
		"bands": [{"from": {"value": "0", "currency": "EUR"}, "ratio": "2"}]}},
		{"id": 2, "formula": {"kind": "multiple", "bands": [{"from": {"value": "0", "currency": "EUR"},
		"ratio": "3"}]}}]}`)
	out, rejects := run(t, rules,
		"number,cost,shipping,currency,ships_from,charges\nA,16.00,4.00,EUR,CN,\nB,5.00,4.00,EUR,cn,\n"+
			"C,16.00,4.00,EUR,CN,1.00\nD,16.00,4.00,EUR,,\n", true)
	if len(out) != 3 || len(rejects) != 1 || !strings.Contains(strings.Join(rejects[0], " "), "from where it ships") {
		t.Fatalf("%v %v", out, rejects)
	}
	// 20.00 customs value; 5 % duty is 1.00; 19 % of 21.00 is 3.99: lands at 24.99. Twice that with 19 % tax is
	// 59.48, of which 9.50 tax.
	// Net 49.98 leaves 24.99; 59.48 / 24.99 is 2.380152.
	if a := out[0]; a[2] != "24.99" || a[3] != "59.48" || a[5] != "9.50" || a[6] != "49.98" || a[8] != "24.99" ||
		a[11] != "2.380152" || a[12] != "1" ||
		!strings.Contains(a[14], "5 % duty on 20.00 EUR is 1.00 EUR; 19 % tax is 3.99 EUR = 4.99") {
		t.Errorf("%v", a)
	}
	if out[1][2] != "9.00" || out[2][2] != "21.00" {
		t.Errorf("%v %v", out[1], out[2])
	}
}

// The rejects have the columns of their file, so that they can be corrected and priced as they are, again and again.
func TestRejectsCanBeSentAgain(t *testing.T) {
	rules := rulesOf(t, oneRule)
	again := func(costs string) string {
		var rejected bytes.Buffer
		_, err := Run{Rules: rules, In: strings.NewReader(costs), Out: io.Discard, Rejects: func() (io.Writer, error) {
			return &rejected, nil
		}}.Do()
		if err != nil {
			t.Fatal(err)
		}
		return rejected.String()
	}
	first := again("number,colour,cost,currency\nA,red,1.00,USD\n=B,blue,x,USD\nC,green,y,USD\n")
	second := again(strings.Replace(first, ",x,", ",2.00,", 1))
	if !strings.HasPrefix(first, "number,colour,cost,currency,line,reason\n'=B,blue,x,USD,3,") ||
		!strings.HasPrefix(second, "number,colour,cost,currency,line,reason\nC,green,y,USD,3,") ||
		strings.Count(second, "\n") != 2 {
		t.Errorf("%s\n%s", first, second)
	}
}

// counting is a file of a million rows that nobody holds whole.
type counting struct {
	rows, at int
	rest     []byte
}

func (c *counting) Read(p []byte) (int, error) {
	for len(c.rest) == 0 {
		switch {
		case c.at == 0:
			c.rest = []byte("number,cost,currency\n")
		case c.at > c.rows:
			return 0, io.EOF
		default:
			c.rest = fmt.Appendf(c.rest[:0], "N%d,%d.25,USD\n", c.at, c.at%90+1)
		}
		c.at++
	}
	n := copy(p, c.rest)
	c.rest = c.rest[n:]
	return n, nil
}

func TestAMillionRowsStream(t *testing.T) {
	if testing.Short() {
		t.Skip("a million rows")
	}
	rules := rulesOf(t, oneRule)
	most := testing.AllocsPerRun(1, func() {
		result, err := Run{Rules: rules, In: &counting{rows: 20_000}, Out: io.Discard}.Do()
		if err != nil || result.Priced != 20_000 {
			t.Errorf("%+v %v", result, err)
		}
	})
	if most > 20_000*30 {
		t.Errorf("%.0f allocations for 20,000 rows: more than a row needs", most)
	}
	result, err := Run{Rules: rules, In: &counting{rows: 1_000_000}, Out: io.Discard}.Do()
	if err != nil || result.Priced != 1_000_000 || result.Rejected != 0 {
		t.Errorf("%+v %v", result, err)
	}
}

func FuzzRulesFile(f *testing.F) {
	f.Add(oneRule)
	f.Add(example(f, "rules.json"))
	f.Fuzz(func(t *testing.T, text string) {
		rules, err := ReadRules(strings.NewReader(text))
		if err != nil {
			return
		}
		run(t, rules, "number,cost,currency,ships_from,market\nA,6.40,"+rules.Currency.String()+",CN,21.99\n", true)
	})
}

func FuzzCosts(f *testing.F) {
	f.Add(example(f, "costs.csv"))
	f.Add("number,cost,currency\n\"A,1,USD\n")
	rules := rulesOf(f, oneRule)
	f.Fuzz(func(t *testing.T, text string) {
		rejects := 0
		result, err := Run{Rules: rules, In: strings.NewReader(text), Out: io.Discard,
			Rejects: func() (io.Writer, error) {
				rejects++
				return io.Discard, nil
			}, Trace: true}.Do()
		if err == nil && (rejects > 1 || (result.Rejected > 0) != (rejects == 1)) {
			t.Fatalf("%+v, asked %d times for a place", result, rejects)
		}
		var broken *csv.ParseError
		if errors.As(err, &broken) && strings.HasPrefix(text, "number,cost,currency\n") {
			t.Fatalf("a row ended the whole file: %v", err)
		}
	})
}
