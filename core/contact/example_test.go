package contact_test

import (
	"fmt"

	"plainpelican/core/contact"
)

func ExampleRemove() {
	fmt.Println(contact.Remove("<p>A mug. Mail sales@harbour.example for more. Holds 350 ml.</p>"))
	// Output: <p>A mug. Holds 350 ml.</p>
}
