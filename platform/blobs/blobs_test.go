package blobs

import (
	"errors"
	"io/fs"
	"testing"
)

func TestBlobs(t *testing.T) {
	folder, err := Open(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	// SHA-256 of "abc": the first example of FIPS 180-2, appendix B.
	hash, err := folder.Put([]byte("abc"))
	if err != nil || hash != "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad" {
		t.Fatalf("%s %v", hash, err)
	}
	if again, err := folder.Put([]byte("abc")); err != nil || again != hash {
		t.Errorf("put twice: %s %v", again, err)
	}
	if content, err := folder.Get(hash); err != nil || string(content) != "abc" {
		t.Errorf("%s %v", content, err)
	}
	if err := folder.PutAs(hash+"-96", []byte("small")); err != nil {
		t.Error(err)
	}
	for _, wrong := range []string{"", "../../etc/passwd", hash[:10], hash + "-x", "BA" + hash[2:]} {
		if _, err := folder.Get(wrong); !errors.Is(err, fs.ErrNotExist) {
			t.Errorf("%q: %v", wrong, err)
		}
		if err := folder.PutAs(wrong, nil); err == nil {
			t.Errorf("%q was stored", wrong)
		}
	}
}
