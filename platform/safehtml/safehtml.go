// Package safehtml keeps of HTML what a product description needs, and nothing that can
// run, load or lead away.
package safehtml

import (
	"strings"

	"github.com/microcosm-cc/bluemonday"
)

func plain() *bluemonday.Policy {
	p := bluemonday.NewPolicy()
	p.AllowElements("p", "br", "ul", "ol", "li", "b", "strong", "i", "em", "h2", "h3", "h4", "table", "thead", "tbody",
		"tr", "td", "th", "div")
	return p
}

var policy, linked = plain(), func() *bluemonday.Policy {
	p := plain()
	p.AllowAttrs("href").OnElements("a")
	p.AllowURLSchemes("https", "http", "mailto")
	p.RequireParseableURLs(true)
	p.AllowRelativeURLs(false)
	p.RequireNoFollowOnLinks(true)
	return p
}()

// CleanLinked is Clean that leaves links to the web and to mail addresses: for what the seller writes, never the
// supplier.
func CleanLinked(html string) string { return strings.TrimSpace(linked.Sanitize(html)) }

// Clean returns HTML with only plain elements and no attributes.
func Clean(html string) string { return strings.TrimSpace(policy.Sanitize(html)) }
