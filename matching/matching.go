// Package matching finds the same item at other suppliers, by words, numbers, weights and pictures, and remembers what
// people decide of it.
package matching

import (
	"context"

	"github.com/jackc/pgx/v5/pgxpool"

	"plainpelican/connect/page"
	"plainpelican/media"
	"plainpelican/offers"
	"plainpelican/platform/blobs"
	"plainpelican/search"
)

// Service finds alternatives.
type Service struct {
	pool   *pgxpool.Pool
	search *search.Service
	offers *offers.Service
	media  *media.Service
	blobs  *blobs.Folder
	pages  Pages
	// maxDescribed is how many pictures are looked at before anybody asks for them.
	maxDescribed int
}

// Pages reads what a link shows.
type Pages interface {
	// ShowLink reads a product on a page, or a picture. Its error is a clause that says why it cannot.
	ShowLink(ctx context.Context, link string) (page.Shown, error)
}

// New makes the service, which looks at so many pictures before anybody asks for them.
func New(pool *pgxpool.Pool, find *search.Service, supply *offers.Service, pictures *media.Service,
	folder *blobs.Folder, pages Pages, maxDescribed int) *Service {
	return &Service{pool: pool, search: find, offers: supply, media: pictures, blobs: folder, pages: pages,
		maxDescribed: maxDescribed}
}
