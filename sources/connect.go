package sources

import (
	"context"
	"errors"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/riverqueue/river"

	"plainpelican/connect/source"
	"plainpelican/members"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/platform/outgoing"
	"plainpelican/platform/schedule"
)

// Credentials are what a source is connected with.
type Credentials struct {
	Address      string `json:"address" minLength:"1" maxLength:"300"`
	ClientID     string `json:"client_id" minLength:"1" maxLength:"200"`
	ClientSecret string `json:"client_secret" minLength:"1" maxLength:"500"`
}

func purpose(address string) string { return "source " + address }

// defaultSchedule is how often a marketplace's changes are taken in, until somebody says otherwise.
const defaultSchedule = "FREQ=HOURLY;INTERVAL=6"

// Connect checks the credentials with the source, keeps them sealed, and begins an import.
// Connecting a known address again replaces its credentials and keeps its offers.
func (s *Service) Connect(ctx context.Context, in Credentials) (int64, error) {
	u, err := outgoing.Address(in.Address)
	if err != nil {
		return 0, apikit.Problem(422, "address", "%s", errorMessage(in.Address, err))
	}
	address := u.String()
	_, d, err := s.Connector.SignIn(ctx, address, in.ClientID, in.ClientSecret)
	if err != nil {
		return 0, apikit.Problem(422, credentialField(err), "%s", errorMessage(address, err))
	}
	next, err := schedule.Next(defaultSchedule, "UTC", time.Now())
	if err != nil {
		return 0, err
	}
	var id int64
	err = database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		err := tx.QueryRow(ctx, `
			insert into source (kind, name, address, client_id, secret, state, requests_per_second, schedule, time_zone,
			next_at, takes_requests, takes_orders, takes_documents, takes_messages)
			values ('marketplace', $1, $2, $3, $4, 'connected', $5, $6, 'UTC', $7, $8, $9, $10, $11)
			on conflict (address) where address <> '' do update
			set name = excluded.name, client_id = excluded.client_id, secret = excluded.secret, state = 'connected',
				requests_per_second = excluded.requests_per_second, takes_requests = excluded.takes_requests,
				takes_orders = excluded.takes_orders, takes_documents = excluded.takes_documents,
				takes_messages = excluded.takes_messages, error = '', connected_at = now()
			returning id`, d.Name, address, in.ClientID, s.Box.Seal(purpose(address), in.ClientSecret),
			d.Limits.RequestsPerSecond, defaultSchedule, next, d.TakesRequests, d.TakesOrders, d.TakesDocuments,
			d.TakesMessages).Scan(&id)
		if err == nil {
			err = s.Offers.NotifySource(ctx, tx, id)
		}
		if err != nil {
			return err
		}
		return members.Audit(ctx, tx, "connected source", d.Name, nil,
			map[string]string{"address": address, "client_id": in.ClientID})
	})
	if err != nil {
		return 0, err
	}
	s.sessions.Delete(id)
	_, err = s.Start(ctx, id, ImportScope{Full: true})
	return id, err
}

// Disconnect forgets the credentials. Offers stay on record for drafts and listings, but
// leave the catalog until the source is connected again.
func (s *Service) Disconnect(ctx context.Context, id int64) error {
	s.sessions.Delete(id)
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		var name string
		err := tx.QueryRow(ctx, `update source set state = 'disconnected', secret = null, error = '', next_at = null
			where id = $1 and state = 'connected' returning name`, id).Scan(&name)
		if database.Missing(err) {
			return apikit.NotFound("source")
		}
		if err != nil {
			return err
		}
		if err := s.discardPending(ctx, tx, id); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, transition(Failed, `error = 'The source was disconnected.'`, `source_id = $1`),
			id); err != nil {
			return err
		}
		if err := s.Offers.NotifySource(ctx, tx, id); err != nil {
			return err
		}
		return members.Audit(ctx, tx, "disconnected source", name, nil, nil)
	})
}

// Open makes a session with a connected source; Address is for the words of a failure.
func (s *Service) Open(ctx context.Context, id int64) (session *source.Session, name, address string, err error) {
	var clientID string
	var sealed []byte
	err = s.Pool.QueryRow(ctx, `select name, address, client_id, secret from source
		where id = $1 and state = 'connected'`, id).Scan(&name, &address, &clientID, &sealed)
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
	session, d, err := s.Connector.SignIn(ctx, address, clientID, secret)
	if err == nil {
		_, err = s.Pool.Exec(ctx, `update source set takes_requests = $2, takes_orders = $3, takes_documents = $4,
			takes_messages = $5 where id = $1 and (takes_requests, takes_orders, takes_documents, takes_messages)
				<> ($2, $3, $4, $5)`, id, d.TakesRequests, d.TakesOrders, d.TakesDocuments, d.TakesMessages)
	}
	return session, name, address, err
}

