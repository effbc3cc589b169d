package pricelist

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"unicode"
)

// isUnits tells whether a row says in what the columns above are: currencies, pieces, kilograms.
func isUnits(row Row) bool {
	filled, known := 0, 0
	for i := range row.Cells {
		text := row.cell(i)
		if text == "" || text == "-" {
			continue
		}
		if filled++; len(text) > 24 || strings.IndexFunc(strings.TrimLeft(text, "("), unicode.IsDigit) == 0 {
			return false
		}
		parts := strings.FieldsFunc(text, func(r rune) bool { return strings.ContainsRune(" /()[]", r) })
		all := len(parts) > 0
		for _, part := range parts {
			all = all &&
				(signOf(part) != "" || unitOf(part).known() || weightUnitOf(part) != "" || minorWords[plain(part)] ||
					slices.Contains([]string{"cm", "mm", "in", "per", "je", "pro", "text", "url", "no", "excl", "vat",
						"net", "incl"}, strings.ToLower(strings.Trim(part, "."))))
		}
		if all {
			known++
		}
	}
	return known > 0 && known == filled
}

// filledColumn tells whether a column has something in at least a third of the rows.
func filledColumn(data []Row, column int) bool {
	filled := 0
	for _, row := range data {
		if row.cell(column) != "" {
			filled++
		}
	}
	return filled*3 >= len(data) && filled > 0
}

// split parts the column names, and the row of units that may stand under them, from the rows of offers.
func split(sample []Row, header int) (names, units []string, data []Row) {
	width := 0
	for _, row := range sample {
		if row.Number == header {
			names = row.Cells
		}
		if header > 0 && row.Number == header+1 && isUnits(row) {
			units = row.Cells
			continue
		}
		if row.Number > header && !blank(row) &&
			!(header > 0 && slices.EqualFunc(row.Cells, names, func(a, b string) bool {
				return strings.TrimSpace(a) == strings.TrimSpace(b)
			})) {
			data = append(data, row)
			width = max(width, len(row.Cells))
		}
	}
	if header == 0 {
		for i := range width {
			names = append(names, fmt.Sprintf("column %s", letter(i)))
		}
	}
	for len(names) > 0 && strings.TrimSpace(names[len(names)-1]) == "" && !filledColumn(data, len(names)-1) {
		// a header that ends in a delimiter: what stands there of a row is one cell too many
		names = names[:len(names)-1]
	}
	out := make([]string, len(names))
	for i, n := range names {
		out[i] = strings.Join(strings.Fields(n), " ")
		if len(out[i]) > 200 {
			out[i] = strings.ToValidUTF8(out[i][:200], "")
		}
	}
	return out, units, data
}

// letter is a column's name in a spreadsheet: A, B, ... Z, AA.
func letter(i int) string {
	if i < 26 {
		return string(rune('A' + i))
	}
	return letter(i/26-1) + letter(i%26)
}

func sameHeaders(columns []Column, headers []string) bool {
	return slices.EqualFunc(columns, headers, func(c Column, h string) bool { return c.Header == h })
}

func samples(data []Row, column int) []string {
	out := []string{}
	for _, row := range data {
		if column < len(row.Cells) {
			if text := strings.TrimSpace(row.Cells[column]); text != "" && !slices.Contains(out, clip(text)) {
				out = append(out, clip(text))
			}
		}
		if len(out) == 3 {
			break
		}
	}
	return out
}

// grouping tells how rows seem to make offers.
func (look *Analysis) grouping(data []Row) Grouping {
	l := &look.Layout
	title := l.at(Title)
	if parent := l.at(Parent); parent >= 0 {
		if name, apart := differing(data, parent, title); apart {
			look.Notes = append(look.Notes,
				fmt.Sprintf("Rows with the same “%s” have different titles (as “%s”): each row is taken as an offer "+
					"of its own.", l.Columns[parent].Header, name))
			return EachRow
		}
		return ByParent
	}
	if title < 0 {
		return EachRow
	}
	seen, again, untitled := map[string]bool{}, 0, 0
	for _, row := range data {
		key := strings.ToLower(row.cell(title))
		if key == "" {
			untitled++
		} else if seen[key] {
			again++
		}
		seen[key] = true
	}
	if l.at(Option) >= 0 && (again+untitled)*10 >= len(data) || untitled*10 >= len(data) {
		return ByTitle
	}
	return EachRow
}

// differing tells whether most products by a column would have rows whose titles do not even begin alike: a family or
// a price group, not a product.
func differing(data []Row, parent, title int) (example string, apart bool) {
	if title < 0 {
		return "", false
	}
	first := map[string]string{}
	several, odd := map[string]bool{}, map[string]bool{}
	for _, row := range data {
		key, words := row.cell(parent), strings.Fields(strings.ToLower(row.cell(title)))
		if key == "" || len(words) == 0 {
			continue
		}
		before, known := first[key]
		if !known {
			first[key] = words[0]
			continue
		}
		several[key] = true
		if before != words[0] {
			odd[key], example = true, key
		}
	}
	return example, len(odd)*3 > len(several)
}

// shape says what of a list is not read as its supplier means it, with the way on.
func (look *Analysis) shape(p *proposal, data []Row) {
	l := &look.Layout
	var sizes []string
	var charges, from []string
	for i, c := range l.Columns {
		if c.Field == Ignored && sizeName.MatchString(strings.TrimSpace(c.Header)) && p.studies[i].number > 0.9 {
			sizes = append(sizes, c.Header)
		}
		switch p.roles[i] {
		case postage:
			charges = append(charges, c.Header)
		case shipsFrom:
			from = append(from, c.Header)
		}
	}
	if len(sizes) >= 3 {
		look.Notes = append(look.Notes,
			fmt.Sprintf(
				"The columns “%s” seem to hold the stock of each size. They are not read: each row comes in as one "+
					"variant. Ask the supplier for a list with a row for each size.", strings.Join(sizes, "”, “")))
	}
	if len(charges) > 0 {
		look.Notes = append(look.Notes,
			fmt.Sprintf("“%s” is not part of the cost. Say under Delivery what delivery costs.",
				strings.Join(charges, "”, “")))
	}
	if len(from) > 0 {
		look.Notes = append(look.Notes,
			fmt.Sprintf("“%s” is not read: one list ships from one country. Where it differs, split the list and "+
				"connect each part.", strings.Join(from, "”, “")))
	}
	for i, c := range l.Columns {
		if c.Field != Option {
			continue
		}
		several, filled := 0, 0
		for _, row := range data {
			text := row.cell(i)
			if text == "" {
				continue
			}
			filled++
			if severalSizes.MatchString(text) {
				several++
			}
		}
		if several*3 > filled {
			look.Notes = append(look.Notes,
				fmt.Sprintf(
					"“%s” holds several values in one cell: each row comes in as one variant, since the list does not "+
						"say the stock of each. Ask the supplier for a list with a row for each.", c.Header))
		}
	}
}

var (
	sizeName = regexp.MustCompile(
		`^(?i:xxs|xs|s|m|l|xl|xxl|xxxl|[2-6]xl|one size|3[4-9]|4[0-9]|5[0-2]|\d{2,3}/\d{2,3})$`)
	severalSizes = regexp.MustCompile(`^(?i:[a-z0-9.]{1,6}(\s*[,/;|]\s*[a-z0-9.]{1,6}){2,})$`)
)
