package store

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"math"
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
	return s.put(r, math.MaxInt64, nil)
}

// ErrTooLong is given for what would be longer than it may be. Nothing of it is kept.
var ErrTooLong = errors.New("it is longer than it may be")

// A Bringing is files on their way in, before rows name them. None of them is swept meanwhile, and those that no row
// names when it ends are gone at once. It is used by one goroutine.
type Bringing struct {
	s     *Store
	files map[string]bool // by SHA-256, whether this brought it
}

// Bring begins one; it is ended by [Bringing.End].
func (s *Store) Bring() *Bringing { return &Bringing{s: s, files: map[string]bool{}} }

// Put is PutBlob for what may not be longer than most bytes; what is gives ErrTooLong and how far it was read.
func (b *Bringing) Put(r io.Reader, most int64) (sha string, size int64, err error) {
	return b.s.put(r, most, b)
}

// Adopt holds a file that an earlier bringing, which ended with its program, put there; it goes with this one as if
// this had brought it. The errors are those of [Store.OpenBlob].
func (b *Bringing) Adopt(sha string) error {
	f, err := b.s.OpenBlob(sha)
	if err != nil {
		return err
	}
	defer f.Close()
	b.s.bringing.Lock()
	defer b.s.bringing.Unlock()
	b.hold(sha, false)
	return nil
}

// End does away with what no row names, and no other bringing holds, of the files that this brought.
func (b *Bringing) End(ctx context.Context) error {
	b.s.bringing.Lock()
	defer b.s.bringing.Unlock()
	var errs []error
	for sha, mine := range b.files {
		if b.s.held[sha]--; b.s.held[sha] > 0 {
			continue
		}
		delete(b.s.held, sha)
		if !mine {
			continue
		}
		var named bool
		err := b.s.db.QueryRowContext(context.WithoutCancel(ctx), `SELECT EXISTS (SELECT 1 FROM (`+naming+`) WHERE sha = ?)`,
			sha).Scan(&named)
		if err == nil && !named {
			err = os.Remove(b.s.blobPath(sha))
		}
		errs = append(errs, err)
	}
	b.files = map[string]bool{}
	return errors.Join(errs...)
}

// hold notes that a file is on its way in, and whether it was there before.
func (b *Bringing) hold(sha string, there bool) {
	if b == nil {
		return
	}
	if _, again := b.files[sha]; again {
		return
	}
	b.files[sha] = !there
	b.s.held[sha]++
}

// put is PutBlob, and Put for a bringing.
func (s *Store) put(r io.Reader, most int64, of *Bringing) (sha string, size int64, err error) {
	f, err := os.CreateTemp(filepath.Join(s.dir, "tmp"), "blob-*")
	if err != nil {
		return "", 0, err
	}
	named := false
	defer func() {
		if !named {
			_ = f.Close()
			_ = os.Remove(f.Name())
		}
	}()
	h := sha256.New()
	if most < math.MaxInt64 {
		r = io.LimitReader(r, most+1)
	}
	if size, err = io.Copy(io.MultiWriter(f, h), r); err != nil {
		return "", size, err
	}
	if size > most {
		return "", size, ErrTooLong
	}
	if err = f.Sync(); err != nil {
		return "", size, err
	}
	sha = hex.EncodeToString(h.Sum(nil))
	path := s.blobPath(sha)
	// Whether it is there, and that it is held, are one step: nobody does away with it between.
	s.bringing.Lock()
	defer s.bringing.Unlock()
	if s.whole(sha) {
		of.hold(sha, true)
		// As young as what was just put, so that it is not swept before a row names it.
		at := time.Now()
		return sha, size, os.Chtimes(path, at, at)
	}
	if err = f.Close(); err != nil {
		return "", size, err
	}
	if err = os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return "", size, err
	}
	if err = disk.Replace(f.Name(), path); err != nil {
		return "", size, err
	}
	named = true
	of.hold(sha, false)
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
