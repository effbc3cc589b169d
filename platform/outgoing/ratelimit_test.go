package outgoing

import (
	"net/http"
	"testing"
	"time"
)

// The values are those of the examples of draft-ietf-httpapi-ratelimit-headers, from memory, and bad ones.
func TestExhaustedReadsWhatIsLeft(t *testing.T) {
	for value, want := range map[string]time.Duration{
		`"default";r=50;t=30`:                     0,
		`"default";r=0;t=5`:                       5 * time.Second,
		`"problemPolicy";r=0;t=10`:                10 * time.Second,
		`"permin";r=999;t=36, "perhr";r=0;t=3000`: 3000 * time.Second,
		`"permin";r=0;t=36, "perhr";r=0;t=12`:     36 * time.Second,
		`"default";r=0`:                           0, // it does not say for how long
		`"default";r=0;t=-4`:                      0,
		`"default";r="0";t=5`:                     0,
		`"default";r=0;t=999999999999`:            1 << 30 * time.Second,
		`("a" "b");r=0;t=5`:                       0,
		`limit=10, remaining=0, reset=4`:          0, // an older draft
		`"unended;r=0;t=5`:                        0,
		``:                                        0,
	} {
		r := Response{Header: http.Header{"Ratelimit": {value}}}
		if got := r.Exhausted(); got != want {
			t.Errorf("%s: %v", value, got)
		}
	}
}
