package core_test

import (
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
)

// allowed is all that computation may use: nothing of it reads, writes, waits or draws lots.
var allowed = []string{"cmp", "encoding/json", "errors", "fmt", "html", "maps", "math", "math/bits", "regexp", "slices",
	"strconv", "strings", "time", "unicode", "unicode/utf8",
	"github.com/kljensen/snowball/english", "github.com/mozillazg/go-unidecode", "github.com/rivo/uniseg",
	"golang.org/x/text/unicode/norm"}

func TestCoreHasNoIO(t *testing.T) {
	seen := 0
	err := filepath.WalkDir(".", func(path string, entry fs.DirEntry, err error) error {
		if err != nil || entry.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		file, err := parser.ParseFile(token.NewFileSet(), path, nil, 0)
		if err != nil {
			return err
		}
		seen++
		for _, spec := range file.Imports {
			name, err := strconv.Unquote(spec.Path.Value)
			if err != nil {
				return err
			}
			if !slices.Contains(allowed, name) && !strings.HasPrefix(name, "plainpelican/core/") {
				t.Errorf("%s imports %s: core computes and does nothing else", path, name)
			}
		}
		if strings.HasPrefix(path, "demand/") || strings.HasPrefix(path, "likeness/") ||
			strings.HasPrefix(path, "quantity/") || strings.HasPrefix(path, "terms/") {
			return nil // units sold, words and sizes: no money is near
		}
		for _, unresolved := range file.Unresolved {
			if unresolved.Name == "float64" || unresolved.Name == "float32" {
				t.Errorf("%s uses %s: there is no floating point near money", path, unresolved.Name)
			}
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	if seen < 10 {
		t.Fatalf("only %d files were looked at", seen)
	}
}
