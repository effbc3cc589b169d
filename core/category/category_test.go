package category

import "testing"

func TestProposals(t *testing.T) {
	tree := []string{"Kitchen", "Kitchen > Camp kitchen", "Garden > Balcony garden", "Garden > Tools",
		"Games > Puzzles", "Home > Storage boxes"}
	for name, want := range map[string]string{
		"Camp kitchen": "Kitchen > Camp kitchen", "CAMP & KITCHEN": "Kitchen > Camp kitchen",
		"Puzzle": "Games > Puzzles", "Toys/Games/Puzzles": "Games > Puzzles", "Kitchen": "Kitchen",
		"balcony gardens": "Garden > Balcony garden", "Storage box": "Home > Storage boxes",
		"Garden tool": "Garden > Tools", "Sewing": "", "": "", "the of": "",
	} {
		if got, score := Propose(name, tree); got != want || (want == "") != (score == 0) || score > 100 {
			t.Errorf("%q: %q (%d), want %q", name, got, score, want)
		}
	}
	if got, _ := Propose("Kitchen", nil); got != "" {
		t.Errorf("from no tree: %q", got)
	}
}

func TestPaths(t *testing.T) {
	for path, want := range map[string]string{" Kitchen >  Camp   kitchen>": "Kitchen > Camp kitchen",
		"a/b|c": "a > b > c", " > ": "", "": "", "1>2>3>4>5>6>7": "1 > 2 > 3 > 4 > 5 > 6"} {
		got := Clean(path)
		if got != want || Clean(got) != got {
			t.Errorf("%q: %q, want %q", path, got, want)
		}
	}
}
