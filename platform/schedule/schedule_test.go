package schedule

import (
	"errors"
	"testing"
	"time"
)

func next(t *testing.T, rule, zone, after string) string {
	t.Helper()
	at, err := time.Parse(time.RFC3339, after)
	if err != nil {
		t.Fatal(err)
	}
	got, err := Next(rule, zone, at)
	if err != nil {
		t.Fatalf("%s in %s: %v", rule, zone, err)
	}
	return got.Format(time.RFC3339)
}

// The rules are those of RFC 5545 section 3.8.5.3, in its time zone, America/New_York; the
// days are worked out by hand, the changes of the clock are those of the IANA data.
func TestRulesOfRFC5545(t *testing.T) {
	for _, c := range []struct{ rule, after, want string }{
		{"FREQ=DAILY;BYHOUR=9;BYMINUTE=0", "2026-11-24T14:30:00Z", "2026-11-25T09:00:00-05:00"},
		{"FREQ=WEEKLY;BYDAY=TU,TH;BYHOUR=9;BYMINUTE=0", "2026-11-24T14:30:00Z", "2026-11-26T09:00:00-05:00"},
		{"FREQ=MONTHLY;BYDAY=1FR;BYHOUR=9;BYMINUTE=0", "2026-11-24T14:30:00Z", "2026-12-04T09:00:00-05:00"},
		{"FREQ=MONTHLY;BYMONTHDAY=-3;BYHOUR=9;BYMINUTE=0", "2026-11-24T14:30:00Z", "2026-11-28T09:00:00-05:00"},
		{"FREQ=HOURLY;INTERVAL=3", "2026-11-24T14:30:00Z", "2026-11-24T12:00:00-05:00"},
		{"FREQ=DAILY;BYHOUR=9,10,11;BYMINUTE=0,20,40", "2026-11-24T14:30:00Z", "2026-11-24T09:40:00-05:00"},
	} {
		if got := next(t, c.rule, "America/New_York", c.after); got != c.want {
			t.Errorf("%s after %s: %s, want %s", c.rule, c.after, got, c.want)
		}
	}
}

func TestTheWallClockHoldsOverBothChanges(t *testing.T) {
	const daily = "FREQ=DAILY;BYHOUR=6;BYMINUTE=0"
	for _, c := range []struct{ rule, zone, after, want string }{
		{daily, "America/New_York", "2026-03-07T12:00:00Z", "2026-03-08T06:00:00-04:00"},
		{daily, "America/New_York", "2026-10-31T12:00:00Z", "2026-11-01T06:00:00-05:00"},
		{daily, "Europe/Berlin", "2026-03-28T06:00:00Z", "2026-03-29T06:00:00+02:00"},
		{daily, "Asia/Kolkata", "2026-03-28T06:00:00Z", "2026-03-29T06:00:00+05:30"},
		// 02:30 is skipped in the night of the change, and comes an hour later.
		{"FREQ=DAILY;BYHOUR=2;BYMINUTE=30", "America/New_York", "2026-03-08T06:00:00Z", "2026-03-08T03:30:00-04:00"},
		// 01:30 comes twice in the autumn night, and counts once.
		{"FREQ=DAILY;BYHOUR=1;BYMINUTE=30", "America/New_York", "2026-11-01T04:00:00Z", "2026-11-01T01:30:00-04:00"},
		{"FREQ=DAILY;BYHOUR=1;BYMINUTE=30", "America/New_York", "2026-11-01T05:30:00Z", "2026-11-02T01:30:00-05:00"},
	} {
		if got := next(t, c.rule, c.zone, c.after); got != c.want {
			t.Errorf("%s in %s after %s: %s, want %s", c.rule, c.zone, c.after, got, c.want)
		}
	}
}

func TestWhatIsNoSchedule(t *testing.T) {
	now := time.Date(2026, 11, 25, 8, 0, 0, 0, time.UTC)
	for _, rule := range []string{"every day", "FREQ=SECONDLY", "FREQ=MINUTELY", "FREQ=MINUTELY;INTERVAL=5",
		"FREQ=DAILY;UNTIL=20200101T000000Z", "FREQ=DAILY;COUNT=3", "FREQ=DAILY;BYHOUR=25",
		"FREQ=DAILY;BYHOUR=9;BYMINUTE=0,1", "FREQ=DAILY\r\nDTSTART:20260101T000000Z"} {
		if at, err := Next(rule, "UTC", now); !errors.Is(err, ErrRule) {
			t.Errorf("%q: %v, %v", rule, at, err)
		}
	}
	for _, zone := range []string{"", "Local", "Mars/Olympus"} {
		if _, err := Next("FREQ=DAILY", zone, now); !errors.Is(err, ErrZone) {
			t.Errorf("zone %q: %v", zone, err)
		}
	}
	if at, err := Next("", "", now); err != nil || !at.IsZero() {
		t.Errorf("by hand: %v %v", at, err)
	}
}
