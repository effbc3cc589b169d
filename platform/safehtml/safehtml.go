// Package safehtml keeps of HTML what a product description needs, and nothing that can
// run, load or lead away.
package safehtml

import (
	"strings"

	"github.com/microcosm-cc/bluemonday"
)

var policy = func() *bluemonday.Policy {
	p := bluemonday.NewPolicy()
	p.AllowElements("p", "br", "ul", "ol", "li", "b", "strong", "i", "em", "h2", "h3", "h4", "table", "thead", "tbody",
		"tr", "td", "th", "div")
	return p
}()

// Clean returns HTML with only plain elements and no attributes.
func Clean(html string) string { return strings.TrimSpace(policy.Sanitize(html)) }
