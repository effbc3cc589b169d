// Package page reads the product data of a web page: JSON-LD in the vocabulary of schema.org,
// else microdata, else Open Graph. What a page does not say is left empty and named.
package page

import (
	"bytes"
	"encoding/json"
	"errors"
	"io"
	"net/url"
	"strings"

	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"
	"golang.org/x/net/html/charset"

	"plainpelican/connect/source"
)

// What can be wrong with a page. Each is a sentence for a person.
var (
	ErrSignIn    = errors.New("the page asks to sign in")
	ErrNoProduct = errors.New("there is no product data on that page")
	ErrNotHTML   = errors.New("that is not a web page")
	ErrTooLarge  = errors.New("the page's product data is larger or deeper than can be read")
)

// What one page may take, far above what shops' pages have: elements and values before they are
// parsed, levels of things in things, characters of one value, and steps over everything.
const (
	maxTags      = 250_000
	maxValues    = 250_000
	maxTextDepth = 6
	maxText      = 100_000
	maxSteps     = 3_000_000
)

// reading limits how many pages are held parsed at once.
var reading = make(chan struct{}, 2)

// spend takes steps off the page's budget and tells whether it lasted.
func (p *parser) spend(steps int) bool {
	p.steps += steps
	return p.steps <= maxSteps
}

// Found is what a page says of a product.
type Found struct {
	Offer source.Offer
	// From is where it was found: JSON-LD, microdata or Open Graph.
	From string
	// Missing are the facts that the page does not say.
	Missing []string
}

// Read reads a page that was fetched from an address.
func Read(body []byte, contentType, address string) (Found, error) {
	reading <- struct{}{}
	defer func() { <-reading }()
	p, err := parse(body, contentType, address)
	if err != nil {
		return Found{}, err
	}
	found, err := p.find()
	if p.steps > maxSteps {
		return Found{}, ErrTooLarge
	}
	return found, err
}

// Shown is what a page shows, to be looked for elsewhere: what it costs is not needed.
type Shown struct {
	Offer source.Offer
	// Picture is the picture that the link leads to, where it leads to no page.
	Picture []byte
}

// Show reads what a page shows as Read does, though it may not say what it costs.
func Show(body []byte, contentType, address string) (Shown, error) {
	p, err := parse(body, contentType, address)
	if err != nil {
		return Shown{}, err
	}
	found, err := p.find()
	switch {
	case p.steps > maxSteps:
		return Shown{}, ErrTooLarge
	case err == nil:
		return Shown{Offer: found.Offer}, nil
	}
	for _, nodes := range [][]thing{p.linked, p.micro} {
		if product, _ := p.best(nodes); product != nil {
			if o := p.unpriced(product); o.Title != "" {
				return Shown{Offer: o}, nil
			}
		}
	}
	if title, picture := strings.Join(strings.Fields(p.graph["og:title"]), " "),
		p.absolute(p.graph["og:image"]); title != "" && p.graph["og:image"] != "" && picture != "" {
		return Shown{Offer: source.Offer{Title: title, Pictures: []string{picture}, PageURL: p.own.String()}}, nil
	}
	return Shown{}, err
}

// find reads the first of the ways in which a page may describe its product.
func (p *parser) find() (Found, error) {
	for _, way := range []struct {
		name  string
		nodes []thing
	}{{"JSON-LD", p.linked}, {"microdata", p.micro}} {
		product, err := p.best(way.nodes)
		if err != nil {
			return Found{}, err
		}
		if product != nil {
			found, err := p.offer(product)
			found.From = way.name
			if err == nil || way.name == "microdata" || !hasProduct(p.micro) {
				return found, err
			}
		}
	}
	if p.graph["og:title"] != "" &&
		(p.graph["product:price:amount"] != "" || strings.HasPrefix(p.graph["og:type"], "product")) {
		found, err := p.openGraph()
		found.From = "Open Graph"
		return found, err
	}
	if p.password {
		return Found{}, ErrSignIn
	}
	return Found{}, ErrNoProduct
}

// parse collects the data of a page.
func parse(body []byte, contentType, address string) (*parser, error) {
	at, err := url.Parse(address)
	if err != nil {
		return nil, ErrNotHTML
	}
	if t := strings.ToLower(contentType); t != "" && !strings.Contains(t, "html") && !strings.Contains(t, "xml") &&
		!strings.Contains(t, "text/plain") {
		return nil, ErrNotHTML
	}
	var in io.Reader = bytes.NewReader(body)
	if decoded, err := charset.NewReader(in, contentType); err == nil {
		in = decoded
	}
	if bytes.Count(body, []byte("<")) > maxTags {
		return nil, ErrTooLarge
	}
	root, err := html.ParseWithOptions(in, html.ParseOptionEnableScripting(true))
	if err != nil {
		return nil, ErrNotHTML
	}
	p := &parser{base: at, own: at, byID: map[string]thing{}}
	p.rebase(root, 0)
	p.walk(root, nil, 0)
	return p, nil
}

