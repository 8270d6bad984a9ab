package outbox

import (
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/fault"
)

// put makes files below a folder.
func put(t *testing.T, dir string, files map[string]string) {
	t.Helper()
	for name, text := range files {
		at := filepath.Join(dir, filepath.FromSlash(name))
		require.NoError(t, os.MkdirAll(filepath.Dir(at), 0o755))
		require.NoError(t, os.WriteFile(at, []byte(text), 0o644))
	}
}

// there are all files below a folder.
func there(t *testing.T, dir string) map[string]string {
	t.Helper()
	got := map[string]string{}
	require.NoError(t, filepath.WalkDir(dir, func(p string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		b, err := os.ReadFile(p)
		rel, _ := filepath.Rel(dir, p)
		got[filepath.ToSlash(rel)] = string(b)
		return err
	}))
	return got
}

// set is a mesh, its materials and a picture.
var set = []File{{"props/hut.obj", []byte("mesh 2")}, {"props/hut.mtl", []byte("slots 2")},
	{"props/tex/paint.png", []byte("picture")}}

var before = map[string]string{"props/hut.obj": "mesh 1", "props/hut.mtl": "slots 1", "other.txt": "mine"}

// looked is what is there where the set goes, and a way to have it back.
func looked(t *testing.T, dir string) ([]Place, func(string) ([]byte, error)) {
	t.Helper()
	kept := map[string][]byte{}
	places, err := Look(dir, set, func(data []byte) error { kept[Digest(data)] = data; return nil })
	require.NoError(t, err)
	return places, func(sha string) ([]byte, error) {
		data, ok := kept[sha]
		if !ok {
			return nil, fmt.Errorf("nothing is kept of %s", sha)
		}
		return data, nil
	}
}

// A set is written whole, and taken back to the byte; a file that somebody changed meanwhile stays as it is.
func TestASetIsWrittenAndTakenBack(t *testing.T) {
	dir := t.TempDir()
	put(t, dir, before)
	places, back := looked(t, dir)
	assert.Equal(t, []string{Digest([]byte("mesh 1")), Digest([]byte("slots 1")), ""},
		[]string{places[0].Was, places[1].Was, places[2].Was})
	require.NoError(t, Write(dir, set, "m"))
	assert.Equal(t, map[string]string{"props/hut.obj": "mesh 2", "props/hut.mtl": "slots 2",
		"props/tex/paint.png": "picture", "other.txt": "mine"}, there(t, dir))
	changed, err := Changed(dir, places)
	require.NoError(t, err)
	assert.Empty(t, changed)
	put(t, dir, map[string]string{"props/hut.mtl": "slots by hand"})
	changed, err = Changed(dir, places)
	require.NoError(t, err)
	assert.Equal(t, []string{"props/hut.mtl"}, changed)
	changed, err = Rollback(dir, places, "m", back)
	require.NoError(t, err)
	assert.Equal(t, []string{"props/hut.mtl"}, changed)
	assert.Equal(t, map[string]string{"props/hut.obj": "mesh 1", "props/hut.mtl": "slots by hand", "other.txt": "mine"},
		there(t, dir))
}

// Killed after any of its files, or while one is written, nothing is there by halves once it was taken back.
func TestKilledWhileWriting(t *testing.T) {
	if dir := os.Getenv("YARVEK_OUTBOX_CHILD"); dir != "" {
		left, _ := strconv.Atoi(os.Getenv("YARVEK_OUTBOX_LEFT"))
		between = func() {
			if left--; left == 0 {
				os.Exit(9)
			}
		}
		_ = Write(dir, set, "m")
		os.Exit(0)
	}
	for n := 1; n <= len(set); n++ {
		dir := t.TempDir()
		put(t, dir, before)
		places, back := looked(t, dir)
		c := exec.Command(os.Args[0], "-test.run=^TestKilledWhileWriting$")
		c.Env = append(os.Environ(), "YARVEK_OUTBOX_CHILD="+dir, "YARVEK_OUTBOX_LEFT="+strconv.Itoa(n))
		out, err := c.CombinedOutput()
		require.Error(t, err, "%s", out)
		half := there(t, dir)
		assert.Equal(t, n, strings.Count(fmt.Sprint(half), " 2")+strings.Count(fmt.Sprint(half), ":picture")-
			strings.Count(fmt.Sprint(half), ".part:"), "after %d files: %v", n, half)
		if n < len(set) {
			assert.Equal(t, "mesh 1", half["props/hut.obj"], "the main file comes last")
		}
		_, err = Rollback(dir, places, "m", back)
		require.NoError(t, err)
		assert.Equal(t, before, there(t, dir), "after %d files", n)
	}
}

// Nothing is written outside the folder, over a folder, or through a link that leads out; a folder that is gone or
// read-only is told in words.
func TestWhatAFolderRefuses(t *testing.T) {
	dir, outside := t.TempDir(), t.TempDir()
	mesh := func(name string) []File { return []File{{name, []byte("x")}} }
	none := func([]byte) error { return nil }
	for _, name := range []string{"../x", "a/../../x", filepath.ToSlash(outside) + "/x"} {
		_, err := Look(dir, mesh(name), none)
		assert.Error(t, err, name)
		assert.Error(t, Write(dir, mesh(name), "m"), name)
	}
	require.NoError(t, os.Symlink(outside, filepath.Join(dir, "link")))
	assert.Error(t, Write(dir, mesh("link/x"), "m"))
	require.NoError(t, os.Mkdir(filepath.Join(dir, "hut.obj"), 0o755))
	_, err := Look(dir, mesh("hut.obj"), none)
	assert.ErrorContains(t, err, "is no file")
	require.NoError(t, os.Symlink(filepath.Join(outside, "y"), filepath.Join(dir, "y")))
	_, err = Look(dir, mesh("y"), none)
	assert.ErrorContains(t, err, "is no file")
	assert.Empty(t, there(t, outside))

	gone := filepath.Join(dir, "gone")
	_, err = Look(gone, mesh("x"), none)
	assert.Equal(t, fault.Missing, fault.KindOf(err))
	assert.ErrorContains(t, err, "is not there")
	assert.Equal(t, fault.Missing, fault.KindOf(Write(gone, mesh("x"), "m")))
	if os.Getuid() != 0 { // who may do all can write there too
		shut := filepath.Join(dir, "shut")
		require.NoError(t, os.Mkdir(shut, 0o555))
		assert.ErrorContains(t, Write(shut, mesh("x"), "m"), "can’t be written to")
	}
}
