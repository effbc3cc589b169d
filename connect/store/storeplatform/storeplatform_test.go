package storeplatform

import (
	"net/url"
	"testing"

	"plainpelican/connect/store"
)

// Outside source: RFC 7636, appendix B.
func TestChallengeOfTheStandard(t *testing.T) {
	d := store.Description{Endpoints: []byte(`{"authorization_endpoint": "/oauth/authorize"}`)}
	to, err := Driver{}.ApprovalURL("https://store.example", d, "https://app.example/back", "state-1",
		"dBjftJeZ4CVP-mB92K27uhbUJU1p1r_wW1gFWFOEjXk")
	if err != nil {
		t.Fatal(err)
	}
	at, err := url.Parse(to)
	if err != nil {
		t.Fatal(err)
	}
	q := at.Query()
	for name, want := range map[string]string{
		"code_challenge": "E9Melhoa2OwvFrEMTJguCHaoeK1t8URWbuGJSstw-cM", "code_challenge_method": "S256",
		"response_type": "code", "state": "state-1",
		"redirect_uri": "https://app.example/back",
	} {
		if q.Get(name) != want {
			t.Errorf("%s is %q", name, q.Get(name))
		}
	}
	if q.Has("code_verifier") || at.Host != "store.example" || at.Path != "/oauth/authorize" {
		t.Errorf("%s", at)
	}
}
