// Package database opens PostgreSQL and brings its schema up to date.
package database

import (
	"context"
	"embed"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivermigrate"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Querier is what both a pool and a transaction can do.
type Querier interface {
	Exec(ctx context.Context, sql string, args ...any) (pgconn.CommandTag, error)
	Query(ctx context.Context, sql string, args ...any) (pgx.Rows, error)
	QueryRow(ctx context.Context, sql string, args ...any) pgx.Row
}

// Open connects to a database and checks that it answers.
func Open(ctx context.Context, url string) (*pgxpool.Pool, error) {
	config, err := pgxpool.ParseConfig(url)
	if err != nil {
		return nil, fmt.Errorf("DATABASE_URL: %w", err)
	}
	config.MaxConns = max(config.MaxConns, 16)
	// Compiling a query costs more than any of ours gains by it; pages are found about as
	// fast in any order, on the disks of today; what is sorted fits into memory.
	for name, value := range map[string]string{"jit": "off", "random_page_cost": "1.1", "work_mem": "32MB"} {
		if _, set := config.ConnConfig.RuntimeParams[name]; !set {
			config.ConnConfig.RuntimeParams[name] = value
		}
	}
	config.ConnConfig.ConnectTimeout = 5 * time.Second
	config.ConnConfig.Tracer = counting{}
	pool, err := pgxpool.NewWithConfig(ctx, config)
	if err != nil {
		return nil, err
	}
	if err := pool.Ping(ctx); err != nil {
		pool.Close()
		return nil, fmt.Errorf("reaching the database: %w", err)
	}
	return pool, nil
}

// Migrate brings the schema, and that of the job library, up to date. Two instances may
// call it at once: one waits for the other.
func Migrate(ctx context.Context, pool *pgxpool.Pool) error {
	lock, err := pool.Acquire(ctx)
	if err != nil {
		return err
	}
	defer lock.Release()
	if err := LockSession(ctx, lock, LockMigrate, 0); err != nil {
		return err
	}
	// freed with the connection anyway
	defer func() { _ = UnlockSession(context.WithoutCancel(ctx), lock, LockMigrate, 0) }()
	provider, closeDB, err := provider(pool)
	if err != nil {
		return err
	}
	defer closeDB()
	at, err := provider.GetDBVersion(ctx)
	if err != nil {
		return fmt.Errorf("reading the schema's version: %w", err)
	}
	if newest := Newest(); at > newest {
		return fmt.Errorf("%w (its schema is number %d, this program knows %d)", ErrNewerSchema, at, newest)
	}
	if _, err := provider.Up(ctx); err != nil {
		return fmt.Errorf("migrating: %w", err)
	}
	jobs, err := rivermigrate.New(riverpgxv5.New(pool), nil)
	if err != nil {
		return err
	}
	if _, err := jobs.Migrate(ctx, rivermigrate.DirectionUp, nil); err != nil {
		return fmt.Errorf("migrating jobs: %w", err)
	}
	return nil
}

func provider(pool *pgxpool.Pool) (*goose.Provider, func(), error) {
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return nil, nil, err
	}
	db := stdlib.OpenDBFromPool(pool)
	p, err := goose.NewProvider(goose.DialectPostgres, db, files)
	return p, func() { _ = db.Close() }, err
}

// Version is the number of the schema that a database has.
func Version(ctx context.Context, pool *pgxpool.Pool) (int64, error) {
	p, closeDB, err := provider(pool)
	if err != nil {
		return 0, err
	}
	defer closeDB()
	return p.GetDBVersion(ctx)
}

// MigrateTo brings an empty or older database to a number of the schema, without the job library's tables.
func MigrateTo(ctx context.Context, pool *pgxpool.Pool, version int64) error {
	p, closeDB, err := provider(pool)
	if err != nil {
		return err
	}
	defer closeDB()
	_, err = p.UpTo(ctx, version)
	return err
}

// Newest is the number of the schema that this program knows.
func Newest() int64 {
	entries, err := migrations.ReadDir("migrations")
	if err != nil {
		panic(err) // they are embedded
	}
	return int64(len(entries)) // numbered from 1, without gaps
}

// ErrNewerSchema is returned by Migrate where a newer program has been at the database.
var ErrNewerSchema = errors.New("this database belongs to a newer version of Plain Pelican: start that one")

// Missing tells whether an error means that no row was found.
func Missing(err error) bool { return errors.Is(err, pgx.ErrNoRows) }

// Taken tells whether an error is a broken unique constraint.
func Taken(err error) bool {
	var pg *pgconn.PgError
	return errors.As(err, &pg) && pg.Code == "23505"
}

// Violates tells whether an error is one broken constraint or unique index, by its name.
func Violates(err error, constraint string) bool {
	var pg *pgconn.PgError
	return errors.As(err, &pg) && pg.ConstraintName == constraint
}

// Away tells whether an error means that the database could not be asked, or had no room: nothing is
// wrong with what was asked, and the same will do once it is back.
func Away(err error) bool {
	if err == nil || errors.Is(err, context.Canceled) {
		return false
	}
	var pg *pgconn.PgError
	if errors.As(err, &pg) {
		switch pg.Code[:2] {
		case "08", "53", "57": // connection, resources (its disk, its connections), an operator's doing
			return pg.Code != "57014" // a query that was cancelled
		}
		return pg.Code == "40001" || pg.Code == "40P01" // others wrote the same: the loser of a deadlock
	}
	var outside interface{ Outside() bool }
	if errors.As(err, &outside) {
		return false // another party's connection
	}
	var connect *pgconn.ConnectError
	var network *net.OpError
	return errors.As(err, &connect) || errors.As(err, &network) || errors.Is(err, pgconn.ErrConnClosed) ||
		errors.Is(err, pgx.ErrTxClosed) || errors.Is(err, io.ErrUnexpectedEOF) || pgconn.Timeout(err)
}

// Refused tells whether the database itself said so: then it is Away for certain.
func Refused(err error) bool {
	var pg *pgconn.PgError
	return Away(err) && errors.As(err, &pg)
}

// Refers tells whether an error is a reference to what is not there.
func Refers(err error) bool {
	var pg *pgconn.PgError
	return errors.As(err, &pg) && pg.Code == "23503"
}

// InTx runs a function in a transaction, committed where it returns no error.
func InTx(ctx context.Context, pool *pgxpool.Pool, do func(tx pgx.Tx) error) error {
	return pgx.BeginFunc(ctx, pool, do)
}
