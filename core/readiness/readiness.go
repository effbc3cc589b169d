// Package readiness says what a draft still lacks before it can go out to a store.
package readiness

import (
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"

	"plainpelican/core/contact"
	"plainpelican/core/money"
	"plainpelican/core/variant"
	"plainpelican/core/words"
)

// Area is one of the four things that make a draft ready.
type Area string

const (
	// Description is the title and the description.
	Description Area = "description"
	Pictures    Area = "pictures"
	Variants    Area = "variants"
	Price       Area = "price"
)

// State is how ready an area is.
type State string

const (
	// Done needs nothing more.
	Done State = "done"
	// NeedsYou has something that a person must decide; it stops publishing.
	NeedsYou State = "needs_you"
	// Empty has nothing yet; it stops publishing.
	Empty State = "empty"
)

// Kind is what a finding is about where something can be done about it at once.
type Kind string

// ContactInDescription is a finding that taking contact details out of the description mends; UnwantedWords one that
// the seller's list of words makes.
const (
	ContactInDescription Kind = "contact_in_description"
	UnwantedWords        Kind = "unwanted_words"
)

// Finding is one thing said about a draft. One that stops must be mended before it goes out.
type Finding struct {
	Area  Area   `json:"area"`
	Stops bool   `json:"stops"`
	Words string `json:"words"`
	Kind  Kind   `json:"kind" enum:",contact_in_description,unwanted_words"`
}

// Variant is what readiness must know of a chosen draft variant.
type Variant struct {
	Name string
	// Priced is false where no price could be worked out; NoPrice says why.
	Priced  bool
	NoPrice string
	Profit  money.Amount
	// OldRate tells that its price rests on an exchange rate older than is allowed.
	OldRate bool
	// WasWarning says why its was price is not backed; empty where it is.
	WasWarning string
	Stock      int
	// Withdrawn tells that the supplier stopped selling it.
	Withdrawn bool
	// WrongBarcode says what is wrong with its barcode; empty where nothing is.
	WrongBarcode string
}

// Draft is what readiness must know of a draft.
type Draft struct {
	Title       string
	Description string
	// SearchTitle and SearchDescription are what search engines should show, where they are not those.
	SearchTitle, SearchDescription string
	// Unwanted are words that the seller may not use.
	Unwanted []words.Unwanted
	// Supplier is who sells it, whose name and contact details never reach customers; Brand is the item's own.
	Supplier, Brand string
	Pictures        int
	// Missing are the pictures that are shown and cannot be had, by number, each with why.
	Missing  []string
	Options  int
	Variants []Variant
	Limits   variant.Limits
	// Withdrawn tells that the supplier stopped selling the whole offer.
	Withdrawn    bool
	KeepsPromise bool
	PromiseDays  int
}

// Report is the state of each area and the findings behind it.
type Report struct {
	Description State     `json:"description"`
	Pictures    State     `json:"pictures"`
	Variants    State     `json:"variants"`
	Price       State     `json:"price"`
	Ready       bool      `json:"ready"`
	Findings    []Finding `json:"findings"`
}

// Check reports on a draft. Limits of zero are none.
func Check(d Draft) Report {
	r := Report{Description: Done, Pictures: Done, Variants: Done, Price: Done, Findings: []Finding{}}
	r.description(d)
	r.pictures(d)
	r.variants(d)
	r.prices(d)
	r.Ready = true
	for _, f := range r.Findings {
		r.Ready = r.Ready && !f.Stops
	}
	return r
}

// CheckDescription reports on title and description alone: of them it says the same as Check.
func CheckDescription(d Draft) Report {
	r := Report{Description: Done, Findings: []Finding{}}
	r.description(d)
	return r
}

func (r *Report) stop(area *State, a Area, state State, format string, args ...any) {
	*area = state
	r.Findings = append(r.Findings, Finding{Area: a, Stops: true, Words: fmt.Sprintf(format, args...)})
}

func (r *Report) warn(a Area, format string, args ...any) {
	r.Findings = append(r.Findings, Finding{Area: a, Words: fmt.Sprintf(format, args...)})
}

func (r *Report) description(d Draft) {
	length := utf8.RuneCountInString(strings.TrimSpace(d.Title))
	switch {
	case length == 0:
		r.stop(&r.Description, Description, Empty, "It has no title.")
	case d.Limits.TitleLength > 0 && length > d.Limits.TitleLength:
		r.stop(&r.Description, Description, NeedsYou, "The title has %d characters; this store allows %d.", length,
			d.Limits.TitleLength)
	}
	if strings.TrimSpace(d.Description) == "" {
		r.warn(Description, "It has no description.")
	}
	r.contacts(d)
	r.unwanted(d)
}

// unwanted stops, or warns of, words that the seller may not use.
func (r *Report) unwanted(d Draft) {
	all := strings.Join([]string{d.Title, d.Description, d.SearchTitle, d.SearchDescription}, " \n ")
	for _, u := range words.Find(all, d.Unwanted) {
		if u.Stops {
			r.stop(&r.Description, Description, NeedsYou, "“%s” is on your list of words that are not used.", u.Text)
		} else {
			r.warn(Description, "“%s” is on your list of words to look at.", u.Text)
		}
		r.Findings[len(r.Findings)-1].Kind = UnwantedWords
	}
}

