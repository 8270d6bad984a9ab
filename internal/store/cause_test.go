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
)

// The causes are told by what the database itself says, of faults made here.
func TestTheDatabaseSaysWhatItsTroubleIs(t *testing.T) {
	ctx := context.Background()
	dir := t.TempDir()
	file := filepath.Join(dir, "a.db")
	open := func(options string) *sql.DB {
		db, err := sql.Open("sqlite", "file:"+file+"?_pragma=busy_timeout(1)&"+options)
		require.NoError(t, err)
		t.Cleanup(func() { _ = db.Close() })
		return db
	}
	one := open("_txlock=exclusive")
	_, err := one.Exec("CREATE TABLE t (x); PRAGMA page_size")
	require.NoError(t, err)

	tx, err := one.BeginTx(ctx, nil)
	require.NoError(t, err)
	_, err = open("").Exec("INSERT INTO t VALUES (1)")
	assert.Equal(t, Busy, CauseOf(fmt.Errorf("so: %w", err)), "%v", err)
	require.NoError(t, tx.Rollback())

	_, err = open("mode=ro").Exec("INSERT INTO t VALUES (1)")
	assert.Equal(t, ReadOnly, CauseOf(err), "%v", err)

	full := open("_pragma=max_page_count(2)")
	_, err = full.Exec("INSERT INTO t VALUES (zeroblob(100000))")
	assert.Equal(t, Full, CauseOf(err), "%v", err)

	require.NoError(t, one.Close())
	require.NoError(t, os.WriteFile(file, []byte("no database at all, but long enough to be looked at as one"), 0o644))
	_, err = open("cache=private").Exec("INSERT INTO t VALUES (1)")
	assert.Equal(t, Harmed, CauseOf(err), "%v", err)
	assert.Equal(t, Unknown, CauseOf(nil))
	assert.Equal(t, Unknown, CauseOf(ErrNotFound))
}
