package safehtml

import (
	"strings"
	"testing"
)

func TestClean(t *testing.T) {
	for in, want := range map[string]string{
		`<p style="color:red" onclick="x()">Plain <b>words</b></p>`: `<p>Plain <b>words</b></p>`,
		`<script>alert(1)</script>left`:                             `left`,
		`<a href="https://elsewhere.example">buy here</a>`:          `buy here`,
		`<img src=x onerror=alert(1)>mug`:                           `mug`,
		`<table border=1><tr><td>Size`:                              `<table><tr><td>Size`,
		`  <ul><li>One</li></ul> `:                                  `<ul><li>One</li></ul>`,
	} {
		if got := Clean(in); got != want {
			t.Errorf("%s: %s", in, got)
		}
	}
}

func FuzzClean(f *testing.F) {
	for _, seed := range []string{"<svg/onload=alert(1)>", "<IMG SRC=&#x6A&#x61>", "<p><!--", "<<script>script>",
		`<a href="javascript:x">`, "<iframe srcdoc='<p>'>", "\x00<p>"} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, in string) {
		out := Clean(in)
		for _, bad := range []string{"<script", "<img", "<a ", "<iframe", "<svg", "<style", "onload=\"",
			"javascript:\""} {
			if strings.Contains(strings.ToLower(out), bad) && strings.Contains(out, "<") &&
				!strings.Contains(out, "&lt;") {
				t.Fatalf("%q kept %s: %q", in, bad, out)
			}
		}
		if Clean(out) != out {
			t.Fatalf("%q is not yet clean", out)
		}
	})
}
