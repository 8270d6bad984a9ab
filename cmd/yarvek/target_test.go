package main

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/target"
)

// A target goes out as a file, is changed, checked, and used for an export.
func TestTargetsAtTheCommandLine(t *testing.T) {
	dir := t.TempDir()
	said, err := run(t, targetCommand(), "list")
	require.NoError(t, err)
	for _, to := range target.Shipped {
		assert.Contains(t, said, to.ID)
	}
	said, err = run(t, targetCommand(), "show", "z-up-centimetres-left")
	require.NoError(t, err)
	own := write(t, dir, "own.json", strings.Replace(strings.Replace(said, `"file": "{asset}"`, `"file": "sm {asset}"`, 1),
		`"id": "z-up-centimetres-left"`, `"id": "ours"`, 1))
	said, err = run(t, targetCommand(), "check", own)
	require.NoError(t, err)
	assert.Contains(t, said, "can be used")
	b, err := os.ReadFile(own)
	require.NoError(t, err)
	bad := write(t, dir, "bad.json", strings.NewReplacer(`"lines": 1080`, `"lines": 2`, `"place": "base"`,
		`"place": "moon"`).Replace(string(b)))
	said, err = run(t, targetCommand(), "check", bad)
	require.Error(t, err)
	assert.Contains(t, said, "view.lines")
	assert.Contains(t, said, "pivot.place")
	mesh := write(t, dir, "post.obj", "v 0 0 0\nv 1 0 0\nv 0 2 0\nv 0 0 1\nf 1 3 2\nf 1 2 4\nf 1 4 3\nf 2 3 4\n")
	out := filepath.Join(dir, "post.fbx")
	said, err = run(t, prepareCommand(), mesh, "-o", out, "--target", own)
	require.NoError(t, err, said)
	assert.FileExists(t, out)
	_, err = run(t, prepareCommand(), mesh, "-o", out, "--target", bad)
	assert.ErrorContains(t, err, "view.lines")
	_, err = run(t, prepareCommand(), mesh, "-o", out, "--target", "sideways")
	assert.ErrorContains(t, err, "y-up-metres-right")
	_, err = run(t, prepareCommand(), mesh, "-o", out, "--target", filepath.Join(dir, "none.json"))
	assert.ErrorContains(t, err, "none.json")
}
