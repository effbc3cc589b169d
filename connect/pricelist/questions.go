package pricelist

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"plainpelican/core/money"
)

// Question is what a list does not say, or not clearly, and a wrong guess at would make a wrong cost, stock or
// weight. A list is not taken in before all are answered.
type Question struct {
	Key     string   `json:"key" doc:"Answers are given in the layout under this name"`
	Text    string   `json:"text"`
	Detail  string   `json:"detail" doc:"What in the list makes it unclear"`
	Choices []Choice `json:"choices"`
	Number  bool     `json:"number" doc:"Any whole number is an answer as well"`
	Answer  string   `json:"answer" doc:"Empty while it is open"`
}

// Choice is one answer to a question.
type Choice struct {
	Value  string `json:"value"`
	Label  string `json:"label"`
	Detail string `json:"detail"`
}

// Keys of questions.
const (
	askCost     = "cost"
	askStock    = "stock"
	askCurrency = "currency"
	askDecimal  = "decimal"
	askPriceFor = "price_for"
	askPackSize = "pack_size"
	askMeasure  = "measure"
	askWeight   = "weight"
	askSign     = "sign "  // and the sign
	askInStock  = "stock " // and the class of words
	// sayPieces is no question: for how many pieces a price is, as somebody says who knows it better than the list.
	sayPieces = "pieces"
)

const notSaid = "none" // the answer that the list does not say

// ask adds a question. An answer that was given stands if it is one.
func (look *Analysis) ask(q Question) {
	answer := look.Layout.Answers[q.Key]
	if slices.ContainsFunc(q.Choices, func(c Choice) bool {
		return c.Value == answer
	}) || q.Number && positive(answer) > 0 {
		q.Answer = answer
	}
	if q.Choices == nil {
		q.Choices = []Choice{}
	}
	look.Questions = append(look.Questions, q)
}

func positive(text string) int {
	n, err := strconv.Atoi(text)
	if err != nil || n < 1 || n > 1_000_000 {
		return 0
	}
	return n
}

// answers puts what was answered about columns into a layout.
func (l *Layout) answers(p *proposal) {
	for key, f := range map[string]Field{askCost: Cost, askStock: Stock} {
		at, err := strconv.Atoi(l.Answers[key])
		if err != nil || at < 0 || at >= len(l.Columns) {
			continue
		}
		for i := range l.Columns {
			if l.Columns[i].Field == f {
				l.Columns[i].Field = Ignored
			}
		}
		l.Columns[at].Field = f
	}
}

// columnQuestions asks which column is paid, and which says how many there are.
func (look *Analysis) columnQuestions(p *proposal, data []Row) {
	choices := func(columns []int) (list []Choice) {
		for _, i := range columns {
			detail := strings.Join(samples(data, i), ", ")
			if words := roleWords[p.roles[i]]; words != "" {
				detail = words + ": " + detail
			}
			list = append(list, Choice{strconv.Itoa(i), p.columns[i].Header, detail})
		}
		return list
	}
	l := &look.Layout
	if len(p.costs) > 0 && (l.at(Cost) < 0 || l.Answers[askCost] != "") {
		q := Question{Key: askCost, Text: "Which of these do you pay?", Choices: choices(p.costs),
			Detail: "Several columns may be what you are charged for one."}
		if len(p.costs) == 1 {
			q.Text, q.Detail = "Is this what you pay?",
				"No column says that it is what you are charged. If none is, this list has no costs: ask the supplier "+
					"for one that has."
		}
		look.ask(q)
	}
	stocks := slices.DeleteFunc(slices.Clone(p.stocks), func(i int) bool {
		return l.Columns[i].Field != Ignored && l.Columns[i].Field != Stock
	})
	if len(stocks) > 0 && (l.at(Stock) < 0 || l.Answers[askStock] != "") {
		look.ask(Question{Key: askStock, Text: "Which of these says how many the supplier has?",
			Choices: append(choices(stocks),
				Choice{notSaid, "None of them", "the list does not say, and stock is not known"}),
			Detail: "No header says that its column is the stock."})
	}
}

