package members_test

import (
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"
	"time"

	"plainpelican/members"
	"plainpelican/platform/access"
	"plainpelican/testkit"
)

func TestSigningInAndOut(t *testing.T) {
	w := testkit.Start(t)
	var me members.Member
	w.Owner.Must("GET", "/api/me", nil, &me)
	if me.Name != "Olga" || me.Role != access.Owner {
		t.Errorf("%+v", me)
	}
	for _, c := range [][2]string{{"olga@example.com", "wrong"}, {"nobody@example.com", "a long password"}, {"", ""}} {
		problem := w.Nobody("").Ask("POST", "/api/session", map[string]string{"email": c[0], "password": c[1]}, nil)
		if problem == nil || problem.Status != 401 ||
			problem.Detail != "That address and password do not belong together." {
			t.Errorf("%v: %+v", c, problem)
		}
	}
	again := w.SignIn(" OLGA@example.com", "a long password")
	again.Must("GET", "/api/me", nil, nil)
	w.Owner.Must("DELETE", "/api/session", nil, nil)
	if problem := w.Owner.Ask("GET", "/api/me", nil, nil); problem == nil || problem.Status != 401 {
		t.Errorf("signed out, but: %+v", problem)
	}
	again.Must("GET", "/api/me", nil, nil) // another browser's session goes on
}

func TestLetterKeysAreKeptForEachMember(t *testing.T) {
	w := testkit.Start(t)
	if _, err := w.App.Members.Add(t.Context(), "new@example.com", "New", access.OrderHandler,
		"another long password"); err != nil {
		t.Fatal(err)
	}
	other := w.SignIn("new@example.com", "another long password")
	other.Must("PUT", "/api/me/letter-keys", map[string]string{"letter_keys": "alt"}, nil)
	if problem := other.Ask("PUT", "/api/me/letter-keys", map[string]string{"letter_keys": "sometimes"},
		nil); problem == nil || problem.Status != 422 {
		t.Errorf("%+v", problem)
	}
	for person, want := range map[*testkit.Person]string{other: "alt", w.Owner: "plain"} {
		var me members.Member
		if person.Must("GET", "/api/me", nil, &me); me.LetterKeys != want {
			t.Errorf("%+v", me)
		}
	}
}

func TestPasswordsAndSessionsAreNotStoredOpenly(t *testing.T) {
	w := testkit.Start(t)
	if _, err := w.App.Members.Add(t.Context(), "new@example.com", "New", access.Editor,
		"another long password"); err != nil {
		t.Fatal(err)
	}
	w.SignIn("new@example.com", "another long password")
	var hash, token string
	if err := w.App.Pool.QueryRow(t.Context(), `select password_hash, (select token from sessions limit 1) from member
		order by id desc limit 1`).Scan(&hash, &token); err != nil {
		t.Fatal(err)
	}
	if !strings.HasPrefix(hash, "$argon2id$v=19$m=65536,t=3,p=4$") || strings.Contains(hash, "long password") {
		t.Errorf("the password is kept as %s", hash)
	}
	if r, err := http.NewRequest("GET", w.URL+"/api/me", nil); err == nil {
		r.AddCookie(&http.Cookie{Name: "session", Value: token})
		if answer, err := http.DefaultClient.Do(r); err != nil || answer.StatusCode != 401 {
			t.Errorf("what is in the database opens a session: %v %v", answer, err)
		}
	}
}

func TestAttemptsAreLimited(t *testing.T) {
	w := testkit.Start(t)
	guess := func() *testkit.Problem {
		return w.Nobody("").
			Ask("POST", "/api/session", map[string]string{"email": "olga@example.com", "password": "guess"}, nil)
	}
	for range 8 {
		if problem := guess(); problem.Status != 401 {
			t.Fatalf("%+v", problem)
		}
	}
	if problem := guess(); problem.Status != 429 || !strings.Contains(problem.Detail, "Try again in 30 seconds") {
		t.Errorf("%+v", problem)
	}
}

