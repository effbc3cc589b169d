package offers

import (
	"context"
	"fmt"
	"net/http"
	"strconv"

	"github.com/go-chi/chi/v5"

	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/platform/pictures"
)

// PicturePath is where a picture of an offer is served, by its index in the offer's list.
func PicturePath(offer int64, index int) string { return fmt.Sprintf("/pictures/%d/%d", offer, index) }

func (s *Service) servePicture(w http.ResponseWriter, r *http.Request) {
	offer, err := strconv.ParseInt(chi.URLParam(r, "offer"), 10, 64)
	index, err2 := strconv.Atoi(chi.URLParam(r, "index"))
	if err != nil || err2 != nil {
		http.NotFound(w, r)
		return
	}
	hash, content, err := s.picture(r.Context(), offer, index)
	s.media.Serve(w, r, hash, content, err)
}

func (s *Service) picture(ctx context.Context, offer int64, index int) (hash string, content []byte, err error) {
	var url string
	err = s.pool.QueryRow(ctx, `select pictures[$2 + 1] from offer
		where id = $1 and cardinality(pictures) > $2 and $2 >= 0`, offer, index).Scan(&url)
	if database.Missing(err) {
		return "", nil, pictures.ErrNone
	}
	if err != nil {
		return "", nil, err
	}
	return s.media.PictureAt(ctx, url)
}

// Register adds the operations.
func (s *Service) Register(a *apikit.API) {
	apikit.Register(a, access.Fulfiller, http.MethodGet, "/api/offers/{id}/versions", "offerVersions",
		"What an offer said before it changed",
		func(ctx context.Context, in *apikit.ByID) (*apikit.Body[[]Version], error) {
			return apikit.OK(s.Versions(ctx, in.ID))
		})
	a.Raw(access.Fulfiller, http.MethodGet, "/pictures/{offer}/{index}", s.servePicture)
}
