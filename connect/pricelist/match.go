package pricelist

import (
	"fmt"
	"slices"
	"sort"
	"strings"
)

// proposal is what the columns of a list seem to hold. Which column the seller pays is never settled by which
// stands first:
// where headers do not decide, costs are the columns to choose from, and stocks likewise.
type proposal struct {
	columns []Column
	why     []string
	sure    []bool
	roles   []role
	heads   []string // headers with what the row of units says
	costs   []int
	stocks  []int
	notes   []string
	studies []contents
}

// propose matches columns to fields: the likeliest pairs first, prices and stock by what their headers say.
func propose(headers, units []string, sample []Row, l *Layout) *proposal {
	n := len(headers)
	p := &proposal{columns: make([]Column, n), why: make([]string, n), sure: make([]bool, n), roles: make([]role, n),
		heads: make([]string, n), studies: make([]contents, n)}
	type pair struct {
		column int
		field  Field
		score  float64
		header bool
	}
	var pairs []pair
	for i, h := range headers {
		p.columns[i].Header, p.heads[i] = h, h
		if i < len(units) && units[i] != "" {
			p.heads[i] = h + " " + units[i]
		}
		p.studies[i] = study(sample, i, l.Decimal)
		if l.Header > 0 {
			p.roles[i] = roleOf(p.heads[i])
		}
		if found := currencyIn(p.heads[i]); found != "" && p.roles[i] != noRole || found != "" && found[0] != '~' &&
			len(strings.Fields(plain(h))) > 0 {
			p.columns[i].Currency = found
		}
		known := map[Field]float64{}
		if l.Header > 0 {
			known = byHeader(p.heads[i])
		}
		for f, score := range known {
			if f == PriceFor && i > 0 && p.studies[i].weight > 0.8 && byHeader(p.heads[i-1])[Weight] >= 0.7 {
				continue // the unit of the weight beside it
			}
			if f != Cost && p.studies[i].fits(f) && (score >= 0.7 || !slices.Contains(figures, f)) {
				pairs = append(pairs, pair{i, f, score, true})
			}
		}
		if p.roles[i] != noRole && len(known) == 0 {
			continue
		}
		for f, score := range p.studies[i].byContents() {
			if !slices.Contains(figures, f) && maximum(known) < 0.7 {
				pairs = append(pairs, pair{i, f, score, false})
			}
		}
	}
	sort.SliceStable(pairs, func(a, b int) bool {
		if pairs[a].score != pairs[b].score {
			return pairs[a].score > pairs[b].score
		}
		return pairs[a].column < pairs[b].column
	})
	p.settleCost(l.Header > 0)
	p.severalStocks(headers)
	taken := map[Field]bool{}
	for i := range p.columns {
		taken[p.columns[i].Field] = true
	}
	for _, c := range pairs {
		if c.field == Stock && slices.Contains(p.stocks, c.column) {
			continue
		}
		if p.columns[c.column].Field != Ignored || slices.Contains(p.costs, c.column) && c.field == List &&
			len(p.costs) == 1 || taken[c.field] && !c.field.many() {
			continue
		}
		if c.field == Stock && p.weakStock(c.column) {
			p.stocks = append(p.stocks, c.column)
			continue
		}
		p.columns[c.column].Field, taken[c.field], p.sure[c.column] = c.field, true, c.header
		p.why[c.column] = "its contents look like it"
		if c.header {
			p.why[c.column] = fmt.Sprintf("its header says so: “%s”", headers[c.column])
		}
	}
	// What is called article or item may be its name: numbers have digits.
	if !taken[Title] {
		for i := range p.columns {
			if p.columns[i].Field == Number && p.studies[i].letters > 0.9 && p.studies[i].digit < 0.3 {
				p.columns[i].Field, p.why[i], taken[Title], taken[Number] = Title, "it has no digits, as numbers have",
					true, false
			}
		}
	}
	// A description where nothing else names the offer is its title.
	if !taken[Title] {
		for i := range p.columns {
			if p.columns[i].Field == Description ||
				(p.columns[i].Field == Ignored && p.studies[i].letters > 0.9 && p.studies[i].distinct > 0.5 &&
					p.roles[i] == noRole) {
				p.columns[i].Field, p.why[i] = Title, "nothing else names the offer"
				break
			}
		}
	}
	p.findStock(l.Header > 0, taken[Stock])
	for i := range p.columns {
		if p.columns[i].Field == Ignored && p.roles[i] != noRole && p.why[i] == "" {
			p.why[i] = roleWords[p.roles[i]]
		}
	}
	return p
}

