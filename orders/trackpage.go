package orders

import (
	"embed"
	"html/template"
	"net/http"
	"net/url"
	"regexp"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"
	"github.com/jackc/pgx/v5"

	"plainpelican/core/order"
	"plainpelican/platform/database"
)

//go:embed trackpage.html trackpage.css
var trackFiles embed.FS

var trackPage = template.Must(template.ParseFS(trackFiles, "trackpage.html"))

// trackPath is where customers follow their orders.
const trackPath = "/track/"

// trackKey is how a key is written.
var trackKey = regexp.MustCompile(`^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$`)

// tracked is what a customer sees of an order: nothing of who it is bought from.
type tracked struct {
	Shop, Number string
	PlacedAt     time.Time
	State        string
	Lines        []trackedLine
	Parcels      []trackedParcel
}

type trackedLine struct {
	Title, Variant string
	Quantity       int
}

type trackedParcel struct {
	Carrier, Number, URL string
	Delivered            bool
}

// trackedStates are those of an order in words for a customer.
var trackedStates = map[order.State]string{order.InTransit: "On its way", order.Arrived: "Delivered",
	order.Void: "Cancelled"}

// track serves the page on which a customer follows an order; its key is in nobody else's hands.
func (s *Service) track(w http.ResponseWriter, r *http.Request) {
	w.Header().Set("Cache-Control", "no-store")
	w.Header().Set("X-Robots-Tag", "noindex")
	w.Header().Set("Referrer-Policy", "no-referrer")
	w.Header().Set("Content-Security-Policy", "default-src 'none'; style-src 'self'; frame-ancestors 'none'")
	key := chi.URLParam(r, "key")
	if !trackKey.MatchString(key) {
		http.Error(w, "There is no such order.", http.StatusNotFound)
		return
	}
	var id int64
	var state order.State
	page := tracked{}
	err := s.Pool.QueryRow(r.Context(), `select o.id, t.name, o.number, o.placed_at, o.state from customer_order o
		join facts.store t on t.id = o.store_id where o.track_key = $1::uuid and o.erased_at is null`, key).Scan(&id,
		&page.Shop, &page.Number, &page.PlacedAt, &state)
	if database.Missing(err) {
		http.Error(w, "There is no such order.", http.StatusNotFound)
		return
	}
	if err == nil {
		err = s.fillTracked(r, id, state, &page)
	}
	if err != nil {
		s.Log.Error("showing a customer an order", "error", err)
		http.Error(w, "This page cannot be shown at the moment. Try again in a minute.", http.StatusServiceUnavailable)
		return
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	if err := trackPage.Execute(w, page); err != nil {
		s.Log.Warn("showing a customer an order", "error", err)
	}
}

func (s *Service) fillTracked(r *http.Request, id int64, state order.State, page *tracked) error {
	rows, err := s.Pool.Query(r.Context(), `select title, variant, quantity from order_line where order_id = $1
		order by position`, id)
	if err != nil {
		return err
	}
	if page.Lines, err = pgx.CollectRows(rows, pgx.RowToStructByPos[trackedLine]); err != nil {
		return err
	}
	rows, err = s.Pool.Query(r.Context(), `select c.carrier, c.number, c.url, c.delivered,
			coalesce((select o.page_url from purchase_line l join facts.offer o on o.id = l.offer_id
				where l.purchase_id = c.purchase_id limit 1), '')
		from parcel c join purchase p on p.id = c.purchase_id where p.order_id = $1 and c.number <> '' order by c.id`,
		id)
	if err != nil {
		return err
	}
	var c trackedParcel
	var offerPage string
	if _, err := pgx.ForEachRow(rows, []any{&c.Carrier, &c.Number, &c.URL, &c.Delivered, &offerPage}, func() error {
		one := c
		if sameHost(one.URL, offerPage) {
			one.URL = "" // it would name where it was bought
		}
		page.Parcels = append(page.Parcels, one)
		return nil
	}); err != nil {
		return err
	}
	page.State = trackedStates[state]
	switch {
	case page.State != "":
	case len(page.Parcels) > 0:
		page.State = "Partly on its way"
	default:
		page.State = "Being prepared"
	}
	return nil
}

// sameHost tells whether two addresses are of one host.
func sameHost(a, b string) bool {
	x, errX := url.Parse(a)
	y, errY := url.Parse(b)
	return errX == nil && errY == nil && strings.EqualFold(x.Hostname(), y.Hostname())
}

// trackStyle serves the look of the page.
func trackStyle(w http.ResponseWriter, r *http.Request) {
	http.ServeFileFS(w, r, trackFiles, "trackpage.css")
}
