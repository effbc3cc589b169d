package main

import (
	"errors"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
)

// run starts the binary as a person would and returns its exit code and what it said.
func run(t *testing.T, args ...string) (code int, said string) {
	t.Helper()
	binary, err := built()
	if err != nil {
		t.Fatal(err)
	}
	out, err := exec.Command(binary, args...).CombinedOutput()
	var ended *exec.ExitError
	if err != nil && !errors.As(err, &ended) {
		t.Fatal(err)
	}
	if ended != nil {
		code = ended.ExitCode()
	}
	return code, string(out)
}

func TestPricingAFile(t *testing.T) {
	dir, examples := t.TempDir(), "../../docs/examples/"
	out := filepath.Join(dir, "prices.csv")
	args := []string{"price", "--rules", examples + "rules.json", "--rates", examples + "rates.csv", "--in",
		examples + "costs.csv", "--out", out, "--rates-age", "36500"}
	code, said := run(t, args...)
	if code != 3 || !strings.Contains(said, "3 priced, 1 rejected") ||
		!strings.Contains(said, "prices.csv.rejects.csv") {
		t.Fatalf("%d: %s", code, said)
	}
	read := func(name string) string {
		data, err := os.ReadFile(name)
		if err != nil {
			t.Fatal(err)
		}
		return string(data)
	}
	if prices := read(out); strings.Count(prices, "\n") != 4 ||
		!strings.Contains(prices, "MUG-LAKE-350,USD,10.60,22.99,28.99") || strings.Contains(prices, "Landed cost") {
		t.Errorf("%s", prices)
	}
	if rejects := read(out + ".rejects.csv"); !strings.Contains(rejects, "5,") ||
		!strings.Contains(rejects, "ROPE-BASKET,call") {
		t.Errorf("%s", rejects)
	}
	// Mended and priced again: the rejects of before are gone, and the code is 0.
	mended := filepath.Join(dir, "costs.csv")
	if err := os.WriteFile(mended, []byte(strings.Replace(read(examples+"costs.csv"), "call", "3.10", 1)),
		0o644); err != nil {
		t.Fatal(err)
	}
	args[6] = mended
	if code, said := run(t, append(args, "--trace")...); code != 0 || !strings.Contains(said, "4 priced, 0 rejected") {
		t.Errorf("%d: %s", code, said)
	}
	if _, err := os.Stat(out + ".rejects.csv"); !os.IsNotExist(err) {
		t.Errorf("the rejects of the run before are still there: %v", err)
	}
	if !strings.Contains(read(out), "46.20 CNY at 0.138513 (1 EUR = ") {
		t.Error("there is no trace")
	}
}

