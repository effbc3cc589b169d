package application

import (
	"context"
	"fmt"

	"github.com/jackc/pgx/v5"

	"plainpelican/platform/secrets"
)

// sealed are the columns that hold secrets, with what each is bound to.
var sealed = []struct{ table, column, key, purpose string }{
	{"source", "secret", "id::text", "source "},
	{"store", "token", "id::text", "store "},
	{"store_approval", "verifier", "state", "store "},
}

// Rekey seals all secrets with another key and returns how many there are. One that the old key does not
// open is an error, and none is changed.
func Rekey(ctx context.Context, tx pgx.Tx, from, to *secrets.Box) (n int, err error) {
	for _, s := range sealed {
		rows, err := tx.Query(ctx, `select `+s.key+`, address, `+s.column+` from `+s.table+`
			where `+s.column+` is not null for update`)
		if err != nil {
			return 0, err
		}
		type secret struct {
			key, address string
			content      []byte
		}
		var all []secret
		var one secret
		if _, err := pgx.ForEachRow(rows, []any{&one.key, &one.address, &one.content}, func() error {
			all = append(all, one)
			one.content = nil
			return nil
		}); err != nil {
			return 0, err
		}
		for _, x := range all {
			plain, err := from.Open(s.purpose+x.address, x.content)
			if err != nil {
				return 0, fmt.Errorf("the secret of the %s at %s: %w", s.table, x.address, err)
			}
			if _, err := tx.Exec(ctx, `update `+s.table+` set `+s.column+` = $2
				where `+s.key+` = $1`, x.key, to.Seal(s.purpose+x.address, plain)); err != nil {
				return 0, err
			}
			n++
		}
	}
	return n, nil
}
