package media

import (
	"errors"
	"io/fs"
	"net/http"

	"github.com/go-chi/chi/v5"

	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/platform/blobs"
	"plainpelican/platform/database"
	"plainpelican/platform/pictures"
)

// Register adds the operations.
func (s *Service) Register(a *apikit.API) {
	a.Raw(access.OrderHandler, http.MethodGet, "/pictures/{hash}", s.serveByHash)
}

// serveByHash serves a picture that was fetched. Other files that are kept by their hash are none.
func (s *Service) serveByHash(w http.ResponseWriter, r *http.Request) {
	hash := chi.URLParam(r, "hash")
	var known bool
	err := s.pool.QueryRow(r.Context(), `select exists (select from picture where hash = $1)
		or exists (select from facts.uploaded_picture where hash = $1)`, hash).Scan(&known)
	var content []byte
	if err == nil && !known {
		err = pictures.ErrNone
	}
	if err == nil {
		if content, err = s.blobs.Get(hash); errors.Is(err, fs.ErrNotExist) {
			err = pictures.ErrNone
		}
	}
	s.Serve(w, r, hash, content, err)
}

// Serve answers with a picture that was got, scaled to the width that is asked for, or says why there is none.
func (s *Service) Serve(w http.ResponseWriter, r *http.Request, hash string, content []byte, err error) {
	if err == nil {
		if width := widths[r.URL.Query().Get("w")]; width > 0 {
			content, err = s.scaled(hash, content, width)
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
				s.log.Error("serving a picture", "error", err)
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
