package words

import (
	"html"
	"regexp"
	"strings"

	"plainpelican/core/contact"
)

// claims are what suppliers say of their service and a shop must not repeat: shipping, returns, guarantees, feedback.
// The forms are common practice.
var claims = regexp.MustCompile(`(?i)\b(?:` + strings.Join([]string{
	`(?:free|fast|express|worldwide|same.day|international)\s+(?:shipping|delivery|postage)`,
	`(?:ship(?:s|ped|ping)?|dispatch(?:ed)?|deliver(?:ed|y)?)\s+` +
		`(?:within|in\s+\d|takes?\s+\d|time|method|policy|fee|cost)`,
	`(?:we|items?|orders?|parcels?)\s+(?:will\s+)?(?:be\s+)?(?:ships?|shipped|sent|send|dispatch(?:ed)?)`,
	`drop\s?ship(?:ping|pers?)?`, `wholesale(?:rs?)?`, `tracking\s+(?:number|no)`,
	`customs?\s+(?:duty|duties|tax(?:es)?|fees?|charges?)`, `import\s+(?:duty|duties|tax(?:es)?|fees?)`,
	`money[\s-]+back`, `(?:satisfaction|quality|lifetime)\s+guarantee(?:d)?`,
	`(?:\d+|one|two|three)[\s-]+(?:day|month|year)s?\s+(?:warranty|guarantee|returns?|refund)`,
	`(?:full\s+)?refunds?`, `return\s+(?:policy|the\s+(?:item|goods))`,
	`(?:positive|negative|leave)\s+(?:a\s+)?feedback`, `(?:5|five)[\s-]+stars?\s+(?:feedback|review|rating)`,
	`dear\s+(?:friends?|customers?|buyers?)`,
	`(?:please\s+)?contact\s+us`, `(?:feel\s+free\s+to\s+)?(?:message|e-?mail)\s+(?:us|me)`,
	`welcome\s+to\s+(?:our|my)\s+(?:shop|store)`, `(?:our|my)\s+(?:shop|store)\b`, `factory\s+(?:direct|price)`,
	`(?:best|lowest|hot)\s+(?:price|sale)`, `bank\s+transfer|payment\s+(?:method|policy)`,
}, "|") + `)\b`)

// inner are elements that are nothing when they are empty.
const inner = `p|li|b|i|u|strong|em|span|div|h[1-6]|ul|ol|td|tr|a`

var (
	tag      = regexp.MustCompile(`<[^>]*>`)
	sentence = regexp.MustCompile(`(?s).*?(?:[.!?;。！？]+(?:\s+|$)|\n|$)`)
	table    = regexp.MustCompile(`(?is)<table\b.*?</table>`)
	row      = regexp.MustCompile(`(?is)<tr\b[^>]*>(.*?)</tr>`)
	cell     = regexp.MustCompile(`(?is)<t[hd]\b[^>]*>(.*?)</t[hd]>`)
	// hollow is an element with nothing in it.
	hollow = regexp.MustCompile(`(?i)<(?:` + inner + `)(?:\s[^>]*)?>(?:\s|&nbsp;|<br\s*/?>)*</(?:` + inner + `)>`)
)

// maxDescription is how long a description may be to be looked at, in bytes: a longer one is left as it is.
const maxDescription = 200_000

// TidyDescription proposes what to change in a description of safe HTML: sentences with contact details, and such as
// speak of the supplier's shipping, guarantees and shop, go out, and tables become lists.
func TidyDescription(text string) []Part {
	if len(text) > maxDescription {
		return []Part{{Text: text, To: text}}
	}
	var parts []Part
	at := 0
	for _, t := range table.FindAllStringIndex(text, -1) {
		parts = append(parts, sentenceParts(text[at:t[0]])...)
		parts = append(parts, Part{text[t[0]:t[1]], listOf(text[t[0]:t[1]]), Table})
		at = t[1]
	}
	return append(parts, sentenceParts(text[at:])...)
}

// sentenceParts are the tags and sentences of HTML without tables.
func sentenceParts(text string) (parts []Part) {
	at := 0
	stays := func(s string) {
		if s == "" {
			return
		}
		if n := len(parts); n > 0 && parts[n-1].Reason == "" {
			parts[n-1].Text += s
			parts[n-1].To += s
		} else {
			parts = append(parts, Part{Text: s, To: s})
		}
	}
	for _, t := range append(tag.FindAllStringIndex(text, -1), []int{len(text), len(text)}) {
		for _, s := range sentencesOf(text[at:t[0]]) {
			if why := reasonOf(s); why != "" {
				parts = append(parts, Part{Text: s, Reason: why})
			} else {
				stays(s)
			}
		}
		stays(text[t[0]:t[1]])
		at = t[1]
	}
	return parts
}

// sentencesOf cuts a run of text at the ends of its sentences; those inside a mail or web address are none.
func sentencesOf(run string) (out []string) {
	hidden := run
	for _, d := range contact.Find(run) {
		for _, text := range []string{html.EscapeString(d.Text), d.Text} {
			hidden = strings.ReplaceAll(hidden, text, strings.Repeat("\x01", len(text)))
		}
	}
	at := 0
	for _, part := range sentence.FindAllString(hidden, -1) {
		if part == "" {
			continue
		}
		out = append(out, run[at:at+len(part)])
		at += len(part)
	}
	return out
}

func reasonOf(run string) Reason {
	visible := html.UnescapeString(run)
	switch {
	case strings.TrimSpace(visible) == "":
		return ""
	case len(contact.Find(visible)) > 0:
		return Contact
	case claims.MatchString(visible):
		return Claim
	}
	return ""
}

// listOf writes a table as a list: a line for each row, its first cell before a colon.
func listOf(text string) string {
	var out strings.Builder
	out.WriteString("<ul>")
	for _, r := range row.FindAllStringSubmatch(text, -1) {
		var cells []string
		for _, c := range cell.FindAllStringSubmatch(r[1], -1) {
			if words := strings.Join(strings.Fields(tag.ReplaceAllString(c[1], " ")), " "); words != "" {
				cells = append(cells, words)
			}
		}
		if len(cells) == 0 || reasonOf(strings.Join(cells, " ")) != "" {
			continue
		}
		line := cells[0]
		if len(cells) > 1 {
			line = strings.TrimSuffix(cells[0], ":") + ": " + strings.Join(cells[1:], ", ")
		}
		out.WriteString("<li>" + line + "</li>")
	}
	out.WriteString("</ul>")
	return out.String()
}

// WithoutHollow takes elements with nothing in them out of HTML.
func WithoutHollow(text string) string {
	for range 6 { // an element in an element in an element
		next := hollow.ReplaceAllString(text, "")
		if next == text {
			break
		}
		text = next
	}
	return strings.TrimSpace(text)
}
