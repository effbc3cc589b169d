package catalog

import (
	"context"
	"errors"
	"slices"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"plainpelican/core/likeness"
	"plainpelican/platform/pictures"
)

// DescribePicturesArgs is the job that looks at the first pictures of offers before anybody asks for them, so
// that an item is known elsewhere by its picture.
type DescribePicturesArgs struct{}

// Kind names the job.
func (DescribePicturesArgs) Kind() string { return "describe_pictures" }

// InsertOpts puts it into its queue, once at a time.
func (DescribePicturesArgs) InsertOpts() river.InsertOpts {
	return river.InsertOpts{Queue: "picture", UniqueOpts: river.UniqueOpts{ByPeriod: 30 * time.Second}}
}

const (
	describeDuration    = 40 * time.Second // a job's share of a minute
	describeBatch       = 1000             // offers chosen at once, those that sell most first
	describeNotifyBatch = 20               // pictures that instances are told of at once
	maxSilentServers    = 3                // servers that do not answer, before a job gives up until the next
)

// DescribePictures looks at the first pictures of offers, those that sold most last week first, until as many are
// known as are wanted or its time is over.
func (s *Service) DescribePictures(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, describeDuration)
	defer cancel()
	silent := 0
	for ctx.Err() == nil {
		var known int
		if err := s.Pool.QueryRow(ctx, `select count(*) from picture
			where hashes <> '{}'`).Scan(&known); err != nil || known >= s.MaxDescribed {
			return ignoreDeadline(ctx, err)
		}
		rows, err := s.Pool.Query(ctx, `
			select o.pictures[1] from offer o join source x on x.id = o.source_id and x.state = 'connected'
			left join picture p on p.url = o.pictures[1]
			where o.withdrawn_at is null and cardinality(o.pictures) > 0
			and (p.url is null or (p.hash <> '' and p.hashes = '{}'))
			order by o.weekly[cardinality(o.weekly)] desc nulls last, o.id limit $1`, describeBatch)
		if err != nil {
			return ignoreDeadline(ctx, err)
		}
		list, err := pgx.CollectRows(rows, pgx.RowTo[string])
		if err != nil || len(list) == 0 {
			return ignoreDeadline(ctx, err)
		}
		urls := list[:0]
		there := map[string]bool{}
		for _, url := range list {
			if !there[url] {
				there[url] = true
				urls = append(urls, url)
			}
		}
		urls = urls[:min(len(urls), s.MaxDescribed-known)]
		var seen []string
		for i, url := range urls {
			_, err := s.describe(ctx, url)
			var silence *silentError
			switch {
			case err == nil:
				seen = append(seen, url)
			case ctx.Err() != nil:
			case errors.As(err, &silence):
				if silent++; silent == maxSilentServers {
					cancel()
				}
			case !errors.Is(err, pictures.ErrNone):
				return err
			}
			if len(seen) >= describeNotifyBatch || (len(seen) > 0 && (ctx.Err() != nil || i == len(urls)-1)) {
				// Those that were seen are told of though the time is over.
				if err := s.notifyDescribed(context.WithoutCancel(ctx), seen...); err != nil {
					return err
				}
				seen = nil
			}
			if ctx.Err() != nil {
				return nil
			}
		}
	}
	return nil
}

// notifyDescribed tells all instances which offers show pictures first that were looked at: as many as share them.
func (s *Service) notifyDescribed(ctx context.Context, urls ...string) error {
	rows, err := s.Pool.Query(ctx, `select o.id from unnest($1::text[]) u
		join offer o on hashtextextended(o.pictures[1], 0) = hashtextextended(u, 0) and o.pictures[1] = u
		where o.withdrawn_at is null order by o.id`, urls)
	if err != nil {
		return err
	}
	offers, err := pgx.CollectRows(rows, pgx.RowTo[int64])
	if err != nil {
		return err
	}
	for part := range slices.Chunk(offers, changeBatch) {
		if err := logChange(ctx, s.Pool, nil, part); err != nil {
			return err
		}
	}
	return nil
}

// ignoreDeadline is an error, unless it is that the time is over.
func ignoreDeadline(ctx context.Context, err error) error {
	if errors.Is(ctx.Err(), context.DeadlineExceeded) {
		return nil
	}
	return err
}

// describe looks at the picture at an address and keeps what it is known by.
func (s *Service) describe(ctx context.Context, url string) (PictureFeatures, error) {
	var look PictureFeatures
	hash, content, err := s.PictureAt(ctx, url)
	if err != nil {
		return look, err
	}
	if err := s.Throttle.Do(ctx, func() error {
		look = Describe(content)
		return nil
	}); err != nil {
		return look, err
	}
	if _, err := s.sized(hash, content, widths["96"]); err != nil && !errors.Is(err, pictures.ErrNone) {
		return look, err
	}
	_, err = s.Pool.Exec(ctx, `insert into picture (url, hash, hashes, edge_map, median_colour)
		values ($1, $2, $3, $4, $5)
		on conflict (url) do update set hashes = excluded.hashes, edge_map = excluded.edge_map,
		median_colour = excluded.median_colour`, append([]any{url, hash}, look.Columns()...)...)
	return look, err
}

