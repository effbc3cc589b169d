// Package schedule repeats something by an RFC 5545 recurrence rule in a time zone.
package schedule

import (
	"errors"
	"strings"
	"time"

	"github.com/teambition/rrule-go"
)

// ErrRule is returned for a rule that cannot be read, or that repeats too often; ErrZone for
// a time zone that does not exist.
var (
	ErrRule = errors.New("that is not a schedule: give a rule such as FREQ=DAILY;BYHOUR=6;BYMINUTE=0, no more often " +
		"than every quarter of an hour")
	ErrZone = errors.New("there is no such time zone")
)

// Least is the shortest time between two occurrences.
const Least = 15 * time.Minute

// Next is the first occurrence after a moment of a rule that starts on a day long past,
// on the wall clock of an IANA time zone: 06:00 stays 06:00 over both daylight-saving changes.
// A time of day that a change skips happens an hour later, as RFC 5545 section 3.3.5 says.
// An empty rule never comes: the time is zero.
func Next(rule, zone string, after time.Time) (time.Time, error) {
	if rule == "" {
		return time.Time{}, nil
	}
	at, err := time.LoadLocation(zone)
	if err != nil || zone == "" || zone == "Local" {
		return time.Time{}, ErrZone
	}
	if len(rule) > 300 || strings.ContainsAny(rule, "\r\n:") {
		return time.Time{}, ErrRule
	}
	option, err := rrule.StrToROption(rule)
	if err != nil || option.Freq == rrule.SECONDLY || option.Count > 0 || len(option.Bysecond) > 0 {
		return time.Time{}, ErrRule
	}
	if !bounded(option) {
		return time.Time{}, ErrRule
	}
	// Hours and minutes pass alike everywhere; days and longer are counted on the wall clock.
	wall := option.Freq < rrule.HOURLY
	begin := time.Date(2024, 1, 1, 0, 0, 0, 0, time.UTC)
	if !wall {
		begin = time.Date(2024, 1, 1, 0, 0, 0, 0, at)
	}
	option.Dtstart = begin
	if far := after.Add(horizon); option.Until.IsZero() || option.Until.After(far) {
		option.Until = far // a rule that never comes is looked for no longer than this
	}
	r, err := rrule.NewRRule(*option)
	if err != nil {
		return time.Time{}, ErrRule
	}
	from := after
	if wall {
		local := after.In(at)
		from = time.Date(local.Year(), local.Month(), local.Day(), local.Hour(), local.Minute(), local.Second(),
			local.Nanosecond(), time.UTC).Add(-2 * time.Hour)
	}
	var found []time.Time
	for len(found) < 2 {
		occurs := r.After(from, false)
		if occurs.IsZero() {
			break
		}
		from = occurs
		if wall {
			occurs = onTheClock(occurs, at)
		}
		if occurs.After(after) {
			found = append(found, occurs)
		}
	}
	if len(found) == 0 || (len(found) == 2 && found[1].Sub(found[0]) < Least) {
		return time.Time{}, ErrRule
	}
	return found[0], nil
}

// horizon is how far ahead the next occurrence is looked for.
const horizon = 5 * 366 * 24 * time.Hour

// bounded tells whether a rule is found out in little time: minutes are counted by an interval alone, hours
// with no calendar beside them, and a day has no more occurrences than quarters of an hour.
func bounded(o *rrule.ROption) bool {
	const most = 96
	calendar := len(o.Bysetpos) + len(o.Bymonth) + len(o.Bymonthday) + len(o.Byyearday) + len(o.Byweekno) +
		len(o.Byeaster)
	switch {
	case o.Interval > 10_000 || o.Interval < 0 || max(len(o.Byhour), 1)*max(len(o.Byminute), 1) > most:
		return false
	case o.Freq == rrule.MINUTELY:
		return time.Duration(max(o.Interval, 1))*time.Minute >= Least &&
			calendar+len(o.Byweekday)+len(o.Byhour)+len(o.Byminute) == 0
	case o.Freq == rrule.HOURLY:
		return calendar == 0
	}
	return true
}

// onTheClock is the moment at which a zone's clock shows a time: the first of two, and where
// it is skipped, that by the offset before the gap.
func onTheClock(wall time.Time, at *time.Location) time.Time {
	moment := time.Date(wall.Year(), wall.Month(), wall.Day(), wall.Hour(), wall.Minute(), 0, 0, at)
	if moment.Hour() != wall.Hour() || moment.Minute() != wall.Minute() {
		_, before := moment.Add(-3 * time.Hour).Zone()
		moment = time.Unix(wall.Unix()-int64(before), 0).In(at)
	}
	return moment
}
