package catalog

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"image"
	_ "image/gif" // pictures may be GIF
	"image/jpeg"
	_ "image/png" // or PNG
	"io"
	"net/http"
	"strconv"
	"sync"
	"time"

	"github.com/go-chi/chi/v5"
	"golang.org/x/image/draw"
	_ "golang.org/x/image/webp" // or WebP

	"plainpelican/platform/database"
	"plainpelican/platform/outgoing"
)

const (
	mostPictureBytes  = 20 << 20
	mostPicturePixels = 40_000_000
)

// ErrNoPicture is returned for a picture that is not there or is not one; its text says why.
var ErrNoPicture = errors.New("there is no such picture")

// decoding limits how many pictures are held decoded at once.
var decoding = make(chan struct{}, 2)

// Picture returns a picture of an offer as its source gave it, and its SHA-256. It is
// fetched once and kept, so it outlives the supplier's deletion.
func (s *Service) Picture(ctx context.Context, offer int64, place int) (hash string, content []byte, err error) {
	var url string
	err = s.Pool.QueryRow(ctx, `select pictures[$2 + 1] from offer where id = $1 and cardinality(pictures) > $2 and $2 >= 0`, offer, place).Scan(&url)
	if database.Missing(err) {
		return "", nil, ErrNoPicture
	}
	if err != nil {
		return "", nil, err
	}
	return s.PictureAt(ctx, url)
}

// PictureAt returns the picture at an address, as Picture does.
func (s *Service) PictureAt(ctx context.Context, url string) (hash string, content []byte, err error) {
	one, _ := s.fetching.LoadOrStore(url, &sync.Mutex{})
	one.(*sync.Mutex).Lock()
	defer one.(*sync.Mutex).Unlock()
	var trouble string
	err = s.Pool.QueryRow(ctx, `select hash, trouble from picture where url = $1 and (hash <> '' or fetched_at > now() - interval '10 minutes')`, url).Scan(&hash, &trouble)
	if err == nil && hash == "" {
		return "", nil, fmt.Errorf("%w: %s", ErrNoPicture, trouble) // not asked for again so soon
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

func (s *Service) fetch(ctx context.Context, url string) (string, []byte, error) {
	// Somebody who turns the page does not stop the fetching: the picture is kept for the next.
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), 30*time.Second)
	defer cancel()
	answer, err := s.Client.Do(ctx, outgoing.Request{Method: http.MethodGet, URL: url, Repeatable: true, MostBytes: mostPictureBytes})
	if err != nil {
		return "", nil, fmt.Errorf("%w: %w", ErrNoPicture, err)
	}
	trouble := ""
	config, _, err := image.DecodeConfig(bytes.NewReader(answer.Body))
	switch {
	case answer.Status != http.StatusOK:
		trouble = fmt.Sprintf("its server answers %d", answer.Status)
	case err != nil:
		trouble = "what is there is not a picture"
	case tooLarge(config):
		trouble = fmt.Sprintf("it has %d by %d pixels, more than can be handled", config.Width, config.Height)
	}
	hash := ""
	if trouble == "" {
		if hash, err = s.Blobs.Put(answer.Body); err != nil {
			return "", nil, err
		}
	}
	_, err = s.Pool.Exec(ctx, `
		insert into picture (url, hash, width, height, trouble) values ($1, $2, $3, $4, $5)
		on conflict (url) do update set hash = excluded.hash, width = excluded.width, height = excluded.height, trouble = excluded.trouble, fetched_at = now()`,
		url, hash, config.Width, config.Height, trouble)
	if err == nil && trouble != "" {
		err = fmt.Errorf("%w: %s", ErrNoPicture, trouble)
	}
	return hash, answer.Body, err
}

// sized returns a picture scaled to a width, made once and kept.
func (s *Service) sized(hash string, content []byte, width int) ([]byte, error) {
	key := fmt.Sprintf("%s-%d", hash, width)
	if small, err := s.Blobs.Get(key); err == nil {
		return small, nil
	}
	small, err := scaled(content, width, false)
	if err != nil {
		return nil, err
	}
	return small, s.Blobs.PutAs(key, small)
}

// Given keeps a picture that a person sent as a file: a JPEG of at most a width. It returns
// an ErrNoPicture that says why where it is not one.
func (s *Service) Given(file string, width int) (hash string, err error) {
	content, err := s.Blobs.Open(file)
	if err != nil {
		return "", fmt.Errorf("%w: it did not arrive", ErrNoPicture)
	}
	defer func() { _ = content.Close() }()
	config, _, err := image.DecodeConfig(io.LimitReader(content, mostPictureBytes))
	switch {
	case err != nil:
		return "", fmt.Errorf("%w: what is there is not a picture", ErrNoPicture)
	case tooLarge(config):
		return "", fmt.Errorf("%w: it has %d by %d pixels, more than can be handled", ErrNoPicture, config.Width, config.Height)
	}
	if _, err := content.Seek(0, io.SeekStart); err != nil {
		return "", err
	}
	whole, err := io.ReadAll(io.LimitReader(content, mostPictureBytes))
	if err != nil {
		return "", err
	}
	if whole, err = scaled(whole, width, true); err != nil {
		return "", err
	}
	return s.Blobs.Put(whole)
}

func tooLarge(c image.Config) bool {
	return c.Width <= 0 || c.Height <= 0 || c.Width > mostPicturePixels/c.Height
}

// scaled is a picture scaled down to a width, as JPEG; one that is not wider is left as it
// is, unless it must be a JPEG all the same.
func scaled(content []byte, width int, always bool) ([]byte, error) {
	decoding <- struct{}{}
	defer func() { <-decoding }()
	full, _, err := image.Decode(bytes.NewReader(content))
	if err != nil {
		return nil, fmt.Errorf("%w: it cannot be read", ErrNoPicture)
	}
	b := full.Bounds()
	if b.Dx() <= width && !always {
		return content, nil
	}
	width = min(width, b.Dx())
	small := image.NewRGBA(image.Rect(0, 0, width, max(1, b.Dy()*width/b.Dx())))
	draw.Draw(small, small.Bounds(), image.White, image.Point{}, draw.Src)
	draw.ApproxBiLinear.Scale(small, small.Bounds(), full, b, draw.Over, nil)
	var out bytes.Buffer
	err = jpeg.Encode(&out, small, &jpeg.Options{Quality: 85})
	return out.Bytes(), err
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
		status := http.StatusInternalServerError
		if errors.Is(err, ErrNoPicture) {
			status = http.StatusNotFound
		}
		http.Error(w, err.Error(), status)
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
