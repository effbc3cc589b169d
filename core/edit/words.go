package edit

import (
	"fmt"
	"maps"
	"strings"
	"unicode/utf8"
)

// SetText sets one of the fields that are a line of text: type, vendor, search title, search description and delivery.
type SetText struct {
	Field Field  `json:"field"`
	Text  string `json:"text"`
}

// maxText is how long each of these fields may be, in characters.
var maxText = map[Field]int{Type: 100, Vendor: 100, SearchTitle: 200, SearchDescription: 1000, Delivery: 200}

func (SetText) Kind() string            { return "text" }
func (o SetText) Fields(*Draft) []Field { return []Field{o.Field} }

// MovesPrice is true of the delivery alone: no markup rule asks for the others.
func (o SetText) MovesPrice() bool { return o.Field == Delivery }

func (o SetText) Apply(d *Draft) (Operation, error) {
	at := d.text(o.Field)
	if at == nil {
		return nil, wrong(o.Field, "The %s is not a line of text.", o.Field)
	}
	next := words(o.Text)
	if n := utf8.RuneCountInString(next); n > maxText[o.Field] {
		return nil, wrong(o.Field, "It has %d characters; up to %d are kept.", n, maxText[o.Field])
	}
	before := SetText{o.Field, *at}
	*at = next
	return before, nil
}

// text is where a field that is a line of text is kept; nil where it is none.
func (d *Draft) text(f Field) *string {
	switch f {
	case Type:
		return &d.Type
	case Vendor:
		return &d.Vendor
	case SearchTitle:
		return &d.SearchTitle
	case SearchDescription:
		return &d.SearchDescription
	case Delivery:
		return &d.Delivery
	}
	return nil
}

// TextOf is the text of a field that is one; ok is false of other fields.
func (d *Draft) TextOf(f Field) (text string, ok bool) {
	switch f {
	case Title:
		return d.Title, true
	case Description:
		return d.Description, true
	}
	if at := d.text(f); at != nil {
		return *at, true
	}
	return "", false
}

// Name is what a field is called in a sentence.
func (f Field) Name() string {
	switch f {
	case Chosen:
		return "choice of variants"
	case Offer:
		return "supplier"
	case SearchTitle:
		return "search title"
	case SearchDescription:
		return "search description"
	case Reserve:
		return "stock reserve"
	}
	if _, price := f.Price(); price {
		return "price"
	}
	if part, _, own := f.own(); own {
		return string(part) + " of this store"
	}
	if code, _, is := f.code(); is {
		return code
	}
	return string(f)
}

// OwnWords are a draft's words in one store; empty ones are those that all stores share.
type OwnWords struct {
	Title string `json:"title,omitempty"`
	// Description is safe HTML.
	Description string `json:"description,omitempty"`
}

// OwnField is the field of a draft's own title or description in a store.
func OwnField(storeID int64, part Field) Field { return Field(fmt.Sprintf("own:%d:%s", storeID, part)) }

// own tells which part of the own words of which store a field is.
func (f Field) own() (part Field, storeID int64, ok bool) {
	n, _ := fmt.Sscanf(string(f), "own:%d:%s", &storeID, &part)
	return part, storeID, n == 2
}

// IsOwn tells whether a field is the title or the description of one store.
func (f Field) IsOwn() bool {
	_, _, own := f.own()
	return own
}

// SetOwnWords sets the title or the description that a draft has in one store alone; an empty text is the shared one.
// The caller has made its HTML safe.
type SetOwnWords struct {
	StoreID int64  `json:"store_id"`
	Part    Field  `json:"part"`
	Text    string `json:"text"`
}

func (SetOwnWords) Kind() string            { return "own words" }
func (o SetOwnWords) Fields(*Draft) []Field { return []Field{OwnField(o.StoreID, o.Part)} }
func (SetOwnWords) MovesPrice() bool        { return false }

func (o SetOwnWords) Apply(d *Draft) (Operation, error) {
	own := d.Own[o.StoreID]
	before := SetOwnWords{o.StoreID, o.Part, own.Description}
	switch o.Part {
	case Title:
		before.Text, own.Title = own.Title, words(o.Text)
	case Description:
		own.Description = o.Text
	default:
		return nil, wrong(o.Part, "A store has a title and a description of its own, and nothing else.")
	}
	// The map is replaced, not changed: the draft as it was before may be looked at still.
	if d.Own = maps.Clone(d.Own); d.Own == nil {
		d.Own = map[int64]OwnWords{}
	}
	if own == (OwnWords{}) {
		delete(d.Own, o.StoreID)
	} else {
		d.Own[o.StoreID] = own
	}
	return before, nil
}

// Words are the title and the description that a draft has in a store.
func (d *Draft) Words(storeID int64) (title, description string) {
	title, description = d.Title, d.Description
	if own := d.Own[storeID]; own.Title != "" {
		title = own.Title
	}
	if own := d.Own[storeID]; own.Description != "" {
		description = own.Description
	}
	return title, description
}

// SetTray lays a draft into a tray; 0 is none.
type SetTray struct {
	TrayID int64 `json:"tray_id"`
}

func (SetTray) Kind() string          { return "tray" }
func (SetTray) Fields(*Draft) []Field { return []Field{Tray} }
func (SetTray) MovesPrice() bool      { return false }

func (o SetTray) Apply(d *Draft) (Operation, error) {
	before := SetTray{d.TrayID}
	d.TrayID = o.TrayID
	return before, nil
}

// MaxReserve is how many units may be kept back.
const MaxReserve = 1_000_000

// SetReserve keeps units of each variant back from the stock that stores show.
type SetReserve struct {
	Reserve int `json:"reserve"`
}

func (SetReserve) Kind() string          { return "stock reserve" }
func (SetReserve) Fields(*Draft) []Field { return []Field{Reserve} }
func (SetReserve) MovesPrice() bool      { return false }

func (o SetReserve) Apply(d *Draft) (Operation, error) {
	if o.Reserve < 0 || o.Reserve > MaxReserve {
		return nil, wrong(Reserve, "A stock reserve is a number of units from 0 to 1,000,000.")
	}
	before := SetReserve{d.Reserve}
	d.Reserve = o.Reserve
	return before, nil
}

// InStock is how many units of a stock a store may show with a reserve kept back.
func InStock(stock, reserve int) int { return max(0, stock-reserve) }

// Text is the text that an operation sets, and what its field is called; both are empty where it sets none.
func Text(op Operation) (field, text string) {
	switch o := op.(type) {
	case SetTitle:
		return Title.Name(), o.Title
	case SetDescription:
		return Description.Name(), o.Description
	case SetText:
		return o.Field.Name(), o.Text
	case SetOwnWords:
		return OwnField(o.StoreID, o.Part).Name(), o.Text
	case SetCollections:
		return Collections.Name(), strings.Join(o.Collections, ", ")
	case SetTags:
		return Tags.Name(), strings.Join(o.Tags, ", ")
	case SetReserve:
		return Reserve.Name(), fmt.Sprint(o.Reserve)
	}
	return "", ""
}
