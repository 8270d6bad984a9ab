package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"
)

// Harm is a kept file that is not as it was kept, with everything that needs it.
type Harm struct {
	SHA  string
	Gone bool     // it is missing; otherwise its bytes differ
	Of   []string // such as "crate.obj of crate, revision 2"
}

// Verdict is what [Verify] found.
type Verdict struct {
	Database []string // what SQLite's own checks complain of; none when it is sound
	Rows     []BrokenRow
	Files    int    // that rows name
	Bytes    int64  // of those that are whole
	Harmed   []Harm // in the order of their SHA-256
	// Files that no row names, which a sweep moves to the trash, and those in the trash.
	Unnamed, Trash           int
	UnnamedBytes, TrashBytes int64
}

// Sound tells whether nothing is harmed.
func (v *Verdict) Sound() bool { return len(v.Database)+len(v.Rows)+len(v.Harmed) == 0 }

// Verify checks a data folder without changing anything in it, while a server holds it
// or not: the database by SQLite's own checks, its rows by their seals, and every kept file that a row names by
// its SHA-256. The error says why it could not be checked at all.
func Verify(ctx context.Context, dir string) (*Verdict, error) {
	file := filepath.Join(dir, databaseName)
	if _, err := os.Stat(file); err != nil {
		return nil, unopened(dir, err)
	}
	db, err := toLookAt(ctx, file)
	if err != nil {
		return nil, unopened(dir, err)
	}
	defer db.Close()
	v := &Verdict{}
	for _, check := range []string{"PRAGMA integrity_check", "PRAGMA foreign_key_check"} {
		if err := v.complaints(ctx, db, check); err != nil {
			return nil, unopened(dir, judged(db, err))
		}
	}
	if v.Rows, err = brokenRows(ctx, db); err != nil {
		return nil, unopened(dir, judged(db, err))
	}
	users, err := usersOf(ctx, db)
	if err != nil {
		return nil, unopened(dir, judged(db, err))
	}
	v.Files = len(users)
	for _, sha := range slices.Sorted(maps.Keys(users)) {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		n, err := verifyBlob(dir, sha)
		switch {
		case err == nil:
			v.Bytes += n
		case errors.Is(err, fs.ErrNotExist):
			v.Harmed = append(v.Harmed, Harm{sha, true, users[sha]})
		default: // it can't be read, or reads as something else
			v.Harmed = append(v.Harmed, Harm{sha, false, users[sha]})
		}
	}
	all, err := filepath.Glob(filepath.Join(dir, "blobs", "??", "*"))
	if err != nil {
		return nil, err
	}
	all = slices.DeleteFunc(all, func(f string) bool { return users[filepath.Base(f)] != nil })
	v.Unnamed, v.UnnamedBytes = len(all), bytesOf(all)
	trash, err := filepath.Glob(filepath.Join(dir, "trash", "*", "*"))
	v.Trash, v.TrashBytes = len(trash), bytesOf(trash)
	return v, err
}

// bytesOf adds up the sizes of files.
func bytesOf(files []string) (n int64) {
	for _, f := range files {
		if info, err := os.Stat(f); err == nil {
			n += info.Size()
		}
	}
	return n
}

// complaints adds what a check of the database says, all but "ok".
func (v *Verdict) complaints(ctx context.Context, db *sql.DB, check string) error {
	rows, err := db.QueryContext(ctx, check)
	if err != nil {
		return err
	}
	defer rows.Close()
	names, err := rows.Columns()
	if err != nil {
		return err
	}
	for rows.Next() {
		cells := make([]any, len(names))
		for i := range cells {
			cells[i] = new(sql.NullString)
		}
		if err := rows.Scan(cells...); err != nil {
			return err
		}
		said := ""
		for i, c := range cells {
			if i > 0 {
				said += " "
			}
			said += c.(*sql.NullString).String
		}
		if said != "ok" {
			v.Database = append(v.Database, said)
		}
	}
	return rows.Err()
}

// usersOf lists for every blob what needs it, in words.
func usersOf(ctx context.Context, db queries) (map[string][]string, error) {
	rows, err := db.QueryContext(ctx, `
		SELECT f.sha, f.name || ' of ' || a.name || ', revision ' || r.number FROM revision_files f
			JOIN revisions r ON r.id = f.revision_id JOIN assets a ON a.id = r.asset_id
		UNION ALL SELECT e.sha, e.name || ', an export of ' || a.name FROM exports e JOIN assets a ON a.id = e.asset_id
		UNION ALL SELECT p.sha, p.name || ', added to ' || a.name FROM added_pictures p JOIN assets a ON a.id = p.asset_id
		UNION ALL SELECT json_extract(f.value, '$.was'), json_extract(f.value, '$.name') || ', as it was in ' || p.folder
			FROM placings p, json_each(p.files) f WHERE json_extract(f.value, '$.was') <> ''
		ORDER BY 1, 2`)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	users := map[string][]string{}
	for rows.Next() {
		var sha, use string
		if err := rows.Scan(&sha, &use); err != nil {
			return nil, err
		}
		users[sha] = append(users[sha], use)
	}
	return users, rows.Err()
}