// contacts stops what would lead customers to the supplier.
func (r *Report) contacts(d Draft) {
	for _, part := range []struct {
		where, text string
		kind        Kind
	}{{"title", d.Title, ""}, {"description", d.Description, ContactInDescription},
		{"search title", d.SearchTitle, ""}, {"search description", d.SearchDescription, ""}} {
		where, text := part.where, part.text
		if found := contact.Find(text); len(found) > 0 {
			var named []string
			for _, detail := range found {
				named = append(named, fmt.Sprintf("the %s “%.60s”", detail.Kind, detail.Text))
			}
			r.stop(&r.Description, Description, NeedsYou, "The %s has %s. Remove the contact details.", where,
				some(named))
			r.Findings[len(r.Findings)-1].Kind = part.kind
		}
		if names(text, d.Supplier) && !strings.EqualFold(d.Supplier, d.Brand) {
			r.stop(&r.Description, Description, NeedsYou, "The %s names the supplier, %s. Take the name out.", where,
				d.Supplier)
		}
	}
}

// names tells whether a text has a name of some length in it, as whole words.
func names(text, name string) bool {
	const least = 5
	if len(strings.TrimSpace(name)) < least {
		return false
	}
	at := strings.Index(strings.ToLower(text), strings.ToLower(name))
	if at < 0 {
		return false
	}
	before, _ := utf8.DecodeLastRuneInString(text[:min(at, len(text))])
	after, _ := utf8.DecodeRuneInString(text[min(at+len(name), len(text)):])
	letter := func(r rune) bool { return unicode.IsLetter(r) || unicode.IsDigit(r) }
	return !letter(before) && !letter(after)
}

func (r *Report) pictures(d Draft) {
	switch {
	case d.Pictures == 0:
		r.stop(&r.Pictures, Pictures, Empty, "No picture is shown.")
	case len(d.Missing) > 0:
		r.stop(&r.Pictures, Pictures, NeedsYou, "The supplier does not give %s. Hide it.", some(d.Missing))
	case d.Limits.Pictures > 0 && d.Pictures > d.Limits.Pictures:
		r.stop(&r.Pictures, Pictures, NeedsYou, "%d pictures are shown; this store allows %d.", d.Pictures,
			d.Limits.Pictures)
	}
}

func (r *Report) variants(d Draft) {
	switch {
	case d.Withdrawn:
		r.stop(&r.Variants, Variants, NeedsYou, "The supplier has stopped selling this.")
	case len(d.Variants) == 0:
		r.stop(&r.Variants, Variants, Empty, "No variant is chosen.")
	case d.Limits.Variants > 0 && len(d.Variants) > d.Limits.Variants:
		r.stop(&r.Variants, Variants, NeedsYou, "%d variants are chosen; this store allows %d.", len(d.Variants),
			d.Limits.Variants)
	}
	if d.Limits.Options > 0 && d.Options > d.Limits.Options {
		r.stop(&r.Variants, Variants, NeedsYou, "It has %d options; this store allows %d.", d.Options, d.Limits.Options)
	}
	var gone, empty []string
	for _, v := range d.Variants {
		if v.WrongBarcode != "" {
			r.warn(Variants, "%s", v.WrongBarcode)
		}
		if v.Withdrawn && !d.Withdrawn {
			gone = append(gone, v.Name)
		} else if v.Stock == 0 {
			empty = append(empty, v.Name)
		}
	}
	switch {
	case len(gone) == 0:
	case len(d.Variants) == 1:
		r.stop(&r.Variants, Variants, NeedsYou, "The supplier has stopped selling this.")
	default:
		r.stop(&r.Variants, Variants, NeedsYou, "The supplier has stopped selling %s.", some(gone))
	}
	switch {
	case len(empty) == 0:
	case len(d.Variants) == 1:
		r.warn(Variants, "It is out of stock.")
	default:
		r.warn(Variants, "Out of stock: %s.", some(empty))
	}
}

func (r *Report) prices(d Draft) {
	if len(d.Variants) == 0 {
		r.Price = Empty
		return
	}
	one := len(d.Variants) == 1 // a product without options: its variant has no name
	unpriced, old, reason, was := []string{}, []string{}, "", ""
	for _, v := range d.Variants {
		if !v.Priced {
			unpriced, reason = append(unpriced, called(v.Name, one)), v.NoPrice
		} else if v.Profit.Negative() {
			r.warn(Price, "%s loses %s on each sale.", called(v.Name, one), strings.TrimPrefix(v.Profit.String(), "-"))
		}
		if v.OldRate {
			old = append(old, called(v.Name, one))
		}
		if v.WasWarning != "" && was == "" {
			was = v.WasWarning
			r.warn(Price, "%s: %s", called(v.Name, one), was)
		}
	}
	if len(old) > 0 {
		r.warn(Price, "The exchange rate behind %s is older than your money rules allow.", some(old))
	}
	if len(unpriced) > 0 {
		r.stop(&r.Price, Price, Empty, "No price for %s: %s", some(unpriced), reason)
	}
	if d.PromiseDays > 0 && !d.KeepsPromise && len(unpriced) == 0 {
		r.warn(Price, "The delivery that prices assume misses your %d days.", d.PromiseDays)
	}
}

// called is a variant's name, or what the one of a product without options is called.
func called(name string, one bool) string {
	if name == "" && one {
		return "it"
	}
	return name
}

// some names up to three and counts the rest.
func some(names []string) string {
	const most = 3
	if len(names) > most {
		return fmt.Sprintf("%s and %d more", strings.Join(names[:most], ", "), len(names)-most)
	}
	return strings.Join(names, ", ")
}