// PictureFeatures is what a picture is known by.
type PictureFeatures struct {
	likeness.Picture
	MedianColour likeness.MedianColour
}

// Describe is what a picture is known by; nothing for one that cannot be read.
func Describe(content []byte) PictureFeatures {
	looked, err := pictures.See(content)
	if err != nil {
		return PictureFeatures{}
	}
	return PictureFeatures{likeness.PictureOf(looked.Gray, looked.Width, looked.Height),
		likeness.MedianColour{Red: looked.Middle.R, Green: looked.Middle.G, Blue: looked.Middle.B}}
}

// Columns are shapes, outline and tint as the database keeps them.
func (l *PictureFeatures) Columns() []any {
	shapes := make([]int64, len(l.Hashes))
	for i, v := range l.Hashes {
		shapes[i] = int64(v)
	}
	var outline []byte
	if l.EdgeMap != nil {
		outline = l.EdgeMap[:]
	}
	return []any{shapes, outline, int(l.MedianColour.Red)<<16 | int(l.MedianColour.Green)<<8 | int(l.MedianColour.Blue)}
}

func hashesFrom(list []int64) (s likeness.PerceptualHashes) {
	for i, v := range list[:min(len(list), len(s))] {
		s[i] = uint64(v)
	}
	return s
}

func pictureFrom(shapes []int64, outline []byte) likeness.Picture {
	p := likeness.Picture{Hashes: hashesFrom(shapes)}
	if len(outline) == len(likeness.EdgeMap{}) {
		p.EdgeMap = (*likeness.EdgeMap)(outline)
	}
	return p
}

// describedPictures are what the pictures of an offer are known by; its first is fetched where that was not done.
func (s *Service) describedPictures(ctx context.Context, offer int64) ([]likeness.Picture, error) {
	var urls []string
	if err := s.Pool.QueryRow(ctx, `select pictures from offer where id = $1`, offer).Scan(&urls); err != nil {
		return nil, err
	}
	known, err := s.KnownFeatures(ctx, urls)
	if err != nil || len(urls) == 0 {
		return nil, err
	}
	if _, there := known[urls[0]]; !there {
		waiting, cancel := context.WithTimeout(ctx, pictureTimeout)
		defer cancel()
		look, err := s.describe(waiting, urls[0])
		if err == nil {
			known[urls[0]] = look
			err = s.notifyDescribed(ctx, urls[0])
		}
		if err != nil && !errors.Is(err, pictures.ErrNone) && waiting.Err() == nil {
			return nil, err // without it the other evidence stands
		}
	}
	var out []likeness.Picture
	for _, url := range urls {
		if look, there := known[url]; there && look.EdgeMap != nil {
			out = append(out, look.Picture)
		}
	}
	return out[:min(len(out), maxSubjectPictures)], nil
}

// maxSubjectPictures is how many pictures of an offer are looked for at once.
const maxSubjectPictures = 2

// KnownFeatures reads what pictures are known by, of those that were looked at.
func (s *Service) KnownFeatures(ctx context.Context, urls []string) (map[string]PictureFeatures, error) {
	rows, err := s.Pool.Query(ctx, `select url, hashes, edge_map, median_colour from picture
		where url = any ($1) and hashes <> '{}'`, urls)
	if err != nil {
		return nil, err
	}
	out := map[string]PictureFeatures{}
	var url string
	var shapes []int64
	var outline []byte
	var tint int
	_, err = pgx.ForEachRow(rows, []any{&url, &shapes, &outline, &tint}, func() error {
		out[url] = PictureFeatures{pictureFrom(shapes, outline),
			likeness.MedianColour{Red: uint8(tint >> 16), Green: uint8(tint >> 8), Blue: uint8(tint)}}
		shapes, outline = nil, nil
		return nil
	})
	return out, err
}

// maxColourPictures is how many pictures of an offer are fetched for their colours at once.
const maxColourPictures = 16

// MedianColours are the colours of the middle of an offer's pictures, by place, as far as they can be had soon.
func (s *Service) MedianColours(ctx context.Context, offer int64) (map[int]likeness.MedianColour, error) {
	var urls []string
	if err := s.Pool.QueryRow(ctx, `select pictures from offer where id = $1`, offer).Scan(&urls); err != nil {
		return nil, err
	}
	known, err := s.KnownFeatures(ctx, urls)
	if err != nil {
		return nil, err
	}
	waiting, cancel := context.WithTimeout(ctx, pictureTimeout)
	defer cancel()
	out := map[int]likeness.MedianColour{}
	for place, url := range urls {
		look, there := known[url]
		if !there && place < maxColourPictures && waiting.Err() == nil {
			look, err = s.describe(waiting, url)
			if err != nil && !errors.Is(err, pictures.ErrNone) && waiting.Err() == nil {
				return nil, err
			}
			if there = err == nil; there && place == 0 { // what the item is found elsewhere by
				if err := s.notifyDescribed(ctx, url); err != nil {
					return nil, err
				}
			}
		}
		if there && look.EdgeMap != nil {
			out[place] = look.MedianColour
		}
	}
	return out, nil
}