// unitQuestions finds what a price buys: of the cost's header, the row of units, or the columns for it.
func (look *Analysis) unitQuestions(p *proposal, data []Row, above []string) {
	l := &look.Layout
	cost := l.at(Cost)
	l.Per, l.PerPack, l.Minor = 0, false, false
	if cost < 0 {
		return
	}
	l.Minor = inMinor(p.heads[cost])
	if n := positive(l.Answers[sayPieces]); n > 0 {
		l.Per = n
		return
	}
	u := unitIn(p.heads[cost])
	for _, line := range above { // "All prices per 100 pieces, in cents"
		if !pricesSaid.MatchString(line) {
			continue
		}
		l.Minor = l.Minor || inCents.MatchString(line)
		if said := unitIn(line); !u.known() && (said.pieces > 1 || said.pack != "") {
			u = said
		}
	}
	pack := l.at(Pack)
	if at := l.at(PriceFor); at >= 0 {
		if pack < 0 && slices.ContainsFunc(data, func(row Row) bool {
			return at < len(row.Cells) && unitOf(row.Cells[at]).pack != ""
		}) {
			look.ask(Question{Key: askPackSize, Text: "How many pieces are in a pack?", Number: true,
				Detail: fmt.Sprintf("“%s” says that some prices are for a pack or carton; no column says of how many "+
					"pieces.", p.columns[at].Header)})
			l.Per = positive(l.Answers[askPackSize])
		}
		if slices.ContainsFunc(data, func(row Row) bool {
			return at < len(row.Cells) && unitOf(row.Cells[at]).measure != ""
		}) {
			look.askMeasure("the kilogram, metre or roll", p.columns[at].Header)
		}
		return
	}
	switch {
	case u.pieces > 0:
		l.Per = u.pieces
		if u.pieces > 1 {
			look.Notes = append(look.Notes,
				fmt.Sprintf("“%s” is for %d pieces: costs are divided by %d.", p.columns[cost].Header, u.pieces,
					u.pieces))
		}
	case u.pack != "" && pack >= 0:
		l.PerPack = true
	case u.pack != "":
		look.ask(Question{Key: askPackSize, Text: "How many pieces are in a pack?", Number: true,
			Detail: fmt.Sprintf("“%s” is for a pack or carton; no column says of how many pieces. Where it differs "+
				"from row to row, ask the supplier for a list that says so.", p.columns[cost].Header)})
		l.Per = positive(l.Answers[askPackSize])
	case u.measure != "":
		look.askMeasure("a "+u.measure, p.columns[cost].Header)
	case pack >= 0 && slices.ContainsFunc(data, func(row Row) bool {
		n, err := stock(row.cell(pack), row.sign(pack, l.Decimal))
		return err == nil && n > 1
	}):
		look.ask(Question{Key: askPriceFor, Text: "What is a price for?",
			Choices: []Choice{{"piece", "One piece", ""},
				{"pack", "A pack", "divided by “" + p.columns[pack].Header + "”"}},
			Detail: fmt.Sprintf("“%s” does not say whether it is for one piece or for as many as “%s” says.",
				p.columns[cost].Header, p.columns[pack].Header)})
		l.PerPack = l.Answers[askPriceFor] == "pack"
	default:
		if n, ok := tierOf(p.columns[cost].Header); ok && n > 1 && len(p.notes) == 0 {
			look.ask(Question{Key: askPackSize, Text: "What is a price for?",
				Choices: []Choice{{"1", "One piece", fmt.Sprintf("where at least %d are bought", n)},
					{strconv.Itoa(n), fmt.Sprintf("%d pieces", n), fmt.Sprintf("costs are divided by %d", n)}},
				Detail: fmt.Sprintf("“%s” could be either.", p.columns[cost].Header)})
			l.Per = positive(l.Answers[askPackSize])
		}
	}
}

var (
	pricesSaid = regexp.MustCompile(`(?i)price|preis|prix|precio|prijs|prezz|pris|cen[ay]|цен|cost`)
	inCents    = regexp.MustCompile(`(?i)\bin (euro ?)?(cents?|pence|ct)\b`)
)

func (look *Analysis) askMeasure(measure, header string) {
	look.ask(Question{Key: askMeasure, Text: "Is one piece " + measure + "?",
		Choices: []Choice{{"1", "Yes, it is sold by that", "the price is the cost of one"},
			{notSaid, "No", "rows that are priced so are rejected"}},
		Detail: fmt.Sprintf("“%s” says that a price is for %s.", header, measure)})
	if look.Layout.Answers[askMeasure] == "1" {
		look.Layout.Per = 1
	}
}

var likeThousands = regexp.MustCompile(`^-?\d{1,3}([.,])\d{3}$`)

