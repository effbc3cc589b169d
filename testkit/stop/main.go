// Command stop ends the database server that tests started.
package main

import (
	"path/filepath"

	"plainpelican/platform/cluster"
	"plainpelican/testkit"
)

func main() {
	if c, err := cluster.New(filepath.Join(testkit.Root(), ".pelican", "test", "postgres"), true); err == nil {
		_ = c.Stop() // none may be running
	}
}
