package main

import (
	"context"
	"encoding/base64"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5"

	"plainpelican/application"
	"plainpelican/platform/blobs"
	"plainpelican/platform/database"
	"plainpelican/platform/secrets"
	"plainpelican/testkit"
)

// pelican runs the binary and returns what it says.
func pelican(t *testing.T, env []string, input string, args ...string) (string, error) {
	t.Helper()
	binary, err := built()
	if err != nil {
		t.Fatal(err)
	}
	cmd := exec.Command(binary, args...)
	cmd.Env, cmd.Stdin = append(os.Environ(), env...), strings.NewReader(input)
	said, err := cmd.CombinedOutput()
	return string(said), err
}

func TestABackupIsRestoredWhole(t *testing.T) {
	w := testkit.Start(t)
	store := w.Ready()
	id := w.Take(w.Offer(0))[0]
	if run := w.Publish(store.ID, id); run.Published != 1 {
		t.Fatalf("%+v", run)
	}
	file := filepath.Join(t.TempDir(), "backup")
	env := func(url, data string) []string {
		return []string{"DATABASE_URL=" + url, "PELICAN_DATA=" + data,
			"PELICAN_KEY=" + base64.StdEncoding.EncodeToString(make([]byte, 32))}
	}
	if said, err := pelican(t, env(w.App.Pool.Config().ConnString(), w.Settings.Data), "", "backup", file); err != nil {
		t.Fatalf("%v: %s", err, said)
	}
	content, err := os.ReadFile(file)
	if err != nil || strings.Contains(string(content), base64.StdEncoding.EncodeToString(make([]byte, 32))) {
		t.Errorf("the key is in it: %v", err)
	}
	empty, data := testkit.EmptyDatabase(t), filepath.Join(t.TempDir(), "data")
	if said, err := pelican(t, env(empty.Config().ConnString(), data), "", "restore", file); err != nil {
		t.Fatalf("%v: %s", err, said)
	}
	w.Settings.Data = data
	app, url := w.Instance(empty)
	testkit.Until(t, "the index", func() bool { _, err := app.Search.Ready(); return err == nil })
	w.URL = url
	again := w.SignIn("olga@example.com", "a long password")
	var page struct{ Listings []map[string]any }
	again.Must("GET", "/api/listings?store=1", nil, &page)
	listings := page.Listings
	if len(listings) != 1 || listings[0]["draft_id"] != float64(id) {
		t.Errorf("%v", listings)
	}
	if kind := again.Kind(listings[0]["picture"].(string)); !strings.HasPrefix(kind, "image/") {
		t.Errorf("the picture is %s", kind)
	}
	// Nothing is overwritten, and what is cut off is no backup.
	if said, err := pelican(t, env(empty.Config().ConnString(), filepath.Join(t.TempDir(), "d")), "", "restore",
		file); err == nil || !strings.Contains(said, "not empty") {
		t.Errorf("%v: %s", err, said)
	}
	if err := os.WriteFile(file, content[:len(content)/2], 0o600); err != nil {
		t.Fatal(err)
	}
	if said, err := pelican(t, env(testkit.EmptyDatabase(t).Config().ConnString(), filepath.Join(t.TempDir(), "d")), "",
		"restore", file); err == nil {
		t.Errorf("half a backup was restored: %s", said)
	}
}

func TestInstancesShareOneFolder(t *testing.T) {
	w := testkit.Start(t)
	folder := func(dir string) *blobs.Folder {
		f, err := blobs.Open(dir)
		if err != nil {
			t.Fatal(err)
		}
		return f
	}
	if err := application.ClaimFolder(t.Context(), w.App.Pool, folder(w.Settings.Data), false); err != nil {
		t.Errorf("the same folder: %v", err)
	}
	if err := application.ClaimFolder(t.Context(), w.App.Pool, folder(t.TempDir()), false); err == nil ||
		!strings.Contains(err.Error(), "PELICAN_DATA") {
		t.Errorf("another folder: %v", err)
	}
}

func TestTheKeyIsChanged(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	key := make([]byte, 32)
	key[0] = 7
	old, err := secrets.New(make([]byte, 32))
	if err != nil {
		t.Fatal(err)
	}
	next, err := secrets.New(key)
	if err != nil {
		t.Fatal(err)
	}
	change := func(from, to *secrets.Box) (n int, err error) {
		err = database.InTx(context.Background(), w.App.Pool, func(tx pgx.Tx) (err error) {
			n, err = application.Rekey(t.Context(), tx, from, to)
			return err
		})
		return n, err
	}
	w.App.Stop() // as the command asks: an instance with the old key would take work that it cannot do any more
	if _, err := change(next, old); err == nil {
		t.Error("a wrong key opened what is sealed")
	}
	if n, err := change(old, next); err != nil || n != 2 {
		t.Errorf("%d, %v", n, err)
	}
	w.Settings.Key = key
	_, url := w.Instance(w.App.Pool)
	w.URL = url
	again := w.SignIn("olga@example.com", "a long password")
	if problem := again.Ask(http.MethodPost, "/api/listings/check?store=1", nil, nil); problem != nil {
		t.Errorf("%+v", problem)
	}
	if run := w.Publish(1, w.Take(w.Offer(1))...); run.Published != 1 {
		t.Errorf("with the new key: %+v", run.Items)
	}
}

func TestAPasswordIsSetByCommand(t *testing.T) {
	w := testkit.Start(t)
	env := []string{"DATABASE_URL=" + w.App.Pool.Config().ConnString(), "PELICAN_DATA=" + w.Settings.Data,
		"PELICAN_KEY=" + base64.StdEncoding.EncodeToString(make([]byte, 32))}
	if said, err := pelican(t, env, "words with spaces in it\n", "password", "--email",
		"olga@example.com"); err != nil {
		t.Fatalf("%v: %s", err, said)
	}
	if problem := w.Owner.Ask("GET", "/api/me", nil, nil); problem == nil || problem.Status != 401 {
		t.Errorf("the old session goes on: %+v", problem)
	}
	w.SignIn("olga@example.com", "words with spaces in it")
}
