// Package rates is a made-up publisher of daily reference rates: XML, one base, one day.
package rates

import (
	"encoding/xml"
	"net/http"
	"time"

	"plainpelican/standins/fault"
)

// Table is what it publishes. The numbers are invented for the demo.
var Table = []Rate{
	{"USD", "1.1042"}, {"JPY", "168.73"}, {"KWD", "0.33918"}, {"CNY", "7.9718"}, {"INR", "95.404"}, {"GBP", "0.84310"},
	{"PLN", "4.2655"}, {"SEK", "11.2380"}, {"CAD", "1.5411"}, {"AUD", "1.7040"},
}

// Rate is units of a currency per 1 euro.
type Rate struct {
	Currency string `xml:"currency,attr"`
	PerBase  string `xml:",chardata"`
}

type document struct {
	XMLName xml.Name `xml:"rates"`
	Base    string   `xml:"base,attr"`
	Day     string   `xml:"day,attr"`
	Rates   []Rate   `xml:"rate"`
}

// Server publishes the table for the day that Now says.
type Server struct {
	Faults fault.Control
	Now    func() time.Time
}

// Handler serves GET /daily.xml, as docs/protocols/rates.md lays down.
func (s *Server) Handler() http.Handler {
	mux := http.NewServeMux()
	mux.HandleFunc("GET /daily.xml", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/xml")
		_, _ = w.Write([]byte(xml.Header))
		_ = xml.NewEncoder(w).Encode(document{Base: "EUR", Day: s.Now().UTC().Format(time.DateOnly), Rates: Table})
	})
	return s.Faults.Wrap(mux)
}
