package orders

import (
	"fmt"
	"strings"
	"time"

	"golang.org/x/text/language"
	"golang.org/x/text/language/display"

	"plainpelican/core/order"
	"plainpelican/platform/paper"
)

// slip is what is printed for one parcel: neither what anything costs, nor where it comes from.
type slip struct {
	purchase int64 // 0 is what is still to be bought
	shop     string
	number   string
	placed   time.Time
	to       order.Address
	lines    []slipLine
	set      SlipSettings
	logo     []byte
}

type slipLine struct {
	title, variant string
	quantity       int64
}

// slipLook is how large things are on a size of paper: millimetres, and points for text.
type slipLook struct{ margin, text, logo float64 }

var slipLooks = map[string]slipLook{"a6": {8, 8.5, 12}, "a5": {12, 10, 16}, "letter": {18, 11, 20}}

// slipPage draws one slip, from the top of its first page downwards.
type slipPage struct {
	doc        *paper.Doc
	of         *slip
	look       slipLook
	size       paper.Size
	labels     slipLabels
	start, end paper.Side // of a line in its language
}

// draw adds the pages of a slip to a document.
func (of *slip) draw(doc *paper.Doc) {
	p := slipPage{doc: doc, of: of, look: slipLooks[of.set.Paper], size: paper.Sizes[of.set.Paper],
		labels: slipLanguages[of.set.Language], start: paper.Left, end: paper.Right}
	if of.set.Language == "ar" {
		p.start, p.end = paper.Right, paper.Left
	}
	doc.Page(p.size)
	y := p.table(p.head())
	p.words(y)
}

func (p *slipPage) style(size float64, bold bool, grey int) paper.Style {
	return paper.Style{Size: p.look.text * size, Bold: bold, Grey: grey}
}

// at is where a box begins that is so far from where lines start.
func (p *slipPage) at(x, width float64) float64 {
	if p.start == paper.Right {
		return p.size.Width - p.look.margin - x - width
	}
	return p.look.margin + x
}

func (p *slipPage) width() float64 { return p.size.Width - 2*p.look.margin }

func (p *slipPage) rule(y float64) { p.doc.Line(p.look.margin, y, p.size.Width-p.look.margin, y) }

// head writes the shop, the order and where it goes, and returns where the rest begins.
func (p *slipPage) head() float64 {
	m, w := p.look.margin, p.width()
	half := w * 0.58
	left := m
	if len(p.of.logo) > 0 {
		p.doc.Picture(p.of.logo, p.at(0, half), left, half, p.look.logo, p.start)
		left += p.look.logo + 1.5
	}
	left += p.doc.Text(p.at(0, half), left, half, p.style(1.5, true, 0), p.start, p.of.shop)
	right := m
	right += p.doc.Text(p.at(half, w-half), right, w-half, p.style(1.15, true, 60), p.end, p.labels.slip)
	right += p.doc.Text(p.at(half, w-half), right, w-half, p.style(1, false, 60), p.end,
		p.labels.order+" "+p.apart(p.of.number))
	right += p.doc.Text(p.at(half, w-half), right, w-half, p.style(1, false, 60), p.end,
		p.labels.date+" "+p.apart(p.of.placed.Format(time.DateOnly)))
	y := max(left, right) + p.look.margin*0.4
	p.rule(y)
	y += p.look.margin * 0.4
	y += p.doc.Text(p.at(0, w), y, w, p.style(0.85, false, 90), p.start, p.labels.to)
	for i, line := range p.address() {
		y += p.doc.Text(p.at(0, w), y, w, p.style(1.1, i == 0, 0), p.start, line)
	}
	return y + p.look.margin*0.6
}

// apart keeps the order of a number's parts in a line that runs from right to left: UAX 9's isolates.
func (p *slipPage) apart(number string) string {
	if p.start == paper.Right {
		return "\u2066" + number + "\u2069"
	}
	return number
}

// address is where it goes, line by line, with the country in the language of the slip.
func (p *slipPage) address() []string {
	a := p.of.to
	country := a.Country
	if region, err := language.ParseRegion(a.Country); err == nil {
		if named := display.Regions(language.Make(p.of.set.Language)).Name(region); named != "" {
			country = named
		}
	}
	lines := []string{}
	for _, line := range []string{a.Name, a.Company, a.Line1, a.Line2,
		strings.Join(strings.Fields(a.City+" "+a.Region+" "+a.Postcode), " "), country} {
		if line = strings.TrimSpace(line); line != "" {
			lines = append(lines, line)
		}
	}
	return lines
}

// bottom is where the last line of a page ends.
func (p *slipPage) bottom() float64 { return p.size.Height - p.look.margin }

// next goes on to another page where so much has no room on this one.
func (p *slipPage) next(y, height float64) float64 {
	if y+height <= p.bottom() {
		return y
	}
	p.doc.Page(p.size)
	top := p.look.margin
	top += p.doc.Text(p.at(0, p.width()), top, p.width(), p.style(1, false, 60), p.start,
		p.of.shop+" · "+p.labels.order+" "+p.apart(p.of.number))
	return top + p.look.margin*0.4
}

// table writes what is in the parcel.
func (p *slipPage) table(y float64) float64 {
	w := p.width()
	units := w * 0.2
	what := w - units
	small := p.style(0.85, false, 90)
	y = p.next(y, 3*p.doc.Measure(what, small, p.labels.item))
	p.doc.Text(p.at(0, what), y, what, small, p.start, p.labels.item)
	y += p.doc.Text(p.at(what, units), y, units, small, p.end, p.labels.quantity) + 0.8
	p.rule(y)
	for _, l := range p.of.lines {
		height := p.doc.Measure(what, p.style(1, true, 0), l.title) + 2.4
		if l.variant != "" {
			height += p.doc.Measure(what, p.style(1, false, 60), l.variant)
		}
		y = p.next(y, height) + 1.2
		p.doc.Text(p.at(what, units), y, units, p.style(1.1, true, 0), p.end, fmt.Sprintf("%d×", l.quantity))
		y += p.doc.Text(p.at(0, what), y, what, p.style(1, true, 0), p.start, l.title)
		if l.variant != "" {
			y += p.doc.Text(p.at(0, what), y, what, p.style(1, false, 60), p.start, l.variant)
		}
		y += 1.2
		p.rule(y)
	}
	return y
}

// words writes what the shop says to all its customers.
func (p *slipPage) words(y float64) {
	if strings.TrimSpace(p.of.set.Words) == "" {
		return
	}
	style := p.style(1, false, 0)
	y = p.next(y+p.look.margin*0.5, p.doc.Measure(p.width(), style, p.of.set.Words))
	p.doc.Text(p.look.margin, y, p.width(), style, paper.Natural, p.of.set.Words)
}
