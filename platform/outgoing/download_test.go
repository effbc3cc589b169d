package outgoing

import (
	"bytes"
	"context"
	"errors"
	"io"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"strings"
	"sync/atomic"
	"testing"
	"time"
)

func files(t *testing.T, h http.HandlerFunc) (*Client, string) {
	t.Helper()
	s := httptest.NewServer(h)
	t.Cleanup(s.Close)
	c := New([]netip.Prefix{netip.MustParsePrefix("127.0.0.0/8")})
	c.Backoff = time.Millisecond
	return c, s.URL
}

func into(b *bytes.Buffer) func(*http.Response) error {
	return func(r *http.Response) error {
		b.Reset() // each try begins anew
		_, err := io.Copy(b, r.Body)
		return err
	}
}

func TestADownloadIsTriedAgainFromTheBeginning(t *testing.T) {
	var tries atomic.Int32
	c, at := files(t, func(w http.ResponseWriter, r *http.Request) {
		switch tries.Add(1) {
		case 1:
			w.WriteHeader(http.StatusServiceUnavailable)
		case 2:
			w.Header().Set("Content-Length", "100") // and cut off after half
			_, _ = w.Write(bytes.Repeat([]byte("x"), 50))
		default:
			_, _ = io.WriteString(w, "the whole list")
		}
	})
	var got bytes.Buffer
	if err := c.Download(context.Background(), at, 1000, into(&got)); err != nil || got.String() != "the whole list" ||
		tries.Load() != 3 {
		t.Errorf("%q after %d tries: %v", got.String(), tries.Load(), err)
	}
}

func TestADownloadThatCannotBe(t *testing.T) {
	var tries atomic.Int32
	c, at := files(t, func(w http.ResponseWriter, r *http.Request) {
		tries.Add(1)
		switch r.URL.Path {
		case "/long":
			_, _ = w.Write(bytes.Repeat([]byte("x"), 5000))
		case "/said-long":
			w.Header().Set("Content-Length", "5000")
			w.WriteHeader(http.StatusOK)
		case "/inward":
			http.Redirect(w, r, "http://10.0.0.1/", http.StatusFound)
		case "/round":
			http.Redirect(w, r, "/round", http.StatusFound)
		default:
			http.NotFound(w, r)
		}
	})
	c.Attempts = 2
	for path, want := range map[string]error{"/long": ErrTooLarge, "/said-long": ErrTooLarge, "/inward": ErrGuarded,
		"/round": ErrUnreachable, "/none": ErrStatus(404)} {
		tries.Store(0)
		var got bytes.Buffer
		err := c.Download(context.Background(), at+path, 1000, into(&got))
		if !errors.Is(err, want) {
			t.Errorf("%s: %v, want %v", path, err, want)
		}
		if path != "/round" && tries.Load() != 1 {
			t.Errorf("%s was tried %d times", path, tries.Load())
		}
	}
	if err := c.Download(context.Background(), "http://192.168.1.1/list.csv", 1000,
		into(&bytes.Buffer{})); !errors.Is(err, ErrGuarded) {
		t.Errorf("a private address: %v", err)
	}
	if err := c.Download(context.Background(), "http://[::1", 1000, into(&bytes.Buffer{})); !errors.Is(err,
		ErrAddress) {
		t.Errorf("no address: %v", err)
	}
	ours := errors.New("the disk is full")
	if err := c.Download(context.Background(), at+"/long", 10000, func(*http.Response) error {
		return ours
	}); !errors.Is(err, ours) || errors.Is(err, ErrUnreachable) {
		t.Errorf("a failure of ours: %v", err)
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	if err := c.Download(ctx, at, 10, into(&bytes.Buffer{})); err == nil ||
		!strings.Contains(err.Error(), "no answer") {
		t.Errorf("stopped: %v", err)
	}
}
