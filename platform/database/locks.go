package database

import (
	"context"
	"fmt"
)

// LockName is one of the database's advisory locks. Each guards one thing on all instances.
type LockName int32

// The advisory locks of the application. What a lock of a thing guards is numbered by the thing beside it.
const (
	// LockMigrate lets one instance at a time bring the schema up to date.
	LockMigrate LockName = 7301
	// LockProgress lets one transaction at a time add events, so that they are numbered as they become visible.
	LockProgress LockName = 7303
	// LockTake lets one person at a time make drafts of offers.
	LockTake LockName = 7304
	// LockCatalogLog lets one transaction at a time add to the log of catalog changes.
	LockCatalogLog LockName = 7305
	// LockDataFolder lets one instance at a time claim the data folder.
	LockDataFolder LockName = 7306
	// LockSignInMember and LockSignInNetwork count the attempts of one member, and of one network, in order.
	LockSignInMember  LockName = 7307
	LockSignInNetwork LockName = 7308
	// LockPages lets one person at a time make the source of single pages.
	LockPages LockName = 7309
	// LockMoneyRules is of one store: held by a change of its money rules, and shared by who prices its drafts.
	LockMoneyRules LockName = 7310
	// LockReprice is of one store: one repricing runs in it at a time.
	LockReprice LockName = 7311
)

// SQL is the lock, held to the end of the transaction, as a part of a statement.
func (l LockName) SQL() string { return fmt.Sprintf("pg_advisory_xact_lock(%d)", l) }

// Lock waits for a lock and holds it to the end of the transaction.
func Lock(ctx context.Context, q Querier, l LockName) error {
	_, err := q.Exec(ctx, `select `+l.SQL())
	return err
}

// LockOne is Lock of one thing, by its number.
func LockOne(ctx context.Context, q Querier, l LockName, id int64) error {
	_, err := q.Exec(ctx, `select pg_advisory_xact_lock($1, $2::int)`, l, id)
	return err
}

// LockOneShared is LockOne beside others that share it.
func LockOneShared(ctx context.Context, q Querier, l LockName, id int64) error {
	_, err := q.Exec(ctx, `select pg_advisory_xact_lock_shared($1, $2::int)`, l, id)
	return err
}

// LockSession waits for a lock of one thing and holds it until the connection lets it go.
func LockSession(ctx context.Context, q Querier, l LockName, id int64) error {
	_, err := q.Exec(ctx, `select pg_advisory_lock($1, $2::int)`, l, id)
	return err
}

// UnlockSession lets a lock of LockSession go.
func UnlockSession(ctx context.Context, q Querier, l LockName, id int64) error {
	_, err := q.Exec(ctx, `select pg_advisory_unlock($1, $2::int)`, l, id)
	return err
}
