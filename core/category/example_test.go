package category_test

import (
	"fmt"

	"plainpelican/core/category"
)

func ExamplePropose() {
	path, percent := category.Propose("Camping Cookware", []string{"Garden > Tools", "Outdoor > Camping > Cookware"})
	fmt.Println(path, percent > 50)
	// Output: Outdoor > Camping > Cookware true
}
