package shop

import (
	"cmp"
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/base64"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"
)

// grant is an approval that waits to be exchanged for a token.
type grant struct {
	client, redirect, challenge, scope string
	until                              time.Time
}

// issuer is the store's name in answers to approvals: its own address (RFC 9207).
func issuer(r *http.Request) string { return "http://" + r.Host }

func (p *Server) describe(w http.ResponseWriter, r *http.Request) {
	answer(w, http.StatusOK, map[string]any{
		"protocol": "store-platform/1", "handle": p.Handle, "name": p.Name, "issuer": issuer(r),
		"authorization_endpoint": "/oauth/authorize", "token_endpoint": "/oauth/token",
		"revocation_endpoint": "/oauth/revoke", "api": "/api",
	})
}

var approvalPage = template.Must(template.New("approve").
	Parse(`<!doctype html><html lang="en"><meta charset="utf-8"><title>Allow access to {{.Name}}?</title>
<meta name="viewport" content="width=device-width">
<style>body{font:16px/1.5 system-ui;background:#eef1ee;color:#1d2b25;margin:0}main{max-width:460px;margin:12vh auto;` +
		`background:#fff;padding:32px;border-radius:6px}
button{font:inherit;padding:10px 18px;border-radius:5px;border:1px solid #1d4d3c;background:#fff;margin-right:8px;` +
		`cursor:pointer}button.yes{background:#1d4d3c;color:#fff}</style>
<main><h1>{{.Name}}</h1><p><b>{{.Client}}</b> at {{.Host}} asks to:</p><ul>{{range .Scopes}}<li>{{.}}</li>{{end}}</ul>
<form method="post" action="/oauth/decide">{{range $k, $v := .Hidden}}<input type="hidden" name="{{$k}}" value="{{$v}}">
{{end}}
<button class="yes" name="decision" value="approve">Approve</button>
<button name="decision" value="refuse">Refuse</button></form></main></html>`))

var scopeWords = map[string]string{
	"store:read":     "read the store's name, currency, time zone and limits",
	"products:write": "add, change and remove products", "orders:read": "read orders and be told of new ones",
	"fulfilments:write": "say which parcels orders are in",
	"refunds:write":     "give your customers money back",
}

