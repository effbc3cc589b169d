package likeness

// Merits are what offers of one item are compared by. Landed is in minor units of one currency.
type Merits struct {
	// Sellable is false where it has no price in the market asked for.
	Sellable   bool
	LandedCost int64
	Days       int // door to door, the upper end
	OnTime     int // percent; less than 0 is not known
	Rating     int // tenths; less than 0 is not known
}

// Unbeaten tells for each offer whether no other is at least as good on landed cost, days, on-time
// rate and rating, and better on one: the Pareto front. What cannot be sold there is beaten.
func Unbeaten(all []Merits) []bool {
	out := make([]bool, len(all))
	for i, a := range all {
		out[i] = a.Sellable
		for _, b := range all {
			if b.Sellable && b.beats(a) {
				out[i] = false
				break
			}
		}
	}
	return out
}

func (b Merits) beats(a Merits) bool {
	return b.LandedCost <= a.LandedCost && b.Days <= a.Days && atLeast(b.OnTime, a.OnTime) &&
		atLeast(b.Rating, a.Rating) &&
		(b.LandedCost < a.LandedCost || b.Days < a.Days || b.OnTime > a.OnTime || b.Rating > a.Rating)
}

// atLeast compares what may not be known: that is as good only as what is not known either.
func atLeast(b, a int) bool { return (b < 0) == (a < 0) && b >= a }
