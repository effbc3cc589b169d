package shop

import (
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"
)

// client speaks the protocol of docs/protocols/store.md by hand.
type client struct {
	t     *testing.T
	url   string
	token string
}

func open(t *testing.T, dir string) (client, *Server) {
	t.Helper()
	settings := Goods
	settings.PerSecond = 1000
	store, err := New(settings, dir)
	if err != nil {
		t.Fatal(err)
	}
	s := httptest.NewServer(store.Handler())
	t.Cleanup(s.Close)
	return client{t: t, url: s.URL}, store
}

func (c client) call(method, path string, header map[string]string, body string) (int, string, http.Header) {
	c.t.Helper()
	r, err := http.NewRequest(method, c.url+path, strings.NewReader(body))
	if err != nil {
		c.t.Fatal(err)
	}
	for k, v := range header {
		r.Header.Set(k, v)
	}
	if c.token != "" {
		r.Header.Set("Authorization", "Bearer "+c.token)
	}
	answer, err := http.DefaultTransport.RoundTrip(r)
	if err != nil {
		c.t.Fatal(err)
	}
	defer func() { _ = answer.Body.Close() }()
	data, err := io.ReadAll(answer.Body)
	if err != nil {
		c.t.Fatal(err)
	}
	return answer.StatusCode, string(data), answer.Header
}

func (c client) form(path string, values url.Values) (int, string, http.Header) {
	return c.call("POST", path, map[string]string{"Content-Type": "application/x-www-form-urlencoded"}, values.Encode())
}

const verifier = "a-verifier-of-forty-three-characters-or-more-0123"

func (c client) code() string {
	c.t.Helper()
	sum := sha256.Sum256([]byte(verifier))
	status, _,
		header := c.form("/oauth/decide",
		url.Values{"decision": {"approve"}, "client_id": {"app"}, "redirect_uri": {"https://app.example/back"},
			"state":          {"s"},
			"code_challenge": {base64.RawURLEncoding.EncodeToString(sum[:])}})
	at, err := url.Parse(header.Get("Location"))
	if err != nil || status != http.StatusSeeOther || at.Query().Get("state") != "s" {
		c.t.Fatalf("%d %s %v", status, at, err)
	}
	return at.Query().Get("code")
}

func (c *client) approve() {
	c.t.Helper()
	_, body,
		_ := c.form("/oauth/token",
		url.Values{"client_id": {"app"}, "code": {c.code()}, "redirect_uri": {"https://app.example/back"},
			"code_verifier": {verifier}})
	var token struct {
		AccessToken string `json:"access_token"`
	}
	if err := json.Unmarshal([]byte(body), &token); err != nil || token.AccessToken == "" {
		c.t.Fatalf("%s %v", body, err)
	}
	c.token = token.AccessToken
}

func TestACodeIsGoodOnceAndForItsVerifier(t *testing.T) {
	c, _ := open(t, t.TempDir())
	exchange := func(code, client, redirect, verifier string) int {
		status, _,
			_ := c.form("/oauth/token",
			url.Values{"client_id": {client}, "code": {code}, "redirect_uri": {redirect}, "code_verifier": {verifier}})
		return status
	}
	for name, args := range map[string][3]string{
		"another client":   {"other", "https://app.example/back", verifier},
		"another way back": {"app", "https://evil.example", verifier},
		"no verifier":      {"app", "https://app.example/back", ""},
	} {
		if status := exchange(c.code(), args[0], args[1], args[2]); status != http.StatusBadRequest {
			t.Errorf("%s: %d", name, status)
		}
	}
	code := c.code()
	if status := exchange(code, "app", "https://app.example/back", verifier); status != http.StatusOK {
		t.Errorf("the right one: %d", status)
	}
	if status := exchange(code, "app", "https://app.example/back", verifier); status != http.StatusBadRequest {
		t.Errorf("a second time: %d", status)
	}
	if status, _,
		header := c.call("GET",
		"/oauth/authorize?client_id=app&redirect_uri=https://app.example/back&response_type=code&state=s", nil,
		""); status != http.StatusSeeOther || !strings.Contains(header.Get("Location"), "error=invalid_request") {
		t.Errorf("without a challenge: %d %s", status, header.Get("Location"))
	}
}

const product = `{"reference":"r1","title":"Mug","description_html":"<p>x</p>","visible":true,` +
	`"options":[{"name":"Size","values":["S","L"]}],
"variants":[{"sku":"1","values":["S"],"price":"9.99","stock":3},{"sku":"2","values":["L"],"price":"12.99",` +
	`"stock":0}],"pictures":[]}`

func TestAnIdempotencyKeyMakesOneProduct(t *testing.T) {
	c, store := open(t, t.TempDir())
	c.approve()
	key := map[string]string{"Idempotency-Key": "k1"}
	first, a, _ := c.call("POST", "/api/products", key, product)
	second, b, _ := c.call("POST", "/api/products", key, product)
	if first != http.StatusCreated || second != http.StatusOK || a != b || len(store.Products()) != 1 {
		t.Errorf("%d, %d, %d products", first, second, len(store.Products()))
	}
	if status, _, _ := c.call("POST", "/api/products", nil, product); status != http.StatusBadRequest {
		t.Errorf("without a key: %d", status)
	}
	if status, body, _ := c.call("GET", "/api/products?reference=r1", nil, ""); status != http.StatusOK ||
		strings.Count(body, `"reference":"r1"`) != 1 {
		t.Errorf("found by reference: %d %s", status, body)
	}
	if status, body, _ := c.call("GET", "/api/products?reference=r2", nil, ""); status != http.StatusOK ||
		strings.Count(body, `"reference":"r1"`) != 0 {
		t.Errorf("another's reference: %d %s", status, body)
	}
}

