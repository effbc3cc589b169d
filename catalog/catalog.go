package catalog

import (
	"context"
	"log/slog"
	"sync"
	"sync/atomic"

	"github.com/jackc/pgx/v5/pgxpool"

	"plainpelican/connect/source"
	"plainpelican/platform/blobs"
	"plainpelican/platform/jobs"
	"plainpelican/platform/outgoing"
	"plainpelican/platform/turns"
	"plainpelican/pricing"
)

// Service is the catalog capability.
type Service struct {
	Pool    *pgxpool.Pool
	Pricing *pricing.Service
	Blobs   *blobs.Folder
	Client  *outgoing.Client
	Bench   Bench
	Jobs    *jobs.Runner
	Log     *slog.Logger
	Turns   *turns.Turns
	// PicturesAhead is how many pictures are looked at before anybody asks for them.
	PicturesAhead int
	// ReadPage reads the product on a web page. Its error is a clause that says why it cannot.
	ReadPage func(ctx context.Context, link string) (source.Offer, error)

	now      atomic.Pointer[state]
	building sync.Mutex
	fetching sync.Map // url to *sync.Mutex: a picture is fetched once at a time
}

// Bench is what the catalog must know of the workbench.
type Bench interface {
	// Taken maps offers to the drafts that were made of them.
	Taken(ctx context.Context, offers []int64) (map[int64][]int64, error)
	// Groups lists the collections and tags that drafts have.
	Groups(ctx context.Context) (collections, tags []string, err error)
}
