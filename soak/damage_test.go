package soak

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// kept is a data folder of the demo kit, with what it shows, and its backup.
func keptDemo(t *testing.T) (data, backup string) {
	t.Helper()
	data, backup = t.TempDir(), filepath.Join(t.TempDir(), "kits.zip")
	s := start(t, data, "demo")
	for i := range 3 {
		_, err := s.location(fmt.Sprintf("/assets/%d/export/send", 1+i), "base=0&reason=a+trial")
		require.NoError(t, err)
	}
	require.NoError(t, s.cmd.Process.Signal(os.Interrupt))
	require.NoError(t, s.ended(wait))
	out, err := program(data, "backup", "-o", backup).CombinedOutput()
	require.NoError(t, err, string(out))
	return data, backup
}

// A backup that was damaged in whatever way brings back all that is sound of it, and names the rest; where it can't,
// nothing is there afterwards.
func TestRestoreFromEachKindOfDamage(t *testing.T) {
	data, backup := keptDemo(t)
	was, err := os.ReadFile(backup)
	require.NoError(t, err)
	files, err := filepath.Glob(filepath.Join(data, "blobs", "*", "*"))
	require.NoError(t, err)
	r := rand.New(rand.NewPCG(26, 1))
	whole, less, refused := 0, 0, 0
	try := func(what string, b []byte) (back int, ok bool) {
		t.Helper()
		require.NoError(t, os.WriteFile(backup, b, 0o600))
		to := filepath.Join(t.TempDir(), "back")
		out, err := program(to, "restore", backup).CombinedOutput()
		there, _ := filepath.Glob(filepath.Join(to, "blobs", "*", "*"))
		if _, gone := os.Stat(to); gone != nil {
			refused++
			assert.Error(t, err, what)
			return 0, false
		}
		said, verr := verify(t, to)
		switch {
		case len(there) == len(files):
			whole++
			assert.NoError(t, verr, "%s: %s", what, said)
		default:
			less++

			assert.Error(t, err, "%s: what is missing is told", what)
			assert.Contains(t, string(out), "not sound", what)
		}
		assert.NotContains(t, said, "not as it was kept: ", what)
		return len(there), true
	}
	for range part(150) {
		b := bytes.Clone(was)
		at := r.IntN(len(b))
		b[at] ^= 1 << r.IntN(8)
		back, ok := try(fmt.Sprint("a bit of byte ", at), b)
		assert.True(t, ok && back >= len(files)-1, "one bit costs one file at most: byte %d", at)
	}
	fmt.Printf("%d backups with a flipped bit, of %d files and %d kB each: %d came back whole, %d but for one file that "+
		"was named\n", whole+less, len(files), len(was)/1000, whole, less)
	for name, spoil := range map[string]func(b []byte) []byte{
		"cut in half":            func(b []byte) []byte { return b[:len(b)/2] },
		"its end cut off":        func(b []byte) []byte { return b[:len(b)-100] },
		"a sector of zeros":      func(b []byte) []byte { clear(b[len(b)/3 : len(b)/3+4096]); return b },
		"two sectors exchanged":  func(b []byte) []byte { return exchanged(b) },
		"its beginning cut off":  func(b []byte) []byte { return b[1000:] },
		"something put before":   func(b []byte) []byte { return append(bytes.Repeat([]byte("x"), 3000), b...) },
		"a page of text instead": func([]byte) []byte { return []byte("no backup") },
		"nothing":                func([]byte) []byte { return nil },
	} {
		back, ok := try(name, spoil(bytes.Clone(was)))
		fmt.Printf("  %s: %s\n", name, map[bool]string{true: fmt.Sprintf("%d of %d files", back, len(files)),
			false: "refused, nothing was made"}[ok])
	}

}

// exchanged has two stretches of a sector in each other's place.
func exchanged(b []byte) []byte {
	x, y := len(b)/4, len(b)/2
	a := bytes.Clone(b[x : x+4096])
	copy(b[x:], b[y:y+4096])
	copy(b[y:], a)
	return b
}

