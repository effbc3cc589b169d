package bazaar

import (
	"encoding/json"
	"fmt"
	"net/http"
	"os"
	"strings"
	"time"

	"plainpelican/standins/gen"
)

// request is what a client asked for.
type request struct {
	ID       string    `json:"identifier"`
	Name     string    `json:"name"`
	Market   string    `json:"areaServed"`
	Target   target    `json:"priceSpecification"`
	AskedAt  time.Time `json:"asked_at"`
	Withdrew bool      `json:"withdrew"`
}

type target struct {
	Price    string `json:"price"`
	Currency string `json:"priceCurrency"`
}

// quoting is how many suppliers quote.
const quoting = 3

// answers makes the quotes to a request, the same ones each time.
func (b *Server) answers(r *request) []gen.Offer {
	return b.catalog().Quotes(r.ID, r.Name, r.Target.Price, r.Target.Currency, r.Market, quoting)
}

func (b *Server) ask(w http.ResponseWriter, r *http.Request) {
	asked := request{}
	switch err := json.NewDecoder(http.MaxBytesReader(w, r.Body, 4<<20)).Decode(&asked); {
	case err != nil || strings.TrimSpace(asked.Name) == "":
		answer(w, http.StatusUnprocessableEntity, object{"detail": "Say what is wanted."})
		return
	case b.TargetsOnly && asked.Target.Price == "":
		answer(w, http.StatusUnprocessableEntity,
			object{"detail": "Our suppliers quote only where a cost to reach is named."})
		return
	}
	asked.ID, asked.AskedAt = r.PathValue("id"), time.Now()
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.requests[asked.ID] != nil {
		answer(w, http.StatusOK, object{})
		return
	}
	b.requests[asked.ID] = &asked
	b.keep()
	answer(w, http.StatusCreated, object{})
}

func (b *Server) quotes(w http.ResponseWriter, r *http.Request) {
	b.mu.Lock()
	asked := b.requests[r.PathValue("id")]
	b.mu.Unlock()
	if asked == nil {
		answer(w, http.StatusNotFound, object{"error": "not_found"})
		return
	}
	list := []object{}
	for i, o := range b.answers(asked) {
		if time.Since(asked.AskedAt) < time.Duration(i+1)*b.QuoteEvery || asked.Withdrew {
			break
		}
		list = append(list, object{
			"identifier": fmt.Sprint(i + 1), "validThrough": asked.AskedAt.Add(valid(i)).Format(time.RFC3339),
			"comment": gen.QuoteWords[i%len(gen.QuoteWords)], "itemOffered": b.product(r, o),
		})
	}
	status := "open"
	if len(list) == quoting || asked.Withdrew {
		status = "closed"
	}
	answer(w, http.StatusOK, object{"status": status, "quotes": list})
}

// valid is how long a quote is; the third supplier's is over soon.
func valid(i int) time.Duration { return []time.Duration{30, 14, 2}[i%3] * 24 * time.Hour }

func (b *Server) withdraw(w http.ResponseWriter, r *http.Request) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if asked := b.requests[r.PathValue("id")]; asked != nil {
		asked.Withdrew = true
		b.keep()
	}
	w.WriteHeader(http.StatusNoContent)
}

func (b *Server) take(w http.ResponseWriter, r *http.Request) {
	b.mu.Lock()
	defer b.mu.Unlock()
	asked := b.requests[r.PathValue("id")]
	n := 0
	if _, err := fmt.Sscan(r.PathValue("quote"), &n); err != nil || asked == nil || asked.Withdrew || n < 1 ||
		n > quoting || time.Since(asked.AskedAt) > valid(n-1) {
		answer(w, http.StatusGone, object{"error": "not_valid"})
		return
	}
	place := -1
	for i, o := range b.base[b.Offers:] {
		if o.Quote == fmt.Sprintf("%s/%d", asked.ID, n) {
			place = b.Offers + i
		}
	}
	if place < 0 {
		place = b.put(asked, n)
		b.keep()
	}
	answer(w, http.StatusOK, object{"productGroupID": b.base[place].Number})
}

// put makes a quote an offer of the catalog; its place.
func (b *Server) put(r *request, n int) int {
	o := b.answers(r)[n-1]
	place := len(b.base)
	o.Renumber(fmt.Sprintf("%s-%06d", b.Prefix, 100000+place))
	o.Quote = fmt.Sprintf("%s/%d", r.ID, n)
	b.base = append(b.base[:place:place], o) // readers may hold what was there
	b.taken[place] = moment(b.day).Add(time.Duration(len(b.taken)+1) * time.Millisecond)
	return place
}

// kept is what a stand-in remembers: what was asked for, and the quotes taken, in order.
type kept struct {
	Requests  map[string]*request
	Taken     []string
	Purchases map[string]*purchase
}

func (b *Server) keep() {
	if b.File == "" {
		return
	}
	all := kept{Requests: b.requests, Purchases: b.purchases}
	for _, o := range b.base[b.Offers:] {
		all.Taken = append(all.Taken, o.Quote)
	}
	data, err := json.Marshal(all)
	if err == nil {
		err = os.WriteFile(b.File, data, 0o600)
	}
	if err != nil {
		panic(err) // a stand-in that cannot keep its word must not pretend
	}
}

func (b *Server) load() {
	var all kept
	data, err := os.ReadFile(b.File)
	if err != nil || json.Unmarshal(data, &all) != nil {
		return
	}
	b.requests = all.Requests
	if all.Purchases != nil {
		b.purchases = all.Purchases
	}
	for _, quote := range all.Taken {
		id, n, _ := strings.Cut(quote, "/")
		if r, number := b.requests[id], 0; r != nil {
			if _, err := fmt.Sscan(n, &number); err == nil {
				b.put(r, number)
			}
		}
	}
}
