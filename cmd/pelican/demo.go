package main

import (
	"context"
	"crypto/rand"
	"encoding/base64"
	"errors"
	"flag"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"os"
	"os/exec"
	"path/filepath"
	"runtime/debug"
	"strconv"
	"syscall"
	"time"

	"plainpelican/application"
	"plainpelican/platform/access"
	"plainpelican/platform/cluster"
	"plainpelican/platform/database"
	"plainpelican/platform/settings"
	"plainpelican/sources"
	"plainpelican/standins/bazaar"
	"plainpelican/standins/rates"
	"plainpelican/standins/shop"
	"plainpelican/standins/wholesale"
)

// demoMembers are printed when the demo starts. They exist in the demo only.
var demoMembers = []struct {
	email, name, password string
	role                  access.Role
}{
	{"ines@saltmarsh.example", "Ines", "harbour-lantern", access.Owner},
	{"tomas@saltmarsh.example", "Tomas", "balcony-garden", access.Editor},
	{"wanda@saltmarsh.example", "Wanda", "rain-and-bicycle", access.Fulfiller},
}

var loopback = []netip.Prefix{netip.MustParsePrefix("127.0.0.0/8")}

// demonstration is a running demo.
type demonstration struct {
	dir    string
	port   int
	bazaar *bazaar.Server
	db     *exec.Cmd
	env    []string
	url    string
	sells  bool // from the start, in its second store
	// marketplaces are those that are connected from the start.
	marketplaces []bazaar.Settings
}

func (d *demonstration) address(offset int) string {
	return "127.0.0.1:" + strconv.Itoa(d.port+offset)
}

func demo(ctx context.Context, args []string) error {
	flags := flag.NewFlagSet("demo", flag.ContinueOnError)
	dir := flags.String("dir", ".pelican/demo", "folder for the demo's data")
	reset := flags.Bool("reset", false, "forget all demo data first")
	size := flags.Int("picture-size", 0, "how large the first marketplace draws its pictures, in pixels; 0 is as usual")
	second := flags.Bool("second", true,
		"connect the second marketplace, too, which sells some of the first one's items")
	sells := flags.Bool("orders", true, "connect the second store, too, and start with orders of its customers")
	if err := flags.Parse(args); err != nil {
		return err
	}
	port := 8080
	if text := os.Getenv("PORT"); text != "" {
		var err error
		if port, err = strconv.Atoi(text); err != nil || port < 1 || port > 65000 {
			return fmt.Errorf("PORT is %q: give a port number", text)
		}
	}
	d := &demonstration{dir: *dir, port: port, sells: *sells, marketplaces: []bazaar.Settings{bazaar.Demo}}
	if *size > 0 {
		d.marketplaces[0].PictureSize = *size
	}
	if *second {
		d.marketplaces = append(d.marketplaces, bazaar.Tern)
	}
	servers, err := d.listen()
	if err != nil {
		return err
	}
	defer func() {
		for _, s := range servers {
			_ = s.Close()
		}
	}()
	if err := d.start(ctx, *reset, servers); err != nil {
		d.stopDatabase()
		return err
	}
	defer d.stopDatabase()
	return d.supervise(ctx)
}

// listen takes all ports first, so that a taken one is said before anything is started.
func (d *demonstration) listen() ([]net.Listener, error) {
	probe, err := net.Listen("tcp", d.address(0))
	if err != nil {
		return nil, fmt.Errorf("port %d is in use: set PORT to a free one, with seven free ones after it", d.port)
	}
	_ = probe.Close()
	var all []net.Listener
	for offset := 1; offset <= 7; offset++ {
		l, err := net.Listen("tcp", d.address(offset))
		if err != nil {
			return nil,
				fmt.Errorf("port %d is in use: set PORT so that it and the seven after it are free", d.port+offset)
		}
		all = append(all, l)
	}
	return all, nil
}

