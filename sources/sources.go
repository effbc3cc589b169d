// Package sources keeps the connections to supplier catalogs and takes their offers in.
package sources

import (
	"context"
	"errors"
	"log/slog"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"golang.org/x/text/language"
	"golang.org/x/text/message"

	"plainpelican/connect/pricelist"
	"plainpelican/connect/source"
	"plainpelican/offers"
	"plainpelican/platform/apikit"
	"plainpelican/platform/blobs"
	"plainpelican/platform/jobs"
	"plainpelican/platform/outgoing"
	"plainpelican/platform/progress"
	"plainpelican/platform/secrets"
	"plainpelican/platform/throttle"
)

// Prices is told where offers have changed.
type Prices interface {
	// RepriceChanged brings the prices of the drafts of a source's offers up to date, of those
	// offers that were updated at a time or later.
	RepriceChanged(ctx context.Context, tx pgx.Tx, sourceID int64, since time.Time, why string) error
}

// Service is the sources capability.
type Service struct {
	Pool      *pgxpool.Pool
	Connector source.Connector
	Box       *secrets.Box
	Jobs      *jobs.Runner
	Progress  *progress.Stream
	Offers    *offers.Service
	Blobs     *blobs.Folder
	Log       *slog.Logger
	Throttle  *throttle.Throttle

	// RetryDelay is how long an import waits before it asks a source again that has failed, doubled each
	// time; Retries how often it does.
	RetryDelay time.Duration
	Retries    int

	sessions sync.Map // source id to *openSession
	Prices   Prices
}

// Source is a connection as people see it. Its secret never leaves the server.
type Source struct {
	ID               int64             `json:"id"`
	Kind             Kind              `json:"kind" enum:"marketplace,price list,catalogue document,pages"`
	Name             string            `json:"name"`
	Address          string            `json:"address" doc:"Empty where its files are uploaded"`
	ClientID         string            `json:"client_id"`
	State            string            `json:"state" enum:"connected,disconnected"`
	Error            string            `json:"error" doc:"What is wrong; empty where nothing is"`
	ConnectedAt      time.Time         `json:"connected_at"`
	Paused           bool              `json:"paused" doc:"No import starts by itself"`
	Schedule         string            `json:"schedule" doc:"RFC 5545 recurrence rule; empty is by hand"`
	TimeZone         string            `json:"time_zone" doc:"IANA time zone of the rule"`
	NextAt           *time.Time        `json:"next_at"`
	FullImportAt     *time.Time        `json:"full_import_at" doc:"When everything that it has was last compared"`
	MaxWithdrawn     int               `json:"max_withdrawn" doc:"Percent of offers, without approval"`
	MaxRepriced      int               `json:"max_repriced" doc:"Percent of costs, without approval"`
	MaxCostFactor    int               `json:"max_cost_factor" doc:"A larger move needs approval"`
	Layout           *pricelist.Layout `json:"layout,omitempty" doc:"How its file is read, where it is a price list"`
	TakesRequests    bool              `json:"takes_requests" doc:"Passes quote requests on"`
	OrderAddress     string            `json:"order_address" doc:"Where it takes UBL orders; empty is nowhere"`
	UploadedPictures int               `json:"uploaded_pictures" doc:"Sent in a zip beside the list"`
	Can              Capabilities      `json:"can"`
	Offers           int               `json:"offers"`
	Imports          []ImportRun       `json:"imports" doc:"The newest first, up to thirty"`
}

// ImportRun is one act of taking a source's catalog in.
type ImportRun struct {
	ID         int64      `json:"id"`
	SourceID   int64      `json:"source_id"`
	State      State      `json:"state" enum:"waiting,running,needs_approval,finished,failed,discarded"`
	Full       bool       `json:"full" doc:"Everything was compared, not only what had changed"`
	Phase      string     `json:"phase" enum:"reading,checking,merging"`
	StartedAt  time.Time  `json:"started_at"`
	FinishedAt *time.Time `json:"finished_at"`
	Expected   int        `json:"expected"`
	Seen       int        `json:"seen"`
	Added      int        `json:"added"`
	Changed    int        `json:"changed"`
	Unchanged  int        `json:"unchanged"`
	Withdrawn  int        `json:"withdrawn"`
	Rejected   int        `json:"rejected"`
	Staged     int        `json:"staged" doc:"New or changed offers, not yet in the catalog"`
	Merged     int        `json:"merged" doc:"Of these, in the catalog"`
	FileName   string     `json:"file_name"`
	Error      string     `json:"error"`
	Approval   *Approval  `json:"approval,omitempty" doc:"Why it waits for a decision"`
}

