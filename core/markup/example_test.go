package markup_test

import (
	"fmt"

	"plainpelican/core/landed"
	"plainpelican/core/markup"
	"plainpelican/core/money"
)

// Twice the landed cost, ended in .99, less the fees of the sale.
func ExampleRules_Price() {
	usd := money.MustCurrency("USD")
	rules, err := markup.NewRules(usd,
		markup.Rule{ID: 1, Formula: markup.Flat(markup.Multiple, 2*money.One, money.Amount{}, usd),
			Floor:  markup.Floor{LeastProfit: money.MustParse("3.00", "USD")},
			Ending: markup.Ending{Allowed: []string{".99"}},
			Was:    markup.Was{Kind: markup.NoWas, Ending: markup.NoEnding}})
	if err != nil {
		fmt.Println(err)
		return
	}
	item := markup.Item{
		Cost: landed.Cost{Item: money.MustParse("7.20", "USD"), Shipping: money.MustParse("2.40", "USD")}}
	priced, err := rules.Price(&item, markup.Terms{PaymentPercent: money.Percent(290),
		PaymentFixed: money.MustParse("0.30", "USD")}, nil)
	fmt.Println(priced.Price, priced.Profit, err)
	// Output: 18.99 USD 8.54 USD <nil>
}
