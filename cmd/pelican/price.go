package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"plainpelican/connect/pricefile"
)

const priceHelp = `Prices a file of costs by a file of rules, with the same computation as the application.

  pelican price --rules rules.json --in costs.csv --out prices.csv [--rates rates.csv] [--rates-age 7] [--trace] ` +
	`[--rejects rejects.csv]

rules.json is as docs/price-rules.schema.json has it. costs.csv names its columns in the first line: number, cost and
currency are needed; handling, shipping, charges, min_advertised, list_price, market (all in the row's currency), store,
source, supplier, category, brand, ships_from, collections and tags (with | between) may be there; others are named and
passed over. rates.csv has date, base, currency and rate, in units of currency per 1 base; rates that are older than
--rates-age days are refused. Money is decimal text with a point.

Floors are held on the figures as they are shown, to the minor unit; a cost of 0 is not priced.

Rows that cannot be used go to the rejects file (by default the out file's name with .rejects.csv) in their own columns,
with their line and the reason behind: corrected, it can be priced as it is. Files are written beside
and take their name when they
are whole, so that a run that fails leaves those of before. The exit code is 0 where every row was priced, 3 where some
were rejected, 1 for anything else. A - is standard input or output, for one of the files read
and one of those written.`

// rejected ends the program with the code that says that some rows were not priced.
type rejected int

func (r rejected) Error() string { return fmt.Sprintf("%d rows could not be priced", int(r)) }

// ExitCode is 3.
func (rejected) ExitCode() int { return 3 }

func price(_ context.Context, args []string) (err error) {
	flags := flag.NewFlagSet("price", flag.ContinueOnError)
	flags.Usage = func() { fmt.Fprintln(os.Stderr, priceHelp) }
	rules, rates, in, out := flags.String("rules", "", ""), flags.String("rates", "", ""), flags.String("in", "", ""),
		flags.String("out", "", "")
	rejects, trace, age := flags.String("rejects", "", ""), flags.Bool("trace", false, ""),
		flags.Int("rates-age", 7, "")
	if err := flags.Parse(args); err != nil {
		return err
	}
	if *rules == "" || *in == "" || *out == "" || flags.NArg() > 0 {
		return errors.New("give --rules, --in and --out; pelican price --help says more")
	}
	if *rejects == "" {
		*rejects = *out + ".rejects.csv"
		if *out == "-" {
			*rejects = "rejects.csv"
		}
	}
	if err := differ(map[string]string{"--rules": *rules, "--rates": *rates, "--in": *in},
		map[string]string{"--out": *out, "--rejects": *rejects}); err != nil {
		return err
	}
	run := pricefile.Run{Trace: *trace, Unknown: func(names []string) {
		fmt.Fprintf(os.Stderr, "not used: the columns %s\n", strings.Join(names, ", "))
	}}
	if run.Rules, err = with(*rules, pricefile.ReadRules); err != nil {
		return err
	}
	if *rates != "" {
		if run.Rates, err = with(*rates, pricefile.ReadRates); err != nil {
			return err
		}
		if err := pricefile.CheckAge(run.Rates, time.Now().UTC(), *age); err != nil {
			return err
		}
	}
	source, err := openIn(*in)
	if err != nil {
		return err
	}
	defer func() { _ = source.Close() }()
	target, err := create(*out)
	if err != nil {
		return err
	}
	defer target.drop()
	var kept *pending
	defer func() { kept.drop() }()
	run.Rejects = func() (io.Writer, error) {
		kept, err = create(*rejects)
		if err != nil {
			return nil, err
		}
		return kept.file, nil
	}
	run.In, run.Out = source, target.file
	result, err := run.Do()
	if err != nil {
		return err
	}
	if kept != nil {
		if err := kept.keep(); err != nil {
			return err
		}
	} else if err := os.Remove(*rejects); *rejects != "-" && err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err // one of an earlier run would be taken for this one's
	}
	if err := target.keep(); err != nil {
		return err
	}
	fmt.Fprintf(os.Stderr, "%d priced, %d rejected\n", result.Priced, result.Rejected)
	if result.Rejected > 0 {
		fmt.Fprintf(os.Stderr, "the rejected rows are in %s\n", *rejects)
		return rejected(result.Rejected)
	}
	return nil
}

// differ refuses one file, or one standard stream, for two things.
func differ(read, written map[string]string) error {
	type named struct{ flag, path string }
	var all []named
	for _, flags := range []map[string]string{read, written} {
		stream := ""
		for _, flag := range slices.Sorted(maps.Keys(flags)) {
			path := flags[flag]
			switch {
			case path == "":
			case path == "-" && stream != "":
				return fmt.Errorf("%s and %s cannot both be -", stream, flag)
			case path == "-":
				stream = flag
			default:
				all = append(all, named{flag, path})
			}
		}
	}
	for i, a := range all {
		for _, b := range all[:i] {
			if same(a.path, b.path) {
				return fmt.Errorf("%s and %s are the same file, %s", b.flag, a.flag, a.path)
			}
		}
	}
	return nil
}

func same(a, b string) bool {
	one, err := os.Stat(a)
	other, err2 := os.Stat(b)
	if err == nil && err2 == nil {
		return os.SameFile(one, other)
	}
	whole, err := filepath.Abs(a)
	other2, err2 := filepath.Abs(b)
	return err == nil && err2 == nil && whole == other2
}

// pending is a file that takes its name once it is whole.
type pending struct {
	file *os.File
	name string
}

func create(name string) (*pending, error) {
	if name == "-" {
		return &pending{os.Stdout, name}, nil
	}
	file, err := os.CreateTemp(filepath.Dir(name), "."+filepath.Base(name)+"-*")
	if err != nil {
		return nil, err
	}
	mode := fs.FileMode(0o644)
	if before, err := os.Stat(name); err == nil {
		mode = before.Mode().Perm()
	}
	return &pending{file, name}, errors.Join(file.Chmod(mode))
}

// keep gives the file its name.
func (p *pending) keep() error {
	if p.name == "-" {
		return nil
	}
	if err := errors.Join(p.file.Sync(), p.file.Close()); err != nil {
		return err
	}
	at := p.file.Name()
	p.file = nil
	return os.Rename(at, p.name)
}

// drop removes a file that was not kept.
func (p *pending) drop() {
	if p != nil && p.name != "-" && p.file != nil {
		_ = p.file.Close()
		_ = os.Remove(p.file.Name())
	}
}

func openIn(path string) (*os.File, error) {
	if path == "-" {
		return os.Stdin, nil
	}
	return os.Open(path)
}

func with[T any](path string, read func(io.Reader) (T, error)) (T, error) {
	file, err := openIn(path)
	if err != nil {
		var none T
		return none, err
	}
	defer func() { _ = file.Close() }()
	return read(file)
}
