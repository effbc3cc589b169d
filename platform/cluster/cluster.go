// Package cluster keeps a PostgreSQL server of the project's own in a folder: on
// loopback, on a free port, as an unprivileged user, with a password file.
package cluster

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"
)

// Cluster is a PostgreSQL server's folder.
type Cluster struct {
	dir      string
	volatile bool
	owner    *syscall.Credential
	bin      string
}

// ErrNoServer is returned where Debian's PostgreSQL server is not installed.
var ErrNoServer = errors.New("PostgreSQL's server is not installed: apt-get install postgresql-15")

// New prepares a cluster under dir. A volatile one trades safety for speed, for tests.
// Run by root, the server belongs to the user postgres, since it refuses root; where that
// user cannot enter dir, the cluster lives under /var/tmp instead, and Dir says where.
func New(dir string, volatile bool) (*Cluster, error) {
	found, err := filepath.Glob("/usr/lib/postgresql/*/bin/postgres")
	if err != nil || len(found) == 0 {
		return nil, ErrNoServer
	}
	c := &Cluster{volatile: volatile, bin: filepath.Dir(found[len(found)-1])}
	if c.dir, err = filepath.Abs(dir); err != nil {
		return nil, err
	}
	if os.Geteuid() == 0 {
		postgres, err := user.Lookup("postgres")
		if err != nil {
			return nil, ErrNoServer
		}
		uid, _ := strconv.ParseUint(postgres.Uid, 10, 32)
		gid, _ := strconv.ParseUint(postgres.Gid, 10, 32)
		c.owner = &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}
		if !c.canEnter(filepath.Dir(c.dir)) {
			c.dir = filepath.Join("/var/tmp", "pelican"+strings.ReplaceAll(c.dir, "/", "-"))
		}
	}
	return c, nil
}

func (c *Cluster) canEnter(dir string) bool {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return false
	}
	return c.command("/usr/bin/test", "-x", dir).Run() == nil
}

func (c *Cluster) command(name string, args ...string) *exec.Cmd {
	cmd := exec.Command(name, args...)
	cmd.Dir = "/"
	cmd.Env = []string{"LC_ALL=C.UTF-8", "PATH=/usr/bin:/bin"}
	cmd.SysProcAttr = &syscall.SysProcAttr{Credential: c.owner}
	return cmd
}

// Dir is where the cluster lives.
func (c *Cluster) Dir() string { return c.dir }

func (c *Cluster) data() string     { return filepath.Join(c.dir, "data") }
func (c *Cluster) password() string { return filepath.Join(c.dir, "password") }

func (c *Cluster) init() error {
	if _, err := os.Stat(filepath.Join(c.data(), "PG_VERSION")); err == nil {
		return nil
	}
	if err := os.MkdirAll(c.dir, 0o700); err != nil {
		return err
	}
	if err := os.RemoveAll(c.data()); err != nil {
		return err
	}
	if err := os.WriteFile(c.password(), []byte(rand.Text()), 0o600); err != nil {
		return err
	}
	if c.owner != nil {
		for _, path := range []string{c.dir, c.password()} {
			if err := os.Chown(path, int(c.owner.Uid), int(c.owner.Gid)); err != nil {
				return err
			}
		}
	}
	auth := "scram-sha-256"
	if c.volatile {
		auth = "md5" // a test makes hundreds of connections, each with thousands of hashes otherwise
	}
	out, err := c.command(filepath.Join(c.bin, "initdb"), "-D", c.data(), "-U", "pelican", "--encoding=UTF8",
		"--locale=C.UTF-8", "--auth="+auth, "--pwfile="+c.password(), "--no-sync").CombinedOutput()
	if err != nil {
		_ = os.RemoveAll(c.data())
		return fmt.Errorf("making the database cluster: %w: %s", err, out)
	}
	return nil
}

