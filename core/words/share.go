package words

import (
	"html"
	"strings"
	"unicode"
)

// shingle is how many words in a row count as one piece of wording (Broder, 1997, "On the resemblance and containment
// of documents": the containment of one text in another is the share of its shingles that the other has).
const shingle = 3

// Wording is how much of a text is somebody else's.
type Wording struct {
	// Share is the containment from 0 to 100, in percent, rounded; a text of fewer than three words has none.
	Share int `json:"share" minimum:"0" maximum:"100"`
	// Passages are the longest runs of words that both have, as the text has them, the longest first.
	Passages []string `json:"passages"`
}

// WordingOf compares a text with the original, both plain or HTML.
func WordingOf(text, original string) Wording {
	now, was := plainWords(text), plainWords(original)
	w := Wording{Passages: []string{}}
	if len(now) < shingle || len(was) < shingle {
		return w
	}
	there := map[[shingle]string]bool{}
	for i := 0; i+shingle <= len(was); i++ {
		there[shingleAt(was, i)] = true
	}
	seen, common := map[[shingle]string]bool{}, 0
	from := -1
	end := func(to int) {
		if from >= 0 {
			w.Passages = append(w.Passages, passage(now[from:to]))
			from = -1
		}
	}
	for i := 0; i+shingle <= len(now); i++ {
		s := shingleAt(now, i)
		if !there[s] {
			end(i + shingle - 1)
			continue
		}
		if from < 0 {
			from = i
		}
		if !seen[s] {
			common++
		}
		seen[s] = true
	}
	end(len(now))
	distinct := map[[shingle]string]bool{}
	for i := 0; i+shingle <= len(now); i++ {
		distinct[shingleAt(now, i)] = true
	}
	w.Share = (common*200 + len(distinct)) / (2 * len(distinct))
	w.Passages = longest(w.Passages, 5)
	return w
}

func shingleAt(list []plainWord, i int) (s [shingle]string) {
	for k := range s {
		s[k] = list[i+k].folded
	}
	return s
}

type plainWord struct{ text, folded string }

func plainWords(text string) (list []plainWord) {
	for _, w := range strings.Fields(html.UnescapeString(tag.ReplaceAllString(text, " "))) {
		folded := strings.ToLower(strings.TrimFunc(w, func(r rune) bool {
			return !unicode.IsLetter(r) && !unicode.IsDigit(r)
		}))
		if folded != "" {
			list = append(list, plainWord{w, folded})
		}
	}
	return list
}

func passage(list []plainWord) string {
	words := make([]string, len(list))
	for i, w := range list {
		words[i] = w.text
	}
	return strings.Join(words, " ")
}

// longest are up to n of a list, the longest first.
func longest(list []string, n int) []string {
	out := []string{}
	for len(out) < n && len(list) > 0 {
		at := 0
		for i := range list {
			if len(list[i]) > len(list[at]) {
				at = i
			}
		}
		out = append(out, list[at])
		list = append(list[:at], list[at+1:]...)
	}
	return out
}

// Unwanted is a word or phrase that the seller may not use: a brand without rights, a claim that is not allowed.
type Unwanted struct {
	Text string `json:"text" minLength:"1" maxLength:"100"`
	// Stops has a draft with it not published; otherwise it is a warning.
	Stops bool `json:"stops"`
}

// Find lists those of some words that stand in a text, plain or HTML, as whole words in any case.
func Find(text string, list []Unwanted) (found []Unwanted) {
	if len(list) == 0 {
		return nil
	}
	var all strings.Builder
	all.WriteByte(' ')
	for _, w := range plainWords(text) {
		all.WriteString(w.folded + " ")
	}
	for _, u := range list {
		var phrase strings.Builder
		phrase.WriteByte(' ')
		for _, w := range plainWords(u.Text) {
			phrase.WriteString(w.folded + " ")
		}
		if phrase.Len() > 1 && strings.Contains(all.String(), phrase.String()) {
			found = append(found, u)
		}
	}
	return found
}
