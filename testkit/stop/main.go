// Command stop ends the database servers that tests started.
package main

import (
	"path/filepath"

	"plainpelican/platform/cluster"
	"plainpelican/testkit"
)

func main() {
	// The browser tests' too, which is started again by the test that stops it.
	for _, name := range []string{"test", "e2e-0", "e2e-1"} {
		if c, err := cluster.New(filepath.Join(testkit.Root(), ".pelican", name, "postgres"), true); err == nil {
			_ = c.Stop() // none may be running
		}
	}
}
