// Package bulk holds the changes that are made to many drafts at once: what each becomes is worked out one draft at a
// time, as operations of core/edit, so that it is seen before it is done and undone as one.
package bulk

import (
	"fmt"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"plainpelican/core/edit"
	"plainpelican/core/words"
)

// Act is what is done to each draft.
type Act string

// The acts.
const (
	AddCollections     Act = "add_collections"
	RemoveCollections  Act = "remove_collections"
	SetCollections     Act = "set_collections"
	AddTags            Act = "add_tags"
	RemoveTags         Act = "remove_tags"
	SetTags            Act = "set_tags"
	SetText            Act = "set_text"
	ReplaceText        Act = "replace_text"
	FillPattern        Act = "fill_pattern"
	Tidy               Act = "tidy"
	AddHeader          Act = "add_header"
	AddFooter          Act = "add_footer"
	RestoreOriginal    Act = "restore_original"
	MoveToTray         Act = "move_to_tray"
	SetReserve         Act = "set_reserve"
	FillSKUs           Act = "fill_skus"
	ChooseValues       Act = "choose_values"
	LeaveOutValues     Act = "leave_out_values"
	ChooseInStock      Act = "choose_in_stock"
	RenameOptionValues Act = "rename_values"
	Discard            Act = "discard"
)

// Acts are all there are.
var Acts = []Act{AddCollections, RemoveCollections, SetCollections, AddTags, RemoveTags, SetTags, SetText, ReplaceText,
	FillPattern, Tidy, AddHeader, AddFooter, RestoreOriginal, MoveToTray, SetReserve, FillSKUs, ChooseValues,
	LeaveOutValues, ChooseInStock, RenameOptionValues, Discard}

// Change is one change of many drafts.
type Change struct {
	// Act is one of Acts.
	Act Act `json:"act"`
	// Field is the text that is changed, where an act changes one: title, description, type, vendor, search_title,
	// search_description or delivery.
	Field edit.Field `json:"field,omitempty" maxLength:"30"`
	// Names are collections, tags, or values of options.
	Names []string `json:"names,omitempty" maxItems:"250"`
	// Text is what is set, sought, added or filled in; With takes the place of what is sought.
	Text string `json:"text,omitempty" maxLength:"20000"`
	With string `json:"with,omitempty" maxLength:"20000"`
	// MatchCase and WholeWords narrow what is sought.
	MatchCase  bool `json:"match_case,omitempty"`
	WholeWords bool `json:"whole_words,omitempty"`
	// Number is the tray or the units of the reserve.
	Number int64 `json:"number,omitempty" minimum:"0" maximum:"9007199254740991"`
}

// Facts are what is known of a draft besides itself.
type Facts struct {
	DraftID int64
	// Title and Description are the supplier's own.
	Title, Description string
	// Values are facts of its offer by name, for patterns.
	Values map[string]string
	// Stock is what its supplier has of each variant, by id.
	Stock map[int64]int
	// Live is that it is for sale in a store.
	Live bool
}

// texts are the fields that a change of a text may be about.
var texts = []edit.Field{edit.Title, edit.Description, edit.Type, edit.Vendor, edit.SearchTitle, edit.SearchDescription,
	edit.Delivery}

// Planner works out what a change does to drafts.
type Planner struct {
	change  Change
	rules   words.Rules
	pattern words.Pattern
}

// Error is what is wrong with a change, in a sentence, and at which part of it.
type Error struct{ Part, Reason string }

func (e *Error) Error() string { return e.Reason }

func wrong(part, format string, args ...any) error { return &Error{part, fmt.Sprintf(format, args...)} }

