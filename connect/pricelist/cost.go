package pricelist

import (
	"errors"
	"fmt"
	"regexp"
	"strings"

	"plainpelican/core/money"
)

// currency reads a code; most rows have the code of the row before.
func (r *Reader) currency(code string) (money.Currency, error) {
	if code == r.lastCode && code != "" {
		return r.lastCurrency, nil
	}
	c, err := money.ParseCurrency(code)
	if err == nil {
		r.lastCode, r.lastCurrency = code, c
	}
	return c, err
}

// currencyOf is the currency of a cell of prices: its own sign or code, its number format, or that of its row, its
// column or the list. It is an error where none of these says it clearly.
func (r *Reader) currencyOf(row Row, f Field, text, mark string) (money.Currency, error) {
	l := r.layout
	list := r.money[f]
	byRow := ""
	if at, there := r.currencyAt[f]; there {
		byRow = row.cell(at)
	}
	code := signOf(byRow)
	if byRow != "" && code == "" {
		return 0, fmt.Errorf("“%s” is not a currency", clip(byRow))
	}
	if byRow != "" && (list == "" || list[0] == '~' || f == Cost) {
		list = code
	}
	if list == "" || list[0] == '~' && l.ofSign(list[1:], l.Currency) == "" && l.Currency != "" {
		list = l.Currency
	}
	if list != "" && list[0] == '~' {
		list = l.ofSign(list[1:], l.Currency)
	}
	own := mark
	if own == "" || own[0] == '?' {
		own = row.kind(r.places[f][0]).currency
	}
	if own == "" {
		own = list
	} else if own[0] == '~' {
		if own = l.ofSign(own[1:], list); own == "" {
			return 0, fmt.Errorf("the currency of “%s” is one of several, and nothing says which", clip(text))
		}
	}
	if own == "" {
		return 0, errors.New("the currency is empty")
	}
	return r.currency(own)
}

// cost is what one piece costs, and what the list says where that is a part of it.
func (r *Reader) cost(row Row) (cost money.Amount, given string, err error) {
	text := r.get(row, Cost)
	switch {
	case text == "" && len(row.Cells) < r.width:
		return cost, "", fmt.Errorf("the row ends after %d of %d cells", len(row.Cells), r.width)
	case text == "":
		return cost, "", errors.New("the cost is empty")
	case !strings.ContainsAny(text, "0123456789") && (asking.MatchString(text) || stockClassOf(text) == unknownStock):
		return cost, "", fmt.Errorf("the supplier wants to be asked for the cost (“%s”)", clip(text))
	}
	at := r.places[Cost][0]
	number, mark, per := pricedFor(text)
	pieces, err := r.pieces(row, per)
	if err != nil {
		return cost, "", err
	}
	c, err := r.currencyOf(row, Cost, text, mark)
	if err != nil {
		return cost, "", err
	}
	sign := row.sign(at, r.layout.Decimal)
	if cost, err = figure(text, number, mark, sign, c, pieces, r.layout.Minor); err != nil {
		return cost, "", fmt.Errorf("the cost: %w", err)
	}
	if cost.Minor() <= 0 {
		if whole, err := figure(text, number, mark, sign, c, 1, false); err == nil && whole.Minor() > 0 {
			return cost, "",
				fmt.Errorf("the cost of one, of %s for %d, is less than the least amount of %s", clip(text), pieces, c)
		}
		return cost, "", fmt.Errorf("the cost is %s", cost)
	}
	if pieces > 1 {
		if whole, err := figure(text, number, mark, sign, c, 1, r.layout.Minor); err == nil {
			given = fmt.Sprintf("%s for %d", whole, pieces)
		}
	}
	return cost, given, nil
}

// pieces is for how many a row's price is: its cell says it, its column of units, its section, or the list.
func (r *Reader) pieces(row Row, own priceUnit) (int, error) {
	l := r.layout
	var u priceUnit
	switch at := r.places[PriceFor]; {
	case own.known():
		u = own
	case len(at) > 0 && row.cell(at[0]) != "":
		if u = unitOf(row.cell(at[0])); !u.known() {
			return 0, fmt.Errorf("what the price is for cannot be read from “%s”", clip(row.cell(at[0])))
		}
	case r.sectionUnit.known():
		u = r.sectionUnit
	case l.PerPack:
		u.pack = "pack"
	default:
		return max(l.Per, 1), nil
	}
	switch {
	case u.pieces > 0:
		return u.pieces, nil
	case u.measure != "":
		if l.Answers[askMeasure] == "1" {
			return 1, nil
		}
		return 0, fmt.Errorf("its price is for a %s, which may not be one piece", u.measure)
	case len(r.places[Pack]) == 0 && l.Per > 0:
		return l.Per, nil
	case len(r.places[Pack]) == 0:
		return 0, fmt.Errorf("its price is for %s, and nothing says of how many pieces", u.words())
	}
	n, err := stock(r.get(row, Pack), row.sign(r.places[Pack][0], l.Decimal))
	if err != nil || n < 1 {
		return 0, fmt.Errorf("how many are in a pack cannot be read from “%s”", clip(r.get(row, Pack)))
	}
	return n, nil
}

// named reads a price that a list may name; a dash is none. What cannot be kept of it is said.
func (r *Reader) named(row Row, f Field, of money.Currency) (price money.Amount, doubt string) {
	text := r.get(row, f)
	if strings.Trim(text, "-–—./ ") == "" || strings.EqualFold(text, "n/a") || strings.EqualFold(text, "none") {
		return money.Zero(of), ""
	}
	number, mark := unit(text)
	c, err := r.currencyOf(row, f, text, mark)
	if err == nil {
		price, err = figure(text, number, mark, row.sign(r.places[f][0], r.layout.Decimal), c, 1, r.layout.Minor)
	}
	switch {
	case err != nil:
		return money.Zero(of), fmt.Sprintf("the %s: %s", f.Words(), err)
	case price.Negative():
		return money.Zero(of), fmt.Sprintf("the %s is %s", f.Words(), price)
	}
	return price, ""
}

var asking = regexp.MustCompile(
	`(?i)^[^0-9]*(call|request|ask|poa|tba|tbc|anfrage|demande|consultar|richiesta|aanvraag)[^0-9]*$`)
