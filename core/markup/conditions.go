package markup

import (
	"slices"
	"strings"

	"plainpelican/core/money"
)

// Conditions say what a rule is for. Each list holds for any of its entries, an empty one
// for everything; all that are given must hold.
type Conditions struct {
	Stores    []string `json:"stores,omitempty"`
	Sources   []string `json:"sources,omitempty"`
	Suppliers []string `json:"suppliers,omitempty"`
	// Categories hold for their subcategories too: "Kitchen" holds for "Kitchen/Mugs".
	Categories  []string `json:"categories,omitempty"`
	Collections []string `json:"collections,omitempty"`
	Tags        []string `json:"tags,omitempty"`
	// ShipsFrom lists ISO 3166 alpha-2 countries.
	ShipsFrom []string `json:"ships_from,omitempty"`
	Brands    []string `json:"brands,omitempty"`
	// From and Under bound the landed cost, [from, under), in the store's currency; no
	// amount is no bound.
	From  money.Amount `json:"from,omitzero"`
	Under money.Amount `json:"under,omitzero"`
}

// lists are the conditions that name things, in the order they are tested.
func (c *Conditions) lists() [8][]string {
	return [8][]string{c.ShipsFrom, c.Sources, c.Suppliers, c.Categories, c.Brands, c.Stores, c.Collections, c.Tags}
}

const categoryPlace = 3

// Everything tells whether there is no condition.
func (c *Conditions) Everything() bool {
	for _, list := range c.lists() {
		if len(list) > 0 {
			return false
		}
	}
	return c.From == (money.Amount{}) && c.Under == (money.Amount{})
}

func (c Conditions) clone() Conditions {
	for _, list := range []*[]string{&c.Stores, &c.Sources, &c.Suppliers, &c.Categories, &c.Collections, &c.Tags,
		&c.ShipsFrom, &c.Brands} {
		*list = slices.Clone(*list)
	}
	return c
}

func (c Conditions) check(currency money.Currency) *FieldError {
	none := money.Amount{}
	for _, bound := range []money.Amount{c.From, c.Under} {
		switch {
		case bound == none:
		case bound.Currency() != currency:
			return wrong("conditions", "The cost range must be in the store's currency, %s.", currency)
		case bound.Negative():
			return wrong("conditions", "The cost range must begin at 0 or more.")
		}
	}
	if c.Under != none && c.Under.Minor() <= c.From.Minor() {
		return wrong("conditions", "The cost range ends at %s, before it begins at %s.", c.Under, c.From)
	}
	for _, code := range c.ShipsFrom {
		if countryOf(code) == 0 {
			return wrong("conditions", "%q is not a country: give its two letters.", code)
		}
	}
	for _, list := range c.lists() {
		if len(list) > 500 {
			return wrong("conditions", "A condition names at most 500 things.")
		}
		if slices.Contains(list, "") {
			return wrong("conditions", "A condition names nothing.")
		}
	}
	return nil
}

// under is the upper bound of the range in minor units.
func (c *Conditions) under() int64 {
	if c.Under == (money.Amount{}) {
		return 1<<63 - 1
	}
	return c.Under.Minor()
}

// inCategory tells whether a category is another or one of its subcategories.
func inCategory(category, of string) bool {
	return category == of || (len(category) > len(of) && category[len(of)] == '/' && strings.HasPrefix(category, of))
}

// holds tests the lists but for countries, which are tested before, as the cost range is.
func (c *Conditions) holds(item *Item) bool {
	return anyOf(c.Sources, item.Source) && anyOf(c.Suppliers, item.Supplier) && anyOf(c.Brands, item.Brand) &&
		anyOf(c.Stores, item.Store) &&
		(len(c.Categories) == 0 || someCategory(c.Categories, item.Category)) &&
		meets(c.Collections, item.Collections) && meets(c.Tags, item.Tags)
}

func anyOf(list []string, value string) bool {
	if len(list) == 0 {
		return true
	}
	for _, one := range list {
		if one == value {
			return true
		}
	}
	return false
}

func someCategory(list []string, category string) bool {
	for _, of := range list {
		if inCategory(category, of) {
			return true
		}
	}
	return false
}

func meets(list, values []string) bool {
	if len(list) == 0 {
		return true
	}
	for _, value := range values {
		if anyOf(list, value) {
			return true
		}
	}
	return false
}

// Shadow is a rule that can never be reached, and the rules above that take all it is for.
type Shadow struct {
	Rule int   `json:"rule"`
	By   []int `json:"by"`
}

// Unreachable lists the rules, by index, for which the rules above them leave nothing:
// each of those is for all the same things, and together they cover its costs.
func (rs *Rules) Unreachable() []Shadow {
	shadows := []Shadow{}
	for index := range rs.list {
		rule := &rs.list[index]
		if rule.Off {
			continue
		}
		at, by := rule.Conditions.From.Minor(), []int{}
		for grew := true; grew && at < rule.Conditions.under(); {
			grew = false
			for above := range rs.list[:index] {
				r := &rs.list[above]
				if !r.Off && r.Formula.Kind != Market && r.Conditions.wider(&rule.Conditions) &&
					r.Conditions.From.Minor() <= at && r.Conditions.under() > at {
					at, grew = r.Conditions.under(), true
					by = append(by, above)
				}
			}
		}
		if at >= rule.Conditions.under() && len(by) > 0 {
			slices.Sort(by)
			shadows = append(shadows, Shadow{index, by})
		}
	}
	return shadows
}

// wider tells whether these conditions' lists hold wherever the others' do.
func (c *Conditions) wider(other *Conditions) bool {
	mine, theirs := c.lists(), other.lists()
	for i := range mine {
		if len(mine[i]) == 0 {
			continue
		}
		if len(theirs[i]) == 0 {
			return false
		}
		for _, value := range theirs[i] {
			if !anyOf(mine[i], value) && (i != categoryPlace || !someCategory(mine[i], value)) {
				return false
			}
		}
	}
	return true
}