// Plan checks a change before it is looked at. Its error is an *Error.
func Plan(c Change, rules words.Rules) (*Planner, error) {
	p := &Planner{change: c, rules: rules}
	if !slices.Contains(Acts, c.Act) {
		return nil, wrong("act", "No change is called “%s”.", c.Act)
	}
	names := slices.DeleteFunc(slices.Clone(c.Names), func(n string) bool { return strings.TrimSpace(n) == "" })
	switch c.Act {
	case AddCollections, RemoveCollections, AddTags, RemoveTags, ChooseValues, LeaveOutValues:
		if len(names) == 0 {
			return nil, wrong("names", "Name at least one.")
		}
	case ReplaceText:
		if strings.TrimSpace(c.Text) == "" {
			return nil, wrong("text", "Say what to look for.")
		}
	case AddHeader, AddFooter:
		if strings.TrimSpace(c.Text) == "" {
			return nil, wrong("text", "Write what to add.")
		}
	case FillPattern, FillSKUs:
		var err error
		if strings.TrimSpace(c.Text) == "" {
			return nil, wrong("text", "Write a pattern, such as {brand} {title}.")
		}
		if p.pattern, err = words.ReadPattern(c.Text); err != nil {
			return nil, &Error{"text", err.Error()}
		}
	case RenameOptionValues:
		if strings.TrimSpace(c.Text) == "" || strings.TrimSpace(c.With) == "" {
			return nil, wrong("text", "Say which value, and what it is called instead.")
		}
	}
	switch c.Act {
	case SetText, ReplaceText, FillPattern, Tidy, RestoreOriginal:
		if c.Field == "" {
			return nil, wrong("field", "Say which text to change.")
		}
		if !slices.Contains(texts, c.Field) {
			return nil, wrong("field", "No text of a draft is called “%s”.", c.Field)
		}
		tidied := c.Field == edit.Title || c.Field == edit.Description
		if (c.Act == Tidy || c.Act == RestoreOriginal) && !tidied {
			return nil, wrong("field", "That is for titles and descriptions.")
		}
	}
	return p, nil
}

// Result is what becomes of one draft.
type Result struct {
	// Operations are none where it stays as it is.
	Operations []edit.Operation
	// Before and After show what changes, as text.
	Before, After string
	// Note says what is to be known of it: what could not be filled in, or why it stays.
	Note string
	// Stays is that it cannot be changed so; Note says why.
	Stays bool
}

// For works out what the change does to a draft.
func (p *Planner) For(d *edit.Draft, f Facts) Result {
	c := p.change
	switch c.Act {
	case AddCollections, RemoveCollections, SetCollections:
		next := list(c.Act, d.Collections, c.Names)
		return names(d.Collections, next, edit.SetCollections{Collections: next})
	case AddTags, RemoveTags, SetTags:
		next := list(c.Act, d.Tags, c.Names)
		return names(d.Tags, next, edit.SetTags{Tags: next})
	case MoveToTray:
		if d.TrayID == c.Number {
			return Result{}
		}
		return Result{Operations: []edit.Operation{edit.SetTray{TrayID: c.Number}}}
	case Discard:
		if f.Live {
			return Result{Stays: true, Note: "It is live in a store: take it down there first."}
		}
		return Result{Operations: []edit.Operation{edit.SetDiscarded{Discarded: true}}}
	case SetReserve:
		if d.Reserve == int(c.Number) {
			return Result{}
		}
		return Result{Operations: []edit.Operation{edit.SetReserve{Reserve: int(c.Number)}},
			Before: fmt.Sprint(d.Reserve), After: fmt.Sprint(c.Number)}
	case FillSKUs:
		return p.skus(d, f)
	case ChooseValues, LeaveOutValues, ChooseInStock:
		return p.choose(d, f)
	case RenameOptionValues:
		return p.rename(d)
	}
	return p.text(d, f)
}

// list is what a list of names becomes.
func list(act Act, now, names []string) []string {
	fold := func(s string) string { return strings.ToLower(strings.Join(strings.Fields(s), " ")) }
	has := func(in []string, name string) bool {
		return slices.ContainsFunc(in, func(n string) bool { return fold(n) == fold(name) })
	}
	next := []string{}
	switch act {
	case SetCollections, SetTags:
	case RemoveCollections, RemoveTags:
		for _, n := range now {
			if !has(names, n) {
				next = append(next, n)
			}
		}
		return next
	default:
		next = append(next, now...)
	}
	for _, n := range names {
		if n = strings.Join(strings.Fields(n), " "); n != "" && !has(next, n) {
			next = append(next, n)
		}
	}
	return next
}

func names(now, next []string, op edit.Operation) Result {
	if slices.Equal(now, next) {
		return Result{}
	}
	return Result{Operations: []edit.Operation{op}, Before: strings.Join(now, ", "), After: strings.Join(next, ", ")}
}

