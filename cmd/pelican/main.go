// Command pelican is the whole of Plain Pelican: the application, its demo and its tools.
package main

import (
	"bufio"
	"context"
	"errors"
	"flag"
	"fmt"
	"log/slog"
	"net/http"
	"os"
	"os/signal"
	"runtime"
	"strings"
	"syscall"
	"time"

	"plainpelican/application"
	"plainpelican/platform/access"
	"plainpelican/platform/apikit"
	"plainpelican/platform/database"
	"plainpelican/platform/settings"
)

// Children are started from the main thread, so that they end with this process and not
// with one of its threads.
func init() { runtime.LockOSThread() }

type command struct {
	name, short, long string
	run               func(ctx context.Context, args []string) error
}

var commands []command

func init() {
	commands = []command{
		{"serve", "run the application",
			"Runs the application. Settings come from environment variables; the README lists them.", serve},
		{"demo", "run everything with demo data",
			"Starts a database, the stand-ins and the application with demo data, and prints the address.\n\n  " +
				"pelican demo [--dir FOLDER] [--reset]", demo},
		{"migrate", "bring the database up to date", "Brings the schema of the database at DATABASE_URL up to date.",
			migrate},
		{"member", "add a member",
			"Adds a member; the password is read from standard input.\n\n  pelican member --email ada@example.com " +
				"--name Ada --role owner", member},
		{"password", "set a member's password",
			"Gives a member another password, read from standard input; they are signed out everywhere.\n\n  pelican " +
				"password --email ada@example.com", password},
		{"rekey", "change the key that seals secrets",
			"Seals all connection secrets with the key in PELICAN_KEY instead of that in PELICAN_OLD_KEY. Stop all " +
				"instances first.\n\n  PELICAN_OLD_KEY=... PELICAN_KEY=... pelican rekey", rekey},
		{"backup", "write database, pictures and files to a file", backupHelp, backup},
		{"restore", "read them back", restoreHelp, restore},
		{"openapi", "print the OpenAPI document", "Prints the OpenAPI 3.1 document of the API.", openapi},
		{"price", "price a file of costs", priceHelp, price},
		{"bench", "measure against a yardstick",
			"Measures, beside a yardstick in the same run; the last line is one JSON object.\n\n  pelican bench " +
				"price|reprice|ingest|refresh|formats|search|lookalike|keys [flags]", bench},
	}
}

func main() {
	if len(os.Args) < 2 || os.Args[1] == "help" || os.Args[1] == "-h" || os.Args[1] == "--help" {
		fmt.Printf("Plain Pelican %s\n\nusage: pelican COMMAND [flags]; pelican COMMAND --help says more\n\n",
			apikit.Version)
		for _, c := range commands {
			fmt.Printf("  %-8s %s\n", c.name, c.short)
		}
		return
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	for _, c := range commands {
		if c.name != os.Args[1] {
			continue
		}
		if len(os.Args) > 2 && (os.Args[2] == "--help" || os.Args[2] == "-h") {
			fmt.Println(c.long)
			return
		}
		if err := c.run(ctx, os.Args[2:]); err != nil {
			fmt.Fprintln(os.Stderr, "pelican "+c.name+": "+err.Error())
			var coded interface{ ExitCode() int }
			if errors.As(err, &coded) {
				os.Exit(coded.ExitCode())
			}
			os.Exit(1)
		}
		return
	}
	fmt.Fprintf(os.Stderr, "pelican: there is no command %q; pelican help lists them\n", os.Args[1])
	os.Exit(2)
}

func logger() *slog.Logger { return slog.New(slog.NewJSONHandler(os.Stderr, nil)) }

// open reads the settings and opens the database, brought up to date.
func open(ctx context.Context) (*application.Application, func(), error) {
	s, err := settings.Read()
	if err != nil {
		return nil, nil, err
	}
	pool, err := database.Open(ctx, s.DatabaseURL)
	if err != nil {
		return nil, nil, err
	}
	if err := database.Migrate(ctx, pool); err != nil {
		pool.Close()
		return nil, nil, err
	}
	a, err := application.New(s, pool, logger())
	if err != nil {
		pool.Close()
		return nil, nil, err
	}
	return a, pool.Close, nil
}

func serve(ctx context.Context, _ []string) error {
	a, closeAll, err := open(ctx)
	if err != nil {
		return err
	}
	defer closeAll()
	if err := a.Start(context.WithoutCancel(ctx)); err != nil {
		return err
	}
	defer a.Stop()
	streams, endStreams := context.WithCancel(context.Background())
	server := &http.Server{
		Addr: a.Settings.Listen, Handler: http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			ctx, cancel := context.WithCancel(r.Context())
			defer cancel()
			defer context.AfterFunc(streams, cancel)()
			a.Handler().ServeHTTP(w, r.WithContext(ctx))
		}),
		ReadHeaderTimeout: 10 * time.Second, ReadTimeout: time.Minute, IdleTimeout: 2 * time.Minute,
		MaxHeaderBytes: 32 << 10,
	}
	failed := make(chan error, 1)
	go func() { failed <- server.ListenAndServe() }()
	a.Log.Info("serving", "address", a.Settings.PublicURL)
	select {
	case err := <-failed:
		endStreams()
		return err
	case <-ctx.Done():
	}
	endStreams()
	closing, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	if err := server.Shutdown(closing); err != nil && !errors.Is(err, context.DeadlineExceeded) {
		return err
	}
	return nil
}

func migrate(ctx context.Context, _ []string) error {
	pool, err := database.Open(ctx, os.Getenv("DATABASE_URL"))
	if err != nil {
		return err
	}
	defer pool.Close()
	return database.Migrate(ctx, pool)
}

func member(ctx context.Context, args []string) error {
	flags := flag.NewFlagSet("member", flag.ContinueOnError)
	email, name, role := flags.String("email", "", "mail address"), flags.String("name", "", "name"),
		flags.String("role", "owner", "owner, editor, fulfiller or order_handler")
	if err := flags.Parse(args); err != nil {
		return err
	}
	a, closeAll, err := open(ctx)
	if err != nil {
		return err
	}
	defer closeAll()
	line, err := secretLine()
	if err != nil {
		return err
	}
	id, err := a.Members.Add(ctx, *email, *name, access.Role(*role), line)
	if err == nil {
		fmt.Printf("member %d added: %s, %s\n", id, *email, *role)
	}
	return err
}

// secretLine reads one line from standard input, which may hold spaces.
func secretLine() (string, error) {
	line, err := bufio.NewReader(os.Stdin).ReadString('\n')
	if line = strings.TrimRight(line, "\r\n"); line == "" {
		return "", fmt.Errorf("reading the password from standard input: %w", err)
	}
	return line, nil
}

func password(ctx context.Context, args []string) error {
	flags := flag.NewFlagSet("password", flag.ContinueOnError)
	email := flags.String("email", "", "mail address")
	if err := flags.Parse(args); err != nil {
		return err
	}
	a, closeAll, err := open(ctx)
	if err != nil {
		return err
	}
	defer closeAll()
	id, err := a.Members.ByEmail(ctx, *email)
	if database.Missing(err) {
		return fmt.Errorf("there is no member with %s", *email)
	}
	if err != nil {
		return err
	}
	line, err := secretLine()
	if err != nil {
		return err
	}
	if err := a.Members.SetPassword(ctx, id, line); err != nil {
		return err
	}
	fmt.Printf("%s has a new password and is signed out everywhere\n", *email)
	return nil
}

func openapi(context.Context, []string) error {
	document, err := application.Document()
	if err != nil {
		return err
	}
	_, err = fmt.Println(string(document))
	return err
}
