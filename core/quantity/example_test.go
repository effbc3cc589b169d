package quantity_test

import (
	"fmt"

	"plainpelican/core/quantity"
)

func ExampleMeasures() {
	for _, m := range quantity.Measures("Tarp 3 x 4 m, 0.35 l bottle") {
		fmt.Println(quantity.Say(m.Dimension, m.Value))
	}
	// Output:
	// 300 cm
	// 400 cm
	// 350 ml
}
