package outgoing

import (
	"time"

	"github.com/dunglas/httpsfv"
)

// Exhausted is how long no request is left, as the server says in the RateLimit field of the IETF draft
// "RateLimit header fields for HTTP": a list of policies, each with what is left of it (r) and the seconds until more
// is (t). 0 is that requests are left, or that nothing is said that can be read.
func (r *Response) Exhausted() time.Duration {
	values := r.Header.Values("RateLimit")
	if len(values) == 0 {
		return 0
	}
	list, err := httpsfv.UnmarshalList(values)
	if err != nil {
		return 0
	}
	var longest time.Duration
	for _, member := range list {
		item, ok := member.(httpsfv.Item)
		if !ok {
			continue
		}
		left, leftSaid := item.Params.Get("r")
		after, afterSaid := item.Params.Get("t")
		n, whole := left.(int64)
		seconds, whole2 := after.(int64)
		if leftSaid && afterSaid && whole && whole2 && n <= 0 && seconds > 0 {
			longest = max(longest, time.Duration(min(seconds, 1<<30))*time.Second)
		}
	}
	return longest
}
