package sources

import "plainpelican/offers"

// Approval is why an import waits for a decision.
type Approval struct {
	// Reason is a sentence.
	Reason string `json:"reason"`
	// Kind tells what may be decided: to go on all the same, to say anew how the columns are read, or to take costs
	// that move by far while all else is in.
	Kind string `json:"kind" enum:"shares,layout,prices"`
	offers.Impact
}

// approvalReason says why an import must be asked about; an empty reason is none. One offer of several may always
// leave or change its cost; of a supplier with few, two are asked about where they are more than the share.
func approvalReason(w offers.Impact, mostWithdrawn, mostRepriced int, cutShort bool) string {
	over := func(n, percent int) bool { return n*100 > percent*w.Offers && (n > 1 || n == w.Offers && n > 0) }
	switch {
	case cutShort && w.Withdrawn > 0:
		return "The file seems to end within its last row, and " + plural(w.Withdrawn, "offer", "offers") + " of " +
			thousands(w.Offers) + " would be withdrawn. Perhaps it was not sent whole."
	case over(w.Withdrawn, mostWithdrawn):
		return plural(w.Withdrawn, "offer", "offers") + " of " + thousands(w.Offers) +
			" would be withdrawn, because the source does not list them any more."
	case w.OtherCurrency > 0:
		return plural(w.OtherCurrency, "offer", "offers") + " of " + thousands(w.Offers) +
			" would be priced in another currency, as " + w.ToCurrency + " in place of " + w.FromCurrency + "."
	case w.InStock > 2 && w.SoldOut*10 >= w.InStock*9:
		return plural(w.SoldOut, "offer", "offers") + " of " + thousands(w.InStock) +
			" with stock would have none any more."
	case over(w.Repriced, mostRepriced):
		return plural(w.Repriced, "offer", "offers") + " of " + thousands(w.Offers) +
			" would change their cost at once."
	}
	return ""
}
