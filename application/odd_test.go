package application_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"testing"

	"plainpelican/application"
	"plainpelican/testkit"
)

// What strangers put where a text or a number belongs, as JSON.
var odd = []string{`null`, `-1`, `9223372036854775807`, `99999999999999999999`, `1e308`, `0.5`, `""`, `" "`, `"\u0000"`,
	`"a\u0000b"`, `"\ud800"`, `"💥"`, `"'; drop table draft; --"`, `"../../etc/passwd"`,
	`"javascript:alert(1)"`, `[]`, `{}`, `[null]`, `[[[[]]]]`, `true`, `"9,5"`, `"NaN"`, `"2026-13-45"`,
	`"` + strings.Repeat("x", 5000) + `"`, `[9223372036854775807, -1, 0]`}

// Every operation is asked with odd paths, parameters and bodies: whatever is wrong with them, it is not taken
// for our fault.
func TestOddInputIsNeverOurFault(t *testing.T) {
	w := testkit.Start(t)
	w.Ready()
	w.Take(w.Offer(0), w.Offer(1))
	var made struct {
		Secret string `json:"secret"`
	}
	w.Owner.Must("POST", "/api/tokens", map[string]string{"name": "odd", "role": "owner"}, &made)
	raw, err := application.Document()
	if err != nil {
		t.Fatal(err)
	}
	var document struct {
		Paths map[string]map[string]struct {
			Parameters []struct{ Name, In string }
			Body       struct {
				Content map[string]struct {
					Schema struct {
						Ref string `json:"$ref"`
					}
				}
			} `json:"requestBody"`
		}
		Components struct {
			Schemas map[string]struct{ Properties map[string]any }
		}
	}
	if err := json.Unmarshal(raw, &document); err != nil {
		t.Fatal(err)
	}
	asked := 0
	ask := func(method, path, body string) {
		t.Helper()
		r, err := http.NewRequest(method, w.URL+path, strings.NewReader(body))
		if err != nil {
			return // not an address at all
		}
		r.Header.Set("Authorization", "Bearer "+made.Secret)
		r.Header.Set("Content-Type", "application/json")
		answer, err := http.DefaultTransport.RoundTrip(r)
		if err != nil {
			t.Fatalf("%s %s: %v", method, path, err)
		}
		_ = answer.Body.Close()
		asked++
		if answer.StatusCode >= 500 {
			t.Errorf("%s %.120s with %.200s: %s", method, path, body, answer.Status)
		}
	}
	for path, operations := range document.Paths {
		for method, op := range operations {
			method = strings.ToUpper(method)
			if path == "/api/session" || (method == "DELETE" && path == "/api/tokens/{id}") {
				continue // ends what this test asks with
			}
			fill := func(value string) string {
				return strings.NewReplacer("{id}", value, "{offer}", value, "{other}", value, "{place}", value,
					"{quote}", value, "{revision}", value).Replace(path)
			}
			for _, value := range []string{"0", "-1", "9223372036854775807", "9223372036854775808", "abc", "1e3", "%00",
				"%F0%9F%92%A5"} {
				ask(method, fill(value), `{}`)
			}
			for _, p := range op.Parameters {
				if p.In != "query" {
					continue
				}
				for _, value := range []string{"", "-1", "999999999999", "9223372036854775808",
					"\x00", "\xff", "💥", "1e308", "'", strings.Repeat("y", 3000)} {
					ask(method, fill("1")+"?"+url.Values{p.Name: {value}, "store": {"1"}}.Encode(), `{}`)
				}
			}
			schema := ""
			for _, c := range op.Body.Content {
				schema = c.Schema.Ref[strings.LastIndex(c.Schema.Ref, "/")+1:]
			}
			if schema == "" {
				continue
			}
			for _, body := range []string{``, `{`, `[]`, `null`, `"x"`, `5`,
				strings.Repeat(`{"a":`, 500) + `1` + strings.Repeat(`}`, 500), `{"unknown":1}`} {
				ask(method, fill("1")+"?store=1", body)
			}
			for property := range document.Components.Schemas[schema].Properties {
				for _, value := range odd {
					ask(method, fill("1")+"?store=1", fmt.Sprintf(`{%q:%s}`, property, value))
				}
			}
		}
	}
	if asked < 3000 {
		t.Errorf("only %d requests were made", asked)
	}
	t.Logf("%d requests", asked)
}
