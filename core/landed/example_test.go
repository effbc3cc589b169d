package landed_test

import (
	"fmt"

	"plainpelican/core/landed"
	"plainpelican/core/money"
)

// The cheapest delivery that keeps the promise is chosen, though another is cheaper.
func ExampleChoose() {
	delivery := func(name, charge string, least, most int) landed.Delivery {
		return landed.Delivery{Name: name, To: []string{"US"}, First: money.MustParse(charge, "USD"),
			Further: money.MustParse("0.00", "USD"), Transit: landed.Days{Min: least, Max: most}}
	}
	same := func(a money.Amount) (money.Amount, error) { return a, nil }
	choice, err := landed.Choose([]landed.Delivery{delivery("Post", "2.10", 18, 30), delivery("Line", "4.80", 7, 11)},
		landed.Days{Min: 1, Max: 2}, "US", 16, landed.UsualPolicy, same)
	fmt.Println(choice.Delivery.Name, choice.Door, choice.KeepsPromise, err)
	// Output: Line {8 13} true <nil>
}
