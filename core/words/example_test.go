package words_test

import (
	"fmt"

	"plainpelican/core/words"
)

func ExampleTidyTitle() {
	for _, p := range words.TidyTitle("NEW Enamel mug", words.Standard()) {
		if p.Reason != "" {
			fmt.Printf("%q becomes %q: %s\n", p.Text, p.To, p.Reason)
		}
	}
	// Output:
	// "NEW" becomes "": noise
}
