// Package files is a kind of store that has no API: what it is to show is kept here, and written as files that a person
// takes there: a CSV of products, the same as JSON-LD, and their pictures as a zip.
package files

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strconv"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"

	"plainpelican/connect/store"
	"plainpelican/platform/database"
)

// Kind names it.
const Kind store.Kind = "files"

// Driver keeps products in the database.
type Driver struct{ Pool *pgxpool.Pool }

// Kind names it.
func (Driver) Kind() store.Kind { return Kind }

var errNoApproval = errors.New("a store without an API is not asked for approval")

// Describe finds no such store at any address.
func (Driver) Describe(context.Context, string) (store.Description, error) {
	return store.Description{}, store.ErrNotAStore
}

// ApprovalURL is none: nobody is asked.
func (Driver) ApprovalURL(string, store.Description, string, string, string) (string, error) {
	return "", errNoApproval
}

// Exchange is none, as ApprovalURL.
func (Driver) Exchange(context.Context, string, store.Description, string, string, string) (string, error) {
	return "", errNoApproval
}

// Revoke has nothing to forget.
func (Driver) Revoke(context.Context, string, json.RawMessage, string) error { return nil }

// Endpoints are what such a store says of itself, as they are kept.
type Endpoints struct {
	Store int64       `json:"store"`
	Facts store.Facts `json:"facts"`
}

// Open makes a session. Nothing waits for a turn: nobody is asked anything.
func (d Driver) Open(_ string, endpoints json.RawMessage, _ string, _ store.Pace) (store.Session, error) {
	var e Endpoints
	if err := json.Unmarshal(endpoints, &e); err != nil {
		return nil, err
	}
	return &session{d.Pool, e}, nil
}

type session struct {
	pool *pgxpool.Pool
	of   Endpoints
}

func (s *session) Facts(context.Context) (store.Facts, error) { return s.of.Facts, nil }

// PutPicture has nothing to send: pictures are kept by their hash here already.
func (s *session) PutPicture(context.Context, string, []byte) error { return nil }

func (s *session) OnWait(func(time.Duration)) {}

// sent names a product and its variants: a variant is called as its SKU.
func sent(id string, p store.Product) store.Sent {
	out := store.Sent{ID: id, Reference: p.Reference}
	for _, v := range p.Variants {
		out.Variants = append(out.Variants, store.SentVariant{Reference: v.Reference, ID: v.SKU})
	}
	return out
}

func (s *session) Create(ctx context.Context, key string, p store.Product) (store.Sent, error) {
	var id string
	err := s.pool.QueryRow(ctx, `insert into file_product (store_id, id, key, product)
		values ($1, coalesce((select max(id::bigint) from file_product where store_id = $1), 0) + 1, $2, $3)
		on conflict (store_id, key) do update set key = excluded.key returning id`, s.of.Store, key, p).Scan(&id)
	if database.Taken(err) { // another was made at the same moment
		return store.Sent{}, fmt.Errorf("%w: %w", store.ErrUnavailable, err)
	}
	return sent(id, p), err
}

func (s *session) Update(ctx context.Context, id string, p store.Product, fields []string) (store.Sent, error) {
	part, err := p.Part(fields)
	if err != nil {
		return store.Sent{}, err
	}
	var now store.Product
	err = s.pool.QueryRow(ctx, `update file_product set product = product || $3, updated_at = now()
		where store_id = $1 and id = $2 returning product`, s.of.Store, id, part).Scan(&now)
	if database.Missing(err) {
		return store.Sent{}, store.ErrGone
	}
	return sent(id, now), err
}

func (s *session) Find(ctx context.Context, reference string) ([]store.Found, error) {
	return s.read(ctx, `select id, product from file_product where store_id = $1 and product ->> 'reference' = $2
		order by id::bigint`, s.of.Store, reference)
}

const pageSize = 200

func (s *session) List(ctx context.Context, cursor string) (list []store.Found, next string, err error) {
	after, _ := strconv.ParseInt(cursor, 10, 64)
	list, err = s.read(ctx, `select id, product from file_product where store_id = $1 and id::bigint > $2
		order by id::bigint limit $3`, s.of.Store, after, pageSize)
	if len(list) == pageSize {
		next = list[pageSize-1].Sent.ID
	}
	return list, next, err
}

func (s *session) read(ctx context.Context, sql string, args ...any) ([]store.Found, error) {
	rows, err := s.pool.Query(ctx, sql, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (f store.Found, err error) {
		var id string
		if err := row.Scan(&id, &f.Product); err != nil {
			return f, err
		}
		f.Sent = sent(id, f.Product)
		return f, nil
	})
}

func (s *session) Remove(ctx context.Context, id string) error {
	_, err := s.pool.Exec(ctx, `delete from file_product where store_id = $1 and id = $2`, s.of.Store, id)
	return err
}

// Orders are none: those of a store without an API come as a file.
func (s *session) Orders(context.Context, time.Time) ([]store.Order, bool, error) {
	return nil, false, nil
}

// Refund has nobody to ask: a person gives the money back.
func (s *session) Refund(context.Context, string, string, store.Refund) (string, error) {
	return "", nil
}

// Fulfil has nobody to tell.
func (s *session) Fulfil(context.Context, string, string, store.Fulfilment) error { return nil }

// Hook has nobody to tell us.
func (s *session) Hook(context.Context, string) (string, error) { return "", nil }
