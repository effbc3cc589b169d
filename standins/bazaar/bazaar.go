// Package bazaar is a made-up marketplace of many suppliers: Quayside Bazaar, or Tern Market. It speaks
// the source protocol of docs/protocols/source.md over a seeded catalog.
package bazaar

import (
	"bytes"
	"crypto/rand"
	"crypto/subtle"
	"encoding/json"
	"fmt"
	"image/jpeg"
	"net/http"
	"strconv"
	"strings"
	"sync"
	"time"

	"golang.org/x/time/rate"

	"plainpelican/standins/draw"
	"plainpelican/standins/fault"
	"plainpelican/standins/gen"
)

// Settings describe a marketplace.
type Settings struct {
	Name         string
	Seed         uint64
	Offers       int
	ClientID     string
	ClientSecret string
	// PerSecond is how many API requests a second it allows.
	PerSecond int
	// PictureSize is how many pixels square its pictures are.
	PictureSize int
	// Prefix begins the numbers of its offers. Suppliers, Near: as in gen.Catalog.
	Prefix    string
	Suppliers int
	Near      bool
	// Shares is the seed of a marketplace of which it sells some items, too.
	Shares uint64
	// PageSize is the most offers on a page, Slow how long each answer takes.
	PageSize int
	Slow     time.Duration
	// QuoteEvery is how long its suppliers take to quote, one after the other. TargetsOnly: they
	// quote only where a cost to reach is named.
	QuoteEvery  time.Duration
	TargetsOnly bool
	// ParcelStep is after how long a parcel that was paid for leaves, and three times that it arrives; 0 is by the day
	// alone.
	ParcelStep time.Duration
	// Balance is what a client may spend in each currency, in whole units of it; 0 is 5,000.
	Balance int
	// SheetsOnly: it takes no purchase orders.
	SheetsOnly bool
	// File keeps what was asked for and taken; empty is nowhere.
	File string
}

func (s Settings) catalog() gen.Catalog {
	return gen.Catalog{Seed: s.Seed, Prefix: s.Prefix, Suppliers: s.Suppliers, Near: s.Near, Shares: s.Shares}
}

// Demo is the marketplace of the demo.
var Demo = Settings{Name: "Quayside Bazaar", Seed: 11, Offers: 1200, ClientID: "saltmarsh",
	ClientSecret: "demo-quayside-secret", PerSecond: 20, PictureSize: 800, QuoteEvery: 8 * time.Second,
	ParcelStep: 30 * time.Second}

// Tern is the demo's other marketplace: nearer, smaller, slower, and stricter.
var Tern = Settings{Name: "Tern Market", Seed: 23, Offers: 420, ClientID: "saltmarsh", ClientSecret: "demo-tern-secret",
	PerSecond: 4, PictureSize: 800,
	Prefix: "TM", Suppliers: 60, Near: true, PageSize: 40, Slow: 120 * time.Millisecond, QuoteEvery: 15 * time.Second,
	ParcelStep: 20 * time.Second, TargetsOnly: true, Shares: Demo.Seed}

// Server is the marketplace.
type Server struct {
	Settings
	Faults fault.Control

	mu      sync.Mutex
	base    []gen.Offer
	day     int
	tokens  map[string]time.Time
	limiter *rate.Limiter
	// requests are what was asked for; taken are the moments of the quotes that became offers, by place in base.
	requests map[string]*request
	taken    map[int]time.Time
	// purchases are the purchase orders, by their identifiers.
	purchases map[string]*purchase

	counting  sync.Mutex
	counted   int
	countedOf [2]int // for how many offers and which day, from 1
}

// New makes the marketplace with its whole catalog, on day 0.
func New(s Settings) *Server {
	if s.PageSize == 0 {
		s.PageSize = 100
	}
	if s.Prefix == "" {
		s.Prefix = "QB"
	}
	b := &Server{Settings: s, tokens: map[string]time.Time{}, requests: map[string]*request{},
		purchases: map[string]*purchase{},
		taken:     map[int]time.Time{}, limiter: rate.NewLimiter(rate.Limit(s.PerSecond), s.PerSecond)}
	for o := range s.catalog().Offers(s.Offers) {
		b.base = append(b.base, o)
	}
	b.load()
	b.Faults.OnChange = func(p fault.Plan) {
		if p.RevokeTokens {
			b.mu.Lock()
			clear(b.tokens)
			b.mu.Unlock()
		}
	}
	return b
}

