package page

import (
	"strings"
)

// thing is a node of data, whatever it was written as: its types and its properties.
type thing map[string][]any

// is tells whether a thing is of one of some types.
func (t thing) is(types ...string) bool {
	for _, kind := range t["@type"] {
		for _, want := range types {
			if kind == want {
				return true
			}
		}
	}
	return false
}

// text is the first value of a property as text; of a thing, its name. Things that name each other end at a depth.
func (p *parser) text(t thing, name string) string { return p.textAt(t, name, 0) }

func (p *parser) textAt(t thing, name string, depth int) string {
	for _, value := range t[name] {
		if !p.spend(1) || depth > maxTextDepth {
			return ""
		}
		switch v := value.(type) {
		case string:
			if s := strings.TrimSpace(v); s != "" {
				return s
			}
		case thing:
			for _, inner := range []string{"name", "value", "url", "contentUrl", "@id"} {
				if s := p.textAt(v, inner, depth+1); s != "" {
					return s
				}
			}
		}
	}
	return ""
}

// texts are all values of a property as text.
func (p *parser) texts(t thing, name string) (all []string) {
	for _, value := range t[name] {
		if s := p.text(thing{"x": {value}}, "x"); s != "" {
			all = append(all, s)
		}
	}
	return all
}

// things are the values of a property that are things; references are followed.
func (p *parser) things(t thing, name string) (all []thing) {
	for _, value := range t[name] {
		if one, ok := value.(thing); ok {
			if !p.spend(1) {
				return all
			}
			if len(one) == 1 && len(one["@id"]) == 1 {
				if known := p.byID[p.text(one, "@id")]; known != nil {
					one = known
				}
			}
			all = append(all, one)
		}
	}
	return all
}

// best is the product of a page: a group with variants before a single product, one with a
// price before one without.
func best(nodes []thing) (found thing) {
	top := 0
	for _, t := range nodes {
		score := 0
		switch {
		case t.is("ProductGroup"):
			score = 4
		case t.is("Product", "IndividualProduct", "ProductModel"):
			score = 2
		default:
			continue
		}
		if len(t["offers"]) > 0 || len(t["hasVariant"]) > 0 {
			score += 3
		}
		if score > top {
			top, found = score, t
		}
	}
	return found
}
