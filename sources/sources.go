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

	"plainpelican/connect/source"
	"plainpelican/members"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/platform/jobs"
	"plainpelican/platform/outgoing"
	"plainpelican/platform/progress"
	"plainpelican/platform/secrets"
)

// Shelf is where offers are put: the catalog.
type Shelf interface {
	// Put stores offers that are new or different and counts all.
	Put(ctx context.Context, sourceID int64, offers []source.Offer) (Counts, error)
	// Sweep withdraws the source's offers whose numbers were not seen, unless more than
	// the share would go: then it withdraws none and returns how many would.
	Sweep(ctx context.Context, sourceID int64, seen []string, mostShare float64) (withdrawn int, held bool, err error)
	// Count counts the offers of each source that are for sale.
	Count(ctx context.Context) (map[int64]int, error)
}

// Counts say what became of offers that were put.
type Counts struct{ Added, Changed, Unchanged int }

// Prices is told where offers have changed.
type Prices interface {
	RepriceAll(ctx context.Context, tx pgx.Tx, why string) error
}

// Service is the sources capability.
type Service struct {
	Pool      *pgxpool.Pool
	Connector source.Connector
	Box       *secrets.Box
	Jobs      *jobs.Runner
	Progress  *progress.Stream
	Shelf     Shelf
	Log       *slog.Logger

	sessions sync.Map // source id to *openSession
	Prices   Prices
}

// Source is a connection as people see it. Its secret never leaves the server.
type Source struct {
	ID          int64     `json:"id"`
	Name        string    `json:"name"`
	Address     string    `json:"address"`
	ClientID    string    `json:"client_id"`
	State       string    `json:"state" enum:"connected,disconnected"`
	Trouble     string    `json:"trouble" doc:"What is wrong with it, in plain words; empty where all is well"`
	ConnectedAt time.Time `json:"connected_at"`
	Offers      int       `json:"offers"`
	Intakes     []Intake  `json:"intakes" doc:"The newest first, up to eight"`
}

// Intake is one act of taking a source's catalog in.
type Intake struct {
	ID         int64      `json:"id"`
	SourceID   int64      `json:"source_id"`
	State      string     `json:"state" enum:"waiting,running,finished,failed"`
	StartedAt  time.Time  `json:"started_at"`
	FinishedAt *time.Time `json:"finished_at"`
	Expected   int        `json:"expected"`
	Seen       int        `json:"seen"`
	Added      int        `json:"added"`
	Changed    int        `json:"changed"`
	Unchanged  int        `json:"unchanged"`
	Withdrawn  int        `json:"withdrawn"`
	SetAside   int        `json:"set_aside"`
	Trouble    string     `json:"trouble"`
}

const intakeColumns = `id, source_id, state, started_at, finished_at, expected, seen, added, changed, unchanged, withdrawn, set_aside, trouble`

// words says in the words of the job why a source could not be reached.
func words(address string, err error) string {
	switch {
	case errors.Is(err, outgoing.ErrAddress):
		return "“" + address + "” is not a web address. Give one such as bazaar.example.com."
	case errors.Is(err, outgoing.ErrGuarded):
		return address + " is a private address, which this installation does not allow."
	case errors.Is(err, outgoing.ErrUnreachable):
		return "Nothing answers at " + address + ". Check the address, or try again later."
	case errors.Is(err, source.ErrNotASource):
		return "There is a server at " + address + ", but it is not a source of offers."
	case errors.Is(err, source.ErrCredentials):
		return "The source is there, but it does not accept this client id and secret."
	case errors.Is(err, source.ErrUnavailable), errors.Is(err, outgoing.ErrTooLarge):
		return "The source at " + address + " is out of order. Try again later."
	case errors.Is(err, secrets.ErrSealed):
		return "Its secret cannot be read any more. Connect it again."
	}
	return "Something went wrong on our side. Try again; if it stays, look into the log."
}

// fieldOf is which field of the connection a failure points at.
func fieldOf(err error) string {
	if errors.Is(err, source.ErrCredentials) {
		return "client_secret"
	}
	return "address"
}

// List lists sources, connected ones first.
func (s *Service) List(ctx context.Context) ([]Source, error) {
	// One statement, so that a source's trouble and its intakes are of one moment.
	rows, err := s.Pool.Query(ctx, `
		select id, name, address, client_id, state, trouble, connected_at, array(select row(`+intakeColumns+`) from intake where source_id = source.id order by intake.id desc limit 8)
		from source order by state, name`)
	if err != nil {
		return nil, err
	}
	list, err := pgx.CollectRows(rows, func(row pgx.CollectableRow) (Source, error) {
		var x Source
		return x, row.Scan(&x.ID, &x.Name, &x.Address, &x.ClientID, &x.State, &x.Trouble, &x.ConnectedAt, &x.Intakes)
	})
	if err != nil {
		return nil, err
	}
	counts, err := s.Shelf.Count(ctx)
	if err != nil {
		return nil, err
	}
	for i := range list {
		list[i].Offers = counts[list[i].ID]
	}
	return list, nil
}

