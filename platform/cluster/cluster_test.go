package cluster

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5"
)

func TestACluster(t *testing.T) {
	dir, err := os.MkdirTemp("/var/tmp", "pelican-cluster-test-")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	if err := os.Chmod(dir, 0o755); err != nil {
		t.Fatal(err)
	}
	c, err := New(filepath.Join(dir, "postgres"), true)
	if err != nil {
		t.Fatal(err)
	}
	ctx := context.Background()
	url, _, err := c.Start(ctx, false)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = c.Stop() })
	if !strings.Contains(url, "@127.0.0.1:") {
		t.Errorf("it is not on loopback: %s", url)
	}
	conn, err := pgx.Connect(ctx, url)
	if err != nil {
		t.Fatal(err)
	}
	var encoding, listening, sockets string
	if err := conn.QueryRow(ctx, `select current_setting('server_encoding'), current_setting('listen_addresses'),
		current_setting('unix_socket_directories')`).Scan(&encoding, &listening, &sockets); err != nil {
		t.Fatal(err)
	}
	if encoding != "UTF8" || listening != "127.0.0.1" || sockets != "" {
		t.Errorf("%s, listening on %q and in %q", encoding, listening, sockets)
	}
	_ = conn.Close(ctx)

	again, err := New(filepath.Join(dir, "postgres"), true)
	if err != nil {
		t.Fatal(err)
	}
	found, child, err := again.Start(ctx, false)
	if err != nil || child != nil || found != url {
		t.Errorf("a running server was not found: %s, %v", found, err)
	}
	wrong := strings.Replace(url, "pelican:", "pelican:x", 1)
	if conn, err := pgx.Connect(ctx, wrong); err == nil {
		_ = conn.Close(ctx)
		t.Error("a wrong password is let in")
	}
	for range 2 { // made once, found the second time
		at, err := Database(ctx, url, "shop")
		if err != nil || !strings.Contains(at, "/shop?") {
			t.Errorf("%s %v", at, err)
		}
	}
	if err := c.Stop(); err != nil {
		t.Error(err)
	}
	if restarted, _, err := c.Start(ctx, false); err != nil || restarted == "" {
		t.Errorf("after a stop: %v", err)
	}
}

func TestAFolderThatTheServerCannotEnter(t *testing.T) {
	if os.Geteuid() != 0 {
		t.Skip("only root's server runs as somebody else")
	}
	closed := filepath.Join(t.TempDir(), "closed")
	if err := os.Mkdir(closed, 0o700); err != nil {
		t.Fatal(err)
	}
	c, err := New(filepath.Join(closed, "in", "postgres"), true)
	if err != nil {
		t.Fatal(err)
	}
	if !strings.HasPrefix(c.Dir(), "/var/tmp/pelican-") {
		t.Errorf("the cluster would live in %s", c.Dir())
	}
}