// decimalQuestion asks for the decimal sign where all prices that have a sign could be thousands as well, and no other
// number of the list decides.
func (look *Analysis) decimalQuestion(data []Row, comma, point int) {
	l := &look.Layout
	if given := l.Answers[askDecimal]; given == "." || given == "," {
		l.Decimal = given
	}
	sign, example := "", ""
	for _, f := range []Field{Cost, List, MinAdvertised} {
		at := l.at(f)
		for _, row := range data {
			cell := row.cell(at)
			number, code := unit(cell)
			if cell == "" || row.kind(at).number || strings.HasPrefix(code, "?") {
				continue
			}
			number = spaces.Replace(number)
			m := likeThousands.FindStringSubmatch(number)
			switch {
			case m != nil && (sign == "" || sign == m[1]):
				sign, example = m[1], number
			case strings.ContainsAny(number, ".,"):
				return // it decides
			}
		}
	}
	if sign == "" || comma != point && l.Answers[askDecimal] == "" {
		return
	}
	other := map[string]string{",": ".", ".": ","}[sign]
	if c, err := money.ParseCurrency(l.costCurrency()); err == nil && c.Digits() == 0 {
		l.Decimal = other
		return
	}
	look.ask(Question{Key: askDecimal, Text: fmt.Sprintf("What does “%s” mean?", example),
		Detail: "All prices with a point or a comma are of that shape, so that the sign may separate thousands or " +
			"decimals.",
		Choices: []Choice{{other, strings.Replace(example, sign, "", 1), "the sign separates thousands"},
			{sign, strings.Replace(example, ",", ".", 1), "three decimals"}}})
}

// costCurrency is the currency of costs that say none themselves; empty where a column names it or nothing does.
func (l *Layout) costCurrency() string {
	if at := l.at(Cost); at >= 0 && l.at(Currency) < 0 {
		if code := l.Columns[at].Currency; code != "" && code[0] != '~' {
			return code
		}
	}
	return l.Currency
}

// currencyQuestions finds the currency of the costs: of the cost's header and unit, a column for it, the cells' own
// signs, a workbook's number formats, or what stands above the columns. What none of these says is asked.
func (look *Analysis) currencyQuestions(data []Row, above []string, hints Hints) {
	l := &look.Layout
	cost := l.at(Cost)
	l.Currency, l.CellCurrency, l.Signs = "", false, map[string]string{}
	for key, code := range l.Answers {
		if sign, found := strings.CutPrefix(key, askSign); found {
			l.Signs[sign] = code
		}
	}
	if cost < 0 {
		return
	}
	header, byRow := l.Columns[cost].Currency, l.at(Currency) >= 0
	signs, signed, without := look.signsOf(cost, data)
	var letterhead []string
	for _, text := range append(slices.Clone(above), l.Sheet) {
		for _, code := range inWords(text, false) {
			if !slices.Contains(letterhead, code) {
				letterhead = append(letterhead, code)
			}
		}
	}
	isShared := func(code string) bool { return code[0] == '~' }
	shared := slices.DeleteFunc(slices.Clone(signs), func(s string) bool { return !isShared(s) })
	own := slices.DeleteFunc(slices.Clone(signs), isShared)
	codes := slices.DeleteFunc(slices.Clone(letterhead), isShared)
	switch {
	case l.Answers[askCurrency] != "":
		l.Currency = l.Answers[askCurrency]
	case header != "" && !isShared(header):
		l.Currency = header
	case len(codes) == 1:
		l.Currency = codes[0]
		if signed == 0 && !byRow {
			look.Notes = append(look.Notes, fmt.Sprintf("Prices are in %s, as stands above the columns.", l.Currency))
		}
	case len(own) == 1 && without == 0:
		l.Currency = own[0]
	}
	if header != "" && isShared(header) && !slices.Contains(shared, header) {
		shared = append(shared, header)
	}
	if len(shared) == 0 && header == "" && signed == 0 && len(letterhead) == 1 && isShared(letterhead[0]) &&
		l.Currency == "" && !byRow {
		shared, header = letterhead, letterhead[0] // "All prices in $"
	}
	for _, s := range shared {
		sign := s[1:]
		if byRow || slices.Contains(sharedSigns[sign], l.Currency) && l.Signs[sign] == "" {
			continue // what the list says elsewhere says which
		}
		look.ask(Question{Key: askSign + sign, Text: fmt.Sprintf("Which currency is “%s”?", sign),
			Choices: currencyChoices(ofOne(hints.Currency, sharedSigns[sign]), sharedSigns[sign]),
			Detail:  "The sign stands for several, and nothing in the list says for which."})
		if l.Currency == "" && (s == header || without == 0) {
			l.Currency = l.Signs[sign]
		}
	}
	l.CellCurrency = l.Currency == "" && without == 0 && len(own) > 1
	if byRow || without == 0 || header != "" || l.Currency != "" && l.Answers[askCurrency] == "" {
		return
	}
	q := Question{Key: askCurrency, Text: "Which currency are the costs in?",
		Detail: "The list does not say its currency."}
	if signed > 0 {
		q.Detail = "Some costs have a sign, others none."
	}
	q.Choices = currencyChoices(hints.Currency,
		slices.Concat(codes, own, []string{"USD", "EUR", "GBP", "CNY", "CAD", "AUD"}))
	if code := l.Answers[askCurrency]; !slices.ContainsFunc(q.Choices, func(c Choice) bool { return c.Value == code }) {
		q.Choices = append(q.Choices, currencyChoices("", []string{code})...)
	}
	look.ask(q)
}

