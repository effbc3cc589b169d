// Package outgoing is the one client for requests to the outside. It guards where
// requests go, limits their time and size, spaces them per host, and repeats those that
// may be repeated with backoff that honours Retry-After.
package outgoing

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"maps"
	"math/rand/v2"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"code.dny.dev/ssrf"
	"golang.org/x/time/rate"
)

var (
	// ErrUnreachable is returned where no answer came: no such host, refused, cut off, too late.
	ErrUnreachable error = outside("no answer")
	// ErrGuarded is returned for addresses that may not be fetched from.
	ErrGuarded = errors.New("that address is private and may not be fetched from")
	// ErrPlain is returned where a secret would be sent unencrypted to an address that the operator has not allowed.
	ErrPlain = errors.New("that address is not encrypted (http), so no secret is sent there")
	// ErrTooLarge is returned for an answer over the limit.
	ErrTooLarge = errors.New("the answer is too large")
	// ErrRedirects is returned where an address leads on more than three times, as in a circle.
	ErrRedirects = errors.New("it redirects again and again")
	// ErrAddress is returned for text that is not a web address.
	ErrAddress = errors.New("not a web address")
	// ErrAskedToWait is returned without asking while a host has asked to be left alone for longer than is waited
	// out here.
	ErrAskedToWait error = outside("it asks us to slow down")
)

// outside is an error of a connection to the outside, so that it is not taken for the database's.
type outside string

func (o outside) Error() string { return string(o) }

// Outside marks it.
func (o outside) Outside() bool { return true }

// Client sends requests. Make one with New.
type Client struct {
	http  *http.Client
	files *http.Client // without a limit of time for the body
	// Attempts is how often a repeatable request is tried; Backoff the first wait, doubled each time.
	Attempts int
	Backoff  time.Duration
	// LongestWait is the longest Retry-After that is waited out; a longer one fails with the answer.
	LongestWait time.Duration

	mu     sync.Mutex
	limits map[string]*rate.Limiter
	holds  map[string]time.Time // hosts that asked to be left alone, until when
}

// New makes a client that reaches public addresses and the ranges that the operator allowed.
func New(allowed []netip.Prefix) *Client {
	var v4, v6 []netip.Prefix
	for _, p := range allowed {
		if p.Addr().Is4() {
			v4 = append(v4, p)
		} else {
			v6 = append(v6, p)
		}
	}
	guard := ssrf.New(ssrf.WithAnyPort(), ssrf.WithAllowedV4Prefixes(v4...), ssrf.WithAllowedV6Prefixes(v6...))
	dialer := &net.Dialer{Timeout: 10 * time.Second, Control: guard.Safe}
	transport := &http.Transport{
		Proxy: nil, DialContext: dialer.DialContext, TLSHandshakeTimeout: 10 * time.Second,
		ResponseHeaderTimeout: 30 * time.Second,
		MaxIdleConnsPerHost:   8, IdleConnTimeout: 30 * time.Second, ForceAttemptHTTP2: true,
	}
	// Secrets go unencrypted only where the operator allowed private addresses, such as this machine.
	private := transport.Clone()
	private.DialContext = (&net.Dialer{Timeout: 10 * time.Second, Control: only(allowed)}).DialContext
	chosen := chooser{usual: transport, private: private}
	few := func(_ *http.Request, via []*http.Request) error {
		if len(via) > 3 {
			return ErrRedirects
		}
		return nil
	}
	return &Client{
		http:     &http.Client{Transport: chosen, Timeout: time.Minute, CheckRedirect: few},
		files:    &http.Client{Transport: chosen, CheckRedirect: few},
		Attempts: 5, Backoff: 250 * time.Millisecond, LongestWait: 15 * time.Second, limits: map[string]*rate.Limiter{},
		holds: map[string]time.Time{},
	}
}

// chooser sends what holds a secret over http to allowed addresses only, also after a redirect.
type chooser struct{ usual, private http.RoundTripper }

func (c chooser) RoundTrip(r *http.Request) (*http.Response, error) {
	if r.URL.Scheme == "http" &&
		(r.Header.Get("Authorization") != "" || (r.Method != http.MethodGet && r.Method != http.MethodHead)) {
		return c.private.RoundTrip(r)
	}
	return c.usual.RoundTrip(r)
}

// only lets connections through to some ranges.
func only(allowed []netip.Prefix) func(network, address string, _ syscall.RawConn) error {
	return func(_, address string, _ syscall.RawConn) error {
		at, err := netip.ParseAddrPort(address)
		if err != nil {
			return ErrPlain
		}
		for _, p := range allowed {
			if p.Contains(at.Addr().Unmap()) {
				return nil
			}
		}
		return ErrPlain
	}
}

// ErrStatus is returned by Download for an answer that is not 200.
type ErrStatus int

func (e ErrStatus) Error() string { return fmt.Sprintf("it answered %d", int(e)) }

// Wait is that the other side asks to be left alone for a while; After is 0 where it does not say how long.
type Wait struct {
	After time.Duration
	Err   error
}