func TestAddingMembers(t *testing.T) {
	w := testkit.Start(t)
	add := func(email, role, password string) *testkit.Problem {
		return w.Owner.Ask("POST", "/api/members",
			map[string]string{"email": email, "name": "New", "role": role, "password": password}, nil)
	}
	if problem := add("new@example.com", "editor", "long enough"); problem != nil {
		t.Fatalf("%+v", problem)
	}
	for words, problem := range map[string]*testkit.Problem{
		"10 characters":  add("b@example.com", "editor", "short"),
		"a member with":  add("NEW@example.com", "editor", "long enough"),
		"not a mail":     add("nonsense", "editor", "long enough"),
		"expected value": add("c@example.com", "king", "long enough"),
	} {
		if problem == nil || problem.Status != 422 ||
			!strings.Contains(problem.Detail+fmt.Sprint(problem.Errors), words) {
			t.Errorf("%s: %+v", words, problem)
		}
	}
}

func TestTokens(t *testing.T) {
	w := testkit.Start(t)
	var made members.NewToken
	w.Owner.Must("POST", "/api/tokens", map[string]string{"name": "nightly", "role": "editor"}, &made)
	script := w.Nobody(made.Secret)
	var me members.Member
	script.Must("GET", "/api/me", nil, &me)
	if me.Role != access.Editor || me.Name != "Olga" {
		t.Errorf("%+v", me)
	}
	if problem := script.Ask("GET", "/api/members", nil, nil); problem == nil || problem.Status != 403 ||
		!strings.Contains(problem.Detail, "needs the role owner; yours is editor") {
		t.Errorf("an editor's token did an owner's work: %+v", problem)
	}
	var list []map[string]any
	w.Owner.Must("GET", "/api/tokens", nil, &list)
	if len(list) != 1 || list[0]["secret"] != nil || list[0]["last_used_at"] == nil {
		t.Errorf("%v", list)
	}
	var stored string
	if err := w.App.Pool.QueryRow(t.Context(), `select encode(hash, 'escape')
		from api_token`).Scan(&stored); err != nil || strings.Contains(stored, made.Secret) {
		t.Errorf("the token is kept openly: %v", err)
	}
	w.Owner.Must("DELETE", fmt.Sprintf("/api/tokens/%d", made.ID), nil, nil)
	if problem := script.Ask("GET", "/api/me", nil, nil); problem == nil || problem.Status != 401 {
		t.Errorf("revoked, but: %+v", problem)
	}
	if problem := w.Nobody("pel_made_up").Ask("GET", "/api/me", nil, nil); problem == nil || problem.Status != 401 {
		t.Errorf("%+v", problem)
	}
}

func TestATokenIsNeverMoreThanItsMember(t *testing.T) {
	w := testkit.Start(t)
	if _, err := w.App.Members.Add(t.Context(), "ed@example.com", "Ed", access.Editor, "long enough"); err != nil {
		t.Fatal(err)
	}
	ed := w.SignIn("ed@example.com", "long enough")
	if problem := ed.Ask("POST", "/api/tokens", map[string]string{"name": "x", "role": "owner"}, nil); problem == nil ||
		problem.Field() != "role" {
		t.Errorf("%+v", problem)
	}
	var made members.NewToken
	ed.Must("POST", "/api/tokens", map[string]string{"name": "x", "role": "editor"}, &made)
	if _, err := w.App.Pool.Exec(t.Context(), `update member set role = 'fulfiller' where name = 'Ed'`); err != nil {
		t.Fatal(err)
	}
	if problem := w.Nobody(made.Secret).Ask("POST", "/api/drafts/take", map[string]any{"offers": []int{1}},
		nil); problem == nil || problem.Status != 403 {
		t.Errorf("the member may less now, the token may not: %+v", problem)
	}
}

func TestSessionsEnd(t *testing.T) {
	w := testkit.Start(t)
	if _, err := w.App.Pool.Exec(t.Context(), `update sessions
		set expiry = $1`, time.Now().Add(-time.Minute)); err != nil {
		t.Fatal(err)
	}
	if problem := w.Owner.Ask("GET", "/api/me", nil, nil); problem == nil || problem.Status != 401 {
		t.Errorf("%+v", problem)
	}
}

