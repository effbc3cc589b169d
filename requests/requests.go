// Package requests keeps what is wanted and nobody offers: requests for quotation, the
// sources they were sent to, and the quotes that came back.
package requests

import (
	"context"
	"errors"
	"log/slog"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"

	"plainpelican/connect/source"
	"plainpelican/core/money"
	"plainpelican/members"
	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/platform/blobs"
	"plainpelican/platform/database"
	"plainpelican/platform/jobs"
	"plainpelican/platform/progress"
	"plainpelican/pricing"
)

// Sources is what requests must know of sources.
type Sources interface {
	// Open makes a session with a connected source.
	Open(ctx context.Context, id int64) (session *source.Session, name, address string, err error)
	// ImportChanges has what has changed at a source taken in, once the transaction is through.
	ImportChanges(ctx context.Context, tx pgx.Tx, id int64) error
}

// Pictures keeps and serves pictures.
type Pictures interface {
	PictureAt(ctx context.Context, url string) (hash string, content []byte, err error)
	SaveUploaded(file string, width int) (hash string, err error)
	Serve(w http.ResponseWriter, r *http.Request, hash string, content []byte, err error)
}

// Service is the requests capability.
type Service struct {
	Pool     *pgxpool.Pool
	Sources  Sources
	Pricing  *pricing.Service
	Pictures Pictures
	Blobs    *blobs.Folder
	Jobs     *jobs.Runner
	Progress *progress.Stream
	Log      *slog.Logger
}

// QuoteRequestInput is what a person asks for.
type QuoteRequestInput struct {
	Words    string  `json:"words" minLength:"1" maxLength:"200" doc:"What is wanted"`
	Details  string  `json:"details" maxLength:"4000"`
	Link     string  `json:"link" maxLength:"2000" doc:"A page that shows it"`
	File     string  `json:"file" maxLength:"64" doc:"An uploaded picture"`
	Target   string  `json:"target" maxLength:"30" doc:"Cost of one unit, decimal text; empty is none"`
	Currency string  `json:"currency" maxLength:"3" doc:"ISO 4217, of the target"`
	Market   string  `json:"market" pattern:"^[A-Z]{2}$" doc:"ISO 3166 alpha-2: where it is sold"`
	Units    int     `json:"units" minimum:"0" maximum:"10000000" doc:"Expected a month; 0 where nobody knows"`
	Sources  []int64 `json:"sources" maxItems:"100" doc:"Whom to ask"`
}

// QuoteRequest is a request as people see it.
type QuoteRequest struct {
	ID      int64           `json:"id"`
	Words   string          `json:"words"`
	Details string          `json:"details"`
	Link    string          `json:"link"`
	Picture string          `json:"picture"`
	Target  *money.Amount   `json:"target"`
	Market  string          `json:"market"`
	Units   int             `json:"units"`
	State   string          `json:"state" enum:"open,settled,withdrawn"`
	MadeBy  string          `json:"made_by"`
	MadeAt  time.Time       `json:"made_at"`
	Asked   []SourceRequest `json:"asked"`
	Quotes  int             `json:"quotes"`
}

// SourceRequest is a source that a request was sent to.
type SourceRequest struct {
	SourceID int64      `json:"source_id"`
	Source   string     `json:"source"`
	State    string     `json:"state" enum:"waiting,asked,leaving,ended,refused"`
	Error    string     `json:"error"`
	Unusable []string   `json:"unusable" doc:"Quotes that could not be read, and why"`
	AskedAt  *time.Time `json:"asked_at"`
	Quotes   int        `json:"quotes"`
}

const pictureWidth = 800

// Make keeps a request and has it sent.
func (s *Service) Make(ctx context.Context, w QuoteRequestInput) (int64, error) {
	target, picture, err := s.check(&w)
	if err != nil {
		return 0, err
	}
	var id int64
	err = database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		err := tx.QueryRow(ctx, `
			insert into quote_request (words, details, link, picture, target_cost, currency, market, units, made_by)
			values ($1, $2, $3, $4, $5, $6, $7, $8, $9) returning id`,
			w.Words, w.Details, w.Link, picture, target.Minor(), w.Currency, w.Market, w.Units, access.Who(ctx).Name).
			Scan(&id)
		if err != nil {
			return err
		}
		done, err := tx.Exec(ctx, `insert into request_source (request_id, source_id) select $1, id from facts.source
			where id = any ($2) and state = 'connected' and takes_requests`, id, w.Sources)
		if err != nil {
			return err
		}
		if done.RowsAffected() == 0 {
			return apikit.Problem(422, "sources", "Choose at least one connected source that takes requests.")
		}
		if err := members.Audit(ctx, tx, "asked for a product", w.Words, nil, w); err != nil {
			return err
		}
		return s.Jobs.Add(ctx, tx, DueArgs{RequestID: id}, nil)
	})
	return id, err
}