// settleCost finds the column that the seller pays, or those among which a person has to choose.
func (p *proposal) settleCost(named bool) {
	by := map[role][]int{}
	for i, c := range p.studies {
		switch r := p.roles[i]; {
		case c.gtin >= 0.5 || c.number == 0 || c.number < 0.5 && r != buying && r != price:
		case r == buying || r == price || r == taxed || r == selling:
			by[r] = append(by[r], i)
		case r == noRole && c.number > 0.9 && c.day < 0.1 && (c.fraction > 0.3 || c.signed > 0.3) &&
			maximum(p.known(i, named)) < 0.7:
			by[noRole] = append(by[noRole], i)
		case r == noRole && !named && c.number > 0.9 && c.day < 0.1 &&
			!(c.distinct > 0.95 && c.length >= 4 && c.fraction < 0.3):
			by[noRole] = append(by[noRole], i)
		}
	}
	candidates := by[buying]
	if len(candidates) == 0 {
		candidates = by[price]
	}
	asked := len(candidates) == 0
	if asked {
		candidates = slices.Concat(by[taxed], by[selling], by[noRole])
		slices.Sort(candidates)
	}
	candidates = p.leastQuantity(candidates)
	if len(candidates) > 1 && !asked {
		if each := slices.DeleteFunc(slices.Clone(candidates), func(i int) bool {
			return unitIn(p.heads[i]).pieces != 1
		}); len(each) == 1 &&
			!slices.ContainsFunc(candidates, func(i int) bool { return i != each[0] && !unitIn(p.heads[i]).known() }) {
			candidates = each // a price for one, besides prices for a carton or a hundred
		}
	}
	if len(candidates) == 1 && !asked {
		at := candidates[0]
		p.columns[at].Field, p.sure[at] = Cost, true
		p.why[at] = fmt.Sprintf("its header says so: “%s”", p.columns[at].Header)
		return
	}
	p.costs = candidates
}

// known is what a header says.
func (p *proposal) known(column int, named bool) map[Field]float64 {
	if !named {
		return nil
	}
	return byHeader(p.heads[column])
}

// leastQuantity leaves of prices for quantities the one for the least.
func (p *proposal) leastQuantity(candidates []int) []int {
	var tiers, rest []int
	from := map[int]int{}
	for _, i := range candidates {
		if n, ok := tierOf(p.columns[i].Header); ok {
			from[i] = n
			tiers = append(tiers, i)
		} else {
			rest = append(rest, i)
		}
	}
	slices.SortStableFunc(tiers, func(a, b int) int { return from[a] - from[b] })
	distinct := len(tiers) > 0
	steps := 0 // Price 1, Price 2, Price 3 are kinds of customers, not quantities
	for k := 1; k < len(tiers); k++ {
		distinct = distinct && from[tiers[k]] != from[tiers[k-1]]
		if from[tiers[k]]-from[tiers[k-1]] == 1 {
			steps++
		}
	}
	if len(tiers) < 2 && len(rest) == 0 || !distinct || len(tiers) > 1 && steps == len(tiers)-1 || len(rest) > 1 ||
		len(tiers) == 0 {
		return candidates
	}
	kept := tiers[0]
	if len(rest) == 1 { // "Price" beside "Price from 10"
		if from[tiers[0]] == 1 {
			return candidates
		}
		kept = rest[0]
	}
	for _, i := range tiers {
		if i != kept {
			p.why[i] = "a price for a larger quantity"
		}
	}
	if n := from[kept]; n > 1 {
		p.notes = append(p.notes,
			fmt.Sprintf("The least quantity that has a price is %d: the supplier does not sell fewer at once, perhaps.",
				n))
	} else {
		p.notes = append(p.notes,
			fmt.Sprintf("Prices depend on the quantity; “%s” is for the least.", p.columns[kept].Header))
	}
	return []int{kept}
}

// weakStock tells whether a column that is called quantity might as well hold a quantity for orders: all its cells
// are alike.
func (p *proposal) weakStock(column int) bool {
	c := p.studies[column]
	if c.filled < 3 || c.distinct*float64(c.filled) > 1.5 {
		return false
	}
	return slices.Contains([]string{"qty", "quantity", "menge", "anzahl", "antal", "aantal", "cantidad", "quantite",
		"quantita", "ilosc", "mnozstvi", "adet", "количество", "数量", "stuck", "pcs", "units"},
		plain(p.columns[column].Header))
}

// severalStocks leaves it to a person which of several columns that are called stock is meant, unless one is called
// so and nothing else.
func (p *proposal) severalStocks(headers []string) {
	var all, plainly []int
	for i := range headers {
		if p.roles[i] != noRole && p.roles[i] != other || p.columns[i].Field != Ignored || !p.studies[i].fits(Stock) {
			continue
		}
		switch score := byHeader(p.heads[i])[Stock]; {
		case score >= 0.98:
			all, plainly = append(all, i), append(plainly, i)
		case score >= 0.7:
			all = append(all, i)
		}
	}
	if len(all) > 1 && len(plainly) != 1 {
		p.stocks = all
	}
}

// findStock lists the columns that may say how many there are, where no header does.
func (p *proposal) findStock(named, found bool) {
	if found {
		p.stocks = nil
		return
	}
	for i, c := range p.studies {
		whole := c.number > 0.9 && c.whole > 0.9 && c.length < 6
		if p.columns[i].Field == Ignored && p.roles[i] == noRole && !slices.Contains(p.stocks, i) && c.day < 0.1 &&
			c.gtin < 0.5 && (whole && !(c.distinct > 0.95 && c.length >= 4) || c.stock > 0.8 && c.letters > 0.2) &&
			maximum(p.known(i, named)) < 0.55 {
			p.stocks = append(p.stocks, i)
		}
	}
	slices.Sort(p.stocks)
}
