package matching

import (
	"context"
	"errors"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"plainpelican/core/likeness"
	"plainpelican/media"
	"plainpelican/platform/jobs"
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

// DescribePictures looks at the first pictures of offers, those that sold most last week first, until so many are
// known or its time is over.
func (s *Service) DescribePictures(ctx context.Context, wanted int) error {
	ctx, cancel := context.WithTimeout(ctx, describeDuration)
	defer cancel()
	silent := 0
	for ctx.Err() == nil {
		var known int
		if err := s.pool.QueryRow(ctx, `select count(*) from facts.picture
			where hashes <> '{}'`).Scan(&known); err != nil || known >= wanted {
			return ignoreDeadline(ctx, err)
		}
		rows, err := s.pool.Query(ctx, `
			select o.pictures[1] from facts.offer o join facts.source x on x.id = o.source_id and x.state = 'connected'
			left join facts.picture p on p.url = o.pictures[1]
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
		urls = urls[:min(len(urls), wanted-known)]
		var seen []string
		for i, url := range urls {
			_, err := s.media.Describe(ctx, url)
			var silence *media.SilentError
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
				if err := s.offers.NotifyPictures(context.WithoutCancel(ctx), seen...); err != nil {
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

// ignoreDeadline is an error, unless it is that the time is over.
func ignoreDeadline(ctx context.Context, err error) error {
	if errors.Is(ctx.Err(), context.DeadlineExceeded) {
		return nil
	}
	return err
}

// describedPictures are what the pictures of an offer are known by; its first is fetched where that was not done.
func (s *Service) describedPictures(ctx context.Context, offer int64) ([]likeness.Picture, error) {
	var urls []string
	if err := s.pool.QueryRow(ctx, `select pictures from facts.offer where id = $1`, offer).Scan(&urls); err != nil {
		return nil, err
	}
	known, err := s.media.DescribeSoon(ctx, urls, 1) // without it the other evidence stands
	if err != nil {
		return nil, err
	}
	var out []likeness.Picture
	for _, url := range urls {
		if f, there := known[url]; there && f.EdgeMap != nil {
			out = append(out, f.Picture)
		}
	}
	return out[:min(len(out), maxSubjectPictures)], nil
}

// maxSubjectPictures is how many pictures of an offer are looked for at once.
const maxSubjectPictures = 2

// Work adds the worker.
func (s *Service) Work(r *jobs.Runner) {
	jobs.Handle(r, func(ctx context.Context, _ *river.Job[DescribePicturesArgs]) error {
		return s.DescribePictures(ctx, s.maxDescribed)
	})
}
