package testkit

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
)

// Poppler has a PDF read by one of Poppler's programs, from Debian's package poppler-utils: it shares nothing with what
// made it.
func Poppler(t *testing.T, pdf []byte, program string, args ...string) string {
	t.Helper()
	file := filepath.Join(t.TempDir(), "it.pdf")
	must(t, os.WriteFile(file, pdf, 0o600))
	args = append(args, file)
	if program == "pdftotext" {
		args = append(args, "-")
	}
	out, err := exec.CommandContext(t.Context(), program, args...).CombinedOutput()
	if err != nil {
		t.Fatalf("%s: %v: %s", program, err, out)
	}
	// It marks which way words run; the marks are not letters of them.
	return strings.NewReplacer("\u202a", "", "\u202b", "", "\u202c", "", "\u200e", "", "\u200f", "").Replace(
		string(out))
}