func (d *demonstration) start(ctx context.Context, reset bool, servers []net.Listener) error {
	server, err := cluster.New(filepath.Join(d.dir, "postgres"), false)
	if err != nil {
		return err
	}
	if reset {
		_ = server.Stop() // where one was left running
		for _, dir := range []string{server.Dir(), d.dir} {
			if err := os.RemoveAll(dir); err != nil {
				return err
			}
		}
		if server, err = cluster.New(filepath.Join(d.dir, "postgres"), false); err != nil {
			return err
		}
	}
	fmt.Println("Starting the database in", server.Dir())
	admin, child, err := server.Start(ctx, true)
	if err != nil {
		return err
	}
	d.db = child
	if d.url, err = cluster.Database(ctx, admin, "pelican"); err != nil {
		return err
	}
	if err := d.standIns(servers); err != nil {
		return err
	}
	key, err := demoKey(d.dir)
	if err != nil {
		return err
	}
	d.env = append(os.Environ(), "DATABASE_URL="+d.url, "PELICAN_KEY="+key,
		"PELICAN_DATA="+filepath.Join(d.dir, "blobs"), "PELICAN_ALLOW_NETWORKS=127.0.0.0/8",
		"PELICAN_LISTEN="+d.address(0), "PELICAN_PUBLIC_URL=http://localhost:"+strconv.Itoa(d.port),
		"PELICAN_RATES_URL=http://"+d.address(4)+"/daily.xml")
	err = d.seed(ctx, key)
	debug.FreeOSMemory() // hashing the members' passwords took much, once
	return err
}

// standIns serves the simulated parties on their ports.
func (d *demonstration) standIns(servers []net.Listener) error {
	quayside, tern := bazaar.Demo, bazaar.Tern
	quayside.File, tern.File = filepath.Join(d.dir, "quayside.json"), filepath.Join(d.dir, "tern.json")
	d.bazaar = bazaar.New(quayside)
	handlers := []http.Handler{d.bazaar.Handler()}
	for _, s := range []shop.Settings{shop.Goods, shop.Nord} {
		store, err := shop.New(s, filepath.Join(d.dir, "standins", s.Handle))
		if err != nil {
			return err
		}
		handlers = append(handlers, store.Handler())
	}
	handlers = append(handlers, (&rates.Server{Now: time.Now}).Handler(), bazaar.New(tern).Handler(),
		wholesale.New(260).Handler(), wholesale.Corvane(180).Handler())
	for i, h := range handlers {
		server := &http.Server{Handler: h, ReadHeaderTimeout: 10 * time.Second}
		go func() { _ = server.Serve(servers[i]) }()
	}
	return nil
}

func demoKey(dir string) (string, error) {
	file := filepath.Join(dir, "key")
	if key, err := os.ReadFile(file); err == nil {
		return string(key), nil
	}
	raw := make([]byte, 32)
	_, _ = rand.Read(raw) // crypto/rand never fails
	key := base64.StdEncoding.EncodeToString(raw)
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return "", err
	}
	return key, os.WriteFile(file, []byte(key), 0o600)
}

// seed adds the demo's members and its marketplace, once.
func (d *demonstration) seed(ctx context.Context, key string) error {
	pool, err := database.Open(ctx, d.url)
	if err != nil {
		return err
	}
	defer pool.Close()
	if err := database.Migrate(ctx, pool); err != nil {
		return err
	}
	var members int
	if err := pool.QueryRow(ctx, `select count(*) from member`).Scan(&members); err != nil || members > 0 {
		return err
	}
	raw, err := base64.StdEncoding.DecodeString(key)
	if err != nil {
		return err
	}
	a, err := application.New(settings.Settings{Key: raw, Data: filepath.Join(d.dir, "blobs"), AllowNetworks: loopback,
		RatesURL: "http://" + d.address(4) + "/daily.xml"}, pool, slog.New(slog.DiscardHandler))
	if err != nil {
		return err
	}
	if err := a.Jobs.Start(ctx, false); err != nil {
		return err
	}
	if err := a.FetchRates(ctx); err != nil {
		return err
	}
	for i, of := range d.marketplaces {
		if _, err := a.Sources.Connect(access.With(ctx, access.Identity{Name: "the demo"}),
			sources.Credentials{Address: "http://" + d.address([]int{1, 5}[i]), ClientID: of.ClientID,
				ClientSecret: of.ClientSecret}); err != nil {
			return err
		}
	}
	for _, m := range demoMembers {
		if _, err := a.Members.Add(ctx, m.email, m.name, m.role, m.password); err != nil {
			return err
		}
	}
	return nil
}

