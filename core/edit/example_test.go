package edit_test

import (
	"fmt"

	"plainpelican/core/edit"
)

// What takes operations back is known when they are applied.
func ExampleApplyAll() {
	draft := edit.Draft{Title: "BIG SALE mug", Tags: []string{"kitchen"}}
	inverse, touched, err := edit.ApplyAll(&draft, []edit.Operation{
		edit.SetTitle{Title: "Speckled  mug "},
		edit.SetTags{Tags: []string{"kitchen", "camping"}},
	})
	fmt.Println(draft.Title, draft.Tags, touched, err)
	_, _, err = edit.ApplyAll(&draft, inverse)
	fmt.Println(draft.Title, draft.Tags, err)
	// Output:
	// Speckled mug [kitchen camping] [title tags] <nil>
	// BIG SALE mug [kitchen] <nil>
}
