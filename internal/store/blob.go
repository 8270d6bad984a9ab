package store

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"sync"
	"time"

	"yarvek/internal/disk"
)

// ErrDamaged is given for a kept file whose bytes are not those it was kept with.
var ErrDamaged = errors.New("does not have the bytes it was kept with")

// checked remembers which blobs were hashed by this process, each in the state it then
// had. It is safe for use by several goroutines.
type checked struct {
	mu    sync.Mutex
	state map[string]fileState
}

// fileState tells whether a file was touched since.
type fileState struct {
	size    int64
	changed time.Time
}

func (c *checked) is(sha string, st fileState) bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.state[sha] == st
}

func (c *checked) note(sha string, st fileState) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.state == nil {
		c.state = map[string]fileState{}
	}
	c.state[sha] = st
}

// PutBlob keeps the bytes of r under their SHA-256 and returns it with their number.
// They are on the disk when it returns. Bytes that are kept already are not kept twice;
// a kept file that was damaged meanwhile is made whole by them.
func (s *Store) PutBlob(r io.Reader) (sha string, size int64, err error) {
	f, err := os.CreateTemp(filepath.Join(s.dir, "tmp"), "blob-*")
	if err != nil {
		return "", 0, err
	}
	defer func() {
		if err != nil {
			_ = f.Close()
			_ = os.Remove(f.Name())
		}
	}()
	h := sha256.New()
	if size, err = io.Copy(io.MultiWriter(f, h), r); err != nil {
		return "", 0, err
	}
	sha = hex.EncodeToString(h.Sum(nil))
	path := s.blobPath(sha)
	if s.whole(sha) {
		_ = f.Close()
		_ = os.Remove(f.Name())
		// As young as what was just put, so that it is not swept before a row names it.
		at := time.Now()
		return sha, size, os.Chtimes(path, at, at)
	}
	if err = f.Sync(); err != nil {
		return "", 0, err
	}
	if err = f.Close(); err != nil {
		return "", 0, err
	}
	if err = os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return "", 0, err
	}
	if err = disk.Replace(f.Name(), path); err != nil {
		return "", 0, err
	}
	return sha, size, nil
}

// whole tells whether the blob lies there with its own bytes.
func (s *Store) whole(sha string) bool {
	f, err := s.OpenBlob(sha)
	if err != nil {
		return false
	}
	_ = f.Close()
	return true
}

// blobPath is where a blob lies; sha must have been checked to be one.
func (s *Store) blobPath(sha string) string { return blobPath(s.dir, sha) }

func blobPath(dir, sha string) string { return filepath.Join(dir, "blobs", sha[:2], sha) }

// isSHA tells the names of blobs from all others.
func isSHA(name string) bool {
	b, err := hex.DecodeString(name)
	return err == nil && len(b) == sha256.Size
}

// Blob reads kept bytes whole. See OpenBlob for its errors.
func (s *Store) Blob(sha string) ([]byte, error) {
	f, err := s.OpenBlob(sha)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return nil, err
	}
	b := make([]byte, info.Size())
	_, err = io.ReadFull(f, b)
	return b, err
}

// OpenBlob opens kept bytes for reading, at their beginning. They are hashed the first
// time a process opens them, and again whenever the file was touched since: bytes that
// are not the kept ones are never given, and the error is ErrDamaged. One that was swept
// and is asked for again comes back from the trash; one that is nowhere is ErrNotFound.
func (s *Store) OpenBlob(sha string) (*os.File, error) {
	if !isSHA(sha) {
		return nil, fmt.Errorf("%w: %q names no kept file", ErrNotFound, sha)
	}
	path := s.blobPath(sha)
	f, err := os.Open(path)
	if errors.Is(err, os.ErrNotExist) && s.untrash(sha) == nil {
		f, err = os.Open(path)
	}
	if errors.Is(err, os.ErrNotExist) {
		return nil, fmt.Errorf("%w: kept file %s", ErrNotFound, sha)
	}
	if err != nil {
		return nil, err
	}
	if err := s.check(f, sha); err != nil {
		_ = f.Close()
		return nil, err
	}
	return f, nil
}

// check hashes an open blob unless that was done before, and leaves it at its beginning.
func (s *Store) check(f *os.File, sha string) error {
	info, err := f.Stat()
	if err != nil {
		return err
	}
	st := fileState{info.Size(), info.ModTime()}
	if s.checked.is(sha, st) {
		return nil
	}
	got, err := hashOf(f)
	if err != nil {
		return err
	}
	if got != sha {
		return fmt.Errorf("kept file %s %w", sha, ErrDamaged)
	}
	s.checked.note(sha, st)
	_, err = f.Seek(0, io.SeekStart)
	return err
}

// hashOf is the SHA-256 of what is left to read.
func hashOf(r io.Reader) (string, error) {
	h := sha256.New()
	if _, err := io.Copy(h, r); err != nil {
		return "", err
	}
	return hex.EncodeToString(h.Sum(nil)), nil
}