// signsOf are the currencies that the cells of a column name, and how many do and do not.
func (look *Analysis) signsOf(column int, data []Row) (found []string, signed, without int) {
	for _, row := range data {
		cell := row.cell(column)
		number, code := unit(cell)
		if _, err := decimalText(number, row.sign(column, look.Layout.Decimal)); err != nil {
			continue
		}
		if code == "" || code[0] == '?' {
			code = row.kind(column).currency
		}
		if code == "" {
			without++
			continue
		}
		signed++
		if !slices.Contains(found, code) {
			found = append(found, code)
		}
	}
	return found, signed, without
}

// ofOne is a currency where it is one of a list; else empty.
func ofOne(code string, list []string) string {
	if slices.Contains(list, code) {
		return code
	}
	return ""
}

func currencyChoices(first string, list []string) []Choice {
	if first != "" {
		list = append([]string{first}, list...)
	}
	choices := []Choice{}
	for _, code := range list {
		if c, err := money.ParseCurrency(code); err == nil && !slices.ContainsFunc(choices, func(c Choice) bool {
			return c.Value == code
		}) {
			choices = append(choices, Choice{code, code, c.Name()})
		}
	}
	return choices
}

// stockQuestions asks how many words for stock mean.
func (look *Analysis) stockQuestions(data []Row) {
	l := &look.Layout
	l.StockWords = map[string]int{}
	at := l.at(Stock)
	if at < 0 {
		return
	}
	words := map[stockClass][]string{}
	for _, row := range data {
		cell := row.cell(at)
		if class := stockClassOf(cell); (class == inStock || class == lowStock) &&
			!slices.Contains(words[class], cell) && len(words[class]) < 4 {
			words[class] = append(words[class], cell)
		}
	}
	for _, class := range []stockClass{inStock, lowStock} {
		if len(words[class]) == 0 {
			continue
		}
		suggested := []Choice{{"10", "10", ""}, {"20", "20", ""}, {"100", "100", ""}}
		if class == lowStock {
			suggested = []Choice{{"1", "1", ""}, {"3", "3", ""}, {"5", "5", ""}}
		}
		key := askInStock + string(class)
		look.ask(Question{Key: key, Text: fmt.Sprintf("“%s” means how many?", strings.Join(words[class], "”, “")),
			Number: true, Choices: suggested,
			Detail: "The list says it in words. What you say here holds for all rows."})
		if n := positive(l.Answers[key]); n > 0 {
			l.StockWords[string(class)] = n
		}
	}
}

// weightQuestion asks in what a weight is, where nothing says it.
func (look *Analysis) weightQuestion(p *proposal, data []Row) {
	l := &look.Layout
	l.WeightUnit = ""
	at := l.at(Weight)
	if at < 0 {
		return
	}
	if l.WeightUnit = weightUnitIn(p.heads[at]); l.WeightUnit != "" {
		return
	}
	bareCells := 0
	for _, row := range data {
		if cell := row.cell(at); cell != "" && weightUnitIn(cell) == "" && weightUnitOf(row.cell(at+1)) == "" {
			bareCells++
		}
	}
	if bareCells == 0 {
		return
	}
	look.ask(Question{Key: askWeight, Text: "In what are the weights?",
		Detail: fmt.Sprintf("“%s” does not say it.", p.columns[at].Header),
		Choices: []Choice{{"g", "Grams", ""}, {"kg", "Kilograms", ""}, {"oz", "Ounces", ""}, {"lb", "Pounds", ""},
			{notSaid, "I do not know", "weights without a unit are not kept"}}})
	if u := l.Answers[askWeight]; u != notSaid {
		l.WeightUnit = u
	}
}

// knownAnswers makes answers of what an older layout decided without them.
func (l *Layout) knownAnswers() {
	if l.Answers != nil {
		return
	}
	l.Answers = map[string]string{}
	if l.Currency != "" {
		l.Answers[askCurrency] = l.Currency
	}
	if l.Decimal != "" {
		l.Answers[askDecimal] = l.Decimal
	}
	if l.at(Pack) >= 0 {
		l.Answers[askPriceFor] = map[bool]string{true: "pack", false: "piece"}[l.PerPack]
	}
}

// open is the first question that has no answer.
func (look *Analysis) open() (Question, bool) {
	at := slices.IndexFunc(look.Questions, func(q Question) bool { return q.Answer == "" })
	if at < 0 {
		return Question{}, false
	}
	return look.Questions[at], true
}
