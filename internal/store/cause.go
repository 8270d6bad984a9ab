package store

import (
	"errors"

	"modernc.org/sqlite"
	sqlite3 "modernc.org/sqlite/lib"

	"yarvek/internal/disk"
)

// Cause is why the data folder did not do what it was asked, as far as somebody who
// keeps it can do something about it.
type Cause int

// The causes that can be told apart. Unknown is every other error, and none.
const (
	Unknown  Cause = iota
	Full           // the disk, or what one may use of it
	ReadOnly       // no right to write, or a disk that can only be read
	Busy           // another program holds the database
	Harmed         // the database, or the disk below it
)

// CauseOf finds the cause in an error of a Store.
func CauseOf(err error) Cause {
	var e *sqlite.Error
	if errors.As(err, &e) {
		switch e.Code() & 0xff { // the rest says more of the same
		case sqlite3.SQLITE_FULL:
			return Full
		case sqlite3.SQLITE_READONLY, sqlite3.SQLITE_CANTOPEN, sqlite3.SQLITE_PERM:
			return ReadOnly
		case sqlite3.SQLITE_BUSY, sqlite3.SQLITE_LOCKED:
			return Busy
		case sqlite3.SQLITE_CORRUPT, sqlite3.SQLITE_NOTADB, sqlite3.SQLITE_IOERR:
			return Harmed
		}
		return Unknown
	}
	switch disk.CauseOf(err) {
	case disk.Full:
		return Full
	case disk.ReadOnly:
		return ReadOnly
	case disk.Broken:
		return Harmed
	}
	return Unknown
}
