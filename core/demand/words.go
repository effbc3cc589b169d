package demand

import (
	"fmt"
	"strings"
	"time"
)

// Words says a verdict in a sentence that a person can act on, on a day.
func (v Verdict) Words(today time.Time) string {
	if v.Class == Unknown {
		if v.Weeks == 0 {
			return "The supplier tells no sales: nothing is known of its demand."
		}
		return capital(count(v.Weeks, "week")) + " of sales are too little to judge by."
	}
	var said []string
	if len(v.Peaks) > 0 {
		said = append(said, "peaks "+span(v.Peaks)+", "+away(v.Peaks, today.Month()))
	}
	growth := fmt.Sprintf("%d.%d %% a month", abs(v.Growth)/10, abs(v.Growth)%10)
	without := ""
	if len(v.Peaks) > 0 {
		without = " without the season"
	}
	switch v.Class {
	case Rising:
		said = append(said, "rising "+growth+without)
	case Falling:
		said = append(said, "falling "+growth+without)
	default:
		said = append(said, "steady"+without)
	}
	if len(v.Spikes) > 0 {
		said = append(said, fmt.Sprintf("%s stood out and will hardly come again", count(len(v.Spikes), "week")))
	}
	if v.Weeks < 2*year {
		said = append(said, "whether there is a season is not known before two years")
	} else if len(v.Peaks) == 0 {
		said = append(said, "no season")
	}
	return capital(strings.Join(said, "; ")) + "."
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

var small = []string{"no", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven", "twelve"}

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
