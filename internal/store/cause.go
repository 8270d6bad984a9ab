package store

import (
	"errors"
	"fmt"
	"io/fs"
	"path/filepath"

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
	Harmed         // the content of the database, or of a row
	Broken         // the disk does not give or take what it is asked for
)

// CauseOf finds the cause in an error of a Store.
func CauseOf(err error) Cause {
	var row *RowError
	if errors.As(err, &row) {
		return Unknown // it has a sentence of its own
	}
	var e *sqlite.Error
	if errors.As(err, &e) {
		switch e.Code() & 0xff { // the rest says more of the same
		case sqlite3.SQLITE_FULL:
			return Full
		case sqlite3.SQLITE_READONLY, sqlite3.SQLITE_CANTOPEN, sqlite3.SQLITE_PERM:
			return ReadOnly
		case sqlite3.SQLITE_BUSY, sqlite3.SQLITE_LOCKED:
			return Busy
		case sqlite3.SQLITE_CORRUPT, sqlite3.SQLITE_NOTADB:
			return Harmed
		case sqlite3.SQLITE_IOERR:
			return Broken
		}
		return Unknown
	}
	switch disk.CauseOf(err) {
	case disk.Full:
		return Full
	case disk.ReadOnly:
		return ReadOnly
	case disk.Broken:
		return Broken
	}
	return Unknown
}

// unopened says why a data folder can't be opened, what is safe, and what to do. That its database should be replaced
// is said only of one that SQLite's own check has found damaged; see [judged].
func unopened(dir string, err error) error {
	file := filepath.Join(dir, databaseName)
	const safe = "Nothing was changed"
	if errors.Is(err, fs.ErrNotExist) {
		return fmt.Errorf("there is no Yarvek data in %s: expected the file %s there. Name another folder with --data", dir,
			databaseName)
	}
	var d *damaged
	if errors.As(err, &d) {
		return fmt.Errorf("the database %s is damaged or is none: %w. %s; the files in %s are untouched. Put a backup of "+
			"the database in its place, or move both to a safe place and start with an empty folder", file, err, safe,
			filepath.Join(dir, "blobs"))
	}
	switch CauseOf(err) {
	case Full:
		return fmt.Errorf("the disk that holds %s, or what may be used of it, is full: %w. %s, and nothing is damaged. Make "+
			"room and try again", dir, err, safe)
	case ReadOnly:
		return fmt.Errorf("%s can't be written to: %w. %s, and nothing is damaged. Give this user the right to write there, "+
			"make the disk writable, or name another folder with --data", dir, err, safe)
	case Busy:
		return fmt.Errorf("another program holds the database %s: %w. %s, and nothing is damaged. End that program, or wait "+
			"until it is done, and try again", file, err, safe)
	case Broken:
		return fmt.Errorf("the disk that holds %s did not do what it was asked: %w. %s. Look at the disk first; only when "+
			"it is well, yarvek verify tells whether the data is", dir, err, safe)
	}
	return fmt.Errorf("the database %s can't be opened: %w. %s; yarvek verify tells whether it is damaged", file, err,
		safe)
}

// damaged is a database whose content SQLite's own checks complain of, or that is none at all.
type damaged struct{ why string }

func (d *damaged) Error() string { return d.why }