func TestWhoLeavesIsShutOutAtOnce(t *testing.T) {
	w := testkit.Start(t)
	id, err := w.App.Members.Add(t.Context(), "ed@example.com", "Ed", access.Editor, "long enough")
	if err != nil {
		t.Fatal(err)
	}
	ed := w.SignIn("ed@example.com", "long enough")
	var made members.NewToken
	ed.Must("POST", "/api/tokens", map[string]any{"name": "x", "role": "editor", "days": 30}, &made)
	if made.ExpiresAt == nil || time.Until(*made.ExpiresAt) > 31*24*time.Hour {
		t.Errorf("%+v", made.Token)
	}
	path := fmt.Sprintf("/api/members/%d", id)
	var changed members.Member
	w.Owner.Must("PATCH", path, map[string]string{"role": "fulfiller"}, &changed)
	if problem := ed.Ask("POST", "/api/drafts/take", map[string]any{"offers": []int{1}}, nil); problem == nil ||
		problem.Status != 403 {
		t.Errorf("after their role was changed: %+v", problem)
	}
	stream, err := http.NewRequest("GET", w.URL+"/api/progress", nil)
	if err != nil {
		t.Fatal(err)
	}
	stream.Header.Set("Authorization", "Bearer "+made.Secret)
	open, err := http.DefaultClient.Do(stream)
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = open.Body.Close() }()
	w.Owner.Must("PATCH", path, map[string]bool{"disabled": true}, &changed)
	for name, who := range map[string]*testkit.Person{"the session": ed, "the token": w.Nobody(made.Secret)} {
		if problem := who.Ask("GET", "/api/me", nil, nil); problem == nil || problem.Status != 401 {
			t.Errorf("%s: %+v", name, problem)
		}
	}
	ended := make(chan error, 1)
	go func() { _, err := io.ReadAll(open.Body); ended <- err }()
	select {
	case <-ended:
	case <-time.After(10 * time.Second):
		t.Error("the stream goes on")
	}
	if problem := w.Nobody("").
		Ask("POST", "/api/session", map[string]string{"email": "ed@example.com", "password": "long enough"},
			nil); problem == nil || problem.Status != 401 {
		t.Errorf("signed in: %+v", problem)
	}
	if problem := w.Owner.Ask("PATCH", "/api/members/1", map[string]bool{"disabled": true}, nil); problem == nil ||
		!strings.Contains(problem.Detail, "only owner") {
		t.Errorf("nobody would be left: %+v", problem)
	}
	w.Owner.Must("PATCH", path, map[string]bool{"disabled": false}, &changed)
	w.SignIn("ed@example.com", "long enough")
}

func TestPasswordsChangeAndSessionsEnd(t *testing.T) {
	w := testkit.Start(t)
	other := w.SignIn("olga@example.com", "a long password")
	if problem := w.Owner.Ask("POST", "/api/me/password",
		map[string]string{"current": "guess", "password": "an even longer one"}, nil); problem == nil ||
		problem.Field() != "current" {
		t.Errorf("%+v", problem)
	}
	w.Owner.Must("POST", "/api/me/password",
		map[string]string{"current": "a long password", "password": "an even longer one"}, nil)
	refused := 0
	for range 12 {
		if problem := w.Owner.Ask("POST", "/api/me/password",
			map[string]string{"current": "guess", "password": "an even longer one"}, nil); problem.Status == 429 {
			refused++
		}
	}
	if refused != 4 {
		t.Errorf("%d of 12 guesses at one's own password were refused", refused)
	}
	w.Owner.Must("GET", "/api/me", nil, nil)
	if problem := other.Ask("GET", "/api/me", nil, nil); problem == nil || problem.Status != 401 {
		t.Errorf("another session goes on: %+v", problem)
	}
	other = w.SignIn("olga@example.com", "an even longer one")
	w.Owner.Must("POST", "/api/me/sign-out", nil, nil)
	w.Owner.Must("GET", "/api/me", nil, nil)
	if problem := other.Ask("GET", "/api/me", nil, nil); problem == nil || problem.Status != 401 {
		t.Errorf("signed out everywhere, but: %+v", problem)
	}
	id, err := w.App.Members.Add(t.Context(), "ed@example.com", "Ed", access.Editor, "long enough")
	if err != nil {
		t.Fatal(err)
	}
	ed := w.SignIn("ed@example.com", "long enough")
	if problem := w.Owner.Ask("POST", fmt.Sprintf("/api/members/%d/password", id),
		map[string]string{"password": "short"}, nil); problem == nil || problem.Field() != "password" {
		t.Errorf("%+v", problem)
	}
	w.Owner.Must("POST", fmt.Sprintf("/api/members/%d/password", id), map[string]string{"password": "set by the owner"},
		nil)
	if problem := ed.Ask("GET", "/api/me", nil, nil); problem == nil || problem.Status != 401 {
		t.Errorf("%+v", problem)
	}
	w.SignIn("ed@example.com", "set by the owner")
}

