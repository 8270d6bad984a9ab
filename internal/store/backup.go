package store

import (
	"archive/zip"
	"context"
	"errors"
	"fmt"
	"io"
	"maps"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
)

// Backup writes a data folder to w as a zip, while a server holds it or not: the
// database as it is at one moment (SQLite's VACUUM INTO), and every file its rows name.
// Harmed files are left out and returned; the rest is in the backup then. The folder is
// not changed.
func Backup(ctx context.Context, dir string, w io.Writer) ([]Harm, error) {
	file := filepath.Join(dir, databaseName)
	if _, err := os.Stat(file); err != nil {
		return nil, unopened(dir, err)
	}
	tmp, err := os.MkdirTemp("", "yarvek-backup-")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(tmp)
	copied := filepath.Join(tmp, databaseName)
	db, err := readOnly(file)
	if err != nil {
		return nil, err
	}
	defer db.Close()
	if _, err := db.ExecContext(ctx, "VACUUM INTO ?", copied); err != nil {
		return nil, unopened(dir, err)
	}
	z := zip.NewWriter(w)
	if err := add(z, databaseName, copied, zip.Deflate); err != nil {
		return nil, err
	}
	snapshot, err := readOnly(copied)
	if err != nil {
		return nil, err
	}
	defer snapshot.Close()
	users, err := usersOf(ctx, snapshot)
	if err != nil {
		return nil, err
	}
	var harmed []Harm
	for _, sha := range slices.Sorted(maps.Keys(users)) {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		if _, err := verifyBlob(dir, sha); err != nil {
			harmed = append(harmed, Harm{sha, errors.Is(err, os.ErrNotExist), users[sha]})
			continue
		}
		// Models and pictures are packed already, or nearly so.
		if err := add(z, path.Join("blobs", sha[:2], sha), blobPath(dir, sha), zip.Store); err != nil {
			return nil, err
		}
	}
	return harmed, z.Close()
}

// add copies a file into a zip.
func add(z *zip.Writer, name, from string, how uint16) error {
	f, err := os.Open(from)
	if err != nil {
		return err
	}
	defer f.Close()
	w, err := z.CreateHeader(&zip.FileHeader{Name: name, Method: how})
	if err != nil {
		return err
	}
	_, err = io.Copy(w, f)
	return err
}

// Restore unpacks a backup into a folder that is not there yet or is empty, and checks
// it: what comes back is what [Verify] says of the folder then. Nothing but the database
// and blobs under their own names is unpacked.
func Restore(ctx context.Context, backup, dir string) (*Verdict, error) {
	if left, err := os.ReadDir(dir); err == nil && len(left) > 0 {
		return nil, fmt.Errorf("%s is not empty: a backup is put back into an empty folder alone, so that it overwrites "+
			"nothing. "+
			"Name another folder with --data", dir)
	}
	z, err := zip.OpenReader(backup)
	if err != nil {
		return nil, fmt.Errorf("%s is no backup that can be opened: %w", backup, err)
	}
	defer z.Close()
	if !slices.ContainsFunc(z.File, func(f *zip.File) bool { return f.Name == databaseName }) {
		return nil, fmt.Errorf("%s is no backup of Yarvek: it has no %s", backup, databaseName)
	}
	for _, f := range z.File {
		sha := path.Base(f.Name)
		if f.Name != databaseName && (!isSHA(sha) || f.Name != path.Join("blobs", sha[:2], sha)) {
			return nil, fmt.Errorf("%s is no backup of Yarvek: it holds %q", backup, strings.ToValidUTF8(f.Name, "�"))
		}
	}
	for _, f := range z.File {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		if err := unpack(f, filepath.Join(dir, filepath.FromSlash(f.Name))); err != nil {
			return nil, fmt.Errorf("%s can't be put back: %s: %w", backup, f.Name, err)
		}
	}
	return Verify(ctx, dir)
}

// unpack writes a file of a zip, which must not be there yet.
func unpack(f *zip.File, to string) (err error) {
	if err := os.MkdirAll(filepath.Dir(to), 0o755); err != nil {
		return err
	}
	r, err := f.Open()
	if err != nil {
		return err
	}
	defer r.Close()
	w, err := os.OpenFile(to, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o644)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, w.Close()) }()
	if _, err = io.Copy(w, r); err != nil {
		return err
	}
	return w.Sync()
}