// supervise runs the application, starting it again where it ends unasked.
func (d *demonstration) supervise(ctx context.Context) error {
	self, err := os.Executable()
	if err != nil {
		return err
	}
	log, err := os.OpenFile(filepath.Join(d.dir, "application.log"), os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o644)
	if err != nil {
		return err
	}
	defer func() { _ = log.Close() }()
	go d.nextDay(ctx)
	for first := true; ; first = false {
		app := exec.Command(self, "serve")
		app.Env, app.Stdout, app.Stderr = d.env, log, log
		app.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGTERM, Setpgid: true}
		if err := app.Start(); err != nil {
			return err
		}
		if err := os.WriteFile(filepath.Join(d.dir, "application.pid"), []byte(strconv.Itoa(app.Process.Pid)),
			0o644); err != nil {
			return err
		}
		ended := make(chan error, 1)
		go func() { ended <- app.Wait() }()
		if first {
			if err := d.announce(ctx, ended, log.Name()); err != nil {
				return err
			}
			if d.sells {
				go func() {
					if err := d.startOrders(ctx); err != nil && ctx.Err() == nil {
						fmt.Println("The demo's orders could not be made:", err)
					}
				}()
			}
		}
		select {
		case <-ctx.Done():
			fmt.Println("\nStopping.")
			_ = app.Process.Signal(syscall.SIGTERM)
			select {
			case <-ended:
			case <-time.After(15 * time.Second):
				_ = app.Process.Kill()
			}
			return nil
		case err := <-ended:
			fmt.Println("The application ended:", err, "— starting it again.")
			time.Sleep(500 * time.Millisecond)
		}
	}
}

func (d *demonstration) announce(ctx context.Context, ended <-chan error, log string) error {
	for range 300 {
		select {
		case err := <-ended:
			return fmt.Errorf("the application did not start (%w): see %s", err, log)
		case <-ctx.Done():
			return nil
		case <-time.After(100 * time.Millisecond):
		}
		answer, err := http.Get("http://" + d.address(0) + "/readyz")
		if err != nil {
			continue
		}
		_ = answer.Body.Close()
		if answer.StatusCode != http.StatusOK {
			continue
		}
		fmt.Printf("\nPlain Pelican is at http://localhost:%d\n\nSign in as:\n", d.port)
		for _, m := range demoMembers {
			fmt.Printf("  %-26s %-18s (%s)\n", m.email, m.password, m.role)
		}
		nord := "to connect, too"
		if d.sells {
			nord = "connected by itself, with a few orders"
		}
		fmt.Printf("\nStores to connect:         http://%s  (Saltmarsh Goods, USD)\n                           "+
			"http://%s  (Saltmarsh Nord, EUR; %s)\n", d.address(2), d.address(3), nord)
		fmt.Printf("Marketplaces, connected:   http://%s  client id %s, secret %s\n", d.address(1),
			bazaar.Demo.ClientID, bazaar.Demo.ClientSecret)
		fmt.Printf(
			"                           http://%s  client id %s, secret %s\nPrice list to connect:     "+
				"http://%s/price-list.csv  (or .xlsx)\nCatalogue to connect:      http://%s/catalogue.xml\n"+
				"Customers' orders:         buy in the store's pages, or curl -X POST 'http://%s/-/orders?count=5'\n\n"+
				"Ctrl-C stops everything.\n", d.address(5), bazaar.Tern.ClientID, bazaar.Tern.ClientSecret, d.address(
				6),
			d.address(7), d.address(2))
		return nil
	}
	return errors.New("the application did not answer within 30 seconds: see " + log)
}

// nextDay moves the marketplace's clock on once its catalog has been taken in, so that the
// demo's catalog is a day old: one supplier has withdrawn an offer since, others moved prices.
func (d *demonstration) nextDay(ctx context.Context) {
	pool, err := database.Open(ctx, d.url)
	if err != nil {
		return
	}
	defer pool.Close()
	for ctx.Err() == nil {
		var done bool
		if err := pool.QueryRow(ctx, `select exists (select from import_run where state = 'finished')`).
			Scan(&done); err == nil && done {
			d.bazaar.SetDay(1)
			return
		}
		time.Sleep(200 * time.Millisecond)
	}
}

func (d *demonstration) stopDatabase() {
	if d.db == nil {
		return
	}
	_ = d.db.Process.Signal(syscall.SIGINT)
	_ = d.db.Wait()
}
