package main

import (
	"archive/tar"
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"github.com/jackc/pgx/v5/pgxpool"

	"plainpelican/application"
	"plainpelican/platform/apikit"
	"plainpelican/platform/blobs"
	"plainpelican/platform/database"
)

const backupHelp = `Writes the database at DATABASE_URL, and the pictures
	and files in PELICAN_DATA, to one file. The application may
run meanwhile. The key in PELICAN_KEY is not in it: keep it apart. PostgreSQL's pg_dump must be installed.

  pelican backup FILE`

const restoreHelp = `Reads a backup into the empty database at DATABASE_URL and the empty folder PELICAN_DATA,
	and brings the schema up
to date. Start the application with the PELICAN_KEY that it ran with. PostgreSQL's pg_restore must be installed.

  pelican restore FILE`

// manifest is the first entry of a backup.
type manifest struct {
	Format  string    `json:"format"`
	Version string    `json:"version"`
	Schema  int64     `json:"schema"`
	At      time.Time `json:"at"`
}

const backupFormat = "plain-pelican-backup/1"

// postgresTool finds a program of PostgreSQL's, the newest that Debian's packages brought.
func postgresTool(name string) (string, error) {
	found, err := filepath.Glob("/usr/lib/postgresql/*/bin/" + name)
	if err == nil && len(found) > 0 {
		return found[len(found)-1], nil
	}
	path, err := exec.LookPath(name)
	if err != nil {
		return "", fmt.Errorf("%s is not installed: apt-get install postgresql-client", name)
	}
	return path, nil
}

// postgresCommand runs such a program on a database, whose password is not among its arguments.
func postgresCommand(ctx context.Context, pool *pgxpool.Pool, name string, args ...string) (*exec.Cmd, error) {
	path, err := postgresTool(name)
	if err != nil {
		return nil, err
	}
	c := pool.Config().ConnConfig
	cmd := exec.CommandContext(ctx, path, args...)
	cmd.Env = append(os.Environ(), "PGHOST="+c.Host, "PGPORT="+strconv.Itoa(int(c.Port)), "PGUSER="+c.User,
		"PGPASSWORD="+c.Password, "PGDATABASE="+c.Database)
	if c.TLSConfig != nil {
		cmd.Env = append(cmd.Env, "PGSSLMODE=require")
	}
	cmd.Stderr = os.Stderr
	return cmd, nil
}

func dataFolder() string {
	if dir := os.Getenv("PELICAN_DATA"); dir != "" {
		return dir
	}
	return "data"
}

func backup(ctx context.Context, args []string) (err error) {
	if len(args) != 1 {
		return errors.New("name the file to write: pelican backup FILE")
	}
	pool, err := database.Open(ctx, os.Getenv("DATABASE_URL"))
	if err != nil {
		return err
	}
	defer pool.Close()
	schema, err := database.Version(ctx, pool)
	if err != nil {
		return err
	}
	// Written beside it and renamed when it is whole: a backup that was cut off never passes for one.
	out, err := os.CreateTemp(filepath.Dir(args[0]), ".backup-*")
	if err != nil {
		return err
	}
	defer func() {
		_ = out.Close()
		_ = os.Remove(out.Name()) // gone already once renamed
	}()
	buffered := bufio.NewWriterSize(out, 1<<20)
	archive := tar.NewWriter(buffered)
	head, err := json.Marshal(manifest{backupFormat, apikit.Version, schema, time.Now().UTC()})
	if err != nil {
		return err
	}
	if err := archive.WriteHeader(&tar.Header{Name: "manifest.json", Mode: 0o600, Size: int64(len(head)),
		ModTime: time.Now()}); err != nil {
		return err
	}
	if _, err := archive.Write(head); err != nil {
		return err
	}
	// The database first: files are only ever added, so whatever it names is there afterwards.
	dump, err := os.CreateTemp(filepath.Dir(args[0]), ".dump-*")
	if err != nil {
		return err
	}
	defer func() {
		_ = dump.Close()
		_ = os.Remove(dump.Name())
	}()
	cmd, err := postgresCommand(ctx, pool, "pg_dump", "--format=custom", "--no-owner", "--no-privileges")
	if err != nil {
		return err
	}
	cmd.Stdout = dump
	if err := cmd.Run(); err != nil {
		return fmt.Errorf("pg_dump: %w", err)
	}
	if err := addFile(archive, dump.Name(), "database.dump"); err != nil {
		return err
	}
	files := 0
	root := dataFolder()
	err = filepath.WalkDir(root, func(path string, entry fs.DirEntry, err error) error {
		if errors.Is(err, fs.ErrNotExist) {
			return nil // let go meanwhile
		}
		if err != nil || entry.IsDir() || strings.HasPrefix(entry.Name(), "new-") {
			return err
		}
		name, err := filepath.Rel(root, path)
		if err != nil {
			return err
		}
		files++
		return addFile(archive, path, "data/"+filepath.ToSlash(name))
	})
	if err != nil {
		return err
	}
	for _, step := range []func() error{archive.Close, buffered.Flush, out.Sync, out.Close} {
		if err := step(); err != nil {
			return err
		}
	}
	if err := os.Rename(out.Name(), args[0]); err != nil {
		return err
	}
	fmt.Printf("%s holds the database and %d files. PELICAN_KEY is not in it: keep it apart.\n", args[0], files)
	return nil
}

