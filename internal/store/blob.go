package store

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"time"
)

// PutBlob keeps the bytes of r under their SHA-256 and returns it with their
// number. They are on the disk when it returns.
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
	if _, err := os.Stat(path); err == nil {
		_ = f.Close()
		_ = os.Remove(f.Name())
		return sha, size, nil
	}
	if err = f.Sync(); err != nil {
		return "", 0, err
	}
	if err = f.Close(); err != nil {
		return "", 0, err
	}
	if err = os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
		return "", 0, err
	}
	if err = os.Rename(f.Name(), path); err != nil {
		return "", 0, err
	}
	err = errors.Join(syncDir(filepath.Dir(path)), syncDir(filepath.Join(s.dir, "blobs")))
	return sha, size, err
}

// syncDir makes a rename within the folder last through a power cut.
func syncDir(dir string) error {
	d, err := os.Open(dir)
	if err != nil {
		return err
	}
	defer d.Close()
	return d.Sync()
}

// blobPath is where a blob lies; sha must have been checked to be one.
func (s *Store) blobPath(sha string) string {
	return filepath.Join(s.dir, "blobs", sha[:2], sha)
}

// orphanAge is how old a blob that no row names must be before it is cleared. An
// upload under way has its blobs before its rows.
const orphanAge = 24 * time.Hour

// sweep clears the blobs of refused uploads: those no row names, last written
// before then.
func (s *Store) sweep(before time.Time) error {
	named := map[string]bool{}
	rows, err := s.db.Query(`SELECT sha FROM revision_files UNION SELECT sha FROM exports`)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var sha string
		if err := rows.Scan(&sha); err != nil {
			return err
		}
		named[sha] = true
	}
	if err := rows.Err(); err != nil {
		return err
	}
	files, err := filepath.Glob(filepath.Join(s.dir, "blobs", "??", "*"))
	if err != nil {
		return err
	}
	for _, f := range files {
		info, err := os.Stat(f)
		if err == nil && !named[filepath.Base(f)] && info.ModTime().Before(before) {
			_ = os.Remove(f) // tried again at the next start
		}
	}
	return nil
}

// Blob reads kept bytes whole.
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

// OpenBlob opens kept bytes for reading.
func (s *Store) OpenBlob(sha string) (*os.File, error) {
	if len(sha) != 2*sha256.Size {
		return nil, fmt.Errorf("%w: %q names no kept file", ErrNotFound, sha)
	}
	f, err := os.Open(s.blobPath(sha))
	if errors.Is(err, os.ErrNotExist) {
		return nil, fmt.Errorf("%w: kept file %s", ErrNotFound, sha)
	}
	return f, err
}
