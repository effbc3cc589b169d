// Package shop is a made-up store platform holding one store. It speaks the store
// protocol of docs/protocols/store.md and shows a storefront that customers could buy from.
package shop

import (
	"encoding/json"
	"net/http"
	"os"
	"path/filepath"
	"sync"
	"time"

	"golang.org/x/time/rate"

	"plainpelican/standins/fault"
)

// Settings describe a store.
type Settings struct {
	Handle, Name, Currency, TimeZone string
	ShipsTo                          []string
	// Tax is the sales tax included in prices, as decimal text; "0" where they are shown without.
	Tax string
	// PerSecond is how many API requests a second it allows.
	PerSecond int
	Limits    Limits
}

// Limits are what one product may have.
type Limits struct {
	Options     int `json:"options"`
	Variants    int `json:"variants"`
	Pictures    int `json:"pictures"`
	TitleLength int `json:"title_length"`
}

var usual = Limits{Options: 3, Variants: 100, Pictures: 20, TitleLength: 150}

// Goods and Nord are the two stores of the demo.
var (
	Goods = Settings{"saltmarsh-goods", "Saltmarsh Goods", "USD", "America/New_York", []string{"US", "CA"}, "0", 40,
		usual}
	Nord = Settings{"saltmarsh-nord", "Saltmarsh Nord", "EUR", "Europe/Stockholm", []string{"DE", "SE", "FR"}, "0.19",
		40, usual}
)

// Product is one product as the protocol carries it.
type Product struct {
	ID                string    `json:"id"`
	Reference         string    `json:"reference"`
	Handle            string    `json:"handle"`
	URL               string    `json:"url"`
	Title             string    `json:"title"`
	Description       string    `json:"description_html"`
	Vendor            string    `json:"vendor"`
	Type              string    `json:"type"`
	Collections       []string  `json:"collections"`
	Tags              []string  `json:"tags"`
	SearchTitle       string    `json:"search_title"`
	SearchDescription string    `json:"search_description"`
	Visible           bool      `json:"visible"`
	SellEmpty         bool      `json:"sell_when_out_of_stock"`
	Options           []Option  `json:"options"`
	Variants          []Variant `json:"variants"`
	Pictures          []string  `json:"pictures"`
	CreatedAt         time.Time `json:"created_at"`
	UpdatedAt         time.Time `json:"updated_at"`
}

// Option is a way in which variants differ.
type Option struct {
	Name   string   `json:"name"`
	Values []string `json:"values"`
}

// Variant is one thing a customer can buy.
type Variant struct {
	ID        string   `json:"id"`
	Reference string   `json:"reference"`
	SKU       string   `json:"sku"`
	Values    []string `json:"values"`
	Price     string   `json:"price"`
	WasPrice  string   `json:"was_price,omitempty"`
	Stock     int      `json:"stock"`
	Barcode   string   `json:"barcode,omitempty"`
	// Picture is the SHA-256 of one of the product's pictures, or empty.
	Picture string `json:"picture,omitempty"`
}

// state is what survives a restart.
type state struct {
	Products map[string]*Product `json:"products"`
	Tokens   map[string]bool     `json:"tokens"`
	// Scopes are what each token was approved for.
	Scopes map[string]string `json:"scopes"`
	// Keys maps idempotency keys to product ids.
	Keys map[string]string `json:"keys"`
	Next int               `json:"next"`
	// Orders are by id; OrderKeys open the customers' own pages.
	Orders    map[string]*Order `json:"orders"`
	OrderKeys map[string]string `json:"order_keys"`
	NextOrder int               `json:"next_order"`
	// Refunds are in hundredths of the currency, by order and key.
	Refunds   map[string]int64 `json:"refunds"`
	LastOrder time.Time        `json:"last_order"`
	Hooks     []hook           `json:"hooks"`
}

// Server is the store.
type Server struct {
	Settings
	Faults fault.Control
	// Volatile keeps products in memory alone, for benches: they do not survive a restart.
	Volatile bool

	mu      sync.Mutex
	dir     string
	state   state
	grants  map[string]grant
	limiter *rate.Limiter
}

