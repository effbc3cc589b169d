package order_test

import (
	"strings"
	"testing"
	"time"

	"plainpelican/core/money"
	"plainpelican/core/order"
)

func usd(text string) *money.Amount {
	a := money.MustParse(text, "USD")
	return &a
}

func TestWhatIsNotBoughtWithoutAPersonSaysWhy(t *testing.T) {
	rule := order.AutoRule{Under: usd("80.00"), LeastProfit: *usd("5.00"), WithinPromise: true,
		DailyLimit: usd("100.00")}
	good := order.Candidate{Total: *usd("79.99"), Profit: usd("5.00"), Cost: usd("40.00"), Spent: *usd("60.00")}
	for name, c := range map[string]struct {
		change func(*order.Candidate)
		want   string
	}{
		"at every edge":            {func(*order.Candidate) {}, ""},
		"too dear":                 {func(c *order.Candidate) { c.Total = *usd("80.00") }, "not under"},
		"too little profit":        {func(c *order.Candidate) { c.Profit = usd("4.99") }, "leaves"},
		"a loss":                   {func(c *order.Candidate) { c.Profit = usd("-1.00") }, "leaves"},
		"profit that is not known": {func(c *order.Candidate) { c.Profit = nil }, "not known"},
		"too late":                 {func(c *order.Candidate) { c.Late = true }, "later"},
		"more than a day's limit":  {func(c *order.Candidate) { c.Spent = *usd("60.01") }, "100.00"},
		"blocked":                  {func(c *order.Candidate) { c.Blocked = "Its address is doubtful." }, "doubtful"},
	} {
		t.Run(name, func(t *testing.T) {
			candidate := good
			c.change(&candidate)
			got := rule.Waits(candidate)
			if (got == "") != (c.want == "") || !strings.Contains(got, c.want) {
				t.Errorf("%q", got)
			}
		})
	}
	late := good
	late.Late, late.Spent, late.Total = true, *usd("1000.00"), *usd("9000.00")
	if got := (order.AutoRule{LeastProfit: *usd("0")}).Waits(late); got != "" {
		t.Errorf("without conditions: %q", got)
	}
}

// The IANA time zones over both changes of the clocks: 02:30 is skipped on 2026-03-29 in Stockholm, and comes twice on
// 2026-10-25.
func TestDueOncePerTimeOfDay(t *testing.T) {
	zone, err := time.LoadLocation("Europe/Stockholm")
	if err != nil {
		t.Fatal(err)
	}
	times := []string{"10:00", "16:00"}
	at := func(text string) time.Time {
		moment, err := time.ParseInLocation("2006-01-02 15:04", text, zone)
		if err != nil {
			t.Fatal(err)
		}
		return moment
	}
	for name, c := range map[string]struct {
		times     []string
		last, now time.Time
		want      bool
	}{
		"before the first":     {times, at("2026-11-28 09:00"), at("2026-11-28 09:59"), false},
		"at the minute":        {times, at("2026-11-28 09:00"), at("2026-11-28 10:00"), true},
		"not again":            {times, at("2026-11-28 10:00"), at("2026-11-28 15:59"), false},
		"the second":           {times, at("2026-11-28 10:00"), at("2026-11-28 16:03"), true},
		"missed over midnight": {times, at("2026-11-27 12:00"), at("2026-11-28 01:00"), true},
		"none":                 {nil, at("2026-11-27 12:00"), at("2026-11-28 12:00"), false},
		"no time of day":       {[]string{"25:00", "x"}, at("2026-11-27 12:00"), at("2026-11-28 12:00"), false},
		"a time that is skipped": {[]string{"02:30"}, at("2026-03-29 00:00"), at("2026-03-29 06:00"),
			true},
	} {
		t.Run(name, func(t *testing.T) {
			if got := order.Due(c.times, zone, c.last, c.now); got != c.want {
				t.Error(got)
			}
		})
	}
	// Minute by minute over the night on which 02:30 comes twice, and that on which it is skipped.
	for _, night := range []string{"2026-10-25", "2026-03-29"} {
		last, n := at(night+" 00:00"), 0
		for now := last; now.Before(at(night + " 08:00")); now = now.Add(time.Minute) {
			if order.Due([]string{"02:30"}, zone, last, now) {
				last = now
				n++
			}
		}
		if n != 1 {
			t.Errorf("%s: %d times", night, n)
		}
	}
}
