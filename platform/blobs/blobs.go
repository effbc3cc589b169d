// Package blobs keeps files by the SHA-256 of their content in a folder.
package blobs

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"syscall"
	"time"
)

// Folder keeps blobs under a directory.
type Folder struct {
	root string

	mu      sync.Mutex
	checked time.Time
	state   error
}

var (
	// ErrFull is returned where there is no room left to write.
	ErrFull = errors.New("the disk that pictures and files are kept on is full")
	// ErrUnusable is returned where the folder cannot be written to for another reason.
	ErrUnusable = errors.New("the folder that pictures and files are kept in cannot be written to")
	// ErrOtherFolder is returned where a folder belongs to another database, or the database to another folder.
	ErrOtherFolder = errors.New("PELICAN_DATA is not the folder that this database's pictures and files are kept in: " +
		"give every instance the same folder")
)

// plain is an error without the machine's paths in it: what is wrong, in words. A missing blob stays fs.ErrNotExist.
func plain(err error) error {
	switch {
	case err == nil, errors.Is(err, fs.ErrNotExist):
		return err
	case errors.Is(err, syscall.ENOSPC), errors.Is(err, syscall.EDQUOT):
		return ErrFull
	case errors.Is(err, syscall.EACCES), errors.Is(err, syscall.EROFS), errors.Is(err, syscall.EIO):
		return fmt.Errorf("%w (%w)", ErrUnusable, errors.Unwrap(err))
	}
	return err
}

// Fault tells whether an error is the folder's: it is full, or cannot be written to.
func Fault(err error) bool { return errors.Is(err, ErrFull) || errors.Is(err, ErrUnusable) }

// recheck is how long a check of the folder holds.
const recheck = 5 * time.Second

// Writable tells whether the folder takes a few kilobytes. Its error is ErrFull or ErrUnusable.
func (f *Folder) Writable() error {
	f.mu.Lock()
	defer f.mu.Unlock()
	if time.Since(f.checked) < recheck {
		return f.state
	}
	f.checked, f.state = time.Now(), nil
	if _, err := f.write(f.root, "", make([]byte, 16<<10)); err != nil {
		if f.state = plain(err); !Fault(f.state) {
			f.state = ErrUnusable
		}
	}
	return f.state
}

// write puts content into a new file of a directory and, where it is given, moves it to a path. Without
// one, the file is removed again.
func (f *Folder) write(dir, path string, content []byte) (string, error) {
	file, err := os.CreateTemp(dir, "new-*")
	if err != nil {
		return "", err
	}
	defer func() { _ = os.Remove(file.Name()) }() // gone already once renamed
	_, err = file.Write(content)
	if closed := file.Close(); err == nil {
		err = closed
	}
	if err != nil || path == "" {
		return "", err
	}
	return path, os.Rename(file.Name(), path)
}

// marker is the file that names the folder.
const marker = "folder-id"

// ID names the folder, by a file in it; empty where it has none.
func (f *Folder) ID() (string, error) {
	id, err := os.ReadFile(filepath.Join(f.root, marker))
	if errors.Is(err, fs.ErrNotExist) {
		return "", nil
	}
	return strings.TrimSpace(string(id)), plain(err)
}

// SetID names the folder.
func (f *Folder) SetID(id string) error {
	_, err := f.write(f.root, filepath.Join(f.root, marker), []byte(id+"\n"))
	return plain(err)
}

// Open makes the directory where it is missing.
func Open(root string) (*Folder, error) { return &Folder{root: root}, plain(os.MkdirAll(root, 0o750)) }

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
		return plain(err)
	}
	_, err = f.write(filepath.Dir(path), path, content)
	return plain(err)
}

// PutStream stores what a reader gives, however large, and returns its hash and size.
func (f *Folder) PutStream(content io.Reader) (hash string, size int64, err error) {
	file, err := os.CreateTemp(f.root, "new-*")
	if err != nil {
		return "", 0, plain(err)
	}
	defer func() { _ = os.Remove(file.Name()) }() // gone already once renamed
	sum := sha256.New()
	size, err = io.Copy(io.MultiWriter(file, sum), content)
	if closed := file.Close(); err == nil {
		err = closed
	}
	if err != nil {
		return "", 0, plain(err)
	}
	hash = hex.EncodeToString(sum.Sum(nil))
	path, err := f.path(hash)
	if err != nil {
		return "", 0, err
	}
	if err := os.MkdirAll(filepath.Dir(path), 0o750); err != nil {
		return "", 0, plain(err)
	}
	return hash, size, plain(os.Rename(file.Name(), path))
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
	file, err := os.Open(path)
	return file, plain(err)
}

// Get reads a blob; a missing one is fs.ErrNotExist.
func (f *Folder) Get(key string) ([]byte, error) {
	path, err := f.path(key)
	if err != nil {
		return nil, err
	}
	content, err := os.ReadFile(path)
	return content, plain(err)
}

func (f *Folder) path(key string) (string, error) {
	if !name.MatchString(key) {
		return "", fs.ErrNotExist
	}
	return filepath.Join(f.root, key[:2], key), nil
}
