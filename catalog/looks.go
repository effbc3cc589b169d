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

// AheadArgs is the job that looks at the first pictures of offers before anybody asks for them, so
// that an item is known elsewhere by its picture.
type AheadArgs struct{}

// Kind names the job.
func (AheadArgs) Kind() string { return "look_ahead" }

// InsertOpts puts it into its queue, once at a time.
func (AheadArgs) InsertOpts() river.InsertOpts {
	return river.InsertOpts{Queue: "picture", UniqueOpts: river.UniqueOpts{ByPeriod: 30 * time.Second}}
}

const (
	aheadFor   = 40 * time.Second // a job's share of a minute
	aheadAtOne = 1000             // offers chosen at once, those that sell most first
	aheadPart  = 20               // pictures that instances are told of at once
	mostSilent = 3                // servers that do not answer, before a job gives up until the next
)

// Ahead looks at the first pictures of offers, those that sold most last week first, until as many are
// known as are wanted or its time is over.
func (s *Service) Ahead(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, aheadFor)
	defer cancel()
	silent := 0
	for ctx.Err() == nil {
		var known int
		if err := s.Pool.QueryRow(ctx, `select count(*) from picture where shapes <> '{}'`).Scan(&known); err != nil || known >= s.PicturesAhead {
			return past(ctx, err)
		}
		rows, err := s.Pool.Query(ctx, `
			select o.pictures[1] from offer o join source x on x.id = o.source_id and x.state = 'connected' left join picture p on p.url = o.pictures[1]
			where o.withdrawn_at is null and cardinality(o.pictures) > 0 and (p.url is null or (p.hash <> '' and p.shapes = '{}'))
			order by o.weekly[cardinality(o.weekly)] desc nulls last, o.id limit $1`, aheadAtOne)
		if err != nil {
			return past(ctx, err)
		}
		list, err := pgx.CollectRows(rows, pgx.RowTo[string])
		if err != nil || len(list) == 0 {
			return past(ctx, err)
		}
		urls := list[:0]
		there := map[string]bool{}
		for _, url := range list {
			if !there[url] {
				there[url] = true
				urls = append(urls, url)
			}
		}
		urls = urls[:min(len(urls), s.PicturesAhead-known)]
		var seen []string
		for i, url := range urls {
			_, err := s.see(ctx, url)
			var silence *silentError
			switch {
			case err == nil:
				seen = append(seen, url)
			case ctx.Err() != nil:
			case errors.As(err, &silence):
				if silent++; silent == mostSilent {
					cancel()
				}
			case !errors.Is(err, pictures.ErrNone):
				return err
			}
			if len(seen) >= aheadPart || (len(seen) > 0 && (ctx.Err() != nil || i == len(urls)-1)) {
				// Those that were seen are told of though the time is over.
				if err := s.pictureSeen(context.WithoutCancel(ctx), seen...); err != nil {
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

// pictureSeen tells all instances which offers show pictures first that were looked at: as many as share them.
func (s *Service) pictureSeen(ctx context.Context, urls ...string) error {
	rows, err := s.Pool.Query(ctx, `select o.id from unnest($1::text[]) u join offer o on hashtextextended(o.pictures[1], 0) = hashtextextended(u, 0) and o.pictures[1] = u where o.withdrawn_at is null order by o.id`, urls)
	if err != nil {
		return err
	}
	offers, err := pgx.CollectRows(rows, pgx.RowTo[int64])
	if err != nil {
		return err
	}
	for part := range slices.Chunk(offers, changePart) {
		if err := logChange(ctx, s.Pool, nil, part); err != nil {
			return err
		}
	}
	return nil
}

// past is an error, unless it is that the time is over.
func past(ctx context.Context, err error) error {
	if errors.Is(ctx.Err(), context.DeadlineExceeded) {
		return nil
	}
	return err
}

// see looks at the picture at an address and keeps what it is known by.
func (s *Service) see(ctx context.Context, url string) (Look, error) {
	var look Look
	hash, content, err := s.PictureAt(ctx, url)
	if err != nil {
		return look, err
	}
	if err := s.Turns.Do(ctx, func() error {
		look = Seen(content)
		return nil
	}); err != nil {
		return look, err
	}
	if _, err := s.sized(hash, content, widths["96"]); err != nil && !errors.Is(err, pictures.ErrNone) {
		return look, err
	}
	_, err = s.Pool.Exec(ctx, `insert into picture (url, hash, shapes, outline, tint) values ($1, $2, $3, $4, $5)
		on conflict (url) do update set shapes = excluded.shapes, outline = excluded.outline, tint = excluded.tint`, append([]any{url, hash}, look.Columns()...)...)
	return look, err
}

// Look is what a picture is known by.
type Look struct {
	likeness.Picture
	Tint likeness.Tint
}

// Seen is what a picture is known by; nothing for one that cannot be read.
func Seen(content []byte) Look {
	looked, err := pictures.See(content)
	if err != nil {
		return Look{}
	}
	return Look{likeness.PictureOf(looked.Gray, looked.Width, looked.Height), likeness.Tint{Red: looked.Middle.R, Green: looked.Middle.G, Blue: looked.Middle.B}}
}

// Columns are shapes, outline and tint as the database keeps them.
func (l *Look) Columns() []any {
	shapes := make([]int64, len(l.Shapes))
	for i, v := range l.Shapes {
		shapes[i] = int64(v)
	}
	var outline []byte
	if l.Outline != nil {
		outline = l.Outline[:]
	}
	return []any{shapes, outline, int(l.Tint.Red)<<16 | int(l.Tint.Green)<<8 | int(l.Tint.Blue)}
}

func shapesFrom(list []int64) (s likeness.Shapes) {
	for i, v := range list[:min(len(list), len(s))] {
		s[i] = uint64(v)
	}
	return s
}

func pictureFrom(shapes []int64, outline []byte) likeness.Picture {
	p := likeness.Picture{Shapes: shapesFrom(shapes)}
	if len(outline) == len(likeness.Outline{}) {
		p.Outline = (*likeness.Outline)(outline)
	}
	return p
}

// looks are what the pictures of an offer are known by; its first is fetched where that was not done.
func (s *Service) looks(ctx context.Context, offer int64) ([]likeness.Picture, error) {
	var urls []string
	if err := s.Pool.QueryRow(ctx, `select pictures from offer where id = $1`, offer).Scan(&urls); err != nil {
		return nil, err
	}
	known, err := s.Looked(ctx, urls)
	if err != nil || len(urls) == 0 {
		return nil, err
	}
	if _, there := known[urls[0]]; !there {
		waiting, cancel := context.WithTimeout(ctx, patience)
		defer cancel()
		look, err := s.see(waiting, urls[0])
		if err == nil {
			known[urls[0]] = look
			err = s.pictureSeen(ctx, urls[0])
		}
		if err != nil && !errors.Is(err, pictures.ErrNone) && waiting.Err() == nil {
			return nil, err // without it the other evidence stands
		}
	}
	var out []likeness.Picture
	for _, url := range urls {
		if look, there := known[url]; there && look.Outline != nil {
			out = append(out, look.Picture)
		}
	}
	return out[:min(len(out), mostLooks)], nil
}

// mostLooks is how many pictures of an offer are looked for at once.
const mostLooks = 2

// Looked reads what pictures are known by, of those that were looked at.
func (s *Service) Looked(ctx context.Context, urls []string) (map[string]Look, error) {
	rows, err := s.Pool.Query(ctx, `select url, shapes, outline, tint from picture where url = any ($1) and shapes <> '{}'`, urls)
	if err != nil {
		return nil, err
	}
	out := map[string]Look{}
	var url string
	var shapes []int64
	var outline []byte
	var tint int
	_, err = pgx.ForEachRow(rows, []any{&url, &shapes, &outline, &tint}, func() error {
		out[url] = Look{pictureFrom(shapes, outline), likeness.Tint{Red: uint8(tint >> 16), Green: uint8(tint >> 8), Blue: uint8(tint)}}
		shapes, outline = nil, nil
		return nil
	})
	return out, err
}

// mostTints is how many pictures of an offer are fetched for their colours at once.
const mostTints = 16

// Tints are the colours of the middle of an offer's pictures, by place, as far as they can be had soon.
func (s *Service) Tints(ctx context.Context, offer int64) (map[int]likeness.Tint, error) {
	var urls []string
	if err := s.Pool.QueryRow(ctx, `select pictures from offer where id = $1`, offer).Scan(&urls); err != nil {
		return nil, err
	}
	known, err := s.Looked(ctx, urls)
	if err != nil {
		return nil, err
	}
	waiting, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	out := map[int]likeness.Tint{}
	for place, url := range urls {
		look, there := known[url]
		if !there && place < mostTints && waiting.Err() == nil {
			look, err = s.see(waiting, url)
			if err != nil && !errors.Is(err, pictures.ErrNone) && waiting.Err() == nil {
				return nil, err
			}
			if there = err == nil; there && place == 0 { // what the item is found elsewhere by
				if err := s.pictureSeen(ctx, url); err != nil {
					return nil, err
				}
			}
		}
		if there && look.Outline != nil {
			out[place] = look.Tint
		}
	}
	return out, nil
}
