// Package wholesale is two made-up wholesalers of seeded catalogs. Northlight Wholesale publishes
// a price list as CSV with semicolons, decimal commas and Windows-1252, and as XLSX; Corvane
// Supply publishes a UBL 2.1 catalogue.
package wholesale

import (
	"bytes"
	"fmt"
	"image/jpeg"
	"net/http"
	"strconv"
	"strings"
	"sync"

	"github.com/xuri/excelize/v2"
	"golang.org/x/text/encoding/charmap"

	"plainpelican/standins/draw"
	"plainpelican/standins/fault"
	"plainpelican/standins/gen"
)

// Server is the wholesaler.
type Server struct {
	Name   string
	Faults fault.Control

	mu      sync.Mutex
	day     int
	renamed bool
	seed    uint64
	catalog []gen.Offer
	orders  map[string]*Order
}

// New makes Northlight Wholesale with its whole list, on day 0.
func New(offers int) *Server { return wholesaler("Northlight Wholesale", "NL", 37, offers) }

// Corvane makes Corvane Supply.
func Corvane(offers int) *Server { return wholesaler("Corvane Supply", "CV", 41, offers) }

func wholesaler(name, prefix string, seed uint64, offers int) *Server {
	s := &Server{Name: name, seed: seed}
	for o := range (gen.Catalog{Seed: seed, Prefix: prefix, Suppliers: 1, Near: true}).Offers(offers) {
		s.catalog = append(s.catalog, o)
	}
	return s
}

// Set moves its clock, and renames columns of its list where it is told to.
func (s *Server) Set(day int, renamed bool) {
	s.mu.Lock()
	s.day, s.renamed = day, renamed
	s.mu.Unlock()
}

// Handler serves the list, the pictures and the controls.
func (s *Server) Handler() http.Handler {
	mux := http.NewServeMux()
	mux.HandleFunc("GET /price-list.csv", func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/csv; charset=windows-1252")
		_, _ = w.Write(s.CSV("http://" + r.Host))
	})
	mux.HandleFunc("GET /price-list.xlsx", func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet")
		body, err := s.XLSX("http://" + r.Host)
		if err != nil {
			http.Error(w, err.Error(), http.StatusInternalServerError)
			return
		}
		_, _ = w.Write(body)
	})
	mux.HandleFunc("GET /catalogue.xml", func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "application/xml")
		s.document(w, "http://"+r.Host)
	})
	mux.HandleFunc("PUT /orders/{id}", s.takeOrder)
	mux.HandleFunc("GET /orders/{id}", s.showOrder)
	mux.HandleFunc("GET /orders/{id}/despatch/{n}", s.showDespatch)
	mux.HandleFunc("GET /pictures/{name}", func(w http.ResponseWriter, r *http.Request) {
		img, err := draw.Picture(strings.TrimSuffix(r.PathValue("name"), ".jpg"), 800)
		if err != nil {
			http.NotFound(w, r)
			return
		}
		w.Header().Set("Content-Type", "image/jpeg")
		_ = jpeg.Encode(w, img, &jpeg.Options{Quality: 88})
	})
	mux.HandleFunc("PUT /-/list", func(w http.ResponseWriter, r *http.Request) {
		day, err := strconv.Atoi(r.URL.Query().Get("day"))
		if err != nil {
			http.Error(w, "day must be a number", http.StatusBadRequest)
			return
		}
		s.Set(day, r.URL.Query().Get("renamed") == "true")
		w.WriteHeader(http.StatusNoContent)
	})
	return s.Faults.Wrap(mux)
}

// rows are the list, a row a variant. Costs are hundredths of a euro. A few rows are as they
// should not be: a price to be asked for, a date as stock, a number twice.
func (s *Server) rows(host string, yield func(cells []string, cents, list, least int)) {
	s.mu.Lock()
	day := s.day
	s.mu.Unlock()
	for place, o := range s.catalog {
		o = gen.Drift(s.seed, o, place, day)
		if o.Withdrawn || s.Faults.Plan().Empty {
			continue
		}
		for i, v := range o.Variants {
			name := o.Title
			size, colour := "", ""
			if len(v.Values) > 1 {
				colour, size = v.Values[0], v.Values[1]
			}
			stock := strconv.Itoa(v.Stock)
			if place%41 == 5 && i == 0 {
				stock = "01.12.2026"
			}
			list := v.List
			if list == 0 {
				list = v.Price * 5 / 2
			}
			cents := v.Price
			if place%53 == 3 && i == 0 {
				cents = 0 // on request
			}
			yield([]string{o.Number, v.SKU, name, o.Category, colour, size, stock, v.GTIN, strconv.Itoa(v.Grams),
				host + "/pictures/" + o.Pictures[v.Picture] + ".jpg"}, cents, list, v.Least)
		}
	}
}

