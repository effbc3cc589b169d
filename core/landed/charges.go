package landed

import (
	"fmt"

	"plainpelican/core/money"
)

// Import is what a country charges on goods from another.
type Import struct {
	// From and To are ISO 3166 alpha-2 countries; "*" is anywhere.
	From string `json:"from"`
	To   string `json:"to"`
	// Threshold is the customs value below which nothing is due.
	Threshold money.Amount `json:"threshold"`
	// Duty is a share of the customs value, Tax a share of customs value and duty.
	Duty money.Ratio `json:"duty"`
	Tax  money.Ratio `json:"tax"`
	// Reclaimed tells that the seller gets the tax back, so that it is no cost.
	Reclaimed bool `json:"tax_reclaimed,omitempty"`
}

// Imports are the charges that a store knows of.
type Imports []Import

// Check says in a sentence what is wrong, for a store's currency.
func (list Imports) Check(c money.Currency) string {
	for i, m := range list {
		switch {
		case !country(m.From) || !country(m.To):
			return fmt.Sprintf("Import charges from %q to %q: give countries by their two letters, or * for anywhere.",
				m.From, m.To)
		case m.Threshold.Currency() != c || m.Threshold.Negative():
			return fmt.Sprintf("Import charges from %s to %s: the threshold must be 0 or more in the store's "+
				"currency, %s.", m.From, m.To, c)
		case m.Duty < 0 || m.Duty > 10*money.One || m.Tax < 0 || m.Tax > money.One:
			return fmt.Sprintf("Import charges from %s to %s: duty must be from 0 to 1,000 %% and tax from 0 to 100 "+
				"%%.", m.From, m.To)
		}
		for _, other := range list[:i] {
			if other.From == m.From && other.To == m.To {
				return fmt.Sprintf("Import charges from %s to %s are given twice.", m.From, m.To)
			}
		}
	}
	return ""
}

func country(code string) bool {
	return code == "*" || (len(code) == 2 && code[0] >= 'A' && code[0] <= 'Z' && code[1] >= 'A' && code[1] <= 'Z')
}

// For finds the charges on a way, the most exact entry first: both countries, then the one
// it comes from, then the one it goes to. Nothing is due inside a country.
func (list Imports) For(from, to string) (Import, bool) {
	if from == to {
		return Import{}, false
	}
	best, exact := Import{}, -1
	for _, m := range list {
		score := 0
		if m.From == from {
			score += 2
		} else if m.From != "*" {
			continue
		}
		if m.To == to {
			score++
		} else if m.To != "*" {
			continue
		}
		if score > exact {
			best, exact = m, score
		}
	}
	return best, exact >= 0
}

// Charges are what is due on one unit, and what they are due on.
type Charges struct {
	// Customs is the customs value, on a CIF basis: goods and freight to the border.
	Customs, Duty, Tax money.Amount
	// Reclaimed tells that the tax is no cost.
	Reclaimed bool
}

// Total is duty and tax, as far as these are a cost.
func (c Charges) Total() (money.Amount, error) {
	if c.Reclaimed {
		return c.Duty, nil
	}
	return c.Duty.Add(c.Tax)
}

// On works out the charges on goods and their freight: duty is a share of the customs
// value; import tax a share of the customs value and the duty, as Council Directive
// 2006/112/EC has it (article 85: the value for customs purposes; article 86: duties and
// other charges, and transport to the place of destination, are included). Each is rounded
// once. Below the threshold nothing is due.
func (m Import) On(goods, freight money.Amount) (Charges, error) {
	customs, err := goods.Add(freight)
	if err != nil {
		return Charges{}, err
	}
	none := money.Zero(customs.Currency())
	if customs.Currency() != m.Threshold.Currency() {
		return Charges{}, money.ErrMixed
	}
	if customs.Minor() < m.Threshold.Minor() {
		return Charges{Customs: customs, Duty: none, Tax: none}, nil
	}
	duty, err := customs.Share(m.Duty)
	if err != nil {
		return Charges{}, err
	}
	base, err := customs.Add(duty)
	if err != nil {
		return Charges{}, err
	}
	tax, err := base.Share(m.Tax)
	return Charges{customs, duty, tax, m.Reclaimed}, err
}

// Words says what the charges were worked out from, for the trace of a price.
func (m Import) Words(c Charges) string {
	if c.Duty.IsZero() && c.Tax.IsZero() {
		return fmt.Sprintf("none, %s is under %s", c.Customs, m.Threshold)
	}
	words := fmt.Sprintf("%s %% duty on %s is %s; %s %% tax is %s", m.Duty.PercentText(), c.Customs, c.Duty,
		m.Tax.PercentText(), c.Tax)
	if c.Reclaimed {
		words += ", which is reclaimed"
	}
	return words
}
