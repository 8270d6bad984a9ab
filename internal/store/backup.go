package store

import (
	"archive/zip"
	"cmp"
	"compress/flate"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"hash/crc32"
	"io"
	"io/fs"
	"maps"
	"os"
	"path"
	"path/filepath"
	"slices"
	"time"

	"yarvek/internal/disk"
)

// A backup is a zip of these, in this order:
//
//	backup.json        what it holds, each with its SHA-256
//	yarvek.db          the database, packed
//	blobs/ab/ab12…     every kept file that a row names, as it is
//	again/yarvek.db    the database once more
//	again/backup.json  the list once more
//
// The headers before each file say its length and checksum, so that what is sound is found even where the directory at
// the zip's end is not. One flipped bit therefore costs one kept file at most, and that is told by name.
const (
	listName  = "backup.json"
	againName = "again/"
)

// backupList is what backup.json says.
type backupList struct {
	Made  time.Time    `json:"made"`
	Files []backupFile `json:"files"`
	Left  []string     `json:"left,omitempty"` // kept files that were harmed when it was made
}

type backupFile struct {
	Name string `json:"name"`
	SHA  string `json:"sha256"`
	Size int64  `json:"size"`
}

// Backup writes a data folder to w as a backup, while a server holds it or not: the
// database as it is at one moment (SQLite's VACUUM INTO), and every file its rows name.
// Harmed files are left out and returned; the rest is in the backup then. The folder is
// not changed; near is a folder with room for two copies of the database, for as long as it takes.
func Backup(ctx context.Context, dir, near string, w io.Writer) ([]Harm, error) {
	file := filepath.Join(dir, databaseName)
	if _, err := os.Stat(file); err != nil {
		return nil, unopened(dir, err)
	}
	tmp, err := os.MkdirTemp(near, ".yarvek-backup-")
	if err != nil {
		return nil, fmt.Errorf("no copy of the database can be made in %s: %w", near, err)
	}
	defer os.RemoveAll(tmp)
	copied := filepath.Join(tmp, databaseName)
	if err := copyDatabase(ctx, dir, copied); err != nil {
		return nil, err
	}
	users, err := usersIn(ctx, copied)
	if err != nil {
		return nil, err
	}
	list := backupList{Made: time.Now().UTC()}
	db, err := packed(copied, filepath.Join(tmp, "packed"))
	if err != nil {
		return nil, err
	}
	list.Files = append(list.Files, backupFile{databaseName, db.sha, int64(db.head.UncompressedSize64)})
	var harmed []Harm
	var heads []*zip.FileHeader
	for _, sha := range slices.Sorted(maps.Keys(users)) {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		head, err := headOf(dir, sha)
		if err != nil {
			harmed = append(harmed, Harm{sha, errors.Is(err, fs.ErrNotExist), users[sha]})
			list.Left = append(list.Left, sha)
			continue
		}
		heads = append(heads, head)
		list.Files = append(list.Files, backupFile{head.Name, sha, int64(head.UncompressedSize64)})
	}
	said, err := json.MarshalIndent(list, "", "\t")
	if err != nil {
		return nil, err
	}
	z := zip.NewWriter(w)
	err = errors.Join(putBytes(z, listName, said), db.put(z, databaseName))
	for _, head := range heads {
		// Models and pictures are packed already, or nearly so.
		err = cmp.Or(err, ctx.Err())
		if err != nil {
			return nil, err
		}
		err = putFile(z, head, blobPath(dir, path.Base(head.Name)))
	}
	err = cmp.Or(err, db.put(z, againName+databaseName))
	err = cmp.Or(err, putBytes(z, againName+listName, said))
	return harmed, cmp.Or(err, z.Close())
}

// BackupTo writes a backup to a file, whole or not at all: beside its place first, so that one that broke off never
// looks like one.
func BackupTo(ctx context.Context, dir, to string) ([]Harm, error) {
	near := filepath.Dir(to)
	f, err := os.CreateTemp(near, ".yarvek-backup-*")
	if err != nil {
		return nil, err
	}
	defer func() { _ = os.Remove(f.Name()) }()
	harmed, err := Backup(ctx, dir, near, f)
	if err == nil {
		err = f.Sync()
	}
	if err = errors.Join(err, f.Close()); err != nil {
		return nil, err
	}
	return harmed, disk.Replace(f.Name(), to)
}

// copyDatabase writes a folder's database of one moment to a file.
func copyDatabase(ctx context.Context, dir, to string) error {
	db, err := toLookAt(ctx, filepath.Join(dir, databaseName))
	if err != nil {
		return unopened(dir, err)
	}
	defer db.Close()
	if _, err = db.ExecContext(ctx, "VACUUM INTO ?", to); err == nil {
		return nil
	}
	if CauseOf(err) == Full || CauseOf(err) == ReadOnly {
		return fmt.Errorf("the copy of the database can't be written in %s: %w. Nothing was changed, nothing is damaged. "+
			"Write the backup to a disk with more room", filepath.Dir(filepath.Dir(to)), err)
	}
	return unopened(dir, judged(db, err))
}

// usersIn is usersOf of a database's file.
func usersIn(ctx context.Context, file string) (map[string][]string, error) {
	db, err := readOnly(file)
	if err != nil {
		return nil, err
	}
	defer db.Close()
	return usersOf(ctx, db)
}

// packedFile is a file packed beside, with all that a header says of it.
type packedFile struct {
	head zip.FileHeader
	sha  string
	from string
}

