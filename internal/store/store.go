// Package store keeps kits, assets, revisions, preps and exports in SQLite, and
// the bytes of files in a folder of content-addressed blobs.
//
// A blob is written under a temporary name, synced and renamed before a row names
// it, so a process killed at any moment leaves no row without its bytes.
package store

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/url"
	"os"
	"path/filepath"
	"sync"
	"time"

	_ "modernc.org/sqlite" // registers the driver

	"yarvek/core/target"
	"yarvek/internal/disk"
)

//go:embed migrations/*.sql
var migrations embed.FS

// ErrNotFound is given for what is not there.
var ErrNotFound = errors.New("not found")

// ErrStale is given when what is decided for an asset changed since the page that asks
// for a change was made. Nothing is changed then.
var ErrStale = errors.New("the asset was changed elsewhere meanwhile")

// ErrRemoved is given for a change of what was taken out of its kit or off the list of kits. Nothing is changed then.
var ErrRemoved = errors.New("was taken out meanwhile")

// ErrInUse is given when another process has the data folder open.
var ErrInUse = errors.New("the data folder is in use")

// Store is an open data folder. It is held by one process at a time and is safe for use
// by several goroutines. What belongs together is read in one transaction, and nothing
// is written that depends on what was read in another.
type Store struct {
	db   *sql.DB
	dir  string
	lock io.Closer // released by Close

	checked checked // blobs whose bytes were compared with their names

	bringing sync.Mutex     // held while a file gets its place, and while one is done away with
	held     map[string]int // files on their way in, by how many bring them

	// stamps are the two queries that every page begins with.
	stamps struct{ asset, kit *sql.Stmt }
}

// Open opens or makes the data folder and brings its database up to date. A folder that
// another process has open is left as it is; the error is ErrInUse then.
func Open(dir string) (*Store, error) {
	if info, err := os.Stat(dir); err == nil && !info.IsDir() {
		return nil, fmt.Errorf("%s is a file: expected a folder. Name another one with --data", dir)
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, unopened(dir, err)
	}
	lock, err := disk.Lock(filepath.Join(dir, "lock"))
	if errors.Is(err, disk.ErrInUse) {
		err = ErrInUse
		return nil, fmt.Errorf("%s: %w", dir, err)
	}
	if err != nil {
		return nil, unopened(dir, err)
	}
	s, err := (*Store)(nil), sane(dir)
	if err == nil {
		s, err = open(dir)
	}
	if err != nil {
		_ = lock.Close()
		return nil, err
	}
	s.lock = lock
	return s, nil
}

// open opens the database of a folder that is locked already, and brings it up to date.
func open(dir string) (*Store, error) {
	for _, d := range []string{"blobs", "tmp", "cache"} {
		if err := os.MkdirAll(filepath.Join(dir, d), 0o700); err != nil {
			return nil, err
		}
	}
	// What was being written when the process ended is of no use to anybody.
	if old, err := filepath.Glob(filepath.Join(dir, "tmp", "*")); err == nil {
		for _, f := range old {
			_ = os.Remove(f)
		}
	}
	if err := private(dir); err != nil {
		return nil, err
	}
	db, err := database(dir)
	if err != nil {
		return nil, err
	}
	if err = update(context.Background(), dir, db); err == nil {
		err = keepSeals(context.Background(), db)
	}
	if err != nil {
		err = judged(db, err)
		_ = db.Close()
		var d *damaged
		if CauseOf(err) != Unknown || errors.As(err, &d) {
			return nil, unopened(dir, err)
		}
		return nil, fmt.Errorf("the database in %s can't be brought up to date: %w", dir, err)
	}
	st := &Store{db: db, dir: dir, held: map[string]int{}}
	if st.stamps.asset, err = db.Prepare(stampQuery); err == nil {
		st.stamps.kit, err = db.Prepare(kitStampQuery)
	}
	if err != nil {
		_ = db.Close()
		return nil, err
	}
	return st, nil
}

// private makes a data folder and its database those of this user alone; files that come later are so from the first.
func private(dir string) error {
	for path, mode := range map[string]os.FileMode{dir: 0o700, filepath.Join(dir, "blobs"): 0o700} {
		info, err := os.Stat(path)
		if err != nil {
			return err
		}
		if info.Mode().Perm()&^mode != 0 {
			if err := os.Chmod(path, info.Mode().Perm()&mode); err != nil {
				return err
			}
		}
	}
	for _, name := range []string{databaseName, databaseName + "-wal", databaseName + "-shm"} {
		path := filepath.Join(dir, name)
		info, err := os.Stat(path)
		if errors.Is(err, fs.ErrNotExist) {
			continue
		}
		if err == nil && info.Mode().Perm()&0o077 != 0 {
			err = os.Chmod(path, 0o600)
		}
		if err != nil {
			return err
		}
	}
	// SQLite gives the files beside it the mode that the database has.
	f, err := os.OpenFile(filepath.Join(dir, databaseName), os.O_RDWR|os.O_CREATE, 0o600)
	if err != nil {
		return err
	}
	return f.Close()
}