// ImportChangesArgs is the job that takes in what has changed at a source, after what is under way.
type ImportChangesArgs struct{ SourceID int64 }

// Kind names the job.
func (ImportChangesArgs) Kind() string { return "import_changes" }

// InsertOpts puts it into its queue.
func (ImportChangesArgs) InsertOpts() river.InsertOpts { return river.InsertOpts{Queue: "import"} }

// ImportChanges has what has changed at a source taken in, once the transaction is through.
func (s *Service) ImportChanges(ctx context.Context, tx pgx.Tx, id int64) error {
	return s.Jobs.Add(ctx, tx, ImportChangesArgs{id}, nil)
}

func (s *Service) importChanges(ctx context.Context, id int64) error {
	var held, busy bool
	err := s.Pool.QueryRow(ctx, `select exists (select from import_run
		where source_id = $1 and state = 'needs_approval'), exists (select from import_run
		where source_id = $1 and state in ('waiting', 'running'))`, id).Scan(&held, &busy)
	switch {
	case err != nil:
		return err
	case held:
		return nil // it is not dropped for this; the import after it brings what has changed
	case busy:
		return river.JobSnooze(5 * time.Second)
	}
	if _, err = s.Start(ctx, id, ImportScope{}); apikit.IsProblem(err) {
		return nil // disconnected, or another has just begun
	}
	return err
}

// ErrorMessage says in the words of the job why a source could not be spoken to.
func ErrorMessage(address string, err error) string { return errorMessage(address, err) }

type openSession struct {
	session *source.Session
	until   time.Time
}

// StillSold asks a source whether it still sells an offer. A source that cannot be asked
// leaves it open: then the error says why, in plain words.
func (s *Service) StillSold(ctx context.Context, sourceID int64, number string) (bool, error) {
	var kind Kind
	err := s.Pool.QueryRow(ctx, `select kind from source where id = $1 and state = 'connected'`, sourceID).Scan(&kind)
	if database.Missing(err) {
		//lint:ignore ST1005 the beginning of a sentence for a person
		return true, errors.New("Its source is disconnected")
	}
	if err != nil {
		return true, err
	}
	return drivers[kind].stillSold(ctx, s, sourceID, number)
}

// Buyer is where the offers of a source are bought, or a problem where it takes no orders.
func (s *Service) Buyer(ctx context.Context, sourceID int64) (source.Buyer, error) {
	var kind Kind
	err := s.Pool.QueryRow(ctx, `select kind from source where id = $1`, sourceID).Scan(&kind)
	if err != nil {
		return nil, err
	}
	return drivers[kind].buyer(ctx, s, sourceID)
}

// Session is one with a connected source that was signed in to lately, or a new one. It returns the error of Open.
func (s *Service) Session(ctx context.Context, sourceID int64) (*source.Session, error) {
	session, _, err := s.lately(ctx, sourceID)
	return session, err
}

// lately is Session, with the address for the words of a failure.
func (s *Service) lately(ctx context.Context, sourceID int64) (session *source.Session, address string, err error) {
	if kept, ok := s.sessions.Load(sourceID); ok && time.Now().Before(kept.(openSession).until) {
		return kept.(openSession).session, "", nil
	}
	session, _, address, err = s.Open(ctx, sourceID)
	if err == nil {
		s.sessions.Store(sourceID, openSession{session, time.Now().Add(10 * time.Minute)})
	}
	return session, address, err
}

// session is Session with an error that is the beginning of a sentence, or the database's.
func (s *Service) session(ctx context.Context, sourceID int64) (*source.Session, error) {
	session, address, err := s.lately(ctx, sourceID)
	switch {
	case apikit.IsProblem(err):
		//lint:ignore ST1005 the beginning of a sentence for a person
		return nil, errors.New("Its source is disconnected")
	case database.Away(err):
		return nil, err
	case err != nil:
		return nil, errors.New(errorMessage(address, err))
	}
	return session, nil
}
