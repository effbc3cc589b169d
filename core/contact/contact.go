// Package contact finds and removes what leads a store's customers to its supplier: mail addresses,
// telephone numbers, messenger names and web addresses in a description.
package contact

import (
	"html"
	"regexp"
	"strings"
)

// Kind is what a contact detail is.
type Kind string

// The kinds, in the words that are shown.
const (
	Mail      Kind = "mail address"
	Phone     Kind = "telephone number"
	Messenger Kind = "messenger name"
	Web       Kind = "web address"
)

// Detail is one contact detail as it is written.
type Detail struct {
	Kind Kind
	Text string
}

// The forms are common practice: national forms are recognised with a word before them, in brackets, or by
// their groups; ones with a plus as ITU-T E.123 writes them.
var forms = []struct {
	kind Kind
	may  func(lower string) bool // cheap, and true wherever the form holds: most texts are told by it alone
	form *regexp.Regexp
}{
	{Mail, mayMail,
		// On one line: what begins the next is no part of it.
		regexp.MustCompile(`(?i)[\p{L}\d._%+'-]+[ \t]*(?:@|\(at\)|\[at\]|＠)[ \t]*[\p{L}\d-]+(?:[ \t]*(?:\.|\(dot\)|` +
			`\[dot\])[ \t]*[\p{L}\d-]+)*[ \t]*(?:\.|\(dot\)|\[dot\])[ \t]*\p{L}{2,}`)},
	{Messenger, mayMessenger,
		regexp.MustCompile(`(?i)\b(?:whats\s?app|we\s?chat|telegram|viber|skype|line id|qq)\b\s*(?:id|no|` +
			`number)?\.?\s*[:：]?\s*[+@\p{L}\d][\p{L}\d_.+ ()-]{3,}`)},
	{Phone, mayPhone, regexp.MustCompile(`(?:\+|\b00)\s?[1-9](?:[\s().\-/]?\d){7,14}\b`)},
	{Phone, mayPhone,
		regexp.MustCompile(`(?i)\b(?:tel|telephone|telefon|téléphone|phone|mobile|cell|fax|call|hotline|tél|tlf|` +
			`puh)\b\.?\s*(?:us|number|no|at|on|now)?\.?\s*[:：]?\s*\(?\d(?:[\s().\-/]?\d){5,14}\b`)},
	{Phone, mayPhone, regexp.MustCompile(`\(0?\d{2,4}\)\s?\d{3,4}[\s.\-]?\d{3,4}\b`)},
	{Phone, mayPhone, regexp.MustCompile(`\b0\d{2,4}[\s.\-/]\d{3,4}[\s.\-]\d{3,4}\b`)},
	{Phone, mayPhone, regexp.MustCompile(`\b[2-9]\d{2}[.\-]\d{3}[.\-]\d{4}\b`)},
	{Web, mayWeb, regexp.MustCompile(`(?i)\b(?:https?://|www\.)[^\s<>"']+`)},
}

func mayMail(lower string) bool {
	return strings.ContainsAny(lower, "@＠") || strings.Contains(lower, "at)") || strings.Contains(lower, "at]")
}

func mayWeb(lower string) bool {
	return strings.Contains(lower, "://") || strings.Contains(lower, "www.")
}

func mayMessenger(lower string) bool {
	for _, name := range []string{"whats", "chat", "telegram", "viber", "skype", "line", "qq"} {
		if strings.Contains(lower, name) {
			return true
		}
	}
	return false
}

func mayPhone(lower string) bool {
	const least = 6
	digits := 0
	for i := range len(lower) {
		if lower[i] >= '0' && lower[i] <= '9' {
			digits++
		}
	}
	return digits >= least
}

var (
	tag   = regexp.MustCompile(`<[^>]*>`)
	block = regexp.MustCompile(`(?i)</?(?:p|div|li|ul|ol|br|h[1-6]|table|tr|td|th|blockquote|hr)\b[^>]*>`)
	// sentence is a part of a text up to its end, with the space after it.
	sentence = regexp.MustCompile(`(?s).*?(?:[.!?;。！？]+(?:\s+|$)|\n|$)`)
	empty    = regexp.MustCompile(
		`(?i)<(p|li|b|i|u|strong|em|span|div|h[1-6]|ul|ol|td|a)(?:\s[^>]*)?>(?:\s|&nbsp;)*</(p|li|b|i|u|strong|em|` +
			`span|div|h[1-6]|ul|ol|td|a)>`)
)

// Find lists the contact details in plain text or HTML, as a reader sees them: entities are read, and
// tags in the middle of a word do not hide it.
func Find(text string) []Detail {
	visible := html.UnescapeString(tag.ReplaceAllString(block.ReplaceAllString(text, "\n"), ""))
	return find(visible)
}

func find(visible string) (all []Detail) {
	lower := strings.ToLower(visible)
	var taken []bool
	for _, f := range forms {
		if !f.may(lower) {
			continue
		}
		if taken == nil {
			taken = make([]bool, len(visible))
		}
		for _, at := range f.form.FindAllStringIndex(visible, -1) {
			if !taken[at[0]] {
				all = append(all, Detail{f.kind, strings.TrimSpace(visible[at[0]:at[1]])})
			}
			for i := at[0]; i < at[1]; i++ {
				taken[i] = true
			}
		}
	}
	return all
}

// Remove takes the sentences that hold contact details out of HTML, with elements that become empty. What
// it cannot take out without harm, such as an address that is spread over elements, Find still finds.
func Remove(text string) string {
	if len(Find(text)) == 0 {
		return text
	}
	var out strings.Builder
	at := 0
	for _, t := range append(tag.FindAllStringIndex(text, -1), []int{len(text), len(text)}) {
		out.WriteString(withoutContacts(text[at:t[0]]))
		out.WriteString(text[t[0]:t[1]])
		at = t[1]
	}
	cleaned := out.String()
	for range 5 { // an element in an element in an element
		next := empty.ReplaceAllString(cleaned, "")
		if next == cleaned {
			break
		}
		cleaned = next
	}
	return strings.TrimSpace(cleaned)
}

func withoutContacts(run string) string {
	visible := html.UnescapeString(run)
	found := find(visible)
	if len(found) == 0 {
		return run
	}
	// Ends of sentences inside a detail (sales@shop.example) are none: they are hidden while the run is cut.
	hidden := visible
	for _, d := range found {
		hidden = strings.ReplaceAll(hidden, d.Text, strings.Repeat("\x01", len(d.Text)))
	}
	var out strings.Builder
	at := 0
	for _, part := range sentence.FindAllString(hidden, -1) {
		if !strings.Contains(part, "\x01") {
			out.WriteString(html.EscapeString(visible[at : at+len(part)]))
		}
		at += len(part)
	}
	return out.String()
}