type parser struct {
	// base is what relative addresses start from, own where the page is, by its canonical address if it names one.
	base, own *url.URL
	title     string
	// documents are the JSON-LD documents as they are written, linked the things in them.
	documents []any
	linked    []thing
	micro     []thing
	byID      map[string]thing
	graph     map[string]string
	password  bool
	steps     int
	values    int
}

const mostDepth = 200

// rebase takes the page's own base for relative addresses (HTML, section 4.2.3), if it names one.
func (p *parser) rebase(n *html.Node, depth int) (found bool) {
	if n.DataAtom == atom.Base {
		if href, ok := attr(n, "href"); ok {
			if u, err := p.base.Parse(strings.TrimSpace(href)); err == nil &&
				(u.Scheme == "http" || u.Scheme == "https") {
				p.base = u
			}
			return true
		}
	}
	for kid := n.FirstChild; kid != nil && depth < mostDepth && !found; kid = kid.NextSibling {
		found = p.rebase(kid, depth+1)
	}
	return found
}

// canonical takes the address that a page calls its own (RFC 6596), if it is on the same host and not the host's
// first page, which shops name on every page by mistake.
func (p *parser) canonical(n *html.Node) {
	href, _ := attr(n, "href")
	u, err := p.base.Parse(strings.TrimSpace(href))
	if err == nil && href != "" && (u.Scheme == "http" || u.Scheme == "https") && u.Host == p.own.Host &&
		(strings.Trim(u.Path, "/") != "" || u.RawQuery != "") {
		p.own = u
	}
}

func attr(n *html.Node, name string) (string, bool) {
	for _, a := range n.Attr {
		if a.Key == name {
			return a.Val, true
		}
	}
	return "", false
}

// walk goes through the page; in is the microdata item that the node stands in.
func (p *parser) walk(n *html.Node, in thing, depth int) {
	if depth > mostDepth {
		return
	}
	if n.Type == html.ElementNode {
		switch n.DataAtom {
		case atom.Script:
			if kind, _ := attr(n, "type"); strings.EqualFold(strings.TrimSpace(strings.Split(kind, ";")[0]),
				"application/ld+json") && n.FirstChild != nil {
				p.json(n.FirstChild.Data)
			}
			return
		case atom.Meta:
			name, _ := attr(n, "property")
			if name == "" {
				name, _ = attr(n, "name")
			}
			if content, ok := attr(n, "content"); ok &&
				(strings.HasPrefix(name, "og:") || strings.HasPrefix(name, "product:")) {
				if p.graph == nil {
					p.graph = map[string]string{}
				}
				if p.graph[name] == "" {
					p.graph[name] = strings.TrimSpace(content)
				}
			}
		case atom.Link:
			if rel, _ := attr(n, "rel"); strings.EqualFold(strings.TrimSpace(rel), "canonical") {
				p.canonical(n)
			}
		case atom.Title:
			if p.title == "" && n.FirstChild != nil {
				p.title = n.FirstChild.Data
			}
		case atom.Input:
			if kind, _ := attr(n, "type"); strings.EqualFold(kind, "password") {
				p.password = true
			}
		}
		in = p.item(n, in)
	}
	for kid := n.FirstChild; kid != nil; kid = kid.NextSibling {
		p.walk(kid, in, depth+1)
	}
}

// item reads the microdata of an element (HTML, section 5.2) and returns the item that its
// content belongs to.
func (p *parser) item(n *html.Node, in thing) thing {
	_, scope := attr(n, "itemscope")
	prop, named := attr(n, "itemprop")
	own := in
	if scope {
		own = thing{}
		if kind, ok := attr(n, "itemtype"); ok {
			for _, one := range strings.Fields(kind) {
				own["@type"] = append(own["@type"], short(one))
			}
		}
		if in == nil || !named {
			p.micro = append(p.micro, own)
		}
	}
	if named && in != nil {
		var value any = own
		if !scope {
			value = p.value(n)
		}
		for _, name := range strings.Fields(prop) {
			in[short(name)] = append(in[short(name)], value)
		}
	}
	return own
}

// value is that of a property which is not an item.
func (p *parser) value(n *html.Node) string {
	names := map[atom.Atom]string{atom.Meta: "content", atom.Img: "src", atom.A: "href", atom.Link: "href",
		atom.Data: "value", atom.Meter: "value", atom.Time: "datetime"}
	if name, ok := names[n.DataAtom]; ok {
		if text, ok := attr(n, name); ok {
			if name == "src" || name == "href" {
				return p.absolute(text)
			}
			return strings.TrimSpace(text)
		}
	}
	if text, ok := attr(n, "content"); ok {
		return strings.TrimSpace(text)
	}
	var b strings.Builder
	var collect func(*html.Node, int)
	collect = func(n *html.Node, depth int) {
		if n.Type == html.TextNode {
			b.WriteString(n.Data[:min(len(n.Data), maxText-b.Len())])
		}
		for kid := n.FirstChild; kid != nil && depth < mostDepth && b.Len() < maxText &&
			p.spend(1); kid = kid.NextSibling {
			collect(kid, depth+1)
		}
	}
	collect(n, 0)
	return strings.Join(strings.Fields(b.String()), " ")
}