// database opens a folder's, as every writer of it does.
func database(dir string) (*sql.DB, error) {
	dsn := uri(filepath.Join(dir, databaseName)) +
		"?_pragma=journal_mode(WAL)&_pragma=synchronous(FULL)&_pragma=foreign_keys(1)" +
		"&_pragma=busy_timeout(10000)&_pragma=temp_store(MEMORY)&_txlock=immediate"
	db, err := sql.Open("sqlite", dsn)
	if err == nil {
		db.SetMaxOpenConns(connections)
	}
	return db, err
}

// uri is a database's file as SQLite takes it (its URI filenames), whatever letters its path has; one with a drive
// stands behind a slash.
func uri(file string) string {
	p := filepath.ToSlash(file)
	if filepath.VolumeName(file) != "" && p[0] != '/' {
		p = "/" + p
	}
	return "file:" + (&url.URL{Path: p}).EscapedPath()
}

// Close closes the database and lets go of the folder.
func (s *Store) Close() error {
	if s.lock == nil { // opened beside the one that holds the folder
		return s.db.Close()
	}
	return errors.Join(s.db.Close(), s.lock.Close())
}

// CacheDir is the folder of derived data, which may be deleted at any moment.
func (s *Store) CacheDir() string { return filepath.Join(s.dir, "cache") }

// Kit is a set of assets with one target.
type Kit struct {
	ID      int64
	Name    string
	Target  target.Target
	Grid    float64 // the module of its pieces in metres, 0 for none
	SlotMap []byte  // JSON of what slots are called in the receiving project
	Created time.Time
	Removed bool // it was taken off the list
	Moved   int  // how often anything of it changed that a page of it shows
	Assets  int
	Harm    error // its row is not as it was kept, or can't be read; nil for a sound one
}

// Asset is one thing to deliver.
type Asset struct {
	ID      int64
	KitID   int64
	Name    string
	Seq     int // of the prep in force; 0 before any decision
	Changes int // how often what is decided for it was changed; see the third migration
	Created time.Time
	Removed bool  // it was taken out of its kit
	Harm    error // its row is not as it was kept; nil for a sound one
}

// File is a file of a revision or of an export's packing list.
type File struct {
	Name string `json:"name"`
	SHA  string `json:"sha,omitempty"`
	Size int64  `json:"size"`
}

// Revision is one upload of an asset's source.
type Revision struct {
	ID      int64
	Number  int
	Main    string
	Created time.Time
	By      string // who brought it in, "" for nobody in particular
	Files   []File
	Harm    error // its row, or one of its files', is not as it was kept; nil for a sound one
}

// Step is where an asset is in its history of decisions.
type Step struct {
	Seq   int    // 0 before any decision
	JSON  []byte // of the prep in force; nil before any decision
	Label string // what was decided last, in words
	By    string // who decided it, "" for nobody in particular
	// Undo and Redo are the labels of what a step back or forward would change,
	// empty when there is none.
	Undo, Redo string
}

// State is an asset with all that decides its outcome, as it was at one moment.
type State struct {
	Kit      Kit
	Asset    Asset
	Revision Revision // in force, with its files
	Step     Step
	Added    []File // pictures that were added to its materials
	Harm     error  // a row of it is not as it was kept; nil for a sound one
}

// Export is a kept package.
type Export struct {
	ID          int64
	AssetID     int64
	AssetName   string
	Revision    int
	Seq         int
	Prep        []byte
	Target      target.Target
	Format      string
	Name        string
	SHA         string
	Size        int64
	Packing     []byte
	Certificate []byte
	Created     time.Time
	By          string // who sent it, "" for nobody in particular
	Harm        error  // its row is not as it was kept, or can't be read; nil for a sound one
}

// connections bounds the pool: SQLite has one writer at a time, and readers are quick.
const connections = 8

// stamp is how moments are kept: all of them with nine decimals, in UTC, so that they sort as text.
const stamp = "2006-01-02T15:04:05.000000000Z"

// now is the moment as the database keeps it.
func now() string { return time.Now().UTC().Format(stamp) }

// when reads a kept moment, the zero time for what is none.
func when(s string) time.Time {
	t, _ := time.Parse(time.RFC3339Nano, s)
	return t
}

// queries is what a connection and a transaction both can.
type queries interface {
	QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error)
	QueryRowContext(ctx context.Context, query string, args ...any) *sql.Row
}

// tx runs f in one transaction that may write.
func (s *Store) tx(ctx context.Context, f func(*sql.Tx) error) error {
	return s.in(ctx, nil, f)
}

// see runs f in one transaction that only reads: all it sees is of one moment.
func (s *Store) see(ctx context.Context, f func(*sql.Tx) error) error {
	return s.in(ctx, &sql.TxOptions{ReadOnly: true}, f)
}

// in runs f in a transaction, which is undone when f fails or panics.
func (s *Store) in(ctx context.Context, how *sql.TxOptions, f func(*sql.Tx) error) error {
	tx, err := s.db.BeginTx(ctx, how)
	if err != nil {
		return err
	}
	defer func() { _ = tx.Rollback() }() // does nothing once it is committed
	if err := f(tx); err != nil {
		return err
	}
	return tx.Commit()
}

// missing makes ErrNotFound of no rows.
func missing(err error) error {
	if errors.Is(err, sql.ErrNoRows) {
		return ErrNotFound
	}
	return err
}