// Start returns the address of the running server. A server left by a killed start is
// found and used. With a parent, the server is a child that ends with this process and
// its command is returned; otherwise it goes on until Stop.
func (c *Cluster) Start(ctx context.Context, asChild bool) (string, *exec.Cmd, error) {
	if err := c.init(); err != nil {
		return "", nil, err
	}
	if url, err := c.running(ctx); err == nil {
		return url, nil, nil
	}
	port, err := freePort()
	if err != nil {
		return "", nil, err
	}
	args := []string{"-D", c.data(), "-p", strconv.Itoa(port), "-c", "listen_addresses=127.0.0.1", "-c",
		"unix_socket_directories=",
		"-c", "shared_buffers=256MB", "-c", "max_wal_size=4GB", "-c", "wal_compression=lz4", "-c",
		"max_connections=200", "-c", "log_min_messages=fatal"}
	if c.volatile {
		args = append(args, "-c", "fsync=off", "-c", "synchronous_commit=off", "-c", "full_page_writes=off")
	}
	log, err := os.OpenFile(filepath.Join(c.dir, "server.log"), os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o600)
	if err != nil {
		return "", nil, err
	}
	defer func() { _ = log.Close() }()
	cmd := c.command(filepath.Join(c.bin, "postgres"), args...)
	cmd.Stdout, cmd.Stderr = log, log
	cmd.SysProcAttr.Setpgid = true
	if asChild {
		cmd.SysProcAttr.Pdeathsig = syscall.SIGINT // a fast shutdown
	}
	if err := cmd.Start(); err != nil {
		return "", nil, fmt.Errorf("starting the database: %w", err)
	}
	for range 600 {
		if url, err := c.running(ctx); err == nil {
			return url, cmd, nil
		}
		time.Sleep(50 * time.Millisecond)
	}
	said, _ := os.ReadFile(log.Name())
	return "", nil, fmt.Errorf("the database did not start: %s", said)
}

// running finds a live server by its pid file and returns its address.
func (c *Cluster) running(ctx context.Context) (string, error) {
	pid, err := os.ReadFile(filepath.Join(c.data(), "postmaster.pid"))
	if err != nil {
		return "", err
	}
	lines := strings.Split(string(pid), "\n")
	if len(lines) < 4 {
		return "", errors.New("starting")
	}
	password, err := os.ReadFile(c.password())
	if err != nil {
		return "", err
	}
	url := fmt.Sprintf("postgres://pelican:%s@127.0.0.1:%s/postgres?sslmode=disable", password,
		strings.TrimSpace(lines[3]))
	ctx, cancel := context.WithTimeout(ctx, 2*time.Second)
	defer cancel()
	conn, err := pgx.Connect(ctx, url)
	if err != nil {
		return "", err
	}
	return url, conn.Close(ctx)
}

// Stop ends a server that is not a child.
func (c *Cluster) Stop() error {
	return c.command(filepath.Join(c.bin, "pg_ctl"), "-D", c.data(), "-m", "fast", "-w", "stop").Run()
}

// Restart ends a server that is not a child as a crash would, and starts it at the same port.
func (c *Cluster) Restart() error {
	return c.command(filepath.Join(c.bin, "pg_ctl"), "-D", c.data(), "-m", "immediate", "-w", "-s", "-l", os.DevNull,
		"restart").Run()
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	defer func() { _ = l.Close() }()
	return l.Addr().(*net.TCPAddr).Port, nil
}

// Database returns the address of a database in the cluster, made where it is missing.
func Database(ctx context.Context, server, name string) (string, error) {
	conn, err := pgx.Connect(ctx, server)
	if err != nil {
		return "", err
	}
	defer func() { _ = conn.Close(ctx) }()
	var there bool
	if err := conn.QueryRow(ctx, `select exists (select from pg_database where datname = $1)`, name).
		Scan(&there); err != nil {
		return "", err
	}
	if !there {
		if _, err := conn.Exec(ctx, `create database `+pgx.Identifier{name}.Sanitize()); err != nil {
			return "", err
		}
	}
	return strings.Replace(server, "/postgres?", "/"+name+"?", 1), nil
}
