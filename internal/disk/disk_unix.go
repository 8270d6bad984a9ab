//go:build unix

package disk

import (
	"errors"
	"io"
	"os"
	"path/filepath"
	"syscall"
)

// Lock takes the lock of a file, which is made where there is none. The system gives it up when the process ends,
// however it ends, so that the file itself may stay.
func Lock(path string) (io.Closer, error) {
	f, err := os.OpenFile(path, os.O_RDWR|os.O_CREATE, 0o600)
	if err != nil {
		return nil, err
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		_ = f.Close()
		if errors.Is(err, syscall.EWOULDBLOCK) {
			return nil, ErrInUse
		}
		return nil, err
	}
	return f, nil
}

// Replace gives a written and synced file its name, in the place of what has it, so that it lasts through a power
// cut: the folder is synced too, and the one above it, which may be new.
func Replace(from, to string) error {
	if err := os.Rename(from, to); err != nil {
		return err
	}
	dir := filepath.Dir(to)
	return errors.Join(syncDir(dir), syncDir(filepath.Dir(dir)))
}

// Rename is Replace for what may be lost.
func Rename(from, to string) error { return os.Rename(from, to) }

func syncDir(dir string) error {
	d, err := os.Open(dir)
	if err != nil {
		return err
	}
	defer d.Close()
	return d.Sync()
}

func full(error) bool { return false }
