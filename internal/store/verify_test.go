package store

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestTheNewestSchemaIsTheLastMigration(t *testing.T) {
	list, err := fs.Glob(migrations, "migrations/*.sql")
	require.NoError(t, err)
	assert.True(t, strings.HasPrefix(filepath.Base(list[len(list)-1]), fmt.Sprintf("%05d", newest)))
}

// snapshot is all files of a folder with their bytes, but for those any reader of a
// database may make.
func snapshot(t *testing.T, dir string) map[string]string {
	t.Helper()
	out := map[string]string{}
	require.NoError(t, filepath.WalkDir(dir, func(p string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || strings.HasSuffix(p, "-shm") || strings.HasSuffix(p, "-wal") ||
			filepath.Base(p) == "lock" {
			return err
		}
		b, err := os.ReadFile(p)
		out[strings.TrimPrefix(p, dir)] = string(b)
		return err
	}))
	return out
}

// A folder that can't be opened is left as it is, and the sentence says which it is,
// what is safe, and what to do.
func TestAFolderThatCantBeOpenedIsLeftAsItIs(t *testing.T) {
	for name, c := range map[string]struct {
		spoil func(t *testing.T, dir string)
		want  []string
	}{
		"newer": {func(t *testing.T, dir string) {
			s, err := Open(dir)
			require.NoError(t, err)
			_, err = s.db.Exec("INSERT INTO goose_db_version (version_id, is_applied) VALUES (99, 1)")
			require.NoError(t, err)
			require.NoError(t, s.Close())
		}, []string{"of a newer Yarvek", "version 99", "Nothing was changed"}},
		"damaged": {func(t *testing.T, dir string) {
			b, err := os.ReadFile(filepath.Join(dir, databaseName))
			require.NoError(t, err)
			for i := 4096; i < len(b); i++ {
				b[i] = 0xAA
			}
			require.NoError(t, os.WriteFile(filepath.Join(dir, databaseName), b, 0o644))
		}, []string{"is damaged or is none", "Nothing was changed", "Put a backup"}},
		"a column by another name": {func(t *testing.T, dir string) {
			b, err := os.ReadFile(filepath.Join(dir, databaseName))
			require.NoError(t, err)
			b = bytes.ReplaceAll(b, []byte("slot_map"), []byte("qlot_map"))
			require.NoError(t, os.WriteFile(filepath.Join(dir, databaseName), b, 0o644))
		}, []string{"is damaged or is none", "its table kits is not as it was made", "slot_map"}},
		"no database": {func(t *testing.T, dir string) {
			require.NoError(t, os.WriteFile(filepath.Join(dir, databaseName), []byte("my shopping list, quite a long one"),
				0o644))
		}, []string{"is damaged or is none"}},
		"emptied": {func(t *testing.T, dir string) {
			require.NoError(t, os.Truncate(filepath.Join(dir, databaseName), 0))
		}, []string{"it is empty, and 3 files are kept beside it"}},
	} {
		t.Run(name, func(t *testing.T) {
			dir := t.TempDir()
			s, err := Open(dir)
			require.NoError(t, err)
			named(t, s, 3)
			require.NoError(t, s.Close())
			c.spoil(t, dir)
			half := filepath.Join(dir, "tmp", "blob-half")
			require.NoError(t, os.WriteFile(half, []byte("x"), 0o644))
			before := snapshot(t, dir)
			_, err = Open(dir)
			require.Error(t, err)
			for _, want := range append(c.want, dir) {
				assert.ErrorContains(t, err, want)
			}
			assert.Equal(t, before, snapshot(t, dir), "nothing was written")
			_, err = Open(dir)
			assert.NotErrorIs(t, err, ErrInUse, "and the lock was let go")
		})
	}
	file := filepath.Join(t.TempDir(), "x")
	require.NoError(t, os.WriteFile(file, nil, 0o644))
	_, err := Open(file)
	assert.ErrorContains(t, err, "is a file: expected a folder")
	_, err = Verify(context.Background(), t.TempDir())
	assert.ErrorContains(t, err, "there is no Yarvek data in")
}