func (p *Server) authorize(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	redirect, err := url.Parse(q.Get("redirect_uri"))
	if err != nil || redirect.Host == "" || q.Get("client_id") == "" {
		http.Error(w, "This request to connect is incomplete.", http.StatusBadRequest)
		return
	}
	if q.Get("response_type") != "code" || q.Get("code_challenge_method") != "S256" || q.Get("code_challenge") == "" {
		sendBack(w, r, redirect, q.Get("state"), "error", "invalid_request")
		return
	}
	hidden := map[string]string{}
	for _, k := range []string{"client_id", "redirect_uri", "state", "code_challenge", "scope"} {
		hidden[k] = q.Get(k)
	}
	var scopes []string
	for _, s := range strings.Fields(q.Get("scope")) {
		scopes = append(scopes, scopeWords[s])
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	_ = approvalPage.Execute(w,
		map[string]any{"Name": p.Name, "Client": q.Get("client_id"), "Host": redirect.Host, "Scopes": scopes,
			"Hidden": hidden})
}

func sendBack(w http.ResponseWriter, r *http.Request, to *url.URL, state, key, value string) {
	q := to.Query()
	q.Set(key, value)
	q.Set("iss", issuer(r))
	q.Set("state", state)
	to.RawQuery = q.Encode()
	http.Redirect(w, r, to.String(), http.StatusSeeOther)
}

func (p *Server) decide(w http.ResponseWriter, r *http.Request) {
	redirect, err := url.Parse(r.FormValue("redirect_uri"))
	if err != nil || redirect.Host == "" {
		http.Error(w, "no way back", http.StatusBadRequest)
		return
	}
	if r.FormValue("decision") != "approve" {
		sendBack(w, r, redirect, r.FormValue("state"), "error", "access_denied")
		return
	}
	code := rand.Text()
	p.mu.Lock()
	p.grants[code] = grant{r.FormValue("client_id"), r.FormValue("redirect_uri"), r.FormValue("code_challenge"),
		r.FormValue("scope"), time.Now().Add(time.Minute)}
	p.mu.Unlock()
	sendBack(w, r, redirect, r.FormValue("state"), "code", code)
}

// token exchanges a code, once, checking the verifier of RFC 7636.
func (p *Server) token(w http.ResponseWriter, r *http.Request) {
	code := r.FormValue("code")
	p.mu.Lock()
	g, known := p.grants[code]
	delete(p.grants, code)
	p.mu.Unlock()
	sum := sha256.Sum256([]byte(r.FormValue("code_verifier")))
	challenge := base64.RawURLEncoding.EncodeToString(sum[:])
	if !known || time.Now().After(g.until) || g.client != r.FormValue("client_id") ||
		g.redirect != r.FormValue("redirect_uri") ||
		subtle.ConstantTimeCompare([]byte(challenge), []byte(g.challenge)) != 1 {
		answer(w, http.StatusBadRequest, map[string]string{"error": "invalid_grant"})
		return
	}
	token := rand.Text()
	p.mu.Lock()
	p.state.Tokens[token] = true
	if p.state.Scopes == nil {
		p.state.Scopes = map[string]string{}
	}
	p.state.Scopes[token] = g.scope
	p.save()
	p.mu.Unlock()
	answer(w, http.StatusOK, map[string]any{"access_token": token, "token_type": "Bearer", "scope": g.scope})
}

func (p *Server) revoke(w http.ResponseWriter, r *http.Request) {
	p.mu.Lock()
	delete(p.state.Tokens, r.FormValue("token"))
	p.save()
	p.mu.Unlock()
	w.WriteHeader(http.StatusOK)
}

// permits are the permissions of a token: what was approved, less what was withdrawn since.
func (p *Server) permits(token string) []string {
	p.mu.Lock()
	defer p.mu.Unlock()
	withdrawn := p.Faults.Plan().WithdrawPermission
	// Where none was asked for, the usual ones are given (RFC 6749, section 3.3).
	scope := cmp.Or(p.state.Scopes[token], "store:read products:write")
	return slices.DeleteFunc(strings.Fields(scope), func(s string) bool { return s == withdrawn })
}

// needed is the permission that a request needs.
func needed(r *http.Request) string {
	switch path := r.URL.Path; {
	case strings.HasSuffix(path, "/fulfilments"):
		return "fulfilments:write"
	case strings.HasSuffix(path, "/refunds"):
		return "refunds:write"
	case strings.HasPrefix(path, "/api/orders"), strings.HasPrefix(path, "/api/webhooks"):
		return "orders:read"
	case r.Method == http.MethodGet:
		return "store:read"
	}
	return "products:write"
}

func (p *Server) guard(next http.HandlerFunc) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		token, _ := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer ")
		p.mu.Lock()
		known := p.state.Tokens[token]
		p.mu.Unlock()
		needs := needed(r)
		switch {
		case !known:
			answer(w, http.StatusUnauthorized, map[string]string{"error": "invalid_token"})
		case !slices.Contains(p.permits(token), needs):
			answer(w, http.StatusForbidden, map[string]string{"error": "insufficient_scope"}) // RFC 6750, section 3.1
		case !p.limiter.Allow():
			w.Header().Set("Retry-After", "1")
			p.sayLeft(w)
			answer(w, http.StatusTooManyRequests, map[string]string{"error": "too_many_requests"})
		default:
			p.sayLeft(w)
			next(w, r)
		}
	}
}

// sayLeft says how many requests are left, as the IETF draft on RateLimit header fields has it.
func (p *Server) sayLeft(w http.ResponseWriter) {
	if w.Header().Get("RateLimit") != "" {
		return // a fault says otherwise
	}
	w.Header().Set("RateLimit-Policy", fmt.Sprintf(`"requests";q=%d;w=1`, p.PerSecond))
	w.Header().Set("RateLimit", fmt.Sprintf(`"requests";r=%d;t=1`, max(0, int(p.limiter.Tokens()))))
}
