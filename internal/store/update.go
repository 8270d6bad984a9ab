package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"

	"github.com/pressly/goose/v3"

	"yarvek/internal/build"
	"yarvek/internal/disk"
)

// beforeName is the folder, within the data folder, of databases as they were before a newer program changed them.
const beforeName = "before-update"

// beforeKept is how many of them are kept.
const beforeKept = 5

// update brings a database to the version this program knows. What was kept in it is copied to the folder's
// before-update first, whole and synced, as yarvek-13.db for version 13; without the copy nothing is changed.
func update(ctx context.Context, dir string, db *sql.DB) error {
	p, err := migrator(db)
	if err != nil {
		return err
	}
	was, err := p.GetDBVersion(ctx)
	if err != nil {
		return err
	}
	if was == newest {
		return nil
	}
	if was > 0 {
		if err := copyBefore(ctx, dir, db, was); err != nil {
			return err
		}
	}
	if _, err := p.Up(ctx); err != nil {
		return err
	}
	_, err = db.ExecContext(ctx, `INSERT OR REPLACE INTO programs (version, program, at) VALUES (?, ?, ?)`, newest,
		build.This().String(), now())
	return err
}

// migrator is what goes from version to version of a database.
func migrator(db *sql.DB) (*goose.Provider, error) {
	sub, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return nil, err
	}
	return goose.NewProvider(goose.DialectSQLite3, db, sub)
}

// copyBefore copies the database of a version to before-update, and does away with the oldest copies.
func copyBefore(ctx context.Context, dir string, db *sql.DB, version int64) error {
	to := filepath.Join(dir, beforeName)
	if err := os.MkdirAll(to, 0o700); err != nil {
		return unopened(dir, err)
	}
	tmp := filepath.Join(dir, "tmp", fmt.Sprintf("before-%d.db", version))
	if err := os.Remove(tmp); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return unopened(dir, err)
	}
	if _, err := db.ExecContext(ctx, "VACUUM INTO ?", tmp); err != nil {
		return fmt.Errorf("the database in %s is not brought up to date, since it can't be copied first: %w. Nothing was "+
			"changed", dir, err)
	}
	f, err := os.OpenFile(tmp, os.O_RDWR, 0)
	if err != nil {
		return err
	}
	if err := errors.Join(f.Chmod(0o600), f.Sync(), f.Close()); err != nil {
		return err
	}
	if err := disk.Replace(tmp, filepath.Join(to, fmt.Sprintf("yarvek-%05d.db", version))); err != nil {
		return err
	}
	list, err := filepath.Glob(filepath.Join(to, "yarvek-*.db"))
	if err != nil {
		return err
	}
	slices.Sort(list)
	for _, old := range list[:max(0, len(list)-beforeKept)] {
		_ = os.Remove(old) // one that stays takes room, no more
	}
	return nil
}

// made is the program that brought a database to its version, "" where that is not known.
func made(db *sql.DB, version int) (program string) {
	if db.QueryRow(`SELECT program FROM programs WHERE version = ?`, version).Scan(&program) != nil {
		return "" // a database from before there was the table
	}
	return program
}