// packed packs a file into another.
func packed(from, to string) (p packedFile, err error) {
	f, err := os.Open(from)
	if err != nil {
		return p, err
	}
	defer f.Close()
	w, err := os.OpenFile(to, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return p, err
	}
	defer func() { err = errors.Join(err, w.Close()) }()
	z, err := flate.NewWriter(w, flate.DefaultCompression)
	if err != nil {
		return p, err
	}
	sum := newSums()
	n, err := io.Copy(io.MultiWriter(z, sum), f)
	if err = cmp.Or(err, z.Close()); err != nil {
		return p, err
	}
	info, err := w.Stat()
	if err != nil {
		return p, err
	}
	p = packedFile{sha: sum.sha(), from: to, head: zip.FileHeader{Method: zip.Deflate, CRC32: sum.crc.Sum32(),
		CompressedSize64: uint64(info.Size()), UncompressedSize64: uint64(n)}}
	return p, nil
}

// put writes it into a zip.
func (p packedFile) put(z *zip.Writer, name string) error {
	head := p.head
	head.Name = name
	return putFile(z, &head, p.from)
}

// headOf is the header of a kept file, which is read whole for it; the error says that it is harmed.
func headOf(dir, sha string) (*zip.FileHeader, error) {
	if !isSHA(sha) {
		return nil, ErrDamaged
	}
	f, err := os.Open(blobPath(dir, sha))
	if err != nil {
		return nil, err
	}
	defer f.Close()
	sum := newSums()
	n, err := io.Copy(sum, f)
	if err == nil && sum.sha() != sha {
		err = ErrDamaged
	}
	return &zip.FileHeader{Name: path.Join("blobs", sha[:2], sha), Method: zip.Store, CRC32: sum.crc.Sum32(),
		CompressedSize64: uint64(n), UncompressedSize64: uint64(n)}, err
}

// putFile copies a file into a zip as it is.
func putFile(z *zip.Writer, head *zip.FileHeader, from string) error {
	f, err := os.Open(from)
	if err != nil {
		return err
	}
	defer f.Close()
	w, err := z.CreateRaw(head)
	if err != nil {
		return err
	}
	n, err := io.Copy(w, f)
	if err == nil && uint64(n) != head.CompressedSize64 {
		err = fmt.Errorf("%s changed while it was copied", from)
	}
	return err
}

// putBytes writes bytes into a zip as they are.
func putBytes(z *zip.Writer, name string, b []byte) error {
	w, err := z.CreateRaw(&zip.FileHeader{Name: name, Method: zip.Store, CRC32: crc32.ChecksumIEEE(b),
		CompressedSize64: uint64(len(b)), UncompressedSize64: uint64(len(b))})
	if err == nil {
		_, err = w.Write(b)
	}
	return err
}

// Returned is what came back of a backup, or would come.
type Returned struct {
	*Verdict           // of what came back
	Made     time.Time // zero for a backup of before it was noted
	Trouble  []string  // what of the backup is not sound, by name
	Left     int       // kept files that were harmed already when it was made
	Accounts []Person  // that it brings
}

// Sound tells whether the backup is, and all that came of it.
func (r *Returned) Sound() bool { return len(r.Trouble) == 0 && r.Verdict.Sound() }

// Restore puts a backup into a folder that is not there yet or is empty, whole or not at all: it is unpacked beside
// its place, checked, and given its name then. What of the backup is not sound is left out and told, with what needs
// it; only a database that is sound in none of its copies refuses all. Sessions do not come back.
func Restore(ctx context.Context, backup, dir string) (*Returned, error) {
	if left, err := os.ReadDir(dir); err == nil && len(left) > 0 {
		return nil, fmt.Errorf("%s is not empty: a backup is put back into an empty folder alone, so that it overwrites "+
			"nothing. Name another folder with --data", dir)
	}
	dir = filepath.Clean(dir)
	if err := os.MkdirAll(filepath.Dir(dir), 0o755); err != nil {
		return nil, err
	}
	tmp, err := os.MkdirTemp(filepath.Dir(dir), "."+filepath.Base(dir)+"-restoring-")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(tmp) // nothing is there any more once it has its name
	r, err := unpackBackup(ctx, backup, tmp, true)
	if c := CauseOf(err); c == Full || c == ReadOnly {
		return nil, fmt.Errorf("%s was not put back: %w", backup, err)
	}
	if err != nil {
		return nil, err
	}
	if err := settle(ctx, tmp, filepath.Base(backup)); err != nil {
		return nil, err
	}
	if r.Verdict, err = Verify(ctx, tmp); err != nil {
		return nil, err
	}
	if err := os.Remove(dir); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return nil, err
	}
	return r, os.Rename(tmp, dir)
}

// CheckBackup reads a backup as Restore would, and keeps nothing of it.
func CheckBackup(ctx context.Context, backup string) (*Returned, error) {
	tmp, err := os.MkdirTemp("", "yarvek-check-")
	if err != nil {
		return nil, unchecked(backup, err)
	}
	defer os.RemoveAll(tmp)
	r, err := unpackBackup(ctx, backup, tmp, false)
	if err != nil {
		return nil, unchecked(backup, err)
	}
	return r, nil
}

// unchecked says of a backup that could not be looked through that nothing is known against it, where that is so.
func unchecked(backup string, err error) error {
	if c := CauseOf(err); c != Full && c != ReadOnly {
		return err
	}
	return fmt.Errorf("%s was not checked: its database is unpacked into the folder for temporary files, %s, and there "+
		"is no room there, or no right to write: %w. Nothing is known against the backup. Make room, or name another such "+
		"folder in the environment, and try again", backup, os.TempDir(), err)
}

// settle brings what came back up to date, ends its sessions, and notes in its journal that it came back.
func settle(ctx context.Context, dir, from string) error {
	s, err := Open(dir)
	if err != nil {
		return err
	}
	err = s.tx(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, `DELETE FROM sessions`); err != nil {
			return err
		}
		return noteIn(ctx, tx, Restored, from)
	})
	return errors.Join(err, s.Close())
}