func TestTokensDoNotMakeTokens(t *testing.T) {
	w := testkit.Start(t)
	var made, edMade members.NewToken
	w.Owner.Must("POST", "/api/tokens", map[string]string{"name": "nightly", "role": "owner"}, &made)
	script := w.Nobody(made.Secret)
	for _, c := range []struct{ method, path string }{{"POST", "/api/tokens"},
		{"DELETE", fmt.Sprintf("/api/tokens/%d", made.ID)}, {"POST", "/api/members"}, {"PATCH", "/api/members/1"},
		{"POST", "/api/members/1/password"}} {
		body := map[string]any{"name": "x", "role": "owner", "email": "x@example.com", "password": "a long password"}
		if c.method == "PATCH" {
			body = map[string]any{"role": "owner"}
		} else if strings.HasSuffix(c.path, "/password") {
			body = map[string]any{"password": "a long password"}
		} else if c.path == "/api/tokens" {
			body = map[string]any{"name": "x", "role": "owner"}
		}
		if problem := script.Ask(c.method, c.path, body, nil); problem == nil || problem.Status != 403 {
			t.Errorf("%s %s: %+v", c.method, c.path, problem)
		}
	}
	for _, c := range []struct{ method, path string }{{"POST", "/api/session"}, {"DELETE", "/api/session"}} {
		if problem := script.Ask(c.method, c.path,
			map[string]string{"email": "olga@example.com", "password": "a long password"}, nil); problem == nil ||
			problem.Status != 400 {
			t.Errorf("%s %s: %+v", c.method, c.path, problem)
		}
	}
	if _, err := w.App.Members.Add(t.Context(), "ed@example.com", "Ed", access.Editor, "long enough"); err != nil {
		t.Fatal(err)
	}
	ed := w.SignIn("ed@example.com", "long enough")
	ed.Must("POST", "/api/tokens", map[string]string{"name": "ed's", "role": "editor"}, &edMade)
	var all, own []members.Token
	w.Owner.Must("GET", "/api/tokens", nil, &all)
	ed.Must("GET", "/api/tokens", nil, &own)
	if len(all) != 2 || len(own) != 1 || own[0].Member != "Ed" {
		t.Errorf("%+v, %+v", all, own)
	}
	if problem := ed.Ask("DELETE", fmt.Sprintf("/api/tokens/%d", made.ID), nil, nil); problem == nil ||
		problem.Status != 404 {
		t.Errorf("an editor revoked the owner's: %+v", problem)
	}
	if _, err := w.App.Pool.Exec(t.Context(), `update api_token set expires_at = now() - interval '1 second'
		where id = $1`, made.ID); err != nil {
		t.Fatal(err)
	}
	if problem := script.Ask("GET", "/api/me", nil, nil); problem == nil || problem.Status != 401 {
		t.Errorf("expired, but: %+v", problem)
	}
	w.Owner.Must("DELETE", fmt.Sprintf("/api/tokens/%d", edMade.ID), nil, nil)
	if problem := w.Nobody(edMade.Secret).Ask("GET", "/api/me", nil, nil); problem == nil || problem.Status != 401 {
		t.Errorf("revoked by an owner, but: %+v", problem)
	}
}