// text changes one of the texts of a draft.
func (p *Planner) text(d *edit.Draft, f Facts) Result {
	c := p.change
	now, _ := d.TextOf(c.Field)
	next, note := now, ""
	switch c.Act {
	case SetText:
		next = c.Text
	case ReplaceText:
		next = replace(now, c, c.Field == edit.Description)
	case Tidy:
		if c.Field == edit.Title {
			next = words.Compose(words.TidyTitle(now, p.rules), nil)
		} else {
			next = words.WithoutHollow(words.Compose(words.TidyDescription(now), nil))
		}
	case RestoreOriginal:
		if next = f.Title; c.Field == edit.Description {
			next = f.Description
		}
	case FillPattern:
		var missing []string
		if next, missing = p.pattern.Fill(facts(d, f)); len(missing) > 0 {
			return Result{Stays: true, Before: now, Note: "Not known: " + strings.Join(missing, ", ") + "."}
		}
		if c.Field == edit.Description {
			next = "<p>" + escape(next) + "</p>"
		}
	case AddHeader, AddFooter:
		c.Field = edit.Description
		now = d.Description
		if next = joined(c, now); next == now {
			note = "It is there already."
		}
	}
	if c.Field != edit.Description {
		next = strings.Join(strings.Fields(next), " ")
	}
	if next == now {
		return Result{Note: note}
	}
	if c.Field == edit.Title && next == "" {
		return Result{Stays: true, Before: now, Note: "Nothing would be left of the title."}
	}
	r := Result{Before: now, After: next, Operations: []edit.Operation{edit.SetText{Field: c.Field, Text: next}}}
	switch c.Field {
	case edit.Title:
		r.Operations[0] = edit.SetTitle{Title: next}
	case edit.Description:
		r.Operations[0] = edit.SetDescription{Description: next}
	}
	return r
}

// joined is a description with a header or a footer, once.
func joined(c Change, now string) string {
	added := c.Text
	if !strings.Contains(added, "<") {
		added = "<p>" + escape(strings.TrimSpace(added)) + "</p>"
	}
	switch {
	case strings.Contains(now, added):
		return now
	case c.Act == AddHeader:
		return added + now
	}
	return now + added
}

func escape(s string) string {
	return strings.NewReplacer("&", "&amp;", "<", "&lt;", ">", "&gt;").Replace(s)
}

// facts are those that patterns may use, by name: those of the offer, and of each option its values.
func facts(d *edit.Draft, f Facts) map[string]string {
	out := map[string]string{}
	for name, v := range f.Values {
		out[name] = v
	}
	out["title"], out["original"], out["type"], out["vendor"] = d.Title, f.Title, d.Type, d.Vendor
	out["number"] = fmt.Sprint(f.DraftID)
	var options []string
	for _, o := range d.Options {
		var values []string
		for _, v := range o.Values {
			values = append(values, v.Name)
		}
		joined := strings.Join(values, ", ")
		if name := strings.ToLower(o.Name); out[name] == "" {
			out[name] = joined
		}
		options = append(options, joined)
	}
	out["options"] = strings.Join(options, ", ")
	return out
}

// replace has what is sought replaced; in HTML only what stands between tags is looked at.
func replace(text string, c Change, html bool) string {
	if !html {
		return replaceIn(text, c.Text, c.With, c)
	}
	sought, with := escape(c.Text), escape(c.With)
	var out strings.Builder
	for text != "" {
		open := strings.IndexByte(text, '<')
		if open < 0 {
			out.WriteString(replaceIn(text, sought, with, c))
			break
		}
		end := strings.IndexByte(text[open:], '>')
		if end < 0 {
			end = len(text) - open - 1
		}
		out.WriteString(replaceIn(text[:open], sought, with, c))
		out.WriteString(text[open : open+end+1])
		text = text[open+end+1:]
	}
	return out.String()
}

func replaceIn(text, sought, with string, c Change) string {
	var out strings.Builder
	for at := 0; at < len(text); {
		n := prefix(text[at:], sought, c.MatchCase)
		if n > 0 && (!c.WholeWords || stands(text, at, at+n)) {
			out.WriteString(with)
			at += n
			continue
		}
		_, size := utf8.DecodeRuneInString(text[at:])
		out.WriteString(text[at : at+size])
		at += size
	}
	return out.String()
}

// prefix is how many bytes of a text a sought text takes up where it begins with it; 0 where it does not.
func prefix(text, sought string, matchCase bool) int {
	if matchCase {
		if strings.HasPrefix(text, sought) {
			return len(sought)
		}
		return 0
	}
	at := 0
	for _, want := range sought {
		got, size := utf8.DecodeRuneInString(text[at:])
		if size == 0 || unicode.ToLower(got) != unicode.ToLower(want) {
			return 0
		}
		at += size
	}
	return at
}

// stands tells whether a part of a text is no part of a longer word.
func stands(text string, from, to int) bool {
	letter := func(r rune) bool { return unicode.IsLetter(r) || unicode.IsDigit(r) }
	before, _ := utf8.DecodeLastRuneInString(text[:from])
	after, _ := utf8.DecodeRuneInString(text[to:])
	return !letter(before) && !letter(after)
}