func (w *Wait) Error() string { return w.Err.Error() }
func (w *Wait) Unwrap() error { return w.Err }

// Asked wraps an error with how long the answer it comes from asks to wait.
func (r *Response) Asked(err error) error { return &Wait{retryAfter(r.Header), err} }

// Download fetches a file that may be large and hands the answer over as it arrives. Longer
// than most bytes, it is ErrTooLarge. It is tried as often as a request that may be repeated;
// each time, the receiver begins anew.
func (c *Client) Download(ctx context.Context, address string, most int64, receive func(*http.Response) error) error {
	wait := c.Backoff
	for attempt := 1; ; attempt++ {
		err := c.download(ctx, address, most, receive)
		var status ErrStatus
		final := err == nil || errors.Is(err, ErrGuarded) || errors.Is(err, ErrRedirects) ||
			errors.Is(err, ErrTooLarge) || errors.Is(err, ErrAddress) ||
			(errors.As(err, &status) && status < 500 && status != http.StatusTooManyRequests)
		pause := wait + rand.N(wait/2+1)
		var asked *Wait
		if errors.As(err, &asked) && asked.After > 0 {
			pause = asked.After
		}
		if final || attempt >= c.Attempts || ctx.Err() != nil || pause > c.LongestWait {
			return err
		}
		select {
		case <-ctx.Done():
			return err
		case <-time.After(pause):
		}
		wait *= 2
	}
}

func (c *Client) download(ctx context.Context, address string, most int64, receive func(*http.Response) error) error {
	request, err := http.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	if err != nil {
		return fmt.Errorf("%q: %w", address, ErrAddress)
	}
	request.Header.Set("User-Agent", "PlainPelican/1")
	answer, err := c.files.Do(request)
	switch {
	case guarded(err):
		return ErrGuarded
	case err != nil:
		return fmt.Errorf("%w: %w", ErrUnreachable, err)
	}
	defer func() { _ = answer.Body.Close() }()
	switch {
	case answer.StatusCode != http.StatusOK:
		return &Wait{retryAfter(answer.Header), ErrStatus(answer.StatusCode)}
	case answer.ContentLength > most:
		return ErrTooLarge
	}
	body := &bounded{in: answer.Body, left: most}
	answer.Body = body
	if err := receive(answer); err != nil {
		switch {
		case errors.Is(err, ErrTooLarge):
			return err
		case body.failed:
			return fmt.Errorf("%w: %w", ErrUnreachable, err)
		}
		return err
	}
	return nil
}

// bounded is a body that may not be longer than it should.
type bounded struct {
	in     io.ReadCloser
	left   int64
	failed bool
}

func (b *bounded) Read(p []byte) (int, error) {
	n, err := b.in.Read(p)
	if b.left -= int64(n); b.left < 0 {
		return 0, ErrTooLarge
	}
	b.failed = b.failed || (err != nil && err != io.EOF)
	return n, err
}

func (b *bounded) Close() error { return b.in.Close() }

func guarded(err error) bool {
	return errors.Is(err, ssrf.ErrProhibitedIP) || errors.Is(err, ssrf.ErrProhibitedNetwork) ||
		errors.Is(err, ssrf.ErrProhibitedPort)
}

// Request is one request. Its body is kept, so that it can be sent again.
type Request struct {
	Method, URL string
	Header      http.Header
	Body        []byte
	// Repeatable allows sending it again after a failure: reads, and writes with an idempotency key.
	Repeatable bool
	// MaxBytes limits the answer; 8 MiB where it is 0.
	MaxBytes int64
	// OnWait is told before each repeat how long the wait is and why; it may be nil.
	OnWait func(wait time.Duration, status int)
}

// Response is an answer, read whole.
type Response struct {
	Status int
	Header http.Header
	Body   []byte
}

// Address reads what a person typed as the address of a server, adding https where no
// scheme is given (http for this machine). It returns ErrAddress for anything else.
func Address(typed string) (*url.URL, error) {
	schemed := typed
	if !strings.Contains(typed, "://") {
		schemed = "https://" + typed
	}
	u, err := url.Parse(schemed)
	if err == nil && schemed != typed && (u.Hostname() == "localhost" || u.Hostname() == "127.0.0.1") {
		u.Scheme = "http"
	}
	if err != nil || u.Hostname() == "" || (u.Scheme != "http" && u.Scheme != "https") || u.User != nil {
		return nil, fmt.Errorf("%q: %w", typed, ErrAddress)
	}
	return &url.URL{Scheme: u.Scheme, Host: u.Host}, nil
}

// Limit spaces requests to a host to so many a second.
func (c *Client) Limit(host string, perSecond int) {
	c.mu.Lock()
	defer c.mu.Unlock()
	limit := rate.Limit(perSecond)
	if l := c.limits[host]; l == nil {
		c.limits[host] = rate.NewLimiter(limit, max(1, perSecond/4))
	} else if l.Limit() != limit {
		l.SetLimit(limit)
	}
}