// One file is never two things, standard streams are for each, and a run that fails leaves what was there.
func TestFilesOfAPriceRun(t *testing.T) {
	dir, examples := t.TempDir(), "../../docs/examples/"
	costs, out := filepath.Join(dir, "costs.csv"), filepath.Join(dir, "prices.csv")
	data, err := os.ReadFile(examples + "costs.csv")
	if err != nil {
		t.Fatal(err)
	}
	for name, text := range map[string][]byte{costs: data, out: []byte("of yesterday"),
		out + ".rejects.csv": []byte("of yesterday")} {
		if err := os.WriteFile(name, text, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	price := func(more ...string) (int, string) {
		return run(t,
			append([]string{"price", "--rules", examples + "rules.json", "--rates", examples + "rates.csv"},
				more...)...)
	}
	for words, args := range map[string][]string{
		"--in and --out are the same file":      {"--in", costs, "--out", costs},
		"--out and --rejects are the same file": {"--in", costs, "--out", out, "--rejects", dir + "/./prices.csv"},
		"--in and --rejects are the same file":  {"--in", costs, "--out", out, "--rejects", costs},
		"cannot both be -":                      {"--in", costs, "--out", "-", "--rejects", "-"},
		"days old; get newer ones":              {"--in", costs, "--out", out, "--rates-age", "-1"},
		"no such file":                          {"--in", costs + ".none", "--out", out, "--rates-age", "36500"},
	} {
		if code, said := price(args...); code != 1 || !strings.Contains(said, words) {
			t.Errorf("%v: %d %s", args, code, said)
		}
	}
	for _, name := range []string{out, out + ".rejects.csv"} {
		if left, err := os.ReadFile(name); err != nil || string(left) != "of yesterday" {
			t.Errorf("%s: %s %v", name, left, err)
		}
	}
	if left, err := os.ReadDir(dir); err != nil || len(left) != 3 {
		t.Errorf("%d files are left: %v", len(left), err)
	}
	if code, said := price("--in", costs, "--out", "-", "--rates-age", "36500", "--rejects",
		filepath.Join(dir, "r.csv")); code != 3 || !strings.Contains(said, "MUG-LAKE-350,USD") {
		t.Errorf("to standard output: %d %s", code, said)
	}
}

func TestPricingAFileThatCannotBe(t *testing.T) {
	bad := filepath.Join(t.TempDir(), "rules.json")
	if err := os.WriteFile(bad, []byte(`{"currency": "USD", "rules": []}`), 0o644); err != nil {
		t.Fatal(err)
	}
	for words, args := range map[string][]string{
		"give --rules, --in and --out": {"price"},
		"no such file":                 {"price", "--rules", "nowhere.json", "--in", "x", "--out", "y"},
		"1 to 200 rules":               {"price", "--rules", bad, "--in", "x", "--out", "y"},
	} {
		if code, said := run(t, args...); code != 1 || !strings.Contains(said, words) {
			t.Errorf("%v: %d, %s", args, code, said)
		}
	}
	if code, said := run(t, "price", "--help"); code != 0 || !strings.Contains(said, "docs/price-rules.schema.json") {
		t.Errorf("%d: %s", code, said)
	}
}

func TestBenchesRun(t *testing.T) {
	if code, said := run(t, "bench", "price", "-n", "2000"); code != 0 ||
		!strings.Contains(said, `"allocations_each":0`) {
		t.Errorf("%d: %s", code, said)
	}
	if code, said := run(t, "bench", "reprice", "-n", "40", "-dir", filepath.Join(t.TempDir(), "bench")); code != 0 ||
		!strings.Contains(said, `"prices":160`) || strings.Contains(said, `"moved":0`) {
		t.Errorf("%d: %s", code, said)
	}
}

// From the standard input to the standard output, as one step among others; what is not used is named.
func TestPricingInAPipe(t *testing.T) {
	binary, err := built()
	if err != nil {
		t.Fatal(err)
	}
	examples := "../../docs/examples/"
	pipe := exec.Command(binary, "price", "--rules", examples+"rules.json", "--in", "-", "--out", "-", "--rejects",
		filepath.Join(t.TempDir(), "rejects.csv"))
	pipe.Stdin = strings.NewReader(
		"number,colour,cost,currency\nA,red,10.00,USD\n\"B,blue,10.00,USD\nC,green,\"1,50\",USD\nD,white,10.00,USD\n")
	var said strings.Builder
	pipe.Stderr = &said
	out, err := pipe.Output()
	var ended *exec.ExitError
	if !errors.As(err, &ended) || ended.ExitCode() != 3 {
		t.Fatalf("%v: %s", err, said.String())
	}
	if rows := strings.Count(string(out), "\n"); rows != 3 || !strings.Contains(string(out), "\nA,USD,") ||
		!strings.Contains(string(out), "\nD,USD,") {
		t.Errorf("%s", out)
	}
	if !strings.Contains(said.String(), "not used: the columns colour") ||
		!strings.Contains(said.String(), "2 priced, 2 rejected") {
		t.Errorf("%s", said.String())
	}
	// Rules from the standard input.
	rules, err := os.ReadFile(examples + "rules.json")
	if err != nil {
		t.Fatal(err)
	}
	prices := filepath.Join(t.TempDir(), "prices.csv")
	pipe = exec.Command(binary, "price", "--rules", "-", "--in", examples+"costs.csv", "--rates", examples+"rates.csv",
		"--rates-age", "36500", "--out", prices)
	pipe.Stdin = strings.NewReader(string(rules))
	if err := pipe.Run(); !errors.As(err, &ended) || ended.ExitCode() != 3 {
		t.Errorf("%v", err)
	}
	if data, err := os.ReadFile(prices); err != nil || !strings.Contains(string(data), "MUG-LAKE-350,USD") {
		t.Errorf("%s %v", data, err)
	}
}
