package order_test

import (
	"fmt"

	"plainpelican/core/order"
)

func ExampleStateOf() {
	lines := []order.Line{{Ours: true, Purchase: order.Shipped}, {Ours: true, Purchase: order.Placed}}
	fmt.Println(order.StateOf(lines, false))
	// Output: to_pay
}

func ExampleCheckAddress() {
	for _, f := range order.CheckAddress(order.Address{Name: "Ben Tanner", Line1: "9 Mill Lane", City: "Duluth",
		Region: "MN", Country: "US"}) {
		fmt.Println(f.Field+":", f.Words)
	}
	// Output: postcode: The postcode is missing.
}