func (c *Client) limiter(host string) *rate.Limiter {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.limits[host]
}

// Do sends a request and reads the answer. An answer of any status is not an error;
// 429 and 5xx are repeated first, as are failures without an answer.
func (c *Client) Do(ctx context.Context, r Request) (*Response, error) {
	attempts := 1
	if r.Repeatable {
		attempts = c.Attempts
	}
	wait := c.Backoff
	host := ""
	if u, err := url.Parse(r.URL); err == nil {
		host = u.Host
	}
	for attempt := 1; ; attempt++ {
		if left := c.held(host); left > c.LongestWait {
			return nil, &Wait{left, ErrAskedToWait}
		} else if left > 0 && !sleep(ctx, left) {
			return nil, fmt.Errorf("%w: %w", ErrUnreachable, ctx.Err())
		}
		answer, err := c.once(ctx, r)
		if err == nil && answer.Status == http.StatusTooManyRequests {
			c.hold(host, retryAfter(answer.Header))
		} else if err == nil {
			c.hold(host, answer.Exhausted())
		}
		if err == nil && answer.Status != http.StatusTooManyRequests && answer.Status < 500 {
			return answer, nil
		}
		if attempt >= attempts || errors.Is(err, ErrGuarded) || errors.Is(err, ErrPlain) ||
			errors.Is(err, ErrRedirects) || errors.Is(err, ErrTooLarge) || errors.Is(err, ErrAddress) ||
			ctx.Err() != nil {
			return answer, err
		}
		pause := wait + rand.N(wait/2+1)
		status := 0
		if err == nil {
			status = answer.Status
			if asked := retryAfter(answer.Header); asked > c.LongestWait {
				return answer, nil
			} else if asked > 0 {
				pause = asked + rand.N(100*time.Millisecond)
			}
		}
		if r.OnWait != nil {
			r.OnWait(pause, status)
		}
		select {
		case <-ctx.Done():
			return nil, fmt.Errorf("%w: %w", ErrUnreachable, ctx.Err())
		case <-time.After(pause):
		}
		wait *= 2
	}
}

// maxHolds is from how many hosts on those whose time is over are forgotten.
const maxHolds = 1000

// hold remembers that a host asked to be left alone for a while.
func (c *Client) hold(host string, asked time.Duration) {
	if asked = min(asked, time.Hour); asked < time.Second {
		return
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if len(c.holds) > maxHolds {
		maps.DeleteFunc(c.holds, func(_ string, until time.Time) bool { return time.Now().After(until) })
	}
	if until := time.Now().Add(asked); until.After(c.holds[host]) {
		c.holds[host] = until
	}
}

// held is how long a host is still to be left alone.
func (c *Client) held(host string) time.Duration {
	c.mu.Lock()
	defer c.mu.Unlock()
	until, there := c.holds[host]
	if !there {
		return 0
	}
	left := time.Until(until)
	if left <= 0 {
		delete(c.holds, host)
	}
	return max(left, 0)
}

// sleep waits, and tells whether the whole time was slept.
func sleep(ctx context.Context, d time.Duration) bool {
	select {
	case <-ctx.Done():
		return false
	case <-time.After(d):
		return true
	}
}

// retryAfter reads seconds or a date, as RFC 9110 section 10.2.3 has it.
func retryAfter(h http.Header) time.Duration {
	text := h.Get("Retry-After")
	if seconds, err := strconv.Atoi(text); err == nil && seconds >= 0 {
		return time.Duration(min(seconds, 1<<30)) * time.Second
	}
	if at, err := http.ParseTime(text); err == nil {
		return max(time.Until(at), 0)
	}
	return 0
}

func (c *Client) once(ctx context.Context, r Request) (*Response, error) {
	request, err := http.NewRequestWithContext(ctx, r.Method, r.URL, bytes.NewReader(r.Body))
	if err != nil {
		return nil, fmt.Errorf("%q: %w", r.URL, ErrAddress)
	}
	for name, values := range r.Header {
		request.Header[name] = values
	}
	request.Header.Set("User-Agent", "PlainPelican/1")
	if l := c.limiter(request.URL.Host); l != nil {
		if err := l.Wait(ctx); err != nil {
			return nil, fmt.Errorf("%w: %w", ErrUnreachable, err)
		}
	}
	answer, err := c.http.Do(request)
	switch {
	case errors.Is(err, ErrPlain):
		return nil, ErrPlain
	case guarded(err):
		return nil, ErrGuarded
	case err != nil:
		return nil, fmt.Errorf("%w: %w", ErrUnreachable, err)
	}
	defer func() { _ = answer.Body.Close() }()
	most := r.MaxBytes
	if most == 0 {
		most = 8 << 20
	}
	body, err := io.ReadAll(io.LimitReader(answer.Body, most+1))
	switch {
	case err != nil:
		return nil, fmt.Errorf("%w: %w", ErrUnreachable, err)
	case int64(len(body)) > most:
		return nil, ErrTooLarge
	}
	return &Response{answer.StatusCode, answer.Header, body}, nil
}
