package page

import (
	"fmt"
	"slices"
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

func product(t thing) bool {
	return t.is("ProductGroup", "Product", "IndividualProduct", "ProductModel")
}

func hasProduct(nodes []thing) bool { return slices.ContainsFunc(nodes, product) }

// best is the product that a page is about: a group with variants before a single product, one with a price before
// one without. Of several, it is the one whose address or name is the page's; where that does not tell, it is an
// error that names them.
func (p *parser) best(nodes []thing) (thing, error) {
	top := 0
	var found []thing
	for _, t := range nodes {
		if !product(t) || !p.spend(1) {
			continue
		}
		score := 2
		if t.is("ProductGroup") {
			score = 4
		}
		if len(t["offers"]) > 0 || len(t["hasVariant"]) > 0 {
			score += 3
		}
		if score > top {
			top, found = score, nil
		}
		if score == top {
			found = append(found, t)
		}
	}
	found = p.distinct(found)
	if len(found) < 2 {
		if len(found) == 0 {
			return nil, nil
		}
		return found[0], nil
	}
	for _, same := range []func(thing) bool{
		func(t thing) bool { return p.isOwn(p.text(t, "url")) || p.isOwn(p.text(t, "@id")) },
		func(t thing) bool { return p.isOwn(p.text(t, "mainEntityOfPage")) },
		func(t thing) bool {
			name := strings.ToLower(p.text(t, "name"))
			return name != "" &&
				(strings.EqualFold(name, p.graph["og:title"]) || strings.Contains(strings.ToLower(p.title), name))
		},
	} {
		if own := filter(found, same); len(own) == 1 {
			return own[0], nil
		}
	}
	var names []string
	for _, t := range found[:min(len(found), 3)] {
		names = append(names, clip(p.text(t, "name")))
	}
	return nil, fmt.Errorf("the page shows %d products (%s …), and not which it is about: paste the link of one",
		len(found), strings.Join(names, ", "))
}

// distinct leaves one of products that are told twice. Those of one name that differ by number only are variants of
// one.
func (p *parser) distinct(list []thing) (out []thing) {
	at := map[string]int{}
	for _, t := range list {
		name := p.text(t, "name")
		first, known := at[name]
		if !known || name == "" {
			at[name] = len(out)
			out = append(out, t)
			continue
		}
		if sku := p.text(t, "sku"); sku != "" && sku != p.text(out[first], "sku") {
			if !out[first].is("ProductGroup") {
				out[first] = thing{"@type": {"ProductGroup"}, "name": {name}, "hasVariant": {out[first]},
					"image": out[first]["image"], "description": out[first]["description"],
					"brand": out[first]["brand"], "url": out[first]["url"]}
			}
			if !slices.ContainsFunc(p.things(out[first], "hasVariant"), func(v thing) bool {
				return p.text(v, "sku") == sku
			}) {
				out[first]["hasVariant"] = append(out[first]["hasVariant"], t)
			}
		}
	}
	return out
}

func filter(list []thing, keep func(thing) bool) (out []thing) {
	for _, t := range list {
		if keep(t) {
			out = append(out, t)
		}
	}
	return out
}

// isOwn tells whether an address is the page's.
func (p *parser) isOwn(text string) bool {
	u, err := p.base.Parse(text)
	return text != "" && err == nil && u.Host == p.own.Host &&
		strings.TrimSuffix(u.Path, "/") == strings.TrimSuffix(p.own.Path, "/") && u.RawQuery == p.own.RawQuery
}

// clip shortens what is quoted in a reason.
func clip(text string) string {
	if runes := []rune(strings.Join(strings.Fields(text), " ")); len(runes) > 40 {
		return string(runes[:39]) + "…"
	}
	return text
}
