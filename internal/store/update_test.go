package store

import (
	"context"
	"database/sql"
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/internal/build"
)

// older takes a folder's database back to an earlier version, as an older program left it.
func older(t *testing.T, dir string, version int64) {
	t.Helper()
	db, err := database(dir)
	require.NoError(t, err)
	p, err := migrator(db)
	require.NoError(t, err)
	_, err = p.DownTo(context.Background(), version)
	require.NoError(t, err)
	require.NoError(t, db.Close())
}

func versionOf(t *testing.T, db *sql.DB) (n int) {
	t.Helper()
	require.NoError(t, db.QueryRow(`SELECT max(version_id) FROM goose_db_version WHERE is_applied`).Scan(&n))
	return n
}

// The database is copied before a newer program changes it; without a copy nothing is changed.
func TestADatabaseIsCopiedBeforeAnUpdate(t *testing.T) {
	ctx := context.Background()
	dir := t.TempDir()
	s, err := Open(dir)
	require.NoError(t, err)
	named(t, s, 3)
	require.NoError(t, s.Close())
	assert.NoDirExists(t, filepath.Join(dir, beforeName), "a new one has nothing to be copied")
	older(t, dir, newest-1)

	blocked := filepath.Join(dir, beforeName)
	require.NoError(t, os.WriteFile(blocked, nil, 0o600))
	_, err = Open(dir)
	require.Error(t, err)
	db, err := database(dir)
	require.NoError(t, err)
	assert.Equal(t, newest-1, versionOf(t, db), "it was not changed")
	require.NoError(t, db.Close())
	require.NoError(t, os.Remove(blocked))

	for n := range beforeKept + 2 { // older copies
		require.NoError(t, os.MkdirAll(blocked, 0o700))
		require.NoError(t, os.WriteFile(filepath.Join(blocked, fmt.Sprintf("yarvek-%05d.db", n)), nil, 0o600))
	}
	s, err = Open(dir)
	require.NoError(t, err)
	assert.Equal(t, newest, versionOf(t, s.db))
	kits, err := s.Kits(ctx, false)
	require.NoError(t, err)
	require.NotEmpty(t, kits)
	list, err := filepath.Glob(filepath.Join(blocked, "*"))
	require.NoError(t, err)
	require.Len(t, list, beforeKept)
	copied, err := readOnly(list[len(list)-1])
	require.NoError(t, err)
	assert.Equal(t, newest-1, versionOf(t, copied))
	var name string
	require.NoError(t, copied.QueryRow(`SELECT name FROM kits`).Scan(&name))
	assert.Equal(t, kits[0].Name, name)
	require.NoError(t, copied.Close())
	require.NoError(t, s.Close())

	// What a copy is for: the older program goes on with it, in the database's place.
	for _, f := range []string{databaseName + "-wal", databaseName + "-shm"} {
		_ = os.Remove(filepath.Join(dir, f))
	}
	require.NoError(t, os.Rename(list[len(list)-1], filepath.Join(dir, databaseName)))
	s, err = Open(dir)
	require.NoError(t, err)
	again, err := s.Kits(ctx, false)
	require.NoError(t, err)
	assert.Equal(t, kits, again)
	require.NoError(t, s.Close())
}

// An older program says which one is needed.
func TestAnOlderProgramSaysWhichIsNeeded(t *testing.T) {
	dir := t.TempDir()
	s, err := Open(dir)
	require.NoError(t, err)
	assert.Equal(t, build.This().String(), made(s.db, newest))
	_, err = s.db.Exec("INSERT INTO goose_db_version (version_id, is_applied) VALUES (99, 1)")
	require.NoError(t, err)
	_, err = s.db.Exec("INSERT INTO programs VALUES (99, 'Yarvek 2031.04.01 (0123456789ab)', '')")
	require.NoError(t, err)
	require.NoError(t, s.Close())
	_, err = Open(dir)
	require.ErrorContains(t, err, "Yarvek 2031.04.01 (0123456789ab) brought it to version 99")
	assert.ErrorContains(t, err, "Nothing was changed")
}

// A first start that was ended between two migrations is gone on with by the next.
func TestAFirstStartThatWasCutShort(t *testing.T) {
	for v := range int64(newest) {
		dir := t.TempDir()
		db, err := database(dir)
		require.NoError(t, err)
		p, err := migrator(db)
		require.NoError(t, err)
		if v == 0 {
			_, err = p.GetDBVersion(context.Background())
		} else {
			_, err = p.UpTo(context.Background(), v)
		}
		require.NoError(t, err)
		require.NoError(t, db.Close())
		s, err := Open(dir)
		if assert.NoError(t, err, "cut short after %d", v) {
			assert.Equal(t, newest, versionOf(t, s.db))
			require.NoError(t, s.Close())
		}
	}
}

// A first start that was ended while SQLite turned the new database to its write-ahead log leaves a journal beside it,
// which a reader that may not write can't get past.
func TestAFirstStartThatWasCutShortInItsFirstChange(t *testing.T) {
	dir := t.TempDir()
	file := filepath.Join(dir, databaseName)
	db, err := sql.Open("sqlite", uri(file))
	require.NoError(t, err)
	db.SetMaxOpenConns(1)
	for _, stmt := range []string{"PRAGMA cache_size=1", "PRAGMA cache_spill=1", "BEGIN IMMEDIATE", "CREATE TABLE t (x)",
		"WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n LIMIT 200) " +
			"INSERT INTO t SELECT randomblob(900) FROM n"} {
		_, err := db.Exec(stmt)
		require.NoError(t, err, stmt)
	}
	half := t.TempDir()
	for _, name := range []string{databaseName, databaseName + "-journal"} {
		b, err := os.ReadFile(filepath.Join(dir, name))
		require.NoError(t, err)
		require.NotEmpty(t, b, name)
		require.NoError(t, os.WriteFile(filepath.Join(half, name), b, 0o600))
	}
	require.NoError(t, db.Close())
	_, err = Verify(t.Context(), half)
	assert.ErrorContains(t, err, "Start Yarvek on the folder once")
	s, err := Open(half)
	require.NoError(t, err)
	assert.Equal(t, newest, versionOf(t, s.db))
	require.NoError(t, s.Close())
	_, err = Verify(t.Context(), half)
	assert.NoError(t, err)
}
