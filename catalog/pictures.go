package catalog

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"plainpelican/connect/source"
	"plainpelican/platform/apikit"
	"plainpelican/platform/blobs"
	"plainpelican/platform/database"
	"plainpelican/platform/jobs"
	"plainpelican/platform/outgoing"
	"plainpelican/platform/pictures"
)

// Picture returns a picture of an offer as its source gave it, and its SHA-256. It is
// fetched once and kept, so it outlives the supplier's deletion.
func (s *Service) Picture(ctx context.Context, offer int64, place int) (hash string, content []byte, err error) {
	var url string
	err = s.Pool.QueryRow(ctx, `select pictures[$2 + 1] from offer
		where id = $1 and cardinality(pictures) > $2 and $2 >= 0`, offer, place).Scan(&url)
	if database.Missing(err) {
		return "", nil, pictures.ErrNone
	}
	if err != nil {
		return "", nil, err
	}
	return s.PictureAt(ctx, url)
}

// PictureAt returns the picture at an address, as Picture does.
func (s *Service) PictureAt(ctx context.Context, url string) (hash string, content []byte, err error) {
	if kept, ours := strings.CutPrefix(url, source.KeptPicture); ours {
		content, err = s.Blobs.Get(kept)
		return kept, content, err
	}
	one, _ := s.fetching.LoadOrStore(url, &sync.Mutex{})
	one.(*sync.Mutex).Lock()
	defer one.(*sync.Mutex).Unlock()
	var trouble string
	err = s.Pool.QueryRow(ctx, `select hash, error from picture
		where url = $1 and (hash <> '' or fetched_at > now() - interval '10 minutes')`, url).Scan(&hash, &trouble)
	if err == nil && hash == "" {
		return "", nil, fmt.Errorf("%w: %s", pictures.ErrNone, trouble) // not asked for again so soon
	}
	if err == nil {
		if content, err = s.Blobs.Get(hash); err == nil {
			return hash, content, nil
		}
	} else if !database.Missing(err) {
		return "", nil, err
	}
	return s.fetch(ctx, url)
}

// silentError is that a picture's server did not answer: it is a pictures.ErrNone, for now.
type silentError struct{ why error }

func (e *silentError) Error() string        { return "its server does not answer" }
func (e *silentError) Unwrap() error        { return e.why }
func (e *silentError) Is(target error) bool { return target == pictures.ErrNone }

func (s *Service) fetch(ctx context.Context, url string) (string, []byte, error) {
	// Somebody who turns the page does not stop the fetching: the picture is kept for the next.
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), 30*time.Second)
	defer cancel()
	answer,
		err := s.Client.Do(ctx,
		outgoing.Request{Method: http.MethodGet, URL: url, Repeatable: true, MaxBytes: pictures.MaxBytes})
	if err != nil {
		return "", nil, &silentError{err}
	}
	trouble := ""
	width, height, err := pictures.Check(bytes.NewReader(answer.Body))
	switch {
	case answer.Status != http.StatusOK:
		trouble = fmt.Sprintf("its server answers %d", answer.Status)
	case err != nil:
		trouble = err.Error()
	}
	hash := ""
	if trouble == "" {
		if hash, err = s.Blobs.Put(answer.Body); err != nil {
			return "", nil, err
		}
	}
	_, err = s.Pool.Exec(ctx, `
		insert into picture (url, hash, width, height, error) values ($1, $2, $3, $4, $5)
		on conflict (url) do update set hash = excluded.hash, width = excluded.width, height = excluded.height,
		error = excluded.error, fetched_at = now()`,
		url, hash, width, height, trouble)
	if err == nil && trouble != "" {
		err = fmt.Errorf("%w: %s", pictures.ErrNone, trouble)
	}
	return hash, answer.Body, err
}

// sized returns a picture scaled to a width, made once and kept.
func (s *Service) sized(hash string, content []byte, width int) ([]byte, error) {
	key := fmt.Sprintf("%s-%d", hash, width)
	if small, err := s.Blobs.Get(key); err == nil {
		return small, nil
	}
	small, err := pictures.Scale(content, width, false)
	if err != nil {
		return nil, fmt.Errorf("%w: %w", pictures.ErrNone, err)
	}
	return small, s.Blobs.PutAs(key, small)
}

// FetchPicturesArgs is the job that fetches the pictures of offers that were taken, so that they are
// there when their suppliers have deleted them.
type FetchPicturesArgs struct{ Offers []int64 }

// Kind names the job.
func (FetchPicturesArgs) Kind() string { return "fetch_pictures" }