// verifyBlob hashes a kept file and gives its size; the error is fs.ErrNotExist when it
// is not there and ErrDamaged when its bytes are others.
func verifyBlob(dir, sha string) (int64, error) {
	if !isSHA(sha) {
		return 0, ErrDamaged
	}
	f, err := os.Open(blobPath(dir, sha))
	if err != nil {
		return 0, err
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return 0, err
	}
	got, err := hashOf(f)
	if err == nil && got != sha {
		err = ErrDamaged
	}
	return info.Size(), err
}

// readOnly opens a database to look at it: nothing is written, and a server that holds
// it goes on.
func readOnly(file string) (*sql.DB, error) {
	return sql.Open("sqlite", uri(file)+"?mode=ro&_pragma=busy_timeout(10000)&_pragma=temp_store(MEMORY)")
}

// toLookAt is readOnly also where nothing can be written beside the database, as on a disk that can only be read:
// SQLite's write-ahead log wants a file beside it there, unless it is told that nobody changes anything.
func toLookAt(ctx context.Context, file string) (*sql.DB, error) {
	db, err := readOnly(file)
	if err != nil {
		return nil, err
	}
	var n int
	err = db.QueryRowContext(ctx, `SELECT count(*) FROM sqlite_master`).Scan(&n)
	if CauseOf(err) != ReadOnly {
		return db, nil // whoever looks meets what else is wrong
	}
	if cutOff(file) {
		_ = db.Close()
		return nil, errors.New("what was being written to the database when Yarvek ended is to be taken back first, by the " +
			"journal beside it. Start Yarvek on the folder once")
	}
	if log, e := os.Stat(file + "-wal"); e == nil && log.Size() > 0 {
		_ = db.Close()
		return nil, fmt.Errorf("%w: its last changes lie in %s-wal and can only be read where that can be written to",
			err, file)
	}
	_ = db.Close()
	return sql.Open("sqlite", uri(file)+"?mode=ro&immutable=1&_pragma=temp_store(MEMORY)")
}

// databaseName is the database's file within the data folder.
const databaseName = "yarvek.db"

// newest is the schema this program knows, the number of the last migration.
const newest = 14

// judged makes sure of what seems to be damage: an error of SQLite that speaks of the content becomes *damaged only
// when an integrity check fails too; any other error stays.
func judged(db *sql.DB, err error) error {
	if CauseOf(err) != Harmed {
		return err
	}
	var said string
	switch check := db.QueryRow("PRAGMA integrity_check(1)").Scan(&said); {
	case check == nil && said == "ok":
		return err // it was something else
	case check == nil:
		return &damaged{said}
	case CauseOf(check) == Harmed:
		return &damaged{check.Error()}
	}
	return err
}

// cutOff tells whether the journal of a change that was not ended lies beside a database. Only the change that makes
// one keep a write-ahead log has a journal, so that it is of a first start.
func cutOff(file string) bool {
	info, err := os.Stat(file + "-journal")
	return err == nil && info.Size() > 0
}

// takeBack has SQLite take a change back that was cut off, as it does for whoever reads the database and may write.
func takeBack(file string) error {
	db, err := sql.Open("sqlite", uri(file)+"?mode=rw&_pragma=busy_timeout(10000)")
	if err != nil {
		return err
	}
	var n int
	return errors.Join(db.QueryRow(`SELECT count(*) FROM sqlite_master`).Scan(&n), db.Close())
}

// sane looks at the database of a folder before anything is written there: whether it
// is one, whole enough to be read, and not of a newer program. A folder without one is
// as good as new. A change that was cut off is taken back.
func sane(dir string) error {
	file := filepath.Join(dir, databaseName)
	info, err := os.Stat(file)
	if err == nil && info.Size() > 0 && cutOff(file) {
		if err := takeBack(file); err != nil {
			return unopened(dir, err)
		}
		info, err = os.Stat(file)
	}
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if err != nil {
		return unopened(dir, err)
	}
	if kept, _ := filepath.Glob(filepath.Join(dir, "blobs", "??", "*")); info.Size() == 0 && len(kept) > 0 {
		return unopened(dir, &damaged{fmt.Sprintf("it is empty, and %d files are kept beside it", len(kept))})
	}
	if info.Size() == 0 {
		return nil
	}
	db, err := readOnly(file)
	if err != nil {
		return err
	}
	defer db.Close()
	var tables, version int
	err = db.QueryRow(`SELECT count(*) FROM sqlite_master WHERE name = 'goose_db_version'`).Scan(&tables)
	if err == nil && tables > 0 {
		err = db.QueryRow(`SELECT max(version_id) FROM goose_db_version WHERE is_applied`).Scan(&version)
	}
	if err == nil {
		var said string
		if err = db.QueryRow("PRAGMA quick_check(1)").Scan(&said); err == nil && said != "ok" {
			err = &damaged{said}
		}
	}
	for i := 0; err == nil && version == newest && i < len(seals); i++ {
		err = seals[i].there(db)
	}
	if err != nil {
		return unopened(dir, judged(db, err))
	}
	if version > newest {
		if program := made(db, version); program != "" {
			return fmt.Errorf("the database in %s is of a newer Yarvek: %s brought it to version %d, and this program knows "+
				"%d. Nothing was changed. Start that program or a later one, or name another folder with --data", dir, program,
				version, newest)
		}
		return fmt.Errorf("the database in %s is of a newer Yarvek: it has version %d, and this program knows %d. Nothing "+
			"was changed. "+
			"Start the newer program, or name another folder with --data", dir, version, newest)
	}
	return nil
}
