package media

import (
	"context"
	"errors"

	"github.com/jackc/pgx/v5"

	"plainpelican/core/likeness"
	"plainpelican/platform/pictures"
)

// Features are what a picture is known by.
type Features struct {
	likeness.Picture
	MedianColour likeness.MedianColour
}

// FeaturesOf describes a picture; there are none of one that cannot be read.
func FeaturesOf(content []byte) Features {
	seen, err := pictures.See(content)
	if err != nil {
		return Features{}
	}
	return Features{likeness.PictureOf(seen.Gray, seen.Width, seen.Height),
		likeness.MedianColour{Red: seen.Middle.R, Green: seen.Middle.G, Blue: seen.Middle.B}}
}

// Columns are perceptual hashes, edge map and median colour as the database keeps them.
func (f *Features) Columns() []any {
	hashes := make([]int64, len(f.Hashes))
	for i, v := range f.Hashes {
		hashes[i] = int64(v)
	}
	var edges []byte
	if f.EdgeMap != nil {
		edges = f.EdgeMap[:]
	}
	c := f.MedianColour
	return []any{hashes, edges, int(c.Red)<<16 | int(c.Green)<<8 | int(c.Blue)}
}

// PictureFrom reads what a picture is known by from the database's columns.
func PictureFrom(hashes []int64, edges []byte) likeness.Picture {
	var p likeness.Picture
	for i, v := range hashes[:min(len(hashes), len(p.Hashes))] {
		p.Hashes[i] = uint64(v)
	}
	if len(edges) == len(likeness.EdgeMap{}) {
		p.EdgeMap = (*likeness.EdgeMap)(edges)
	}
	return p
}

// Describe fetches the picture at an address where that was not done, and keeps what it is known by. OnDescribed is not
// told: the caller may have described many.
func (s *Service) Describe(ctx context.Context, url string) (Features, error) {
	var f Features
	hash, content, err := s.PictureAt(ctx, url)
	if err != nil {
		return f, err
	}
	if err := s.throttle.Do(ctx, func() error {
		f = FeaturesOf(content)
		return nil
	}); err != nil {
		return f, err
	}
	if _, err := s.scaled(hash, content, widths["96"]); err != nil && !errors.Is(err, pictures.ErrNone) {
		return f, err
	}
	_, err = s.pool.Exec(ctx, `insert into picture (url, hash, hashes, edge_map, median_colour)
		values ($1, $2, $3, $4, $5)
		on conflict (url) do update set hashes = excluded.hashes, edge_map = excluded.edge_map,
			median_colour = excluded.median_colour`, append([]any{url, hash}, f.Columns()...)...)
	return f, err
}

// Features reads what pictures are known by, of those that were described.
func (s *Service) Features(ctx context.Context, urls []string) (map[string]Features, error) {
	rows, err := s.pool.Query(ctx, `select url, hashes, edge_map, median_colour from picture
		where url = any ($1) and hashes <> '{}'`, urls)
	if err != nil {
		return nil, err
	}
	out := map[string]Features{}
	var url string
	var hashes []int64
	var edges []byte
	var rgb int
	_, err = pgx.ForEachRow(rows, []any{&url, &hashes, &edges, &rgb}, func() error {
		out[url] = Features{PictureFrom(hashes, edges),
			likeness.MedianColour{Red: uint8(rgb >> 16), Green: uint8(rgb >> 8), Blue: uint8(rgb)}}
		hashes, edges = nil, nil
		return nil
	})
	return out, err
}

// DescribeSoon is Features with those of the first few pictures that are missing, as far as they can be had while a
// person waits. One that cannot be had is left out.
func (s *Service) DescribeSoon(ctx context.Context, urls []string, most int) (map[string]Features, error) {
	known, err := s.Features(ctx, urls)
	if err != nil {
		return nil, err
	}
	soon, cancel := context.WithTimeout(ctx, describeTimeout)
	defer cancel()
	var fresh []string
	for _, url := range urls[:min(len(urls), most)] {
		if _, there := known[url]; there || soon.Err() != nil {
			continue
		}
		f, err := s.Describe(soon, url)
		if err == nil {
			known[url] = f
			fresh = append(fresh, url)
		} else if !errors.Is(err, pictures.ErrNone) && soon.Err() == nil {
			return nil, err
		}
	}
	if len(fresh) > 0 && s.OnDescribed != nil {
		err = s.OnDescribed(ctx, fresh...)
	}
	return known, err
}

// MedianColours are the colours of the middle of pictures, by address, as far as they can be had soon.
func (s *Service) MedianColours(ctx context.Context, urls []string) (map[string]likeness.MedianColour, error) {
	known, err := s.DescribeSoon(ctx, urls, maxColours)
	if err != nil {
		return nil, err
	}
	out := map[string]likeness.MedianColour{}
	for url, f := range known {
		if f.EdgeMap != nil {
			out[url] = f.MedianColour
		}
	}
	return out, nil
}