// InsertOpts puts it into its queue.
func (FetchPicturesArgs) InsertOpts() river.InsertOpts { return river.InsertOpts{Queue: "picture"} }

// Work adds the worker.
func (s *Service) Work(r *jobs.Runner) {
	jobs.Handle(r, func(ctx context.Context, job *river.Job[FetchPicturesArgs]) error {
		return s.fetchAll(ctx, job.Args.Offers)
	})
	jobs.Handle(r, func(ctx context.Context, _ *river.Job[DescribePicturesArgs]) error {
		return s.DescribePictures(ctx)
	})
}

// fetchBatch is how many offers' pictures one job fetches.
const fetchBatch = 2

// FetchPictures has the pictures of offers fetched, once the transaction is through.
func (s *Service) FetchPictures(ctx context.Context, tx pgx.Tx, offers []int64) error {
	for part := range slices.Chunk(offers, fetchBatch) {
		if err := s.Jobs.Add(ctx, tx, FetchPicturesArgs{part}, nil); err != nil {
			return err
		}
	}
	return nil
}

// fetchAll fetches all pictures of offers and makes the sizes that lists show. A picture that
// cannot be had is said where it is shown; it is no failure of ours.
func (s *Service) fetchAll(ctx context.Context, offers []int64) error {
	for _, offer := range offers {
		for place := 0; ; place++ {
			hash, content, err := s.Picture(ctx, offer, place)
			if err == pictures.ErrNone { // past the last
				break
			}
			if ctx.Err() != nil {
				return ctx.Err()
			}
			for _, width := range widths {
				if err == nil {
					_, err = s.sized(hash, content, width)
				}
			}
			if err != nil && !errors.Is(err, pictures.ErrNone) {
				return err
			}
		}
	}
	return nil
}

// SaveUploadedPicture keeps a picture that a person sent as a file, as a JPEG of at most a width in pixels.
// Its error is a clause that says why it cannot be used.
func (s *Service) SaveUploadedPicture(file string, width int) (hash string, err error) {
	content, err := s.Blobs.Open(file)
	if err != nil {
		return "", errors.New("it did not arrive")
	}
	defer func() { _ = content.Close() }()
	if _, _, err := pictures.Check(content); err != nil {
		return "", err
	}
	if _, err := content.Seek(0, io.SeekStart); err != nil {
		return "", err
	}
	whole, err := io.ReadAll(io.LimitReader(content, pictures.MaxBytes))
	if err == nil {
		whole, err = pictures.Scale(whole, width, true)
	}
	if err != nil {
		return "", err
	}
	return s.Blobs.Put(whole)
}

var widths = map[string]int{"96": 96, "400": 400, "800": 800}

func (s *Service) servePicture(w http.ResponseWriter, r *http.Request) {
	offer, err := strconv.ParseInt(chi.URLParam(r, "offer"), 10, 64)
	place, err2 := strconv.Atoi(chi.URLParam(r, "place"))
	if err != nil || err2 != nil {
		http.NotFound(w, r)
		return
	}
	hash, content, err := s.Picture(r.Context(), offer, place)
	s.ServePicture(w, r, hash, content, err)
}

// ServePicture answers with a picture that was got, scaled to the width that is asked for.
func (s *Service) ServePicture(w http.ResponseWriter, r *http.Request, hash string, content []byte, err error) {
	if err == nil {
		if width := widths[r.URL.Query().Get("w")]; width > 0 {
			content, err = s.sized(hash, content, width)
		}
	}
	if err != nil {
		switch {
		case errors.Is(err, pictures.ErrNone):
			apikit.WriteProblem(w, http.StatusNotFound, "", apikit.Sentence(err))
		case blobs.Fault(err):
			apikit.WriteProblem(w, http.StatusInsufficientStorage, "", apikit.Sentence(err))
		case database.Away(err):
			apikit.WriteProblem(w, http.StatusServiceUnavailable, "", apikit.DatabaseAway)
		default:
			if r.Context().Err() == nil {
				s.Log.Error("serving a picture", "error", err)
			}
			apikit.WriteProblem(w, http.StatusInternalServerError, "", apikit.OurSide)
		}
		return
	}
	w.Header().Set("Content-Type", http.DetectContentType(content))
	w.Header().Set("Cache-Control", "private, max-age=86400")
	w.Header().Set("ETag", `"`+hash+r.URL.Query().Get("w")+`"`)
	if r.Header.Get("If-None-Match") == w.Header().Get("ETag") {
		w.WriteHeader(http.StatusNotModified)
		return
	}
	_, _ = w.Write(content)
}