// SetDay moves the marketplace's clock: prices and stock drift, offers are withdrawn.
func (b *Server) SetDay(day int) {
	b.mu.Lock()
	b.day = day
	b.mu.Unlock()
}

// Epoch is day 0 of the clock.
var Epoch = time.Date(2026, 11, 24, 4, 0, 0, 0, time.UTC)

// now is the catalog on its day; asOf is later with every quote that was taken.
func (b *Server) now() (base []gen.Offer, day int, asOf time.Time) {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.base, b.day, moment(b.day).Add(time.Duration(len(b.taken)) * time.Millisecond)
}

// forSale counts the offers that are sold on its day.
func (b *Server) forSale() int {
	base, day, _ := b.now()
	b.counting.Lock()
	defer b.counting.Unlock()
	if b.countedOf != [2]int{len(base), day + 1} {
		b.counted, b.countedOf = 0, [2]int{len(base), day + 1}
		for place := range base {
			if !gen.Drift(b.Seed, base[place], place, day).Withdrawn {
				b.counted++
			}
		}
	}
	return b.counted
}

// changed is when an offer last changed.
func (b *Server) changed(place int, o gen.Offer) time.Time {
	b.mu.Lock()
	defer b.mu.Unlock()
	if at := b.taken[place]; at.After(moment(o.Changed)) {
		return at
	}
	return moment(o.Changed)
}

func moment(day int) time.Time { return Epoch.Add(time.Duration(day) * 24 * time.Hour) }

// Handler serves the protocol, the product pages, the pictures and the controls.
func (b *Server) Handler() http.Handler {
	mux := http.NewServeMux()
	mux.HandleFunc("GET /.well-known/catalog-source", b.describe)
	mux.HandleFunc("POST /oauth/token", b.token)
	mux.HandleFunc("GET /offers", b.guard(b.list))
	mux.HandleFunc("GET /offers/{number}", b.guard(b.one))
	mux.HandleFunc("PUT /requests/{id}", b.guard(b.ask))
	mux.HandleFunc("GET /requests/{id}", b.guard(b.quotes))
	mux.HandleFunc("DELETE /requests/{id}", b.guard(b.withdraw))
	mux.HandleFunc("PUT /requests/{id}/quotes/{quote}", b.guard(b.take))
	mux.HandleFunc("PUT /purchase-orders/{id}", b.guard(b.place))
	mux.HandleFunc("GET /purchase-orders/{id}", b.guard(b.showPurchase))
	mux.HandleFunc("POST /purchase-orders/{id}/payment", b.guard(b.pay))
	mux.HandleFunc("PUT /purchase-orders/{id}/messages/{message}", b.guard(b.takeMessage))
	mux.HandleFunc("POST /-/cancel", b.cancel)
	mux.HandleFunc("GET /p/{number}", b.page)
	mux.HandleFunc("GET /pictures/{name}", b.picture)
	mux.HandleFunc("PUT /-/day", func(w http.ResponseWriter, r *http.Request) {
		day, err := strconv.Atoi(r.URL.Query().Get("day"))
		if err != nil {
			http.Error(w, "day must be a number", http.StatusBadRequest)
			return
		}
		b.SetDay(day)
		w.WriteHeader(http.StatusNoContent)
	})
	return b.Faults.Wrap(mux)
}

func answer(w http.ResponseWriter, status int, body any) {
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(body)
}

func (b *Server) describe(w http.ResponseWriter, _ *http.Request) {
	base, _, _ := b.now()
	answer(w, http.StatusOK, map[string]any{
		"protocol": "catalog-source/1", "name": b.Name, "offers": len(base), "takes_requests": true,
		"takes_orders":    !b.SheetsOnly,
		"takes_documents": !b.SheetsOnly,
		"takes_messages":  !b.SheetsOnly,
		"token_endpoint":  "/oauth/token",
		"limits":          map[string]int{"requests_per_second": b.PerSecond, "page_size": b.PageSize},
	})
}

