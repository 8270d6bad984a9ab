package soak

import (
	"bytes"
	"database/sql"
	"fmt"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	_ "modernc.org/sqlite" // holds a database as another program would
)

// On a full disk nothing is kept by halves, the page says what is the matter, and with
// room again work goes on.
func TestFullDisk(t *testing.T) {
	data := t.TempDir()
	if err := syscall.Mount("tmpfs", data, "tmpfs", 0, "size=12m"); err != nil {
		t.Skipf("no small disk can be had here: %v", err)
	}
	t.Cleanup(func() { _ = syscall.Unmount(data, syscall.MNT_DETACH) })
	s := start(t, data)
	_, err := s.send("/start", plank("first"))
	require.NoError(t, err)
	filler := filepath.Join(data, "filler")
	room := func() int64 {
		var st syscall.Statfs_t
		require.NoError(t, syscall.Statfs(data, &st))
		return int64(st.Bavail) * st.Bsize
	}
	require.NoError(t, os.WriteFile(filler, make([]byte, room()-300<<10), 0o644))
	kept, refused := []string{"first"}, 0
	for i := 0; i < 60 && refused < 20; i++ {
		name := fmt.Sprintf("plank %d", i)
		f := plank(name)
		f.Data = append(f.Data, bytes.Repeat([]byte("# ballast\n"), 3000)...)
		page, err := s.send("/kits/1/files", f)
		switch {
		case err != nil:
			refused++
			assert.Contains(t, err.Error(), "507")
			assert.Contains(t, err.Error(), "is full")
		case bytes.Contains(page, []byte("/assets/")):
			kept = append(kept, name)
		default:
			refused++
			assert.Contains(t, plain(page), "is full")
		}
	}
	assert.NotZero(t, refused)
	require.NoError(t, os.Remove(filler))
	_, err = s.send("/kits/1/files", plank("after"))
	require.NoError(t, err, "with room again, work goes on")
	for _, name := range append(kept, "after") {
		_, b, err := s.get("/kits/1?find=" + url.QueryEscape(name))
		require.NoError(t, err)
		assert.Contains(t, string(b), name)
	}
	require.NoError(t, s.cmd.Process.Signal(os.Interrupt))
	require.NoError(t, s.ended(15*time.Second))
	said, err := verify(t, data)
	assert.NoError(t, err, said)
	fmt.Printf("a full disk: %d uploads kept, %d refused as “full”, none by halves\n", len(kept), refused)
}

// What is sound is never called damaged: on a disk that can only be read, with no room for temporary files, and while
// another program holds the database, the program says what is the matter, and nobody is told to put a backup in the
// data's place.
func TestSoundButOutOfReach(t *testing.T) {
	data := filepath.Join(t.TempDir(), "data")
	backup := filepath.Join(t.TempDir(), "backup.zip")
	s := start(t, data)
	_, err := s.send("/start", plank("first"))
	require.NoError(t, err)
	require.NoError(t, s.cmd.Process.Signal(os.Interrupt))
	require.NoError(t, s.ended(wait))
	out, err := program(data, "backup", "-o", backup).CombinedOutput()
	require.NoError(t, err, string(out))

	calm := func(what, said string, words ...string) {
		t.Helper()
		fmt.Printf("%s: %s\n", what, said)
		for _, w := range words {
			assert.Contains(t, said, w, what)
		}
		assert.NotContains(t, said, "in its place", what)
		assert.NotContains(t, said, "is damaged or", what)
	}
	// No room for temporary files.
	small := t.TempDir()
	if err := syscall.Mount("tmpfs", small, "tmpfs", 0, "size=64k"); err != nil {
		t.Skipf("no small disk can be had here: %v", err)
	}
	t.Cleanup(func() { _ = syscall.Unmount(small, syscall.MNT_DETACH) })
	_ = os.WriteFile(filepath.Join(small, "filler"), make([]byte, 64<<10), 0o644)
	t.Setenv("TMPDIR", small)
	out, err = program(data, "verify").CombinedOutput()
	require.NoError(t, err, string(out))
	out, err = exec.Command(binary, "backup", "--check", backup).CombinedOutput()
	assert.Error(t, err)
	calm("no room to check a backup", string(out), "was not checked", "no room", "Nothing is known against the backup")
	full := start(t, data)
	_, b, err := full.get("/kits/1")
	require.NoError(t, err)
	assert.Contains(t, string(b), "first")
	// Two at once.
	out, err = program(data, "serve", "--addr", "127.0.0.1:0").CombinedOutput()
	assert.Error(t, err)
	calm("a second server", string(out))
	require.NoError(t, full.cmd.Process.Signal(os.Interrupt))
	require.NoError(t, full.ended(wait))

	// Held.
	db, err := sql.Open("sqlite", filepath.Join(data, "yarvek.db")+"?_txlock=exclusive")
	require.NoError(t, err)
	tx, err := db.Begin()
	require.NoError(t, err)
	out, err = program(data, "serve", "--addr", "127.0.0.1:0").CombinedOutput()
	assert.Error(t, err)
	calm("a held database", string(out), "another program holds", "nothing is damaged")
	require.NoError(t, tx.Rollback())
	require.NoError(t, db.Close())

	// A disk that can only be read.
	require.NoError(t, syscall.Mount(data, data, "", syscall.MS_BIND, ""))
	t.Cleanup(func() { _ = syscall.Unmount(data, syscall.MNT_DETACH) })
	require.NoError(t, syscall.Mount("", data, "", syscall.MS_REMOUNT|syscall.MS_BIND|syscall.MS_RDONLY, ""))
	out, err = program(data, "serve", "--addr", "127.0.0.1:0").CombinedOutput()
	assert.Error(t, err)
	calm("a read-only disk", string(out), "can't be written to", "nothing is damaged")
	require.NoError(t, syscall.Unmount(data, syscall.MNT_DETACH))
	said, err := verify(t, data)
	assert.NoError(t, err, said)
}
