// Package blobs keeps files by the SHA-256 of their content in a folder.
package blobs

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
)

// Folder keeps blobs under a directory.
type Folder struct{ root string }

// Open makes the directory where it is missing.
func Open(root string) (*Folder, error) { return &Folder{root}, os.MkdirAll(root, 0o750) }

var name = regexp.MustCompile(`^[0-9a-f]{64}(-[0-9]+)?$`)

// Put stores content under its hash and returns the hash.
func (f *Folder) Put(content []byte) (string, error) {
	sum := sha256.Sum256(content)
	hash := hex.EncodeToString(sum[:])
	return hash, f.PutAs(hash, content)
}

// PutAs stores what was derived from a blob, such as a smaller picture, under hash-number.
func (f *Folder) PutAs(key string, content []byte) error {
	path, err := f.path(key)
	if err != nil {
		return err
	}
	if _, err := os.Stat(path); err == nil {
		return nil
	}
	if err := os.MkdirAll(filepath.Dir(path), 0o750); err != nil {
		return err
	}
	file, err := os.CreateTemp(filepath.Dir(path), "new-*")
	if err != nil {
		return err
	}
	defer func() { _ = os.Remove(file.Name()) }() // gone already once renamed
	_, err = file.Write(content)
	if closed := file.Close(); err == nil {
		err = closed
	}
	if err != nil {
		return err
	}
	return os.Rename(file.Name(), path)
}

// PutStream stores what a reader gives, however large, and returns its hash and size.
func (f *Folder) PutStream(content io.Reader) (hash string, size int64, err error) {
	file, err := os.CreateTemp(f.root, "new-*")
	if err != nil {
		return "", 0, err
	}
	defer func() { _ = os.Remove(file.Name()) }() // gone already once renamed
	sum := sha256.New()
	size, err = io.Copy(io.MultiWriter(file, sum), content)
	if closed := file.Close(); err == nil {
		err = closed
	}
	if err != nil {
		return "", 0, err
	}
	hash = hex.EncodeToString(sum.Sum(nil))
	path, err := f.path(hash)
	if err != nil {
		return "", 0, err
	}
	if err := os.MkdirAll(filepath.Dir(path), 0o750); err != nil {
		return "", 0, err
	}
	return hash, size, os.Rename(file.Name(), path)
}

// Remove lets a blob go. One that is missing is no error.
func (f *Folder) Remove(key string) error {
	path, err := f.path(key)
	if err == nil {
		err = os.Remove(path)
	}
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	return err
}

// Open opens a blob to be read; a missing one is fs.ErrNotExist.
func (f *Folder) Open(key string) (*os.File, error) {
	path, err := f.path(key)
	if err != nil {
		return nil, err
	}
	return os.Open(path)
}

// Get reads a blob; a missing one is fs.ErrNotExist.
func (f *Folder) Get(key string) ([]byte, error) {
	path, err := f.path(key)
	if err != nil {
		return nil, err
	}
	return os.ReadFile(path)
}

func (f *Folder) path(key string) (string, error) {
	if !name.MatchString(key) {
		return "", fs.ErrNotExist
	}
	return filepath.Join(f.root, key[:2], key), nil
}
