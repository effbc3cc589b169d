package likeness_test

import (
	"fmt"

	"plainpelican/core/likeness"
)

func ExamplePacks() {
	fmt.Println(likeness.Packs("Enamel mug, 2er-Set"), likeness.Packs("Enamel mug, box of 12"),
		likeness.Packs("Enamel mug"))
	// Output: [2] [12] []
}
