// Package rates reads daily reference rates (docs/protocols/rates.md).
package rates

import (
	"bytes"
	"context"
	"encoding/xml"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"time"

	"plainpelican/core/money"
	"plainpelican/platform/outgoing"
)

// ErrUnreadable is returned for an answer that is not a table of rates.
var ErrUnreadable = errors.New("the exchange rates cannot be read")

type document struct {
	Base  string `xml:"base,attr"`
	Day   string `xml:"day,attr"`
	Rates []struct {
		Currency string `xml:"currency,attr"`
		PerBase  string `xml:",chardata"`
	} `xml:"rate"`
}

// Fetch reads the newest table. A currency that ISO 4217 does not list is left out;
// a rate that is not a positive number makes the whole table unreadable.
func Fetch(ctx context.Context, client *outgoing.Client, url string) (*money.Rates, error) {
	answer, err := client.Do(ctx,
		outgoing.Request{Method: http.MethodGet, URL: url, Repeatable: true, MaxBytes: 1 << 20})
	if err != nil {
		return nil, err
	}
	var d document
	if answer.Status != http.StatusOK || xml.NewDecoder(bytes.NewReader(answer.Body)).Decode(&d) != nil {
		return nil, ErrUnreadable
	}
	base, err := money.ParseCurrency(d.Base)
	if err != nil {
		return nil, fmt.Errorf("%w: base %w", ErrUnreadable, err)
	}
	day, err := time.Parse(time.DateOnly, d.Day)
	if err != nil {
		return nil, fmt.Errorf("%w: %q is not a day", ErrUnreadable, d.Day)
	}
	table := money.NewRates(base, day)
	for _, r := range d.Rates {
		quote, err := money.ParseCurrency(r.Currency)
		if err != nil {
			continue
		}
		if err := table.Set(quote, strings.TrimSpace(r.PerBase)); err != nil {
			return nil, fmt.Errorf("%w: %w", ErrUnreadable, err)
		}
	}
	return table, nil
}
