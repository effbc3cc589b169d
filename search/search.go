// Package search finds offers: it answers the catalog's sentence from an index in the process, which follows the
// database, and shows an offer in full. It owns what is saved of searching.
package search

import (
	"context"
	"errors"
	"log/slog"
	"sync"
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5/pgxpool"

	"plainpelican/offers"
	"plainpelican/platform/throttle"
	"plainpelican/pricing"
)

// Service answers the catalog's sentence.
type Service struct {
	pool     *pgxpool.Pool
	pricing  *pricing.Service
	offers   *offers.Service
	drafts   Drafts
	throttle *throttle.Throttle
	log      *slog.Logger

	now      atomic.Pointer[indexState]
	building sync.Mutex
	synonyms atomic.Pointer[cachedSynonyms]
	skipped  sync.Map // ids of offers that cannot be read and are not in the index, to the reason
	failing  atomic.Pointer[indexFailure]
}

// New makes the service. Its index is built by Follow or Refresh.
func New(pool *pgxpool.Pool, prices *pricing.Service, supply *offers.Service, drafts Drafts,
	background *throttle.Throttle, log *slog.Logger) *Service {
	return &Service{pool: pool, pricing: prices, offers: supply, drafts: drafts, throttle: background, log: log}
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

// Drafts is what must be known of the Workbench.
type Drafts interface {
	// DraftsOf maps offers to the drafts that were made of them.
	DraftsOf(ctx context.Context, offers []int64) (map[int64][]int64, error)
}