// New opens the store whose data lives in dir.
func New(s Settings, dir string) (*Server, error) {
	p := &Server{Settings: s, dir: dir, grants: map[string]grant{},
		limiter: rate.NewLimiter(rate.Limit(s.PerSecond), s.PerSecond),
		state:   state{Products: map[string]*Product{}, Tokens: map[string]bool{}, Keys: map[string]string{}}}
	if err := os.MkdirAll(filepath.Join(dir, "pictures"), 0o755); err != nil {
		return nil, err
	}
	data, err := os.ReadFile(filepath.Join(dir, "state.json"))
	if err == nil {
		err = json.Unmarshal(data, &p.state)
	} else if os.IsNotExist(err) {
		err = nil
	}
	p.Faults.OnChange = func(plan fault.Plan) {
		if plan.RevokeTokens {
			p.mu.Lock()
			clear(p.state.Tokens)
			p.mu.Unlock()
		}
	}
	return p, err
}

// save writes the state; the caller holds the lock.
func (p *Server) save() {
	if p.Volatile {
		return
	}
	data, err := json.Marshal(p.state)
	if err != nil {
		return
	}
	file := filepath.Join(p.dir, "state.json")
	if os.WriteFile(file+".new", data, 0o644) == nil {
		_ = os.Rename(file+".new", file)
	}
}

// Products lists what the store holds, for tests.
func (p *Server) Products() []Product {
	p.mu.Lock()
	defer p.mu.Unlock()
	all := make([]Product, 0, len(p.state.Products))
	for _, product := range p.state.Products {
		all = append(all, *product)
	}
	return all
}

// Handler serves the protocol, the approval page, the storefront and the controls.
func (p *Server) Handler() http.Handler {
	mux := http.NewServeMux()
	mux.HandleFunc("GET /.well-known/store-platform", p.describe)
	mux.HandleFunc("GET /oauth/authorize", p.authorize)
	mux.HandleFunc("POST /oauth/decide", p.decide)
	mux.HandleFunc("POST /oauth/token", p.token)
	mux.HandleFunc("POST /oauth/revoke", p.revoke)
	mux.HandleFunc("GET /api/store", p.guard(p.store))
	mux.HandleFunc("PUT /api/pictures/{sha}", p.guard(p.putPicture))
	mux.HandleFunc("POST /api/products", p.guard(p.create))
	mux.HandleFunc("GET /api/products", p.guard(p.find))
	mux.HandleFunc("GET /api/products/{id}", p.guard(p.get))
	mux.HandleFunc("PUT /api/products/{id}", p.guard(p.update))
	mux.HandleFunc("PATCH /api/products/{id}", p.guard(p.change))
	mux.HandleFunc("DELETE /api/products/{id}", p.guard(p.remove))
	mux.HandleFunc("GET /api/orders", p.guard(p.listOrders))
	mux.HandleFunc("GET /api/orders/{id}", p.guard(p.getOrder))
	mux.HandleFunc("POST /api/orders/{id}/fulfilments", p.guard(p.fulfil))
	mux.HandleFunc("POST /api/orders/{id}/refunds", p.guard(p.refund))
	mux.HandleFunc("PUT /api/webhooks", p.guard(p.putHook))
	mux.HandleFunc("PUT /-/products/{id}", p.byHand)
	mux.HandleFunc("POST /-/orders", p.demand)
	mux.HandleFunc("POST /products/{handle}", p.buyHere)
	mux.HandleFunc("GET /orders/{id}", p.showOrder)
	mux.HandleFunc("GET /pictures/{sha}", p.showPicture)
	mux.HandleFunc("GET /products/{handle}", p.showProduct)
	mux.HandleFunc("GET /{$}", p.showAll)
	return p.Faults.Wrap(mux)
}

func answer(w http.ResponseWriter, status int, body any) {
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(body)
}