func (s *Server) header() []string {
	s.mu.Lock()
	defer s.mu.Unlock()
	cost := "Net price €"
	if s.renamed {
		cost = "Net £ (2027 terms)"
	}
	return []string{"Product no.", "Art. no.", "Désignation", "Range", "Colour", "Size", cost, "MAP €", "RRP €",
		"Stock", "EAN", "Weight (g)", "Picture"}
}

func comma(cents int) string {
	if cents == 0 {
		return ""
	}
	text := strconv.Itoa(cents / 100)
	for i := len(text) - 3; i > 0; i -= 3 {
		text = text[:i] + "." + text[i:]
	}
	return fmt.Sprintf("%s,%02d", text, cents%100)
}

// CSV is the list as the wholesaler's old system exports it.
func (s *Server) CSV(host string) []byte {
	var b strings.Builder
	b.WriteString("Northlight Wholesale – price list;;;;\r\nPrices in €, ex works, valid until further " +
		"notice;;;;\r\n;;;;\r\n")
	line := func(cells []string) {
		for i, c := range cells {
			if i > 0 {
				b.WriteByte(';')
			}
			if strings.ContainsAny(c, ";\"\r\n") {
				c = `"` + strings.ReplaceAll(c, `"`, `""`) + `"`
			}
			b.WriteString(c)
		}
		b.WriteString("\r\n")
	}
	line(s.header())
	s.rows(host, func(c []string, cents, list, least int) {
		cost := comma(cents)
		if cents == 0 {
			cost = "on request"
		}
		line([]string{c[0], c[1], c[2], c[3], c[4], c[5], cost, comma(least), comma(list), c[6], c[7], c[8], c[9]})
	})
	out, err := charmap.Windows1252.NewEncoder().Bytes([]byte(drop(b.String())))
	if err != nil {
		return []byte(b.String()) // what cannot be written so goes out as it is
	}
	return out
}

// drop leaves out what Windows-1252 cannot write.
func drop(text string) string {
	return strings.Map(func(r rune) rune {
		if _, ok := charmap.Windows1252.EncodeRune(r); ok {
			return r
		}
		return -1
	}, text)
}

// XLSX is the list as the sales office sends it round.
func (s *Server) XLSX(host string) ([]byte, error) {
	f := excelize.NewFile()
	defer func() { _ = f.Close() }()
	if err := f.SetSheetName("Sheet1", "Terms"); err != nil {
		return nil, err
	}
	if err := f.SetCellValue("Terms", "A1", "Northlight Wholesale: minimum order 50 €, ex works"); err != nil {
		return nil, err
	}
	if _, err := f.NewSheet("Price list"); err != nil {
		return nil, err
	}
	w, err := f.NewStreamWriter("Price list")
	if err != nil {
		return nil, err
	}
	at := 1
	put := func(cells []any) {
		if cell, err2 := excelize.CoordinatesToCellName(1, at); err == nil && err2 == nil {
			err = w.SetRow(cell, cells)
		}
		at++
	}
	put([]any{"Northlight Wholesale"})
	put(nil)
	header := []any{}
	for _, h := range s.header() {
		header = append(header, h)
	}
	put(header)
	money := func(cents int) any {
		if cents == 0 {
			return nil
		}
		return float64(cents) / 100
	}
	s.rows(host, func(c []string, cents, list, least int) {
		cost := money(cents)
		if cents == 0 {
			cost = "on request"
		}
		var stock any = c[6]
		if n, err := strconv.Atoi(c[6]); err == nil {
			stock = n
		}
		put([]any{c[0], c[1], c[2], c[3], c[4], c[5], cost, money(least), money(list), stock, c[7], c[8], c[9]})
	})
	if err != nil {
		return nil, err
	}
	if err := w.Flush(); err != nil {
		return nil, err
	}
	var out bytes.Buffer
	err = f.Write(&out)
	return out.Bytes(), err
}
