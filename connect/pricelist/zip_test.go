package pricelist

import (
	"archive/zip"
	"bytes"
	"testing"
)

func zipOf(t testing.TB, files map[string][]byte) []byte {
	t.Helper()
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	for name, content := range files {
		w, err := z.Create(name)
		must(t, err)
		_, err = w.Write(content)
		must(t, err)
	}
	must(t, z.Close())
	return out.Bytes()
}
