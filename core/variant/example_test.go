package variant_test

import (
	"fmt"

	"plainpelican/core/variant"
)

func ExampleCollect() {
	options, indexes := variant.Collect([]string{"Color", "Size"},
		[][]string{{"Blue", "S"}, {"Blue", "M"}, {"Red", "S"}})
	for _, o := range options {
		fmt.Println(o.Name, o.Values)
	}
	fmt.Println(indexes)
	// Output:
	// Color [{Blue Blue} {Red Red}]
	// Size [{S S} {M M}]
	// [[0 0] [0 1] [1 0]]
}
