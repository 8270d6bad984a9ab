package disk

import (
	"errors"
	"io"
	"os"
	"time"

	"golang.org/x/sys/windows"
)

// Lock takes the lock of a file, which is made where there is none. The system gives it up when the process ends,
// however it ends, so that the file itself may stay.
func Lock(path string) (io.Closer, error) {
	f, err := os.OpenFile(path, os.O_RDWR|os.O_CREATE, 0o644)
	if err != nil {
		return nil, err
	}
	const exclusive = windows.LOCKFILE_EXCLUSIVE_LOCK | windows.LOCKFILE_FAIL_IMMEDIATELY
	err = windows.LockFileEx(windows.Handle(f.Fd()), exclusive, 0, 1, 0, new(windows.Overlapped))
	if err != nil {
		_ = f.Close()
		if errors.Is(err, windows.ERROR_LOCK_VIOLATION) || errors.Is(err, windows.ERROR_IO_PENDING) {
			return nil, ErrInUse
		}
		return nil, err
	}
	return f, nil
}

// Replace gives a written and synced file its name, in the place of what has it, so that it lasts through a power
// cut: a folder can't be synced here, so the move is written through.
func Replace(from, to string) error {
	return move(from, to, windows.MOVEFILE_REPLACE_EXISTING|windows.MOVEFILE_WRITE_THROUGH)
}

// Rename is Replace for what may be lost.
func Rename(from, to string) error { return move(from, to, windows.MOVEFILE_REPLACE_EXISTING) }

// A file that somebody reads can't be moved or replaced here. Readers are done in a moment, and so are programs
// that look at every new file.
const (
	tries = 20
	pause = 25 * time.Millisecond
)

func move(from, to string, how uint32) error {
	a, err := windows.UTF16PtrFromString(long(from))
	if err != nil {
		return err
	}
	b, err := windows.UTF16PtrFromString(long(to))
	if err != nil {
		return err
	}
	for n := 1; ; n++ {
		err = windows.MoveFileEx(a, b, how)
		busy := errors.Is(err, windows.ERROR_SHARING_VIOLATION) || errors.Is(err, windows.ERROR_ACCESS_DENIED) ||
			errors.Is(err, windows.ERROR_LOCK_VIOLATION)
		if err == nil || !busy || n == tries {
			break
		}
		time.Sleep(pause)
	}
	if err != nil {
		return &os.LinkError{Op: "rename", Old: from, New: to, Err: err}
	}
	return nil
}

// long is a path that may be longer than 260 letters: a full one is marked as such.
func long(path string) string {
	if len(path) < 240 || len(path) > 3 && path[:4] == `\\?\` {
		return path
	}
	full, err := windows.FullPath(path)
	if err != nil || len(full) > 1 && full[:2] == `\\` {
		return path
	}
	return `\\?\` + full
}

func full(err error) bool {
	return errors.Is(err, windows.ERROR_DISK_FULL) || errors.Is(err, windows.ERROR_HANDLE_DISK_FULL)
}
