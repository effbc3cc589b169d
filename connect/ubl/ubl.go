// Package ubl reads OASIS UBL 2.1 Catalogue documents as a stream: each CatalogueLine becomes
// an offer, or a variant of one, and a document of a gigabyte needs no more memory than its longest line.
//
// The element names are those of the UBL 2.1 Catalogue schema (OASIS Standard, 4 November 2013),
// written down from memory; the standard's own examples were not at hand.
package ubl

import (
	"bufio"
	"bytes"
	"encoding/xml"
	"errors"
	"io"
	"strings"

	"golang.org/x/net/html/charset"

	"plainpelican/connect/source"
	"plainpelican/core/landed"
)

// What can be wrong with a document as a whole. Each is a sentence for a person.
var (
	ErrNotACatalogue = errors.New("that is not a UBL 2.1 catalogue")
	ErrEntities      = errors.New("the document declares entities or a document type, which a catalogue has no use " +
		"for; it was not read")
	ErrCut     = errors.New("the document ends in the middle: it did not arrive whole")
	ErrBroken  = errors.New("the document is not well-formed XML")
	ErrDeep    = errors.New("the document nests deeper than a catalogue does; it was not read")
	ErrNoLines = errors.New("the catalogue has no lines")
)

const (
	catalogueNS  = "urn:oasis:names:specification:ubl:schema:xsd:Catalogue-2"
	mostDepth    = 60
	mostLine     = 4 << 20 // bytes of one line
	mostVariants = 2000
)

// Terms are what a catalogue does not say of its supplier.
type Terms struct {
	Supplier   string            `json:"supplier" maxLength:"100"`
	Country    string            `json:"country" maxLength:"2" doc:"Where it ships from, ISO 3166 alpha-2"`
	Processing landed.Days       `json:"processing"`
	Deliveries []landed.Delivery `json:"deliveries" maxItems:"100"`
}

// Item is an offer, or what could not be used of it, or both.
type Item struct {
	Offer    *source.Offer
	Rejected []source.RejectedItem
}

// Reader reads a document's lines.
type Reader struct {
	terms Terms
	in    *guarded
	xml   *xml.Decoder
	line  int
	// Supplier is the name of the seller, where the document says it.
	Supplier string
	// Currency is that of the prices, where the document says it once for all.
	currency string
	group    []line
	key      string
	ended    bool
}

// guarded counts bytes since the last line began, so that one without end is not read into memory.
type guarded struct {
	in   *bufio.Reader
	read int64
	over bool
}

func (g *guarded) Read(p []byte) (int, error) {
	if g.over || g.read > mostLine {
		g.over = true
		return 0, ErrBroken
	}
	n, err := g.in.Read(p)
	g.read += int64(n)
	return n, err
}

func (g *guarded) ReadByte() (byte, error) {
	if g.over || g.read > mostLine {
		g.over = true
		return 0, ErrBroken
	}
	b, err := g.in.ReadByte()
	g.read++
	return b, err
}

// New begins to read a document.
func New(r io.Reader, terms Terms) (*Reader, error) {
	in := &guarded{in: bufio.NewReaderSize(r, 1<<16)}
	d := xml.NewDecoder(in)
	d.CharsetReader = charset.NewReaderLabel
	u := &Reader{terms: terms, in: in, xml: d}
	for {
		token, err := u.token()
		if err != nil {
			if errors.Is(err, ErrCut) {
				err = ErrNotACatalogue
			}
			return nil, err
		}
		if start, ok := token.(xml.StartElement); ok {
			if start.Name.Local != "Catalogue" || start.Name.Space != catalogueNS {
				return nil, ErrNotACatalogue
			}
			return u, nil
		}
	}
}

// token reads one token; a document type, where entities are declared, is refused.
func (r *Reader) token() (xml.Token, error) {
	token, err := r.xml.Token()
	if err != nil {
		return nil, r.words(err)
	}
	if directive, ok := token.(xml.Directive); ok &&
		bytes.HasPrefix(bytes.ToUpper(bytes.TrimSpace(directive)), []byte("DOCTYPE")) {
		return nil, ErrEntities
	}
	return token, nil
}

