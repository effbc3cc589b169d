package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"

	"plainpelican/connect/pricefile"
	"plainpelican/core/money"
)

const priceHelp = `Prices a file of costs by a file of rules, with the same computation as the application.

  pelican price --rules rules.json --in costs.csv --out prices.csv [--rates rates.csv] [--trace] [--rejects rejects.csv]

rules.json is as docs/price-rules.schema.json has it. costs.csv names its columns in the first line: number, cost and
currency are needed; handling, shipping, charges, min_advertised, list_price, market (all in the row's currency), store,
source, supplier, category, brand, ships_from, collections and tags (with | between) may be there. rates.csv has date,
base, currency and rate, in units of currency per 1 base. Money is decimal text with a point.

Rows that cannot be used go to the rejects file (by default the out file's name with .rejects.csv) with their line and
the reason. The exit code is 0 where every row was priced, 3 where some were rejected, 1 for anything else. A - is
standard input or output.`

// rejected ends the program with the code that says that some rows were not priced.
type rejected int

func (r rejected) Error() string { return fmt.Sprintf("%d rows could not be priced", int(r)) }

// ExitCode is 3.
func (rejected) ExitCode() int { return 3 }

func price(_ context.Context, args []string) (err error) {
	flags := flag.NewFlagSet("price", flag.ContinueOnError)
	flags.Usage = func() { fmt.Fprintln(os.Stderr, priceHelp) }
	rules, rates, in, out := flags.String("rules", "", ""), flags.String("rates", "", ""), flags.String("in", "", ""), flags.String("out", "", "")
	rejects, trace := flags.String("rejects", "", ""), flags.Bool("trace", false, "")
	if err := flags.Parse(args); err != nil {
		return err
	}
	if *rules == "" || *in == "" || *out == "" || flags.NArg() > 0 {
		return errors.New("give --rules, --in and --out; pelican price --help says more")
	}
	run := pricefile.Run{Trace: *trace}
	if run.Rules, err = with(*rules, pricefile.ReadRules); err != nil {
		return err
	}
	if *rates != "" {
		if run.Rates, err = with(*rates, func(r io.Reader) (*money.Rates, error) { return pricefile.ReadRates(r) }); err != nil {
			return err
		}
	}
	var result pricefile.Result
	where := *rejects
	if where == "" {
		where = *out + ".rejects.csv"
		if *out == "-" {
			where = "rejects.csv"
		}
	}
	if _, err := os.Stat(where); err == nil {
		if err := os.Remove(where); err != nil { // one of an earlier run would be taken for this one's
			return err
		}
	}
	var kept *os.File
	run.Rejects = func() (io.Writer, error) {
		kept, err = os.Create(where)
		return kept, err
	}
	source, err := openIn(*in)
	if err != nil {
		return err
	}
	defer func() { _ = source.Close() }()
	target := os.Stdout
	if *out != "-" {
		if target, err = os.Create(*out); err != nil {
			return err
		}
	}
	run.In, run.Out = source, target
	result, err = run.Do()
	if kept != nil {
		err = errors.Join(err, kept.Close())
	}
	if err = errors.Join(err, target.Close()); err != nil {
		return err
	}
	fmt.Fprintf(os.Stderr, "%d priced, %d rejected\n", result.Priced, result.Rejected)
	if result.Rejected > 0 {
		fmt.Fprintf(os.Stderr, "the rejected rows are in %s\n", where)
		return rejected(result.Rejected)
	}
	return nil
}

func openIn(path string) (*os.File, error) {
	if path == "-" {
		return os.Stdin, nil
	}
	return os.Open(path)
}

func with[T any](path string, read func(io.Reader) (T, error)) (T, error) {
	file, err := os.Open(path)
	if err != nil {
		var none T
		return none, err
	}
	defer func() { _ = file.Close() }()
	return read(file)
}
