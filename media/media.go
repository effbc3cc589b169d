// Package media fetches the pictures that offers show, keeps them by their hash, describes what they are known by, and
// serves them in the sizes that the screens show.
package media

import (
	"context"
	"log/slog"
	"sync"
	"time"

	"github.com/jackc/pgx/v5/pgxpool"

	"plainpelican/platform/blobs"
	"plainpelican/platform/jobs"
	"plainpelican/platform/outgoing"
	"plainpelican/platform/throttle"
)

// Service is the media capability. New makes one.
type Service struct {
	pool     *pgxpool.Pool
	blobs    *blobs.Folder
	client   *outgoing.Client
	jobs     *jobs.Runner
	throttle *throttle.Throttle
	log      *slog.Logger

	fetching sync.Map // url to *sync.Mutex: a picture is fetched once at a time

	// OnDescribed is told of pictures that were described just now; nil is nobody.
	OnDescribed func(ctx context.Context, urls ...string) error
}

// New makes a service that fetches with a client and keeps pictures in a folder.
func New(pool *pgxpool.Pool, folder *blobs.Folder, client *outgoing.Client, runner *jobs.Runner,
	background *throttle.Throttle, log *slog.Logger) *Service {
	return &Service{pool: pool, blobs: folder, client: client, jobs: runner, throttle: background, log: log}
}

// Path is where a picture that was fetched is served.
func Path(hash string) string { return "/pictures/" + hash }

const (
	// fetchTimeout is the longest that a picture's server may take.
	fetchTimeout = 30 * time.Second
	// describeTimeout is how long describing some pictures may take while a person waits.
	describeTimeout = 3 * time.Second
	// maxColours is how many pictures are fetched for their colours at once.
	maxColours = 16
	// fetchBatch is how many pictures one job fetches.
	fetchBatch = 8
)

// widths are the widths in pixels that pictures are served in, by their names in the address.
var widths = map[string]int{"96": 96, "400": 400, "800": 800}