const importColumns = `id, source_id, state, is_full, phase, started_at, finished_at, expected, seen, added, ` +
	`changed, ` +
	`unchanged, withdrawn, rejected, staged, merged, file_name, error, approval`

// errorMessage says in the words of the job why a source could not be reached.
func errorMessage(address string, err error) string {
	switch {
	case errors.Is(err, outgoing.ErrAddress):
		return "“" + address + "” is not a web address. Give one such as bazaar.example.com."
	case errors.Is(err, outgoing.ErrPlain):
		return address + " is not encrypted, so no secret is sent there. Give its https address."
	case errors.Is(err, outgoing.ErrGuarded):
		return address + " is a private address, which this installation does not allow."
	case errors.Is(err, outgoing.ErrAskedToWait):
		return "The source at " + address + " asks us to slow down."
	case errors.Is(err, outgoing.ErrRedirects):
		return address +
			" leads from one address to the next and never arrives. Give the address that it should lead to."
	case errors.Is(err, outgoing.ErrUnreachable):
		return "Nothing answers at " + address + ". Check the address, or try again later."
	case errors.Is(err, source.ErrNotASource):
		return "There is a server at " + address + ", but it is not a source of offers."
	case errors.Is(err, source.ErrCredentials):
		return "The source is there, but it does not accept this client id and secret."
	case errors.Is(err, errCursorLoop):
		return "The source at " + address +
			" names the same page of its catalog again and again, so it cannot be read to its end. Nothing was " +
			"withdrawn."
	case errors.Is(err, blobs.ErrFull):
		return "The disk that pictures and files are kept on is full. Make room, then import again."
	case blobs.Fault(err):
		return "The folder that pictures and files are kept in cannot be written to. Mend that, then import again."
	case errors.Is(err, source.ErrUnavailable), errors.Is(err, outgoing.ErrTooLarge):
		return "The source at " + address + " is out of order. Try again later."
	case errors.Is(err, secrets.ErrSealed):
		return "Its secret cannot be read any more. Connect it again."
	}
	return internalErrorMessage
}

const internalErrorMessage = "Something went wrong on our side. Try again; if it stays, look into the log."

func thousands(n int) string { return printer.Sprintf("%d", n) }

var printer = message.NewPrinter(language.English)

func plural(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return thousands(n) + " " + many
}

// credentialField is which field of the connection a failure points at.
func credentialField(err error) string {
	if errors.Is(err, source.ErrCredentials) {
		return "client_secret"
	}
	return "address"
}

// List lists sources, connected ones first.
func (s *Service) List(ctx context.Context) ([]Source, error) { return s.list(ctx, 0) }

func (s *Service) get(ctx context.Context, id int64) (Source, error) {
	list, err := s.list(ctx, id)
	if err == nil && len(list) == 0 {
		err = apikit.NotFound("source")
	}
	if err != nil {
		return Source{}, err
	}
	return list[0], nil
}

// list lists all, or one.
func (s *Service) list(ctx context.Context, only int64) ([]Source, error) {
	// One statement, so that a source's trouble and its imports are of one moment.
	rows, err := s.Pool.Query(ctx, `
		select id, kind, name, address, client_id, state, error, connected_at, paused, schedule, time_zone, next_at,
		full_import_at, max_withdrawn, max_repriced, max_cost_factor, layout, takes_requests, order_address,
			(select count(*)
		from uploaded_picture where source_id = source.id),
			array(select row(`+importColumns+`) from import_run where source_id = source.id order by import_run.id desc
				limit 30)
		from source where $1::bigint in (0, id) order by state, name, id`, only)
	if err != nil {
		return nil, err
	}
	list, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (Source, error) {
		var x Source
		err := row.Scan(&x.ID, &x.Kind, &x.Name, &x.Address, &x.ClientID, &x.State, &x.Error, &x.ConnectedAt,
			&x.Paused, &x.Schedule, &x.TimeZone, &x.NextAt, &x.FullImportAt,
			&x.MaxWithdrawn, &x.MaxRepriced, &x.MaxCostFactor, &x.Layout, &x.TakesRequests, &x.OrderAddress,
			&x.UploadedPictures,
			&x.Imports)
		x.Can = x.Kind.can()
		return x, err
	})
	if err != nil {
		return nil, err
	}
	counts, err := s.Offers.Count(ctx)
	if err != nil {
		return nil, err
	}
	for i := range list {
		list[i].Offers = counts[list[i].ID]
	}
	return list, nil
}