func (p *parser) absolute(text string) string {
	u, err := p.base.Parse(strings.TrimSpace(text))
	if err != nil || (u.Scheme != "http" && u.Scheme != "https") {
		return ""
	}
	return u.String()
}

// short takes the vocabulary off a name: https://schema.org/Product and schema:Product are Product.
func short(name string) string {
	name = strings.TrimSpace(name)
	for _, prefix := range []string{"https://schema.org/", "http://schema.org/", "https://www.schema.org/",
		"http://www.schema.org/", "schema:"} {
		if rest, ok := strings.CutPrefix(name, prefix); ok {
			return rest
		}
	}
	return name
}

// json reads one JSON-LD script. Contexts are not fetched: names are taken to be schema.org's.
func (p *parser) json(text string) {
	// Counted before it is parsed: a parsed value takes some twenty times its bytes.
	p.values += strings.Count(text, ",") + strings.Count(text, "[") + strings.Count(text, "{")
	if p.values > maxValues {
		p.spend(maxSteps + 1)
		return
	}
	text = strings.TrimSpace(text)
	text = strings.TrimSuffix(strings.TrimPrefix(text, "<!--"), "-->")
	text = strings.TrimSuffix(strings.TrimPrefix(strings.TrimSpace(text), "<![CDATA["), "]]>")
	if !json.Valid([]byte(text)) {
		text = mended(text)
	}
	d := json.NewDecoder(strings.NewReader(text))
	d.UseNumber()
	for {
		var data any
		if err := d.Decode(&data); err != nil {
			return // what was read so far stands
		}
		p.documents = append(p.documents, data)
		p.graphOf(data, 0)
	}
}

// mended writes JSON as its readers in browsers' tools forgive it: line ends and tabs within texts, and commas before
// a closing bracket.
func mended(text string) string {
	out := make([]byte, 0, len(text))
	quoted, escaped := false, false
	comma := -1 // where in out a comma stands that nothing has followed yet
	for i := range len(text) {
		c := text[i]
		switch {
		case escaped:
			escaped = false
		case quoted && c == '\\':
			escaped = true
		case quoted && c < ' ':
			c = ' '
		case c == '"':
			quoted, comma = !quoted, -1
		case quoted, c == ' ', c == '\n', c == '\r', c == '\t':
		case c == ',':
			comma = len(out)
		case (c == '}' || c == ']') && comma >= 0:
			out = append(out[:comma], out[comma+1:]...)
			comma = -1
		default:
			comma = -1
		}
		out = append(out, c)
	}
	return string(out)
}

func (p *parser) graphOf(data any, depth int) {
	if depth > 20 || !p.spend(1) {
		return
	}
	switch d := data.(type) {
	case []any:
		for _, one := range d {
			p.graphOf(one, depth+1)
		}
	case map[string]any:
		t := p.node(d, depth)
		if len(t["@type"]) > 0 {
			p.linked = append(p.linked, t)
		}
		for _, key := range []string{"@graph", "mainEntity", "mainEntityOfPage", "itemListElement", "item",
			"isVariantOf"} {
			if inner, ok := d[key]; ok {
				p.graphOf(inner, depth+1)
			}
		}
	}
}

// node turns a JSON object into a thing, however its properties are written.
func (p *parser) node(d map[string]any, depth int) thing {
	t := thing{}
	for key, value := range d {
		if !p.spend(1) {
			return t
		}
		name := short(key)
		switch v := value.(type) {
		case []any:
			for _, one := range v {
				if !p.spend(1) {
					return t
				}
				t[name] = append(t[name], p.plain(one, depth+1))
			}
		default:
			t[name] = append(t[name], p.plain(v, depth+1))
		}
	}
	for i, kind := range t["@type"] {
		if text, ok := kind.(string); ok {
			t["@type"][i] = short(text)
		}
	}
	if id := p.text(t, "@id"); id != "" && len(t) > 1 {
		if known := p.byID[id]; known != nil {
			for key, values := range t { // said of it in several places
				if len(known[key]) == 0 {
					known[key] = values
				}
			}
		} else {
			p.byID[id] = t
		}
	}
	return t
}

func (p *parser) plain(value any, depth int) any {
	switch v := value.(type) {
	case map[string]any:
		if inner, ok := v["@value"]; ok {
			return p.plain(inner, depth)
		}
		if depth > 40 {
			return ""
		}
		return p.node(v, depth)
	case json.Number:
		return v.String()
	case bool:
		if v {
			return "true"
		}
		return "false"
	case string:
		return strings.ReplaceAll(v, "\x00", "") // no database keeps it in text
	}
	return ""
}