// token is RFC 6749 section 4.4, with the client's credentials in HTTP Basic or the form.
func (b *Server) token(w http.ResponseWriter, r *http.Request) {
	id, secret, basic := r.BasicAuth()
	if !basic {
		id, secret = r.FormValue("client_id"), r.FormValue("client_secret")
	}
	if r.FormValue("grant_type") != "client_credentials" {
		answer(w, http.StatusBadRequest, map[string]string{"error": "unsupported_grant_type"})
		return
	}
	if id != b.ClientID || subtle.ConstantTimeCompare([]byte(secret), []byte(b.ClientSecret)) != 1 {
		answer(w, http.StatusUnauthorized, map[string]string{"error": "invalid_client"})
		return
	}
	token := rand.Text()
	b.mu.Lock()
	b.tokens[token] = time.Now().Add(time.Hour)
	b.mu.Unlock()
	answer(w, http.StatusOK, map[string]any{"access_token": token, "token_type": "Bearer", "expires_in": 3600})
}

func (b *Server) guard(next http.HandlerFunc) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		token, _ := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer ")
		b.mu.Lock()
		until, known := b.tokens[token]
		b.mu.Unlock()
		if !known || time.Now().After(until) {
			answer(w, http.StatusUnauthorized, map[string]string{"error": "invalid_token"})
			return
		}
		if !b.limiter.Allow() {
			w.Header().Set("Retry-After", "1")
			answer(w, http.StatusTooManyRequests, map[string]string{"error": "too_many_requests"})
			return
		}
		time.Sleep(b.Slow)
		next(w, r)
	}
}

func (b *Server) list(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	from, _ := strconv.Atoi(q.Get("cursor"))
	limit, err := strconv.Atoi(q.Get("limit"))
	if err != nil || limit < 1 || limit > b.PageSize {
		limit = b.PageSize
	}
	var since time.Time
	if text := q.Get("changed_since"); text != "" {
		if since, err = time.Parse(time.RFC3339, text); err != nil {
			answer(w, http.StatusBadRequest, map[string]string{"error": "changed_since is not a moment"})
			return
		}
	}
	base, day, asOf := b.now()
	plan := b.Faults.Plan()
	end, total := len(base), b.forSale()
	if plan.Empty {
		end, total = 0, 0
	}
	if plan.ShortPercent > 0 {
		end = end * plan.ShortPercent / 100
	}
	page := []any{}
	at := max(from, 0)
	for ; at < end && len(page) < limit; at++ {
		o := gen.Drift(b.Seed, base[at], at, day)
		if (since.IsZero() && o.Withdrawn) || (!since.IsZero() && !b.changed(at, o).After(since)) {
			continue
		}
		page = append(page, b.product(r, o))
	}
	body := map[string]any{"offers": page, "next": nil, "total": total, "as_of": asOf.Format(time.RFC3339Nano)}
	if at < end {
		body["next"] = strconv.Itoa(at)
	}
	answer(w, http.StatusOK, body)
}

func (b *Server) find(number string) (gen.Offer, bool) {
	n, err := strconv.Atoi(strings.TrimPrefix(number, b.Prefix+"-"))
	place := n - 100000
	base, day, _ := b.now()
	if err != nil || place < 0 || place >= len(base) || b.Faults.Plan().Empty {
		return gen.Offer{}, false
	}
	return gen.Drift(b.Seed, base[place], place, day), true
}

func (b *Server) one(w http.ResponseWriter, r *http.Request) {
	o, found := b.find(r.PathValue("number"))
	switch {
	case !found:
		answer(w, http.StatusNotFound, map[string]string{"error": "not_found"})
	case o.Withdrawn:
		answer(w, http.StatusGone,
			map[string]string{"error": "withdrawn", "withdrawn_at": moment(o.Changed).Format(time.RFC3339)})
	default:
		answer(w, http.StatusOK, b.product(r, o))
	}
}

func (b *Server) picture(w http.ResponseWriter, r *http.Request) {
	img, err := draw.Picture(strings.TrimSuffix(r.PathValue("name"), ".jpg"), b.PictureSize)
	if err != nil {
		http.NotFound(w, r)
		return
	}
	var body bytes.Buffer
	if err := jpeg.Encode(&body, img, &jpeg.Options{Quality: 88}); err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	w.Header().Set("Content-Type", "image/jpeg")
	w.Header().Set("Content-Length", fmt.Sprint(body.Len()))
	_, _ = w.Write(body.Bytes())
}
