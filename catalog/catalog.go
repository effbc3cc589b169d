package catalog

import (
	"context"
	"errors"
	"log/slog"
	"sync"
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5/pgxpool"

	"plainpelican/connect/page"
	"plainpelican/media"
	"plainpelican/platform/blobs"
	"plainpelican/platform/jobs"
	"plainpelican/platform/throttle"
	"plainpelican/pricing"
)

// Service is the catalog capability.
type Service struct {
	Pool     *pgxpool.Pool
	Pricing  *pricing.Service
	Blobs    *blobs.Folder
	Media    *media.Service
	Drafts   DraftLookup
	Jobs     *jobs.Runner
	Log      *slog.Logger
	Throttle *throttle.Throttle
	// MaxDescribed is how many pictures are looked at before anybody asks for them.
	MaxDescribed int
	// ShowLink reads what a link shows: a product on a page, or a picture. Its error is a clause that says why it
	// cannot.
	ShowLink func(ctx context.Context, link string) (page.Shown, error)

	now      atomic.Pointer[indexState]
	building sync.Mutex
	synonyms atomic.Pointer[cachedSynonyms]
	skipped  sync.Map // ids of offers that cannot be read and are not in the index, to the reason
	failing  atomic.Pointer[indexFailure]
}

// indexFailure is since when the index cannot follow the database, and why.
type indexFailure struct {
	since time.Time
	err   error
}

// maxIndexFailure is how long an index may fail to follow before its instance is not ready.
const maxIndexFailure = 30 * time.Second

// Ready tells whether questions can be answered, and how many offers cannot be read and are left
// out. Its error is a sentence.
func (s *Service) Ready() (skipped int, err error) {
	s.skipped.Range(func(_, _ any) bool { skipped++; return true })
	switch failing := s.failing.Load(); {
	case s.now.Load() == nil:
		return skipped, errors.New("the catalog is being indexed")
	case failing != nil && time.Since(failing.since) > maxIndexFailure:
		return skipped, errors.New("the catalog's index cannot follow the database")
	}
	return skipped, nil
}

// DraftLookup is what the catalog must know of the workbench.
type DraftLookup interface {
	// DraftsOf maps offers to the drafts that were made of them.
	DraftsOf(ctx context.Context, offers []int64) (map[int64][]int64, error)
	// CollectionsAndTags lists the collections and tags that drafts have.
	CollectionsAndTags(ctx context.Context) (collections, tags []string, err error)
}
