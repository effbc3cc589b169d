package pricelist

import (
	"net/url"
	"slices"
	"strings"

	"plainpelican/connect/source"
)

// addresses are the pictures that a row names, in order.
func (r *Reader) addresses(row Row, each func(address string)) {
	for _, at := range r.places[Picture] {
		if at >= len(row.Cells) {
			continue
		}
		cell := strings.TrimSpace(row.Cells[at])
		if !strings.ContainsAny(cell, "|;, \n\t") {
			if cell != "" {
				each(cell)
			}
			continue
		}
		if r.Pictures[PictureName(cell)] != "" { // a name with spaces
			each(cell)
			continue
		}
		for _, text := range strings.FieldsFunc(cell, func(c rune) bool {
			return strings.ContainsRune("|;, \n\t", c)
		}) {
			each(text)
		}
	}
}

// pictures collects the addresses of the pictures of all rows, in order.
func (r *Reader) pictures(o *source.Offer, rows []Row) {
	for _, row := range rows {
		r.addresses(row, func(text string) {
			if text = r.picture(text); text != "" && !slices.Contains(o.Pictures, text) && len(o.Pictures) < 50 {
				o.Pictures = append(o.Pictures, text)
			}
		})
	}
}

// pictureOf is the index of a row's own picture among the offer's.
func (r *Reader) pictureOf(o *source.Offer, row Row) (index int) {
	found := false
	r.addresses(row, func(text string) {
		if found {
			return
		}
		at := slices.Index(o.Pictures, text)
		if at < 0 {
			at = slices.Index(o.Pictures, r.picture(text))
		}
		if at >= 0 {
			index, found = at, true
		}
	})
	return index
}

// picture is where a picture is: its address, or, by a file's name, that of one that was sent
// beside the list; empty where there is none.
func (r *Reader) picture(text string) string {
	if address := webAddress(text); address != "" || r.Pictures == nil {
		return address
	}
	return r.Pictures[PictureName(text)]
}

// PictureName is what a picture's file is known by, whatever folder it lies in.
func PictureName(path string) string {
	path = strings.ReplaceAll(path, `\`, "/")
	return strings.ToLower(strings.TrimSpace(path[strings.LastIndexByte(path, '/')+1:]))
}

// webAddress is an address as it can be fetched: https where it has no scheme, as "//" and "www." have none; empty
// where it is none.
func webAddress(text string) string {
	switch {
	case strings.HasPrefix(text, "//"):
		text = "https:" + text
	case strings.HasPrefix(strings.ToLower(text), "www."):
		text = "https://" + text
	case !strings.HasPrefix(text, "http"):
		return ""
	}
	if u, err := url.Parse(text); err == nil && (u.Scheme == "http" || u.Scheme == "https") && u.Host != "" &&
		len(text) < 2000 {
		return text
	}
	return ""
}