// Credentials are what a source is connected with.
type Credentials struct {
	Address      string `json:"address" minLength:"1" maxLength:"300"`
	ClientID     string `json:"client_id" minLength:"1" maxLength:"200"`
	ClientSecret string `json:"client_secret" minLength:"1" maxLength:"500"`
}

func purpose(address string) string { return "source " + address }

// Connect checks the credentials with the source, keeps them sealed, and begins an intake.
// Connecting a known address again replaces its credentials and keeps its offers.
func (s *Service) Connect(ctx context.Context, in Credentials) (int64, error) {
	u, err := outgoing.Address(in.Address)
	if err != nil {
		return 0, apikit.Problem(422, "address", "%s", words(in.Address, err))
	}
	address := u.String()
	_, d, err := s.Connector.SignIn(ctx, address, in.ClientID, in.ClientSecret)
	if err != nil {
		return 0, apikit.Problem(422, fieldOf(err), "%s", words(address, err))
	}
	var id int64
	err = database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		err := tx.QueryRow(ctx, `
			insert into source (name, address, client_id, secret, state, requests_per_second) values ($1, $2, $3, $4, 'connected', $5)
			on conflict (address) do update set name = excluded.name, client_id = excluded.client_id, secret = excluded.secret, state = 'connected',
				requests_per_second = excluded.requests_per_second, trouble = '', connected_at = now()
			returning id`, d.Name, address, in.ClientID, s.Box.Seal(purpose(address), in.ClientSecret), d.Limits.RequestsPerSecond).Scan(&id)
		if err != nil {
			return err
		}
		return members.Audit(ctx, tx, "connected source", d.Name, nil, map[string]string{"address": address, "client_id": in.ClientID})
	})
	if err != nil {
		return 0, err
	}
	_, err = s.Begin(ctx, id)
	return id, err
}

// Disconnect forgets the credentials. Offers stay on record for drafts and listings, but
// leave the catalog until the source is connected again.
func (s *Service) Disconnect(ctx context.Context, id int64) error {
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		var name string
		err := tx.QueryRow(ctx, `update source set state = 'disconnected', secret = null, trouble = '' where id = $1 and state = 'connected' returning name`, id).Scan(&name)
		if database.Missing(err) {
			return apikit.NotFound("source")
		}
		if err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `update intake set state = 'failed', trouble = 'The source was disconnected.', finished_at = now() where source_id = $1 and state in ('waiting', 'running')`, id); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `select pg_notify('catalog', '')`); err != nil {
			return err
		}
		return members.Audit(ctx, tx, "disconnected source", name, nil, nil)
	})
}

// Open makes a session with a connected source; Address is for the words of a failure.
func (s *Service) Open(ctx context.Context, id int64) (session *source.Session, name, address string, err error) {
	var clientID string
	var sealed []byte
	err = s.Pool.QueryRow(ctx, `select name, address, client_id, secret from source where id = $1 and state = 'connected'`, id).Scan(&name, &address, &clientID, &sealed)
	if database.Missing(err) {
		return nil, "", "", apikit.NotFound("source")
	}
	if err != nil {
		return nil, "", "", err
	}
	secret, err := s.Box.Open(purpose(address), sealed)
	if err != nil {
		return nil, name, address, err
	}
	session, _, err = s.Connector.SignIn(ctx, address, clientID, secret)
	return session, name, address, err
}

type openSession struct {
	session *source.Session
	until   time.Time
}

// StillSold asks a source whether it still sells an offer. A source that cannot be asked
// leaves it open: then the error says why, in plain words.
func (s *Service) StillSold(ctx context.Context, sourceID int64, number string) (bool, error) {
	kept, ok := s.sessions.Load(sourceID)
	if !ok || time.Now().After(kept.(openSession).until) {
		session, _, address, err := s.Open(ctx, sourceID)
		if apikit.IsProblem(err) {
			//lint:ignore ST1005 the beginning of a sentence for a person
			return true, errors.New("Its source is disconnected")
		}
		if err != nil {
			return true, errors.New(words(address, err))
		}
		kept = openSession{session, time.Now().Add(10 * time.Minute)}
		s.sessions.Store(sourceID, kept)
	}
	_, err := kept.(openSession).session.Offer(ctx, number)
	if errors.Is(err, source.ErrWithdrawn) {
		return false, nil
	}
	if err != nil {
		s.sessions.Delete(sourceID)
		//lint:ignore ST1005 the beginning of a sentence for a person
		return true, errors.New("Its source does not answer")
	}
	return true, nil
}
