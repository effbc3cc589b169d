package market_test

import (
	"fmt"

	"plainpelican/core/market"
	"plainpelican/core/money"
)

func ExampleOf() {
	spread, known := market.Of([]int64{1500, 1900, 1999, 2400, 9900}, money.MustCurrency("USD"))
	fmt.Println(spread.Low, spread.Median, spread.High, known)
	// Output: 19.00 USD 19.99 USD 24.00 USD true
}
