package pricelist

import (
	"fmt"
	"hash/maphash"
	"io"
	"slices"
	"strings"
)

// sameSign tells whether the costs are written with the decimal sign that they had: a list
// whose costs can be read with the other one only has changed.
func (r *Reader) sameSign(l *Layout, sample []Row) error {
	other := map[string]string{".": ",", ",": "."}[l.Decimal]
	by := map[string]int{}
	for _, row := range sample {
		number, _ := unit(r.get(row, Cost))
		if at := r.places[Cost]; len(at) > 0 && row.kind(at[0]).number {
			continue
		}
		for _, sign := range []string{l.Decimal, other} {
			if _, err := decimalText(number, sign); err == nil {
				by[sign]++
			}
		}
	}
	if by[other] > 4 && by[other] > 2*by[l.Decimal] {
		name := map[string]string{".": "a point", ",": "a comma"}
		return ErrLayout{fmt.Sprintf("The decimal sign was %s, and seems to be %s now.", name[l.Decimal], name[other])}
	}
	return nil
}

// resolve finds where the matched columns are, by their names, and returns the header's row.
func (r *Reader) resolve(sample []Row) (int, error) {
	l := r.layout
	r.width = len(l.Columns)
	if l.Header == 0 {
		for i, c := range l.Columns {
			r.names = append(r.names, c.Header)
			if c.Field != Ignored {
				r.places[c.Field] = append(r.places[c.Field], i)
			}
		}
		r.currencies(Row{})
		return 0, nil
	}
	var missing []string
	for _, row := range slices.Concat(at(sample, l.Header), sample[:min(len(sample), 40)]) {
		places, lacks := match(l.Columns, row.Cells)
		if len(lacks) == 0 {
			under := Row{Number: row.Number + 1}
			for _, next := range sample {
				if next.Number == row.Number+1 {
					under = next
				}
			}
			r.places = places
			r.names, _, _ = split(sample, row.Number)
			r.width = len(r.names)
			r.currencies(under)
			return row.Number, nil
		}
		if missing == nil || len(lacks) < len(missing) {
			missing = lacks
		}
	}
	if len(missing) == 1 {
		return 0, ErrLayout{fmt.Sprintf("The list has changed: its column “%s” is not there any more.", missing[0])}
	}
	return 0,
		ErrLayout{fmt.Sprintf("The list has changed: its columns “%s” are not there any more.",
			strings.Join(missing, "”, “"))}
}

// currencies are those that the headers of prices say, or the row of units under them.
func (r *Reader) currencies(under Row) {
	r.money = map[Field]string{}
	for _, f := range []Field{Cost, List, MinAdvertised} {
		if at := r.places[f]; len(at) > 0 && at[0] < len(r.names) {
			name := r.names[at[0]]
			if isUnits(under) {
				name += " " + under.cell(at[0])
			}
			r.money[f] = currencyIn(name)
		}
	}
	r.currencyColumns()
}

// currencyColumns finds for each price the column that says its currency: one that shares a word with it, such as
// "RRP Currency"; else the list's one, unless that is of another price.
func (r *Reader) currencyColumns() {
	r.currencyAt = map[Field]int{}
	prices := map[Field][]string{}
	for _, f := range []Field{Cost, List, MinAdvertised} {
		if at := r.places[f]; len(at) > 0 && at[0] < len(r.names) {
			prices[f] = strings.Fields(plain(r.names[at[0]]))
		}
	}
	shared := -1
	for i, name := range r.names {
		if !slices.ContainsFunc(strings.Fields(plain(name)), func(w string) bool { return lexicon[w] == Currency }) {
			continue
		}
		var own []Field
		for f, words := range prices {
			if slices.ContainsFunc(strings.Fields(plain(name)), func(w string) bool {
				return lexicon[w] != Currency && w != "code" && slices.Contains(words, w)
			}) {
				own = append(own, f)
				r.currencyAt[f] = i
			}
		}
		if len(own) == 0 || slices.Contains(own, Cost) && shared < 0 {
			shared = i
		}
	}
	if at := r.places[Currency]; shared < 0 && len(at) > 0 && len(r.currencyAt) == 0 {
		shared = at[0]
	}
	for f := range prices {
		if _, there := r.currencyAt[f]; !there && shared >= 0 {
			r.currencyAt[f] = shared
		}
	}
}

func at(sample []Row, number int) []Row {
	for i := range sample {
		if sample[i].Number == number {
			return sample[i : i+1]
		}
	}
	return nil
}

// match finds each matched column by its name; one of several with the same name by its turn.
func match(columns []Column, cells []string) (map[Field][]int, []string) {
	places := map[Field][]int{}
	var missing []string
	turn := map[string]int{}
	for _, c := range columns {
		want := plain(c.Header)
		skip := turn[want]
		turn[want]++
		if c.Field == Ignored {
			continue
		}
		found := -1
		for i, cell := range cells {
			if plain(cell) == want && (want != "" || c.Header == strings.TrimSpace(cell)) {
				if skip == 0 {
					found = i
					break
				}
				skip--
			}
		}
		if found < 0 {
			missing = append(missing, c.Header)
			continue
		}
		places[c.Field] = append(places[c.Field], found)
	}
	return places, missing
}

func (r *Reader) skipTo(in rows, header int) error {
	for header > 0 {
		row, err := in.next()
		if err != nil {
			return err
		}
		if row.Number >= header {
			return nil
		}
	}
	return nil
}

// scan finds the products whose rows do not stand together.
func (r *Reader) scan(header int) error {
	in, err := r.table.rows(r.layout)
	if err != nil {
		return err
	}
	if err := r.skipTo(in, header); err != nil {
		in.close()
		return err
	}
	runs := map[uint64]int32{} // rows of each key, negative once it has come a second time
	var last uint64
	lastKey := ""
	ahead := readAhead(in)
	defer ahead.close()
	for {
		row, err := ahead.next()
		if err == io.EOF {
			break
		}
		if err != nil {
			return err
		}
		if !r.usable(row) {
			continue
		}
		key := r.keyOf(row, lastKey)
		h := maphash.String(seed, key)
		n, known := runs[h]
		switch {
		case !known:
			n = 1
		case n < 0:
			n--
		case h != last:
			n = -(n + 1)
		default:
			n++
		}
		runs[h], last, lastKey = n, h, key
	}
	r.scattered, r.waiting = map[uint64]int{}, map[uint64][]Row{}
	rows := 0
	for h, n := range runs {
		if n < 0 {
			r.scattered[h] = int(-n)
			rows += int(-n)
		}
	}
	if rows > mostScattered {
		return ErrLayout{"The rows of one product lie too far apart for a list of this size. Sort it by product " +
			"number, then send it again."}
	}
	return nil
}
