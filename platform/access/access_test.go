package access

import "testing"

func TestRoles(t *testing.T) {
	for _, c := range []struct {
		have, needs Role
		may         bool
	}{
		{Owner, Owner, true}, {Owner, Fulfiller, true}, {Editor, Owner, false}, {Editor, Editor, true},
		{Editor, Fulfiller, true},
		{Fulfiller, Editor, false}, {Public, Fulfiller, false}, {Public, Public, true}, {"admin", Fulfiller, false},
		{"admin", Public, false},
	} {
		if got := c.have.Allows(c.needs); got != c.may {
			t.Errorf("%q for %q: %t", c.have, c.needs, got)
		}
	}
	if Public.Valid() || Role("admin").Valid() || !Editor.Valid() {
		t.Error("which roles a member can have")
	}
	if Who(t.Context()) != (Identity{}) {
		t.Error("nobody is somebody")
	}
}
