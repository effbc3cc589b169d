package gtin_test

import (
	"fmt"

	"plainpelican/core/gtin"
)

func ExampleValid() {
	fmt.Println(gtin.Valid("4006381333931"), gtin.Valid("4006381333932"))
	// Output: true false
}
