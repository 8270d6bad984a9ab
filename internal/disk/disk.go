// Package disk has what of files differs from one system to another: the lock of a folder, renames that last, and
// why a disk did not do what it was asked.
package disk

import (
	"errors"
	"io/fs"
	"syscall"
)

// ErrInUse is given for a lock that another process holds.
var ErrInUse = errors.New("another process holds it")

// Cause is why a disk did not do what it was asked.
type Cause int

// The causes that can be told apart. Unknown is every other error, and none.
const (
	Unknown Cause = iota
	Full
	ReadOnly
	Broken
)

// CauseOf finds the cause in an error of a file.
func CauseOf(err error) Cause {
	switch {
	case errors.Is(err, syscall.ENOSPC), errors.Is(err, syscall.EDQUOT), full(err):
		return Full
	case errors.Is(err, fs.ErrPermission), errors.Is(err, syscall.EROFS):
		return ReadOnly
	case errors.Is(err, syscall.EIO):
		return Broken
	}
	return Unknown
}
