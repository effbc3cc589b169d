package main

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"hash/fnv"
	"image/jpeg"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"time"

	"github.com/jackc/pgx/v5/pgxpool"

	"plainpelican/application"
	"plainpelican/platform/access"
	"plainpelican/standins/draw"
	"plainpelican/standins/gen"
)

// keysResult is in milliseconds from a key to the frame after the one with its answer.
type keysResult struct {
	Bench  string `json:"bench"`
	Offers int    `json:"offers"`
	Keys   int    `json:"keys"`
	// Overtaken keys had no answer on screen before the next key; they count as the slowest.
	Overtaken int     `json:"overtaken"`
	MedianMS  float64 `json:"median_ms"`
	P95MS     float64 `json:"p95_ms"`
	// Answer is from key to answer in the browser, Painted from there to the frame after.
	AnswerMedianMS  float64 `json:"answer_median_ms"`
	AnswerP95MS     float64 `json:"answer_p95_ms"`
	PaintedMedianMS float64 `json:"painted_median_ms"`
	PaintedP95MS    float64 `json:"painted_p95_ms"`
	// Bare is a page that lists the answers' titles as text, for the same keys.
	BareMedianMS float64 `json:"bare_page_median_ms"`
	BareP95MS    float64 `json:"bare_page_p95_ms"`
}

const (
	keysMail     = "typist@bench.example"
	keysPassword = "types-all-day-long"
)

// benchKeys types sentences, by e2e/keys.mjs, into the catalog of n offers, in Chromium, with the server, the
// database and a supplier's pictures on the same machine. Its yardstick is a bare page in the same browser.
func benchKeys(ctx context.Context, n int, dir string, kept bool) (out keysResult, err error) {
	if n == 0 {
		n = 1_000_000
	}
	// Pictures are fetched anew.
	if err := os.RemoveAll(filepath.Join(dir, "blobs")); err != nil {
		return out, err
	}
	ctx, pool, a, end, err := openLaid(ctx, n, dir, kept)
	if err != nil {
		return out, err
	}
	defer end()
	at, stop, err := servedFor(ctx, pool, a)
	if err != nil {
		return out, err
	}
	defer stop()
	told, err := inBrowser(ctx, "e2e/keys.mjs", at)
	if err != nil {
		return out, err
	}
	err = json.Unmarshal(told, &out)
	out.Bench, out.Offers = "keys", n
	return out, err
}

// inBrowser runs a script that drives Chromium against the application at an address, and gives what it prints.
func inBrowser(ctx context.Context, script, at string) ([]byte, error) {
	looking := exec.CommandContext(ctx, "node", script)
	looking.Env = append(os.Environ(), "KEYS_URL="+at, "KEYS_MAIL="+keysMail, "KEYS_PASSWORD="+keysPassword)
	looking.Stderr = os.Stderr
	told, err := looking.Output()
	if err != nil {
		return nil, fmt.Errorf("looking in Chromium, which make setup-test and npm ci in e2e bring: %w", err)
	}
	return told, nil
}

// servedFor serves the application and the pictures, and adds who types.
func servedFor(ctx context.Context, pool *pgxpool.Pool, a *application.Application) (at string, stop func(),
	err error) {
	shop, err := pictureShop()
	if err != nil {
		return "", nil, err
	}
	var all []*http.Server
	stop = func() {
		for _, s := range all {
			_ = s.Close()
		}
	}
	defer func() {
		if err != nil {
			stop()
		}
	}()
	for address, handler := range map[string]http.Handler{picturesOn: shop, "127.0.0.1:0": a.Handler()} {
		l, err := net.Listen("tcp", address)
		if err != nil {
			return "", nil, err
		}
		if address != picturesOn {
			at = "http://" + l.Addr().String()
		}
		server := &http.Server{Handler: handler, ReadHeaderTimeout: 10 * time.Second}
		all = append(all, server)
		go func() { _ = server.Serve(l) }()
	}
	if _, err := pool.Exec(ctx, `delete from picture where hash <> 'drawn'`); err != nil {
		return "", nil, err
	}
	if _, err := pool.Exec(ctx, `delete from member where email = $1`, keysMail); err != nil {
		return "", nil, err
	}
	if _, err := a.Members.Add(ctx, keysMail, "The typist", access.Owner, keysPassword); err != nil {
		return "", nil, err
	}
	if err := a.Search.Refresh(ctx); err != nil {
		return "", nil, err
	}
	following, end := context.WithCancel(ctx)
	closeAll := stop
	stop = func() { end(); closeAll() }
	go a.Search.Follow(following)
	go a.Progress.Follow(following)
	return at, stop, nil
}

// pictureShop hands out some pictures of a supplier's usual size for all addresses, at once: they were drawn before.
func pictureShop() (http.Handler, error) {
	var drawn [][]byte
	for o := range gen.Offers(benchSeed, 24) {
		img, err := draw.Picture(o.Pictures[0], draw.Size)
		if err != nil {
			return nil, err
		}
		var content bytes.Buffer
		if err := jpeg.Encode(&content, img, &jpeg.Options{Quality: 80}); err != nil {
			return nil, err
		}
		drawn = append(drawn, content.Bytes())
	}
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		of := fnv.New32a()
		_, _ = of.Write([]byte(r.URL.Path)) // never fails
		w.Header().Set("Content-Type", "image/jpeg")
		_, _ = w.Write(drawn[of.Sum32()%uint32(len(drawn))])
	}), nil
}
