package schedule

import (
	"errors"
	"testing"
	"time"
)

// Rules that never come, or come too often, are refused at once: each of these took seconds or did not end.
func TestRulesThatWouldTakeForEver(t *testing.T) {
	after := time.Date(2026, 11, 26, 12, 0, 0, 0, time.UTC)
	for _, rule := range []string{
		"FREQ=MINUTELY;BYMONTH=2;BYMONTHDAY=30", "FREQ=HOURLY;BYMONTH=2;BYMONTHDAY=31",
		"FREQ=DAILY;BYMONTH=2;BYMONTHDAY=30", "FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30",
		"FREQ=MINUTELY", "FREQ=MINUTELY;INTERVAL=14", "FREQ=DAILY;INTERVAL=999999999",
		"FREQ=YEARLY;BYWEEKNO=53;BYMONTH=6", "FREQ=MINUTELY;INTERVAL=60;BYHOUR=25",
		"FREQ=DAILY;BYHOUR=0,1,2,3,4,5,6,7,8,9,10,11,12,13,14,15,16,17,18,19,20,21,22,23;BYMINUTE=0,10,20,30,40,50,55",
	} {
		began := time.Now()
		if next, err := Next(rule, "Europe/Berlin", after); !errors.Is(err, ErrRule) {
			t.Errorf("%s: %v, %v", rule, next, err)
		}
		if took := time.Since(began); took > 10*time.Second {
			t.Errorf("%s took %v", rule, took)
		}
	}
	for _, rule := range []string{"FREQ=MINUTELY;INTERVAL=15", "FREQ=HOURLY;INTERVAL=6",
		"FREQ=WEEKLY;BYDAY=MO,TH;BYHOUR=6;BYMINUTE=30", "FREQ=MONTHLY;BYMONTHDAY=-1"} {
		if next, err := Next(rule, "Europe/Berlin", after); err != nil || !next.After(after) {
			t.Errorf("%s: %v, %v", rule, next, err)
		}
	}
}
