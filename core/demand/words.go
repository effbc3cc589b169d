package demand

import (
	"fmt"
	"slices"
	"strings"
	"time"
)

// Words says a verdict in a sentence that a person can act on, on a day.
func (v Verdict) Words(today time.Time) string {
	weeks, since := v.Weeks, ""
	if v.Launched != nil {
		weeks -= *v.Launched
		since = "launched in the " + v.weekOf(*v.Launched)
	}
	switch {
	case v.Weeks == 0:
		return "The supplier tells no sales: nothing is known of its demand."
	case v.Class == Stopped:
		empty := v.Weeks - *v.StoppedAt
		return fmt.Sprintf("Sales have stopped: none for %s, since the %s.", count(empty, "week"),
			v.weekOf(*v.StoppedAt))
	case v.Class == Unknown && v.Moved == 0:
		return sentence(since, v.tooLittle(weeks))
	}
	said := []string{}
	if since != "" {
		said = append(said, since)
	}
	if len(v.Peaks) > 0 {
		peak := "peaks " + span(v.Peaks)
		if v.PeakWeeks > 0 {
			peak = fmt.Sprintf("peaks for %s a year %s", count(v.PeakWeeks, "week"), span(v.Peaks))
		}
		said = append(said, peak+", "+away(v.Peaks, today.Month()))
	}
	if v.Step != nil {
		said = append(said,
			fmt.Sprintf("went from about %d to about %d a week at once, in the %s", v.Step.Before, v.Step.After,
				v.weekOf(v.Step.Week)))
	}
	said = append(said, v.direction(weeks))
	if v.Lately > 0 {
		said = append(said, fmt.Sprintf("up %d %% in the last four weeks", v.Lately))
	} else if v.Lately < 0 {
		said = append(said, fmt.Sprintf("down %d %% in the last four weeks", -v.Lately))
	}
	if len(v.Spikes) > 0 {
		said = append(said, fmt.Sprintf("%s stood out and will hardly come again", count(len(v.Spikes), "week")))
	}
	switch {
	case len(v.Peaks) > 0 || v.Class == Unknown:
	case weeks < 2*year:
		said = append(said, "whether there is a season is not known before two years")
	default:
		said = append(said, "no season")
	}
	return sentence(said...)
}

// tooLittle says why nothing can be said.
func (v Verdict) tooLittle(weeks int) string {
	switch {
	case v.Units == 0 && v.Weeks >= minWeeks:
		return "nothing was sold in " + count(min(v.Weeks, year), "week")
	case weeks >= minWeeks:
		return fmt.Sprintf("%s in %s %s to judge by", count(v.Units, "unit"),
			map[bool]string{true: "a year", false: count(weeks, "week")}[weeks >= year], isToo(v.Units, "few"))
	}
	return fmt.Sprintf("%s of sales %s to judge by", count(weeks, "week"), isToo(weeks, "little"))
}

func isToo(n int, what string) string {
	if n == 1 {
		return "is too little"
	}
	return "are too " + what
}

// direction says what sales do.
func (v Verdict) direction(weeks int) string {
	growth := fmt.Sprintf("%d.%d %% a month", abs(v.Growth)/10, abs(v.Growth)%10)
	without := ""
	if len(v.Peaks) > 0 {
		without = " without the season"
	}
	if v.Step != nil {
		without = " since"
	}
	switch {
	case v.Moved > 0:
		return fmt.Sprintf("rose over %s, which a season may do as well", count(weeks, "week"))
	case v.Moved < 0:
		return fmt.Sprintf("fell over %s, which a season may do as well", count(weeks, "week"))
	case v.Class == Rising:
		return "rising " + growth + without
	case v.Class == Falling:
		return "falling " + growth + without
	}
	return "steady" + without
}

// weekOf names a week by its first day.
func (v Verdict) weekOf(week int) string {
	return "week of " + v.Ended.AddDate(0, 0, -7*(v.Weeks-1-week)-6).Format("2 January 2006")
}

// sentence puts parts together, without those that are empty.
func sentence(parts ...string) string {
	parts = slices.DeleteFunc(parts, func(p string) bool { return p == "" })
	return capital(strings.Join(parts, "; ")) + "."
}

func capital(text string) string { return strings.ToUpper(text[:1]) + text[1:] }

func span(months []time.Month) string {
	if len(months) == 1 {
		return "in " + months[0].String()
	}
	for i := 1; i < len(months); i++ {
		if months[i] != months[i-1]%12+1 { // more than one run
			names := make([]string, len(months))
			for j, m := range months {
				names[j] = m.String()
			}
			return "in " + strings.Join(names[:len(names)-1], ", ") + " and " + names[len(names)-1]
		}
	}
	return months[0].String() + " to " + months[len(months)-1].String()
}

func away(peaks []time.Month, now time.Month) string {
	least := 12
	for _, m := range peaks {
		least = min(least, (int(m)-int(now)+12)%12)
	}
	switch least {
	case 0:
		return "which is now"
	case 1:
		return "next month"
	}
	return count(least, "month") + " away"
}

var small = []string{"no", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven",
	"twelve"}

func count(n int, what string) string {
	text := fmt.Sprint(n)
	if n < len(small) {
		text = small[n]
	}
	if n != 1 {
		what += "s"
	}
	return text + " " + what
}

func abs(n int) int { return max(n, -n) }
