package shop

import (
	"bytes"
	"context"
	"crypto/rand"
	"encoding/base64"
	"encoding/json"
	"io"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	webhooks "github.com/standard-webhooks/standard-webhooks/libraries/go"
)

// hook is where somebody wants to be told of orders.
type hook struct {
	ID     string   `json:"id"`
	URL    string   `json:"url"`
	Topics []string `json:"topics"`
	Secret string   `json:"secret"`
}

// putHook registers an address that is told of orders; the same address keeps its secret.
func (p *Server) putHook(w http.ResponseWriter, r *http.Request) {
	var in hook
	if err := json.NewDecoder(io.LimitReader(r.Body, 1<<16)).Decode(&in); err != nil ||
		!strings.HasPrefix(in.URL, "http") {
		answer(w, http.StatusBadRequest, map[string]string{"error": "not JSON, or without a url"})
		return
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	for _, h := range p.state.Hooks {
		if h.URL == in.URL {
			answer(w, http.StatusOK, h)
			return
		}
	}
	secret := make([]byte, 24)
	_, _ = rand.Read(secret)
	in.ID, in.Secret = rand.Text(), "whsec_"+base64.StdEncoding.EncodeToString(secret)
	p.state.Hooks = append(p.state.Hooks, in)
	p.save()
	answer(w, http.StatusCreated, in)
}

// tell sends webhooks by the Standard Webhooks specification: at least once, in no sure order.
func (p *Server) tell(topic string, o Order) {
	p.mu.Lock()
	hooks := slices.Clone(p.state.Hooks)
	p.mu.Unlock()
	plan := p.Faults.Plan()
	if plan.LoseWebhooks {
		return
	}
	body, err := json.Marshal(map[string]any{"type": topic, "timestamp": o.UpdatedAt, "data": o})
	if err != nil {
		return
	}
	for _, h := range hooks {
		if !slices.Contains(h.Topics, topic) {
			continue
		}
		id := "msg_" + rand.Text()
		times := 1
		if plan.RepeatWebhooks {
			times = 3
		}
		go func() {
			if plan.DelayWebhooksMS > 0 {
				time.Sleep(time.Duration(plan.DelayWebhooksMS) * time.Millisecond)
			}
			for range times {
				p.deliver(h, id, body)
			}
		}()
	}
}

// deliver posts one message, a few times where nobody takes it.
func (p *Server) deliver(h hook, id string, body []byte) {
	signer, err := webhooks.NewWebhook(h.Secret)
	if err != nil {
		return
	}
	for attempt := range 4 {
		time.Sleep(time.Duration(attempt*attempt) * 300 * time.Millisecond)
		now := time.Now()
		signature, err := signer.Sign(id, now, body)
		if err != nil {
			return
		}
		ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
		post, err := http.NewRequestWithContext(ctx, http.MethodPost, h.URL, bytes.NewReader(body))
		if err != nil {
			cancel()
			return
		}
		post.Header.Set("Content-Type", "application/json")
		post.Header.Set(webhooks.HeaderWebhookID, id)
		post.Header.Set(webhooks.HeaderWebhookTimestamp, strconv.FormatInt(now.Unix(), 10))
		post.Header.Set(webhooks.HeaderWebhookSignature, signature)
		done, err := http.DefaultClient.Do(post)
		cancel()
		if err == nil {
			_ = done.Body.Close()
			if done.StatusCode < 300 || done.StatusCode == http.StatusGone {
				return
			}
		}
	}
}

// Hooks are the addresses that are told of orders, with the secret that is signed with, for tests.
func (p *Server) Hooks() map[string]string {
	p.mu.Lock()
	defer p.mu.Unlock()
	secrets := map[string]string{}
	for _, h := range p.state.Hooks {
		secrets[h.URL] = h.Secret
	}
	return secrets
}