// A bit that flips in the database is seen by verify or changes nothing, and a server over it answers: no list is
// hidden by one row.
func TestFlippedRows(t *testing.T) {
	data, _ := keptDemo(t)
	file := filepath.Join(data, "yarvek.db")
	was, err := os.ReadFile(file)
	require.NoError(t, err)
	pages := []string{"/", "/kits/1", "/kits/1/exports", "/assets/2/size", "/targets"}
	look := func() (map[string]string, error) {
		s, err := tryStart(t, data)
		if err != nil {
			return nil, err
		}
		defer s.kill()
		seen := map[string]string{}
		for _, p := range pages {
			status, b, err := s.whole(p)
			require.NoError(t, err)
			assert.Less(t, status, http.StatusInternalServerError, "%s: %s\n%s", p, plain(b), s.log)
			seen[p] = plain(b)
		}
		return seen, nil
	}
	sound, err := look()
	require.NoError(t, err)
	r := rand.New(rand.NewPCG(26, 2))
	saw, harmless, held := 0, 0, 0
	for range part(150) {
		for _, f := range []string{"-wal", "-shm"} {
			_ = os.Remove(file + f)
		}
		b := bytes.Clone(was)
		at := r.IntN(len(b))
		b[at] ^= 1 << r.IntN(8)
		require.NoError(t, os.WriteFile(file, b, 0o600))
		said, verr := verify(t, data)
		now, err := look()
		switch {
		case err != nil:
			held++
			assert.Error(t, verr, "a folder that can't be opened has a harm that verify sees: %s", said)
		case verr != nil:
			saw++
		default:
			harmless++
			assert.Equal(t, sound, now, "byte %d: what verify blesses is shown as it was", at)
		}
	}
	fmt.Printf("%d bits flipped in a database of %d kB: %d seen by verify while a server went on, %d kept it from "+
		"starting with a reason, %d harmless\n", saw+harmless+held, len(was)/1000, saw, held, harmless)
	assert.NotZero(t, saw)
}

// tryStart is start, for a folder that may be refused.
func tryStart(t *testing.T, data string) (*server, error) {
	t.Helper()
	s := &server{cmd: program(data, "serve", "--addr", "127.0.0.1:0"), log: new(bytes.Buffer), client: client()}
	return s, s.begin(t)
}

// Uploads that are refused leave nothing, however many they are.
func TestRefusedUploads(t *testing.T) {
	data := t.TempDir()
	s := start(t, data)
	_, err := s.send("/start", plank("first"))
	require.NoError(t, err)
	size := func() (n int64) {
		for _, sub := range []string{"blobs", "tmp", "trash"} {
			_ = filepath.WalkDir(filepath.Join(data, sub), func(_ string, d os.DirEntry, err error) error {
				if err == nil && !d.IsDir() {
					if info, err := d.Info(); err == nil {
						n += info.Size()
					}
				}
				return nil
			})
		}
		return n
	}
	was, sent := size(), int64(0)
	bomb := zipOf(t, "a.obj", strings.Repeat("\x00", 20<<20))
	broken := zipOf(t, "b.obj", strings.Repeat("v 1 2 3\n", 1<<16))
	broken.Data[len(broken.Data)/2] ^= 1
	n := part(200)
	for i := range n {
		f := bomb
		if i%2 == 1 {
			f = broken
		}
		sent += int64(len(f.Data))
		page, err := s.send("/kits/1/files", f)
		require.NoError(t, err)
		require.NotContains(t, string(page), `href="/assets/2`)
	}
	fmt.Printf("%d refused uploads, %.1f MB sent: %d bytes more in the folder than before\n", n, float64(sent)/1e6,
		size()-was)
	assert.Equal(t, was, size())
	said, err := verify(t, data)
	assert.NoError(t, err, said)
	assert.NotContains(t, said, "nothing refers to")
}
