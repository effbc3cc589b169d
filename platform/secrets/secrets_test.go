package secrets

import (
	"bytes"
	"errors"
	"testing"
)

func TestSealing(t *testing.T) {
	box, err := New(make([]byte, 32))
	if err != nil {
		t.Fatal(err)
	}
	sealed := box.Seal("store a", "hunter2")
	if bytes.Contains(sealed, []byte("hunter2")) || bytes.Equal(sealed, box.Seal("store a", "hunter2")) {
		t.Error("the secret, or that it is the same one, shows")
	}
	if got, err := box.Open("store a", sealed); err != nil || got != "hunter2" {
		t.Errorf("%q %v", got, err)
	}
	other, err := New(bytes.Repeat([]byte{1}, 32))
	if err != nil {
		t.Fatal(err)
	}
	if _, err := other.Open("store a", sealed); !errors.Is(err, ErrSealed) {
		t.Errorf("another key: %v", err)
	}
	if _, err := box.Open("store b", sealed); !errors.Is(err, ErrSealed) {
		t.Errorf("moved to another store: %v", err)
	}
	sealed[len(sealed)-1]++
	if _, err := box.Open("store a", sealed); !errors.Is(err, ErrSealed) {
		t.Errorf("tampered with: %v", err)
	}
	if _, err := New(make([]byte, 31)); err == nil {
		t.Error("a short key was taken")
	}
}