func (r *Reader) words(err error) error {
	var syntax *xml.SyntaxError
	switch {
	case err == io.EOF, errors.Is(err, io.ErrUnexpectedEOF):
		return ErrCut
	case errors.As(err, &syntax) && strings.Contains(syntax.Msg, "unexpected EOF"):
		return ErrCut
	case errors.As(err, &syntax) && strings.Contains(syntax.Msg, "entity"):
		return ErrEntities
	case errors.As(err, &syntax), errors.Is(err, ErrBroken):
		return ErrBroken
	}
	return err
}

// node is an element of a line, read whole.
type node struct {
	name  string
	attrs []xml.Attr
	text  string
	kids  []node
}

// read reads the rest of an element.
func (r *Reader) read(start xml.StartElement, depth int) (node, error) {
	n := node{name: start.Name.Local, attrs: start.Attr}
	if depth > mostDepth {
		return n, ErrDeep
	}
	var text strings.Builder
	for {
		token, err := r.token()
		if err != nil {
			return n, err
		}
		switch t := token.(type) {
		case xml.StartElement:
			kid, err := r.read(t, depth+1)
			if err != nil {
				return n, err
			}
			n.kids = append(n.kids, kid)
		case xml.CharData:
			text.Write(t)
		case xml.EndElement:
			n.text = strings.TrimSpace(text.String())
			return n, nil
		}
	}
}

// at follows a path of element names to the first that is there.
func (n node) at(path ...string) node {
	for _, name := range path {
		found := false
		for _, kid := range n.kids {
			if kid.name == name {
				n, found = kid, true
				break
			}
		}
		if !found {
			return node{}
		}
	}
	return n
}

// all lists the kids of a name.
func (n node) all(name string) (list []node) {
	for _, kid := range n.kids {
		if kid.name == name {
			list = append(list, kid)
		}
	}
	return list
}

func (n node) attr(name string) string {
	for _, a := range n.attrs {
		if a.Name.Local == name {
			return a.Value
		}
	}
	return ""
}

// Next reads one offer, or what was set aside; the end is io.EOF.
func (r *Reader) Next() (Item, error) {
	for !r.ended {
		token, err := r.token()
		if err != nil {
			return Item{}, err
		}
		switch t := token.(type) {
		case xml.EndElement: // of the catalogue
			r.ended = true
		case xml.StartElement:
			r.in.read = 0
			n, err := r.read(t, 1)
			if err != nil {
				return Item{}, err
			}
			switch n.name {
			case "SellerSupplierParty", "ProviderParty":
				r.seller(n)
			case "PricingCurrencyCode", "DocumentCurrencyCode":
				r.currency = n.text
			case "CatalogueLine":
				if item, done := r.take(n); done {
					return item, nil
				}
			}
		}
	}
	if len(r.group) > 0 {
		return r.flush(), nil
	}
	if r.line == 0 {
		return Item{}, ErrNoLines
	}
	return Item{}, io.EOF
}

func (r *Reader) seller(n node) {
	party := n
	if n.name == "SellerSupplierParty" {
		party = n.at("Party")
	}
	if name := party.at("PartyName", "Name").text; name != "" && (r.Supplier == "" || n.name == "SellerSupplierParty") {
		r.Supplier = name
	}
}

// line is a catalogue line with what names its product: lines that follow each other with one
// extended number of the seller's (SellersItemIdentification/ExtendedID) are its variants.
type line struct {
	at  int
	key string
	n   node
}

// take adds a line to its product; the product before is done where a new one begins.
func (r *Reader) take(n node) (Item, bool) {
	r.line++
	if strings.EqualFold(n.at("ActionCode").text, "Delete") {
		return Item{}, false // it leaves, as what is not listed does
	}
	l := line{at: r.line, n: n}
	item := n.at("Item")
	if extended := item.at("SellersItemIdentification", "ExtendedID").text; extended != "" {
		l.key = extended
	}
	if len(r.group) > 0 && (l.key == "" || l.key != r.key) {
		done := r.flush()
		r.group, r.key = []line{l}, l.key
		return done, true
	}
	r.group, r.key = append(r.group, l), l.key
	return Item{}, false
}

func (r *Reader) flush() Item {
	lines := r.group
	r.group = nil
	return r.build(lines)
}