func (s *Service) check(w *QuoteRequestInput) (target money.Amount, picture string, err error) {
	if w.Words = strings.TrimSpace(w.Words); w.Words == "" {
		return target, "", apikit.Problem(422, "words", "Say in a few words what is wanted.")
	}
	if w.Link = strings.TrimSpace(w.Link); w.Link != "" {
		if u, err := url.Parse(w.Link); err != nil || (u.Scheme != "http" && u.Scheme != "https") || u.Host == "" {
			return target, "",
				apikit.Problem(422, "link", "“%s” is not a link. Paste the whole address of the page.", w.Link)
		}
	}
	if w.Target = strings.TrimSpace(w.Target); w.Target != "" {
		c, err := money.ParseCurrency(w.Currency)
		if err != nil {
			return target, "", apikit.Problem(422, "currency", "“%s” is not a currency.", w.Currency)
		}
		if target, err = money.Parse(strings.ReplaceAll(w.Target, ",", "."), c); err != nil || target.Minor() <= 0 {
			return target, "", apikit.Problem(422, "target", "“%s” is not a cost in %s.", w.Target, c)
		}
	} else {
		w.Currency = ""
	}
	if w.File != "" {
		if picture, err = s.Pictures.SaveUploaded(w.File, pictureWidth); err != nil {
			return target, "", apikit.Problem(422, "file", "The picture cannot be used: %s.", err)
		}
	}
	return target, picture, nil
}

// List lists requests, open ones first, the newest first; or one.
func (s *Service) List(ctx context.Context, only int64) ([]QuoteRequest, error) {
	rows, err := s.Pool.Query(ctx, `
		select id, words, details, link, picture, target_cost, currency, market, units, state, made_by, made_at,
			array(select row(a.source_id, x.name, a.state, a.error, a.unusable, a.asked_at, (select count(*)
			from quote q where q.request_id = a.request_id and q.source_id = a.source_id)::int)
				from request_source a join facts.source x on x.id = a.source_id where a.request_id = quote_request.id
				order by x.name)
		from quote_request where $1::bigint in (0, id) order by state = 'open' desc, id desc limit 500`, only)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (r QuoteRequest, err error) {
		var target int64
		var currency, picture string
		if err = row.Scan(&r.ID, &r.Words, &r.Details, &r.Link, &picture, &target, &currency, &r.Market, &r.Units,
			&r.State, &r.MadeBy, &r.MadeAt, &r.Asked); err != nil {
			return r, err
		}
		if currency != "" {
			c, err := money.ParseCurrency(currency)
			if err != nil {
				return r, err
			}
			amount := money.New(target, c)
			r.Target = &amount
		}
		if picture != "" {
			r.Picture = "/requests/" + itoa(r.ID) + "/picture"
		}
		for i := range r.Asked {
			r.Quotes += r.Asked[i].Quotes
		}
		return r, nil
	})
}

func (s *Service) one(ctx context.Context, id int64) (QuoteRequest, error) {
	list, err := s.List(ctx, id)
	if err == nil && len(list) == 0 {
		err = apikit.NotFound("request")
	}
	if err != nil {
		return QuoteRequest{}, err
	}
	return list[0], nil
}

// errNotOpen is an act on a request that is over.
var errNotOpen = errors.New("the request is over")

// Withdraw ends a request: its sources are told.
func (s *Service) Withdraw(ctx context.Context, id int64) error {
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		words, err := s.settle(ctx, tx, id, "withdrawn")
		if errors.Is(err, errNotOpen) {
			return apikit.Problem(409, "", "This request is over already.")
		}
		if err != nil {
			return err
		}
		return members.Audit(ctx, tx, "withdrew a request", words, nil, nil)
	})
}

// settle ends an open request. Sources that were asked are told that it is over; where a
// quote was taken, that says it.
func (s *Service) settle(ctx context.Context, tx pgx.Tx, id int64, state string) (words string, err error) {
	err = tx.QueryRow(ctx, `update quote_request set state = $2 where id = $1 and state = 'open'
		returning words`, id, state).Scan(&words)
	if database.Missing(err) {
		var known bool
		if err := tx.QueryRow(ctx, `select exists (select from quote_request where id = $1)`, id).
			Scan(&known); err != nil {
			return "", err
		}
		if !known {
			return "", apikit.NotFound("request")
		}
		return "", errNotOpen
	}
	if err != nil {
		return "", err
	}
	// One whose quote was taken knows; one that never heard of it need not.
	_, err = tx.Exec(ctx, `
		update request_source a set error = '', failures = 0, state = next.state, next_at = case
		when next.state = 'leaving' then now() end
		from (select source_id, case when asked_at is null or exists (select from quote q
		where q.request_id = $1 and q.source_id = s.source_id
		and q.taken_at is not null) then 'ended' else 'leaving' end as state
			from request_source s where request_id = $1) next
		where a.request_id = $1 and a.source_id = next.source_id and a.state in ('waiting', 'asked')`, id)
	if err != nil {
		return "", err
	}
	return words, s.Jobs.Add(ctx, tx, DueArgs{RequestID: id}, nil)
}

// AskAgain has an open request's sources asked now.
func (s *Service) AskAgain(ctx context.Context, id int64) error {
	return database.InTx(ctx, s.Pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `update request_source set next_at = now(), failures = 0
			where request_id = $1 and state in ('waiting', 'asked', 'leaving')`, id); err != nil {
			return err
		}
		return s.Jobs.Add(ctx, tx, DueArgs{RequestID: id}, nil)
	})
}

func (s *Service) notify(ctx context.Context, id int64) {
	if err := s.Progress.Publish(ctx, "request:"+itoa(id), map[string]int64{"id": id}); err != nil {
		s.Log.Error("telling of a request", "request", id, "error", err)
	}
}
