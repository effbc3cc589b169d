package readiness_test

import (
	"fmt"

	"plainpelican/core/readiness"
)

func ExampleCheckDescription() {
	report := readiness.CheckDescription(readiness.Draft{Title: "Mug by Harbour Goods", Description: "<p>A mug.</p>",
		Supplier: "Harbour Goods"})
	for _, f := range report.Findings {
		fmt.Println(f.Words)
	}
	// Output: The title names the supplier, Harbour Goods. Take the name out.
}