func addFile(archive *tar.Writer, path, name string) error {
	in, err := os.Open(path)
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if err != nil {
		return err
	}
	defer func() { _ = in.Close() }()
	info, err := in.Stat()
	if err != nil {
		return err
	}
	if err := archive.WriteHeader(&tar.Header{Name: name, Mode: 0o600, Size: info.Size(),
		ModTime: info.ModTime()}); err != nil {
		return err
	}
	_, err = io.CopyN(archive, in, info.Size())
	return err
}

func restore(ctx context.Context, args []string) error {
	if len(args) != 1 {
		return errors.New("name the file to read: pelican restore FILE")
	}
	in, err := os.Open(args[0])
	if err != nil {
		return err
	}
	defer func() { _ = in.Close() }()
	archive := tar.NewReader(bufio.NewReaderSize(in, 1<<20))
	m, err := readManifest(archive)
	if err != nil {
		return err
	}
	pool, err := database.Open(ctx, os.Getenv("DATABASE_URL"))
	if err != nil {
		return err
	}
	defer pool.Close()
	if newest := database.Newest(); m.Schema > newest {
		return fmt.Errorf("the backup is of a newer version, %s: restore it with that one", m.Version)
	}
	var tables int
	if err := pool.QueryRow(ctx, `select count(*) from pg_tables
		where schemaname = 'public'`).Scan(&tables); err != nil {
		return err
	}
	if tables > 0 {
		return errors.New("the database is not empty: make a new one, so that nothing is overwritten")
	}
	root := dataFolder()
	if entries, err := os.ReadDir(root); err == nil && len(entries) > 0 {
		return fmt.Errorf("the folder %s is not empty: give a new one in PELICAN_DATA, so that nothing is overwritten",
			root)
	}
	folder, err := blobs.Open(root)
	if err != nil {
		return err
	}
	files := 0
	for {
		entry, err := archive.Next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return fmt.Errorf("the backup is cut off or damaged: %w", err)
		}
		name, isData := strings.CutPrefix(entry.Name, "data/")
		switch {
		case entry.Name == "database.dump":
			err = restoreDatabase(ctx, pool, archive)
		case isData && filepath.IsLocal(name):
			files++
			err = restoreFile(archive, filepath.Join(root, filepath.FromSlash(name)))
		default:
			err = fmt.Errorf("%q does not belong into a backup", entry.Name)
		}
		if err != nil {
			return err
		}
	}
	if err := database.Migrate(ctx, pool); err != nil {
		return err
	}
	if err := application.ClaimFolder(ctx, pool, folder, true); err != nil {
		return err
	}
	fmt.Printf("The database and %d files are restored, as they were at %s. Start the application with the "+
		"PELICAN_KEY of then.\n", files, m.At.Format(time.RFC3339))
	return nil
}

func readManifest(archive *tar.Reader) (m manifest, err error) {
	entry, err := archive.Next()
	if err != nil || entry.Name != "manifest.json" {
		return m, errors.New("that file is not a backup")
	}
	if err := json.NewDecoder(io.LimitReader(archive, 1<<16)).Decode(&m); err != nil || m.Format != backupFormat {
		return m, errors.New("that file is not a backup of this program")
	}
	return m, nil
}

func restoreDatabase(ctx context.Context, pool *pgxpool.Pool, dump io.Reader) error {
	cmd, err := postgresCommand(ctx, pool, "pg_restore", "--no-owner", "--no-privileges", "--exit-on-error",
		"--single-transaction", "--dbname="+pool.Config().ConnConfig.Database)
	if err != nil {
		return err
	}
	cmd.Stdin = dump
	if err := cmd.Run(); err != nil {
		return fmt.Errorf("pg_restore: %w", err)
	}
	return nil
}

func restoreFile(content io.Reader, path string) error {
	if err := os.MkdirAll(filepath.Dir(path), 0o750); err != nil {
		return err
	}
	out, err := os.OpenFile(path, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	_, err = io.Copy(out, content)
	if closed := out.Close(); err == nil {
		err = closed
	}
	return err
}
