// Package fault makes a stand-in misbehave on demand. Its control endpoint answers on
// loopback only and is never part of a protocol.
package fault

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net"
	"net/http"
	"strings"
	"sync"
	"time"
)

// Plan is how a stand-in misbehaves. The zero plan is good behaviour.
type Plan struct {
	// LatencyMS delays every answer.
	LatencyMS int `json:"latency_ms"`
	// ErrorPercent of requests are answered 503.
	ErrorPercent int `json:"error_percent"`
	// TooMany counts requests still to be answered 429, with RetryAfter seconds.
	TooMany    int `json:"too_many"`
	RetryAfter int `json:"retry_after"`
	// NoneLeft is for how many seconds answers say that no request is left; 0 is that they say what is so.
	NoneLeft int `json:"none_left"`
	// CutAfter counts requests whose work is done but whose answer is cut off.
	CutAfter int `json:"cut_after"`
	// Down refuses everything by closing connections.
	Down bool `json:"down"`
	// SlowBody trickles the answer's bytes.
	SlowBody bool `json:"slow_body"`
	// Truncate sends half of each answer.
	Truncate bool `json:"truncate"`
	// RevokeTokens makes every token that was given out invalid, once.
	RevokeTokens bool `json:"revoke_tokens"`
	// WithdrawPermission takes a permission back that was given, such as products:write.
	WithdrawPermission string `json:"withdraw_permission"`
	// Empty makes the catalog empty.
	Empty bool `json:"empty"`
	// ShortPercent ends the catalog after this share of it, though it announces all; 0 is off.
	ShortPercent int `json:"short_percent"`
	// HTML answers everything with a web page instead of what was asked for.
	HTML bool `json:"html"`
	// LoseWebhooks sends none, RepeatWebhooks each three times; DelayWebhooksMS sends them late, and so out of order.
	LoseWebhooks    bool `json:"lose_webhooks"`
	RepeatWebhooks  bool `json:"repeat_webhooks"`
	DelayWebhooksMS int  `json:"delay_webhooks_ms"`
	// Only limits the faults to requests whose "METHOD path" contains it.
	Only string `json:"only"`
}

// Control keeps the plan in force and puts it between a server and its clients.
type Control struct {
	mu   sync.Mutex
	plan Plan
	// OnChange is told of each new plan; it may be nil.
	OnChange func(Plan)
}

// Plan is the plan in force.
func (c *Control) Plan() Plan {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.plan
}

// Set puts a plan in force.
func (c *Control) Set(p Plan) {
	c.mu.Lock()
	c.plan = p
	c.mu.Unlock()
	if c.OnChange != nil {
		c.OnChange(p)
	}
}

// take reports the faults for one request, counting down those that are counted.
func (c *Control) take(r *http.Request) (p Plan, tooMany, cut bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	p = c.plan
	if p.Only != "" && !strings.Contains(r.Method+" "+r.URL.Path, p.Only) {
		return Plan{}, false, false
	}
	if c.plan.TooMany > 0 {
		c.plan.TooMany--
		return p, true, false
	}
	if c.plan.CutAfter > 0 {
		c.plan.CutAfter--
		cut = true
	}
	return p, false, cut
}

// Wrap adds GET and PUT /-/faults, for loopback, and the faults themselves.
func (c *Control) Wrap(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/-/faults" {
			c.serveControl(w, r)
			return
		}
		p, tooMany, cut := c.take(r)
		switch {
		case p.Down:
			hangUp(w)
			return
		case tooMany:
			w.Header().Set("Retry-After", fmt.Sprint(p.RetryAfter))
			http.Error(w, `{"error":"too many requests"}`, http.StatusTooManyRequests)
			return
		case p.ErrorPercent > 0 && rand.IntN(100) < p.ErrorPercent:
			http.Error(w, `{"error":"out of order"}`, http.StatusServiceUnavailable)
			return
		}
		if p.HTML {
			w.Header().Set("Content-Type", "text/html; charset=utf-8")
			_, _ = w.Write([]byte("<!doctype html><title>Back soon</title><p>We are working on it."))
			return
		}
		if p.NoneLeft > 0 {
			w.Header().Set("RateLimit", fmt.Sprintf(`"requests";r=0;t=%d`, p.NoneLeft))
		}
		time.Sleep(time.Duration(p.LatencyMS) * time.Millisecond)
		if !cut && !p.Truncate && !p.SlowBody {
			next.ServeHTTP(w, r)
			return
		}
		kept := &keeper{header: http.Header{}, status: http.StatusOK}
		next.ServeHTTP(kept, r)
		if cut {
			hangUp(w)
			return
		}
		kept.replay(w, p)
	})
}

func (c *Control) serveControl(w http.ResponseWriter, r *http.Request) {
	host, _, _ := net.SplitHostPort(r.RemoteAddr)
	if ip := net.ParseIP(host); ip == nil || !ip.IsLoopback() {
		http.NotFound(w, r)
		return
	}
	if r.Method == http.MethodPut {
		var p Plan
		if err := json.NewDecoder(r.Body).Decode(&p); err != nil {
			http.Error(w, err.Error(), http.StatusBadRequest)
			return
		}
		c.Set(p)
	}
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(c.Plan())
}

func hangUp(w http.ResponseWriter) {
	if conn, _, err := http.NewResponseController(w).Hijack(); err == nil {
		_ = conn.Close()
	}
}

// keeper holds an answer back so that it can be cut or slowed.
type keeper struct {
	header http.Header
	status int
	body   []byte
}

func (k *keeper) Header() http.Header         { return k.header }
func (k *keeper) WriteHeader(status int)      { k.status = status }
func (k *keeper) Write(b []byte) (int, error) { k.body = append(k.body, b...); return len(b), nil }

func (k *keeper) replay(w http.ResponseWriter, p Plan) {
	for name, values := range k.header {
		w.Header()[name] = values
	}
	w.Header().Set("Content-Length", fmt.Sprint(len(k.body)))
	w.WriteHeader(k.status)
	body := k.body
	if p.Truncate {
		body = body[:len(body)/2]
	}
	for len(body) > 0 {
		n := len(body)
		if p.SlowBody {
			n = min(n, 512)
			time.Sleep(5 * time.Millisecond)
		}
		if _, err := w.Write(body[:n]); err != nil {
			return
		}
		_ = http.NewResponseController(w).Flush()
		body = body[n:]
	}
}
