//go:build unix

package store

import (
	"errors"
	"io"
	"os"
	"syscall"
)

// lockFile takes the lock of a data folder. The system gives it up when the process
// ends, however it ends, so that the file itself may stay.
func lockFile(path string) (io.Closer, error) {
	f, err := os.OpenFile(path, os.O_RDWR|os.O_CREATE, 0o644)
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
