package media

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"
	"sync"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"plainpelican/connect/source"
	"plainpelican/platform/database"
	"plainpelican/platform/jobs"
	"plainpelican/platform/outgoing"
	"plainpelican/platform/pictures"
)

// PictureAt returns the picture at an address and its SHA-256. It is fetched once and kept, so that it outlives its
// deletion there. The error is a pictures.ErrNone where there is none to be had.
func (s *Service) PictureAt(ctx context.Context, url string) (hash string, content []byte, err error) {
	if kept, ours := strings.CutPrefix(url, source.KeptPicture); ours {
		content, err = s.blobs.Get(kept)
		return kept, content, err
	}
	one, _ := s.fetching.LoadOrStore(url, &sync.Mutex{})
	one.(*sync.Mutex).Lock()
	defer one.(*sync.Mutex).Unlock()
	var reason string
	err = s.pool.QueryRow(ctx, `select hash, error from picture
		where url = $1 and (hash <> '' or fetched_at > now() - interval '10 minutes')`, url).Scan(&hash, &reason)
	if err == nil && hash == "" {
		return "", nil, fmt.Errorf("%w: %s", pictures.ErrNone, reason) // not asked for again so soon
	}
	if err == nil {
		if content, err = s.blobs.Get(hash); err == nil {
			return hash, content, nil
		}
	} else if !database.Missing(err) {
		return "", nil, err
	}
	return s.fetch(ctx, url)
}

// SilentError is that a picture's server did not answer: it is a pictures.ErrNone, for now.
type SilentError struct{ cause error }

func (e *SilentError) Error() string        { return "its server does not answer" }
func (e *SilentError) Unwrap() error        { return e.cause }
func (e *SilentError) Is(target error) bool { return target == pictures.ErrNone }

func (s *Service) fetch(ctx context.Context, url string) (string, []byte, error) {
	// Somebody who turns the page does not stop the fetching: the picture is kept for the next.
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), fetchTimeout)
	defer cancel()
	answer, err := s.client.Do(ctx, outgoing.Request{Method: http.MethodGet, URL: url, Repeatable: true,
		MaxBytes: pictures.MaxBytes})
	if err != nil {
		return "", nil, &SilentError{err}
	}
	reason := ""
	width, height, err := pictures.Check(bytes.NewReader(answer.Body))
	switch {
	case answer.Status != http.StatusOK:
		reason = fmt.Sprintf("its server answers %d", answer.Status)
	case err != nil:
		reason = err.Error()
	}
	hash := ""
	if reason == "" {
		if hash, err = s.blobs.Put(answer.Body); err != nil {
			return "", nil, err
		}
	}
	_, err = s.pool.Exec(ctx, `
		insert into picture (url, hash, width, height, error) values ($1, $2, $3, $4, $5)
		on conflict (url) do update set hash = excluded.hash, width = excluded.width, height = excluded.height,
			error = excluded.error, fetched_at = now()`,
		url, hash, width, height, reason)
	if err == nil && reason != "" {
		err = fmt.Errorf("%w: %s", pictures.ErrNone, reason)
	}
	return hash, answer.Body, err
}

// scaled returns a picture in a width of so many pixels, made once and kept.
func (s *Service) scaled(hash string, content []byte, width int) ([]byte, error) {
	key := fmt.Sprintf("%s-%d", hash, width)
	if small, err := s.blobs.Get(key); err == nil {
		return small, nil
	}
	small, err := pictures.Scale(content, width, false)
	if err != nil {
		return nil, fmt.Errorf("%w: %w", pictures.ErrNone, err)
	}
	return small, s.blobs.PutAs(key, small)
}

// FetchArgs is the job that fetches pictures, so that they are there when their suppliers have deleted them.
type FetchArgs struct{ URLs []string }

// Kind names the job.
func (FetchArgs) Kind() string { return "fetch_pictures" }

// InsertOpts puts it into its queue.
func (FetchArgs) InsertOpts() river.InsertOpts { return river.InsertOpts{Queue: "picture"} }

// Work adds the worker.
func (s *Service) Work(r *jobs.Runner) {
	jobs.Handle(r, func(ctx context.Context, job *river.Job[FetchArgs]) error { return s.fetchAll(ctx, job.Args.URLs) })
}

// Fetch has pictures fetched once the transaction is through.
func (s *Service) Fetch(ctx context.Context, tx pgx.Tx, urls []string) error {
	for part := range slices.Chunk(urls, fetchBatch) {
		if err := s.jobs.Add(ctx, tx, FetchArgs{part}, nil); err != nil {
			return err
		}
	}
	return nil
}

// fetchAll fetches pictures and makes the sizes that the screens show. One that cannot be had is said where it is
// shown; it is no failure of ours.
func (s *Service) fetchAll(ctx context.Context, urls []string) error {
	for _, url := range urls {
		hash, content, err := s.PictureAt(ctx, url)
		if ctx.Err() != nil {
			return ctx.Err()
		}
		for _, width := range widths {
			if err == nil {
				_, err = s.scaled(hash, content, width)
			}
		}
		if err != nil && !errors.Is(err, pictures.ErrNone) {
			return err
		}
	}
	return nil
}

// SaveUploaded keeps a picture that a person sent as a file, as a JPEG of at most a width in pixels.
// Its error is a clause that says why it cannot be used.
func (s *Service) SaveUploaded(file string, width int) (hash string, err error) {
	data, err := s.ReadUploaded(file, width)
	if err != nil {
		return "", err
	}
	return s.blobs.Put(data)
}

// ReadUploaded is SaveUploaded for who keeps the JPEG elsewhere.
func (s *Service) ReadUploaded(file string, width int) ([]byte, error) {
	content, err := s.blobs.Open(file)
	if err != nil {
		return nil, errors.New("it did not arrive")
	}
	defer func() { _ = content.Close() }()
	if _, _, err := pictures.Check(content); err != nil {
		return nil, err
	}
	if _, err := content.Seek(0, io.SeekStart); err != nil {
		return nil, err
	}
	data, err := io.ReadAll(io.LimitReader(content, pictures.MaxBytes))
	if err != nil {
		return nil, err
	}
	return pictures.Scale(data, width, true)
}

// Picture is what is known of the picture at an address: the hash once it was fetched, or why it cannot be had.
type Picture struct{ Hash, Reason string }

// Known tells what is known of pictures, by address; those that were never asked for are not in it.
func (s *Service) Known(ctx context.Context, db database.Querier, urls []string) (map[string]Picture, error) {
	known := map[string]Picture{}
	if len(urls) == 0 {
		return known, nil
	}
	rows, err := db.Query(ctx, `select url, hash, error from picture where url = any ($1)`, urls)
	if err != nil {
		return nil, err
	}
	var url string
	var p Picture
	_, err = pgx.ForEachRow(rows, []any{&url, &p.Hash, &p.Reason}, func() error { known[url] = p; return nil })
	for _, url := range urls {
		if kept, ours := strings.CutPrefix(url, source.KeptPicture); ours {
			known[url] = Picture{Hash: kept}
		}
	}
	return known, err
}
