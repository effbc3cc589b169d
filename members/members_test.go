package members_test

import (
	"fmt"
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
		if problem == nil || problem.Status != 401 || problem.Detail != "That address and password do not belong together." {
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

func TestPasswordsAndSessionsAreNotStoredOpenly(t *testing.T) {
	w := testkit.Start(t)
	if _, err := w.App.Members.Add(t.Context(), "new@example.com", "New", access.Editor, "another long password"); err != nil {
		t.Fatal(err)
	}
	w.SignIn("new@example.com", "another long password")
	var hash, token string
	if err := w.App.Pool.QueryRow(t.Context(), `select password_hash, (select token from sessions limit 1) from member order by id desc limit 1`).Scan(&hash, &token); err != nil {
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
		return w.Nobody("").Ask("POST", "/api/session", map[string]string{"email": "olga@example.com", "password": "guess"}, nil)
	}
	for range 8 {
		if problem := guess(); problem.Status != 401 {
			t.Fatalf("%+v", problem)
		}
	}
	if problem := guess(); problem.Status != 429 || !strings.Contains(problem.Detail, "Try again in 15 minutes") {
		t.Errorf("%+v", problem)
	}
}

func TestAddingMembers(t *testing.T) {
	w := testkit.Start(t)
	add := func(email, role, password string) *testkit.Problem {
		return w.Owner.Ask("POST", "/api/members", map[string]string{"email": email, "name": "New", "role": role, "password": password}, nil)
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
		if problem == nil || problem.Status != 422 || !strings.Contains(problem.Detail+fmt.Sprint(problem.Errors), words) {
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
	if problem := script.Ask("GET", "/api/members", nil, nil); problem == nil || problem.Status != 403 || !strings.Contains(problem.Detail, "needs the role owner; yours is editor") {
		t.Errorf("an editor's token did an owner's work: %+v", problem)
	}
	var list []map[string]any
	w.Owner.Must("GET", "/api/tokens", nil, &list)
	if len(list) != 1 || list[0]["secret"] != nil || list[0]["last_used_at"] == nil {
		t.Errorf("%v", list)
	}
	var stored string
	if err := w.App.Pool.QueryRow(t.Context(), `select encode(hash, 'escape') from api_token`).Scan(&stored); err != nil || strings.Contains(stored, made.Secret) {
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
	if problem := ed.Ask("POST", "/api/tokens", map[string]string{"name": "x", "role": "owner"}, nil); problem == nil || problem.Field() != "role" {
		t.Errorf("%+v", problem)
	}
	var made members.NewToken
	ed.Must("POST", "/api/tokens", map[string]string{"name": "x", "role": "editor"}, &made)
	if _, err := w.App.Pool.Exec(t.Context(), `update member set role = 'fulfiller' where name = 'Ed'`); err != nil {
		t.Fatal(err)
	}
	if problem := w.Nobody(made.Secret).Ask("POST", "/api/drafts/take", map[string]any{"offers": []int{1}}, nil); problem == nil || problem.Status != 403 {
		t.Errorf("the member may less now, the token may not: %+v", problem)
	}
}

func TestSessionsEnd(t *testing.T) {
	w := testkit.Start(t)
	if _, err := w.App.Pool.Exec(t.Context(), `update sessions set expiry = $1`, time.Now().Add(-time.Minute)); err != nil {
		t.Fatal(err)
	}
	if problem := w.Owner.Ask("GET", "/api/me", nil, nil); problem == nil || problem.Status != 401 {
		t.Errorf("%+v", problem)
	}
}