func TestLimitsAreRefusedWithTheFieldAtFault(t *testing.T) {
	c, _ := open(t, t.TempDir())
	c.approve()
	for field, change := range map[string][2]string{
		"title":    {`"title":"Mug"`, `"title":"` + strings.Repeat("x", 151) + `"`},
		"options":  {`"options":[`, `"options":[{"name":"a"},{"name":"b"},{"name":"c"},`},
		"pictures": {`"pictures":[]`, `"pictures":["` + strings.Repeat("0", 64) + `"]`},
		"variants": {`"values":["L"]`, `"values":["S"]`},
	} {
		status, body,
			_ := c.call("POST", "/api/products", map[string]string{"Idempotency-Key": field},
			strings.Replace(product, change[0], change[1], 1))
		if status != http.StatusUnprocessableEntity || !strings.Contains(body, `"field":"`+field+`"`) {
			t.Errorf("%s: %d %s", field, status, body)
		}
	}
}

func TestPicturesGoUnderTheirHash(t *testing.T) {
	c, _ := open(t, t.TempDir())
	c.approve()
	gif := "GIF89a\x01\x00\x01\x00\x00\x00\x00;"
	sum := sha256.Sum256([]byte(gif))
	name := hex.EncodeToString(sum[:])
	for path, want := range map[string]int{name: http.StatusNoContent,
		strings.Repeat("a", 64): http.StatusUnprocessableEntity, "..%2f..%2fstate": http.StatusUnprocessableEntity} {
		if status, body, _ := c.call("PUT", "/api/pictures/"+path, nil, gif); status != want {
			t.Errorf("%s: %d %s", path, status, body)
		}
	}
	text := sha256.Sum256([]byte("text"))
	if status, _, _ := c.call("PUT", "/api/pictures/"+hex.EncodeToString(text[:]), nil,
		"text"); status != http.StatusUnprocessableEntity {
		t.Errorf("a text was taken as a picture: %d", status)
	}
	if status, body, _ := c.call("GET", "/pictures/"+name, nil, ""); status != http.StatusOK || body != gif {
		t.Errorf("%d", status)
	}
}

func TestTheStoreRemembersAcrossARestart(t *testing.T) {
	dir := t.TempDir()
	c, _ := open(t, dir)
	c.approve()
	c.call("POST", "/api/products", map[string]string{"Idempotency-Key": "k"}, product)
	again, store := open(t, dir)
	again.token = c.token
	if status, _, _ := again.call("GET", "/api/store", nil, ""); status != http.StatusOK || len(store.Products()) != 1 {
		t.Errorf("%d, %d products", status, len(store.Products()))
	}
	if status, body, _ := again.call("GET", "/", nil, ""); status != http.StatusOK ||
		!strings.Contains(body, "<b>Mug</b>") {
		t.Errorf("the storefront: %d", status)
	}
	again.form("/oauth/revoke", url.Values{"token": {c.token}})
	if status, _, _ := again.call("GET", "/api/store", nil, ""); status != http.StatusUnauthorized {
		t.Errorf("after revoking: %d", status)
	}
}

func TestTheRateLimit(t *testing.T) {
	slow := Goods
	slow.PerSecond = 2
	store, err := New(slow, t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	s := httptest.NewServer(store.Handler())
	t.Cleanup(s.Close)
	c := client{t: t, url: s.URL}
	c.approve()
	for n := range 3 {
		status, _, header := c.call("GET", "/api/store", nil, "")
		if want := map[bool]int{true: 200, false: 429}[n < 2]; status != want ||
			(status == 429 && header.Get("Retry-After") != "1") {
			t.Errorf("request %d: %d", n+1, status)
		}
	}
}

// A merge patch (RFC 7396) changes what is named, keeps the rest and the variants' own names, and checks the whole.
func TestAPatchChangesWhatIsNamed(t *testing.T) {
	c, store := open(t, t.TempDir())
	c.approve()
	key := map[string]string{"Idempotency-Key": "k1"}
	if status, body, _ := c.call("POST", "/api/products", key, product); status != http.StatusCreated {
		t.Fatal(body)
	}
	before := store.Products()[0]
	status, body, _ := c.call("PATCH", "/api/products/"+before.ID, nil, `{"title":"Cup","id":"9","tags":["a"]}`)
	after := store.Products()[0]
	if status != http.StatusOK || after.Title != "Cup" || after.ID != before.ID || len(after.Tags) != 1 ||
		after.Description != before.Description || after.Variants[1].ID != before.Variants[1].ID {
		t.Errorf("%d %s", status, body)
	}
	for name, part := range map[string]string{"no title": `{"title":" "}`, "no variant": `{"variants":[]}`} {
		if status, body, _ := c.call("PATCH", "/api/products/"+before.ID, nil, part); status !=
			http.StatusUnprocessableEntity || store.Products()[0].Title != "Cup" ||
			len(store.Products()[0].Variants) != 2 {
			t.Errorf("%s: %d %s", name, status, body)
		}
	}
	if status, _, _ := c.call("PATCH", "/api/products/1", nil, `{"title":"x"}`); status != http.StatusNotFound {
		t.Errorf("what is not there: %d", status)
	}
	if status, body, _ := c.call("GET", "/api/products?limit=1", nil, ""); status != http.StatusOK ||
		!strings.Contains(body, `"next":""`) {
		t.Errorf("%s", body)
	}
}
