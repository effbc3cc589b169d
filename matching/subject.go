package matching

import (
	"bytes"
	"context"
	"errors"
	"io"
	"slices"
	"strings"
	"time"

	"plainpelican/connect/source"
	"plainpelican/core/gtin"
	"plainpelican/core/likeness"
	"plainpelican/media"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/platform/pictures"
)

// LookupInput is something to be found in the catalog that need not be in it.
type LookupInput struct {
	Link   string `json:"link" maxLength:"2000" doc:"A page that shows it"`
	File   string `json:"file" maxLength:"64" doc:"A picture of it that was uploaded"`
	Store  int64  `json:"store"`
	Market string `json:"market" maxLength:"2" doc:"Of the store; empty is the one of its prices"`
}

// lookUp finds the offers of an item that a page or a picture shows.
func (s *Service) lookUp(ctx context.Context, in LookupInput) (Alternatives, error) {
	switch {
	case in.File != "":
		of, err := s.subjectOfPicture(in.File)
		if err != nil {
			return Alternatives{}, err
		}
		return s.findAlternatives(ctx, of, in.Store, in.Market)
	case strings.TrimSpace(in.Link) == "":
		return Alternatives{}, apikit.Problem(422, "link", "Give a link or a picture to look by.")
	}
	id, err := s.byLink(ctx, in.Link)
	if err == nil {
		return s.FindAlternatives(ctx, id, in.Store, in.Market)
	}
	if !database.Missing(err) {
		return Alternatives{}, err
	}
	of, err := s.subjectOfPage(ctx, in.Link)
	if err != nil {
		return Alternatives{}, err
	}
	return s.findAlternatives(ctx, of, in.Store, in.Market)
}

// byLink is the offer that has a page.
func (s *Service) byLink(ctx context.Context, link string) (id int64, err error) {
	err = s.pool.QueryRow(ctx, `select id from facts.offer where page_url = $1 and page_url <> ''
		order by withdrawn_at nulls first, id limit 1`, strings.TrimSpace(link)).Scan(&id)
	return id, err
}

// subjectOfPicture looks for what an uploaded picture shows.
func (s *Service) subjectOfPicture(file string) (subject, error) {
	content, err := s.blobs.Open(file)
	if err != nil {
		return subject{}, apikit.Problem(422, "file", "The picture did not arrive. Send it again.")
	}
	defer func() { _ = content.Close() }()
	whole, err := io.ReadAll(io.LimitReader(content, pictures.MaxBytes))
	if err != nil {
		return subject{}, err
	}
	return subjectOf("file", whole)
}

// subjectOf looks for what a picture shows, which was given in a field.
func subjectOf(field string, content []byte) (subject, error) {
	of := subject{title: "the picture", pictureOnly: true, item: &likeness.Item{PictureTells: true}}
	if _, _, err := pictures.Check(bytes.NewReader(content)); err != nil {
		return of, apikit.Problem(422, field, "It cannot be looked for: %s.", err)
	}
	features := media.FeaturesOf(content)
	if features.EdgeMap == nil {
		return of, apikit.Problem(422, field, "It cannot be looked for: the picture is of one colour all over.")
	}
	of.item.Pictures = withTurned(features.Picture)
	return of, nil
}

// withTurned are a picture and the ways in which it may be shown elsewhere.
func withTurned(p likeness.Picture) []likeness.Picture {
	return append([]likeness.Picture{p}, p.Turned()...)
}

// subjectOfPage looks for what a page shows that is in no catalog.
func (s *Service) subjectOfPage(ctx context.Context, link string) (subject, error) {
	shown, err := s.pages.ShowLink(ctx, strings.TrimSpace(link))
	if err != nil {
		return subject{},
			apikit.Problem(422, "link", "It cannot be looked for: %s.", strings.TrimSuffix(err.Error(), "."))
	}
	if shown.Picture != nil {
		return subjectOf("link", shown.Picture)
	}
	offer := shown.Offer
	of := subject{title: offer.Title, item: itemOf(offer)}
	of.item.PictureTells = true
	for _, url := range offer.Pictures[:min(len(offer.Pictures), maxSubjectPictures)] {
		waiting, cancel := context.WithTimeout(ctx, pictureTimeout)
		_, content, err := s.media.PictureAt(waiting, url)
		late := waiting.Err() != nil
		cancel()
		if err != nil && !errors.Is(err, pictures.ErrNone) && !late {
			return of, err
		}
		if features := media.FeaturesOf(content); err == nil && features.EdgeMap != nil {
			if len(of.item.Pictures) == 0 {
				of.item.Pictures = withTurned(features.Picture)
			} else {
				of.item.Pictures = append(of.item.Pictures, features.Picture)
			}
		}
	}
	return of, nil
}

// itemOf is what an offer says for comparing it.
func itemOf(offer source.Offer) *likeness.Item {
	item := &likeness.Item{Title: offer.Title}
	for _, v := range offer.Variants {
		tell(item, v.Barcode, v.Values, v.WeightGrams)
	}
	return item
}

// tell adds what a variant says of an item.
func tell(item *likeness.Item, barcode string, values []string, grams int) {
	if barcode != "" && gtin.Check(barcode) == "" && !slices.Contains(item.GTINs, barcode) {
		item.GTINs = append(item.GTINs, barcode)
	}
	for _, v := range values {
		if v = strings.TrimSpace(v); v != "" && !slices.Contains(item.Values, v) {
			item.Values = append(item.Values, v)
		}
	}
	if !slices.Contains(item.Grams, grams) {
		item.Grams = append(item.Grams, grams)
	}
}

// pictureTimeout is how long a picture is waited for by somebody who looks for its like.
const pictureTimeout = 3 * time.Second
