package index_test

import (
	"fmt"

	"plainpelican/core/terms"
	"plainpelican/search/index"
)

// An index over two offers is asked for words. A snapshot never changes: Apply makes the next.
func ExampleSnapshot_Search() {
	row := func(id int64, text string, values ...string) index.Entry[string] {
		return index.Entry[string]{Row: index.Row{ID: id, Text: text, Values: values}, Item: text}
	}
	snapshot := index.Build([]index.Entry[string]{row(1, "Enamel mug", "plum", "350 ml"),
		row(2, "Whistling kettle", "2 l")},
		index.Offered{}, nil)
	for _, typed := range []string{"plum mug", "ketle", "mug -plum"} {
		query := terms.Parse(typed, nil)
		result := snapshot.Search(index.Query{Words: query, Sort: index.ByRelevance, Limit: 10})
		fmt.Print(typed, ": ", result.Total)
		for _, hit := range result.Hits {
			fmt.Print(" ", *hit.Item)
		}
		fmt.Println()
	}
	// Output:
	// plum mug: 1 Enamel mug
	// ketle: 1 Whistling kettle
	// mug -plum: 0
}
