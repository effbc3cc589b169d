package main

import (
	"context"
	"encoding/base64"
	"fmt"
	"os"

	"github.com/jackc/pgx/v5"

	"plainpelican/application"
	"plainpelican/platform/database"
	"plainpelican/platform/secrets"
)

// rekey seals every secret with another key, all or none.
func rekey(ctx context.Context, _ []string) error {
	boxes := map[string]*secrets.Box{}
	for _, name := range []string{"PELICAN_OLD_KEY", "PELICAN_KEY"} {
		key, err := base64.StdEncoding.DecodeString(os.Getenv(name))
		if err != nil || len(key) != 32 {
			return fmt.Errorf("%s must be 32 bytes in base64", name)
		}
		if boxes[name], err = secrets.New(key); err != nil {
			return err
		}
	}
	pool, err := database.Open(ctx, os.Getenv("DATABASE_URL"))
	if err != nil {
		return err
	}
	defer pool.Close()
	if err := database.Migrate(ctx, pool); err != nil {
		return err
	}
	n := 0
	err = database.InTx(ctx, pool, func(tx pgx.Tx) (err error) {
		n, err = application.Rekey(ctx, tx, boxes["PELICAN_OLD_KEY"], boxes["PELICAN_KEY"])
		return err
	})
	if err == nil {
		fmt.Printf("%d secrets are sealed with the new key\n", n)
	}
	return err
}
