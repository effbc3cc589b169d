package demand_test

import (
	"fmt"
	"time"

	"plainpelican/core/demand"
)

func ExampleJudge() {
	weekly := make([]int32, 104)
	for i := range weekly {
		weekly[i] = int32(20 + i/2) // it sells half a unit more each week
	}
	v := demand.Judge(weekly, time.Date(2026, 11, 22, 0, 0, 0, 0, time.UTC))
	fmt.Println(v.Class)
	// Output: rising
}
