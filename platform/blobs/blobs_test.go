package blobs

import (
	"errors"
	"io"
	"io/fs"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"testing/iotest"
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

func TestAStreamIsKeptWholeOrNotAtAll(t *testing.T) {
	dir := t.TempDir()
	f, err := Open(dir)
	if err != nil {
		t.Fatal(err)
	}
	content := strings.Repeat("a list ", 100_000)
	hash, size, err := f.PutStream(strings.NewReader(content))
	if err != nil || size != int64(len(content)) {
		t.Fatalf("%d bytes: %v", size, err)
	}
	if same, err := f.Put([]byte(content)); err != nil || same != hash {
		t.Errorf("another name for the same content: %s %v", same, err)
	}
	file, err := f.Open(hash)
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = file.Close() }()
	got, err := io.ReadAll(file)
	if err != nil || string(got) != content {
		t.Errorf("%d bytes came back: %v", len(got), err)
	}
	if _, _,
		err := f.PutStream(io.MultiReader(strings.NewReader("half"),
		iotest.ErrReader(errors.New("cut off")))); err == nil {
		t.Error("half a stream was kept")
	}
	if left, err := filepath.Glob(filepath.Join(dir, "new-*")); err != nil || len(left) > 0 {
		t.Errorf("left behind: %v %v", left, err)
	}
	for _, key := range []string{"", "../x", strings.Repeat("0", 64)} {
		if _, err := f.Open(key); !errors.Is(err, fs.ErrNotExist) {
			t.Errorf("%q: %v", key, err)
		}
	}
}

func TestAFullDiskIsToldWithoutItsPath(t *testing.T) {
	for code, want := range map[syscall.Errno]error{syscall.ENOSPC: ErrFull, syscall.EDQUOT: ErrFull,
		syscall.EROFS: ErrUnusable, syscall.EACCES: ErrUnusable} {
		err := plain(&fs.PathError{Op: "write", Path: "/data/ab/abc", Err: code})
		if !errors.Is(err, want) || !Fault(err) || strings.Contains(err.Error(), "/data") {
			t.Errorf("%v: %v", code, err)
		}
	}
	if err := plain(fs.ErrNotExist); !errors.Is(err, fs.ErrNotExist) || Fault(err) {
		t.Errorf("what is missing is no fault: %v", err)
	}
}