func TestVerifyNamesWhatIsHarmed(t *testing.T) {
	ctx, dir := context.Background(), t.TempDir()
	s := folder(t, dir)
	shas := named(t, s, 3)
	put(t, s, "named by nobody", 0)
	v, err := Verify(ctx, dir) // while the folder is held
	require.NoError(t, err)
	assert.True(t, v.Sound(), "%+v", v)
	assert.Equal(t, 3, v.Files)
	assert.Equal(t, int64(3*len("source 0")), v.Bytes)
	assert.Equal(t, 1, v.Unnamed)

	require.NoError(t, os.WriteFile(s.blobPath(shas[0]), []byte("source O"), 0o644))
	require.NoError(t, os.Remove(s.blobPath(shas[1])))
	v, err = Verify(ctx, dir)
	require.NoError(t, err)
	assert.False(t, v.Sound())
	require.Len(t, v.Harmed, 2)
	for _, h := range v.Harmed {
		assert.Equal(t, h.SHA == shas[1], h.Gone)
		assert.Contains(t, h.Of[0], "a.obj of ")
		assert.Contains(t, h.Of[0], ", revision 1")
	}
	require.NoError(t, s.Close())
	db := filepath.Join(dir, databaseName)
	b, err := os.ReadFile(db)
	require.NoError(t, err)
	for i := len(b) - 4096; i < len(b); i++ {
		b[i] = 0x55
	}
	require.NoError(t, os.WriteFile(db, b, 0o644))
	v, err = Verify(ctx, dir)
	if err == nil {
		assert.NotEmpty(t, v.Database, "SQLite sees its own damage")
	}
}

// A backup made while rows are written holds one moment, whole; put back it is what it
// was, and harm is named on both ways.
func TestABackupIsPutBackWhole(t *testing.T) {
	ctx, dir := context.Background(), t.TempDir()
	s := folder(t, dir)
	shas := named(t, s, 4)
	put(t, s, "named by nobody", 0)
	at := filepath.Join(t.TempDir(), "backup.zip")
	write := func() []Harm {
		harmed, err := BackupTo(ctx, dir, at)
		require.NoError(t, err)
		return harmed
	}
	stop, stopped := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(stopped)
		for i := 0; ; i++ {
			select {
			case <-stop:
				return
			default:
				_ = s.SetGrid(ctx, 1, float64(i+1))
			}
		}
	}()
	assert.Empty(t, write())
	close(stop)
	<-stopped
	require.NoError(t, s.RenameKit(ctx, 1, "Tern Point", "renamed since"))

	to := filepath.Join(t.TempDir(), "new", "data")
	v, err := Restore(ctx, at, to)
	require.NoError(t, err)
	assert.True(t, v.Sound())
	assert.Equal(t, 4, v.Files)
	assert.Zero(t, v.Unnamed, "files of no use are left out")
	back := folder(t, to)
	for i, sha := range shas {
		b, err := back.Blob(sha)
		require.NoError(t, err)
		assert.Equal(t, fmt.Sprint("source ", i), string(b))
	}
	k, err := back.Kit(ctx, 1)
	require.NoError(t, err)
	assert.NotEqual(t, "renamed since", k.Name)

	_, err = Restore(ctx, at, to)
	assert.ErrorContains(t, err, "is not empty")
	require.NoError(t, os.Remove(s.blobPath(shas[2])))
	harmed := write()
	require.Len(t, harmed, 1)
	assert.Equal(t, shas[2], harmed[0].SHA)
	v, err = Restore(ctx, at, filepath.Join(t.TempDir(), "b"))
	require.NoError(t, err)
	assert.Len(t, v.Harmed, 1)
}

func TestOnlyBackupsArePutBack(t *testing.T) {
	ctx := context.Background()
	for _, name := range []string{"../../evil", "blobs/ab/evil", "notes.txt", "/etc/x", databaseName + "/x"} {
		at := filepath.Join(t.TempDir(), "b.zip")
		f, err := os.Create(at)
		require.NoError(t, err)
		z := zip.NewWriter(f)
		for _, n := range []string{databaseName, name} {
			_, err = z.Create(n)
			require.NoError(t, err)
		}
		require.NoError(t, errors.Join(z.Close(), f.Close()))
		_, err = Restore(ctx, at, filepath.Join(t.TempDir(), "data"))
		assert.ErrorContains(t, err, "is no backup", name)
	}
	_, err := Restore(ctx, filepath.Join(t.TempDir(), "none.zip"), t.TempDir())
	assert.ErrorContains(t, err, "is no backup that can be opened")
}
